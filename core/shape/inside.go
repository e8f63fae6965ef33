package shape

import (
	"math"

	"viandante/core/geo"
	"viandante/core/mercator"
)

// Inside tells whether a position lies in the outer ring and in none of the holes. Sides are straight on the plane of
// longitude and latitude; a ring that goes round a pole holds the pole of its smaller side. Rings may or may not repeat
// their first position; one without positions holds nothing. It costs a pass over the positions.
func Inside(rings [][]geo.Point, p geo.Point) bool {
	for i, ring := range rings {
		if insideRing(ring, p) != (i == 0) {
			return false
		}
	}
	return len(rings) > 0
}

// InsideXY is Inside for an area of the map's plane, whose rings are combined by the even–odd rule.
func InsideXY(rings [][]mercator.XY, p mercator.XY) bool {
	in := false
	for _, ring := range rings {
		in = in != evenOdd(len(ring), func(i int) (float64, float64) { return float64(ring[i].X), float64(ring[i].Y) },
			float64(p.X), float64(p.Y))
	}
	return in
}

// evenOdd tells whether a ring of n corners goes round a point of the plane, by the number of sides to the east of it.
func evenOdd(n int, corner func(i int) (x, y float64), x, y float64) bool {
	in := false
	for i := range n {
		ax, ay := corner(i)
		bx, by := corner((i + 1) % n)
		if (ay > y) != (by > y) && x-ax < (bx-ax)*(y-ay)/(by-ay) {
			in = !in
		}
	}
	return in
}

// unrolled returns a ring's longitudes without the leap at the antimeridian, the first of them again at the end, and
// how far they run round the globe in all: 0, or 360 or -360 degrees for a ring round a pole.
func unrolled(ring []geo.Point) (lng []float64, turn float64) {
	lng = make([]float64, len(ring)+1)
	lng[0] = ring[0].Lng()
	for i := range ring {
		lng[i+1] = lng[i] + math.Remainder(ring[(i+1)%len(ring)].Lng()-ring[i].Lng(), 360)
	}
	return lng, 360 * math.Round((lng[len(ring)]-lng[0])/360)
}

// PoleInside returns 1 for a ring that goes round the north pole, -1 for the south pole, 0 for one that goes round
// none.
func PoleInside(ring []geo.Point) float64 {
	if len(ring) == 0 {
		return 0
	}
	lng, turn := unrolled(ring)
	if turn == 0 {
		return 0
	}
	// The mean of the authalic latitude's sine round the ring: the smaller side lies beyond it.
	mean := 0.0
	for i, p := range ring {
		next := ring[(i+1)%len(ring)]
		mean += (lng[i+1] - lng[i]) * (math.Sin(p.Lat()*degree) + math.Sin(next.Lat()*degree)) / 2
	}
	return math.Copysign(1, mean*turn)
}

func insideRing(ring []geo.Point, p geo.Point) bool {
	if len(ring) == 0 || !p.IsValid() {
		return false
	}
	lng, turn := unrolled(ring)
	n := len(ring)
	corner := func(i int) (float64, float64) { return lng[i], ring[i%n].Lat() }
	corners := n
	if turn != 0 { // up to the pole, and back along it
		pole := 91 * PoleInside(ring) // and beyond, so that it lies within
		corners = n + 3
		corner = func(i int) (float64, float64) {
			switch i {
			case n + 1:
				return lng[n], pole
			case n + 2:
				return lng[0], pole
			}
			return lng[i], ring[i%n].Lat()
		}
	}
	west, east := lng[0], lng[0]
	for _, v := range lng {
		west, east = min(west, v), max(east, v)
	}
	for x := p.Lng() + 360*math.Ceil((west-p.Lng())/360); x <= east; x += 360 {
		if evenOdd(corners, corner, x, p.Lat()) {
			return true
		}
	}
	return false
}
