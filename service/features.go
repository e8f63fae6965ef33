package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"regexp"
	"time"

	"github.com/google/uuid"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/store"
)

// The properties of a feature that have a column of their own; every other one is an attribute.
const (
	propName         = "name"
	propCategory     = "category"
	propElevation    = "elevation_m"
	propAccuracy     = "accuracy_m"
	propSource       = "source"
	propFixedAt      = "fixed_at"
	propAddressTyped = "address_typed"
	propAddressFound = "address_found"
	// propRadius makes an area of a point: all that lies within so many metres of it.
	propRadius = "radius_m"
	// Read only: taken from a feature that was read and written back, and ignored.
	propVersion   = "version"
	propCreatedAt = "created_at"
	propUpdatedAt = "updated_at"
)

// unitSuffix matches the names that computed values have.
var unitSuffix = regexp.MustCompile(`_(m|km|ft|mi|nmi|deg|rad|s|ms|min|h|kmh|mph|mps|m2|km2)$`)

const (
	maxName       = 10_000
	maxAttributes = 200
	maxText       = 100_000
	// In bytes of JSON.
	maxAttributeBytes = 2 << 20
	maxAddressFound   = 60_000
)

// present is the one door out: every feature that leaves the service goes through it.
func present(_ Actor, f *store.Feature) *geojson.Feature {
	props := map[string]any{}
	_ = json.Unmarshal(f.Attributes, &props) // it was marshalled by us
	props[propName] = f.Name
	set := func(name string, value any, ok bool) {
		if ok {
			props[name] = value
		}
	}
	set(propCategory, f.Category, f.Category != "")
	set(propElevation, f.ElevationM, f.ElevationM != nil)
	set(propAccuracy, f.AccuracyM, f.AccuracyM != nil)
	set(propSource, f.Source, f.Source != "")
	set(propFixedAt, f.FixedAt, f.FixedAt != nil)
	set(propAddressTyped, f.AddressTyped, f.AddressTyped != "")
	set(propAddressFound, f.AddressFound, f.AddressFound != nil)
	props[propVersion] = f.Version
	props[propCreatedAt] = f.CreatedAt.Format(time.RFC3339Nano)
	props[propUpdatedAt] = f.UpdatedAt.Format(time.RFC3339Nano)
	out := &geojson.Feature{Type: "Feature", ID: f.ID.String(), Properties: props, Geometry: geojson.Point(f.At)}
	if f.Geometry != nil {
		var kept keptGeometry
		_ = json.Unmarshal(f.Geometry, &kept) // it was marshalled by us
		out.Geometry = &geojson.Geometry{Type: kept.Type, Coordinates: kept.Coordinates}
		if kept.Type == circle {
			out.Geometry.Type = "Point"
			props[propRadius] = kept.RadiusM
		}
	}
	return out
}

// Versioned is a feature with the version that its ETag is made of.
type Versioned struct {
	Feature *geojson.Feature
	Version uint64
	Created bool
}

// Feature returns one feature of a collection.
func (v *Service) Feature(ctx context.Context, a Actor, collection string, id uuid.UUID) (Versioned, error) {
	if err := a.mayRead(); err != nil {
		return Versioned{}, err
	}
	f, err := v.store.Feature(ctx, a.Workspace, collection, id)
	if errors.Is(err, store.ErrUnavailable) { // then as the index has it
		var s *snapshot
		if s, err = v.loaded(a, err); err == nil {
			if f = s.get(id); f == nil || f.Collection != collection {
				err = store.ErrNotFound
			}
		}
	}
	if errors.Is(err, store.ErrNotFound) {
		return Versioned{}, missing("feature " + id.String() + " in the collection " + clip(collection))
	} else if err != nil {
		return Versioned{}, err
	}
	return Versioned{present(a, f), f.Version, false}, nil
}

// Put creates a feature under an id of the caller's, or replaces it. Creating what is already there with the same
// content again is no change, so that a retry after an unknown outcome doubles nothing.
func (v *Service) Put(
	ctx context.Context, a Actor, collection string, id uuid.UUID, in *geojson.Feature, match Match,
) (Versioned, error) {
	return v.write(ctx, a, collection, id, match, func(before *store.Feature, schema store.Attributes) (*store.Feature, []string, error) {
		return replaced(ctx, collection, id, in, before, schema)
	})
}

// replaced is what a feature from outside becomes in the place of what was there.
func replaced(
	ctx context.Context, collection string, id uuid.UUID, in *geojson.Feature, before *store.Feature, schema store.Attributes,
) (*store.Feature, []string, error) {
	f := &store.Feature{ID: id, Collection: collection}
	mended, err := accept(ctx, in, schema, f)
	if before != nil {
		f.CreatedAt = before.CreatedAt
	}
	return f, mended, err
}

// Patch changes a feature by a JSON merge patch (RFC 7396) on its GeoJSON.
func (v *Service) Patch(
	ctx context.Context, a Actor, collection string, id uuid.UUID, patch map[string]any, match Match,
) (Versioned, error) {
	if match.New {
		return Versioned{}, &Error{Kind: Invalid, Detail: "a merge patch changes what is there; create with PUT"}
	}
	match.exists = true
	return v.write(ctx, a, collection, id, match, func(before *store.Feature, schema store.Attributes) (*store.Feature, []string, error) {
		return patched(ctx, a, before, schema, patch)
	})
}

// patched is a feature after a merge patch on its GeoJSON.
func patched(
	ctx context.Context, a Actor, before *store.Feature, schema store.Attributes, patch map[string]any,
) (*store.Feature, []string, error) {
	f := *before
	whole := map[string]any{}
	text, err := json.Marshal(present(a, before))
	if err != nil {
		return nil, nil, err
	}
	if err := json.Unmarshal(text, &whole); err != nil {
		return nil, nil, err
	}
	text, err = json.Marshal(mergePatch(whole, patch))
	if err != nil {
		return nil, nil, err
	}
	var in geojson.Feature
	if err := json.Unmarshal(text, &in); err != nil {
		return nil, nil, Refuse("body", "", fmt.Errorf("does not leave a feature: %w", err))
	}
	f.Name, f.Category, f.ElevationM, f.AccuracyM, f.Source, f.FixedAt, f.AddressTyped, f.AddressFound = "", "", nil, nil, "", nil, "", nil
	mended, err := accept(ctx, &in, schema, &f)
	return &f, mended, err
}

// mergePatch is RFC 7396, except that a geometry is replaced as a whole: half of one is none.
func mergePatch(target, patch map[string]any) map[string]any {
	for k, value := range patch {
		inner, isObject := value.(map[string]any)
		switch {
		case value == nil && k != "geometry":
			delete(target, k)
		case isObject && k != "geometry":
			old, _ := target[k].(map[string]any)
			if old == nil {
				old = map[string]any{}
			}
			target[k] = mergePatch(old, inner)
		default:
			target[k] = value
		}
	}
	return target
}

// Post creates a feature under an id made here.
func (v *Service) Post(ctx context.Context, a Actor, collection string, in *geojson.Feature, once store.Once) (Versioned, error) {
	id, err := uuid.NewV7()
	if err != nil {
		return Versioned{}, err
	}
	return v.Put(ctx, a, collection, id, in, Match{New: true, Once: once})
}

// Delete moves a feature to the bin. Doing so again with the version that went there is no error.
func (v *Service) Delete(ctx context.Context, a Actor, collection string, id uuid.UUID, match Match) error {
	match.exists = true
	_, err := v.write(ctx, a, collection, id, match, nil)
	return v.unlessDeletedBefore(ctx, a, "features", id.String(), match, err)
}

// maker returns what a feature is to be, and what was put right on the way.
type maker func(before *store.Feature, schema store.Attributes) (*store.Feature, []string, error)

// write changes one feature; without a maker it is deleted. What it comes to is decided before anything is locked, from
// what is at hand in memory where nothing speaks against it, else from the database; the lock is held for the exchange
// with the database only, in which the feature is looked at again by its version.
func (v *Service) write(ctx context.Context, a Actor, collection string, id uuid.UUID, match Match, make maker) (Versioned, error) {
	if err := a.mayWrite(); err != nil {
		return Versioned{}, err
	}
	if id == uuid.Nil {
		return Versioned{}, Refuse("id", id.String(), errors.New("is the UUID of zeros, which stands for no id"))
	}
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return Versioned{}, err
	}
	if out, ok, err := v.writeNext(ctx, a, x, collection, id, match, make); ok || err != nil {
		return out, err
	}
	var out Versioned
	if known, err := v.answered(ctx, a, match.Once, &out); known || err != nil {
		return out, err
	}
	for range maxTries {
		k, err := v.store.Collection(ctx, a.Workspace, collection)
		if errors.Is(err, store.ErrNotFound) {
			return Versioned{}, missing("collection " + clip(collection))
		} else if err != nil {
			return Versioned{}, err
		}
		current, err := v.store.Current(ctx, a.Workspace, id)
		if err != nil {
			return Versioned{}, err
		}
		now := current[id]
		r, mended, err := decide(a, &k, id, now, match, make)
		if err != nil {
			return Versioned{}, err
		}
		want := store.Wanted{Collections: []string{collection}, Features: []uuid.UUID{id}, Once: match.Once}
		if r.After == r.Before && match.Once.Key == "" {
			return written(a, r, nil), nil
		}
		out, err := perform(ctx, v, a, want, func(c *store.Change) (Versioned, error) {
			versions, err := c.Versions(id)
			if err != nil {
				return Versioned{}, err
			}
			if versions[id] != now.Version() || c.CollectionVersion(collection) != k.Version {
				return Versioned{}, errMoved
			}
			if r.After != r.Before {
				err = c.WriteAll([]store.Replacement{r})
			}
			return written(a, r, mended), err
		})
		if !errors.Is(err, errMoved) {
			return out, err
		}
	}
	return Versioned{}, overtaken("the feature " + id.String())
}

// written is the answer to a change of one feature.
func written(a Actor, r store.Replacement, mended []string) Versioned {
	if r.After == nil {
		return Versioned{}
	}
	out := Versioned{present(a, r.After), r.After.Version, r.Before == nil}
	out.Feature.Mended = mended
	return out
}

// writeNext makes a change as the one after all that the index knows, in one exchange with the database. It returns false,
// and has changed nothing, when somebody else was there in between or when anything is to be refused.
func (v *Service) writeNext(
	ctx context.Context, a Actor, x *index, collection string, id uuid.UUID, match Match, make maker,
) (out Versioned, ok bool, err error) {
	s := x.now.Load()
	k, before := s.collections[collection], s.get(id)
	if k == nil {
		return Versioned{}, false, nil
	}
	r, mended, err := decide(a, k, id, store.Now{Feature: before}, match, make)
	if err != nil || r.After == r.Before {
		return Versioned{}, false, nil // the database has the last word on that
	}
	if err := x.lock(ctx); err != nil {
		return Versioned{}, false, err
	}
	defer x.unlock()
	s = x.now.Load()
	if s.collections[collection] != k || s.get(id) != before {
		return Versioned{}, false, nil
	}
	done, ok, err := v.store.Next(ctx, a.Workspace, a.Name, s.no, r, match.Once, func() ([]byte, error) {
		return json.Marshal(written(a, r, mended))
	})
	switch {
	case errors.Is(err, store.ErrUnavailable) || errors.Is(err, store.ErrBusy) || ctx.Err() != nil && err != nil:
		return Versioned{}, false, err // whether it was made nobody knows, so that it is not tried a second time here
	case err != nil || !ok:
		return Versioned{}, false, nil
	}
	return written(a, r, mended), true, x.take(ctx, done)
}

// decide holds a change of one feature to its condition and returns what is to be written. What stays as it is comes back
// as its own replacement.
func decide(
	a Actor, k *store.Collection, id uuid.UUID, now store.Now, match Match, make maker,
) (r store.Replacement, mended []string, err error) {
	there := now.Feature
	if there != nil && there.Collection != k.ID {
		return r, nil, &Error{Kind: Conflict, Detail: "this id belongs to a feature of the collection " + there.Collection}
	}
	version, what := uint64(0), "feature "+id.String()+" in the collection "+k.ID
	if now.Deleted {
		there = nil
	} else if there != nil {
		version = there.Version
	}
	refused := match.hold(what, version, func() any { return present(a, there) })
	if refused != nil && !(there != nil && make != nil && match.creates()) {
		return r, nil, refused
	}
	r.Before = there
	if make != nil {
		if r.After, mended, err = make(there, k.Attributes); err != nil {
			return r, nil, err
		}
		if there != nil && same(there, r.After) {
			r.After = there
			return r, nil, nil
		}
	}
	return r, mended, refused
}

// taken makes sure that a change is in this process's index before it is answered.
func (v *Service) taken(ctx context.Context, workspace uuid.UUID, done store.Committed) error {
	if done.No == 0 {
		return nil
	}
	x, err := v.index(ctx, workspace)
	if err != nil {
		return err
	}
	return x.take(ctx, done)
}

// same tells whether two features differ in nothing but version and times.
func same(a, b *store.Feature) bool {
	x, y := *a, *b
	y.At = y.At.Rounded()
	x.Version, x.CreatedAt, x.UpdatedAt = y.Version, y.CreatedAt, y.UpdatedAt
	p, err1 := json.Marshal(&x)
	q, err2 := json.Marshal(&y)
	return err1 == nil && err2 == nil && string(p) == string(q)
}

// List returns a page of a collection, and the id to go on after, or the nil id at the end.
func (v *Service) List(ctx context.Context, a Actor, filter store.Filter) ([]*geojson.Feature, uuid.UUID, error) {
	if err := a.mayRead(); err != nil {
		return nil, uuid.Nil, err
	}
	limit := filter.Limit
	filter.Limit++
	rows, err := v.store.List(ctx, a.Workspace, filter)
	if err != nil {
		return nil, uuid.Nil, err
	}
	next := uuid.Nil
	if len(rows) > limit {
		rows = rows[:limit]
		next = rows[limit-1].ID
	}
	out := make([]*geojson.Feature, len(rows))
	for i, f := range rows {
		out[i] = present(a, f)
	}
	return out, next, nil
}

// Nearby is a question for the places around a position.
type Nearby struct {
	At               geo.Point
	BeyondM, WithinM float64 // +Inf for no bound
	Collections      []string
	Categories       []string
	Limit            int
}

// Nearby returns the places of the ring by distance, each with distance_m and bearing_deg, and whether there are more.
func (v *Service) Nearby(ctx context.Context, a Actor, q Nearby) ([]*geojson.Feature, bool, error) {
	if err := a.mayRead(); err != nil {
		return nil, false, err
	}
	if q.BeyondM > q.WithinM {
		return nil, false, Refuse("beyond", fmt.Sprint(q.BeyondM), fmt.Errorf("is more than within (%v m): the ring runs from beyond to within", q.WithinM))
	}
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return nil, false, err
	}
	has := func(list []string, value string) bool {
		for _, one := range list {
			if one == value {
				return true
			}
		}
		return len(list) == 0
	}
	found := x.now.Load().nearest(q.At, q.BeyondM, q.WithinM, q.Limit+1, func(f *store.Feature) bool {
		return has(q.Collections, f.Collection) && has(q.Categories, f.Category)
	})
	truncated := len(found) > q.Limit
	out := make([]*geojson.Feature, 0, min(len(found), q.Limit))
	for _, n := range found[:min(len(found), q.Limit)] {
		f := present(a, n.feature)
		line := geodesy.Measure(geodesy.Ellipsoid, q.At, n.feature.At)
		f.Properties["distance_m"] = line.DistanceM
		f.Properties["bearing_deg"] = Defined(line.InitialBearing)
		f.Properties["collection"] = n.feature.Collection
		out = append(out, f)
	}
	return out, truncated, nil
}

// Defined returns nil for what is not defined, so that it leaves as null.
func Defined(v float64) any {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return v
}
