package service

import (
	"context"
	"errors"
	"fmt"

	"github.com/google/uuid"

	"viandante/codec/geojson"
	"viandante/store"
)

// maxBulk is how many features one bulk change may touch.
const maxBulk = 10_000

// BulkChange is what is to become of one feature: Feature creates or replaces it, Patch changes it (RFC 7396), Delete moves
// it to the bin; one of the three.
type BulkChange struct {
	Collection string           `json:"collection"`
	ID         uuid.UUID        `json:"id"`
	Feature    *geojson.Feature `json:"feature"`
	Patch      map[string]any   `json:"patch"`
	Delete     bool             `json:"delete"`
	// Version is the one that was read; 0 for a feature that is not there yet.
	Version uint64 `json:"version"`
}

// BulkDone is what a bulk change came to.
type BulkDone struct {
	// No is the change's number, 0 when nothing was to be changed. It is the version of all that was.
	No      uint64   `json:"no"`
	Changed int      `json:"changed"`
	Mended  []string `json:"mended"`
}

// Bulk changes many features under one number: all of them, or none when anything is wrong with one.
func (v *Service) Bulk(ctx context.Context, a Actor, list []BulkChange) (BulkDone, error) {
	if err := a.mayWrite(); err != nil {
		return BulkDone{}, err
	}
	if len(list) == 0 || len(list) > maxBulk {
		return BulkDone{}, Refuse("changes", fmt.Sprint(len(list)), fmt.Errorf("must be 1 to %d", maxBulk))
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
			return BulkDone{}, Refuse(at, "", errors.New("must have one of feature, patch, and delete: true"))
		case b.ID == uuid.Nil:
			return BulkDone{}, Refuse(at+".id", "", errors.New("is missing: a UUID"))
		case seen[b.ID]:
			return BulkDone{}, Refuse(at+".id", b.ID.String(), errors.New("stands there twice"))
		}
		ids[i], seen[b.ID] = b.ID, true
	}
	var done BulkDone
	committed, err := v.store.ChangeOf(ctx, a.Workspace, a.Name, store.Wanted{}, func(c *store.Change) error {
		done = BulkDone{Mended: []string{}}
		collections := map[string]*store.Collection{}
		now, err := c.Current(ctx, ids...)
		if err != nil {
			return err
		}
		var write []store.Replacement
		for i, b := range list {
			k, known := collections[b.Collection]
			if !known {
				if k, err = c.CurrentCollection(ctx, b.Collection); err != nil {
					return err
				}
				collections[b.Collection] = k
			}
			if k == nil {
				return missing("collection " + clip(b.Collection))
			}
			r, mended, err := decide(a, k, b.ID, now[b.ID], Match{Version: b.Version, New: b.Version == 0 && b.Feature != nil, exists: b.Feature == nil}, b.maker(a))
			if err != nil {
				return inBulk(err, i, now[b.ID].Feature)
			}
			if r.After == r.Before {
				continue
			}
			write = append(write, r)
			if mended != nil && len(done.Mended) < 100 {
				for _, m := range mended {
					done.Mended = append(done.Mended, fmt.Sprintf("%s: %s", clip(r.After.Name), m))
				}
			}
		}
		done.Changed = len(write)
		return c.WriteAll(ctx, write)
	})
	if err != nil {
		return BulkDone{}, err
	}
	done.No = committed.No
	return done, v.taken(ctx, a.Workspace, committed)
}

func (b *BulkChange) maker(a Actor) maker {
	switch {
	case b.Delete:
		return nil
	case b.Patch != nil:
		return func(before *store.Feature, schema store.Attributes) (*store.Feature, []string, error) {
			return patched(a, before, schema, b.Patch)
		}
	}
	return func(before *store.Feature, schema store.Attributes) (*store.Feature, []string, error) {
		return replaced(b.Collection, b.ID, b.Feature, before, schema)
	}
}

// inBulk says which of many changes an error belongs to.
func inBulk(err error, i int, now *store.Feature) error {
	var refused *Error
	if !errors.As(err, &refused) {
		return err
	}
	e := *refused
	name := ""
	if now != nil {
		name = fmt.Sprintf(" (%q)", clip(now.Name))
	}
	e.Detail = fmt.Sprintf("change %d%s: %s; nothing was changed", i, name, refused.Detail)
	e.Fields = nil
	for _, f := range refused.Fields {
		f.Field = fmt.Sprintf("changes[%d].%s", i, f.Field)
		e.Fields = append(e.Fields, f)
	}
	return &e
}
