package world

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/mercator"
	"viandante/core/region"
)

// isLand tells whether a position lies on land, by the areas of a zoom.
func isLand(r *region.Region, z int, lat, lng float64) bool {
	x, y := mercator.Project(geo.MustPoint(lat, lng))
	n := math.Ldexp(mercator.Extent, z)
	px, py := x*n+0.37, y*n+0.41
	in := false
	r.Draw(z, int(px/mercator.Extent), int(py/mercator.Extent), func(f *region.Drawn) bool {
		if f.Class != region.FarLand {
			return true
		}
		k := math.Ldexp(1, -f.Finer)
		for _, ring := range f.Parts {
			for i, j := 0, len(ring)-1; i < len(ring); j, i = i, i+1 {
				ax, ay, bx, by := float64(ring[i].X)*k, float64(ring[i].Y)*k, float64(ring[j].X)*k, float64(ring[j].Y)*k
				if (ay > py) != (by > py) && px < (bx-ax)*(py-ay)/(by-ay)+ax {
					in = !in
				}
			}
		}
		return true
	})
	return in
}

func TestContinentsAreLandAndOceansAreNot(t *testing.T) {
	r, err := Region()
	require.NoError(t, err)
	for _, z := range []int{0, 2, 5, 9} {
		for _, p := range [][2]float64{{47, 9}, {0, 23}, {-25, 135}, {40, -100}, {-10, -55}, {67.5, 179}, {67.5, -177},
			{-80, 0}, {-80, 60}, {-82, -100}, {72, -40}} {
			assert.True(t, isLand(r, z, p[0], p[1]), "land at %v, zoom %d", p, z)
		}
		for _, p := range [][2]float64{{0, -30}, {-38, -26}, {30, -150}, {-40, 80}, {0, 180}, {0, -179.9}, {-30,
			179.9}, {85, 0}, {50, 179.99}} {
			assert.False(t, isLand(r, z, p[0], p[1]), "sea at %v, zoom %d", p, z)
		}
	}
}

// No shore runs from one side of the map to the other, nor along the antimeridian, where land is only cut.
func TestShoresDoNotCrossTheMap(t *testing.T) {
	r, err := Region()
	require.NoError(t, err)
	shores := 0
	for x := range 8 {
		for y := range 8 {
			r.Draw(3, x, y, func(f *region.Drawn) bool {
				if f.Class == region.FarShore {
					for _, line := range f.Parts {
						shores++
						for i := 1; i < len(line); i++ {
							a, b := line[i-1], line[i]
							require.Less(t, math.Abs(float64(a.X)-float64(b.X)), 3.0*mercator.Extent)
							atSeam := func(p mercator.XY) bool { return p.X <= 0 || p.X >= 8*mercator.Extent }
							if atSeam(a) && atSeam(b) {
								require.Less(t, math.Abs(float64(a.Y)-float64(b.Y)), 6.0)
							}
						}
					}
				}
				return true
			})
		}
	}
	assert.Greater(t, shores, 100)
}
