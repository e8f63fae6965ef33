package feed

import (
	"context"
	"errors"
	"sort"
	"sync"
	"time"

	"viandante/service/background"
	"viandante/service/fault"
	"viandante/store"
)

// Entry is an entry of the log.
type Entry = store.Logged

// Event is an entry of the log. All who follow share it.
type Event struct {
	Entry
	// Last tells that no more comes under the same number.
	Last bool
	size int
	once sync.Once
	text []byte
	err  error
}

// Text returns the event as it is sent, which is made once, when the first who follow want it.
func (e *Event) Text(make func(*Entry) ([]byte, error)) ([]byte, error) {
	e.once.Do(func() { e.text, e.err = make(&e.Entry) })
	return e.text, e.err
}

// A ring holds the last changes of a workspace in memory for all who follow it: a stream keeps its place in the log,
// and nothing else. One that has fallen behind what is held reads the log in the database, a piece at a time.
const (
	heldEvents = 4096
	heldBytes  = 16 << 20
	// What one reading of a follower gives at most.
	readEvents = 200
	readBytes  = 1 << 20
	// A change wakes those who follow some at a time, with a pause between: however many they are, whoever writes next
	// does not wait for all of them to be served.
	wokenAtOnce = 16
	wakingPause = 500 * time.Microsecond
)

type ring struct {
	mu        sync.Mutex
	events    []*Event
	bytes     int
	from      uint64 // the number after which all events are held
	followers map[*Follower]struct{}
	waking    bool
	again     bool // more has come while waking
	crew      *background.Crew
}

// start forgets what was held: the next change is the one after a number.
func (r *ring) start(after uint64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.events, r.bytes, r.from = nil, 0, after
}

// add takes some more of the log in and wakes those who follow.
func (r *ring) add(log []store.Logged) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for i := range log {
		e := newEvent(log, i)
		r.events = append(r.events, e)
		r.bytes += e.size
	}
	drop := 0
	for drop < len(r.events) && (len(r.events)-drop > heldEvents || r.bytes > heldBytes) {
		r.bytes -= r.events[drop].size
		r.from = r.events[drop].No
		drop++
	}
	// Of a number nothing is held, or all.
	for drop > 0 && drop < len(r.events) && r.events[drop].No == r.from {
		r.bytes -= r.events[drop].size
		drop++
	}
	r.events = r.events[drop:] // those who read have slices of their own
	r.again = true
	if !r.waking && len(r.followers) > 0 {
		r.waking = true
		r.crew.Go(context.Background(), "waking those who follow", func(context.Context) { r.wake() })
	}
}

func (r *ring) wake() {
	for {
		r.mu.Lock()
		if !r.again || len(r.followers) == 0 {
			r.waking = false
			r.mu.Unlock()
			return
		}
		r.again = false
		all := make([]*Follower, 0, len(r.followers))
		for one := range r.followers {
			all = append(all, one)
		}
		r.mu.Unlock()
		for i, one := range all {
			select {
			case one.woken <- struct{}{}:
			default: // it has not looked since the last time
			}
			if i%wokenAtOnce == wokenAtOnce-1 {
				time.Sleep(wakingPause)
			}
		}
	}
}

// after returns held events beyond a place in the log; false when it lies before what is held.
func (r *ring) after(no uint64, part int64) ([]*Event, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if no < r.from || no == r.from && part >= 0 { // in the midst of a number of which nothing is held
		return nil, false
	}
	first := sort.Search(len(r.events), func(i int) bool { return r.events[i].beyond(no, part) })
	last, size := first, 0
	for last < len(r.events) && last-first < readEvents && (size == 0 || size < readBytes) {
		size += r.events[last].size
		last++
	}
	return r.events[first:last:last], true
}

// beyond tells whether an event comes after a part of a number; part -1 is before all parts of the number that follows.
func (e *Event) beyond(no uint64, part int64) bool {
	return e.No > no || e.No == no && part >= 0 && int64(e.Part) > part
}

func newEvent(log []store.Logged, i int) *Event {
	e := &Event{Entry: log[i], Last: i+1 == len(log) || log[i+1].No != log[i].No}
	e.Before, e.TextBefore = nil, nil
	e.size = 700 + 2*len(e.TextAfter)
	if f := e.After; f != nil {
		e.size += 2*len(f.Attributes) + 80*f.Geometry.Vertices() + len(f.AddressFound)
	}
	return e
}

// Follower is somebody's place in the change log.
type Follower struct {
	channel *Channel
	woken   chan struct{}
	// The last that was handed out: all of a number when part is -1.
	no   uint64
	part int64
}

// Follow returns a follower of all changes after a number, or of those to come. A number from beyond the last is Gone:
// whoever asks has to read everything anew. Close it.
func (c *Channel) Follow(ctx context.Context, since *uint64) (*Follower, error) {
	no, err := c.ChangeNo(ctx)
	if err != nil {
		return nil, err
	}
	f := &Follower{channel: c, woken: make(chan struct{}, 1), no: no, part: -1}
	if since != nil {
		if *since > no {
			return nil, fault.New(fault.Gone, "there is no such change yet; read everything anew and follow from there")
		}
		f.no = *since
	}
	c.ring.mu.Lock()
	defer c.ring.mu.Unlock()
	c.ring.followers[f] = struct{}{}
	return f, nil
}

// ChangeNo returns the number of the workspace's last change; while the database is away, of the last that is known
// here.
func (c *Channel) ChangeNo(ctx context.Context) (uint64, error) {
	no, err := c.feed.store.ChangeNo(ctx, c.workspace)
	if errors.Is(err, store.ErrUnavailable) {
		c.mu.Lock()
		defer c.mu.Unlock()
		if c.opened {
			return c.no, nil
		}
	}
	return no, err
}

// Since is the number after which the next event comes.
func (f *Follower) Since() uint64 { return f.no }

// Close ends the following.
func (f *Follower) Close() {
	r := &f.channel.ring
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.followers, f)
}

// Woken is ready to be received from when there may be more.
func (f *Follower) Woken() <-chan struct{} { return f.woken }

// Next returns the events that come next, none when there are none yet. A number from before what is kept is Gone.
func (f *Follower) Next(ctx context.Context) ([]*Event, error) {
	c := f.channel
	events, held := c.ring.after(f.no, f.part)
	if !held {
		log, err := c.feed.store.ChangesAfter(ctx, c.workspace, f.no, f.part, readEvents, readBytes)
		if errors.Is(err, store.ErrUnavailable) {
			return nil, nil // it goes on when the database does
		} else if err != nil {
			return nil, err
		}
		if len(log) == 0 || f.part < 0 && log[0].No != f.no+1 {
			return nil, fault.New(
				fault.Gone,
				"changes that far back are no longer kept; read everything anew and follow from there",
			)
		}
		for i := range log {
			events = append(events, newEvent(log, i))
		}
		// Whether the last one ends its number only the one after it would tell: the next reading begins with that.
		if n := len(events); n > 0 {
			events[n-1].Last = log[n-1].Part+1 == log[n-1].Parts
		}
	}
	if n := len(events); n > 0 {
		f.no, f.part = events[n-1].No, int64(events[n-1].Part)
		if events[n-1].Last {
			f.part = -1
		}
	}
	return events, nil
}
