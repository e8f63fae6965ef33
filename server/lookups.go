package server

import (
	"encoding/json"
	"errors"
	"net/http"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/core/geo"
	"viandante/service"
	"viandante/service/fault"
)

// lookupOut is a lookup as it is told of.
func lookupOut(l service.Lookup) map[string]any {
	return map[string]any{"id": l.ID, "collection": l.Collection, "state": l.State, "trouble": l.Trouble,
		"actor": l.Actor,
		"total": l.Total, "placed": l.Placed, "doubtful": l.Doubtful, "nothing": l.Nothing,
		"started_at": l.StartedAt.UTC(), "updated_at": l.Stamp.UTC()}
}

func (s *server) lookups(c *echo.Context) error {
	list, err := s.Service.Lookups(c.Request().Context(), actor(c))
	if err != nil {
		return err
	}
	out := make([]map[string]any, len(list))
	for i, l := range list {
		out[i] = lookupOut(l)
	}
	return c.JSON(http.StatusOK, map[string]any{"lookups": out})
}

// putLookup answers PUT /v1/lookups/ID: begins to look up the addresses of a collection.
func (s *server) putLookup(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	var body struct {
		Collection string `json:"collection"`
	}
	if err := s.decodeAs(c, maxSmall, jsonTypes, &body); err != nil {
		return err
	}
	l, err := s.Service.StartLookup(c.Request().Context(), actor(c), id, body.Collection)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, lookupOut(l))
}

func (s *server) lookup(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	l, err := s.Service.LookupOf(c.Request().Context(), actor(c), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, lookupOut(l))
}

// patchLookup answers PATCH /v1/lookups/ID: pauses it, lets it go on, stops it.
func (s *server) patchLookup(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	var body struct {
		State string `json:"state"`
	}
	if err := s.decodeAs(c, maxSmall, jsonTypes, &body); err != nil {
		return err
	}
	l, err := s.Service.SetLookupState(c.Request().Context(), actor(c), id, body.State)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, lookupOut(l))
}

func (s *server) undoLookup(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	l, undone, changed, err := s.Service.UndoLookup(c.Request().Context(), actor(c), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"lookup": lookupOut(l), "undone": undone, "changed_since": changed})
}

// addresses answers GET /v1/collections/C/addresses: how those that were looked up fared, and some of them.
func (s *server) addresses(c *echo.Context) error {
	collection, err := collectionInPath(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	state, limit := q.text("state", 20), q.limit()
	var after uuid.UUID
	if text := q.text("after", 36); text != "" {
		if after, err = uuid.Parse(text); err != nil {
			q.refuse("after", text, &geo.ParseError{Reason: "is not an id", Hint: "that of the last feature seen"})
		}
	}
	if err := q.check(); err != nil {
		return err
	}
	counts, list, err := s.Service.AddressesOf(c.Request().Context(), actor(c), collection, state, after, limit)
	if err != nil {
		return err
	}
	out := make([]json.RawMessage, len(list))
	for i, f := range list {
		out[i] = present(f)
	}
	return features(c, http.StatusOK, map[string]any{"type": "FeatureCollection", "features": out, "counts": counts})
}

// movedAddresses answers GET /v1/collections/C/addresses/moved: which are found elsewhere in the map data of now.
func (s *server) movedAddresses(c *echo.Context) error {
	collection, err := collectionInPath(c)
	if err != nil {
		return err
	}
	if err := newQuery(c).check(); err != nil {
		return err
	}
	moved, stayed, err := s.Service.MovedAddresses(c.Request().Context(), actor(c), collection)
	if err != nil {
		return err
	}
	out := make([]map[string]any, len(moved))
	for i, m := range moved {
		out[i] = map[string]any{"id": m.Feature.ID, "name": m.Feature.Name, "query": m.Was.Query, "was": m.Was,
			"now":     m.Now,
			"shift_m": defined(m.ShiftM)}
	}
	return c.JSON(http.StatusOK, map[string]any{"moved": out, "stayed": len(stayed)})
}

// takeMoved answers POST /v1/collections/C/addresses/moved: takes over where some are found now, or all.
func (s *server) takeMoved(c *echo.Context) error {
	collection, err := collectionInPath(c)
	if err != nil {
		return err
	}
	var body struct {
		IDs []uuid.UUID `json:"ids"`
		All bool        `json:"all"`
	}
	if err := s.decodeAs(c, maxSmall, jsonTypes, &body); err != nil {
		return err
	}
	if body.All == (body.IDs != nil) {
		return fault.Refuse("ids", "", errors.New("or all is to be given, one of the two"))
	}
	taken, err := s.Service.TakeMoved(c.Request().Context(), actor(c), collection, body.IDs)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"taken": taken})
}
