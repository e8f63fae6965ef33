package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"viandante/service/fault"
	"viandante/store"
)

// Match is what a change comes with: a condition on what is there before (RFC 9110, section 13.1), and the key by which
// the same request is known when it comes again.
type Match struct {
	// Versions must hold the current one, unless it is nil. Any demands that something is there, whatever its version.
	Versions []uint64
	Any      bool
	// New demands that nothing is there; Not are versions that must not be the current one.
	New  bool
	Not  []uint64
	Once store.Once
	// exists is set where there must be something to change.
	exists bool
}

// At is the condition that something has a version.
func At(version uint64) Match { return Match{Versions: []uint64{version}} }

// hold returns what speaks against changing a thing that has a version, 0 where there is none; current is the thing as
// it is now. The version is looked at whatever the change would come to: two that read the same and both write what
// follows from it are two changes, of which the second has not seen the first.
func (m Match) hold(what string, version uint64, current func() any) error {
	conditional := m.Any || m.Versions != nil
	switch {
	case version == 0 && (m.exists || conditional):
		return fault.Missing(what)
	case version == 0:
		return nil
	case m.New || slices.Contains(m.Not, version) || m.Versions != nil && !slices.Contains(m.Versions, version):
		return &fault.Error{
			Kind:    fault.Stale,
			Detail:  "the " + what + " was changed by somebody else since it was read",
			Current: current(),
		}
	case !conditional && m.Not == nil:
		return fault.New(
			fault.NeedsMatch,
			"changing the %s takes the header If-Match with the ETag that it was read with",
			what,
		)
	}
	return nil
}

// creates tells whether the change is one that makes something: repeated with the same content it is no change, so that
// a retry after an unknown outcome doubles nothing.
func (m Match) creates() bool { return !m.Any && m.Versions == nil && m.Not == nil }

// perform makes a change whose answer is kept with it where its request has a key: when the same request comes again it
// gets that answer, whatever has happened since. What is refused keeps nothing.
func perform[T any](
	ctx context.Context, v *Service, a Actor, want store.Wanted, f func(c *store.Change) (T, error),
) (T, error) {
	var out T
	done, err := v.store.ChangeOf(ctx, a.Workspace, a.Store(), want, func(c *store.Change) (err error) {
		if text := c.Answered(); text != nil {
			return json.Unmarshal(text, &out)
		}
		if out, err = f(c); err != nil || want.Once.Key == "" {
			return err
		}
		text, err := json.Marshal(out)
		if err != nil {
			return err
		}
		return c.Answer(text)
	})
	if err != nil {
		var none T
		return none, reused(err)
	}
	return out, v.taken(ctx, a.Workspace, done)
}

// answered looks for the answer that a request with a key was given before.
func (v *Service) answered(ctx context.Context, a Actor, once store.Once, into any) (bool, error) {
	if once.Key == "" {
		return false, nil
	}
	text, err := v.store.Answer(ctx, a.Workspace, once)
	if err != nil || text == nil {
		return false, reused(err)
	}
	return true, json.Unmarshal(text, into)
}

func reused(err error) error {
	if errors.Is(err, store.ErrKeyReused) {
		return fault.New(fault.Conflict, "%v; use a new key for a new request", err)
	}
	return err
}

// deletedBefore tells whether something is gone because the same request has deleted it before, and its answer was
// lost: the last that was done to it is its deletion, of one of the versions that the request names.
func (v *Service) deletedBefore(ctx context.Context, a Actor, topic, entity string, m Match) bool {
	log, err := v.store.History(ctx, a.Workspace, topic, entity, 1)
	if err != nil || len(log) == 0 || !log[0].Gone() {
		return false
	}
	var before struct{ Version uint64 }
	if f := log[0].Before; f != nil {
		before.Version = f.Version
	} else if err := log[0].Text(&before, false); err != nil {
		return false
	}
	return slices.Contains(m.Versions, before.Version)
}

// unlessDeletedBefore is the error of a deletion, none where the same one was made before.
func (v *Service) unlessDeletedBefore(ctx context.Context, a Actor, topic, entity string, m Match, err error) error {
	if fault.Is(err, fault.NotFound) && v.deletedBefore(ctx, a, topic, entity, m) {
		return nil
	}
	return err
}

// errMoved is returned by a change whose ground has moved: what it was decided on is another now.
var errMoved = errors.New("changed by somebody else in between")

// maxTries is how many times a change is decided anew because others were faster.
const maxTries = 12

// overtaken is the error of a change that others were always faster than.
func overtaken(what string) error {
	return fmt.Errorf("%w: %s", store.ErrBusy, what)
}

// taken makes sure that a change is in this process's catalog before it is answered.
func (v *Service) taken(ctx context.Context, workspace uuid.UUID, done store.Committed) error {
	if done.No == 0 || v.tool {
		return nil
	}
	h, err := v.house(ctx, workspace)
	if err != nil {
		return err
	}
	return h.channel.Wrote(ctx, done)
}
