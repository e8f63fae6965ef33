package shape

import (
	"context"
	"math"
	"math/big"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
)

func faultsOf(t *testing.T, rings [][]geo.Point, most int) []Fault {
	t.Helper()
	faults, err := Faults(t.Context(), rings, most)
	require.NoError(t, err)
	return faults
}

func TestFaults(t *testing.T) {
	square := ring(0, 0, 0, 10, 10, 10, 10, 0)
	for name, c := range map[string]struct {
		rings  [][]geo.Point
		reason string
		at     geo.Point
	}{
		"a square": {[][]geo.Point{square}, "", geo.Point{}},
		"a bow tie": {[][]geo.Point{ring(0, 0, 10, 10, 0, 10, 10, 0)},
			"the outline crosses itself", geo.MustPoint(5, 5)},
		"a bow tie on the antimeridian": {[][]geo.Point{ring(0, 175, 10, -175, 0, -175, 10, 175)},
			"the outline crosses itself", geo.MustPoint(5, 180)},
		"a bow tie near the pole": {[][]geo.Point{ring(89, 0, 89, 180, 89, 90, 89, -90)},
			"the outline crosses itself", geo.MustPoint(90, 0)},
		"a square round the pole": {[][]geo.Point{ring(80, 0, 80, 90, 80, 180, 80, -90)}, "", geo.Point{}},
		"a square over the antimeridian": {[][]geo.Point{ring(0, 170, 0, -170, 10, -170, 10, 170), ring(4, 178, 4,
			-178, 6, -178, 6, 178)}, "", geo.Point{}},
		"touching itself at a position": {[][]geo.Point{ring(0, 0, 5, 5, 0, 10, 10, 10, 5, 5, 10, 0)},
			"", geo.Point{}},
		"turning back on itself": {[][]geo.Point{ring(0, 0, 0, 10, 0, 5, 5, 5)},
			"the outline crosses itself", geo.MustPoint(0, 5)},
		"two positions": {[][]geo.Point{ring(0, 0, 1, 1, 0, 0)}, "ring 1 has fewer than three " +
			"positions that differ", geo.MustPoint(0, 0)},
		"a hole":              {[][]geo.Point{square, ring(2, 2, 2, 4, 4, 4)}, "", geo.Point{}},
		"a hole that touches": {[][]geo.Point{square, ring(0, 2, 2, 4, 4, 2)}, "", geo.Point{}},
		"a hole outside": {[][]geo.Point{square, ring(12, 2, 12, 4, 14, 4)},
			"a hole lies outside the outline", geo.MustPoint(12, 2)},
		"a hole that crosses": {[][]geo.Point{square, ring(8, 2, 12, 4, 12, 2)},
			"a hole crosses the outline", geo.MustPoint(10, 3)},
		"a hole in a hole": {[][]geo.Point{square, ring(1, 1, 1, 9, 9, 9), ring(2, 3, 2, 4, 3, 4)},
			"a hole lies in another", geo.MustPoint(2, 3)},
	} {
		t.Run(name, func(t *testing.T) {
			faults := faultsOf(t, c.rings, 5)
			if c.reason == "" {
				assert.Empty(t, faults)
				return
			}
			require.NotEmpty(t, faults)
			assert.Equal(t, c.reason, faults[0].Reason)
			assert.InDelta(t, c.at.Lat(), faults[0].At.Lat(), 0.02)
			assert.InDelta(t, 0, math.Remainder(c.at.Lng()-faults[0].At.Lng(), 360)*math.Cos(c.at.Lat()*degree), 0.02)
		})
	}
}

func TestCrossingsAreThoseOfAScan(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	for round := range 60 {
		var line []geo.Point
		for range 3 + r.IntN(80) {
			scale := []float64{1e-5, 0.01, 3}[round%3] // coarse ones touch and overlap
			line = append(
				line,
				geo.MustPoint(math.Round(r.Float64()*20)*scale, geo.WrapLng(179.9999+math.Round(r.Float64()*20)*scale)),
			)
		}
		sides := sidesOf([][]spot{planeOf([][]geo.Point{line}).spots(open(line))})
		want, got := map[[2]int]bool{}, map[[2]int]bool{}
		for i := range sides {
			for k := i + 1; k < len(sides); k++ {
				if exactlyCrossed(sides[i], sides[k]) {
					want[[2]int{sides[i].i, sides[k].i}] = true
				}
			}
		}
		for _, c := range sweep(t.Context(), sides, math.MaxInt).crossings {
			got[[2]int{min(c.s.i, c.t.i), max(c.s.i, c.t.i)}] = true
		}
		assert.Equal(t, want, got, "round %d", round)
	}
}

// exactlyCrossed says it again with numbers of any size.
func exactlyCrossed(s, t side) bool {
	area := func(a, b, c spot) int {
		p := new(big.Int).Mul(big.NewInt(b.x-a.x), big.NewInt(c.y-a.y))
		return p.Cmp(new(big.Int).Mul(big.NewInt(b.y-a.y), big.NewInt(c.x-a.x)))
	}
	if area(s.a, s.b, t.a) == 0 && area(s.a, s.b, t.b) == 0 {
		along := func(p spot) int64 { return (p.x - s.a.x) + 3*(p.y-s.a.y) }
		if (s.b.x-s.a.x)+3*(s.b.y-s.a.y) == 0 {
			along = func(p spot) int64 { return p.x - s.a.x }
		}
		lo, hi := min(along(s.a), along(s.b)), max(along(s.a), along(s.b))
		return max(lo, min(along(t.a), along(t.b))) < min(hi, max(along(t.a), along(t.b)))
	}
	return area(s.a, s.b, t.a)*area(s.a, s.b, t.b) < 0 && area(t.a, t.b, s.a)*area(t.a, t.b, s.b) < 0
}

func TestUncross(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 2))
	for range 30 {
		var line []geo.Point
		for range 4 + r.IntN(25) {
			line = append(line, geo.MustPoint(r.Float64()*20-40, geo.WrapLng(170+r.Float64()*20)))
		}
		mended, ok := Uncross(t.Context(), line)
		require.True(t, ok)
		assert.ElementsMatch(t, line, mended, "no position is lost or made")
		assert.Empty(t, faultsOf(t, [][]geo.Point{mended}, 1))
	}
	square := ring(0, 0, 0, 10, 10, 10, 10, 0)
	same, ok := Uncross(t.Context(), square)
	assert.True(t, ok)
	assert.Equal(t, square, same)
}

// Rings without crossings, nested at random and touching at corners: which lies in which is as counting has it.
func TestRingsLieWhereCountingSaysTheyDo(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 4))
	for range 200 {
		var boxes [][4]int64 // x0, y0, x1, y1
		var cut func(x0, y0, x1, y1 int64, depth int)
		cut = func(x0, y0, x1, y1 int64, depth int) {
			if x1-x0 < 1 || y1-y0 < 1 || depth == 0 {
				return
			}
			boxes = append(boxes, [4]int64{x0, y0, x1, y1})
			if x1-x0 < 4 || y1-y0 < 4 {
				return
			}
			x, y := x0+1+r.Int64N(x1-x0-2), y0+1+r.Int64N(y1-y0-2)
			cut(x0+1, y0+1, x, y, depth-1) // these two share a corner
			cut(x, y, x1-1, y1-1, depth-1)
		}
		cut(0, 0, 60, 60, 4)
		r.Shuffle(len(boxes), func(i, k int) { boxes[i], boxes[k] = boxes[k], boxes[i] })
		rings := make([][]spot, len(boxes))
		want := map[int]int{}
		for i, b := range boxes {
			rings[i] = []spot{{b[0], b[1]}, {b[2], b[1]}, {b[2], b[3]}, {b[0], b[3]}}
			if r.IntN(2) == 0 {
				slices.Reverse(rings[i])
			}
			want[i] = nothing
			smallest := int64(math.MaxInt64)
			for k, o := range boxes {
				if size := o[2] - o[0]; k != i && o[0] <= b[0] && o[1] <= b[1] && o[2] >= b[2] && o[3] >= b[3] &&
					size < smallest {
					want[i], smallest = k, size
				}
			}
		}
		got := sweep(t.Context(), sidesOf(rings), 1)
		require.Empty(t, got.crossings)
		assert.Equal(t, want, got.parents)
	}
}

// Whatever way a hundred thousand positions lie, they are looked at in a moment: each of these took half a minute or
// more when sides were looked for in the cells of a grid.
func TestNoArrangementTakesLong(t *testing.T) {
	comb := []geo.Point{}
	teeth, holes, zigs := 25_000, 20_000, 100_000
	if testing.Short() {
		teeth, holes, zigs = 2500, 2000, 10_000
	}
	for i := range teeth { // a comb whose long teeth lean
		x := float64(i) * 1e-4
		comb = append(
			comb,
			geo.MustPoint(0, x),
			geo.MustPoint(9, x+4),
			geo.MustPoint(9, x+4.00004),
			geo.MustPoint(0, x+0.00004),
		)
	}
	comb = append(comb, geo.MustPoint(-1, 3), geo.MustPoint(-1, 0))
	assert.Empty(t, faultsOf(t, [][]geo.Point{comb}, 50))
	comb[7], comb[2*teeth] = comb[2*teeth], comb[7]
	assert.Len(t, faultsOf(t, [][]geo.Point{comb}, 50), 50)

	rings := [][]geo.Point{ring(-1, -1, -1, 101, 80, 101, 80, -1)}
	for i := range holes {
		lat, lng := float64(i%200)/3, float64(i/200)/2
		rings = append(rings, ring(lat, lng, lat+0.2, lng, lat+0.2, lng+0.2, lat, lng+0.2))
	}
	assert.Empty(t, faultsOf(t, rings, 50))

	zigzag := []geo.Point{}
	for i := range zigs { // every side crosses every other
		zigzag = append(zigzag, geo.MustPoint(float64(i%2)*10-5, float64(i*7919%zigs)*1e-4))
	}
	assert.Len(t, faultsOf(t, [][]geo.Point{zigzag}, 50), 50)
	_, ok := Uncross(t.Context(), zigzag)
	assert.False(t, ok)

	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := Faults(gone, [][]geo.Point{comb}, 50)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestManyVertices(t *testing.T) {
	n := 100_000
	if testing.Short() {
		n = 10_000
	}
	line := make([]geo.Point, n)
	for i := range line {
		a := 2 * math.Pi * float64(i) / float64(n)
		k := 0.3 + 0.002*math.Sin(900*a)
		line[i] = geo.MustPoint(-38+k*math.Sin(a), -26+k*math.Cos(a)).Rounded()
	}
	assert.Empty(t, faultsOf(t, [][]geo.Point{line}, 1))
	line[n/2], line[n/4] = line[n/4], line[n/2]
	faults := faultsOf(t, [][]geo.Point{line}, 10)
	require.Len(t, faults, 10)
	assert.Equal(t, "the outline crosses itself", faults[0].Reason)
}
