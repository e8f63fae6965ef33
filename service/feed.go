package service

import (
	"context"
	"encoding/json"
	"errors"
	"sort"
	"sync"
	"time"

	"viandante/codec/geojson"
	"viandante/store"
)

// Changed is one change as it is told to those who follow.
type Changed struct {
	No         uint64 `json:"no"`
	Topic      string `json:"topic"`
	Collection string `json:"collection,omitempty"`
	ID         string `json:"id"`
	Actor      string `json:"actor"`
	At         string `json:"at"`
	// Feature is the feature as it is now, null when deleted; left out for other topics.
	Feature *geojson.Feature `json:"feature"`
}

// Topics are what the change log tells of.
var Topics = []string{"features", "collections", "categories", store.Views, store.Overlays, store.Imagery}

// Event is one change ready to be sent. All who follow share it: it is made once, when the first of them wants it.
type Event struct {
	No    uint64
	Topic string
	// Last tells that no more comes under the same number.
	Last bool
	part uint32
	size int
	text func() ([]byte, error)
}

// JSON returns the event as JSON, a Changed.
func (e *Event) JSON() ([]byte, error) { return e.text() }

// A feed holds the last changes of a workspace in memory for all who follow it: a stream keeps its place in the log, and
// nothing else. One that has fallen behind what is held reads the log in the database, a piece at a time.
const (
	feedEvents = 4096
	feedBytes  = 16 << 20
	// What one reading of a follower gives at most.
	readEvents = 200
	readBytes  = 1 << 20
	// A change wakes those who follow some at a time, with a pause between: however many they are, whoever writes next
	// does not wait for all of them to be served.
	wokenAtOnce = 16
	wakingPause = 500 * time.Microsecond
)

type feed struct {
	mu        sync.Mutex
	events    []*Event
	bytes     int
	from      uint64 // the number after which all events are held
	followers map[*Follower]struct{}
	waking    bool
	again     bool // more has come while waking
	live      *sync.WaitGroup
}

func newFeed(live *sync.WaitGroup) *feed {
	return &feed{followers: map[*Follower]struct{}{}, live: live}
}

// start forgets what was held: the next change is the one after a number.
func (f *feed) start(after uint64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.events, f.bytes, f.from = nil, 0, after
}

// add takes some more of the log in and wakes those who follow.
func (f *feed) add(log []store.Logged) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for i := range log {
		e := newEvent(log, i)
		f.events = append(f.events, e)
		f.bytes += e.size
	}
	drop := 0
	for drop < len(f.events) && (len(f.events)-drop > feedEvents || f.bytes > feedBytes) {
		f.bytes -= f.events[drop].size
		f.from = f.events[drop].No
		drop++
	}
	// Of a number nothing is held, or all.
	for drop > 0 && drop < len(f.events) && f.events[drop].No == f.from {
		f.bytes -= f.events[drop].size
		drop++
	}
	f.events = f.events[drop:] // those who read have slices of their own
	f.again = true
	if !f.waking && len(f.followers) > 0 {
		f.waking = true
		f.live.Go(f.wake)
	}
}

func (f *feed) wake() {
	for {
		f.mu.Lock()
		if !f.again || len(f.followers) == 0 {
			f.waking = false
			f.mu.Unlock()
			return
		}
		f.again = false
		all := make([]*Follower, 0, len(f.followers))
		for one := range f.followers {
			all = append(all, one)
		}
		f.mu.Unlock()
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
func (f *feed) after(no uint64, part int64) ([]*Event, bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if no < f.from || no == f.from && part >= 0 { // in the midst of a number of which nothing is held
		return nil, false
	}
	first := sort.Search(len(f.events), func(i int) bool { return f.events[i].beyond(no, part) })
	last, size := first, 0
	for last < len(f.events) && last-first < readEvents && (size == 0 || size < readBytes) {
		size += f.events[last].size
		last++
	}
	return f.events[first:last:last], true
}

// beyond tells whether an event comes after a part of a number; part -1 is before all parts of the number that follows.
func (e *Event) beyond(no uint64, part int64) bool {
	return e.No > no || e.No == no && part >= 0 && int64(e.part) > part
}

func newEvent(log []store.Logged, i int) *Event {
	l := log[i]
	l.Before = nil
	return &Event{No: l.No, Topic: l.Topic, part: l.Part, Last: i+1 == len(log) || log[i+1].No != l.No, size: 2*len(l.After) + 300,
		text: sync.OnceValues(func() ([]byte, error) { return tell(l) })}
}

func tell(l store.Logged) ([]byte, error) {
	out := Changed{No: l.No, Topic: l.Topic, Collection: l.Collection, ID: l.Entity, Actor: l.Actor,
		At: l.At.Format("2006-01-02T15:04:05.000000Z07:00")}
	if l.Topic == "features" && l.After != nil {
		var f store.Feature
		if err := json.Unmarshal(l.After, &f); err != nil {
			return nil, err
		}
		out.Feature = present(Actor{}, &f)
	}
	return json.Marshal(out)
}

// Follower is somebody's place in the change log.
type Follower struct {
	service *Service
	actor   Actor
	feed    *feed
	woken   chan struct{}
	// The last that was handed out: all of a number when part is -1.
	no   uint64
	part int64
}

// ChangeNo returns the number of the workspace's last change.
func (v *Service) ChangeNo(ctx context.Context, a Actor) (uint64, error) {
	if err := a.mayRead(); err != nil {
		return 0, err
	}
	no, err := v.store.ChangeNo(ctx, a.Workspace)
	if errors.Is(err, store.ErrUnavailable) {
		s, err := v.loaded(a, err)
		if err != nil {
			return 0, err
		}
		return s.no, nil
	}
	return no, err
}

// Follow returns a follower of all changes after a number, or of those to come. A number from beyond the last is Gone:
// whoever asks has to read everything anew. Close it.
func (v *Service) Follow(ctx context.Context, a Actor, since *uint64) (*Follower, error) {
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return nil, err
	}
	no, err := v.ChangeNo(ctx, a)
	if err != nil {
		return nil, err
	}
	f := &Follower{service: v, actor: a, feed: x.feed, woken: make(chan struct{}, 1), no: no, part: -1}
	if since != nil {
		if *since > no {
			return nil, &Error{Kind: Gone, Detail: "there is no such change yet; read everything anew and follow from there"}
		}
		f.no = *since
	}
	f.feed.mu.Lock()
	defer f.feed.mu.Unlock()
	f.feed.followers[f] = struct{}{}
	return f, nil
}

// Since is the number after which the next event comes.
func (f *Follower) Since() uint64 { return f.no }

// Close ends the following.
func (f *Follower) Close() {
	f.feed.mu.Lock()
	defer f.feed.mu.Unlock()
	delete(f.feed.followers, f)
}

// Woken is ready to be received from when there may be more.
func (f *Follower) Woken() <-chan struct{} { return f.woken }

// Next returns the events that come next, none when there are none yet. A number from before what is kept is Gone.
func (f *Follower) Next(ctx context.Context) ([]*Event, error) {
	events, held := f.feed.after(f.no, f.part)
	if !held {
		log, err := f.service.store.ChangesAfter(ctx, f.actor.Workspace, f.no, f.part, readEvents, readBytes)
		if errors.Is(err, store.ErrUnavailable) {
			return nil, nil // it goes on when the database does
		} else if err != nil {
			return nil, err
		}
		if len(log) > 0 && f.part < 0 && f.no > 0 && log[0].No != f.no+1 {
			return nil, &Error{Kind: Gone, Detail: "changes that far back are no longer kept; read everything anew and follow from there"}
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
		f.no, f.part = events[n-1].No, int64(events[n-1].part)
		if events[n-1].Last {
			f.part = -1
		}
	}
	return events, nil
}
