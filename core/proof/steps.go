package proof

import (
	"math"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// Step is one of a formula, with the numbers in it.
type Step struct {
	// Symbol is what the step computes, Expression how, in the symbols of the steps before.
	Symbol, Title, Expression string
	// Value is in Unit: "rad", "m", "°" or "" for a plain number.
	Value float64
	Unit  string
}

// Formula is one that can be followed.
type Formula struct{ ID, Title, Source string }

// FormulasToFollow are all of them.
var FormulasToFollow = []Formula{
	{"haversine", "Distance: haversine", "Sinnott 1984"},
	{"cosines", "Distance: law of cosines", "spherical trigonometry"},
	{"flat", "Distance: flat earth with the cosine", "equirectangular approximation"},
	{"bearing", "Initial bearing", "spherical trigonometry"},
	{"destination", "Destination", "spherical trigonometry"},
}

// Follow computes a formula step by step on the sphere of the mean radius; for the destination, it takes the reference
// distance and bearing between the two points. The last step but one is the result; the last one is the reference on
// WGS 84. False for a formula that is not known.
func Follow(formula string, from, to geo.Point) ([]Step, bool) {
	f := following{}
	lat1 := f.add("φ₁", "latitude of the first point", "lat₁ · π/180", from.Lat()*degree, "rad")
	lng1 := f.add("λ₁", "longitude of the first point", "lng₁ · π/180", from.Lng()*degree, "rad")
	reference := NewPoint(geodesy.Ellipsoid, "", "", from, to)
	if formula == "destination" {
		f.destination(lat1, lng1, reference)
		return f.steps, true
	}
	lat2 := f.add("φ₂", "latitude of the second point", "lat₂ · π/180", to.Lat()*degree, "rad")
	lng2 := f.add("λ₂", "longitude of the second point", "lng₂ · π/180", to.Lng()*degree, "rad")
	dLng := f.add("Δλ", "difference of longitude, within ±π", "λ₂ − λ₁", math.Remainder(lng2-lng1, 2*math.Pi), "rad")
	switch formula {
	case "haversine":
		dLat := f.add("Δφ", "difference of latitude", "φ₂ − φ₁", lat2-lat1, "rad")
		s, t := math.Sin(dLat/2), math.Sin(dLng/2)
		a := f.add("a", "square of half the chord", "sin²(Δφ/2) + cos φ₁ · cos φ₂ · sin²(Δλ/2)",
			s*s+math.Cos(lat1)*math.Cos(lat2)*t*t, "")
		c := f.add("c", "angle at the middle of the earth", "2 · atan2(√a, √(1 − a))",
			2*math.Atan2(math.Sqrt(a), math.Sqrt(math.Max(0, 1-a))), "rad")
		f.add("d", "distance", "R · c, R = 6371008.8 m", geodesy.MeanRadius*c, "m")
	case "cosines":
		x := f.add("cos c", "cosine of the angle", "sin φ₁ · sin φ₂ + cos φ₁ · cos φ₂ · cos Δλ",
			math.Sin(lat1)*math.Sin(lat2)+math.Cos(lat1)*math.Cos(lat2)*math.Cos(dLng), "")
		c := f.add("c", "angle at the middle of the earth; near 0 its digits are lost", "acos(cos c)",
			math.Acos(math.Max(-1, math.Min(1, x))), "rad")
		f.add("d", "distance", "R · c, R = 6371008.8 m", geodesy.MeanRadius*c, "m")
	case "flat":
		x := f.add("x", "to the east", "Δλ · cos((φ₁ + φ₂)/2)", dLng*math.Cos((lat1+lat2)/2), "rad")
		y := f.add("y", "to the north", "φ₂ − φ₁", lat2-lat1, "rad")
		f.add("d", "distance", "R · √(x² + y²), R = 6371008.8 m", geodesy.MeanRadius*math.Hypot(x, y), "m")
	case "bearing":
		y := f.add("y", "to the east", "sin Δλ · cos φ₂", math.Sin(dLng)*math.Cos(lat2), "")
		x := f.add("x", "to the north", "cos φ₁ · sin φ₂ − sin φ₁ · cos φ₂ · cos Δλ",
			math.Cos(lat1)*math.Sin(lat2)-math.Sin(lat1)*math.Cos(lat2)*math.Cos(dLng), "")
		b := f.add("θ", "angle, −π to π; east comes first", "atan2(y, x)", math.Atan2(y, x), "rad")
		f.add("b", "initial bearing, 0 to 360", "(θ · 180/π + 360) mod 360", geo.WrapBearing(b/degree), "°")
		f.add("reference", "on the ellipsoid", "", reference.InitialDeg, "°")
		return f.steps, true
	default:
		return nil, false
	}
	f.add("reference", "on the ellipsoid", "", reference.DistanceM, "m")
	return f.steps, true
}

type following struct{ steps []Step }

func (f *following) add(symbol, title, expression string, value float64, unit string) float64 {
	f.steps = append(f.steps, Step{symbol, title, expression, value, unit})
	return value
}

func (f *following) destination(lat1, lng1 float64, p Point) {
	d := f.add("d", "distance", "as it is given", p.DistanceM, "m")
	b := p.InitialDeg
	if math.IsNaN(b) {
		b = 0
	}
	theta := f.add("θ", "initial bearing", "b · π/180", b*degree, "rad")
	c := f.add("c", "angle at the middle of the earth", "d / R, R = 6371008.8 m", d/geodesy.MeanRadius, "rad")
	s := f.add("sin φ₂", "sine of the latitude", "sin φ₁ · cos c + cos φ₁ · sin c · cos θ",
		math.Sin(lat1)*math.Cos(c)+math.Cos(lat1)*math.Sin(c)*math.Cos(theta), "")
	lat2 := f.add("φ₂", "latitude", "asin(sin φ₂)", math.Asin(math.Max(-1, math.Min(1, s))), "rad")
	dLng := f.add("Δλ", "difference of longitude", "atan2(sin θ · sin c · cos φ₁, cos c − sin φ₁ · sin φ₂)",
		math.Atan2(math.Sin(theta)*math.Sin(c)*math.Cos(lat1), math.Cos(c)-math.Sin(lat1)*s), "rad")
	f.add("lat₂", "latitude", "φ₂ · 180/π", lat2/degree, "°")
	f.add("lng₂", "longitude, −180 to 180", "(λ₁ + Δλ) · 180/π", geo.WrapLng((lng1+dLng)/degree), "°")
	f.add("reference lat₂", "on the ellipsoid", "", p.To.Lat(), "°")
	f.add("reference lng₂", "on the ellipsoid", "", p.To.Lng(), "°")
}
