package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/chromedp/chromedp"

	"viandante/e2e"
)

const town = "/around?v=-38.114,-26.28,14"

// signedIn starts the demo, and a browser of the size of a desk that is signed in to it.
func signedIn(wait time.Duration) (*e2e.Browser, func(), error) {
	_, stop, err := demoServer("demo")
	if err != nil {
		return nil, nil, err
	}
	b, closeBrowser, err := browserOf(wait)
	if err != nil {
		stop()
		return nil, nil, err
	}
	return b, func() { closeBrowser(); stop() }, nil
}

// browserOf starts a browser that is signed in to the demo that runs.
func browserOf(wait time.Duration) (*e2e.Browser, func(), error) {
	ctx, cancel := context.WithTimeout(context.Background(), wait)
	b, closeBrowser, err := e2e.NewBrowser(ctx, 1280, 800)
	if err != nil {
		cancel()
		return nil, nil, err
	}
	end := func() { closeBrowser(); cancel() }
	if err = chromedp.Do(b.Ctx, chromedp.Navigate("http://"+benchListen)); err == nil {
		_, err = chromedp.Run(
			b.Ctx,
			chromedp.Evaluate[int](
				`fetch('/session', {method: 'POST', headers: {'Content-Type': 'application/json'}, body: `+
					`'{}'}).then(r => r.status)`,
				chromedp.EvalAwaitPromise,
			),
		)
	}
	if err != nil {
		end()
		return nil, nil, err
	}
	return b, end, nil
}

// opening measures how long the first map takes, and how soon the map is sharp again after a zoom.
func opening() ([]row, error) {
	b, end, err := signedIn(5 * time.Minute)
	if err != nil {
		return nil, err
	}
	defer end()
	var mapped, loaded, sharp, names []float64
	for range 5 {
		if err := chromedp.Do(b.Ctx, chromedp.Navigate("about:blank"), chromedp.Navigate("http://"+benchListen+town),
			e2e.MapDrawn()); err != nil {
			return nil, err
		}
		got, err := chromedp.Run(
			b.Ctx,
			chromedp.Evaluate[[2]float64](
				`[performance.getEntriesByName('viandante-map')[0].startTime, `+
					`performance.getEntriesByType('navigation')[0].loadEventEnd]`,
			),
		)
		if err != nil {
			return nil, err
		}
		mapped, loaded = append(mapped, got[0]), append(loaded, got[1])
		// A wheel turned for ten frames; then until ground and names are drawn for where it came to rest, nothing of
		// which was there yet.
		rest, err := chromedp.Run(b.Ctx, chromedp.Evaluate[[2]float64](`new Promise(done => {
			const c = window.viandanteChart
			let n = 0, stopped = 0, ground = 0, times = 0
			const frame = () => {
				if (n++ < 10) c.zoomAt(times % 2 ? -0.05 : 0.05)
				else if (!stopped) stopped = performance.now()
				else {
					if (!ground && !c.sharpening && c.whole && Math.abs(c.tiles.step - c.view.zoom) < 0.01 &&
						c.ground.isSharp(c.camera, c.ground.front)) ground = performance.now()
					if (c.complete) {
						if (times++ === 2) return done([ground - stopped, performance.now() - stopped])
						n = stopped = ground = 0 // twice to get going
						for (const t of c.tiles.tiles.values()) t.bitmap?.close()
						c.tiles.tiles.clear()
					}
				}
				requestAnimationFrame(frame)
			}
			requestAnimationFrame(frame)
		})`, chromedp.EvalAwaitPromise))
		if err != nil {
			return nil, err
		}
		sharp, names = append(sharp, rest[0]), append(names, rest[1])
	}
	middle := func(v []float64) float64 { slices.Sort(v); return v[len(v)/2] }
	return []row{
		{
			"first map after navigation",
			middle(mapped),
			"ms",
			"1000 ms",
			"the page loaded, without its map",
			middle(loaded),
		},
		{"ground sharp after a zoom came to rest", middle(sharp), "ms", "150 ms", "a frame", 16.7},
		{"… and its names", middle(names), "ms", "", "the ground", middle(sharp)},
	}, nil
}

// wandering moves the map about for ten minutes and compares the memory after the first minute with that after the
// last.
func wandering() ([]row, error) {
	minutes := 10
	if v, err := strconv.Atoi(os.Getenv("BENCH_MINUTES")); err == nil {
		minutes = v
	}
	b, end, err := signedIn(time.Duration(minutes+3) * time.Minute)
	if err != nil {
		return nil, err
	}
	defer end()
	if err := chromedp.Do(b.Ctx, chromedp.Navigate("http://"+benchListen+town), e2e.MapDrawn()); err != nil {
		return nil, err
	}
	var heaps, resident []float64
	for range minutes {
		if _, err := chromedp.Run(b.Ctx, chromedp.Evaluate[int](`new Promise(done => {
			const c = window.viandanteChart, began = performance.now()
			let n = window.wandered ?? 0
			const frame = () => {
				n++
				const leg = Math.floor(n / 240) % 4
				if (leg === 0) c.pan(-5, 2)
				else if (leg === 1) c.zoomAt(n % 240 < 120 ? 0.02 : -0.02)
				else if (leg === 2) c.pan(5, -2)
				else if (n % 240 === 0) c.flyTo({lat: -38.12 + 0.15 * Math.sin(n),
					lng: -26.1 + 0.18 * Math.cos(n * 1.7), zoom: 12 + (n / 240) % 5})
				window.wandered = n
				if (performance.now() - began < 58000) return requestAnimationFrame(frame)
				done(1)
			}
			requestAnimationFrame(frame)
		})`, chromedp.EvalAwaitPromise)); err != nil {
			return nil, err
		}
		heap, err := chromedp.Run(b.Ctx, chromedp.Evaluate[float64](`performance.memory.usedJSHeapSize / 1e6`))
		if err != nil {
			return nil, err
		}
		heaps, resident = append(heaps, heap), append(resident, renderers())
		fmt.Fprintf(
			os.Stderr,
			"wandering, minute %d: script heap %.0f MB, the browser's pages %.0f MB\n",
			len(heaps),
			heap,
			resident[len(resident)-1],
		)
	}
	last := len(heaps) - 1
	return []row{
		{
			fmt.Sprintf("memory of the page after %d minutes of wandering", minutes),
			resident[last],
			"MB",
			"flat",
			"after the first",
			resident[0],
		},
		{"… of its script", heaps[last], "MB", "flat", "after the first", heaps[0]},
	}, nil
}

// renderers returns the resident memory of the browser's processes that draw pages, in MB.
func renderers() float64 {
	total := 0.0
	files, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	for _, f := range files {
		command, err := os.ReadFile(f)
		if err != nil || !strings.Contains(string(command), "--type=renderer") {
			continue
		}
		total += anonMB(filepath.Dir(f))
	}
	return total
}

// anonMB is what a process holds that is in no file, in MB; dir is its directory under /proc.
func anonMB(dir string) float64 {
	status, _ := os.ReadFile(filepath.Join(dir, "status"))
	for line := range strings.Lines(string(status)) {
		if strings.HasPrefix(line, "RssAnon:") {
			kb, _ := strconv.ParseFloat(strings.Fields(line)[1], 64)
			return kb / 1000
		}
	}
	return 0
}
