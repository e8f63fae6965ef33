package shape

import (
	"math"
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
)

func TestFaults(t *testing.T) {
	square := ring(0, 0, 0, 10, 10, 10, 10, 0)
	for name, c := range map[string]struct {
		rings  [][]geo.Point
		reason string
		at     geo.Point
	}{
		"a square":                       {[][]geo.Point{square}, "", geo.Point{}},
		"a bow tie":                      {[][]geo.Point{ring(0, 0, 10, 10, 0, 10, 10, 0)}, "the outline crosses itself", geo.MustPoint(5, 5)},
		"a bow tie on the antimeridian":  {[][]geo.Point{ring(0, 175, 10, -175, 0, -175, 10, 175)}, "the outline crosses itself", geo.MustPoint(5, 180)},
		"a bow tie near the pole":        {[][]geo.Point{ring(89, 0, 89, 180, 89, 90, 89, -90)}, "the outline crosses itself", geo.MustPoint(90, 0)},
		"a square round the pole":        {[][]geo.Point{ring(80, 0, 80, 90, 80, 180, 80, -90)}, "", geo.Point{}},
		"a square over the antimeridian": {[][]geo.Point{ring(0, 170, 0, -170, 10, -170, 10, 170), ring(4, 178, 4, -178, 6, -178, 6, 178)}, "", geo.Point{}},
		"touching itself at a position":  {[][]geo.Point{ring(0, 0, 5, 5, 0, 10, 10, 10, 5, 5, 10, 0)}, "", geo.Point{}},
		"turning back on itself":         {[][]geo.Point{ring(0, 0, 0, 10, 0, 5, 5, 5)}, "the outline crosses itself", geo.MustPoint(0, 5)},
		"two positions":                  {[][]geo.Point{ring(0, 0, 1, 1, 0, 0)}, "ring 1 has fewer than three positions that differ", geo.MustPoint(0, 0)},
		"a hole":                         {[][]geo.Point{square, ring(2, 2, 2, 4, 4, 4)}, "", geo.Point{}},
		"a hole that touches":            {[][]geo.Point{square, ring(0, 2, 2, 4, 4, 2)}, "", geo.Point{}},
		"a hole outside":                 {[][]geo.Point{square, ring(12, 2, 12, 4, 14, 4)}, "a hole lies outside the outline", geo.MustPoint(12, 2)},
		"a hole that crosses":            {[][]geo.Point{square, ring(8, 2, 12, 4, 12, 2)}, "a hole crosses the outline", geo.MustPoint(10, 3)},
		"a hole in a hole":               {[][]geo.Point{square, ring(1, 1, 1, 9, 9, 9), ring(2, 3, 2, 4, 3, 4)}, "a hole lies in another", geo.MustPoint(2, 3)},
	} {
		t.Run(name, func(t *testing.T) {
			faults := Faults(c.rings, 5)
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
			line = append(line, geo.MustPoint(math.Round(r.Float64()*20)*scale, geo.WrapLng(179.9999+math.Round(r.Float64()*20)*scale)))
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
		crossings(sides, func(s, u side) bool {
			got[[2]int{min(s.i, u.i), max(s.i, u.i)}] = true
			return true
		})
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
		mended, ok := Uncross(line)
		require.True(t, ok)
		assert.ElementsMatch(t, line, mended, "no position is lost or made")
		assert.Empty(t, Faults([][]geo.Point{mended}, 1))
	}
	square := ring(0, 0, 0, 10, 10, 10, 10, 0)
	same, ok := Uncross(square)
	assert.True(t, ok)
	assert.Equal(t, square, same)
}

func TestManyVertices(t *testing.T) {
	const n = 100_000
	line := make([]geo.Point, n)
	for i := range line {
		a := 2 * math.Pi * float64(i) / n
		k := 0.3 + 0.002*math.Sin(900*a)
		line[i] = geo.MustPoint(-38+k*math.Sin(a), -26+k*math.Cos(a)).Rounded()
	}
	assert.Empty(t, Faults([][]geo.Point{line}, 1))
	line[n/2], line[n/4] = line[n/4], line[n/2]
	faults := Faults([][]geo.Point{line}, 10)
	require.Len(t, faults, 10)
	assert.Equal(t, "the outline crosses itself", faults[0].Reason)
}
