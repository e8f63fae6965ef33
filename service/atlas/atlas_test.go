package atlas

import (
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/tile"
	"viandante/service/atlas/atlastest"
	"viandante/service/fault"
	"viandante/store"
	"viandante/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var ctx = context.Background()

func newAtlas(t *testing.T) (*Atlas, *store.Store) {
	t.Helper()
	db := storetest.Open(t)
	a := New(db, filepath.Join(t.TempDir(), "regions"), slog.New(slog.DiscardHandler))
	require.NoError(t, a.Follow(ctx))
	return a, db
}

// run follows the regions in use until the test ends.
func run(t *testing.T, a *Atlas) {
	t.Helper()
	following, stop := context.WithCancel(ctx)
	var done sync.WaitGroup
	done.Go(func() { a.Run(following, func(error) {}) })
	t.Cleanup(func() { stop(); done.Wait() })
}

func use(t *testing.T, a *Atlas, d *region.Draft) string {
	t.Helper()
	data, err := region.Encode(d)
	require.NoError(t, err)
	hash, err := a.Use(ctx, d.Name, "source", data)
	require.NoError(t, err)
	return hash
}

// Equal tiles that are asked for at the same time are encoded once, and what is remembered of them is bounded.
func TestTilesAreEncodedOnce(t *testing.T) {
	a, _ := newAtlas(t)
	use(t, a, atlastest.Isle("Here", 0.6))
	_, _, version := a.Regions()
	id := tile.At(geo.MustPoint(0, 0.6), 12)
	var asking sync.WaitGroup
	first := make([]*byte, 8)
	for i := range first {
		asking.Go(func() {
			data, err := a.Tile(ctx, version, id, false)
			assert.NoError(t, err)
			first[i] = &data[0]
		})
	}
	asking.Wait()
	for _, p := range first {
		assert.Same(t, first[0], p, "all have the same bytes")
	}
	empty, err := a.Tile(ctx, version, id, true)
	require.NoError(t, err)
	assert.Empty(t, empty, "no heights")
	assert.Equal(t, uint64(cacheBytes), a.tiles.GetMaximum())
}

func TestLandAndSea(t *testing.T) {
	a, _ := newAtlas(t)
	use(t, a, atlastest.Isle("Here", 0.6)) // land from 0.1 to 1.1 east
	require.NoError(t, a.Look(func(l Land) {
		assert.True(t, l.At(geo.MustPoint(47, 9)), "by the world's coastlines")
		assert.False(t, l.At(geo.MustPoint(30, -40)))
		assert.True(t, l.At(geo.MustPoint(0, 0.6)) && l.Covered(geo.MustPoint(0, 0.6)))
		assert.False(t, l.At(geo.MustPoint(0.7, 0.6)))
	}))
}

func onFoot(stops ...geo.Point) Ask { return Ask{Travel: Travel{By: "foot"}, Stops: stops} }

func TestEveryRegionInUseAnswersForWhatItHolds(t *testing.T) {
	a, _ := newAtlas(t)
	_, err := a.Route(ctx, onFoot(geo.MustPoint(0, 10), geo.MustPoint(0, 10.01)))
	assert.ErrorContains(t, err, "no map data is in use")
	use(t, a, atlastest.Isle("Eastham", 10))
	use(t, a, atlastest.Isle("Westham", -10))
	for place, lng := range map[string]float64{"Eastham": 10, "Westham": -10} {
		finds, _, err := a.Geocode(ctx, address.Query{Text: "mill lane 2 " + place, Limit: 1})
		require.NoError(t, err)
		assert.Equal(t, "Mill Lane 2, "+place, finds[0].Label)
		back, err := a.Reverse(geo.MustPoint(0, lng+0.004), 1)
		require.NoError(t, err)
		assert.Equal(t, finds[0].Label, back[0].Label)
		found, err := a.Route(ctx,
			onFoot(geo.MustPoint(0, lng+0.001), geo.MustPoint(0, lng+0.009), geo.MustPoint(0, lng+0.002)))
		require.NoError(t, err)
		legs := found[0].Legs
		require.Len(t, legs, 2)
		assert.InDelta(t, 111319.49*0.008, legs[0].DistanceM, 0.5)
	}
	_, err = a.Route(ctx, onFoot(geo.MustPoint(0, 10), geo.MustPoint(0, -10)))
	assert.True(t, fault.Is(err, fault.Impossible), "no way across the sea")
	list, _, version := a.Regions()
	assert.Len(t, list, 2)
	data, err := a.Tile(ctx, version, tile.ID{Z: 0}, false)
	require.NoError(t, err)
	assert.NotEmpty(t, data)
	cached, err := a.Tile(ctx, version, tile.ID{Z: 0}, false)
	require.NoError(t, err)
	assert.Equal(t, data, cached)
}

func TestARegionIsSwappedAndADamagedOneLeftOut(t *testing.T) {
	a, db := newAtlas(t)
	use(t, a, atlastest.Isle("Eastham", 10))
	_, _, before := a.Regions()
	changed := atlastest.Isle("Eastham", 10)
	changed.Addresses = changed.Addresses[:1]
	use(t, a, changed)
	_, _, after := a.Regions()
	assert.NotEqual(t, before, after)
	_, err := a.Tile(ctx, before, tile.ID{Z: 0}, false)
	assert.ErrorContains(t, err, after, "the answer names the version that is drawn now")
	require.NoError(
		t,
		os.WriteFile(
			filepath.Join(a.dir, "bad.region"),
			[]byte("not a region at all, but long enough to hold a header of 64 bytes"),
			0o600,
		),
	)
	require.NoError(t, db.UseRegion(ctx, "Broken", "bad", ""))
	require.NoError(t, a.Follow(ctx))
	list, _, _ := a.Regions()
	require.Len(t, list, 1)
	assert.Equal(t, "Eastham", list[0].Name)
}

// A region file that is cut short while it is read from is an error of the request that finds out; the region is taken
// out of use, told of, and used again when its file is whole.
func TestARegionThatIsCutShort(t *testing.T) {
	a, _ := newAtlas(t)
	hash := use(t, a, atlastest.Isle("Eastham", 10))
	use(t, a, atlastest.Isle("Westham", -10))
	file := filepath.Join(a.dir, hash+".region")
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	_, _, before := a.Regions()
	require.NoError(t, os.Truncate(file, 0))
	_, _, err = a.Geocode(ctx, address.Query{Text: "mill lane 2 eastham", Limit: 1})
	require.True(t, fault.Is(err, fault.Unready))
	assert.ErrorContains(t, err, "Eastham cannot be read")
	assert.Equal(t, int64(1), a.Faults())
	list, away, after := a.Regions()
	require.Len(t, list, 1)
	require.Len(t, away, 1)
	assert.Equal(t, "Eastham", away[0].Name)
	assert.NotEqual(t, before, after)
	finds, _, err := a.Geocode(ctx, address.Query{Text: "mill lane 2 westham", Limit: 1})
	require.NoError(t, err, "the others go on")
	assert.Equal(t, "Mill Lane 2, Westham", finds[0].Label)
	_, err = a.Route(ctx, onFoot(geo.MustPoint(0, 10), geo.MustPoint(0, 10.01)))
	assert.True(t, fault.Is(err, fault.Unready), "it may know the way")
	_, err = a.Tile(ctx, after, tile.ID{Z: 0}, false)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, whole, 0o600))
	run(t, a)
	require.Eventually(t, func() bool {
		list, away, _ := a.Regions()
		return len(list) == 2 && len(away) == 0
	}, time.Minute, 20*time.Millisecond)
	finds, _, err = a.Geocode(ctx, address.Query{Text: "mill lane 2 eastham", Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, "Mill Lane 2, Eastham", finds[0].Label)
}

// A region whose file is not there yet, as where another machine has put it into use, is used when it comes; one that
// gets another name answers under that.
func TestARegionThatComesLate(t *testing.T) {
	a, db := newAtlas(t)
	data, err := region.Encode(atlastest.Isle("Eastham", 10))
	require.NoError(t, err)
	elsewhere := New(db, t.TempDir(), slog.New(slog.DiscardHandler))
	hash, err := elsewhere.Use(ctx, "Late", "", data)
	require.NoError(t, err)
	run(t, a)
	require.Eventually(t, func() bool { return a.Away() == 1 }, time.Minute, 10*time.Millisecond)
	require.NoError(t, os.MkdirAll(a.dir, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(a.dir, hash+".region"), data, 0o600))
	named := func(names ...string) func() bool {
		return func() bool {
			list, _, _ := a.Regions()
			if len(list) != len(names) {
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
