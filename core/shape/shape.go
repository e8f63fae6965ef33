// Package shape measures paths and areas on WGS 84 and says whether they are sound.
//
// Lengths and areas: a side is the geodesic between its ends. The area between a short side, the equator and two
// meridians is the integral of the authalic function q over the longitude (Snyder 1987, eq. 3-12) by a Gauss–Legendre
// rule; that of a long one, or one near a pole, is in area.go. It is right over the antimeridian and over the poles, to
// a few square millimetres for a field (some square centimetres beyond 84 degrees) and one part in 10^12 for a
// continent.
//
// Crossings: between neighbouring positions a side is straight on the plane of longitude and latitude, as RFC 7946
// says, and takes the short way over the antimeridian; a ring round a pole, or near to one, is looked at on the plane
// that touches the globe there. Positions are compared as whole numbers, so that the answer is exact.
package shape

import (
	"math"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

const (
	equatorialRadius = 6378137.0
	flattening       = 1 / 298.257223563
	ecc2             = flattening * (2 - flattening)
	degree           = math.Pi / 180
)

// authalic is the area between the equator and a latitude, in square metres for each radian of longitude.
func authalic(sinLat float64) float64 {
	e := math.Sqrt(ecc2)
	return equatorialRadius * equatorialRadius * (1 - ecc2) / 2 * (sinLat/(1-ecc2*sinLat*sinLat) +
		math.Atanh(e*sinLat)/e)
}

// EarthArea is the surface of the ellipsoid in square metres.
var EarthArea = 4 * math.Pi * authalic(1)

// Length returns the length in metres of the geodesics from each position to the next.
func Length(line []geo.Point) float64 {
	sum := 0.0
	for i := 1; i < len(line); i++ {
		sum += geodesy.Distance(line[i-1], line[i])
	}
	return sum
}

// Measured is what a ring comes to.
type Measured struct {
	// AreaM2 is the area of its smaller side in square metres.
	AreaM2 float64
	// PerimeterM is the length round it in metres.
	PerimeterM float64
	// CounterClockwise tells that the smaller side lies at the left of whoever follows the ring: as an outer ring is to
	// be wound (RFC 7946, 3.1.6).
	CounterClockwise bool
	// Pole tells that a pole lies within it or on it.
	Pole bool
}

// Ring measures a ring. Whether its last position repeats the first makes no difference.
func Ring(ring []geo.Point) Measured {
	ring = open(ring)
	var m Measured
	if len(ring) < 2 {
		return m
	}
	var under, turned float64
	// Taken from the first latitude, so that little is subtracted from little.
	zero := authalic(math.Sin(ring[0].Lat() * degree))
	for i, a := range ring {
		b := ring[(i+1)%len(ring)]
		lengthM, bearing, _ := geodesy.Inverse(a.Lat(), a.Lng(), b.Lat(), b.Lng())
		m.PerimeterM += lengthM
		turn := math.Remainder(b.Lng()-a.Lng(), 360) * degree
		switch {
		case atPole(a): // what lies between the meridians that lead to it and away from it
			m.Pole = true
			if before := ring[(i+len(ring)-1)%len(ring)]; !atPole(before) && !atPole(b) {
				turn = math.Remainder(b.Lng()-before.Lng(), 360) * degree
				turned += turn
				under += turn * (authalic(math.Copysign(1, a.Lat())) - zero)
			}
		case atPole(b):
		case math.Pi-math.Abs(turn) < 1e-12 && a.Lat()+b.Lat() != 0: // over a pole
			m.Pole = true
			turned += turn
			under += turn * (authalic(math.Copysign(1, a.Lat()+b.Lat())) - zero)
		default:
			turned += turn
			under += underSide(a, b, lengthM, bearing, zero)
		}
	}
	// What lies at the left is what lies under the ring, the other way round; with a pole in it, what is left up to the
	// pole.
	round := math.Round(turned / (2 * math.Pi))
	left := -under + 2*math.Pi*(authalic(1)*math.Abs(round)-zero*round)
	m.Pole = m.Pole || round != 0
	m.AreaM2, m.CounterClockwise = math.Abs(left), left > 0
	if m.AreaM2 > EarthArea/2 {
		m.AreaM2, m.CounterClockwise = EarthArea-m.AreaM2, !m.CounterClockwise
	}
	return m
}

func atPole(p geo.Point) bool { return math.Abs(p.Lat()) == 90 }

// open returns a ring without the repetition of its first position, and without positions that repeat the one before.
func open(ring []geo.Point) []geo.Point {
	same := func(a, b geo.Point) bool {
		return a.Lat() == b.Lat() && (atPole(a) || math.Remainder(a.Lng()-b.Lng(), 360) == 0)
	}
	out := make([]geo.Point, 0, len(ring))
	for _, p := range ring {
		if len(out) == 0 || !same(out[len(out)-1], p) {
			out = append(out, p)
		}
	}
	for len(out) > 1 && same(out[0], out[len(out)-1]) {
		out = out[:len(out)-1]
	}
	return out
}

// Nodes and weights of the Gauss–Legendre rules with three and eight points on [-1, 1].
var (
	gauss3 = [][2]float64{{0, 8.0 / 9}, {0.7745966692414834, 5.0 / 9}, {-0.7745966692414834, 5.0 / 9}}
	gauss8 = [][2]float64{{0.1834346424956498, 0.3626837833783620}, {-0.1834346424956498, 0.3626837833783620},
		{0.5255324099163290, 0.3137066458778873}, {-0.5255324099163290, 0.3137066458778873},
		{0.7966664774136267, 0.2223810344533745}, {-0.7966664774136267, 0.2223810344533745},
		{0.9602898564975363, 0.1012285362903763}, {-0.9602898564975363, 0.1012285362903763}}
)

// underSide is the area in square metres between the geodesic from a to b, which has a length and an initial bearing,
// and the parallel on which authalic is zero.
func underSide(a, b geo.Point, lengthM, bearing, zero float64) float64 {
	rule := func(nodes [][2]float64, from, to float64) float64 {
		sum := 0.0
		for _, n := range nodes {
			lat, _, azimuth := geodesy.Direct(a.Lat(), a.Lng(), bearing, (from+to)/2+(to-from)/2*n[0])
			sin, cos := math.Sincos(lat * degree)
			// dλ/ds along a geodesic: the sine of its azimuth over the radius of the parallel.
			sum += n[1] * (authalic(sin) - zero) * math.Sin(
				azimuth*degree,
			) * math.Sqrt(
				1-ecc2*sin*sin,
			) / (equatorialRadius * cos)
		}
		return sum * (to - from) / 2
	}
	const short, polar = 20_000, 84
	if lengthM < short && math.Abs(a.Lat()) < polar && math.Abs(b.Lat()) < polar {
		return rule(gauss3, 0, lengthM)
	}
	return underGeodesic(a, b, lengthM, bearing) - zero*math.Remainder(b.Lng()-a.Lng(), 360)*degree
}

// Circle returns the area in square metres and the circumference in metres of all that lies within a geodesic distance.
// radiusM is to be less than a quarter of the way round the globe.
func Circle(centre geo.Point, radiusM float64) (areaM2, circumferenceM float64) {
	const n = 720
	ring := make([]geo.Point, 0, n)
	for i := range n {
		p, _, err := geodesy.Destination(geodesy.Ellipsoid, centre, float64(i)*360/n, radiusM)
		if err != nil {
			return math.NaN(), math.NaN()
		}
		ring = append(ring, p)
	}
	m := Ring(ring)
	// What the inscribed polygon lacks of a circle.
	const half = math.Pi / n
	return m.AreaM2 * 2 * half / math.Sin(2*half), m.PerimeterM * half / math.Sin(half)
}
