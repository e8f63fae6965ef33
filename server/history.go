package server

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/feature"
)

// history answers GET /v1/collections/C/history/ID.
func (s *server) history(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	limit := q.limit()
	if err := q.check(); err != nil {
		return err
	}
	collection, err := collectionInPath(c)
	if err != nil {
		return err
	}
	past, err := s.Service.History(c.Request().Context(), actor(c), collection, id, limit)
	if err != nil {
		return err
	}
	out := make([]map[string]any, len(past))
	for i, p := range past {
		changes := make([]map[string]any, len(p.Changes))
		for k, d := range p.Changes {
			changes[k] = map[string]any{
				"name":   d.Name,
				"before": presentValue(d.Before),
				"after":  presentValue(d.After),
			}
		}
		out[i] = map[string]any{"no": p.No, "at": p.At.Format(time.RFC3339Nano), "actor": p.Actor, "what": p.What,
			"changes": changes, "moved_m": p.MovedM, "feature": present(p.Feature)}
	}
	return c.JSON(http.StatusOK, map[string]any{"history": out})
}

// presentValue returns a value of a change as package json writes it.
func presentValue(v any) any {
	if g, ok := v.(feature.Geometry); ok {
		return geojson.GeometryOf(g)
	}
	return v
}

// bin answers GET /v1/bin.
func (s *server) bin(c *echo.Context) error {
	q := newQuery(c)
	limit := q.limit()
	if err := q.check(); err != nil {
		return err
	}
	binned, err := s.Service.Bin(c.Request().Context(), actor(c), limit)
	if err != nil {
		return err
	}
	out := make([]map[string]any, len(binned))
	for i, b := range binned {
		out[i] = map[string]any{"feature": present(b.Feature), "collection": b.Feature.Collection,
			"deleted_at": b.DeletedAt.Format(time.RFC3339Nano)}
	}
	return c.JSON(http.StatusOK, map[string]any{"bin": out})
}
