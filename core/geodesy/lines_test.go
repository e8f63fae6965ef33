package geodesy

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
)

func anywhere(r *rand.Rand) geo.Point {
	return geo.MustPoint(math.Asin(2*r.Float64()-1)/degree, 360*r.Float64()-180)
}

// near returns a point at a random bearing and up to a distance in metres.
func near(r *rand.Rand, p geo.Point, mostM float64) geo.Point {
	q, _, err := Destination(Ellipsoid, p, 360*r.Float64(), mostM*r.Float64())
	if err != nil {
		panic(err)
	}
	return q
}

// The foot is no farther than any of a thousand positions of the line, and the way to it is at right angles.
func TestNearestOnLineAgreesWithAScan(t *testing.T) {
	const seed = 21
	r := rand.New(rand.NewPCG(seed, 1))
	for i := range 300 {
		a := anywhere(r)
		reach := math.Pow(10, 1+float64(i%7))
		b, p := near(r, a, reach), near(r, a, reach)
		got := NearestOnLine(p, a, b)
		scanned := math.Inf(1)
		line := lineBetween(a, b)
		for k := range 1001 {
			q, _ := line.at(line.lengthM * float64(k) / 1000)
			scanned = math.Min(scanned, Distance(p, q))
		}
		require.LessOrEqual(t, got.DistanceM, scanned+1e-7, "seed %d: %v to %v–%v", seed, p, a, b)
		require.InDelta(t, got.DistanceM, Distance(p, got.At), 1e-6)
		on, azimuth := line.at(got.AlongM)
		require.Less(t, Distance(on, got.At), 1e-6)
		if got.AlongM > 1 && got.AlongM < line.lengthM-1 && got.DistanceM > 1 && got.DistanceM < 5e6 {
			l := Measure(Ellipsoid, got.At, p)
			off := math.Abs(math.Remainder(l.InitialBearing-azimuth, 360))
			require.InDelta(t, 90, off, 2e-4, "seed %d: %v to %v–%v", seed, p, a, b)
		}
	}
	p := geo.MustPoint(-38, -26)
	assert.Zero(t, NearestOnLine(p, p, p).DistanceM)
}

// A crossing lies on both lines, whatever their length, over the antimeridian and near the poles.
func TestCrossingLiesOnBothLines(t *testing.T) {
	const seed = 22
	r := rand.New(rand.NewPCG(seed, 1))
	for i := range 400 {
		x := anywhere(r)
		if i%5 == 0 {
			x = geo.MustPoint(89.99*float64(1-2*(i%2)), 180)
		}
		reach := math.Pow(10, 2+float64(i%5))
		bearing, other := 360*r.Float64(), 0.0
		other = bearing + 10 + 160*r.Float64()
		at := func(bearing float64) geo.Point {
			p, _, err := Destination(Ellipsoid, x, bearing, reach*(0.1+r.Float64()))
			require.NoError(t, err)
			return p
		}
		a, b, c, d := at(bearing), at(bearing+180), at(other), at(other+180)
		got, err := Crossing(a, b, c, d)
		require.NoError(t, err, "seed %d: %v–%v, %v–%v", seed, a, b, c, d)
		require.Less(t, Distance(got, x), 1e-6*math.Max(1, reach/1e5), "seed %d: %v–%v, %v–%v", seed, a, b, c, d)
	}
	p := geo.MustPoint
	_, err := Crossing(p(0, 0), p(0, 10), p(5, 0), p(5, 10))
	assert.ErrorIs(t, err, ErrNoCrossing)
	_, err = Crossing(p(0, 0), p(0, 10), p(0, 5), p(0, 20))
	assert.ErrorIs(t, err, ErrSameLine)
	_, err = Crossing(p(0, 0), p(0, 0), p(0, 5), p(0, 20))
	assert.ErrorIs(t, err, ErrSameLine)
	at, err := Crossing(p(0, 0), p(0, 10), p(0, 10), p(20, 30))
	require.NoError(t, err)
	assert.Less(t, Distance(at, p(0, 10)), 1e-6, "a line that begins where the other ends")
}

func TestPointsAlong(t *testing.T) {
	a, b := geo.MustPoint(-38.05, 179.9), geo.MustPoint(-37, -179.8)
	for _, m := range []Model{Ellipsoid, Sphere, Rhumb} {
		points, err := PointsAlong(m, a, b, 5)
		require.NoError(t, err)
		require.Len(t, points, 5)
		whole := Measure(m, a, b).DistanceM
		for i := 1; i < 5; i++ {
			assert.InDelta(t, whole/4, Measure(m, points[i-1], points[i]).DistanceM, 1e-6, m)
		}
	}
	same, err := PointsAlong(Ellipsoid, a, a, 3)
	require.NoError(t, err)
	assert.Equal(t, []geo.Point{a, a, a}, same)
}

func BenchmarkInverseAnywhere(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	var points [512]geo.Point
	for i := range points {
		points[i] = anywhere(r)
	}
	i := 0
	for b.Loop() {
		Distance(points[i&511], points[(i*7+1)&511])
		i++
	}
}
