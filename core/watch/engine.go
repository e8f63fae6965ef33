package watch

import (
	"bytes"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/spatial"
)

// Places answers which places lie round a position.
type Places interface {
	// Near calls yield with the places at most so far from the centre that the watch looks at.
	Near(centre geo.Point, withinM float64, w *Watch, yield func(Thing))
}

// Engine holds watches and what moves. It is not safe for use by many goroutines.
type Engine struct {
	places  Places
	watches map[uuid.UUID]*state
	boxes   *spatial.Cells[*state]
	people  map[uuid.UUID]Thing
	spots   *spatial.Cells[uuid.UUID]
	// in are the watches that a thing is in, as far as that is held.
	in map[uuid.UUID][]*state
	// led are the watches that follow somebody.
	led map[uuid.UUID][]*state
}

// state is a watch with what is in it: people, and places where its centre moves. Places in a fixed watch are not held:
// what was and is follows from each change.
type state struct {
	Watch
	centre    geo.Point
	accuracyM float64
	inside    map[uuid.UUID]Thing
}

// NewEngine returns an engine without watches.
func NewEngine(places Places) *Engine {
	return &Engine{places: places, watches: map[uuid.UUID]*state{}, boxes: spatial.NewCells[*state](),
		people: map[uuid.UUID]Thing{}, spots: spatial.NewCells[uuid.UUID](), in: map[uuid.UUID][]*state{},
		led: map[uuid.UUID][]*state{}}
}

// Put begins a watch, or gives one another definition. It returns what is inside and held, which is no event.
func (e *Engine) Put(w Watch) []Thing {
	s := e.begin(w)
	if !s.centre.IsValid() && !s.Area.IsKnown() {
		return nil
	}
	e.around(s, func(t Thing) {
		if s.Depth(s.centre, t.At) >= 0 {
			e.enter(s, t)
		}
	})
	return s.sorted()
}

// Restore begins a watch with what was inside when somebody else held it. Settle then tells what has happened since.
func (e *Engine) Restore(w Watch, inside []Thing) {
	s := e.begin(w)
	for _, t := range inside {
		e.enter(s, t)
	}
}

func (e *Engine) begin(w Watch) *state {
	e.Drop(w.ID)
	s := &state{Watch: w, centre: w.Centre, inside: map[uuid.UUID]Thing{}}
	e.watches[w.ID] = s
	if !w.IsFixed() {
		e.led[w.Follows] = append(e.led[w.Follows], s)
		if t, known := e.people[w.Follows]; known {
			s.centre, s.accuracyM = t.At, t.AccuracyM
		}
	}
	e.place(s)
	return s
}

func (e *Engine) place(s *state) {
	if s.Area.IsKnown() || s.centre.IsValid() {
		e.boxes.Put(s, s.Box(s.centre))
	} else {
		e.boxes.Remove(s)
	}
}

// Drop ends a watch; nothing leaves it by that.
func (e *Engine) Drop(id uuid.UUID) {
	s := e.watches[id]
	if s == nil {
		return
	}
	for thing := range s.inside {
		e.out(s, thing)
	}
	delete(e.watches, id)
	e.boxes.Remove(s)
	if !s.IsFixed() {
		e.led[s.Follows] = without(e.led[s.Follows], s)
	}
}

// Inside returns what is inside a watch and held, by id.
func (e *Engine) Inside(id uuid.UUID) []Thing {
	if s := e.watches[id]; s != nil {
		return s.sorted()
	}
	return nil
}

func (s *state) sorted() []Thing {
	out := make([]Thing, 0, len(s.inside))
	for _, t := range s.inside {
		out = append(out, t)
	}
	slices.SortFunc(out, func(a, b Thing) int { return bytes.Compare(a.ID[:], b.ID[:]) })
	return out
}

func (e *Engine) enter(s *state, t Thing) {
	if _, held := s.inside[t.ID]; !held {
		e.in[t.ID] = append(e.in[t.ID], s)
	}
	s.inside[t.ID] = t
}

func (e *Engine) out(s *state, thing uuid.UUID) {
	delete(s.inside, thing)
	if e.in[thing] = without(e.in[thing], s); len(e.in[thing]) == 0 {
		delete(e.in, thing)
	}
}

func without(list []*state, s *state) []*state {
	i := slices.Index(list, s)
	if i < 0 {
		return list
	}
	list[i] = list[len(list)-1]
	list[len(list)-1] = nil
	return list[:len(list)-1]
}

// around calls yield with all that is held for a watch and may lie inside.
func (e *Engine) around(s *state, yield func(Thing)) {
	if s.People {
		e.spots.In(s.Box(s.centre), func(id uuid.UUID) {
			if t := e.people[id]; s.Looks(&t) {
				yield(t)
			}
		})
	}
	if s.Places && !s.IsFixed() {
		e.places.Near(s.centre, s.WithinM, &s.Watch, yield)
	}
}

// decide brings what is held of a thing in a watch forward, and appends the event that this is.
func (e *Engine) decide(events []Event, s *state, t Thing, why Why, at time.Time) []Event {
	_, was := s.inside[t.ID]
	margin := 0.0
	if !t.Place || !s.IsFixed() {
		margin = max(s.HysteresisM, math.Hypot(t.AccuracyM, s.accuracyM))
	}
	is := s.Looks(&t) && (s.Area.IsKnown() || s.centre.IsValid()) && Decide(was, s.Depth(s.centre, t.At), margin)
	if is {
		e.enter(s, t)
	} else if was {
		e.out(s, t.ID)
	}
	if is == was {
		return events
	}
	return append(events, s.event(t, is, why, at))
}

func (s *state) event(t Thing, enters bool, why Why, at time.Time) Event {
	out := Event{Watch: s.ID, Thing: t, Enters: enters, Why: why, At: at, DistanceM: math.NaN(),
		Held: !t.Place || !s.IsFixed()}
	if !s.Area.IsKnown() && s.centre.IsValid() && t.At.IsValid() {
		out.DistanceM = geodesy.Distance(s.centre, t.At)
	}
	return out
}

// Moved tells where somebody is now, at a time; it returns what follows from that, by watch and thing.
func (e *Engine) Moved(t Thing, at time.Time) []Event {
	e.people[t.ID] = t
	e.spots.Put(t.ID, geo.Box{South: t.At.Lat(), West: t.At.Lng(), North: t.At.Lat(), East: t.At.Lng()})
	var events []Event
	was := slices.Clone(e.in[t.ID])
	for _, s := range was {
		events = e.decide(events, s, t, Moved, at)
	}
	e.boxes.At(t.At, func(s *state) {
		if s.People && !slices.Contains(was, s) {
			events = e.decide(events, s, t, Moved, at)
		}
	})
	for _, s := range e.led[t.ID] {
		s.centre, s.accuracyM = t.At, t.AccuracyM
		e.place(s)
		events = e.settle(events, s, CentreMoved, at)
	}
	return ordered(events)
}

// settle decides on all that is or may be inside a watch.
func (e *Engine) settle(events []Event, s *state, why Why, at time.Time) []Event {
	now := map[uuid.UUID]Thing{}
	if s.Area.IsKnown() || s.centre.IsValid() {
		e.around(s, func(t Thing) { now[t.ID] = t })
	}
	for id, t := range s.inside {
		if _, known := now[id]; known {
			continue
		}
		if person, known := e.people[id]; known {
			t = person
		} else if !t.Place { // away meanwhile
			e.out(s, id)
			events = append(events, s.event(t, false, Silent, at))
			continue
		}
		now[id] = t
	}
	for _, t := range now {
		events = e.decide(events, s, t, why, at)
	}
	return events
}

// Settle tells what has happened to a watch that was restored, when everybody's position and all places are known. The
// engine's Places answer for the places as they are; exists tells whether one that was inside is still there, and
// where.
func (e *Engine) Settle(id uuid.UUID, at time.Time, exists func(place uuid.UUID) (Thing, bool)) []Event {
	s := e.watches[id]
	if s == nil {
		return nil
	}
	var events []Event
	for thing, t := range s.inside {
		if !t.Place {
			continue
		}
		if now, ok := exists(thing); ok {
			s.inside[thing] = now
		} else {
			e.out(s, thing)
			events = append(events, s.event(t, false, Deleted, at))
		}
	}
	return ordered(e.settle(events, s, Moved, at))
}

// Left tells that somebody's position is no longer known: he shares it no longer, or has left the party.
func (e *Engine) Left(id uuid.UUID, at time.Time) []Event {
	t, known := e.people[id]
	if !known {
		return nil
	}
	delete(e.people, id)
	e.spots.Remove(id)
	var events []Event
	for _, s := range slices.Clone(e.in[id]) {
		events = append(events, s.event(t, false, Silent, at))
		e.out(s, id)
	}
	for _, s := range e.led[id] {
		for _, thing := range s.sorted() {
			events = append(events, s.event(thing, false, Silent, at))
			e.out(s, thing.ID)
		}
		s.centre = geo.Point{}
		e.place(s)
	}
	return ordered(events)
}

// Changed tells what a place was and is; nil for none, or one without a position.
func (e *Engine) Changed(before, after *Thing, at time.Time) []Event {
	var found []*state
	look := func(s *state) {
		if s.Places && !slices.Contains(found, s) {
			found = append(found, s)
		}
	}
	why, one := Written, after
	if after == nil {
		why, one = Deleted, before
	}
	if one == nil {
		return nil
	}
	for _, t := range []*Thing{before, after} {
		if t != nil {
			e.boxes.At(t.At, look)
		}
	}
	for _, s := range e.in[one.ID] {
		look(s)
	}
	var events []Event
	for _, s := range found {
		switch {
		case s.IsFixed():
			was, is := s.holds(before), s.holds(after)
			if was != is {
				events = append(events, s.event(*one, is, why, at))
			}
		case after != nil:
			events = e.decide(events, s, *after, why, at)
		default:
			if _, was := s.inside[one.ID]; was {
				e.out(s, one.ID)
				events = append(events, s.event(*one, false, why, at))
			}
		}
	}
	return ordered(events)
}

// holds tells whether a place lies in a fixed watch.
func (s *state) holds(t *Thing) bool {
	if t == nil || !s.Looks(t) {
		return false
	}
	if s.Area.IsKnown() {
		return s.Area.Contains(t.At)
	}
	return s.Depth(s.centre, t.At) >= 0
}

// ordered sorts events that happened at once, so that the same comes out each time: what leaves first, by watch and
// thing.
func ordered(events []Event) []Event {
	slices.SortFunc(events, func(a, b Event) int {
		if a.Enters != b.Enters {
			if b.Enters {
				return -1
			}
			return 1
		}
		if c := bytes.Compare(a.Watch[:], b.Watch[:]); c != 0 {
			return c
		}
		return bytes.Compare(a.Thing.ID[:], b.Thing.ID[:])
	})
	return events
}
