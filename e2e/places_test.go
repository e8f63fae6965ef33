package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPlacesKeptAndMended(t *testing.T) {
	p := newProgram(t)
	p.start()
	var square found
	require.Equal(t, 200, p.get("/v1/geocode?q=varrowby&limit=1", &square))
	lng, lat := square.Features[0].Geometry.Coordinates[0], square.Features[0].Geometry.Coordinates[1]
	u := newUser(t, 1280, 800)
	u.do(u.Prefer("prefers-reduced-motion", "reduce")) // mistyped positions are half a world away
	u.enter(p, fmt.Sprintf("/around?v=%v,%v,16", lat, lng))

	t.Run("attributes by their types", func(t *testing.T) {
		u.clickMap(lat+0.0003, lng-0.0004)
		u.click("keep")
		u.fill("name", "Pier house")
		u.do(
			chromedp.SetValue(At("attribute-condition"), "worn"),
			chromedp.SendKeys(At("attribute-keeper"), "the Gannet <wardens>"),
		)
		u.eval(`document.querySelector('[data-test=attribute-condition]').dispatchEvent(new Event('change')), 1`)
		u.fill("attribute-telephone", "ring me")
		u.fill("attribute-website", "https://society.example/pier")
		u.click("save")
		u.sees("notice", "is not a telephone number")
		u.fill("attribute-telephone", "+999 40 (77)")
		u.click("save")
		u.sees("place-page", "Pier house")
		u.unfold()
		u.sees("told-condition", "worn")
		u.sees("told-keeper", "the Gannet <wardens>")
		assert.Equal(
			t,
			"tel:+9994077",
			u.eval(`document.querySelector('[data-test=told-telephone] a').getAttribute('href')`),
			"the telephone dials",
		)
		assert.Equal(
			t,
			"https://society.example/pier",
			u.eval(`document.querySelector('[data-test=told-website] a').href`),
		)
		_ = u.Complaints() // the refusal
	})

	t.Run("a mistyped position is doubted, and mended by one key", func(t *testing.T) {
		u.click("edit")
		u.fill("position", fmt.Sprintf("%.4f, %.4f\r", lat, -lng))
		u.sees("doubt", "the minus sign of the longitude is missing")
		u.sees("worth", "4 decimals: to 11 m")
		u.eval(
			`document.querySelector('[data-test=form]').dispatchEvent(new KeyboardEvent('keydown', {key: 'm', ` +
				`altKey: true, bubbles: true, cancelable: true})), 1`,
		)
		u.waitFor(`!document.querySelector('[data-test=doubt]')`)
		u.waitFor(
			fmt.Sprintf(
				`Math.abs(Number(document.querySelector('[data-test=position]').value.split(',')[1]) - %v) < 0.0001`,
				lng,
			),
		)
		u.fill("position", fmt.Sprintf("%v, %v\r", lng, lat))
		u.sees("doubt", "swapped")
		u.click("mend")
		u.waitFor(`!document.querySelector('[data-test=doubt]')`)
		u.fill("position", "0, 0\r")
		u.sees("doubt", "open Atlantic")
		u.fill("position", fmt.Sprintf("%v, %v\r", lat, lng))
		u.waitFor(`!document.querySelector('[data-test=doubt]')`)
		u.click("save")
		u.sees("notice", "Changed")
	})

	t.Run("history, and back", func(t *testing.T) {
		u.click("edit")
		u.fill("name", "Old pier house")
		u.click("save")
		u.sees("place-page", "Old pier house")
		u.unfold()
		u.click("history-open")
		u.sees("history", "created")
		u.sees("history", "moved by")
		u.sees("history", "Pier house Old pier house")
		u.click("back-created")
		u.waitFor(`document.querySelector('[data-test=place-page] h2').innerText === 'Pier house'`)
		u.sees("notice", "Changed “Pier house”")
		u.key("u")
		u.sees("notice", "Undone: Changed “Pier house”")
		u.waitFor(`document.querySelector('[data-test=place-page] h2').innerText === 'Old pier house'`)
	})

	t.Run("copied in any notation, shown alone, and by keys alone", func(t *testing.T) {
		u.unfold()
		u.pick("copy-as", "geo")
		u.sees("notice", "geo:-38.")
		u.sees("place-position", "geo:-38.")
		u.pick("copy-as", "sexagesimal")
		u.sees("notice", "″S 26°")
		u.pick("copy-as", "decimal")
		u.key("z")
		u.sees("only", "Only one is shown")
		u.waitFor(`window.viandanteChart.stacked.find(l => l.stones).stones.length === 1`)
		u.key("z")
		u.waitFor(`!document.querySelector('[data-test=only]')`)
		u.click("edit")
		u.click("hidden")
		u.click("save")
		u.unfold()
		u.sees("place-page", "not drawn on the map")
		name := `window.viandanteChart.stacked.find(l => l.stones).stones.some(s => s.name === 'Old pier house')`
		u.waitFor(name) // as long as it is selected
		u.click("close-place")
		u.waitFor(`!` + name)
		u.click("undo")
		u.waitFor(name)
		u.clickMap(lat, lng)
		u.sees("place-page", "Old pier house")
	})

	t.Run("from the middle of the map, from where I am, in two fields", func(t *testing.T) {
		u.look(lat+0.002, lng+0.002, 16)
		u.click("close-place")
		u.do(chromedp.Focus(At("map")))
		u.key("K")
		u.waitFor(
			fmt.Sprintf(
				`Math.abs(parseFloat(document.querySelector('[data-test=position]')?.value) - %v) < 0.00001`,
				lat+0.002,
			),
		)
		u.click("two-fields")
		u.fill("lat", "38°6'52.2\"S, 26° 16' 40\" W\r") // a pair that was pasted into one of the two
		u.waitFor(`document.querySelector('[data-test=lng]').value.startsWith('-26.2777')`)
		u.fill("lng", "-26,5\r")
		u.waitFor(`document.querySelector('[data-test=lng]').value === '-26.5'`)
		u.click("two-fields")
		u.waitFor(`document.querySelector('[data-test=position]')?.value.endsWith(',-26.5')`)
		u.fill("position", "S38.1145 W26.2801")
		u.sees("read-as", "-38.1145")
		u.click("cancel")
		u.eval(
			`navigator.geolocation.getCurrentPosition = ok => ok({coords: {latitude: -38.1151, longitude: -26.2815, ` +
				`accuracy: 14}, timestamp: Date.now()}), 1`,
		)
		u.do(chromedp.Focus(At("map")))
		u.key("H")
		u.sees("device-state", "will ask for your position: to save a place where you are")
		u.click("device-yes")
		u.waitFor(`document.querySelector('[data-test=position]')?.value === '-38.1151,-26.2815'`)
		u.fill("name", "Where I stood")
		u.click("save")
		u.sees("place-page", "Where I stood")
		var kept struct {
			Features []struct{ Properties map[string]any }
		}
		require.Equal(t, 200, p.get("/v1/features?q=stood", &kept))
		assert.EqualValues(t, 14, kept.Features[0].Properties["accuracy_m"])
		assert.Equal(t, "device", kept.Features[0].Properties["source"])
	})

	t.Run("an address and a position that no longer agree", func(t *testing.T) {
		u.fill("line", "great harbour street 5")
		u.sees("readings", "Great Harbour Street 5")
		u.do(chromedp.SendKeys(At("line"), "\r"))
		u.sees("spot-label", "Great Harbour Street 5")
		u.click("keep")
		u.waitFor(
			`/^Great Harbour Street 5/.test(document.querySelector('[data-test=name]')?.value)`,
		) // its label becomes the name
		u.waitFor(`!window.viandanteChart.moving`)
		before := u.eval(`document.querySelector('[data-test=position]').value`)
		u.fill("position", "-38.1200, -26.2600\r")
		u.sees("apart", "from this position")
		u.click("move-there")
		u.waitFor(`!document.querySelector('[data-test=apart]')`)
		assert.Equal(t, before, u.eval(`document.querySelector('[data-test=position]').value`))
		u.click("cancel")
	})

	t.Run("a page that slept through a delete", func(t *testing.T) {
		var list struct {
			Features []struct {
				ID         string
				Properties map[string]any
			}
		}
		require.Equal(t, 200, p.get("/v1/features?q=stood", &list))
		u.click("bench-places")
		u.fill("list-find", "stood")
		u.click("row-Where I stood")
		u.click("edit")
		require.Equal(
			t,
			204,
			p.send(
				"DELETE",
				"/ogc/collections/posts/items/"+list.Features[0].ID,
				"",
				map[string]string{"If-Match": "*"},
				nil,
			),
		)
		u.fill("name", "Where I stood, once")
		u.click("save")
		u.sees("conflict", "They deleted it.")
		u.click("keep-mine")
		u.sees("place-page", "Where I stood, once")
		assert.Equal(t, 1, p.count("q=stood"))
		u.unfold()
		u.click("delete")
		u.sees("notice", "Deleted “Where I stood, once”")
		_ = u.Complaints() // the refusal
		u.look(lat, lng, 16)
		u.clickMap(lat, lng)
		u.sees("place-page", "Old pier house")
	})

	t.Run("the bin gives back", func(t *testing.T) {
		u.unfold()
		u.click("delete")
		u.waitFor(`!document.querySelector('[data-test=place-page]')`)
		u.key("Z")
		u.sees("bin-page", "Old pier house")
		u.waitFor(`location.pathname === '/places/bin'`)
		u.click("restore-Old pier house")
		u.sees("place-page", "Old pier house")
		u.waitFor(`!document.querySelector('[data-test=bin-page]')?.innerText.includes('Old pier house')`)
		u.unfold()
		u.sees("told-condition", "worn")
		u.click("history-open")
		u.sees("history", "restored")
		assert.Empty(t, unasked(u.Complaints()))
	})
}
