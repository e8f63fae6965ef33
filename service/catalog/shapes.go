package catalog

import (
	"bytes"
	"cmp"
	"math"
	"slices"

	"viandante/core/feature"
	"viandante/core/geo"
)

// farthestBoxM is up to which distance shapes are first looked at by their boxes, in metres.
const farthestBoxM = 5e6

// Holding returns the areas of the view that hold a position, by id: polygons but for their holes, and circles, their
// rim included.
func (s *Snapshot) Holding(v View, at geo.Point, collections []string) []Row {
	var out []Row
	areas := []string{feature.Area.String()}
	s.eachShape(v, Near{At: at, Collections: collections}, areas, 0, func(r Row, g feature.Geometry) {
		if g.Contains(at) {
			out = append(out, r)
		}
	})
	slices.SortFunc(out, func(a, b Row) int {
		x, y := a.ID(), b.ID()
		return bytes.Compare(x[:], y[:])
	})
	return out
}

// NearShapes returns the paths and areas of the ring, both its ends included, by the distance of their nearest
// positions, ties by id. What holds the position is at no distance.
func (s *Snapshot) NearShapes(v View, q Near, kinds []string) []Hit {
	var out []Hit
	s.eachShape(v, q, kinds, q.WithinM, func(r Row, g feature.Geometry) {
		at, d := g.Nearest(q.At)
		if d >= q.BeyondM && d <= q.WithinM {
			out = append(out, Hit{Row: r, DistanceM: d, Nearest: at})
		}
	})
	slices.SortFunc(out, Hit.compare)
	return out[:min(q.Limit, len(out))]
}

// compare orders hits by distance, ties by id.
func (h Hit) compare(other Hit) int {
	x, y := h.ID(), other.ID()
	return cmp.Or(cmp.Compare(h.DistanceM, other.DistanceM), bytes.Compare(x[:], y[:]))
}

// eachShape calls yield with the shapes of some kinds whose boxes come within a distance of a position.
func (s *Snapshot) eachShape(v View, q Near, kinds []string, withinM float64, yield func(Row, feature.Geometry)) {
	only := s.groupsOf(v, q.Collections, q.Categories, kinds)
	box, boxed := geo.Box{South: q.At.Lat(), North: q.At.Lat(), West: q.At.Lng(), East: q.At.Lng()}, withinM == 0
	if withinM > 0 && withinM <= farthestBoxM && !math.IsInf(withinM, 1) {
		if c, err := feature.NewCircle(q.At, withinM); err == nil {
			box, boxed = c.Bounds()
		}
	}
	for _, item := range s.shapes {
		k, i := s.at32(item)
		if k == nil || !only[k.group[i]] {
			continue
		}
		r := s.row(item)
		g := r.Geometry()
		if own, known := g.Bounds(); !known || boxed && !own.Intersects(box) {
			continue
		}
		yield(r, g)
	}
}

// InRing returns the nearest features of the ring of the kinds that are asked for, as Near and NearShapes do.
func (s *Snapshot) InRing(v View, q Near) []Hit {
	var places, shapes []Hit
	if len(q.Kinds) == 0 || slices.Contains(q.Kinds, feature.Place.String()) {
		places = s.Near(v, q)
	}
	kinds := slices.DeleteFunc(slices.Clone(q.Kinds), func(k string) bool { return k == feature.Place.String() })
	if len(kinds) > 0 {
		shapes = s.NearShapes(v, q, kinds)
	}
	all := append(places, shapes...)
	if len(places) > 0 && len(shapes) > 0 {
		slices.SortStableFunc(all, Hit.compare)
	}
	return all[:min(q.Limit, len(all))]
}
