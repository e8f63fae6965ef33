package spatial

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

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
	// Less orders items at the same distance.
	Less func(a, b uint32) bool
	// Keep, where given, leaves items out.
	Keep func(item uint32) bool

	begun bool
	from  geodesy.From
	c     [3]float64
	far2  float64 // the square of the chord beyond which nothing is looked at
	near2 float64 // the square of the chord up to which everything lies within BeyondM
	// A distance between these is in the ring for sure, and is not measured again.
	sureFrom, sureTo float64
	found            []Found // a heap, the farthest first, once there are N
	pooled           *[]Found
}

func (s *Search) begin() {
	if s.begun {
		return
	}
	s.begun, s.c, s.from = true, space(s.Center), geodesy.NewFrom(s.Center)
	s.far2, s.near2 = outside(s.WithinM), -1
	if s.BeyondM > 0 {
		s.near2 = surely(s.BeyondM * (1 - 1e-12))
		s.sureFrom = s.BeyondM + shell
	}
	s.sureTo = s.WithinM - shell
	if s.found == nil && s.N > 0 {
		s.pooled = founds.Get().(*[]Found)
		s.found = (*s.pooled)[:0]
	}
}

// In puts the question to an index.
func (s *Search) In(t *Points) {
	if s.begin(); s.N > 0 && len(t.entries) > 0 {
		s.visit(t.entries, t.nodes, t.nodes[0].chord2(&s.c))
	}
}

// Found returns what was found, by distance, and ends the search.
func (s *Search) Found() []Found {
	out := sorted(s.found, s.compare)
	if s.pooled != nil {
		*s.pooled = s.found
		founds.Put(s.pooled)
	}
	s.begun, s.found, s.pooled = false, nil, nil
	return out
}

// founds are what searches gather in before it is put in order.
var founds = sync.Pool{New: func() any { return new([]Found) }}

func (s *Search) compare(a, b Found) int {
	if c := cmp.Compare(a.DistanceM, b.DistanceM); c != 0 || a.Item == b.Item {
		return c
	}
	if s.Less(a.Item, b.Item) {
		return -1
	}
	return 1
}

// visit looks at each entry that may be near enough, the nearer child first; chord2 is that of the first node.
func (s *Search) visit(entries []entry, nodes []node, chord2 float64) {
	for chord2 <= s.far2 {
		if len(nodes) == 1 {
			for i := range entries {
				e := &entries[i]
				if c2 := e.chord2(&s.c); c2 <= s.far2 && c2 > s.near2 {
					s.take(e)
				}
			}
			return
		}
		left, nodesLeft := leftOf(len(entries))
		near, nearNodes := entries[:left], nodes[1:1+nodesLeft]
		far, farNodes := entries[left:], nodes[1+nodesLeft:]
		near2, far2 := nearNodes[0].chord2(&s.c), farNodes[0].chord2(&s.c)
		if far2 < near2 {
			near, nearNodes, near2, far, farNodes, far2 = far, farNodes, far2, near, nearNodes, near2
		}
		s.visit(near, nearNodes, near2)
		entries, nodes, chord2 = far, farNodes, far2
	}
}

func (s *Search) take(e *entry) {
	if s.Keep != nil && !s.Keep(e.item) {
		return
	}
	f := Found{e.item, s.from.DistanceE7(e.e7)}
	if !(f.DistanceM > s.sureFrom && f.DistanceM < s.sureTo) {
		if math.Abs(f.DistanceM-s.WithinM) < shell || math.Abs(f.DistanceM-s.BeyondM) < shell {
			f.DistanceM = geodesy.Distance(s.Center, e.e7.Point()) // at the very edge of the ring every bit counts
		}
		if f.DistanceM < s.BeyondM || f.DistanceM > s.WithinM {
			return
		}
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
	s.far2 = min(s.far2, outside(s.found[0].DistanceM))
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

// sorted returns what was found in the order of compare. Distances from one point are spread over their range, so that
// most of the work is one pass that drops each into its part of the range, in proportion to the square (a distribution
// sort: Knuth 1998, section 5.2.5); what shares a part is sorted by comparing.
func sorted(found []Found, compare func(a, b Found) int) []Found {
	const few = 48
	most := 0.0
	for i := range found {
		most = max(most, found[i].DistanceM)
	}
	parts := 2 * len(found)
	scale := float64(parts-1) / (most * most)
	if len(found) < few || most == 0 || math.IsInf(scale, 0) {
		out := slices.Clone(found)
		slices.SortFunc(out, compare)
		return out
	}
	part := func(f *Found) int { return int(f.DistanceM * f.DistanceM * scale) }
	counts := partCounts.Get().(*[]uint32)
	defer partCounts.Put(counts)
	ends := slices.Grow((*counts)[:0], parts+1)[:parts+1]
	clear(ends)
	*counts = ends
	for i := range found {
		ends[part(&found[i])+1]++
	}
	for i := 1; i <= parts; i++ {
		ends[i] += ends[i-1]
	}
	out := make([]Found, len(found))
	for i := range found {
		p := part(&found[i])
		out[ends[p]] = found[i]
		ends[p]++
	}
	from := uint32(0)
	for _, to := range ends[:parts] {
		if to-from > 1 {
			sortFew(out[from:to], compare)
		}
		from = to
	}
	return out
}

var partCounts = sync.Pool{New: func() any { return new([]uint32) }}

// sortFew is an insertion sort where there are few.
func sortFew(found []Found, compare func(a, b Found) int) {
	if len(found) > 16 {
		slices.SortFunc(found, compare)
		return
	}
	for i := 1; i < len(found); i++ {
		f := found[i]
		k := i
		for ; k > 0 && (found[k-1].DistanceM > f.DistanceM ||
			found[k-1].DistanceM == f.DistanceM && compare(found[k-1], f) > 0); k-- {
			found[k] = found[k-1]
		}
		found[k] = f
	}
}

// Ball is all that lies within a distance of a point.
type Ball struct {
	Center  geo.Point
	RadiusM float64
}

// InBalls calls yield, in no order, with the items that may lie in one of some balls: all that do, and no other that
// lies farther than some metres from each, until yield returns false. Each item comes once.
func (t *Points) InBalls(balls []Ball, yield func(item uint32, at geo.E7) bool) {
	if len(t.entries) == 0 {
		return
	}
	all := make([]chordBall, len(balls))
	for i, b := range balls {
		all[i] = chordBall{space(b.Center), outside(b.RadiusM)}
	}
	within(t.entries, t.nodes, all, yield)
}

type chordBall struct {
	c    [3]float64
	far2 float64
}

func within(entries []entry, nodes []node, balls []chordBall, yield func(item uint32, at geo.E7) bool) bool {
	touching := balls[:0:0]
	for i := range balls {
		if nodes[0].chord2(&balls[i].c) <= balls[i].far2 {
			touching = append(touching, balls[i])
		}
	}
	if len(touching) == 0 {
		return true
	}
	if len(nodes) > 1 {
		left, nodesLeft := leftOf(len(entries))
		return within(entries[:left], nodes[1:1+nodesLeft], touching, yield) &&
			within(entries[left:], nodes[1+nodesLeft:], touching, yield)
	}
	for i := range entries {
		e := &entries[i]
		if slices.ContainsFunc(touching, func(b chordBall) bool { return e.chord2(&b.c) <= b.far2 }) &&
			!yield(e.item, e.e7) {
			return false
		}
	}
	return true
}

// Count returns how many items lie in a ring, both its ends included, of those that keep lets through, or of all
// where it is nil. Bounds decide for all but those in a thin shell at the edges, which are measured.
func (t *Points) Count(center geo.Point, beyondM, withinM float64, keep func(item uint32) bool) int {
	if len(t.entries) == 0 || beyondM > withinM {
		return 0
	}
	c, from := space(center), geodesy.NewFrom(center)
	sure, far := surely(withinM), outside(withinM)
	hole, clear := -1.0, -1.0
	if beyondM > 0 {
		hole, clear = surely(beyondM*(1-1e-12)), outside(beyondM)
	}
	n := 0
	var visit func(entries []entry, nodes []node)
	visit = func(entries []entry, nodes []node) {
		if nodes[0].chord2(&c) > far {
			return
		}
		if len(nodes) > 1 {
			left, nodesLeft := leftOf(len(entries))
			visit(entries[:left], nodes[1:1+nodesLeft])
			visit(entries[left:], nodes[1+nodesLeft:])
			return
		}
		for i := range entries {
			e := &entries[i]
			c2 := e.chord2(&c)
			if c2 > far || c2 <= hole || keep != nil && !keep(e.item) {
				continue
			}
			if c2 > sure || c2 <= clear {
				d := from.DistanceE7(e.e7)
				if math.Abs(d-withinM) < shell || math.Abs(d-beyondM) < shell {
					d = geodesy.Distance(center, e.e7.Point())
				}
				if d < beyondM || d > withinM {
					continue
				}
			}
			n++
		}
	}
	visit(t.entries, t.nodes)
	return n
}
