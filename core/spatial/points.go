package spatial

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// Points is an immutable index over positions on the earth: a k-d tree (Bentley 1975) over unit vectors, kept as one
// array without pointers in which the median of a stretch is its middle element. In three dimensions there is no
// antimeridian and no pole.
//
// A node is 16 bytes: a vector in single precision, good to 0.4 m, and the item's number. Whoever searches brings the
// exact positions along; what the tree leaves out lies too far off whatever the rounding was. Building costs O(n log
// n), a search O(log n + k) of the n points.
type Points struct{ nodes []node }

type node struct {
	at   [3]float32
	item uint32
}

// rounding is more than single precision can move a unit vector by, twice.
const rounding = 1.5e-7

type vector [3]float64

func toVector(p geo.Point) vector {
	sp, cp := math.Sincos(p.Lat() * math.Pi / 180)
	sl, cl := math.Sincos(p.Lng() * math.Pi / 180)
	return vector{cp * cl, cp * sl, sp}
}

// Found is an item with its geodesic distance in metres.
type Found struct {
	Item      uint32
	DistanceM float64
}

// NewPoints indexes those of the items whose position, as at tells it, is valid. It takes one core, so that whoever
// asks meanwhile has the others; NewPointsAtOnce takes all of them.
func NewPoints(items []uint32, at func(item uint32) geo.Point) *Points {
	t := newPoints(items, at)
	build(t.nodes, 0, false)
	return t
}

// NewPointsAtOnce is NewPoints on all cores.
func NewPointsAtOnce(items []uint32, at func(item uint32) geo.Point) *Points {
	t := newPoints(items, at)
	build(t.nodes, 0, true)
	return t
}

func newPoints(items []uint32, at func(item uint32) geo.Point) *Points {
	t := &Points{nodes: make([]node, 0, len(items))}
	for _, item := range items {
		if p := at(item); p.IsValid() {
			v := toVector(p)
			t.nodes = append(t.nodes, node{[3]float32{float32(v[0]), float32(v[1]), float32(v[2])}, item})
		}
	}
	return t
}

// Len returns the number of points indexed.
func (t *Points) Len() int { return len(t.nodes) }

// beside is how many nodes are worth a goroutine of their own.
const beside = 50_000

func build(nodes []node, axis int, parallel bool) {
	for len(nodes) > 1 {
		mid := len(nodes) / 2
		selectMedian(nodes, mid, axis)
		axis = (axis + 1) % 3
		if parallel && len(nodes) > beside {
			var left sync.WaitGroup
			left.Go(func() { build(nodes[:mid], axis, true) })
			build(nodes[mid+1:], axis, true)
			left.Wait()
			return
		}
		build(nodes[:mid], axis, parallel)
		nodes = nodes[mid+1:]
	}
}

// selectMedian is Hoare's selection: afterwards everything left of mid is no greater on the axis, everything right of
// it no less.
func selectMedian(nodes []node, mid, axis int) {
	lo, hi := 0, len(nodes)-1
	for lo < hi {
		pivot := nodes[(lo+hi)/2].at[axis]
		i, j := lo, hi
		for i <= j {
			for nodes[i].at[axis] < pivot {
				i++
			}
			for nodes[j].at[axis] > pivot {
				j--
			}
			if i <= j {
				nodes[i], nodes[j] = nodes[j], nodes[i]
				i++
				j--
			}
		}
		switch {
		case mid <= j:
			hi = j
		case mid >= i:
			lo = i
		default:
			return
		}
	}
}

// leastRadius is the least radius of curvature of WGS 84 in metres, a(1-e²), rounded down. A unit vector here is the
// ellipsoid's normal, and the normal turns by at most distance / leastRadius along any way, so a geodesic distance is
// never less than the angle between two vectors times this.
const leastRadius = 6335439.0

// chordBelow returns the chord of the unit sphere beyond which nothing can be within a distance in metres.
func chordBelow(distanceM float64) float64 {
	angle := distanceM / leastRadius * 1.000001
	if angle >= math.Pi {
		return 3
	}
	return 2*math.Sin(angle/2) + rounding
}

// shell is how near the edge of a ring, in metres, a distance is measured by the full method: ten times the error of
// the short one.
const shell = 1e-6

// Search is one question: the nearest items at a distance from BeyondM to WithinM metres (+Inf for no bound), both ends
// included. It is put to one index or to several, of which each begins with what the others found.
type Search struct {
	Center           geo.Point
	BeyondM, WithinM float64
	// N is how many are wanted.
	N int
	// At returns the exact position of an item, Less orders items at the same distance.
	At   func(item uint32) geo.Point
	Less func(a, b uint32) bool
	// Keep, where given, leaves items out.
	Keep func(item uint32) bool

	begun bool
	from  geodesy.From
	c     vector
	limit float64 // chord
	found []Found // a heap, the farthest first, once there are N
}

func (s *Search) begin() {
	if !s.begun {
		s.begun, s.c, s.limit = true, toVector(s.Center), chordBelow(s.WithinM)
		s.from = geodesy.NewFrom(s.Center)
	}
}

// In puts the question to an index.
func (s *Search) In(t *Points) {
	if s.begin(); s.N > 0 {
		s.visit(t.nodes, 0)
	}
}

// Found returns what was found so far, by distance.
func (s *Search) Found() []Found {
	slices.SortFunc(s.found, s.compare)
	s.begun, s.limit = false, 0 // no heap any more
	return s.found
}

func (s *Search) compare(a, b Found) int {
	if c := cmp.Compare(a.DistanceM, b.DistanceM); c != 0 || a.Item == b.Item {
		return c
	}
	if s.Less(a.Item, b.Item) {
		return -1
	}
	return 1
}

// visit looks at each node that may be near enough, nearer subtrees first.
func (s *Search) visit(nodes []node, axis int) {
	for len(nodes) > 0 {
		mid := len(nodes) / 2
		n := &nodes[mid]
		dx, dy, dz := float64(n.at[0])-s.c[0], float64(n.at[1])-s.c[1], float64(n.at[2])-s.c[2]
		if dx*dx+dy*dy+dz*dz <= s.limit*s.limit {
			s.take(n.item)
		}
		d := s.c[axis] - float64(n.at[axis])
		axis = (axis + 1) % 3
		near, far := nodes[:mid], nodes[mid+1:]
		if d > 0 {
			near, far = far, near
		}
		s.visit(near, axis)
		if math.Abs(d) > s.limit {
			return
		}
		nodes = far
	}
}

func (s *Search) take(item uint32) {
	if s.Keep != nil && !s.Keep(item) {
		return
	}
	at := s.At(item)
	f := Found{item, s.from.Distance(at)}
	if math.Abs(f.DistanceM-s.WithinM) < shell || math.Abs(f.DistanceM-s.BeyondM) < shell {
		f.DistanceM = geodesy.Distance(s.Center, at) // at the very edge of the ring every bit counts
	}
	if f.DistanceM < s.BeyondM || f.DistanceM > s.WithinM {
		return
	}
	if len(s.found) < s.N {
		s.found = append(s.found, f)
		if len(s.found) < s.N {
			return
		}
		for i := len(s.found)/2 - 1; i >= 0; i-- {
			s.sink(i)
		}
	} else {
		if s.compare(f, s.found[0]) >= 0 {
			return
		}
		s.found[0] = f
		s.sink(0)
	}
	s.limit = min(s.limit, chordBelow(s.found[0].DistanceM))
}

// sink puts an element of the heap below those that are farther.
func (s *Search) sink(i int) {
	for {
		k := 2*i + 1
		if k >= len(s.found) {
			return
		}
		if k+1 < len(s.found) && s.compare(s.found[k+1], s.found[k]) > 0 {
			k++
		}
		if s.compare(s.found[i], s.found[k]) >= 0 {
			return
		}
		s.found[i], s.found[k] = s.found[k], s.found[i]
		i = k
	}
}
