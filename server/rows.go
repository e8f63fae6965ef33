package server

import (
	"net/http"
	"strconv"
	"strings"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/service"
)

const (
	maxOffset = 100_000_000
	maxIDs    = 500
)

// rows answers GET /v1/features: any part of a list of features that is searched, filtered and sorted.
func (s *server) rows(c *echo.Context) error {
	q := newQuery(c)
	ask := service.Rows{Text: q.text("q", 1000), Collections: q.list("collection", 100), Categories: q.list("category", 200), Kinds: q.list("kind", 3), Limit: q.limit(), Where: map[string]string{}}
	ask.Sort = q.text("sort", 101)
	if name, descending := strings.CutPrefix(ask.Sort, "-"); descending {
		ask.Sort, ask.Descending = name, true
	}
	if ask.Sort == "" {
		ask.Sort = "name"
	}
	if text := q.text("offset", 20); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || n < 0 || n > maxOffset {
			q.refuse("offset", text, &geo.ParseError{Reason: "is not how many to pass over", Hint: "0 or more"})
		}
		ask.Offset = n
	}
	for _, text := range q.list("where", 20) {
		name, value, ok := strings.Cut(text, ":")
		if !ok || name == "" {
			q.refuse("where", text, &geo.ParseError{Reason: "is not an attribute and its value", Hint: "where=condition:sound, or where=condition: for those without one"})
		}
		ask.Where[name] = value
	}
	if text := q.text("bbox", 200); text != "" {
		b, err := geo.ParseBox(text)
		if err != nil {
			q.refuse("bbox", text, err)
		}
		ask.Box = &b
	}
	if text := q.text("placed", 5); text != "" {
		placed := text == "true"
		if !placed && text != "false" {
			q.refuse("placed", text, &geo.ParseError{Reason: "is neither true nor false", Hint: "placed=false for those whose position is not known"})
		}
		ask.Placed = &placed
	}
	for _, text := range q.list("id", maxIDs) {
		id, err := uuid.Parse(text)
		if err != nil {
			q.refuse("id", text, &geo.ParseError{Reason: "is not an id", Hint: "a UUID"})
		}
		ask.IDs = append(ask.IDs, id)
	}
	if err := q.check(); err != nil {
		return err
	}
	found, total, err := s.Service.Rows(c.Request().Context(), actor(c), ask)
	if err != nil {
		return err
	}
	out := geojson.NewCollection(found)
	count, cut := len(out.Features), ask.Offset+len(out.Features) < total
	out.NumberReturned, out.NumberMatched, out.Truncated = &count, &total, &cut
	return features(c, http.StatusOK, out)
}

// bulk answers POST /v1/bulk.
func (s *server) bulk(c *echo.Context) error {
	var body struct {
		Changes []service.BulkChange `json:"changes"`
	}
	if err := s.decodeAs(c, maxBulk, featureTypes, &body); err != nil {
		return err
	}
	o, err := once(c)
	if err != nil {
		return err
	}
	done, err := s.Service.Bulk(c.Request().Context(), actor(c), body.Changes, o)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, done)
}

// shape answers POST /v1/shape.
func (s *server) shape(c *echo.Context) error {
	in, err := s.decodeFeature(c)
	if err != nil {
		return err
	}
	out, err := s.Service.MeasureShape(c.Request().Context(), actor(c), in)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}
