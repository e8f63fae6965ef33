package spatial

import (
	"cmp"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// Points is an immutable index over positions on the earth: a k-d tree (Bentley 1975) over unit vectors, kept as one
// array without pointers in which the median of a stretch is its middle element. In three dimensions there is no
// antimeridian and no pole. Building costs O(n log n), a query O(log n + k) of the n points.
type Points struct {
	at     []vector
	points []geo.Point
	item   []int32
}

type vector [3]float64

func toVector(p geo.Point) vector {
	sp, cp := math.Sincos(p.Lat() * math.Pi / 180)
	sl, cl := math.Sincos(p.Lng() * math.Pi / 180)
	return vector{cp * cl, cp * sl, sp}
}

// Found is an item with its geodesic distance in metres.
type Found struct {
	Item      int32
	DistanceM float64
}

// NewPoints indexes the valid ones of the points; an item's number is its place in the slice.
func NewPoints(points []geo.Point) *Points {
	t := &Points{}
	for i, p := range points {
		if p.IsValid() {
			t.at = append(t.at, toVector(p))
			t.points = append(t.points, p)
			t.item = append(t.item, int32(i))
		}
	}
	t.build(0, len(t.at), 0)
	return t
}

// Len returns the number of points indexed.
func (t *Points) Len() int { return len(t.at) }

func (t *Points) build(lo, hi, axis int) {
	for hi-lo > 1 {
		mid := (lo + hi) / 2
		t.selectMedian(lo, hi, mid, axis)
		axis = (axis + 1) % 3
		t.build(lo, mid, axis)
		lo = mid + 1
	}
}

// selectMedian is Hoare's selection: afterwards everything left of mid is no greater on the axis, everything right of it no less.
func (t *Points) selectMedian(lo, hi, mid, axis int) {
	hi--
	for lo < hi {
		pivot := t.at[(lo+hi)/2][axis]
		i, j := lo, hi
		for i <= j {
			for t.at[i][axis] < pivot {
				i++
			}
			for t.at[j][axis] > pivot {
				j--
			}
			if i <= j {
				t.at[i], t.at[j] = t.at[j], t.at[i]
				t.points[i], t.points[j] = t.points[j], t.points[i]
				t.item[i], t.item[j] = t.item[j], t.item[i]
				i++
				j--
			}
		}
		if mid <= j {
			hi = j
		} else if mid >= i {
			lo = i
		} else {
			return
		}
	}
}

// leastRadius is the least radius of curvature of WGS 84 in metres, a(1-e²), rounded down. A unit vector here is the
// ellipsoid's normal, and the normal turns by at most distance / leastRadius along any way, so a geodesic distance is
// never less than the angle between two vectors times this.
const leastRadius = 6335439.0

// chordBelow returns the squared chord of the unit sphere beyond which nothing can be within a distance in metres.
func chordBelow(distanceM float64) float64 {
	angle := distanceM / leastRadius * 1.000001
	if angle >= math.Pi {
		return 5
	}
	s := 2 * math.Sin(angle/2)
	return s*s + 1e-15
}

// Nearest returns the n nearest items at a distance from beyondM to withinM metres (+Inf for no bound), both ends
// included, by distance, ties in the order of their numbers. keep, where given, leaves items out.
func (t *Points) Nearest(center geo.Point, beyondM, withinM float64, n int, keep func(item int32) bool) []Found {
	if n <= 0 {
		return nil
	}
	var best []Found // sorted; n is small
	c, limit := toVector(center), chordBelow(withinM)
	t.visit(0, len(t.at), 0, c, func() float64 { return limit }, func(k int) {
		if keep != nil && !keep(t.item[k]) {
			return
		}
		f := Found{t.item[k], geodesy.Distance(center, t.points[k])}
		if f.DistanceM < beyondM || f.DistanceM > withinM {
			return
		}
		i, _ := slices.BinarySearchFunc(best, f, ByDistance)
		if i == n {
			return
		}
		if len(best) == n {
			best = best[:n-1]
		}
		best = slices.Insert(best, i, f)
		if len(best) == n {
			limit = chordBelow(best[n-1].DistanceM)
		}
	})
	return best
}

// ByDistance orders by distance, then by number.
func ByDistance(a, b Found) int {
	return cmp.Or(cmp.Compare(a.DistanceM, b.DistanceM), cmp.Compare(a.Item, b.Item))
}

// visit calls found for each point whose squared chord to c is at most limit(), nearer subtrees first.
func (t *Points) visit(lo, hi, axis int, c vector, limit func() float64, found func(k int)) {
	if lo >= hi {
		return
	}
	mid := (lo + hi) / 2
	v := &t.at[mid]
	dx, dy, dz := v[0]-c[0], v[1]-c[1], v[2]-c[2]
	if dx*dx+dy*dy+dz*dz <= limit() {
		found(mid)
	}
	d, next := c[axis]-v[axis], (axis+1)%3
	if d <= 0 {
		t.visit(lo, mid, next, c, limit, found)
		if d*d <= limit() {
			t.visit(mid+1, hi, next, c, limit, found)
		}
	} else {
		t.visit(mid+1, hi, next, c, limit, found)
		if d*d <= limit() {
			t.visit(lo, mid, next, c, limit, found)
		}
	}
}
