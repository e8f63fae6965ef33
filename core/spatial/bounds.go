package spatial

import (
	"math"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// The semi-axes of WGS 84 in metres (NIMA TR8350.2, 2000) and the least radius of curvature on it, b²/a, which is that
// of the meridian at the equator.
const (
	semiMajor   = 6378137.0
	semiMinor   = 6356752.314245179
	leastRadius = semiMinor * semiMinor / semiMajor
)

// unit is that of coordinates in space, in metres: 2^31 of them are the semi-major axis, so that all fit 32 bits.
const unit = semiMajor / (1<<31 - 1)

// rounding is how far a point in space lies at most from its rounded coordinates, in units, and a little more.
const rounding = 1.0

// inSpace returns the coordinates of a valid point in units, from the middle of the earth.
func inSpace(p geo.Point) [3]int32 {
	c := space(p)
	return [3]int32{int32(math.Round(c[0])), int32(math.Round(c[1])), int32(math.Round(c[2]))}
}

func space(p geo.Point) [3]float64 {
	x := geodesy.Cartesian(p)
	return [3]float64{x[0] / unit, x[1] / unit, x[2] / unit}
}

// shortM is up to which distance a normal section is sure to curve no more than nearChord allows for, in metres.
const shortM = 100_000

// farChord returns the chord in metres beyond which nothing lies within a geodesic distance.
//
// A geodesic is no shorter than its chord. Shrunk towards the axis by b/a it becomes a curve on the sphere of radius
// b, no longer than it was, between points whose chord is at least b/a of the chord c: so s >= 2b asin(c / 2a).
func farChord(distanceM float64) float64 {
	if half := distanceM / (2 * semiMinor); half < math.Pi/2 {
		return min(distanceM, 2*semiMajor*math.Sin(half))
	}
	return 2 * semiMajor
}

// nearChord returns the chord in metres up to which everything lies within a geodesic distance.
//
// Stretched along the axis by a/b, the earth becomes a sphere of radius a, and the great circle there comes from a
// curve that is no longer: so s <= 2a asin(c / 2b). Nearby, s is at most the length of the normal section, a convex
// plane curve whose radius of curvature is at least leastRadius times the cosine of the angle between its plane and
// the normal, which is less than 0.0001 there: so c >= 2r sin(s / 2r) (Schur's comparison theorem).
func nearChord(distanceM float64) float64 {
	if distanceM <= shortM {
		const r = leastRadius * (1 - 1e-6)
		return 2 * r * math.Sin(distanceM/(2*r))
	}
	if half := distanceM / (2 * semiMajor); half < math.Pi/2 {
		return 2 * semiMinor * math.Sin(half)
	}
	return 2 * semiMinor
}

// outside returns the square of the chord in units beyond which no entry can lie within a distance in metres, +Inf
// where every one can.
func outside(distanceM float64) float64 {
	if !(distanceM < math.Pi*semiMinor) {
		return math.Inf(1)
	}
	c := farChord(distanceM)/unit*(1+1e-12) + rounding
	return c * c
}

// surely returns the square of the chord in units up to which every entry lies within a distance in metres, -1 for
// none.
func surely(distanceM float64) float64 {
	c := nearChord(distanceM)/unit*(1-1e-12) - rounding
	if c < 0 || math.IsNaN(c) {
		return -1
	}
	return c * c
}
