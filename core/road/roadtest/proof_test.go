package roadtest_test

import (
	"context"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/codec/osm"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/core/road/roadtest"
	"viandante/demo/demotest"
)

// regions are the island, an extract of real map data, and a generated country.
func regions(t *testing.T) map[string]*region.Region {
	t.Helper()
	file, err := roadtest.RealExtract("*.osm.bz2")
	require.NoError(t, err)
	f, err := os.Open(file)
	require.NoError(t, err)
	defer f.Close()
	draft, _, err := osm.Read(context.Background(), f, "real")
	require.NoError(t, err)
	return map[string]*region.Region{"island": demotest.Island(t).Region, "real": roadtest.Open(t, draft),
		"country": roadtest.Open(t, roadtest.Country(3, 30_000))}
}

// Ten thousand pairs a profile cost by the hierarchy's matrix what they cost by Dijkstra's algorithm with the same
// rules of turns, with other roads closed for each tenth of them; a part of them is told as a route as well, whose time
// and length are the matrix's.
func TestTenThousandPairsAProfile(t *testing.T) {
	rnd := rand.New(rand.NewPCG(8, 1))
	for name, r := range regions(t) {
		router := road.NewRouter(r)
		point := func() geo.Point {
			p := r.Junction(uint32(rnd.IntN(r.Junctions()))).Point()
			return geo.MustPoint(p.Lat()+(rnd.Float64()-0.5)*0.002, p.Lng()+(rnd.Float64()-0.5)*0.002)
		}
		for _, profile := range roadtest.Names {
			open := roadtest.Metric(r, profile)
			pairs, none := 0, 0
			for round := range 10 {
				m := open
				if round > 0 {
					m = m.Closed(someClosed(rnd, r))
				}
				from, to := make([]geo.Point, 10), make([]geo.Point, 100)
				for i := range from {
					from[i] = point()
				}
				for i := range to {
					to[i] = point()
				}
				table, err := router.Matrix(t.Context(), m, from, to)
				require.NoError(t, err)
				for i := range from {
					want := router.CostsFrom(m, from[i], to)
					for k := range to {
						pairs++
						if math.IsNaN(want[k]) {
							none++
						}
						checkPair(t, router, m, from[i], to[k], want[k], k%40 == 0, table, i, k)
					}
				}
			}
			t.Logf("%s by %s: %d pairs, no way for %d", name, profile, pairs, none)
			assert.Equal(t, 10_000, pairs)
			assert.Less(t, none, 9_000)
		}
	}
}

func checkPair(t *testing.T, router *road.Router, m *road.Metric, from, to geo.Point, want float64, route bool,
	table *road.Matrix, i, k int,
) {
	t.Helper()
	if math.IsNaN(want) {
		require.True(t, math.IsNaN(table.CostS[i][k]))
		return
	}
	require.InDelta(t, want, table.CostS[i][k], 1e-6, "%v to %v by %s", from, to, m.Profile.Name)
	if !route {
		return
	}
	way, err := router.Find(t.Context(), m, from, to)
	require.NoError(t, err)
	require.InDelta(t, want, way.Cost, 1e-6)
	require.InDelta(t, table.DurationsS[i][k], way.DurationS, 0.02, "%v to %v by %s", from, to, m.Profile.Name)
	require.InDelta(t, table.DistancesM[i][k], way.DistanceM, 0.01)
}

// someClosed blocks or slows thirty segments.
func someClosed(rnd *rand.Rand, r *region.Region) map[uint32]road.Closure {
	out := map[uint32]road.Closure{}
	for range 30 {
		s := uint32(rnd.IntN(r.Segments()))
		c := road.Closure{Factor: []float64{4, math.Inf(1)}[rnd.IntN(2)]}
		out[2*s], out[2*s+1] = c, c
	}
	return out
}

// On foot, on the level, the way back takes as long as the way there; and no way is longer than by way of a third
// point.
func TestWaysOnFootAreSymmetricAndNoneIsLongerThanByAThirdPoint(t *testing.T) {
	rnd := rand.New(rand.NewPCG(9, 1))
	draft := roadtest.Random(rnd, 24)
	draft.RoadPoints = nil // a third point may lie on either side of a gate, and on a private road
	private := func(tag string) bool { return tag == "access=private" }
	for i := range draft.Roads {
		draft.Roads[i].Tags = slices.DeleteFunc(draft.Roads[i].Tags, private)
	}
	r := roadtest.Open(t, draft)
	router, m := road.NewRouter(r), roadtest.Metric(r, "foot")
	at := make([]geo.Point, 40)
	for i := range at {
		at[i] = r.Junction(uint32(rnd.IntN(r.Junctions()))).Point()
	}
	table, err := router.Matrix(t.Context(), m, at, at)
	require.NoError(t, err)
	compared := 0
	for i := range at {
		for k := range at {
			there, back := table.CostS[i][k], table.CostS[k][i]
			require.Equal(t, math.IsNaN(there), math.IsNaN(back))
			if math.IsNaN(there) {
				continue
			}
			require.InDelta(t, there, back, 0.02)
			for j := range at {
				if by := table.CostS[i][j] + table.CostS[j][k]; !math.IsNaN(by) {
					require.LessOrEqual(t, there, by+0.03)
					compared++
				}
			}
		}
	}
	assert.Greater(t, compared, 10_000)
}

// The sweep of the hierarchy and Dijkstra's search reach areas that differ by no more than half a percent, outward and
// inward.
func TestReachIsTheSameBySweepAndBySearch(t *testing.T) {
	r := roadtest.Open(t, roadtest.Country(4, 20_000))
	router := road.NewRouter(r)
	at := r.Junction(uint32(r.Junctions() / 2)).Point()
	at = geo.MustPoint(at.Lat()+0.0003, at.Lng()+0.0002)
	for _, profile := range roadtest.Names {
		searched := road.NewMetric(r, roadtest.Profile(profile)) // not ready: there is no hierarchy to sweep
		for _, inward := range []bool{false, true} {
			want, err := router.Reach(t.Context(), searched, at, []float64{600, 2400}, inward)
			require.NoError(t, err)
			got, err := router.Reach(t.Context(), roadtest.Metric(r, profile), at, []float64{600, 2400}, inward)
			require.NoError(t, err)
			for i := range want {
				assert.InEpsilon(t, extent(want[i]), extent(got[i]), 0.005, "by %s, inward %t", profile, inward)
			}
			assert.Greater(t, len(got[1].Polygons[0][0]), 100)
		}
	}
}

// extent is the size of an area, holes taken off, in square degrees.
func extent(a road.Area) (size float64) {
	for _, polygon := range a.Polygons {
		for _, ring := range polygon {
			for i, p := range ring {
				q := ring[(i+1)%len(ring)]
				size += (p.Lng()*q.Lat() - q.Lng()*p.Lat()) / 2
			}
		}
	}
	return size
}
