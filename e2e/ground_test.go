package e2e

import (
	"fmt"
	"math"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/region"
	"viandante/demo/demotest"
)

// middle returns the middle of a line or the mean of a ring's points.
func middle(f *region.Feature) geo.Point {
	p := f.Parts[0]
	if f.Shape == region.LineShape {
		a, b := p[(len(p)-1)/2].Point(), p[len(p)/2].Point()
		return geo.MustPoint((a.Lat()+b.Lat())/2, (a.Lng()+b.Lng())/2)
	}
	var lat, lng float64
	for _, q := range p {
		lat, lng = lat+float64(q.Lat)/1e7/float64(len(p)), lng+float64(q.Lng)/1e7/float64(len(p))
	}
	return geo.MustPoint(lat, lng)
}

// find returns the longest feature of the island for which a test holds.
func find(t *testing.T, is func(f *region.Feature) bool) *region.Feature {
	t.Helper()
	var best *region.Feature
	size := 0.0
	for i := range demotest.Island(t).Draft.Ground {
		f := &demotest.Island(t).Draft.Ground[i]
		if !is(f) {
			continue
		}
		length := 0.0
		for k := 1; k < len(f.Parts[0]); k++ {
			a, b := f.Parts[0][k-1], f.Parts[0][k]
			length += math.Hypot(float64(a.Lat-b.Lat), float64(a.Lng-b.Lng))
		}
		if length > size {
			best, size = f, length
		}
	}
	require.NotNil(t, best)
	return best
}

// colour reads the pixel of the ground at a position.
func (u *user) colour(p geo.Point) string {
	u.t.Helper()
	return u.eval(fmt.Sprintf(`(() => { const c = window.viandanteChart, s = c.camera.toScreen({lat: %v, lng: %v}),
		k = devicePixelRatio
		return [...c.picture(true).getContext('2d').getImageData(Math.round(s.x * k), Math.round(s.y * k), 1,
			1).data].slice(0, 3).map(v => v.toString(16).padStart(2, '0')).join('') })()`, p.Lat(), p.Lng())).(string)
}

// sum is a number that stands for the picture of the ground.
const sum = `(() => { const g = window.viandanteChart.picture(true), d = g.getContext('2d').getImageData(0, 0, ` +
	`g.width, g.height).data; let h = 0; for (let i = 0; i < d.length; i += 16) h = (h * 31 + d[i] + 7 * d[i + 1] + ` +
	`13 * d[i + 2]) | 0; return h })()`

// names are the names that are shown: their text, boxes on the screen, turns, and where they lie on the world.
const names = `window.viandanteChart.names.map(p => ({key: p.key, size: p.size, turns: p.glyphs.map(g => g.angle),
  x: p.middle.x, y: p.middle.y,
	at: window.viandanteChart.camera.worldToScreen(p.middle), text: p.glyphs.map(g => g.text).join(''),
	boxes: p.glyphs.map(g => { const s = window.viandanteChart.camera.worldToScreen(g.at), n = [...g.text].length,
		w = p.size * (g.angle ? 0.4 : 0.36 * Math.max(...g.text.split('\n').map(l => l.length)) / 2 + 0.1);
		return [s.x - w / 2 - (g.angle ? 0 : w / 2), s.y - p.size * 0.3, s.x + w / 2 + (g.angle ? 0 : w / 2),
		s.y + p.size * 0.3] })}))`

func TestTheGround(t *testing.T) {
	p := newProgram(t)
	p.start()
	town := demotest.Drawn().Standpoint()
	view := func(at geo.Point, zoom float64, more string) string {
		return fmt.Sprintf("/around?v=%v,%v,%v%s", at.Lat(), at.Lng(), zoom, more)
	}

	u := newUser(t, 1280, 800)

	t.Run("each style by day and night is its own", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, view(town, 14, ""))
		seen := map[any]string{}
		for range 2 {
			for range 4 {
				manner := u.eval(`document.querySelector('[data-test=ground]').value + ` +
					`document.documentElement.style.colorScheme`).(string)
				u.do(MapDrawn())
				picture := u.eval(sum)
				assert.Empty(t, seen[picture], "%s looks like %s", manner, seen[picture])
				seen[picture] = manner
				u.key("y")
				u.do(Shown(), MapDrawn())
			}
			u.key("n")
			u.do(Shown(), MapDrawn())
		}
		assert.Len(t, seen, 8)
		u.key("y")
		u.waitFor(`new URLSearchParams(location.search).get('ground') === 'relief'`)
		u.do(chromedp.Reload(), MapDrawn())
		assert.Equal(
			t,
			"relief",
			u.eval(`document.querySelector('[data-test=ground]').value`),
			"a link keeps the style",
		)
		assert.Empty(t, unasked(u.Complaints()))
	})

	t.Run("large lettering", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, view(town, 14, ""))
		before := u.number(`Math.max(...` + names + `.map(n => n.size))`)
		u.key("b")
		u.waitFor(fmt.Sprintf(`Math.max(...%s.map(n => n.size)) > %v * 1.3`, names, before))
		u.waitFor(`new URLSearchParams(location.search).get('letters') === 'large'`)
	})

	t.Run("bridges lie on top, tunnels do not", func(t *testing.T) {
		u := u.in(t)
		road := func(flag region.Flag) func(f *region.Feature) bool {
			return func(f *region.Feature) bool {
				return f.Class == region.Secondary && f.Flags&(region.Bridge|region.Tunnel) == flag
			}
		}
		plain := middle(find(t, road(0)))
		u.enter(p, view(plain, 19, "&ground=plain"))
		fill := u.colour(plain)
		bridge := middle(
			find(t, func(f *region.Feature) bool { return road(region.Bridge)(f) && len(f.Parts[0]) == 2 }),
		)
		u.look(bridge.Lat(), bridge.Lng(), 19)
		assert.Equal(t, fill, u.colour(bridge), "the river does not run over the bridge")
		bore := find(t, func(f *region.Feature) bool { return f.Flags&region.Tunnel != 0 })
		u.look(middle(bore).Lat(), middle(bore).Lng(), 17)
		assert.NotEqual(t, fill, u.colour(middle(bore)))
	})

	t.Run("houses, water and woods have their colours", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, view(town, 18, "&ground=muted")) // without patterns
		seen := map[string]region.Class{}
		for class, zoom := range map[region.Class]float64{region.Building: 19, region.Wood: 15, region.Water: 16,
			region.Sand: 17} {
			f := find(t, func(f *region.Feature) bool {
				return f.Class == class && f.Shape == region.AreaShape && len(f.Parts) == 1 &&
					(class != region.Building || len(f.Parts[0]) == 4)
			})
			at := middle(f)
			// a point within a winding outline: between two of its points that face each other
			if class != region.Building {
				at = within(f)
			}
			u.look(at.Lat(), at.Lng(), zoom)
			c := u.colour(at)
			assert.Zero(t, seen[c], "%v looks like %v", class, seen[c])
			seen[c] = class
		}
		assert.Len(t, seen, 4)
	})

	t.Run("names do not collide, stand upright and stay", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, view(town, 15, ""))
		for _, zoom := range []float64{11, 13, 15, 16.25, 18} {
			u.look(town.Lat(), town.Lng(), zoom)
			assert.Greater(t, u.number(names+`.length`), 3.0, "zoom %v", zoom)
			collisions := u.number(`(() => { const all = ` + names + `; let n = 0
				for (let i = 0; i < all.length; i++) for (let k = 0; k < i; k++)
					if (all[i].boxes.some(a => all[k].boxes.some(b => a[0] < b[2] && b[0] < a[2] && a[1] < b[3] &&
						b[1] < a[3]))) n++
				return n })()`)
			assert.Zero(t, collisions, "zoom %v", zoom)
			assert.Zero(
				t,
				u.number(
					names+`.filter(n => n.turns.filter(a => Math.abs(a) > Math.PI / 2 + 0.3).length > n.turns.length `+
						`/ 2).length`,
				),
				"upside down, zoom %v",
				zoom,
			)
		}
		u.look(town.Lat(), town.Lng(), 15)
		u.eval(`window.before = new Map(` + names + `.map(n => [n.key + ' ' + Math.round(n.x * 2 ** 22), n])), 1`)
		kept := `((now) => now.filter(n => n.at.x > 60 && n.at.y > 60 && n.at.x < 700 && n.at.y < 600).map(n => [n.key,
			n.x, n.y])
			.filter(([key, x, y]) => [...window.before.values()].some(o => o.key === key && Math.hypot(o.x - x,
				o.y - y) * 512 * 2 ** 15 < 40)).length / now.filter(n => n.at.x > 60 && n.at.y > 60 && n.at.x < 700 &&
				n.at.y < 600).length)(` + names + `)`
		u.eval(`window.viandanteChart.pan(-70, 30), 1`)
		u.do(MapDrawn())
		assert.Greater(t, u.number(kept), 0.97, "panning moves no name")
		u.eval(`window.viandanteChart.zoomAt(0.25), 1`)
		u.do(MapDrawn())
		assert.Greater(t, u.number(kept), 0.75, "most stay while zooming")
	})

	t.Run("the world is there, across the antimeridian", func(t *testing.T) {
		u := u.in(t)
		u.enter(p, "/around?v=-17,179.5,4.5")
		sea := u.colour(geo.MustPoint(-19.6, -176.4))
		assert.NotEqual(t, sea, u.colour(geo.MustPoint(-17.85, 178)), "an island on this side")
		assert.NotEqual(t, sea, u.colour(geo.MustPoint(-16.6, 179.1)), "and up to the line")
		assert.Equal(t, sea, u.colour(geo.MustPoint(-18.9, 179.4)), "no line from one side of the map to the other")
		u.look(66.9, -179, 5)
		for _, lng := range []float64{178, 179.98, -179.98, -176} {
			assert.NotEqual(t, sea, u.colour(geo.MustPoint(67.6, lng)), "land on both sides of it: %v", lng)
		}
		u.eval(
			`(() => { const c = window.viandanteChart, x = c.graticule.foot.getContext('2d'); window.texts = []; ` +
				`const f = x.fillText; x.fillText = (t, ...r) => { window.texts.push(t); f.call(x, t, ...r) }; ` +
				`c.graticule.drawn = ''; c.invalidate() })(), 1`,
		)
		u.waitFor(`window.texts.some(t => /^\d+°E$/.test(t)) && window.texts.some(t => /^\d+°W$/.test(t))`)
		assert.Empty(t, unasked(u.Complaints()))
	})

	t.Run("twice the pixels are twice as sharp", func(t *testing.T) {
		u := newUser(t, 800, 600)
		u.do(chromedp.EmulateViewport(800, 600, chromedp.EmulateScale(2)))
		u.enter(p, view(town, 15, ""))
		assert.Equal(
			t,
			1024.0,
			u.number(
				`Math.max(...[...window.viandanteChart.tiles.tiles.values()].filter(t => t.bitmap).map(t => `+
					`t.bitmap.width))`,
			),
		)
	})
}

// within returns a position inside an area's outline, well off it.
func within(f *region.Feature) geo.Point {
	ring := f.Parts[0]
	box := [4]int32{math.MaxInt32, math.MaxInt32, math.MinInt32, math.MinInt32}
	for _, p := range ring {
		box = [4]int32{min(box[0], p.Lat), min(box[1], p.Lng), max(box[2], p.Lat), max(box[3], p.Lng)}
	}
	best, at := -1.0, geo.Point{}
	for i := range 30 {
		for k := range 30 {
			lat, lng := float64(
				box[0],
			)+(float64(i)+0.5)/30*float64(
				box[2]-box[0],
			), float64(
				box[1],
			)+(float64(k)+0.5)/30*float64(
				box[3]-box[1],
			)
			in, near := false, math.Inf(1)
			for i, j := 0, len(ring)-1; i < len(ring); j, i = i, i+1 {
				ay, ax, by, bx := float64(ring[i].Lat), float64(ring[i].Lng), float64(ring[j].Lat), float64(ring[j].Lng)
				if (ay > lat) != (by > lat) && lng < (bx-ax)*(lat-ay)/(by-ay)+ax {
					in = !in
				}
				near = min(near, math.Hypot(ay-lat, ax-lng))
			}
			if in && near > best {
				best, at = near, geo.MustPoint(lat/1e7, lng/1e7)
			}
		}
	}
	return at
}
