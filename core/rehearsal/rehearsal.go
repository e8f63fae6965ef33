// Package rehearsal simulates a device that travels: what its receiver and its compass would report each second of a
// journey, and where it really is.
//
// The traveller goes along a Course at the speed of each stretch, speeds up and brakes within what the mode can do,
// pauses, and loses the signal. A receiver's error drifts: it is a first-order Gauss–Markov process on each axis, with
// a small white part (Gelb 1974, Applied Optimal Estimation, section 2.4; for satellite positions Rankin 1994). All of
// it follows from the seed: the same course and manner give the same fixes, bit for bit on one architecture. A fix
// costs some 2 microseconds.
package rehearsal

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// Course is the way that is really travelled.
type Course struct {
	// Line has at least one point; with one the device stands there.
	Line []geo.Point
	// SpeedsMPS are the metres per second on the stretch after each point but the last; nil for those of the mode.
	SpeedsMPS []float64
	// TimesS are the seconds at which each point was recorded, ascending; nil where nobody recorded them. With times
	// the fixes are those points, and speeds do not matter.
	TimesS []float64
	// AltitudesM are the metres above the sea of each point, NaN where unknown; nil for none.
	AltitudesM []float64
	// Astray are the stretches that lead away from the way that should be taken, in metres along the line.
	Astray []Span
}

// Span is a stretch from one distance along a line to another, in metres.
type Span struct {
	FromM float64 `json:"from_m"`
	ToM   float64 `json:"to_m"`
}

// Compass says what the device's compass is worth.
type Compass string

// The compasses: one that shows north within some degrees, one that was never calibrated, none.
const (
	GoodCompass  Compass = "good"
	Uncalibrated Compass = "uncalibrated"
	NoCompass    Compass = "none"
)

// Manner is how the device travels, and how well it knows where it is.
type Manner struct {
	Mode region.Mode
	Seed uint64
	// ErrorM is the root mean square of the horizontal error, in metres; 0 for none.
	ErrorM float64
	// Pauses and Losses are how many times the traveller stops for a while, and how many times the signal is lost.
	Pauses, Losses int
	Compass        Compass
}

// Fix is what the device reports at one moment, and the truth.
type Fix struct {
	// AtS are seconds since the beginning.
	AtS float64
	// Point is the position that is reported, AccuracyM the radius in metres within which it lies in 95 of 100 cases,
	// as the W3C's Geolocation defines it.
	Point     geo.Point
	AccuracyM float64
	// AltitudeM is NaN where unknown.
	AltitudeM float64
	// HeadingDeg is the direction of motion in degrees from true north, NaN below half a metre per second.
	HeadingDeg float64
	SpeedMPS   float64
	// CompassDeg is where the device points, in degrees from true north, CompassAccuracyDeg by how much that may be
	// wrong; NaN without a compass.
	CompassDeg, CompassAccuracyDeg float64
	// True is where the device is, AlongM how far it has come along the course, Astray whether that is a wrong way.
	True   geo.Point
	AlongM float64
	Astray bool
}

// MostFixes is how many fixes a journey may have: 24 hours.
const MostFixes = 24 * 3600

// ErrTooLong is returned for a journey of more than MostFixes.
var ErrTooLong = errors.New("the journey takes more than 24 hours; choose a shorter one or a faster mode")

// pace is how a mode travels: metres per second where the course does not say, metres per second squared for speeding
// up and braking, and the share by which the speed wanders.
type pace struct{ speedMPS, gainMPS2, wander float64 }

var paces = map[region.Mode]pace{
	region.Foot:    {1.4, 0.8, 0.08},
	region.Bicycle: {4.6, 0.9, 0.10},
	region.Car:     {13.9, 1.8, 0.06},
}

const (
	// driftS is the correlation time of a receiver's error, whiteShare the share of its variance that is white.
	driftS, whiteShare = 60.0, 0.05
	// ninetyFive is the radius of 95 % over the root mean square of a circular normal error.
	ninetyFive = 1.7308
	// least is the accuracy that a receiver reports at best, in metres.
	least      = 3.0
	standingS  = 60
	speedError = 0.12 // m/s on each axis, of the receiver's Doppler measurement
	moving     = 0.5  // m/s; below it there is no heading
)

// Run returns the fixes of a journey, one a second where the signal is there.
func Run(c Course, m Manner) ([]Fix, error) {
	if len(c.Line) == 0 {
		return nil, errors.New("a journey needs a position")
	}
	if c.TimesS != nil && len(c.TimesS) != len(c.Line) || c.SpeedsMPS != nil && len(c.SpeedsMPS) != len(c.Line)-1 {
		return nil, fmt.Errorf("%d points have %d times and %d speeds", len(c.Line), len(c.TimesS), len(c.SpeedsMPS))
	}
	t := newTrack(c)
	fixes, err := t.travel(m)
	if err != nil {
		return nil, err
	}
	newReceiver(m).receive(fixes)
	return lose(fixes, m), nil
}

// random returns a source of its own for each purpose, so that asking for one pause more changes no error.
func random(m Manner, purpose uint64) *rand.Rand { return rand.New(rand.NewPCG(m.Seed, purpose)) }

// lose takes out the fixes while there is no signal; the first and the last five stay.
func lose(fixes []Fix, m Manner) []Fix {
	r := random(m, 5)
	for range m.Losses {
		n := 20 + r.IntN(41)
		if len(fixes) < n+20 {
			break
		}
		from := 5 + r.IntN(len(fixes)-n-10)
		gone := fixes[from : from+n]
		after := fixes[from+n:]
		for i := range min(4, len(after)) { // what has just been found again is less sure
			after[i].AccuracyM *= 3 - 0.5*float64(i)
		}
		fixes = append(fixes[:from:from], fixes[from+len(gone):]...)
	}
	return fixes
}

// receiver adds to the truth what a receiver and a compass make of it.
type receiver struct {
	m            Manner
	white, drift *rand.Rand
	east, north  float64 // the drifting error, in units of its standard deviation
	quality      float64 // wanders round 1
	needle       float64 // degrees
	bias         float64 // degrees
}

func newReceiver(m Manner) *receiver {
	x := &receiver{m: m, white: random(m, 1), drift: random(m, 2), quality: 1}
	x.east, x.north = x.drift.NormFloat64(), x.drift.NormFloat64()
	if m.Compass == Uncalibrated {
		x.bias = 60 + 90*x.drift.Float64()
		if x.drift.IntN(2) == 0 {
			x.bias = -x.bias
		}
	}
	return x
}

// step moves a Gauss–Markov process of standard deviation 1 on by so many seconds.
func step(v, seconds, correlation float64, r *rand.Rand) float64 {
	keep := math.Exp(-seconds / correlation)
	return keep*v + math.Sqrt(1-keep*keep)*r.NormFloat64()
}

func (x *receiver) receive(fixes []Fix) {
	axis := x.m.ErrorM / math.Sqrt2
	before := 0.0
	for i := range fixes {
		f := &fixes[i]
		if dt := f.AtS - before; dt > 0 {
			x.east, x.north = step(x.east, dt, driftS, x.drift), step(x.north, dt, driftS, x.drift)
			x.quality += (1-x.quality)*math.Min(1, dt/30) + 0.02*x.white.NormFloat64()
			x.needle = step(x.needle, dt, 4, x.white)
		}
		before = f.AtS
		east := axis * (math.Sqrt(1-whiteShare)*x.east + math.Sqrt(whiteShare)*x.white.NormFloat64())
		north := axis * (math.Sqrt(1-whiteShare)*x.north + math.Sqrt(whiteShare)*x.white.NormFloat64())
		f.Point = f.True
		if d := math.Hypot(east, north); d > 0 {
			f.Point, _, _ = geodesy.Destination(geodesy.Ellipsoid, f.True, degrees(math.Atan2(east, north)), d)
		}
		f.Point = f.Point.Rounded()
		f.AccuracyM = math.Max(least, x.m.ErrorM*ninetyFive*math.Max(0.7, math.Min(1.4, x.quality)))
		x.motion(f)
		x.point(f)
	}
}

// motion is what the Doppler shift tells: the velocity, with an error of its own.
func (x *receiver) motion(f *Fix) {
	course, speed := f.HeadingDeg, f.SpeedMPS
	sin, cos := math.Sincos(course * math.Pi / 180)
	if math.IsNaN(course) {
		sin, cos = 0, 0
	}
	noise := speedError
	if x.m.ErrorM == 0 {
		noise = 0
	}
	east, north := speed*sin+noise*x.white.NormFloat64(), speed*cos+noise*x.white.NormFloat64()
	f.SpeedMPS = math.Hypot(east, north)
	f.HeadingDeg = math.NaN()
	if f.SpeedMPS >= moving {
		f.HeadingDeg = geo.WrapBearing(degrees(math.Atan2(east, north)))
	}
	f.CompassDeg = course // the device is held in the direction of travel; see point
}

func (x *receiver) point(f *Fix) {
	if x.m.Compass == NoCompass || math.IsNaN(f.CompassDeg) {
		f.CompassDeg, f.CompassAccuracyDeg = math.NaN(), math.NaN()
		return
	}
	wobble, accuracy := 4.0, 8.0
	if x.m.Compass == Uncalibrated {
		wobble, accuracy = 14, 120
	}
	f.CompassDeg = geo.WrapBearing(f.CompassDeg + x.bias + wobble*x.needle)
	f.CompassAccuracyDeg = accuracy
}

func degrees(radians float64) float64 { return radians * 180 / math.Pi }
