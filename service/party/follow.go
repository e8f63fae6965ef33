package party

import (
	"slices"
	"sync"

	"github.com/google/uuid"

	"viandante/core/live"
)

// Move is a new position of a member.
type Move struct {
	ID uuid.UUID
	live.Report
}

// Told is what is new in a party: all who follow share it.
type Told struct {
	Party uuid.UUID
	// Whole tells that Members are all there are.
	Whole bool
	// Members are those who joined, are called otherwise, or began or ceased to share, as they are now.
	Members []Member
	Moves   []Move
	// Left are those who are in it no longer.
	Left []uuid.UUID

	once sync.Once
	text []byte
	err  error
}

// Text returns it as it is sent, which is made once, when the first who follow want it.
func (t *Told) Text(make func(*Told) ([]byte, error)) ([]byte, error) {
	t.once.Do(func() { t.text, t.err = make(t) })
	return t.text, t.err
}

func (t *Told) move(m Move) { t.Moves = append(t.Moves, m) }

func (t *Told) change(m Member) {
	t.forget(m.ID)
	t.Members = append(t.Members, m)
}

func (t *Told) leave(id uuid.UUID) {
	t.forget(id)
	t.Left = append(t.Left, id)
}

// forget takes back what was to be told of somebody: he is not what he was.
func (t *Told) forget(id uuid.UUID) {
	t.Moves = slices.DeleteFunc(t.Moves, func(m Move) bool { return m.ID == id })
	t.Members = slices.DeleteFunc(t.Members, func(m Member) bool { return m.ID == id })
}

// told returns what is to be told of a party with the next beat.
func (r *Room) told(party uuid.UUID) *Told {
	t := r.pending[party]
	if t == nil {
		t = &Told{Party: party}
		r.pending[party] = t
	}
	return t
}

// heldBeats is how many beats are held for those who are slow.
const heldBeats = 64

// ring holds what was told last.
type ring struct {
	mu        sync.Mutex
	beats     [heldBeats][]*Told
	next      uint64
	followers map[*Follower]struct{}
}

// tell hands on what is new.
func (r *Room) tell() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.tellNow()
}

func (r *Room) tellNow() {
	if len(r.pending) == 0 {
		return
	}
	beat := make([]*Told, 0, len(r.pending))
	for _, t := range r.pending {
		beat = append(beat, t)
	}
	clear(r.pending)
	g := &r.ring
	g.mu.Lock()
	defer g.mu.Unlock()
	g.beats[g.next%heldBeats] = beat
	g.next++
	for f := range g.followers {
		select {
		case f.woken <- struct{}{}:
		default: // it has not looked since the last time
		}
	}
}

// Follower is somebody who looks on.
type Follower struct {
	room  *Room
	only  uuid.UUID
	woken chan struct{}
	next  uint64
	begun bool
}

// Follow returns a follower of a party, of all parties with the nil UUID. The first that it is told is where everybody
// is. Close it.
func (r *Room) Follow(only uuid.UUID) *Follower {
	f := &Follower{room: r, only: only, woken: make(chan struct{}, 1)}
	f.woken <- struct{}{}
	r.ring.mu.Lock()
	defer r.ring.mu.Unlock()
	r.ring.followers[f] = struct{}{}
	return f
}

// Close ends the following.
func (f *Follower) Close() {
	g := &f.room.ring
	g.mu.Lock()
	defer g.mu.Unlock()
	delete(g.followers, f)
}

// Woken is ready to be received from when there may be more.
func (f *Follower) Woken() <-chan struct{} { return f.woken }

// Next returns what is new since the last time.
func (f *Follower) Next() []*Told {
	g := &f.room.ring
	g.mu.Lock()
	if f.begun && f.next+heldBeats >= g.next {
		var out []*Told
		for ; f.next < g.next; f.next++ {
			for _, t := range g.beats[f.next%heldBeats] {
				if f.only == uuid.Nil || t.Party == f.only {
					out = append(out, t)
				}
			}
		}
		g.mu.Unlock()
		return out
	}
	g.mu.Unlock()
	return f.whole()
}

// whole returns where everybody is, and goes on from there.
func (f *Follower) whole() []*Told {
	r := f.room
	r.mu.Lock()
	defer r.mu.Unlock()
	r.tellNow() // what follows comes after it
	r.ring.mu.Lock()
	f.next, f.begun = r.ring.next, true
	r.ring.mu.Unlock()
	by := map[uuid.UUID]*Told{}
	if f.only != uuid.Nil {
		by[f.only] = &Told{Party: f.only, Whole: true}
	}
	for _, m := range r.list(nil) {
		if f.only != uuid.Nil && m.Party != f.only {
			continue
		}
		t := by[m.Party]
		if t == nil {
			t = &Told{Party: m.Party, Whole: true}
			by[m.Party] = t
		}
		t.Members = append(t.Members, m)
	}
	out := make([]*Told, 0, len(by))
	for _, t := range by {
		out = append(out, t)
	}
	return out
}
