// Package hierarchy finds quickest paths in a graph that is prepared once, whatever its weights: customizable
// contraction hierarchies (Dibbelt, Strasser and Wagner 2016), with arcs of one direction as in Buchhold, Wagner, Zeitz
// and Zündorf 2020. Their vertices are here the directed edges of a road network and their arcs its turns; but nothing
// in this package knows of roads.
//
// Vertices are numbered by rank: the order in which they are contracted. Build adds to the arcs of the graph the
// shortcuts that any weights may need. Customize gives all arcs their weights, from the lowest vertex up, by lower
// triangles: the arc u→w is as short as any way u→v→w with v below both. A query climbs from both ends to the root of
// the elimination tree; a path found is unpacked by the triangles that its arcs came from.
package hierarchy

import (
	"errors"
	"slices"
	"sync"
)

// Infinite is the weight of what cannot be passed. Weights of arcs are less, and so are sums that are used.
const Infinite = 1<<31 - 1

// none stands for no vertex.
const none = ^uint32(0)

// Hierarchy is the topology. All slices may be mapped from a file; nothing writes to them.
type Hierarchy struct {
	// Parent is the next higher vertex in the elimination tree of each, or 1<<32-1 at a root.
	Parent []uint32
	// Up holds the arcs v→w with w above v, at v; Down the arcs w→v, at v as well.
	Up, Down Arcs

	once    sync.Once
	planned *plan
}

// Arcs are rows of arcs: those of vertex v are First[v] to First[v+1], by the rank of the other end, Other, ascending.
// Below lists for each vertex the arcs of which it is the other, upper end, by the rank of their lower ends: Lower and
// Arc, from BelowFirst[u] to BelowFirst[u+1].
type Arcs struct {
	First, Other      []uint32
	BelowFirst        []uint32
	BelowLower, Below []uint32
}

// Vertices returns how many there are.
func (h *Hierarchy) Vertices() int { return len(h.Parent) }

// find returns the arc at v whose other end is u; ok is false where there is none.
func (a *Arcs) find(v, u uint32) (uint32, bool) {
	first, row := a.First[v], a.Other[a.First[v]:a.First[v+1]]
	i, ok := slices.BinarySearch(row, u)
	return first + uint32(i), ok
}

// Build contracts a graph of n vertices. next calls yield with the vertices that arcs lead to from one; all are given
// by
// rank.
func Build(n int, next func(v uint32, yield func(w uint32))) *Hierarchy {
	b := &builder{
		mark: make([]uint32, n),
		ups:  newRows(n), downs: newRows(n),
	}
	// The arcs as they are, at their lower ends.
	ups, downs := newPairs(n), newPairs(n)
	tree := newForest(n)
	for v := range uint32(n) {
		next(v, func(w uint32) {
			switch {
			case w > v:
				ups.add(v, w)
			case w < v:
				downs.add(w, v)
			}
		})
	}
	for v := range uint32(n) {
		b.row(&b.ups, ups, &b.downs, v)
		b.row(&b.downs, downs, &b.ups, v)
	}
	h := &Hierarchy{Up: b.ups.arcs(n), Down: b.downs.arcs(n)}
	// Liu 1990: the parent of each vertex, from the arcs as they were.
	lower := newPairs(n)
	for v := range uint32(n) {
		for _, l := range []*pairs{ups, downs} {
			l.each(v, func(w uint32) { lower.add(w, v) })
		}
	}
	for v := range uint32(n) {
		lower.each(v, func(u uint32) { tree.join(u, v) })
	}
	h.Parent = tree.parent
	return h
}

// pairs are lists of vertices, one for each vertex, linked.
type pairs struct {
	head, next []int32
	value      []uint32
}

func newPairs(n int) *pairs {
	p := &pairs{head: make([]int32, n)}
	for i := range p.head {
		p.head[i] = -1
	}
	return p
}

func (p *pairs) add(at, value uint32) {
	p.value = append(p.value, value)
	p.next = append(p.next, p.head[at])
	p.head[at] = int32(len(p.value) - 1)
}

func (p *pairs) each(at uint32, yield func(uint32)) {
	for i := p.head[at]; i >= 0; i = p.next[i] {
		yield(p.value[i])
	}
}

type forest struct{ parent, above []uint32 }

func newForest(n int) *forest {
	f := &forest{make([]uint32, n), make([]uint32, n)}
	for i := range n {
		f.parent[i], f.above[i] = none, none
	}
	return f
}

// join makes v, which is above all that were joined before, the parent of the root of u.
func (f *forest) join(u, v uint32) {
	for u != v {
		above := f.above[u]
		f.above[u] = v
		if above == none {
			f.parent[u] = v
			return
		}
		u = above
	}
}

// rows are the arcs of one direction while they are made.
type rows struct {
	first []uint32
	other []uint32
	below *pairs
}

func newRows(n int) rows { return rows{first: make([]uint32, 1, n+1), below: newPairs(n)} }

type builder struct {
	mark       []uint32
	ups, downs rows
	stamp      uint32
	row_       []uint32
}

// row makes the row of a vertex in one direction: its own arcs, and those that the vertices below it hand on. For arcs
// up, u→w, these are the w of each v with u→v and v→w: v has u in its row of the other direction.
func (b *builder) row(r *rows, own *pairs, others *rows, u uint32) {
	b.stamp++
	stamp, list := b.stamp, b.row_[:0]
	take := func(w uint32) {
		if b.mark[w] != stamp {
			b.mark[w] = stamp
			list = append(list, w)
		}
	}
	own.each(u, take)
	others.below.each(u, func(v uint32) {
		row := r.other[r.first[v]:r.first[v+1]]
		for i := len(row) - 1; i >= 0 && row[i] > u; i-- {
			take(row[i])
		}
	})
	slices.Sort(list)
	r.other = append(r.other, list...)
	r.first = append(r.first, uint32(len(r.other)))
	b.row_ = list
	for _, w := range list {
		r.below.add(w, u)
	}
}

func (r *rows) arcs(n int) Arcs {
	a := Arcs{First: r.first, Other: slices.Clip(r.other)}
	r.below = nil
	a.BelowFirst = make([]uint32, n+1)
	for _, w := range a.Other {
		a.BelowFirst[w+1]++
	}
	for i := range n {
		a.BelowFirst[i+1] += a.BelowFirst[i]
	}
	a.BelowLower, a.Below = make([]uint32, len(a.Other)), make([]uint32, len(a.Other))
	at := slices.Clone(a.BelowFirst[:n])
	for v := range uint32(n) {
		for i := a.First[v]; i < a.First[v+1]; i++ {
			w := a.Other[i]
			a.BelowLower[at[w]], a.Below[at[w]] = v, i
			at[w]++
		}
	}
	return a
}

// ErrBroken is returned for a topology whose parts do not fit together.
var ErrBroken = errors.New("the hierarchy's parts do not fit together")

// Check looks whether nothing in a topology leads outside it, as when it comes from a damaged file. It does not look
// for arcs that are missing.
func (h *Hierarchy) Check() error {
	n := uint32(len(h.Parent))
	for v, p := range h.Parent {
		if p != none && (p <= uint32(v) || p >= n) {
			return ErrBroken
		}
	}
	for _, a := range []*Arcs{&h.Up, &h.Down} {
		if !rowsFit(a.First, n, len(a.Other)) || !rowsFit(a.BelowFirst, n, len(a.Other)) ||
			len(a.Below) != len(a.Other) || len(a.BelowLower) != len(a.Other) {
			return ErrBroken
		}
		for v := range n {
			last := v
			for _, w := range a.Other[a.First[v]:a.First[v+1]] {
				if w <= last || w >= n {
					return ErrBroken
				}
				last = w
			}
		}
		for u := range n {
			for i := a.BelowFirst[u]; i < a.BelowFirst[u+1]; i++ {
				v, arc := a.BelowLower[i], a.Below[i]
				if v >= u || arc < a.First[v] || arc >= a.First[v+1] || a.Other[arc] != u {
					return ErrBroken
				}
			}
		}
	}
	return nil
}

func rowsFit(first []uint32, n uint32, total int) bool {
	if uint32(len(first)) != n+1 || int(first[n]) != total || first[0] != 0 {
		return false
	}
	return slices.IsSorted(first)
}
