package lookout

import (
	"context"
	"errors"
	"sync"

	"viandante/service/fault"
	"viandante/store"
)

// ring holds the last events in memory, in the order of their numbers and without gaps.
type ring struct {
	beats int // of Run

	mu        sync.Mutex
	events    []Sighting
	followers map[*Follower]struct{}
}

const (
	heldEvents = 4096
	readEvents = 500
)

func (r *ring) add(events []Sighting) {
	if len(events) == 0 {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if n := len(r.events); n > 0 && r.events[n-1].No+1 != events[0].No {
		r.events = nil
	}
	r.events = append(r.events, events...)
	if n := len(r.events); n > heldEvents {
		r.events = append([]Sighting(nil), r.events[n-heldEvents/2:]...) // those who read have slices of their own
	}
	for f := range r.followers {
		select {
		case f.woken <- struct{}{}:
		default: // it has not looked since the last time
		}
	}
}

// after returns held events beyond a number; false where some before them are not held.
func (r *ring) after(no uint64) ([]Sighting, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.events) == 0 || no+1 < r.events[0].No {
		return nil, false
	}
	first := min(no+1-r.events[0].No, uint64(len(r.events)))
	some := r.events[first:min(uint64(len(r.events)), first+readEvents)]
	return some[:len(some):len(some)], true
}

// read takes in what another process has noticed, as long as somebody follows here.
func (l *Lookout) read(ctx context.Context) error {
	l.ring.mu.Lock()
	followed, last := len(l.ring.followers) > 0, uint64(0)
	if n := len(l.ring.events); n > 0 {
		last = l.ring.events[n-1].No
	}
	l.ring.mu.Unlock()
	if !followed {
		return nil
	}
	if last == 0 {
		_, now, err := l.store.SightingNos(ctx, l.workspace)
		if err != nil || now == 0 {
			return err
		}
		last = now - min(now, readEvents)
	}
	events, err := l.store.Sightings(ctx, l.workspace, last, [16]byte{}, readEvents)
	if err != nil {
		return err
	}
	l.ring.add(events)
	return nil
}

// Follower is somebody's place among the events.
type Follower struct {
	lookout *Lookout
	woken   chan struct{}
	no      uint64
}

// Follow returns a follower of the events after a number, or of those to come. A number from before what is kept, or
// from beyond the last, is Gone. Close it.
func (l *Lookout) Follow(ctx context.Context, since *uint64) (*Follower, error) {
	first, last, err := l.store.SightingNos(ctx, l.workspace)
	if err != nil {
		return nil, err
	}
	f := &Follower{lookout: l, woken: make(chan struct{}, 1), no: last}
	if since != nil {
		if err := StillKept(*since, first, last); err != nil {
			return nil, err
		}
		f.no = *since
	}
	f.woken <- struct{}{}
	l.ring.mu.Lock()
	defer l.ring.mu.Unlock()
	l.ring.followers[f] = struct{}{}
	return f, nil
}

// StillKept holds a number to what is kept.
func StillKept(since, first, last uint64) error {
	switch {
	case since > last:
		return fault.New(fault.Gone, "there is no event %d yet, the last is %d", since, last)
	case since < last && (first == 0 || since+1 < first):
		return fault.New(fault.Gone,
			"events that far back are no longer kept: ask what is inside now, and follow from %d", last)
	}
	return nil
}

// Since is the number after which the next event comes.
func (f *Follower) Since() uint64 { return f.no }

// Close ends the following.
func (f *Follower) Close() {
	r := &f.lookout.ring
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.followers, f)
}

// Woken is ready to be received from when there may be more.
func (f *Follower) Woken() <-chan struct{} { return f.woken }

// Next returns the events that come next, none when there are none yet.
func (f *Follower) Next(ctx context.Context) ([]Sighting, error) {
	events, held := f.lookout.ring.after(f.no)
	if !held {
		var err error
		events, err = f.lookout.store.Sightings(ctx, f.lookout.workspace, f.no, [16]byte{}, readEvents)
		if errors.Is(err, store.ErrUnavailable) {
			return nil, nil // it goes on when the database does
		} else if err != nil {
			return nil, err
		}
	}
	if n := len(events); n > 0 {
		f.no = events[n-1].No
	}
	return events, nil
}
