package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// enter opens a view of the demo as somebody who is signed in.
func (u *user) enter(p *program, path string) {
	u.t.Helper()
	u.do(chromedp.Navigate(p.url() + "/healthz")) // the page's origin, without the page
	const in = `fetch('/session', {method: 'POST', headers: {'Content-Type': 'application/json'}, body: ` +
		`'{}'}).then(r => r.status)`
	status, err := chromedp.Run(u.Ctx, chromedp.Evaluate[int](in, chromedp.EvalAwaitPromise))
	require.NoError(u.t, err)
	require.Equal(u.t, 200, status)
	u.do(chromedp.Navigate(p.url()+path), MapDrawn())
}

// How the page behaves under hand, key and screen; one program serves all of it.
func TestManners(t *testing.T) {
	p := newProgram(t)
	p.start()
	var square found
	require.Equal(t, 200, p.get("/v1/geocode?q=varrowby&limit=1", &square))
	lng, lat := square.Features[0].Geometry.Coordinates[0], square.Features[0].Geometry.Coordinates[1]
	view := fmt.Sprintf("/around?v=%v,%v,15", lat, lng)
	u := newUser(t, 1280, 800)

	t.Run("pixels and positions are exact", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, view)
		worst := u.number(`(() => {
			const c = window.viandanteChart
			let worst = 0
			for (const zoom of [1, 4.25, 9, 13.5, 17, 19.75]) for (const rotation of [0, 33, 180,
				271]) for (const at of [[-38, -26], [0, 179.9999], [70, -180], [-84, 12]]) {
				c.setView({lat: at[0], lng: at[1], zoom, rotation})
				for (const p of [{x: 1, y: 1}, {x: 400, y: 300}, {x: 830, y: 680}]) {
					const world = c.camera.screenToWorld(p)
					if (world.y < 0.01 || world.y > 0.99) continue
					if (Math.abs(world.x - c.camera.centre.x) >= 0.5) continue
					const q = c.camera.toScreen(c.camera.fromScreen(p))
					worst = Math.max(worst, Math.hypot(p.x - q.x, p.y - q.y))
				}
			}
			c.setView({rotation: 0})
			return worst
		})()`)
		assert.Less(t, worst, 0.1)
		assert.Empty(t, u.Complaints())
	})

	t.Run("what is in the URL is on the desk", func(t *testing.T) {
		u := u.in(t)
		u.enter(
			p,
			fmt.Sprintf(
				"/journey?v=%v,%v,14&from=%v,%v&fromName=home&to=%v,%v&by=bicycle",
				lat,
				lng,
				lat,
				lng,
				lat+0.005,
				lng,
			),
		)
		u.do(chromedp.WaitVisible(At("total")))
		u.waitFor(`document.querySelector('[data-test="by-bicycle"]').getAttribute('aria-checked') === 'true'`)
		u.key("t")
		u.waitFor(`new URLSearchParams(location.search).get('by') === 'car'`)
		u.key("a")
		u.waitFor(`location.pathname === '/around'`)
		u.sees("standpoint", "home")
		u.do(chromedp.NavigateBack())
		u.waitFor(`location.pathname === '/journey' && !!document.querySelector('[data-test=steps]')`)
	})

	t.Run("nonsense in the URL is left out", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, `/around?v=999,1e9,-3&from=NaN,2&ring=9-3&spot=%3Cscript%3E&place=nobody&by=donkey`)
		u.sees("no-standpoint", "No standpoint yet")
		assert.Empty(t, u.Complaints())
	})

	t.Run("keys", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, view)
		u.key("?")
		u.sees("keys", "undo")
		u.key("\x1b")
		u.waitFor(`!document.querySelector('[data-test=keys]')`)
		u.key("n")
		u.waitFor(`document.documentElement.style.colorScheme === 'dark'`)
		u.key("n")
		u.waitFor(`document.documentElement.style.colorScheme === 'light'`)
		u.key("m")
		u.key("\r")
		u.do(chromedp.WaitVisible(At("spot-label")))
		u.key("s")
		u.sees("notice", "Standing at")
		u.key("w")
		u.waitFor(`document.querySelector('[data-test=wire]').getAttribute('aria-expanded') === 'true'`)
		u.key("/")
		u.waitFor(`document.activeElement.dataset.test === 'line'`)
	})

	t.Run("the ruler is pulled to zoom", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, view)
		box := `document.querySelector('[data-test=ruler]').getBoundingClientRect()`
		x, y := u.number(box+`.left + 60`), u.number(box+`.top + 15`)
		u.do(chromedp.DragAndDropXY(x, y, x+80, y, 6))
		u.waitFor(`window.viandanteChart.view.zoom > 15.4`)
		u.do(MapDrawn())
		assert.Zero(t, u.number(`window.viandanteChart.view.zoom * 4 % 1`), "it comes to rest on a step")
	})

	t.Run("a wrong entry says what would be right", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, view)
		u.do(chromedp.SendKeys(At("line"), "138.14, -26.05"))
		u.sees("understood", "did you mean -26.05,138.14?")
		u.do(chromedp.SendKeys(At("line"), "\r"))
		assert.Equal(t, false, u.eval(`!!document.querySelector('[data-test="spot-label"]')`))
	})

	t.Run("a crowd is a cairn that opens", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, fmt.Sprintf("/around?v=%v,%v,10", lat, lng))
		u.waitFor(`window.viandanteChart.stacked.some(l => l.stones?.length > 50)`)
		const piles = `window.viandanteChart.stacked.find(l => l.stones).onScreen(window.viandanteChart.camera)`
		most := u.number(`Math.max(...` + piles + `.map(p => p.pile.count))`)
		assert.Greater(t, most, 3.0)
		assert.Equal(
			t,
			u.number(
				`window.viandanteChart.stacked.find(l => l.stones).stones.filter(s => { const p = `+
					`window.viandanteChart.camera.toScreen(s.at); return p.x > -60 && p.y > -30 && p.x < `+
					`window.viandanteChart.camera.width + 60 && p.y < window.viandanteChart.camera.height + `+
					`60 }).length`,
			),
			u.number(piles+`.reduce((n, p) => n + p.pile.count, 0)`),
			"none is lost",
		)
		const largest = `(() => { const b = window.viandanteChart.container.getBoundingClientRect(); const p = ` +
			piles + `.sort((a, b) => b.pile.count - a.pile.count)[0].p; return p.%s + b.%s })()`
		u.do(
			chromedp.MouseClickXY(
				u.number(fmt.Sprintf(largest, "x", "left")),
				u.number(fmt.Sprintf(largest, "y", "top"))-10,
			),
		)
		u.waitFor(`window.viandanteChart.view.zoom > 11`)
		u.do(MapDrawn())
		assert.Less(t, u.number(`Math.max(...`+piles+`.map(p => p.pile.count))`), most)
	})

	t.Run("on a phone", func(t *testing.T) {
		u := newUser(t, 390, 844)
		u.do(u.Size(390, 844, true))
		u.enter(p, view)
		// A first tap on a stone gives its label, a second its page.
		stone := u.eval(`(() => { const c = window.viandanteChart, b = c.container.getBoundingClientRect(), o = ` +
			`c.stacked.find(l => l.stones).onScreen(c.camera).find(o => o.pile.count === 1 && o.p.x > 40 && o.p.y > ` +
			`60 && o.p.x < 350 && o.p.y < 330); return [o.p.x + b.left, o.p.y + b.top - 12, ` +
			`o.pile.stones[0].name] })()`).([]any)
		u.do(chromedp.TapXY(stone[0].(float64), stone[1].(float64)))
		u.waitFor(`window.viandanteChart.stacked.find(l => l.stones).pointed`)
		assert.Equal(t, false, u.eval(`!!document.querySelector('[data-test=place-page]')`))
		u.do(
			chromedp.Sleep(700*time.Millisecond),
			chromedp.TapXY(stone[0].(float64), stone[1].(float64)),
		) // no double tap
		u.sees("place-page", stone[2].(string))
		u.click("close-place")
		x, y := u.pixel(lat+0.001, lng)
		u.do(chromedp.TapXY(x, y))
		u.do(chromedp.WaitVisible(At("spot-label")))
		assert.Equal(t, true, u.eval(`document.documentElement.scrollWidth <= 390`), "nothing sticks out")
		u.do(chromedp.Click(At("stand")))
		u.waitFor(`document.querySelector('[data-test=standpoint]')?.innerText.trim().length > 3`)
		assert.Equal(
			t,
			true,
			u.eval(
				`[...document.querySelectorAll('[data-test=nearby], [data-test=standpoint]')].every(e => `+
					`e.getBoundingClientRect().right <= 390)`,
			),
		)
		assert.Empty(t, u.Complaints())
	})
}
