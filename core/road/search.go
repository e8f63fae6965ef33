package road

import (
	"context"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

const none = ^uint32(0)

// search finds the quickest path from one of some starts to one of some goals through the graph of turns. The methods
// are interchangeable: hierarchical, astar, dijkstra. It returns the vertices, the first and the last those of ends,
// and
// the cost from end to end, Infinite where there is no path; or the context's error. Any of them may be called by many
// goroutines at once.
type search func(ctx context.Context, m *Metric, starts, goals []end) (vertices []uint32, cost uint32, err error)

// hierarchical searches by the metric's hierarchy.
func (r *Router) hierarchical(_ context.Context, m *Metric, starts, goals []end) ([]uint32, uint32, error) {
	q := r.queries.Get()
	defer r.queries.Put(q)
	defer q.Release()
	cost, meet := q.Best(m.weighed, r.seeds(starts), r.seeds(goals))
	if cost >= Infinite {
		return nil, Infinite, nil
	}
	return r.vertices(q.Path(m.weighed, meet)), cost, nil
}

// vertices returns those of some ranks, in place.
func (r *Router) vertices(ranks []uint32) []uint32 {
	for i, k := range ranks {
		ranks[i] = r.region.At(k)
	}
	return ranks
}

// askEvery is after how many vertices a search looks whether anybody still waits for it: some 2 ms.
const askEvery = 4096

// labels are the memory of one search by settling: arrays over all vertices, reused from run to run. Entries are valid
// only where stamp holds the run's number, so that nothing has to be cleared.
type labels struct {
	run     uint32
	stamp   []uint32
	cost    []uint32
	from    []uint32
	settled []bool
	queue   queue
}

func newLabels(vertices int) *labels {
	return &labels{
		stamp:   make([]uint32, vertices),
		cost:    make([]uint32, vertices),
		from:    make([]uint32, vertices),
		settled: make([]bool, vertices),
	}
}

func (l *labels) begin() {
	l.run++
	l.queue = l.queue[:0]
	if l.run == 0 { // the stamps have come round
		clear(l.stamp)
		l.run = 1
	}
}

// reached returns what it costs to reach a vertex, Infinite where it is not.
func (l *labels) reached(v uint32) uint32 {
	if l.stamp[v] != l.run {
		return Infinite
	}
	return l.cost[v]
}

func (l *labels) reach(v, cost, from uint32, bound uint32) {
	if l.stamp[v] == l.run && (l.settled[v] || l.cost[v] <= cost) {
		return
	}
	l.stamp[v], l.cost[v], l.from[v], l.settled[v] = l.run, cost, from, false
	l.queue.push(entry{uint64(cost) + uint64(bound), v})
}

// settle takes the next vertex; ok is false at the end.
func (l *labels) settle() (e entry, ok bool) {
	for len(l.queue) > 0 {
		e = l.queue.pop()
		if !l.settled[e.node] {
			l.settled[e.node] = true
			return e, true
		}
	}
	return e, false
}

// dijkstra settles vertices by what they cost (Dijkstra 1959).
func (r *Router) dijkstra(ctx context.Context, m *Metric, starts, goals []end) ([]uint32, uint32, error) {
	return r.settling(ctx, m, starts, goals, func(uint32) uint32 { return 0 })
}

// astar settles vertices by what they cost and what it costs from there at least (Hart, Nilsson and Raphael 1968): the
// sphere's distance to the nearest goal, with a margin for its difference from the ellipsoid, at the greatest speed.
func (r *Router) astar(ctx context.Context, m *Metric, starts, goals []end) ([]uint32, uint32, error) {
	ends := make([]uint32, len(goals))
	for i, g := range goals {
		ends[i] = r.region.Head(r.region.EdgeOf(g.vertex))
	}
	slices.Sort(ends)
	ends = slices.Compact(ends)
	return r.settling(ctx, m, starts, goals, func(v uint32) uint32 {
		p, least := r.region.Junction(r.region.Head(r.region.EdgeOf(v))).Point(), math.Inf(1)
		for _, e := range ends {
			d := geodesy.Measure(geodesy.Sphere, p, r.region.Junction(e).Point()).DistanceM
			if math.IsNaN(d) {
				d = 0
			}
			least = math.Min(least, d)
		}
		return uint32(least * 0.994 / m.fastest * 0.999)
	})
}

func (r *Router) settling(
	ctx context.Context, m *Metric, starts, goals []end, bound func(v uint32) uint32,
) ([]uint32, uint32, error) {
	l := r.labels.Get().(*labels)
	defer r.labels.Put(l)
	l.begin()
	at := map[uint32]uint32{} // what it costs from a goal's vertex on
	for _, g := range goals {
		if old, ok := at[g.vertex]; !ok || g.cost < old {
			at[g.vertex] = g.cost
		}
	}
	for _, s := range starts {
		l.reach(s.vertex, s.cost, none, bound(s.vertex))
	}
	best, last := uint32(Infinite), none
	for n := 1; ; n++ {
		if n%askEvery == 0 && ctx.Err() != nil {
			return nil, Infinite, ctx.Err()
		}
		x, ok := l.settle()
		if !ok || x.key >= uint64(best) {
			break
		}
		cost := l.cost[x.node]
		if on, ok := at[x.node]; ok && cost+on < best {
			best, last = cost+on, x.node
		}
		r.region.Turns(x.node, func(v uint32) {
			if c := m.onTheWay(x.node, r.region.EdgeOf(v)); c < Infinite {
				if sum := cost + c; sum < best && !(l.stamp[v] == l.run && l.cost[v] <= sum) {
					l.reach(v, sum, x.node, bound(v))
				}
			}
		})
	}
	if last == none {
		return nil, Infinite, nil
	}
	var path []uint32
	for v := last; v != none; v = l.from[v] {
		path = append(path, v)
	}
	slices.Reverse(path)
	return path, best, nil
}

type entry struct {
	key  uint64
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

// best returns the quickest way between snaps by a method of search; its cost is Infinite where there is none.
func (r *Router) best(ctx context.Context, m *Metric, find search, from, to []snap) (found, error) {
	direct := r.direct(m, from, to)
	starts := r.starts(m, from)
	goals, bias := r.goals(m, from, to)
	vertices, cost, err := find(ctx, m, starts, goals)
	if err != nil {
		return found{cost: Infinite}, err
	}
	if cost >= Infinite || cost-bias >= direct.cost {
		return direct, nil
	}
	return r.joined(starts, goals, vertices, cost-bias), nil
}

// method returns the search that is quickest for a metric.
func (r *Router) method(m *Metric) search {
	if m.Ready() {
		return r.hierarchical
	}
	return r.astar
}

// The methods of search by name, for comparisons.
const (
	ByHierarchy = "hierarchy"
	ByAStar     = "A*"
	ByDijkstra  = "Dijkstra"
)

func (r *Router) named(method string) search {
	return map[string]search{ByHierarchy: r.hierarchical, ByAStar: r.astar, ByDijkstra: r.dijkstra}[method]
}

// FindBy is Find by one of the methods: the hierarchy is there only once the metric is ready.
func (r *Router) FindBy(ctx context.Context, m *Metric, method string, from, to geo.Point) (*Route, error) {
	return r.find(ctx, m, r.named(method), from, to)
}

// Ends are the ends of a way, brought to the roads.
type Ends struct {
	starts, goals []end
	bias          uint32
}

// Ends brings two points to the roads, for Cost.
func (r *Router) Ends(m *Metric, from, to geo.Point) (*Ends, error) {
	start, goal, err := r.locateBoth(m, from, to)
	if err != nil {
		return nil, err
	}
	e := &Ends{starts: r.starts(m, start)}
	e.goals, e.bias = r.goals(m, start, goal)
	return e, nil
}

// Cost returns what the quickest way between two ends costs in seconds, by one of the methods, without its line; NaN
// where there is none.
func (r *Router) Cost(ctx context.Context, m *Metric, method string, e *Ends) float64 {
	cost := uint32(Infinite)
	if method == ByHierarchy {
		q := r.queries.Get()
		cost, _ = q.Best(m.weighed, r.seeds(e.starts), r.seeds(e.goals))
		q.Release()
		r.queries.Put(q)
	} else if _, c, err := r.named(method)(ctx, m, e.starts, e.goals); err == nil {
		cost = c
	}
	if cost >= Infinite {
		return math.NaN()
	}
	return seconds(cost - e.bias)
}

// CostsFrom returns what the quickest ways from one point to others cost in seconds, by one run of Dijkstra's algorithm
// over all that can be reached; NaN where there is none. It is what the other methods are held to.
func (r *Router) CostsFrom(m *Metric, from geo.Point, to []geo.Point) []float64 {
	out := make([]float64, len(to))
	for i := range out {
		out[i] = math.NaN()
	}
	start, err := r.locate(m, from)
	if err != nil {
		return out
	}
	l := r.labels.Get().(*labels)
	defer r.labels.Put(l)
	l.begin()
	for _, s := range r.starts(m, start) {
		l.reach(s.vertex, s.cost, none, 0)
	}
	for x, ok := l.settle(); ok; x, ok = l.settle() {
		cost := l.cost[x.node]
		r.region.Turns(x.node, func(v uint32) {
			if c := m.onTheWay(x.node, r.region.EdgeOf(v)); c < Infinite {
				l.reach(v, cost+c, x.node, 0)
			}
		})
	}
	for i, p := range to {
		end, err := r.locate(m, p)
		if err != nil {
			continue
		}
		best := uint64(r.direct(m, start, end).cost)
		goals, bias := r.goals(m, start, end)
		for _, g := range goals {
			if c := l.reached(g.vertex); c < Infinite {
				best = min(best, uint64(c)+uint64(g.cost)-uint64(bias))
			}
		}
		if best < Infinite {
			out[i] = float64(best) / ticks
		}
	}
	return out
}
