package server

import (
	"math"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service/catalog"
)

// nearby answers GET /v1/nearby: the features of a ring, by distance; places where no kind is asked for.
func (s *server) nearby(c *echo.Context) error {
	q := newQuery(c)
	ask := catalog.Near{
		At:          q.point("at", true),
		WithinM:     q.length("within", math.Inf(1)),
		BeyondM:     q.length("beyond", 0),
		Collections: q.list("collection", 100),
		Categories:  q.list("category", 100),
		Kinds:       q.list("kind", 3),
		Limit:       q.limit(),
	}
	for _, kind := range ask.Kinds {
		if _, ok := feature.ParseKind(kind); !ok {
			q.refuse("kind", kind, &geo.ParseError{Reason: "is not a kind of feature", Hint: "place, path or area"})
		}
	}
	if err := q.check(); err != nil {
		return err
	}
	found, truncated, err := s.Service.Nearby(c.Request().Context(), actor(c), ask)
	if err != nil {
		return err
	}
	a := newListing(len(found))
	for i := range found {
		n := &found[i]
		a.row(n.Row, func(dst []byte) []byte {
			dst = appendMember(dst, feature.PropCollection, n.Collection())
			dst = appendNumber(dst, "distance_m", n.DistanceM)
			return appendNumber(dst, "bearing_deg", n.BearingDeg)
		})
	}
	return a.send(c, `"truncated":`+strconv.FormatBool(truncated))
}

// contains answers GET /v1/contains: the areas that hold a point.
func (s *server) contains(c *echo.Context) error {
	q := newQuery(c)
	at, collections := q.point("at", true), q.list("collection", 100)
	if err := q.check(); err != nil {
		return err
	}
	rows, err := s.Service.Containing(c.Request().Context(), actor(c), at, collections)
	if err != nil {
		return err
	}
	a := newListing(len(rows))
	for _, r := range rows {
		a.row(r, func(dst []byte) []byte { return appendMember(dst, feature.PropCollection, r.Collection()) })
	}
	return a.send(c, "")
}

// marks answers GET /v1/places/tiles/z/x/y: the places of a tile of the map, those of a cell together.
func (s *server) marks(c *echo.Context) error {
	t, err := tileID(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	collections, categories := q.list("collection", 100), q.list("category", 500)
	if err := q.check(); err != nil {
		return err
	}
	found, err := s.Service.Marks(c.Request().Context(), actor(c), t, collections, categories)
	if err != nil {
		return err
	}
	marks := make([]mark, len(found))
	for i, m := range found {
		marks[i] = mark{Count: m.Count, At: lngLat(m.At)}
		if m.Count > 1 {
			marks[i].BBox = []float64{m.Cell.West, m.Cell.South, m.Cell.East, m.Cell.North}
			continue
		}
		marks[i].ID, marks[i].Name = m.Row.ID().String(), m.Row.Name()
		marks[i].Category, marks[i].Collection = m.Row.Category(), m.Row.Collection()
	}
	c.Response().Header().Set("Cache-Control", "no-cache")
	return c.JSON(http.StatusOK, map[string]any{"marks": marks})
}

// mark is a place on a tile, or several in one cell of it.
type mark struct {
	Count int `json:"count"`
	// At is lng, lat: the place's, or the middle of those that it stands for.
	At [2]float64 `json:"at"`
	// BBox is the cell of several: west, south, east, north.
	BBox []float64 `json:"bbox,omitempty"`
	// ID and the rest are those of a single place.
	ID         string `json:"id,omitempty"`
	Name       string `json:"name,omitempty"`
	Category   string `json:"category,omitempty"`
	Collection string `json:"collection,omitempty"`
}
