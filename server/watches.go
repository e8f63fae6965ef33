package server

import (
	"encoding/json"
	"fmt"
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/service"
)

func (s *server) watchCalls(g *echo.Group) {
	v := s.Service
	g.GET("/watches/events", s.sightings)
	keep(s, g, "/watches", maxFeature,
		keeper[service.Watch]{"watches", v.Watches, v.Watch, v.PutWatch, v.DeleteWatch})
	g.GET("/watches/:id/inside", s.inside)
}

// thingOut is somebody or something in a watch.
type thingOut struct {
	// Kind is person or place.
	Kind       string    `json:"kind"`
	ID         uuid.UUID `json:"id"`
	Name       string    `json:"name"`
	Party      string    `json:"party,omitempty"`
	Collection string    `json:"collection,omitempty"`
	Position   any       `json:"position"`
	DistanceM  any       `json:"distance_m"`
}

func presentThing(place bool, id uuid.UUID, name, of string, at geo.Point, distanceM float64) thingOut {
	out := thingOut{Kind: "person", ID: id, Name: name, Party: of, DistanceM: roundedOrNull(distanceM, 2)}
	if place {
		out.Kind, out.Party, out.Collection = "place", "", of
	}
	if at.IsValid() {
		out.Position = lngLat(at)
	}
	return out
}

// inside answers GET /v1/watches/ID/inside.
func (s *server) inside(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	all, truncated, err := s.Service.Inside(c.Request().Context(), actor(c), id)
	if err != nil {
		return err
	}
	out := make([]thingOut, len(all))
	for i, t := range all {
		out[i] = presentThing(t.Place, t.ID, t.Name, t.Group, t.At, t.DistanceM)
	}
	return c.JSON(http.StatusOK, map[string]any{"inside": out, "truncated": truncated})
}

// sightingOut is an event of a watch as it leaves.
type sightingOut struct {
	No    uint64    `json:"no"`
	Watch uuid.UUID `json:"watch"`
	// Event is enters or leaves.
	Event string `json:"event"`
	Why   string `json:"why"`
	thingOut
	AccuracyM  any    `json:"accuracy_m"`
	At         string `json:"at"`
	RecordedAt string `json:"recorded_at"`
}

func presentSighting(e *service.Sighting) sightingOut {
	out := sightingOut{No: e.No, Watch: e.Watch, Event: "leaves", Why: string(e.Why),
		thingOut:   presentThing(e.Thing.Place, e.Thing.ID, e.Name, e.Thing.Group, e.Thing.At, e.DistanceM),
		At:         e.At.UTC().Format(millis),
		RecordedAt: e.RecordedAt.UTC().Format(millis)}
	if e.Enters {
		out.Event = "enters"
	}
	if !e.Thing.Place {
		out.AccuracyM = roundedOrNull(e.Thing.AccuracyM, 1)
	}
	return out
}

// appendSighting appends an event to a stream, with its number as its id where the stream is of such events alone.
func appendSighting(text []byte, e *service.Sighting, numbered bool) []byte {
	data, _ := json.Marshal(presentSighting(e)) // finite numbers and text always marshal
	if numbered {
		text = fmt.Appendf(text, "id: %d\n", e.No)
	}
	return fmt.Appendf(text, "event: %s\ndata: %s\n\n", topicSightings, data)
}

// sightings answers GET /v1/watches/events: a list, or a stream that is resumed after the last event seen.
func (s *server) sightings(c *echo.Context) error {
	q := newQuery(c)
	text, only, limit := q.text("since", 20), q.ids("watch", 1), q.limit()
	streamed := accepts(c, "application/json", eventual) == eventual
	if last := c.Request().Header.Get("Last-Event-ID"); last != "" && streamed {
		text = last
	}
	since := q.number64("since", text)
	if err := q.check(); err != nil {
		return err
	}
	watch := uuid.Nil
	if len(only) > 0 {
		watch = only[0]
	}
	if streamed {
		f := following{s: s, c: c, numbered: true, only: watch}
		defer f.close()
		var err error
		if f.watches, err = s.Service.FollowSightings(c.Request().Context(), actor(c), since); err != nil {
			return err
		}
		return f.stream()
	}
	events, last, err := s.Service.Sightings(c.Request().Context(), actor(c), since, watch, limit)
	if err != nil {
		return err
	}
	out := make([]sightingOut, len(events))
	for i := range events {
		out[i] = presentSighting(&events[i])
	}
	return c.JSON(http.StatusOK, map[string]any{"events": out, "last": last})
}
