package tile

import (
	"encoding/binary"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/region"
)

func TestProjectionRoundTripsAndMeetsItsCorners(t *testing.T) {
	x, y := Project(geo.MustPoint(0, 0))
	assert.Equal(t, 0.5, x)
	assert.InDelta(t, 0.5, y, 1e-15)
	_, y = Project(geo.MustPoint(maxLat, 0))
	assert.InDelta(t, 0, y, 1e-12)
	r := rand.New(rand.NewPCG(1, 1))
	for range 1000 {
		p := geo.MustPoint(r.Float64()*170-85, r.Float64()*360-180)
		x, y := Project(p)
		q := Unproject(x, y)
		assert.InDelta(t, p.Lat(), q.Lat(), 1e-10)
		assert.InDelta(t, p.Lng(), q.Lng(), 1e-10)
	}
}

func TestTilesOutsideThePyramidAreRefused(t *testing.T) {
	for _, id := range []ID{{-1, 0, 0}, {20, 0, 0}, {0, 1, 0}, {3, 8, 0}, {3, 0, -1}} {
		assert.Error(t, id.Check(), id)
	}
	assert.NoError(t, ID{19, 524287, 0}.Check())
}

func TestSimplifiedLinesStayWithinTheTolerance(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for range 200 {
		line := []xy{{0, 0}}
		for range 100 {
			last := line[len(line)-1]
			line = append(line, xy{last.x + r.Int32N(20), last.y + r.Int32N(21) - 10})
		}
		short := simplify(line, 4)
		assert.Less(t, len(short), len(line))
		for _, p := range line {
			best := math.Inf(1)
			for i := 1; i < len(short); i++ {
				best = math.Min(best, squareToStretch(p, short[i-1], short[i]))
			}
			require.LessOrEqual(t, math.Sqrt(best), 4.0)
		}
	}
}

// The area of a clipped ring against counting which of a grid of points lie in both.
func TestClippedRingsCoverWhatTheyShould(t *testing.T) {
	w := window{0, 0, 1000, 1000}
	r := rand.New(rand.NewPCG(3, 3))
	for range 100 {
		var ring []xy
		for i := range 20 {
			a := float64(i) / 20 * 2 * math.Pi
			d := 200 + 700*r.Float64()
			ring = append(ring, xy{int32(300 + d*math.Cos(a)), int32(700 + d*math.Sin(a))})
		}
		in := func(ring []xy, x, y float64) bool {
			c := false
			for i, j := 0, len(ring)-1; i < len(ring); j, i = i, i+1 {
				a, b := ring[i], ring[j]
				if (float64(a.y) > y) != (float64(b.y) > y) && x < float64(b.x-a.x)*(y-float64(a.y))/float64(b.y-a.y)+float64(a.x) {
					c = !c
				}
			}
			return c
		}
		cut := w.clipRing(ring)
		wrong := 0
		for x := 5.5; x < 1000; x += 31 {
			for y := 5.5; y < 1000; y += 31 {
				if in(ring, x, y) != in(cut, x, y) {
					wrong++
				}
			}
		}
		assert.LessOrEqual(t, wrong, 3, "rounding moves an edge by half a unit at most")
		for _, p := range cut {
			assert.True(t, w.holds(p))
		}
	}
}

func TestClippedLinesKeepTheirInnerPieces(t *testing.T) {
	w := window{0, 0, 100, 100}
	got := w.clipLine([]xy{{-50, 50}, {50, 50}, {50, 150}, {80, 150}, {80, 50}})
	assert.Equal(t, [][]xy{{{0, 50}, {50, 50}, {50, 100}}, {{80, 100}, {80, 50}}}, got)
	assert.Empty(t, w.clipLine([]xy{{-5, -5}, {-5, 200}}))
}

func oneRegion(t *testing.T, f ...region.Feature) []*region.Region {
	t.Helper()
	data, err := region.Encode(&region.Draft{Ground: f})
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	return []*region.Region{r}
}

func TestATileHoldsWhatLiesOnIt(t *testing.T) {
	at := func(lat, lng float64) geo.E7 { return geo.MustPoint(lat, lng).E7() }
	regions := oneRegion(t,
		region.Feature{ID: 42, Class: region.Primary, Shape: region.LineShape, MinZoom: 3, Flags: region.Bridge, Rank: 7, Name: "Høgd <Road>", Parts: [][]geo.E7{{at(-1, -1), at(1, 1)}}},
		region.Feature{ID: 43, Class: region.Land, Shape: region.AreaShape, Parts: [][]geo.E7{{at(-2, -2), at(-2, 2), at(2, 2), at(2, -2)}}},
	)
	assert.Nil(t, Encode(regions, ID{5, 0, 0}))
	data := Encode(regions, ID{5, 16, 15})
	require.NotNil(t, data)
	require.Equal(t, Magic, string(data[:3]))
	d := data[3:]
	number := func() uint64 { v, n := binary.Uvarint(d); require.Positive(t, n); d = d[n:]; return v }
	signed := func() int64 { v, n := binary.Varint(d); require.Positive(t, n); d = d[n:]; return v }
	text := func() string { n := number(); s := string(d[:n]); d = d[n:]; return s }
	octet := func() byte { b := d[0]; d = d[1:]; return b }
	require.Equal(t, uint64(1), number())
	assert.Equal(t, "Høgd <Road>", text())
	require.Equal(t, uint64(2), number())
	assert.Equal(t, "land", text())
	assert.Equal(t, byte(region.AreaShape), octet())
	require.Equal(t, uint64(1), number())
	assert.Equal(t, uint64(43), number())
	assert.Equal(t, uint64(0), number())
	octet()
	octet()
	require.Equal(t, uint64(1), number())
	points := number()
	for range 2 * points {
		signed()
	}
	assert.Equal(t, "primary", text())
	assert.Equal(t, byte(region.LineShape), octet())
	require.Equal(t, uint64(1), number())
	assert.Equal(t, uint64(42), number())
	assert.Equal(t, uint64(1), number())
	assert.Equal(t, byte(region.Bridge), octet())
	assert.Equal(t, byte(7), octet())
	require.Equal(t, uint64(1), number())
	require.Equal(t, uint64(2), number())
	x, y := signed(), signed()
	assert.InDelta(t, -Buffer, x, 1)
	assert.InDelta(t, Extent+Buffer, y, 1)
	signed()
	signed()
	assert.Empty(t, d)
}

// parts reads the geometry of the only feature of a tile.
func parts(t *testing.T, data []byte) [][]xy {
	t.Helper()
	d := data[len(Magic):]
	number := func() int { v, n := binary.Uvarint(d); require.Positive(t, n); d = d[n:]; return int(v) }
	for n := number(); n > 0; n-- {
		d = d[number():]
	}
	require.Equal(t, 1, number())
	d = d[number():]
	d = d[1:]
	require.Equal(t, 1, number())
	number()
	number()
	d = d[2:]
	var out [][]xy
	var x, y int64
	for n := number(); n > 0; n-- {
		var part []xy
		for k := number(); k > 0; k-- {
			dx, n := binary.Varint(d)
			dy, m := binary.Varint(d[n:])
			d = d[n+m:]
			x, y = x+dx, y+dy
			part = append(part, xy{int32(x), int32(y)})
		}
		out = append(out, part)
	}
	return out
}

// A winding line that crosses from tile to tile is cut at the same places on both sides of every edge: at each zoom, where
// it leaves one tile it enters the next, to within the rounding.
func TestLinesMeetAtTheEdgesOfTiles(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	var line []geo.E7
	lat, lng := -38.0, -26.0
	for range 400 {
		lat, lng = lat+(r.Float64()-0.5)*0.004, lng+r.Float64()*0.003
		line = append(line, geo.MustPoint(lat, lng).E7())
	}
	regions := oneRegion(t, region.Feature{ID: 1, Class: region.Primary, Shape: region.LineShape, Parts: [][]geo.E7{line}})
	met := 0
	for zoom := 9; zoom <= 15; zoom++ {
		n := float64(int(1) << zoom)
		seen := map[int]bool{}
		for _, p := range line {
			x, y := Project(p.Point())
			id := ID{zoom, int(x * n), int(y * n)}
			if seen[id.X] {
				continue
			}
			seen[id.X] = true
			left, right := Encode(regions, id), Encode(regions, ID{zoom, id.X + 1, id.Y})
			if left == nil || right == nil {
				continue
			}
			// Where the line crosses the common edge, in units from the top, as each of the two sees it.
			cross := func(parts [][]xy, edge float64) (at []float64) {
				for _, part := range parts {
					for i := 1; i < len(part); i++ {
						a, b := part[i-1], part[i]
						if (float64(a.x) < edge) != (float64(b.x) < edge) {
							f := (edge - float64(a.x)) / (float64(b.x) - float64(a.x))
							if y := float64(a.y) + f*(float64(b.y)-float64(a.y)); y > 0 && y < Extent {
								at = append(at, y)
							}
						}
					}
				}
				return at
			}
			a, b := cross(parts(t, left), Extent), cross(parts(t, right), 0)
			require.Len(t, b, len(a), "zoom %d, tile %v", zoom, id)
			for i := range a {
				require.InDelta(t, a[i], b[i], 1.5, "zoom %d, tile %v", zoom, id)
				met++
			}
		}
	}
	assert.Greater(t, met, 30)
}
