package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What somebody sees and does who has never been here.
func TestANewcomer(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.do(u.Prefer("prefers-reduced-motion", "reduce"))
	first := func() {
		u.do(chromedp.Navigate(p.url() + "/"))
		u.waitFor(shows("first-way") + ` && window.viandanteChart.view.zoom < 12`)
	}
	u.enter(p, "/")

	t.Run("the first page says what can be done, and each line does it, by click and by key", func(t *testing.T) {
		u := u.in(t)
		first()
		assert.Equal(t, 6.0, u.number(`document.querySelectorAll('[data-test=first-steps] li').length`))
		for _, line := range []struct{ name, key, there string }{
			{"demo-standpoint", "s", shows("nearby")},
			{"first-find", "/", `document.activeElement.dataset.test === 'line'`},
			{"first-keep", "K", shows("form")},
			{"first-way", "j", shows("steps")},
			{"first-list", "L", shows("row-Acorn Pump")},
		} {
			assert.Equal(t, line.key, u.eval(`document.querySelector('[data-test="`+line.name+`"] kbd').innerText`))
			u.click(line.name)
			u.waitFor(line.there)
			if line.name == "first-find" {
				u.sees("understood", "address: ") // an address of the island is put there to try
			}
			first()
			u.key(line.key)
			u.waitFor(line.there)
			first()
		}
		assert.Empty(t, u.Complaints())
	})

	t.Run("the list of keys fits the page", func(t *testing.T) {
		u := u.in(t)
		u.key("?")
		u.do(chromedp.WaitVisible(At("keys")))
		assert.Equal(
			t,
			true,
			u.eval(
				`(e => e.scrollHeight <= e.clientHeight && e.getBoundingClientRect().bottom <= `+
					`innerHeight)(document.querySelector('[data-test=keys]'))`,
			),
		)
		u.click("keys-close")
		u.waitFor(`!` + shows("keys"))
	})

	t.Run("places is the first bench, and its parts are in the link", func(t *testing.T) {
		u := u.in(t)
		assert.Equal(t, "Places", u.eval(`document.querySelector('nav[aria-label=Benches] button').innerText.trim()`))
		u.click("bench-places")
		u.waitFor(shows("row-Acorn Pump") + ` && location.pathname === '/places'`)
		u.click("part-kinds")
		u.waitFor(shows("collections") + ` && location.pathname === '/places/kinds'`)
		u.click("part-bin")
		u.waitFor(shows("bin-page") + ` && location.pathname === '/places/bin'`)
		u.do(chromedp.Reload(), chromedp.WaitVisible(At("bin-page")), chromedp.NavigateBack())
		u.waitFor(shows("collections"))
		u.click("layers") // from the ruler, over any bench
		u.waitFor(
			shows("layers-page") + ` && /layers=1/.test(location.search) && location.pathname === '/places/kinds'`,
		)
		u.key("v")
		u.waitFor(shows("collections"))
	})

	t.Run("what is selected is a slip, and the bench goes on beneath it", func(t *testing.T) {
		u := u.in(t)
		for _, size := range [][2]int{{1280, 800}, {390, 844}, {844, 390}} {
			u.do(u.Size(size[0], size[1], false), chromedp.Navigate(p.url()+"/places"))
			u.click("row-Acorn Pump")
			u.do(chromedp.WaitVisible(At("go-place")), Shown())
			const share = `(([slip, page]) => slip.height / ` +
				`page.height)([document.querySelector('[data-test=place-page]'), ` +
				`document.querySelector('aside')].map(e => e.getBoundingClientRect()))`
			assert.LessOrEqual(t, u.number(share), 0.4, "%v", size)
			assert.Equal(
				t,
				true,
				u.eval(`(e => e.scrollHeight <= e.clientHeight)(document.querySelector('[data-test=place-page]'))`),
				"%v: all of it is seen",
				size,
			)
			for _, main := range []string{"go-place", "stand-place", "edit"} {
				u.do(chromedp.WaitVisible(At(main)))
			}
			u.do(chromedp.WaitVisible(At("row-Acorn Pump")))
			u.key("M")
			u.do(chromedp.WaitVisible(At("place-all")))
			assert.InDelta(t, 1, u.number(share), 0.01, "%v: unfolded it is the whole page", size)
			u.waitFor(`/open=1/.test(location.search)`)
			u.key("\x1b")
			u.do(chromedp.WaitVisible(At("row-Acorn Pump")))
			u.key("\x1b")
			u.waitFor(`!` + shows("place-page"))
		}
		u.do(u.Size(1280, 800, false))
	})

	t.Run("a standpoint fits its ring, and is called by its address", func(t *testing.T) {
		u := u.in(t)
		var house found
		require.Equal(t, 200, p.get("/v1/geocode?q=great+harbour+street+5&limit=1", &house))
		at, label := house.Features[0].Geometry.Coordinates, house.Features[0].Properties["label"].(string)
		u.do(chromedp.Navigate(p.url()+fmt.Sprintf("/around?v=%v,%v,18&names=always", at[1], at[0])), MapDrawn())
		u.clickMap(at[1], at[0])
		u.do(chromedp.WaitVisible(At("spot-label")))
		u.eval(`document.querySelector('[data-test=stand]').click(), 1`)
		u.sees("standpoint", label)
		u.do(MapDrawn())
		inView := u.eval(
			`(() => { const c = window.viandanteChart, rose = c.stacked.find(l => l.withinM), edge = [0, 1, 2,
				3].map(k => c.camera.toScreen({lat: rose.standpoint.lat + [1, 0, -1, 0][k] * rose.withinM / 111000,
				lng: rose.standpoint.lng + [0, 1, 0,
				-1][k] * rose.withinM / 111000 / Math.cos(rose.standpoint.lat * Math.PI / 180)}))
			return edge.every(p => p.x > 0 && p.y > 0 && p.x < c.camera.width && p.y < c.camera.height) &&
				rose.withinM / c.camera.metresPerPixel > 150 })()`,
		)
		assert.Equal(t, true, inView, "the whole ring, and not from afar")
		// Its name stands on the map, and no name of the ground lies under it.
		u.waitFor(fmt.Sprintf(`window.viandanteChart.stacked.find(l => l.withinM).name === %q`, label))
		for _, zoom := range []float64{14, 15.5, 17} {
			u.look(at[1], at[0], zoom)
			under := u.eval(
				`(() => { const c = window.viandanteChart, rose = c.stacked.find(l => l.withinM),
					s = c.camera.toScreen(rose.standpoint), half = 60
				return c.names.flatMap(n => n.glyphs.map(g => ({...c.camera.worldToScreen(g.at), text: g.text,
					size: n.size}))).filter(g => Math.abs(g.y - s.y - 25) < 9 + g.size * 0.3 &&
					Math.abs(g.x - s.x) < half).map(g => g.text).join(' ') })()`,
			)
			assert.Empty(t, under, "zoom %v", zoom)
		}
		u.sees("count", "places")
		assert.Empty(t, u.Complaints())
	})

	t.Run("a link to a way, or to a standpoint, shows it", func(t *testing.T) {
		u := u.in(t)
		u.do(chromedp.Navigate(p.url() + "/journey?from=-38.114,-26.28&to=-38.1150455,-26.3005818&by=foot"))
		u.waitFor(shows("steps"))
		const inView = `window.viandanteChart?.stacked.find(l => l.line?.length)?.line.every(p => { const c = ` +
			`window.viandanteChart.camera, s = c.toScreen(p); return s.x > 0 && s.y > 0 && s.x < c.width && s.y < ` +
			`c.height })`
		u.waitFor(inView + ` && window.viandanteChart.view.zoom > 12`)
		u.do(
			chromedp.Navigate(
				p.url() + "/journey?v=-38.05,-26.15,11&from=-38.114,-26.28&to=-38.1150455,-26.3005818&by=foot",
			),
		)
		u.waitFor(shows("steps"))
		u.do(MapDrawn())
		assert.Equal(t, 11.0, u.number(`window.viandanteChart.view.zoom`), "unless the link says what is in view")
		u.do(chromedp.Navigate(p.url() + "/around?from=-38.114,-26.28"))
		u.waitFor(`Math.abs(window.viandanteChart?.view.lat + 38.114) < 0.001 && window.viandanteChart.view.zoom > 12`)
	})

	t.Run("what is half typed is no error", func(t *testing.T) {
		u := u.in(t)
		_ = u.Complaints()
		for _, text := range []string{"4100", "38.1,", "-", "38°", "N", "-38.1, -26.", "geo:", "geo:-38", "великий",
			"12/", "\"", "%", "%zz", ",,,", "()", "<b>", "great har", "91, 181", "1e999", "-38.1 -26.2 5", "\\",
			"нет 4"} {
			u.do(chromedp.SetValue(At("line"), text))
			u.eval(
				`document.querySelector('[data-test=line]').focus(), ` +
					`document.querySelector('[data-test=line]').dispatchEvent(new Event('input')), 1`,
			)
			if len(text) > 1 {
				u.waitFor(`!['…', ''].includes(document.querySelector('[data-test=understood]').innerText)`)
			}
		}
		u.fill("line", "138.14, -26.05")
		u.sees("understood", "did you mean -26.05,138.14?")
		u.fill("line", " ")
		u.do(chromedp.Blur(At("line")))
		u.key("K")
		for _, text := range []string{"-38.1, -", "9", "91, 0", "x, y", "38.1,"} {
			u.fill("position", text)
			u.do(chromedp.KeyEvent("\t"))
			u.waitFor(shows("position"))
		}
		u.sees("form", "not two coordinates")
		u.fill("name", "100 % \u202e")
		u.click("cancel")
		u.key("L")
		for _, text := range []string{"%", "a:b", "condition:", "\\", "'; --"} {
			u.fill("list-find", text)
		}
		u.sees("list-count", "0")
		u.fill("list-find", " ")
		assert.Empty(t, u.Complaints())
	})

	t.Run("the list says what the map shows", func(t *testing.T) {
		u := u.in(t)
		u.do(chromedp.Navigate(p.url()+"/places?v=-38.114,-26.28,14&follow=1&in=posts"), MapDrawn())
		const shown = `window.viandanteChart.stacked.find(l => l.stones).stones.filter(s => { const c = ` +
			`window.viandanteChart.camera, p = c.toScreen(s.at); return p.x >= 0 && p.y >= 0 && p.x <= c.width && ` +
			`p.y <= c.height }).map(s => s.name).sort()`
		u.waitFor(`document.querySelectorAll('[data-test=list-rows] [role=row]').length > 5`)
		u.waitFor(
			`JSON.stringify([...document.querySelectorAll('[data-test=list-rows] [role=row]')].map(r => ` +
				`r.dataset.test.slice(4)).sort()) === JSON.stringify(` + shown + `)`,
		)
		n := u.number(shown + `.length`)
		u.sees("list-count", fmt.Sprintf("%v in view", n))
		assert.Contains(
			t,
			u.eval(`document.querySelector('[data-test=map]').getAttribute('aria-label')`),
			fmt.Sprintf("%v places in view", n),
		)
	})

	t.Run("whoever made the imagery is named on the map", func(t *testing.T) {
		u := u.in(t)
		assert.Equal(t, false, u.eval(shows("attribution")))
		u.click("layers")
		u.click("imagery-Soil moisture (stand-in)")
		u.sees("attribution", "Soil: the society's survey, made up")
		u.fill("attribution-Soil moisture (stand-in)", "Soil © <the> society\r")
		u.sees("attribution", "Soil © <the> society")
		u.click("undo")
		u.sees("attribution", "Soil: the society's survey, made up")
	})
	assert.Empty(t, unasked(u.Complaints()))
}
