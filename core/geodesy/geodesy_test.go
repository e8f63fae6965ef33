package geodesy

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
)

const millimetre = 1e-3

// The worked examples of Karney 2013: tables 2 (direct) and 3 to 5 (inverse, nearly antipodal).
func TestPublishedExamples(t *testing.T) {
	lat, lng, azi := Direct(40, 0, 30, 10_000_000)
	assert.InDelta(t, 41.79331020506, lat, 1e-11)
	assert.InDelta(t, 137.84490004377, lng, 1e-11)
	assert.InDelta(t, 149.09016931807, azi, 1e-11)

	s, azi1, _ := Inverse(-30, 0, 29.9, 179.8)
	assert.InDelta(t, 19989832.827610, s, 1e-5)
	assert.InDelta(t, 161.890524736, azi1, 1e-8)
}

// The quarter meridian and the equator of WGS 84 (Moritz 2000; a times π).
func TestKnownLengths(t *testing.T) {
	assert.InDelta(t, 10001965.729, Distance(geo.MustPoint(0, 0), geo.MustPoint(90, 0)), millimetre)
	assert.InDelta(t, 20003931.4586, Distance(geo.MustPoint(0, 0), geo.MustPoint(0, 180)), millimetre)
	assert.InDelta(t, equatorialRadius*math.Pi/180, Distance(geo.MustPoint(0, -0.5), geo.MustPoint(0, 0.5)), millimetre)
	assert.InDelta(
		t,
		MeanRadius*math.Pi,
		Measure(Sphere, geo.MustPoint(10, 20), geo.MustPoint(-10, -160)).DistanceM,
		millimetre,
	)
}

// integrate follows a geodesic from a point in small steps: the straightest curve on the ellipsoid has its
// acceleration along the surface's normal. It shares nothing with the series.
func integrate(lat, lng, azi, s12 float64) (lat2, lng2 float64) {
	sp, cp := math.Sincos(lat * degree)
	sl, cl := math.Sincos(lng * degree)
	sa, ca := math.Sincos(azi * degree)
	n := equatorialRadius / math.Sqrt(1-ecc2*sp*sp)
	state := [6]float64{n * cp * cl, n * cp * sl, n * (1 - ecc2) * sp,
		-sp*cl*ca - sl*sa, -sp*sl*ca + cl*sa, cp * ca}
	a2, b2 := equatorialRadius*equatorialRadius, polarRadius*polarRadius
	slope := func(u [6]float64) [6]float64 {
		g := [3]float64{u[0] / a2, u[1] / a2, u[2] / b2}
		k := (u[3]*u[3]/a2 + u[4]*u[4]/a2 + u[5]*u[5]/b2) / (g[0]*g[0] + g[1]*g[1] + g[2]*g[2])
		return [6]float64{u[3], u[4], u[5], -k * g[0], -k * g[1], -k * g[2]}
	}
	add := func(u, v [6]float64, h float64) [6]float64 {
		for i := range u {
			u[i] += h * v[i]
		}
		return u
	}
	steps := 1 + int(s12/2000)
	h := s12 / float64(steps)
	for range steps {
		k1 := slope(state)
		k2 := slope(add(state, k1, h/2))
		k3 := slope(add(state, k2, h/2))
		k4 := slope(add(state, k3, h))
		for i := range state {
			state[i] += h / 6 * (k1[i] + 2*k2[i] + 2*k3[i] + k4[i])
		}
	}
	return math.Atan2(
			state[2],
			(1-ecc2)*math.Hypot(state[0], state[1]),
		) / degree, math.Atan2(
			state[1],
			state[0],
		) / degree
}

func TestDirectAgreesWithNumericalIntegration(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		lat, lng, azi, s := r.Float64()*180-90, r.Float64()*360-180, r.Float64()*360, r.Float64()*1.9e7
		wantLat, wantLng := integrate(lat, lng, azi, s)
		gotLat, gotLng, _ := Direct(lat, lng, azi, s)
		assert.Less(
			t,
			Distance(geo.MustPoint(wantLat, wantLng), geo.MustPoint(gotLat, gotLng)),
			millimetre,
			"seed 1,2: %v %v %v %v",
			lat,
			lng,
			azi,
			s,
		)
	}
}

// Inverse and Direct must lead back to where they started, everywhere: short, long, polar, equatorial, nearly
// antipodal.
func TestInverseRoundTrips(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for i := range 20000 {
		lat1, lng1 := r.Float64()*180-90, r.Float64()*360-180
		lat2, lng2 := r.Float64()*180-90, r.Float64()*360-180
		switch i % 5 {
		case 1: // close together
			lat2, lng2 = math.Max(-90, math.Min(90, lat1+r.NormFloat64()*1e-4)), geo.WrapLng(lng1+r.NormFloat64()*1e-4)
		case 2: // nearly antipodal
			lat2, lng2 = math.Max(
				-90,
				math.Min(90, -lat1+r.NormFloat64()*0.3),
			), geo.WrapLng(
				lng1+180+r.NormFloat64()*0.3,
			)
		case 3:
			lat1, lat2 = 0, []float64{0, 1e-12, 0.3}[i/5%3]
		case 4:
			lat1 = []float64{90, -90, 89.9999999}[i/5%3]
		}
		s, azi1, azi2 := Inverse(lat1, lng1, lat2, lng2)
		require.False(t, math.IsNaN(s+azi1+azi2), "%v %v %v %v", lat1, lng1, lat2, lng2)
		gotLat, gotLng, _ := Direct(lat1, lng1, azi1, s)
		back, _, _ := Inverse(gotLat, gotLng, lat2, lng2)
		require.Less(t, back, 1e-6, "%v %v %v %v", lat1, lng1, lat2, lng2)
		mirrored, _, _ := Inverse(lat2, lng2, lat1, lng1)
		require.InDelta(t, s, mirrored, 1e-7)
	}
}

func TestNoDirectionBetweenEqualPoints(t *testing.T) {
	for _, m := range []Model{Ellipsoid, Sphere, Rhumb} {
		l := Measure(m, geo.MustPoint(-38, -26), geo.MustPoint(-38, -26))
		assert.Zero(t, l.DistanceM, m)
		assert.True(t, math.IsNaN(l.InitialBearing), m)
	}
	// The same meridian written twice is the same point.
	assert.Zero(t, Distance(geo.MustPoint(10, 180), geo.MustPoint(10, -180)))
}

func TestAcrossTheAntimeridian(t *testing.T) {
	for _, m := range []Model{Ellipsoid, Sphere, Rhumb} {
		l := Measure(m, geo.MustPoint(0, 179.5), geo.MustPoint(0, -179.5))
		assert.InDelta(t, 111300, l.DistanceM, 150, m)
		assert.InDelta(t, 90, l.InitialBearing, 1e-9, m)
		mid, err := Midpoint(m, geo.MustPoint(0, 179.5), geo.MustPoint(0, -179.5))
		require.NoError(t, err)
		assert.InDelta(t, 180, math.Abs(mid.Lng()), 1e-9, m)
	}
}

// A rhumb line's length by its definition: many short pieces of constant bearing.
func TestRhumbAgreesWithSmallSteps(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 100 {
		from := geo.MustPoint(r.Float64()*150-75, r.Float64()*360-180)
		bearing, s := r.Float64()*360, r.Float64()*1e6
		lat, lng := from.Lat(), from.Lng()
		const steps = 4000
		sa, ca := math.Sincos(bearing * degree)
		for range steps { // midpoint rule
			m, _ := Radii(lat)
			half := lat + s/steps/2*ca/m/degree
			m, p := Radii(half)
			lat += s / steps * ca / m / degree
			lng += s / steps * sa / p / degree
		}
		got, _, err := Destination(Rhumb, from, bearing, s)
		require.NoError(t, err)
		want := geo.MustPoint(lat, geo.WrapLng(lng))
		assert.Less(t, Distance(got, want), 0.02, "from %v bearing %v %v m", from, bearing, s)
		back := Measure(Rhumb, from, got)
		assert.InDelta(t, s, back.DistanceM, millimetre)
		assert.InDelta(t, bearing, back.InitialBearing, 1e-6)
	}
	_, _, err := Destination(Rhumb, geo.MustPoint(80, 0), 10, 3e6)
	assert.ErrorContains(t, err, "pole")
}

func TestSphereRoundTrips(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 1000 {
		from := geo.MustPoint(r.Float64()*178-89, r.Float64()*360-180)
		bearing, s := r.Float64()*360, 1+r.Float64()*1.9e7
		to, final, err := Destination(Sphere, from, bearing, s)
		require.NoError(t, err)
		l := Measure(Sphere, from, to)
		assert.InDelta(t, s, l.DistanceM, millimetre)
		assert.InDelta(t, 0, math.Remainder(l.InitialBearing-bearing, 360), 1e-6)
		assert.InDelta(t, 0, math.Remainder(l.FinalBearing-final, 360), 1e-6)
	}
}

func TestDestinationRefusesNonsense(t *testing.T) {
	for _, v := range [][2]float64{{math.NaN(), 1}, {math.Inf(1), 1}, {0, math.NaN()}, {0, 1e9}} {
		_, _, err := Destination(Ellipsoid, geo.MustPoint(0, 0), v[0], v[1])
		assert.Error(t, err)
	}
	_, err := ParseModel("flat")
	assert.ErrorContains(t, err, "ellipsoid, sphere or rhumb")
}

func BenchmarkInverseNearby(b *testing.B) {
	for b.Loop() {
		Inverse(-38.14, -26.05, -38.15, -26.02)
	}
}
