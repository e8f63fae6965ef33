package store_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/store"
	"viandante/store/storetest"
)

func TestAChangeIsRunAgainAfterADeadlock(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	for _, number := range []uint16{1213, 1205} {
		tries := 0
		f := newFeature("after a deadlock")
		no, err := s.Change(ctx, ws, tester, func(c *store.Change) error {
			tries++
			if err := c.WriteAll([]store.Replacement{{After: f}}); err != nil {
				return err
			}
			if tries < 3 {
				return &mysql.MySQLError{Number: number, Message: "as the server says it"}
			}
			return nil
		})
		require.NoError(t, err)
		assert.Equal(t, 3, tries)
		log, err := s.ChangesSince(ctx, ws, no-1, 10)
		require.NoError(t, err)
		assert.Len(t, log, 1, "what the first tries wrote is gone")
	}
	tries := 0
	_, err := s.Change(ctx, ws, tester, func(*store.Change) error {
		tries++
		return &mysql.MySQLError{Number: 1213}
	})
	assert.ErrorIs(t, err, store.ErrBusy)
	assert.Equal(t, 8, tries)
}

func TestNextIsTheChangeThatFollows(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	first := newFeature("first")
	done, ok, err := s.Next(ctx, ws, tester, 0, store.Replacement{After: first}, store.Once{}, nil)
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, uint64(1), done.No)
	require.Len(t, done.Log, 1)
	late := newFeature("late")
	_, ok, err = s.Next(ctx, ws, tester, 0, store.Replacement{After: late}, store.Once{}, nil)
	require.NoError(t, err)
	assert.False(t, ok, "somebody was first")
	_, err = s.Feature(ctx, ws, "posts", late.ID)
	assert.ErrorIs(t, err, store.ErrNotFound, "and nothing was written")
	no, err := s.ChangeNo(ctx, ws)
	require.NoError(t, err)
	assert.Equal(t, uint64(1), no)
	once := store.Once{Key: "k"}
	answer := func() ([]byte, error) { return []byte(`{"as":"kept"}`), nil }
	_, ok, err = s.Next(ctx, ws, tester, 1, store.Replacement{After: late}, once, answer)
	require.NoError(t, err)
	require.True(t, ok)
	kept, err := s.Answer(ctx, ws, once)
	require.NoError(t, err)
	assert.Equal(t, `{"as":"kept"}`, string(kept))
	_, ok, err = s.Next(ctx, ws, tester, 2, store.Replacement{After: newFeature("again")}, once, answer)
	require.NoError(t, err)
	assert.False(t, ok, "the key has been used")
}

func TestTheLogIsReadInPieces(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	_, err := s.Change(ctx, ws, tester, func(c *store.Change) error {
		var all []store.Replacement
		for i := range 7 {
			f := newFeature(fmt.Sprint(i))
			f.Attributes = feature.Attributes(`{"a":"` + strings.Repeat("x", 1000) + `"}`)
			all = append(all, store.Replacement{After: f})
		}
		return c.WriteAll(all)
	})
	require.NoError(t, err)
	write(t, s, ws, newFeature("alone"))
	var seen []string
	no, part := uint64(0), int64(-1)
	for {
		log, err := s.ChangesAfter(ctx, ws, no, part, 3, 2500)
		require.NoError(t, err)
		if len(log) == 0 {
			break
		}
		assert.LessOrEqual(t, len(log), 2, "two of them are more than the bytes that were asked for")
		for _, l := range log {
			seen = append(seen, fmt.Sprint(l.No, ".", l.Part))
		}
		last := log[len(log)-1]
		no, part = last.No, int64(last.Part)
		if last.Part+1 == last.Parts {
			part = -1
		}
	}
	assert.Equal(t, []string{"1.0", "1.1", "1.2", "1.3", "1.4", "1.5", "1.6", "2.0"}, seen)
}

// What waits for a database that stands still is ended, what comes after fails at once, and it goes on by itself.
func TestADatabaseThatStandsStill(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	began := make(chan struct{})
	ended := make(chan error, 2)
	thaw := storetest.Freeze(t)
	go func() { close(began); _, err := s.ChangeNo(ctx, ws); ended <- err }()
	go func() {
		_, err := s.Change(
			ctx,
			ws,
			tester,
			func(c *store.Change) error { return c.WriteAll([]store.Replacement{{After: newFeature("x")}}) },
		)
		ended <- err
	}()
	<-began
	for range 2 {
		select {
		case err := <-ended:
			assert.ErrorIs(t, err, store.ErrUnavailable)
		case <-time.After(time.Minute):
			t.Fatal("it waits for ever")
		}
	}
	assert.ErrorIs(t, s.Ping(ctx), store.ErrUnavailable)
	assert.Equal(t, int64(1), s.Outages())
	thaw()
	require.Eventually(t, func() bool { return s.Ping(ctx) == nil }, time.Minute, 10*time.Millisecond)
	_, err := s.Feature(ctx, ws, "posts", uuid.New())
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestErrorsMeanWhatTheyMean(t *testing.T) {
	s := storetest.Open(t)
	ws := workspace(t, s)
	for number, want := range map[uint16]error{1114: store.ErrFull, 1021: store.ErrFull, 1053: store.ErrUnavailable,
		1040: store.ErrUnavailable, 1153: store.ErrTooLarge} {
		_, err := s.Change(ctx, ws, tester, func(*store.Change) error { return &mysql.MySQLError{Number: number} })
		assert.ErrorIs(t, err, want, number)
	}
	_, err := s.Change(ctx, ws, tester, func(*store.Change) error { return mysql.ErrInvalidConn })
	assert.ErrorIs(t, err, store.ErrUnavailable)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	_, err = s.ChangeNo(gone, ws)
	assert.True(
		t,
		errors.Is(err, context.Canceled) && !errors.Is(err, store.ErrUnavailable),
		"whoever went away says nothing of the database",
	)
}
