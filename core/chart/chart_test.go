package chart

import (
	"context"
	"encoding/binary"
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
)

// inside tells whether a spot lies in a ring, by counting crossings.
func inside(ring []spot, p spot) bool {
	in := false
	for i, a := range ring {
		b := ring[(i+1)%len(ring)]
		if (a.y > p.y) != (b.y > p.y) && p.x < a.x+(p.y-a.y)/(b.y-a.y)*(b.x-a.x) {
			in = !in
		}
	}
	return in
}

// What is covered is compared with an exhaustive count of samples, for random triangles that reach beyond the sheet.
func TestCoverIsTheAreaOfTheOutline(t *testing.T) {
	const seed, side, fine = 7, 12, 32
	r := rand.New(rand.NewPCG(seed, 0))
	worst := 0.0
	for range 60 {
		ring := make([]spot, 3)
		for i := range ring {
			ring[i] = spot{r.Float64()*24 - 6, r.Float64()*24 - 6}
		}
		s := newSheet(side, side)
		s.area([][]spot{ring})
		got := s.mask()
		for y := range side {
			for x := range side {
				n := 0
				for i := range fine {
					for k := range fine {
						if inside(ring, spot{float64(x) + (float64(k)+0.5)/fine, float64(y) + (float64(i)+0.5)/fine}) {
							n++
						}
					}
				}
				worst = max(worst, math.Abs(float64(got[y*side+x])/255-float64(n)/(fine*fine)))
			}
		}
	}
	assert.Less(t, worst, 0.02, "seed %d", seed)
}

// A line is as wide as it should be, whatever its direction, and as dark where it is crossed by itself.
func TestLinesHaveTheirWidth(t *testing.T) {
	for _, degrees := range []float64{0, 17, 45, 90, 133} {
		s := newSheet(100, 100)
		sin, cos := math.Sincos(degrees * math.Pi / 180)
		s.line([]spot{{50 - 30*cos, 50 - 30*sin}, {50 + 30*cos, 50 + 30*sin}}, 6, false, false)
		sum := 0.0
		for _, v := range s.mask() {
			sum += float64(v) / 255
		}
		assert.InDelta(t, 60*6, sum, 4, "%v degrees", degrees)
	}
	s := newSheet(40, 40)
	s.line([]spot{{5, 20}, {35, 20}, {35, 30}, {20, 30}, {20, 5}}, 5, true, false)
	s.paint(ink{RGB{255, 0, 0}, 0.5, nil})
	assert.EqualValues(t, 128, s.pix[4*(20*40+20)], "half as opaque at the crossing, too")
	assert.EqualValues(t, 128, s.pix[4*(20*40+8)])
}

func TestHostileOutlines(t *testing.T) {
	s := newSheet(20, 20)
	nan, inf := math.NaN(), math.Inf(1)
	for _, ring := range [][]spot{{{nan, 1}, {2, 3}, {4, 5}}, {{inf, 1}, {2, 3}, {-inf, 5}}, {{1e300, 1e300}, {2, 3},
		{-1e300, 9}},
		{}, {{1, 1}}, {{1, 1}, {1, 1}, {1, 1}}} {
		s.area([][]spot{ring})
		s.line(ring, 3, true, true)
		s.line(ring, nan, true, true)
		s.dashed(ring, 3, []float64{0, 1}, true)
		s.paint(ink{RGB{1, 2, 3}, 1, nil})
	}
	s.dashed([]spot{{0, 10}, {20, 10}}, 2, []float64{4, 4}, false)
	s.paint(ink{RGB{255, 255, 255}, 1, nil})
	dark := 0
	for x := range 20 {
		if s.pix[4*(10*20+x)] > 128 {
			dark++
		}
	}
	assert.Equal(t, 12, dark, "dashes of four, with as much between them")
}

// Where a side is cut at an edge, the rest of it may have no height: 1e-17 beyond the edge, or a whole sheet beyond it.
func TestSidesCutToNothing(t *testing.T) {
	const seed = 16
	r := rand.New(rand.NewPCG(seed, 0))
	for range 20_000 {
		s := newSheet(96, 96)
		tiny := math.Pow(10, -4-16*r.Float64())
		for _, x := range []float64{0, 96} {
			y0, y1 := r.Float64()*96, r.Float64()*96
			s.side(x-80, y0, x+tiny, y1, 1)
			s.side(x+80, y0, x-tiny, y1, 1)
			s.side(x-tiny, y1, x+tiny, math.Nextafter(y1, 100), 1)
		}
		for _, c := range s.cover {
			if math.IsNaN(float64(c)) {
				t.Fatal("what is no number covers nothing")
			}
		}
	}
}

func TestABandIsAPartOfItsSheet(t *testing.T) {
	whole, banded := newSheet(40, 40), newSheet(40, 40)
	draw := func(s *sheet) {
		s.line([]spot{{3, 2}, {37, 38}, {2, 30}}, 4, true, false)
		s.paint(ink{RGB{200, 100, 50}, 1, nil})
	}
	draw(whole)
	for _, b := range [][2]int{{0, 13}, {13, 40}} {
		draw(banded.band(b[0], b[1]))
	}
	for i := range whole.pix {
		require.InDelta(t, whole.pix[i], banded.pix[i], 2)
	}
}

func TestFitHoldsAllPositions(t *testing.T) {
	const seed = 3
	r := rand.New(rand.NewPCG(seed, 0))
	for range 300 {
		var points []geo.Point
		center := geo.MustPoint(r.Float64()*140-70, r.Float64()*360-180)
		spread := math.Pow(10, -r.Float64()*5)
		for range 1 + r.IntN(20) {
			lat := max(-84, min(84, center.Lat()+(r.Float64()-0.5)*40*spread))
			points = append(points, geo.MustPoint(lat, geo.WrapLng(center.Lng()+(r.Float64()-0.5)*80*spread)))
		}
		at, zoom, ok := Fit(points, 600, 400, 40, 16)
		require.True(t, ok)
		v := Camera{Center: at, Zoom: zoom, Width: 600, Height: 400, Ratio: 1}.view()
		for _, p := range points {
			q := v.point(p)
			assert.True(t, q.x >= 39 && q.y >= 39 && q.x <= 561 && q.y <= 361, "seed %d: %v lies at %v", seed, p, q)
		}
		assert.LessOrEqual(t, zoom, 16.0)
	}
	_, _, ok := Fit(nil, 600, 400, 40, 16)
	assert.False(t, ok)
}

// encoded is a tile with an area of land, a road with a name and a place.
func encoded() []byte {
	b := []byte("VT\x01")
	uint := func(v uint64) { b = binary.AppendUvarint(b, v) }
	signed := func(v int64) {
		if v < 0 {
			uint(uint64(-v)*2 - 1)
		} else {
			uint(uint64(v) * 2)
		}
	}
	text := func(s string) { uint(uint64(len(s))); b = append(b, s...) }
	uint(2)
	text("Mill Lane")
	text("Tarn")
	uint(3)
	part := func(list ...int64) {
		uint(1)
		uint(uint64(len(list) / 2))
		x, y := int64(0), int64(0)
		for i := 0; i < len(list); i += 2 {
			signed(list[i] - x)
			signed(list[i+1] - y)
			x, y = list[i], list[i+1]
		}
	}
	feature := func(id, name uint64, rank byte) { uint(id); uint(name); b = append(b, 0, rank) }
	text("land")
	b = append(b, byte(areas))
	uint(1)
	feature(1, 0, 0)
	part(-100, -100, 4200, -100, 4200, 4200, -100, 4200)
	text("primary")
	b = append(b, byte(lines))
	uint(1)
	feature(2, 1, 0)
	part(0, 2048, 4096, 2048)
	text("locality")
	b = append(b, byte(points))
	uint(1)
	feature(3, 2, 204)
	part(2048, 1000)
	return b
}

// blocks are fonts whose letters are squares.
type blocks struct{}

func (blocks) Letter(Font, rune) Letter {
	return Letter{0.6, [][][2]float64{{{0.1, -0.6}, {0.5, -0.6}, {0.5, 0}, {0.1, 0}}}}
}
func (blocks) Middle(Font) float64 { return 0.3 }

func plainStyle() *Style {
	return &Style{Palettes: map[string]Palette{"day": {"sea": "#0000ff", "land": "#00ff00", "ink": "#000000",
		"halo": "#ffffff",
		"road": "#ff0000", "paper": "#eeeeee", "card": "#ffffff", "madder": "#aa0000", "graticule": "#0000fe",
		"verdigris": "#117755", "ochre": "#ccaa22", "shore": "#00ff00"}},
		Styles:    map[string]Manner{"plain": {Title: "Plain"}},
		Lettering: map[string]float64{"plain": 1},
		Lines: map[string]LineStyle{"primary": {Colour: "road", Width: Stops{{7, 6}}}, "stream": {Width: Stops{{0, 0}}},
			"pier": {Width: Stops{{0, 0}}}, "river": {Width: Stops{{0, 0}}}, "cliff": {Width: Stops{{0, 0}}},
			"service": {Width: Stops{{0, 0}}}, "pedestrian": {Width: Stops{{0, 0}}}, "street": {Width: Stops{{0, 0}}},
			"tertiary": {Width: Stops{{0, 0}}}, "secondary": {Width: Stops{{0, 0}}}, "trunk": {Width: Stops{{0, 0}}},
			"motorway": {Width: Stops{{0, 0}}}},
		Labels: map[string]LabelStyle{"primary": {Ink: "ink", Font: "500 {}px 'Alegreya Sans'", Size: Stops{{0, 12}},
			Along: true},
			"locality": {Ink: "ink", Font: "500 {}px Alegreya", Size: Stops{{0, 16}}, ByRank: true}}}
}

func TestAPictureIsPutTogetherOfTiles(t *testing.T) {
	tiles := func(_ context.Context, z, x, y int, heights bool) ([]byte, error) {
		if heights || x%2 == 1 {
			return nil, nil
		}
		return encoded(), nil
	}
	camera := Camera{Center: geo.MustPoint(0.01, 0.01), Zoom: 14.3, Width: 600, Height: 400, Ratio: 1}
	look := Look{"plain", "day", "plain"}
	over := &Over{Stones: []Stone{{At: camera.Center, Colour: "#aa00aa"}}}
	got, err := Draw(t.Context(), camera, plainStyle(), look, blocks{}, tiles, over, "Map data: Orrisand")
	require.NoError(t, err)
	assert.Equal(t, 600*400*4, len(got.Pix))
	count := map[RGB]int{}
	for i := 0; i < len(got.Pix); i += 4 {
		count[RGB{got.Pix[i], got.Pix[i+1], got.Pix[i+2]}]++
		require.EqualValues(t, 255, got.Pix[i+3]|^uint8(0), "nothing shows through")
	}
	for name, c := range map[string]RGB{"land": {0, 255, 0}, "road": {255, 0, 0}, "ink": {}, "halo": {255, 255, 255},
		"foot": {0xaa, 0, 0xaa}} {
		assert.Greater(t, count[c], 20, "%s is on it", name)
	}
	twice, err := Draw(t.Context(), Camera{Center: camera.Center, Zoom: 14.3, Width: 600, Height: 400, Ratio: 2},
		plainStyle(),
		look, nil, tiles, &Over{}, "")
	require.NoError(t, err)
	assert.Equal(t, 1200, twice.Width)

	broken := errors.New("broken")
	for _, bad := range []Tiles{
		func(context.Context, int, int, int, bool) ([]byte, error) { return nil, broken },
		func(context.Context, int, int, int, bool) ([]byte, error) { return []byte("nonsense"), nil },
		func(context.Context, int, int, int, bool) ([]byte, error) { return encoded()[:40], nil },
	} {
		_, err := Draw(t.Context(), camera, plainStyle(), look, blocks{}, bad, &Over{}, "")
		assert.Error(t, err)
	}
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = Draw(ended, camera, plainStyle(), look, blocks{}, tiles, &Over{}, "")
	assert.ErrorIs(t, err, context.Canceled)
}

func FuzzDecode(f *testing.F) {
	f.Add(encoded())
	f.Add([]byte("VT\x01"))
	f.Fuzz(func(t *testing.T, data []byte) {
		layers, err := decode(data)
		if err == nil {
			namesOf(layers, plainStyle().Labels, 10, 1, 1, 10)
		}
		_, _ = decodeHeights(data, 10, 1) // must not panic, whatever it says
	})
}

// No two names lie on each other.
func TestNamesDoNotCollide(t *testing.T) {
	const seed = 11
	r := rand.New(rand.NewPCG(seed, 0))
	camera := Camera{Center: geo.MustPoint(0, 0), Zoom: 14, Width: 800, Height: 600, Ratio: 1}
	v := camera.view()
	var all []named
	for i := range 400 {
		n := named{id: uint64(i), class: "locality", name: "Tarn", rank: 202, tile: 1. / 16384}
		n.points = []spot{v.world(spot{r.Float64() * 800, r.Float64() * 600})}
		if i%3 == 0 {
			n.class, n.line = "primary", true
			n.points = append(n.points, v.world(spot{r.Float64() * 800, r.Float64() * 600}))
		}
		n.name += string(rune('a' + i%26))
		all = append(all, n)
	}
	s := &setter{view: &v, style: plainStyle(), fonts: blocks{}, larger: 1, boxes: boxes{}}
	obstacle := [4]float64{300, 200, 500, 400}
	got := s.layout(all, [][4]float64{obstacle})
	assert.Greater(t, len(got), 20)
	type box struct {
		name int
		b    [4]float64
	}
	var seen []box
	for i, p := range got {
		for _, g := range p.glyphs {
			half, high := 0.3*p.size*float64(len(g.text)), p.size*0.3
			seen = append(seen, box{i, [4]float64{g.at.x - half, g.at.y - high, g.at.x + half, g.at.y + high}})
		}
	}
	for i, a := range seen {
		c := obstacle
		assert.False(t, a.b[0] < c[2] && c[0] < a.b[2] && a.b[1] < c[3] && c[1] < a.b[3],
			"a name lies on what stands there")
		for _, b := range seen[:i] {
			if a.name != b.name {
				assert.False(t, a.b[0] < b.b[2]-1 && b.b[0] < a.b[2]-1 && a.b[1] < b.b[3]-1 && b.b[1] < a.b[3]-1,
					"seed %d: %v and %v", seed, a, b)
			}
		}
	}
}
