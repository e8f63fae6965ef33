package e2e

import (
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// east returns a position so many metres east of the square.
func east(metres float64) (lat, lng float64) { return squareLat, squareLng + metres/87600 }

// at puts the user's receiver so many metres east of the square.
func (u *user) at(metres float64) {
	u.t.Helper()
	lat, lng := east(metres)
	u.do(u.Located(lat, lng, 6, -1, 0))
}

// invited opens an invitation in a browser of its own and joins under a name.
func invited(t *testing.T, p *program, host *user, name string) *user {
	t.Helper()
	host.eval(`document.querySelector('[data-test=another-invitation]')?.click(), 1`)
	host.waitFor(`document.querySelector('[data-test=invitation]') && document.querySelector(
		'[data-test=invitation]').innerText !== (window.lastInvitation ?? '')`)
	link := host.eval(`window.lastInvitation = document.querySelector('[data-test=invitation]').innerText`).(string)
	require.True(t, strings.HasPrefix(link, p.url()+"/join#invitation="), link)
	u := newUser(t, 390, 844)
	u.do(u.Permit("granted"))
	u.do(chromedp.Navigate(link))
	u.sees("join-title", "You are invited to “Walk”")
	assert.NotContains(t, fmt.Sprint(u.eval(`location.href`)), "invitation", "the code does not stay in the history")
	u.fill("join-name", name)
	u.click("join")
	u.do(MapDrawn())
	u.sees("party-summary", "")
	return u
}

// row is an expression for the line of somebody in the list.
func row(name string) string {
	return fmt.Sprintf(`[...document.querySelectorAll('[data-row]')].find(r => r.innerText.includes(%q))`,
		name)
}

// Two who were invited see each other move, in the browser of a third; one leaves and is gone at once.
func TestAParty(t *testing.T) {
	p := newProgram(t)
	p.start()
	host := newUser(t, 1280, 800)
	host.enter(p, fmt.Sprintf("/party?v=%v,%v,16&from=%v,%v&fromName=Square", squareLat, squareLng, squareLat,
		squareLng))
	host.do(MapDrawn())

	t.Run("eight wardens, one without a position", func(t *testing.T) {
		u := host.in(t)
		u.waitFor(`document.querySelectorAll('[data-test=people] [data-row]').length === 8`)
		u.waitFor(`document.querySelectorAll('[data-fresh=live]').length >= 6`)
		assert.InDelta(t, 1, u.number(`document.querySelectorAll('[data-fresh=none]').length`), 0)
		assert.Contains(t, u.eval(`document.querySelector('[data-test=people] li:last-child').innerText`), "Sal Venn")
		u.click("show-everybody")
		u.waitFor(`window.viandanteChart.view.zoom < 13`)
		before := u.eval(row("Ness Harrow") + `.innerText`)
		u.waitFor(fmt.Sprintf(`%s.innerText !== %q`, row("Ness Harrow"), before))
		u.eval(row("Ida Marrow") + `.click(), 1`)
		u.waitFor(`new URLSearchParams(location.search).get('who')`)
		u.waitFor(`window.viandanteChart.view.zoom >= 15`)
		u.key("(")
		u.key(")")
		u.do(chromedp.Reload(), MapDrawn())
		u.waitFor(row("Ida Marrow") + `?.getAttribute('aria-expanded') === 'true'`)
		assert.Empty(t, u.Complaints())
	})

	host.click("new-party")
	host.waitFor(`document.querySelector('#party-title').innerText === 'Party'`)
	host.click("party-settings")
	host.set("party-name", "Walk", "change")
	host.waitFor(`document.querySelector('#party-title').innerText === 'Walk'`)
	host.click("invite")
	ann, ben := invited(t, p, host, "Ann Reed"), invited(t, p, host, "Ben")
	host.key("\x1b")
	host.waitFor(`!` + shows("invitation"))

	t.Run("two see each other move", func(t *testing.T) {
		ann, ben := ann.in(t), ben.in(t)
		ann.at(0)
		ben.at(200)
		ann.click("share")
		ben.click("share")
		for _, one := range []struct {
			u    *user
			name string
		}{{ann, "Ben"}, {ben, "Ann Reed"}, {host.in(t), "Ann Reed"}, {host.in(t), "Ben"}} {
			one.u.waitFor(fmt.Sprintf(`%s?.dataset.fresh === 'live'`, row(one.name)))
		}
		host.in(t).waitFor(row("Ben") + `.innerText.includes('200 m')`)
		ben.at(320)
		began := time.Now()
		host.in(t).waitFor(row("Ben") + `.innerText.includes('320 m')`)
		t.Logf("seen after %v", time.Since(began).Round(10*time.Millisecond))
		ann.waitFor(fmt.Sprintf(`(p => p && Math.abs(p.lng - %v) < 1e-5)(window.viandanteParty?.find(p => p.name ===
			'Ben')?.at)`, squareLng+320/87600.0))
		// A guest sees his party, and nothing else that is kept.
		assert.Equal(t, false, ann.eval(shows("bench-places")))
		assert.Equal(t, false, ann.eval(shows("to-watches")))
		assert.InDelta(t, 2, ann.number(`document.querySelectorAll('[data-test=people] [data-row]').length`), 0)
	})

	t.Run("who is nearest to what is selected", func(t *testing.T) {
		u := host.in(t)
		first := `document.querySelector('[data-test=people] [data-row]').innerText`
		u.waitFor(first + `.includes('Ann Reed')`)
		u.look(squareLat, squareLng+300/87600.0, 16)
		lat, lng := east(260)
		u.clickMap(lat+0.0012, lng)
		u.sees("party-from", "")
		u.waitFor(first + `.includes('Ben')`)
		u.key("\x1b")
	})

	t.Run("initials, or a picture", func(t *testing.T) {
		u := host.in(t)
		file := filepath.Join(t.TempDir(), "face.svg")
		require.NoError(t, os.WriteFile(file, []byte(`<svg xmlns="http://www.w3.org/2000/svg" width="40" height="40">`+
			`<rect width="40" height="40" fill="#24705F"/><circle cx="20" cy="20" r="12" fill="#fff"/></svg>`), 0o600))
		u.eval(row("Ann Reed") + `.click(), 1`)
		u.waitFor(shows("person-picture"))
		u.choose("person-picture", file)
		u.waitFor(`window.viandanteParty.find(p => p.name === 'Ann Reed').picture.length === 64`)
		ann := ann.in(t)
		ann.waitFor(`window.viandanteParty.find(p => p.name === 'Ann Reed').picture.length === 64`)
		ann.at(4) // the guest's page may read it
		ann.eval(`fetch('/v1/pictures/' + window.viandanteParty.find(p => p.name === 'Ann Reed').picture).then(
			r => { window.pictureStatus = r.status }), 1`)
		ann.waitFor(`window.pictureStatus === 200`)
	})

	t.Run("what could not be sent is sent later", func(t *testing.T) {
		ben := ben.in(t)
		p.stop(9)
		ben.at(330)
		ben.waitFor(`document.querySelector('[data-test=own-share]').innerText.includes('waiting to be sent')`)
		ben.at(340)
		p.start()
		host := host.in(t)
		host.waitFor(fmt.Sprintf(`%s?.innerText.includes('340 m')`, row("Ben")))
		ben.waitFor(`!document.querySelector('[data-test=own-share]').innerText.includes('waiting to be sent')`)
	})

	t.Run("who stops sharing has no position, who leaves is gone at once", func(t *testing.T) {
		ann, ben, host := ann.in(t), ben.in(t), host.in(t)
		ann.waitFor(row("Ben") + `?.dataset.fresh === 'live'`)
		ben.click("stop-sharing")
		began := time.Now()
		ann.waitFor(row("Ben") + `?.dataset.fresh === 'silent'`)
		host.waitFor(row("Ben") + `?.dataset.fresh === 'silent'`)
		ben.click("leave-party")
		ann.waitFor(`!` + row("Ben"))
		host.waitFor(`!` + row("Ben"))
		t.Logf("gone after %v", time.Since(began).Round(10*time.Millisecond))
		ben.waitFor(shows("enter-demo")) // he is signed out
		assert.Empty(t, besidesOutages(ann))
	})
}

// besidesOutages returns what a page complained of, apart from the server that was killed.
func besidesOutages(u *user) (out []string) {
	for _, c := range u.Complaints() {
		if !strings.Contains(c, "net::ERR_") && !strings.Contains(c, "status of 503") {
			out = append(out, c)
		}
	}
	return out
}

func TestWatches(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.do(u.Permit("granted"))
	u.at(900)
	u.enter(p, fmt.Sprintf("/party/watches?v=%v,%v,15&from=%v,%v&fromName=Square&ring=0-500", squareLat, squareLng,
		squareLat, squareLng))
	u.do(MapDrawn())

	t.Run("a watch of the ring tells who enters and leaves", func(t *testing.T) {
		u := u.in(t)
		u.click("new-watch")
		u.sees("watch-site", "The ring round Square")
		u.set("watch-site", "ring", "change")
		u.waitFor(`document.querySelector('[data-test=watch-name]').value === 'Around Square'`)
		u.click("watch-places")
		u.click("save-watch")
		u.waitFor(`[...document.querySelectorAll('[data-test=watches] button')].some(b => b.innerText.startsWith(
			'Around Square'))`)
		u.sees("inside", "Inside now")
		u.waitFor(`document.querySelector('[data-test=watch-events]').innerText.includes('Nothing has entered')`)
		u.click("to-people")
		u.click("share")
		u.fill("own-name", "Me")
		u.click("share-go")
		u.waitFor(row("Me") + `?.dataset.fresh === 'live'`)
		u.at(450)
		u.click("to-watches")
		u.waitFor(`document.querySelector('[data-test=watch-events] li')?.innerText.includes('Me enters')`)
		u.waitFor(`document.querySelector('[data-test=inside]').innerText.includes('Me')`)
		u.at(505) // not beyond the margin
		u.do(chromedp.Sleep(1500 * time.Millisecond))
		assert.InDelta(t, 1, u.number(`document.querySelectorAll('[data-test=watch-events] [data-no]').length`), 0)
		u.at(600)
		u.waitFor(`document.querySelector('[data-test=watch-events] li')?.innerText.includes('Me leaves')`)
	})

	t.Run("events go on after the server was killed", func(t *testing.T) {
		u := u.in(t)
		p.stop(9)
		p.start()
		u.at(300)
		u.waitFor(`document.querySelector('[data-test=watch-events] li')?.innerText.includes('Me enters')`)
		numbers := u.eval(`[...document.querySelectorAll('[data-test=watch-events] [data-no]')].map(e => Number(
			e.dataset.no)).join(' ')`)
		var events struct{ Events []struct{ No int } }
		require.Equal(t, 200, p.get("/v1/watches/events?limit=1000", &events))
		for i, e := range events.Events {
			assert.Equal(t, i+1, e.No, "numbered without gaps")
		}
		t.Logf("shown: %v of %d", numbers, len(events.Events))
	})

	t.Run("paused, taken back, deleted", func(t *testing.T) {
		u := u.in(t)
		u.click("pause-watch")
		u.waitFor(`document.querySelector('[data-test=watches]').innerText.includes('paused')`)
		u.click("undo")
		u.waitFor(`!document.querySelector('[data-test=watches]').innerText.includes('paused')`)
		u.click("delete-watch")
		u.waitFor(`!document.querySelector('[data-test=watches]').innerText.includes('Around Square')`)
		assert.Empty(t, besidesOutages(u))
	})
}

// goBack leaves the page of the stand-in for the one before.
func (u *user) goBack() {
	u.t.Helper()
	u.do(chromedp.NavigateBack(), MapDrawn())
}

func TestOnwardLinks(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	from := fmt.Sprintf("from=%v,%v&fromName=Square", squareLat, squareLng)
	u.enter(p, fmt.Sprintf("/around?v=%v,%v,15&%s", squareLat, squareLng, from))
	u.do(MapDrawn())

	t.Run("a place, in another app and back", func(t *testing.T) {
		u := u.in(t)
		u.waitFor(`document.querySelector('[data-test=nearby] button')`)
		u.eval(`document.querySelector('[data-test=nearby] button').click(), 1`)
		u.unfold()
		u.click("open-in")
		u.waitFor(`document.querySelector('[data-test=onward-link]')?.innerText.startsWith('geo:-38')`)
		u.waitFor(`document.querySelector('[data-app^="Another app"]')`)
		u.eval(`document.querySelector('[data-app^="Another app"]').click(), 1`)
		u.waitFor(`document.querySelector('[data-test=onward-link]').innerText.includes('/receiver/show?lat=')`)
		u.click("show-qr")
		u.waitFor(`document.querySelector('[data-test=onward-qr]').naturalWidth > 0`)
		name := u.eval(`document.querySelector('#place-title').innerText`).(string)
		here := u.eval(`location.href`).(string)
		link := u.eval(`document.querySelector('[data-test=open-link]').href`).(string)
		u.do(chromedp.Navigate(link))
		u.waitFor(`document.body.innerText.includes('What arrived')`)
		assert.Contains(t, u.eval(`document.body.innerText`), name)
		u.goBack()
		assert.Equal(t, here, u.eval(`location.href`), "coming back finds everything as it was")
		u.waitFor(fmt.Sprintf(`document.querySelector('#place-title')?.innerText === %q`, name))
	})

	t.Run("a form that was open is there again", func(t *testing.T) {
		u := u.in(t)
		u.eval(`document.querySelector('[data-test=edit]').click(), 1`)
		u.waitFor(shows("name"))
		u.fill("name", "Half written")
		u.do(chromedp.Navigate(p.url() + "/stand-in/receiver?link=geo:1,2"))
		u.goBack()
		u.waitFor(`document.querySelector('[data-test=name]')?.value === 'Half written'`)
		u.key("\x1b")
	})

	t.Run("coordinates just typed", func(t *testing.T) {
		u := u.in(t)
		u.fill("line", "-38.1, -26.2")
		u.waitFor(shows("readings"))
		u.eval(`document.querySelector('[data-test=line]').dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter',
			shiftKey: true, bubbles: true })), 1`)
		u.waitFor(`document.querySelector('[data-test=onward-link]')?.innerText === 'geo:-38.1,-26.2'`)
		u.click("close-onward")
	})

	t.Run("a way, from here, by bicycle", func(t *testing.T) {
		u := u.in(t)
		u.do(chromedp.Navigate(fmt.Sprintf("%s/journey?%s&to=%v,%v&toName=%s&by=bicycle", p.url(), from, squareLat+0.01,
			squareLng, url.QueryEscape("Well & Pump, #2"))), MapDrawn())
		u.waitFor(shows("way-open-in"))
		u.click("way-open-in")
		u.waitFor(shows("from-here"))
		u.waitFor(`document.querySelector('[data-app^="Another app"]')`)
		u.eval(`document.querySelector('[data-app^="Another app"]').click(), 1`)
		u.waitFor(`document.querySelector('[data-test=onward-link]').innerText.includes('mode=bicycle')`)
		assert.Contains(t, u.eval(`document.querySelector('[data-test=onward-link]').innerText`), "from_lat=-38.11")
		assert.Contains(t, u.eval(`document.querySelector('[data-test=onward-link]').innerText`),
			"name=Well%20%26%20Pump%2C%20%232")
		u.click("from-here")
		u.waitFor(`!document.querySelector('[data-test=onward-link]').innerText.includes('from_lat')`)
		u.do(chromedp.Navigate(p.url() + fmt.Sprint(u.eval(`document.querySelector('[data-test=try-link]').getAttribute(
			'href')`))))
		u.waitFor(`[...document.querySelectorAll('[data-test=parameter]')].some(
			e => e.innerText === 'Well & Pump, #2')`)
		u.goBack()
		u.waitFor(`document.querySelector('[data-test=destination]').innerText === 'Well & Pump, #2'`)
	})

	t.Run("an app of one's own is checked while it is written", func(t *testing.T) {
		u := u.in(t)
		lat, lng := east(-300)
		u.do(chromedp.Navigate(fmt.Sprintf("%s/around?v=%v,%v,16&spot=%v,%v", p.url(), lat, lng, lat, lng)), MapDrawn())
		u.key("O")
		u.waitFor(shows("add-link"))
		u.click("add-link")
		u.fill("link-name", "Field <maps>")
		for _, half := range []string{"h", "https:", "https://maps.example/{", "javascript:alert({lat})",
			"https://maps.example/{latitude}"} {
			u.fill("link-template", half)
			u.waitFor(`document.querySelector('[data-test=link-preview]').innerText.length > 3`)
		}
		u.sees("link-preview", "it knows lat, lng")
		u.fill("link-template", "https://maps.example/at{?lat,lng,name}")
		u.sees("link-preview", "https://maps.example/at?lat=-38.")
		u.click("save-link")
		u.waitFor(`document.querySelector('[data-app="Field <maps>"]')`)
		u.click("close-onward")
		assert.Empty(t, u.Complaints(), "half-typed input is normal")
		u.key("u")
		u.key("O")
		u.waitFor(`document.querySelector('[data-app]') && !document.querySelector('[data-app="Field <maps>"]')`)
		u.click("close-onward")
	})
}

func TestEmergency(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 390, 844)
	u.do(u.Permit("granted"))
	u.at(0)
	u.enter(p, fmt.Sprintf("/around?v=%v,%v,15", squareLat, squareLng))
	u.do(MapDrawn())
	u.click("emergency-button")
	u.sees("read-out", "38.11397 south, 26.27988 west")
	u.sees("read-accuracy", "± 6 m")
	u.sees("read-address", "Varrowby")
	assert.Equal(t, "tel:+9994040112"[:8], u.eval(`document.querySelector('[data-test=call]').getAttribute(
		'href')`).(string)[:8])
	u.click("edit-contact")
	u.fill("contact-telephone", "+999 40 113")
	u.click("save-contact")
	u.waitFor(`document.querySelector('[data-test=call]')?.getAttribute('href') === 'tel:+99940113'`)
	u.key("\x1b")
	u.waitFor(`!` + shows("emergency"))
	// A short press shows, a long one calls.
	u.eval(`(window.called = [], navigation.addEventListener('navigate', e => { window.called.push(e.destination.url)
		e.preventDefault() })), 1`)
	u.eval(`document.querySelector('[data-test=emergency-button]').focus(), 1`)
	u.key("\r")
	u.waitFor(shows("emergency"))
	u.do(chromedp.Sleep(1200 * time.Millisecond))
	assert.Equal(t, "", u.eval(`window.called.join(' ')`), "a key shows it, and calls nobody")
	u.key("\x1b")
	u.waitFor(`!` + shows("emergency"))
	press := func(ms int) {
		u.eval(fmt.Sprintf(`(b => new Promise(done => {
			b.dispatchEvent(new PointerEvent('pointerdown', { bubbles: true }))
			setTimeout(() => { b.dispatchEvent(new PointerEvent('pointerup', { bubbles: true })); done(1) }, %d) }))(
			document.querySelector('[data-test=emergency-button]'))`, ms))
	}
	press(200)
	u.do(chromedp.Sleep(1200 * time.Millisecond))
	assert.Equal(t, false, u.eval(shows("emergency")))
	press(1300)
	u.waitFor(shows("emergency"))
	assert.Equal(t, "tel:+99940113", u.eval(`window.called.join(' ')`))
}
