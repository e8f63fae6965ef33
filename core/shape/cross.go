package shape

import (
	"context"
	"fmt"
	"math"
	"math/bits"
	"slices"

	"viandante/core/geo"
)

// spot is a position on a plane, in whole units of about a centimetre.
type spot struct{ x, y int64 }

// plane maps positions to a plane on which sides are straight: longitude and latitude unrolled, or about a pole.
type plane struct {
	pole float64 // 1 or -1 for the plane about a pole, 0 for the unrolled one
	from float64 // the longitude that unrolling begins at
}

// polar is the latitude in degrees beyond which a ring is looked at from above the pole.
const polar = 85

// planeOf chooses the plane for the rings of one shape.
func planeOf(rings [][]geo.Point) plane {
	p := plane{}
	for _, r := range rings {
		turned := 0.0
		for i, a := range r {
			b := r[(i+1)%len(r)]
			turned += math.Remainder(b.Lng()-a.Lng(), 360)
			if math.Abs(a.Lat()) > polar {
				return plane{pole: math.Copysign(1, a.Lat())}
			}
		}
		if math.Abs(turned) > 180 {
			return plane{pole: math.Copysign(1, r[0].Lat())}
		}
	}
	if len(rings) > 0 && len(rings[0]) > 0 {
		p.from = rings[0][0].Lng()
	}
	return p
}

// spots lays a line out on the plane, each longitude within half a turn of the one before.
func (p plane) spots(line []geo.Point) []spot {
	out := make([]spot, len(line))
	lng := p.from
	for i, at := range line {
		if p.pole != 0 {
			s, c := math.Sincos(at.Lng() * degree)
			r := (90 - p.pole*at.Lat()) * 1e7
			out[i] = spot{int64(math.Round(r * s)), int64(math.Round(r * c))}
			continue
		}
		lng += math.Remainder(at.Lng()-lng, 360)
		out[i] = spot{int64(math.Round(lng * 1e7)), int64(math.Round(at.Lat() * 1e7))}
	}
	return out
}

// point is the inverse of spots for one spot.
func (p plane) point(s spot) geo.Point {
	x, y := float64(s.x)/1e7, float64(s.y)/1e7
	if p.pole != 0 {
		x, y = math.Atan2(float64(s.x), float64(s.y))/degree, p.pole*(90-math.Hypot(x, y))
	}
	at, err := geo.NewPoint(math.Max(-90, math.Min(90, y)), geo.WrapLng(x))
	if err != nil {
		return geo.Point{}
	}
	return at.Rounded()
}

// turn tells on which side of the line from a to b the spot c lies: 1 at the left, -1 at the right, 0 on it. Exact.
func turn(a, b, c spot) int {
	return compareProducts(b.x-a.x, c.y-a.y, b.y-a.y, c.x-a.x)
}

// compareProducts compares a·b with c·d without rounding.
func compareProducts(a, b, c, d int64) int {
	sign, hi, lo := product(a, b)
	other, high, low := product(c, d)
	switch {
	case sign != other:
		if sign > other {
			return 1
		}
		return -1
	case hi != high && hi > high, hi == high && lo > low:
		return sign
	case hi == high && lo == low:
		return 0
	}
	return -sign
}

func product(a, b int64) (sign int, hi, lo uint64) {
	sign = 1
	if a < 0 != (b < 0) {
		sign = -1
	}
	if a == 0 || b == 0 {
		return 0, 0, 0
	}
	hi, lo = bits.Mul64(uint64(max(a, -a)), uint64(max(b, -b)))
	return sign, hi, lo
}

// side is one of a shape's sides: from position i of a ring to the next.
type side struct {
	a, b    spot
	ring, i int
}

// crossed tells whether two sides cross or lie on each other. Touching at a position does not count.
func crossed(s, t side) bool {
	d1, d2, d3, d4 := turn(s.a, s.b, t.a), turn(s.a, s.b, t.b), turn(t.a, t.b, s.a), turn(t.a, t.b, s.b)
	if d1 != 0 || d2 != 0 {
		return d1*d2 < 0 && d3*d4 < 0
	}
	overlap := func(a, b, c, d int64) bool { return max(min(a, b), min(c, d)) < min(max(a, b), max(c, d)) }
	return overlap(s.a.x, s.b.x, t.a.x, t.b.x) || overlap(s.a.y, s.b.y, t.a.y, t.b.y)
}

// meet is where two sides that cross do so; where they lie on each other, an end that they share.
func meet(s, t side) spot {
	dx, dy := float64(s.b.x-s.a.x), float64(s.b.y-s.a.y)
	ex, ey := float64(t.b.x-t.a.x), float64(t.b.y-t.a.y)
	if det := dx*ey - dy*ex; det != 0 {
		k := (float64(t.a.x-s.a.x)*ey - float64(t.a.y-s.a.y)*ex) / det
		return spot{s.a.x + int64(math.Round(k*dx)), s.a.y + int64(math.Round(k*dy))}
	}
	ends := []spot{s.a, s.b, t.a, t.b}
	slices.SortFunc(ends, func(p, q spot) int {
		if p.x != q.x {
			return int(max(-1, min(1, p.x-q.x)))
		}
		return int(max(-1, min(1, p.y-q.y)))
	})
	return ends[1]
}

func sidesOf(rings [][]spot) []side {
	var out []side
	for r, ring := range rings {
		for i, a := range ring {
			if b := ring[(i+1)%len(ring)]; a != b {
				out = append(out, side{a, b, r, i})
			}
		}
	}
	return out
}

// Fault is something that keeps an area from being sound.
type Fault struct {
	Reason string
	// At is where, for showing it.
	At geo.Point
}

// Error implements error.
func (f *Fault) Error() string { return fmt.Sprintf("%s at %v", f.Reason, f.At) }

// Faults returns what is wrong with the rings of an area, the first of them the outer one: where they cross themselves
// or each other, and holes that lie outside or in another. At most so many are returned. It costs O(n log n) for n
// positions however they lie. The error is the context's.
func Faults(ctx context.Context, rings [][]geo.Point, most int) ([]Fault, error) {
	var out []Fault
	opened := make([][]geo.Point, len(rings))
	for i, r := range rings {
		opened[i] = open(r)
		if len(opened[i]) < 3 {
			at := geo.Point{}
			if len(r) > 0 {
				at = r[0]
			}
			out = append(out, Fault{fmt.Sprintf("ring %d has fewer than three positions that differ", i+1), at})
		}
	}
	if len(out) > 0 || len(rings) == 0 {
		return out[:min(most, len(out))], nil
	}
	p := planeOf(opened)
	flat := make([][]spot, len(opened))
	for i, r := range opened {
		flat[i] = p.spots(r)
		if i > 0 && p.pole == 0 { // beside the outer ring, not a turn away from it
			shift := int64(math.Round(float64(flat[0][0].x-flat[i][0].x)/360e7)) * 360e7
			for k := range flat[i] {
				flat[i][k].x += shift
			}
		}
	}
	swept := sweep(ctx, sidesOf(flat), most)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	for _, c := range swept.crossings {
		reason := "the outline crosses itself"
		switch {
		case c.s.ring != c.t.ring && c.s.ring*c.t.ring != 0:
			reason = "two holes cross each other"
		case c.s.ring != c.t.ring:
			reason = "a hole crosses the outline"
		case c.s.ring > 0:
			reason = "a hole crosses itself"
		}
		out = append(out, Fault{reason, p.point(meet(c.s, c.t))})
	}
	if len(out) > 0 {
		return out[:min(most, len(out))], nil
	}
	for i := 1; i < len(flat); i++ {
		switch swept.parents[i] {
		case 0:
		case nothing:
			out = append(out, Fault{"a hole lies outside the outline", opened[i][0]})
		default:
			out = append(out, Fault{"a hole lies in another", opened[i][0]})
		}
	}
	return out[:min(most, len(out))], nil
}

// uncrossings bounds the work of Uncross: how many positions all its passes together may look at.
const uncrossings = 100_000

// Uncross returns a ring that crosses itself nowhere, with the same positions in another order: what lies between two
// sides that cross is followed the other way round (Croes 1958, "A method for solving traveling-salesman problems"),
// until none do. It returns false when that takes too long or leads nowhere, as where sides lie on each other.
func Uncross(ctx context.Context, ring []geo.Point) ([]geo.Point, bool) {
	ring = open(ring)
	p := planeOf([][]geo.Point{ring})
	for range min(200, uncrossings/(len(ring)+1)) {
		swept := sweep(ctx, sidesOf([][]spot{p.spots(ring)}), 1)
		if ctx.Err() != nil {
			return nil, false
		}
		if len(swept.crossings) == 0 {
			return ring, true
		}
		c := swept.crossings[0]
		slices.Reverse(ring[min(c.s.i, c.t.i)+1 : max(c.s.i, c.t.i)+1])
	}
	return nil, false
}
