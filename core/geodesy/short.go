package geodesy

import (
	"math"

	"viandante/core/geo"
)

// ShortM is how far From measures by itself, in metres; beyond it asks Inverse.
const ShortM = 50_000

// From measures many distances from one point. Up to ShortM it takes the chord between the two points, whose square is
// the sum of the meridian's chord and of 4 ρ₁ ρ₂ sin²(λ/2), with ρ the distance from the axis; both are power series in
// the difference of latitude, with coefficients that depend on the first point only. The arc follows by the first two
// terms of its series, with the normal section's curvature at the middle of the line (Euler's theorem; Torge and Müller
// 2012, section 4.1). There is no cancellation. The error is below 0.1 µm, a hundred thousandth of what positions are
// kept to, at some twenty-fifth of the cost of Inverse (TestShortLines, BenchmarkShortLine).
type From struct {
	at geo.Point
	// The meridian's chord, squared and over the square of the latitude's difference, and ρ₁ ρ₂.
	chord, axis [seriesTerms]float64
	meridian    float64 // its radius of curvature
	// inward and north are how far the meridian leads towards the axis and along it, over the latitude's difference.
	inward, north       [seriesTerms]float64
	sin, cos, rho, bend float64
	// Curvatures along the meridian and across it, and by how much they fall half way, by radians of latitude.
	along, across           float64
	alongSlope, acrossSlope float64
	radiusSlope             float64 // by which share the radius grows
}

// seriesTerms is how many terms of the series are kept; the next is below 4e-16 of the first at ShortM.
const seriesTerms = 6

// longSeries has room for the term that is lost when a series is multiplied by its argument's square.
type longSeries [seriesTerms + 2]float64

func (a longSeries) times(b longSeries) (c longSeries) {
	for i := range a {
		for k := range b[:len(b)-i] {
			c[i+k] += a[i] * b[k]
		}
	}
	return c
}

// integral is that of a series from 0.
func (a longSeries) integral() (c longSeries) {
	for i := range a[:len(a)-1] {
		c[i+1] = a[i] / float64(i+1)
	}
	return c
}

// NewFrom prepares for measuring from a valid point.
func NewFrom(p geo.Point) From {
	s, c := sinCosDegrees(p.Lat(), 0)
	var sin, cos longSeries // of the latitude, in what is added to it
	factorial := 1.0
	for i := range sin {
		if i > 0 {
			factorial *= float64(i)
		}
		switch i & 3 {
		case 0:
			sin[i], cos[i] = s/factorial, c/factorial
		case 1:
			sin[i], cos[i] = c/factorial, -s/factorial
		case 2:
			sin[i], cos[i] = -s/factorial, -c/factorial
		default:
			sin[i], cos[i] = -c/factorial, s/factorial
		}
	}
	// The radius of curvature in the meridian is a(1-e²) (1 - e² sin²)^(-3/2): the power of a series by its recurrence
	// (Knuth 1998, section 4.7, eq. 9).
	w := sin.times(sin)
	for i := range w {
		w[i] *= -ecc2
	}
	w[0]++
	var radius longSeries
	radius[0] = equatorialRadius * (1 - ecc2) / (w[0] * math.Sqrt(w[0]))
	for n := 1; n < len(radius); n++ {
		for k := 1; k <= n; k++ {
			radius[n] += (-1.5*float64(k) - float64(n-k)) * w[k] * radius[n-k]
		}
		radius[n] /= float64(n) * w[0]
	}
	across := equatorialRadius / math.Sqrt(w[0])
	inward, north := radius.times(sin).integral(), radius.times(cos).integral()
	chordIn, chordNorth := inward.times(inward), north.times(north)
	f := From{at: p, meridian: radius[0], along: 1 / radius[0], across: 1 / across}
	rho := across * c
	for i := range f.chord {
		f.chord[i] = chordIn[i+2] + chordNorth[i+2]
		f.axis[i] = -rho * inward[i]
	}
	f.axis[0] = rho * rho
	copy(f.inward[:], inward[1:])
	copy(f.north[:], north[1:])
	f.sin, f.cos, f.rho, f.bend = s, c, rho, ecc2*c*c/(12*radius[0]*across)
	slope := ecc2 * s * c / w[0] / 2
	f.radiusSlope, f.alongSlope, f.acrossSlope = 3*slope, 3*slope*f.along, slope*f.across
	return f
}

// Cartesian returns where a valid point on the ellipsoid lies in space, in metres from its middle: towards 0° on the
// equator, towards 90° E, and towards the north pole (Torge and Müller 2012, eq. 4.15).
func Cartesian(p geo.Point) [3]float64 {
	s, c := math.Sincos(p.Lat() * degree)
	sl, cl := math.Sincos(p.Lng() * degree)
	across := equatorialRadius / math.Sqrt(1-ecc2*s*s)
	return [3]float64{across * c * cl, across * c * sl, across * (1 - ecc2) * s}
}

// Distance returns the geodesic distance to a valid point on the ellipsoid in metres.
func (f *From) Distance(to geo.Point) float64 {
	if d := f.short((to.Lat()-f.at.Lat())*degree, (to.Lng()-f.at.Lng())*degree); d >= 0 {
		return d
	}
	return Distance(f.at, to)
}

// DistanceE7 is Distance to a position in units of 1e-7 degree, a little faster.
func (f *From) DistanceE7(to geo.E7) float64 {
	d := f.short((float64(to.Lat)*1e-7-f.at.Lat())*degree, (float64(to.Lng)*1e-7-f.at.Lng())*degree)
	if d >= 0 {
		return d
	}
	return Distance(f.at, to.Point())
}

// short returns the distance over differences of latitude and longitude in radians, or a negative number where it is
// more than ShortM.
func (f *From) short(dLat, dLng float64) float64 {
	const most = ShortM * 1.01 / polarRadius // radians of latitude
	if dLat > most || dLat < -most {
		return -1
	}
	if dLng > math.Pi {
		dLng -= 2 * math.Pi
	} else if dLng < -math.Pi {
		dLng += 2 * math.Pi
	}
	l2, sine2 := dLng*dLng, 0.0 // 4 sin²(λ/2)
	if l2 < 0.01 {
		sine2 = l2 * (1 - l2/12*(1-l2/30*(1-l2/56)))
	} else {
		s := math.Sin(dLng / 2)
		sine2 = 4 * s * s
	}
	d2 := dLat * dLat
	d4 := d2 * d2
	chord, axis := &f.chord, &f.axis
	meridian2 := d2 * ((chord[0] + chord[1]*dLat) + d2*(chord[2]+chord[3]*dLat) + d4*(chord[4]+chord[5]*dLat))
	axis2 := (axis[0] + axis[1]*dLat) + d2*(axis[2]+axis[3]*dLat) + d4*(axis[4]+axis[5]*dLat)
	chord2 := meridian2 + sine2*axis2
	if chord2 > ShortM*ShortM {
		return -1
	}
	if chord2 < 1e-16 { // 10 nm: the last bits of one longitude written in two ways
		return 0
	}
	north := f.meridian * dLat * (1 + f.radiusSlope*dLat)
	along := min(north*north, chord2)
	curvature := along*(f.along-f.alongSlope*dLat) + (chord2-along)*(f.across-f.acrossSlope*dLat)
	u := curvature * curvature / chord2 // (chord · curvature)²
	return math.Sqrt(chord2) * (1 + u*(1.0/24+u*(3.0/640)))
}

// bearingM is up to which distance Bearing computes by itself, in metres.
const bearingM = 15_000

// Bearing returns the initial bearing in degrees to a valid point at a distance in metres, NaN where it is the same
// point or a pole is the first. Up to 15 km it is the azimuth of the normal section, from where the other point lies in
// the first one's horizon, less the bend of the geodesic against it (Torge and Müller 2012, section 4.1.4): good to
// 1e-9 degree (TestShortBearings).
func (f *From) Bearing(to geo.Point, distanceM float64) float64 {
	if distanceM > bearingM {
		return Measure(Ellipsoid, f.at, to).InitialBearing
	}
	if distanceM == 0 || math.Abs(f.at.Lat()) == 90 {
		return math.NaN()
	}
	dLat := (to.Lat() - f.at.Lat()) * degree
	d2 := dLat * dLat
	series := func(a *[seriesTerms]float64) float64 {
		return dLat * ((a[0] + a[1]*dLat) + d2*(a[2]+a[3]*dLat) + d2*d2*(a[4]+a[5]*dLat))
	}
	inward, along := series(&f.inward), series(&f.north)
	rho := f.rho - inward
	difference, rest := angleDifference(f.at.Lng(), to.Lng())
	sl, cl := sinCosDegrees(difference, rest)
	half := sl * sl / (1 + cl) // 1 - cos λ
	if cl < 0 {
		half = 1 - cl
	}
	east, north := rho*sl, f.sin*(inward+rho*half)+f.cos*along
	return geo.WrapBearing((math.Atan2(east, north) - f.bend*2*east*north) / degree)
}
