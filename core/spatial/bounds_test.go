package spatial

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// What lies within a distance has no longer a chord than the outer bound, and what has no longer a chord than the inner
// one lies within it: for pairs of all lengths, everywhere, against the whole inverse problem.
func TestChordsBoundGeodesics(t *testing.T) {
	const seed = 31
	r := rand.New(rand.NewPCG(seed, 1))
	for i := range 60_000 {
		a := geo.MustPoint(math.Asin(2*r.Float64()-1)*180/math.Pi, 360*r.Float64()-180)
		if i%5 == 0 {
			a = geo.MustPoint([]float64{0, 90, -90, 1e-6, 45}[i/5%5], 180)
		}
		b, _, err := geodesy.Destination(geodesy.Ellipsoid, a, []float64{0, 90, 360 * r.Float64()}[i%3],
			math.Pow(10, -2+9.3*r.Float64()))
		require.NoError(t, err)
		s := geodesy.Distance(a, b)
		p, q := geodesy.Cartesian(a), geodesy.Cartesian(b)
		chord := math.Sqrt((p[0]-q[0])*(p[0]-q[0]) + (p[1]-q[1])*(p[1]-q[1]) + (p[2]-q[2])*(p[2]-q[2]))
		const bits = 1e-8 // metres: what the coordinates in space leave open
		require.LessOrEqual(t, chord, farChord(s)+bits, "seed %d: %v to %v, %v m", seed, a, b, s)
		require.GreaterOrEqual(t, chord, nearChord(s)-bits, "seed %d: %v to %v, %v m", seed, a, b, s)
	}
}

// Counting and covering agree with a scan, the edges included.
func TestCountsAndBallsAgreeWithAScan(t *testing.T) {
	const seed = 32
	r := rand.New(rand.NewPCG(seed, 1))
	var points []geo.E7
	var items []uint32
	for i := range 5000 {
		lat, lng := math.Asin(2*r.Float64()-1)*180/math.Pi, 360*r.Float64()-180
		switch i % 3 {
		case 1:
			lat, lng = 89.9+r.Float64()/10, 180
		case 2:
			lat, lng = -38+r.NormFloat64()/50, geo.WrapLng(180+r.NormFloat64()/50)
		}
		points, items = append(points, geo.MustPoint(lat, lng).E7()), append(items, uint32(i))
	}
	index := NewPoints(items, func(item uint32) geo.E7 { return points[item] })
	odd := func(item uint32) bool { return item%2 == 1 }
	for i := range 300 {
		c := points[r.IntN(len(points))].Point()
		within := math.Pow(10, -1+8.3*r.Float64())
		if i%3 == 0 { // somebody is on the very edge
			within = geodesy.Distance(c, points[r.IntN(len(points))].Point())
		}
		beyond := within * r.Float64() * float64(i%2)
		var keep func(uint32) bool
		if i%4 == 0 {
			keep = odd
		}
		want, inside := 0, map[uint32]bool{}
		for k, p := range points {
			d := geodesy.Distance(c, p.Point())
			if d <= within {
				inside[uint32(k)] = true
			}
			if d >= beyond && d <= within && (keep == nil || keep(uint32(k))) {
				want++
			}
		}
		require.Equal(t, want, index.Count(c, beyond, within, keep), "seed %d: from %v, %v to %v m", seed, c, beyond,
			within)
		other := points[r.IntN(len(points))].Point()
		seen := map[uint32]bool{}
		index.InBalls([]Ball{{c, within}, {other, 1000}}, func(item uint32, at geo.E7) bool {
			require.False(t, seen[item], "once each")
			seen[item] = true
			require.Equal(t, points[item], at)
			return true
		})
		for item := range inside {
			require.True(t, seen[item], "seed %d", seed)
		}
	}
	require.Zero(t, index.Count(points[0].Point(), 2, 1, nil))
	require.Zero(t, NewPoints(nil, nil).Count(points[0].Point(), 0, 1e7, nil))
	n := 0
	index.InBalls([]Ball{{points[0].Point(), 3e7}}, func(uint32, geo.E7) bool { n++; return n < 7 })
	require.Equal(t, 7, n, "until it is enough")
}
