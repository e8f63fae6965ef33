// Package lookout looks at the watches of a workspace: it has the engine of core/watch hear of every move and of every
// change of a place, writes what comes of it into the database, and hands it on from there.
//
// # Contract
//
// Of the processes of an installation one at a time looks at the watches of a workspace; the right to is a row that it
// renews, and that its events are written under, so that one which was relieved writes nothing more. Events are
// numbered without gaps, and written in one transaction with what is inside the watches by them and with the number of
// the last change that was looked at: however a process ends, the next goes on exactly there. An event is handed on
// when it is written, not before. Nobody who writes a place or reports a position waits for any of it.
package lookout

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"viandante/core/watch"
	"viandante/service/catalog"
	"viandante/service/party"
	"viandante/store"
)

const (
	// lease is how long the right lasts unless it is renewed, and renewEvery how often it is.
	lease      = 4 * time.Second
	renewEvery = time.Second
	// gather is how long what comes is gathered before it is looked at: what follows from it is written together.
	gather = 20 * time.Millisecond
	// Beat is how often a process that does not look itself reads what was noticed.
	Beat = 200 * time.Millisecond
	// mostWaiting bounds what waits to be looked at, while the database is away; moves beyond it are not looked at.
	mostWaiting = 200_000
	// mostAtOnce is how much of it is looked at before what was noticed is written.
	mostAtOnce = 5000
	// Kept is how long events are kept.
	Kept        = 30 * 24 * time.Hour
	forgetEvery = 10 * time.Minute
)

// Sighting is an event of a watch.
type Sighting = store.Sighting

// Lookout looks at the watches of one workspace. It is safe for use by many goroutines.
type Lookout struct {
	store     *store.Store
	log       *slog.Logger
	workspace uuid.UUID
	process   uuid.UUID
	room      *party.Room
	catalog   *catalog.Catalog
	now       func() time.Time

	// awake tells that there are watches, looking that this process looks at them.
	awake   atomic.Bool
	looking atomic.Bool
	woken   chan struct{}
	mu      sync.Mutex
	waiting []item
	missed  int

	// What follows belongs to Run.
	engine   *watch.Engine
	no       uint64
	changeNo uint64 // up to this part of it everything was looked at
	part     int64
	saved    uint64 // the changeNo that the database has
	tried    time.Time
	notice   *store.Noticed

	ring ring
}

// item is something to be looked at: a move, somebody who is gone, or an entry of the change log.
type item struct {
	thing watch.Thing
	gone  bool
	at    time.Time
	entry *store.Logged
}

// New returns a lookout, which begins with Run; process is who this is among the processes of the installation.
func New(
	s *store.Store, workspace, process uuid.UUID, room *party.Room, c *catalog.Catalog, log *slog.Logger,
) *Lookout {
	l := &Lookout{store: s, log: log, workspace: workspace, process: process, room: room, catalog: c, now: time.Now,
		woken: make(chan struct{}, 1)}
	l.ring.followers = map[*Follower]struct{}{}
	room.Listen(l)
	return l
}

// Moved tells of somebody's position.
func (l *Lookout) Moved(t watch.Thing, at time.Time) { l.add(item{thing: t, at: at}) }

// Left tells of somebody whose position is not known any more.
func (l *Lookout) Left(id uuid.UUID, at time.Time) {
	l.add(item{thing: watch.Thing{ID: id}, gone: true, at: at})
}

// Apply tells of entries of the change log, in its order.
func (l *Lookout) Apply(log []store.Logged) {
	for i := range log {
		if e := &log[i]; e.Topic == store.Watches {
			l.awake.Store(true)
		}
	}
	if !l.awake.Load() {
		return
	}
	items := make([]item, len(log))
	for i := range log {
		items[i] = item{entry: &log[i], at: log[i].At}
	}
	l.add(items...)
}

func (l *Lookout) add(items ...item) {
	if !l.awake.Load() {
		return
	}
	l.mu.Lock()
	if len(l.waiting)+len(items) > mostWaiting {
		l.missed += len(items)
	} else {
		l.waiting = append(l.waiting, items...)
	}
	l.mu.Unlock()
	select {
	case l.woken <- struct{}{}:
	default: // it has not looked since the last time
	}
}

// Looking tells whether this process is the one that looks at the watches.
func (l *Lookout) Looking() bool { return l.looking.Load() }

// Reload tells that entries of the change log were passed over: they are read from the database.
func (l *Lookout) Reload() {
	if !l.awake.Load() {
		return
	}
	l.mu.Lock()
	l.missed++
	l.mu.Unlock()
	select {
	case l.woken <- struct{}{}:
	default: // it has not looked since the last time
	}
}

// next takes some of what waits.
func (l *Lookout) next() (some []item, missed int) {
	l.mu.Lock()
	defer l.mu.Unlock()
	n := min(len(l.waiting), mostAtOnce)
	for n > 0 && n < len(l.waiting) && l.waiting[n-1].entry != nil && l.waiting[n].entry != nil &&
		l.waiting[n].entry.No == l.waiting[n-1].entry.No {
		n++ // of a number all or nothing
	}
	some, missed = l.waiting[:n:n], l.missed
	if l.waiting = l.waiting[n:]; len(l.waiting) == 0 {
		l.waiting = nil
	}
	l.missed = 0
	return some, missed
}

// Run looks until ctx is done; it tells how it went now and then.
func (l *Lookout) Run(ctx context.Context, failed func(error)) {
	defer func() {
		if l.engine != nil {
			end, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
			defer cancel()
			_ = l.store.LeaveLookout(end, l.workspace, l.process) // it runs out by itself
		}
	}()
	rows, err := l.store.AllKept(ctx, l.workspace, store.Watches)
	if err != nil || len(rows) > 0 {
		l.awake.Store(true)
	}
	beat := time.NewTicker(Beat)
	defer beat.Stop()
	for n := 0; ; n++ {
		select {
		case <-ctx.Done():
			return
		case <-l.woken:
			err = nil
			if l.engine == nil && l.now().Sub(l.tried) > renewEvery { // the first watch begins at once
				err = l.takeOver(ctx)
			}
			if l.engine != nil {
				select {
				case <-ctx.Done():
				case <-time.After(gather):
				}
				err = errors.Join(err, l.look(ctx))
			}
		case <-beat.C:
			err = l.keep(ctx)
		}
		if ctx.Err() == nil {
			failed(err)
		}
	}
}

var renewBeats = int(renewEvery / Beat)

// keep renews the right to look, or tries to get it; without it, it reads what others have noticed.
func (l *Lookout) keep(ctx context.Context) error {
	l.ring.beats++
	if !l.awake.Load() {
		return nil
	}
	if l.engine == nil {
		err := error(nil)
		if l.ring.beats%renewBeats == 1 {
			err = l.takeOver(ctx)
		}
		if l.engine == nil {
			l.next() // somebody else looks at it
			return errors.Join(err, l.read(ctx))
		}
		return errors.Join(err, l.look(ctx))
	}
	if l.notice != nil { // it could not be written
		return l.look(ctx)
	}
	if l.ring.beats%renewBeats != 1 {
		return nil
	}
	_, err := l.store.KeepLookout(ctx, l.workspace, l.process, lease)
	if errors.Is(err, store.ErrRelieved) {
		l.relieved()
		return nil
	}
	if err == nil && l.changeNo > l.saved {
		l.notice = &store.Noticed{}
		err = l.write(ctx)
	}
	if l.ring.beats%int(forgetEvery/Beat) == 1 {
		err = errors.Join(err, l.store.ForgetSightings(ctx, l.now().Add(-Kept)))
	}
	return err
}

func (l *Lookout) relieved() {
	l.log.Info("another process looks at the watches from now on", "workspace", l.workspace)
	l.engine, l.notice = nil, nil
	l.looking.Store(false)
}

// begin begins a watch anew: what is inside is no event.
func (l *Lookout) begin(w watch.Watch) {
	held := []store.Held{}
	for _, t := range l.engine.Put(w) {
		held = append(held, store.Held{Watch: w.ID, Thing: t.ID, Place: t.Place, Of: t.Group})
	}
	if l.notice.Begun == nil {
		l.notice.Begun = map[uuid.UUID][]store.Held{}
	}
	l.notice.Begun[w.ID] = held
}

// look looks at what waits, and writes what comes of it.
func (l *Lookout) look(ctx context.Context) error {
	if l.notice != nil {
		if err := l.write(ctx); err != nil || l.engine == nil {
			return err
		}
	}
	for {
		some, missed := l.next()
		if missed > 0 {
			// What has happened is read from the database, and found by settling.
			l.log.Info("the watches are taken up anew", "missed", missed)
			l.engine = nil
			return l.takeOver(ctx)
		}
		if len(some) == 0 {
			return nil
		}
		l.notice = &store.Noticed{}
		for i := range some {
			switch it := &some[i]; {
			case it.entry != nil:
				l.apply(it.entry)
			case it.gone:
				l.note(l.engine.Left(it.thing.ID, it.at))
			default:
				l.note(l.engine.Moved(it.thing, it.at))
			}
		}
		if len(l.notice.Sightings)+len(l.notice.Begun) == 0 {
			l.notice = nil
			continue
		}
		if err := l.write(ctx); err != nil || l.engine == nil {
			return err
		}
	}
}

// apply looks at an entry of the log.
func (l *Lookout) apply(e *store.Logged) {
	if e.No < l.changeNo || e.No == l.changeNo && int64(e.Part) <= l.part {
		return
	}
	l.changeNo, l.part = e.No, int64(e.Part)
	switch e.Topic {
	case store.Watches:
		id, body, err := definitionOf(e, true)
		if err != nil {
			l.log.Warn("a change of a watch cannot be read", "watch", e.Entity, "error", err)
			return
		}
		if w, ok := l.watchOf(id, body); ok {
			l.begin(w)
			return
		}
		l.engine.Drop(id)
		if l.notice.Begun == nil {
			l.notice.Begun = map[uuid.UUID][]store.Held{}
		}
		l.notice.Begun[id] = nil
	case store.Features:
		l.note(l.engine.Changed(thingOf(e.Before), thingOf(e.After), e.At))
	}
}

// note takes down what has happened.
func (l *Lookout) note(events []watch.Event) {
	for _, e := range events {
		l.notice.Sightings = append(l.notice.Sightings, Sighting{Watch: e.Watch, Thing: e.Thing,
			Name: clip(e.Thing.Name), Enters: e.Enters, Why: e.Why, DistanceM: e.DistanceM, At: e.At})
		if !e.Held {
			continue
		}
		h := store.Held{Watch: e.Watch, Thing: e.Thing.ID, Place: e.Thing.Place, Of: e.Thing.Group}
		l.notice.Entered, l.notice.Left = without(l.notice.Entered, h), without(l.notice.Left, h)
		if e.Enters {
			l.notice.Entered = append(l.notice.Entered, h)
		} else {
			l.notice.Left = append(l.notice.Left, h)
		}
	}
}

func without(list []store.Held, h store.Held) []store.Held {
	for i := range list {
		if list[i].Watch == h.Watch && list[i].Thing == h.Thing {
			list[i] = list[len(list)-1]
			return list[:len(list)-1]
		}
	}
	return list
}

func clip(name string) string {
	if r := []rune(name); len(r) > 200 {
		return string(r[:200])
	}
	return name
}

// write writes down what was noticed and hands it on. What cannot be written is tried again.
func (l *Lookout) write(ctx context.Context) error {
	n := l.notice
	n.ChangeNo = l.changeNo
	err := l.store.WriteNoticed(ctx, l.workspace, l.process, n)
	switch {
	case errors.Is(err, store.ErrRelieved):
		l.relieved()
		return nil
	case err != nil:
		// Whether it was written before the answer was lost, the number tells.
		now, again := l.store.KeepLookout(ctx, l.workspace, l.process, lease)
		if errors.Is(again, store.ErrRelieved) {
			l.relieved()
			return nil
		}
		if again != nil || now.No == l.no {
			return err
		}
	}
	l.no += uint64(len(n.Sightings))
	l.saved, l.notice = l.changeNo, nil
	l.ring.add(n.Sightings)
	return nil
}
