package mercator

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
)

func TestProjectionRoundTripsAndMeetsItsCorners(t *testing.T) {
	x, y := Project(geo.MustPoint(0, 0))
	assert.Equal(t, 0.5, x)
	assert.InDelta(t, 0.5, y, 1e-15)
	_, y = Project(geo.MustPoint(MaxLat, 0))
	assert.InDelta(t, 0, y, 1e-12)
	_, y = Project(geo.MustPoint(-90, 0))
	assert.InDelta(t, 1, y, 1e-12)
	r := rand.New(rand.NewPCG(1, 1))
	for range 1000 {
		p := geo.MustPoint(r.Float64()*170-85, r.Float64()*360-180)
		x, y := Project(p)
		q := Unproject(x, y)
		assert.InDelta(t, p.Lat(), q.Lat(), 1e-10)
		assert.InDelta(t, p.Lng(), q.Lng(), 1e-10)
	}
}

// A published value: Snyder (1987), "Map Projections: A Working Manual", p. 266: on a sphere of radius 1 the position
// 35 N 75 W lies at x = 1.8325957, y = 0.6528366 from the equator and the meridian of 180 W.
func TestProjectionAgreesWithSnyder(t *testing.T) {
	x, y := Project(geo.MustPoint(35, 105))
	assert.InDelta(t, 1.8325957, (x-0.5)*2*math.Pi, 1e-7)
	assert.InDelta(t, 0.6528366, (0.5-y)*2*math.Pi, 1e-7)
}

func TestUnitsAreFineAndRoundAlike(t *testing.T) {
	assert.Equal(t, XY{1 << 30, 1 << 30}, Finest(geo.E7{}))
	assert.Equal(t, XY{0, 0}, Finest(geo.E7{Lat: 900000000, Lng: -1800000000}))
	assert.Equal(t, XY{math.MaxInt32, math.MaxInt32}, Finest(geo.E7{Lat: -900000000, Lng: 1800000000}))
	assert.Equal(t, XY{3, -2}, XY{5, -4}.Coarser(1))
	assert.Equal(t, XY{5, -4}, XY{5, -4}.Coarser(0))
	assert.Equal(t, int32(1<<30), XY{math.MaxInt32, 0}.Coarser(1).X, "no overflow")
	r := rand.New(rand.NewPCG(2, 2))
	for range 1000 {
		p := XY{r.Int32(), r.Int32()}
		q := p.Coarser(7)
		require.LessOrEqual(t, math.Abs(float64(p.X)-float64(q.X)*128), 64.0)
	}
}
