package generalize

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// away returns how far a point lies from a line, or from a ring's outline.
func away(p xy, line []xy, closed bool) float64 {
	best := math.Inf(1)
	for i := range line {
		if i+1 == len(line) && !closed {
			break
		}
		a, b := line[i], line[(i+1)%len(line)]
		abx, aby := float64(b.X-a.X), float64(b.Y-a.Y)
		f := max(0, min(1, (float64(p.X-a.X)*abx+float64(p.Y-a.Y)*aby)/max(1e-9, abx*abx+aby*aby)))
		best = min(best, math.Hypot(float64(p.X)-float64(a.X)-f*abx, float64(p.Y)-float64(a.Y)-f*aby))
	}
	return best
}

// crosses looks at every pair of sides: the plain test that Crossing is held to.
func crosses(ring []xy) bool {
	side := func(a, b, c xy) int {
		v := (int64(b.X)-int64(a.X))*(int64(c.Y)-int64(a.Y)) - (int64(b.Y)-int64(a.Y))*(int64(c.X)-int64(a.X))
		return int(min(1, max(-1, v)))
	}
	n := len(ring)
	for i := range n {
		for k := i + 2; k < n; k++ {
			a, b, c, d := ring[i], ring[i+1], ring[k], ring[(k+1)%n]
			if side(a, b, c)*side(a, b, d) < 0 && side(c, d, a)*side(c, d, b) < 0 {
				return true
			}
		}
	}
	return false
}

func wander(r *rand.Rand, n int) []xy {
	line := []xy{{X: 0, Y: 0}}
	for range n {
		last := line[len(line)-1]
		line = append(line, xy{X: last.X + r.Int32N(20), Y: last.Y + r.Int32N(21) - 10})
	}
	return line
}

func star(r *rand.Rand, n int) []xy {
	var ring []xy
	for i := range n {
		a, d := 2*math.Pi*float64(i)/float64(n), 300+600*r.Float64()
		ring = append(ring, xy{X: int32(1000 + d*math.Cos(a)), Y: int32(1000 + d*math.Sin(a))})
	}
	return ring
}

func TestLinesStayWithinTheToleranceAndKeepTheirEnds(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for range 300 {
		line := wander(r, 100)
		short := Lines([][]xy{line}, 6)[0]
		require.Less(t, len(short), len(line))
		require.Equal(t, line[0], short[0])
		require.Equal(t, line[len(line)-1], short[len(short)-1])
		for _, p := range line {
			require.LessOrEqual(t, away(p, short, false), 6.0001)
		}
	}
}

func TestRingsStayWithinTheToleranceAndDoNotCross(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for range 300 {
		ring := star(r, 20+r.IntN(120))
		require.False(t, crosses(ring))
		got := Rings([][]xy{ring}, 12)
		require.Len(t, got, 1)
		require.False(t, crosses(got[0]))
		for _, p := range ring {
			require.LessOrEqual(t, away(p, got[0], true), 12.0001)
		}
	}
	assert.Empty(t, Rings([][]xy{{}}, 4))
}

// A hole does not come to lie outside its area: neither ring is carried over a point of the other.
func TestHolesStayInside(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 200 {
		outer := star(r, 60)
		inner := make([]xy, len(outer))
		for i, p := range outer { // runs along a little inside
			inner[len(outer)-1-i] = xy{X: 1000 + int32(float64(p.X-1000)*0.95), Y: 1000 + int32(float64(p.Y-1000)*0.95)}
		}
		got := Rings([][]xy{outer, inner}, 25)
		require.Len(t, got, 2)
		for _, p := range got[1] {
			in := false
			for i := range got[0] {
				a, b := got[0][i], got[0][(i+1)%len(got[0])]
				if (a.Y > p.Y) != (b.Y > p.Y) &&
					float64(p.X) < float64(b.X-a.X)*float64(p.Y-a.Y)/float64(b.Y-a.Y)+float64(a.X) {
					in = !in
				}
			}
			require.True(t, in || away(p, got[0], true) == 0)
		}
	}
}

func TestRoundingLeavesNoKnots(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 400 {
		ring := star(r, 30+r.IntN(200))
		for _, q := range Coarser([][]xy{ring}, 5, true) {
			require.GreaterOrEqual(t, len(q), 3)
			require.False(t, crosses(q))
			_, _, knot := Crossing(q)
			require.False(t, knot)
		}
	}
	assert.Empty(t, Coarser([][]xy{{{X: 1, Y: 1}, {X: 2, Y: 2}, {X: 3, Y: 1}}}, 5, true), "too small to see")
	assert.Equal(
		t,
		[][]xy{{{X: 0, Y: 0}, {X: 2, Y: 0}}},
		Coarser([][]xy{{{X: 1, Y: 1}, {X: 4, Y: 3}, {X: 33, Y: 3}}}, 4, false),
	)
}

func TestCrossingAgreesWithLookingAtAllPairs(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	knots := 0
	for range 2000 {
		n := 4 + r.IntN(60)
		ring := star(r, n)
		if r.IntN(2) == 0 { // two points change places
			i, k := r.IntN(n), r.IntN(n)
			ring[i], ring[k] = ring[k], ring[i]
		}
		_, _, got := Crossing(ring)
		if crosses(ring) {
			knots++
			require.True(t, got, "%v", ring)
		}
	}
	assert.Greater(t, knots, 400)
}

// The area of a clipped ring against counting which of a grid of points lie in both.
func TestClippedRingsCoverWhatTheyShould(t *testing.T) {
	w := Window{0, 0, 1000, 1000}
	r := rand.New(rand.NewPCG(7, 7))
	in := func(ring []xy, x, y float64) bool {
		c := false
		for i, j := 0, len(ring)-1; i < len(ring); j, i = i, i+1 {
			a, b := ring[i], ring[j]
			if (float64(a.Y) > y) != (float64(b.Y) > y) &&
				x < float64(b.X-a.X)*(y-float64(a.Y))/float64(b.Y-a.Y)+float64(a.X) {
				c = !c
			}
		}
		return c
	}
	for range 100 {
		ring := star(r, 20)
		for i := range ring {
			ring[i] = xy{X: ring[i].X - 700, Y: ring[i].Y - 300}
		}
		cut := w.Ring(ring)
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
			assert.True(t, w.Holds(p))
		}
	}
	assert.Nil(t, w.Ring([]xy{{X: -5, Y: -5}, {X: -5, Y: 9}, {X: -9, Y: 9}}))
}

func TestClippedLinesKeepTheirInnerPieces(t *testing.T) {
	w := Window{0, 0, 100, 100}
	at := func(x, y int32) xy { return xy{X: x, Y: y} }
	got := w.Line([]xy{at(-50, 50), at(50, 50), at(50, 150), at(80, 150), at(80, 50)})
	assert.Equal(t, [][]xy{{at(0, 50), at(50, 50), at(50, 100)}, {at(80, 100), at(80, 50)}}, got)
	assert.Empty(t, w.Line([]xy{at(-5, -5), at(-5, 200)}))
	assert.Len(t, w.Line([]xy{at(math.MinInt32, 50), at(math.MaxInt32, 50)}), 1, "no overflow")
}
