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

// demoServer starts the built program's demo and returns its token and how to stop it.
func demoServer() (token string, stop func(), err error) {
	dir := filepath.Join(benchDir, "demo")
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
	token, stop, err := demoServer()
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
	rows := []row{{"a tile from the server's cache, with its way over loopback, 99th percentile", measured(2000, func(int) { _, _ = get(path) }).at(0.99), "ms", "1 ms",
		"/healthz the same way", measured(2000, func(int) { _, _ = get("/healthz") }).at(0.99)}}
	more, err := raster()
	return append(rows, more...), err
}

// raster measures the page's workers over the town and the hills, in each style.
func raster() ([]row, error) {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
	defer cancel()
	b, closeBrowser, err := e2e.NewBrowser(ctx, 1280, 800)
	if err != nil {
		return nil, err
	}
	defer closeBrowser()
	if err := chromedp.Do(b.Ctx, chromedp.Navigate("http://"+benchListen)); err != nil {
		return nil, err
	}
	if _, err := chromedp.Run(b.Ctx, chromedp.Evaluate[int](`fetch('/session', {method: 'POST', headers: {'Content-Type': 'application/json'}, body: '{}'}).then(r => r.status)`, chromedp.EvalAwaitPromise)); err != nil {
		return nil, err
	}
	var all times
	var rows []row
	for _, manner := range []string{"plain", "relief", "muted", "contrast"} {
		var own times
		for _, place := range []string{"-38.114,-26.28", "-38.03,-26.1", "-37.985,-25.98"} {
			for _, zoom := range []float64{3, 9, 10.5, 12, 13, 14, 15, 16, 17.5, 19} {
				url := fmt.Sprintf("http://%s/around?v=%s,%v&ground=%s", benchListen, place, zoom, manner)
				if err := chromedp.Do(b.Ctx, chromedp.Navigate(url), e2e.MapDrawn()); err != nil {
					return nil, err
				}
				took, err := chromedp.Run(b.Ctx, chromedp.Evaluate[[]float64](`[...window.viandanteChart.rasterTimes]`))
				if err != nil {
					return nil, err
				}
				own = append(own, took...)
			}
		}
		slices.Sort(own)
		all = append(all, own...)
		rows = append(rows, row{fmt.Sprintf("… %s, 95th percentile of %d", manner, len(own)), own.at(0.95), "ms", "40 ms", "its median", own.at(0.5)})
	}
	slices.Sort(all)
	// What it is compared with: a tile that comes as a finished picture has to be unpacked, too.
	const unpack = `(async () => {
		const c = new OffscreenCanvas(512, 512), x = c.getContext('2d'), map = document.querySelector('[data-test=map] canvas'), out = []
		for (let i = 0; i < 40; i++) {
			x.drawImage(map, (i % 5) * 40, (i % 7) * 20, 512, 512, 0, 0, 512, 512)
			const blob = await c.convertToBlob({type: 'image/png'}), began = performance.now()
			;(await createImageBitmap(blob)).close()
			out.push(performance.now() - began)
		}
		return out.sort((a, b) => a - b)[20]
	})()`
	picture, err := chromedp.Run(b.Ctx, chromedp.Evaluate[float64](unpack, chromedp.EvalAwaitPromise))
	if err != nil {
		return nil, err
	}
	return append([]row{{fmt.Sprintf("drawing a tile in its worker, median of %d", len(all)), all.at(0.5), "ms", "12 ms", "unpacking a PNG of it", picture},
		{"… 95th percentile", all.at(0.95), "ms", "40 ms", "unpacking a PNG of it", picture}}, rows...), nil
}
