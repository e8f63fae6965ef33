// Package prooftest makes programs with Mistakes, and what they print, to measure the diagnosis with. It shares no code
// with it.
package prooftest

import (
	"math"
	"math/rand/v2"
	"slices"
	"strconv"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/proof"
)

// Program is a program as somebody writes it, with Mistakes. It shares no code with the diagnosis.
type Program struct {
	swap, radians, westLost, westOfTarget, haversine, plane bool
	decimals                                                int // to which coordinates are cut; -1 for not
	round                                                   bool
	radiusM                                                 float64
	final, counter, atan2, halfTurns                        bool
	factor                                                  float64
	crossed                                                 bool
}

// Mistakes are those that are looked for, each by itself.
var Mistakes = map[proof.Code]func(w *Program, r *rand.Rand){
	proof.Swapped:    func(w *Program, _ *rand.Rand) { w.swap = true },
	proof.Radians:    func(w *Program, _ *rand.Rand) { w.radians, w.haversine = true, true },
	proof.Atan2:      func(w *Program, _ *rand.Rand) { w.atan2 = true },
	proof.HalfTurns:  func(w *Program, _ *rand.Rand) { w.halfTurns = true },
	proof.Final:      func(w *Program, _ *rand.Rand) { w.final = true },
	proof.Counter:    func(w *Program, _ *rand.Rand) { w.counter = true },
	proof.Miles:      func(w *Program, _ *rand.Rand) { w.factor = 1 / 1.609344 },
	proof.Kilometres: func(w *Program, _ *rand.Rand) { w.factor = 1e-3 },
	proof.Sphere:     func(w *Program, _ *rand.Rand) { w.haversine = true },
	proof.Radius: func(w *Program, r *rand.Rand) {
		w.haversine, w.radiusM = true, []float64{6378137, 6356752.3142, 6378000, 6400000, 6360000}[r.IntN(5)]
	},
	proof.Flat: func(w *Program, _ *rand.Rand) { w.plane = true },
	proof.WestLost: func(w *Program, r *rand.Rand) {
		if r.IntN(2) == 0 {
			w.westLost = true
		} else {
			w.westOfTarget = true
		}
	},
	proof.Cut:     func(w *Program, r *rand.Rand) { w.decimals, w.round = 1+r.IntN(5), r.IntN(2) == 0 },
	proof.Crossed: func(w *Program, _ *rand.Rand) { w.crossed = true },
}

// New returns a program without a mistake.
func New() *Program { return &Program{decimals: -1} }

// NewSphere returns one that is right on a sphere of the mean radius.
func NewSphere() *Program {
	return &Program{decimals: -1, haversine: true, radiusM: geodesy.MeanRadius}
}

func (w *Program) of(from, to geo.Point) (distanceM, bearing float64) {
	lat1, lng1, lat2, lng2 := from.Lat(), from.Lng(), to.Lat(), to.Lng()
	if w.decimals >= 0 {
		f := math.Pow(10, float64(w.decimals))
		for _, v := range []*float64{&lat1, &lng1, &lat2, &lng2} {
			if w.round {
				*v = math.Round(*v*f) / f
			} else {
				*v, _ = strconv.ParseFloat(truncated(*v, w.decimals), 64)
			}
		}
	}
	if w.westLost {
		lng1, lng2 = math.Abs(lng1), math.Abs(lng2)
	}
	if w.westOfTarget {
		lng2 = math.Abs(lng2)
	}
	if w.swap {
		lat1, lng1, lat2, lng2 = lng1, lat1, lng2, lat2
	}
	toRadians := math.Pi / 180
	if w.radians {
		toRadians = 1
	}
	R := 6371000.0
	if w.radiusM != 0 {
		R = w.radiusM
	}
	p1, p2, dl := lat1*toRadians, lat2*toRadians, (lng2-lng1)*toRadians
	var final, y, x float64
	switch {
	case w.plane:
		distanceM = R * math.Hypot(p2-p1, dl)
		y, x = dl, p2-p1
		final = math.Atan2(y, x) * 180 / math.Pi
	case w.haversine:
		a := math.Pow(math.Sin((p2-p1)/2), 2) + math.Cos(p1)*math.Cos(p2)*math.Pow(math.Sin(dl/2), 2)
		distanceM = R * 2 * math.Atan2(math.Sqrt(a), math.Sqrt(math.Max(0, 1-a)))
		y, x = math.Sin(dl)*math.Cos(p2), math.Cos(p1)*math.Sin(p2)-math.Sin(p1)*math.Cos(p2)*math.Cos(dl)
		back := math.Atan2(math.Sin(-dl)*math.Cos(p1), math.Cos(p2)*math.Sin(p1)-math.Sin(p2)*math.Cos(p1)*math.Cos(dl))
		final = back*180/math.Pi + 180
	default:
		var a, b float64
		distanceM, a, b = geodesy.Inverse(lat1, lng1, lat2, lng2)
		y, x = math.Sin(a*math.Pi/180), math.Cos(a*math.Pi/180)
		final = b
	}
	bearing = math.Atan2(y, x) * 180 / math.Pi
	switch {
	case w.final && w.atan2:
		bearing = 90 - final
	case w.final:
		bearing = final
	case w.atan2:
		bearing = math.Atan2(x, y) * 180 / math.Pi
	}
	if w.counter {
		bearing = -bearing
	}
	bearing = math.Mod(math.Mod(bearing, 360)+360, 360)
	if w.halfTurns && bearing > 180 {
		bearing -= 360
	}
	if w.factor != 0 {
		distanceM *= w.factor
	}
	return distanceM, bearing
}

// truncated writes a number with its digits cut off, not rounded.
func truncated(v float64, decimals int) string {
	text := strconv.FormatFloat(v, 'f', 7, 64)
	return text[:len(text)-7+decimals]
}

// DataSet makes twelve lines, as twelve test points would be, that tell Mistakes apart: eleven round a standpoint, on
// bearings all round and from hundreds of metres to a thousand kilometres long, and one across the meridian of
// Greenwich.
func DataSet(r *rand.Rand) (out []proof.Line) {
	from := geo.MustPoint(r.Float64()*120-60, -10+9*r.Float64()).Rounded()
	turn := 30 * r.Float64()
	for i := range 12 {
		d := math.Pow(10, 2.5+3.7*r.Float64())
		to, _, err := geodesy.Destination(geodesy.Ellipsoid, from, turn+30*float64(i), d)
		if err != nil {
			panic(err)
		}
		out = append(out, proof.Line{Number: i + 1, From: from, To: to.Rounded()})
	}
	out[11].From, out[11].To = geo.MustPoint(51.5, -3-2*r.Float64()), geo.MustPoint(47, 2+2*r.Float64())
	out[11].From, out[11].To = out[11].From.Rounded(), out[11].To.Rounded()
	return out
}

// Print fills in what a program prints, to so many decimals.
func (w *Program) Print(r *rand.Rand, set []proof.Line) []proof.Line {
	decimals, turnDecimals := 1+r.IntN(3), 1+r.IntN(4)
	if w.factor == 1e-3 || r.IntN(4) == 0 {
		decimals, turnDecimals = 6, 6
	}
	rounded := func(v float64, decimals int) float64 {
		f := math.Pow(10, float64(decimals))
		return math.Round(v*f) / f
	}
	for i := range set {
		l := &set[i]
		d, b := w.of(l.From, l.To)
		l.DistanceM, l.BearingDeg = rounded(d, decimals), rounded(b, turnDecimals)
		l.DistanceStepM, l.BearingStepDeg = math.Pow(10, -float64(decimals)), math.Pow(10, -float64(turnDecimals))
	}
	if w.crossed {
		i := r.IntN(len(set))
		k := (i + 1 + r.IntN(len(set)-1)) % len(set)
		set[i].DistanceM, set[k].DistanceM = set[k].DistanceM, set[i].DistanceM
		set[i].BearingDeg, set[k].BearingDeg = set[k].BearingDeg, set[i].BearingDeg
	}
	return set
}

// Agree tells whether two Mistakes can be made at once and both leave something to be seen.
func Agree(a, b proof.Code) bool {
	geometry := []proof.Code{proof.Sphere, proof.Radius, proof.Flat, proof.Radians}
	both := func(list ...proof.Code) bool { return slices.Contains(list, a) && slices.Contains(list, b) }
	return !both(geometry...) && // one formula only
		!both(proof.Miles, proof.Kilometres) &&
		!both(proof.Final, proof.Flat) && // on a plane both bearings are one
		!both(proof.Radians, proof.Cut) && !both(proof.Radians, proof.Final)
}

// Codes are those of all Mistakes, in order.
func Codes() []proof.Code {
	var out []proof.Code
	for c := range Mistakes {
		out = append(out, c)
	}
	slices.Sort(out)
	return out
}
