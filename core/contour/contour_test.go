package contour

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// area is positive for a ring that runs counterclockwise where rows run upwards.
func area(r []Point) float64 {
	var sum float64
	for i, p := range r {
		q := r[(i+1)%len(r)]
		sum += p.X*q.Y - q.X*p.Y
	}
	return sum / 2
}

func hill(w, h int) []float64 {
	v := make([]float64, w*h)
	for y := range h {
		for x := range w {
			v[y*w+x] = 100 - 10*math.Hypot(float64(x)-30, float64(y)-25)
		}
	}
	return v
}

func TestACircleComesOutRound(t *testing.T) {
	rings := Rings(61, 51, hill(61, 51), 0)
	require.Len(t, rings, 1)
	assert.InDelta(t, math.Pi*100, area(rings[0]), 1)
	for _, p := range rings[0] {
		assert.InDelta(t, 10, math.Hypot(p.X-30, p.Y-25), 0.05)
	}
}

func TestHollowsRunTheOtherWay(t *testing.T) {
	v := hill(61, 51)
	for i := range v {
		v[i] = 40 - math.Abs(v[i]-40) // a rim
	}
	rings := Rings(61, 51, v, 20)
	require.Len(t, rings, 2)
	assert.InDelta(t, math.Pi*(64-16), area(rings[0])+area(rings[1]), 2)
	assert.Less(t, min(area(rings[0]), area(rings[1])), 0.0)
}

func TestRingsCloseAtTheGridsEdge(t *testing.T) {
	v := make([]float64, 16)
	for i := range v {
		v[i] = 5
	}
	rings := Rings(4, 4, v, 1)
	require.Len(t, rings, 1)
	assert.InDelta(t, 4*4-0.5, area(rings[0]), 0.01, "half a cell beyond the grid on every side, corners cut")
	assert.Empty(t, Rings(4, 4, v, 9))
}

// Against counting: whatever the values, a point of the grid is within an odd number of rings exactly when it is above.
func TestRingsHoldWhatIsAbove(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 60 {
		w, h := 3+r.IntN(14), 3+r.IntN(14)
		v := make([]float64, w*h)
		for i := range v {
			v[i] = r.Float64()*2 - 1
		}
		rings := Rings(w, h, v, 0)
		for y := range h {
			for x := range w {
				in := false
				for _, ring := range rings {
					for i, p := range ring {
						q := ring[(i+1)%len(ring)]
						// A ray a little off the row, so that it meets no point of a ring.
						py, px := float64(y)+1e-7, float64(x)+1e-7
						if (p.Y > py) != (q.Y > py) && px < (q.X-p.X)*(py-p.Y)/(q.Y-p.Y)+p.X {
							in = !in
						}
					}
				}
				require.Equal(t, v[y*w+x] > 0, in, "%d, %d of %v", x, y, v)
			}
		}
	}
}

func TestLinesAreThoseOfEachLevelAlone(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	const w, h = 40, 30
	v := make([]float64, w*h)
	for i := range v {
		x, y := float64(i%w), float64(i/w)
		v[i] = 50*math.Sin(x/7)*math.Cos(y/5) + 8*r.Float64()
	}
	v[5*w+7] = math.NaN()
	levels := []float64{-60, -40, -20, 0, 10, 20, 30, 40, 60}
	all := Lines(w, h, v, levels)
	require.Len(t, all, len(levels))
	assert.Empty(t, all[0])
	for k, level := range levels {
		assert.Equal(t, Lines(w, h, v, []float64{level})[0], all[k], "level %v", level)
		for _, line := range all[k] {
			require.Greater(t, len(line), 1)
			first, last := line[0], line[len(line)-1]
			edge := func(p Point) bool {
				return p.X == 0 || p.Y == 0 || p.X == w-1 || p.Y == h-1 || math.Abs(p.X-7) <= 1 && math.Abs(p.Y-5) <= 1
			}
			if first != last {
				assert.True(t, edge(first) && edge(last), "%v to %v ends in the open", first, last)
			}
			for _, p := range line { // linear between the two points of its edge, short of its ends
				x, y := int(p.X), int(p.Y)
				nextX, nextY := min(w-1, x+int(math.Ceil(p.X-float64(x)))), min(h-1, y+int(math.Ceil(p.Y-float64(y))))
				a, b := v[y*w+x], v[nextY*w+nextX]
				s := p.X - float64(x) + p.Y - float64(y)
				if s > 0.021 && s < 0.979 {
					require.InDelta(t, level, a+(b-a)*s, 1e-9)
				}
			}
		}
	}
	assert.Empty(t, Lines(w, h, v, nil))
}
