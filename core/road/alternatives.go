package road

import (
	"cmp"
	"context"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/hierarchy"
)

// What makes another way worth telling (Abraham, Delling, Goldberg and Werneck 2013): it costs at most so many
// times the best one, shares at most such a part with each way told before, and every stretch of it up to such a part
// of the best one's cost is itself a quickest way.
const (
	mostStretch = 1.4
	mostShared  = 0.75
	localPart   = 0.2
	// mostTried bounds how many candidates are looked at.
	mostTried = 8
)

// MostAlternatives is how many other ways may be asked for.
const MostAlternatives = 3

// Alternatives returns the quickest way and up to n others, by what they cost. The candidates are the ways by the
// vertices at which both climbs of the hierarchy meet; until a metric is ready there are no others.
func (r *Router) Alternatives(ctx context.Context, m *Metric, from, to geo.Point, n int) ([]*Route, error) {
	best, err := r.Find(ctx, m, from, to)
	if err != nil || n <= 0 || !m.Ready() {
		return []*Route{best}, err
	}
	start, end, err := r.locateBoth(m, from, to)
	if err != nil {
		return nil, err
	}
	out := []*Route{best}
	for _, way := range r.others(m, start, end, n) {
		out = append(out, r.assemble(m, start[way.from], end[way.to], way, to))
	}
	return out, nil
}

// others returns up to n ways besides the best one.
func (r *Router) others(m *Metric, from, to []snap, n int) (out []found) {
	starts := r.starts(m, from)
	goals, bias := r.goals(m, from, to)
	q := r.queries.Get()
	defer r.queries.Put(q)
	cost, meet, meetings := q.Meetings(m.weighed, r.seeds(starts), r.seeds(goals))
	if cost >= Infinite || r.direct(m, from, to).cost <= cost-bias {
		q.Release()
		return nil
	}
	meetings = slices.Clone(meetings)
	slices.SortFunc(meetings, func(a, b hierarchy.Meeting) int {
		return cmp.Or(cmp.Compare(a.Cost, b.Cost), cmp.Compare(a.Vertex, b.Vertex))
	})
	real := float64(cost - bias)
	told := [][]uint32{r.vertices(q.Path(m.weighed, meet))}
	on := map[uint32]bool{} // vertices of ways that were looked at: a meeting there is no other way
	for _, v := range told[0] {
		on[v] = true
	}
	type candidate struct {
		path []uint32
		via  uint32
		cost uint32
	}
	var tried []candidate
	for _, x := range meetings {
		if float64(x.Cost-bias) > mostStretch*real || len(tried) >= mostTried {
			break
		}
		if v := r.region.At(x.Vertex); !on[v] {
			path := r.vertices(q.Path(m.weighed, x.Vertex))
			for _, w := range path {
				on[w] = true
			}
			tried = append(tried, candidate{path, v, x.Cost})
		}
	}
	q.Release()
	for _, c := range tried {
		if len(out) >= n {
			break
		}
		if repeats(r, c.path) || !r.differs(m, c.path, told, real) || !r.locallyBest(m, c.path, c.via, localPart*real) {
			continue
		}
		told = append(told, c.path)
		out = append(out, r.joined(starts, goals, c.path, c.cost-bias))
	}
	return out
}

// repeats tells whether a way follows a segment twice.
func repeats(r *Router, path []uint32) bool {
	seen := map[uint32]bool{}
	for _, v := range path {
		s := r.region.EdgeOf(v) / 2
		if seen[s] {
			return true
		}
		seen[s] = true
	}
	return false
}

// differs tells whether a way shares little with each of those told before.
func (r *Router) differs(m *Metric, path []uint32, told [][]uint32, best float64) bool {
	for _, other := range told {
		on := map[uint32]bool{}
		for _, v := range other {
			on[r.region.EdgeOf(v)] = true
		}
		shared := 0.0
		for _, v := range path[1:] {
			if e := r.region.EdgeOf(v); on[e] {
				shared += float64(m.edgeCost(e))
			}
		}
		if shared > mostShared*best {
			return false
		}
	}
	return true
}

// locallyBest tells whether the stretch of a way about a vertex, so long to both sides, is the quickest between its
// ends.
func (r *Router) locallyBest(m *Metric, path []uint32, via uint32, length float64) bool {
	at := slices.Index(path, via)
	if at < 0 {
		return false
	}
	step := func(i int) float64 { return float64(m.onTheWay(path[i-1], r.region.EdgeOf(path[i]))) }
	first, last := at, at
	sum := 0.0
	for back := 0.0; first > 0 && back < length; first-- {
		back += step(first)
		sum += step(first)
	}
	for ahead := 0.0; last < len(path)-1 && ahead < length; last++ {
		ahead += step(last + 1)
		sum += step(last + 1)
	}
	if first == last {
		return true
	}
	q := r.queries.Get()
	defer r.queries.Put(q)
	defer q.Release()
	cost, _ := q.Best(m.weighed, []hierarchy.Seed{{Vertex: r.region.Rank(path[first])}},
		[]hierarchy.Seed{{Vertex: r.region.Rank(path[last])}})
	return float64(cost) >= math.Floor(sum)
}
