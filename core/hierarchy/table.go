package hierarchy

import "sync"

// Label is a vertex that a climb reaches: what it costs, and the place in the climb of the label that it was reached
// from, -1 for a seed.
type Label struct {
	Vertex, Cost uint32
	From         int32
}

// Climb returns all that can be reached from some seeds by going up, in the order of ranks; with back, all from which
// they can be reached by going down.
func (q *Query) Climb(m *Metric, seeds []Seed, back bool) []Label {
	s, arcs, weights := &q.forth, &q.h.Up, m.Up
	if back {
		s, arcs, weights = &q.back, &q.h.Down, m.Down
	}
	s.seed(seeds)
	var out []Label
	for v := s.lowest(); v != none; v = s.lowest() {
		s.touched = append(s.touched, v)
		if c := s.cost[v]; c < Infinite {
			from := int32(-1)
			if s.from[v] != none {
				from = int32(s.from[v])
			}
			out = append(out, Label{v, c, from})
			s.relax(arcs, weights, v, c)
		}
		s.pass(v, q.h.Parent[v])
	}
	for i := range out { // s.cost is emptied anyway: it notes where each vertex stands
		s.cost[out[i].Vertex] = uint32(i)
	}
	for i := range out {
		if out[i].From >= 0 {
			out[i].From = int32(s.cost[out[i].From])
		}
	}
	s.reset()
	return out
}

// Table finds the quickest paths from many sources to many targets: each climbs once, and the targets' labels lie ready
// in a bucket at each vertex (Knopp, Sanders, Schultes, Schulz and Wagner 2007).
type Table struct {
	m       *Metric
	targets [][]Label
	first   map[uint32]int32 // where a vertex's bucket begins in entries
	entries []bucketEntry
}

type bucketEntry struct {
	target, label int32
	cost          uint32
	last          bool // of its bucket
}

// NewTable prepares the search for paths to some targets, each a set of seeds.
func NewTable(pool *Pool, m *Metric, targets [][]Seed) *Table {
	t := &Table{m: m, targets: make([][]Label, len(targets)), first: map[uint32]int32{}}
	q := pool.Get()
	defer pool.Put(q)
	count := map[uint32]int32{}
	total := 0
	for i, seeds := range targets {
		t.targets[i] = q.Climb(m, seeds, true)
		for _, l := range t.targets[i] {
			count[l.Vertex]++
			total++
		}
	}
	t.entries = make([]bucketEntry, total)
	next := int32(0)
	at := make(map[uint32]int32, len(count))
	for i := range t.targets {
		for k, l := range t.targets[i] {
			p, ok := at[l.Vertex]
			if !ok {
				p = next
				t.first[l.Vertex] = p
				next += count[l.Vertex]
				t.entries[next-1].last = true
			}
			e := &t.entries[p]
			e.target, e.label, e.cost = int32(i), int32(k), l.Cost
			at[l.Vertex] = p + 1
		}
	}
	return t
}

// Row is what a source's paths cost to each target, and where they meet: labels of the source's climb and of the
// target's, -1 where there is no path.
type Row struct {
	Climb    []Label
	Cost     []uint32
	Up, Down []int32
}

// Row finds the paths from a source.
func (t *Table) Row(q *Query, source []Seed) Row {
	r := Row{Climb: q.Climb(t.m, source, false), Cost: make([]uint32, len(t.targets)),
		Up: make([]int32, len(t.targets)), Down: make([]int32, len(t.targets))}
	for i := range r.Cost {
		r.Cost[i], r.Up[i], r.Down[i] = Infinite, -1, -1
	}
	for k, l := range r.Climb {
		p, ok := t.first[l.Vertex]
		for ; ok; p++ {
			e := &t.entries[p]
			if sum := l.Cost + e.cost; sum < r.Cost[e.target] {
				r.Cost[e.target], r.Up[e.target], r.Down[e.target] = sum, int32(k), e.label
			}
			ok = !e.last
		}
	}
	return r
}

// Measure is something other than the metric's weights that adds up along a path, such as its length.
type Measure [2]float64

func (a Measure) plus(b Measure) Measure { return Measure{a[0] + b[0], a[1] + b[1]} }

// Sums adds a measure up along paths, and remembers it for arcs that stand for long ones. It is safe for use by many
// goroutines.
type Sums struct {
	m      *Metric
	of     func(v, w uint32) Measure // that of an arc of the graph
	shards [64]struct {
		mu   sync.Mutex
		arcs map[uint64]Measure
	}
}

const (
	// mostRemembered bounds how many arcs a shard remembers: some 15 MB in all.
	mostRemembered = 4096
	// longPath is of how many arcs of the graph on a path is worth remembering.
	longPath = 12
)

// NewSums returns sums of what of returns for the graph's own arcs.
func NewSums(m *Metric, of func(v, w uint32) Measure) *Sums {
	s := &Sums{m: m, of: of}
	for i := range s.shards {
		s.shards[i].arcs = map[uint64]Measure{}
	}
	return s
}

// arc returns the measure along the path that an arc stands for.
func (s *Sums) arc(v, w uint32) Measure {
	out, _ := s.weighed(v, w, s.m.get(v, w))
	return out
}

func (s *Sums) weighed(v, w, weight uint32) (out Measure, arcs int) {
	if s.m.weigh.Weight(v, w) == weight {
		return s.of(v, w), 1
	}
	key := uint64(v)<<32 | uint64(w)
	shard := &s.shards[(v*31+w)%64]
	shard.mu.Lock()
	known, ok := shard.arcs[key]
	shard.mu.Unlock()
	if ok {
		return known, longPath
	}
	if x, first, second, ok := s.m.middle(v, w, weight); ok {
		a, n := s.weighed(v, x, first)
		b, k := s.weighed(x, w, second)
		out, arcs = a.plus(b), n+k
	}
	if arcs >= longPath {
		shard.mu.Lock()
		if len(shard.arcs) >= mostRemembered {
			clear(shard.arcs)
		}
		shard.arcs[key] = out
		shard.mu.Unlock()
	}
	return out, arcs
}

// Along returns, for the labels of a climb, the measure from each to its seed, and the seed's vertex.
func (s *Sums) Along(climb []Label, back bool) *Trail {
	return &Trail{s: s, climb: climb, back: back, sum: make([]Measure, len(climb)), seed: make([]int32, len(climb))}
}

// Trail are the sums along one climb.
type Trail struct {
	s     *Sums
	climb []Label
	back  bool
	sum   []Measure
	seed  []int32 // the label of the seed plus one, 0 while unknown
}

// At returns the measure along the path of a label, and the vertex of the seed that it came from.
func (t *Trail) At(label int32) (Measure, uint32) {
	l := t.climb[label]
	if t.seed[label] == 0 {
		if l.From < 0 {
			t.seed[label] = label + 1
		} else {
			before, _ := t.At(l.From)
			v, w := t.climb[l.From].Vertex, l.Vertex
			if t.back {
				v, w = w, v
			}
			t.sum[label] = before.plus(t.s.arc(v, w))
			t.seed[label] = t.seed[l.From]
		}
	}
	return t.sum[label], t.climb[t.seed[label]-1].Vertex
}

// Target returns the climb of a target.
func (t *Table) Target(i int) []Label { return t.targets[i] }
