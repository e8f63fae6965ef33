package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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

func newFeature(name string) *store.Feature {
	return &store.Feature{ID: uuid.Must(uuid.NewV7()), Collection: "posts", Kind: store.Place, Name: name, At: geo.MustPoint(-38.05, 179.99999996)}
}

func write(t *testing.T, s *store.Store, ws uuid.UUID, f *store.Feature) uint64 {
	t.Helper()
	now, err := s.Current(ctx, ws, f.ID)
	require.NoError(t, err)
	no, err := s.Change(ctx, ws, "tester", func(c *store.Change) error {
		return c.WriteAll([]store.Replacement{{Before: now[f.ID].Feature, After: f}})
	})
	require.NoError(t, err)
	return no
}

func TestWhatIsWrittenComesBackByteForByte(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	elevation, when := 912.25, time.Date(2026, 1, 2, 3, 4, 5, 678901000, time.UTC)
	for _, name := range []string{"Ärger", "Arger", "<b>\"O'Hara\"</b>; DROP TABLE features; --", "=SUM(A1)", "泉 ⛲ \u202ertl", "trailing ", "", strings.Repeat("long ", 2000)} {
		f := newFeature(name)
		f.Category, f.Source, f.AddressTyped = "fountain", "typed", "12 Mill Lane \\ \x00"
		f.ElevationM, f.FixedAt = &elevation, &when
		f.Attributes = json.RawMessage(`{"note": "ünïcode \" ' \\", "n": 1.50}`)
		write(t, s, ws, f)
		got, err := s.Feature(ctx, ws, "posts", f.ID)
		require.NoError(t, err)
		assert.Equal(t, f, got)
		assert.Equal(t, geo.MustPoint(-38.05, 180), got.At, "7 decimals")
	}
	one, other := "Ärger", "Arger"
	for _, name := range []*string{&one, &other} {
		list, err := s.List(ctx, ws, store.Filter{Collection: "posts", Name: name, Limit: 10})
		require.NoError(t, err)
		require.Len(t, list, 1, "two names that differ in an accent are two names")
	}
}

func TestTheLogTellsBeforeAndAfter(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	f := newFeature("one")
	assert.Equal(t, uint64(1), write(t, s, ws, f))
	again := *f
	again.Name = "two"
	assert.Equal(t, uint64(2), write(t, s, ws, &again))
	no, err := s.Change(ctx, ws, "tester", func(c *store.Change) error {
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
	var after, before store.Feature
	require.NoError(t, json.Unmarshal(log[1].Before, &before))
	require.NoError(t, json.Unmarshal(log[1].After, &after))
	assert.Equal(t, "one", before.Name)
	assert.Equal(t, "two", after.Name)
	assert.Equal(t, again.At, after.At)
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
	_, err := s.Change(ctx, ws, "tester", func(c *store.Change) error {
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
	_, err = s.Change(ctx, uuid.New(), "tester", func(*store.Change) error { return nil })
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

func TestPagesStayRightWhileDataChanges(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	var all []*store.Feature
	for i := range 10 {
		f := newFeature(fmt.Sprint(i))
		write(t, s, ws, f)
		all = append(all, f)
	}
	first, err := s.List(ctx, ws, store.Filter{Collection: "posts", Limit: 4})
	require.NoError(t, err)
	_, err = s.Change(ctx, ws, "tester", func(c *store.Change) error { return c.WriteAll([]store.Replacement{{Before: all[1]}}) })
	require.NoError(t, err)
	second, err := s.List(ctx, ws, store.Filter{Collection: "posts", Limit: 4, After: first[3].ID})
	require.NoError(t, err)
	assert.Equal(t, "4", second[0].Name)
}

func TestFiltersByBoxAndAttribute(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	east, west := newFeature("east"), newFeature("west")
	east.At, west.At = geo.MustPoint(1, 179.5), geo.MustPoint(1, -179.5)
	east.Attributes = json.RawMessage(`{"o'hara \"x\"": "y", "open": true}`)
	write(t, s, ws, east)
	write(t, s, ws, west)
	box := geo.Box{South: 0, West: 179, North: 2, East: -179}
	list, err := s.List(ctx, ws, store.Filter{Collection: "posts", Box: &box, Limit: 10})
	require.NoError(t, err)
	assert.Len(t, list, 2)
	list, err = s.List(ctx, ws, store.Filter{Collection: "posts", Attributes: map[string]string{`o'hara "x"`: "y"}, Limit: 10})
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "east", list[0].Name)
	list, err = s.List(ctx, ws, store.Filter{Collection: "posts", Attributes: map[string]string{"x' OR '1'='1": "y"}, Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, list)
}

func TestARequestWithAKeyIsAnsweredAsTheFirstTime(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	once := store.Once{Key: "key \xff", Digest: [32]byte{1}}
	ask := func(o store.Once, text string) (got string, err error) {
		_, err = s.ChangeOf(ctx, ws, "tester", store.Wanted{Once: o}, func(c *store.Change) error {
			if got = string(c.Answered()); got != "" {
				return nil
			}
			got = text
			return c.Answer([]byte(text))
		})
		return got, err
	}
	_, err := s.ChangeOf(ctx, ws, "tester", store.Wanted{Once: once}, func(c *store.Change) error {
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
	require.NoError(t, s.AddCredential(ctx, "good", store.Credential{Workspace: ws, Kind: store.Token, Scopes: "read write"}))
	require.NoError(t, s.AddCredential(ctx, "old", store.Credential{Workspace: ws, Kind: store.Session, ExpiresAt: &past}))
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
