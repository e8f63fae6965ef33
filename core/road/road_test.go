package road

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// grid makes a network of n by n junctions about 100 m apart, shaken, with streets left out, one-way or closed to cars
// at random.
func grid(r *rand.Rand, n int) *region.Draft {
	d := &region.Draft{RoadNodes: map[int64]geo.E7{}}
	node := func(i, j int) int64 { return int64(i*n + j + 1) }
	for i := range n {
		for j := range n {
			lat, lng := -38+float64(i)*0.0009+r.Float64()*0.0004, -26+float64(j)*0.0011+r.Float64()*0.0004
			d.RoadNodes[node(i, j)] = geo.MustPoint(lat, lng).E7()
		}
	}
	street := func(a, b int64) {
		if r.Float64() < 0.2 {
			return
		}
		access := region.NewAccess(region.Foot, true, true) | region.NewAccess(region.Bicycle, true, r.Float64() < 0.7)
		if r.Float64() < 0.8 {
			access |= region.NewAccess(region.Car, true, r.Float64() < 0.5)
		}
		class := []region.Class{region.LocalStreet, region.Primary, region.Path, region.Service}[r.IntN(4)]
		d.Roads = append(
			d.Roads,
			region.Road{
				ID:     int64(len(d.Roads) + 1),
				Class:  class,
				Access: access,
				Name:   class.String(),
				Nodes:  []int64{a, b},
			},
		)
	}
	for i := range n {
		for j := range n {
			if i+1 < n {
				street(node(i, j), node(i+1, j))
			}
			if j+1 < n {
				street(node(i, j), node(i, j+1))
			}
		}
	}
	return d
}

func open(t *testing.T, d *region.Draft) *region.Region {
	t.Helper()
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	return r
}

// plain relaxes every edge until nothing changes (Bellman 1958, Ford 1956): slow, short, and nothing like A*.
func plain(r *Router, mode region.Mode, start, end snap) float64 {
	cost := make([]float64, r.region.Junctions())
	for i := range cost {
		cost[i] = math.Inf(1)
	}
	first, last := r.region.Segment(start.segment), r.region.Segment(end.segment)
	if first.Access.Allows(mode, false) {
		cost[first.To] = start.restM / speed(mode, first)
	}
	if first.Access.Allows(mode, true) {
		cost[first.From] = math.Min(cost[first.From], start.alongM/speed(mode, first))
	}
	for changed := true; changed; {
		changed = false
		for i := range uint32(r.region.Segments()) {
			s := r.region.Segment(i)
			c := s.LengthM / speed(mode, s)
			if s.Access.Allows(mode, false) && cost[s.From]+c < cost[s.To] {
				cost[s.To], changed = cost[s.From]+c, true
			}
			if s.Access.Allows(mode, true) && cost[s.To]+c < cost[s.From] {
				cost[s.From], changed = cost[s.To]+c, true
			}
		}
	}
	best := math.Inf(1)
	if last.Access.Allows(mode, false) {
		best = cost[last.From] + end.alongM/speed(mode, last)
	}
	if last.Access.Allows(mode, true) {
		best = math.Min(best, cost[last.To]+end.restM/speed(mode, last))
	}
	if start.segment == end.segment && r.onlyAlong(mode, start, end) {
		best = math.Min(best, math.Abs(end.alongM-start.alongM)/speed(mode, first))
	}
	return best
}

func TestWaysAreTheQuickestThereAre(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 1))
	found, none := 0, 0
	for range 12 {
		r := NewRouter(open(t, grid(rnd, 12)))
		for range 40 {
			a := geo.MustPoint(-38+rnd.Float64()*0.01, -26+rnd.Float64()*0.012)
			b := geo.MustPoint(-38+rnd.Float64()*0.01, -26+rnd.Float64()*0.012)
			if rnd.IntN(8) == 0 { // on the same street
				b = geo.MustPoint(a.Lat()+0.0002, a.Lng())
			}
			for _, mode := range []region.Mode{region.Car, region.Bicycle, region.Foot} {
				start, err := r.locate(mode, a)
				require.NoError(t, err)
				end, err := r.locate(mode, b)
				require.NoError(t, err)
				want := plain(r, mode, start, end)
				got, err := r.Find(t.Context(), mode, a, b)
				if math.IsInf(want, 1) {
					require.ErrorIs(t, err, ErrNoRoute)
					none++
					continue
				}
				require.NoError(t, err)
				found++
				require.InDelta(t, want, got.DurationS, 0.01, "%v to %v by %v", a, b, mode)
				checkRoute(t, r, mode, got)
			}
		}
	}
	assert.Greater(t, found, 800)
	assert.Greater(t, none, 5)
}

// checkRoute holds a route to itself: the line is as long as it says, the steps add up, and every stretch lies on a
// road that the mode may use in that direction.
func checkRoute(t *testing.T, r *Router, mode region.Mode, route *Route) {
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
	require.Equal(t, Arrive, route.Steps[len(route.Steps)-1].Turn)
	if len(route.Steps) > 1 {
		require.Equal(t, Depart, route.Steps[0].Turn)
	}
	for i := 1; i < len(route.Line); i++ {
		a, b := route.Line[i-1], route.Line[i]
		if geodesy.Distance(a, b) < 0.05 {
			continue
		}
		middle := geo.MustPoint((a.Lat()+b.Lat())/2, (a.Lng()+b.Lng())/2)
		allowed := false
		r.region.SegmentTree().
			Nearest(region.BoxDistance(middle), func(k int) float64 { return r.project(uint32(k), middle).offM },
				func(k int, d float64) bool {
					if d > 0.5 {
						return false
					}
					pa, pb := r.project(uint32(k), a), r.project(uint32(k), b)
					allowed = allowed ||
						pa.offM < 0.5 && pb.offM < 0.5 &&
							r.region.Segment(uint32(k)).Access.Allows(mode, pb.alongM < pa.alongM)
					return !allowed
				})
		require.True(t, allowed, "%v to %v is no road for %v", a, b, mode)
	}
}

func street(access region.Access) *region.Draft {
	at := func(lat, lng float64) geo.E7 { return geo.MustPoint(lat, lng).E7() }
	return &region.Draft{
		RoadNodes: map[int64]geo.E7{1: at(0, 0), 2: at(0, 0.01), 3: at(0.01, 0.01), 4: at(0.01, 0)},
		Roads: []region.Road{
			{ID: 1, Class: region.LocalStreet, Access: access, Name: "Mill Lane", Nodes: []int64{1, 2}},
			{
				ID:     2,
				Class:  region.LocalStreet,
				Access: region.NewAccess(region.Car, true, true),
				Name:   "High Road",
				Nodes:  []int64{2, 3, 4},
			},
			{
				ID:     3,
				Class:  region.LocalStreet,
				Access: region.NewAccess(region.Car, true, true),
				Name:   "Back Row",
				Nodes:  []int64{4, 1},
			},
		},
	}
}

func TestAOneWayStreetIsDrivenRoundNotBackwards(t *testing.T) {
	r := NewRouter(open(t, street(region.NewAccess(region.Car, true, false))))
	along, err := r.Find(t.Context(), region.Car, geo.MustPoint(0, 0.002), geo.MustPoint(0, 0.008))
	require.NoError(t, err)
	assert.InDelta(t, 668, along.DistanceM, 2)
	against, err := r.Find(t.Context(), region.Car, geo.MustPoint(0, 0.008), geo.MustPoint(0, 0.002))
	require.NoError(t, err)
	assert.InDelta(t, 4*1110-668, against.DistanceM, 12)
	var names []string
	for _, s := range against.Steps {
		names = append(names, string(s.Turn)+" "+s.Name)
	}
	assert.Equal(t, []string{"depart Mill Lane", "left High Road", "left Back Row", "left Mill Lane", "arrive "}, names)
}

func TestNoWayIsSaidPlainly(t *testing.T) {
	r := NewRouter(open(t, street(region.NewAccess(region.Foot, true, true))))
	_, err := r.Find(t.Context(), region.Bicycle, geo.MustPoint(0, 0.002), geo.MustPoint(0, 0.008))
	var off *OffRoadError
	require.ErrorAs(t, err, &off)
	assert.ErrorContains(t, err, "no road for bicycle")
	_, err = r.Find(t.Context(), region.Car, geo.MustPoint(10, 10), geo.MustPoint(0, 0.008))
	require.ErrorAs(t, err, &off)
}

func TestASearchEndsWithItsContext(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 7))
	r := NewRouter(open(t, grid(rnd, 80)))
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := r.Find(gone, region.Foot, geo.MustPoint(-37.999, -25.999), geo.MustPoint(-37.93, -25.92))
	assert.ErrorIs(t, err, context.Canceled)
}

func TestFromAPointToItself(t *testing.T) {
	r := NewRouter(open(t, street(region.NewAccess(region.Car, true, false))))
	route, err := r.Find(t.Context(), region.Car, geo.MustPoint(0, 0.002), geo.MustPoint(0, 0.002))
	require.NoError(t, err)
	assert.Zero(t, route.DistanceM)
	assert.Len(t, route.Line, 2)
	assert.Len(t, route.Steps, 1)
}

func TestTurnsAreNamedByTheirAngle(t *testing.T) {
	for change, want := range map[float64]Turn{0: Straight, 24: Straight, -24: Straight, 45: SlightRight,
		-45: SlightLeft, 90: Right, -90: Left, 270: Left, 150: SharpRight, -150: SharpLeft, 179: Back, -175: Back} {
		assert.Equal(t, want, turnBy(change), change)
	}
}

func TestSearchesOfManyGoroutinesDoNotMeet(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 4))
	r := NewRouter(open(t, grid(rnd, 15)))
	a, b := geo.MustPoint(-37.999, -25.999), geo.MustPoint(-37.99, -25.986)
	want, err := r.Find(t.Context(), region.Foot, a, b)
	require.NoError(t, err)
	done := make(chan float64)
	for range 8 {
		go func() {
			var last float64
			for range 50 {
				route, err := r.Find(t.Context(), region.Foot, a, b)
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
	r := NewRouter(open(t, grid(rnd, 12)))
	found := 0
	for range 60 {
		a := geo.MustPoint(-38+rnd.Float64()*0.01, -26+rnd.Float64()*0.012)
		b := geo.MustPoint(-38+rnd.Float64()*0.01, -26+rnd.Float64()*0.012)
		route, err := r.Find(t.Context(), region.Foot, a, b)
		if err != nil {
			continue
		}
		for i, s := range route.Steps {
			if i == 0 || s.Turn == Arrive {
				require.Nil(t, r.Astray(region.Foot, route, i, 150, rnd.IntN), "no junction is left there")
				continue
			}
			require.False(t, math.IsNaN(s.Arrival))
			line := r.Astray(region.Foot, route, i, 150, rnd.IntN)
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
			out := bearing(line[0], line[1])
			require.Contains(t, s.Arms, out, "it is one of the junction's other roads")
			require.Greater(t, math.Abs(math.Remainder(out-s.Bearing, 360)), 1.0)
			require.Greater(t, math.Abs(math.Remainder(out-s.Arrival-180, 360)), 1.0)
		}
	}
	assert.Greater(t, found, 100)
}
