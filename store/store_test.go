package store_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/store"
	"viandante/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var ctx = context.Background()

func workspace(t *testing.T, s *store.Store) uuid.UUID {
	t.Helper()
	id := uuid.Must(uuid.NewV7())
	require.NoError(t, s.CreateWorkspace(ctx, id, "test"))
	return id
}

var tester = store.Actor{ID: uuid.MustParse("0193d4a0-0000-7000-8000-000000000001"), Name: "tester"}

func newFeature(name string) *feature.Feature {
	return &feature.Feature{ID: uuid.Must(uuid.NewV7()), Collection: "posts", Name: name,
		Geometry: feature.At(geo.MustPoint(-38.05, 179.99999996))}
}

func write(t *testing.T, s *store.Store, ws uuid.UUID, f *feature.Feature) uint64 {
	t.Helper()
	now, err := s.Current(ctx, ws, f.ID)
	require.NoError(t, err)
	no, err := s.Change(ctx, ws, tester, func(c *store.Change) error {
		return c.WriteAll([]store.Replacement{{Before: now[f.ID].Feature, After: f}})
	})
	require.NoError(t, err)
	return no
}

func TestWhatIsWrittenComesBackByteForByte(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	elevation, when := 912.25, time.Date(2026, 1, 2, 3, 4, 5, 678901000, time.UTC)
	for _, name := range []string{"Ärger", "Arger", "<b>\"O'Hara\"</b>; DROP TABLE features; --", "=SUM(A1)",
		"泉 ⛲ \u202ertl", "trailing ", "", strings.Repeat("long ", 2000)} {
		f := newFeature(name)
		f.Category, f.Source, f.AddressTyped = "fountain", "typed", "12 Mill Lane \\ \x00"
		f.ElevationM, f.FixedAt = &elevation, &when
		f.Attributes = `{"note":"ünïcode \" ' \\","n":1.50}`
		write(t, s, ws, f)
		got, err := s.Feature(ctx, ws, "posts", f.ID)
		require.NoError(t, err)
		assert.Equal(t, f, got)
		assert.Equal(t, geo.MustPoint(-38.05, 180), got.Geometry.Point(), "7 decimals")
	}
	square := []geo.Point{geo.MustPoint(0, 179), geo.MustPoint(0, -179), geo.MustPoint(1, -179), geo.MustPoint(0, 179)}
	area, err := feature.NewPolygon([][]geo.Point{square}, [][]float64{{1, 2, 3.5, 1}})
	require.NoError(t, err)
	path, err := feature.NewLine(square[:2], nil)
	require.NoError(t, err)
	round, err := feature.NewCircle(square[0], 12.5)
	require.NoError(t, err)
	for _, g := range []feature.Geometry{{}, area, path, round} {
		f := newFeature("shape")
		f.Geometry = g
		f.AddressFound = []byte(`{"label":"x"}`)
		write(t, s, ws, f)
		got, err := s.Feature(ctx, ws, "posts", f.ID)
		require.NoError(t, err)
		assert.Equal(t, f, got)
		log, err := s.History(ctx, ws, store.Features, f.ID.String(), 1)
		require.NoError(t, err)
		assert.True(t, f.SameContent(log[0].After))
		text, err := store.MarshalFeature(f)
		require.NoError(t, err)
		again, err := store.UnmarshalFeature(text)
		require.NoError(t, err)
		assert.True(t, f.SameContent(again))
	}
}

// An entry of the log that a newer program wrote is told of, not misread.
func TestALogOfAnotherFormat(t *testing.T) {
	_, err := store.UnmarshalFeature([]byte(`{"format":99,"state":{"id":"0193d4a0-0000-7000-8000-000000000001"}}`))
	assert.ErrorContains(t, err, "written in format 99")
}

// Entries older than what is kept go, numbers as a whole and the oldest first; what they tell of stays.
func TestTheLogIsPruned(t *testing.T) {
	clock := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	s, err := store.Open(ctx, storetest.DSN(t), func() time.Time { return clock })
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	ws := workspace(t, s)
	first := newFeature("first")
	for i := range 6 {
		clock = clock.Add(time.Hour)
		again := *first
		again.Name = fmt.Sprint(i)
		write(t, s, ws, &again)
	}
	more, err := s.ForgetChanges(ctx, ws, clock.Add(-150*time.Minute))
	require.NoError(t, err)
	assert.False(t, more)
	log, err := s.ChangesSince(ctx, ws, 0, 100)
	require.NoError(t, err)
	require.Len(t, log, 3)
	assert.Equal(t, uint64(4), log[0].No)
	got, err := s.Feature(ctx, ws, "posts", first.ID)
	require.NoError(t, err)
	assert.Equal(t, "5", got.Name)
	_, ok, err := s.Next(
		ctx,
		ws,
		tester,
		1,
		store.Replacement{Before: got, After: newFeature("late")},
		store.Once{},
		nil,
	)
	require.NoError(t, err)
	assert.False(t, ok, "a number of which the log holds nothing any more is taken all the same")
}

func TestTheLogTellsBeforeAndAfter(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	f := newFeature("one")
	assert.Equal(t, uint64(1), write(t, s, ws, f))
	again := *f
	again.Name = "two"
	assert.Equal(t, uint64(2), write(t, s, ws, &again))
	no, err := s.Change(ctx, ws, tester, func(c *store.Change) error {
		return c.WriteAll([]store.Replacement{{Before: &again}})
	})
	require.NoError(t, err)
	assert.Equal(t, uint64(3), no)
	_, err = s.Feature(ctx, ws, "posts", f.ID)
	assert.ErrorIs(t, err, store.ErrNotFound)

	log, err := s.ChangesSince(ctx, ws, 0, 100)
	require.NoError(t, err)
	require.Len(t, log, 3)
	assert.Nil(t, log[0].Before)
	assert.Equal(t, "one", log[1].Before.Name)
	assert.Equal(t, "two", log[1].After.Name)
	assert.Equal(t, again.Geometry, log[1].After.Geometry)
	assert.Equal(t, tester.ID, log[1].ActorID)
	assert.Nil(t, log[2].After)
	assert.Equal(t, "tester", log[2].Actor)
	later, err := s.ChangesSince(ctx, ws, 1, 1)
	require.NoError(t, err)
	assert.Equal(t, uint64(2), later[0].No)
}

func TestAFailedChangeLeavesNothing(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	boom := errors.New("boom")
	f := newFeature("never")
	_, err := s.Change(ctx, ws, tester, func(c *store.Change) error {
		if err := c.WriteAll([]store.Replacement{{Before: nil, After: f}}); err != nil {
			return err
		}
		return boom
	})
	assert.ErrorIs(t, err, boom)
	no, err := s.ChangeNo(ctx, ws)
	require.NoError(t, err)
	assert.Zero(t, no)
	_, err = s.Feature(ctx, ws, "posts", f.ID)
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = s.Change(ctx, uuid.New(), tester, func(*store.Change) error { return nil })
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestNumbersFollowTheOrderOfCommitsUnderManyWriters(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	const writers, each = 8, 25
	var group sync.WaitGroup
	for w := range writers {
		group.Go(func() {
			for i := range each {
				write(t, s, ws, newFeature(fmt.Sprint(w, i)))
			}
		})
	}
	group.Wait()
	log, err := s.ChangesSince(ctx, ws, 0, 1000)
	require.NoError(t, err)
	require.Len(t, log, writers*each)
	for i, l := range log {
		assert.Equal(t, uint64(i+1), l.No)
	}
}

func TestARequestWithAKeyIsAnsweredAsTheFirstTime(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	once := store.Once{Key: "key \xff", Digest: [32]byte{1}}
	ask := func(o store.Once, text string) (got string, err error) {
		_, err = s.ChangeOf(ctx, ws, tester, store.Wanted{Once: o}, func(c *store.Change) error {
			if got = string(c.Answered()); got != "" {
				return nil
			}
			got = text
			return c.Answer([]byte(text))
		})
		return got, err
	}
	_, err := s.ChangeOf(ctx, ws, tester, store.Wanted{Once: once}, func(c *store.Change) error {
		return errors.Join(c.Answer([]byte("refused")), errors.New("refused"))
	})
	require.Error(t, err, "what was refused does not use the key up")
	for _, text := range []string{"first", "second"} {
		got, err := ask(once, text)
		require.NoError(t, err)
		assert.Equal(t, "first", got)
	}
	known, err := s.Answer(ctx, ws, once)
	require.NoError(t, err)
	assert.Equal(t, "first", string(known))
	_, err = ask(store.Once{Key: once.Key}, "x")
	assert.ErrorIs(t, err, store.ErrKeyReused)
	require.NoError(t, s.ForgetAnswers(ctx, time.Now().Add(time.Minute)))
	known, err = s.Answer(ctx, ws, once)
	require.NoError(t, err)
	assert.Nil(t, known)
}

func TestCredentialsExpireAndOnlyTheirHashIsKept(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	past := time.Now().Add(-time.Minute)
	require.NoError(
		t,
		s.AddCredential(ctx, "good", store.Credential{Workspace: ws, Kind: store.Token, Scopes: "read write"}),
	)
	require.NoError(
		t,
		s.AddCredential(ctx, "old", store.Credential{Workspace: ws, Kind: store.Session, ExpiresAt: &past}),
	)
	c, err := s.Credential(ctx, "good")
	require.NoError(t, err)
	assert.Equal(t, ws, c.Workspace)
	for _, secret := range []string{"old", "", "GOOD"} {
		_, err = s.Credential(ctx, secret)
		assert.ErrorIs(t, err, store.ErrNotFound)
	}
}

func TestRegionsAreSwappedByTheirRow(t *testing.T) {
	s := storetest.Open(t)
	require.NoError(t, s.UseRegion(ctx, "island", "aaa", ""))
	require.NoError(t, s.UseRegion(ctx, "island", "bbb", "x"))
	rows, err := s.Regions(ctx)
	require.NoError(t, err)
	require.Len(t, rows, 1)
	assert.Equal(t, "bbb", rows[0].Hash)
}
