package lookout

import (
	"context"
	"encoding/json"
	"errors"
	"math"

	"github.com/google/uuid"

	"viandante/core/watch"
	"viandante/service/catalog"
	"viandante/service/party"
	"viandante/store"
)

// takeOver goes on where the process before ended.
func (l *Lookout) takeOver(ctx context.Context) error {
	l.tried = l.now()
	if l.catalog.Now() == nil {
		return nil // not loaded yet
	}
	got, err := l.store.KeepLookout(ctx, l.workspace, l.process, lease)
	if errors.Is(err, store.ErrRelieved) {
		return nil
	} else if err != nil {
		return err
	}
	// What is read below is no older than what waits from now on; to hear of something twice does no harm.
	l.next()
	engine := watch.NewEngine(places{l.catalog})
	now := l.now()
	for _, m := range l.room.Listen(l) {
		if m.Last.At.IsValid() {
			engine.Moved(party.Thing(&m), m.Last.Time)
		}
	}
	rows, err := l.store.AllKept(ctx, l.workspace, store.Watches)
	if err != nil {
		return err
	}
	held, err := l.store.Watched(ctx, l.workspace)
	if err != nil {
		return err
	}
	var entries []store.Logged
	for no := got.ChangeNo; ; {
		more, err := l.store.ChangesSince(ctx, l.workspace, no, mostAtOnce)
		if err != nil {
			return err
		}
		if len(more) == 0 {
			break
		}
		entries = append(entries, more...)
		no = more[len(more)-1].No
	}
	definitions := map[uuid.UUID]json.RawMessage{}
	for _, r := range rows {
		definitions[r.ID] = r.Body
	}
	// Those that were changed since are first what they were.
	for i := len(entries) - 1; i >= 0; i-- {
		if e := &entries[i]; e.Topic == store.Watches {
			if id, body, err := definitionOf(e, false); err == nil {
				definitions[id] = body
			}
		}
	}
	l.engine, l.no, l.changeNo, l.part, l.saved = engine, got.No, got.ChangeNo, math.MaxInt64, got.ChangeNo
	l.notice = &store.Noticed{Begun: map[uuid.UUID][]store.Held{}}
	snapshot := l.catalog.Now()
	for id, body := range definitions {
		w, ok := l.watchOf(id, body)
		if !ok {
			continue
		}
		if got.New {
			l.begin(w)
			continue
		}
		engine.Restore(w, thingsOf(held[id]))
	}
	for i := range entries {
		l.apply(&entries[i])
	}
	if !got.New {
		for id := range definitions {
			l.note(engine.Settle(id, now, func(place uuid.UUID) (watch.Thing, bool) {
				row, ok := snapshot.Get(catalog.Everything(), place)
				if !ok || !row.Point().IsValid() {
					return watch.Thing{}, false
				}
				return ThingOfRow(row), true
			}))
		}
	}
	l.looking.Store(true)
	return l.write(ctx)
}

// watchOf returns a watch that is to be looked at; none for one that was deleted or is paused.
func (l *Lookout) watchOf(id uuid.UUID, body json.RawMessage) (watch.Watch, bool) {
	var d Definition
	if len(body) == 0 || string(body) == "null" {
		return watch.Watch{}, false
	}
	if err := json.Unmarshal(body, &d); err != nil {
		l.log.Warn("a watch cannot be read", "watch", id, "error", err)
		return watch.Watch{}, false
	}
	w, err := d.Watch(id)
	return w, err == nil && !d.Paused
}

// definitionOf returns what an entry of the log says of a watch, as it became or was; nothing for none.
func definitionOf(e *store.Logged, after bool) (uuid.UUID, json.RawMessage, error) {
	id, err := uuid.Parse(e.Entity)
	if err != nil {
		return id, nil, err
	}
	if after && e.TextAfter == nil || !after && e.TextBefore == nil {
		return id, nil, nil
	}
	var row store.Kept
	err = e.Text(&row, after)
	return id, row.Body, err
}

func thingsOf(list []store.Held) []watch.Thing {
	out := make([]watch.Thing, len(list))
	for i, h := range list {
		out[i] = watch.Thing{ID: h.Thing, Place: h.Place, Group: h.Of}
	}
	return out
}
