package service

import (
	"cmp"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/store"
)

// Lists are held to what a plain scan of everything says, in the base and among what has changed since.
func TestListsAreThoseOfAScan(t *testing.T) {
	v, _, a := house(t)
	r := rand.New(rand.NewPCG(4, 7))
	names := []string{"Årsund Pump", "arsund spring", "Mill Spout", "mill spout", "Zeta", "Bench & Vice", "", "Ünder Hill"}
	truth := map[uuid.UUID]*geojson.Feature{}
	var ids []uuid.UUID
	feature := func() *geojson.Feature {
		f := point(names[r.IntN(len(names))], geo.MustPoint(math.Round(r.Float64()*100-50), math.Round(r.Float64()*300-150)), map[string]any{"category": []string{"a", "b", ""}[r.IntN(3)]})
		if r.IntN(4) == 0 {
			f.Geometry = nil
		}
		switch r.IntN(4) {
		case 0:
			f.Properties["depth"] = float64(r.IntN(40))
		case 1:
			f.Properties["depth"] = []string{"deep", "Deeper", "10"}[r.IntN(3)]
		}
		return f
	}
	for range 3 { // the first lot becomes the base, what follows is recent
		var changes []BulkChange
		for range 400 {
			if len(ids) > 100 && r.IntN(3) == 0 {
				id := ids[r.IntN(len(ids))]
				if truth[id] == nil || slices.ContainsFunc(changes, func(b BulkChange) bool { return b.ID == id }) {
					continue
				}
				b := BulkChange{Collection: "posts", ID: id, Version: uint64(truth[id].Properties["version"].(int)), Delete: r.IntN(2) == 0}
				if !b.Delete {
					b.Feature = feature()
				}
				changes = append(changes, b)
				continue
			}
			ids = append(ids, uuid.Must(uuid.NewV7()))
			changes = append(changes, BulkChange{Collection: "posts", ID: ids[len(ids)-1], Feature: feature()})
		}
		done, err := v.Bulk(ctx, a, changes, store.Once{})
		require.NoError(t, err)
		for _, b := range changes {
			if delete(truth, b.ID); !b.Delete {
				b.Feature.Properties["version"] = int(done.No)
				truth[b.ID] = b.Feature
			}
		}
		for range 40 {
			q := Rows{Sort: []string{"name", "depth", "category", "lat"}[r.IntN(4)], Descending: r.IntN(2) == 0, Offset: r.IntN(60), Limit: 1 + r.IntN(60)}
			if r.IntN(2) == 0 {
				q.Text = []string{"ARSUND", "mill  sp", "10", "nothing like it", "under"}[r.IntN(5)]
			}
			if r.IntN(3) == 0 {
				q.Categories = []string{"b"}
			}
			if r.IntN(4) == 0 {
				placed := r.IntN(2) == 0
				q.Placed = &placed
			}
			if r.IntN(4) == 0 {
				q.Where = map[string]string{"depth": []string{"", "10", "deep"}[r.IntN(3)]}
			}
			if r.IntN(4) == 0 {
				q.Box = &geo.Box{South: -20, North: 30, West: 100, East: -90}
			}
			want := scan(truth, q)
			got, total, err := v.Rows(ctx, a, q)
			require.NoError(t, err)
			require.Equal(t, len(want), total, "%+v", q)
			want = want[min(q.Offset, len(want)):min(q.Offset+q.Limit, len(want))]
			require.Len(t, got, len(want))
			for i := range got {
				require.Equal(t, want[i].String(), got[i].ID, "%+v: row %d, %v", q, i, got[i].Properties)
			}
		}
	}
	some, total, err := v.Rows(ctx, a, Rows{IDs: ids[:3], Sort: "name", Limit: 10})
	require.NoError(t, err)
	assert.Len(t, some, total)
	for _, f := range some {
		assert.Contains(t, []string{ids[0].String(), ids[1].String(), ids[2].String()}, f.ID)
	}
}

// scan answers a question by looking at everything.
func scan(truth map[uuid.UUID]*geojson.Feature, q Rows) []uuid.UUID {
	text := func(v any) string {
		if v == nil {
			return ""
		}
		return strings.NewReplacer("å", "a", "ü", "u").Replace(strings.ToLower(fmt.Sprint(v)))
	}
	position := func(f *geojson.Feature) geo.Point {
		if f.Geometry == nil {
			return geo.Point{}
		}
		g, _ := f.Geometry.Check()
		return g.At
	}
	var out []uuid.UUID
	for id, f := range truth {
		p := f.Properties
		if q.Categories != nil && p["category"] != q.Categories[0] || q.Placed != nil && *q.Placed != (f.Geometry != nil) {
			continue
		}
		if want, ok := q.Where["depth"]; ok && want != map[bool]string{true: "", false: fmt.Sprint(p["depth"])}[p["depth"] == nil] {
			continue
		}
		if q.Box != nil && (f.Geometry == nil || !q.Box.Contains(position(f))) {
			continue
		}
		all := text(p["name"]) + "\n" + text(p["category"]) + "\n" + text(p["depth"])
		if slices.ContainsFunc(strings.Fields(text(q.Text)), func(w string) bool { return !strings.Contains(all, w) }) {
			continue
		}
		out = append(out, id)
	}
	// rank is 0 for numbers, 1 for texts, 2 for nothing.
	key := func(f *geojson.Feature) (rank int, n float64, s string) {
		switch v := f.Properties[q.Sort].(type) {
		case float64:
			return 0, v, ""
		case string:
			if v != "" {
				return 1, 0, text(v)
			}
		}
		if at := position(f); q.Sort == "lat" && at.IsValid() {
			return 0, at.Lat(), ""
		}
		return 2, 0, ""
	}
	slices.SortFunc(out, func(a, b uuid.UUID) int {
		f, g := truth[a], truth[b]
		r1, n1, s1 := key(f)
		r2, n2, s2 := key(g)
		c := cmp.Or(cmp.Compare(r1, r2), cmp.Compare(n1, n2), cmp.Compare(s1, s2))
		if q.Descending && r1 < 2 && r2 < 2 {
			c = -c
		}
		return cmp.Or(c, cmp.Compare(f.Properties["name"].(string), g.Properties["name"].(string)), slices.Compare(a[:], b[:]))
	})
	return out
}
