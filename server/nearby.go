package server

import (
	"fmt"
	"math"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/service/catalog"
)

// nearby answers GET /v1/nearby: the features of a ring, by distance; places where no kind is asked for.
func (s *server) nearby(c *echo.Context) error {
	q := newQuery(c)
	if c.QueryParams().Has("by") {
		return s.nearbyByTime(c, q)
	}
	q.known = append(q.known, "by", "avoid", "depart")
	for _, name := range []string{"avoid", "depart"} {
		if q.values.Has(name) {
			q.refuse(name, q.values.Get(name), &geo.ParseError{Reason: "is for places by travel time",
				Hint: "with by=foot"})
		}
	}
	ask := catalog.Near{
		At:          q.point("at", true),
		WithinM:     q.length("within", math.Inf(1)),
		BeyondM:     q.length("beyond", 0),
		Collections: q.list("collection", 100),
		Categories:  q.list("category", 100),
		Kinds:       q.list("kind", 3),
		Where:       q.where(),
		Count:       q.text("count", 5) == "true",
		Limit:       q.limit(),
	}
	q.kinds(ask.Kinds)
	if err := q.check(); err != nil {
		return err
	}
	return s.sendNearby(c, ask)
}

// nearbyByTime answers GET /v1/nearby with by: places by the time that it takes to get there.
func (s *server) nearbyByTime(c *echo.Context, q *query) error {
	ask := catalog.Near{
		At:          q.point("at", true),
		Collections: q.list("collection", 100),
		Categories:  q.list("category", 100),
		Kinds:       q.list("kind", 3),
		Where:       q.where(),
		Limit:       q.limit(),
	}
	within, beyond := q.duration("within", math.Inf(1)), q.duration("beyond", 0)
	t := q.travelling("")
	for _, kind := range ask.Kinds {
		if kind != feature.Place.String() {
			q.refuse("kind", kind, &geo.ParseError{Reason: "is not asked for by time", Hint: "place"})
		}
	}
	if q.flag("count") {
		q.refuse("count", "true", &geo.ParseError{Reason: "is for rings of a distance"})
	}
	if err := q.check(); err != nil {
		return err
	}
	found, complete, err := s.Service.NearbyByTime(c.Request().Context(), actor(c), t, ask, within, beyond)
	if err != nil {
		return err
	}
	from := geodesy.NewFrom(ask.At)
	a := newListing(len(found))
	for i := range found {
		n := &found[i]
		a.row(n.Row, func(dst []byte) []byte {
			dst = appendMember(dst, feature.PropCollection, n.Collection())
			dst = appendNumber(dst, "duration_s", n.DurationS)
			dst = appendNumber(dst, "distance_m", n.DistanceM)
			return appendNumber(dst, "bearing_deg", from.Bearing(n.Point(), from.Distance(n.Point())))
		})
	}
	return a.send(c, fmt.Sprintf(`"truncated":%t,"numberReturned":%d`, !complete || len(found) == ask.Limit, len(
		found)))
}

// duration returns a duration in seconds, or the given default.
func (q *query) duration(name string, otherwise float64) float64 {
	s := q.text(name, 100)
	if s == "" {
		return otherwise
	}
	d, err := geo.ParseDuration(s)
	if err != nil {
		q.refuse(name, s, err)
	}
	return d.Seconds()
}

// kinds refuses what is not a kind of feature.
func (q *query) kinds(kinds []string) {
	for _, kind := range kinds {
		if _, ok := feature.ParseKind(kind); !ok {
			q.refuse("kind", kind, &geo.ParseError{Reason: "is not a kind of feature", Hint: "place, path or area"})
		}
	}
}

// sendNearby sends what a ring holds.
func (s *server) sendNearby(c *echo.Context, ask catalog.Near) error {
	found, matched, err := s.Service.Nearby(c.Request().Context(), actor(c), ask)
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
	members := fmt.Sprintf(`"truncated":%t,"numberReturned":%d`, matched != len(found), len(found))
	if matched >= 0 {
		members += `,"numberMatched":` + strconv.Itoa(matched)
	}
	return a.send(c, members)
}

// nearbyGeometry answers POST /v1/nearby: the places within a distance of a line or an area, by distance.
func (s *server) nearbyGeometry(c *echo.Context) error {
	var body struct {
		Geometry   *geojson.Geometry `json:"geometry"`
		Within     string            `json:"within"`
		Beyond     string            `json:"beyond"`
		Collection []string          `json:"collection"`
		Category   []string          `json:"category"`
		Where      map[string]string `json:"where"`
		Limit      *int              `json:"limit"`
	}
	if err := s.decodeAs(c, maxBody, jsonTypes, &body); err != nil {
		return err
	}
	q := &query{}
	ask := catalog.Near{Collections: body.Collection, Categories: body.Category, Where: body.Where, Limit: defaultLimit}
	if body.Limit != nil {
		if ask.Limit = *body.Limit; ask.Limit < 1 || ask.Limit > maxLimit {
			q.refuse("limit", strconv.Itoa(ask.Limit), &geo.ParseError{Reason: "is not a number from 1 to 10000"})
		}
	}
	lengthOf := func(name, text string, into *float64) {
		if text == "" {
			return
		}
		v, err := geo.ParseLength(text)
		if err != nil {
			q.refuse(name, text, err)
		}
		*into = v
	}
	lengthOf("within", body.Within, &ask.WithinM)
	lengthOf("beyond", body.Beyond, &ask.BeyondM)
	if body.Geometry == nil {
		q.refuse("geometry", "", &geo.ParseError{Reason: "is missing", Hint: "a GeoJSON LineString, Polygon or Point"})
	} else if g, err := body.Geometry.Read(); err != nil {
		q.refuse("geometry", body.Geometry.Type, err)
	} else if ask.Round, ask.At = g, g.Point(); !g.IsKnown() {
		q.refuse("geometry", "", &geo.ParseError{Reason: "is missing", Hint: "a GeoJSON LineString, Polygon or Point"})
	} else if body.Within == "" && g.Form() != feature.Polygon {
		q.refuse("within", "", &geo.ParseError{Reason: "is missing",
			Hint: `how far from the line or point, e.g. "200m"`})
	}
	if err := q.check(); err != nil {
		return err
	}
	return s.sendNearby(c, ask)
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

// served answers GET /v1/served: whether areas serve a point, by which, and if none, which comes nearest.
func (s *server) served(c *echo.Context) error {
	q := newQuery(c)
	at, by, exclude := q.point("at", true), q.list("collection", 100), q.list("exclude", 100)
	if err := q.check(); err != nil {
		return err
	}
	found, err := s.Service.Served(c.Request().Context(), actor(c), at, by, exclude)
	if err != nil {
		return err
	}
	type area struct {
		ID         string   `json:"id"`
		Name       string   `json:"name"`
		Collection string   `json:"collection"`
		Category   string   `json:"category"`
		DistanceM  *float64 `json:"distance_m,omitempty"`
		BearingDeg any      `json:"bearing_deg,omitempty"`
	}
	of := func(r catalog.Row) area {
		return area{ID: r.ID().String(), Name: r.Name(), Collection: r.Collection(), Category: r.Category()}
	}
	list := func(rows []catalog.Row) []area {
		out := make([]area, len(rows))
		for i, r := range rows {
			out[i] = of(r)
		}
		return out
	}
	nearest := make([]area, len(found.Nearest))
	for i := range found.Nearest {
		n := &found.Nearest[i]
		nearest[i] = of(n.Row)
		nearest[i].DistanceM, nearest[i].BearingDeg = &n.DistanceM, defined(n.BearingDeg)
	}
	return c.JSON(http.StatusOK, map[string]any{"served": found.Served, "by": list(found.By),
		"excluded_by": list(found.Excluded), "nearest": nearest})
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
