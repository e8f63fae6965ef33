package service

import (
	"context"
	"errors"
	"slices"
	"strings"

	"viandante/core/feature"
	"viandante/core/tabular"
	"viandante/service/fault"
	"viandante/store"
)

// Exported is what an export writes: a collection, and the columns that its features need.
type Exported struct {
	Collection Collection
	// Columns are the attributes that the features have, those of the schema first.
	Columns []string
}

// Export returns a collection with all attributes that occur in it, and a function that yields its features.
func (v *Service) Export(ctx context.Context, a Actor, collection string) (
	Exported, func(yield func(*feature.Feature) error) error, error,
) {
	if err := a.MayRead(); err != nil {
		return Exported{}, nil, err
	}
	k, err := v.store.Collection(ctx, a.Workspace, collection)
	if errors.Is(err, store.ErrNotFound) || err == nil && !a.Sees(collection) {
		return Exported{}, nil, fault.Missing("collection " + feature.Clip(collection))
	} else if err != nil {
		return Exported{}, nil, err
	}
	out := Exported{Collection: k}
	for _, f := range k.Attributes {
		out.Columns = append(out.Columns, f.Name)
	}
	var free []string
	seen := map[string]bool{}
	for _, name := range out.Columns {
		seen[name] = true
	}
	each := func(yield func(*feature.Feature) error) error {
		return v.store.InCollection(ctx, a.Workspace, collection, yield)
	}
	err = each(func(f *feature.Feature) error {
		for name := range f.Attributes.All() {
			if !seen[name] && len(free) < 1000 {
				seen[name] = true
				free = append(free, strings.Clone(name))
			}
		}
		return nil
	})
	slices.Sort(free)
	out.Columns = append(out.Columns, free...)
	return out, each, err
}

// GuessMapping says what the columns of a file seem to hold, in the terms of a collection where it is there. rest tells
// that there may be more of them than were seen.
func (v *Service) GuessMapping(
	ctx context.Context, a Actor, collection string, columns []string, sample []tabular.Row, rest bool,
) (tabular.Mapping, error) {
	k, err := v.store.Collection(ctx, a.Workspace, collection)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return tabular.Mapping{}, err
	}
	m := tabular.Guess(columns, sample, k.Attributes)
	m.Rest = rest
	return m, nil
}
