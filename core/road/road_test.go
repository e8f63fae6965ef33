package road_test

import (
	"context"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/core/road/roadtest"
)

// drawn opens a draft and weighs its roads for a profile.
func drawn(t *testing.T, profile string, d *region.Draft) (*road.Router, *road.Metric) {
	t.Helper()
	r := roadtest.Open(t, d)
	return road.NewRouter(r), roadtest.Metric(r, profile)
}

// methods are all that search; each passes the same tests.
var methods = []string{road.ByDijkstra, road.ByAStar, road.ByHierarchy}

// The hierarchy and A* find what Dijkstra's algorithm finds, at the same cost, with closures put in and taken out; and
// none is longer than by way of a third point.
func TestWaysAreTheQuickestThereAre(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 1))
	found, none := 0, 0
	for range 12 {
		draft := roadtest.Random(rnd, 12)
		reg := roadtest.Open(t, draft)
		r := road.NewRouter(reg)
		for _, profile := range roadtest.Names {
			m := roadtest.Metric(reg, profile)
			for i := range 40 {
				if i%10 == 9 {
					m = m.Closed(closures(rnd, reg))
				}
				a, b := roadtest.Within(rnd, 12), roadtest.Within(rnd, 12)
				if rnd.IntN(8) == 0 { // on the same street
					b = geo.MustPoint(a.Lat()+0.0002, a.Lng())
				}
				want, err := r.FindBy(t.Context(), m, road.ByDijkstra, a, b)
				for _, method := range methods {
					got, other := r.FindBy(t.Context(), m, method, a, b)
					if err != nil {
						require.Equal(t, err.Error(), other.Error())
						none++
						continue
					}
					require.NoError(t, other)
					require.InDelta(t, want.Cost, got.Cost, 1e-6, "%v to %v by %v, %v", a, b, profile, method)
					checkRoute(t, reg, draft, m, got)
					found++
				}
			}
		}
	}
	assert.Greater(t, found, 2000)
	assert.Greater(t, none, 50)
}

// closures blocks or slows a few edges.
func closures(rnd *rand.Rand, r *region.Region) map[uint32]road.Closure {
	out := map[uint32]road.Closure{}
	for range rnd.IntN(12) {
		out[uint32(rnd.IntN(2*r.Segments()))] = road.Closure{Factor: []float64{3, math.Inf(1)}[rnd.IntN(2)]}
	}
	return out
}

// checkRoute holds a route to itself and to the draft: the line is as long as it says, the steps add up, every stretch
// lies on a road that may be followed in that direction, one for the ends only at the ends, and no turn is forbidden.
func checkRoute(t *testing.T, r *region.Region, d *region.Draft, m *road.Metric, route *road.Route) {
	t.Helper()
	var length, steps, seconds float64
	for i := 1; i < len(route.Line); i++ {
		length += geodesy.Distance(route.Line[i-1], route.Line[i])
	}
	for _, s := range route.Steps {
		steps += s.DistanceM
		seconds += s.DurationS
	}
	require.InDelta(t, route.DistanceM, length, 0.05+length*1e-4)
	require.InDelta(t, route.DistanceM, steps, 1e-6)
	require.InDelta(t, route.DurationS, seconds, 1e-6)
	require.Equal(t, road.Arrive, route.Steps[len(route.Steps)-1].Turn)
	if len(route.Steps) > 1 {
		require.Equal(t, road.Depart, route.Steps[0].Turn)
	}
	middle := 0 // 0 before, 1 on, 2 behind the roads of all
	for i, e := range route.Edges {
		require.True(t, m.Open(e))
		if i > 0 {
			require.Equal(t, r.Head(route.Edges[i-1]), r.Tail(e))
		}
		switch ends := m.AtEndsOnly(e); {
		case !ends:
			require.Less(t, middle, 2, "roads for ends only lie at the ends")
			middle = 1
		case middle == 1:
			middle = 2
		}
	}
	for _, x := range d.Restrictions {
		if m.Profile.Bound(strings.Join(x.Tags, "\n")) {
			checkRestriction(t, r, x, route)
		}
	}
}

// checkRestriction reads a restriction as it is written. Here each road is one segment.
func checkRestriction(t *testing.T, r *region.Region, x region.Restriction, route *road.Route) {
	t.Helper()
	way := func(i int) int64 {
		if i >= len(route.Edges) {
			return 0
		}
		return r.Segment(route.Edges[i] / 2).Way
	}
	for i := range route.Edges {
		ways := append([]int64{x.From}, x.Ways...)
		follows := i+len(ways) < len(route.Edges)
		for k := range ways {
			follows = follows && way(i+k) == ways[k]
			// Turning round between the two is another manoeuvre.
			follows = follows && (k == 0 || route.Edges[i+k] != route.Edges[i+k-1]^1)
		}
		if !follows || len(x.Ways) == 0 && r.NodeID(r.Head(route.Edges[i])) != x.Node {
			continue
		}
		next := way(i + len(ways))
		require.False(t, !x.Only && next == x.To && (x.From == x.To || route.Edges[i+len(ways)] != route.Edges[i+len(
			ways)-1]^1),
			"restriction %+v", x)
		if x.Only && toExists(r, x, route.Edges[i+len(ways)-1]) {
			require.Equal(t, x.To, next, "restriction %+v", x)
		}
	}
}

func toExists(r *region.Region, x region.Restriction, last uint32) bool {
	for _, e := range r.Edges(r.Head(last)) {
		if r.Segment(e/2).Way == x.To && (e != last^1 || x.From == x.To) {
			return true
		}
	}
	return false
}

func street(tags ...string) *region.Draft {
	at := func(lat, lng float64) geo.E7 { return geo.MustPoint(lat, lng).E7() }
	return &region.Draft{
		RoadNodes: map[int64]geo.E7{1: at(0, 0), 2: at(0, 0.01), 3: at(0.01, 0.01), 4: at(0.01, 0)},
		Roads: []region.Road{
			{ID: 1, Class: region.LocalStreet, Tags: tags, Name: "Mill Lane", Nodes: []int64{1, 2}},
			{
				ID:    2,
				Class: region.LocalStreet,
				Tags:  []string{"bicycle=no", "foot=no", "highway=residential"},
				Name:  "High Road",
				Nodes: []int64{2, 3, 4},
			},
			{
				ID:    3,
				Class: region.LocalStreet,
				Tags:  []string{"bicycle=no", "foot=no", "highway=residential"},
				Name:  "Back Row",
				Nodes: []int64{4, 1},
			},
		},
	}
}

func TestAOneWayStreetIsDrivenRoundNotBackwards(t *testing.T) {
	r, m := drawn(t, "car", street("highway=residential", "oneway=yes"))
	along, err := r.Find(t.Context(), m, geo.MustPoint(0, 0.002), geo.MustPoint(0, 0.008))
	require.NoError(t, err)
	assert.InDelta(t, 668, along.DistanceM, 2)
	against, err := r.Find(t.Context(), m, geo.MustPoint(0, 0.008), geo.MustPoint(0, 0.002))
	require.NoError(t, err)
	assert.InDelta(t, 4*1110-668, against.DistanceM, 12)
	var names []string
	for _, s := range against.Steps {
		names = append(names, string(s.Turn)+" "+s.Name)
	}
	assert.Equal(t, []string{"depart Mill Lane", "left High Road", "left Back Row", "left Mill Lane", "arrive "}, names)
}

func TestNoWayIsSaidPlainly(t *testing.T) {
	r, m := drawn(t, "bicycle", street("bicycle=no", "highway=residential"))
	_, err := r.Find(t.Context(), m, geo.MustPoint(0, 0.002), geo.MustPoint(0, 0.008))
	var off *road.OffRoadError
	require.ErrorAs(t, err, &off)
	assert.ErrorContains(t, err, "no road for bicycle")
	_, err = r.Find(t.Context(), m, geo.MustPoint(10, 10), geo.MustPoint(0, 0.008))
	require.ErrorAs(t, err, &off)
}

func TestASearchEndsWithItsContext(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 7))
	r, m := drawn(t, "foot", roadtest.Random(rnd, 80))
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := r.FindBy(gone, m, road.ByAStar, geo.MustPoint(-37.999, -25.999), geo.MustPoint(-37.93, -25.92))
	assert.ErrorIs(t, err, context.Canceled)
}

func TestFromAPointToItself(t *testing.T) {
	r, m := drawn(t, "car", street("highway=residential", "oneway=yes"))
	route, err := r.Find(t.Context(), m, geo.MustPoint(0, 0.002), geo.MustPoint(0, 0.002))
	require.NoError(t, err)
	assert.Zero(t, route.DistanceM)
	assert.Len(t, route.Line, 2)
	assert.Len(t, route.Steps, 1)
}

func TestTurnsAreNamedByTheirAngle(t *testing.T) {
	for change, want := range map[float64]road.Turn{0: road.Straight, 24: road.Straight, -24: road.Straight,
		45: road.SlightRight, -45: road.SlightLeft, 90: road.Right, -90: road.Left, 270: road.Left,
		150: road.SharpRight, -150: road.SharpLeft, 179: road.Back, -175: road.Back} {
		assert.Equal(t, want, road.TurnBy(change), change)
	}
}

func TestSearchesOfManyGoroutinesDoNotMeet(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 4))
	r, m := drawn(t, "foot", roadtest.Random(rnd, 15))
	a, b := geo.MustPoint(-37.999, -25.999), geo.MustPoint(-37.99, -25.986)
	want, err := r.Find(t.Context(), m, a, b)
	require.NoError(t, err)
	done := make(chan float64)
	for range 8 {
		go func() {
			var last float64
			for range 50 {
				route, err := r.Find(t.Context(), m, a, b)
				if err != nil {
					break
				}
				last = route.DurationS
			}
			done <- last
		}()
	}
	for range 8 {
		assert.Equal(t, want.DurationS, <-done)
	}
}

// Who takes the wrong road leaves the route where the step begins, by a road that the mode may use, and not back.
func TestTheWrongRoadIsARoad(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 5))
	r, m := drawn(t, "foot", roadtest.Random(rnd, 12))
	found := 0
	for range 60 {
		a := geo.MustPoint(-38+rnd.Float64()*0.01, -26+rnd.Float64()*0.012)
		b := geo.MustPoint(-38+rnd.Float64()*0.01, -26+rnd.Float64()*0.012)
		route, err := r.Find(t.Context(), m, a, b)
		if err != nil {
			continue
		}
		for i, s := range route.Steps {
			if i == 0 || s.Turn == road.Arrive {
				require.Nil(t, r.Astray(m, route, i, 150, rnd.IntN), "no junction is left there")
				continue
			}
			require.False(t, math.IsNaN(s.Arrival))
			line := r.Astray(m, route, i, 150, rnd.IntN)
			if line == nil {
				continue
			}
			found++
			require.Equal(t, s.At, line[0])
			length := 0.0
			for k := 1; k < len(line); k++ {
				length += geodesy.Distance(line[k-1], line[k])
			}
			require.LessOrEqual(t, length, 150.01)
			out := geodesy.Between(geodesy.Ellipsoid, line[0], line[1]).InitialBearing
			require.Contains(t, s.Arms, out, "it is one of the junction's other roads")
			require.Greater(t, math.Abs(math.Remainder(out-s.Bearing, 360)), 1.0)
			require.Greater(t, math.Abs(math.Remainder(out-s.Arrival-180, 360)), 1.0)
		}
	}
	assert.Greater(t, found, 100)
}
