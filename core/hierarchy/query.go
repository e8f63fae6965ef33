package hierarchy

import (
	"slices"
	"sync"
)

// Seed is a vertex at which a path may begin or end, and what it costs to get from the start to it or from it to the
// end.
type Seed struct{ Vertex, Cost uint32 }

// Query is the memory of one search, for one hierarchy: arrays over all vertices, empty between searches.
type Query struct {
	h            *Hierarchy
	forth, back  side
	meetings     []Meeting
	wantMeetings bool
}

// side is a search from one end: what it costs to reach each vertex, and from which vertex.
type side struct {
	cost    []uint32
	from    []uint32
	touched []uint32
	at      []uint32 // the ancestors that come next, of each seed
}

// Meeting is a vertex that both searches reach, and the cost of the best path by way of it.
type Meeting struct{ Vertex, Cost uint32 }

// Pool hands out the memory of searches.
type Pool struct{ pool sync.Pool }

// NewPool returns a pool for a hierarchy.
func NewPool(h *Hierarchy) *Pool {
	p := &Pool{}
	p.pool.New = func() any { return newQuery(h) }
	return p
}

// Get returns memory for one search at a time; Put gives it back.
func (p *Pool) Get() *Query { return p.pool.Get().(*Query) }

// Put gives back what Get returned.
func (p *Pool) Put(q *Query) { p.pool.Put(q) }

func newQuery(h *Hierarchy) *Query {
	q := &Query{h: h}
	for _, s := range []*side{&q.forth, &q.back} {
		s.cost, s.from = make([]uint32, h.Vertices()), make([]uint32, h.Vertices())
		for i := range s.cost {
			s.cost[i] = Infinite
		}
	}
	return q
}

func (s *side) seed(seeds []Seed) {
	s.at = s.at[:0]
	for _, x := range seeds {
		if x.Cost >= s.cost[x.Vertex] {
			continue
		}
		s.cost[x.Vertex], s.from[x.Vertex] = x.Cost, none
		if !slices.Contains(s.at, x.Vertex) {
			s.at = append(s.at, x.Vertex)
		}
	}
}

// lowest returns the lowest vertex that is still to come, none at the end.
func (s *side) lowest() uint32 {
	low := none
	for _, v := range s.at {
		low = min(low, v)
	}
	return low
}

// pass goes on from a vertex to its parent.
func (s *side) pass(v, parent uint32) {
	k, joined := 0, parent == none
	for _, x := range s.at {
		if x == parent {
			joined = true
		}
	}
	for _, x := range s.at {
		if x == v {
			if joined {
				continue
			}
			x, joined = parent, true
		}
		s.at[k] = x
		k++
	}
	s.at = s.at[:k]
}

func (s *side) reset() {
	for _, v := range s.touched {
		s.cost[v] = Infinite
	}
	s.touched = s.touched[:0]
}

// relax reaches the vertices above one.
func (s *side) relax(arcs *Arcs, weights []uint32, v, cost uint32) {
	lo, hi := arcs.First[v], arcs.First[v+1]
	others := arcs.Other[lo:hi]
	w := weights[lo:hi]
	for i, u := range others {
		if sum := cost + w[i]; sum < s.cost[u] {
			s.cost[u], s.from[u] = sum, v
		}
	}
}

// Best returns the cost of the quickest path from one of some seeds to one of others, and the vertex at which its way
// up ends; Infinite where there is none. The path and its meetings stay until Release, which must follow.
func (q *Query) Best(m *Metric, from, to []Seed) (cost, meet uint32) {
	cost, meet = Infinite, none
	q.meetings = q.meetings[:0]
	q.forth.seed(from)
	q.back.seed(to)
	for {
		f, b := q.forth.lowest(), q.back.lowest()
		v := min(f, b)
		if v == none {
			return cost, meet
		}
		limit := cost
		if q.wantMeetings && cost < Infinite {
			limit = cost + cost/2
		}
		if f == v && b == v {
			if sum := q.forth.cost[v] + q.back.cost[v]; sum < Infinite {
				if sum < cost {
					cost, meet = sum, v
				}
				if q.wantMeetings {
					q.meetings = append(q.meetings, Meeting{v, sum})
				}
			}
		}
		parent := q.h.Parent[v]
		if f == v {
			q.forth.touched = append(q.forth.touched, v)
			if c := q.forth.cost[v]; c < limit {
				q.forth.relax(&q.h.Up, m.Up, v, c)
			}
			q.forth.pass(v, parent)
		}
		if b == v {
			q.back.touched = append(q.back.touched, v)
			if c := q.back.cost[v]; c < limit {
				q.back.relax(&q.h.Down, m.Down, v, c)
			}
			q.back.pass(v, parent)
		}
	}
}

// Meetings does what Best does, and returns all vertices that both searches reached at no more than half as much again
// as the best path.
func (q *Query) Meetings(m *Metric, from, to []Seed) (cost, meet uint32, all []Meeting) {
	q.wantMeetings = true
	cost, meet = q.Best(m, from, to)
	q.wantMeetings = false
	return cost, meet, q.meetings
}

// Path returns the vertices of the path by way of a vertex that both searches reached, after Best and before Release.
func (q *Query) Path(m *Metric, meet uint32) []uint32 {
	var up []uint32
	for v := meet; ; v = q.forth.from[v] {
		up = append(up, v)
		if q.forth.from[v] == none {
			break
		}
	}
	slices.Reverse(up)
	path := []uint32{up[0]}
	for i := 1; i < len(up); i++ {
		path = m.Unpack(path, up[i-1], up[i])
	}
	for v := meet; q.back.from[v] != none; v = q.back.from[v] {
		path = m.Unpack(path, v, q.back.from[v])
	}
	return path
}

// Release empties the memory for the next search.
func (q *Query) Release() {
	q.forth.reset()
	q.back.reset()
}
