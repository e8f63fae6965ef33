package hierarchy

import (
	"sync"
	"sync/atomic"
)

// Metric holds the weights of all arcs of a hierarchy for one way of weighing its graph: Up and Down beside the arcs of
// those names. It is immutable once made.
type Metric struct {
	h        *Hierarchy
	Up, Down []uint32
	weigh    Weights
}

// Weights tells what the arcs of the graph itself weigh.
type Weights interface {
	// Each calls yield with all arcs that lead from a vertex, and what they weigh.
	Each(v uint32, yield func(w, weight uint32))
	// Weight returns the least weight of an arc from one vertex to another, Infinite where there is none.
	Weight(v, w uint32) uint32
}

// Customize makes the metric of some weights. It costs a visit to each lower triangle: some 1 ns for each. Vertices of
// different branches of the elimination tree are worked on by as many goroutines as workers says; the result is the
// same whatever their number.
func Customize(h *Hierarchy, weights Weights, workers int) *Metric {
	m := &Metric{h: h, Up: make([]uint32, len(h.Up.Other)), Down: make([]uint32, len(h.Down.Other)), weigh: weights}
	branches, trunk := h.branches(workers)
	var next atomic.Int64
	var done sync.WaitGroup
	for range workers {
		done.Go(func() {
			c := newCustomizer(m)
			for {
				i := int(next.Add(1)) - 1
				if i >= len(branches) {
					return
				}
				for v := branches[i].from; v <= branches[i].to; v++ {
					c.init(v)
				}
				for v := branches[i].from; v <= branches[i].to; v++ {
					c.row(v)
				}
			}
		})
	}
	done.Wait()
	c := newCustomizer(m)
	for _, v := range trunk {
		c.init(v)
	}
	for _, v := range trunk {
		c.row(v)
	}
	return m
}

// span is a run of ranks.
type span struct{ from, to uint32 }

// branches returns subtrees of the elimination tree that are runs of ranks and can be worked on alone, and the vertices
// above them. An order by dissection gives such runs; where it does not, all is trunk.
func (h *Hierarchy) branches(workers int) (branches []span, trunk []uint32) {
	n := len(h.Parent)
	least := make([]uint32, n) // the lowest rank below each vertex
	size := make([]uint32, n)
	for v := range n {
		least[v] = uint32(v)
	}
	for v := range n {
		size[v]++
		if p := h.Parent[v]; p != none {
			size[p] += size[v]
			least[p] = min(least[p], least[v])
		}
	}
	most := uint32(n/(8*workers) + 1)
	taken := make([]bool, n)
	for v := range n {
		p := h.Parent[v]
		whole := size[v] == uint32(v)-least[v]+1
		if whole && size[v] <= most && (p == none || size[p] > most || size[p] != p-least[p]+1) {
			branches = append(branches, span{least[v], uint32(v)})
			for i := least[v]; i <= uint32(v); i++ {
				taken[i] = true
			}
		}
	}
	for v := range n {
		if !taken[v] {
			trunk = append(trunk, uint32(v))
		}
	}
	return branches, trunk
}

// customizer works on vertices from the lowest up.
type customizer struct {
	m        *Metric
	up, down []uint32 // the arcs of the vertex at hand, by the other end
}

func newCustomizer(m *Metric) *customizer {
	n := m.h.Vertices()
	return &customizer{m, make([]uint32, n), make([]uint32, n)}
}

// init gives the arcs at a vertex the weights of the graph. Those that lead down from it lie at the lower ends, so the
// graph is asked for each arc of the row.
func (c *customizer) init(v uint32) {
	h, m := c.m.h, c.m
	for i := h.Up.First[v]; i < h.Up.First[v+1]; i++ {
		m.Up[i] = Infinite
		c.up[h.Up.Other[i]] = i
	}
	m.weigh.Each(v, func(w, weight uint32) {
		if w > v {
			m.Up[c.up[w]] = min(m.Up[c.up[w]], weight)
		}
	})
	for i := h.Down.First[v]; i < h.Down.First[v+1]; i++ {
		m.Down[i] = m.weigh.Weight(h.Down.Other[i], v)
	}
}

func (c *customizer) row(u uint32) {
	h, m := c.m.h, c.m
	for i := h.Up.First[u]; i < h.Up.First[u+1]; i++ {
		c.up[h.Up.Other[i]] = i
	}
	for i := h.Down.First[u]; i < h.Down.First[u+1]; i++ {
		c.down[h.Down.Other[i]] = i
	}
	relax(&h.Down, &h.Up, m.Down, m.Up, c.up, u)
	relax(&h.Up, &h.Down, m.Up, m.Down, c.down, u)
}

// relax shortens the arcs of u in one direction by all triangles whose lowest vertex v lies below u: first is the
// direction of the arcs between u and v, second that of the arcs between v and w.
func relax(first, second *Arcs, firstWeight, weight, at []uint32, u uint32) {
	for i := first.BelowFirst[u]; i < first.BelowFirst[u+1]; i++ {
		base := firstWeight[first.Below[i]]
		if base >= Infinite {
			continue
		}
		v := first.BelowLower[i]
		lo, hi := second.First[v], second.First[v+1]
		others, weights := second.Other[lo:hi], weight[lo:hi]
		for k := len(others) - 1; k >= 0; k-- {
			w := others[k]
			if w <= u {
				break
			}
			if sum := base + weights[k]; sum < weight[at[w]] {
				weight[at[w]] = sum
			}
		}
	}
}

// get returns the weight of the arc from v to w, Infinite where there is none.
func (m *Metric) get(v, w uint32) uint32 {
	if v < w {
		if i, ok := m.h.Up.find(v, w); ok {
			return m.Up[i]
		}
	} else if i, ok := m.h.Down.find(w, v); ok {
		return m.Down[i]
	}
	return Infinite
}

// middle returns the lowest vertex by way of which the arc from v to w is as short as it is.
func (m *Metric) middle(v, w, weight uint32) (uint32, bool) {
	h := m.h
	lowest := min(v, w)
	i, iEnd := h.Down.BelowFirst[v], h.Down.BelowFirst[v+1] // arcs v→x at x
	j, jEnd := h.Up.BelowFirst[w], h.Up.BelowFirst[w+1]     // arcs x→w at x
	xs, ys := h.Down.BelowLower, h.Up.BelowLower
	for i < iEnd && j < jEnd {
		x, y := xs[i], ys[j]
		switch {
		case x >= lowest || y >= lowest:
			return 0, false
		case x < y:
			i = gallop(xs, i, iEnd, y)
		case y < x:
			j = gallop(ys, j, jEnd, x)
		default:
			if a, b := m.Down[h.Down.Below[i]], m.Up[h.Up.Below[j]]; a < Infinite && b < Infinite && a+b == weight {
				return x, true
			}
			i++
			j++
		}
	}
	return 0, false
}

// gallop returns the first index from i on whose value is at least x (Bentley and Yao 1976).
func gallop(values []uint32, i, end, x uint32) uint32 {
	step := uint32(1)
	for i+step < end && values[i+step] < x {
		i += step
		step *= 2
	}
	lo, hi := i+1, min(i+step, end)
	for lo < hi {
		mid := lo + (hi-lo)/2
		if values[mid] < x {
			lo = mid + 1
		} else {
			hi = mid
		}
	}
	return lo
}

// Unpack appends to path the vertices behind v on the quickest path that the arc from v to w stands for, w the last.
func (m *Metric) Unpack(path []uint32, v, w uint32) []uint32 {
	weight := m.get(v, w)
	if weight >= Infinite {
		return path
	}
	if m.weigh.Weight(v, w) == weight {
		return append(path, w)
	}
	x, ok := m.middle(v, w, weight)
	if !ok {
		return append(path, w) // only a damaged file comes here
	}
	return m.Unpack(m.Unpack(path, v, x), x, w)
}
