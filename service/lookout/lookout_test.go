package lookout

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"math"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/live"
	"viandante/service/background"
	"viandante/service/catalog"
	"viandante/service/fault"
	"viandante/service/party"
	"viandante/store"
	"viandante/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var (
	ctx     = context.Background()
	home    = geo.MustPoint(-38.05, -26.05)
	wardens = uuid.MustParse("0193d4a0-0000-7000-8000-000000000001")
	quietly = slog.New(slog.DiscardHandler)
)

// post is a workspace with one member, and a log that is written to and handed on by hand.
type post struct {
	t       *testing.T
	db      *store.Store
	ws      uuid.UUID
	room    *party.Room
	catalog *catalog.Catalog
	ida     uuid.UUID
	seconds int
}

func newPost(t *testing.T) *post {
	t.Helper()
	p := &post{t: t, db: storetest.Open(t), ws: uuid.Must(uuid.NewV7()), catalog: catalog.New(),
		ida: uuid.Must(uuid.NewV7())}
	require.NoError(t, p.db.CreateWorkspace(ctx, p.ws, "test"))
	p.room = party.New(p.db, time.Now, background.New(quietly)).Room(p.ws)
	require.NoError(t, p.room.Open(ctx))
	_, err := p.room.Put(ctx, party.Member{Workspace: p.ws, ID: p.ida, Party: wardens, Name: "Ida", Sharing: true,
		JoinedAt: time.Now().UTC()})
	require.NoError(t, err)
	none := func(func(*feature.Feature) error) error { return nil }
	require.NoError(t, p.catalog.Load(catalog.Contents{Features: none}))
	return p
}

// stand is a process that looks at the watches.
type stand struct {
	*Lookout
	stop func()
}

// stand has a process look; its Stop gives the right up, unless it is killed, which leaves it.
func (p *post) stand() *stand {
	p.t.Helper()
	l := New(p.db, p.ws, uuid.New(), p.room, p.catalog, quietly)
	running, end := context.WithCancel(ctx)
	var wait sync.WaitGroup
	wait.Go(func() { l.Run(running, func(error) {}) })
	stop := sync.OnceFunc(func() { end(); wait.Wait() })
	p.t.Cleanup(stop)
	return &stand{l, stop}
}

// put writes a watch, and hands the change to whoever looks.
func (p *post) put(id uuid.UUID, d *Definition, to ...*stand) {
	p.t.Helper()
	body, err := json.Marshal(d)
	require.NoError(p.t, err)
	done, err := p.db.ChangeOf(ctx, p.ws, store.Actor{Name: "tester"}, store.Wanted{}, func(c *store.Change) error {
		before, _, err := c.OneKept(store.Watches, id)
		if err != nil {
			return err
		}
		if d == nil {
			return c.DeleteKept(store.Watches, before)
		}
		return c.WriteKept(store.Watches, before, &store.Kept{ID: id, Body: body})
	})
	require.NoError(p.t, err)
	for _, s := range to {
		s.Apply(done.Log)
	}
}

// report has Ida so many metres east of home, a second later than before.
func (p *post) report(metres float64) {
	p.t.Helper()
	at, _, err := geodesy.Destination(geodesy.Ellipsoid, home, 90, metres)
	require.NoError(p.t, err)
	p.seconds++
	when := time.Now().Add(-time.Hour).Add(time.Duration(p.seconds) * 10 * time.Second)
	_, err = p.room.Report(p.ida, []live.Report{{At: at, Time: when, AccuracyM: 5, AltitudeM: math.NaN(),
		HeadingDeg: math.NaN(), SpeedMPS: math.NaN()}}, time.Now(), 0)
	require.NoError(p.t, err)
}

// events are those that are kept, as words.
func (p *post) events() (out []string) {
	p.t.Helper()
	list, err := p.db.Sightings(ctx, p.ws, 0, uuid.Nil, 1000)
	if err != nil {
		return nil // the database is not back yet
	}
	for _, e := range list {
		word := "leaves"
		if e.Enters {
			word = "enters"
		}
		out = append(out, fmt.Sprint(e.No, " ", e.Name, " ", word))
	}
	return out
}

func (p *post) eventually(what string, want ...string) {
	p.t.Helper()
	assert.Eventually(p.t, func() bool { return len(p.events()) == len(want) }, 20*time.Second, 20*time.Millisecond,
		what)
	assert.Equal(p.t, want, p.events(), what)
}

func circle(radius float64) *Definition {
	return &Definition{Name: "Home", Center: &geo.Pair{home.Lng(), home.Lat()}, WithinM: radius, People: true,
		Places: true}
}

// began waits until a process looks.
func (p *post) began(s *stand) {
	p.t.Helper()
	assert.Eventually(p.t, s.Looking, 20*time.Second, 20*time.Millisecond)
	time.Sleep(5 * gather)
}

// Another process goes on where the one before ended, by its own will or not; who was relieved writes nothing.
func TestTheNextGoesOn(t *testing.T) {
	p := newPost(t)
	first := p.stand()
	id := uuid.Must(uuid.NewV7())
	p.put(id, circle(500), first)
	p.began(first)
	p.report(100)
	p.eventually("with the first", "1 Ida enters")
	first.stop()
	p.report(900) // nobody looks
	second := p.stand()
	p.eventually("what happened meanwhile is found", "1 Ida enters", "2 Ida leaves")
	p.report(100)
	p.eventually("with the second", "1 Ida enters", "2 Ida leaves", "3 Ida enters")
	held, err := p.db.Watched(ctx, p.ws)
	require.NoError(t, err)
	assert.Len(t, held[id], 1)

	// A third takes the right by force: the second notices, and writes nothing more.
	third := uuid.New()
	require.Eventually(t, func() bool {
		require.NoError(t, p.db.LeaveLookout(ctx, p.ws, second.process))
		_, err := p.db.KeepLookout(ctx, p.ws, third, time.Minute)
		return err == nil
	}, 20*time.Second, time.Millisecond)
	p.report(900)
	time.Sleep(500 * time.Millisecond)
	p.eventually("nobody looks", "1 Ida enters", "2 Ida leaves", "3 Ida enters")
	require.NoError(t, p.db.LeaveLookout(ctx, p.ws, third))
	p.eventually("the second again", "1 Ida enters", "2 Ida leaves", "3 Ida enters", "4 Ida leaves")
}

// Changes of watches and of places that nobody has looked at yet are looked at by the next, in their order.
func TestWhatWasChangedMeanwhile(t *testing.T) {
	p := newPost(t)
	first := p.stand()
	id := uuid.Must(uuid.NewV7())
	p.put(id, circle(500), first)
	p.began(first)
	first.stop()
	pump := &feature.Feature{ID: uuid.Must(uuid.NewV7()), Collection: "posts", Name: "Pump", Geometry: feature.At(home)}
	write := func(before, after *feature.Feature) {
		_, err := p.db.Change(ctx, p.ws, store.Actor{Name: "tester"}, func(c *store.Change) error {
			return c.WriteAll([]store.Replacement{{Before: before, After: after}})
		})
		require.NoError(t, err)
	}
	write(nil, pump)
	far := *pump
	far.Geometry = feature.At(geo.MustPoint(-39, -26))
	now, err := p.db.Current(ctx, p.ws, pump.ID)
	require.NoError(t, err)
	write(now[pump.ID].Feature, &far)
	p.put(id, nil) // and it is deleted after that
	other := uuid.Must(uuid.NewV7())
	p.put(other, circle(2_000_000))
	p.stand()
	p.eventually("by the watch as it was then", "1 Pump enters", "2 Pump leaves")
	p.report(100)
	p.eventually("by the watch that is there now", "1 Pump enters", "2 Pump leaves", "3 Ida enters")
}

// While the database stands still nothing is lost: what happened is written when it is back, once.
func TestTheDatabaseStandsStill(t *testing.T) {
	p := newPost(t)
	s := p.stand()
	id := uuid.Must(uuid.NewV7())
	p.put(id, circle(500), s)
	p.began(s)
	p.report(900)
	f, err := s.Follow(ctx, nil)
	require.NoError(t, err)
	defer f.Close()
	thaw := storetest.Freeze(t)
	for i := range 20 {
		p.report(float64(100 + i%2*800))
	}
	time.Sleep(3 * time.Second)
	thaw()
	var want []string
	for i := range 20 {
		want = append(want, fmt.Sprint(i+1, " Ida ", []string{"enters", "leaves"}[i%2]))
	}
	p.eventually("all of it", want...)
	var told []uint64
	require.Eventually(t, func() bool {
		events, err := f.Next(ctx)
		require.NoError(t, err)
		for _, e := range events {
			told = append(told, e.No)
		}
		return len(told) == 20
	}, 20*time.Second, 10*time.Millisecond)
	for i, no := range told {
		assert.EqualValues(t, i+1, no, "each once, in order")
	}
}

// A follower has its place by a number; one from before what is kept, or from beyond the last, is told so.
func TestFollowersHaveTheirPlace(t *testing.T) {
	p := newPost(t)
	s := p.stand()
	id := uuid.Must(uuid.NewV7())
	p.put(id, circle(500), s)
	p.began(s)
	for i := range 10 {
		p.report(float64(100 + i%2*800))
	}
	assert.Eventually(t, func() bool { return len(p.events()) == 10 }, 20*time.Second, 20*time.Millisecond)
	since := uint64(7)
	f, err := s.Follow(ctx, &since)
	require.NoError(t, err)
	defer f.Close()
	events, err := f.Next(ctx)
	require.NoError(t, err)
	require.Len(t, events, 3)
	assert.EqualValues(t, 8, events[0].No)
	assert.EqualValues(t, 10, f.Since())
	for _, beyond := range []uint64{11, math.MaxUint64} {
		_, err = s.Follow(ctx, &beyond)
		assert.True(t, fault.Is(err, fault.Gone), "%d", beyond)
	}
	require.NoError(t, p.db.ForgetSightings(ctx, time.Now().Add(time.Hour)))
	_, err = s.Follow(ctx, &since)
	assert.True(t, fault.Is(err, fault.Gone))
	last := uint64(10)
	_, err = s.Follow(ctx, &last)
	require.NoError(t, err, "whoever has seen the last misses nothing")

	// A process that does not look itself reads what the other has noticed.
	other := New(p.db, p.ws, uuid.New(), p.room, p.catalog, quietly)
	other.awake.Store(true)
	g, err := other.Follow(ctx, nil)
	require.NoError(t, err)
	defer g.Close()
	p.room.Listen(s.Lookout)
	p.report(100)
	require.Eventually(t, func() bool {
		require.NoError(t, other.read(ctx))
		events, err := g.Next(ctx)
		return err == nil && len(events) == 1 && events[0].No == 11
	}, 20*time.Second, 20*time.Millisecond)
}

func TestDefinitions(t *testing.T) {
	id := uuid.Must(uuid.NewV7())
	margin := func(v float64) *float64 { return &v }
	ring := []geo.Pair{{0, 0}, {0.01, 0}, {0.01, 0.01}, {0, 0.01}, {0, 0}}
	for name, tt := range map[string]struct {
		change func(d *Definition)
		field  string // "" where it is right
	}{
		"a circle":            {func(*Definition) {}, ""},
		"a ring":              {func(d *Definition) { d.BeyondM = 499 }, ""},
		"half the Earth":      {func(d *Definition) { d.WithinM = farthest }, ""},
		"beyond the Earth":    {func(d *Definition) { d.WithinM = farthest + 1 }, "within_m"},
		"no radius":           {func(d *Definition) { d.WithinM = 0 }, "within_m"},
		"not a number":        {func(d *Definition) { d.WithinM = math.NaN() }, "within_m"},
		"beyond itself":       {func(d *Definition) { d.BeyondM = 500 }, "beyond_m"},
		"nowhere":             {func(d *Definition) { d.Center = nil }, "center"},
		"twice somewhere":     {func(d *Definition) { d.Follows = &id }, "center"},
		"swapped":             {func(d *Definition) { d.Center = &geo.Pair{-38, -126} }, "center"},
		"round somebody":      {func(d *Definition) { d.Center, d.Follows = nil, &id }, ""},
		"round nobody":        {func(d *Definition) { d.Center, d.Follows = nil, &uuid.Nil }, "follows"},
		"far round somebody":  {func(d *Definition) { d.Center, d.Follows, d.WithinM = nil, &id, 1e6 }, "within_m"},
		"an area":             {func(d *Definition) { d.Center, d.WithinM, d.Area = nil, 0, [][]geo.Pair{ring} }, ""},
		"an area with radius": {func(d *Definition) { d.Center, d.Area = nil, [][]geo.Pair{ring} }, "within_m"},
		"an area that is open": {func(d *Definition) { d.Center, d.WithinM, d.Area = nil, 0, [][]geo.Pair{ring[:2]} },
			"area"},
		"of nothing":        {func(d *Definition) { d.People, d.Places = false, false }, "people"},
		"without a margin":  {func(d *Definition) { d.HysteresisM = margin(0) }, ""},
		"a negative margin": {func(d *Definition) { d.HysteresisM = margin(-1) }, "hysteresis_m"},
		"too many parties":  {func(d *Definition) { d.Parties = make([]uuid.UUID, 101) }, "parties"},
	} {
		d := circle(500)
		tt.change(d)
		w, err := d.Watch(id)
		if tt.field == "" {
			require.NoError(t, err, name)
			assert.Equal(t, id, w.ID, name)
			continue
		}
		var wrong *fault.Error
		require.ErrorAs(t, err, &wrong, name)
		assert.Equal(t, tt.field, wrong.Fields[0].Field, name)
	}
	w, err := circle(500).Watch(id)
	require.NoError(t, err)
	assert.InDelta(t, DefaultHysteresisM, w.HysteresisM, 0)
}
