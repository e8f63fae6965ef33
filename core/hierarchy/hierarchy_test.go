package hierarchy

import (
	"container/heap"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// towns is a street graph of n junctions: clusters of shaken grids with streets left out, joined by few roads.
func towns(rnd *rand.Rand, side, town int) *Streets {
	s := &Streets{}
	at := func(i, j int) uint32 { return uint32(i*side + j) }
	for i := range side {
		for j := range side {
			s.X = append(s.X, float32(j)+rnd.Float32()*0.6)
			s.Y = append(s.Y, float32(i)+rnd.Float32()*0.6)
		}
	}
	add := func(a, b uint32, share float64) {
		if rnd.Float64() < share {
			s.From, s.To = append(s.From, a), append(s.To, b)
		}
	}
	for i := range side {
		for j := range side {
			if j+1 < side {
				if (j+1)%town != 0 {
					add(at(i, j), at(i, j+1), 0.7)
				} else {
					add(at(i, j), at(i, j+1), 1.5/float64(town))
				}
			}
			if i+1 < side {
				if (i+1)%town != 0 {
					add(at(i, j), at(i+1, j), 0.7)
				} else {
					add(at(i, j), at(i+1, j), 1.5/float64(town))
				}
			}
		}
	}
	return s
}

// turns is the graph of the turns of a street graph: its vertices are the directed edges by rank, 2e and 2e+1 for edge
// e of the order. Each edge and each turn has a weight, some turns and streets are closed.
type turns struct {
	s     *Streets
	order []uint32
	rank  []uint32
	out   [][]uint32 // the directed edges that leave a node, by rank
	edge  []uint32   // the weight of each directed edge
	salt  uint32
}

func newTurns(rnd *rand.Rand, s *Streets) *turns {
	g := &turns{s: s, order: Order(s), rank: make([]uint32, len(s.From)), out: make([][]uint32, len(s.X)), salt: 1}
	for i, e := range g.order {
		g.rank[e] = uint32(i)
		g.out[s.From[e]] = append(g.out[s.From[e]], uint32(2*i))
		g.out[s.To[e]] = append(g.out[s.To[e]], uint32(2*i+1))
	}
	g.edge = make([]uint32, 2*len(s.From))
	for v := range g.edge {
		g.edge[v] = 1000 + rnd.Uint32N(9000)
		if rnd.IntN(12) == 0 {
			g.edge[v] = Infinite
		}
	}
	return g
}

func (g *turns) head(v uint32) uint32 {
	if v&1 == 1 {
		return g.s.From[g.order[v/2]]
	}
	return g.s.To[g.order[v/2]]
}

func (g *turns) turn(v, w uint32) uint32 {
	h := (v*2654435761 ^ w*40503 ^ g.salt*97) % 1000
	if h < 60 || v^1 == w && len(g.out[g.head(v)]) > 1 {
		return Infinite
	}
	return h
}

func (g *turns) Each(v uint32, yield func(w, weight uint32)) {
	for _, w := range g.out[g.head(v)] {
		yield(w, g.Weight(v, w))
	}
}

func (g *turns) Weight(v, w uint32) uint32 {
	if g.head(v) != g.head(w^1) {
		return Infinite
	}
	return min(Infinite, g.turn(v, w)+g.edge[w])
}

func (g *turns) build() *Hierarchy {
	return Build(len(g.edge), func(v uint32, yield func(uint32)) {
		for _, w := range g.out[g.head(v)] {
			if w != v^1 || len(g.out[g.head(v)]) == 1 {
				yield(w)
			}
		}
	})
}

type reached struct{ cost, v uint32 }
type reachedQueue []reached

func (q reachedQueue) Len() int           { return len(q) }
func (q reachedQueue) Less(i, j int) bool { return q[i].cost < q[j].cost }
func (q reachedQueue) Swap(i, j int)      { q[i], q[j] = q[j], q[i] }
func (q *reachedQueue) Push(x any)        { *q = append(*q, x.(reached)) }
func (q *reachedQueue) Pop() any {
	x := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return x
}

// dijkstra returns the cost from seeds to every vertex (Dijkstra 1959).
func dijkstra(g Weights, n int, from []Seed) []uint32 {
	cost := make([]uint32, n)
	for i := range cost {
		cost[i] = Infinite
	}
	var q reachedQueue
	reach := func(v, c uint32) {
		if c < cost[v] {
			cost[v] = c
			heap.Push(&q, reached{c, v})
		}
	}
	for _, s := range from {
		reach(s.Vertex, s.Cost)
	}
	for len(q) > 0 {
		x := heap.Pop(&q).(reached)
		if x.cost == cost[x.v] {
			g.Each(x.v, func(w, weight uint32) {
				if weight < Infinite {
					reach(w, x.cost+weight)
				}
			})
		}
	}
	return cost
}

func seeds(rnd *rand.Rand, n int) []Seed {
	out := make([]Seed, 1+rnd.IntN(4))
	for i := range out {
		out[i] = Seed{rnd.Uint32N(uint32(n)), rnd.Uint32N(5000)}
	}
	return out
}

func holds(t *testing.T, rnd *rand.Rand, g *turns, h *Hierarchy, m *Metric, rounds int) (found, none int) {
	t.Helper()
	pool := NewPool(h)
	for range rounds {
		from := seeds(rnd, len(g.edge))
		costs := dijkstra(g, len(g.edge), from)
		for range 20 {
			to := seeds(rnd, len(g.edge))
			want := uint32(Infinite)
			for _, s := range to {
				want = min(want, costs[s.Vertex]+s.Cost)
			}
			q := pool.Get()
			got, meet := q.Best(m, from, to)
			require.Equal(t, want, got)
			if got >= Infinite {
				none++
			} else {
				found++
				path := q.Path(m, meet)
				sum := uint32(Infinite)
				for _, s := range from {
					if s.Vertex == path[0] {
						sum = min(sum, s.Cost)
					}
				}
				for i := 1; i < len(path); i++ {
					sum += g.Weight(path[i-1], path[i])
				}
				last := uint32(Infinite)
				for _, s := range to {
					if s.Vertex == path[len(path)-1] {
						last = min(last, s.Cost)
					}
				}
				require.Equal(t, want, sum+last, "the path costs what is said")
			}
			q.Release()
			pool.Put(q)
		}
	}
	return found, none
}

func TestPathsAreTheQuickest(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	found, none := 0, 0
	for _, side := range []int{1, 2, 5, 12, 30, 60} {
		g := newTurns(rnd, towns(rnd, side, 6))
		if len(g.edge) == 0 {
			continue
		}
		h := g.build()
		require.NoError(t, h.Check())
		m := Customize(h, g, Goroutines(2))
		require.Equal(t, m.Up, Customize(h, g, Goroutines(1)).Up, "the same whatever the number of workers")
		f, n := holds(t, rnd, g, h, m, 20)
		found, none = found+f, none+n
		g.salt++ // other turns closed: the same order serves
		f, n = holds(t, rnd, g, h, Customize(h, g, Goroutines(2)), 10)
		found, none = found+f, none+n
	}
	assert.Greater(t, found, 1000)
	assert.Greater(t, none, 50)
}

// changed is a graph some of whose edges weigh something else.
func TestAChangeSpreadsAsFarAsItMust(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 2))
	g := newTurns(rnd, towns(rnd, 30, 6))
	h := g.build()
	m := Customize(h, g, Goroutines(2))
	for range 40 {
		next := *g
		next.edge = append([]uint32(nil), g.edge...)
		var arcs []Arc
		for range 1 + rnd.IntN(6) {
			w := rnd.Uint32N(uint32(len(g.edge)))
			next.edge[w] = []uint32{Infinite, 1, 20000, 1000 + rnd.Uint32N(9000)}[rnd.IntN(4)]
			for _, in := range next.out[next.head(w^1)] {
				arcs = append(arcs, Arc{in ^ 1, w})
			}
		}
		changed := m.Changed(&next, arcs)
		all := Customize(h, &next, Goroutines(3))
		require.Equal(t, all.Up, changed.Up)
		require.Equal(t, all.Down, changed.Down)
		g, m = &next, changed
	}
}

func TestAnOrderTakesEachEdgeOnce(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 2))
	s := towns(rnd, 40, 8)
	s.From, s.To = append(s.From, 3, 7), append(s.To, 3, 8) // a loop, and two edges between the same nodes
	order := Order(s)
	seen := map[uint32]bool{}
	for _, e := range order {
		seen[e] = true
	}
	assert.Len(t, seen, len(s.From))
	assert.Equal(t, order, Order(s), "the same every time")
}

func TestADamagedHierarchyIsRefused(t *testing.T) {
	rnd := rand.New(rand.NewPCG(6, 2))
	h := newTurns(rnd, towns(rnd, 10, 5)).build()
	require.NoError(t, h.Check())
	for name, rows := range map[string][]uint32{"parent": h.Parent, "first": h.Up.First, "other": h.Down.Other,
		"below first": h.Down.BelowFirst, "lower": h.Up.BelowLower, "below": h.Up.Below} {
		for range 20 {
			i := rnd.IntN(len(rows))
			old := rows[i]
			rows[i] = []uint32{math.MaxUint32 - 1, old + 1, 1 << 20}[rnd.IntN(3)]
			if rows[i] != old && h.Check() == nil && name != "parent" && name != "other" {
				assert.Fail(t, "not noticed", "%s %d: %d for %d", name, i, rows[i], old)
			}
			rows[i] = old
		}
	}
}
