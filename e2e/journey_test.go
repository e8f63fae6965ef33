package e2e

import (
	"fmt"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// One journey through everything: keep places, geocode, filter by a ring, measure, go; in the middle the server is
// killed, and afterwards everything is there.
func TestTheJourney(t *testing.T) {
	p := newProgram(t)
	first := p.start()
	var square found
	require.Equal(t, 200, p.get("/v1/geocode?q=varrowby&limit=1", &square))
	lng, lat := square.Features[0].Geometry.Coordinates[0], square.Features[0].Geometry.Coordinates[1]

	u := newUser(t, 1280, 800)
	u.do(chromedp.Navigate(p.url()))
	u.click("enter-demo")
	u.do(MapDrawn())
	u.sees("no-standpoint", "No standpoint yet")

	// The map: drag, wheel, keys; none of them selects a spot.
	u.look(lat, lng, 16)
	before := u.number(`window.viandanteChart.view.lng`)
	u.do(chromedp.DragAndDropXY(400, 400, 300, 380, 8))
	u.waitFor(fmt.Sprintf(`window.viandanteChart.view.lng > %v + 0.0005`, before))
	u.eval(
		`document.querySelector('[data-test=map]').dispatchEvent(new WheelEvent('wheel', {deltaY: -260, clientX: ` +
			`400, clientY: 400, bubbles: true, cancelable: true})), 1`,
	)
	u.waitFor(`window.viandanteChart.view.zoom === 17`)
	u.do(chromedp.Focus(At("map")))
	u.key("-")
	u.waitFor(`window.viandanteChart.view.zoom === 16`)
	assert.Equal(t, false, u.eval(`!!document.querySelector('[data-test="spot-label"]')`), "a drag is never a click")

	// Keep a place from a spot; its address becomes its name unless changed.
	u.look(lat, lng, 17)
	u.clickMap(lat+0.0002, lng)
	u.sees("spot-label", "from")
	u.click("keep")
	u.fill("name", `Mason's <i>Fountain</i>`)
	u.click("save")
	u.sees("place-page", `Mason's <i>Fountain</i>`)
	u.sees("notice", "Saved")
	stored := func(name string) found {
		var f found
		p.get("/ogc/collections/posts/items?name="+name, &f)
		return f
	}
	const nameQuery = "Mason%27s%20%3Ci%3EFountain%3C%2Fi%3E"
	require.Len(t, stored(nameQuery).Features, 1)

	// Edit and move it: the stone is dragged, old and new are shown, and undo takes it back.
	kept := stored(nameQuery).Features[0]
	u.click("edit")
	u.do(chromedp.WaitVisible(At("form")))
	x, y := u.pixel(kept.Geometry.Coordinates[1], kept.Geometry.Coordinates[0])
	u.do(chromedp.DragAndDropXY(x, y-12, x+60, y-52, 8))
	u.sees("shift", "moved")
	u.click("save")
	u.sees("notice", "Changed")
	moved := stored(nameQuery).Features[0]
	assert.Greater(t, moved.Geometry.Coordinates[0], kept.Geometry.Coordinates[0])
	assert.Greater(t, moved.Geometry.Coordinates[1], kept.Geometry.Coordinates[1])
	u.do(chromedp.Blur(At("line")))
	u.key("u")
	u.sees("notice", "Undone")
	assert.Equal(t, kept.Geometry.Coordinates, stored(nameQuery).Features[0].Geometry.Coordinates)

	// Somebody else is faster: both versions are shown, and one is chosen.
	u.click("edit")
	u.fill("description", "mine")
	now := stored(nameQuery).Features[0]
	require.Equal(
		t,
		200,
		p.send("PATCH", "/ogc/collections/posts/items/"+now.ID, `{"properties":{"description":"theirs"}}`,
			map[string]string{"If-Match": fmt.Sprintf(`"%v"`, now.Properties["version"])}, nil),
	)
	u.click("save")
	u.sees("conflict", "theirs")
	u.click("keep-mine")
	u.unfold()
	u.sees("place-page", "mine")

	// Delete and undo.
	u.click("delete")
	u.sees("notice", "Deleted")
	assert.Empty(t, stored(nameQuery).Features)
	u.click("undo")
	u.sees("notice", "Undone")
	require.Len(t, stored(nameQuery).Features, 1)

	// Geocode in the one line, look at it, keep it under the name that was found.
	var house found
	require.Equal(t, 200, p.get("/v1/geocode?q=mill+lane+3,+quillmere&limit=1", &house))
	label := house.Features[0].Properties["label"].(string)
	u.do(chromedp.SendKeys(At("line"), label))
	u.sees("understood", "address: "+label)
	u.sees("readings", "100 %")
	u.key("\r")
	u.sees("spot-label", label)
	u.do(MapDrawn())
	u.click("keep")
	u.waitFor(fmt.Sprintf(`document.querySelector('[data-test=name]').value === %q`, label))
	u.click("save")
	u.sees("place-page", label)

	// Across the antimeridian, by typed coordinates.
	u.do(chromedp.SendKeys(At("line"), "16°30'S 179°59'59.9\"W"))
	u.sees("understood", "degrees, minutes, seconds")
	u.key("\r")
	u.sees("spot-label", "-16.5")
	u.do(MapDrawn())
	u.clickMap(-16.5, 179.9999) // on the other side of the line
	u.waitFor(`document.querySelector('[data-test="spot-label"]')?.innerText.includes('179.999')`)
	u.click("keep")
	u.fill("name", "Date Line Buoy")
	u.click("save")
	u.sees("place-page", "Date Line Buoy")

	// The server is killed in the middle, and started again.
	assert.Empty(t, unasked(u.Complaints()))
	p.stop(syscall.SIGKILL)
	again := p.start()
	t.Logf("first start %.1f s, start after kill -9 %.1f s", first.Seconds(), again.Seconds())
	require.Len(t, stored(nameQuery).Features, 1)
	require.Len(t, stored("Date%20Line%20Buoy").Features, 1)
	assert.Equal(t, "mine", stored(nameQuery).Features[0].Properties["description"])
	u.Complaints() // the page has missed its server for a moment
	u.do(chromedp.Reload(), MapDrawn())
	u.sees("place-page", "Date Line Buoy")
	u.click("close-place")

	// Around: a standpoint, the ring, list and map by distance; the ring's edge is pulled.
	u.look(lat, lng, 14)
	u.click("demo-standpoint")
	u.sees("standpoint", "square")
	u.do(MapDrawn())
	u.waitFor(`document.querySelectorAll('[data-test=nearby] li').length > 5`)
	distances := `[...document.querySelectorAll('[data-test=nearby] li')].map(l => { const [, v, unit] = /([\d.]+) ` +
		`(k?m)$/.exec(l.innerText.trim()); return v * (unit === 'km' ? 1000 : 1) })`
	assert.Equal(
		t,
		true,
		u.eval(`((d) => d.every((v, i) => i === 0 || v >= d[i - 1]) && d.at(-1) <= 1500)(`+distances+`)`),
		"sorted, within the ring",
	)
	count := u.number(`document.querySelectorAll('[data-test=nearby] li').length`)
	edge := `(() => { const c = window.viandanteChart, b = c.container.getBoundingClientRect(), s = ` +
		`c.camera.toScreen(%s); return s.%s + b.%s })()`
	stand := `JSON.parse('[' + new URLSearchParams(location.search).get('from') + ']')`
	u.waitFor(`new URLSearchParams(location.search).get('from')`)
	at := fmt.Sprintf(`((p) => ({lat: p[0], lng: p[1] + 1500 / (111320 * Math.cos(p[0] * Math.PI / 180))}))(%s)`, stand)
	ex, ey := u.number(fmt.Sprintf(edge, at, "x", "left")), u.number(fmt.Sprintf(edge, at, "y", "top"))
	u.do(chromedp.DragAndDropXY(ex, ey, ex-190, ey, 10))
	u.waitFor(fmt.Sprintf(`document.querySelectorAll('[data-test=nearby] li').length < %v`, count))
	u.waitFor(`parseFloat(document.querySelector('[data-test=within]').value) < 1.2`)

	// Route: to a place of the list, on foot and by car; then to one that no road reaches.
	u.eval(`document.querySelector('[data-test=nearby] li:last-child button').click(), 1`)
	u.click("go-place")
	u.do(chromedp.WaitVisible(At("total")))
	u.sees("total", "min")
	u.sees("steps", "Set out along")
	u.sees("steps", "Arrive at")
	foot := u.eval(`document.querySelector('[data-test=total]').innerText`)
	u.click("by-car")
	u.waitFor(fmt.Sprintf(`document.querySelector('[data-test=total]')?.innerText !== %q`, foot))
	u.do(chromedp.SendKeys(At("line"), "Date Line Buoy"))
	u.sees("readings", "your place")
	u.key("\r")
	u.sees("place-page", "Date Line Buoy")
	u.click("go-place")
	u.sees("no-way", "No way there")
	u.sees("no-way", "no road for car")

	assert.Empty(t, unasked(u.Complaints()))
	p.stop(syscall.SIGTERM)
	assert.NotContains(t, p.output(), "level=ERROR")
	assert.Contains(t, p.output(), "Stopping")
	assert.Less(t, p.start(), 20*time.Second)
}

// unasked leaves out the browser's own lines about what tests do: ask for what somebody else was first with or where no
// way leads, read pixels.
func unasked(complaints []string) (out []string) {
	for _, c := range complaints {
		if !strings.Contains(c, "status of 412") && !strings.Contains(c, "status of 422") &&
			!strings.Contains(c, "willReadFrequently") {
			out = append(out, c)
		}
	}
	return out
}
