package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"testing"

	"github.com/chromedp/cdproto/accessibility"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// state is something that the page may show, reached by keys alone from the first page.
type state struct {
	name string
	keys []string
	// there is true in JavaScript when the page shows it.
	there string
}

func shows(name string) string { return `!!document.querySelector('[data-test="` + name + `"]')` }

var states = []state{
	{"first page", nil, shows("first-steps")},
	{"place", []string{"."}, shows("more")},
	{"place unfolded", []string{".", "M"}, shows("place-all")},
	{"new place", []string{"K"}, shows("form")},
	{"place in edit", []string{".", "e"}, shows("form")},
	{"area being drawn", []string{"A"}, shows("shape-field")},
	{"list", []string{"L"}, shows("row-Acorn Pump")},
	{"list with a place", []string{"L", "."}, shows("more") + " && " + shows("row-Acorn Pump")},
	{"list with some chosen", []string{"L"}, shows("row-Acorn Pump")},
	{"collections", []string{"S"}, shows("collections")},
	{"bin", []string{"Z"}, shows("restore-Binned")},
	{"layers", []string{"v"}, shows("layers-page")},
	{"spot", []string{"m", "\r"}, shows("spot-label")},
	{"around", []string{"s"}, shows("nearby")},
	{"around with a place", []string{"s", "."}, shows("nearby") + " && " + shows("more")},
	{"journey", []string{"j"}, shows("steps")},
	{"journey with a place", []string{"j", "."}, shows("steps") + " && " + shows("more")},
	{"rehearsals", []string{"J"}, shows("rehearsals")},
	{"raw readings", []string{"i"}, shows("raw-readings")},
	{"under way", []string{"p", "p"}, shows("road-book") + " && " + shows("play")},
	{
		"wire",
		[]string{"s", "w"},
		shows("nearby") + ` && document.querySelector('[data-test=wire]').getAttribute('aria-expanded') === 'true'`,
	},
	{"readings", []string{"/", "great harbour"}, shows("readings")},
	{"keys", []string{"?"}, shows("keys-close")},
}

// Every state at every size: each control can be reached, the frame stands still, letters can be read, and it can be
// gone through by keyboard and by ear.
func TestEveryState(t *testing.T) {
	p := newProgram(t)
	p.start()
	const id = "0198f0a0-0000-7000-8000-00000000b100"
	require.Equal(
		t,
		201,
		p.send(
			"PUT",
			"/ogc/collections/posts/items/"+id,
			`{"type":"Feature","geometry":{"type":"Point","coordinates":[-26.1,-38.05]},`+
				`"properties":{"name":"Binned"}}`,
			nil,
			nil,
		),
	)
	require.Equal(
		t,
		204,
		p.send("DELETE", "/ogc/collections/posts/items/"+id, "", map[string]string{"If-Match": "*"}, nil),
	)
	script, err := os.ReadFile("states.js")
	require.NoError(t, err)

	u := newUser(t, 1280, 800)
	u.do(u.Prefer("prefers-reduced-motion", "reduce"))
	list := func(expression string) (out []string) {
		v, err := chromedp.Run(u.Ctx, chromedp.Evaluate[[]string](expression))
		require.NoError(t, err)
		return v
	}
	u.enter(p, "/around?v=-38.3,-26.6,12")
	for _, s := range states {
		t.Run(s.name, func(t *testing.T) {
			u := u.in(t)
			u.do(
				u.Size(1280, 800, false),
				chromedp.Navigate(p.url()+"/around?v=-38.3,-26.6,12"),
			) // at sea, where there is little to draw
			u.waitFor(
				shows(
					"first-steps",
				) + ` && window.viandanteChart && document.querySelectorAll('[data-test=first-steps] li').length === 6`,
			)
			u.eval(string(script) + ", 1")
			u.waitFor(`!!document.querySelector('[data-test=first-way]')`)
			for _, k := range s.keys {
				u.key(k)
				u.do(Shown())
				switch k {
				case ".":
					u.waitFor(shows("more"))
				case "p":
					u.waitFor(shows("road-book"))
				}
			}
			u.waitFor(s.there)
			if s.name == "list with some chosen" {
				u.eval(`document.querySelectorAll('[data-test=list-rows] input')[1].click(), 1`)
				u.waitFor(shows("chosen-count"))
			}
			u.eval(
				`(() => { window.viandanteChart.invalidate = () => {} })(), 1`,
			) // what the map shows makes no difference here, and drawing it takes long
			for _, size := range []struct {
				width, height int
				phone         bool
			}{{844, 390, true}, {390, 844, true}, {1280, 800, false}} {
				u.do(u.Size(size.width, size.height, size.phone), Shown())
				at := fmt.Sprintf("at %d by %d", size.width, size.height)
				assert.Empty(t, list(`window.states.outOfReach()`), at)
				if size.width == 390 {
					u.tabThrough(at)
				}
			}
			for _, time := range []bool{true, false} {
				u.do(u.Night(time), Shown())
				u.waitFor(fmt.Sprintf(`(document.documentElement.style.colorScheme === 'dark') === %v`, time))
				assert.Empty(t, list(`window.states.pale()`), "by night: %v", time)
			}
			assert.Empty(t, list(`window.states.strange()`), "words on buttons")
			assert.Empty(t, u.unnamed(), "controls that cannot be told by ear")
			assert.Empty(t, unasked(u.Complaints()))
		})
	}
}

// tabThrough goes once through everything by the Tab key.
func (u *user) tabThrough(at string) {
	u.t.Helper()
	type focus struct {
		Number          int
		What, Strayed   string
		Marked, Reached bool
	}
	first, last, same := 0, 0, 0
	visited := map[int]bool{}
	for range 250 {
		u.key("\t")
		f, err := chromedp.Run(u.Ctx, chromedp.Evaluate[*focus](`window.states.focused()`))
		require.NoError(u.t, err)
		if f == nil { // the browser's own controls
			continue
		}
		if f.Number == last { // the parts of a date; or there is nothing else
			if same++; same > 8 {
				break
			}
			continue
		}
		last, same = f.Number, 0
		if first == 0 {
			first = f.Number
		} else if visited[f.Number] {
			require.Equal(u.t, first, f.Number, "%s: the Tab key is caught at %s", at, f.What)
			break
		}
		visited[f.Number] = true
		assert.True(u.t, f.Marked, "%s: %s does not show that it has the focus", at, f.What)
		assert.True(u.t, f.Reached, "%s: %s has the focus and cannot be seen", at, f.What)
		assert.Empty(u.t, f.Strayed, "%s: the frame has scrolled at %s", at, f.What)
	}
	left, err := chromedp.Run(u.Ctx, chromedp.Evaluate[[]string](`window.states.tabbable()`))
	require.NoError(u.t, err)
	assert.Empty(u.t, left, "%s: the Tab key does not come by", at)
}

// unnamed returns the controls of the accessibility tree that have no name.
func (u *user) unnamed() (out []string) {
	u.t.Helper()
	tree, err := chromedp.Call(u.Ctx, accessibility.GetFullAXTree, accessibility.GetFullAXTreeParams{})
	require.NoError(u.t, err)
	text := func(v *accessibility.Value) (s string) {
		if v != nil {
			_ = json.Unmarshal(v.Value, &s) // what is no text has no name
		}
		return s
	}
	controls := []string{
		"button",
		"link",
		"textbox",
		"searchbox",
		"combobox",
		"checkbox",
		"radio",
		"slider",
		"spinbutton",
		"menuitem",
		"listbox",
		"switch",
		"application",
		"dialog",
		"grid",
		"radiogroup",
		"navigation",
		"region",
		"complementary",
	}
	found := 0
	for _, n := range tree.Nodes {
		if n.Ignored || !slices.Contains(controls, text(n.Role)) {
			continue
		}
		found++
		if text(n.Name) == "" {
			out = append(out, text(n.Role)+" "+string(n.NodeID))
		}
	}
	require.Positive(u.t, found)
	return out
}
