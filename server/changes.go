package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/service"
)

// heartbeat keeps connections open through whatever lies between.
const heartbeat = 15 * time.Second

// changes streams the change log as server-sent events. The id of an event is the change's number; where several events
// share one, only the last carries it, so that a stream that broke off is resumed before the first of them.
func (s *server) changes(c *echo.Context) error {
	q := newQuery(c)
	since, topics := q.text("since", 20), q.list("topics", 20)
	if last := c.Request().Header.Get("Last-Event-ID"); last != "" {
		since = last
	}
	a := actor(c)
	var from uint64
	var err error
	if since == "" {
		if from, err = s.Service.ChangeNo(c.Request().Context(), a); err != nil {
			return err
		}
	} else if from, err = strconv.ParseUint(since, 10, 64); err != nil {
		q.refuse("since", since, &geo.ParseError{Reason: "is not a change's number", Hint: "the id of the last event seen"})
	}
	if err := q.check(); err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(c.Request().Context())
	defer cancel()
	defer context.AfterFunc(s.closing, cancel)()

	w := c.Response()
	out := http.NewResponseController(w)
	var mu sync.Mutex
	started := false
	start := func() {
		if !started {
			w.Header().Set(echo.HeaderContentType, "text/event-stream")
			w.Header().Set("Cache-Control", "no-store")
			w.WriteHeader(http.StatusOK)
			fmt.Fprintf(w, ": from %d\n\n", from)
			started = true
		}
	}
	beat := func() error {
		mu.Lock()
		defer mu.Unlock()
		start()
		if _, err := fmt.Fprint(w, ": \n\n"); err != nil {
			return err
		}
		return out.Flush()
	}
	var beating sync.WaitGroup
	defer beating.Wait()
	defer cancel()
	beating.Go(func() {
		wait := time.NewTimer(20 * time.Millisecond) // an error in between can still be told
		defer wait.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-wait.C:
			}
			if beat() != nil {
				cancel()
				return
			}
			wait.Reset(heartbeat)
		}
	})
	return s.Service.Changes(ctx, a, from, func(list []service.Changed) error {
		mu.Lock()
		defer mu.Unlock()
		start()
		for _, change := range list {
			if len(topics) > 0 && !slices.Contains(topics, change.Topic) {
				continue
			}
			data, err := json.Marshal(change)
			if err != nil {
				return err
			}
			if change.Last() {
				fmt.Fprintf(w, "id: %d\n", change.No)
			}
			if _, err := fmt.Fprintf(w, "event: %s\ndata: %s\n\n", change.Topic, data); err != nil {
				return err
			}
		}
		return out.Flush()
	})
}
