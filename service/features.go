package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geodesy"
	"viandante/core/tile"
	"viandante/service/catalog"
	"viandante/service/fault"
	"viandante/store"
)

// Versioned is a feature with the version that its ETag is made of.
type Versioned struct {
	Feature *feature.Feature
	Version uint64
	Created bool
	// Mended is what was put right on the way in.
	Mended []string
}

// versionedText is how an answer is kept for a request that comes again.
type versionedText struct {
	Feature json.RawMessage
	Version uint64
	Created bool
	Mended  []string
}

// MarshalJSON writes the answer as it is kept.
func (v Versioned) MarshalJSON() ([]byte, error) {
	out := versionedText{Version: v.Version, Created: v.Created, Mended: v.Mended}
	if v.Feature != nil {
		var err error
		if out.Feature, err = store.MarshalFeature(v.Feature); err != nil {
			return nil, err
		}
	}
	return json.Marshal(out)
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (v *Versioned) UnmarshalJSON(text []byte) error {
	var in versionedText
	if err := json.Unmarshal(text, &in); err != nil {
		return err
	}
	*v = Versioned{Version: in.Version, Created: in.Created, Mended: in.Mended}
	if len(in.Feature) == 0 || string(in.Feature) == "null" {
		return nil
	}
	var err error
	v.Feature, err = store.UnmarshalFeature(in.Feature)
	return err
}

func noFeature(collection string, id uuid.UUID) *fault.Error {
	return fault.Missing("feature " + id.String() + " in the collection " + feature.Clip(collection))
}

// Feature returns one feature of a collection.
func (v *Service) Feature(ctx context.Context, a Actor, collection string, id uuid.UUID) (Versioned, error) {
	if err := a.MayRead(); err != nil {
		return Versioned{}, err
	}
	if !a.Sees(collection) {
		return Versioned{}, noFeature(collection, id)
	}
	f, err := v.store.Feature(ctx, a.Workspace, collection, id)
	if errors.Is(err, store.ErrUnavailable) { // then as memory has it
		var s *catalog.Snapshot
		if s, err = v.inMemory(a, err); err == nil {
			if row, ok := s.Get(view(a), id); ok && row.Collection() == collection {
				f, err = row.Feature()
			} else {
				err = store.ErrNotFound
			}
		}
	}
	if errors.Is(err, store.ErrNotFound) {
		return Versioned{}, noFeature(collection, id)
	} else if err != nil {
		return Versioned{}, err
	}
	return Versioned{Feature: f, Version: f.Version}, nil
}

// Put creates a feature under an id of the caller's, or replaces it. Creating what is already there with the same
// content again is no change, so that a retry after an unknown outcome doubles nothing.
func (v *Service) Put(
	ctx context.Context, a Actor, collection string, id uuid.UUID, in feature.Draft, match Match,
) (Versioned, error) {
	return v.write(ctx, a, collection, id, match, replacing(ctx, in))
}

// replacing makes of a draft what takes the place of what was there.
func replacing(ctx context.Context, in feature.Draft) maker {
	return func(_ *feature.Feature, schema feature.Schema) (*feature.Feature, []string, error) {
		return in.Accept(ctx, schema)
	}
}

// Patch changes a feature as it is stored, whatever of it the actor was shown.
func (v *Service) Patch(
	ctx context.Context, a Actor, collection string, id uuid.UUID, patch feature.Patch, match Match,
) (Versioned, error) {
	if match.New {
		return Versioned{}, fault.New(fault.Invalid, "a merge patch changes what is there; create with PUT")
	}
	match.exists = true
	return v.write(ctx, a, collection, id, match, patching(ctx, patch))
}

func patching(ctx context.Context, patch feature.Patch) maker {
	return func(before *feature.Feature, schema feature.Schema) (*feature.Feature, []string, error) {
		return before.Draft().With(patch).Accept(ctx, schema)
	}
}

// Post creates a feature under an id made here.
func (v *Service) Post(ctx context.Context, a Actor, collection string, in feature.Draft, once Once) (Versioned, error) {
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
	return v.unlessDeletedBefore(ctx, a, store.Features, id.String(), match, err)
}

// maker returns what a feature is to be, and what was put right on the way.
type maker func(before *feature.Feature, schema feature.Schema) (*feature.Feature, []string, error)

// write changes one feature; without a maker it is deleted. What it comes to is decided before anything is locked, from
// what is at hand in memory where nothing speaks against it, else from the database; the lock is held for the exchange
// with the database only, in which the feature is looked at again by its version.
func (v *Service) write(ctx context.Context, a Actor, collection string, id uuid.UUID, match Match, make maker) (Versioned, error) {
	if err := a.MayWrite(); err != nil {
		return Versioned{}, err
	}
	if id == uuid.Nil {
		return Versioned{}, fault.Refuse("id", id.String(), errors.New("is the UUID of zeros, which stands for no id"))
	}
	if !a.Sees(collection) {
		return Versioned{}, fault.Missing("collection " + feature.Clip(collection))
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return Versioned{}, err
	}
	if out, ok, err := v.writeNext(ctx, a, h, collection, id, match, make); ok || err != nil {
		return out, err
	}
	var out Versioned
	if known, err := v.answered(ctx, a, match.Once, &out); known || err != nil {
		return out, err
	}
	for range maxTries {
		out, err := v.writeOnce(ctx, a, collection, id, match, make)
		if !errors.Is(err, errMoved) {
			return out, err
		}
	}
	return Versioned{}, overtaken("the feature " + id.String())
}

// writeOnce decides on a change by what the database has, and makes it unless that was changed meanwhile: then it returns
// errMoved.
func (v *Service) writeOnce(
	ctx context.Context, a Actor, collection string, id uuid.UUID, match Match, make maker,
) (Versioned, error) {
	k, err := v.store.Collection(ctx, a.Workspace, collection)
	if errors.Is(err, store.ErrNotFound) {
		return Versioned{}, fault.Missing("collection " + feature.Clip(collection))
	} else if err != nil {
		return Versioned{}, err
	}
	current, err := v.store.Current(ctx, a.Workspace, id)
	if err != nil {
		return Versioned{}, err
	}
	now := current[id]
	r, mended, err := decide(&k, id, now, match, make)
	if err != nil {
		return Versioned{}, err
	}
	if r.After == r.Before && match.Once.Key == "" {
		return written(r, nil), nil
	}
	want := store.Wanted{Collections: []string{collection}, Features: []uuid.UUID{id}, Once: match.Once}
	return perform(ctx, v, a, want, func(c *store.Change) (Versioned, error) {
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
		return written(r, mended), err
	})
}

// written is the answer to a change of one feature.
func written(r store.Replacement, mended []string) Versioned {
	if r.After == nil {
		return Versioned{}
	}
	return Versioned{r.After, r.After.Version, r.Before == nil, mended}
}

// writeNext makes a change as the one after all that the catalog knows, in one exchange with the database. It returns
// false, and has changed nothing, when somebody else was there in between or when anything is to be refused.
func (v *Service) writeNext(
	ctx context.Context, a Actor, h *house, collection string, id uuid.UUID, match Match, make maker,
) (out Versioned, ok bool, err error) {
	s := h.catalog.Now()
	k := s.Collection(collection)
	if k == nil {
		return Versioned{}, false, nil
	}
	var before *feature.Feature
	row, there := s.Get(catalog.Everything(), id)
	if there {
		if before, err = row.Feature(); err != nil {
			return Versioned{}, false, err
		}
	}
	r, mended, err := decide(k, id, store.Now{Feature: before}, match, make)
	if err != nil || r.After == r.Before {
		return Versioned{}, false, nil // the database has the last word on that
	}
	if err := h.lock(ctx); err != nil {
		return Versioned{}, false, err
	}
	defer h.unlock()
	s = h.catalog.Now()
	now, still := s.Get(catalog.Everything(), id)
	if s.Collection(collection) != k || still != there || there && now.Version() != before.Version {
		return Versioned{}, false, nil
	}
	done, ok, err := v.store.Next(ctx, a.Workspace, a.Store(), s.No(), r, match.Once, func() ([]byte, error) {
		return json.Marshal(written(r, mended))
	})
	switch {
	case errors.Is(err, store.ErrUnavailable) || errors.Is(err, store.ErrBusy) || ctx.Err() != nil && err != nil:
		return Versioned{}, false, err // whether it was made nobody knows, so that it is not tried a second time here
	case err != nil || !ok:
		return Versioned{}, false, nil
	}
	return written(r, mended), true, h.channel.Wrote(ctx, done)
}

// decide holds a change of one feature to its condition and returns what is to be written. What stays as it is comes back
// as its own replacement.
func decide(
	k *Collection, id uuid.UUID, now store.Now, match Match, make maker,
) (r store.Replacement, mended []string, err error) {
	there := now.Feature
	if there != nil && there.Collection != k.ID {
		return r, nil, fault.New(fault.Conflict, "this id belongs to a feature of the collection %s", there.Collection)
	}
	version, what := uint64(0), "feature "+id.String()+" in the collection "+k.ID
	if now.Deleted {
		there = nil
	} else if there != nil {
		version = there.Version
	}
	refused := match.hold(what, version, func() any { return there })
	if refused != nil && !(there != nil && make != nil && match.creates()) {
		return r, nil, refused
	}
	r.Before = there
	if make != nil {
		if r.After, mended, err = make(there, k.Attributes); err != nil {
			return r, nil, fault.Of(err)
		}
		r.After.ID, r.After.Collection = id, k.ID
		if there != nil {
			r.After.CreatedAt = there.CreatedAt
			if r.After.SameContent(there) {
				r.After = there
				return r, nil, nil
			}
		}
	}
	return r, mended, refused
}

// List returns a page of a collection by the ids of its features, and the id to go on after, or the nil id at the end.
func (v *Service) List(ctx context.Context, a Actor, q catalog.Page) ([]catalog.Row, uuid.UUID, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, uuid.Nil, err
	}
	limit := q.Limit
	q.Limit++
	rows := s.Page(view, q)
	if len(rows) <= limit {
		return rows, uuid.Nil, nil
	}
	return rows[:limit], rows[limit-1].ID(), nil
}

// Rows returns a part of a list, and how long the whole of it is.
func (v *Service) Rows(ctx context.Context, a Actor, q catalog.List) ([]catalog.Row, int, error) {
	if _, _, err := v.reading(ctx, a); err != nil {
		return nil, 0, err
	}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return nil, 0, err
	}
	rows, total := h.catalog.List(view(a), q)
	return rows, total, nil
}

// Counts returns how many features each collection has.
func (v *Service) Counts(ctx context.Context, a Actor) (map[string]int, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, err
	}
	return s.Counts(view), nil
}

// Neighbour is a place with the geodesic to it from where somebody asked.
type Neighbour struct {
	catalog.Row
	DistanceM float64
	// BearingDeg is the initial bearing, NaN where it is not defined.
	BearingDeg float64
}

// Nearby returns the places of the ring by distance, and whether there are more.
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
	found := s.Near(view, q)
	truncated := len(found) > limit
	out := make([]Neighbour, min(len(found), limit))
	for i := range out {
		line := geodesy.Measure(geodesy.Ellipsoid, q.At, found[i].Point())
		out[i] = Neighbour{found[i].Row, line.DistanceM, line.InitialBearing}
	}
	return out, truncated, nil
}

// Marks returns the places of a tile of the map, those that share a cell together as one mark.
func (v *Service) Marks(ctx context.Context, a Actor, id tile.ID, collections, categories []string) ([]catalog.Mark, error) {
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
