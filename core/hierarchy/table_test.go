package hierarchy

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// A table, its sums and the sweep to all give what Dijkstra's algorithm gives, forwards and backwards.
func TestTablesAndSweeps(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 2))
	for _, side := range []int{6, 20, 45} {
		g := newTurns(rnd, towns(rnd, side, 9))
		h := g.build()
		m := Customize(h, g, Goroutines(2))
		pool := NewPool(h)
		n := len(g.edge)
		sources, targets := make([][]Seed, 8), make([][]Seed, 9)
		for i := range sources {
			sources[i] = seeds(rnd, n)
		}
		for i := range targets {
			targets[i] = seeds(rnd, n)
		}
		table := NewTable(pool, m, targets)
		sums := NewSums(m, func(v, w uint32) Measure { return Measure{float64(g.Weight(v, w)), 1} })
		q := pool.Get()
		for _, source := range sources {
			want := dijkstra(g, n, source)
			row := table.Row(q, source)
			up := sums.Along(row.Climb, false)
			for k, target := range targets {
				least, start := uint32(Infinite), uint32(0)
				for _, s := range target {
					least = min(least, want[s.Vertex]+s.Cost)
				}
				require.Equal(t, least, row.Cost[k])
				if least >= Infinite {
					continue
				}
				a, first := up.At(row.Up[k])
				b, last := sums.Along(table.Target(k), true).At(row.Down[k])
				cost := func(seeds []Seed, v uint32) uint32 {
					c := uint32(Infinite)
					for _, s := range seeds {
						if s.Vertex == v {
							c = min(c, s.Cost)
						}
					}
					return c
				}
				start = cost(source, first) + cost(target, last)
				require.InDelta(t, float64(least), a[0]+b[0]+float64(start), 1e-6, "what lies along the path adds up")
			}
			all := make([]uint32, n)
			const limit = 60_000
			for _, v := range q.All(m, source, false, limit, Goroutines(2), all) {
				require.LessOrEqual(t, v.From, v.To)
			}
			for v, c := range want {
				if c <= limit || all[v] <= limit {
					require.Equal(t, c, all[v])
				}
			}
		}
		pool.Put(q)
		backwards(t, rnd, g, h, m, pool)
	}
}

// backwards compares the sweep towards some seeds with a search from each vertex.
func backwards(t *testing.T, rnd *rand.Rand, g *turns, h *Hierarchy, m *Metric, pool *Pool) {
	t.Helper()
	q := pool.Get()
	defer pool.Put(q)
	to := seeds(rnd, h.Vertices())
	all := make([]uint32, h.Vertices())
	q.All(m, to, true, Infinite-1, Goroutines(1), all)
	for range 30 {
		v := rnd.Uint32N(uint32(h.Vertices()))
		want := uint32(Infinite)
		costs := dijkstra(g, h.Vertices(), []Seed{{v, 0}})
		for _, s := range to {
			want = min(want, costs[s.Vertex]+s.Cost)
		}
		require.Equal(t, want, all[v])
	}
}
