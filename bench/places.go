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
	index := spatial.NewPoints(points)
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
		{"the 50 nearest of a million places", measured(501, func(i int) { index.Nearest(points[i*1999], 0, math.Inf(1), 50, nil) }).at(0.5), "ms", "", "a scan of all, on the sphere", measured(5, scan).at(0.5)},
		{"1000 distances on the ellipsoid", distances(geodesy.Ellipsoid), "ms", "", "on the sphere, off by up to 0.5 %", distances(geodesy.Sphere)},
	}, nil
}
