package service

import (
	"context"
	"encoding/json"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/tile"
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
	v, _, a := house(t)
	slow, begun, goOn := uuid.Must(uuid.NewV7()), make(chan bool, 10), make(chan bool)
	decided := make(chan error)
	make := func(*store.Feature, store.Attributes) (*store.Feature, []string, error) {
		begun <- true
		<-goOn
		return &store.Feature{ID: slow, Collection: "posts", Kind: store.Place, Name: "slow", Attributes: json.RawMessage(`{}`)}, nil, nil
	}
	go func() {
		_, err := v.write(ctx, a, "posts", slow, Match{New: true}, make)
		decided <- err
	}()
	<-begun
	for range 3 {
		_, err := v.Put(ctx, a, "posts", uuid.Must(uuid.NewV7()), point("quick", geo.MustPoint(1, 2), nil), Match{New: true})
		require.NoError(t, err)
	}
	_, err := v.Bulk(ctx, a, []BulkChange{{Collection: "posts", ID: uuid.Must(uuid.NewV7()), Feature: point("many", geo.MustPoint(1, 2), nil)}}, store.Once{})
	require.NoError(t, err)
	close(goOn)
	require.NoError(t, <-decided)
	_, err = v.Feature(ctx, a, "posts", slow)
	require.NoError(t, err)
}

// A region file that is cut short while it is read from is an error of the request that finds out; the region is taken out
// of use, told of, and used again when its file is whole.
func TestARegionThatIsCutShort(t *testing.T) {
	v, _, a := house(t)
	hash := use(t, v, isle("Eastham", 10))
	use(t, v, isle("Westham", -10))
	file := filepath.Join(v.regionDir, hash+".region")
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	_, _, before, err := v.Regions(a)
	require.NoError(t, err)
	require.NoError(t, os.Truncate(file, 0))
	_, err = v.Geocode(ctx, a, address.Query{Text: "mill lane 2 eastham", Limit: 1})
	require.Equal(t, Unready, kindOf(err))
	assert.ErrorContains(t, err, "Eastham cannot be read")
	assert.Equal(t, int64(1), v.Counters.Faults.Load())
	list, away, after, err := v.Regions(a)
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Len(t, away, 1)
	assert.Equal(t, "Eastham", away[0].Name)
	assert.NotEqual(t, before, after)
	finds, err := v.Geocode(ctx, a, address.Query{Text: "mill lane 2 westham", Limit: 1})
	require.NoError(t, err, "the others go on")
	assert.Equal(t, "Mill Lane 2, Westham", finds[0].Label)
	_, err = v.Route(ctx, a, region.Foot, []geo.Point{geo.MustPoint(0, 10), geo.MustPoint(0, 10.01)})
	assert.Equal(t, Unready, kindOf(err), "it may know the way")
	_, err = v.Tile(a, after, tile.ID{Z: 0}, false)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, whole, 0o600))
	run(t, v)
	require.Eventually(t, func() bool {
		list, away, _, err := v.Regions(a)
		return err == nil && len(list) == 2 && len(away) == 0
	}, time.Minute, 20*time.Millisecond)
	finds, err = v.Geocode(ctx, a, address.Query{Text: "mill lane 2 eastham", Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, "Mill Lane 2, Eastham", finds[0].Label)
}

// A region whose file is not there yet, as where another machine has put it into use, is used when it comes; one that gets
// another name answers under that.
func TestARegionThatComesLate(t *testing.T) {
	v, db, a := house(t)
	data, err := region.Encode(isle("Eastham", 10))
	require.NoError(t, err)
	elsewhere := New(db, t.TempDir(), slog.New(slog.DiscardHandler))
	hash, err := elsewhere.UseRegion(ctx, "Late", "", data)
	require.NoError(t, err)
	run(t, v)
	require.Eventually(t, func() bool { return v.RegionsAway() == 1 }, time.Minute, 10*time.Millisecond)
	require.NoError(t, os.MkdirAll(v.regionDir, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(v.regionDir, hash+".region"), data, 0o600))
	named := func(names ...string) func() bool {
		return func() bool {
			list, _, _, err := v.Regions(a)
			if err != nil || len(list) != len(names) {
				return false
			}
			for i := range list {
				if list[i].Name != names[i] {
					return false
				}
			}
			return true
		}
	}
	require.Eventually(t, named("Late"), time.Minute, 10*time.Millisecond)
	require.NoError(t, db.UseRegion(ctx, "Again", hash, ""))
	require.Eventually(t, named("Again", "Late"), time.Minute, 10*time.Millisecond, "the same file under another name")
}

// What goes wrong in the background is counted and begun again.
func TestTheBackgroundGoesOn(t *testing.T) {
	v, db, a := house(t)
	broken := newIndex(nil, uuid.New(), &v.live) // it has no store: following it panics
	broken.now.Store(newSnapshot(1, nil))
	v.mu.Lock()
	v.indexes[broken.workspace] = broken
	v.mu.Unlock()
	run(t, v)
	require.Eventually(t, func() bool { return v.Counters.Panics.Load() >= 2 }, time.Minute, 10*time.Millisecond, "again and again")
	v.mu.Lock()
	delete(v.indexes, broken.workspace)
	v.mu.Unlock()
	other := New(db, t.TempDir(), slog.New(slog.DiscardHandler))
	_, err := other.Put(ctx, a, "posts", uuid.Must(uuid.NewV7()), point("Pump", geo.MustPoint(1, 2), nil), Match{New: true})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		got, _, err := v.Nearby(ctx, a, Nearby{At: geo.MustPoint(1, 2), WithinM: 10, Limit: 5})
		return err == nil && len(got) == 1
	}, time.Minute, 10*time.Millisecond, "and it follows the others")
}

// Work that is done in two halves goes wrong for whoever asked for it, not for the process.
func TestHalvesGoWrongForTheCaller(t *testing.T) {
	for _, bad := range []int{0, 5} {
		assert.PanicsWithValue(t, "broken", func() {
			inHalves(10, func(from, _ int) {
				if from == bad {
					panic("broken")
				}
			})
		})
	}
}

// A bulk of more entries than a feed holds is read from the log, each entry once and in order.
func TestAFollowerOfMoreThanIsHeld(t *testing.T) {
	v, _, a := house(t)
	f, err := v.Follow(ctx, a, nil)
	require.NoError(t, err)
	defer f.Close()
	var list []BulkChange
	for range feedEvents + 100 {
		list = append(list, BulkChange{Collection: "posts", ID: uuid.Must(uuid.NewV7()), Feature: point("x", geo.MustPoint(1, 2), nil)})
	}
	done, err := v.Bulk(ctx, a, list, store.Once{})
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
		require.LessOrEqual(t, len(events), readEvents)
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
	_, err = v.Follow(ctx, a, &beyond)
	assert.Equal(t, Gone, kindOf(err))
}
