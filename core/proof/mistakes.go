package proof

import (
	"math"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

const degree = math.Pi / 180

// Code names a mistake.
type Code string

// The mistakes.
const (
	Swapped        Code = "swapped"
	Radians        Code = "degrees_as_radians"
	WestLost       Code = "west_lost"
	Cut            Code = "decimals_cut"
	Sphere         Code = "sphere"
	Radius         Code = "earth_radius"
	Flat           Code = "flat_without_cosine"
	FlatCosine     Code = "flat"
	Final          Code = "final_bearing"
	Back           Code = "back_bearing"
	Counter        Code = "counter_clockwise"
	Atan2          Code = "atan2_swapped"
	HalfTurns      Code = "half_turns"
	BearingRadians Code = "bearing_in_radians"
	Miles          Code = "miles_for_kilometres"
	Nautical       Code = "nautical_for_kilometres"
	Kilometres     Code = "kilometres_for_metres"
	Feet           Code = "feet_for_metres"
	Thousandfold   Code = "metres_for_kilometres"
	Crossed        Code = "rows_crossed"
)

// position is what a formula is given, in degrees: anything.
type position struct{ lat, lng float64 }

func of(p geo.Point) position { return position{p.Lat(), p.Lng()} }

// input is what becomes of coordinates before the formula.
type input struct {
	codes []Code
	// decimals, where something is cut, is to how many.
	decimals int
	radians  bool
	change   func(from, to position) (position, position)
}

func swap(p position) position { return position{p.lng, p.lat} }

func cut(p position, decimals int) position {
	f := math.Pow10(decimals)
	return position{math.Trunc(p.lat*f+math.Copysign(1e-7, p.lat)) / f, math.Trunc(p.lng*f+math.Copysign(1e-7,
		p.lng)) / f}
}

func rounded(p position, decimals int) position {
	f := math.Pow10(decimals)
	return position{math.Round(p.lat*f) / f, math.Round(p.lng*f) / f}
}

func east(p position) position { return position{p.lat, math.Abs(p.lng)} }

// both applies a change to both ends.
func both(change func(position) position) func(from, to position) (position, position) {
	return func(from, to position) (position, position) { return change(from), change(to) }
}

// mostDecimals is up to how many decimals coordinates are cut to: beyond, it is a centimetre.
const mostDecimals = 6

// inputs are the ways to spoil coordinates: none, one, or two.
var inputs = makeInputs()

func makeInputs() []input {
	single := []input{
		{codes: []Code{Swapped}, change: both(swap)},
		{codes: []Code{Radians}, radians: true},
		{codes: []Code{WestLost}, change: both(east)},
		{codes: []Code{WestLost}, change: func(a, b position) (position, position) { return a, east(b) }},
	}
	for d := range mostDecimals + 1 {
		single = append(single,
			input{codes: []Code{Cut}, decimals: d, change: both(func(p position) position { return cut(p, d) })},
			input{codes: []Code{Cut}, decimals: d, change: both(func(p position) position { return rounded(p, d) })})
	}
	out := append([]input{{}}, single...)
	for i, a := range single {
		for _, b := range single[i+1:] {
			if a.codes[0] == b.codes[0] {
				continue
			}
			pair := input{codes: []Code{a.codes[0], b.codes[0]}, radians: a.radians || b.radians,
				decimals: max(a.decimals, b.decimals)}
			changes := []func(from, to position) (position, position){b.change, a.change} // cut first, then swapped
			pair.change = func(from, to position) (position, position) {
				for _, change := range changes {
					if change != nil {
						from, to = change(from, to)
					}
				}
				return from, to
			}
			out = append(out, pair)
		}
	}
	return out
}

// figure is the figure of the earth that a formula takes.
type figure int

const (
	onEllipsoid figure = iota
	onSphere
	onPlane
	onPlaneWithCosine
)

func (f figure) code() Code { return [...]Code{"", Sphere, Flat, FlatCosine}[f] }

// meanRadius is what spheres are computed with here; a scale is fitted to what somebody else took.
const meanRadius = geodesy.MeanRadius

// computed is a line by some formula: metres and degrees in [0, 360), NaN where there is nothing.
type computed struct{ distanceM, initialDeg, finalDeg float64 }

// compute measures between positions that may be none, as a program would that does not check them.
func (f figure) compute(from, to position, radians bool) computed {
	unit := degree
	if radians {
		unit = 1
	}
	lat1, lat2, dLng := from.lat*unit, to.lat*unit, (to.lng-from.lng)*unit
	bearing := func(rad float64) float64 { return geo.WrapBearing(rad / degree) }
	switch f {
	case onEllipsoid:
		if radians || math.Abs(from.lat) > 90 || math.Abs(to.lat) > 90 {
			return computed{math.NaN(), math.NaN(), math.NaN()}
		}
		s, a, b := geodesy.Inverse(from.lat, from.lng, to.lat, to.lng)
		return computed{s, geo.WrapBearing(a), geo.WrapBearing(b)}
	case onSphere:
		s1, c1 := math.Sincos(lat1)
		s2, c2 := math.Sincos(lat2)
		sl, cl := math.Sincos(dLng)
		sLat, sLng := math.Sin((lat2-lat1)/2), math.Sin(dLng/2)
		h := math.Max(0, math.Min(1, sLat*sLat+c1*c2*sLng*sLng)) // as it is usually kept from leaving the range
		return computed{2 * meanRadius * math.Atan2(math.Sqrt(h), math.Sqrt(1-h)),
			bearing(math.Atan2(sl*c2, c1*s2-s1*c2*cl)), bearing(math.Atan2(sl*c1, c1*s2*cl-s1*c2))}
	}
	x := dLng
	if f == onPlaneWithCosine {
		x *= math.Cos((lat1 + lat2) / 2)
	}
	b := bearing(math.Atan2(x, lat2-lat1))
	return computed{meanRadius * math.Hypot(x, lat2-lat1), b, b}
}

// turning is what becomes of the bearing after the formula.
type turning struct {
	codes                         []Code
	final, back, counter, swapped bool
	halfTurns, radians            bool
}

var turnings = makeTurnings()

func makeTurnings() (out []turning) {
	for i := range 1 << 6 {
		t := turning{final: i&1 != 0, back: i&2 != 0, counter: i&4 != 0, swapped: i&8 != 0, halfTurns: i&16 != 0,
			radians: i&32 != 0}
		for _, c := range []struct {
			is   bool
			code Code
		}{{t.final, Final}, {t.back, Back}, {t.swapped, Atan2}, {t.counter, Counter}, {t.halfTurns, HalfTurns},
			{t.radians, BearingRadians}} {
			if c.is {
				t.codes = append(t.codes, c.code)
			}
		}
		if !(t.final && t.back) && len(t.codes) <= 2 {
			out = append(out, t)
		}
	}
	return out
}

// apply returns what is printed, in degrees, or in radians where that is the mistake.
func (t turning) apply(c computed) float64 {
	b := c.initialDeg
	switch {
	case t.final:
		b = c.finalDeg
	case t.back:
		b = c.finalDeg + 180
	}
	if t.swapped {
		b = 90 - b
	}
	if t.counter {
		b = -b
	}
	if b = geo.WrapBearing(b); t.halfTurns && b > 180 {
		b -= 360
	}
	if t.radians {
		b *= degree
	}
	return b
}

// scaling is what becomes of the distance after the formula.
type scaling struct {
	code   Code
	factor float64
}

var scalings = []scaling{{"", 1}, {Kilometres, 1e-3}, {Miles, 1 / 1.609344}, {Miles, 1 / 1609.344},
	{Nautical, 1 / 1.852}, {Nautical, 1 / 1852.0}, {Feet, 1 / 0.3048}, {Thousandfold, 1000}}

// radiusRange are the radii in metres that somebody may take for the earth's.
const leastRadius, mostRadius = 6_300_000, 6_450_000

// isMean tells a usual mean radius: 6371 km, with or without its decimals.
func isMean(radiusM float64) bool { return math.Abs(radiusM-6371000) < 15 }
