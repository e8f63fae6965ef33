package main

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/chromedp/chromedp"

	"viandante/e2e"
)

// moving measures scripted movements of the map, the median of five runs: the intervals between frames, the time that
// drawing takes of the main thread, and how many frames came late.
func moving() ([]row, error) {
	_, stop, err := demoServer("demo")
	if err != nil {
		return nil, err
	}
	defer stop()
	ctx, cancel := context.WithTimeout(context.Background(), 8*time.Minute)
	defer cancel()
	b, closeBrowser, err := e2e.NewBrowser(ctx, 1280, 800)
	if err != nil {
		return nil, err
	}
	defer closeBrowser()
	if err := chromedp.Do(b.Ctx, chromedp.Navigate("http://"+benchListen)); err != nil {
		return nil, err
	}
	if _, err := chromedp.Run(b.Ctx, chromedp.Evaluate[int](`fetch('/session', {method: 'POST', headers: `+
		`{'Content-Type': 'application/json'}, body: '{}'}).then(r => r.status)`,
		chromedp.EvalAwaitPromise)); err != nil {
		return nil, err
	}
	idle, err := run(b, "0", "")
	if err != nil {
		return nil, err
	}
	var rows []row
	for _, m := range []struct {
		what, target string
		places       int
		ratio        float64
		step         string
	}{
		{"dragging over the town, 10,000 places", "20 ms", 10_000, 1, "c.pan(-6, 2)"},
		{"dragging over the town, 100,000 places", "20 ms", 100_000, 1, "c.pan(-6, 2)"},
		{"zooming, 10,000 places", "50 ms", 10_000, 1, "c.zoomAt(0.01 * (n % 200 < 100 ? 1 : -1))"},
		{"turning, 10,000 places", "50 ms", 10_000, 1, "c.turn(0.8)"},
		{"flying over four levels and back, 10,000 places", "50 ms", 10_000, 1,
			"if (!c.moving) c.flyTo(c.view.zoom > 12 ? {lat: -38.05, lng: -26.15, zoom: 10} : {lat: -38.114, lng: " +
				"-26.28, zoom: 14})"},
		{"dragging at two pixels to one, 10,000 places", "50 ms", 10_000, 2, "c.pan(-6, 2)"},
	} {
		if err := chromedp.Do(b.Ctx, chromedp.EmulateViewport(1280, 800, chromedp.EmulateScale(m.ratio)),
			chromedp.Navigate("http://"+benchListen+"/around?v=-38.114,-26.28,14"), e2e.MapDrawn()); err != nil {
			return nil, err
		}
		got, err := run(b, fmt.Sprint(m.places), m.step)
		if err != nil {
			return nil, err
		}
		rows = append(
			rows,
			row{
				m.what + ": between frames, 95th percentile",
				got.P95,
				"ms",
				m.target,
				"a page that does nothing",
				idle.P95,
			},
			row{
				fmt.Sprintf("… median (%.0f %% of frames late)", 100*got.Late),
				got.Median,
				"ms",
				"",
				"a page that does nothing",
				idle.Median,
			},
			row{"… of the main thread for each frame, median", got.Busy, "ms", "", "the interval", got.Median},
		)
	}
	rest, err := afterZoom(b)
	if err != nil {
		return nil, err
	}
	return append(
		rows,
		row{
			"names there after a zoom of one level has come to rest, median",
			rest.Names,
			"ms",
			"300 ms",
			"the ground",
			rest.Ground,
		},
		row{"… the slowest of eight", rest.SlowestNames, "ms", "", "the ground", rest.SlowestGround},
	), nil
}

type atRest struct{ Ground, Names, SlowestGround, SlowestNames float64 }

// afterZoom zooms in by one level over ground that was not drawn before, eight times, and returns how long after the
// map has come to rest the ground and the names are there.
func afterZoom(b *e2e.Browser) (atRest, error) {
	var ground, names []float64
	for _, at := range []string{"-38.114,-26.28,12", "-38.114,-26.28,13", "-38.114,-26.28,14", "-38.114,-26.28,15",
		"-38.0009,-26.238,12", "-38.0009,-26.238,13", "-38.073,-25.93,13", "-38.073,-25.93,14"} {
		page := chromedp.Navigate("http://" + benchListen + "/around?v=" + at)
		if err := chromedp.Do(b.Ctx, chromedp.EmulateViewport(1280, 800), page, e2e.MapDrawn()); err != nil {
			return atRest{}, err
		}
		got, err := chromedp.Run(b.Ctx, chromedp.Evaluate[[]float64](`new Promise(done => {
			const c = window.viandanteChart
			let rest = 0, ground = 0, names = 0
			c.settle(1)
			const frame = () => {
				const now = performance.now(), letters = c.letters
				if (!c.moving) rest ||= now
				if (rest && c.whole && !c.sharpening && !c.arriving &&
					c.ground.front?.zoom === c.view.zoom) ground ||= now
				if (rest && !c.lettering && !c.labelsDue && !letters.painting && letters.front?.state &&
					letters.front.zoom === c.view.zoom) names ||= now
				if (c.complete && ground && names) return done([ground - rest, names - rest])
				requestAnimationFrame(frame)
			}
			requestAnimationFrame(frame)
		})`, chromedp.EvalAwaitPromise))
		if err != nil {
			return atRest{}, err
		}
		ground, names = append(ground, got[0]), append(names, got[1])
	}
	slices.Sort(ground)
	slices.Sort(names)
	middle := func(v []float64) float64 { return (v[3] + v[4]) / 2 }
	return atRest{middle(ground), middle(names), ground[7], names[7]}, nil
}

type frames struct{ Median, P95, Busy, Late float64 }

// run has the page make a movement five times for two seconds and returns the run in the middle, by its 95th
// percentile.
func run(b *e2e.Browser, places, step string) (frames, error) {
	if places != "0" {
		if _, err := chromedp.Run(b.Ctx, chromedp.Evaluate[int](`(() => { const c = window.viandanteChart,
			l = c.stacked.find(l => l.stones), few = l.stones
			let seed = 9
			const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647
			l.stones = Array.from({length: `+places+`}, (_, i) => ({...few[i % few.length], id: 'b' + i,
				at: {lat: -38.16 + 0.1 * random(), lng: -26.33 + 0.12 * random()}, selected: false}))
			c.changed(l); return 1 })()`)); err != nil {
			return frames{}, err
		}
	}
	var all []frames
	for range 5 {
		got, err := chromedp.Run(b.Ctx, chromedp.Evaluate[frames](`new Promise(done => {
			const c = window.viandanteChart, gaps = [], busy = []
			let last = 0, n = 0, began = 0, spent = 0
			const draw = c?.draw
			if (c) c.draw = (now) => { const t = performance.now(); draw.call(c, now); spent += performance.now() - t }
			const frame = (now) => {
				if (last) { gaps.push(now - last); busy.push(spent) }
				last = now
				began ||= now
				spent = -performance.now()
				`+step+`
				spent += performance.now()
				n++
				if (now - began < 2000) return requestAnimationFrame(frame)
				if (c) c.draw = draw
				gaps.sort((a, b) => a - b); busy.sort((a, b) => a - b)
				done({Median: gaps[gaps.length >> 1], P95: gaps[Math.floor(gaps.length * 0.95)],
					Busy: busy[busy.length >> 1] ?? 0, Late: gaps.filter(g => g > 20).length / gaps.length})
			}
			requestAnimationFrame(frame)
		})`, chromedp.EvalAwaitPromise))
		if err != nil {
			return frames{}, err
		}
		all = append(all, got)
	}
	slices.SortFunc(all, func(a, b frames) int { return int(1000 * (a.P95 - b.P95)) })
	return all[2], nil
}
