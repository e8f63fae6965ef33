package service

import (
	"context"
	"log/slog"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service/catalog"
	"viandante/service/fault"
	"viandante/store"
)

// run follows the change log until the test ends.
func run(t *testing.T, v *Service) {
	t.Helper()
	following, stop := context.WithCancel(ctx)
	done := make(chan bool)
	go func() { v.Run(following); close(done) }()
	t.Cleanup(func() { stop(); <-done; v.Close() })
}

// A change that takes long to decide on holds up nobody else's.
func TestASlowDecisionHoldsNobodyUp(t *testing.T) {
	v, _, a := newHouse(t)
	slow, begun, goOn := uuid.Must(uuid.NewV7()), make(chan bool, 10), make(chan bool)
	decided := make(chan error)
	make := func(*feature.Feature, feature.Schema) (*feature.Feature, []string, error) {
		begun <- true
		<-goOn
		return &feature.Feature{Name: "slow"}, nil, nil
	}
	go func() {
		_, err := v.write(ctx, a, "posts", slow, Match{New: true}, make)
		decided <- err
	}()
	<-begun
	for range 3 {
		_, err := v.Put(
			ctx,
			a,
			"posts",
			uuid.Must(uuid.NewV7()),
			point("quick", geo.MustPoint(1, 2), nil),
			Match{New: true},
		)
		require.NoError(t, err)
	}
	_, err := v.Bulk(
		ctx,
		a,
		[]BulkChange{{Collection: "posts", ID: uuid.Must(uuid.NewV7()), Feature: draft("many")}},
		Once{},
	)
	require.NoError(t, err)
	close(goOn)
	require.NoError(t, <-decided)
	_, err = v.Feature(ctx, a, "posts", slow)
	require.NoError(t, err)
}

// What goes wrong in the background is counted and begun again, and the others go on.
func TestTheBackgroundGoesOn(t *testing.T) {
	v, db, a := newHouse(t)
	broken, err := uuid.NewV7()
	require.NoError(t, err)
	require.NoError(t, db.CreateWorkspace(ctx, broken, "broken"))
	channel := v.feed.Channel(broken, panics{})
	require.NoError(t, channel.Open(ctx))
	_, err = db.Change(ctx, broken, store.Actor{Name: "somebody"}, func(c *store.Change) error {
		return c.WriteAll([]store.Replacement{{After: &feature.Feature{ID: uuid.New(), Collection: "posts"}}})
	})
	require.NoError(t, err)
	run(t, v)
	require.Eventually(t, func() bool { return v.Panics() >= 2 }, time.Minute, 10*time.Millisecond, "again and again")
	other := New(db, t.TempDir(), slog.New(slog.DiscardHandler), Options{})
	t.Cleanup(other.Close)
	_, err = other.Put(
		ctx,
		a,
		"posts",
		uuid.Must(uuid.NewV7()),
		point("Pump", geo.MustPoint(1, 2), nil),
		Match{New: true},
	)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		got, _, err := v.Nearby(ctx, a, catalog.Near{At: geo.MustPoint(1, 2), WithinM: 10, Limit: 5})
		return err == nil && len(got) == 1
	}, time.Minute, 10*time.Millisecond, "and it follows the others")
}

// panics is a listener that breaks.
type panics struct{}

func (panics) Load(context.Context, uint64) error { return nil }

func (panics) Apply([]store.Logged) error { panic("broken") }

// A bulk of more entries than a feed holds is read from the log, each entry once and in order.
func TestAFollowerOfMoreThanIsHeld(t *testing.T) {
	v, _, a := newHouse(t)
	f, err := v.FollowChanges(ctx, a, nil)
	require.NoError(t, err)
	defer f.Close()
	var list []BulkChange
	for range 4096 + 100 {
		list = append(list, BulkChange{Collection: "posts", ID: uuid.Must(uuid.NewV7()), Feature: draft("x")})
	}
	done, err := v.Bulk(ctx, a, list, Once{})
	require.NoError(t, err)
	_, err = v.Put(ctx, a, "posts", uuid.Must(uuid.NewV7()), point("last", geo.MustPoint(1, 2), nil), Match{New: true})
	require.NoError(t, err)
	seen, lasts := 0, []uint64{}
	for {
		events, err := f.Next(ctx)
		require.NoError(t, err)
		if len(events) == 0 {
			break
		}
		require.LessOrEqual(t, len(events), 200)
		for _, e := range events {
			seen++
			if e.Last {
				lasts = append(lasts, e.No)
			}
		}
	}
	assert.Equal(t, len(list)+1, seen)
	assert.Equal(t, []uint64{done.No, done.No + 1}, lasts)
	beyond := done.No + 100
	_, err = v.FollowChanges(ctx, a, &beyond)
	assert.True(t, fault.Is(err, fault.Gone))
}

func draft(name string) *feature.Draft {
	d := point(name, geo.MustPoint(1, 2), nil)
	return &d
}
