package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/chromedp/chromedp"

	"viandante/core/geo"
	"viandante/core/tile"
	"viandante/e2e"
)

const benchListen = "127.0.0.1:18097"

// demoServer starts the built program's demo under a directory of its own and returns its token and how to stop it.
func demoServer(name string) (token string, stop func(), err error) {
	dir := filepath.Join(benchDir, name)
	cmd := exec.Command("bin/viandante", "demo")
	cmd.Env = append(os.Environ(), "VIANDANTE_DATA="+dir, "VIANDANTE_LISTEN="+benchListen)
	if err := cmd.Start(); err != nil {
		return "", nil, fmt.Errorf("starting the demo (make build first): %w", err)
	}
	stop = func() {
		_ = cmd.Process.Signal(syscall.SIGTERM) // gone already is as good
		_ = cmd.Wait()
	}
	for range 600 {
		if resp, err := http.Get("http://" + benchListen + "/readyz"); err == nil {
			resp.Body.Close()
			if resp.StatusCode == 200 {
				text, err := os.ReadFile(filepath.Join(dir, "demo.token"))
				return strings.TrimSpace(string(text)), stop, err
			}
		}
		time.Sleep(100 * time.Millisecond)
	}
	stop()
	return "", nil, fmt.Errorf("the demo is not ready after a minute")
}

// chart measures what the page and the server do for the map that is on screen, over loopback.
func chart() ([]row, error) {
	token, stop, err := demoServer("demo")
	if err != nil {
		return nil, err
	}
	defer stop()
	get := func(path string) ([]byte, error) {
		req, err := http.NewRequest("GET", "http://"+benchListen+path, nil)
		if err != nil {
			return nil, err
		}
		req.Header.Set("Authorization", "Bearer "+token)
		req.Header.Set("Accept-Encoding", "gzip")
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			return nil, err
		}
		defer resp.Body.Close()
		if resp.StatusCode != 200 {
			return nil, fmt.Errorf("%s: %s", path, resp.Status)
		}
		return io.ReadAll(resp.Body)
	}
	plain, err := http.NewRequest("GET", "http://"+benchListen+"/v1/regions", nil)
	if err != nil {
		return nil, err
	}
	plain.Header.Set("Authorization", "Bearer "+token)
	resp, err := http.DefaultClient.Do(plain)
	if err != nil {
		return nil, err
	}
	var regions struct{ Version string }
	err = json.NewDecoder(resp.Body).Decode(&regions)
	resp.Body.Close()
	if err != nil {
		return nil, err
	}
	town := geo.MustPoint(-38.114, -26.28)
	id := tile.At(town, 14)
	path := fmt.Sprintf("/v1/tiles/%s/%d/%d/%d", regions.Version, id.Z, id.X, id.Y)
	if _, err := get(path); err != nil {
		return nil, err
	}
	cached, alive := measured(
		3000,
		func(int) { _, _ = get(path) },
	), measured(
		3000,
		func(int) { _, _ = get("/healthz") },
	)
	rows := []row{
		{
			"a tile from the server's cache, with its way over loopback, median",
			cached.at(0.5),
			"ms",
			"1 ms",
			"/healthz the same way",
			alive.at(0.5),
		},
		{"… 99th percentile", cached.at(0.99), "ms", "1 ms", "/healthz the same way", alive.at(0.99)},
	}
	more, err := raster()
	return append(rows, more...), err
}

// raster measures the page's worker over the town and the hills, in each style: alone, as what the page does meanwhile
// is measured elsewhere.
func raster() ([]row, error) {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
	defer cancel()
	b, closeBrowser, err := e2e.NewBrowser(ctx, 1280, 800)
	if err != nil {
		return nil, err
	}
	defer closeBrowser()
	// a page of the server's without a map
	if err := chromedp.Do(b.Ctx, chromedp.Navigate("http://"+benchListen+"/openapi.json")); err != nil {
		return nil, err
	}
	if _, err := chromedp.Run(b.Ctx, chromedp.Evaluate[int](`fetch('/session', {method: 'POST', headers: `+
		`{'Content-Type': 'application/json'}, body: '{}'}).then(r => r.status)`,
		chromedp.EvalAwaitPromise)); err != nil {
		return nil, err
	}
	var all times
	var rows []row
	for _, manner := range []string{"plain", "relief", "muted", "contrast"} {
		own, err := chromedp.Run(
			b.Ctx,
			chromedp.Evaluate[[]float64](fmt.Sprintf(drawAll, manner), chromedp.EvalAwaitPromise),
		)
		if err != nil {
			return nil, err
		}
		slices.Sort(own)
		all = append(all, own...)
		rows = append(
			rows,
			row{
				fmt.Sprintf("… %s, 95th percentile of %d", manner, len(own)),
				times(own).at(0.95),
				"ms",
				"40 ms",
				"its median",
				times(own).at(0.5),
			},
		)
	}
	slices.Sort(all)
	picture, err := chromedp.Run(b.Ctx, chromedp.Evaluate[float64](unpackPicture, chromedp.EvalAwaitPromise))
	if err != nil {
		return nil, err
	}
	return append(
		[]row{
			{
				fmt.Sprintf("drawing a tile in its worker, median of %d", len(all)),
				all.at(0.5),
				"ms",
				"12 ms",
				"unpacking a PNG of it",
				picture,
			},
			{"… 95th percentile", all.at(0.95), "ms", "40 ms", "unpacking a PNG of it", picture},
		},
		rows...), nil
}

// drawAll has a worker draw, one after another, the tiles round three places at the zooms and steps between on which
// the page comes to rest, and returns how long each took.
const drawAll = `(async () => {
	const page = await (await fetch('/')).text(), main = /assets\/index-[\w-]+\.js/.exec(page)[0]
	const worker = /worker-[\w-]+\.js/.exec(await (await fetch('/' + main)).text())[0]
	const version = (await (await fetch('/v1/regions')).json()).version
	const w = new Worker('/assets/' + worker, {type: 'module'}), took = []
	const draw = (r) => new Promise((done, fail) => {
		w.onmessage = (e) => { e.data.bitmap?.close(); e.data.error ? fail(new Error(e.data.error)) : done(e.data.ms) }
		w.postMessage(r)
	})
	for (const [lat, lng] of [[-38.114, -26.28], [-38.03, -26.1], [-37.985, -25.98]])
		for (const zoom of [3, 9, 10.5, 12, 13, 14, 15, 16, 17.5, 19])
			for (let k = 0; k < 6; k++) {
				const z = Math.floor(zoom), n = 2 ** z, s = Math.sin(lat * Math.PI / 180)
				const x = Math.floor((lng + 180) / 360 * n) + k %% 3 - 1,
					y = Math.floor((0.5 - Math.log((1 + s) / (1 - s)) / (4 * Math.PI)) * n) + Math.floor(k / 3)
				const step = zoom === z ? z + (k %% 2) * 0.25 : zoom
				took.push(await draw({key: 'k', z, x, y, zoom: step, ratio: 1, manner: '%s', time: 'day',
					url: '/v1/tiles/' + version + '/' + z + '/' + x + '/' + y,
					size: Math.round(512 * 2 ** (step - z))}))
			}
	w.terminate()
	return took
})()`

// unpackPicture is what drawing is compared with: a tile that comes as a finished picture has to be unpacked, too.
const unpackPicture = `(async () => {
	const c = new OffscreenCanvas(512, 512), x = c.getContext('2d'), out = []
	for (let i = 0; i < 2000; i++) { x.fillStyle = 'hsl(' + i * 7 + ' 40% 60%)'; x.fillRect(Math.random() * 512,
		Math.random() * 512, 30 * Math.random(), 14) }
	const blob = await c.convertToBlob({type: 'image/png'})
	for (let i = 0; i < 41; i++) {
		const began = performance.now()
		;(await createImageBitmap(blob)).close()
		out.push(performance.now() - began)
	}
	return out.sort((a, b) => a - b)[20]
})()`
