package placement

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/mercator"
)

// Placements at random, all over the map and across the antimeridian: what is placed by two or three of its points has
// all its points where they were.
func TestFitFindsAPlacementAgain(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 2000 {
		want := Placement{cx: r.Float64(), cy: 0.1 + 0.8*r.Float64()}
		size := 1e-7 * (1 + 1000*r.Float64())
		want.ax, want.ay = size*(r.Float64()-0.5), size*(r.Float64()+0.1)
		n := 2 + r.IntN(2)
		want.bx, want.by = -want.ay, want.ax
		if n == 3 {
			k, shear := 0.5+r.Float64(), r.Float64()-0.5
			want.bx, want.by = -k*want.ay+shear*want.ax, k*want.ax+shear*want.ay
		}
		var controls []Control
		for _, p := range [][2]float64{{10 * r.Float64(), 10 * r.Float64()}, {700 + 100*r.Float64(), 50 * r.Float64()},
			{300 * r.Float64(), 500 + 50*r.Float64()}}[:n] {
			controls = append(controls, Control{p[0], p[1], want.At(p[0], p[1])})
		}
		got, err := Fit(controls)
		require.NoError(t, err)
		for _, p := range [][2]float64{{0, 0}, {800, 600}, {123, 456}} {
			assert.Less(t, geodesy.Distance(want.At(p[0], p[1]), got.At(p[0], p[1])), 0.01, "%v", controls)
		}
		corners, err := got.Corners(800, 600)
		require.NoError(t, err)
		assert.Equal(t, got.At(800, 600), corners[2])
	}
}

// A picture that is placed by two points is turned and scaled, never mirrored or stretched: pixels at the same distance
// lie equally far, and right of up is right.
func TestTwoPointsKeepTheShape(t *testing.T) {
	p, err := Fit([]Control{{0, 100, geo.MustPoint(-38.1, -26.2)}, {100, 100, geo.MustPoint(-38.1, -26.19)}})
	require.NoError(t, err)
	assert.InDelta(t, -26.2, p.At(0, 0).Lng(), 1e-9, "up is north when the lower edge runs east")
	assert.Greater(t, p.At(0, 0).Lat(), -38.1)
	across, down := geodesy.Distance(p.At(0, 0), p.At(100, 0)), geodesy.Distance(p.At(0, 0), p.At(0, 100))
	assert.InEpsilon(
		t,
		across,
		down,
		0.005,
		"within what an ellipsoid differs from the sphere that the map is drawn on",
	)
}

func TestControlPointsThatPlaceNothing(t *testing.T) {
	a, b, c := geo.MustPoint(-38.1, -26.2), geo.MustPoint(-38.11, -26.21), geo.MustPoint(-38.12, -26.22)
	for name, k := range map[string]struct {
		controls []Control
		want     error
		says     string
	}{
		"none":      {nil, ErrCount, "not 0"},
		"one":       {[]Control{{1, 1, a}}, ErrCount, "not 1"},
		"four":      {make([]Control, 4), ErrCount, "not 4"},
		"one pixel": {[]Control{{5, 5, a}, {5, 5.5, b}}, ErrCoincident, "1 and 2 are the same pixel"},
		"one position": {[]Control{{5, 5, a}, {90, 9, b}, {9, 90, b}}, ErrCoincident,
			"2 and 3 have the same position"},
		"pixels in line": {[]Control{{0, 0, a}, {50, 50, b}, {100, 100, geo.MustPoint(-38, -26)}}, ErrCollinear,
			"in a line"},
		"ground in line": {[]Control{{0, 0, a}, {50, 0, b}, {100, 100, c}}, ErrCollinear, "in a line"},
		"across the line": {[]Control{{0, 0, geo.MustPoint(10, 179.999)}, {100, 0, geo.MustPoint(10, -179.999)}}, nil,
			""},
	} {
		t.Run(name, func(t *testing.T) {
			p, err := Fit(k.controls)
			if k.want == nil {
				require.NoError(t, err)
				assert.InDelta(t, 180, p.At(50, 0).Lng(), 1e-6)
				return
			}
			require.ErrorIs(t, err, k.want)
			assert.ErrorContains(t, err, k.says)
		})
	}
	p, err := Fit([]Control{{0, 0, geo.MustPoint(10, -20)}, {2, 0, geo.MustPoint(10, 60)}})
	require.NoError(t, err)
	_, err = p.Corners(4000, 3000)
	assert.ErrorIs(t, err, ErrTooLarge)
	x, _ := mercator.Project(p.At(1, 0))
	assert.InDelta(t, 0.5+20.0/360, x, 1e-9)
}
