package service

import (
	"cmp"
	"context"
	"math"
	"slices"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/watch"
	"viandante/service/catalog"
	"viandante/service/fault"
	"viandante/service/lookout"
	"viandante/service/party"
	"viandante/store"
)

// Watch is a standing query.
type Watch = lookout.Definition

const (
	mostWatches = 20_000
	mostInside  = 1000
)

var watchKind = kind[Watch]{topic: store.Watches, name: "watch", most: mostWatches, check: checkWatch}

func checkWatch(ctx context.Context, v *Service, a Actor, w *Watch) error {
	if err := checkName(&w.Name); err != nil {
		return err
	}
	if w.HysteresisM == nil {
		margin := lookout.DefaultHysteresisM
		w.HysteresisM = &margin
	}
	if _, err := w.Watch(uuid.Nil); err != nil {
		return err
	}
	if w.Follows == nil {
		return nil
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return err
	}
	if _, known := h.room.Member(*w.Follows); !known {
		return fault.Refuse("follows", w.Follows.String(), &geo.ParseError{Reason: "is nobody in a party",
			Hint: "the id of a member; he need not have a position yet"})
	}
	return nil
}

// Watches returns those that are kept.
func (v *Service) Watches(ctx context.Context, a Actor) ([]Kept[Watch], error) {
	return list(ctx, v, a, watchKind)
}

// Watch returns one of them.
func (v *Service) Watch(ctx context.Context, a Actor, id uuid.UUID) (Kept[Watch], error) {
	return one(ctx, v, a, watchKind, id)
}

// PutWatch saves a watch. It begins at once; what is inside then is no event.
func (v *Service) PutWatch(
	ctx context.Context, a Actor, id uuid.UUID, body Watch, match Match,
) (Kept[Watch], bool, error) {
	return put(ctx, v, a, watchKind, id, body, match)
}

// DeleteWatch ends one.
func (v *Service) DeleteWatch(ctx context.Context, a Actor, id uuid.UUID, match Match) error {
	return drop(ctx, v, a, watchKind, id, match)
}

// Inside is somebody or something in a watch, with the distance from its centre in metres, NaN where there is none.
type Inside struct {
	watch.Thing
	DistanceM float64
}

// Inside returns what is in a watch now: people and, where its centre moves, places by the rule at the edge. truncated
// tells that there is more.
func (v *Service) Inside(ctx context.Context, a Actor, id uuid.UUID) (out []Inside, truncated bool, err error) {
	k, err := v.Watch(ctx, a, id)
	if err != nil {
		return nil, false, err
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return nil, false, err
	}
	w, err := k.Body.Watch(id)
	if err != nil {
		return nil, false, err
	}
	held, err := v.store.Watched(ctx, a.Workspace)
	if err != nil {
		return nil, false, err
	}
	centre := w.Centre
	if !w.IsFixed() {
		m, _ := h.room.Member(w.Follows)
		centre = m.Last.At
	}
	add := func(t watch.Thing) {
		i := Inside{t, math.NaN()}
		if centre.IsValid() && t.At.IsValid() {
			i.DistanceM = geodesy.Distance(centre, t.At)
		}
		out = append(out, i)
	}
	snapshot, view := h.catalog.Now(), view(a)
	for _, one := range held[id] {
		if row, ok := snapshot.Get(view, one.Thing); one.Place && ok {
			add(lookout.ThingOfRow(row))
		} else if m, ok := h.room.Member(one.Thing); ok && !one.Place {
			add(party.Thing(&m))
		}
	}
	if w.IsFixed() && w.Places {
		for _, row := range placesInside(snapshot, view, &w, mostInside+1) {
			add(lookout.ThingOfRow(row))
		}
	}
	slices.SortStableFunc(out, func(a, b Inside) int { return cmp.Compare(a.DistanceM, b.DistanceM) })
	if len(out) > mostInside {
		return out[:mostInside], true, nil
	}
	return out, false, nil
}

// placesInside returns places of a fixed watch, the nearest first: of an area those nearest to its middle.
func placesInside(s *catalog.Snapshot, v catalog.View, w *watch.Watch, limit int) (out []catalog.Row) {
	q := catalog.Near{At: w.Centre, BeyondM: w.BeyondM, WithinM: w.WithinM, Collections: w.Collections,
		Categories: w.Categories, Limit: limit}
	if w.Area.IsKnown() {
		box := w.Box(geo.Point{})
		q.At = box.Middle()
		for _, lat := range []float64{box.South, box.North} {
			for _, lng := range []float64{box.West, box.East} {
				q.WithinM = max(q.WithinM, 1.01*geodesy.Distance(q.At, geo.MustPoint(lat, lng)))
			}
		}
		q.Limit = maxInBox
	}
	for _, hit := range s.Near(v, q) {
		if w.Area.IsKnown() && !w.Area.Contains(hit.Point()) {
			continue
		}
		if hit.Kind() == feature.Place && len(out) < limit {
			out = append(out, hit.Row)
		}
	}
	return out
}

// maxInBox is how many places round the middle of an area are looked at.
const maxInBox = 100_000

// Sighting is an event of a watch.
type Sighting = lookout.Sighting

// SeesSighting tells whether an event is in an actor's view.
func SeesSighting(a Actor, s *Sighting) bool {
	return !a.IsMember() && (!s.Thing.Place && !a.IsLimited() || s.Thing.Place && a.Sees(s.Thing.Group))
}

// Sightings returns events after a number, the oldest first, or without a number the last ones; of one watch where that
// is given. last is the number of the last event there is.
func (v *Service) Sightings(
	ctx context.Context, a Actor, since *uint64, only uuid.UUID, limit int,
) (events []Sighting, last uint64, err error) {
	if err := a.MayRead(); err != nil {
		return nil, 0, err
	}
	first, last, err := v.store.SightingNos(ctx, a.Workspace)
	if err != nil {
		return nil, 0, err
	}
	if since == nil {
		events, err = v.store.LastSightings(ctx, a.Workspace, only, limit)
		slices.Reverse(events)
	} else if err = lookout.StillKept(*since, first, last); err == nil {
		events, err = v.store.Sightings(ctx, a.Workspace, *since, only, limit)
	}
	return slices.DeleteFunc(events, func(s Sighting) bool { return !SeesSighting(a, &s) }), last, err
}

// FollowSightings follows the events of an actor's workspace: see lookout.Follower.
func (v *Service) FollowSightings(ctx context.Context, a Actor, since *uint64) (*lookout.Follower, error) {
	if err := a.MayRead(); err != nil {
		return nil, err
	}
	if a.IsMember() {
		return nil, errGuest
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return nil, err
	}
	return h.lookout.Follow(ctx, since)
}

var errGuest error = fault.New(fault.Forbidden, "whoever was invited to a party sees that party only")
