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

	"viandante/core/feature"
	"viandante/service/fault"
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

// sees tells whether an actor sees things of the kind: a guest, and who is for some collections only, those that are
// for all.
func (k kind[T]) sees(a Actor) bool { return seesTopic(a, k.topic) }

func seesTopic(a Actor, topic string) bool {
	switch {
	case a.IsMember():
		return slices.Contains(forGuests, topic)
	case a.IsLimited():
		return slices.Contains(forLimited, topic)
	}
	return true
}

// forGuests are the topics that whoever was invited to a party sees, forLimited those that a token for some collections
// sees.
var forGuests, forLimited = []string{store.Parties, store.Emergency}, []string{store.Links, store.Emergency}

func list[T any](ctx context.Context, v *Service, a Actor, k kind[T]) ([]Kept[T], error) {
	if err := a.MayRead(); err != nil {
		return nil, err
	}
	if !k.sees(a) {
		return []Kept[T]{}, nil
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

// one returns one of them.
func one[T any](ctx context.Context, v *Service, a Actor, k kind[T], id uuid.UUID) (Kept[T], error) {
	if err := a.MayRead(); err != nil {
		return Kept[T]{}, err
	}
	row, err := v.store.Kept(ctx, a.Workspace, k.topic, id)
	if errors.Is(err, store.ErrNotFound) || err == nil && !k.sees(a) {
		return Kept[T]{}, fault.Missing(k.name + " " + id.String())
	} else if err != nil {
		return Kept[T]{}, err
	}
	return unpack[T](row)
}

// put creates or replaces one; creating the same again is no change.
func put[T any](
	ctx context.Context,
	v *Service,
	a Actor,
	k kind[T],
	id uuid.UUID,
	body T,
	match Match,
) (Kept[T], bool, error) {
	if err := a.MayArrange(); err != nil {
		return Kept[T]{}, false, err
	}
	if id == uuid.Nil {
		return Kept[T]{}, false, fault.Refuse(
			"id",
			id.String(),
			errors.New("is the UUID of zeros, which stands for no id"),
		)
	}
	if err := k.check(ctx, v, a, &body); err != nil {
		return Kept[T]{}, false, err
	}
	text, err := json.Marshal(body)
	if err != nil {
		return Kept[T]{}, false, err
	}
	type answer struct {
		Row     store.Kept
		Created bool
	}
	out, err := perform(ctx, v, a, store.Wanted{Once: match.Once}, func(c *store.Change) (answer, error) {
		before, count, err := c.OneKept(k.topic, id)
		if err != nil {
			return answer{}, err
		}
		same := before != nil && string(before.Body) == string(text)
		if refused := holdKept(match, k, id, before); refused != nil && !(same && match.creates()) {
			return answer{}, refused
		}
		if same {
			return answer{Row: *before}, nil
		}
		if before == nil && count >= k.most {
			return answer{}, fault.New(fault.Invalid,
				"there are %d already, as many as there may be; delete a %s first", count, k.name)
		}
		row := store.Kept{ID: id, Body: text}
		if err := c.WriteKept(k.topic, before, &row); err != nil {
			return answer{}, err
		}
		return answer{row, before == nil}, k.adjust(c, id, &body)
	})
	if err != nil {
		return Kept[T]{}, false, err
	}
	kept, err := unpack[T](out.Row)
	return kept, out.Created, err
}

// adjust brings the others in accord with one that was written.
func (k kind[T]) adjust(c *store.Change, id uuid.UUID, body *T) error {
	if k.after == nil {
		return nil
	}
	all, err := c.CurrentKept(k.topic)
	if err != nil {
		return err
	}
	for n := range all {
		other, err := unpack[T](all[n])
		if err != nil {
			return err
		}
		if all[n].ID == id || !k.after(body, &other.Body) {
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
}

func drop[T any](ctx context.Context, v *Service, a Actor, k kind[T], id uuid.UUID, match Match) error {
	if err := a.MayArrange(); err != nil {
		return err
	}
	match.exists = true
	_, err := perform(ctx, v, a, store.Wanted{Once: match.Once}, func(c *store.Change) (struct{}, error) {
		before, _, err := c.OneKept(k.topic, id)
		if err != nil {
			return struct{}{}, err
		}
		if err := holdKept(match, k, id, before); err != nil {
			return struct{}{}, err
		}
		return struct{}{}, c.DeleteKept(k.topic, before)
	})
	return v.unlessDeletedBefore(ctx, a, k.topic, id.String(), match, err)
}

// holdKept holds a change to the condition that it came with.
func holdKept[T any](match Match, k kind[T], id uuid.UUID, before *store.Kept) error {
	version := uint64(0)
	if before != nil {
		version = before.Version
	}
	return match.hold(k.name+" "+id.String(), version, func() any {
		now, err := unpack[T](*before)
		if err != nil {
			return nil
		}
		return now
	})
}

// checkName holds a name to what fits on the page.
func checkName(name *string) error {
	*name = strings.TrimSpace(*name)
	if n := utf8.RuneCountInString(*name); n < 1 || n > 100 || !utf8.ValidString(*name) {
		return fault.Refuse("name", feature.Clip(*name), errors.New("must have 1 to 100 characters"))
	}
	return nil
}
