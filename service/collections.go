package service

import (
	"context"
	"errors"
	"regexp"

	"viandante/store"
)

var collectionID = regexp.MustCompile(`^[a-z0-9][a-z0-9_-]{0,63}$`)

// Collections returns the collections of the workspace.
func (v *Service) Collections(ctx context.Context, a Actor) ([]store.Collection, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	return v.store.Collections(ctx, a.Workspace)
}

// Collection returns one collection.
func (v *Service) Collection(ctx context.Context, a Actor, id string) (store.Collection, error) {
	all, err := v.Collections(ctx, a)
	if err != nil {
		return store.Collection{}, err
	}
	for _, c := range all {
		if c.ID == id {
			return c, nil
		}
	}
	return store.Collection{}, missing("collection " + clip(id))
}

// PutCollection creates or renames a collection.
func (v *Service) PutCollection(ctx context.Context, a Actor, c store.Collection) (store.Collection, bool, error) {
	if err := a.mayWrite(); err != nil {
		return c, false, err
	}
	if !collectionID.MatchString(c.ID) {
		return c, false, Refuse("id", c.ID, errors.New("is not an id for a collection: small letters, digits, - and _, at most 64"))
	}
	if c.Title == "" || len([]rune(c.Title)) > 200 || len(c.Description) > 10_000 {
		return c, false, Refuse("title", clip(c.Title), errors.New("must have 1 to 200 characters, the description at most 10000 bytes"))
	}
	created := false
	no, err := v.store.Change(ctx, a.Workspace, a.Name, func(change *store.Change) error {
		before, err := change.CurrentCollection(ctx, c.ID)
		if err != nil {
			return err
		}
		created = before == nil
		if before != nil && before.Title == c.Title && before.Description == c.Description {
			c = *before
			return nil
		}
		return change.WriteCollection(ctx, before, &c)
	})
	if err != nil {
		return c, false, err
	}
	return c, created, v.caughtUp(ctx, a.Workspace, no)
}

// Categories returns the categories of the workspace.
func (v *Service) Categories(ctx context.Context, a Actor) ([]store.Category, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	return v.store.Categories(ctx, a.Workspace)
}

// PutCategories creates or replaces categories.
func (v *Service) PutCategories(ctx context.Context, a Actor, list []store.Category) error {
	if err := a.mayWrite(); err != nil {
		return err
	}
	no, err := v.store.Change(ctx, a.Workspace, a.Name, func(change *store.Change) error {
		for i := range list {
			if err := change.WriteCategory(ctx, &list[i]); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	return v.caughtUp(ctx, a.Workspace, no)
}
