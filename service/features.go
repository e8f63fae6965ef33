package service

import (
	"context"
	"errors"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/service/catalog"
	"viandante/service/fault"
	"viandante/store"
)

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
func (v *Service) Post(
	ctx context.Context,
	a Actor,
	collection string,
	in feature.Draft,
	once Once,
) (Versioned, error) {
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
