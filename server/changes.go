package server

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/service"
	"viandante/service/feed"
)

const (
	// heartbeat keeps connections open through whatever lies between.
	heartbeat = 15 * time.Second
	// slowReader is how long a stream may wait for its reader; then it is ended, to be resumed with the last number
	// seen.
	slowReader = 5 * time.Second
)

// changes streams the change log as server-sent events. The id of an event is the change's number; where several events
// share one, only the last carries it, so that a stream that broke off is resumed before the first of them.
func (s *server) changes(c *echo.Context) error {
	q := newQuery(c)
	since, topics := q.text("since", 20), q.list("topics", 20)
	for _, topic := range topics {
		if !slices.Contains(service.Topics, topic) {
			q.refuse(
				"topics",
				topic,
				&geo.ParseError{
					Reason: "is not a topic",
					Hint:   "one or several of " + strings.Join(service.Topics, ", "),
				},
			)
		}
	}
	if last := c.Request().Header.Get("Last-Event-ID"); last != "" {
		since = last
	}
	var from *uint64
	if since != "" {
		no, err := strconv.ParseUint(since, 10, 64)
		if err != nil {
			q.refuse(
				"since",
				since,
				&geo.ParseError{Reason: "is not a change's number", Hint: "the id of the last event seen"},
			)
		}
		from = &no
	}
	if err := q.check(); err != nil {
		return err
	}
	follower, err := s.Service.FollowChanges(c.Request().Context(), actor(c), from)
	if err != nil {
		return err
	}
	defer follower.Close()
	events, err := follower.Next(c.Request().Context())
	if err != nil {
		return err
	}
	w := c.Response()
	w.Header().Set(echo.HeaderContentType, "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	if c.Request().Method == http.MethodHead {
		return nil
	}
	s.metrics.streams.Inc()
	defer s.metrics.streams.Dec()
	return s.stream(c, follower, events, topics)
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

func (s *server) stream(c *echo.Context, follower *feed.Follower, events []*feed.Event, topics []string) error {
	w, control := c.Response(), http.NewResponseController(c.Response())
	beat := time.NewTimer(heartbeat)
	defer beat.Stop()
	text := fmt.Appendf(nil, ": from %d\n\n", follower.Since())
	for {
		for _, e := range events {
			if len(topics) > 0 && !slices.Contains(topics, e.Topic) || !service.SeesChange(actor(c), e) {
				if e.Last { // an id without data moves a reader's place, and is no event
					text = fmt.Appendf(text, "id: %d\n\n", e.No)
				}
				continue
			}
			data, err := e.Text(tell)
			if err != nil {
				return err
			}
			if e.Last {
				text = fmt.Appendf(text, "id: %d\n", e.No)
			}
			text = fmt.Appendf(text, "event: %s\ndata: %s\n\n", e.Topic, data)
		}
		if len(text) > 0 {
			_ = control.SetWriteDeadline(time.Now().Add(slowReader)) // a writer without deadlines is a test's
			_, err := w.Write(text)
			if err == nil {
				err = control.Flush()
			}
			if err != nil {
				if errors.Is(err, os.ErrDeadlineExceeded) {
					s.metrics.cutOff.Inc()
				}
				return nil // the reader is gone, or comes back
			}
			text = nil // kept by nobody while it waits
		}
		if len(events) == 0 {
			beat.Reset(heartbeat)
			select {
			case <-c.Request().Context().Done():
				return nil
			case <-s.closing.Done():
				return nil
			case <-follower.Woken():
			case <-beat.C:
				text = []byte(": \n\n")
			}
		}
		var err error
		if events, err = follower.Next(c.Request().Context()); err != nil {
			return nil // told at the next try, before the stream begins
		}
	}
}
