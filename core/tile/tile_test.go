package tile_test

import (
	"encoding/binary"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/generalize"
	"viandante/core/geo"
	"viandante/core/mercator"
	"viandante/core/region"
	"viandante/core/relief"
	"viandante/core/tile"
	"viandante/demo/demotest"
)

type xy = mercator.XY

// feature is a feature of a decoded tile.
type feature struct {
	id    uint64
	class string
	shape region.Shape
	flags region.Flag
	rank  uint8
	name  string
	parts [][]xy
}

// decode reads a tile as docs/tiles.md describes it.
func decode(t testing.TB, data []byte) (out []feature) {
	t.Helper()
	if data == nil {
		return nil
	}
	require.Equal(t, "VT\x01", string(data[:3]))
	d := data[3:]
	number := func() int { v, n := binary.Uvarint(d); d = d[n:]; return int(v) } // a wrong one runs out of bounds
	signed := func() int32 { v, n := binary.Varint(d); d = d[n:]; return int32(v) }
	text := func() string { n := number(); s := string(d[:n]); d = d[n:]; return s }
	octet := func() byte { b := d[0]; d = d[1:]; return b }
	names := []string{""}
	for n := number(); n > 0; n-- {
		names = append(names, text())
	}
	for n := number(); n > 0; n-- {
		class, shape := text(), region.Shape(octet())
		for k := number(); k > 0; k-- {
			f := feature{
				class: class,
				shape: shape,
				id:    uint64(number()),
				name:  names[number()],
				flags: region.Flag(octet()),
				rank:  octet(),
			}
			var at xy
			for p := number(); p > 0; p-- {
				var part []xy
				for i := number(); i > 0; i-- {
					at.X += signed()
					at.Y += signed()
					part = append(part, at)
				}
				f.parts = append(f.parts, part)
			}
			out = append(out, f)
		}
	}
	require.Empty(t, d)
	return out
}

func TestTilesOutsideThePyramidAreRefused(t *testing.T) {
	for _, id := range []tile.ID{{Z: -1}, {Z: 20}, {X: 1}, {Z: 3, X: 8}, {Z: 3, Y: -1}} {
		assert.Error(t, id.Check(), id)
	}
	assert.ErrorContains(t, tile.ID{Z: 3, X: 8}.Check(), "from 0 to 7")
	assert.NoError(t, tile.ID{Z: 19, X: 524287}.Check())
}

func at(lat, lng float64) geo.E7 { return geo.MustPoint(lat, lng).E7() }

func oneRegion(t testing.TB, d *region.Draft) []*region.Region {
	t.Helper()
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	return []*region.Region{r}
}

func TestATileHoldsWhatLiesOnIt(t *testing.T) {
	regions := oneRegion(t, &region.Draft{Ground: []region.Feature{
		{
			ID:      42,
			Class:   region.Primary,
			Shape:   region.LineShape,
			MinZoom: 3,
			Flags:   region.Tunnel,
			Rank:    7,
			Name:    "Høgd <Road>",
			Parts:   [][]geo.E7{{at(-1, -1), at(1, 1)}},
		},
		{
			ID:    43,
			Class: region.Land,
			Shape: region.AreaShape,
			Parts: [][]geo.E7{{at(-2, -2), at(-2, 2), at(2, 2), at(2, -2)}},
		},
		{
			ID:      44,
			Class:   region.Peak,
			Shape:   region.PointShape,
			MinZoom: 9,
			Name:    "Top",
			Parts:   [][]geo.E7{{at(0.5, -0.5)}},
		},
	}})
	assert.Nil(t, tile.Encode(regions, nil, tile.ID{Z: 5}))
	got := decode(t, tile.Encode(regions, nil, tile.ID{Z: 5, X: 15, Y: 15}))
	require.Len(t, got, 2, "the peak is for greater zooms")
	land, road := got[0], got[1]
	assert.Equal(t, uint64(43), land.id)
	assert.Equal(t, "land", land.class)
	assert.Equal(t, feature{42, "primary", region.LineShape, region.Tunnel, 7, "Høgd <Road>", road.parts}, road)
	for _, p := range slices.Concat(land.parts[0], road.parts[0]) {
		assert.True(
			t,
			p.X >= -region.Margin && p.X <= mercator.Extent+region.Margin && p.Y >= -region.Margin &&
				p.Y <= mercator.Extent+region.Margin,
		)
	}
	assert.InDelta(t, 3968, road.parts[0][1].Y, 2, "through the tile's corner, 0, 0, into the margin")
	got = decode(t, tile.Encode(regions, nil, tile.At(geo.MustPoint(0.5, -0.5), 12)))
	assert.Equal(t, "Top", got[len(got)-1].name)
}

// crossings returns where lines cross a vertical edge, in units from the top.
func crossings(fs []feature, class string, edge float64) (out []float64) {
	for _, f := range fs {
		if f.class != class {
			continue
		}
		for _, part := range f.parts {
			for i := 1; i < len(part); i++ {
				a, b := part[i-1], part[i]
				if (float64(a.X) < edge) != (float64(b.X) < edge) {
					s := (edge - float64(a.X)) / float64(b.X-a.X)
					if y := float64(a.Y) + s*float64(b.Y-a.Y); y > 0 && y < mercator.Extent {
						out = append(out, y)
					}
				}
			}
		}
	}
	slices.Sort(out)
	return out
}

// What leaves one tile of the island enters the next at the same place: roads, rivers, contours and cut-up outlines.
func TestNothingBreaksBetweenTiles(t *testing.T) {
	if testing.Short() {
		t.Skip("looks at some thousand tiles")
	}
	regions := []*region.Region{demotest.Island(t).Region}
	met := map[string]int{}
	for zoom := 9; zoom <= 17; zoom++ {
		first := tile.At(geo.MustPoint(-38.07, -26.28), zoom)
		for k := range min(24, 1<<(zoom-7)) {
			id := tile.ID{Z: zoom, X: first.X + k, Y: first.Y + k%3}
			left, right := decode(
				t,
				tile.Encode(regions, nil, id),
			), decode(
				t,
				tile.Encode(regions, nil, tile.ID{Z: zoom, X: id.X + 1, Y: id.Y}),
			)
			for _, class := range []string{"primary", "secondary", "street", "track", "river", "stream", "contour"} {
				a, b := crossings(left, class, mercator.Extent), crossings(right, class, 0)
				require.Len(t, b, len(a), "%s, %v", class, id)
				for i := range a {
					require.InDelta(t, a[i], b[i], 1.5, "%s, %v", class, id)
					met[class]++
				}
			}
		}
	}
	for _, class := range []string{"primary", "street", "contour"} {
		assert.Greater(t, met[class], 10, class)
	}
}

// over calls f with tiles of the island: all of the zooms up to 12 and a seeded sample above.
func over(t *testing.T, f func(id tile.ID)) {
	b := demotest.Island(t).Region.Meta.Bounds
	r := rand.New(rand.NewPCG(11, 11))
	for z := 0; z <= 19; z++ {
		nw, se := tile.At(geo.MustPoint(b.North, b.West), z), tile.At(geo.MustPoint(b.South, b.East), z)
		if z > 12 {
			for range 40 {
				f(tile.ID{Z: z, X: nw.X + r.IntN(se.X-nw.X+1), Y: nw.Y + r.IntN(se.Y-nw.Y+1)})
			}
			continue
		}
		for x := nw.X; x <= se.X; x++ {
			for y := nw.Y; y <= se.Y; y++ {
				f(tile.ID{Z: z, X: x, Y: y})
			}
		}
	}
}

func TestOutlinesDoNotCrossThemselves(t *testing.T) {
	regions := []*region.Region{demotest.Island(t).Region}
	frame := generalize.Window{
		MinX: -region.Margin,
		MinY: -region.Margin,
		MaxX: mercator.Extent + region.Margin,
		MaxY: mercator.Extent + region.Margin,
	}
	rings, bad := 0, 0
	over(t, func(id tile.ID) {
		for _, f := range decode(t, tile.Encode(regions, nil, id)) {
			if f.shape != region.AreaShape {
				continue
			}
			for _, ring := range f.parts {
				rings++
				i, k, knot := generalize.Crossing(ring)
				if knot && !onEdge(frame, ring, i) &&
					!onEdge(frame, ring, k) { // along the frame, which is not seen, it may
					bad++
					t.Logf("%v: %s %d crosses itself at %v", id, f.class, f.id, ring[i])
				}
			}
		}
	})
	assert.Greater(t, rings, 10000)
	assert.LessOrEqual(t, bad, rings/5000)
}

func onEdge(w generalize.Window, ring []xy, i int) bool {
	a, b := ring[i], ring[(i+1)%len(ring)]
	return a.X == b.X && (a.X == w.MinX || a.X == w.MaxX) || a.Y == b.Y && (a.Y == w.MinY || a.Y == w.MaxY)
}

// Each point of a shape that is drawn lies within half a pixel of what is drawn of it (8 units, as a tile is 512 pixels
// wide), plus the rounding: for the coast, the lake and the roads of the island.
func TestWhatIsDrawnLiesWhereItIs(t *testing.T) {
	m := demotest.Island(t)
	regions := []*region.Region{m.Region}
	looked := 0
	tiles := map[tile.ID][]feature{}
	encoded := func(id tile.ID) []feature {
		if tiles[id] == nil {
			tiles[id] = decode(t, tile.Encode(regions, nil, id))
		}
		return tiles[id]
	}
	for i := range m.Draft.Ground {
		f := &m.Draft.Ground[i]
		if f.Class != region.Land && f.Class != region.Primary && f.Class != region.Trunk &&
			!(f.Class == region.Water && len(f.Parts[0]) > 60) {
			continue
		}
		if ring := f.Parts[0]; f.Shape == region.LineShape && ring[0] == ring[len(ring)-1] {
			continue // a roundabout is a spot at small scales, and then dropped
		}
		for _, z := range []int{max(8, int(f.MinZoom)), 11, 13, 16} {
			for k := 0; k < len(f.Parts[0]); k += 1 + len(f.Parts[0])/12 {
				p := f.Parts[0][k].Point()
				id := tile.At(p, z)
				x, y := mercator.Project(p)
				scale := math.Ldexp(mercator.Extent, z)
				u, v := x*scale-float64(id.X)*mercator.Extent, y*scale-float64(id.Y)*mercator.Extent
				best := math.Inf(1)
				for _, d := range encoded(id) {
					if d.class != f.Class.String() {
						continue
					}
					for _, part := range d.parts {
						for i := range part {
							if i+1 == len(part) && d.shape == region.LineShape {
								break
							}
							a, b := part[i], part[(i+1)%len(part)]
							abx, aby := float64(b.X-a.X), float64(b.Y-a.Y)
							s := max(0, min(1, ((u-float64(a.X))*abx+(v-float64(a.Y))*aby)/max(1e-9, abx*abx+aby*aby)))
							best = min(best, math.Hypot(u-float64(a.X)-s*abx, v-float64(a.Y)-s*aby))
						}
					}
				}
				require.LessOrEqual(
					t,
					best,
					9.5,
					"%v of %d (%s, %d points) at zoom %d, %v",
					f.Class,
					f.ID,
					f.Name,
					len(f.Parts[0]),
					z,
					p,
				)
				looked++
			}
		}
	}
	assert.Greater(t, looked, 500)
}

func TestIdsAreThoseOfTheSource(t *testing.T) {
	m := demotest.Island(t)
	known := map[uint64]bool{}
	for _, f := range m.Draft.Ground {
		known[uint64(f.ID)] = true
	}
	unknown, largest := false, uint64(0)
	over(t, func(id tile.ID) {
		for _, f := range decode(t, tile.Encode([]*region.Region{m.Region}, nil, id)) {
			if f.id&3 != region.FromNothing {
				unknown = unknown || !known[f.id]
			}
			largest = max(largest, f.id)
		}
	})
	assert.False(t, unknown, "an id that the source has not")
	assert.Less(t, largest, uint64(1)<<53, "exact in JavaScript")
}

func TestTheWorldGivesWayToARegion(t *testing.T) {
	square := func(class region.Class, id region.FeatureID, half float64) *region.Draft {
		return &region.Draft{Bounds: geo.Box{South: -half, West: -half, North: half, East: half},
			Ground: []region.Feature{
				{
					ID:    id,
					Class: class,
					Shape: region.AreaShape,
					Parts: [][]geo.E7{{at(-half, -half), at(-half, half), at(half, half), at(half, -half)}},
				},
			}}
	}
	world, here := oneRegion(t, square(region.FarLand, 8, 40))[0], oneRegion(t, square(region.Land, 12, 1))
	classes := func(id tile.ID) (out []string) {
		for _, f := range decode(t, tile.Encode(here, world, id)) {
			out = append(out, f.class)
		}
		return out
	}
	assert.Equal(t, []string{"farland", "land"}, classes(tile.At(geo.MustPoint(0.1, 0.1), 5)))
	assert.Equal(t, []string{"farland", "farsea", "land"}, classes(tile.At(geo.MustPoint(0.1, 0.1), 10)))
	assert.Equal(t, []string{"farland"}, classes(tile.At(geo.MustPoint(20, 20), 10)))
	assert.Empty(t, classes(tile.At(geo.MustPoint(60, 20), 10)))
}

// tilted returns a region with a tilted plane for its heights: level along parallels, 100 m down for a tenth of a
// degree to the south.
func tilted(t *testing.T) *region.Region {
	g := &relief.Grid{
		West:    -26.5,
		North:   -37.9,
		StepLng: 0.001,
		StepLat: 0.001,
		Width:   500,
		Height:  400,
		Metres:  make([]float32, 200000),
	}
	for i := range g.Metres {
		g.Metres[i] = 500 - float32(i/500)
	}
	return oneRegion(t, &region.Draft{Heights: g, Bounds: geo.Box{South: -38.299, West: -26.5, North: -37.9,
		East: -26.001}})[0]
}

func TestContoursLieAtTheirHeights(t *testing.T) {
	r := tilted(t)
	for _, z := range []int{11, 12, 13, 15, 17} {
		id := tile.At(geo.MustPoint(-38.05, -26.2), z)
		levels := 0
		for _, f := range decode(t, tile.Encode([]*region.Region{r}, nil, id)) {
			require.Equal(t, "contour", f.class)
			levels++
			for _, part := range f.parts {
				for _, p := range part {
					lat := mercator.Unproject(0.5, (float64(id.Y)+float64(p.Y)/mercator.Extent)/math.Ldexp(1, z)).Lat()
					height := 500 - (-37.9-lat)/0.001
					if f.rank == 1 {
						require.InDelta(t, float64(atoi(f.name)), height, 0.6+200/math.Ldexp(1, z-9), "zoom %d", z)
					}
					off := math.Abs(height/tile.Interval(z) - math.Round(height/tile.Interval(z)))
					require.Less(t, off*tile.Interval(z), 0.6+200/math.Ldexp(1, z-9), "zoom %d", z)
				}
			}
		}
		assert.Positive(t, levels, "zoom %d", z)
	}
	assert.Zero(t, tile.Interval(9))
}

func atoi(s string) (n int) {
	for _, c := range s {
		n = n*10 + int(c-'0')
	}
	return n
}

func TestHeightsComeBack(t *testing.T) {
	r := tilted(t)
	for _, z := range []int{8, 10, 12, 14, 16} {
		id := tile.At(geo.MustPoint(-38.05, -26.2), z)
		data := tile.EncodeHeights([]*region.Region{r}, id)
		require.Equal(t, "VH\x01", string(data[:3]))
		n, quantum := int(data[3]), math.Ldexp(1, int(data[4])-2)
		d, side := data[5:], n+3
		rows := make([]int64, side*side)
		for i := range rows {
			v, k := binary.Varint(d)
			require.Positive(t, k)
			d = d[k:]
			if i >= side {
				v += rows[i-side]
			}
			if i%side > 0 {
				v += rows[i-1]
				if i >= side {
					v -= rows[i-side-1]
				}
			}
			rows[i] = v
		}
		require.Empty(t, d)
		looked := 0
		for y := range side {
			for x := range side {
				lat := mercator.Unproject(0.5, (float64(id.Y)+float64(y-1)/float64(n))/math.Ldexp(1, z)).Lat()
				lng := (float64(id.X)+float64(x-1)/float64(n))/math.Ldexp(1, z)*360 - 180
				if lat > -38.2 && lat < -38 && lng > -26.4 && lng < -26.1 {
					want := 500 - (-37.9-lat)/0.001
					require.InDelta(t, want, float64(rows[y*side+x])*quantum, quantum+1, "zoom %d", z)
					looked++
				}
			}
		}
		assert.Positive(t, looked, "zoom %d", z)
	}
	assert.Nil(t, tile.EncodeHeights([]*region.Region{r}, tile.At(geo.MustPoint(38, 26), 10)))
	assert.Nil(t, tile.EncodeHeights(oneRegion(t, &region.Draft{}), tile.ID{}))
}
