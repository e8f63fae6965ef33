package watch

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
)

var began = time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)

func id(kind string, n int) uuid.UUID {
	return uuid.NewSHA1(uuid.Nil, fmt.Appendf(nil, "%s %d", kind, n))
}

// scanned are places that are asked one by one.
type scanned map[uuid.UUID]Thing

func (s scanned) Near(centre geo.Point, withinM float64, w *Watch, yield func(Thing)) {
	for _, t := range s {
		if w.Looks(&t) && geodesy.Distance(centre, t.At) <= withinM {
			yield(t)
		}
	}
}

// scan is the rule applied to every pair of a watch and a thing, without an index.
type scan struct {
	watches map[uuid.UUID]*Watch
	people  map[uuid.UUID]Thing
	places  scanned
	// centres are those of watches that follow somebody whose position is known.
	in map[[2]uuid.UUID]bool
}

func (s *scan) centre(w *Watch) (geo.Point, float64, bool) {
	if w.IsFixed() {
		return w.Centre, 0, true
	}
	t, known := s.people[w.Follows]
	return t.At, t.AccuracyM, known
}

// apply decides on one thing in one watch, and notes the event.
func (s *scan) apply(w *Watch, t Thing, known bool, baseline bool, note func(enters bool)) {
	key := [2]uuid.UUID{w.ID, t.ID}
	was, is := s.in[key], false
	centre, accuracyM, there := s.centre(w)
	if known && there && w.Looks(&t) {
		margin := 0.0
		if !baseline && (!t.Place || !w.IsFixed()) {
			margin = max(w.HysteresisM, math.Sqrt(t.AccuracyM*t.AccuracyM+accuracyM*accuracyM))
		}
		if baseline {
			was = false
		}
		is = Decide(was, w.Depth(centre, t.At), margin)
	}
	s.in[key] = is
	if is != was && !baseline {
		note(is)
	}
}

type told struct {
	watch, thing uuid.UUID
	enters       bool
}

func asTold(events []Event) (out []told) {
	for _, e := range events {
		out = append(out, told{e.Watch, e.Thing.ID, e.Enters})
	}
	return sortTold(out)
}

func sortTold(list []told) []told {
	slices.SortFunc(list, func(a, b told) int {
		if c := bytes.Compare(a.watch[:], b.watch[:]); c != 0 {
			return c
		}
		return bytes.Compare(a.thing[:], b.thing[:])
	})
	return list
}

var parties = []string{"wardens", "guests"}

// Events of the engine are those of a full scan, whatever happens, in whatever order.
func TestEventsAreThoseOfAScan(t *testing.T) {
	for seed := range uint64(6) {
		r := rand.New(rand.NewPCG(seed, 15))
		home := geo.MustPoint(-38, []float64{-26, 179.999, -179.99}[seed%3])
		if seed == 5 {
			home = geo.MustPoint(89.98, 10)
		}
		near := func(metres float64) geo.Point {
			p, _, err := geodesy.Destination(geodesy.Ellipsoid, home, 360*r.Float64(), metres*math.Sqrt(r.Float64()))
			require.NoError(t, err)
			return p
		}
		const people, places, watches = 25, 60, 40
		s := &scan{watches: map[uuid.UUID]*Watch{}, people: map[uuid.UUID]Thing{}, places: scanned{},
			in: map[[2]uuid.UUID]bool{}}
		e := NewEngine(s.places)
		newWatch := func(n int) Watch {
			w := Watch{ID: id("watch", n), People: r.IntN(4) > 0, Places: r.IntN(2) > 0, HysteresisM: 10 * r.Float64()}
			switch {
			case r.IntN(3) == 0:
				w.Follows = id("person", r.IntN(people))
				w.WithinM = 100 + 900*r.Float64()
			case r.IntN(3) == 0 && seed != 5:
				middle := near(2500)
				var ring []geo.Point
				for i := range 7 {
					p, _, err := geodesy.Destination(geodesy.Ellipsoid, middle, float64(i)*360/7, 200+600*r.Float64())
					require.NoError(t, err)
					ring = append(ring, p)
				}
				var err error
				w.Area, err = feature.NewPolygon([][]geo.Point{append(ring, ring[0])}, nil)
				require.NoError(t, err)
			default:
				w.Centre, w.WithinM = near(2500), 50+1000*r.Float64()
				if r.IntN(3) == 0 {
					w.BeyondM = w.WithinM / 2
				}
			}
			if r.IntN(3) == 0 {
				w.Parties, w.Collections = parties[:1], []string{"posts"}
			}
			return w
		}
		events := 0
		for step := range 3000 {
			at := began.Add(time.Duration(step) * time.Second)
			var want []told
			var got []Event
			switch kind := r.IntN(20); {
			case kind < 13:
				n := r.IntN(people)
				p := Thing{ID: id("person", n), Group: parties[n%2], At: near(3000), AccuracyM: 30 * r.Float64()}
				if old, known := s.people[p.ID]; known && r.IntN(3) > 0 { // a step
					p.At, _, _ = geodesy.Destination(geodesy.Ellipsoid, old.At, 360*r.Float64(), 40)
				}
				s.people[p.ID] = p
				for _, w := range s.watches {
					note := func(t uuid.UUID) func(bool) {
						return func(enters bool) { want = append(want, told{w.ID, t, enters}) }
					}
					s.apply(w, p, true, false, note(p.ID))
					if w.Follows == p.ID {
						for _, other := range s.people {
							s.apply(w, other, true, false, note(other.ID))
						}
						for _, place := range s.places {
							s.apply(w, place, true, false, note(place.ID))
						}
					}
				}
				got = e.Moved(p, at)
			case kind < 16:
				n := r.IntN(places)
				now := Thing{ID: id("place", n), Place: true, Group: []string{"posts", "beats"}[n%2], At: near(3000)}
				before, was := s.places[now.ID]
				var older, newer *Thing
				if was {
					older = &before
				}
				if r.IntN(4) > 0 {
					newer = &now
					s.places[now.ID] = now
				} else {
					delete(s.places, now.ID)
				}
				for _, w := range s.watches {
					s.apply(w, now, newer != nil, false, func(enters bool) {
						want = append(want, told{w.ID, now.ID, enters})
					})
				}
				got = e.Changed(older, newer, at)
			case kind < 17:
				who := id("person", r.IntN(people))
				if gone, known := s.people[who]; known {
					delete(s.people, who)
					for _, w := range s.watches {
						for key := range s.in {
							if key[0] != w.ID || key[1] != who && w.Follows != who || !s.in[key] {
								continue
							}
							s.in[key] = false
							want = append(want, told{w.ID, key[1], false})
						}
					}
					_ = gone
				}
				got = e.Left(who, at)
			default:
				w := newWatch(r.IntN(watches))
				for key := range s.in {
					if key[0] == w.ID {
						delete(s.in, key)
					}
				}
				if r.IntN(5) == 0 {
					delete(s.watches, w.ID)
					e.Drop(w.ID)
					break
				}
				s.watches[w.ID] = &w
				for _, p := range s.people {
					s.apply(&w, p, true, true, nil)
				}
				for _, p := range s.places {
					s.apply(&w, p, true, true, nil)
				}
				inside := e.Put(w)
				for _, t := range inside {
					want = append(want, told{w.ID, t.ID, true})
				}
				for key, in := range s.in {
					_, place := s.places[key[1]]
					if key[0] == w.ID && in && (!place || !w.IsFixed()) {
						got = append(got, Event{Watch: key[0], Thing: Thing{ID: key[1]}, Enters: true})
					}
				}
			}
			events += len(got)
			require.Equal(t, sortTold(want), asTold(got), "seed %d, step %d", seed, step)
		}
		assert.Greater(t, events, 300, "seed %d", seed)
		for _, w := range s.watches {
			for _, t2 := range e.Inside(w.ID) {
				assert.True(t, s.in[[2]uuid.UUID{w.ID, t2.ID}])
			}
		}
	}
}

// Somebody who stands at the edge with a jittering position enters once, and not again and again.
func TestTheEdgeIsCrossedOnce(t *testing.T) {
	centre := geo.MustPoint(45, 9)
	e := NewEngine(scanned{})
	e.Put(Watch{ID: id("watch", 0), Centre: centre, WithinM: 500, People: true, HysteresisM: 5})
	r := rand.New(rand.NewPCG(3, 3))
	events, naive, was := 0, 0, false
	walk := func(metres, jitter float64) {
		p, _, err := geodesy.Destination(geodesy.Ellipsoid, centre, 77, metres+jitter*(2*r.Float64()-1))
		require.NoError(t, err)
		events += len(e.Moved(Thing{ID: id("person", 0), Group: "wardens", At: p, AccuracyM: 12}, began))
		if is := geodesy.Distance(centre, p) <= 500; is != was {
			naive, was = naive+1, is
		}
	}
	for m := 560.0; m > 500; m-- {
		walk(m, 10)
	}
	for range 500 {
		walk(500, 10)
	}
	assert.Zero(t, events, "at the edge it is not known")
	for m := 500.0; m > 460; m-- {
		walk(m, 10)
	}
	assert.Equal(t, 1, events)
	for range 500 {
		walk(500, 10)
	}
	assert.Equal(t, 1, events, "inside as long as it may be")
	for m := 500.0; m < 560; m++ {
		walk(m, 10)
	}
	assert.Equal(t, 2, events)
	assert.Greater(t, naive, 100, "without a margin")
}

// A position that is hardly known decides nothing.
func TestWhatIsHardlyKnownDecidesNothing(t *testing.T) {
	centre := geo.MustPoint(45, 9)
	e := NewEngine(scanned{})
	e.Put(Watch{ID: id("watch", 0), Centre: centre, WithinM: 100, People: true})
	vague := Thing{ID: id("person", 0), At: centre, AccuracyM: 3000}
	assert.Empty(t, e.Moved(vague, began))
	sharp := vague
	sharp.AccuracyM = 5
	assert.Len(t, e.Moved(sharp, began), 1)
	vague.At, _, _ = geodesy.Destination(geodesy.Ellipsoid, centre, 10, 2500)
	assert.Empty(t, e.Moved(vague, began), "it may still be there")
}

// What was held by somebody else goes on where that ended: no event is lost, none comes twice.
func TestSettlingTellsWhatHappenedMeanwhile(t *testing.T) {
	centre := geo.MustPoint(45, 9)
	off := func(m float64) geo.Point {
		p, _, _ := geodesy.Destination(geodesy.Ellipsoid, centre, 120, m)
		return p
	}
	person := func(n int, m float64) Thing { return Thing{ID: id("person", n), At: off(m), AccuracyM: 5} }
	places := scanned{}
	e := NewEngine(places)
	w := Watch{ID: id("watch", 0), Follows: id("person", 9), WithinM: 500, People: true, Places: true}
	post := Thing{ID: id("place", 0), Place: true, Group: "posts", At: off(100)}
	gone := Thing{ID: id("place", 1), Place: true, Group: "posts", At: off(50)}
	for _, p := range []Thing{person(0, 100), person(1, 900), person(9, 0)} {
		assert.Empty(t, e.Moved(p, began))
	}
	places[post.ID] = post
	e.Restore(w, []Thing{person(0, 100), person(1, 100), person(2, 100), gone})
	events := e.Settle(w.ID, began, func(id uuid.UUID) (Thing, bool) { p, ok := places[id]; return p, ok })
	want := []told{{w.ID, person(1, 0).ID, false}, {w.ID, person(2, 0).ID, false}, {w.ID, gone.ID, false},
		{w.ID, post.ID, true}}
	assert.Equal(t, sortTold(want), asTold(events))
	assert.Empty(t, e.Settle(w.ID, began, func(id uuid.UUID) (Thing, bool) { p, ok := places[id]; return p, ok }))
}

func TestACentreWithoutAPosition(t *testing.T) {
	centre := geo.MustPoint(45, 9)
	e := NewEngine(scanned{})
	assert.Empty(t, e.Put(Watch{ID: id("watch", 0), Follows: id("person", 9), WithinM: 500, People: true}))
	assert.Empty(t, e.Moved(Thing{ID: id("person", 0), At: centre}, began), "the centre is nowhere")
	assert.Len(t, e.Moved(Thing{ID: id("person", 9), At: centre}, began), 1)
	events := e.Left(id("person", 9), began)
	require.Len(t, events, 1)
	assert.Equal(t, Silent, events[0].Why)
	assert.False(t, events[0].Enters)
	assert.Empty(t, e.Inside(id("watch", 0)))
}

// How deep a position lies in an area is how far it is from the nearest side along the ellipsoid.
func TestDepthIsTheDistanceToTheEdge(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 300 {
		middle := geo.MustPoint(-70+140*r.Float64(), -180+360*r.Float64())
		var ring []geo.Point
		for i := range 5 {
			p, _, err := geodesy.Destination(geodesy.Ellipsoid, middle, float64(i)*72, 300+700*r.Float64())
			require.NoError(t, err)
			ring = append(ring, p)
		}
		ring = append(ring, ring[0])
		area, err := feature.NewPolygon([][]geo.Point{ring}, nil)
		require.NoError(t, err)
		side, err := feature.NewLine(ring, nil)
		require.NoError(t, err)
		p, _, err := geodesy.Destination(geodesy.Ellipsoid, middle, 360*r.Float64(), 1500*r.Float64())
		require.NoError(t, err)
		w := Watch{Area: area}
		_, want := side.Nearest(p)
		assert.InDelta(t, want, math.Abs(w.Depth(geo.Point{}, p)), 0.002*want+0.02, "%v", p)
		assert.Equal(t, area.Contains(p), w.Depth(geo.Point{}, p) >= 0)
	}
	ring := Watch{BeyondM: 100, WithinM: 500}
	at, _, _ := geodesy.Destination(geodesy.Ellipsoid, geo.MustPoint(1, 1), 30, 450)
	assert.InDelta(t, 50, ring.Depth(geo.MustPoint(1, 1), at), 1e-6)
	assert.InDelta(t, -100, ring.Depth(geo.MustPoint(1, 1), geo.MustPoint(1, 1)), 1e-6)
}
