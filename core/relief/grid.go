// Package relief is the lie of the land: heights on a regular grid, and what lies between them.
package relief

import "math"

// Grid is heights at regular positions, row by row from the north-western corner.
type Grid struct {
	// West and North are the position of the first height, in degrees.
	West, North float64
	// StepLng and StepLat are how far apart columns and rows lie, in degrees.
	StepLng, StepLat float64
	Width, Height    int
	// Metres above the sea; NaN where nothing is known.
	Metres []float32
}

// At returns the height at a position in degrees, bilinear between the four around it; NaN outside and where one of
// them is unknown.
func (g *Grid) At(lat, lng float64) float64 {
	x, y := (lng-g.West)/g.StepLng, (g.North-lat)/g.StepLat
	if !(x >= 0 && y >= 0 && x <= float64(g.Width-1) && y <= float64(g.Height-1)) {
		return math.NaN()
	}
	ix, iy := min(int(x), g.Width-2), min(int(y), g.Height-2)
	if ix < 0 || iy < 0 {
		return math.NaN()
	}
	u, v, i := x-float64(ix), y-float64(iy), iy*g.Width+ix
	a, b, c, d := float64(
		g.Metres[i],
	), float64(
		g.Metres[i+1],
	), float64(
		g.Metres[i+g.Width],
	), float64(
		g.Metres[i+g.Width+1],
	)
	return (a*(1-u)+b*u)*(1-v) + (c*(1-u)+d*u)*v
}

// CubicWeights returns what each of four values in a row counts at a share t of the way, 0 to 1, from the second to the
// third, by cubic convolution (Keys 1981, a = -1/2). They add up to 1.
func CubicWeights(t float64) [4]float64 {
	return [4]float64{((-0.5*t+1)*t - 0.5) * t, (1.5*t-2.5)*t*t + 1, ((-1.5*t+2)*t + 0.5) * t, (0.5*t - 0.5) * t * t}
}
