// Package party holds where the members of parties are: in memory, for all workspaces of a process, handed on to
// whoever looks on from there. Nothing of it goes through the change log. What the database keeps is the last position
// of each member, written over once a second, and a track where a party asks for one.
//
// # Contract
//
// What was reported goes to those who look on within a beat, each position once and in order; who is slow holds nobody
// up, and is told anew where everybody is once more is waiting for him than is held. Who stops sharing or leaves is
// gone from the hub when the call returns; his position is not handed on any more, by whatever process it came in.
// Processes hear of each other's members by the database, every half second: of the last position, not of those in
// between.
package party

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"viandante/core/live"
	"viandante/core/watch"
	"viandante/service/background"
	"viandante/store"
)

const (
	// Beat is how often those who look on are told what is new.
	Beat = 100 * time.Millisecond
	// flushEvery and hearEvery are how often positions are written down, and those of other processes read.
	flushEvery = time.Second
	hearEvery  = 500 * time.Millisecond
	// overlap is how far back what others wrote is read again: what was committed late is not missed.
	overlap     = 2 * time.Second
	forgetEvery = time.Minute
	// mostTracked bounds what of tracks waits for the database.
	mostTracked = 200_000
)

// Member is somebody in a party.
type Member = store.Member

// Listener hears of every move, in order, as it is made. It must not wait for anything.
type Listener interface {
	Moved(t watch.Thing, at time.Time)
	Left(id uuid.UUID, at time.Time)
}

// Hub holds the rooms of all workspaces. It is safe for use by many goroutines.
type Hub struct {
	store *store.Store
	now   func() time.Time
	crew  *background.Crew
	// Process is who this is among the processes of an installation.
	Process uuid.UUID

	mu    sync.Mutex
	rooms map[uuid.UUID]*Room
	heard time.Time
}

// New returns a hub; Run brings it to life. now is the clock.
func New(s *store.Store, now func() time.Time, crew *background.Crew) *Hub {
	return &Hub{store: s, now: now, crew: crew, Process: uuid.New(), rooms: map[uuid.UUID]*Room{}}
}

// Room is a workspace's parties.
type Room struct {
	hub       *Hub
	workspace uuid.UUID

	mu       sync.Mutex
	loaded   bool
	seats    map[uuid.UUID]*seat
	pending  map[uuid.UUID]*Told
	ring     ring
	tracks   []store.Trackpoint
	listener Listener
}

// seat is a member with what was reported of him.
type seat struct {
	Member
	sift  live.Sift
	dirty bool
}

// Room returns a workspace's room. Open it before use.
func (h *Hub) Room(workspace uuid.UUID) *Room {
	h.mu.Lock()
	defer h.mu.Unlock()
	r := h.rooms[workspace]
	if r == nil {
		r = &Room{hub: h, workspace: workspace, seats: map[uuid.UUID]*seat{}, pending: map[uuid.UUID]*Told{}}
		r.ring.followers = map[*Follower]struct{}{}
		h.rooms[workspace] = r
	}
	return r
}

// Open reads who is there, once.
func (r *Room) Open(ctx context.Context) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.loaded {
		return nil
	}
	list, err := r.hub.store.Members(ctx, r.workspace)
	if err != nil {
		return err
	}
	for _, m := range list {
		r.take(m)
	}
	r.loaded = true
	return nil
}

// ErrUnknown is returned for somebody who is not in a party, and ErrSilent for one who shares no position.
var (
	ErrUnknown = errors.New("not in the party")
	ErrSilent  = errors.New("shares no position")
)

// Listen has a listener hear of all moves from now on, and returns where everybody is now.
func (r *Room) Listen(l Listener) []Member {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.listener = l
	return r.list(nil)
}

// Members returns who is in a party, in the order in which they came.
func (r *Room) Members(party uuid.UUID) []Member {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.list(&party)
}

func (r *Room) list(party *uuid.UUID) []Member {
	out := make([]Member, 0, len(r.seats))
	for _, s := range r.seats {
		if party == nil || s.Party == *party {
			out = append(out, s.Member)
		}
	}
	slices.SortFunc(out, func(a, b Member) int {
		return cmp.Or(a.JoinedAt.Compare(b.JoinedAt), cmp.Compare(a.ID.String(), b.ID.String()))
	})
	return out
}

// Member returns one of them.
func (r *Room) Member(id uuid.UUID) (Member, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if s := r.seats[id]; s != nil {
		return s.Member, true
	}
	return Member{}, false
}

// Put makes a member, or changes what he is called and whether he shares. One who shares no longer has no position.
func (r *Room) Put(ctx context.Context, m Member) (Member, error) {
	if err := r.hub.store.WriteMember(ctx, r.hub.Process, m); err != nil {
		return Member{}, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if s := r.seats[m.ID]; s != nil {
		m.JoinedAt, m.Last = s.JoinedAt, s.Last
	}
	r.take(m)
	return r.seats[m.ID].Member, nil
}

// Drop takes somebody out of his party.
func (r *Room) Drop(ctx context.Context, id uuid.UUID) error {
	if _, known := r.Member(id); !known {
		return ErrUnknown
	}
	if err := r.hub.store.DropMember(ctx, r.hub.Process, r.workspace, id); err != nil {
		return err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.leave(id)
	return nil
}

// Report takes positions of a member in, at a time by this machine's clock; keep is how long his track is kept, 0 for
// no track. It returns what became of each.
func (r *Room) Report(id uuid.UUID, reports []live.Report, now time.Time, keep time.Duration) ([]live.Outcome, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	s := r.seats[id]
	switch {
	case s == nil:
		return nil, ErrUnknown
	case !s.Sharing:
		return nil, ErrSilent
	}
	outcomes, taken := s.sift.Batch(reports, now)
	for i, o := range outcomes {
		if o.Verdict == live.Late && keep > 0 {
			r.track(s, reports[i], keep)
		}
	}
	for _, t := range taken {
		r.moved(s, t)
		if keep > 0 {
			r.track(s, t, keep)
		}
	}
	if n := len(taken); n > 0 {
		// Of a batch those who look on get the newest.
		r.told(s.Party).move(Move{ID: s.ID, Report: taken[n-1]})
		s.dirty = true
	}
	return outcomes, nil
}

func (r *Room) moved(s *seat, t live.Report) {
	s.Last = t
	if r.listener != nil {
		r.listener.Moved(Thing(&s.Member), t.Time)
	}
}

// Thing is a member as watches look at him.
func Thing(m *Member) watch.Thing {
	return watch.Thing{ID: m.ID, Name: m.Name, Group: m.Party.String(), At: m.Last.At,
		AccuracyM: max(0, m.Last.AccuracyM)}
}

func (r *Room) track(s *seat, t live.Report, keep time.Duration) {
	if len(r.tracks) < mostTracked {
		r.tracks = append(r.tracks, store.Trackpoint{Workspace: r.workspace, Member: s.ID, Report: t,
			Until: r.hub.now().Add(keep)})
	}
}

// take brings what is held of a member in accord with what is known of him.
func (r *Room) take(m Member) {
	s := r.seats[m.ID]
	if s == nil {
		s = &seat{}
		r.seats[m.ID] = s
	}
	before := s.Last
	if m.Last.At.IsValid() {
		s.sift.Begin(m.Last)
	}
	if !m.Sharing {
		m.Last = live.Report{}
		s.sift = live.Sift{}
		s.dirty = false
		r.tracks = slices.DeleteFunc(r.tracks, func(t store.Trackpoint) bool { return t.Member == m.ID })
	} else if last, known := s.sift.Last(); known {
		m.Last = last
	}
	s.Member = m
	switch {
	case m.Last.At.IsValid() && !m.Last.Time.Equal(before.Time):
		r.moved(s, m.Last)
	case before.At.IsValid() && !m.Last.At.IsValid() && r.listener != nil:
		r.listener.Left(m.ID, r.hub.now())
	}
	r.told(m.Party).change(m)
}

func (r *Room) leave(id uuid.UUID) {
	s := r.seats[id]
	if s == nil {
		return
	}
	delete(r.seats, id)
	r.tracks = slices.DeleteFunc(r.tracks, func(t store.Trackpoint) bool { return t.Member == id })
	if s.Last.At.IsValid() && r.listener != nil {
		r.listener.Left(id, r.hub.now())
	}
	r.told(s.Party).leave(id)
}

// hear takes in what another process wrote.
func (r *Room) hear(m Member) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !r.loaded {
		return
	}
	s := r.seats[m.ID]
	switch {
	case m.Left:
		r.leave(m.ID)
	case s == nil || s.Name != m.Name || s.Picture != m.Picture || s.Sharing != m.Sharing || s.Party != m.Party:
		r.take(m)
	case m.Last.At.IsValid() && m.Last.Time.After(s.Last.Time):
		s.sift.Begin(m.Last)
		r.moved(s, m.Last)
		r.told(s.Party).move(Move{ID: s.ID, Report: m.Last})
	}
}

// Run hands on what is new, writes it down and hears of what others wrote, until ctx is done; it tells of each round
// how it went.
func (h *Hub) Run(ctx context.Context, failed func(error)) {
	beat := time.NewTicker(Beat)
	defer beat.Stop()
	every := func(d time.Duration) int { return int(d / Beat) }
	var err error
	for n := 1; ; n++ {
		select {
		case <-ctx.Done():
			end, cancel := context.WithTimeout(context.WithoutCancel(ctx), flushEvery)
			defer cancel()
			_ = h.flush(end) // the last words; where they do not come down they are a second old
			return
		case <-beat.C:
		}
		for _, r := range h.all() {
			h.crew.Try("telling where everybody is", r.tell)
		}
		if n%every(flushEvery) == 0 {
			err = h.flush(ctx)
		}
		if n%every(hearEvery) == 0 {
			err = errors.Join(err, h.hear(ctx))
		}
		if n%every(forgetEvery) == 0 {
			err = errors.Join(err, h.store.ForgetTracks(ctx))
		}
		if n%every(hearEvery) == 0 && ctx.Err() == nil {
			failed(err)
			err = nil
		}
	}
}

func (h *Hub) all() []*Room {
	h.mu.Lock()
	defer h.mu.Unlock()
	out := make([]*Room, 0, len(h.rooms))
	for _, r := range h.rooms {
		out = append(out, r)
	}
	return out
}

// flush writes down where everybody is, and tracks.
func (h *Hub) flush(ctx context.Context) error {
	var wrong error
	for _, r := range h.all() {
		r.mu.Lock()
		var moved []Member
		for _, s := range r.seats {
			if s.dirty {
				s.dirty = false
				moved = append(moved, s.Member)
			}
		}
		tracks := r.tracks
		r.tracks = nil
		r.mu.Unlock()
		if err := h.store.SavePositions(ctx, h.Process, moved); err != nil {
			wrong = errors.Join(wrong, err)
			r.again(moved)
		}
		if err := h.store.SaveTracks(ctx, tracks); err != nil {
			wrong = errors.Join(wrong, err)
			r.mu.Lock()
			r.tracks = append(tracks, r.tracks...)
			r.tracks = r.tracks[:min(len(r.tracks), mostTracked)]
			r.mu.Unlock()
		}
	}
	return wrong
}

// again has positions written with the next round.
func (r *Room) again(list []Member) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, m := range list {
		if s := r.seats[m.ID]; s != nil && s.Last.At.IsValid() {
			s.dirty = true
		}
	}
}

func (h *Hub) hear(ctx context.Context) error {
	since := h.heard.Add(-overlap)
	if h.heard.IsZero() { // rooms were read whole
		since = h.now().Add(-time.Minute)
	}
	list, now, err := h.store.MembersWritten(ctx, h.Process, since)
	if err != nil {
		return err
	}
	h.heard = now
	for _, m := range list {
		h.mu.Lock()
		r := h.rooms[m.Workspace]
		h.mu.Unlock()
		if r != nil {
			r.hear(m)
		}
	}
	return nil
}
