package road

import (
	"slices"

	"viandante/core/hierarchy"
)

// A way begins and ends on roads that are for that only, such as private ones, or on those of all. These ends are
// looked
// at one by one here, by Dijkstra's search (1959); what lies between is the hierarchy's.

// end is a vertex of the graph of turns at which a way goes over from its end to the roads of all, or back.
type end struct {
	vertex uint32
	// cost is what it costs from the start to the end of the vertex's edge, or from there to the goal; ticks.
	cost uint32
	snap int
	// edges are those between the snap and the vertex, in the order of the way.
	edges []uint32
}

// starts returns where a way from some snaps goes over to the roads of all: the snaps' own edges, or where one comes
// out
// of roads for ends only.
func (r *Router) starts(m *Metric, snaps []snap) (out []end) {
	for i, s := range snaps {
		for _, e := range bothWays(s.segment) {
			c := m.edgeCost(e)
			if c >= Infinite {
				continue
			}
			rest := s.extra + share(c, 1-s.part(e))
			if !m.atEndsOnly(e) {
				out = append(out, end{e, rest, i, nil})
				continue
			}
			r.explore(m, e, rest, true, func(t *tree, v, cost, last uint32) {
				out = append(out, end{v, cost, i, t.path(last)})
			}, nil)
		}
	}
	return out
}

// goals returns where a way to some snaps leaves the roads of all. What it costs from the end of a vertex's edge to a
// goal on that edge is less than nothing, so bias is added everywhere: at least what any edge costs.
//
// from are the snaps where the way begins: one that lies on the goal's edge beyond it must come round, so the goal
// counts from the edges before.
func (r *Router) goals(m *Metric, from, to []snap) (out []end, bias uint32) {
	for _, s := range to {
		for _, e := range bothWays(s.segment) {
			if c := m.edgeCost(e); c < Infinite {
				bias = max(bias, c)
			}
		}
	}
	for i, s := range to {
		for _, e := range bothWays(s.segment) {
			c := m.edgeCost(e)
			if c >= Infinite {
				continue
			}
			head := s.extra + share(c, s.part(e))
			if m.atEndsOnly(e) {
				r.explore(m, e, head, false, func(t *tree, v, cost, last uint32) {
					out = append(out, end{v, bias + cost, i, t.path(last)})
				}, nil)
				continue
			}
			round := comesRound(from, s, e)
			r.region.CopiesOf(e, func(v uint32) {
				if v != e || !round {
					out = append(out, end{v, bias + head - c, i, nil})
				}
			})
			if round {
				r.before(m, e, func(v, turn uint32) {
					if r.region.Turn(v, e) == e && !m.atEndsOnly(r.region.EdgeOf(v)) {
						out = append(out, end{v, bias + head + turn, i, []uint32{e}})
					}
				})
			}
		}
	}
	return out, bias
}

func bothWays(segment uint32) [2]uint32 { return [2]uint32{2 * segment, 2*segment + 1} }

// comesRound tells whether one of some snaps lies on an edge beyond another.
func comesRound(from []snap, s snap, e uint32) bool {
	return slices.ContainsFunc(from, func(a snap) bool { return a.segment == s.segment && a.part(e) > s.part(e) })
}

// before yields the vertices from which an edge can be entered, and what the turn costs.
func (r *Router) before(m *Metric, edge uint32, yield func(v, turn uint32)) {
	for _, out := range r.region.Edges(r.region.Tail(edge)) {
		if m.edgeCost(out^1) >= Infinite {
			continue
		}
		r.region.CopiesOf(out^1, func(v uint32) {
			if turn := m.turn(v, edge); turn < Infinite {
				yield(v, turn)
			}
		})
	}
}

// mostWithin bounds how many edges of roads for ends only are looked at from one end.
const mostWithin = 20_000

// tree tells by which edges a search reached others.
type tree struct {
	from  map[uint32]uint32
	cost  map[uint32]uint32
	forth bool
}

// path returns the edges from where the search began to one, in the order of the way.
func (t *tree) path(e uint32) (out []uint32) {
	for ; e != none; e = t.from[e] {
		out = append(out, e)
	}
	if t.forth {
		slices.Reverse(out)
	}
	return out
}

// explore follows roads that are for the ends of ways only from an edge on, forwards or backwards. It calls leave with
// each vertex at which they meet other roads: what it costs from the start to that vertex's end, or from there to the
// goal, and the last edge before it. It calls settle with each edge of them, in the order of costs, until that returns
// false.
func (r *Router) explore(m *Metric, edge, cost uint32, forth bool, leave func(t *tree, vertex, cost, last uint32),
	settle func(t *tree, edge, cost uint32) bool,
) {
	t := &tree{map[uint32]uint32{edge: none}, map[uint32]uint32{edge: cost}, forth}
	done := map[uint32]bool{}
	queue := queue{{uint64(cost), edge}}
	for len(queue) > 0 && len(done) < mostWithin {
		x := queue.pop()
		if done[x.node] {
			continue
		}
		done[x.node] = true
		if settle != nil && !settle(t, x.node, uint32(x.key)) {
			return
		}
		reach := func(v, turn uint32) {
			e := r.region.EdgeOf(v)
			if !m.atEndsOnly(e) {
				if leave != nil {
					sum := uint32(x.key) + turn
					if forth {
						sum += m.edgeCost(e)
					}
					leave(t, v, sum, x.node)
				}
				return
			}
			sum := uint32(x.key) + turn + m.edgeCost(e)
			if old, ok := t.cost[e]; !ok || sum < old {
				t.cost[e], t.from[e] = sum, x.node
				queue.push(entry{uint64(sum), e})
			}
		}
		if !forth {
			r.before(m, x.node, reach)
			continue
		}
		for _, e := range r.region.Edges(r.region.Head(x.node)) {
			if turn := m.turn(x.node, e); turn < Infinite && m.edgeCost(e) < Infinite {
				reach(r.region.Turn(x.node, e), turn)
			}
		}
	}
}

// found is a way: what it costs in ticks, the snaps that it begins and ends at, and its edges, the first and the last
// of
// which it follows in part.
type found struct {
	cost     uint32
	from, to int
	edges    []uint32
}

// direct returns the quickest way from one snap to another that never comes to roads of all: along one segment, or by
// roads for ends only. Its cost is Infinite where there is none.
func (r *Router) direct(m *Metric, from, to []snap) found {
	best := found{cost: Infinite}
	for i, a := range from {
		for k, b := range to {
			for _, e := range bothWays(a.segment) {
				c := m.edgeCost(e)
				if c >= Infinite {
					continue
				}
				if a.segment == b.segment && b.part(e) >= a.part(e) {
					cost := a.extra + b.extra + share(c, b.part(e)-a.part(e))
					if cost < best.cost {
						best = found{cost, i, k, []uint32{e}}
					}
				}
				if !m.atEndsOnly(e) || !m.atEndsOnly(2*b.segment) && !m.atEndsOnly(2*b.segment+1) {
					continue
				}
				r.explore(m, e, a.extra+share(c, 1-a.part(e)), true, nil, func(t *tree, last, cost uint32) bool {
					if last/2 == b.segment && t.from[last] != none {
						whole := m.edgeCost(last)
						sum := cost - whole + share(whole, b.part(last)) + b.extra
						if sum < best.cost {
							best = found{sum, i, k, t.path(last)}
						}
					}
					return cost < best.cost
				})
			}
		}
	}
	return best
}

// seeds returns ends as those of a search by rank.
func (r *Router) seeds(ends []end) []hierarchy.Seed {
	out := make([]hierarchy.Seed, len(ends))
	for i, e := range ends {
		out[i] = hierarchy.Seed{Vertex: r.region.Rank(e.vertex), Cost: e.cost}
	}
	return out
}

// joined puts a way together: the edges of its start, those of the vertices between, those of its goal. The ends are
// the cheapest of those at the path's first and last vertex.
func (r *Router) joined(starts, goals []end, vertices []uint32, cost uint32) found {
	at := func(ends []end, vertex uint32) end {
		best := end{cost: Infinite}
		for _, e := range ends {
			if e.vertex == vertex && e.cost < best.cost {
				best = e
			}
		}
		return best
	}
	first, last := at(starts, vertices[0]), at(goals, vertices[len(vertices)-1])
	out := found{cost: cost, from: first.snap, to: last.snap}
	out.edges = append(out.edges, first.edges...)
	for _, v := range vertices {
		out.edges = append(out.edges, r.region.EdgeOf(v))
	}
	out.edges = append(out.edges, last.edges...)
	return out
}
