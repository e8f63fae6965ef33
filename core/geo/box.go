package geo

import (
	"math"
	"strconv"
	"strings"
)

// Box is a box in degrees. It runs east from West to East; West > East means that it crosses the antimeridian.
type Box struct{ South, West, North, East float64 }

// ParseBox reads GeoJSON's order "west,south,east,north" (RFC 7946, section 5).
func ParseBox(s string) (Box, error) {
	const hint = "west,south,east,north in degrees, e.g. -26.3,-38.3,-25.8,-37.9"
	parts := strings.Split(s, ",")
	if len(parts) == 6 { // with heights
		parts = []string{parts[0], parts[1], parts[3], parts[4]}
	}
	if len(parts) != 4 {
		return Box{}, &ParseError{s, "is not a box of four numbers", hint}
	}
	var v [4]float64
	for i, part := range parts {
		f, err := strconv.ParseFloat(strings.TrimSpace(part), 64)
		if err != nil || math.IsNaN(f) || math.IsInf(f, 0) {
			return Box{}, &ParseError{s, "holds something that is not a number", hint}
		}
		v[i] = f
	}
	b := Box{South: v[1], West: v[0], North: v[3], East: v[2]}
	switch {
	case math.Abs(b.South) > 90 || math.Abs(b.North) > 90:
		return Box{}, &ParseError{
			s,
			"a latitude lies outside -90 to 90",
			"the order is west,south,east,north: longitude first",
		}
	case math.Abs(b.West) > 180 || math.Abs(b.East) > 180:
		return Box{}, &ParseError{s, "a longitude lies outside -180 to 180", hint}
	case b.South > b.North:
		return Box{}, &ParseError{s, "south lies north of north", hint}
	}
	return b, nil
}

// Contains tells whether the point lies in the box, edges included.
func (b Box) Contains(p Point) bool {
	if !p.known || p.lat < b.South || p.lat > b.North {
		return false
	}
	if b.West <= b.East {
		return p.lng >= b.West && p.lng <= b.East || b.East == 180 && p.lng == -180 || b.West == -180 && p.lng == 180
	}
	return p.lng >= b.West || p.lng <= b.East
}

// Width returns how many degrees of longitude the box spans.
func (b Box) Width() float64 {
	if b.West <= b.East {
		return b.East - b.West
	}
	return b.East + 360 - b.West
}

// Middle returns the middle of the box on the plane of longitude and latitude.
func (b Box) Middle() Point {
	return Point{(b.South + b.North) / 2, WrapLng(b.West + b.Width()/2), true}
}

// Clamp returns the position of the box nearest to another on the plane of longitude and latitude.
func (b Box) Clamp(p Point) Point {
	half := b.Width() / 2
	dx := math.Remainder(p.lng-b.Middle().lng, 360)
	return Point{max(b.South, min(b.North, p.lat)), WrapLng(b.Middle().lng + max(-half, min(half, dx))), true}
}

// Intersects tells whether two boxes share a position.
func (b Box) Intersects(c Box) bool {
	if b.South > c.North || c.South > b.North {
		return false
	}
	apart := math.Abs(math.Remainder(b.Middle().lng-c.Middle().lng, 360))
	return apart <= (b.Width()+c.Width())/2+1e-9
}

// Crosses tells whether a side between two positions, straight on the plane of longitude and latitude and the short way
// round, meets the box.
func (b Box) Crosses(p, q Point) bool {
	middle, half := b.Middle(), b.Width()/2
	x := math.Remainder(p.lng-middle.lng, 360)
	dx, dy := math.Remainder(q.lng-p.lng, 360), q.lat-p.lat
	for _, shift := range []float64{0, 360, -360} { // the side may reach the box from beyond the far meridian
		from, to := 0.0, 1.0
		// Clipping to the slabs of the box (Liang and Barsky 1984).
		clip := func(start, step, least, most float64) {
			if step == 0 {
				if start < least || start > most {
					to = -1
				}
				return
			}
			a, b := (least-start)/step, (most-start)/step
			from, to = max(from, min(a, b)), min(to, max(a, b))
		}
		clip(x+shift, dx, -half, half)
		clip(p.lat, dy, b.South, b.North)
		if from <= to {
			return true
		}
	}
	return false
}
