package hierarchy

import (
	"math"
	"slices"
	"sync"
)

// Streets is the plane graph that an order is computed on: nodes with positions, and the edges between them, without
// direction.
type Streets struct {
	// X and Y are the positions of the nodes, in any unit.
	X, Y []float32
	// From and To are the ends of each edge.
	From, To []uint32
}

// share is the part of a cell's nodes at either end of an axis that a cut leaves together: 1/4.
const share = 0.25

// parallelFrom is from how many nodes on the two halves of a cell are ordered at the same time.
const parallelFrom = 4000

// Order returns the edges of a street graph in an order of contraction: first those inside small cells, last those
// whose removal parts the whole. It is nested dissection by inertial flow (Schild and Sommer 2015) where the edges cut
// are the separator, as Buchhold, Wagner, Zeitz and Zündorf 2020 have it for graphs with turns: without them no turn
// leads from one side to the other. It takes the same order whatever the number of processors.
func Order(s *Streets) []uint32 {
	order := make([]uint32, len(s.From))
	nodes := make([]uint32, len(s.X))
	edges := make([]uint32, len(s.From))
	for i := range nodes {
		nodes[i] = uint32(i)
	}
	for i := range edges {
		edges[i] = uint32(i)
	}
	d := &dissection{s: s, local: make([]uint32, len(s.X)), side: make([]bool, len(s.X))}
	d.dissect(nodes, edges, order, &cutter{})
	return order
}

type dissection struct {
	s *Streets
	// local is the number of each node in the cell that holds it; side is the half of it that it falls to. Cells that
	// are worked on at the same time share no node.
	local []uint32
	side  []bool
}

// dissect puts the edges of a cell, whose ends all lie in it, into out. It reorders nodes and edges.
func (d *dissection) dissect(nodes, edges, out []uint32, c *cutter) {
	if len(nodes) <= 1 || len(edges) <= 1 {
		copy(out, edges)
		return
	}
	d.cut(nodes, edges, c)
	k := partition(nodes, func(n uint32) bool { return d.side[n] })
	inner := partition(edges, func(e uint32) bool { return d.side[d.s.From[e]] == d.side[d.s.To[e]] })
	copy(out[inner:], edges[inner:])
	slices.Sort(out[inner:])
	one := partition(edges[:inner], func(e uint32) bool { return d.side[d.s.From[e]] })
	halves := [2][3][]uint32{
		{nodes[:k], edges[:one], out[:one]},
		{nodes[k:], edges[one:inner], out[one:inner]},
	}
	if len(nodes) < parallelFrom {
		for _, h := range halves {
			d.dissect(h[0], h[1], h[2], c)
		}
		return
	}
	var done sync.WaitGroup
	done.Go(func() { d.dissect(halves[0][0], halves[0][1], halves[0][2], &cutter{}) })
	d.dissect(halves[1][0], halves[1][1], halves[1][2], c)
	done.Wait()
}

// partition moves those that are meant to the front, and returns how many there are.
func partition(items []uint32, meant func(uint32) bool) int {
	k := 0
	for i, it := range items {
		if meant(it) {
			items[i], items[k] = items[k], it
			k++
		}
	}
	return k
}

// axes are the directions along which a cell is cut.
var axes = [...][2]float32{{1, 0}, {0, 1}, {math.Sqrt2 / 2, math.Sqrt2 / 2}, {math.Sqrt2 / 2, -math.Sqrt2 / 2}}

// cut sets the side of each node of a cell such that few edges lead across and neither side is small. Both sides hold
// at least one node.
func (d *dissection) cut(nodes, edges []uint32, c *cutter) {
	for i, n := range nodes {
		d.local[n] = uint32(i)
	}
	c.load(d, len(nodes), edges)
	best := math.MaxInt
	for _, axis := range axes {
		for i, n := range nodes {
			c.key[i] = axis[0]*d.s.X[n] + axis[1]*d.s.Y[n]
		}
		if flow := c.flow(best); flow < best {
			best = flow
			copy(c.best, c.reached)
		}
		if best == 0 {
			break
		}
	}
	for i, n := range nodes {
		d.side[n] = c.best[i]
	}
}

// cutter finds smallest cuts by flow: all edges have capacity 1 in both directions (Dinic 1970). Its slices are those
// of the cell at hand and are used again for the next.
type cutter struct {
	n       int
	first   []int32
	head    []int32
	back    []int32 // the arc the other way
	used    []int8  // the flow along an arc: -1, 0 or 1
	key     []float32
	role    []int8 // 1 source, 2 sink
	level   []int32
	next    []int32
	queue   []int32
	sorted  []int32
	stack   []int32
	reached []bool
	best    []bool
}

func grown[T any](s []T, n int) []T {
	if cap(s) < n {
		return make([]T, n, n+n/4)
	}
	return s[:n]
}

func (c *cutter) load(d *dissection, n int, edges []uint32) {
	c.n = n
	c.first = grown(c.first, n+1)
	c.head, c.back, c.used = grown(c.head, 2*len(edges)), grown(c.back, 2*len(edges)), grown(c.used, 2*len(edges))
	c.key, c.role, c.level, c.next = grown(c.key, n), grown(c.role, n), grown(c.level, n), grown(c.next, n)
	c.sorted, c.reached, c.best = grown(c.sorted, n), grown(c.reached, n), grown(c.best, n)
	clear(c.first)
	for _, e := range edges {
		c.first[d.local[d.s.From[e]]]++
		c.first[d.local[d.s.To[e]]]++
	}
	sum := int32(0)
	for i := range n + 1 {
		sum += c.first[i]
		c.first[i] = sum
	}
	for _, e := range edges {
		a, b := d.local[d.s.From[e]], d.local[d.s.To[e]]
		c.first[a]--
		x := c.first[a]
		c.first[b]--
		y := c.first[b]
		c.head[x], c.head[y] = int32(b), int32(a)
		c.back[x], c.back[y] = y, x
	}
}

// flow sends as much as goes from the nodes with the least keys to those with the greatest, and sets reached to the
// side of the sources; it gives up where that is no less than limit.
func (c *cutter) flow(limit int) int {
	clear(c.used)
	clear(c.role)
	for i := range c.sorted {
		c.sorted[i] = int32(i)
	}
	k := max(1, int(share*float64(c.n)))
	c.selectLeast(c.sorted, k)
	for _, i := range c.sorted[:k] {
		c.role[i] = 1
	}
	rest := c.sorted[k:]
	c.selectLeast(rest, len(rest)-k)
	for _, i := range rest[len(rest)-k:] {
		c.role[i] = 2
	}
	sources, total := c.sorted[:k], 0
	for c.levels(sources) {
		copy(c.next, c.first[:c.n])
		for _, s := range sources {
			for total < limit && c.augment(s) {
				total++
			}
		}
		if total >= limit {
			return total
		}
	}
	// Of the two smallest cuts nearest to either end, the one that parts more evenly.
	count := 0
	for i := range c.n {
		c.reached[i] = c.level[i] >= 0
		if c.reached[i] {
			count++
		}
	}
	if behind := c.behind(rest[len(rest)-k:]); min(behind, c.n-behind) > min(count, c.n-count) {
		for i := range c.n {
			c.reached[i] = c.level[i] < 0
		}
	}
	return total
}

// levels counts how many arcs with room left lead from the sources to each node, -1 where none do, and tells whether a
// sink is reached.
func (c *cutter) levels(sources []int32) bool {
	for i := range c.level {
		c.level[i] = -1
	}
	c.queue = append(c.queue[:0], sources...)
	for _, s := range sources {
		c.level[s] = 0
	}
	found := int32(math.MaxInt32)
	for at := 0; at < len(c.queue); at++ {
		v := c.queue[at]
		if c.level[v] >= found {
			break
		}
		for a := c.first[v]; a < c.first[v+1]; a++ {
			if w := c.head[a]; c.used[a] < 1 && c.level[w] < 0 {
				c.level[w] = c.level[v] + 1
				if c.role[w] == 2 {
					found = c.level[w]
				}
				c.queue = append(c.queue, w)
			}
		}
	}
	return found < math.MaxInt32
}

// behind marks with a level of 0 or more what can still be reached backwards from the sinks, and counts it.
func (c *cutter) behind(sinks []int32) int {
	for i := range c.level {
		c.level[i] = -1
	}
	c.queue = append(c.queue[:0], sinks...)
	for _, s := range sinks {
		c.level[s] = 0
	}
	for at := 0; at < len(c.queue); at++ {
		v := c.queue[at]
		for a := c.first[v]; a < c.first[v+1]; a++ {
			if w := c.head[a]; c.used[c.back[a]] < 1 && c.level[w] < 0 {
				c.level[w] = 0
				c.queue = append(c.queue, w)
			}
		}
	}
	return len(c.queue)
}

// augment sends one unit from a source to a sink along rising levels, if it can.
func (c *cutter) augment(source int32) bool {
	c.stack = c.stack[:0]
	for v := source; ; {
		if c.role[v] == 2 {
			for _, a := range c.stack {
				c.used[a]++
				c.used[c.back[a]]--
			}
			return true
		}
		forward := false
		for ; c.next[v] < c.first[v+1]; c.next[v]++ {
			a := c.next[v]
			if w := c.head[a]; c.used[a] < 1 && c.level[w] == c.level[v]+1 {
				c.stack = append(c.stack, a)
				v, forward = w, true
				break
			}
		}
		if forward {
			continue
		}
		if len(c.stack) == 0 {
			return false
		}
		a := c.stack[len(c.stack)-1]
		c.stack = c.stack[:len(c.stack)-1]
		v = c.head[c.back[a]]
		c.next[v]++
	}
}

// selectLeast brings the k items with the least keys to the front (Hoare 1961), ties by number.
func (c *cutter) selectLeast(items []int32, k int) {
	less := func(a, b int32) bool { return c.key[a] < c.key[b] || c.key[a] == c.key[b] && a < b }
	for lo, hi := 0, len(items)-1; lo < hi; {
		pivot := items[lo+(hi-lo)/2]
		i, j := lo, hi
		for i <= j {
			for less(items[i], pivot) {
				i++
			}
			for less(pivot, items[j]) {
				j--
			}
			if i <= j {
				items[i], items[j] = items[j], items[i]
				i++
				j--
			}
		}
		switch {
		case k-1 <= j:
			hi = j
		case k-1 >= i:
			lo = i
		default:
			return
		}
	}
}
