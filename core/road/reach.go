package road

import (
	"context"
	"slices"

	"viandante/core/geo"
)

// Area is what can be reached within some time: polygons of rings, the first of each the outline, counterclockwise, the
// others its holes; no ring repeats its first position.
type Area struct {
	Seconds  float64
	Polygons [][][]geo.Point
}

const (
	// MostReachS is the longest time that may be asked for, in seconds, and MostTimes how many.
	MostReachS, MostTimes = 6 * 3600, 10
)

// arrival is when an edge is entered and left, in ticks.
type arrival struct{ edge, enter, leave uint32 }

// Reach returns what can be reached from a position within some times, in seconds, or from where one can be there
// within
// them if inward is set: Dijkstra's search (1959) up to the longest time, drawn on a grid as the time to each cell,
// whose
// lines of equal time are the outlines (core/contour). Roads that are asked to be avoided are closed here.
func (r *Router) Reach(ctx context.Context, m *Metric, at geo.Point, times []float64, inward bool) ([]Area, error) {
	snaps, err := r.locate(m, at)
	if err != nil {
		return nil, err
	}
	snaps = snaps[:1] // the nearest road: a sketch of where one gets needs no others
	longest := toTicks(slices.Max(times))
	edges, err := r.within(ctx, m, snaps[0], longest, inward)
	if err != nil {
		return nil, err
	}
	g := r.newGrid(m, snaps[0], edges, longest, inward)
	out := make([]Area, len(times))
	for i, s := range times {
		out[i] = Area{s, g.above(s)}
	}
	return out, nil
}

// searched says up to how many edges Dijkstra's search goes before a sweep over the whole hierarchy takes over.
const searched = 3_000

// within returns the edges that can be entered within a time, each as soon as it can be; against the roads' direction
// if inward is set, counted from the end then.
func (r *Router) within(ctx context.Context, m *Metric, s snap, longest uint32, inward bool) ([]arrival, error) {
	x := &reachSearch{r: r, m: m, snap: s, longest: longest, inward: inward, entered: map[uint32]bool{}}
	l := r.labels.Get().(*labels)
	defer r.labels.Put(l)
	l.begin()
	for _, e := range bothWays(s.segment) {
		if t := x.time(e); t < Infinite {
			l.reach(e, share(t, x.ahead(e)), none, 0)
		}
	}
	// Where time is what ways are compared by, and nothing is avoided, the hierarchy knows the answer for all.
	known := m.Ready() && len(m.Profile.Prefer) == 0 && m.avoided == 0
	for n := 1; ; n++ {
		if n%askEvery == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if known && n > searched {
			return x.sweep(l), nil
		}
		v, ok := l.settle()
		if !ok {
			return x.out, nil
		}
		x.settle(l, v.node, l.cost[v.node])
	}
}

// reachSearch is the search for what can be reached within a time.
type reachSearch struct {
	r       *Router
	m       *Metric
	snap    snap
	longest uint32
	inward  bool
	out     []arrival
	// entered are roads for ends only that were entered from others.
	entered map[uint32]bool
}

// time is the time along a whole edge.
func (x *reachSearch) time(e uint32) uint32 {
	if x.m.avoided != 0 && x.m.rule(e).traits&x.m.avoided != 0 || x.m.edgeCost(e) >= Infinite {
		return Infinite
	}
	return x.m.edgeTime(e)
}

// ahead is the part of the first edge that is travelled.
func (x *reachSearch) ahead(e uint32) float64 {
	if x.inward {
		return x.snap.part(e)
	}
	return 1 - x.snap.part(e)
}

// note notes when an edge is left, and tells whether it is entered in time.
func (x *reachSearch) note(e, leave uint32) bool {
	enter := uint32(0)
	if whole := x.time(e); leave > whole {
		enter = leave - whole
	}
	if enter > x.longest {
		return false
	}
	x.out = append(x.out, arrival{e, enter, leave})
	return true
}

func (x *reachSearch) settle(l *labels, v, cost uint32) {
	r, m := x.r, x.m
	e := r.region.EdgeOf(v)
	if !x.note(e, cost) || cost > x.longest {
		return
	}
	// A road for ends only leads on to others where the way began on such, and only to its like where it came to it.
	private := m.atEndsOnly(e)
	inside := private && x.entered[v]
	next := func(u, turn uint32) {
		to := r.region.EdgeOf(u)
		t := x.time(to)
		if t >= Infinite || inside && !m.atEndsOnly(to) {
			return
		}
		if sum := cost + turn + t; !(l.stamp[u] == l.run && l.cost[u] <= sum) {
			l.reach(u, sum, v, 0)
			if m.atEndsOnly(to) {
				x.entered[u] = inside || !private
			}
		}
	}
	if x.inward {
		r.before(m, e, next)
		return
	}
	for _, to := range r.region.Edges(r.region.Head(e)) {
		if turn := m.turn(v, to); turn < Infinite {
			next(r.region.Turn(v, to), turn)
		}
	}
}

// sweep has the hierarchy find all at once; roads for ends only, which it leaves out, are searched from there.
func (x *reachSearch) sweep(l *labels) []arrival {
	r, m := x.r, x.m
	ends, bias := r.starts(m, []snap{x.snap}), uint32(0)
	if x.inward {
		ends, bias = r.goals(m, nil, []snap{x.snap})
	}
	q := r.queries.Get()
	defer r.queries.Put(q)
	pooled := r.costs.Get().(*[]uint32)
	defer r.costs.Put(pooled)
	cost := *pooled
	x.out = x.out[:0]
	var closed []uint32 // roads for ends only
	l.begin()
	// leave is when an edge is left. The search backwards counts from the edge's end, and adds bias.
	leave := func(e, cost uint32) uint32 {
		if x.inward {
			return cost + m.edgeTime(e) - bias
		}
		return cost
	}
	limit := min(Infinite-1, x.longest+bias)
	for _, span := range q.All(m.weighed, r.seeds(ends), x.inward, limit, m.parallel, cost) {
		for rank := span.From; rank <= span.To; rank++ {
			c := cost[rank]
			e := r.region.EdgeOf(r.region.At(rank))
			if c >= Infinite {
				if m.atEndsOnly(e) {
					closed = append(closed, e)
				}
				continue
			}
			x.note(e, leave(e, c))
		}
	}
	private := func(e uint32) {
		if x.time(e) >= Infinite {
			return
		}
		look := func(u, turn uint32) {
			if c := cost[r.region.Rank(u)]; c < Infinite && !m.atEndsOnly(r.region.EdgeOf(u)) {
				at := leave(r.region.EdgeOf(u), c)
				if at > x.longest {
					return
				}
				x.entered[e] = true
				l.reach(e, at+turn+x.time(e), none, 0)
			}
		}
		if x.inward {
			for _, to := range r.region.Edges(r.region.Head(e)) {
				if turn := m.turn(e, to); turn < Infinite {
					look(r.region.Turn(e, to), turn)
				}
			}
			return
		}
		for _, out := range r.region.Edges(r.region.Tail(e)) {
			if cost[r.region.Rank(out^1)] <= limit || r.region.HasCopies() {
				r.before(m, e, look)
				return
			}
		}
	}
	for _, e := range closed {
		private(e)
	}
	for _, e := range bothWays(x.snap.segment) {
		if t := x.time(e); t < Infinite && m.atEndsOnly(e) {
			x.entered[e] = false
			l.reach(e, share(t, x.ahead(e)), none, 0)
		}
	}
	for {
		v, ok := l.settle()
		if !ok {
			return x.out
		}
		if c := l.cost[v.node]; m.atEndsOnly(r.region.EdgeOf(v.node)) {
			x.settle(l, v.node, c)
		}
	}
}
