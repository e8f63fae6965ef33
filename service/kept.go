package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"viandante/store"
)

// Kept is something that the workspace keeps besides features: T is a View, an Overlay or an Imagery.
type Kept[T any] struct {
	ID      uuid.UUID
	Version uint64
	Body    T
}

// MarshalJSON writes the members of the body with its id and version among them.
func (k Kept[T]) MarshalJSON() ([]byte, error) {
	body, err := json.Marshal(k.Body)
	if err != nil {
		return nil, err
	}
	return fmt.Appendf(nil, `{"id":%q,"version":%d,%s`, k.ID, k.Version, body[1:]), nil
}

// kind is a kind of thing that is kept.
type kind[T any] struct {
	topic, name string
	// most is how many of them a workspace may have.
	most int
	// check completes what came from outside, and says what is wrong with it.
	check func(ctx context.Context, v *Service, a Actor, body *T) error
	// after is called inside the change with the others as they are, to keep them in accord with what is written.
	after func(body *T, other *T) (changed bool)
}

func list[T any](ctx context.Context, v *Service, a Actor, k kind[T]) ([]Kept[T], error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	rows, err := v.store.AllKept(ctx, a.Workspace, k.topic)
	if err != nil {
		return nil, err
	}
	out := make([]Kept[T], len(rows))
	for i, r := range rows {
		if out[i], err = unpack[T](r); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func unpack[T any](r store.Kept) (Kept[T], error) {
	out := Kept[T]{ID: r.ID, Version: r.Version}
	return out, json.Unmarshal(r.Body, &out.Body)
}

func one[T any](ctx context.Context, v *Service, a Actor, k kind[T], id uuid.UUID) (Kept[T], error) {
	if err := a.mayRead(); err != nil {
		return Kept[T]{}, err
	}
	row, err := v.store.Kept(ctx, a.Workspace, k.topic, id)
	if errors.Is(err, store.ErrNotFound) {
		return Kept[T]{}, missing(k.name + " " + id.String())
	} else if err != nil {
		return Kept[T]{}, err
	}
	return unpack[T](row)
}

// put creates or replaces one; the same again is no change.
func put[T any](ctx context.Context, v *Service, a Actor, k kind[T], id uuid.UUID, body T, match Match) (Kept[T], bool, error) {
	if err := a.mayWrite(); err != nil {
		return Kept[T]{}, false, err
	}
	if err := k.check(ctx, v, a, &body); err != nil {
		return Kept[T]{}, false, err
	}
	out := Kept[T]{ID: id, Body: body}
	created := false
	err := v.changeKept(ctx, a, k.topic, func(c *store.Change, all []store.Kept) error {
		i := slices.IndexFunc(all, func(r store.Kept) bool { return r.ID == id })
		created = i < 0
		text, err := json.Marshal(body)
		if err != nil {
			return err
		}
		var before *store.Kept
		if i >= 0 {
			before = &all[i]
			if string(before.Body) == string(text) {
				out.Version = before.Version
				return nil
			}
		}
		if err := v.agreed(before, match, k.name, func() (any, error) { return unpack[T](*before) }); err != nil {
			return err
		}
		if before == nil && len(all) >= k.most {
			return &Error{Kind: Invalid, Detail: fmt.Sprintf("there are %d %ss already, as many as there may be; delete one first", len(all), k.name)}
		}
		row := store.Kept{ID: id, Body: text}
		if err := c.WriteKept(k.topic, before, &row); err != nil {
			return err
		}
		out.Version = row.Version
		if k.after == nil {
			return nil
		}
		for n := range all {
			other, err := unpack[T](all[n])
			if err != nil {
				return err
			}
			if all[n].ID == id || !k.after(&body, &other.Body) {
				continue
			}
			changed := store.Kept{ID: other.ID}
			if changed.Body, err = json.Marshal(other.Body); err != nil {
				return err
			}
			if err := c.WriteKept(k.topic, &all[n], &changed); err != nil {
				return err
			}
		}
		return nil
	})
	return out, created, err
}

func drop[T any](ctx context.Context, v *Service, a Actor, k kind[T], id uuid.UUID, match Match) error {
	if err := a.mayWrite(); err != nil {
		return err
	}
	match.exists = true
	return v.changeKept(ctx, a, k.topic, func(c *store.Change, all []store.Kept) error {
		var before *store.Kept
		if i := slices.IndexFunc(all, func(r store.Kept) bool { return r.ID == id }); i >= 0 {
			before = &all[i]
		}
		if err := v.agreed(before, match, k.name, func() (any, error) { return unpack[T](*before) }); err != nil {
			return err
		}
		return c.DeleteKept(k.topic, before)
	})
}

func (v *Service) changeKept(ctx context.Context, a Actor, topic string, f func(c *store.Change, all []store.Kept) error) error {
	no, err := v.store.Change(ctx, a.Workspace, a.Name, func(c *store.Change) error {
		all, err := c.CurrentKept(ctx, topic)
		if err != nil {
			return err
		}
		return f(c, all)
	})
	if err != nil {
		return err
	}
	return v.caughtUp(ctx, a.Workspace, no)
}

// agreed holds a change to the condition that it came with.
func (v *Service) agreed(before *store.Kept, match Match, name string, current func() (any, error)) error {
	switch {
	case before == nil && (match.exists || match.Any || match.Version != 0):
		return missing(name)
	case before == nil || match.Any:
		return nil
	case match.New || match.Version != 0 && match.Version != before.Version:
		now, err := current()
		if err != nil {
			return err
		}
		return &Error{Kind: Stale, Detail: "the " + name + " was changed by somebody else since it was read", Current: now}
	case match.Version == 0:
		return &Error{Kind: NeedsMatch, Detail: "changing a " + name + " takes the header If-Match with the ETag that it was read with"}
	}
	return nil
}

// checkName holds a name to what fits on the page.
func checkName(name *string) error {
	*name = strings.TrimSpace(*name)
	if n := utf8.RuneCountInString(*name); n < 1 || n > 100 || !utf8.ValidString(*name) {
		return Refuse("name", clip(*name), errors.New("must have 1 to 100 characters"))
	}
	return nil
}
