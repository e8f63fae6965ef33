package hierarchy

import "slices"

// Span is a run of ranks, both ends included.
type Span struct{ From, To uint32 }

// plan is how all vertices are swept: the trunk from the top down, then branches of the elimination tree, each by
// itself. border are the vertices outside a branch that arcs lead to from it or from which they lead to it.
type plan struct {
	branches []Span
	trunk    []uint32
	border   [][]uint32
}

// plan is made when it is first asked for.
func (h *Hierarchy) plan() *plan {
	h.once.Do(func() {
		p := &plan{}
		p.branches, p.trunk = h.branches(branchesSwept)
		p.border = make([][]uint32, len(p.branches))
		mark := make([]int, len(h.Parent))
		for i, b := range p.branches {
			for v := b.From; v <= b.To; v++ {
				for _, a := range []*Arcs{&h.Up, &h.Down} {
					for _, u := range a.Other[a.First[v]:a.First[v+1]] {
						if u > b.To && mark[u] != i+1 {
							mark[u] = i + 1
							p.border[i] = append(p.border[i], u)
						}
					}
				}
			}
		}
		h.planned = p
	})
	return h.planned
}

// branchesSwept says how finely a hierarchy is parted: into branches of at most 1/(8 × this) of its vertices.
const branchesSwept = 32

// All fills cost, a place for each vertex, with what it costs to get there from some seeds, or from there to them with
// back, as far as that is no more than limit; more or Infinite elsewhere. It climbs from the seeds, and sweeps over the
// vertices from the highest down (Delling, Goldberg, Nowatzyk and Werneck 2013), but for branches that nothing leads
// into
// within the limit. It returns the ranks that it looked at.
func (q *Query) All(m *Metric, seeds []Seed, back bool, limit uint32, parallel Parallel, cost []uint32) []Span {
	for i := range cost {
		cost[i] = Infinite
	}
	p := q.h.plan()
	climb := q.Climb(m, seeds, back)
	for _, l := range climb {
		cost[l.Vertex] = l.Cost
	}
	arcs, weights := &q.h.Down, m.Down
	if back {
		arcs, weights = &q.h.Up, m.Up
	}
	sweep := func(v uint32) {
		lo, hi := arcs.First[v], arcs.First[v+1]
		others, w := arcs.Other[lo:hi], weights[lo:hi]
		c := cost[v]
		for i, u := range others {
			c = min(c, cost[u]+w[i])
		}
		cost[v] = min(c, Infinite)
	}
	for i := len(p.trunk) - 1; i >= 0; i-- {
		sweep(p.trunk[i])
	}
	var looked []Span
	for i, b := range p.branches {
		if slices.ContainsFunc(climb, func(l Label) bool { return l.Vertex >= b.From && l.Vertex <= b.To }) ||
			slices.ContainsFunc(p.border[i], func(u uint32) bool { return cost[u] <= limit }) {
			looked = append(looked, b)
		}
	}
	parallel.Do(len(looked), func(i int) {
		for v := int64(looked[i].To); v >= int64(looked[i].From); v-- {
			sweep(uint32(v))
		}
	})
	for _, v := range p.trunk {
		looked = append(looked, Span{v, v})
	}
	return looked
}
