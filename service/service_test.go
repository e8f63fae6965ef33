package service

import (
	"bytes"
	"context"
	"log/slog"
	"path/filepath"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/tile"
	"viandante/service/atlas/atlastest"
	"viandante/service/catalog"
	"viandante/service/fault"
	"viandante/service/feed"
	"viandante/store"
	"viandante/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var ctx = context.Background()

// newHouse is a service with one workspace, a writer in it, and the collection "posts".
func newHouse(t *testing.T) (*Service, *store.Store, Actor) {
	t.Helper()
	db := storetest.Open(t)
	a := Actor{Workspace: uuid.Must(uuid.NewV7()), Name: "tester", Read: true, Write: true}
	require.NoError(t, db.CreateWorkspace(ctx, a.Workspace, "test"))
	v := New(db, filepath.Join(t.TempDir(), "regions"), slog.New(slog.DiscardHandler), Options{})
	t.Cleanup(v.Close)
	require.NoError(t, v.Load(ctx))
	_, created, err := v.PutCollection(ctx, a, Collection{ID: "posts", Title: "Posts"}, Match{})
	require.NoError(t, err)
	require.True(t, created)
	return v, db, a
}

func point(name string, p geo.Point, more map[string]any) feature.Draft {
	props := map[string]any{"name": name}
	for k, value := range more {
		props[k] = value
	}
	return feature.Draft{Geometry: feature.At(p), Properties: props}
}

func TestAnotherProcessFollowsTheLog(t *testing.T) {
	v, db, a := newHouse(t)
	other := New(db, t.TempDir(), slog.New(slog.DiscardHandler), Options{})
	require.NoError(t, other.Load(ctx))
	following, stop := context.WithCancel(ctx)
	done := make(chan bool)
	go func() { other.Run(following); done <- true }()
	defer func() { stop(); <-done }()
	_, err := v.Put(ctx, a, "posts", uuid.Must(uuid.NewV7()), point("Pump", geo.MustPoint(1, 2), nil), Match{New: true})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		got, _, err := other.Nearby(ctx, a, catalog.Near{At: geo.MustPoint(1, 2), WithinM: 10, Limit: 5})
		return err == nil && len(got) == 1
	}, time.Minute, 20*time.Millisecond)
}

func TestConditionsOnAChange(t *testing.T) {
	v, _, a := newHouse(t)
	id := uuid.Must(uuid.NewV7())
	p := geo.MustPoint(1, 2)
	_, err := v.Put(ctx, a, "posts", id, point("A", p, nil), At(7))
	assert.True(t, fault.Is(err, fault.NotFound))
	first, err := v.Put(ctx, a, "posts", id, point("A", p, nil), Match{})
	require.NoError(t, err)
	assert.True(t, first.Created)
	again, err := v.Put(ctx, a, "posts", id, point("A", p, nil), Match{New: true})
	require.NoError(t, err)
	assert.False(t, again.Created)
	assert.Equal(t, first.Version, again.Version, "the same again is no change")
	_, err = v.Put(ctx, a, "posts", id, point("B", p, nil), Match{})
	assert.True(t, fault.Is(err, fault.NeedsMatch))
	_, err = v.Put(ctx, a, "posts", id, point("B", p, nil), Match{New: true})
	assert.True(t, fault.Is(err, fault.Stale))
	second, err := v.Put(ctx, a, "posts", id, point("B", p, nil), At(first.Version))
	require.NoError(t, err)
	assert.Equal(t, first.Feature.CreatedAt, second.Feature.CreatedAt)
	_, err = v.Put(ctx, a, "posts", id, point("C", p, nil), At(first.Version))
	require.True(t, fault.Is(err, fault.Stale))
	var stale *fault.Error
	require.ErrorAs(t, err, &stale)
	assert.Equal(t, "B", stale.Current.(*feature.Feature).Name)
	_, _, err = v.PutCollection(ctx, a, Collection{ID: "other", Title: "Other"}, Match{})
	require.NoError(t, err)
	_, err = v.Put(ctx, a, "other", id, point("D", p, nil), Match{Any: true})
	assert.True(t, fault.Is(err, fault.Conflict), "an id belongs to one collection")
	require.NoError(t, v.Delete(ctx, a, "posts", id, At(second.Version)))
	back, err := v.Put(ctx, a, "posts", id, point("E", p, nil), Match{New: true})
	require.NoError(t, err)
	assert.True(t, back.Created, "out of the bin")
}

func TestScopes(t *testing.T) {
	v, _, a := newHouse(t)
	reader, nobody := a, a
	reader.Write = false
	nobody.Read, nobody.Write = false, false
	_, err := v.Put(ctx, reader, "posts", uuid.New(), point("x", geo.MustPoint(1, 2), nil), Match{})
	assert.True(t, fault.Is(err, fault.Forbidden))
	assert.True(t, fault.Is(v.Delete(ctx, reader, "posts", uuid.New(), Match{Any: true}), fault.Forbidden))
	_, _, err = v.PutCollection(ctx, reader, Collection{ID: "x", Title: "x"}, Match{})
	assert.True(t, fault.Is(err, fault.Forbidden))
	_, _, err = v.Nearby(ctx, nobody, catalog.Near{At: geo.MustPoint(1, 2), Limit: 1})
	assert.True(t, fault.Is(err, fault.Forbidden))
	_, err = v.Tile(ctx, nobody, "", tile.ID{}, false)
	assert.True(t, fault.Is(err, fault.Forbidden))
	stranger := a
	stranger.Workspace = uuid.New()
	_, err = v.Feature(ctx, stranger, "posts", uuid.New())
	assert.True(t, fault.Is(err, fault.NotFound), "workspaces do not see each other")
}

func TestCollectionsHaveSoundIds(t *testing.T) {
	v, _, a := newHouse(t)
	for _, id := range []string{"", "Big", "../x", "a b", string(bytes.Repeat([]byte("x"), 65)), "é"} {
		_, _, err := v.PutCollection(ctx, a, Collection{ID: id, Title: "x"}, Match{})
		assert.True(t, fault.Is(err, fault.Invalid), id)
	}
	_, created, err := v.PutCollection(ctx, a, Collection{ID: "posts", Title: "New title"}, Match{Any: true})
	require.NoError(t, err)
	assert.False(t, created)
	k, err := v.Collection(ctx, a, "posts")
	require.NoError(t, err)
	assert.Equal(t, "New title", k.Title)
	_, err = v.Collection(ctx, a, "none")
	assert.True(t, fault.Is(err, fault.NotFound))
}

// Near the equator and the meridian a missing sign leads not far away, but into the sea.
func TestAPositionInTheSeaIsDoubted(t *testing.T) {
	v, _, a := newHouse(t)
	data, err := region.Encode(atlastest.Isle("Here", 0.6)) // land from 0.1 to 1.1 east
	require.NoError(t, err)
	_, err = v.UseRegion(ctx, "Here", "source", data)
	require.NoError(t, err)
	for i := range 5 {
		_, err := v.Put(
			ctx,
			a,
			"posts",
			uuid.New(),
			point("post", geo.MustPoint(0.1*float64(i), 0.3), nil),
			Match{New: true},
		)
		require.NoError(t, err)
	}
	for at, want := range map[geo.Point]string{
		geo.MustPoint(0.2, -0.6):  "0.2,0.6", // in the sea; the sign makes it land
		geo.MustPoint(0.3, 0.4):   "",
		geo.MustPoint(0.7, -0.75): "", // the sea as well with a sign less
		geo.MustPoint(51.5, -40):  "",
	} {
		doubts, err := v.Doubts(ctx, a, at)
		require.NoError(t, err)
		if want == "" {
			assert.Empty(t, doubts, at)
			continue
		}
		require.NotEmpty(t, doubts, at)
		assert.Equal(t, want, doubts[0].Mend)
		assert.Contains(t, doubts[0].Reason, "in the sea")
	}
}

func TestTheLineFindsPlacesByTheirWords(t *testing.T) {
	v, _, a := newHouse(t)
	for _, name := range []string{"Old Mill Fountain", "Möwen-Pumpe", "Mill Race"} {
		_, err := v.Put(
			ctx,
			a,
			"posts",
			uuid.Must(uuid.NewV7()),
			point(name, geo.MustPoint(1, 2), nil),
			Match{New: true},
		)
		require.NoError(t, err)
	}
	names := func(text string) (out []string) {
		in, err := v.Interpret(ctx, a, text, geo.Point{}, 5)
		require.NoError(t, err)
		assert.Contains(t, in.WithoutMap, "no map data")
		for _, f := range in.Meanings {
			out = append(out, f.Row.Name())
		}
		return out
	}
	assert.Equal(t, []string{"Old Mill Fountain"}, names("fount mill"))
	assert.Equal(t, []string{"Möwen-Pumpe"}, names("mowen"))
	assert.ElementsMatch(t, []string{"Mill Race", "Old Mill Fountain"}, names("MILL"))
	assert.Empty(t, names("nothing like it"))
	in, err := v.Interpret(ctx, a, "138.1, -26", geo.Point{}, 5)
	require.NoError(t, err)
	assert.Empty(t, in.Meanings)
	assert.Contains(t, in.Unread.Reason, "latitude 138.1")
}

// An actor who sees some collections only sees nothing of the others, whatever he asks: neither features nor counts,
// lists, marks, history, the bin or changes, and can change nothing there.
func TestAViewHoldsEverywhere(t *testing.T) {
	v, _, a := newHouse(t)
	_, _, err := v.PutCollection(ctx, a, Collection{ID: "secret", Title: "Secret"}, Match{})
	require.NoError(t, err)
	at := geo.MustPoint(1, 2)
	var ids []uuid.UUID
	for _, collection := range []string{"posts", "secret", "secret"} {
		id := uuid.Must(uuid.NewV7())
		ids = append(ids, id)
		_, err := v.Put(ctx, a, collection, id, point("Pump", at, nil), Match{New: true})
		require.NoError(t, err)
	}
	require.NoError(t, v.Delete(ctx, a, "secret", ids[2], Match{Any: true}))
	some := a
	some.Collections = []string{"posts"}
	near, _, err := v.Nearby(ctx, some, catalog.Near{At: at, WithinM: 10, Limit: 9})
	require.NoError(t, err)
	require.Len(t, near, 1)
	rows, total, err := v.Rows(ctx, some, catalog.List{Limit: 9})
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{len(rows), total})
	page, _, err := v.List(ctx, some, catalog.Page{Collection: "secret", Limit: 9})
	require.NoError(t, err)
	assert.Empty(t, page)
	counts, err := v.Counts(ctx, some)
	require.NoError(t, err)
	assert.Equal(t, map[string]int{"posts": 1}, counts)
	marks, err := v.Marks(ctx, some, tile.ID{}, nil, nil)
	require.NoError(t, err)
	require.Len(t, marks, 1)
	assert.Equal(t, 1, marks[0].Count)
	in, err := v.Interpret(ctx, some, "pump", geo.Point{}, 5)
	require.NoError(t, err)
	assert.Len(t, in.Meanings, 1)
	all, err := v.Collections(ctx, some)
	require.NoError(t, err)
	assert.Len(t, all, 1)
	bin, err := v.Bin(ctx, some, 9)
	require.NoError(t, err)
	assert.Empty(t, bin)
	missing := func(err error) { t.Helper(); assert.True(t, fault.Is(err, fault.NotFound), "%v", err) }
	_, err = v.Feature(ctx, some, "secret", ids[1])
	missing(err)
	_, err = v.History(ctx, some, "secret", ids[1], 9)
	missing(err)
	_, err = v.Patch(ctx, some, "secret", ids[1], feature.Patch{}, Match{Any: true})
	missing(err)
	_, err = v.Bulk(ctx, some, []BulkChange{{Collection: "secret", ID: ids[1], Delete: true, Version: 5}}, Once{})
	missing(err)
	start := uint64(0)
	follower, err := v.FollowChanges(ctx, some, &start)
	require.NoError(t, err)
	defer follower.Close()
	events, err := follower.Next(ctx)
	require.NoError(t, err)
	seen := 0
	for _, e := range events {
		if SeesChange(some, e) {
			seen++
			assert.NotContains(t, e.Collection+e.Entity, "secret")
		}
	}
	assert.Equal(t, 2, seen, "the collection that he sees, and the place in it")
}

// Whoever asks for no less than a change is answered from it also by a process that has not heard of it yet.
func TestNoLessThanAChange(t *testing.T) {
	v, db, a := newHouse(t)
	other := New(db, t.TempDir(), slog.New(slog.DiscardHandler), Options{}) // it does not follow the log
	t.Cleanup(other.Close)
	require.NoError(t, other.Load(ctx))
	done, err := v.Put(
		ctx,
		a,
		"posts",
		uuid.Must(uuid.NewV7()),
		point("Pump", geo.MustPoint(1, 2), nil),
		Match{New: true},
	)
	require.NoError(t, err)
	assert.Equal(t, done.Version, v.Seen(a))
	counts, err := other.Counts(ctx, a)
	require.NoError(t, err)
	assert.Empty(t, counts)
	require.NoError(t, other.AtLeast(ctx, a, done.Version))
	counts, err = other.Counts(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, map[string]int{"posts": 1}, counts)
	assert.True(t, fault.Is(other.AtLeast(ctx, a, done.Version+1), fault.Gone), "there is no such change")
}

// A process that has missed more of the log than is kept reads everything anew; a stream from back there is told so.
func TestTheLogIsGoneBeforeItWasRead(t *testing.T) {
	v, db, a := newHouse(t)
	late := New(db, t.TempDir(), slog.New(slog.DiscardHandler), Options{})
	t.Cleanup(late.Close)
	require.NoError(t, late.Load(ctx))
	for range 3 {
		_, err := v.Put(
			ctx,
			a,
			"posts",
			uuid.Must(uuid.NewV7()),
			point("Pump", geo.MustPoint(1, 2), nil),
			Match{New: true},
		)
		require.NoError(t, err)
	}
	_, err := db.ForgetChanges(ctx, a.Workspace, time.Now().Add(time.Hour))
	require.NoError(t, err)
	require.NoError(t, late.AtLeast(ctx, a, v.Seen(a)))
	counts, err := late.Counts(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, map[string]int{"posts": 3}, counts)
	start := uint64(1)
	follower, err := late.FollowChanges(ctx, a, &start)
	require.NoError(t, err)
	defer follower.Close()
	_, err = follower.Next(ctx)
	assert.True(t, fault.Is(err, fault.Gone))
	_, err = late.Put(
		ctx,
		a,
		"posts",
		uuid.Must(uuid.NewV7()),
		point("Next", geo.MustPoint(1, 2), nil),
		Match{New: true},
	)
	require.NoError(t, err, "and it writes on")
	events, err := func() ([]*feed.Event, error) {
		f, err := late.FollowChanges(ctx, a, nil)
		require.NoError(t, err)
		defer f.Close()
		_, err = late.Put(
			ctx,
			a,
			"posts",
			uuid.Must(uuid.NewV7()),
			point("Last", geo.MustPoint(1, 2), nil),
			Match{New: true},
		)
		require.NoError(t, err)
		return f.Next(ctx)
	}()
	require.NoError(t, err)
	require.Len(t, events, 1)
	assert.Equal(t, "Last", events[0].After.Name)
}

// An answer that is kept for a request that comes again is the same afterwards.
func TestAnAnswerIsKeptWhole(t *testing.T) {
	v, _, a := newHouse(t)
	once := Once{Key: "k", Digest: [32]byte{1}}
	ring := []geo.Point{geo.MustPoint(0, 0), geo.MustPoint(1, 0), geo.MustPoint(1, 1), geo.MustPoint(0, 0)}
	area, err := feature.NewPolygon([][]geo.Point{ring}, nil)
	require.NoError(t, err)
	ask := func() Versioned {
		out, err := v.Post(
			ctx,
			a,
			"posts",
			feature.Draft{Geometry: area, Properties: map[string]any{"name": "x", "note": 1.0}},
			once,
		)
		require.NoError(t, err)
		return out
	}
	first := ask()
	require.Len(t, first.Mended, 1, "it was wound clockwise")
	again := ask()
	assert.True(t, first.Feature.SameContent(again.Feature))
	assert.Equal(t, first.Feature.UpdatedAt, again.Feature.UpdatedAt)
	again.Feature = first.Feature
	assert.Equal(t, first, again)
}
