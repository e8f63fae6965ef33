package geodesy

import (
	"math"

	"viandante/core/geo"
)

// sphereInverse uses the arctangent form of the central angle, well-conditioned at every distance (Vincenty 1975, eqs.
// 13 to 16, for a sphere).
func sphereInverse(from, to geo.Point) Line {
	s1, c1 := math.Sincos(from.Lat() * degree)
	s2, c2 := math.Sincos(to.Lat() * degree)
	diff, rest := angleDifference(from.Lng(), to.Lng())
	sl, cl := sinCosDegrees(diff, rest)
	y, x := c2*sl, c1*s2-s1*c2*cl
	return Line{
		DistanceM:      MeanRadius * math.Atan2(math.Hypot(y, x), s1*s2+c1*c2*cl),
		InitialBearing: geo.WrapBearing(math.Atan2(y, x) / degree),
		FinalBearing:   geo.WrapBearing(math.Atan2(c1*sl, -s1*c2+c1*s2*cl) / degree),
	}
}

func sphereDirect(from geo.Point, bearing, distanceM float64) (lat, lng, final float64) {
	s1, c1 := math.Sincos(from.Lat() * degree)
	sa, ca := sinCosDegrees(math.Remainder(bearing, 360), 0)
	sd, cd := math.Sincos(distanceM / MeanRadius)
	s2 := s1*cd + c1*sd*ca
	x := c1*cd - s1*sd*ca
	y := sa * sd
	lat = math.Atan2(s2, math.Hypot(x, y)) / degree
	lng = math.Remainder(from.Lng()+math.Atan2(y, x)/degree, 360)
	return lat, lng, math.Atan2(sa*c1, c1*cd*ca-s1*sd) / degree
}

// isometric is the isometric latitude ψ in radians (Snyder 1987, eq. 3-7): along a rhumb line longitude is linear in
// it.
func isometric(lat float64) float64 {
	s, c := sinCosDegrees(lat, 0)
	e := math.Sqrt(ecc2)
	return math.Asinh(s/math.Max(c, tiny)) - e*math.Atanh(e*s)
}

// gauss holds the nodes and weights of the Gauss–Legendre rule with five points on [-1, 1].
var gauss = [5][2]float64{{0, 128.0 / 225},
	{0.5384693101056831, 0.47862867049936647}, {-0.5384693101056831, 0.47862867049936647},
	{0.9061798459386640, 0.23692688505618908}, {-0.9061798459386640, 0.23692688505618908}}

// rhumbSpread returns, between two latitudes in degrees, the length of the meridian in metres and the isometric
// latitude's difference in radians, both signed, without cancellation where the latitudes are close.
func rhumbSpread(lat1, lat2 float64) (meridianM, isometricRad float64) {
	if math.Abs(lat1-lat2) > 0.5 {
		s, _, _ := Inverse(lat1, 0, lat2, 0)
		return math.Copysign(s, lat2-lat1), isometric(lat2) - isometric(lat1)
	}
	half, mid := (lat2-lat1)/2*degree, (lat1+lat2)/2
	for _, g := range gauss {
		m, r := Radii(mid + half*g[0]/degree)
		meridianM += g[1] * half * m
		isometricRad += g[1] * half * m / r
	}
	return meridianM, isometricRad
}

// Radii returns the meridian's radius of curvature and the parallel's radius at a latitude, in metres (Snyder 1987,
// eqs. 4-18, 4-20).
func Radii(lat float64) (meridian, parallel float64) {
	s, c := sinCosDegrees(lat, 0)
	w := math.Sqrt(1 - ecc2*s*s)
	return equatorialRadius * (1 - ecc2) / (w * w * w), equatorialRadius * math.Max(c, tiny) / w
}

func rhumbInverse(from, to geo.Point) Line {
	diff, rest := angleDifference(from.Lng(), to.Lng())
	dlam := (diff + rest) * degree
	meridianM, dpsi := rhumbSpread(from.Lat(), to.Lat())
	l := Line{DistanceM: math.Abs(meridianM)}
	switch {
	case math.Abs(from.Lat()) == 90 || math.Abs(to.Lat()) == 90: // a pole is reached along the meridian
		dlam = 0
	case meridianM == 0:
		_, r := Radii(from.Lat())
		l.DistanceM = math.Abs(dlam) * r
	default:
		l.DistanceM = math.Hypot(dlam, dpsi) * meridianM / dpsi
	}
	b := math.Atan2(dlam, dpsi)
	if dlam == 0 {
		b = math.Atan2(0, meridianM)
	}
	l.InitialBearing = geo.WrapBearing(b / degree)
	l.FinalBearing = l.InitialBearing
	return l
}

func rhumbDirect(from geo.Point, bearing, distanceM float64) (lat, lng float64, ok bool) {
	s, c := sinCosDegrees(math.Remainder(bearing, 360), 0)
	quarterM, _, _ := Inverse(0, 0, 90, 0)
	fromEquator, _, _ := Inverse(0, 0, from.Lat(), 0)
	y := math.Copysign(fromEquator, from.Lat()) + distanceM*c
	if math.Abs(y) > quarterM {
		return 0, 0, false
	}
	lat, _, _ = Direct(0, 0, 0, y)
	meridianM, dpsi := rhumbSpread(from.Lat(), lat)
	var dlam float64
	if math.Abs(meridianM) < 1e-3 {
		_, r := Radii(from.Lat())
		dlam = distanceM * s / r
	} else {
		dlam = distanceM * s * dpsi / meridianM
	}
	if math.IsNaN(dlam) || math.IsInf(dlam, 0) || math.Abs(dlam) > 1e6 {
		return 0, 0, false
	}
	return lat, math.Remainder(from.Lng()+dlam/degree, 360), true
}

func rhumbMidpoint(from, to geo.Point) (geo.Point, error) {
	meridianM, dpsi := rhumbSpread(from.Lat(), to.Lat())
	diff, rest := angleDifference(from.Lng(), to.Lng())
	if meridianM == 0 {
		return geo.NewPoint(from.Lat(), geo.WrapLng(from.Lng()+(diff+rest)/2))
	}
	lat, _, _ := Direct(from.Lat(), 0, 0, meridianM/2)
	if math.Abs(from.Lat()) == 90 || math.Abs(to.Lat()) == 90 {
		return geo.NewPoint(lat, from.Lng())
	}
	_, toMiddle := rhumbSpread(from.Lat(), lat)
	return geo.NewPoint(lat, geo.WrapLng(from.Lng()+(diff+rest)*toMiddle/dpsi))
}
