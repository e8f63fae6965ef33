// Package service is what the product does, in its own words: it joins the computation of core with what the store
// keeps. It knows no HTTP. Every call takes an Actor, who asks and what he may.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"viandante/core/geo"
	"viandante/imagery"
	"viandante/store"
	"viandante/world"
)

// Actor is who asks: the workspace he is in, the name that the change log keeps, and what he may do.
type Actor struct {
	Workspace   uuid.UUID
	Name        string
	Read, Write bool
}

// Kind says what is wrong with a request, in the service's terms.
type Kind int

// The kinds of error.
const (
	Invalid    Kind = iota + 1 // a value is wrong
	Forbidden                  // the actor may not
	NotFound                   // there is no such thing
	Conflict                   // somebody was first
	Stale                      // it has changed since it was read
	Impossible                 // understood, but it cannot be done
	Unready                    // not loaded yet
	Gone                       // older than what is kept
	NeedsMatch                 // a change must say which version it is of
	Upstream                   // somebody else's service does not do its part
	TooLarge                   // more than is taken
)

// Error is what a call of the service returns when it refuses.
type Error struct {
	Kind   Kind
	Detail string
	Fields []FieldError
	// Current is the thing as it is now, for Conflict and Stale, where it may be seen.
	Current any
}

// FieldError says what is wrong with one value and what would be right.
type FieldError struct {
	Field  string `json:"field"`
	Value  string `json:"value"`
	Reason string `json:"reason"`
	Hint   string `json:"hint"`
}

func (e *Error) Error() string {
	msg := e.Detail
	for _, f := range e.Fields {
		msg += fmt.Sprintf("; %s: %s", f.Field, f.Reason)
	}
	return msg
}

// Refuse returns the error for a value that is wrong. A *geo.ParseError brings its reason and hint along.
func Refuse(field, value string, err error) *Error {
	f := FieldError{Field: field, Value: value, Reason: err.Error()}
	var pe *geo.ParseError
	if errors.As(err, &pe) {
		f.Reason, f.Hint = pe.Reason, pe.Hint
		if value == "" {
			f.Value = pe.Input
		}
	}
	if r := []rune(f.Value); len(r) > 200 {
		f.Value = string(r[:200]) + "…"
	}
	return &Error{Kind: Invalid, Detail: fmt.Sprintf("%s %s", field, f.Reason), Fields: []FieldError{f}}
}

// Service answers for all workspaces and regions of an installation. It is safe for use by many goroutines.
type Service struct {
	store     *store.Store
	regionDir string
	log       *slog.Logger
	imagery   *imagery.Client

	mu      sync.Mutex
	indexes map[uuid.UUID]*index
	regions atomic.Pointer[regionSet]
	atlas   sync.Mutex // for whoever changes the regions in use
	trouble map[string]*trouble
	tiles   tileCache
	// pictures bounds how many pictures are unpacked at once: each may take some hundred megabytes.
	pictures chan struct{}
	ready    atomic.Bool
	// live are the goroutines that were started; Close waits for them.
	live     sync.WaitGroup
	Counters Counters
}

// Counters are what an operator would want to know of: they only grow.
type Counters struct {
	// Faults are readings of a region that failed, Panics what went wrong in the background and was begun again.
	Faults, Panics atomic.Int64
}

// New returns a service; Run brings it to life. Region files lie in regionDir.
func New(s *store.Store, regionDir string, log *slog.Logger) *Service {
	v := &Service{store: s, regionDir: regionDir, log: log, imagery: imagery.NewClient(time.Now), indexes: map[uuid.UUID]*index{}, tiles: newTileCache(),
		trouble: map[string]*trouble{}, pictures: make(chan struct{}, 1)}
	v.regions.Store(&regionSet{})
	return v
}

// Load reads the regions and the indexes of all workspaces. Afterwards the service is ready.
func (v *Service) Load(ctx context.Context) error {
	v.live.Go(func() { v.guarded("the world's coastlines", func() { _, _ = world.Region() }) }) // built by the time that somebody looks
	if err := v.followRegions(ctx); err != nil {
		return err
	}
	workspaces, err := v.store.Workspaces(ctx)
	if err != nil {
		return err
	}
	for _, id := range workspaces {
		if _, err := v.index(ctx, id); err != nil {
			return err
		}
	}
	v.ready.Store(true)
	return nil
}

// Run keeps regions and indexes current with what other processes write, until ctx is done. What goes wrong in it is
// logged and counted, and it goes on.
func (v *Service) Run(ctx context.Context) {
	every := time.NewTicker(300 * time.Millisecond)
	defer every.Stop()
	failing := false
	for n := 0; ; n++ {
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
		v.guarded("following the change log", func() {
			err := v.catchUp(ctx)
			if n%10_000 == 0 { // some times a day
				err = errors.Join(err, v.store.ForgetAnswers(ctx, time.Now().Add(-keptAnswers)))
			}
			if err != nil && ctx.Err() == nil && !failing {
				v.log.Warn("following the database fails; trying again", "error", err)
			}
			failing = err != nil
		})
	}
}

// keptAnswers is how long the answer to a request with a key is kept.
const keptAnswers = 48 * time.Hour

// catchUp takes in what others have written.
func (v *Service) catchUp(ctx context.Context) error {
	err := v.followRegions(ctx)
	v.mu.Lock()
	var all []*index
	for _, x := range v.indexes {
		all = append(all, x)
	}
	v.mu.Unlock()
	for _, x := range all {
		err = errors.Join(err, x.catchUp(ctx, 0))
		x.warm()
	}
	return err
}

// guarded does something in the background. Where it panics that is logged and counted.
func (v *Service) guarded(what string, f func()) {
	defer func() {
		if p := recover(); p != nil {
			v.Counters.Panics.Add(1)
			v.log.Error("something went wrong in the background; it is begun again", "what", what, "panic", p, "stack", string(debug.Stack()))
		}
	}()
	f()
}

// Close waits for what was started.
func (v *Service) Close() { v.live.Wait() }

// Ready tells whether the service can answer, and what is missing otherwise.
func (v *Service) Ready(ctx context.Context) error {
	if !v.ready.Load() {
		return &Error{Kind: Unready, Detail: "places and regions are still being loaded"}
	}
	if err := v.store.Ping(ctx); err != nil {
		return &Error{Kind: Unready, Detail: "the database does not answer"}
	}
	return nil
}

// index returns the index of a workspace, loading it at first use.
func (v *Service) index(ctx context.Context, workspace uuid.UUID) (*index, error) {
	v.mu.Lock()
	x := v.indexes[workspace]
	if x == nil {
		x = newIndex(v.store, workspace, &v.live)
		v.indexes[workspace] = x
	}
	v.mu.Unlock()
	return x, x.load(ctx)
}

// loaded returns what memory holds of a workspace while the database is away; otherwise why, where it holds nothing.
func (v *Service) loaded(a Actor, why error) (*snapshot, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if x := v.indexes[a.Workspace]; x != nil {
		if s := x.now.Load(); s != nil {
			return s, nil
		}
	}
	return nil, why
}

func (a Actor) mayRead() error {
	if !a.Read {
		return &Error{Kind: Forbidden, Detail: "this token may not read; it needs the scope read"}
	}
	return nil
}

func (a Actor) mayWrite() error {
	if !a.Write {
		return &Error{Kind: Forbidden, Detail: "this token may not write; it needs the scope write"}
	}
	return nil
}

func missing(what string) *Error { return &Error{Kind: NotFound, Detail: "there is no " + what} }
