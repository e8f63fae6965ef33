// Package proof checks somebody else's distances and bearings: it makes test points with reference values, compares
// numbers with them, and finds out what mistake explains the differences.
//
// # Diagnosis
//
// A mistake is a function: what a program prints that makes it. Mistakes are made at three places, in what goes in
// (coordinates swapped, cut, taken for radians), in the formula (a sphere, a plane, another bearing), and in what comes
// out (a unit, a range, a direction of turning). Every combination of few is computed for the lines at hand. The one
// that explains them best, by the logarithm of its residuals over the last printed digit, less a penalty for each
// mistake it needs, is the diagnosis: the principle of minimum description length (Rissanen 1978). What is explained
// by no mistake is right. So a mistake is never named from a rule of thumb, but because the lines are what it prints.
//
// The cost is that of some hundred combinations for at most 200 lines, about a hundredth of a second; all other lines
// are compared only.
package proof

import (
	"fmt"
	"math"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// Point is a test point: a line from one position to another with its reference values.
type Point struct {
	// ID names the point, unique among those made together; Name says what it tests.
	ID, Name string
	From, To geo.Point
	// DistanceM is in metres; InitialDeg and FinalDeg are bearings in degrees, NaN where they are not defined.
	DistanceM, InitialDeg, FinalDeg float64
}

// NewPoint returns a test point with its reference values on a model.
func NewPoint(m geodesy.Model, id, name string, from, to geo.Point) Point {
	l := geodesy.Measure(m, from, to)
	return Point{id, name, from, to, l.DistanceM, l.InitialBearing, l.FinalBearing}
}

// Fan says which test points are made round a standpoint.
type Fan struct {
	// BearingsDeg and DistancesM are combined, each with each.
	BearingsDeg, DistancesM []float64
	// Edges adds the cases that formulas fail at.
	Edges bool
}

// Limits of a fan.
const (
	MostPoints = 5000
	mostM      = 2.0003e7
)

// Points makes test points round a standpoint, positions rounded to 1e-7 degree as they are written; the reference is
// that of the rounded ones.
func Points(m geodesy.Model, from geo.Point, f Fan) ([]Point, error) {
	if n := len(f.BearingsDeg) * len(f.DistancesM); n > MostPoints {
		return nil, &geo.ParseError{Input: fmt.Sprint(n), Reason: "are too many test points",
			Hint: fmt.Sprintf("at most %d: bearings times distances", MostPoints)}
	}
	from = from.Rounded()
	var out []Point
	put := func(name string, a, b geo.Point) {
		out = append(out, NewPoint(m, fmt.Sprintf("p%02d", len(out)+1), name, a.Rounded(), b.Rounded()))
	}
	for _, d := range f.DistancesM {
		if !(d > 0) || d > mostM {
			return nil, &geo.ParseError{Input: fmt.Sprint(d), Reason: "is not a distance of a test point",
				Hint: "more than 0, at most 20003 km, half the way round the earth"}
		}
		for _, b := range f.BearingsDeg {
			to, _, err := geodesy.Destination(m, from, b, d)
			if err != nil {
				return nil, err
			}
			put(fmt.Sprintf("%s %s", direction(b), written(d)), from, to)
		}
	}
	if !f.Edges {
		return out, nil
	}
	lat, lng := from.Lat(), from.Lng()
	put("one metre north-east", from, reached(from, 45, 1))
	put("the same point", from, from)
	put("across the antimeridian, eastwards", geo.MustPoint(lat, 179.95), geo.MustPoint(lat/2, -179.95))
	put("across the antimeridian, westwards", geo.MustPoint(lat, -179.95), geo.MustPoint(lat/2, 179.95))
	put("across the meridian of Greenwich", geo.MustPoint(lat, 0.5), geo.MustPoint(lat, -0.5))
	put("across the equator", geo.MustPoint(0.5, lng), geo.MustPoint(-0.5, geo.WrapLng(lng+1)))
	put("along the equator", geo.MustPoint(0, lng), geo.MustPoint(0, geo.WrapLng(lng+1)))
	put("to the north pole", from, geo.MustPoint(90, 0))
	put("from the south pole", geo.MustPoint(-90, 0), from)
	put("past a pole", geo.MustPoint(89, lng), geo.MustPoint(89, geo.WrapLng(lng+170)))
	put("half way round the earth, all but a degree", from, geo.MustPoint(-lat*0.99, geo.WrapLng(lng+179)))
	put("west of west: far away", from, reached(from, 271, 9e6))
	return out, nil
}

func reached(from geo.Point, bearing, distanceM float64) geo.Point {
	to, _, err := geodesy.Destination(geodesy.Ellipsoid, from, bearing, distanceM)
	if err != nil {
		return from
	}
	return to
}

func direction(bearing float64) string {
	names := map[float64]string{0: "north", 90: "east", 180: "south", 270: "west", 45: "north-east", 135: "south-east",
		225: "south-west", 315: "north-west"}
	if name, ok := names[geo.WrapBearing(bearing)]; ok {
		return name
	}
	return fmt.Sprintf("%03.5g°", geo.WrapBearing(bearing))
}

// written is a length in metres or kilometres, as short as it is exact.
func written(m float64) string {
	if m >= 1000 {
		return fmt.Sprintf("%.6g km", m/1000)
	}
	return fmt.Sprintf("%.6g m", m)
}

// Line is what somebody's own program printed for a pair of positions.
type Line struct {
	// Number is where it stands in what was pasted, from 1; ID is the test point's, where it has one.
	Number   int
	ID       string
	From, To geo.Point
	// Distance is as it was printed, in the unit that was declared, in metres: NaN for none. BearingDeg likewise.
	DistanceM, BearingDeg float64
	// DistanceStepM and BearingStepDeg are what the last printed digit is worth.
	DistanceStepM, BearingStepDeg float64
}

// Compared is a line beside its reference.
type Compared struct {
	Line
	Reference Point
	// DistanceOffM is printed less reference, BearingOffDeg the smaller turn from the reference to what was printed, in
	// (-180, 180]; NaN where there is nothing to compare.
	DistanceOffM, BearingOffDeg float64
	// DistanceOK and BearingOK tell that they are right to what was printed, or that there is nothing to compare.
	DistanceOK, BearingOK bool
}

// tolerances of a line: what its last printed digit leaves open, and what a good formula may be off.
func (l *Line) tolerances(distanceM float64) (metres, degrees float64) {
	metres = max(0.51*l.DistanceStepM, 0.001, 1e-8*distanceM)
	degrees = max(0.51*l.BearingStepDeg, 1e-6)
	if distanceM > 0 { // on a short line, a millimetre turns the bearing
		degrees = max(degrees, 0.001/max(distanceM, 0.001)*180/math.Pi)
	}
	return metres, min(degrees, 180)
}

// Compare puts a line beside its reference on a model.
func Compare(m geodesy.Model, l Line) Compared {
	c := Compared{Line: l, Reference: NewPoint(m, l.ID, "", l.From, l.To)}
	c.DistanceOffM = l.DistanceM - c.Reference.DistanceM
	c.BearingOffDeg = math.Remainder(l.BearingDeg-c.Reference.InitialDeg, 360)
	metres, degrees := l.tolerances(c.Reference.DistanceM)
	c.DistanceOK = math.IsNaN(l.DistanceM) || math.Abs(c.DistanceOffM) <= metres
	inRange := l.BearingDeg > -1e-9 && l.BearingDeg < 360+degrees
	c.BearingOK = math.IsNaN(c.BearingOffDeg) || math.Abs(c.BearingOffDeg) <= degrees && inRange
	return c
}
