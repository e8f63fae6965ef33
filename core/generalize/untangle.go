package generalize

import (
	"math"
	"slices"
)

// Untangle returns a ring without the loops by which it crosses itself: where two of its sides cross or lie on each
// other, the shorter way round is cut off. A ring that crosses itself nowhere comes back as it is; one that cannot be
// mended in as many steps as it has points comes back empty.
func Untangle(ring []xy) []xy {
	for range ring {
		i, k, ok := Crossing(ring)
		if !ok {
			return ring
		}
		// Sides i and k cross: of the two loops that they make, the one with fewer points goes.
		if k-i <= len(ring)/2 {
			ring = slices.Delete(slices.Clone(ring), i+1, k+1)
		} else {
			ring = slices.Clone(ring[i+1 : k+1])
		}
		for n := len(ring); n > 2; n = len(ring) { // what the cut left on one spot, and spikes
			ring = slices.Compact(ring)
			if ring[0] == ring[len(ring)-1] {
				ring = ring[:len(ring)-1]
			}
			at := -1
			for m := range ring {
				if len(ring) > 2 && ring[(m+len(ring)-1)%len(ring)] == ring[(m+1)%len(ring)] {
					at = m
					break
				}
			}
			if at >= 0 {
				ring = slices.Delete(ring, at, at+1)
			} else if len(ring) == n {
				break
			}
		}
		if len(ring) < 3 {
			return nil
		}
	}
	return nil
}

// Crossing returns two sides of a ring, i < k, that cross or lie on each other; side i runs from point i to the next.
// Sides that merely touch at a point of the ring do not count.
func Crossing(ring []xy) (i, k int, ok bool) {
	n := len(ring)
	if n < 4 {
		return 0, 0, false
	}
	if n <= 24 {
		for i := range n {
			for k := i + 1; k < n; k++ {
				if sidesCross(ring, i, k) {
					return i, k, true
				}
			}
		}
		return 0, 0, false
	}
	low, high := ring[0], ring[0]
	for _, p := range ring {
		low, high = xy{X: min(low.X, p.X), Y: min(low.Y, p.Y)}, xy{X: max(high.X, p.X), Y: max(high.Y, p.Y)}
	}
	span := math.Max(float64(high.X)-float64(low.X), float64(high.Y)-float64(low.Y))
	size := int32(math.Max(1, 6*span/float64(n)))
	cells := make(map[[2]int32][]int32, n)
	for i := range n {
		a, b := ring[i], ring[(i+1)%n]
		for x := min(a.X, b.X) / size; x <= max(a.X, b.X)/size; x++ {
			for y := min(a.Y, b.Y) / size; y <= max(a.Y, b.Y)/size; y++ {
				c := [2]int32{x, y}
				for _, k := range cells[c] {
					if sidesCross(ring, int(k), i) {
						return int(k), i, true
					}
				}
				cells[c] = append(cells[c], int32(i))
			}
		}
	}
	return 0, 0, false
}

func sidesCross(ring []xy, i, k int) bool {
	n := len(ring)
	a, b, c, d := ring[i], ring[(i+1)%n], ring[k], ring[(k+1)%n]
	if max(a.X, b.X) < min(c.X, d.X) || max(c.X, d.X) < min(a.X, b.X) || max(a.Y, b.Y) < min(c.Y, d.Y) ||
		max(c.Y, d.Y) < min(a.Y, b.Y) {
		return false
	}
	d1, d2, d3, d4 := cross(a, b, c), cross(a, b, d), cross(c, d, a), cross(c, d, b)
	if d1 == 0 && d2 == 0 { // on one line: crossing when they share more than a point
		if k == i+1 || i == 0 && k == n-1 {
			// Neighbours share a point; they overlap when the ring turns back on itself.
			p, q, r := a, b, d
			if i == 0 && k == n-1 {
				p, q, r = c, a, b
			}
			return (float64(p.X)-float64(q.X))*(float64(r.X)-float64(q.X))+
				(float64(p.Y)-float64(q.Y))*(float64(r.Y)-float64(q.Y)) > 0
		}
		overlap := func(a1, b1, c1, d1 int32) bool {
			return max(min(a1, b1), min(c1, d1)) < min(max(a1, b1), max(c1,
				d1))
		}
		return overlap(a.X, b.X, c.X, d.X) || overlap(a.Y, b.Y, c.Y, d.Y)
	}
	opposite := func(u, v int64) bool { return u > 0 && v < 0 || u < 0 && v > 0 }
	return opposite(d1, d2) && opposite(d3, d4)
}
