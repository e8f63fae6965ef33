package service

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/codec/geojson"
	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
	"viandante/core/tile"
	"viandante/store"
	"viandante/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var ctx = context.Background()

// house is a service with one workspace, a writer in it, and the collection "posts".
func house(t *testing.T) (*Service, *store.Store, Actor) {
	t.Helper()
	db := storetest.Open(t)
	a := Actor{Workspace: uuid.Must(uuid.NewV7()), Name: "tester", Read: true, Write: true}
	require.NoError(t, db.CreateWorkspace(ctx, a.Workspace, "test"))
	v := New(db, filepath.Join(t.TempDir(), "regions"), slog.New(slog.DiscardHandler))
	require.NoError(t, v.Load(ctx))
	_, created, err := v.PutCollection(ctx, a, store.Collection{ID: "posts", Title: "Posts"}, Match{})
	require.NoError(t, err)
	require.True(t, created)
	return v, db, a
}

func point(name string, p geo.Point, more map[string]any) *geojson.Feature {
	props := map[string]any{"name": name}
	for k, value := range more {
		props[k] = value
	}
	return &geojson.Feature{Type: "Feature", Geometry: geojson.Point(p), Properties: props}
}

func kindOf(err error) Kind {
	var e *Error
	if errors.As(err, &e) {
		return e.Kind
	}
	return 0
}

// Places come and go at random, all over the earth and crowded at its seams; after each batch the index must answer as an
// exhaustive scan over a plain map does. There are enough of them that the base is built anew on the way.
func TestTheIndexAgreesWithAScanWhilePlacesComeAndGo(t *testing.T) {
	v, db, a := house(t)
	r := rand.New(rand.NewPCG(11, 11))
	truth := map[uuid.UUID]*store.Feature{}
	ids := []uuid.UUID{}
	somewhere := func() geo.Point {
		switch r.IntN(4) {
		case 0:
			return geo.MustPoint(89.5+r.Float64()/2, r.Float64()*360-180).Rounded()
		case 1:
			return geo.MustPoint(r.Float64()*2-1, geo.WrapLng(179+r.Float64()*2)).Rounded()
		}
		return geo.MustPoint(r.Float64()*180-90, r.Float64()*360-180).Rounded()
	}
	for range 12 {
		no, err := db.Change(ctx, a.Workspace, a.Name, func(c *store.Change) error {
			for range 120 {
				switch k := r.IntN(10); {
				case k < 7 || len(ids) == 0:
					f := &store.Feature{ID: uuid.Must(uuid.NewV7()), Collection: "posts", Kind: store.Place, Name: fmt.Sprint(len(ids)), Category: []string{"a", "b"}[r.IntN(2)], At: somewhere()}
					if err := c.WriteAll([]store.Replacement{{Before: nil, After: f}}); err != nil {
						return err
					}
					truth[f.ID] = f
					ids = append(ids, f.ID)
				default:
					id := ids[r.IntN(len(ids))]
					before := truth[id]
					if before == nil {
						continue
					}
					if k < 9 {
						moved := *before
						moved.At = somewhere()
						if err := c.WriteAll([]store.Replacement{{Before: before, After: &moved}}); err != nil {
							return err
						}
						truth[id] = &moved
					} else {
						if err := c.WriteAll([]store.Replacement{{Before: before}}); err != nil {
							return err
						}
						delete(truth, id)
					}
				}
			}
			return nil
		})
		require.NoError(t, err)
		x, err := v.index(ctx, a.Workspace)
		require.NoError(t, err)
		require.NoError(t, x.catchUp(ctx, no))
		for range 15 {
			at := somewhere()
			q := Nearby{At: at, WithinM: math.Pow(10, 4+r.Float64()*3.3), Limit: 1 + r.IntN(60)}
			q.BeyondM = q.WithinM * r.Float64() * 0.7
			if r.IntN(2) == 0 {
				q.Categories = []string{"a"}
			}
			var want []near
			for _, f := range truth {
				if d := geodesy.Distance(at, f.At); d >= q.BeyondM && d <= q.WithinM && (q.Categories == nil || f.Category == "a") {
					want = append(want, near{f, d})
				}
			}
			slices.SortFunc(want, func(x, y near) int {
				return cmp.Or(cmp.Compare(x.distanceM, y.distanceM), bytes.Compare(x.feature.ID[:], y.feature.ID[:]))
			})
			got, truncated, err := v.Nearby(ctx, a, q)
			require.NoError(t, err)
			require.Equal(t, len(want) > q.Limit, truncated)
			require.Len(t, got, min(len(want), q.Limit))
			for i, f := range got {
				require.Equal(t, want[i].feature.ID.String(), f.ID)
				require.Equal(t, want[i].distanceM, f.Properties["distance_m"])
			}
		}
	}
	x, err := v.index(ctx, a.Workspace)
	require.NoError(t, err)
	assert.NotEmpty(t, x.now.Load().base, "the base was built anew")
	fresh := New(db, t.TempDir(), slog.New(slog.DiscardHandler))
	all, _, err := fresh.Nearby(ctx, a, Nearby{At: geo.MustPoint(0, 0), WithinM: math.Inf(1), Limit: 10_000})
	require.NoError(t, err)
	assert.Len(t, all, len(truth), "a process that starts later holds the same")
}

func TestAnotherProcessFollowsTheLog(t *testing.T) {
	v, db, a := house(t)
	other := New(db, t.TempDir(), slog.New(slog.DiscardHandler))
	require.NoError(t, other.Load(ctx))
	following, stop := context.WithCancel(ctx)
	done := make(chan bool)
	go func() { other.Run(following); done <- true }()
	defer func() { stop(); <-done }()
	_, err := v.Put(ctx, a, "posts", uuid.Must(uuid.NewV7()), point("Pump", geo.MustPoint(1, 2), nil), Match{New: true})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		got, _, err := other.Nearby(ctx, a, Nearby{At: geo.MustPoint(1, 2), WithinM: 10, Limit: 5})
		return err == nil && len(got) == 1
	}, time.Minute, 20*time.Millisecond)
}

func TestConditionsOnAChange(t *testing.T) {
	v, _, a := house(t)
	id := uuid.Must(uuid.NewV7())
	p := geo.MustPoint(1, 2)
	_, err := v.Put(ctx, a, "posts", id, point("A", p, nil), At(7))
	assert.Equal(t, NotFound, kindOf(err))
	first, err := v.Put(ctx, a, "posts", id, point("A", p, nil), Match{})
	require.NoError(t, err)
	assert.True(t, first.Created)
	again, err := v.Put(ctx, a, "posts", id, point("A", p, nil), Match{New: true})
	require.NoError(t, err)
	assert.False(t, again.Created)
	assert.Equal(t, first.Version, again.Version, "the same again is no change")
	_, err = v.Put(ctx, a, "posts", id, point("B", p, nil), Match{})
	assert.Equal(t, NeedsMatch, kindOf(err))
	_, err = v.Put(ctx, a, "posts", id, point("B", p, nil), Match{New: true})
	assert.Equal(t, Stale, kindOf(err))
	second, err := v.Put(ctx, a, "posts", id, point("B", p, nil), At(first.Version))
	require.NoError(t, err)
	assert.Equal(t, first.Feature.Properties["created_at"], second.Feature.Properties["created_at"])
	_, err = v.Put(ctx, a, "posts", id, point("C", p, nil), At(first.Version))
	require.Equal(t, Stale, kindOf(err))
	var stale *Error
	require.ErrorAs(t, err, &stale)
	assert.Equal(t, "B", stale.Current.(*geojson.Feature).Properties["name"])
	_, _, err = v.PutCollection(ctx, a, store.Collection{ID: "other", Title: "Other"}, Match{})
	require.NoError(t, err)
	_, err = v.Put(ctx, a, "other", id, point("D", p, nil), Match{Any: true})
	assert.Equal(t, Conflict, kindOf(err), "an id belongs to one collection")
	require.NoError(t, v.Delete(ctx, a, "posts", id, At(second.Version)))
	back, err := v.Put(ctx, a, "posts", id, point("E", p, nil), Match{New: true})
	require.NoError(t, err)
	assert.True(t, back.Created, "out of the bin")
}

func TestMergePatch(t *testing.T) {
	// The examples of RFC 7396, appendix A, that have objects on both sides.
	for _, c := range []struct{ target, patch, want map[string]any }{
		{map[string]any{"a": "b"}, map[string]any{"a": "c"}, map[string]any{"a": "c"}},
		{map[string]any{"a": "b"}, map[string]any{"b": "c"}, map[string]any{"a": "b", "b": "c"}},
		{map[string]any{"a": "b"}, map[string]any{"a": nil}, map[string]any{}},
		{map[string]any{"a": "b", "b": "c"}, map[string]any{"a": nil}, map[string]any{"b": "c"}},
		{map[string]any{"a": []any{"b"}}, map[string]any{"a": "c"}, map[string]any{"a": "c"}},
		{map[string]any{"a": map[string]any{"b": "c"}}, map[string]any{"a": map[string]any{"b": "d", "c": nil}}, map[string]any{"a": map[string]any{"b": "d"}}},
		{map[string]any{}, map[string]any{"a": map[string]any{"bb": map[string]any{"ccc": nil}}}, map[string]any{"a": map[string]any{"bb": map[string]any{}}}},
	} {
		assert.Equal(t, c.want, mergePatch(c.target, c.patch))
	}
}

func TestAPatchKeepsWhatItDoesNotName(t *testing.T) {
	v, _, a := house(t)
	id := uuid.Must(uuid.NewV7())
	made, err := v.Put(ctx, a, "posts", id, point("Pump", geo.MustPoint(1, 2), map[string]any{"category": "fountain", "accuracy_m": 4.5, "note": "old", "fixed_at": "2026-05-01T12:00:00Z"}), Match{New: true})
	require.NoError(t, err)
	patched, err := v.Patch(ctx, a, "posts", id, map[string]any{"properties": map[string]any{"note": "new", "accuracy_m": nil}, "geometry": nil}, At(made.Version))
	require.NoError(t, err)
	p := patched.Feature.Properties
	assert.Equal(t, "Pump", p["name"])
	assert.Equal(t, "fountain", p["category"])
	assert.Equal(t, "new", p["note"])
	assert.NotContains(t, p, "accuracy_m")
	assert.Contains(t, p, "fixed_at")
	assert.Nil(t, patched.Feature.Geometry, "the position is unknown now")
	_, err = v.Patch(ctx, a, "posts", id, map[string]any{"type": "Nothing"}, At(patched.Version))
	assert.Equal(t, Invalid, kindOf(err))
}

func TestWhatIsAcceptedOfAFeature(t *testing.T) {
	for reason, props := range map[string]map[string]any{
		"is not a text":         {"category": 7.0},
		"is not a number":       {"elevation_m": "high"},
		"is negative":           {"accuracy_m": -1.0},
		"is not a time":         {"fixed_at": "yesterday"},
		"ends in a unit":        {"distance_m": 5.0},
		"has 65 characters":     {"category": string(bytes.Repeat([]byte("x"), 65))},
		"is not a name for":     {"": 1.0},
		"has 100001 characters": {"note": string(bytes.Repeat([]byte("x"), 100_001))},
		"is not valid UTF-8":    {"name": "\xff"},
	} {
		_, err := accept(ctx, &geojson.Feature{Type: "Feature", Properties: props}, nil, &store.Feature{})
		assert.ErrorContains(t, err, reason)
		assert.Equal(t, Invalid, kindOf(err))
	}
	f := &store.Feature{}
	_, err := accept(ctx, &geojson.Feature{Type: "Feature", Properties: map[string]any{"version": 9.0, "created_at": "x", "name": "kept"}}, nil, f)
	require.NoError(t, err)
	assert.Equal(t, "kept", f.Name)
	assert.JSONEq(t, `{}`, string(f.Attributes), "what is read only is not taken")
	assert.False(t, f.At.IsValid())
}

func TestScopes(t *testing.T) {
	v, _, a := house(t)
	reader, nobody := a, a
	reader.Write = false
	nobody.Read, nobody.Write = false, false
	_, err := v.Put(ctx, reader, "posts", uuid.New(), point("x", geo.MustPoint(1, 2), nil), Match{})
	assert.Equal(t, Forbidden, kindOf(err))
	assert.Equal(t, Forbidden, kindOf(v.Delete(ctx, reader, "posts", uuid.New(), Match{Any: true})))
	_, _, err = v.PutCollection(ctx, reader, store.Collection{ID: "x", Title: "x"}, Match{})
	assert.Equal(t, Forbidden, kindOf(err))
	_, _, err = v.Nearby(ctx, nobody, Nearby{At: geo.MustPoint(1, 2), Limit: 1})
	assert.Equal(t, Forbidden, kindOf(err))
	_, err = v.Tile(nobody, "", tile.ID{}, false)
	assert.Equal(t, Forbidden, kindOf(err))
	stranger := a
	stranger.Workspace = uuid.New()
	_, err = v.Feature(ctx, stranger, "posts", uuid.New())
	assert.Equal(t, NotFound, kindOf(err), "workspaces do not see each other")
}

func TestCollectionsHaveSoundIds(t *testing.T) {
	v, _, a := house(t)
	for _, id := range []string{"", "Big", "../x", "a b", string(bytes.Repeat([]byte("x"), 65)), "é"} {
		_, _, err := v.PutCollection(ctx, a, store.Collection{ID: id, Title: "x"}, Match{})
		assert.Equal(t, Invalid, kindOf(err), id)
	}
	_, created, err := v.PutCollection(ctx, a, store.Collection{ID: "posts", Title: "New title"}, Match{Any: true})
	require.NoError(t, err)
	assert.False(t, created)
	k, err := v.Collection(ctx, a, "posts")
	require.NoError(t, err)
	assert.Equal(t, "New title", k.Title)
	_, err = v.Collection(ctx, a, "none")
	assert.Equal(t, NotFound, kindOf(err))
}

// isle is a region of one street with two houses, so far east.
func isle(name string, lng float64) *region.Draft {
	at := func(lat, dLng float64) geo.E7 { return geo.MustPoint(lat, lng+dLng).E7() }
	return &region.Draft{
		Name: name, Bounds: geo.Box{South: -1, West: lng - 1, North: 1, East: lng + 1},
		Ground:      []region.Feature{{ID: 7, Class: region.Land, Shape: region.AreaShape, Parts: [][]geo.E7{{at(-0.5, -0.5), at(-0.5, 0.5), at(0.5, 0.5), at(0.5, -0.5)}}}},
		RoadNodes:   map[int64]geo.E7{1: at(0, 0), 2: at(0, 0.01)},
		Roads:       []region.Road{{ID: 1, Class: region.LocalStreet, Access: region.NewAccess(region.Foot, true, true), Name: "Mill Lane", Nodes: []int64{1, 2}}},
		Settlements: []region.Settlement{{ID: 9, At: at(0, 0), Name: name, Size: 2}},
		Addresses:   []region.Address{{ID: 3, At: at(0.0001, 0.002), Number: "1", Street: "Mill Lane", Place: name}, {ID: 4, At: at(0.0001, 0.004), Number: "2", Street: "Mill Lane", Place: name}},
	}
}

func use(t *testing.T, v *Service, d *region.Draft) string {
	t.Helper()
	data, err := region.Encode(d)
	require.NoError(t, err)
	hash, err := v.UseRegion(ctx, d.Name, "source", data)
	require.NoError(t, err)
	return hash
}

// Near the equator and the meridian a missing sign leads not far away, but into the sea.
func TestAPositionInTheSeaIsDoubted(t *testing.T) {
	v, _, a := house(t)
	use(t, v, isle("Here", 0.6)) // land from 0.1 to 1.1 east
	for i := range 5 {
		_, err := v.Put(ctx, a, "posts", uuid.New(), point("post", geo.MustPoint(0.1*float64(i), 0.3), nil), Match{New: true})
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
	assert.True(t, v.onLand(geo.MustPoint(47, 9)), "by the world's coastlines")
	assert.False(t, v.onLand(geo.MustPoint(30, -40)))
}

func TestEveryRegionInUseAnswersForWhatItHolds(t *testing.T) {
	v, _, a := house(t)
	_, err := v.Route(ctx, a, region.Foot, []geo.Point{geo.MustPoint(0, 10), geo.MustPoint(0, 10.01)})
	assert.ErrorContains(t, err, "no map data is in use")
	use(t, v, isle("Eastham", 10))
	use(t, v, isle("Westham", -10))
	for place, lng := range map[string]float64{"Eastham": 10, "Westham": -10} {
		finds, err := v.Geocode(ctx, a, address.Query{Text: "mill lane 2 " + place, Limit: 1})
		require.NoError(t, err)
		assert.Equal(t, "Mill Lane 2, "+place, finds[0].Label)
		back, err := v.Reverse(a, geo.MustPoint(0, lng+0.004), 1)
		require.NoError(t, err)
		assert.Equal(t, finds[0].Label, back[0].Label)
		legs, err := v.Route(ctx, a, region.Foot, []geo.Point{geo.MustPoint(0, lng+0.001), geo.MustPoint(0, lng+0.009), geo.MustPoint(0, lng+0.002)})
		require.NoError(t, err)
		require.Len(t, legs, 2)
		assert.InDelta(t, 111319.49*0.008, legs[0].DistanceM, 0.5)
	}
	_, err = v.Route(ctx, a, region.Foot, []geo.Point{geo.MustPoint(0, 10), geo.MustPoint(0, -10)})
	assert.Equal(t, Impossible, kindOf(err), "no way across the sea")
	list, _, version, err := v.Regions(a)
	require.NoError(t, err)
	assert.Len(t, list, 2)
	data, err := v.Tile(a, version, tile.ID{Z: 0}, false)
	require.NoError(t, err)
	assert.NotEmpty(t, data)
	cached, err := v.Tile(a, version, tile.ID{Z: 0}, false)
	require.NoError(t, err)
	assert.Equal(t, data, cached)
}

func TestARegionIsSwappedAndADamagedOneLeftOut(t *testing.T) {
	v, db, a := house(t)
	use(t, v, isle("Eastham", 10))
	_, _, before, err := v.Regions(a)
	require.NoError(t, err)
	changed := isle("Eastham", 10)
	changed.Addresses = changed.Addresses[:1]
	use(t, v, changed)
	_, _, after, err := v.Regions(a)
	require.NoError(t, err)
	assert.NotEqual(t, before, after)
	_, err = v.Tile(a, before, tile.ID{Z: 0}, false)
	assert.ErrorContains(t, err, after, "the answer names the version that is drawn now")
	require.NoError(t, os.WriteFile(filepath.Join(v.regionDir, "bad.region"), []byte("not a region at all, but long enough to hold a header of 64 bytes"), 0o600))
	require.NoError(t, db.UseRegion(ctx, "Broken", "bad", ""))
	require.NoError(t, v.followRegions(ctx))
	list, _, _, err := v.Regions(a)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "Eastham", list[0].Name)
}

func TestTheLineFindsPlacesByTheirWords(t *testing.T) {
	v, _, a := house(t)
	for _, name := range []string{"Old Mill Fountain", "Möwen-Pumpe", "Mill Race"} {
		_, err := v.Put(ctx, a, "posts", uuid.Must(uuid.NewV7()), point(name, geo.MustPoint(1, 2), nil), Match{New: true})
		require.NoError(t, err)
	}
	names := func(text string) (out []string) {
		found, _, err := v.Interpret(ctx, a, text, geo.Point{}, 5)
		require.NoError(t, err)
		for _, f := range found {
			out = append(out, f.Properties["label"].(string))
		}
		return out
	}
	assert.Equal(t, []string{"Old Mill Fountain"}, names("fount mill"))
	assert.Equal(t, []string{"Möwen-Pumpe"}, names("mowen"))
	assert.ElementsMatch(t, []string{"Mill Race", "Old Mill Fountain"}, names("MILL"))
	assert.Empty(t, names("nothing like it"))
	found, unread, err := v.Interpret(ctx, a, "138.1, -26", geo.Point{}, 5)
	require.NoError(t, err)
	assert.Empty(t, found)
	assert.Contains(t, unread.Reason, "latitude 138.1")
}
