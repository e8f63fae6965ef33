// Package service is what the product does, in its own words and on typed values: it joins the computation of core with
// what the packages below it keep. It knows no HTTP, no SQL and no GeoJSON. Every call takes an Actor, who asks and
// what he may do.
//
//	access      who asks
//	atlas       the regions in use, and what answers from them
//	catalog     a workspace's features in memory
//	feed        the change log, followed and handed on
//	party       where the members of parties are, in memory
//	lookout     what enters and leaves watches
//	background  the goroutines, owned
//	fault       how a request is refused
package service

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/maypok86/otter/v2"

	"viandante/core/chart"
	"viandante/core/feature"
	"viandante/imagery"
	"viandante/service/access"
	"viandante/service/atlas"
	"viandante/service/background"
	"viandante/service/catalog"
	"viandante/service/fault"
	"viandante/service/feed"
	"viandante/service/lookout"
	"viandante/service/party"
	"viandante/store"
	"viandante/world"
)

// What whoever calls the service speaks in besides.
type (
	Actor      = access.Actor
	Collection = store.Collection
	Category   = store.Category
	Picture    = store.Picture
	// Once names a request that may come again.
	Once = store.Once
)

// Service answers for all workspaces and regions of an installation. It is safe for use by many goroutines.
type Service struct {
	atlas   *atlas.Atlas
	store   *store.Store
	log     *slog.Logger
	imagery *imagery.Client
	feed    *feed.Feed
	hub     *party.Hub
	crew    *background.Crew
	// alive ends when the service is closed.
	alive context.Context
	end   context.CancelFunc

	mu     sync.Mutex
	houses map[uuid.UUID]*house
	// pictures bounds how many pictures are unpacked at once: each may take some hundred megabytes.
	pictures chan struct{}
	ready    atomic.Bool
	onToken  atomic.Pointer[func(uuid.UUID)]
	fonts    chart.Fonts
	// drawn are pictures of the map that were drawn, drawing bounds how many are drawn at once.
	drawn   *otter.Cache[string, DrawnPicture]
	drawing chan struct{}
	tool    bool
}

// Options are what a service can be told; the zero Options are right for most.
type Options struct {
	// KeepChanges is how long entries of the change log are kept, 0 for ever.
	KeepChanges time.Duration
	// Tool is for a program that works beside the server: what it writes is not taken into its own memory.
	Tool bool
	// Fonts letter the pictures of the map; without them there are no names on them.
	Fonts chart.Fonts
}

// New returns a service; Run brings it to life, Close ends it. Region files lie in regionDir.
func New(s *store.Store, regionDir string, log *slog.Logger, o Options) *Service {
	v := &Service{atlas: atlas.New(s, regionDir, log), store: s, log: log, imagery: imagery.NewClient(time.Now),
		crew: background.New(log), houses: map[uuid.UUID]*house{}, pictures: make(chan struct{}, 1),
		tool: o.Tool, fonts: o.Fonts, drawn: newPictures(), drawing: make(chan struct{}, 2)}
	v.feed = feed.New(s, o.KeepChanges, v.crew)
	v.hub = party.New(s, time.Now, v.crew)
	v.alive, v.end = context.WithCancel(context.Background())
	return v
}

// Load reads the regions and the features of all workspaces. Afterwards the service is ready.
func (v *Service) Load(ctx context.Context) error {
	v.crew.Go(
		v.alive,
		"the world's coastlines",
		func(context.Context) { _, _ = world.Region() },
	) // built before somebody looks
	if err := v.atlas.Follow(ctx); err != nil {
		return err
	}
	workspaces, err := v.store.Workspaces(ctx)
	if err != nil {
		return err
	}
	for _, id := range workspaces {
		if _, err := v.house(ctx, id); err != nil {
			return err
		}
	}
	v.ready.Store(true)
	return nil
}

// Run keeps regions and features current with what other processes write, until ctx is done. What goes wrong in it is
// logged and counted, and it goes on.
func (v *Service) Run(ctx context.Context) {
	v.follow(ctx, "the change log", v.feed.Run)
	v.follow(ctx, "the regions in use", v.atlas.Run)
	v.follow(ctx, "where everybody is", v.hub.Run)
	v.follow(ctx, "addresses to look up", v.runLookups)
	<-ctx.Done()
}

// follow has something run in the background that tells now and then how it went; what fails is logged once.
func (v *Service) follow(ctx context.Context, what string, run func(context.Context, func(error))) {
	failing := false
	v.crew.Go(ctx, what, func(ctx context.Context) {
		run(ctx, func(err error) {
			if err != nil && !failing {
				v.log.Warn("following the database fails; trying again", "what", what, "error", err)
			}
			failing = err != nil
		})
	})
}

// Close ends what was started, and waits for it.
func (v *Service) Close() {
	v.end()
	v.crew.Wait()
	v.atlas.Close()
}

// Panics returns how many times something went wrong in the background, and was begun again.
func (v *Service) Panics() int64 { return v.crew.Panics() }

// Outages returns how many times the database was found not to answer.
func (v *Service) Outages() int64 { return v.store.Outages() }

// OnToken has a function called with each token that was made, changed or revoked, by whichever process.
func (v *Service) OnToken(f func(uuid.UUID)) { v.onToken.Store(&f) }

func (v *Service) tokenChanged(id uuid.UUID) {
	if f := v.onToken.Load(); f != nil {
		(*f)(id)
	}
}

// Ready tells whether the service can answer, and what is missing otherwise.
func (v *Service) Ready(ctx context.Context) error {
	if !v.ready.Load() {
		return fault.New(fault.Unready, "places and regions are still being loaded")
	}
	if err := v.store.Ping(ctx); err != nil {
		return fault.New(fault.Unready, "the database does not answer")
	}
	return nil
}

// house is a workspace in memory.
type house struct {
	store     *store.Store
	workspace uuid.UUID
	catalog   *catalog.Catalog
	room      *party.Room
	lookout   *lookout.Lookout
	parties   parties
	closures  closures
	channel   *feed.Channel
	// tokens is told of each token that was made, changed or revoked.
	tokens  func(uuid.UUID)
	writing chan struct{} // holds one for whoever of this process writes one feature
}

// Load fills the catalog from the database.
func (h *house) Load(ctx context.Context, no uint64) error {
	collections, err := h.store.Collections(ctx, h.workspace)
	if err != nil {
		return err
	}
	categories, err := h.store.Categories(ctx, h.workspace)
	if err != nil {
		return err
	}
	if err := h.parties.load(ctx, h.store, h.workspace); err != nil {
		return err
	}
	if err := h.closures.load(ctx, h.store, h.workspace); err != nil {
		return err
	}
	h.lookout.Reload()
	if h.tokens != nil {
		h.tokens(uuid.Nil) // what has happened meanwhile is not known
	}
	return h.catalog.Load(catalog.Contents{No: no, Collections: collections, Categories: categories,
		Features: h.features(ctx)})
}

// Apply brings what is held forward.
func (h *house) Apply(log []store.Logged) error {
	if err := h.catalog.Apply(log); err != nil {
		return err
	}
	for i := range log {
		if id, err := uuid.Parse(log[i].Entity); log[i].Topic == store.Tokens && err == nil && h.tokens != nil {
			h.tokens(id)
		}
	}
	h.parties.apply(log)
	h.closures.apply(log)
	h.lookout.Apply(log)
	return nil
}

// lock waits until nobody else of this process writes one feature, or the context ends.
func (h *house) lock(ctx context.Context) error {
	select {
	case h.writing <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (h *house) unlock() { <-h.writing }

// features returns what yields the workspace's features.
func (h *house) features(ctx context.Context) func(func(*feature.Feature) error) error {
	return func(yield func(*feature.Feature) error) error { return h.store.Features(ctx, h.workspace, yield) }
}

// house returns a workspace, loading it at first use.
func (v *Service) house(ctx context.Context, workspace uuid.UUID) (*house, error) {
	v.mu.Lock()
	h := v.houses[workspace]
	if h == nil {
		h = &house{store: v.store, workspace: workspace, catalog: catalog.New(), writing: make(chan struct{}, 1)}
		h.tokens = v.tokenChanged
		h.room = v.hub.Room(workspace)
		h.lookout = lookout.New(v.store, workspace, v.hub.Process, h.room, h.catalog, v.log)
		h.channel = v.feed.Channel(workspace, h)
		v.houses[workspace] = h
		v.crew.Go(v.alive, "building indexes", h.catalog.Run)
		v.follow(v.alive, "looking at watches", h.lookout.Run)
	}
	v.mu.Unlock()
	if h.catalog.Now() != nil {
		return h, nil
	}
	if err := h.room.Open(ctx); err != nil {
		return h, err
	}
	return h, h.channel.Open(ctx)
}

// reading returns what an actor reads from: his workspace as it is now, and his view of it.
func (v *Service) reading(ctx context.Context, a Actor) (*catalog.Snapshot, catalog.View, error) {
	if err := a.MayRead(); err != nil {
		return nil, catalog.View{}, err
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return nil, catalog.View{}, err
	}
	return h.catalog.Now(), view(a), nil
}

// view is what an actor sees.
func view(a Actor) catalog.View {
	if a.Collections == nil {
		return catalog.Everything()
	}
	return catalog.Only(a.Collections...)
}

// inMemory returns what memory holds of a workspace while the database is away; otherwise why, where it holds nothing.
func (v *Service) inMemory(a Actor, why error) (*catalog.Snapshot, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if h := v.houses[a.Workspace]; errors.Is(why, store.ErrUnavailable) && h != nil && h.catalog.Now() != nil {
		return h.catalog.Now(), nil
	}
	return nil, why
}

// AtLeast returns when whoever reads next is answered from no less than a change.
func (v *Service) AtLeast(ctx context.Context, a Actor, no uint64) error {
	h, err := v.house(ctx, a.Workspace)
	if err != nil || h.catalog.Now().No() >= no {
		return err
	}
	return h.channel.Wait(ctx, no)
}

// Seen returns the number of the last change that this process answers from: no less than any that it has answered.
func (v *Service) Seen(a Actor) uint64 {
	v.mu.Lock()
	defer v.mu.Unlock()
	if h := v.houses[a.Workspace]; h != nil && h.catalog.Now() != nil {
		return h.catalog.Now().No()
	}
	return 0
}

// Topics are what the change log tells of.
var Topics = []string{store.Features, store.Collections, store.Categories, store.Views, store.Overlays, store.Imagery,
	store.Rehearsals, store.Parties, store.Watches, store.Links, store.Emergency, store.Closures,
	store.Tokens}

// FollowChanges follows the changes of an actor's workspace: see feed.Channel.
func (v *Service) FollowChanges(ctx context.Context, a Actor, since *uint64) (*feed.Follower, error) {
	if err := a.MayRead(); err != nil {
		return nil, err
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return nil, err
	}
	return h.channel.Follow(ctx, since)
}

// SeesChange tells whether an entry of the log is in an actor's view.
func SeesChange(a Actor, e *feed.Event) bool {
	switch e.Topic {
	case store.Features:
		return a.Sees(e.Collection)
	case store.Collections:
		return a.Sees(e.Entity)
	case store.Tokens:
		return a.Scopes&access.Admin != 0
	case store.Categories:
		return !a.IsMember()
	case store.Parties:
		return seesTopic(a, e.Topic) && (!a.IsMember() || e.Entity == a.Party.String())
	}
	return seesTopic(a, e.Topic)
}

// Explain returns what an error of the database means to whoever asked; other errors stay as they are.
func Explain(err error) error {
	switch {
	case errors.Is(err, store.ErrUnavailable):
		return fault.New(
			fault.Away,
			"the database does not answer at the moment; what was asked for may or may not have been "+
				"done, so ask again in the same way",
		)
	case errors.Is(err, store.ErrBusy):
		return fault.New(fault.Busy, "%v", err)
	case errors.Is(err, store.ErrFull):
		return fault.New(fault.Full, "nothing was changed; make room on the disk, reading goes on: %v", err)
	case errors.Is(err, store.ErrTooLarge):
		return fault.New(fault.TooLarge, "%v; send it in smaller pieces", err)
	}
	return err
}
