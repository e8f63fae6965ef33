package service

import (
	"context"
	"fmt"

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

// Nearby returns the features of the ring by distance, and whether there are more.
func (v *Service) Nearby(ctx context.Context, a Actor, q catalog.Near) ([]Neighbour, bool, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, false, err
	}
	if q.BeyondM > q.WithinM {
		return nil, false, fault.Refuse("beyond", fmt.Sprint(q.BeyondM),
			fmt.Errorf("is more than within (%v m): the ring runs from beyond to within", q.WithinM))
	}
	limit := q.Limit
	q.Limit++
	found := s.InRing(view, q)
	truncated := len(found) > limit
	out := make([]Neighbour, min(len(found), limit))
	for i := range out {
		at := found[i].Point()
		if found[i].Nearest.IsValid() {
			at = found[i].Nearest
		}
		from, to := q.At, at
		if !from.IsValid() { // from the nearest position of a line or an area to the place
			from, to = at, found[i].Point()
		}
		line := geodesy.Measure(geodesy.Ellipsoid, from, to)
		out[i] = Neighbour{found[i].Row, line.DistanceM, line.InitialBearing}
	}
	return out, truncated, nil
}

// Containing returns the areas that hold a position.
func (v *Service) Containing(ctx context.Context, a Actor, at geo.Point, collections []string) ([]catalog.Row, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, err
	}
	return s.Holding(view, at, collections), nil
}

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
