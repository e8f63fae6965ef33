package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// opened instantiates the page's rasterizer and gives what is needed to hold it against counting points.
const opened = `(async () => {
	const text = async (path) => (await fetch(path)).text()
	const scripts = (await text('/')).match(/assets\/[\w-]+\.js/g)
	const all = (await Promise.all(scripts.map((s) => text('/' + s)))).join('')
	const worker = /worker-[\w-]+\.js/.exec(all)[0]
	const wasm = /sheet-[\w-]+\.wasm/.exec(await text('/assets/' + worker))[0]
	const {instance: {exports: w}} = await WebAssembly.instantiateStreaming(fetch('/assets/' + wasm),
		{env: {abort() {}}})
	const size = 96
	w.setUp(size, 1 << 16)
	let seed = 7
	const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647
	const put = (points) => { new Float64Array(w.memory.buffer, w.inputAt(), points.length).set(points);
		return points.length }
	const mask = () => { w.mask(); return new Uint8Array(w.memory.buffer, w.throughAt(), size * size).slice() }
	const inside = (rings, x, y) => { // by winding number
		let n = 0
		for (const r of rings) for (let i = 0, j = r.length - 2; i < r.length; j = i, i += 2) {
			const [ax, ay, bx, by] = [r[j], r[j + 1], r[i], r[i + 1]]
			if ((ay > y) !== (by > y) && x < (bx - ax) * (y - ay) / (by - ay) + ax) n += by > ay ? 1 : -1
		}
		return n !== 0
	}
	// The worst difference, in shares of a pixel, between a mask and counting 400 points in each pixel.
	const worst = (m, has) => {
		let most = 0
		for (let y = 0; y < size; y++) for (let x = 0; x < size; x++) {
			let hits = 0
			for (let i = 0; i < 20; i++) for (let k = 0; k < 20; k++) if (has(x + (i + 0.5) / 20,
				y + (k + 0.5) / 20)) hits++
			most = Math.max(most, Math.abs(hits / 400 - m[y * size + x] / 255))
		}
		return most
	}
	const star = (cx, cy, radius, n, way) => { const out = []; for (let i = 0; i < n; i++) {
		const a = way * 2 * Math.PI * i / n, r = radius * (0.5 + random()); out.push(cx + r * Math.cos(a),
		cy + r * Math.sin(a)) } return out }
	return {w, size, put, mask, inside, worst, star, random}
})()`

// The rasterizer of the page covers each pixel as far as counting points says; outside the sheet nothing breaks.
func TestTheSheetCoversWhatOutlinesCover(t *testing.T) {
	p := newProgram(t)
	p.start()
	u := newUser(t, 800, 600)
	u.do(chromedp.Navigate(p.url() + "/openapi.json"))
	run := func(body string) float64 {
		t.Helper()
		v, err := chromedp.Run(
			u.Ctx,
			chromedp.Evaluate[float64](
				opened+`.then(({w, size, put, mask, inside, worst, star, random}) => {`+body+`})`,
				chromedp.EvalAwaitPromise,
			),
		)
		require.NoError(t, err)
		return v
	}
	assert.Less(t, run(`let most = 0
		for (let k = 0; k < 12; k++) {
			const rings = [star(48, 48, 40 + 30 * (k % 3), 5 + k, k % 2 ? 1 : -1)] // some reach far over the edges
			w.area(put(rings[0]), 1, true)
			most = Math.max(most, worst(mask(), (x, y) => inside(rings, x, y)))
		}
		return most`), 0.06, "outlines")
	assert.Less(t, run(`const outer = [10, 10, 80, 12, 85, 85, 8, 80], hole = [30.5, 30.25, 28, 60, 60.125, 61, 62, 33]
		w.area(put(outer), 1, true); w.area(put(hole), 1, false)
		return worst(mask(), (x, y) => inside([outer], x, y) && !inside([hole], x, y))`), 0.06, "a hole")
	assert.Less(
		t,
		run(
			`const near = (x, y, ax, ay, bx, by) => { const f = Math.max(0, Math.min(1,
				((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / ((bx - ax) ** 2 + (by - ay) ** 2)));
				return Math.hypot(x - ax - f * (bx - ax), y - ay - f * (by - ay)) }
		let most = 0
		for (const width of [3, 7.5, 14]) {
			const l = [-20, 30, 30, 20, 50, 70, 140, 60]
			w.line(put(l), 1, width, true, false)
			most = Math.max(most, worst(mask(), (x, y) => { for (let i = 2; i < l.length; i += 2) if (near(x, y,
				l[i - 2], l[i - 1], l[i], l[i + 1]) < width / 2) return true; return false }))
		}
		return most`,
		),
		0.3,
		"round joins are cut short by a quarter of a pixel at most",
	)
	assert.Less(
		t,
		run(
			`const l = [48, 48]; for (let a = 0; a < 20; a++) l.push(48 + 1e6 * Math.cos(a * 2.4),
				48 + 1e6 * Math.sin(a * 2.4)); l.push(NaN, 5, Infinity, -Infinity)
		w.area(put(l), 1, true); mask(); w.line(put(l), 1, 5, true, true); mask()
		w.area(put([20, 20, 70, 20, 70, 70, 20, 70]), 1, true) // and goes on as if nothing had been
		return worst(mask(), (x, y) => x > 20 && x < 70 && y > 20 && y < 70)`,
		),
		0.01,
		"outlines from beyond the earth",
	)
	assert.Zero(t, run(`w.wash(0xff204060)
		w.area(put([0, 0, 96, 0, 96, 96, 0, 96]), 1, true); w.paint(200, 100, 50, 0.5, false)
		const px = new Uint8Array(w.memory.buffer, w.pixelsAt(), size * size * 4)
		let off = 0
		for (let i = 0; i < px.length; i += 4) off = Math.max(off, Math.abs(px[i] - (0x60 + 200) / 2),
			Math.abs(px[i + 1] - (0x40 + 100) / 2), Math.abs(px[i + 2] - (0x20 + 50) / 2), 255 - px[i + 3])
		return off > 1 ? off : 0`), "half of each")
	assert.Empty(t, u.Complaints())
}
