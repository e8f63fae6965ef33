package spatial

import (
	"math"
	"math/rand/v2"
	"testing"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// towns returns points as a country's: most of them about towns, whose sizes follow Zipf's law.
func towns(r *rand.Rand, n int) []geo.E7 {
	type town struct{ lat, lng, spread float64 }
	all := make([]town, 300)
	for i := range all {
		all[i] = town{-44 + 8*r.Float64(), -32 + 11*r.Float64(), 0.08 / math.Sqrt(float64(i+1))}
	}
	zipf := rand.NewZipf(r, 1.2, 3, uint64(len(all)-1))
	out := make([]geo.E7, n)
	for i := range out {
		t := all[zipf.Uint64()]
		if r.IntN(10) == 0 {
			t.spread = 0.5
		}
		out[i] = geo.MustPoint(t.lat+t.spread*r.NormFloat64(), t.lng+t.spread*r.NormFloat64()).E7()
	}
	return out
}

func clustered(n int) (*rand.Rand, []geo.E7, []uint32) {
	r := rand.New(rand.NewPCG(4, 4))
	items := make([]uint32, n)
	for i := range items {
		items[i] = uint32(i)
	}
	return r, towns(r, n), items
}

func BenchmarkNearest10OfAMillion(b *testing.B) {
	r, points, items := clustered(1_000_000)
	index := NewPoints(items, func(item uint32) geo.E7 { return points[item] })
	b.ReportMetric(float64(index.Bytes())/1e6, "B/point")
	for b.Loop() {
		s := Search{Center: points[r.IntN(len(points))].Point(), WithinM: math.Inf(1), N: 10,
			Less: func(a, b uint32) bool { return a < b }}
		s.In(index)
		s.Found()
	}
}

func BenchmarkRadiusOfAMillion(b *testing.B) {
	r, points, items := clustered(1_000_000)
	index := NewPoints(items, func(item uint32) geo.E7 { return points[item] })
	var centers []geo.Point
	for len(centers) < 200 {
		c := points[r.IntN(len(points))].Point()
		if n := index.Count(c, 0, 5000, nil); n > 800 && n < 1200 {
			centers = append(centers, c)
		}
	}
	hits, i := 0, 0
	for b.Loop() {
		i++
		s := Search{Center: centers[i%len(centers)], WithinM: 5000, N: 10_000,
			Less: func(a, b uint32) bool { return a < b }}
		s.In(index)
		hits += len(s.Found())
	}
	b.ReportMetric(float64(hits)/float64(b.N), "hits")
}

func BenchmarkCountOfAMillion(b *testing.B) {
	r, points, items := clustered(1_000_000)
	index := NewPoints(items, func(item uint32) geo.E7 { return points[item] })
	for b.Loop() {
		index.Count(points[r.IntN(len(points))].Point(), 0, 5000, nil)
	}
}

func BenchmarkBuildAMillion(b *testing.B) {
	_, points, items := clustered(1_000_000)
	for b.Loop() {
		NewPointsAtOnce(items, func(item uint32) geo.E7 { return points[item] })
	}
}

func BenchmarkDistance(b *testing.B) {
	r, points, _ := clustered(1000)
	for b.Loop() {
		geodesy.Distance(points[r.IntN(1000)].Point(), points[r.IntN(1000)].Point())
	}
}
