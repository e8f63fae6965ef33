package shape

import (
	"math"

	"viandante/core/geo"
)

// Area between a geodesic and the equator (Karney 2013, "Algorithms for geodesics", section 6):
//
//	S12 = S(σ2) - S(σ1)    S(σ) = c² α + e² a² cos α0 sin α0 I4(σ)                                  (eq. 59)
//
// with α the azimuth, c the authalic radius, and I4 the integral of
//
//	-(t(e'²) - t(k² sin² σ)) / (e'² - k² sin² σ) · sin σ / 2    t(x) = x + sqrt(1/x + 1) asinh(sqrt x)  (eqs. 60, 61)
//
// The integrand has no peak, however near to a pole the side passes, so that a fixed Gauss–Legendre rule over each
// eighth of a turn is exact to the last digits, and no interval is ever halved. The difference of the two azimuths is
// the excess of a quadrilateral on the auxiliary sphere, which loses no digits where the side is short (eqs. 63, 64).

const (
	axisRatio  = 1 - flattening
	secondEcc2 = ecc2 / (axisRatio * axisRatio)
	tTerms     = 10
)

// authalicRadius2 is the square of the radius of the sphere with the ellipsoid's surface.
var authalicRadius2 = authalic(1)

// tSeries are the coefficients of t(x) = 1 + Σ tSeries[n-1] xⁿ, from asinh(√x)/√(x(1+x)) = Σ aₙ (-x)ⁿ with
// aₙ = 4ⁿ (n!)² / (2n+1)!. x is at most e'² = 0.0067, so that ten of them leave nothing out.
var tSeries = func() (b [tTerms]float64) {
	before := 1.0
	for n := 1; n <= tTerms; n++ {
		a := before * float64(2*n) / float64(2*n+1)
		b[n-1] = a - before
		if n%2 == 1 {
			b[n-1] = before - a
		}
		before = a
	}
	b[0]++ // the x that t begins with
	return b
}()

// tQuotient returns (t(x) - t(y)) / (x - y) without the division, so that x may equal y.
func tQuotient(x, y float64) float64 {
	sum, power, inner := 0.0, 1.0, 1.0 // inner is (xⁿ - yⁿ)/(x - y)
	for n := range tTerms {
		sum += tSeries[n] * inner
		power *= y
		inner = inner*x + power
	}
	return sum
}

// integral returns the integral of f from one argument to another by eight points on each eighth of a turn.
func integral(from, to float64, f func(sigma float64) float64) float64 {
	panels := 1 + int(math.Abs(to-from)*4/math.Pi)
	sum, h := 0.0, (to-from)/float64(2*panels)
	for k := range panels {
		middle := from + h*float64(2*k+1)
		for _, n := range gauss8 {
			sum += n[1] * f(middle+h*n[0])
		}
	}
	return sum * h
}

// underGeodesic returns the area in square metres between the equator and the geodesic from a to b, which has a length
// and an initial bearing and ends at no pole; positive where it runs eastward in the north.
func underGeodesic(a, b geo.Point, lengthM, bearing float64) float64 {
	reduced := func(lat float64) (sin, cos float64) {
		s, c := math.Sincos(lat * degree)
		h := math.Hypot(axisRatio*s, c)
		return axisRatio * s / h, c / h
	}
	sbet1, cbet1 := reduced(a.Lat())
	sbet2, cbet2 := reduced(b.Lat())
	salp1, calp1 := math.Sincos(bearing * degree)
	salp0 := salp1 * cbet1
	calp0 := math.Hypot(calp1, salp1*sbet1)
	k2 := secondEcc2 * calp0 * calp0
	sigma1 := math.Atan2(sbet1, calp1*cbet1)
	stretch := func(sigma float64) float64 { s := math.Sin(sigma); return math.Sqrt(1 + k2*s*s) }
	// The arc on the auxiliary sphere, from the length by Newton's method (eq. 7).
	const polarRadius = equatorialRadius * axisRatio
	arc := lengthM / (polarRadius * stretch(sigma1))
	for range 6 {
		step := (polarRadius*integral(sigma1, sigma1+arc, stretch) - lengthM) / (polarRadius * stretch(sigma1+arc))
		arc -= step
		if math.Abs(step) < 1e-16*arc {
			break
		}
	}
	// The difference in longitude on the auxiliary sphere (eq. 8).
	lambda := math.Remainder(b.Lng()-a.Lng(), 360) * degree
	omega := lambda + flattening*salp0*integral(sigma1, sigma1+arc, func(sigma float64) float64 {
		return (2 - flattening) / (1 + axisRatio*stretch(sigma))
	})
	s, c := math.Sincos(omega / 2)
	// sin((β1+β2)/2)/cos((β1-β2)/2) by half angles, for β in (-90°, 90°).
	t1, t2 := sbet1/(1+cbet1), sbet2/(1+cbet2)
	excess := 2 * math.Atan2(s*(t1+t2), c*(1+t1*t2))
	i4 := integral(sigma1, sigma1+arc, func(sigma float64) float64 {
		s := math.Sin(sigma)
		return tQuotient(secondEcc2, k2*s*s) * s / -2
	})
	return authalicRadius2*excess + ecc2*equatorialRadius*equatorialRadius*calp0*salp0*i4
}
