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
	// CostS is what they count when ways are compared, in seconds.
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
		sum[0] += x.r.region.Segment(e/2).LengthM * part
		sum[1] += float64(share(x.m.edgeTime(e), part))
	}
	x.note(i, k, way.cost-a.extra-b.extra, sum)
}

func (x *matrixSearch) note(i, k int, cost uint32, sum hierarchy.Measure) {
	x.out.CostS[i][k], x.out.DistancesM[i][k], x.out.DurationsS[i][k] = seconds(cost), sum[0], sum[1]/ticks
}

// workers is how many goroutines share the rows of a matrix.
const workers = 2

func (x *matrixSearch) all(ctx context.Context) error {
	r, m := x.r, x.m
	goals, biases := make([][]end, len(x.targets)), make([]uint32, len(x.targets))
	seeds := make([][]hierarchy.Seed, len(x.targets))
	for k, snaps := range x.targets {
		goals[k], biases[k] = r.goals(m, nil, snaps)
		seeds[k] = r.seeds(goals[k])
	}
	table := hierarchy.NewTable(r.queries, m.weighed, seeds)
	rows := make(chan int)
	var done sync.WaitGroup
	for range workers {
		done.Go(func() {
			q := r.queries.Get()
			defer r.queries.Put(q)
			sums := hierarchy.NewSums(m.weighed, x.measure)
			trails := make([]*hierarchy.Trail, len(goals))
			for k := range trails {
				trails[k] = sums.Along(table.Target(k), true)
			}
			for i := range rows {
				x.row(ctx, q, table, sums, trails, goals, biases, i)
			}
		})
	}
	for i := range x.sources {
		if ctx.Err() != nil {
			break
		}
		rows <- i
	}
	close(rows)
	done.Wait()
	return ctx.Err()
}

// measure is the length in metres and the time in ticks of a turn and the edge it leads into, by rank.
func (x *matrixSearch) measure(v, w uint32) hierarchy.Measure {
	in, out := x.r.region.EdgeOf(x.r.region.At(v)), x.r.region.EdgeOf(x.r.region.At(w))
	return hierarchy.Measure{x.r.region.Segment(out / 2).LengthM, float64(x.m.turnTime(in, out) + x.m.edgeTime(out))}
}

func (x *matrixSearch) row(ctx context.Context, q *hierarchy.Query, table *hierarchy.Table, sums *hierarchy.Sums,
	trails []*hierarchy.Trail, goals [][]end, biases []uint32, i int,
) {
	r, m := x.r, x.m
	if len(x.sources[i]) == 0 {
		return
	}
	starts := r.starts(m, x.sources[i])
	row := table.Row(q, r.seeds(starts))
	trail := sums.Along(row.Climb, false)
	for k := range x.targets {
		if len(x.targets[k]) == 0 {
			continue
		}
		if sharesSegment(x.sources[i], x.targets[k]) || x.privateBoth(i, k) {
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
		a, b := x.sources[i][start.snap], x.targets[k][goal.snap]
		x.note(i, k, row.Cost[k]-biases[k]-a.extra-b.extra, sum)
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

// privateBoth tells whether a way might lead by roads for ends only all along.
func (x *matrixSearch) privateBoth(i, k int) bool {
	private := func(snaps []snap) bool {
		for _, s := range snaps {
			if x.m.atEndsOnly(2*s.segment) || x.m.atEndsOnly(2*s.segment+1) {
				return true
			}
		}
		return false
	}
	return private(x.sources[i]) && private(x.targets[k])
}

// add adds what a part of an edge measures.
func (x *matrixSearch) add(sum *hierarchy.Measure, e uint32, part float64) {
	sum[0] += x.r.region.Segment(e/2).LengthM * part
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
