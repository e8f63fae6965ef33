package service

import (
	"context"
	"encoding/json"
	"errors"
	"math"
	"sync"
	"time"

	"github.com/google/uuid"

	"viandante/core/address"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/service/access"
	"viandante/service/fault"
	"viandante/store"
)

// Lookup is the addresses of a collection that are looked up in the background.
type Lookup = store.Lookup

// What became of an address that was looked up.
const (
	// AddressSure was found for certain, and its place put there.
	AddressSure = "sure"
	// AddressDoubtful was found, and somebody has to look; AddressNothing was not.
	AddressDoubtful = "doubtful"
	AddressNothing  = "nothing"
	// AddressAccepted, AddressChosen and AddressByHand are what somebody decided; AddressSkipped is what nobody will.
	AddressAccepted = "accepted"
	AddressChosen   = "chosen"
	AddressByHand   = "by_hand"
	AddressSkipped  = "skipped"
)

// FoundAddress is what is kept with a feature of how its address was looked up.
type FoundAddress struct {
	Query      string       `json:"query"`
	State      string       `json:"state"`
	Label      string       `json:"label,omitempty"`
	Kind       address.Kind `json:"kind,omitempty"`
	Confidence float64      `json:"confidence,omitempty"`
	At         *[2]float64  `json:"at,omitempty"` // lng, lat
	Region     string       `json:"region,omitempty"`
	Version    string       `json:"version,omitempty"` // the hash of the region's file
	Lookup     string       `json:"lookup,omitempty"`
}

const (
	// placeFrom is how confident an address must be found for its place to be put there without somebody looking.
	placeFrom = 0.9
	// lookupChunk is how many addresses are looked up and written at once, lookupHold how long a process has a lookup
	// without a word of it.
	lookupChunk = 400
	lookupHold  = 20 * time.Second
	lookupBeat  = 400 * time.Millisecond
	// mostMoved bounds how many features are compared with other map data at once.
	mostMoved = 20_000
	// movedM is how far a position must have gone to be told of, in metres.
	movedM = 1.0
)

// surelyThere tells whether a find is good enough to put a place there.
func surelyThere(f *address.Find) bool {
	exact := f.Kind == address.House && len(f.Between) == 0 || f.Kind == address.Crossing || f.Kind == address.Landmark
	return exact && f.Confidence >= placeFrom
}

func foundAddress(query string, finds []address.Find) FoundAddress {
	out := FoundAddress{Query: query, State: AddressNothing}
	if len(finds) == 0 {
		return out
	}
	f := &finds[0]
	out.State = AddressDoubtful
	if surelyThere(f) {
		out.State = AddressSure
	}
	out.Label, out.Kind, out.Confidence, out.Region, out.Version = f.Label, f.Kind, f.Confidence, f.Of, f.Version
	out.At = &[2]float64{f.At.Lng(), f.At.Lat()}
	return out
}

// StartLookup begins to look up the addresses of all places of a collection that have no position. One with the same id
// is not begun again.
func (v *Service) StartLookup(ctx context.Context, a Actor, id uuid.UUID, collection string) (Lookup, error) {
	if err := errors.Join(a.MayWrite(), a.MayAsk()); err != nil {
		return Lookup{}, err
	}
	if _, err := v.store.Collection(ctx, a.Workspace, collection); errors.Is(err, store.ErrNotFound) ||
		err == nil && !a.Sees(collection) {
		return Lookup{}, fault.Missing("collection " + feature.Clip(collection))
	} else if err != nil {
		return Lookup{}, err
	}
	total, err := v.store.CountUnplaced(ctx, a.Workspace, collection)
	if err != nil {
		return Lookup{}, err
	}
	err = v.store.AddLookup(ctx, Lookup{Workspace: a.Workspace, ID: id, Collection: collection, Actor: a.Name,
		State: store.LookupRunning, Total: total})
	if err != nil {
		return Lookup{}, err
	}
	return v.LookupOf(ctx, a, id)
}

// LookupOf returns one lookup.
func (v *Service) LookupOf(ctx context.Context, a Actor, id uuid.UUID) (Lookup, error) {
	if err := a.MayRead(); err != nil {
		return Lookup{}, err
	}
	l, err := v.store.Lookup(ctx, a.Workspace, id)
	if errors.Is(err, store.ErrNotFound) || err == nil && !a.Sees(l.Collection) {
		return Lookup{}, fault.Missing("lookup " + id.String())
	}
	return l, err
}

// Lookups returns the last ones, newest first.
func (v *Service) Lookups(ctx context.Context, a Actor) ([]Lookup, error) {
	if err := a.MayRead(); err != nil {
		return nil, err
	}
	list, err := v.store.Lookups(ctx, a.Workspace, 100)
	out := list[:0]
	for _, l := range list {
		if a.Sees(l.Collection) {
			out = append(out, l)
		}
	}
	return out, err
}

// SetLookupState pauses a lookup, lets it go on or stops it.
func (v *Service) SetLookupState(ctx context.Context, a Actor, id uuid.UUID, state string) (Lookup, error) {
	if err := a.MayWrite(); err != nil {
		return Lookup{}, err
	}
	l, err := v.LookupOf(ctx, a, id)
	if err != nil || l.State == state {
		return l, err
	}
	from := map[string][]string{store.LookupPaused: {store.LookupRunning}, store.LookupRunning: {store.LookupPaused},
		store.LookupStopped: {store.LookupRunning, store.LookupPaused}}[state]
	if from == nil {
		return l, fault.Refuse("state", state, &geo.ParseError{Reason: "is not a state that can be asked for",
			Hint: "running, paused or stopped"})
	}
	changed, err := v.store.SetLookupState(ctx, a.Workspace, id, state, "", from...)
	if err == nil && !changed {
		err = fault.New(fault.Conflict, "this lookup is %s, and cannot become %s", l.State, state)
	}
	if err != nil {
		return l, err
	}
	return v.LookupOf(ctx, a, id)
}

// UndoLookup puts everything back that a lookup has written, unless it was changed since.
func (v *Service) UndoLookup(ctx context.Context, a Actor, id uuid.UUID) (l Lookup, undone, changed int, err error) {
	if err := a.MayWrite(); err != nil {
		return Lookup{}, 0, 0, err
	}
	if l, err = v.LookupOf(ctx, a, id); err != nil || l.State == store.LookupUndone {
		return l, 0, 0, err
	}
	if l.State == store.LookupRunning {
		return l, 0, 0, fault.New(fault.Conflict, "this lookup is under way: stop it first")
	}
	if undone, changed, err = v.undoChanges(ctx, a, l.Changes); err != nil {
		return l, undone, changed, err
	}
	_, err = v.store.SetLookupState(ctx, a.Workspace, id, store.LookupUndone, "", l.State)
	l.State = store.LookupUndone
	return l, undone, changed, err
}

// runLookups works on what is to be looked up until ctx is done.
func (v *Service) runLookups(ctx context.Context, failed func(error)) {
	holder := uuid.New()
	every := time.NewTicker(lookupBeat)
	defer every.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
		list, err := v.store.RunningLookups(ctx)
		for _, l := range list {
			err = errors.Join(err, v.runLookup(ctx, l, holder))
		}
		if ctx.Err() == nil {
			failed(err)
		}
	}
}

// runLookup works on one lookup until it is done, or no longer to go on.
func (v *Service) runLookup(ctx context.Context, l Lookup, holder uuid.UUID) error {
	a := access.Program(l.Workspace, l.Actor)
	var after uuid.UUID
	for ctx.Err() == nil {
		held, err := v.store.HoldLookup(ctx, l, holder, time.Now().Add(lookupHold))
		if err != nil || !held {
			return err
		}
		if l, err = v.store.Lookup(ctx, l.Workspace, l.ID); err != nil {
			return err
		}
		list, err := v.store.Unplaced(ctx, l.Workspace, l.Collection, after, lookupChunk)
		if err != nil {
			return err
		}
		if len(list) == 0 {
			_, err := v.store.SetLookupState(ctx, l.Workspace, l.ID, store.LookupDone, "", store.LookupRunning)
			return err
		}
		after = list[len(list)-1].ID
		found, err := v.lookUpAll(ctx, list)
		if err != nil {
			if withoutMap(err) {
				_, stopped := v.store.SetLookupState(ctx, l.Workspace, l.ID, store.LookupPaused,
					feature.Clip(err.Error()),
					store.LookupRunning)
				return stopped
			}
			return err
		}
		if err := v.writeFound(ctx, a, &l, list, found); err != nil {
			return err
		}
	}
	return nil
}

// addressOf returns the address of a feature: as a file gave it, or else as somebody wrote it.
func addressOf(f *feature.Feature) string {
	if f.AddressTyped != "" {
		return f.AddressTyped
	}
	return f.Attributes.Get("address").Text
}

// lookUpAll looks up the addresses of features, two at a time.
func (v *Service) lookUpAll(ctx context.Context, list []*feature.Feature) ([]FoundAddress, error) {
	out := make([]FoundAddress, len(list))
	var failed [2]error
	var wait sync.WaitGroup
	for k := range failed {
		wait.Go(func() {
			for i := k; i < len(list) && failed[k] == nil; i += len(failed) {
				query := addressOf(list[i])
				finds, _, err := v.atlas.Geocode(ctx, address.Query{Text: query, Limit: 2})
				if err != nil {
					failed[k] = err
					return
				}
				out[i] = foundAddress(query, finds)
			}
		})
	}
	wait.Wait()
	return out, errors.Join(failed[:]...)
}

// writeFound writes what was found of addresses as one change of a lookup. What somebody has changed meanwhile is left.
func (v *Service) writeFound(
	ctx context.Context, a Actor, l *Lookup, list []*feature.Feature, found []FoundAddress,
) error {
	ids := make([]uuid.UUID, len(list))
	for i, f := range list {
		ids[i] = f.ID
	}
	want := store.Wanted{Collections: []string{l.Collection}, Features: ids}
	next := *l
	_, err := perform(ctx, v, a, want, func(c *store.Change) (struct{}, error) {
		next = *l
		versions, err := c.Versions(ids...)
		if err != nil {
			return struct{}{}, err
		}
		var write []store.Replacement
		for i, f := range list {
			if versions[f.ID] != (store.Version{No: f.Version}) {
				continue
			}
			found[i].Lookup = l.ID.String()
			after, err := withAddress(f, found[i])
			if err != nil {
				return struct{}{}, err
			}
			switch found[i].State {
			case AddressSure:
				next.Placed++
			case AddressDoubtful:
				next.Doubtful++
			default:
				next.Nothing++
			}
			write = append(write, store.Replacement{Before: f, After: after})
		}
		next.Changes = l.Changes.With(c.No)
		return struct{}{}, errors.Join(c.WriteAll(write), c.SetLookup(next))
	})
	*l = next
	return err
}

// withAddress returns a feature with what was found of its address; where that is certain, or accepted, it lies there.
func withAddress(f *feature.Feature, found FoundAddress) (*feature.Feature, error) {
	text, err := json.Marshal(found)
	if err != nil {
		return nil, err
	}
	after := *f
	after.AddressFound = text
	if (found.State == AddressSure || found.State == AddressAccepted) && found.At != nil {
		at, err := geo.NewPoint(found.At[1], found.At[0])
		if err != nil {
			return nil, err
		}
		after.Geometry, after.Source = feature.At(at.Rounded()), "address"
	}
	return &after, nil
}

// AddressesOf tells how the addresses of a collection fared: how many came to which state, "waiting" for those that
// were not looked up, and some of those in one state, by id, from after one on.
func (v *Service) AddressesOf(
	ctx context.Context, a Actor, collection, state string, after uuid.UUID, limit int,
) (counts map[string]int, list []*feature.Feature, err error) {
	if err := a.MayRead(); err != nil {
		return nil, nil, err
	}
	if !a.Sees(collection) {
		return nil, nil, fault.Missing("collection " + feature.Clip(collection))
	}
	if counts, err = v.store.AddressStates(ctx, a.Workspace, collection); err != nil {
		return nil, nil, err
	}
	if counts["waiting"], err = v.store.CountUnplaced(ctx, a.Workspace, collection); err != nil {
		return nil, nil, err
	}
	if state == "waiting" {
		list, err = v.store.Unplaced(ctx, a.Workspace, collection, after, limit)
	} else {
		list, err = v.store.LookedUp(ctx, a.Workspace, collection, state, after, limit)
	}
	return counts, list, err
}

// MovedAddress is a feature whose address is now found elsewhere, or no longer.
type MovedAddress struct {
	Feature *feature.Feature
	Was     FoundAddress
	Now     FoundAddress
	// ShiftM is how far the address has moved, NaN where it is no longer found.
	ShiftM float64
}

// MovedAddresses compares how the addresses of a collection were found with how they are found now, where the map data
// are others: those that moved by more than a metre or are no longer found, and those that stayed. A place that
// somebody has put elsewhere since is neither.
func (v *Service) MovedAddresses(ctx context.Context, a Actor, collection string) (
	moved []MovedAddress, stayed []MovedAddress, err error,
) {
	if err := errors.Join(a.MayRead(), a.MayAsk()); err != nil {
		return nil, nil, err
	}
	if !a.Sees(collection) {
		return nil, nil, fault.Missing("collection " + feature.Clip(collection))
	}
	var after uuid.UUID
	for seen := 0; seen < mostMoved; seen += lookupChunk {
		list, err := v.store.LookedUp(ctx, a.Workspace, collection, "", after, lookupChunk)
		if err != nil || len(list) == 0 {
			return moved, stayed, err
		}
		after = list[len(list)-1].ID
		for _, f := range list {
			var was FoundAddress
			if json.Unmarshal(f.AddressFound, &was) != nil || was.Query == "" || was.At == nil ||
				v.atlas.InUse(was.Version) || was.State != AddressSure && was.State != AddressAccepted &&
				was.State != AddressChosen {
				continue
			}
			from, err := geo.NewPoint(was.At[1], was.At[0])
			if err != nil || f.Geometry.Point() != from.Rounded() {
				continue
			}
			finds, _, err := v.atlas.Geocode(ctx, address.Query{Text: was.Query, Limit: 2})
			if err != nil {
				return nil, nil, err
			}
			m := MovedAddress{Feature: f, Was: was, Now: foundAddress(was.Query, finds), ShiftM: math.NaN()}
			if len(finds) > 0 {
				m.ShiftM = geodesy.Distance(from, finds[0].At)
			}
			if m.ShiftM <= movedM {
				stayed = append(stayed, m)
			} else {
				moved = append(moved, m)
			}
		}
	}
	return moved, stayed, nil
}

// TakeMoved takes over where addresses are found now: of features that somebody chose, or with nil of all that are
// found for certain; then those that stayed are noted as found in the map data of now. It returns how many places were
// moved.
func (v *Service) TakeMoved(ctx context.Context, a Actor, collection string, ids []uuid.UUID) (int, error) {
	if err := a.MayWrite(); err != nil {
		return 0, err
	}
	moved, stayed, err := v.MovedAddresses(ctx, a, collection)
	if err != nil {
		return 0, err
	}
	wanted := map[uuid.UUID]bool{}
	for _, id := range ids {
		wanted[id] = true
	}
	var list []MovedAddress
	taken := 0
	for _, m := range moved {
		if wanted[m.Feature.ID] && m.Now.At != nil {
			m.Now.State = AddressAccepted
		} else if ids != nil || m.Now.State != AddressSure {
			continue
		}
		list = append(list, m)
		taken++
	}
	for _, m := range stayed {
		if ids == nil {
			m.Was.Region, m.Was.Version = m.Now.Region, m.Now.Version
			m.Now = m.Was
			list = append(list, m)
		}
	}
	if len(list) == 0 {
		return 0, nil
	}
	all := make([]uuid.UUID, len(list))
	for i, m := range list {
		all[i] = m.Feature.ID
	}
	want := store.Wanted{Collections: []string{collection}, Features: all}
	_, err = perform(ctx, v, a, want, func(c *store.Change) (struct{}, error) {
		versions, err := c.Versions(all...)
		if err != nil {
			return struct{}{}, err
		}
		var write []store.Replacement
		for _, m := range list {
			if versions[m.Feature.ID] != (store.Version{No: m.Feature.Version}) {
				continue
			}
			after, err := withAddress(m.Feature, m.Now)
			if err != nil {
				return struct{}{}, err
			}
			write = append(write, store.Replacement{Before: m.Feature, After: after})
		}
		return struct{}{}, c.WriteAll(write)
	})
	return taken, err
}
