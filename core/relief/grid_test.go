package relief

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestAtIsBilinearAndUnknownOutside(t *testing.T) {
	g := &Grid{
		West:    -26,
		North:   -38,
		StepLng: 0.5,
		StepLat: 0.25,
		Width:   2,
		Height:  3,
		Metres:  []float32{0, 10, 20, 30, 40, float32(math.NaN())},
	}
	assert.Equal(t, 0.0, g.At(-38, -26))
	assert.Equal(t, 15.0, g.At(-38.125, -25.75))
	assert.True(t, math.IsNaN(g.At(-38.3, -25.75)), "one of the four is unknown")
	for _, p := range [][2]float64{{-37.9, -26}, {-38.6, -26}, {-38, -26.1}, {-38, -25.4}, {math.NaN(), 0}} {
		assert.True(t, math.IsNaN(g.At(p[0], p[1])), p)
	}
	assert.True(t, math.IsNaN((&Grid{Width: 1, Height: 1, StepLng: 1, StepLat: 1, Metres: []float32{1}}).At(0, 0)))
}

// Cubic convolution gives back polynomials of the second degree (Keys 1981).
func TestCubicWeightsGiveBackAParabola(t *testing.T) {
	parabola := func(x float64) float64 { return 3*x*x - 2*x + 7 }
	for _, u := range []float64{0, 0.1, 0.5, 0.77, 1} {
		var sum, value float64
		for k, w := range CubicWeights(u) {
			sum += w
			value += w * parabola(float64(k-1))
		}
		assert.InDelta(t, 1, sum, 1e-12)
		assert.InDelta(t, parabola(u), value, 1e-12)
	}
}
