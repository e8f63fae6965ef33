package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// kept returns the features of a kind that the server has, by name.
func (p *program) kept(query string) map[string][]any {
	p.t.Helper()
	var list struct {
		Features []struct {
			Properties map[string]any
			Geometry   *struct {
				Type        string
				Coordinates []any
			}
		}
	}
	require.Equal(p.t, 200, p.get("/v1/features?limit=1000&"+query, &list))
	out := map[string][]any{}
	for _, f := range list.Features {
		out[f.Properties["name"].(string)] = nil
		if f.Geometry != nil {
			out[f.Properties["name"].(string)] = f.Geometry.Coordinates
		}
	}
	return out
}

func TestPathsAndAreasAreDrawnAndMended(t *testing.T) {
	p := newProgram(t)
	p.start()
	const south, lng = -38.2, -26.03 // the open sea off the shore
	u := newUser(t, 1280, 800)
	u.enter(p, fmt.Sprintf("/around?v=%v,%v,15", south, lng))
	at := func(x, y float64) (float64, float64) { return south + y*0.001, lng + x*0.001 }
	clickAt := func(x, y float64) { la, ln := at(x, y); u.clickMap(la, ln) }
	dragTo := func(x1, y1, x2, y2 float64) {
		la, ln := at(x1, y1)
		lb, lo := at(x2, y2)
		ax, ay := u.pixel(la, ln)
		bx, by := u.pixel(lb, lo)
		u.do(chromedp.DragAndDropXY(ax, ay, bx, by, 6))
	}
	vertices := func(n int) { u.sees("shape-count", fmt.Sprintf("%d vertices", n)) }

	t.Run("an area: drawn, its side halved, a vertex moved and deleted, steps taken back", func(t *testing.T) {
		clickAt(-2, -1)
		u.sees("spot-label", "-38.20100")
		u.key("A")
		for _, c := range [][2]float64{{2, -1}, {2, 1}, {-2, 1}} {
			clickAt(c[0], c[1])
		}
		vertices(4)
		u.sees("shape-measure", "7.7") // 351 m by 222 m: 7.79 ha
		u.sees("shape-measure", "ha")
		u.key("\r")
		clickAt(0, 1) // the middle of the upper side
		vertices(5)
		dragTo(0, 1, 0, 2)
		u.sees("shape-measure", "9.7")
		u.key("u") // back where it was
		u.sees("shape-measure", "7.7")
		u.key("U")
		u.sees("shape-measure", "9.7")
		u.fill("name", "Gull rock <i>east</i>")
		u.click("save")
		u.sees("place-page", "Gull rock <i>east</i>")
		u.sees("place-measure", "9.7")
		assert.Len(t, p.kept("kind=area&q=gull")["Gull rock <i>east</i>"][0], 6)
	})

	t.Run("a hole, and an outline that crosses itself is mended by one key", func(t *testing.T) {
		u.click("edit")
		u.click("hole")
		for _, c := range [][2]float64{{-1, -0.5}, {1, -0.5}, {0, 0.5}} {
			clickAt(c[0], c[1])
		}
		u.key("\r")
		u.sees("shape-count", "8 vertices, 1 hole")
		u.sees("shape-measure", "8.7")
		dragTo(2, 1, 2, -1.6) // over the lower side, which it crosses now
		u.sees("fault", "the outline crosses itself")
		u.click("save")
		u.sees("notice", "crosses itself")
		u.click("uncross")
		u.waitFor(`!document.querySelector('[data-test=fault]')`)
		u.click("save")
		u.sees("place-page", "Gull rock")
		got := p.kept("kind=area&q=gull")["Gull rock <i>east</i>"]
		require.Len(t, got, 2, "the outline and its hole")
		assert.Len(t, got[0], 6, "no vertex is lost")
	})

	t.Run("an area is cut in two", func(t *testing.T) {
		u.key("u") // the mended outline; what was there before is a plain one
		u.sees("notice", "Undone")
		u.click("edit")
		vertices(5)
		clickAt(-2, -1)
		u.click("split")
		clickAt(0, 2)
		u.sees("notice", "Split")
		both := p.kept("kind=area&q=gull")
		require.Len(t, both, 2)
		assert.Len(t, both["Gull rock <i>east</i>"][0], 5, "four corners and the first again")
		assert.Len(t, both["Gull rock <i>east</i> (2)"][0], 4)
		u.key("u")
		u.sees("notice", "Undone: Split")
		assert.Len(t, p.kept("kind=area&q=gull"), 1, "one step takes both back")
	})

	t.Run("a path, cut in two; both are found by clicking them", func(t *testing.T) {
		u.key("\x1b")
		u.key("P")
		for x := -3.0; x <= 3; x++ {
			clickAt(x, 3+0.3*x)
		}
		u.sees("shape-measure", "long")
		u.key("\r")
		u.fill("name", "Buoy line")
		u.fill("attribute-warden", "Wyn Tarn") // its collection demands it
		u.click("save")
		u.sees("place-measure", "long")
		u.click("edit")
		clickAt(0, 3)
		u.click("split")
		u.sees("notice", "Split “Buoy line”")
		clickAt(-1.5, 3-0.45)
		u.waitFor(`document.querySelector('[data-test=place-page] h2')?.innerText === 'Buoy line'`)
		clickAt(1.5, 3+0.45)
		u.waitFor(`document.querySelector('[data-test=place-page] h2')?.innerText === 'Buoy line (2)'`)
		u.key("\x1b")
	})

	t.Run("a circle by its radius and its rim", func(t *testing.T) {
		clickAt(0, -3)
		u.click("draw-circle")
		u.fill("radius", "150m\r")
		u.sees("shape-measure", "7.07 ha")
		u.fill("name", "Anchorage")
		u.click("save")
		u.sees("place-measure", "7.07 ha")
		u.sees("place-measure", "942 m round")
		u.key("\x1b")
		clickAt(0.5, -3)
		u.sees("spot-areas", "Anchorage")
	})

	t.Run("by keys alone", func(t *testing.T) {
		u.key("\x1b")
		u.do(chromedp.Focus(At("map")))
		u.key("P")
		for range 3 {
			u.do(chromedp.Focus(At("map")))
			u.key(" ")
			u.eval(
				`document.activeElement.dispatchEvent(new KeyboardEvent('keydown', {key: 'ArrowRight', bubbles: ` +
					`true})), 1`,
			)
		}
		vertices(3)
		u.key("\x1b")
		u.sees("shape-told", "One vertex is in hand")
		u.key(",")
		u.do(chromedp.KeyEvent("\u007f")) // Delete
		vertices(2)
		u.key("u")
		vertices(3)
		u.key("\x1b")
		u.waitFor(`!document.querySelector('[data-test=form]')`)
	})
	_ = u.Complaints() // the refusal
}
