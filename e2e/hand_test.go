package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The town's square, where the demo's journeys begin.
const squareLat, squareLng = -38.1139663, -26.2798827

// reading returns a line of the raw readings.
func (u *user) reading(name string) string {
	u.t.Helper()
	return fmt.Sprint(u.eval(`document.querySelector('[data-reading="` + name + `"]')?.innerText`))
}

// set gives a control a value as if somebody had.
func (u *user) set(name, value, event string) {
	u.t.Helper()
	u.eval(fmt.Sprintf(`(e => { e.value = %q; e.dispatchEvent(new Event(%q)) })(`+
		`document.querySelector('[data-test="%s"]')), 1`, value, event, name))
}

// fakeReceiver is a page whose receiver is the test's: tell({…}) calls the page as a browser would.
const fakeReceiver = `(() => {
  const g = navigator.geolocation
  g.watchPosition = (ok, failed) => { window.tell = (c, at = Date.now()) => ok({ coords: { altitude: null,
    altitudeAccuracy: null, heading: null, speed: null, accuracy: 8, ...c }, timestamp: at })
    window.fail = (code) => failed({ code, PERMISSION_DENIED: 1, POSITION_UNAVAILABLE: 2, TIMEOUT: 3 }); return 7 }
  g.clearWatch = () => {}
})(), 1`

// tell reports a position some metres north of the square, ago seconds ago.
func (u *user) tell(north float64, ago float64, more string) {
	u.t.Helper()
	u.waitFor(`!!window.tell`)
	u.eval(fmt.Sprintf(`tell({latitude: %v, longitude: %v%s}, Date.now() - %v), 1`,
		squareLat+north/111000, squareLng, more, ago*1000))
}

func TestTheDevice(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1000, 620) // what is drawn costs time
	around := fmt.Sprintf("/around?v=%v,%v,15&from=%v,%v", squareLat, squareLng, squareLat, squareLng)

	t.Run("permission is asked with a reason, and no earlier", func(t *testing.T) {
		u := u.in(t)
		u.do(u.Permit("prompt"))
		u.enter(p, around)
		u.do(MapDrawn())
		assert.Equal(t, false, u.eval(shows("device")))
		u.eval(`(navigator.geolocation.watchPosition = () => { window.asked = true; return 1 }), 1`)
		u.click("follow-me")
		u.sees("device-state", "will ask for your position: so that distances and directions are taken from where you")
		assert.Equal(t, nil, u.eval(`window.asked`))
		u.click("device-no")
		u.waitFor(`!` + shows("device"))
		assert.Equal(t, nil, u.eval(`window.asked`))
		u.click("follow-me")
		u.click("device-yes")
		u.waitFor(`window.asked`)
	})

	t.Run("the standpoint follows the device", func(t *testing.T) {
		u := u.in(t)
		u.do(u.Permit("granted"), u.Located(squareLat, squareLng, 8, -1, 0))
		u.do(chromedp.Navigate(p.url()+around), MapDrawn())
		u.click("follow-me")
		u.sees("standpoint", "where I am")
		u.sees("standpoint-age", "± 8 m")
		u.waitFor(`new URLSearchParams(location.search).get('from') === 'here'`)
		first := `document.querySelector('[data-test=nearby] li')?.innerText`
		u.waitFor(first)
		before := u.eval(first)
		u.do(u.Located(squareLat+0.0009, squareLng, 8, 0, 1.4))
		u.waitFor(fmt.Sprintf(`%s !== %q`, first, before))
		u.do(chromedp.Reload(), MapDrawn())
		u.sees("standpoint", "where I am") // the link has it follow still
		u.click("stand-still")
		u.waitFor(`new URLSearchParams(location.search).get('from') !== 'here'`)
		u.click("device-stop")
		assert.Empty(t, u.Complaints())
	})

	t.Run("the map follows, a pan frees it, one key follows again; nothing jumps", func(t *testing.T) {
		u := u.in(t)
		u.do(u.Located(squareLat, squareLng, 8, -1, 0), chromedp.Navigate(p.url()+around), MapDrawn())
		u.click("follow-me")
		u.click("follow")
		off := func(north, east float64) string {
			return fmt.Sprintf(`(c => { const p = c.camera.toScreen({lat: %v, lng: %v}); return Math.hypot(p.x - `+
				`c.camera.width / 2, p.y - c.camera.height / 2) })(window.viandanteChart)`,
				squareLat+north/111000, squareLng+east/87600)
		}
		u.waitFor(off(0, 0) + ` < 1.5`)
		u.eval(`(() => { const c = window.viandanteChart, w = []; window.steps = w; let last = c.camera.centre
			c.on('move', () => { const now = c.camera.centre; w.push(Math.hypot(now.x - last.x, now.y - last.y) *
			c.camera.size); last = now }) })(), 1`)
		u.do(u.Located(squareLat+200.0/111000, squareLng, 8, 0, 1.4))
		u.waitFor(off(200, 0) + ` < 1.5`)
		assert.Greater(t, u.number(`steps.length`), 5.0, "it glides there")
		assert.Less(t, u.number(`Math.max(...steps)`), 80.0, "no frame moves it far")
		x, y := u.pixel(squareLat, squareLng)
		u.do(chromedp.DragAndDropXY(x, y, x-200, y, 6))
		u.waitFor(`document.querySelector('[data-test=follow]').innerText.trim().split(/\s/)[0] === 'Follow'`)
		u.do(u.Located(squareLat+210.0/111000, squareLng, 8, 0, 1.4), chromedp.Sleep(1500*time.Millisecond))
		assert.Greater(t, u.number(off(210, 0)), 100.0, "a pan frees the map")
		u.key("o")
		u.waitFor(off(210, 0) + ` < 1.5`)
		u.key("o") // heading up
		u.do(u.Located(squareLat+212.0/111000, squareLng+30.0/87600, 8, 90, 1.4))
		u.waitFor(`Math.abs(window.viandanteChart.view.rotation - 90) < 1`)
		// Somebody far away is told how far and which way; the view stays.
		u.key("o")
		u.look(squareLat-0.3, squareLng-0.3, 13)
		u.do(u.Located(squareLat+212.0/111000, squareLng+30.0/87600, 8, 90, 1.4))
		u.sees("device-state", "km NE of here")
		assert.InDelta(t, squareLat-0.3, u.number(`window.viandanteChart.view.lat`), 1e-6)
		u.click("device-show")
		u.waitFor(off(212, 30) + ` < 3`)
		u.click("device-stop")
		assert.Empty(t, unasked(u.Complaints()))
	})

	t.Run("what is wrong with the position is said, with what to do", func(t *testing.T) {
		u := u.in(t)
		u.do(chromedp.Navigate(p.url()+around), MapDrawn())
		u.eval(fakeReceiver)
		u.click("follow-me")
		u.sees("device-state", "Looking for your position")
		u.eval(`fail(3), 1`)
		u.sees("device-state", "No position came within 20 seconds")
		u.eval(`fail(2), 1`)
		u.sees("device-state", "cannot tell where it is")
		u.tell(0, 13, `, accuracy: 4000`)
		u.sees("device-state", "Known only within 4.00 km")
		u.tell(5, 12, ``) // it was measured a while ago, and is soon too old
		u.sees("device-state", "± 8 m · 1")
		u.waitFor(`document.querySelector('[data-test=device-state]').innerText.includes('No signal: last known')`)
		u.eval(`fail(1), 1`) // permission is withdrawn in the middle
		u.sees("device-state", "does not give away where you are")
		u.click("device-again")
		u.sees("device-state", "Looking for your position")
		u.tell(10, 0, ``)
		u.sees("device-state", "± 8 m · now")
	})

	t.Run("fixes that cannot be are refused, and told in the raw readings", func(t *testing.T) {
		u := u.in(t)
		u.do(chromedp.Navigate(p.url()+around), MapDrawn())
		u.eval(fakeReceiver)
		u.click("follow-me")
		u.key("i")
		u.do(chromedp.WaitVisible(At("raw-readings")))
		refused := func(what string) {
			t.Helper()
			u.waitFor(fmt.Sprintf(`document.querySelector('[data-reading="last refused"]')?.innerText === %q`, what))
		}
		u.tell(0, 0, ``)
		refused("—")
		u.tell(0, 0, `, latitude: NaN`)
		refused("no position")
		u.tell(1, 0.001, ``)
		u.tell(2, 30, ``) // late
		refused("late or doubled")
		u.tell(2, 0, `, heading: NaN, speed: NaN, altitude: NaN`)
		refused("—")
		assert.Equal(t, "—", u.reading("course"))
		assert.Equal(t, "—", u.reading("heading shown"), "no heading is never north")
		u.tell(500_000, 0, ``)
		refused("too far at once")
		u.tell(4, 0, ``)
		refused("—") // one that jumped is forgotten
		u.tell(6, 7*3600, ``)
		refused("from another time")
		u.tell(6, -7*3600, ``)
		refused("from another time")
		// A clock that is off stays off: three that agree are believed, and it is said.
		for i := range 3 {
			u.do(chromedp.Sleep(30 * time.Millisecond))
			u.tell(float64(8+i), 7*3600, ``)
		}
		refused("—")
		u.sees("device-state", "its clock is 7 h behind")
		assert.Contains(t, u.reading("age"), "0.")
		u.key("i")
		u.waitFor(`!` + shows("raw-readings"))
		assert.Empty(t, u.Complaints())
	})

	t.Run("the needle is smooth, and says when it cannot be trusted", func(t *testing.T) {
		u := u.in(t)
		u.do(chromedp.Navigate(p.url()+around), MapDrawn())
		u.eval(fakeReceiver)
		u.click("follow-me")
		u.key("i")
		u.tell(0, 0, ``)
		assert.Equal(t, "—", u.reading("needle"))
		u.do(u.Turned(90)) // a device that does not know north
		u.waitFor(`document.querySelector('[data-reading="needle, trust"]').innerText === 'relative'`)
		assert.Equal(t, "—", u.reading("heading shown"))
		u.sees("device-state", "figure of eight")
		turn := func(heading float64) {
			u.eval(fmt.Sprintf(`dispatchEvent(new DeviceOrientationEvent('deviceorientationabsolute', `+
				`{alpha: %v, beta: 0, gamma: 0, absolute: true})), 1`, 360-heading))
		}
		for i := range 40 { // it trembles by 20 degrees
			turn(80 + float64(i%2)*20)
			u.do(chromedp.Sleep(20 * time.Millisecond))
		}
		u.waitFor(`document.querySelector('[data-reading="needle, trust"]').innerText === 'good'`)
		var needle float64
		_, err := fmt.Sscanf(u.reading("needle"), "%f", &needle)
		require.NoError(t, err)
		assert.InDelta(t, 90, needle, 6)
		assert.Contains(t, u.reading("heading shown"), "E")
		// Walking south while it shows east, it is not believed.
		for i := range 14 {
			u.tell(-float64(i)*1.4, 0, `, heading: 180, speed: 1.4`)
			u.do(chromedp.Sleep(15 * time.Millisecond))
		}
		u.waitFor(`document.querySelector('[data-reading="needle, trust"]').innerText === 'against course'`)
		assert.Contains(t, u.reading("heading shown"), "180° S", "who moves goes where he goes")
		assert.Empty(t, u.Complaints())
	})
}

// TestAPhone pairs a browser that is not on this machine, as far as the server can see, by the link of the terminal.
func TestAPhone(t *testing.T) {
	p := newProgram(t)
	p.args = []string{"--phone=127.0.0.1:0"}
	p.start()
	link := ""
	require.Eventually(t, func() bool {
		m := regexp.MustCompile(`On a phone in this network: (\S+)`).FindStringSubmatch(p.output())
		if m != nil {
			link = m[1]
		}
		return m != nil
	}, patience, 50*time.Millisecond)
	assert.Contains(t, p.output(), "▀", "a QR code stands in the terminal")
	phone := newUser(t, 390, 844)
	phone.do(phone.Size(390, 844, true), phone.TrustAll(), chromedp.Navigate(link), MapDrawn())
	assert.Equal(t, true, phone.eval(`isSecureContext`))
	assert.Equal(t, "", phone.eval(`location.hash`), "the code is not kept")
	assert.Equal(t, true, phone.eval(shows("menu")))
	second := newUser(t, 390, 844)
	second.do(second.TrustAll(), chromedp.Navigate(link))
	second.waitFor(`document.body.innerText.includes('this link has been used')`)

	// The page makes more of them.
	u := newUser(t, 1280, 800)
	u.enter(p, "/around")
	u.key("I")
	u.do(chromedp.WaitVisible(At("qr")))
	another := fmt.Sprint(u.eval(`document.querySelector('[data-test=phone-link]').innerText`))
	assert.NotEqual(t, link, another)
	second.do(chromedp.Navigate("about:blank"), chromedp.Navigate(another), MapDrawn())
	assert.Empty(t, u.Complaints())
}

// track is a GPX file of a walk of n points, with times or without.
func track(t *testing.T, n int, timed bool) string {
	t.Helper()
	text := `<gpx version="1.1" xmlns="http://www.topografix.com/GPX/1/1"><trk><name>Evening walk</name><trkseg>`
	for i := range n {
		text += fmt.Sprintf(`<trkpt lat="%.6f" lon="%.6f">`, squareLat+float64(i)*1.3e-5, squareLng)
		if timed {
			text += time.Date(2026, 5, 1, 18, 0, i, 0, time.UTC).Format(`<time>2006-01-02T15:04:05Z</time>`)
		}
		text += `</trkpt>`
	}
	file := filepath.Join(t.TempDir(), "walk.gpx")
	require.NoError(t, os.WriteFile(file, []byte(text+`</trkseg></trk></gpx>`), 0o600))
	return file
}

type kept struct {
	Rehearsals []struct {
		ID, Name  string
		Fixes     int
		DurationS float64 `json:"duration_s"`
		Seed      int
	}
}

func TestAJourneyIsRehearsed(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1000, 620)
	elapsed := `(s => { const [m, r] = s.split(' / ')[0].split(':').map(Number); return m * 60 + r })` +
		`(document.querySelector('[data-test=elapsed]').innerText)`
	const spoken = `(() => { window.spoken = []; window.SpeechSynthesisUtterance = function (t) { this.text = t };
		Object.defineProperty(window, 'speechSynthesis',
			{value: { speak: (u) => window.spoken.push(u.text), cancel() {} }})
		navigator.wakeLock.request = async (k) => { window.awake = k; return { addEventListener() {},
			removeEventListener() {}, release: async () => {},
		released: false } } })(), 1`

	t.Run("one action from the first page", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, "/")
		u.click("first-rehearsal")
		u.waitFor(shows("road-book") + ` && ` + elapsed + ` > 3`)
		u.sees("device", "Simulated")
		u.sees("remaining", "simulated")
	})

	t.Run("play, pause, step, scrub, faster", func(t *testing.T) {
		u := u.in(t)
		u.key("p")
		u.sees("play", "Play")
		at := u.number(elapsed)
		u.do(chromedp.Sleep(400 * time.Millisecond))
		assert.Equal(t, at, u.number(elapsed), "it stands")
		u.key("x")
		u.key("x")
		u.waitFor(fmt.Sprintf(`Math.abs(%s - %v) <= 2.5 && %s > %v`, elapsed, at+2, elapsed, at))
		u.key("X")
		u.set("scrub", "300", "input")
		u.waitFor(elapsed + ` === 300`)
		u.waitFor(`parseFloat(document.querySelector('[data-test=remaining]').innerText) < 1.6`)
		u.waitFor(`new URLSearchParams(location.search).get('second') === '300'`)
		for range 3 {
			u.key(">")
		}
		assert.Equal(t, "60", u.eval(`document.querySelector('[data-test=speed]').value`))
		u.do(chromedp.Reload(), MapDrawn())
		u.waitFor(shows("road-book") + ` && ` + elapsed + ` === 300`) // the link opens it there, halted
		assert.Equal(t, true, u.eval(`document.querySelector('[data-test=play]').innerText.startsWith('Play')`))
		assert.Empty(t, u.Complaints())
	})

	t.Run("spoken, on the whole way and back, until arrival", func(t *testing.T) {
		u := u.in(t)
		u.eval(spoken)
		u.key("V")
		u.waitFor(`document.querySelector('[data-test=voice]').innerText.includes('on')`)
		u.click("whole-way")
		u.sees("whole-way", "Back")
		u.waitFor(`window.viandanteChart.view.zoom < 16.5`)
		u.click("whole-way")
		u.waitFor(`window.viandanteChart.following && window.viandanteChart.view.zoom >= 16.5`)
		before := u.number(`parseFloat(document.querySelector('[data-test=remaining]').innerText)`)
		u.set("scrub", "960", "input")
		u.set("speed", "60", "change")
		u.key("p")
		u.waitFor(`document.querySelector('[data-test=to-next]').innerText === 'There'`)
		assert.Less(t, u.number(`parseFloat(document.querySelector('[data-test=remaining]').innerText)`), before+20)
		said := fmt.Sprint(u.eval(`spoken.join(' | ')`))
		assert.Regexp(t, `In \d+ metres: (Left|Right|Go on|Slight|Sharp)`, said)
		assert.Regexp(t, ` now\.`, said)
		assert.Contains(t, said, "You have arrived at ")
		u.click("end-journey")
		u.waitFor(`!` + shows("road-book"))
		u.click("close-rehearsal")
		u.waitFor(`!` + shows("device"))
		assert.Empty(t, u.Complaints())
	})

	t.Run("a wrong turn is noticed, and a new way is led", func(t *testing.T) {
		u := u.in(t)
		var all kept
		p.get("/v1/rehearsals", &all)
		id := ""
		for _, r := range all.Rehearsals {
			if regexp.MustCompile("wrong turn").MatchString(r.Name) {
				id = r.ID
			}
		}
		u.do(chromedp.Navigate(p.url()+"/journey/rehearsals"), MapDrawn())
		u.eval(spoken)
		u.eval(`window.told = [], new MutationObserver(() => told.push(document.querySelector('[data-test=notice]')?.` +
			`innerText)).observe(document.querySelector('main'), ` +
			`{childList: true, subtree: true, characterData: true}), 1`)
		u.eval(`[...document.querySelectorAll('[data-test=rehearsals] li')].find(` +
			`l => l.innerText.includes('wrong turn')).querySelector('[data-test=play-kept]').click(), 1`)
		u.waitFor(shows("road-book"))
		u.set("speed", "60", "change")
		u.waitFor(`told.some(t => t?.includes('You have left the way. A new way: '))`)
		assert.NotEmpty(t, id)
		assert.Equal(t, "screen", u.eval(`window.awake`))
		assert.Empty(t, u.Complaints())
	})

	t.Run("a report is sent in two taps, and kept from the spot", func(t *testing.T) {
		u := u.in(t)
		u.key("p")
		u.do(u.Size(390, 844, true))
		u.click("report")
		u.click("report-0")
		u.sees("notice", "Saved “Blocked")
		var got struct {
			Features []struct {
				Properties map[string]any
				Geometry   struct{ Coordinates []float64 }
			}
		}
		require.Equal(t, 200, p.get("/ogc/collections/reports/items", &got))
		require.Len(t, got.Features, 1)
		r := got.Features[0]
		assert.Equal(t, "blocked", r.Properties["report"])
		assert.Equal(t, "simulated", r.Properties["source"])
		assert.Greater(t, r.Properties["accuracy_m"], 3.0)
		assert.NotEmpty(t, r.Properties["fixed_at"])
		fix := u.eval(`JSON.stringify(window.viandanteGuide.device.fix.at)`)
		var at struct{ Lat, Lng float64 }
		require.NoError(t, json.Unmarshal([]byte(fix.(string)), &at))
		assert.InDelta(t, at.Lat, r.Geometry.Coordinates[1], 3e-4) // the page may show the fix before
	})

	t.Run("on a phone, upright and sideways, everything is in reach", func(t *testing.T) {
		u := u.in(t)
		for _, size := range [][2]int{{390, 844}, {844, 390}} {
			u.do(u.Size(size[0], size[1], true), chromedp.Sleep(300*time.Millisecond))
			for _, name := range []string{"whole-way", "report", "voice", "end-journey", "to-next", "play", "scrub",
				"speed", "close-rehearsal", "step"} {
				assert.Equal(t, true, u.eval(fmt.Sprintf(`(e => { const b = e.getBoundingClientRect(); `+
					`return b.left >= 0 && b.top >= 0 && b.right <= innerWidth + 0.5 && `+
					`b.bottom <= innerHeight + 0.5 && b.width > 0 && `+
					`e.contains(document.elementFromPoint(b.left + b.width / 2, b.top + b.height / 2)) })`+
					`(document.querySelector('[data-test="%s"]'))`, name)), "%s at %v", name, size)
			}
			for _, name := range []string{"whole-way", "report", "voice", "end-journey"} {
				tall := u.number(`document.querySelector('[data-test="` + name + `"]').offsetHeight`)
				assert.GreaterOrEqual(t, tall, 44.0, name)
			}
		}
		u.do(u.Size(1000, 620, false))
		u.click("end-journey")
		u.click("close-rehearsal")
	})

	// The benchmark's own journeys, a few of them: what is shown is held to the truth that a rehearsal knows.
	t.Run("the right step is shown, wrong turns are noticed, nothing else is", func(t *testing.T) {
		u := u.in(t)
		script, err := os.ReadFile("../bench/journeys.js")
		require.NoError(t, err)
		u.do(chromedp.Navigate(p.url()+"/around?v=-38.3,-26.6,12"), MapDrawn())
		u.eval(string(script) + ";1")
		got, err := chromedp.Run(u.Ctx, chromedp.Evaluate[struct {
			Right, Shown, NearestRight, FalseWays, Missed, Arrived int
			Noticed                                                []float64
		}](`viandanteJourneys(6, 10, 7)`, chromedp.EvalAwaitPromise))
		require.NoError(t, err)
		assert.Greater(t, float64(got.Right), 0.97*float64(got.Shown))
		assert.GreaterOrEqual(t, got.Right, got.NearestRight)
		assert.LessOrEqual(t, got.FalseWays, 1)
		assert.Zero(t, got.Missed)
		assert.Equal(t, 6, got.Arrived)
		require.NotEmpty(t, got.Noticed)
		for _, s := range got.Noticed {
			assert.LessOrEqual(t, s, 15.0)
		}
	})

	t.Run("kept, of one's own way and of a recorded track; the same seed is the same journey", func(t *testing.T) {
		u := u.in(t)
		to := fmt.Sprintf("/journey/rehearsals?from=%v,%v&to=%v,%v&toName=Mill&by=foot", squareLat, squareLng,
			squareLat-0.004, squareLng+0.003)
		u.do(chromedp.Navigate(p.url()+to), MapDrawn())
		u.fill("seed", "77")
		u.click("rehearse-way")
		u.waitFor(shows("road-book"))
		u.sees("rehearsal-name", "On foot to Mill")
		u.click("end-journey")
		u.click("close-rehearsal")
		u.do(chromedp.Navigate(p.url()+to), MapDrawn())
		u.fill("seed", "77")
		u.click("rehearse-way")
		u.waitFor(shows("road-book"))
		u.click("end-journey")
		u.click("close-rehearsal")
		var all kept
		p.get("/v1/rehearsals", &all)
		var tracks []string
		for _, r := range all.Rehearsals {
			if r.Seed == 77 {
				tracks = append(tracks, string(p.bytes("/v1/rehearsals/"+r.ID+"/track?start=2026-01-01T00:00:00Z")))
			}
		}
		require.Len(t, tracks, 2)
		assert.Equal(t, tracks[0], tracks[1])

		u.do(chromedp.Navigate(p.url()+"/journey/rehearsals"), MapDrawn())
		u.do(chromedp.SetUploadFiles(At("gpx-file"), []string{track(t, 90, true)}))
		u.sees("rehearsal-name", "Evening walk")
		u.sees("elapsed", "/ 01:29")
		u.click("close-rehearsal")
		u.do(chromedp.SetUploadFiles(At("gpx-file"), []string{track(t, 0, true)}))
		u.sees("notice", "no positions")
		u.Complaints() // the browser's own line about the refusal
		u.do(chromedp.SetUploadFiles(At("gpx-file"), []string{track(t, 1, false)}))
		u.sees("elapsed", "/ 00:59") // one point is stood on
		u.click("close-rehearsal")
		first := `document.querySelector('[data-test=rehearsals] li')`
		u.waitFor(first)
		u.click("rename")
		u.fill("rename-field", "Standing still")
		u.key("\r")
		u.waitFor(first + `.innerText.includes('Standing still')`)
		u.click("drop-rehearsal")
		u.waitFor(`!` + first + `.innerText.includes('Standing still')`)
		u.click("undo")
		u.waitFor(first + `.innerText.includes('Standing still')`)
		assert.Empty(t, unasked(u.Complaints()))
	})
}
