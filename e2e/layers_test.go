package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/standin"
	"viandante/store"
)

// shown returns the colour of the ground and what is laid over it where a position lies, as rrggbb.
func (u *user) shown(lat, lng float64) string {
	u.t.Helper()
	return u.eval(fmt.Sprintf(`(() => { const c = window.viandanteChart, s = c.camera.toScreen({lat: %v, lng: %v}),
		k = devicePixelRatio
		return [...c.picture(true).getContext('2d').getImageData(Math.round(s.x * k), Math.round(s.y * k), 1,
			1).data].slice(0, 3).map(v => v.toString(16).padStart(2, '0')).join('') })()`, lat, lng)).(string)
}

// settled waits until the map is drawn and imagery has come.
func (u *user) settled() {
	u.t.Helper()
	u.waitFor(`window.viandanteChart.complete && !window.viandanteChart.stacked.some(l => l.waiting)`)
	u.do(MapDrawn())
}

// choose gives a file to a file field.
func (u *user) choose(name, file string) {
	u.t.Helper()
	u.do(chromedp.SetUploadFiles(At(name), []string{file}))
}

func TestViewsAndLayers(t *testing.T) {
	p := newProgram(t)
	p.start()
	var square found
	require.Equal(t, 200, p.get("/v1/geocode?q=varrowby&limit=1", &square))
	lng, lat := square.Features[0].Geometry.Coordinates[0], square.Features[0].Geometry.Coordinates[1]
	at := func(zoom float64, more string) string {
		return fmt.Sprintf("/around?v=%v,%v,%v%s", lat, lng, zoom, more)
	}

	t.Run("saved views", func(t *testing.T) {
		u := newUser(t, 1280, 800)
		u.enter(p, "/around")
		u.waitFor(
			`new URLSearchParams(location.search).get('ground') === 'relief' && ` +
				`window.viandanteChart.view.zoom === 10.25`,
		) // the opening view, without a link
		u.do(chromedp.Navigate(p.url()+at(15, ",40&letters=large&hide=shelter&names=never")), MapDrawn())
		u.key("v")
		u.click("view-keep")
		u.fill("view-name", "Corner <b>house</b>\r")
		u.sees("notice", "Saved the view “Corner <b>house</b>”")
		u.do(chromedp.WaitVisible(At("opening-Corner <b>house</b>"))) // it is in the list, and its key works
		u.key("2")
		u.waitFor(`window.viandanteChart.view.zoom === 13.5 && window.viandanteChart.view.rotation === 0`)
		u.waitFor(`!/letters|hide|names/.test(location.search)`)
		u.key("5") // the first key that was free
		u.waitFor(`window.viandanteChart.view.zoom === 15 && window.viandanteChart.view.rotation === 40`)
		u.waitFor(
			`/letters=large/.test(location.search) && /hide=shelter/.test(location.search) && ` +
				`/names=never/.test(location.search)`,
		)
		u.click("opening-Corner <b>house</b>")
		u.sees("view-Corner <b>house</b>", "opens with it")
		other := newUser(t, 1280, 800) // whoever looks and wherever from
		other.enter(p, "/around")
		other.waitFor(`window.viandanteChart.view.rotation === 40`)
		u.look(lat, lng, 16)
		u.waitFor(`document.querySelector('[data-test=notice]') === null`)
		u.click("update-Corner <b>house</b>")
		u.sees("notice", "Changed the view")
		u.key("1")
		u.waitFor(`window.viandanteChart.view.zoom === 10.25`)
		u.key("5")
		u.waitFor(`window.viandanteChart.view.zoom === 16`)
		u.click("delete-Corner <b>house</b>")
		u.waitFor(`!document.querySelector('[data-test=views]').innerText.includes('Corner')`)
		u.key("u")
		u.sees("views", "Corner <b>house</b>")
		u.sees("notice", "Undone")
		other.key("v")
		other.sees("views", "Corner <b>house</b>") // by the stream of changes
		u.key("U")
		u.waitFor(`!document.querySelector('[data-test=views]').innerText.includes('Corner')`)
		other.waitFor(`!document.querySelector('[data-test=views]').innerText.includes('Corner')`)
		assert.Empty(t, unasked(append(u.Complaints(), other.Complaints()...)))
	})

	t.Run("a picture laid over the ground", func(t *testing.T) {
		dir := t.TempDir()
		red := filepath.Join(dir, "plan of the yard.png")
		var b bytes.Buffer
		m := image.NewPaletted(image.Rect(0, 0, 400, 300), color.Palette{color.RGBA{200, 20, 20, 255}})
		require.NoError(t, png.Encode(&b, m))
		require.NoError(t, os.WriteFile(red, b.Bytes(), 0o600))
		u := newUser(t, 1280, 800)
		u.enter(p, at(17, "&layers=1&names=never&hide=ward"))
		for name, says := range map[string]string{"notes.png": "is no picture",
			"script.svg": "is an SVG that holds <script>"} {
			file := filepath.Join(dir, name)
			require.NoError(
				t,
				os.WriteFile(
					file,
					[]byte(
						map[string]string{"notes.png": "just text", "script.svg": `<svg viewBox="0 0 9 ` +
							`9"><script>alert(1)</script></svg>`}[name],
					),
					0o600,
				),
			)
			u.choose("picture-file", file)
			u.sees("notice", says)
		}
		_ = u.Complaints() // the refusals
		clear := u.shown(lat, lng)
		u.choose("picture-file", red)
		u.waitFor(`document.querySelector('[data-test=placing-name]')?.value === 'plan of the yard'`)
		u.do(MapDrawn())
		assert.NotEqual(t, clear, u.shown(lat, lng), "it lies in the middle of the view")
		u.eval(
			`document.querySelector('[data-test=placing-opacity]').value = 1, ` +
				`document.querySelector('[data-test=placing-opacity]').dispatchEvent(new Event('input')), 1`,
		)
		u.do(MapDrawn())
		assert.Equal(t, "c81414", u.shown(lat+0.0003, lng))
		control := func(i int) (float64, float64) {
			h := fmt.Sprintf(
				`(() => { const c = window.viandanteChart, b = c.container.getBoundingClientRect(), p = `+
					`c.camera.toScreen(c.stacked.find(l => l.shapes?.some(s => s.id === 'control `+
					`0')).shapes[%d].figure.at); return [p.x + b.left, p.y + b.top] })()`,
				i,
			)
			xy := u.eval(h).([]any)
			return xy[0].(float64), xy[1].(float64)
		}
		x, y := control(0)
		bx, by := control(1)
		u.do(chromedp.DragAndDropXY(x, y, x+40, y-120, 8))
		u.do(MapDrawn())
		nx, ny := control(0)
		assert.InDelta(t, x+40, nx, 1.5)
		assert.InDelta(t, y-120, ny, 1.5)
		cx, cy := control(1)
		assert.InDelta(t, bx, cx, 0.5, "the other point stays")
		assert.InDelta(t, by, cy, 0.5)
		u.click("point-2")
		u.do(chromedp.MouseClickXY(nx, ny)) // dragging the first is what a click on it is for: nothing moves
		u.do(chromedp.MouseClickXY(bx-30, by+60))
		u.do(MapDrawn())
		mx, my := control(1)
		assert.InDelta(t, bx-30, mx, 1.5, "a click on the map moves the chosen point")
		assert.InDelta(t, by+60, my, 1.5)
		u.click("placing-third")
		u.sees("placing-points", "3")
		tx, ty := control(2)
		sx, sy := (nx+mx)/2, (ny+my)/2
		u.do(chromedp.DragAndDropXY(tx, ty, sx, sy, 12))
		u.sees("placing-wrong", "lie in a line")
		u.waitFor(`document.querySelector('[data-test=placing-save]').disabled`)
		u.do(chromedp.DragAndDropXY(sx, sy, tx, ty, 12))
		u.waitFor(`!document.querySelector('[data-test=placing-wrong]')`)
		u.click("placing-save")
		u.sees("notice", "Saved the picture “plan of the yard”")
		u.waitFor(`!document.querySelector('[data-test=placing]') && /over=/.test(location.search)`)
		var got struct {
			Overlays []struct {
				Name    string
				Control []struct{ Pixel, At [2]float64 }
			}
		}
		require.Equal(t, 200, p.get("/v1/overlays", &got))
		require.Len(t, got.Overlays, 2)
		u.do(chromedp.Reload(), MapDrawn()) // kept with the workspace, and in the link
		u.waitFor(`document.querySelector('[data-test="overlay-plan of the yard"]')?.checked`)
		u.do(MapDrawn())
		u.click("overlay-plan of the yard")
		u.waitFor(`!/over=/.test(location.search)`)
		u.do(MapDrawn())
		assert.Equal(t, clear, u.shown(lat, lng), "switched off")
		u.click("place-plan of the yard")
		u.click("placing-delete")
		u.waitFor(`!document.querySelector('[data-test="place-plan of the yard"]')`)
		u.key("u")
		u.do(chromedp.WaitVisible(At("place-plan of the yard")))
		assert.Empty(t, unasked(u.Complaints()))
	})

	t.Run("imagery of one's own", func(t *testing.T) {
		out := httptest.NewServer(standin.Imagery())
		defer out.Close()
		u := newUser(t, 1280, 800)
		u.enter(p, at(14, "&layers=1&names=never"))
		plain := u.shown(lat+0.004, lng)
		u.fill("imagery-address", "not an address\r")
		u.sees("notice", "does not begin with http")
		u.fill("imagery-address", out.URL+"/missing.xml\r")
		u.sees("notice", "there is nothing at this address")
		u.fill("imagery-address", p.url()+"/stand-in/imagery/wmts/capabilities.xml\r")
		u.do(chromedp.WaitVisible(At("imagery-Soil moisture, made up")))
		u.waitFor(`/imagery=/.test(location.search)`)
		u.settled()
		soil := u.shown(lat+0.004, lng)
		assert.NotEqual(t, plain, soil, "imagery lies over the ground")
		u.click("imagery-Soil moisture, made up")
		u.settled()
		assert.Equal(t, plain, u.shown(lat+0.004, lng))

		// A source that hangs, another that refuses: told, and the rest goes on working.
		for kind, says := range map[string]string{"hang": "does not answer in time", "refuse": "it answers 403"} {
			out := httptest.NewServer(standin.Imagery()) // a source that fails rests, by its host
			defer out.Close()
			defer out.CloseClientConnections()
			u.fill("imagery-address", out.URL+"/"+kind+"/{z}/{x}/{y}.png\r")
			began := time.Now()
			u.look(lat, lng+0.02, 15)
			u.clickMap(lat, lng+0.02)
			u.waitFor(`/from|near|Varrowby/.test(document.querySelector('[data-test=spot-label]')?.innerText ?? '')`)
			assert.Less(t, time.Since(began), 4*time.Second, "the map and its answers do not wait")
			u.key("\x1b")
			u.sees("imagery-failing", says)
			u.click("delete-imagery-127.0.0.1" + out.URL[len("http://127.0.0.1"):])
			u.waitFor(`!document.querySelector('[data-test=imagery-failing]')`)
		}
	})

	t.Run("names, categories and buildings", func(t *testing.T) {
		u := newUser(t, 1280, 800)
		u.enter(p, at(13.5, "&layers=1"))
		stones := `window.viandanteChart.stacked.find(l => l.stones)`
		total := u.number(stones + `.stones.length`)
		u.click("only-lookout")
		u.waitFor(stones + `.stones.length < ` + fmt.Sprint(total))
		lookouts := u.number(stones + `.stones.length`)
		u.click("show-fountain")
		u.waitFor(stones + `.stones.length > ` + fmt.Sprint(lookouts))
		u.waitFor(`new URLSearchParams(location.search).get('hide').split(',').length === 7`)
		u.click("all-categories")
		u.waitFor(stones + `.stones.length === ` + fmt.Sprint(total))
		noted := stones + `.noted(window.viandanteChart.camera).length`
		assert.Zero(t, u.number(noted))
		u.key("d")
		u.waitFor(noted + ` > 3`)
		u.key("d")
		u.waitFor(noted + ` === 0`)
		u.key("d")
		u.waitFor(stones + `.names === 'pointed'`)
		u.do(MapDrawn())
		stone := u.eval(`(() => { const c = window.viandanteChart, b = ` +
			`c.container.getBoundingClientRect(), s = ` + stones + `.onScreen(c.camera).find(o => o.pile.count === 1 ` +
			`&& o.p.x > 100 && o.p.y > 100 && o.p.x < 700 && o.p.y < 600); return [s.p.x + b.left, s.p.y + b.top ` +
			`- 10, s.pile.stones[0].name] })()`).([]any)
		u.do(chromedp.MouseEvent("mouseMoved", stone[0].(float64), stone[1].(float64)))
		u.waitFor(noted + ` === 1`)
		assert.Equal(t, stone[2], u.eval(stones+`.noted(window.viandanteChart.camera)[0].text`))

		// A place in a building may be shown by its outline.
		id := uuid.Must(uuid.NewV7()).String()
		var house found
		require.Equal(t, 200, p.get(fmt.Sprintf("/v1/geocode/reverse?at=%v,%v&limit=1", lat+0.001, lng), &house))
		where := house.Features[0].Geometry.Coordinates
		body, _ := json.Marshal(
			map[string]any{
				"type":       "Feature",
				"geometry":   map[string]any{"type": "Point", "coordinates": where},
				"properties": map[string]any{"name": "Guild hall"},
			},
		)
		require.Equal(t, http.StatusCreated, p.send("PUT", "/ogc/collections/posts/items/"+id, string(body), nil, nil))
		u.do(chromedp.Navigate(p.url()+fmt.Sprintf("/around?v=%v,%v,17&place=%s", where[1], where[0], id)), MapDrawn())
		u.unfold()
		u.click("as-building")
		u.sees("as-building", "Show as a stone")
		u.waitFor(
			`window.viandanteChart.stacked.some(l => l.shapes?.some(s => s.id === '` + id +
				`' && s.figure.rings[0].length > 3))`,
		)
		u.key("\x1b") // folds the slip
		u.key("\x1b")
		u.waitFor(`!document.querySelector('[data-test=place-page]')`)
		u.clickMap(where[1], where[0])
		u.sees("place-page", "Guild hall") // its building answers the click
		u.look(where[1], where[0], 14)
		u.waitFor(
			`!window.viandanteChart.stacked.some(l => l.shapes?.some(s => s.id === '` + id + `'))`,
		) // too small: a stone again
		assert.Empty(t, unasked(u.Complaints()))
	})

	t.Run("figures of every kind", func(t *testing.T) {
		u := newUser(t, 1280, 800)
		u.enter(p, at(15, "&names=never"))
		// Each kind is drawn where it is, answers a click on it, and a finger that is a little off.
		got := u.eval(fmt.Sprintf(`(() => {
			const c = window.viandanteChart, layer = c.stacked.find(l => l.order === 70), at = {lat: %v, lng: %v},
				off = (y, x) => ({lat: at.lat + y, lng: at.lng + x})
			const kinds = {
				point: {figure: {kind: 'point', at: off(0.002, 0)}, spot: off(0.002, 0)},
				line: {figure: {kind: 'line', points: [off(-0.002, -0.004), off(-0.002, 0.004)]}, spot: off(-0.002,
					0.003)},
				polygon: {figure: {kind: 'polygon', rings: [[off(0.001, 0.002), off(0.001, 0.004), off(-0.001,
					0.003)]]}, spot: off(0.001, 0.003), fill: 0.5},
				circle: {figure: {kind: 'circle', at: off(0, -0.004), radiusM: 100}, spot: off(100 / 110990, -0.004)},
				text: {figure: {kind: 'text', at: off(0.003, 0.003), text: 'wwww', size: 20}, spot: off(0.003, 0.003)},
			}
			const out = {}
			for (const [kind, k] of Object.entries(kinds)) {
				const p = c.camera.toScreen(k.spot), pixels = () => [...c.over.getContext('2d').getImageData(p.x - 6,
					p.y - 6, 12, 12).data].reduce((n, v) => n + v, 0)
				layer.shapes = []; c.drawNow(); const before = pixels()
				layer.shapes = [{id: kind, ink: 'madder', hit: true, ...k}]; c.drawNow()
				const near = (y, touch) => c.hitAt({x: p.x, y: p.y - y}, touch)?.id === kind
				out[kind] = [pixels() !== before, near(0, false),
					near(kind === 'text' ? 36 : kind === 'point' ? 22 : 15, true), near(60, true)]
			}
			layer.shapes = []; c.drawNow()
			return out })()`, lat, lng)).(map[string]any)
		for _, kind := range []string{"point", "line", "polygon", "circle", "text"} {
			assert.Equal(
				t,
				[]any{true, true, true, false},
				got[kind],
				"%s: drawn, hit by a mouse, by a finger beside it, not by one far off",
				kind,
			)
		}
	})

	t.Run("fit, span and the turned phone", func(t *testing.T) {
		u := newUser(t, 1280, 800)
		u.enter(p, at(14, ""))
		u.fill("zoom", "5 km\r")
		u.waitFor(`!window.viandanteChart.moving`)
		u.do(MapDrawn())
		across := u.number(`window.viandanteChart.camera.metresPerPixel * window.viandanteChart.camera.width`)
		assert.True(t, across >= 5000 && across < 6000, "%v m across", across)
		u.do(chromedp.Blur(At("zoom")))
		u.do(
			chromedp.Navigate(
				p.url()+fmt.Sprintf("/journey?v=%v,%v,16&from=%v,%v&to=%v,%v", lat, lng, lat, lng, lat+0.02, lng+0.01),
			),
			chromedp.WaitVisible(At("total")),
			MapDrawn(),
		)
		u.look(lat, lng, 17)
		u.key("f")
		u.waitFor(`window.viandanteChart.view.zoom < 15.5 && !window.viandanteChart.moving`)
		for _, end := range [][2]float64{{lat, lng}, {lat + 0.02, lng + 0.01}} {
			x, y := u.pixel(end[0], end[1])
			assert.True(t, x > 20 && y > 60 && x < 820 && y < 720, "the whole way is in view: %v, %v", x, y)
		}
		phone := newUser(t, 390, 844)
		phone.do(phone.Size(390, 844, true))
		phone.enter(p, at(15, ""))
		phone.do(phone.Size(844, 390, true), MapDrawn())
		assert.InDelta(t, lat, phone.number(`window.viandanteChart.view.lat`), 1e-5, "the middle stays")
		assert.Equal(t, 15.0, phone.number(`window.viandanteChart.view.zoom`))
		assert.Equal(
			t,
			true,
			phone.eval(
				`(() => { const c = window.viandanteChart; return c.camera.width === c.container.clientWidth && `+
					`c.over.width === Math.round(c.camera.width * devicePixelRatio) })()`,
			),
		)
	})

	t.Run("reduced motion cuts", func(t *testing.T) {
		u := newUser(t, 1280, 800)
		u.do(u.Prefer("prefers-reduced-motion", "reduce"))
		u.enter(p, at(14, ""))
		frames, err := chromedp.Run(
			u.Ctx,
			chromedp.Evaluate[float64](
				`(() => { const c = window.viandanteChart; let n = 0; c.on('move', () => n++); c.flyTo({lat: `+
					`c.view.lat + 0.05, lng: c.view.lng, zoom: 12}); return new Promise(done => setTimeout(() => `+
					`done(n), 600)) })()`,
				chromedp.EvalAwaitPromise,
			),
		)
		require.NoError(t, err)
		assert.Equal(t, 1.0, frames, "one cut instead of a flight")
		assert.Equal(t, 12.0, u.number(`window.viandanteChart.view.zoom`))
	})
}

// privateDSN is how the program's private database is reached while it runs.
func (p *program) privateDSN() string {
	p.t.Helper()
	read := func(name string) string {
		text, err := os.ReadFile(filepath.Join(p.data, "db", name))
		require.NoError(p.t, err)
		return strings.TrimSpace(string(text))
	}
	return fmt.Sprintf("viandante:%s@tcp(127.0.0.1:%s)/viandante", read("db.password"), read("db.port"))
}

// write changes the demo's workspace in its database.
func (p *program) write(f func(*store.Change) error) {
	p.t.Helper()
	db, err := store.Open(context.Background(), p.privateDSN(), time.Now)
	require.NoError(p.t, err)
	defer db.Close()
	workspaces, err := db.Workspaces(context.Background())
	require.NoError(p.t, err)
	_, err = db.Change(context.Background(), workspaces[0], store.Actor{Name: "another process"}, f)
	require.NoError(p.t, err)
}

// More places than the page holds: the server sends cairns, which split as one zooms in; a place is selected, found
// again by its link, and stays while the map moves on.
func TestACrowd(t *testing.T) {
	p := newProgram(t)
	p.start()
	const count = 20_400
	p.write(func(c *store.Change) error { // as another process beside the server would
		for i := range count {
			f := &feature.Feature{
				ID:         uuid.Must(uuid.NewV7()),
				Collection: "posts",
				Name:       fmt.Sprint("Post ", i),
				Category:   "lookout",
				Geometry:   feature.At(geo.MustPoint(-38.1+0.0005*float64(i/204), -26.2+0.0005*float64(i%204))),
			}
			if err := c.WriteAll([]store.Replacement{{After: f}}); err != nil {
				return err
			}
		}
		return nil
	})
	u := newUser(t, 1280, 800)
	u.enter(p, "/around?v=-38.075,-26.15,11")
	const stones = `window.viandanteChart.stacked.find(l => l.stones)`
	sum := stones + `.stones.reduce((n, s) => n + (s.count ?? 1), 0)`
	// The page may have opened before the server knew of them all: it goes over to cairns when they come in.
	u.waitFor(sum + ` >= 20400 && ` + stones + `.stones.length < 2000`)
	u.do(MapDrawn())
	assert.Contains(t, u.eval(`document.querySelector('[data-test=map]').getAttribute('aria-label')`), "places in view")
	largest := u.eval(`(() => { const c = window.viandanteChart, b = c.container.getBoundingClientRect(), o = ` +
		stones + `.onScreen(c.camera).sort((a, b) => b.pile.count - a.pile.count)[0]; return [o.p.x + b.left, o.p.y ` +
		`+ b.top - 10, o.pile.count] })()`).([]any)
	u.do(chromedp.MouseClickXY(largest[0].(float64), largest[1].(float64)))
	u.waitFor(`window.viandanteChart.view.zoom >= 12 && !window.viandanteChart.moving`)
	u.look(-38.0755, -26.1495, 17)
	u.waitFor(stones + `.stones.length > 20 && ` + stones + `.stones.every(s => (s.count ?? 1) === 1)`)
	u.do(MapDrawn())
	one := u.eval(`(() => { const c = window.viandanteChart, b = c.container.getBoundingClientRect(), o = ` + stones +
		`.onScreen(c.camera).find(o => o.p.x > 200 && o.p.y > 200 && o.p.x < 600 && o.p.y < 500); return [o.p.x + ` +
		`b.left, o.p.y + b.top - 10, o.pile.stones[0].name] })()`).([]any)
	u.do(chromedp.MouseClickXY(one[0].(float64), one[1].(float64)))
	u.sees("place-page", one[2].(string))
	u.look(-38.0755, -26.1495, 12)
	u.waitFor(stones + `.inHand.length === 1`) // the selected one stands for itself among the cairns
	u.do(chromedp.Reload(), MapDrawn())
	u.sees("place-page", one[2].(string))
	u.unfold()
	u.click("delete")
	u.waitFor(sum + ` < 20500 && ` + stones + `.inHand.length === 0`)
	assert.Empty(t, unasked(u.Complaints()))
}
