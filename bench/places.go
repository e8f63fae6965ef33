package main

import (
	"math"
	"math/rand/v2"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/spatial"
)

// places measures finding among a million places, and distances.
func places() ([]row, error) {
	r := rand.New(rand.NewPCG(1, 1))
	points := make([]geo.Point, 1_000_000)
	for i := range points {
		points[i] = geo.MustPoint(-38+r.Float64(), -26+r.Float64())
	}
	items := make([]uint32, len(points))
	for i := range items {
		items[i] = uint32(i)
	}
	where := func(item uint32) geo.E7 { return points[item].E7() }
	index := spatial.NewPoints(items, where)
	nearest := func(i int) {
		s := spatial.Search{
			Center:  points[i*1999],
			WithinM: math.Inf(1),
			N:       50,
			Less:    func(a, b uint32) bool { return a < b },
		}
		s.In(index)
		s.Found()
	}
	scan := func(i int) {
		best := math.Inf(1)
		for _, p := range points {
			best = math.Min(best, geodesy.Measure(geodesy.Sphere, points[i], p).DistanceM)
		}
	}
	const batch = 1000
	distances := func(m geodesy.Model) float64 {
		return measured(101, func(i int) {
			for k := range batch {
				geodesy.Measure(m, points[k], points[k+batch])
			}
		}).at(0.5)
	}
	return []row{
		{
			"the 50 nearest of a million places",
			measured(501, nearest).at(0.5),
			"ms",
			"",
			"a scan of all, on the sphere",
			measured(5, scan).at(0.5),
		},
		{
			"1000 distances on the ellipsoid",
			distances(geodesy.Ellipsoid),
			"ms",
			"",
			"on the sphere, off by up to 0.5 %",
			distances(geodesy.Sphere),
		},
	}, nil
}
