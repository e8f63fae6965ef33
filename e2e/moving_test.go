package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// drag sends pointer events as a mouse with a modifier or another button would.
func (u *user) drag(fromX, fromY, toX, toY float64, more string) {
	u.t.Helper()
	u.eval(fmt.Sprintf(`(() => { const map = document.querySelector('[data-test=map]')
		const fire = (type, x, y) => map.dispatchEvent(new PointerEvent(type, {pointerId: 1, pointerType: 'mouse',
			clientX: x, clientY: y, bubbles: true, cancelable: true, %s}))
		fire('pointerdown', %v, %v)
		for (let i = 1; i <= 10; i++) fire('pointermove', %v + (%v - %v) * i / 10, %v + (%v - %v) * i / 10)
		fire('pointerup', %v, %v); return 1 })()`, more, fromX, fromY, fromX, toX, fromX, fromY, toY, fromY, toX, toY))
}

func pairs(p [2][2]float64) string {
	return fmt.Sprintf("[[%v, %v], [%v, %v]]", p[0][0], p[0][1], p[1][0], p[1][1])
}

func TestMovingAndReading(t *testing.T) {
	p := newProgram(t)
	p.start()
	var square found
	require.Equal(t, 200, p.get("/v1/geocode?q=varrowby&limit=1", &square))
	lng, lat := square.Features[0].Geometry.Coordinates[0], square.Features[0].Geometry.Coordinates[1]
	view := fmt.Sprintf("/around?v=%v,%v,14", lat, lng)
	u := newUser(t, 1280, 800)
	u.enter(p, view)
	// Captures of made-up pointers are refused by the browser; nothing else of it matters here.
	u.eval(`HTMLElement.prototype.setPointerCapture = () => {}, 1`)

	t.Run("a box is zoomed to", func(t *testing.T) {
		x, y := u.pixel(lat+0.004, lng-0.006)
		ex, ey := u.pixel(lat-0.004, lng+0.006)
		u.drag(x, y, ex, ey, "shiftKey: true")
		u.waitFor(`window.viandanteChart.view.zoom > 14.9`)
		u.do(MapDrawn())
		assert.InDelta(t, lat, u.number(`window.viandanteChart.view.lat`), 0.0002)
		assert.InDelta(t, lng, u.number(`window.viandanteChart.view.lng`), 0.0002)
		nx, ny := u.pixel(lat+0.004, lng-0.006)
		assert.True(t, nx >= 0 && ny >= 40, "all of the box is in view")
		assert.Equal(t, false, u.eval(`!!document.querySelector('[data-test="spot-label"]')`), "a box is no click")
	})

	t.Run("turning, and back to north", func(t *testing.T) {
		u.look(lat, lng, 14)
		u.do(chromedp.Focus(At("map")))
		x, y := u.pixel(lat, lng)
		u.drag(x+200, y, x+140, y+150, "altKey: true")
		u.waitFor(`Math.abs(window.viandanteChart.view.rotation - 313) < 2`)
		u.waitFor(`/,313$|,31[1-5]$/.test(new URLSearchParams(location.search).get('v'))`)
		assert.InDelta(t, lat, u.number(`window.viandanteChart.view.lat`), 1e-6, "about the middle")
		assert.Contains(t, u.eval(`document.querySelector('[data-test=map]').getAttribute('aria-label')`), "is up")
		nx, ny := u.pixel(lat+0.01, lng) // a click lands where it points on a turned map
		u.do(chromedp.MouseClickXY(nx, ny))
		u.waitFor(
			fmt.Sprintf(
				`Math.abs(Number(new URLSearchParams(location.search).get('spot').split(',')[0]) - %v) < 0.0001`,
				lat+0.01,
			),
		)
		u.key("\x1b")
		u.click("north")
		u.waitFor(`window.viandanteChart.view.rotation === 0 && !document.querySelector('[data-test=north]')`)
		u.do(chromedp.Focus(At("map")))
		u.key("]")
		u.waitFor(`window.viandanteChart.view.rotation === 15`)
		u.key("`")
		u.waitFor(`window.viandanteChart.view.rotation === 0`)
		u.drag(x+200, y, x+200, y+14, "button: 2")
		u.waitFor(`window.viandanteChart.view.rotation === 0`) // nearly north is meant as north
	})

	t.Run("fingers, a double click, a throw", func(t *testing.T) {
		// touch sends two fingers from where they are to where they go, seen from the middle of the map.
		touch := func(from, to [2][2]float64) {
			u.eval(
				fmt.Sprintf(
					`(() => { const map = document.querySelector('[data-test=map]'), b = map.getBoundingClientRect(),
						from = %s, to = %s
				const fire = (type, id, f) => map.dispatchEvent(new PointerEvent(type, {pointerId: id,
					pointerType: 'touch',
					clientX: b.left + b.width / 2 + from[id - 11][0] + (to[id - 11][0] - from[id - 11][0]) * f,
		clientY: b.top + b.height / 2 + from[id - 11][1] + (to[id - 11][1] - from[id - 11][1]) * f,
		bubbles: true, cancelable: true, button: 0}))
				for (const id of [11, 12]) fire('pointerdown', id, 0)
				for (let i = 1; i <= 20; i++) for (const id of [11, 12]) fire('pointermove', id, i / 20)
				for (const id of [11, 12]) fire('pointerup', id, 1)
				return 1 })()`,
					pairs(from),
					pairs(to),
				),
			)
		}
		u.look(lat, lng, 14)
		touch([2][2]float64{{-60, 0}, {60, 0}}, [2][2]float64{{-120, 0}, {120, 0}})
		u.waitFor(`window.viandanteChart.view.zoom === 15`)
		u.do(MapDrawn())
		assert.Zero(t, u.number(`window.viandanteChart.view.rotation`), "fingers that close straight do not turn it")
		assert.InDelta(t, lng, u.number(`window.viandanteChart.view.lng`), 0.0005)
		touch([2][2]float64{{-100, 0}, {100, 0}}, [2][2]float64{{-70, -70}, {70, 70}})
		u.waitFor(
			`window.viandanteChart.view.rotation > 300 && window.viandanteChart.view.rotation < 335 || ` +
				`window.viandanteChart.view.rotation > 25 && window.viandanteChart.view.rotation < 60`,
		)
		assert.Equal(t, false, u.eval(`!!document.querySelector('[data-test="spot-label"]')`), "fingers are no click")
		u.key("`")
		u.waitFor(`window.viandanteChart.view.rotation === 0`)

		u.look(lat, lng, 14)
		x, y := u.pixel(lat+0.01, lng+0.01)
		u.do(chromedp.MouseClickXY(x, y), chromedp.MouseClickXY(x, y))
		u.waitFor(`window.viandanteChart.view.zoom === 15`)
		u.do(MapDrawn())
		nx, ny := u.pixel(lat+0.01, lng+0.01)
		assert.InDelta(t, x, nx, 1, "towards the pointer")
		assert.InDelta(t, y, ny, 1)
		u.key("\x1b")

		u.look(lat, lng, 15)
		// The events say when they were made, so that it makes no difference how busy the machine is.
		const throwIt = `(() => { const map = document.querySelector('[data-test=map]'), fire = (type, x) => {
				const e = new PointerEvent(type, {pointerId: 1, pointerType: 'mouse', clientX: x, clientY: 400,
					bubbles: true, cancelable: true})
				Object.defineProperty(e, 'timeStamp', {value: 1000 + (600 - x) / 20 * 12})
				map.dispatchEvent(e)
			}
			fire('pointerdown', 600)
			for (let x = 580; x >= 440; x -= 20) fire('pointermove', x)
			window.thrownFrom = window.viandanteChart.view.lng
			fire('pointerup', 440)
			return 1 })()`
		u.eval(throwIt)
		u.waitFor(`(window.viandanteChart.view.lng - window.thrownFrom) / 360 * 512 * 2 ** 15 > 40`) // it glides on
		u.waitFor(`!window.viandanteChart.moving`)
		far := u.number(
			`(() => { const c = window.viandanteChart; c.setView({zoom: 4}); for (let i = 0; i < 9; i++) c.pan(0, ` +
				`5000); return c.view.lat })()`,
		)
		assert.Equal(t, 84.0, far, "nobody gets lost beyond the pole")
	})

	t.Run("a tile that fails keeps nothing else waiting", func(t *testing.T) {
		u.look(lat, lng, 15)
		u.eval(`(() => { window.viandanteChart.loseTile() })(), 1`)
		u.do(MapDrawn())
		assert.Equal(t, true, u.eval(`window.viandanteChart.bare === 0`))
	})

	t.Run("a turned view is in its link", func(t *testing.T) {
		u.do(chromedp.Navigate(p.url()+view+",33"), MapDrawn())
		assert.Equal(t, 33.0, u.number(`window.viandanteChart.view.rotation`))
		assert.Equal(t, 14.0, u.number(`window.viandanteChart.view.zoom`))
		u.do(chromedp.Navigate(p.url()+view), MapDrawn())
		assert.Zero(t, u.number(`window.viandanteChart.view.rotation`))
	})

	t.Run("what is kept while dragging lies where it is drawn at rest", func(t *testing.T) {
		// The middle of all that lies over the ground, in pixels, and how much of it there is.
		const ink = `(() => { const o = window.viandanteChart.picture(), d = o.getContext('2d').getImageData(0, 0,
			o.width, o.height).data; let n = 0, x = 0, y = 0
			for (let i = 3, p = 0; i < d.length; i += 4, p++) { n += d[i]; x += d[i] * (p % o.width);
				y += d[i] * Math.floor(p / o.width) } return [x / n, y / n, n / 1e6] })()`
		for _, zoom := range []float64{11, 14, 17} {
			u.look(lat, lng, zoom)
			u.eval(
				`new Promise(done => { let n = 0; const step = () => { if (n++ === 9) return done(1); ` +
					`window.viandanteChart.pan(-9, 4); requestAnimationFrame(step) }; step() })`,
			)
			u.waitFor(
				`Math.abs(window.viandanteChart.camera.toScreen({lat: ` + fmt.Sprint(
					lat,
				) + `, lng: ` + fmt.Sprint(
					lng,
				) + `}).x - window.viandanteChart.camera.width / 2 + 81) < 1`,
			)
			u.do(MapDrawn())
			kept := u.eval(ink).([]any)
			u.eval(`(() => { window.viandanteChart.repaint() })(), 1`)
			u.do(MapDrawn())
			drawn := u.eval(ink).([]any)
			assert.InDelta(t, drawn[0], kept[0], 1, "zoom %v", zoom)
			assert.InDelta(t, drawn[1], kept[1], 1, "zoom %v", zoom)
			assert.InEpsilon(t, drawn[2], kept[2], 0.03, "zoom %v", zoom)
		}
	})

	t.Run("zoom is typed", func(t *testing.T) {
		u.fill("zoom", "16,25\r")
		u.waitFor(`window.viandanteChart.view.zoom === 16.25`)
		u.fill("zoom", "far\r")
		u.waitFor(`document.querySelector('[data-test=zoom]').value === '16.25'`)
		u.fill("zoom", "99\r")
		u.waitFor(`window.viandanteChart.view.zoom === 19.75`)
		u.do(chromedp.Blur(At("zoom")))
	})

	t.Run("the ruler in feet and miles", func(t *testing.T) {
		u.look(lat, lng, 12)
		u.sees("ruler-length", "km")
		u.key(";")
		u.sees("ruler-length", "mi")
		bar := u.number(`document.querySelector('[data-test=ruler] rect').width.baseVal.value`)
		miles := u.number(`parseFloat(document.querySelector('[data-test=ruler-length]').innerText)`)
		assert.InEpsilon(t, miles*1609.344, bar*u.number(`window.viandanteChart.camera.metresPerPixel`), 0.01)
		u.look(lat, lng, 17)
		u.sees("ruler-length", "ft")
		u.key(";")
		u.waitFor(`/\d m$/.test(document.querySelector('[data-test=ruler-length]').innerText)`)
	})

	t.Run("the position under the pointer, as one likes it", func(t *testing.T) {
		u.look(-38.1, -26.25, 15)
		x, y := u.pixel(-38.1, -26.25)
		u.do(chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, x, y))
		for _, want := range []string{"-38.10000, -26.25000", "38°06′00.0″S 26°15′00.0″W", "geo:-38.10000,-26.25000",
			"[-26.25000, -38.10000]"} {
			u.sees("pointer", want)
			u.key("\"")
		}
		u.key("'")
		u.sees("notice", "-38.1")
		assert.Contains(t, u.eval(`document.querySelector('[data-test=map]').getAttribute('aria-label')`), "middle at")
	})
	assert.Empty(t, unasked(u.Complaints()))
}
