package geodesy

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"viandante/core/geo"
)

// Short lines agree with Karney's inverse to 0.1 µm at every latitude, azimuth and length, over the poles and the
// antimeridian.
func TestShortLines(t *testing.T) {
	const seed = 18
	rng := rand.New(rand.NewPCG(seed, 0))
	worst, where := 0.0, ""
	check := func(a, b geo.Point) {
		f := NewFrom(a)
		if off := math.Abs(f.Distance(b) - Distance(a, b)); off > worst {
			worst, where = off, a.String()+" to "+b.String()
		}
	}
	lats := []float64{-90, -89.9999, -89.5, -60, -38.05, -1e-7, 0, 0.001, 30, 45, 60, 80, 89.9, 89.99999, 90}
	for i := range 60_000 {
		lat := lats[i%len(lats)]
		if i%2 == 0 {
			lat = math.Asin(2*rng.Float64()-1) / degree
		}
		a := geo.MustPoint(lat, []float64{0, 180, -180, 179.9999, -26.1, 360*rng.Float64() - 180}[i%6])
		length := math.Pow(10, -3+8*rng.Float64()) // 1 mm to 100 km
		lat2, lng2, _ := Direct(a.Lat(), a.Lng(), 360*rng.Float64(), length)
		b, err := geo.NewPoint(lat2, geo.WrapLng(lng2))
		if err != nil {
			continue
		}
		check(a, b)
		check(b, a)
	}
	check(geo.MustPoint(89.9, 0), geo.MustPoint(89.9, 180))
	check(geo.MustPoint(-89.8, 10), geo.MustPoint(-89.8, -170))
	assert.Less(t, worst, 1e-7, "seed %d: %s", seed, where)
	t.Logf("the largest error is %.2g m, %s", worst, where)
}

// Bearings of short lines are those of the inverse problem to 1e-9 degree, but for what the last bits of a very short
// line leave open.
func TestShortBearings(t *testing.T) {
	const seed = 19
	rng := rand.New(rand.NewPCG(seed, 0))
	worst, where := 0.0, ""
	for i := range 60_000 {
		lat := math.Asin(2*rng.Float64()-1) / degree
		if i%4 == 0 {
			lat = []float64{0, -38.05, 89.99, -89.9, 80, 1e-7}[i/4%6]
		}
		a := geo.MustPoint(lat, []float64{180, -179.9999, -26.1, 360*rng.Float64() - 180}[i%4])
		length := math.Pow(10, -1+5.3*rng.Float64())
		lat2, lng2, _ := Direct(a.Lat(), a.Lng(), 360*rng.Float64(), length)
		b, err := geo.NewPoint(lat2, geo.WrapLng(lng2))
		if err != nil {
			continue
		}
		f := NewFrom(a)
		want := Measure(Ellipsoid, a, b)
		off := math.Abs(math.Remainder(f.Bearing(b, want.DistanceM)-want.InitialBearing, 360))
		if off -= 8e-9 / want.DistanceM / degree; off > worst { // 8 nm, turned
			worst, where = off, a.String()+" to "+b.String()
		}
	}
	assert.Less(t, worst, 1e-9, "seed %d: %s", seed, where)
	t.Logf("the largest error is %.2g°, %s", worst, where)
	f := NewFrom(geo.MustPoint(90, 12))
	assert.True(t, math.IsNaN(f.Bearing(geo.MustPoint(89.99, 3), 1000)), "from a pole every direction is south")
	f = NewFrom(geo.MustPoint(5, 180))
	assert.True(t, math.IsNaN(f.Bearing(geo.MustPoint(5, -180), 0)))
}

func TestNoLineIsNoLength(t *testing.T) {
	for _, lat := range []float64{-90, -38.05, 0, 90} {
		p := geo.MustPoint(lat, -26.1)
		f := NewFrom(p)
		assert.Zero(t, f.Distance(p))
	}
	pole := NewFrom(geo.MustPoint(90, 12))
	assert.Less(t, pole.Distance(geo.MustPoint(90, -99)), 1e-8, "all longitudes are one at a pole")
}

func BenchmarkShortLine(b *testing.B) {
	f := NewFrom(geo.MustPoint(-38.05, -26.1))
	to := []geo.Point{geo.MustPoint(-38.06, -26.2), geo.MustPoint(-38.01, -26.11), geo.MustPoint(-38.2, -26)}
	sum := 0.0
	for i := range b.N {
		sum += f.Distance(to[i%3])
	}
	_ = sum
}
