package service

import (
	"context"
	"fmt"
	"math"
	"slices"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/tile"
	"viandante/service/catalog"
	"viandante/service/fault"
)

// Neighbour is a feature with the geodesic to it from where somebody asked: to the nearest position of a path or an
// area.
type Neighbour struct {
	catalog.Row
	DistanceM float64
	// BearingDeg is the initial bearing, NaN where it is not defined.
	BearingDeg float64
}

// Nearby returns the features of the ring by distance, and how many there are in all: -1 where there are more than were
// asked for and they were not to be counted, as paths, areas and what lies along a line never are.
func (v *Service) Nearby(ctx context.Context, a Actor, q catalog.Near) ([]Neighbour, int, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, 0, err
	}
	if q.BeyondM > q.WithinM {
		return nil, 0, fault.Refuse("beyond", fmt.Sprint(q.BeyondM),
			fmt.Errorf("is more than within (%v m): the ring runs from beyond to within", q.WithinM))
	}
	limit := q.Limit
	q.Limit++
	found := s.InRing(view, q)
	matched := len(found)
	if matched > limit {
		matched = -1
		places := len(q.Kinds) == 0 || slices.Equal(q.Kinds, []string{feature.Place.String()})
		if q.Count && places && q.At.IsValid() {
			matched = s.CountNear(view, q)
		}
	}
	out := make([]Neighbour, min(len(found), limit))
	var from geodesy.From
	if q.At.IsValid() {
		from = geodesy.NewFrom(q.At)
	}
	for i := range out {
		hit := &found[i]
		if q.At.IsValid() && !hit.Nearest.IsValid() { // a place
			out[i] = Neighbour{hit.Row, hit.DistanceM, from.Bearing(hit.Point(), hit.DistanceM)}
			continue
		}
		start, end := q.At, hit.Nearest
		if !start.IsValid() { // from the nearest position of a line or an area to the place
			start, end = hit.Nearest, hit.Point()
		}
		line := geodesy.Measure(geodesy.Ellipsoid, start, end)
		out[i] = Neighbour{hit.Row, line.DistanceM, line.InitialBearing}
	}
	return out, matched, nil
}

// Containing returns the areas that hold a position.
func (v *Service) Containing(ctx context.Context, a Actor, at geo.Point, collections []string) ([]catalog.Row, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, err
	}
	return s.Holding(view, at, collections), nil
}

// Coverage is whether areas serve a position.
type Coverage struct {
	// Served tells that some area that serves holds the position, and none that excludes.
	Served bool
	// By are the areas that serve and hold it, Excluded those that exclude and hold it.
	By, Excluded []catalog.Row
	// Nearest is the area that serves which comes nearest, where none holds the position; there may be none.
	Nearest []Neighbour
}

// Served tells whether a position is served by the areas of some collections, all of them where none is given, and not
// excluded by those of others.
func (v *Service) Served(ctx context.Context, a Actor, at geo.Point, by, exclude []string) (*Coverage, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, err
	}
	excludes := func(r catalog.Row) bool { return slices.Contains(exclude, r.Collection()) }
	serves := func(r catalog.Row) bool {
		return !excludes(r) && (len(by) == 0 || slices.Contains(by, r.Collection()))
	}
	out := &Coverage{}
	for _, r := range s.Holding(view, at, nil) {
		switch {
		case excludes(r):
			out.Excluded = append(out.Excluded, r)
		case serves(r):
			out.By = append(out.By, r)
		}
	}
	out.Served = len(out.By) > 0 && len(out.Excluded) == 0
	if len(out.By) > 0 {
		return out, nil
	}
	areas := []string{feature.Area.String()}
	near := catalog.Near{At: at, WithinM: math.Inf(1), Collections: by, Limit: 1 + nearestExcluded}
	for _, h := range s.NearShapes(view, near, areas) {
		if serves(h.Row) {
			line := geodesy.Measure(geodesy.Ellipsoid, at, h.Nearest)
			out.Nearest = []Neighbour{{h.Row, line.DistanceM, line.InitialBearing}}
			break
		}
	}
	return out, nil
}

// nearestExcluded is how many areas that exclude are looked past for one that serves.
const nearestExcluded = 500

// Marks returns the places of a tile of the map, those that share a cell together as one mark.
func (v *Service) Marks(
	ctx context.Context,
	a Actor,
	id tile.ID,
	collections, categories []string,
) ([]catalog.Mark, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, err
	}
	if id.Z < 0 || id.Z > catalog.MaxMarkZoom || id.X < 0 || id.Y < 0 || id.X >= 1<<id.Z || id.Y >= 1<<id.Z {
		return nil, fault.Refuse("tile", fmt.Sprintf("%d/%d/%d", id.Z, id.X, id.Y),
			fmt.Errorf("z is from 0 to %d, x and y are from 0 to 2^z - 1", catalog.MaxMarkZoom))
	}
	return s.Marks(view, id, collections, categories), nil
}
