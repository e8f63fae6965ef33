package proof_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/proof"
)

// Test points lie where their names say, and their references are those of the positions as they are written.
func TestPointsLieWhereTheyShould(t *testing.T) {
	from := geo.MustPoint(-38.1234567, -26.1)
	fan := proof.Fan{BearingsDeg: []float64{0, 90, 180, 270, 33}, DistancesM: []float64{1, 500, 2e6}, Edges: true}
	points, err := proof.Points(geodesy.Ellipsoid, from, fan)
	require.NoError(t, err)
	require.Len(t, points, 15+12)
	ids := map[string]bool{}
	for i, p := range points {
		assert.False(t, ids[p.ID], "unique")
		ids[p.ID] = true
		assert.Equal(t, p.To.Rounded(), p.To)
		l := geodesy.Measure(geodesy.Ellipsoid, p.From, p.To)
		assert.Equal(t, l.DistanceM, p.DistanceM)
		if i < 15 && fan.DistancesM[i/5] > 100 {
			assert.InDelta(t, fan.DistancesM[i/5], p.DistanceM, 0.01)
			assert.InDelta(t, 0, math.Remainder(fan.BearingsDeg[i%5]-p.InitialDeg, 360), 0.002)
		}
	}
	assert.Equal(t, "north 1 m", points[0].Name)
	assert.Equal(t, "033° 2000 km", points[14].Name)
	assert.True(t, math.IsNaN(points[16].InitialDeg), "the same point")
	assert.Greater(t, points[17].To.Lng(), -180.0)
	for _, bad := range []proof.Fan{{BearingsDeg: []float64{0}, DistancesM: []float64{0}},
		{BearingsDeg: []float64{0}, DistancesM: []float64{-1}}, {BearingsDeg: []float64{0}, DistancesM: []float64{3e7}},
		{BearingsDeg: []float64{0}, DistancesM: []float64{math.NaN()}},
		{BearingsDeg: make([]float64, 360), DistancesM: make([]float64, 100)}} {
		_, err := proof.Points(geodesy.Ellipsoid, from, bad)
		assert.Error(t, err)
	}
	for _, pole := range []float64{90, -90} { // a pole as standpoint
		points, err := proof.Points(geodesy.Ellipsoid, geo.MustPoint(pole, 0), fan)
		require.NoError(t, err)
		assert.True(t, math.IsNaN(points[0].InitialDeg))
	}
}

// Each step follows from those before, and the result is that of the sphere.
func TestFormulasAreFollowed(t *testing.T) {
	from, to := geo.MustPoint(-38.11, -26.28), geo.MustPoint(12.5, 179.9)
	sphere := geodesy.Measure(geodesy.Sphere, from, to)
	want := map[string]float64{"haversine": sphere.DistanceM, "cosines": sphere.DistanceM,
		"bearing": sphere.InitialBearing}
	for _, f := range proof.FormulasToFollow {
		steps, ok := proof.Follow(f.ID, from, to)
		require.True(t, ok, f.ID)
		result := steps[len(steps)-2]
		if v, known := want[f.ID]; known {
			assert.InDelta(t, v, result.Value, 1e-3, f.ID)
		}
		for _, s := range steps {
			assert.False(t, math.IsNaN(s.Value), "%s: %s", f.ID, s.Symbol)
			assert.NotEmpty(t, s.Title)
		}
	}
	steps, _ := proof.Follow("destination", from, to)
	n := len(steps)
	got := geo.MustPoint(steps[n-4].Value, steps[n-3].Value)
	assert.Less(t, geodesy.Distance(got, to)/geodesy.Distance(from, to), 0.006, "a sphere's destination")
	same, _ := proof.Follow("bearing", from, from)
	assert.True(t, math.IsNaN(same[len(same)-1].Value), "to the same point there is no bearing")
	_, ok := proof.Follow("none", from, to)
	assert.False(t, ok)
}
