package road

import (
	"context"
	"math"
	"slices"
	"sync"

	"viandante/core/geo"
	"viandante/core/hierarchy"
)

// Matrix is what the quickest ways from some points to others take and how long they are: a row for each start, NaN
// where there is no way or no road is near.
type Matrix struct {
	// CostS is what they count when ways are compared, in seconds, the way from each point to its road included.
	CostS, DurationsS, DistancesM [][]float64
}

func newMatrix(rows, columns int) *Matrix {
	table := func() [][]float64 {
		out := make([][]float64, rows)
		for i := range out {
			out[i] = make([]float64, columns)
			for k := range out[i] {
				out[i][k] = math.NaN()
			}
		}
		return out
	}
	return &Matrix{table(), table(), table()}
}

// Complete tells whether there is a way for each pair.
func (x *Matrix) Complete() bool {
	for _, row := range x.DurationsS {
		if slices.ContainsFunc(row, math.IsNaN) {
			return false
		}
	}
	return true
}

// Merge fills in from another matrix, for the same points, where there is no way in this.
func (x *Matrix) Merge(other *Matrix) {
	for i := range x.CostS {
		for k := range x.CostS[i] {
			if math.IsNaN(x.CostS[i][k]) {
				x.CostS[i][k], x.DurationsS[i][k] = other.CostS[i][k], other.DurationsS[i][k]
				x.DistancesM[i][k] = other.DistancesM[i][k]
			}
		}
	}
}

// Matrix finds the quickest ways from some points to others. Each point costs a climb of the hierarchy, each pair a
// look at what their climbs share.
func (r *Router) Matrix(ctx context.Context, m *Metric, from, to []geo.Point) (*Matrix, error) {
	sources, targets := r.locateAll(m, from), r.locateAll(m, to)
	out := newMatrix(len(from), len(to))
	x := &matrixSearch{r: r, m: m, sources: sources, targets: targets, out: out}
	if !m.Ready() {
		for i := range sources {
			for k := range targets {
				if err := x.single(ctx, r.astar, i, k); err != nil {
					return nil, err
				}
			}
		}
		return out, nil
	}
	return out, x.all(ctx)
}

func (r *Router) locateAll(m *Metric, at []geo.Point) [][]snap {
	out := make([][]snap, len(at))
	for i, p := range at {
		out[i], _ = r.locate(m, p) // what lies off all roads has no snaps
	}
	return out
}

type matrixSearch struct {
	r                *Router
	m                *Metric
	sources, targets [][]snap
	out              *Matrix
}

// single finds one way by itself.
func (x *matrixSearch) single(ctx context.Context, by search, i, k int) error {
	if len(x.sources[i]) == 0 || len(x.targets[k]) == 0 {
		return nil
	}
	way, err := x.r.best(ctx, x.m, by, x.sources[i], x.targets[k])
	if err != nil || way.cost >= Infinite {
		return err
	}
	x.set(i, k, way)
	return nil
}

// set notes a way that was found edge by edge.
func (x *matrixSearch) set(i, k int, way found) {
	a, b := x.sources[i][way.from], x.targets[k][way.to]
	var sum hierarchy.Measure
	for n, e := range way.edges {
		from, till := 0.0, 1.0
		if n == 0 {
			from = a.part(e)
		} else {
			sum[1] += float64(x.m.turnTime(way.edges[n-1], e))
		}
		if n == len(way.edges)-1 {
			till = b.part(e)
		}
		part := math.Max(0, till-from)
		sum[0] += x.r.region.LengthOf(e/2) * part
		sum[1] += float64(share(x.m.edgeTime(e), part))
	}
	x.note(i, k, way.cost, sum)
}

func (x *matrixSearch) note(i, k int, cost uint32, sum hierarchy.Measure) {
	x.out.CostS[i][k], x.out.DistancesM[i][k], x.out.DurationsS[i][k] = seconds(cost), sum[0], sum[1]/ticks
}

func (x *matrixSearch) all(ctx context.Context) error {
	r, m := x.r, x.m
	goals, biases := make([][]end, len(x.targets)), make([]uint32, len(x.targets))
	seeds := make([][]hierarchy.Seed, len(x.targets))
	for k, snaps := range x.targets {
		goals[k], biases[k] = r.goals(m, nil, snaps)
		seeds[k] = r.seeds(goals[k])
	}
	table := hierarchy.NewTable(r.queries, m.weighed, seeds)
	spare := sync.Pool{New: func() any {
		trails := make([]*hierarchy.Trail, len(goals))
		for k := range trails {
			trails[k] = m.sums.Along(table.Target(k), true)
		}
		return &trails
	}}
	m.parallel.Do(len(x.sources), func(i int) {
		if ctx.Err() != nil {
			return
		}
		trails := spare.Get().(*[]*hierarchy.Trail)
		defer spare.Put(trails)
		q := r.queries.Get()
		defer r.queries.Put(q)
		x.row(ctx, q, table, *trails, goals, biases, i)
	})
	return ctx.Err()
}

// measure is the length in metres and the time in ticks of a turn and the edge it leads into, by rank.
func (m *Metric) measure(v, w uint32) hierarchy.Measure {
	in, out := m.region.EdgeOf(m.region.At(v)), m.region.EdgeOf(m.region.At(w))
	return hierarchy.Measure{m.region.LengthOf(out / 2), float64(m.turnTime(in, out) + m.edgeTime(out))}
}

func (x *matrixSearch) row(ctx context.Context, q *hierarchy.Query, table *hierarchy.Table, trails []*hierarchy.Trail,
	goals [][]end, biases []uint32, i int,
) {
	r, m := x.r, x.m
	if len(x.sources[i]) == 0 {
		return
	}
	starts := r.starts(m, x.sources[i])
	row := table.Row(q, r.seeds(starts))
	inside := x.inside(x.sources[i])
	trail := m.sums.Along(row.Climb, false)
	for k := range x.targets {
		if len(x.targets[k]) == 0 {
			continue
		}
		if sharesSegment(x.sources[i], x.targets[k]) || touches(inside, x.targets[k]) {
			_ = x.single(ctx, r.hierarchical, i, k)
			continue
		}
		if row.Cost[k] >= Infinite {
			continue
		}
		up, first := trail.At(row.Up[k])
		down, last := trails[k].At(row.Down[k])
		start, goal := r.cheapest(starts, first), r.cheapest(goals[k], last)
		sum := hierarchy.Measure{up[0] + down[0], up[1] + down[1]}
		x.addStart(&sum, i, start)
		x.addGoal(&sum, k, goal)
		x.note(i, k, row.Cost[k]-biases[k], sum)
	}
}

// cheapest returns the cheapest of the ends at a vertex, by rank.
func (r *Router) cheapest(ends []end, rank uint32) end {
	best := end{cost: Infinite}
	for _, e := range ends {
		if e.cost < best.cost && r.region.Rank(e.vertex) == rank {
			best = e
		}
	}
	return best
}

func sharesSegment(a, b []snap) bool {
	for _, s := range a {
		for _, o := range b {
			if s.segment == o.segment {
				return true
			}
		}
	}
	return false
}

// inside returns the segments that can be reached from some snaps by roads for ends only: a way there need never come
// to others.
func (x *matrixSearch) inside(snaps []snap) map[uint32]bool {
	var out map[uint32]bool
	for _, s := range snaps {
		for _, e := range bothWays(s.segment) {
			if !x.m.Open(e) || !x.m.atEndsOnly(e) {
				continue
			}
			if out == nil {
				out = map[uint32]bool{}
			}
			x.r.explore(x.m, e, 0, true, nil, func(_ *tree, edge, _ uint32) bool { out[edge/2] = true; return true })
		}
	}
	return out
}

func touches(segments map[uint32]bool, snaps []snap) bool {
	return slices.ContainsFunc(snaps, func(s snap) bool { return segments[s.segment] })
}

// add adds what a part of an edge measures.
func (x *matrixSearch) add(sum *hierarchy.Measure, e uint32, part float64) {
	sum[0] += x.r.region.LengthOf(e/2) * part
	t := x.m.edgeTime(e)
	if part < 0 {
		sum[1] -= float64(t - share(t, 1+part))
		return
	}
	sum[1] += float64(share(t, part))
}

func (x *matrixSearch) turn(sum *hierarchy.Measure, in, out uint32) {
	sum[1] += float64(x.m.turnTime(in, out))
}

// addStart adds what lies between a start and the end of its vertex's edge.
func (x *matrixSearch) addStart(sum *hierarchy.Measure, i int, s end) {
	edges := append(append([]uint32{}, s.edges...), x.r.region.EdgeOf(s.vertex))
	for n, e := range edges {
		part := 1.0
		if n == 0 {
			part = 1 - x.sources[i][s.snap].part(e)
		} else {
			x.turn(sum, edges[n-1], e)
		}
		x.add(sum, e, part)
	}
}

// addGoal adds what lies between the end of a goal's vertex and the goal: less than nothing where it lies on that edge.
func (x *matrixSearch) addGoal(sum *hierarchy.Measure, k int, g end) {
	last := x.r.region.EdgeOf(g.vertex)
	snap := x.targets[k][g.snap]
	if len(g.edges) == 0 {
		x.add(sum, last, snap.part(last)-1)
		return
	}
	for n, e := range g.edges {
		x.turn(sum, last, e)
		part := 1.0
		if n == len(g.edges)-1 {
			part = snap.part(e)
		}
		x.add(sum, e, part)
		last = e
	}
}
