package e2e

import (
	"fmt"
	"net/url"
	"strings"
	"syscall"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// typed writes into the field that has the focus, a letter at a time.
func (u *user) typed(text string) {
	u.t.Helper()
	for _, c := range text {
		u.eval(fmt.Sprintf(`document.execCommand('insertText', false, %q), 1`, string(c)))
	}
}

// Whatever stands in the one line while somebody types is answered, and is no error in the console.
func TestTheLineUnderstandsWhatIsTyped(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/around")
	u.do(MapDrawn())
	u.click("line")
	u.typed("gret harbor str 5, varow")
	u.sees("readings", "Great Harbour Street 5, 4100 Varrowby")
	u.sees("readings", "gret read as Great")
	clear := func() {
		u.eval(`document.querySelector('[data-test=line]').select(), document.execCommand('delete'), 1`)
	}
	for text, sees := range map[string]string{"4100": "postcode", "Varrow Haven": "also called Varrow Haven",
		"corner of Mill Lane and Island Road": "crossing", "geo:-38.1,-26": "position", "West Hundred": "district",
		"Great Harbour Street 9999": "not on the map"} {
		clear()
		u.typed(text)
		u.sees("readings", sees)
	}
	for _, text := range []string{"xyzzy frobnitz", "38°", "12,", "-", "(((", "\u202eabc", "a\u0301\u0301",
		"'; DROP TABLE"} {
		clear()
		u.typed(text)
		u.waitFor(`document.querySelector('[data-test=understood]').innerText.length > 3`)
	}
	clear()
	u.typed("xyzzy frobnitz")
	u.sees("nothing-found", "“frobnitz” led nowhere")
	u.do(u.Size(390, 844, true))
	u.sees("nothing-found", "led nowhere") // where there is no room beside the line, too
	assert.Empty(t, u.Complaints())
}

// A click anywhere says what is true there: an address, a wood, the sea.
func TestAClickOffersItsAddress(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/around")
	u.do(MapDrawn())
	u.look(-38.02, -26.15, 16)
	u.do(MapDrawn())
	u.clickMap(-38.02, -26.15)
	u.waitFor(`/near|from/.test(document.querySelector('[data-test=spot-label]')?.innerText ?? '')`)
	var house found
	require.Equal(t, 200, p.get("/v1/geocode?limit=1&q="+url.QueryEscape("Great Harbour Street 5, Varrowby"), &house))
	c := house.Features[0].Geometry.Coordinates
	u.look(c[1], c[0], 19)
	u.do(MapDrawn())
	u.clickMap(c[1], c[0])
	u.sees("spot-label", "Great Harbour Street 5, 4100 Varrowby")
	u.key("s")
	u.sees("standpoint-address", "Great Harbour Street 5")
	assert.Empty(t, u.Complaints())
}

// Addresses are pasted, the sure ones placed, and the others looked through with a key each; every one is undone.
func TestAddressesAreLookedThrough(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/places/addresses")
	u.do(MapDrawn())
	u.click("paste-addresses")
	u.click("address-lines")
	lines := []string{"Great Harbour Street 5, 4100 Varrowby", "Mill Lane 3", "Mill Lane 1", "Great Harbour Street",
		"Island Road, Varrowby", "xyzzy frobnitz 3", "Ms Ida Penn, Great Harbour Street 7, 4100 Varrowby, Farland"}
	u.eval(fmt.Sprintf(`document.execCommand('insertText', false, %q), 1`, strings.Join(lines, "\n")))
	u.click("take-lines")
	u.sees("lookup", "2 placed, 4 doubtful, 1 not found")
	state := func(name string) (string, bool) {
		var list struct {
			Features []struct {
				Geometry   any
				Properties struct {
					Name  string
					Found struct{ State string } `json:"address_found"`
				}
			}
		}
		require.Equal(t, 200, p.get("/ogc/collections/addresses/items?limit=50", &list))
		for _, f := range list.Features {
			if f.Properties.Name == name {
				return f.Properties.Found.State, f.Geometry != nil
			}
		}
		return "none", false
	}
	becomes := func(name, want string, placed bool) {
		t.Helper()
		p.eventually(name+" is "+want, func() bool { s, at := state(name); return s == want && at == placed })
	}
	becomes("Great Harbour Street 5", "sure", true)
	becomes("xyzzy frobnitz 3", "nothing", false)
	hand := func() string { return strings.TrimSpace(u.text("review-query")) }
	next := func(was string) {
		t.Helper()
		u.waitFor(fmt.Sprintf(`document.querySelector('[data-test=review-query]')?.innerText.trim() !== %q`, was))
	}
	u.waitFor(`document.querySelectorAll('[data-test=candidates] li').length > 0`)
	u.do(chromedp.WaitVisible(At("candidate-mark")))

	first := hand()
	u.key("\r") // accept
	next(first)
	becomes(first, "accepted", true)
	second := hand()
	if u.number(`document.querySelectorAll('[data-test=candidates] li').length`) > 1 {
		u.key("2")
		next(second)
		becomes(second, "chosen", true)
	} else {
		u.key("1")
		next(second)
		becomes(second, "accepted", true)
	}
	third := hand()
	u.key("x") // skip
	next(third)
	becomes(strings.Split(third, ",")[0], "skipped", false)
	u.waitFor(`document.querySelector('[data-test=queue-doubtful]').innerText.startsWith('1')`)
	u.key("u") // undo
	becomes(strings.Split(third, ",")[0], "doubtful", false)
	u.waitFor(`document.querySelector('[data-test=queue-doubtful]').innerText.startsWith('2')`)
	u.waitFor(`document.querySelectorAll('[data-test=candidates] li').length > 0`)
	u.settled()
	fourth := hand()
	u.key("h") // by hand
	u.sees("by-hand", "Click on the map")
	u.look(-38.1, -26.2, 14)
	u.do(MapDrawn())
	u.clickMap(-38.1, -26.2)
	next(fourth)
	becomes(strings.Split(fourth, ",")[0], "by_hand", true)
	u.click("queue-nothing")
	u.sees("review", "xyzzy frobnitz 3")

	u.click("undo-lookup")
	p.eventually("what the lookup did is undone", func() bool {
		s,
			_ := state("Great Harbour Street 5")
		return s == ""
	})
	becomes(strings.Split(fourth, ",")[0], "by_hand", true) // it was changed since
	assert.Empty(t, u.Complaints())
}

// A lookup goes on after the server was killed in the middle of it.
func TestALookupOutlivesTheServer(t *testing.T) {
	p := newProgram(t)
	p.start()
	var csv strings.Builder
	csv.WriteString("code,name,address\n")
	const n = 4000
	for i := range n {
		fmt.Fprintf(&csv, "%d,House %d,\"Great Harbour Street 5, 4100 Varrowby\"\n", i, i)
	}
	const file = "/v1/imports/019b0000-0000-7000-8000-000000000001?collection=houses&title=Houses&name=h.csv"
	require.Equal(t, 200, p.send("PUT", file, csv.String(), map[string]string{"Content-Type": "text/csv"}, nil))
	const lookup = "/v1/lookups/019b0000-0000-7000-8000-000000000002"
	require.Equal(t, 200, p.send("PUT", lookup, `{"collection":"houses"}`,
		map[string]string{"Content-Type": "application/json"}, nil))
	var now struct {
		State  string
		Placed int
	}
	p.eventually("some are placed", func() bool { p.get(lookup, &now); return now.Placed > 0 })
	p.stop(syscall.SIGKILL)
	p.start()
	p.eventually("all are placed", func() bool { p.get(lookup, &now); return now.State == "done" })
	assert.Equal(t, n, now.Placed)
}
