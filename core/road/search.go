package road

import (
	"context"
	"math"
	"slices"

	"viandante/core/geodesy"
	"viandante/core/region"
)

const none = ^uint32(0)

// askEvery is after how many junctions a search looks whether anybody still waits for it: some 2 ms.
const askEvery = 4096

// search is the memory of one A* run: arrays over all junctions, reused from run to run. Entries are valid only where
// stamp holds the run's number, so that nothing has to be cleared.
type search struct {
	run     uint32
	stamp   []uint32
	cost    []float64 // seconds from the start
	through []uint32  // the edge by which the junction was reached, or none at the start
	settled []bool
	queue   queue
}

func newSearch(junctions int) *search {
	return &search{
		stamp:   make([]uint32, junctions),
		cost:    make([]float64, junctions),
		through: make([]uint32, junctions),
		settled: make([]bool, junctions),
	}
}

func (s *search) reach(node uint32, cost float64, through uint32, bound float64) {
	if s.stamp[node] == s.run && (s.settled[node] || s.cost[node] <= cost) {
		return
	}
	s.stamp[node], s.cost[node], s.through[node], s.settled[node] = s.run, cost, through, false
	s.queue.push(entry{cost + bound, node})
}

// search returns the edges between the junctions of the quickest way and its cost in seconds, unless none is cheaper
// than limit or the context ends before.
func (r *Router) search(
	ctx context.Context,
	mode region.Mode,
	start, end snap,
	limit float64,
) ([]uint32, float64, bool) {
	s := r.searches.Get().(*search)
	defer r.searches.Put(s)
	s.run++
	s.queue = s.queue[:0]
	if s.run == 0 { // the stamps have come round
		clear(s.stamp)
		s.run = 1
	}
	fastest := r.modes[mode].fastest
	bound := func(node uint32) float64 { // the sphere with a margin for its difference from the ellipsoid
		p := r.region.Junction(node).Point()
		return geodesy.Measure(geodesy.Sphere, p, end.at).DistanceM * 0.994 / fastest
	}
	first, last := r.region.Segment(start.segment), r.region.Segment(end.segment)
	if first.Access.Allows(mode, false) {
		s.reach(first.To, start.restM/speed(mode, first), none, bound(first.To))
	}
	if first.Access.Allows(mode, true) {
		s.reach(first.From, start.alongM/speed(mode, first), none, bound(first.From))
	}
	best, bestNode := limit, none
	finish := func(node uint32, cost float64) {
		if node == last.From && last.Access.Allows(mode, false) {
			if c := cost + end.alongM/speed(mode, last); c < best {
				best, bestNode = c, node
			}
		}
		if node == last.To && last.Access.Allows(mode, true) {
			if c := cost + end.restM/speed(mode, last); c < best {
				best, bestNode = c, node
			}
		}
	}
	for settled := 0; len(s.queue) > 0; settled++ {
		if settled%askEvery == askEvery-1 && ctx.Err() != nil {
			return nil, math.Inf(1), false
		}
		e := s.queue.pop()
		if e.key >= best {
			break
		}
		if s.settled[e.node] {
			continue
		}
		s.settled[e.node] = true
		cost := s.cost[e.node]
		finish(e.node, cost)
		for _, edge := range r.region.Edges(e.node) {
			seg := r.region.Segment(edge / 2)
			backward := edge&1 == 1
			if !seg.Access.Allows(mode, backward) {
				continue
			}
			target := seg.To
			if backward {
				target = seg.From
			}
			if s.stamp[target] == s.run && s.settled[target] {
				continue
			}
			s.reach(target, cost+seg.LengthM/speed(mode, seg), edge, bound(target))
		}
	}
	if bestNode == none {
		return nil, math.Inf(1), false
	}
	var edges []uint32
	for node := bestNode; s.through[node] != none; {
		if len(edges) > r.region.Junctions() { // a damaged network leads in a circle
			return nil, math.Inf(1), false
		}
		edge := s.through[node]
		edges = append(edges, edge)
		seg := r.region.Segment(edge / 2)
		node = seg.From
		if edge&1 == 1 {
			node = seg.To
		}
	}
	slices.Reverse(edges)
	return edges, best, true
}

type entry struct {
	key  float64
	node uint32
}

// queue is a binary heap by key, then by node so that equal ways come out the same every time.
type queue []entry

func (q queue) less(i, j int) bool {
	return q[i].key < q[j].key || q[i].key == q[j].key && q[i].node < q[j].node
}

func (q *queue) push(e entry) {
	*q = append(*q, e)
	h := *q
	for i := len(h) - 1; i > 0; {
		up := (i - 1) / 2
		if !h.less(i, up) {
			break
		}
		h[i], h[up] = h[up], h[i]
		i = up
	}
}

func (q *queue) pop() entry {
	h := *q
	top := h[0]
	n := len(h) - 1
	h[0] = h[n]
	h = h[:n]
	for i := 0; ; {
		child := 2*i + 1
		if child >= n {
			break
		}
		if child+1 < n && h.less(child+1, child) {
			child++
		}
		if !h.less(child, i) {
			break
		}
		h[i], h[child] = h[child], h[i]
		i = child
	}
	*q = h
	return top
}
