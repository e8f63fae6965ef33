package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"viandante/codec/geojson"
	"viandante/core/geodesy"
	"viandante/store"
)

// Past is one change of a feature.
type Past struct {
	No    uint64 `json:"no"`
	At    string `json:"at"`
	Actor string `json:"actor"`
	// What is created, changed, moved, deleted or restored.
	What string `json:"what"`
	// Changes are the properties that are others, by name.
	Changes []PropertyChange `json:"changes"`
	// MovedM is by how far the position was moved, in metres, null where it was not.
	MovedM any `json:"moved_m"`
	// Feature is what it was after the change, and when deleted before it.
	Feature *geojson.Feature `json:"feature"`
}

// PropertyChange is a property before and after a change, null where it was not there.
type PropertyChange struct {
	Name   string `json:"name"`
	Before any    `json:"before"`
	After  any    `json:"after"`
}

// History returns the changes of a feature, newest first; it goes on when the feature is deleted.
func (v *Service) History(ctx context.Context, a Actor, collection string, id uuid.UUID, limit int) ([]Past, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	log, err := v.store.History(ctx, a.Workspace, "features", id.String(), limit)
	if err != nil {
		return nil, err
	}
	log = slices.DeleteFunc(log, func(l store.Logged) bool { return l.Collection != collection })
	if len(log) == 0 {
		return nil, missing("feature " + id.String() + " in the collection " + clip(collection) + ", nor ever was")
	}
	out := make([]Past, 0, len(log))
	for i, l := range log {
		before, err1 := logged(l.Before)
		after, err2 := logged(l.After)
		if err := errors.Join(err1, err2); err != nil {
			return nil, fmt.Errorf("change %d: %w", l.No, err)
		}
		p := Past{No: l.No, At: l.At.Format(time.RFC3339Nano), Actor: l.Actor, What: "changed", Changes: []PropertyChange{}}
		switch {
		case after == nil:
			p.What, p.Feature = "deleted", present(a, before)
		case before == nil && i < len(log)-1:
			p.What = "restored"
		case before == nil:
			p.What = "created"
		}
		if after != nil {
			p.Feature = present(a, after)
		}
		if before != nil && after != nil {
			p.Changes = difference(present(a, before), present(a, after))
			if before.At.IsValid() && after.At.IsValid() && before.At != after.At {
				p.MovedM = geodesy.Distance(before.At, after.At)
				if len(p.Changes) == 1 {
					p.What = "moved"
				}
			}
		}
		out = append(out, p)
	}
	return out, nil
}

func logged(text []byte) (*store.Feature, error) {
	if text == nil {
		return nil, nil
	}
	f := &store.Feature{}
	return f, json.Unmarshal(text, f)
}

// difference returns what is another in a feature, the position as "geometry".
func difference(before, after *geojson.Feature) []PropertyChange {
	out := []PropertyChange{}
	names := map[string]bool{}
	for _, f := range []*geojson.Feature{before, after} {
		for name := range f.Properties {
			names[name] = true
		}
	}
	for name := range names {
		b, a := before.Properties[name], after.Properties[name]
		if name != propVersion && name != propUpdatedAt && name != propCreatedAt && !reflect.DeepEqual(b, a) {
			out = append(out, PropertyChange{name, b, a})
		}
	}
	slices.SortFunc(out, func(x, y PropertyChange) int { return strings.Compare(x.Name, y.Name) })
	if !reflect.DeepEqual(before.Geometry, after.Geometry) {
		out = append(out, PropertyChange{"geometry", before.Geometry, after.Geometry})
	}
	return out
}

// Binned is a feature in the bin.
type Binned struct {
	Feature    *geojson.Feature `json:"feature"`
	Collection string           `json:"collection"`
	DeletedAt  string           `json:"deleted_at"`
}

// Bin returns what was deleted last, newest first. Putting a feature under its id again takes it out.
func (v *Service) Bin(ctx context.Context, a Actor, limit int) ([]Binned, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	rows, err := v.store.Bin(ctx, a.Workspace, limit)
	if err != nil {
		return nil, err
	}
	out := make([]Binned, len(rows))
	for i, r := range rows {
		out[i] = Binned{present(a, r.Feature), r.Feature.Collection, r.DeletedAt.Format(time.RFC3339Nano)}
	}
	return out, nil
}
