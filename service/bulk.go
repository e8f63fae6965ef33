package service

import (
	"context"
	"errors"
	"fmt"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/service/fault"
	"viandante/store"
)

// maxBulk is how many features one bulk change may touch.
const maxBulk = 10_000

// BulkChange is what is to become of one feature: Feature creates or replaces it, Patch changes it, Delete moves
// it to the bin; one of the three.
type BulkChange struct {
	Collection string
	ID         uuid.UUID
	Feature    *feature.Draft
	Patch      *feature.Patch
	Delete     bool
	// Version is the one that was read; 0 for a feature that is not there yet.
	Version uint64
}

// BulkDone is what a bulk change came to.
type BulkDone struct {
	// No is the change's number, 0 when nothing was to be changed. It is the version of all that was.
	No      uint64   `json:"no"`
	Changed int      `json:"changed"`
	Mended  []string `json:"mended"`
}

// Bulk changes many features under one number: all of them, or none when anything is wrong with one.
func (v *Service) Bulk(ctx context.Context, a Actor, list []BulkChange, once Once) (BulkDone, error) {
	if err := a.MayWrite(); err != nil {
		return BulkDone{}, err
	}
	if len(list) == 0 || len(list) > maxBulk {
		return BulkDone{}, fault.Refuse("changes", fmt.Sprint(len(list)), fmt.Errorf("must be 1 to %d", maxBulk))
	}
	ids := make([]uuid.UUID, len(list))
	seen := make(map[uuid.UUID]bool, len(list))
	for i, b := range list {
		ways := 0
		for _, there := range []bool{b.Feature != nil, b.Patch != nil, b.Delete} {
			if there {
				ways++
			}
		}
		switch at := fmt.Sprintf("changes[%d]", i); {
		case ways != 1:
			return BulkDone{}, fault.Refuse(at, "", errors.New("must have one of feature, patch, and delete: true"))
		case b.ID == uuid.Nil:
			return BulkDone{}, fault.Refuse(at+".id", "", errors.New("is missing: a UUID"))
		case seen[b.ID]:
			return BulkDone{}, fault.Refuse(at+".id", b.ID.String(), errors.New("stands there twice"))
		}
		ids[i], seen[b.ID] = b.ID, true
	}
	var done BulkDone
	if known, err := v.answered(ctx, a, once, &done); known || err != nil {
		return done, err
	}
	for range maxTries {
		done, err := v.bulkOnce(ctx, a, list, ids, once)
		if !errors.Is(err, errMoved) {
			return done, err
		}
	}
	return BulkDone{}, overtaken("these features")
}

// bulkOnce decides on all changes, and makes them unless one of the features was changed meanwhile: that is errMoved.
func (v *Service) bulkOnce(
	ctx context.Context,
	a Actor,
	list []BulkChange,
	ids []uuid.UUID,
	once Once,
) (BulkDone, error) {
	done := BulkDone{Mended: []string{}}
	collections := map[string]*store.Collection{}
	var names []string
	for _, b := range list {
		if collections[b.Collection] != nil {
			continue
		}
		if !a.Sees(b.Collection) {
			return BulkDone{}, fault.Missing("collection " + feature.Clip(b.Collection))
		}
		k, err := v.store.Collection(ctx, a.Workspace, b.Collection)
		if errors.Is(err, store.ErrNotFound) {
			return BulkDone{}, fault.Missing("collection " + feature.Clip(b.Collection))
		} else if err != nil {
			return BulkDone{}, err
		}
		collections[b.Collection] = &k
		names = append(names, b.Collection)
	}
	now, err := v.store.Current(ctx, a.Workspace, ids...)
	if err != nil {
		return BulkDone{}, err
	}
	var write []store.Replacement
	for i, b := range list {
		if ctx.Err() != nil {
			return BulkDone{}, ctx.Err()
		}
		r, mended, err := decide(collections[b.Collection], b.ID, now[b.ID], b.match(), b.maker(ctx))
		if err != nil {
			return BulkDone{}, InBulk(err, i, now[b.ID].Feature)
		}
		if r.After == r.Before {
			continue
		}
		write = append(write, r)
		if mended != nil && len(done.Mended) < 100 {
			for _, m := range mended {
				done.Mended = append(done.Mended, fmt.Sprintf("%s: %s", feature.Clip(r.After.Name), m))
			}
		}
	}
	done.Changed = len(write)
	return perform(
		ctx,
		v,
		a,
		store.Wanted{Collections: names, Features: ids, Once: once},
		func(c *store.Change) (BulkDone, error) {
			versions, err := c.Versions(ids...)
			if err != nil {
				return BulkDone{}, err
			}
			for _, id := range ids {
				if versions[id] != now[id].Version() {
					return BulkDone{}, errMoved
				}
			}
			for id, k := range collections {
				if c.CollectionVersion(id) != k.Version {
					return BulkDone{}, errMoved
				}
			}
			if len(write) > 0 {
				done.No = c.No
			}
			return done, c.WriteAll(write)
		},
	)
}

// match is the condition of one change of many: a version, 0 for what is not there yet.
func (b *BulkChange) match() Match {
	switch {
	case b.Version != 0:
		m := At(b.Version)
		m.exists = b.Feature == nil
		return m
	case b.Feature != nil:
		return Match{New: true}
	}
	return Match{exists: true}
}

func (b *BulkChange) maker(ctx context.Context) maker {
	switch {
	case b.Delete:
		return nil
	case b.Patch != nil:
		return patching(ctx, *b.Patch)
	}
	return replacing(ctx, *b.Feature)
}

// InBulk says which of many changes an error belongs to.
func InBulk(err error, i int, now *feature.Feature) error {
	var refused *fault.Error
	if !errors.As(err, &refused) {
		return err
	}
	e := *refused
	name := ""
	if now != nil {
		name = fmt.Sprintf(" (%q)", feature.Clip(now.Name))
	}
	e.Detail = fmt.Sprintf("change %d%s: %s; nothing was changed", i, name, refused.Detail)
	e.Fields = nil
	for _, f := range refused.Fields {
		f.Field = fmt.Sprintf("changes[%d].%s", i, f.Field)
		e.Fields = append(e.Fields, f)
	}
	return &e
}
