package hierarchy

import (
	"container/heap"
	"slices"
)

// Arc is an arc of the graph, from one vertex to another.
type Arc struct{ From, To uint32 }

// Changed returns the metric of other weights that differ from those of m in the arcs given and in no others. Only
// arcs that depend on them are looked at again, from the lowest up: as many as the change spreads to (Dibbelt, Strasser
// and Wagner 2016, section 7.4). m stays as it is.
func (m *Metric) Changed(weights Weights, arcs []Arc) *Metric {
	next := &Metric{h: m.h, Up: slices.Clone(m.Up), Down: slices.Clone(m.Down), weigh: weights}
	u := updater{m: next}
	for _, a := range arcs {
		u.push(a)
	}
	for len(u.queue) > 0 {
		a := heap.Pop(&u.queue).(Arc)
		for len(u.queue) > 0 && u.queue[0] == a {
			heap.Pop(&u.queue)
		}
		u.renew(a)
	}
	return next
}

type updater struct {
	m     *Metric
	queue arcQueue
}

func (u *updater) push(a Arc) { heap.Push(&u.queue, a) }

// slot returns where the weight of an arc is kept, nil where the hierarchy has no such arc.
func (u *updater) slot(a Arc) *uint32 {
	if a.From < a.To {
		if i, ok := u.m.h.Up.find(a.From, a.To); ok {
			return &u.m.Up[i]
		}
	} else if i, ok := u.m.h.Down.find(a.To, a.From); ok {
		return &u.m.Down[i]
	}
	return nil
}

// renew weighs an arc again, and has those looked at again that rested on its old weight or that its new one shortens.
func (u *updater) renew(a Arc) {
	kept := u.slot(a)
	if kept == nil {
		return
	}
	h, m := u.m.h, u.m
	weight := m.weigh.Weight(a.From, a.To)
	i, iEnd := h.Down.BelowFirst[a.From], h.Down.BelowFirst[a.From+1]
	j, jEnd := h.Up.BelowFirst[a.To], h.Up.BelowFirst[a.To+1]
	for lowest := min(a.From, a.To); i < iEnd && j < jEnd; {
		x, y := h.Down.BelowLower[i], h.Up.BelowLower[j]
		if x >= lowest || y >= lowest {
			break
		}
		switch {
		case x < y:
			i = gallop(h.Down.BelowLower, i, iEnd, y)
		case y < x:
			j = gallop(h.Up.BelowLower, j, jEnd, x)
		default:
			weight = min(weight, m.Down[h.Down.Below[i]]+m.Up[h.Up.Below[j]])
			i++
			j++
		}
	}
	weight = min(weight, Infinite)
	old := *kept
	if weight == old {
		return
	}
	*kept = weight
	// The arcs above: with v the lower end, a→v and v→w make a→w.
	if a.From > a.To {
		v := a.To
		for k := h.Up.First[v]; k < h.Up.First[v+1]; k++ {
			u.above(Arc{a.From, h.Up.Other[k]}, old, weight, m.Up[k])
		}
	} else {
		v := a.From
		for k := h.Down.First[v]; k < h.Down.First[v+1]; k++ {
			u.above(Arc{h.Down.Other[k], a.To}, old, weight, m.Down[k])
		}
	}
}

// above has an arc looked at again if it was made of an arc that weighed old and weighs new now, and another; or if it
// is now longer than that way.
func (u *updater) above(a Arc, old, weight, other uint32) {
	if a.From == a.To || other >= Infinite {
		return
	}
	kept := u.slot(a)
	if kept == nil {
		return
	}
	if old < Infinite && *kept == old+other || weight < Infinite && *kept > weight+other {
		u.push(a)
	}
}

// arcQueue orders arcs by their lower end, then by their upper one: what an arc rests on comes before it.
type arcQueue []Arc

func (q arcQueue) Len() int { return len(q) }
func (q arcQueue) Less(i, j int) bool {
	a, b := q[i], q[j]
	if x, y := min(a.From, a.To), min(b.From, b.To); x != y {
		return x < y
	}
	if x, y := max(a.From, a.To), max(b.From, b.To); x != y {
		return x < y
	}
	return a.From < b.From
}
func (q arcQueue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q *arcQueue) Push(x any)   { *q = append(*q, x.(Arc)) }
func (q *arcQueue) Pop() any {
	last := len(*q) - 1
	a := (*q)[last]
	*q = (*q)[:last]
	return a
}
