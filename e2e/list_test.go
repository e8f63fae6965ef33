package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// rowNames are the names in the list, as far as it is in view.
const rowNames = `[...document.querySelectorAll('[data-test=list-rows] [role=row]')].sort((a, b) => a.dataset.row - ` +
	`b.dataset.row).map(r => r.querySelector('[role=gridcell]').innerText)`

func (u *user) pick(name, value string) {
	u.t.Helper()
	u.do(chromedp.WaitVisible(At(name)))
	u.eval(
		fmt.Sprintf(
			`(() => { const s = document.querySelector('[data-test="%s"]'); s.value = %q; s.dispatchEvent(new `+
				`Event('change', {bubbles: true})); s.dispatchEvent(new Event('input', {bubbles: true})); `+
				`return 1 })()`,
			name,
			value,
		),
	)
}

// count is how many features the server has that a query selects.
func (p *program) count(query string) int {
	p.t.Helper()
	var list struct{ NumberMatched int }
	require.Equal(p.t, 200, p.get("/v1/features?limit=1&"+query, &list))
	return list.NumberMatched
}

func TestTheListAndWhatThereIsToKeep(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 1280, 800)
	u.enter(p, "/around")

	t.Run("searched, sorted, filtered, and the map led", func(t *testing.T) {
		u.key("L")
		u.sees("list-count", "120")
		u.fill("list-find", "PUMP varrowby")
		u.waitFor(`Number(document.querySelector('[data-test=list-count]').innerText.split(' ')[0]) < 30`)
		u.waitFor(rowNames + `.every(n => /Pump/.test(n))`)
		u.fill("list-find", " ")
		u.pick("list-sort", "inspected_on")
		u.sees("list-rows", "2026-03-")
		u.click("list-turn")
		u.sees("list-rows", "2026-09-")
		u.pick("list-filter", "condition")
		u.pick("list-value", "worn")
		want := p.count("where=condition:worn")
		u.sees("list-count", fmt.Sprint(want))
		u.waitFor(
			`/sort=-inspected_on.*where=condition:worn|where=condition:worn.*sort=-inspected_on/` +
				`.test(decodeURIComponent(location.search))`,
		)
		u.do(chromedp.Reload())
		u.sees("list-count", fmt.Sprint(want)) // the link has all of it
		u.pick("list-filter", "")
		u.pick("list-sort", "name")
		u.click("list-unplaced")
		u.sees("list-count", "2 without a position")
		u.sees("list-rows", "Shelter that the Harbour Trust promised")
		u.click("list-unplaced")
		u.sees("list-count", "120")
		u.click("row-Acorn Pump")
		u.sees("place-page", "Acorn Pump")
		u.waitFor(`window.viandanteChart.view.zoom >= 15 && !window.viandanteChart.moving`)
		u.key(".")
		u.sees("place-page", "Anchor Bench & Vice")
		u.key(",")
		u.sees("place-page", "Acorn Pump")
		u.waitFor(`!window.viandanteChart.moving`)
		u.click("list-follow")
		u.waitFor(`Number(document.querySelector('[data-test=list-count]').innerText.split(' ')[0]) < 40`)
		u.sees("list-rows", "Acorn Pump")
		u.click("list-follow")
		u.click("close-place")
	})

	t.Run("many are changed in one step, and taken back in one", func(t *testing.T) {
		u.fill("list-find", "fountain")
		n := p.count("q=fountain")
		require.Greater(t, n, 5)
		u.sees("list-count", fmt.Sprint(n))
		u.do(chromedp.Focus(At("list-find")), chromedp.KeyEvent("\u0301")) // Down
		u.waitFor(`document.activeElement.dataset.row === '0'`)
		u.key(" ")
		u.sees("chosen-count", "1 chosen")
		u.click("choose-all")
		u.sees("chosen-count", fmt.Sprintf("%d chosen", n))
		u.pick("set-name", "condition")
		u.pick("set-value", "needs repair")
		u.click("set")
		u.sees("notice", fmt.Sprintf("Set condition to needs repair (%d)", n))
		assert.Equal(t, n, p.count("q=fountain&where=condition:needs+repair"))
		u.click("undo")
		u.sees("notice", "Undone")
		assert.Less(t, p.count("q=fountain&where=condition:needs+repair"), n-2)
		u.click("delete-chosen")
		u.sees("notice", "Deleted")
		assert.Zero(t, p.count("q=fountain"))
		u.click("undo")
		u.sees("notice", "Undone: Deleted")
		u.sees("list-count", fmt.Sprint(n))
		u.eval(
			`document.querySelectorAll('[data-test=list-rows] input[type=checkbox]').forEach((c, i) => i < 3 && ` +
				`c.click()), 1`,
		)
		u.sees("chosen-count", "3 chosen")
		u.click("show-chosen")
		u.sees("only", "Only 3 are shown")
		u.waitFor(`window.viandanteChart.stacked.find(l => l.stones).stones.length === 3`)
		u.click("show-all")
		u.waitFor(`window.viandanteChart.stacked.find(l => l.stones).stones.length > 90`)
		u.click("choose-none")
	})

	t.Run("quick keys, for one and for several", func(t *testing.T) {
		u.fill("list-find", "lookout")
		u.sees("list-count", fmt.Sprint(p.count("q=lookout")))
		u.waitFor(rowNames + `.length > 3 && ` + rowNames + `.every(n => !/ountain/.test(n))`)
		names := u.eval(rowNames).([]any)
		for _, name := range names[:2] {
			u.click("row-" + name.(string))
			u.sees("place-page", name.(string))
			u.unfold()
			u.key("Q")
			u.key("7")
			u.sees("quick", "Quick key 7")
			if name == names[0] {
				u.click("close-place")
				u.key("q")
				u.key("7")
				u.sees("place-page", name.(string)) // one is selected
			}
		}
		u.key("q")
		u.key("7")
		u.sees("only", "Only 2 are shown")
		u.key("z")
		u.waitFor(`!document.querySelector('[data-test=only]')`)
	})

	t.Run("a change made elsewhere comes by itself, and is marked for a moment", func(t *testing.T) {
		u.fill("list-find", "elsewhere")
		u.sees("list-count", "0")
		id := uuid.Must(uuid.NewV7())
		require.Equal(
			t,
			201,
			p.send(
				"PUT",
				"/ogc/collections/posts/items/"+id.String(),
				`{"type":"Feature","geometry":{"type":"Point","coordinates":[-26.1,-38.05]},`+
					`"properties":{"name":"Kept elsewhere"}}`,
				nil,
				nil,
			),
		)
		u.sees("list-rows", "Kept elsewhere")
		u.waitFor(`document.querySelector('[data-test="row-Kept elsewhere"]').className.includes('verdigris')`)
		u.waitFor(`window.viandanteChart.stacked.find(l => l.stones).stones.some(s => s.fresh)`)
		u.waitFor(`!document.querySelector('[data-test="row-Kept elsewhere"]').className.includes('verdigris')`)
		u.fill("list-find", " ")
		u.key("\x1b")
	})

	t.Run("a collection with attributes of its own", func(t *testing.T) {
		u.do(chromedp.Focus(At("map")))
		u.key("S")
		u.click("collection-new")
		u.fill("collection-title", "Ærial masts")
		u.click("attribute-add")
		u.fill("attribute-title", "Height above ground")
		u.pick("attribute-type", "number")
		u.click("attribute-add")
		u.do(chromedp.SendKeys(`[data-test=attribute-row-1] [data-test=attribute-title]`, "Colour"))
		u.eval(
			`(() => { const s = document.querySelector('[data-test=attribute-row-1] [data-test=attribute-type]'); ` +
				`s.value = 'choice'; s.dispatchEvent(new Event('change')); return 1 })()`,
		)
		u.fill("attribute-options", "red\nwhite")
		u.click("collection-save")
		u.sees("notice", "Made the collection")
		u.sees("collections", "Ærial masts 2 attributes")
		u.click("undo")
		u.sees("notice", "Undone: Made the collection")
		u.waitFor(`!document.querySelector('[data-test=collections]').innerText.includes('masts')`)
		u.key("U")
		u.sees("collections", "Ærial masts 2 attributes")
		var list struct {
			Collections []struct{ Attributes []map[string]any }
		}
		require.Equal(t, 200, p.get("/v1/collections", &list))
		text, _ := json.Marshal(list)
		assert.Contains(t, string(text), `"height_above_ground"`)
		assert.Contains(t, string(text), `["red","white"]`)
	})

	t.Run("a category with a picture whose background is cleared by one key", func(t *testing.T) {
		file := filepath.Join(t.TempDir(), "badge.png")
		img := image.NewRGBA(image.Rect(0, 0, 300, 200))
		for y := range 200 {
			for x := range 300 {
				img.Set(x, y, color.RGBA{250, 250, 245, 255})
				if (x-150)*(x-150)+(y-100)*(y-100) < 80*80 {
					img.Set(x, y, color.RGBA{160, 30, 30, 255})
				}
			}
		}
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, img))
		require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
		u.click("category-lookout")
		u.fill("category-name", "Watch point")
		u.choose("category-file", file)
		const picture = `document.querySelector('[data-test=category-editor] image')?.getAttribute('href')`
		u.waitFor(picture + ` !== undefined`)
		before := u.eval(picture)
		corner := `(async () => { const i = new Image(); i.src = ` + picture + `; await i.decode(); const c = ` +
			`document.createElement('canvas'); c.width = c.height = 96; const x = c.getContext('2d'); x.drawImage(i, ` +
			`0, 0); return [i.naturalWidth, x.getImageData(2, 20, 1, 1).data[3], x.getImageData(48, 48, 1, ` +
			`1).data[3]].join() })()`
		async := func(e string) string {
			v, err := chromedp.Run(u.Ctx, chromedp.Evaluate[string](e, chromedp.EvalAwaitPromise))
			require.NoError(t, err)
			return v
		}
		assert.Equal(t, "96,255,255", async(corner), "made small")
		u.eval(
			`document.querySelector('[data-test=category-editor]').dispatchEvent(new KeyboardEvent('keydown', {key: ` +
				`'b', altKey: true, bubbles: true, cancelable: true})), 1`,
		)
		u.waitFor(fmt.Sprintf(`%s !== %q`, picture, before))
		assert.Equal(t, "96,0,255", async(corner), "the plain background is clear, the badge is not")
		u.click("category-save")
		u.sees("categories", "Watch point")
		u.waitFor(`window.viandanteChart.stacked.find(l => l.stones).stones.some(s => s.picture)`)
		u.click("category-up-lookout")
		u.sees("notice", "Moved the category")
		u.click("category-delete-lookout")
		u.sees("notice", "Deleted the category")
		u.waitFor(`!document.querySelector('[data-test=categories]').innerText.includes('Watch point')`)
		u.key("u")
		u.sees("categories", "Watch point")
		assert.Empty(t, unasked(u.Complaints()))
	})
}
