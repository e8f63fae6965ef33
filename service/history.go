package service

import (
	"context"
	"maps"
	"reflect"
	"slices"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geodesy"
	"viandante/service/fault"
	"viandante/store"
)

// Past is one change of a feature.
type Past struct {
	No    uint64
	At    time.Time
	Actor string
	// What is created, changed, moved, deleted or restored.
	What string
	// Changes are the properties that are others, by name.
	Changes []PropertyChange
	// MovedM is by how far the position was moved, in metres, nil where it was not.
	MovedM *float64
	// Feature is what it was after the change, and when deleted before it.
	Feature *feature.Feature
}

// PropertyChange is a property before and after a change, nil where it was not there; that of the name GeometryChange
// holds two feature.Geometry.
type PropertyChange struct {
	Name          string
	Before, After any
}

// GeometryChange is the name of a change of where a feature is.
const GeometryChange = "geometry"

// History returns the changes of a feature, newest first; it goes on when the feature is deleted.
func (v *Service) History(ctx context.Context, a Actor, collection string, id uuid.UUID, limit int) ([]Past, error) {
	if err := a.MayRead(); err != nil {
		return nil, err
	}
	log, err := v.store.History(ctx, a.Workspace, store.Features, id.String(), limit)
	if err != nil {
		return nil, err
	}
	log = slices.DeleteFunc(log, func(l store.Logged) bool { return l.Collection != collection || !a.Sees(collection) })
	if len(log) == 0 {
		return nil, fault.Missing(
			"feature " + id.String() + " in the collection " + feature.Clip(collection) + ", nor ever was",
		)
	}
	out := make([]Past, 0, len(log))
	for i, l := range log {
		before, after := l.Before, l.After
		p := Past{No: l.No, At: l.At, Actor: l.Actor, What: "changed", Feature: after}
		switch {
		case after == nil:
			p.What, p.Feature = "deleted", before
		case before == nil && i < len(log)-1:
			p.What = "restored"
		case before == nil:
			p.What = "created"
		default:
			p.Changes = difference(before, after)
			from, to := before.Geometry.Point(), after.Geometry.Point()
			if before.Kind() == feature.Place && from.IsValid() && to.IsValid() && from != to {
				m := geodesy.Distance(from, to)
				p.MovedM = &m
				if len(p.Changes) == 1 {
					p.What = "moved"
				}
			}
		}
		out = append(out, p)
	}
	return out, nil
}

// difference returns what is another in a feature.
func difference(before, after *feature.Feature) []PropertyChange {
	var out []PropertyChange
	was, is := before.Draft().Properties, after.Draft().Properties
	names := maps.Clone(was)
	maps.Copy(names, is)
	for _, name := range slices.Sorted(maps.Keys(names)) {
		if !reflect.DeepEqual(was[name], is[name]) {
			out = append(out, PropertyChange{name, was[name], is[name]})
		}
	}
	if b, a := before.Draft().Geometry, after.Draft().Geometry; !b.Equal(a) {
		out = append(out, PropertyChange{GeometryChange, b, a})
	}
	return out
}

// Bin returns what was deleted last, newest first. Putting a feature under its id again takes it out.
func (v *Service) Bin(ctx context.Context, a Actor, limit int) ([]store.Binned, error) {
	if err := a.MayRead(); err != nil {
		return nil, err
	}
	rows, err := v.store.Bin(ctx, a.Workspace, limit)
	return slices.DeleteFunc(rows, func(b store.Binned) bool { return !a.Sees(b.Feature.Collection) }), err
}
