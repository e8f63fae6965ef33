package service

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"slices"

	"viandante/core/feature"
	"viandante/service/fault"
	"viandante/store"
)

var collectionID = regexp.MustCompile(`^[a-z0-9][a-z0-9_-]{0,63}$`)

// Collections returns the collections that the actor sees, by id.
func (v *Service) Collections(ctx context.Context, a Actor) ([]Collection, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(s.Collections(), func(k Collection) bool { return !view.Sees(k.ID) }), nil
}

// Collection returns one collection.
func (v *Service) Collection(ctx context.Context, a Actor, id string) (Collection, error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return Collection{}, err
	}
	k := s.Collection(id)
	if k == nil || !view.Sees(id) {
		return Collection{}, fault.Missing("collection " + feature.Clip(id))
	}
	return *k, nil
}

// PutCollection creates a collection, or changes its title and what it defines. Without attributes they stay as they
// are; what is kept already is held to new ones when it is next changed.
func (v *Service) PutCollection(ctx context.Context, a Actor, c Collection, match Match) (Collection, bool, error) {
	if err := a.MayWrite(); err != nil {
		return c, false, err
	}
	if !a.Sees(c.ID) {
		return c, false, a.MayArrange()
	}
	if !collectionID.MatchString(c.ID) {
		return c, false, fault.Refuse(
			"id",
			c.ID,
			errors.New("is not an id for a collection: small letters, digits, - and _, at most 64"),
		)
	}
	if c.Title == "" || len([]rune(c.Title)) > 200 || len(c.Description) > 10_000 {
		return c, false, fault.Refuse(
			"title",
			feature.Clip(c.Title),
			errors.New("must have 1 to 200 characters, the description at most 10000 bytes"),
		)
	}
	if f := c.Attributes.Check(); f != nil {
		return c, false, &fault.Error{Kind: fault.Invalid, Detail: f.Field + " " + f.Reason, Fields: []fault.Field{*f}}
	}
	type answer struct {
		Collection Collection
		Created    bool
	}
	out, err := perform(ctx, v, a, store.Wanted{Once: match.Once}, func(change *store.Change) (answer, error) {
		before, err := change.CurrentCollection(c.ID)
		if err != nil {
			return answer{}, err
		}
		k := c
		if k.Attributes == nil {
			k.Attributes = feature.Schema{}
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

func holdCollection(match Match, id string, before *Collection) error {
	version := uint64(0)
	if before != nil {
		version = before.Version
	}
	return match.hold("collection "+feature.Clip(id), version, func() any { return before })
}

// DeleteCollection deletes a collection that holds nothing any more.
func (v *Service) DeleteCollection(ctx context.Context, a Actor, id string, match Match) error {
	if err := a.MayWrite(); err != nil {
		return err
	}
	if !a.Sees(id) {
		return fault.Missing("collection " + feature.Clip(id))
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
			return struct{}{}, fault.New(fault.Conflict, "the collection %s still holds features; delete or move "+
				"them first", id)
		}
		return struct{}{}, nil
	})
	return v.unlessDeletedBefore(ctx, a, "collections", id, match, err)
}

// Categories returns the categories of the workspace in their order.
func (v *Service) Categories(ctx context.Context, a Actor) ([]Category, error) {
	s, _, err := v.reading(ctx, a)
	if err != nil {
		return nil, err
	}
	return s.Categories(), nil
}

// Category returns one category.
func (v *Service) Category(ctx context.Context, a Actor, id string) (Category, error) {
	all, err := v.Categories(ctx, a)
	if err != nil {
		return Category{}, err
	}
	for _, k := range all {
		if k.ID == id {
			return k, nil
		}
	}
	return Category{}, fault.Missing("category " + feature.Clip(id))
}

var colour = regexp.MustCompile(`^#[0-9A-Fa-f]{6}$`)

func (v *Service) checkCategory(ctx context.Context, a Actor, k *Category) error {
	switch {
	case !collectionID.MatchString(k.ID):
		return fault.Refuse(
			"id",
			feature.Clip(k.ID),
			errors.New("is not an id for a category: small letters, digits, - and _, at most 64"),
		)
	case !colour.MatchString(k.Colour):
		return fault.Refuse("colour", feature.Clip(k.Colour), errors.New("is not a colour such as #24705F"))
	case len(k.Glyph) > 64:
		return fault.Refuse("glyph", feature.Clip(k.Glyph), errors.New("is not the name of a glyph"))
	case k.Position < -1_000_000 || k.Position > 1_000_000:
		return fault.Refuse("position", fmt.Sprint(k.Position), errors.New("must be within a million"))
	}
	if k.Picture != "" {
		if _, err := v.Picture(ctx, a, k.Picture, false); err != nil {
			return fault.Refuse(
				"picture",
				feature.Clip(k.Picture),
				errors.New("is not the hash of a picture that is kept: send the picture to /v1/pictures first"),
			)
		}
	}
	return checkName(&k.Name)
}

// PutCategory creates or replaces a category.
func (v *Service) PutCategory(ctx context.Context, a Actor, k Category, match Match) (Category, bool, error) {
	if err := a.MayArrange(); err != nil {
		return k, false, err
	}
	if err := v.checkCategory(ctx, a, &k); err != nil {
		return k, false, err
	}
	type answer struct {
		Category Category
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

func holdCategory(match Match, id string, before *Category) error {
	version := uint64(0)
	if before != nil {
		version = before.Version
	}
	return match.hold("category "+feature.Clip(id), version, func() any { return before })
}

// DeleteCategory deletes a category. Its places stay, and are drawn as those without one.
func (v *Service) DeleteCategory(ctx context.Context, a Actor, id string, match Match) error {
	if err := a.MayArrange(); err != nil {
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
