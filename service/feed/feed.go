// Package feed follows the change log: one follower reads it for all workspaces of a process, decodes each entry once,
// and hands it on from memory, to whoever keeps something current with it and to the streams of changes.
//
// # Contract
//
// A Channel is a workspace's log. Its listener is called with entries in the order of the log, each once, by one
// goroutine at a time, whoever wrote them; what Wrote is told of has been handed on when it returns. A Follower has a
// place in the log and nothing else: one that is slow holds nobody up, and reads what is no longer held from the
// database, a piece at a time.
package feed

import (
	"context"
	"errors"
	"sync"
	"time"

	"github.com/google/uuid"

	"viandante/service/background"
	"viandante/service/fault"
	"viandante/store"
)

// Beat is how often the database is asked whether others have written.
const Beat = 150 * time.Millisecond

// Feed follows the log of all workspaces that have a channel. It is safe for use by many goroutines.
type Feed struct {
	store *store.Store
	// keep is how long entries of the log are kept, 0 for ever.
	keep time.Duration

	crew *background.Crew

	mu       sync.Mutex
	channels map[uuid.UUID]*Channel
}

// New returns a feed; Run brings it to life. Entries older than keep are forgotten, none where it is 0.
func New(s *store.Store, keep time.Duration, crew *background.Crew) *Feed {
	return &Feed{store: s, keep: keep, crew: crew, channels: map[uuid.UUID]*Channel{}}
}

// Listener takes in what a channel hands on.
type Listener interface {
	// Load begins anew with everything up to a change at least.
	Load(ctx context.Context, no uint64) error
	// Apply takes in entries that follow those before.
	Apply(log []store.Logged) error
}

// Channel is the log of a workspace.
type Channel struct {
	feed      *Feed
	workspace uuid.UUID
	listener  Listener

	mu     sync.Mutex // for whoever brings it forward
	opened bool
	no     uint64
	era    uint32
	ring   ring
}

// Channel returns a workspace's channel; the listener is that of the first who asks for it. It hands nothing on before
// it is opened.
func (f *Feed) Channel(workspace uuid.UUID, listener Listener) *Channel {
	f.mu.Lock()
	defer f.mu.Unlock()
	c := f.channels[workspace]
	if c == nil {
		c = &Channel{feed: f, workspace: workspace, listener: listener}
		c.ring.followers = map[*Follower]struct{}{}
		c.ring.crew = f.crew
		f.channels[workspace] = c
	}
	return c
}

// Open has the listener load, once.
func (c *Channel) Open(ctx context.Context) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.opened {
		return nil
	}
	return c.load(ctx)
}

// load has the listener begin anew. The number is read first: what is committed meanwhile is read twice, never missed.
func (c *Channel) load(ctx context.Context) error {
	at, err := c.feed.store.Counter(ctx, c.workspace)
	if err != nil {
		return err
	}
	if err := c.listener.Load(ctx, at.No); err != nil {
		return err
	}
	c.ring.start(at.No)
	c.no, c.era, c.opened = at.No, at.Era, true
	return nil
}

// Wrote takes in a change of this process's own; when others have come in between, they are read first.
func (c *Channel) Wrote(ctx context.Context, done store.Committed) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	switch {
	case !c.opened || c.no >= done.No:
		return nil
	case c.no+1 < done.No:
		return c.read(ctx)
	}
	return c.handOn(done.Log)
}

// Wait returns when everything up to a number has been handed on.
func (c *Channel) Wait(ctx context.Context, no uint64) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.no >= no {
		return nil
	}
	if err := c.read(ctx); err != nil {
		return err
	}
	if c.no < no {
		return fault.New(fault.Gone, "there is no change %d yet, the last is %d; read everything anew", no, c.no)
	}
	return nil
}

// catchUp reads what others have written, up to a number at least.
func (c *Channel) catchUp(ctx context.Context, at store.Counter) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if !c.opened || c.no >= at.No && c.era == at.Era {
		return nil
	}
	return c.read(ctx)
}

func (c *Channel) read(ctx context.Context) error {
	const batch = 2000
	at, err := c.feed.store.Counter(ctx, c.workspace)
	if err != nil {
		return err
	}
	if at.Era != c.era { // a backup was restored: this is another log
		return c.load(ctx)
	}
	for {
		log, err := c.feed.store.ChangesSince(ctx, c.workspace, c.no, batch)
		if err != nil {
			return err
		}
		if len(log) == 0 {
			no, err := c.feed.store.ChangeNo(ctx, c.workspace)
			if err != nil || no <= c.no {
				return err
			}
			// Somebody has written since; or they were forgotten, all of them.
			if log, err = c.feed.store.ChangesSince(ctx, c.workspace, c.no, batch); err != nil {
				return err
			}
			if len(log) == 0 {
				return c.load(ctx)
			}
		}
		if log[0].No != c.no+1 { // the first of them were forgotten
			return c.load(ctx)
		}
		if err := c.handOn(log); err != nil {
			return err
		}
	}
}

func (c *Channel) handOn(log []store.Logged) error {
	if err := c.listener.Apply(log); err != nil {
		return err
	}
	c.no = log[len(log)-1].No
	c.ring.add(log)
	return nil
}

// Run follows what other processes write, with one question a beat for all workspaces, until ctx is done. It returns
// the error of a beat that failed through failed, nil after one that did not.
func (f *Feed) Run(ctx context.Context, failed func(error)) {
	every := time.NewTicker(Beat)
	defer every.Stop()
	const daily = int(24 * time.Hour / Beat)
	for n := 0; ; n++ {
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
		err := f.beat(ctx)
		if n%(daily/24) == 0 {
			err = errors.Join(err, f.forget(ctx))
		}
		if ctx.Err() == nil {
			failed(err)
		}
	}
}

func (f *Feed) beat(ctx context.Context) error {
	all, err := f.store.Counters(ctx)
	if err != nil {
		return err
	}
	f.mu.Lock()
	open := make([]*Channel, 0, len(f.channels))
	for _, c := range f.channels {
		open = append(open, c)
	}
	f.mu.Unlock()
	for _, c := range open {
		f.crew.Try("following the change log", func() { err = errors.Join(err, c.catchUp(ctx, all[c.workspace])) })
	}
	return err
}

// keptAnswers is how long the answer to a request with a key is kept.
const keptAnswers = 48 * time.Hour

// forget deletes what is no longer kept.
func (f *Feed) forget(ctx context.Context) error {
	err := f.store.ForgetAnswers(ctx, time.Now().Add(-keptAnswers))
	if f.keep == 0 {
		return err
	}
	workspaces, wrong := f.store.Workspaces(ctx)
	err = errors.Join(err, wrong)
	for _, id := range workspaces {
		for more := true; more; {
			if more, wrong = f.store.ForgetChanges(ctx, id, time.Now().Add(-f.keep)); wrong != nil {
				return errors.Join(err, wrong)
			}
		}
	}
	return err
}
