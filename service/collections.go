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
	list, err := v.store.Collections(ctx, a.Workspace)
	if errors.Is(err, store.ErrUnavailable) {
		s, err := v.loaded(a, err)
		if err != nil {
			return nil, err
		}
		return s.sortedCollections(), nil
	}
	return list, err
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

// PutCollection creates a collection, or changes its title and what it defines. Without attributes they stay as they are;
// what is kept already is held to new ones when it is next changed.
func (v *Service) PutCollection(ctx context.Context, a Actor, c store.Collection, match Match) (store.Collection, bool, error) {
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
	type answer struct {
		Collection store.Collection
		Created    bool
	}
	out, err := perform(ctx, v, a, store.Wanted{Once: match.Once}, func(change *store.Change) (answer, error) {
		before, err := change.CurrentCollection(c.ID)
		if err != nil {
			return answer{}, err
		}
		k := c
		if k.Attributes == nil {
			k.Attributes = store.Attributes{}
			if before != nil {
				k.Attributes = before.Attributes
			}
		}
		same := before != nil && before.Title == k.Title && before.Description == k.Description &&
			reflect.DeepEqual(before.Attributes, k.Attributes)
		if refused := holdCollection(match, c.ID, before); refused != nil && !(same && match.creates()) {
			return answer{}, refused
		}
		if same {
			return answer{Collection: *before}, nil
		}
		err = change.WriteCollection(before, &k)
		return answer{k, before == nil}, err
	})
	return out.Collection, out.Created, err
}

func holdCollection(match Match, id string, before *store.Collection) error {
	version := uint64(0)
	if before != nil {
		version = before.Version
	}
	return match.hold("collection "+clip(id), version, func() any { return before })
}

// DeleteCollection deletes a collection that holds nothing any more.
func (v *Service) DeleteCollection(ctx context.Context, a Actor, id string, match Match) error {
	if err := a.mayWrite(); err != nil {
		return err
	}
	match.exists = true
	_, err := perform(ctx, v, a, store.Wanted{Once: match.Once}, func(change *store.Change) (struct{}, error) {
		before, err := change.CurrentCollection(id)
		if err == nil {
			err = holdCollection(match, id, before)
		}
		if err != nil {
			return struct{}{}, err
		}
		if ok, err := change.DeleteCollection(before); err != nil {
			return struct{}{}, err
		} else if !ok {
			return struct{}{}, &Error{Kind: Conflict,
				Detail: fmt.Sprintf("the collection %s still holds features; delete or move them first", id)}
		}
		return struct{}{}, nil
	})
	return v.unlessDeletedBefore(ctx, a, "collections", id, match, err)
}

// Categories returns the categories of the workspace.
func (v *Service) Categories(ctx context.Context, a Actor) ([]store.Category, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	list, err := v.store.Categories(ctx, a.Workspace)
	if errors.Is(err, store.ErrUnavailable) {
		s, err := v.loaded(a, err)
		if err != nil {
			return nil, err
		}
		return s.sortedCategories(), nil
	}
	return list, err
}

// Category returns one category.
func (v *Service) Category(ctx context.Context, a Actor, id string) (store.Category, error) {
	all, err := v.Categories(ctx, a)
	if err != nil {
		return store.Category{}, err
	}
	for _, k := range all {
		if k.ID == id {
			return k, nil
		}
	}
	return store.Category{}, missing("category " + clip(id))
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

// PutCategory creates or replaces a category.
func (v *Service) PutCategory(ctx context.Context, a Actor, k store.Category, match Match) (store.Category, bool, error) {
	if err := a.mayWrite(); err != nil {
		return k, false, err
	}
	if err := v.checkCategory(ctx, a, &k); err != nil {
		return k, false, err
	}
	type answer struct {
		Category store.Category
		Created  bool
	}
	out, err := perform(ctx, v, a, store.Wanted{Once: match.Once}, func(change *store.Change) (answer, error) {
		before, err := change.CurrentCategory(k.ID)
		if err != nil {
			return answer{}, err
		}
		written := k
		same := false
		if before != nil {
			written.Version = before.Version
			same = *before == written
		}
		if refused := holdCategory(match, k.ID, before); refused != nil && !(same && match.creates()) {
			return answer{}, refused
		}
		if same {
			return answer{Category: *before}, nil
		}
		err = change.WriteCategory(before, &written)
		return answer{written, before == nil}, err
	})
	return out.Category, out.Created, err
}

func holdCategory(match Match, id string, before *store.Category) error {
	version := uint64(0)
	if before != nil {
		version = before.Version
	}
	return match.hold("category "+clip(id), version, func() any { return before })
}

// DeleteCategory deletes a category. Its places stay, and are drawn as those without one.
func (v *Service) DeleteCategory(ctx context.Context, a Actor, id string, match Match) error {
	if err := a.mayWrite(); err != nil {
		return err
	}
	match.exists = true
	_, err := perform(ctx, v, a, store.Wanted{Once: match.Once}, func(change *store.Change) (struct{}, error) {
		before, err := change.CurrentCategory(id)
		if err == nil {
			err = holdCategory(match, id, before)
		}
		if err != nil {
			return struct{}{}, err
		}
		return struct{}{}, change.DeleteCategory(before)
	})
	return v.unlessDeletedBefore(ctx, a, "categories", id, match, err)
}
