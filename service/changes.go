package service

import (
	"context"
	"encoding/json"

	"viandante/codec/geojson"
	"viandante/store"
)

// Changed is one change as it is told to those who follow.
type Changed struct {
	No         uint64 `json:"no"`
	Topic      string `json:"topic"`
	Collection string `json:"collection,omitempty"`
	ID         string `json:"id"`
	Actor      string `json:"actor"`
	At         string `json:"at"`
	// Feature is the feature as it is now, null when deleted; left out for other topics.
	Feature *geojson.Feature `json:"feature"`
	last    bool
}

// Last tells that no more comes under the same number.
func (c *Changed) Last() bool { return c.last }

// ChangeNo returns the number of the workspace's last change.
func (v *Service) ChangeNo(ctx context.Context, a Actor) (uint64, error) {
	if err := a.mayRead(); err != nil {
		return 0, err
	}
	return v.store.ChangeNo(ctx, a.Workspace)
}

// Changes calls send with every change after a number, as they come, until ctx is done or send fails. A number from
// before what is kept, or from beyond the last one, is Gone: the follower has to read everything anew.
func (v *Service) Changes(ctx context.Context, a Actor, since uint64, send func([]Changed) error) error {
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return err
	}
	no, err := v.ChangeNo(ctx, a)
	if err != nil {
		return err
	}
	if since > no {
		return &Error{Kind: Gone, Detail: "there is no such change yet; read everything anew and follow from there"}
	}
	for {
		changed := *x.changed.Load()
		log, err := v.store.ChangesSince(ctx, a.Workspace, since, 500)
		if err != nil {
			return err
		}
		if len(log) > 0 {
			if since > 0 && log[0].No != since+1 {
				return &Error{Kind: Gone, Detail: "changes that far back are no longer kept; read everything anew and follow from there"}
			}
			since = log[len(log)-1].No
			if err := send(tell(a, log)); err != nil {
				return err
			}
			continue
		}
		select {
		case <-ctx.Done():
			return nil
		case <-changed:
		}
	}
}

func tell(a Actor, log []store.Logged) []Changed {
	out := make([]Changed, len(log))
	for i, l := range log {
		out[i] = Changed{No: l.No, Topic: l.Topic, Collection: l.Collection, ID: l.Entity, Actor: l.Actor, At: l.At.Format("2006-01-02T15:04:05.000000Z07:00"),
			last: i+1 == len(log) || log[i+1].No != l.No}
		if l.Topic == "features" && l.After != nil {
			var f store.Feature
			if json.Unmarshal(l.After, &f) == nil {
				out[i].Feature = present(a, &f)
			}
		}
	}
	return out
}
