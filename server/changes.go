package server

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/service"
	"viandante/service/fault"
	"viandante/service/feed"
	"viandante/service/lookout"
	"viandante/service/party"
)

const (
	// heartbeat keeps connections open through whatever lies between.
	heartbeat = 15 * time.Second
	// slowReader is how long a stream may wait for its reader; then it is ended, to be resumed with the last number
	// seen.
	slowReader = 5 * time.Second
)

// Topics of the stream that are no part of the change log: where members of parties are, and events of watches. They
// have to be asked for.
const (
	topicPositions = "positions"
	topicSightings = "watch-events"
)

// changes streams the change log as server-sent events. The id of an event is the change's number; where several events
// share one, only the last carries it, so that a stream that broke off is resumed before the first of them. What moves
// comes in between, without an id.
func (s *server) changes(c *echo.Context) error {
	q := newQuery(c)
	since, topics := q.text("since", 20), q.list("topics", 20)
	known := append(slices.Clone(service.Topics), topicPositions, topicSightings)
	for _, topic := range topics {
		if !slices.Contains(known, topic) {
			q.refuse("topics", topic, &geo.ParseError{Reason: "is not a topic",
				Hint: "one or several of " + strings.Join(known, ", ")})
		}
	}
	if last := c.Request().Header.Get("Last-Event-ID"); last != "" {
		since = last
	}
	from := q.number64("since", since)
	if err := q.check(); err != nil {
		return err
	}
	ctx, a := c.Request().Context(), actor(c)
	f := following{s: s, c: c, topics: topics}
	defer f.close()
	var err error
	logged := func(topic string) bool { return slices.Contains(service.Topics, topic) }
	if len(topics) == 0 || slices.ContainsFunc(topics, logged) {
		if f.log, err = s.Service.FollowChanges(ctx, a, from); err != nil {
			return err
		}
		if f.first, err = f.log.Next(ctx); err != nil {
			return err
		}
	}
	if a.IsLimited() && !a.IsMember() && (slices.Contains(topics, topicPositions) ||
		slices.Contains(topics, topicSightings)) {
		return fault.New(fault.Forbidden, "this token is for some collections only; where people are belongs to none")
	}
	if slices.Contains(topics, topicPositions) {
		if f.party, err = s.Service.FollowParties(ctx, a, uuid.Nil); err != nil {
			return err
		}
	}
	if slices.Contains(topics, topicSightings) {
		if f.watches, err = s.Service.FollowSightings(ctx, a, nil); err != nil {
			return err
		}
	}
	return f.stream()
}

// beginStream begins an answer of server-sent events; false for a request that wants the header only.
func beginStream(c *echo.Context) bool {
	w := c.Response()
	w.Header().Set(echo.HeaderContentType, eventual)
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	return c.Request().Method != http.MethodHead
}

// changed is one change as it is told to those who follow.
type changed struct {
	No         uint64 `json:"no"`
	Topic      string `json:"topic"`
	Collection string `json:"collection,omitempty"`
	ID         string `json:"id"`
	Actor      string `json:"actor"`
	At         string `json:"at"`
	// Feature is the feature as it is now, null when deleted, and null for other topics.
	Feature json.RawMessage `json:"feature"`
}

// tell returns an entry of the log as the data of an event.
func tell(l *feed.Entry) ([]byte, error) {
	return json.Marshal(changed{No: l.No, Topic: l.Topic, Collection: l.Collection, ID: l.Entity, Actor: l.Actor,
		At: l.At.Format("2006-01-02T15:04:05.000000Z07:00"), Feature: present(l.After)})
}

// following is what a stream follows; nil for what was not asked for.
type following struct {
	s       *server
	c       *echo.Context
	topics  []string
	log     *feed.Follower
	first   []*feed.Event
	party   *party.Follower
	watches *lookout.Follower
	// numbered gives events of watches their numbers as ids: in a stream of nothing else. only is the watch that they
	// are of, the nil UUID for all.
	numbered bool
	only     uuid.UUID
	// ended tells that a guest has left his party, and sees no more of it.
	ended bool
}

// stillIn tells whether somebody is still in a party after what is told of it.
func stillIn(t *party.Told, member uuid.UUID) bool {
	if t.Whole {
		return slices.ContainsFunc(t.Members, func(m party.Member) bool { return m.ID == member })
	}
	return !slices.Contains(t.Left, member)
}

func (f *following) close() {
	if f.log != nil {
		f.log.Close()
	}
	if f.party != nil {
		f.party.Close()
	}
	if f.watches != nil {
		f.watches.Close()
	}
}

// stream sends what comes until the reader is gone or the server closes.
func (f *following) stream() error {
	if !beginStream(f.c) {
		return nil
	}
	f.s.metrics.streams.Inc()
	defer f.s.metrics.streams.Dec()
	var logged, moved, seen <-chan struct{}
	var text []byte
	if f.log != nil {
		logged = f.log.Woken()
		text = fmt.Appendf(nil, ": from %d\n\n", f.log.Since())
	} else if f.numbered {
		text = fmt.Appendf(nil, ": from %d\n\n", f.watches.Since())
	} else {
		text = []byte(": \n\n")
	}
	if f.party != nil {
		moved = f.party.Woken()
	}
	if f.watches != nil {
		seen = f.watches.Woken()
	}
	beat := time.NewTimer(heartbeat)
	defer beat.Stop()
	for {
		more, busy, err := f.next(text)
		if err != nil {
			return err
		}
		if len(more) > 0 && !f.s.push(f.c, more) {
			return nil // the reader is gone, or comes back
		}
		if f.ended {
			return nil
		}
		text = nil // kept by nobody while it waits
		if busy {
			continue
		}
		beat.Reset(heartbeat)
		select {
		case <-f.c.Request().Context().Done():
			return nil
		case <-f.s.closing.Done():
			return nil
		case <-logged:
		case <-moved:
		case <-seen:
		case <-beat.C:
			text = []byte(": \n\n")
		}
	}
}

// next appends what has come; busy tells that there may be more already.
func (f *following) next(text []byte) (_ []byte, busy bool, err error) {
	ctx, a := f.c.Request().Context(), actor(f.c)
	if f.log != nil {
		events := f.first
		if f.first = nil; events == nil {
			if events, err = f.log.Next(ctx); err != nil {
				return text, false, nil // told at the next try, before the stream begins
			}
		}
		busy = len(events) > 0
		for _, e := range events {
			if len(f.topics) > 0 && !slices.Contains(f.topics, e.Topic) || !service.SeesChange(a, e) {
				if e.Last { // an id without data moves a reader's place, and is no event
					text = fmt.Appendf(text, "id: %d\n\n", e.No)
				}
				continue
			}
			data, err := e.Text(tell)
			if err != nil {
				return nil, false, err
			}
			if e.Last {
				text = fmt.Appendf(text, "id: %d\n", e.No)
			}
			text = fmt.Appendf(text, "event: %s\ndata: %s\n\n", e.Topic, data)
		}
	}
	if f.party != nil {
		for _, t := range f.party.Next() {
			data, err := t.Text(tellParty)
			if err != nil {
				return nil, false, err
			}
			text = append(text, data...)
			if a.IsMember() && !stillIn(t, a.Member) {
				f.ended = true
			}
		}
	}
	if f.watches != nil {
		events, err := f.watches.Next(ctx)
		if err != nil {
			return text, false, nil
		}
		busy = busy || len(events) > 0
		for i := range events {
			if service.SeesSighting(a, &events[i]) && (f.only == uuid.Nil || events[i].Watch == f.only) {
				text = appendSighting(text, &events[i], f.numbered)
			}
		}
	}
	return text, busy, nil
}

// push sends a piece of a stream; false when its reader is gone or too slow.
func (s *server) push(c *echo.Context, text []byte) bool {
	control := http.NewResponseController(c.Response())
	_ = control.SetWriteDeadline(time.Now().Add(slowReader)) // a writer without deadlines is a test's
	_, err := c.Response().Write(text)
	if err == nil {
		err = control.Flush()
	}
	if errors.Is(err, os.ErrDeadlineExceeded) {
		s.metrics.cutOff.Inc()
	}
	return err == nil
}
