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
		return Box{}, &ParseError{s, "a latitude lies outside -90 to 90", "the order is west,south,east,north: longitude first"}
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

// Parts returns the box as one or two boxes that do not cross the antimeridian.
func (b Box) Parts() []Box {
	if b.West <= b.East {
		return []Box{b}
	}
	return []Box{{b.South, b.West, b.North, 180}, {b.South, -180, b.North, b.East}}
}
