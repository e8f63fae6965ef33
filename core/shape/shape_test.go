package shape

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// ring reads lat, lng, lat, lng …
func ring(numbers ...float64) []geo.Point {
	out := make([]geo.Point, len(numbers)/2)
	for i := range out {
		out[i] = geo.MustPoint(numbers[2*i], numbers[2*i+1])
	}
	return out
}

func TestAreas(t *testing.T) {
	const whole = 5.10065621724e14 // of WGS 84: Karney 2013, section 6; NIMA TR8350.2 gives 510065621.7 km²
	assert.InDelta(t, whole, EarthArea, 1e3)
	for name, c := range map[string]struct {
		ring   []geo.Point
		areaM2 float64
		within float64
		left   bool
		pole   bool
	}{
		"an octant": {ring(0, 0, 0, 90, 90, 0), whole / 8, 1e2, true, true},
		"an octant whose sides are cut in two": {ring(0, 0, 0, 45, 0, 90, 45, 90, 90, 17, 45, 0), whole / 8, 1e2,
			true, true},
		"an octant, the other way round":     {ring(0, 0, 90, 0, 0, 90), whole / 8, 1e2, false, true},
		"a hemisphere":                       {ring(0, 0, 0, 90, 0, 180, 0, -90), whole / 2, 1e3, true, true},
		"a lune of 60° by way of both poles": {ring(-90, 0, 0, 10, 90, 0, 0, -50), whole / 6, 1e3, true, true},
		"an octant at the antimeridian":      {ring(0, 135, 0, -135, -90, 0), whole / 8, 1e2, false, true},
		"a square round the south pole": {ring(-89, 0, -89, 90, -89, 180, -89, -90), 2.495e10, 5e7, false,
			true},
		"a square round the south pole, reverse": {ring(-89, 0, -89, -90, -89, 180, -89, 90), 2.495e10, 5e7, true,
			true},
		"over the pole by a side": {ring(80, 0, 80, 180, 80, -90), Ring(ring(80, 0, 90, 7, 80, 180, 80,
			-90)).AreaM2, 1, true, true},
		"nothing":          {nil, 0, 0, false, false},
		"a position twice": {ring(1, 1, 1, 1), 0, 0, false, false},
	} {
		t.Run(name, func(t *testing.T) {
			m := Ring(c.ring)
			assert.InDelta(t, c.areaM2, m.AreaM2, c.within)
			assert.Equal(t, c.left, m.CounterClockwise)
			assert.Equal(t, c.pole, m.Pole)
		})
	}
}

// Karney 2013, "Algorithms for geodesics", section 6 measures Antarctica-like shapes; his library's manual gives, for
// the triangle (0,0), (0,90), (90,0), an eighth of the ellipsoid, which TestAreas has. Here areas are held to a plain
// sum.
func TestAreaAgainstThinStrips(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 9))
	for range 12 {
		lat, lng := r.Float64()*150-75, r.Float64()*360-180
		size := math.Pow(10, r.Float64()*4-2.5)
		a, b, c := geo.MustPoint(
			lat,
			lng,
		), geo.MustPoint(
			lat+size*(r.Float64()-0.3)*0.2,
			geo.WrapLng(lng+size),
		), geo.MustPoint(
			math.Min(89, lat+size*0.3),
			geo.WrapLng(lng+size*r.Float64()),
		)
		want := math.Abs(strips(a, b) + strips(b, c) + strips(c, a))
		got := Ring([]geo.Point{a, b, c})
		assert.InEpsilon(t, want, got.AreaM2, 2e-5, "%v %v %v", a, b, c)
		back := Ring([]geo.Point{c, b, a})
		assert.InEpsilon(t, got.AreaM2, back.AreaM2, 1e-9)
		assert.NotEqual(t, got.CounterClockwise, back.CounterClockwise)
		moved := Ring([]geo.Point{b, c, a, b})
		assert.InEpsilon(t, got.AreaM2, moved.AreaM2, 1e-9, "where it begins makes no difference")
	}
}

// strips sums 4,000 trapezoids under the geodesic from a to b, with the area of a zone by its series in the latitude.
func strips(a, b geo.Point) float64 {
	line := geodesy.Measure(geodesy.Ellipsoid, a, b)
	zone := func(lat float64) float64 { // ∫ M N cos φ dφ by Simpson's rule
		const n = 60
		h, sum := lat*degree/n, 0.0
		for i := 0; i <= n; i++ {
			s, c := math.Sincos(float64(i) * h)
			w := 1 - ecc2*s*s
			f := equatorialRadius * equatorialRadius * (1 - ecc2) * c / (w * w)
			sum += f * []float64{2, 4}[i%2] * map[bool]float64{true: 0.5, false: 1}[i == 0 || i == n]
		}
		return sum * h / 3
	}
	const steps = 4000
	sum, before := 0.0, a
	for i := 1; i <= steps; i++ {
		p, _, err := geodesy.Destination(geodesy.Ellipsoid, a, line.InitialBearing, line.DistanceM*float64(i)/steps)
		if err != nil {
			panic(err)
		}
		sum += math.Remainder(p.Lng()-before.Lng(), 360) * degree * zone((p.Lat()+before.Lat())/2)
		before = p
	}
	return sum
}

// halved is the area between a side and the equator by quadrature along the geodesic, whose interval is halved until
// two results agree: independent of the closed form, and slow near the poles.
func halved(a, b geo.Point, depth int) float64 {
	lengthM, bearing, _ := geodesy.Inverse(a.Lat(), a.Lng(), b.Lat(), b.Lng())
	rule := func(from, to float64) float64 {
		sum := 0.0
		for _, n := range gauss8 {
			lat, _, azimuth := geodesy.Direct(a.Lat(), a.Lng(), bearing, (from+to)/2+(to-from)/2*n[0])
			sin, cos := math.Sincos(lat * degree)
			// dλ/ds along a geodesic: the sine of its azimuth over the radius of the parallel.
			sum += n[1] * authalic(
				sin,
			) * math.Sin(
				azimuth*degree,
			) * math.Sqrt(
				1-ecc2*sin*sin,
			) / (equatorialRadius * cos)
		}
		return sum * (to - from) / 2
	}
	var halve func(from, to, whole float64, depth int) float64
	halve = func(from, to, whole float64, depth int) float64 {
		middle := (from + to) / 2
		first, second := rule(from, middle), rule(middle, to)
		if depth == 0 || math.Abs(first+second-whole) <= 1e-3 {
			return first + second
		}
		return halve(from, middle, first, depth-1) + halve(middle, to, second, depth-1)
	}
	return halve(0, lengthM, rule(0, lengthM), depth)
}

func TestTheClosedFormIsTheIntegral(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 3))
	rounds := 120
	if testing.Short() {
		rounds = 12
	}
	for n := range rounds {
		size := []float64{0.001, 0.1, 5, 170}[n%4]
		lat, lng := r.Float64()*178-89, r.Float64()*360-180
		a := geo.MustPoint(lat, lng)
		b := geo.MustPoint(
			math.Max(-89, math.Min(89, lat+size*(r.Float64()-0.5))),
			geo.WrapLng(lng+size*(2*r.Float64()-1)),
		)
		lengthM, bearing, _ := geodesy.Inverse(a.Lat(), a.Lng(), b.Lat(), b.Lng())
		want := halved(a, b, 14)
		assert.InDelta(t, want, underGeodesic(a, b, lengthM, bearing), 0.02+2e-15*EarthArea, "%v %v", a, b)
	}
}

// A side that passes by a pole took seconds when its interval was halved. What lies between it, the pole and its ends
// shrinks with how far it passes by.
func TestSidesPastAPole(t *testing.T) {
	a, b := geo.MustPoint(10, 0), geo.MustPoint(10, 179.9)
	wide := Ring(ring(10, 0, 10, 179.9, 90, 0))
	assert.InDelta(t, 179.9*degree*authalic(1)-halved(a, b, 30), wide.AreaM2, 1)
	for _, off := range []float64{1e-7, 1e-5, 1e-3} {
		narrow := Ring(ring(10, 0, 10, 180-off, 90, 0))
		assert.InEpsilon(t, wide.AreaM2*off/0.1, narrow.AreaM2, 1e-5, "%v", off)
	}
	thin := Ring(ring(10, 0, 10, 179.9999999, 0, 90))
	past := Ring(ring(10, 0, 10, 180, 0, 90))
	assert.InEpsilon(t, past.AreaM2, thin.AreaM2, 1e-6)
	assert.True(t, past.Pole)
	rounds := 20_000 // microseconds each, or this would take an hour
	if testing.Short() {
		rounds = 1000
	}
	for range rounds {
		Ring(ring(10, 0, 10, 179.9999999, 0, 90))
	}
}

func TestSmallArea(t *testing.T) {
	// A square of 100 m, laid out by bearing and distance; on the ellipsoid its area is 10,000 m² to a few square
	// centimetres.
	a := geo.MustPoint(-38.1, -26.2)
	at := func(p geo.Point, bearing, m float64) geo.Point {
		q, _, err := geodesy.Destination(geodesy.Ellipsoid, p, bearing, m)
		require.NoError(t, err)
		return q
	}
	b := at(a, 90, 100)
	m := Ring([]geo.Point{a, b, at(b, 0, 100), at(a, 0, 100)})
	assert.InDelta(t, 10_000, m.AreaM2, 0.2)
	assert.InDelta(t, 400, m.PerimeterM, 0.01)
	assert.True(t, m.CounterClockwise)
	assert.False(t, m.Pole)
	assert.InDelta(t, 200, Length([]geo.Point{a, b, a}), 1e-6)
}

func TestCircle(t *testing.T) {
	for _, r := range []float64{1, 500, 1e5, 3e6} {
		area, round := Circle(geo.MustPoint(-38, -26), r)
		// A cap of the sphere with the mean radius; the ellipsoid's curvature differs from it by some tenths of a
		// percent.
		want := 2 * math.Pi * geodesy.MeanRadius * geodesy.MeanRadius * (1 - math.Cos(r/geodesy.MeanRadius))
		assert.InEpsilon(t, want, area, 3e-3, "%v m", r)
		assert.InEpsilon(t, 2*math.Pi*geodesy.MeanRadius*math.Sin(r/geodesy.MeanRadius), round, 3e-3)
	}
	area, round := Circle(geo.MustPoint(-38, -26), 500)
	assert.InEpsilon(t, math.Pi*500*500, area, 1e-8)
	assert.InEpsilon(t, 2*math.Pi*500, round, 1e-8)
}
