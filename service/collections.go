package service

import (
	"context"
	"errors"
	"fmt"
	"reflect"
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

// PutCollection creates a collection, or changes its title and what it defines. Without attributes they stay as they are; what is kept
// already is held to new ones when it is next changed.
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
	if err := checkAttributes(c.Attributes); err != nil {
		return c, false, err
	}
	created := false
	no, err := v.store.Change(ctx, a.Workspace, a.Name, func(change *store.Change) error {
		before, err := change.CurrentCollection(ctx, c.ID)
		if err != nil {
			return err
		}
		created = before == nil
		if c.Attributes == nil {
			c.Attributes = store.Attributes{}
			if before != nil {
				c.Attributes = before.Attributes
			}
		}
		if before != nil && before.Title == c.Title && before.Description == c.Description && reflect.DeepEqual(before.Attributes, c.Attributes) {
			c = *before
			return nil
		}
		return change.WriteCollection(before, &c)
	})
	if err != nil {
		return c, false, err
	}
	return c, created, v.caughtUp(ctx, a.Workspace, no)
}

// DeleteCollection deletes a collection that holds nothing any more.
func (v *Service) DeleteCollection(ctx context.Context, a Actor, id string) error {
	if err := a.mayWrite(); err != nil {
		return err
	}
	no, err := v.store.Change(ctx, a.Workspace, a.Name, func(change *store.Change) error {
		before, err := change.CurrentCollection(ctx, id)
		if err != nil {
			return err
		} else if before == nil {
			return missing("collection " + clip(id))
		}
		if ok, err := change.DeleteCollection(ctx, before); err != nil {
			return err
		} else if !ok {
			return &Error{Kind: Conflict, Detail: fmt.Sprintf("the collection %s still holds features; delete or move them first", id)}
		}
		return nil
	})
	if err != nil {
		return err
	}
	return v.caughtUp(ctx, a.Workspace, no)
}

// Categories returns the categories of the workspace.
func (v *Service) Categories(ctx context.Context, a Actor) ([]store.Category, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	return v.store.Categories(ctx, a.Workspace)
}

var colour = regexp.MustCompile(`^#[0-9A-Fa-f]{6}$`)

func (v *Service) checkCategory(ctx context.Context, a Actor, k *store.Category) error {
	switch {
	case !collectionID.MatchString(k.ID):
		return Refuse("id", clip(k.ID), errors.New("is not an id for a category: small letters, digits, - and _, at most 64"))
	case !colour.MatchString(k.Colour):
		return Refuse("colour", clip(k.Colour), errors.New("is not a colour such as #24705F"))
	case len(k.Glyph) > 64:
		return Refuse("glyph", clip(k.Glyph), errors.New("is not the name of a glyph"))
	case k.Position < -1_000_000 || k.Position > 1_000_000:
		return Refuse("position", fmt.Sprint(k.Position), errors.New("must be within a million"))
	}
	if k.Picture != "" {
		if _, err := v.Picture(ctx, a, k.Picture, false); err != nil {
			return Refuse("picture", clip(k.Picture), errors.New("is not the hash of a picture that is kept: send the picture to /v1/pictures first"))
		}
	}
	return checkName(&k.Name)
}

// PutCategories creates or replaces categories, all of them or none.
func (v *Service) PutCategories(ctx context.Context, a Actor, list []store.Category) error {
	if err := a.mayWrite(); err != nil {
		return err
	}
	for i := range list {
		if err := v.checkCategory(ctx, a, &list[i]); err != nil {
			return err
		}
	}
	no, err := v.store.Change(ctx, a.Workspace, a.Name, func(change *store.Change) error {
		for i := range list {
			if err := change.WriteCategory(&list[i]); err != nil {
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

// DeleteCategory deletes a category. Its places stay, and are drawn as those without one.
func (v *Service) DeleteCategory(ctx context.Context, a Actor, id string) error {
	if err := a.mayWrite(); err != nil {
		return err
	}
	all, err := v.Categories(ctx, a)
	if err != nil {
		return err
	}
	for i := range all {
		if all[i].ID != id {
			continue
		}
		no, err := v.store.Change(ctx, a.Workspace, a.Name, func(change *store.Change) error { return change.DeleteCategory(&all[i]) })
		if err != nil {
			return err
		}
		return v.caughtUp(ctx, a.Workspace, no)
	}
	return missing("category " + clip(id))
}
