package party

import (
	"context"
	"log/slog"
	"math"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/live"
	"viandante/core/watch"
	"viandante/service/background"
	"viandante/store"
	"viandante/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var (
	ctx  = context.Background()
	home = geo.MustPoint(-38.05, -26.05)
)

// newHub is a hub that runs until the test ends, on a database with one workspace.
func newHub(t *testing.T, db *store.Store) *Hub {
	t.Helper()
	crew := background.New(slog.New(slog.DiscardHandler))
	h := New(db, time.Now, crew)
	running, stop := context.WithCancel(ctx)
	crew.Go(running, "the hub", func(ctx context.Context) { h.Run(ctx, func(error) {}) })
	t.Cleanup(func() { stop(); crew.Wait() })
	return h
}

func newRoom(t *testing.T) (*Room, *store.Store, uuid.UUID) {
	t.Helper()
	db := storetest.Open(t)
	ws := uuid.Must(uuid.NewV7())
	require.NoError(t, db.CreateWorkspace(ctx, ws, "test"))
	r := newHub(t, db).Room(ws)
	require.NoError(t, r.Open(ctx))
	return r, db, ws
}

var wardens = uuid.MustParse("0193d4a0-0000-7000-8000-000000000001")

func (r *Room) join(t *testing.T, name string) uuid.UUID {
	t.Helper()
	m := Member{Workspace: r.workspace, ID: uuid.Must(uuid.NewV7()), Party: wardens, Name: name, Sharing: true,
		JoinedAt: time.Now().UTC()}
	_, err := r.Put(ctx, m)
	require.NoError(t, err)
	return m.ID
}

func report(metres float64, at time.Time) live.Report {
	p, _, err := geodesy.Destination(geodesy.Ellipsoid, home, 90, metres)
	if err != nil {
		panic(err)
	}
	return live.Report{At: p, Time: at, AccuracyM: 5, AltitudeM: math.NaN(), HeadingDeg: math.NaN(),
		SpeedMPS: math.NaN()}
}

// Everybody who looks on is told each position once and in order, however many report at the same time.
func TestEachPositionIsToldOnce(t *testing.T) {
	r, _, _ := newRoom(t)
	const people, each = 12, 60
	var ids []uuid.UUID
	for range people {
		ids = append(ids, r.join(t, "somebody"))
	}
	type told struct {
		mu    sync.Mutex
		times map[uuid.UUID][]time.Time
	}
	lookers := make([]told, 5)
	looking, stop := context.WithCancel(ctx)
	var wait sync.WaitGroup
	for i := range lookers {
		l := &lookers[i]
		l.times = map[uuid.UUID][]time.Time{}
		f := r.Follow(uuid.Nil)
		whole := f.Next()
		require.Len(t, whole, 1)
		require.True(t, whole[0].Whole)
		wait.Go(func() {
			defer f.Close()
			for {
				select {
				case <-looking.Done():
					return
				case <-f.Woken():
				}
				for _, beat := range f.Next() {
					assert.False(t, beat.Whole, "nobody has fallen behind")
					l.mu.Lock()
					for _, m := range beat.Moves {
						l.times[m.ID] = append(l.times[m.ID], m.Time)
					}
					l.mu.Unlock()
				}
			}
		})
	}
	began := time.Now()
	var reporting sync.WaitGroup
	for _, id := range ids {
		reporting.Go(func() {
			for n := range each {
				at := began.Add(time.Duration(n) * time.Millisecond)
				_, err := r.Report(id, []live.Report{report(float64(n)/100, at)}, time.Now(), 0)
				assert.NoError(t, err)
				time.Sleep(time.Millisecond)
			}
		})
	}
	reporting.Wait()
	assert.Eventually(t, func() bool {
		for i := range lookers {
			l := &lookers[i]
			l.mu.Lock()
			n := 0
			for _, list := range l.times {
				n += len(list)
			}
			l.mu.Unlock()
			if n != people*each {
				return false
			}
		}
		return true
	}, 10*time.Second, 20*time.Millisecond)
	stop()
	wait.Wait()
	for i := range lookers {
		for _, list := range lookers[i].times {
			for k := 1; k < len(list); k++ {
				assert.True(t, list[k].After(list[k-1]), "in order")
			}
		}
	}
}

// Who looks away for long is told anew where everybody is, and holds nobody up.
func TestWhoLooksAwayIsToldAnew(t *testing.T) {
	r, _, _ := newRoom(t)
	id := r.join(t, "Ida")
	f := r.Follow(wardens)
	defer f.Close()
	f.Next()
	began := time.Now()
	for n := range heldBeats + 5 {
		_, err := r.Report(id, []live.Report{report(float64(n), began.Add(time.Duration(n)*time.Second-time.Hour))},
			time.Now(), 0)
		require.NoError(t, err)
		r.tell()
	}
	told := f.Next()
	require.Len(t, told, 1)
	assert.True(t, told[0].Whole)
	assert.InDelta(t, heldBeats+4, geodesy.Distance(home, told[0].Members[0].Last.At), 0.01)
	assert.Empty(t, f.Next())
}

// What was reported before somebody stops is not handed on after it.
func TestWhoStopsIsToldOfNoMore(t *testing.T) {
	r, db, ws := newRoom(t)
	id := r.join(t, "Ida")
	f := r.Follow(wardens)
	defer f.Close()
	f.Next()
	_, err := r.Report(id, []live.Report{report(5, time.Now())}, time.Now(), time.Hour)
	require.NoError(t, err)
	m, _ := r.Member(id)
	m.Sharing = false
	_, err = r.Put(ctx, m)
	require.NoError(t, err)
	r.tell()
	for _, told := range f.Next() {
		assert.Empty(t, told.Moves)
		for _, m := range told.Members {
			assert.False(t, m.Last.At.IsValid())
		}
	}
	_, err = r.Report(id, []live.Report{report(6, time.Now())}, time.Now(), 0)
	require.ErrorIs(t, err, ErrSilent)
	time.Sleep(flushEvery + 5*Beat)
	list, err := db.Members(ctx, ws)
	require.NoError(t, err)
	assert.False(t, list[0].Last.At.IsValid())
	track, err := db.Track(ctx, ws, id)
	require.NoError(t, err)
	assert.Empty(t, track)
	require.NoError(t, r.Drop(ctx, id))
	require.ErrorIs(t, r.Drop(ctx, id), ErrUnknown)
	_, err = r.Report(id, []live.Report{report(6, time.Now())}, time.Now(), 0)
	require.ErrorIs(t, err, ErrUnknown)
}

// listened notes what a listener hears.
type listened struct {
	mu    sync.Mutex
	moved []watch.Thing
	left  []uuid.UUID
}

func (l *listened) Moved(t watch.Thing, _ time.Time) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.moved = append(l.moved, t)
}

func (l *listened) Left(id uuid.UUID, _ time.Time) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.left = append(l.left, id)
}

// The listener hears of every position of a batch, in the order of their times, and of who is gone.
func TestTheListenerHearsAll(t *testing.T) {
	r, _, _ := newRoom(t)
	id := r.join(t, "Ida")
	l := &listened{}
	assert.Len(t, r.Listen(l), 1)
	now := time.Now()
	batch := []live.Report{report(3, now), report(1, now.Add(-2*time.Second)), report(2, now.Add(-time.Second))}
	outcomes, err := r.Report(id, batch, now, 0)
	require.NoError(t, err)
	for _, o := range outcomes {
		assert.Equal(t, live.Taken, o.Verdict)
	}
	require.Len(t, l.moved, 3)
	for i, m := range l.moved {
		assert.InDelta(t, float64(i+1), geodesy.Distance(home, m.At), 0.01)
		assert.Equal(t, "Ida", m.Name)
		assert.Equal(t, wardens.String(), m.Group)
	}
	require.NoError(t, r.Drop(ctx, id))
	assert.Equal(t, []uuid.UUID{id}, l.left)
}

// While the database stands still positions are told all the same, and written when it is back.
func TestPositionsGoOnWithoutTheDatabase(t *testing.T) {
	r, db, ws := newRoom(t)
	id := r.join(t, "Ida")
	f := r.Follow(uuid.Nil)
	defer f.Close()
	f.Next()
	thaw := storetest.Freeze(t)
	began := time.Now()
	_, err := r.Report(id, []live.Report{report(42, began)}, began, time.Hour)
	require.NoError(t, err)
	r.tell()
	require.NotEmpty(t, f.Next())
	assert.Less(t, time.Since(began), time.Second, "it waits for no database")
	time.Sleep(2 * flushEvery)
	thaw()
	assert.Eventually(t, func() bool {
		list, err := db.Members(ctx, ws)
		return err == nil && len(list) == 1 && list[0].Last.At.IsValid()
	}, 20*time.Second, 50*time.Millisecond)
	assert.Eventually(t, func() bool {
		track, err := db.Track(ctx, ws, id)
		return err == nil && len(track) == 1
	}, 20*time.Second, 50*time.Millisecond)
}

// Two processes hear of each other's members: who joined, where they are, who left. A new one knows where they were.
func TestProcessesHearOfEachOther(t *testing.T) {
	r, db, ws := newRoom(t)
	other := newHub(t, db).Room(ws)
	require.NoError(t, other.Open(ctx))
	id := r.join(t, "Ida")
	_, err := r.Report(id, []live.Report{report(42, time.Now())}, time.Now(), 0)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		m, known := other.Member(id)
		return known && m.Last.At.IsValid()
	}, 20*time.Second, 20*time.Millisecond)
	// Reported to the other one now, it is newest there and here.
	_, err = other.Report(id, []live.Report{report(50, time.Now())}, time.Now(), 0)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		m, _ := r.Member(id)
		return geodesy.Distance(home, m.Last.At) > 49
	}, 20*time.Second, 20*time.Millisecond)
	third := New(db, time.Now, background.New(slog.New(slog.DiscardHandler))).Room(ws)
	require.NoError(t, third.Open(ctx))
	m, known := third.Member(id)
	require.True(t, known)
	assert.True(t, m.Last.At.IsValid())
	require.NoError(t, r.Drop(ctx, id))
	require.Eventually(t, func() bool { _, known := other.Member(id); return !known }, 20*time.Second,
		20*time.Millisecond)
}
