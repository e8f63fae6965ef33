package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
)

// turnTo makes the device point somewhere, long enough to be believed.
func (u *user) turnTo(heading float64) {
	u.t.Helper()
	for range 45 {
		u.eval(fmt.Sprintf(`dispatchEvent(new DeviceOrientationEvent('deviceorientationabsolute', `+
			`{alpha: %v, beta: 0, gamma: 0, absolute: true})), 1`, 360-heading))
		u.do(chromedp.Sleep(15 * time.Millisecond))
	}
}

const rows = `document.querySelectorAll('[data-test=nearby] li').length`

// The list is sorted, narrowed, put beside the roads; an empty ring says what is nearest; labels and the map's edge say
// how far.
func TestAroundTheStandpoint(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/around?from=-38.1112,-26.2834&ring=0-3000")
	u.do(MapDrawn())
	u.waitFor(rows + ` > 20`)
	all := u.number(rows)
	u.set("near-sort", "name", "change")
	u.waitFor(`(n => n.every((t, i) => !i || n[i - 1].localeCompare(t) <= 0))([...document.querySelectorAll(` +
		`'[data-test=nearby] li .truncate')].map(e => e.innerText))`)
	u.set("near-kind", "fountain", "change")
	u.waitFor(fmt.Sprintf(`%s > 0 && %s < %v`, rows, rows, all/2))
	u.set("near-kind", "", "change")
	u.eval(`document.querySelector('[data-test=near-where]').focus(), 1`)
	u.typed("condition:sound")
	u.waitFor(fmt.Sprintf(`%s > 0 && %s < %v`, rows, rows, all))
	assert.Contains(t, u.eval(`location.search`), "having=condition")
	u.eval(`document.querySelector('[data-test=near-where]').select(), document.execCommand('delete'), 1`)
	u.set("near-sort", "distance", "change")
	u.waitFor(fmt.Sprintf(`%s === %v`, rows, all))
	u.click("by-road")
	u.waitFor(`document.querySelectorAll('[data-test=road-line]').length >= 20`)
	assert.Regexp(t, `[\d.]+ k?m by road · \d+ min`,
		u.eval(`document.querySelector('[data-test=road-line]').innerText`))
	// Typed in any unit, and an empty ring.
	u.set("within", "20 m", "change")
	u.sees("nothing-near", "Nothing within 20 m; the nearest is")
	u.sees("nothing-near", " m ")
	u.click("reach-next")
	u.waitFor(rows + ` > 0`)
	for text, m := range map[string]string{"3 mi": "4828", "10m": "10", "90000": "20000000", "2,5": "2500"} {
		u.set("within", text, "change")
		u.waitFor(fmt.Sprintf(`new URLSearchParams(location.search).get('ring') === '0-%s'`, m))
	}
	u.set("within", "far", "change") // on the way to what is meant
	// What lies in the ring but outside the view stands at the edge; one key fits.
	u.set("within", "3", "change")
	u.waitFor(fmt.Sprintf(`%s === %v`, rows, all))
	u.look(-38.1112, -26.2834, 16)
	edges := `window.viandanteChart.layers.find(l => l.constructor.name && l.marks && l.all).marks.length`
	u.waitFor(edges + ` > 3`)
	u.key("h")
	u.waitFor(edges + ` === 0`)
	// The label of a place has its distance and bearing.
	u.eval(`document.querySelector('[data-test=nearby] button').click(), 1`)
	u.waitFor(`window.viandanteChart.layers.find(l => l.noted).noted(window.viandanteChart.camera)` +
		`.some(n => /· \d+ m \d{3}° [NESW]/.test(n.text))`)
	assert.Empty(t, u.Complaints())
}

// The round view turns with the device's compass; the finder leads to a place; an unknown heading is never north.
func TestTheRoundViewAndTheFinder(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 390, 844)
	u.do(u.Permit("granted"))
	u.enter(p, fmt.Sprintf("/around/round?from=%v,%v&ring=0-3000&up=heading", squareLat, squareLng))
	u.do(MapDrawn())
	u.sees("round-view", "The heading is not known")
	u.waitFor(`document.querySelectorAll('[data-test=round-view] [role=button]').length > 5`)
	assert.Equal(t, false, u.eval(`!!document.querySelector('[data-test=heading-needle]')`))
	u.eval(fakeReceiver)
	u.click("ask-compass")
	u.waitFor(`window.tell || !!document.querySelector('[data-test=device-yes]')`)
	u.eval(`(document.querySelector('[data-test=device-yes]')?.click(), 1)`)
	u.tell(0, 0, ``)
	where := `document.querySelector('[data-test=round-view] [role=button] path').getAttribute('d')`
	before := u.eval(where)
	u.turnTo(90)
	u.waitFor(`!!document.querySelector('[data-test=heading-needle]')`)
	u.sees("heading-line", "heading 0")
	assert.NotEqual(t, before, u.eval(where), "the plot has turned")
	u.set("rings", "400 m, 1.5", "change")
	u.waitFor(`new URLSearchParams(location.search).get('rings') === '400,1500'`)
	u.sees("round-view", "400 m")
	// The finder.
	u.eval(`document.querySelector('[data-test=round-view] [role=button]').dispatchEvent(new MouseEvent('click')), 1`)
	u.click("find-place")
	u.sees("finder", "m")
	u.waitFor(`!!document.querySelector('[data-test=finder-needle]')`)
	u.waitFor(`/to the (left|right)|straight ahead|behind you/.test(` +
		`document.querySelector('[data-test=finder-turn]').innerText)`)
	first := u.eval(`document.querySelector('[data-test=finder-turn]').innerText`)
	u.turnTo(200)
	u.waitFor(fmt.Sprintf(`document.querySelector('[data-test=finder-turn]').innerText !== %q`, first))
	u.tell(300, 0, ``)
	u.sees("finder-source", "from your position")
	u.click("close-finder")
	u.waitFor(`!document.querySelector('[data-test=finder]')`)
	assert.Empty(t, u.Complaints())
}

// Without a device the finder tells the bearing and shows no needle.
func TestTheFinderWithoutAHeading(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/around?from=-38.1112,-26.2834&ring=0-3000")
	u.do(MapDrawn())
	u.waitFor(rows + ` > 20`)
	u.key(".")
	u.waitFor(shows("place-page"))
	u.key("!")
	u.sees("finder", "no heading known")
	u.sees("finder-turn", "towards")
	assert.Equal(t, false, u.eval(`!!document.querySelector('[data-test=finder-needle]')`))
	u.key("\x1b")
	u.waitFor(`!document.querySelector('[data-test=finder]')`)
	assert.Empty(t, u.Complaints())
}

// Whether a point is served, by which areas, and what excludes it.
func TestServiceAreas(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/around/served?from=-38.0512,-26.1034")
	u.do(MapDrawn())
	u.sees("served", "Served")
	u.sees("served-part", "Tarnwick warden's area")
	u.set("use-wards", "neither", "change")
	u.sees("served", "Not served")
	u.sees("served-nearest", "The nearest that would serve it is")
	u.set("use-wards", "excludes", "change")
	u.sees("served-part", "excludes it")
	assert.Empty(t, u.Complaints())
}
