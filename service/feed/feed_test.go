package feed

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/service/background"
	"viandante/service/fault"
	"viandante/store"
	"viandante/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var ctx = context.Background()

// heard is a listener that notes what it is told.
type heard struct {
	mu     sync.Mutex
	loads  []uint64
	names  []string
	refuse error
}

func (h *heard) Load(_ context.Context, no uint64) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.loads = append(h.loads, no)
	return nil
}

func (h *heard) Apply(log []store.Logged) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, l := range log {
		h.names = append(h.names, l.After.Name)
	}
	return h.refuse
}

func (h *heard) all() []string {
	h.mu.Lock()
	defer h.mu.Unlock()
	return append([]string{}, h.names...)
}

func newFeed(t *testing.T, keep time.Duration) (*Feed, *store.Store) {
	t.Helper()
	db := storetest.Open(t)
	crew := background.New(slog.New(slog.DiscardHandler))
	t.Cleanup(crew.Wait)
	return New(db, keep, crew), db
}

func workspace(t *testing.T, db *store.Store) uuid.UUID {
	t.Helper()
	id := uuid.Must(uuid.NewV7())
	require.NoError(t, db.CreateWorkspace(ctx, id, "test"))
	return id
}

func write(t *testing.T, db *store.Store, ws uuid.UUID, names ...string) store.Committed {
	t.Helper()
	done, err := db.ChangeOf(ctx, ws, store.Actor{Name: "tester"}, store.Wanted{}, func(c *store.Change) error {
		var list []store.Replacement
		for _, name := range names {
			f := &feature.Feature{ID: uuid.Must(uuid.NewV7()), Collection: "posts", Name: name}
			list = append(list, store.Replacement{After: f})
		}
		return c.WriteAll(list)
	})
	require.NoError(t, err)
	return done
}

func open(t *testing.T, f *Feed, ws uuid.UUID) (*Channel, *heard) {
	t.Helper()
	h := &heard{}
	c := f.Channel(ws, h)
	require.NoError(t, c.Open(ctx))
	return c, h
}

// One beat brings all workspaces to what others have written, each entry once and in order, whoever wrote it.
func TestOneBeatForAllWorkspaces(t *testing.T) {
	f, db := newFeed(t, 0)
	first, second := workspace(t, db), workspace(t, db)
	write(t, db, first, "before")
	a, heardA := open(t, f, first)
	_, heardB := open(t, f, second)
	assert.Equal(t, []uint64{1}, heardA.loads)
	write(t, db, first, "one")
	write(t, db, first, "two")
	write(t, db, second, "three")
	require.NoError(t, f.beat(ctx))
	assert.Equal(t, []string{"one", "two"}, heardA.all())
	assert.Equal(t, []string{"three"}, heardB.all())
	write(t, db, first, "another's")
	require.NoError(t, a.Wrote(ctx, write(t, db, first, "own")))
	require.NoError(t, f.beat(ctx))
	assert.Equal(t, []string{"one", "two", "another's", "own"}, heardA.all())
	assert.Same(t, a, f.Channel(first, nil), "a workspace has one channel")
	require.NoError(t, a.Open(ctx))
	assert.Len(t, heardA.loads, 1, "it is loaded once")
}

// A listener that refuses, or breaks, holds up nobody else, and is told again.
func TestAListenerThatRefuses(t *testing.T) {
	f, db := newFeed(t, 0)
	bad, good := workspace(t, db), workspace(t, db)
	_, h := open(t, f, bad)
	_, other := open(t, f, good)
	h.refuse = errors.New("not now")
	write(t, db, bad, "one")
	write(t, db, good, "two")
	require.ErrorIs(t, f.beat(ctx), h.refuse)
	assert.Equal(t, []string{"two"}, other.all())
	h.refuse = nil
	require.NoError(t, f.beat(ctx))
	assert.Equal(t, []string{"one", "one"}, h.all())
}

// What is no longer kept is read anew as a whole, and whoever follows from there is told so.
func TestAGapInTheLog(t *testing.T) {
	f, db := newFeed(t, time.Nanosecond)
	ws := workspace(t, db)
	c, h := open(t, f, ws)
	start := uint64(0)
	for range 2 {
		write(t, db, ws, "gone")
	}
	time.Sleep(2 * time.Millisecond)
	require.NoError(t, f.forget(ctx))
	require.NoError(t, f.beat(ctx))
	assert.Equal(t, []uint64{0, 2}, h.loads)
	assert.Empty(t, h.all())
	write(t, db, ws, "gone as well")
	time.Sleep(2 * time.Millisecond)
	require.NoError(t, f.forget(ctx))
	write(t, db, ws, "kept")
	require.NoError(t, c.Wait(ctx, 4))
	assert.Equal(t, []uint64{0, 2, 4}, h.loads)
	follower, err := c.Follow(ctx, &start)
	require.NoError(t, err)
	defer follower.Close()
	_, err = follower.Next(ctx)
	assert.True(t, fault.Is(err, fault.Gone))
	start = 3
	later, err := c.Follow(ctx, &start)
	require.NoError(t, err)
	defer later.Close()
	events, err := later.Next(ctx)
	require.NoError(t, err)
	require.Len(t, events, 1)
	assert.Equal(t, "kept", events[0].After.Name)
	assert.True(t, fault.Is(c.Wait(ctx, 5), fault.Gone))
}

// An event is made once for all who follow; a follower that has fallen behind what is held reads on from the log.
func TestFollowers(t *testing.T) {
	f, db := newFeed(t, 0)
	ws := workspace(t, db)
	c, _ := open(t, f, ws)
	var followers []*Follower
	for range 3 {
		one, err := c.Follow(ctx, nil)
		require.NoError(t, err)
		defer one.Close()
		followers = append(followers, one)
	}
	require.NoError(t, c.Wrote(ctx, write(t, db, ws, "a", "b", "c")))
	made := 0
	for _, one := range followers {
		<-one.Woken()
		events, err := one.Next(ctx)
		require.NoError(t, err)
		require.Len(t, events, 3)
		for i, e := range events {
			text, err := e.Text(func(l *Entry) ([]byte, error) { made++; return []byte(l.After.Name), nil })
			require.NoError(t, err)
			assert.Equal(t, []string{"a", "b", "c"}[i], string(text))
			assert.Equal(t, i == 2, e.Last)
		}
		events, err = one.Next(ctx)
		require.NoError(t, err)
		assert.Empty(t, events)
	}
	assert.Equal(t, 3, made)
	names := make([]string, heldEvents+50)
	for i := range names {
		names[i] = fmt.Sprint(i)
	}
	require.NoError(t, c.Wrote(ctx, write(t, db, ws, names...)))
	seen := 0
	for {
		events, err := followers[0].Next(ctx)
		require.NoError(t, err)
		if len(events) == 0 {
			break
		}
		for _, e := range events {
			require.Equal(t, names[seen], e.After.Name)
			seen++
		}
	}
	assert.Equal(t, len(names), seen)
}
