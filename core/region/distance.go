package region

import (
	"math"

	"viandante/core/geo"
	"viandante/core/spatial"
)

// Metres in 1e-7 degree along a meridian, and along the equator, at their least on WGS 84.
const (
	metresPerE7Lat = 0.0110574
	metresPerE7Lng = 0.0111319
)

// BoxDistance returns a function that gives a lower bound in metres for the distance from a point to anything in a box
// of 1e-7 degrees. Longitude wraps. It never exceeds the geodesic distance as long as that is below some 500 km, and is
// within a few per cent of it.
func BoxDistance(at geo.Point) func(spatial.Box) float64 {
	p := at.E7()
	y := float64(p.Lat)
	return func(b spatial.Box) float64 {
		dy := math.Max(0, math.Max(float64(b.MinY)-y, y-float64(b.MaxY)))
		x := float64(p.Lng)
		dx := math.Inf(1)
		for _, shift := range [...]float64{-3.6e9, 0, 3.6e9} {
			dx = math.Min(dx, math.Max(0, math.Max(float64(b.MinX)-x-shift, x+shift-float64(b.MaxX))))
		}
		// Meridians draw together towards a pole: take the latitude farthest from the equator.
		far := math.Max(math.Abs(y), math.Max(math.Abs(float64(b.MinY)), math.Abs(float64(b.MaxY))))
		return math.Hypot(dy*metresPerE7Lat, dx*metresPerE7Lng*math.Cos(math.Min(90, far/1e7)*math.Pi/180)) * 0.995
	}
}
