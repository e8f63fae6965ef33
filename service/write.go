package service

import (
	"context"
	"encoding/json"
	"errors"

	"github.com/google/uuid"

	"viandante/core/feature"
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

// maker returns what a feature is to be, and what was put right on the way.
type maker func(before *feature.Feature, schema feature.Schema) (*feature.Feature, []string, error)

// write changes one feature; without a maker it is deleted. What it comes to is decided before anything is locked, from
// what is at hand in memory where nothing speaks against it, else from the database; the lock is held for the exchange
// with the database only, in which the feature is looked at again by its version.
func (v *Service) write(
	ctx context.Context,
	a Actor,
	collection string,
	id uuid.UUID,
	match Match,
	make maker,
) (Versioned, error) {
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

// writeOnce decides on a change by what the database has, and makes it unless that was changed meanwhile: then it
// returns errMoved.
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

// decide holds a change of one feature to its condition and returns what is to be written. What stays as it is comes
// back as its own replacement.
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
