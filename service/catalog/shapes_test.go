package catalog

import (
	"math"
	"slices"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
)

// checkShapes compares what is near of all kinds with an exhaustive scan.
func (w *world) checkShapes(s *Snapshot, v View) {
	at := w.somewhere()
	q := Near{At: at, WithinM: math.Pow(10, 3+4.3*w.r.Float64()), Limit: 5000,
		Kinds: []string{"place", "path", "area"}}
	switch w.r.IntN(4) {
	case 0:
		q.BeyondM = q.WithinM * w.r.Float64()
	case 1:
		q.WithinM = math.Inf(1)
	case 2:
		q.Where = map[string]string{"depth": "10"}
	}
	want, held := map[uuid.UUID]float64{}, map[uuid.UUID]bool{}
	for id, f := range w.truth {
		if !v.Sees(f.Collection) || !f.Geometry.IsKnown() {
			continue
		}
		if f.Kind() == feature.Area && f.Geometry.Contains(at) {
			held[id] = true
		}
		_, d := f.Geometry.Nearest(at)
		text := f.Attributes.Get("depth").Text
		if d >= q.BeyondM && d <= q.WithinM && (q.Where == nil || text == "10") {
			want[id] = d
		}
	}
	got := s.InRing(v, q)
	last := 0.0
	for _, h := range got {
		d, there := want[h.ID()]
		require.True(w.t, there, "%v from %v", h.DistanceM, at)
		require.InDelta(w.t, d, h.DistanceM, 1e-6)
		require.GreaterOrEqual(w.t, h.DistanceM, last)
		last = h.DistanceM
	}
	require.Len(w.t, got, len(want))
	if few := s.InRing(v, Near{At: at, WithinM: math.Inf(1), Limit: 3, Kinds: []string{"path", "area"}}); true {
		all := s.InRing(v, Near{At: at, WithinM: math.Inf(1), Limit: 5000, Kinds: []string{"path", "area"}})
		require.Equal(w.t, all[:len(few)], few, "the nearest, however far")
	}
	for _, r := range s.Holding(v, at, nil) {
		require.True(w.t, held[r.ID()])
		delete(held, r.ID())
	}
	require.Empty(w.t, held)
	w.checkRound(s, v, at)
}

// checkRound compares the places along a line and in an area with a scan.
func (w *world) checkRound(s *Snapshot, v View, at geo.Point) {
	to, err := geodesy.PointsAlong(geodesy.Ellipsoid, at, w.somewhere(), 4)
	require.NoError(w.t, err)
	corner := func(dLat, dLng float64) geo.Point {
		return geo.MustPoint(max(-90, min(90, at.Lat()+dLat)), geo.WrapLng(at.Lng()+dLng))
	}
	wide := 20 * w.r.Float64()
	var round feature.Geometry
	withinM := math.Pow(10, 3+3*w.r.Float64())
	switch w.r.IntN(3) {
	case 0:
		round, err = feature.NewLine(to, nil)
	case 1:
		round, err = feature.NewCircle(at, 1+1e6*w.r.Float64())
	default:
		round, err = feature.NewPolygon([][]geo.Point{{corner(-wide, -wide), corner(-wide, wide), corner(wide, wide/2),
			corner(wide, -wide), corner(-wide, -wide)}}, nil)
		withinM = 0
	}
	require.NoError(w.t, err)
	want := map[uuid.UUID]bool{}
	for id, f := range w.truth {
		if v.Sees(f.Collection) && f.Geometry.Form() == feature.Point {
			if _, d := round.Nearest(f.Geometry.Point()); d <= withinM {
				want[id] = true
			}
		}
	}
	for _, h := range s.InRing(v, Near{At: at, WithinM: withinM, Limit: 5000, Round: round}) {
		require.True(w.t, want[h.ID()])
		delete(want, h.ID())
	}
	require.Empty(w.t, want, "%v", round)
}

// What is near of every kind is what a scan finds, while the catalog changes and its indexes are built anew.
func TestShapesAgreeWithAScan(t *testing.T) {
	w := newWorld(t, 18)
	views := []View{Everything(), Only("posts"), {}}
	for i := range 12 {
		w.change(150)
		if i%4 == 3 {
			w.c.Rebuild()
		}
		for range 6 {
			w.checkShapes(w.c.Now(), views[w.r.IntN(len(views))])
		}
	}
	require.NotEmpty(t, w.c.Now().shapes)
	require.True(t, slices.IsSorted(w.c.Now().shapes))
}
