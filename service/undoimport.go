package service

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/google/uuid"

	"viandante/service/fault"
	"viandante/store"
)

// Imports returns what was taken in last, newest first.
func (v *Service) Imports(ctx context.Context, a Actor) ([]Import, error) {
	if err := a.MayRead(); err != nil {
		return nil, err
	}
	list, err := v.store.Imports(ctx, a.Workspace, 100)
	return slices.DeleteFunc(list, func(i Import) bool { return !a.Sees(i.Collection) }), err
}

// ImportOf returns one import.
func (v *Service) ImportOf(ctx context.Context, a Actor, id uuid.UUID) (Import, error) {
	if err := a.MayRead(); err != nil {
		return Import{}, err
	}
	i, err := v.store.Import(ctx, a.Workspace, id)
	if errors.Is(err, store.ErrNotFound) || err == nil && !a.Sees(i.Collection) {
		return Import{}, fault.Missing("import " + id.String())
	}
	return i, err
}

// Refused yields the rows of an import that could not be taken, as many as are kept.
func (v *Service) Refused(ctx context.Context, a Actor, id uuid.UUID, yield func(RefusedRow) error) error {
	if _, err := v.ImportOf(ctx, a, id); err != nil {
		return err
	}
	const some = 500
	for from := 0; ; from += some {
		list, err := v.store.Refused(ctx, a.Workspace, id, from, some)
		if err != nil {
			return err
		}
		for _, r := range list {
			if err := yield(r); err != nil {
				return err
			}
		}
		if len(list) < some {
			return nil
		}
	}
}

// ImportUndone is what undoing an import came to: features that were changed since are left as they are.
type ImportUndone struct {
	Import  Import
	Undone  int
	Changed int
}

// UndoImport puts everything back that an import has written, unless it was changed since.
func (v *Service) UndoImport(ctx context.Context, a Actor, id uuid.UUID) (ImportUndone, error) {
	if err := a.MayWrite(); err != nil {
		return ImportUndone{}, err
	}
	imp, err := v.ImportOf(ctx, a, id)
	if err != nil {
		return ImportUndone{}, err
	}
	out := ImportUndone{Import: imp}
	switch imp.State {
	case store.ImportUndone:
		return out, nil
	case store.ImportRunning:
		if time.Since(imp.Stamp) < time.Minute {
			return out, fault.New(fault.Conflict, "this import is under way: stop it first")
		}
	}
	if out.Undone, out.Changed, err = v.undoChanges(ctx, a, imp.Changes); err != nil {
		return out, err
	}
	out.Import.State = store.ImportUndone
	return out, v.store.SetImport(ctx, a.Workspace, out.Import)
}

// undoChanges puts back what changes have written, the last first, where nobody has changed it since.
func (v *Service) undoChanges(ctx context.Context, a Actor, changes store.Ranges) (undone, changed int, err error) {
	for i := len(changes) - 1; i >= 0; i-- {
		for no := changes[i][1]; no >= changes[i][0]; no-- {
			n, since, err := v.undoChange(ctx, a, no)
			undone, changed = undone+n, changed+since
			if err != nil {
				return undone, changed, err
			}
		}
	}
	return undone, changed, nil
}

// undoChange puts back what one change has written, where nobody has changed it since.
func (v *Service) undoChange(ctx context.Context, a Actor, no uint64) (undone, changed int, err error) {
	log, err := v.store.Made(ctx, a.Workspace, no)
	if err != nil {
		return 0, 0, err
	}
	log = slices.DeleteFunc(log, func(l store.Logged) bool { return l.Topic != store.Features || l.After == nil })
	if len(log) == 0 {
		return 0, 0, fault.New(fault.Gone, "the change %d is no longer in the log, so that it cannot be undone", no)
	}
	ids := make([]uuid.UUID, len(log))
	for i, l := range log {
		ids[i] = l.After.ID
	}
	_, err = perform(ctx, v, a, store.Wanted{Features: ids}, func(c *store.Change) (struct{}, error) {
		undone, changed = 0, 0
		versions, err := c.Versions(ids...)
		if err != nil {
			return struct{}{}, err
		}
		var list []store.Replacement
		for _, l := range log {
			if versions[l.After.ID] != (store.Version{No: no}) {
				changed++
				continue
			}
			undone++
			list = append(list, store.Replacement{Before: l.After, After: l.Before})
		}
		return struct{}{}, c.WriteAll(list)
	})
	return undone, changed, err
}
