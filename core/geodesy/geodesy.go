// Package geodesy computes distances, bearings and destinations on the WGS 84 ellipsoid, on the sphere, and along
// rhumb lines.
//
// On the ellipsoid it follows Karney, "Algorithms for geodesics", Journal of Geodesy 87 (2013), 43–55, with series
// to the sixth order: errors are some nanometres, and the inverse problem converges for every pair of points, nearly
// antipodal ones included. A short distance costs one to two microseconds (BenchmarkInverseNearby).
//
// Latitudes, longitudes and bearings are degrees, distances metres; bearings run clockwise from true north in [0, 360).
package geodesy

import (
	"fmt"
	"math"

	"viandante/core/geo"
)

// Model names the figure and the kind of line that an answer was computed with.
type Model string

// The models.
const (
	// Ellipsoid is the geodesic, the shortest line, on WGS 84.
	Ellipsoid Model = "ellipsoid"
	// Sphere is the great circle on a sphere of the earth's mean radius.
	Sphere Model = "sphere"
	// Rhumb is the line of constant bearing on WGS 84.
	Rhumb Model = "rhumb"
)

// MeanRadius is the mean radius of the earth in metres, (2a + b) / 3 on WGS 84 (Moritz 2000, "Geodetic Reference System
// 1980").
const MeanRadius = 6371008.7714

// ParseModel returns the model of a name; "" is the ellipsoid.
func ParseModel(s string) (Model, error) {
	switch m := Model(s); m {
	case "":
		return Ellipsoid, nil
	case Ellipsoid, Sphere, Rhumb:
		return m, nil
	}
	return "", &geo.ParseError{Input: s, Reason: "is not a model", Hint: "ellipsoid, sphere or rhumb"}
}

// Line is the way from one point to another as a model sees it.
type Line struct {
	// DistanceM is the length in metres.
	DistanceM float64
	// InitialBearing and FinalBearing are the bearings at the start and at the end, or NaN where no direction is
	// defined (the two points are the same).
	InitialBearing, FinalBearing float64
}

// Measure returns the line between two valid points on the given model. At a pole, where every direction is south or
// north, there is no bearing.
func Measure(m Model, from, to geo.Point) Line {
	l := Between(m, from, to)
	if math.Abs(from.Lat()) == 90 {
		l.InitialBearing = math.NaN()
	}
	if math.Abs(to.Lat()) == 90 {
		l.FinalBearing = math.NaN()
	}
	return l
}

// Between is Measure for whoever follows the line: at a pole its bearings are those against the meridian of the pole's
// own longitude, as Destination takes them.
func Between(m Model, from, to geo.Point) Line {
	var l Line
	switch m {
	case Sphere:
		l = sphereInverse(from, to)
	case Rhumb:
		l = rhumbInverse(from, to)
	default:
		s, azi1, azi2 := Inverse(from.Lat(), from.Lng(), to.Lat(), to.Lng())
		l = Line{s, geo.WrapBearing(azi1), geo.WrapBearing(azi2)}
	}
	if l.DistanceM == 0 {
		l.InitialBearing, l.FinalBearing = math.NaN(), math.NaN()
	}
	return l
}

// Distance returns the geodesic distance on the ellipsoid in metres.
func Distance(from, to geo.Point) float64 {
	s, _, _ := Inverse(from.Lat(), from.Lng(), to.Lat(), to.Lng())
	return s
}

// Destination returns the point at a distance in metres (finite, at most 5e7) from a start in a direction, and the
// bearing there. A rhumb line that would run over a pole is an error: it winds round the pole for ever.
func Destination(m Model, from geo.Point, bearing, distanceM float64) (geo.Point, float64, error) {
	if math.IsNaN(bearing) || math.IsInf(bearing, 0) || math.IsNaN(distanceM) || math.Abs(distanceM) > 5e7 {
		return geo.Point{}, 0, fmt.Errorf(
			"bearing %v, distance %v m: neither may be infinite, and a distance is at most 50000 km",
			bearing,
			distanceM,
		)
	}
	var lat, lng, final float64
	switch m {
	case Sphere:
		lat, lng, final = sphereDirect(from, bearing, distanceM)
	case Rhumb:
		var ok bool
		if lat, lng, ok = rhumbDirect(from, bearing, distanceM); !ok {
			return geo.Point{}, 0, fmt.Errorf(
				"a rhumb line of %.0f m on bearing %g from %v runs over a pole; the model ellipsoid has an answer",
				distanceM,
				bearing,
				from,
			)
		}
		final = bearing
	default:
		lat, lng, final = Direct(from.Lat(), from.Lng(), bearing, distanceM)
	}
	p, err := geo.NewPoint(math.Max(-90, math.Min(90, lat)), geo.WrapLng(lng))
	return p, geo.WrapBearing(final), err
}

// Midpoint returns the point half way along the line between two points.
func Midpoint(m Model, from, to geo.Point) (geo.Point, error) {
	l := Between(m, from, to)
	if l.DistanceM == 0 {
		return from, nil
	}
	if m == Rhumb {
		return rhumbMidpoint(from, to)
	}
	p, _, err := Destination(m, from, l.InitialBearing, l.DistanceM/2)
	return p, err
}
