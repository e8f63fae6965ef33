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

// Parallel does pieces of work, at the same time where it can.
type Parallel interface {
	// Do calls work with each number below n, and returns when all are done. A panic of work comes out of Do.
	Do(n int, work func(i int))
	// Workers is how many pieces are worked on at the same time.
	Workers() int
}

// Goroutines is so many goroutines; 1 or less is the one that calls. A fault in memory that is mapped from a file ends
// the process unless it is met by the goroutine that guards against it: a program that serves such files brings a
// Parallel of its own.
type Goroutines int

// Do is Parallel's.
func (g Goroutines) Do(n int, work func(i int)) {
	if g <= 1 {
		for i := range n {
			work(i)
		}
		return
	}
	var next atomic.Int64
	var done sync.WaitGroup
	for range g.Workers() {
		done.Go(func() {
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				work(i)
			}
		})
	}
	done.Wait()
}

// Workers is Parallel's.
func (g Goroutines) Workers() int { return max(1, int(g)) }

// Customize makes the metric of some weights. It costs a visit to each lower triangle: some 1 ns for each. Different
// branches of the elimination tree are worked on in parallel; the result is the same however many are.
func Customize(h *Hierarchy, weights Weights, parallel Parallel) *Metric {
	m := &Metric{h: h, Up: make([]uint32, len(h.Up.Other)), Down: make([]uint32, len(h.Down.Other)), weigh: weights}
	branches, trunk := h.branches(parallel.Workers())
	spare := sync.Pool{New: func() any { return newCustomizer(m) }}
	parallel.Do(len(branches), func(i int) {
		c := spare.Get().(*customizer)
		defer spare.Put(c)
		for v := branches[i].From; v <= branches[i].To; v++ {
			c.init(v)
		}
		for v := branches[i].From; v <= branches[i].To; v++ {
			c.row(v)
		}
	})
	c := spare.Get().(*customizer)
	for _, v := range trunk {
		c.init(v)
	}
	for _, v := range trunk {
		c.row(v)
	}
	return m
}

// branches returns subtrees of the elimination tree that are runs of ranks and can be worked on alone, and the vertices
// above them. An order by dissection gives such runs; where it does not, all is trunk.
func (h *Hierarchy) branches(workers int) (branches []Span, trunk []uint32) {
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
	for v := n - 1; v >= 0; v-- { // the largest first: none of them lies in another
		whole := size[v] == uint32(v)-least[v]+1
		if whole && size[v] <= most && !taken[v] {
			branches = append(branches, Span{least[v], uint32(v)})
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

// middle returns the vertex by way of which the arc from v to w is as short as it is, and what the arcs to it and from
// it
// weigh. It is the highest vertex of the path between them, so it looks at the highest first.
func (m *Metric) middle(v, w, weight uint32) (x, first, second uint32, ok bool) {
	h := m.h
	into, from := h.Down.BelowFirst[v], h.Up.BelowFirst[w]
	xs, ys := h.Down.BelowLower[into:h.Down.BelowFirst[v+1]], h.Up.BelowLower[from:h.Up.BelowFirst[w+1]]
	for i, j := len(xs)-1, len(ys)-1; i >= 0 && j >= 0; {
		x, y := xs[i], ys[j]
		switch {
		case x > y:
			i = gallopDown(xs, i, y)
		case y > x:
			j = gallopDown(ys, j, x)
		default:
			a, b := m.Down[h.Down.Below[into+uint32(i)]], m.Up[h.Up.Below[from+uint32(j)]]
			if a < Infinite && b < Infinite && a+b == weight {
				return x, a, b, true
			}
			i--
			j--
		}
	}
	return 0, 0, 0, false
}

// gallopDown returns the last index before i whose value is at most x, -1 where there is none.
func gallopDown(values []uint32, i int, x uint32) int {
	step := 1
	for i-step >= 0 && values[i-step] > x {
		i -= step
		step *= 2
	}
	lo, hi := max(-1, i-step), i-1 // values[hi+1] is above x, values[lo] is not
	for lo < hi {
		mid := lo + (hi-lo+1)/2
		if values[mid] > x {
			hi = mid - 1
		} else {
			lo = mid
		}
	}
	return lo
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
	if weight := m.get(v, w); weight < Infinite {
		return m.unpack(path, v, w, weight)
	}
	return path
}

func (m *Metric) unpack(path []uint32, v, w, weight uint32) []uint32 {
	if m.weigh.Weight(v, w) == weight {
		return append(path, w)
	}
	x, first, second, ok := m.middle(v, w, weight)
	if !ok {
		return append(path, w) // only a damaged file comes here
	}
	return m.unpack(m.unpack(path, v, x, first), x, w, second)
}
