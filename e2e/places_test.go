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
	u.enter(p, fmt.Sprintf("/around?v=%v,%v,16", lat, lng))

	t.Run("attributes by their types", func(t *testing.T) {
		u.clickMap(lat+0.0003, lng-0.0004)
		u.click("keep")
		u.fill("name", "Pier house")
		u.do(chromedp.SetValue(At("attribute-condition"), "worn"), chromedp.SendKeys(At("attribute-keeper"), "the Gannet <wardens>"))
		u.eval(`document.querySelector('[data-test=attribute-condition]').dispatchEvent(new Event('change')), 1`)
		u.fill("attribute-telephone", "ring me")
		u.fill("attribute-website", "https://society.example/pier")
		u.click("save")
		u.sees("notice", "is not a telephone number")
		u.fill("attribute-telephone", "+999 40 (77)")
		u.click("save")
		u.sees("place-page", "Pier house")
		u.sees("told-condition", "worn")
		u.sees("told-keeper", "the Gannet <wardens>")
		assert.Equal(t, "tel:+9994077", u.eval(`document.querySelector('[data-test=told-telephone] a').getAttribute('href')`), "the telephone dials")
		assert.Equal(t, "https://society.example/pier", u.eval(`document.querySelector('[data-test=told-website] a').href`))
		_ = u.Complaints() // the refusal
	})

	t.Run("a mistyped position is doubted, and mended by one key", func(t *testing.T) {
		u.click("edit")
		u.fill("position", fmt.Sprintf("%.4f, %.4f\r", lat, -lng))
		u.sees("doubt", "the minus sign of the longitude is missing")
		u.sees("worth", "4 decimals: to 11 m")
		u.eval(`document.querySelector('[data-test=form]').dispatchEvent(new KeyboardEvent('keydown', {key: 'm', altKey: true, bubbles: true, cancelable: true})), 1`)
		u.waitFor(`!document.querySelector('[data-test=doubt]')`)
		u.waitFor(fmt.Sprintf(`Math.abs(Number(document.querySelector('[data-test=position]').value.split(',')[1]) - %v) < 0.0001`, lng))
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
		u.click("history-open")
		u.sees("history", "created")
		u.sees("history", "moved by")
		u.sees("history", "Pier house Old pier house")
		u.click("back-created")
		u.waitFor(`document.querySelector('[data-test=place-page] h2').innerText === 'Pier house'`)
		u.sees("notice", "Changed “Pier house”")
		u.key("u")
		u.sees("notice", "Taken back: Changed “Pier house”")
		u.waitFor(`document.querySelector('[data-test=place-page] h2').innerText === 'Old pier house'`)
	})

	t.Run("the bin gives back", func(t *testing.T) {
		u.click("delete")
		u.waitFor(`!document.querySelector('[data-test=place-page]')`)
		u.key("Z")
		u.sees("bin-page", "Old pier house")
		u.waitFor(`/page=bin/.test(location.search)`)
		u.click("restore-Old pier house")
		u.sees("place-page", "Old pier house")
		u.sees("told-condition", "worn")
		u.waitFor(`!document.querySelector('[data-test=bin-page]')?.innerText.includes('Old pier house')`)
		u.click("history-open")
		u.sees("history", "restored")
		assert.Empty(t, unasked(u.Complaints()))
	})
}
