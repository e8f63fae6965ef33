package server

import (
	"math"
	"net/http"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/service"
)

const geoJSONType = "application/geo+json"

// features answers with GeoJSON.
func features(c *echo.Context, status int, v any) error {
	c.Response().Header().Set(echo.HeaderContentType, geoJSONType)
	return c.JSON(status, v)
}

func lngLat(p geo.Point) [2]float64 { return [2]float64{p.Lng(), p.Lat()} }

func (q *query) model() geodesy.Model {
	s := q.text("model", 20)
	m, err := geodesy.ParseModel(s)
	if err != nil {
		q.refuse("model", s, err)
	}
	return m
}

func (s *server) measure(c *echo.Context) error {
	q := newQuery(c)
	from, to, model := q.point("from", true), q.point("to", true), q.model()
	if err := q.check(); err != nil {
		return err
	}
	line := geodesy.Measure(model, from, to)
	middle, err := geodesy.Midpoint(model, from, to)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"from": lngLat(from), "to": lngLat(to), "distance_m": line.DistanceM,
		"initial_bearing_deg": service.Defined(line.InitialBearing), "final_bearing_deg": service.Defined(line.FinalBearing),
		"midpoint": geojson.Point(middle), "model": model})
}

func (s *server) destination(c *echo.Context) error {
	q := newQuery(c)
	from, bearing, distance, model := q.point("from", true), q.number("bearing"), q.length("distance", math.NaN()), q.model()
	if math.IsNaN(distance) {
		q.refuse("distance", "", &geo.ParseError{Reason: "is missing", Hint: "e.g. distance=5km"})
	}
	if err := q.check(); err != nil {
		return err
	}
	p, final, err := geodesy.Destination(model, from, bearing, distance)
	if err != nil {
		return &service.Error{Kind: service.Impossible, Detail: err.Error()}
	}
	return c.JSON(http.StatusOK, map[string]any{"point": geojson.Point(p), "final_bearing_deg": final, "model": model})
}

func (s *server) nearby(c *echo.Context) error {
	q := newQuery(c)
	ask := service.Nearby{At: q.point("at", true), WithinM: q.length("within", math.Inf(1)), BeyondM: q.length("beyond", 0),
		Collections: q.list("collection", 100), Categories: q.list("category", 100), Limit: q.limit()}
	if err := q.check(); err != nil {
		return err
	}
	found, truncated, err := s.Service.Nearby(c.Request().Context(), actor(c), ask)
	if err != nil {
		return err
	}
	out := geojson.NewCollection(found)
	out.Truncated = &truncated
	return features(c, http.StatusOK, out)
}

func (s *server) interpret(c *echo.Context) error {
	q := newQuery(c)
	text, near, limit := q.text("q", 1000), q.point("near", false), q.limit()
	if err := q.check(); err != nil {
		return err
	}
	found, unread, err := s.Service.Interpret(c.Request().Context(), actor(c), text, near, limit)
	if err != nil {
		return err
	}
	return features(c, http.StatusOK, struct {
		*geojson.Collection
		Unread *service.FieldError `json:"unread,omitempty"`
	}{geojson.NewCollection(found), unread})
}

func (s *server) geocode(c *echo.Context) error {
	q := newQuery(c)
	ask := address.Query{Text: q.text("q", 1000), Street: q.text("street", 300), HouseNumber: q.text("housenumber", 50),
		Locality: q.text("locality", 300), Postcode: q.text("postcode", 50), Near: q.point("near", false), Limit: q.limit()}
	if ask.Text == "" && ask.Street == "" && ask.Locality == "" {
		q.refuse("q", "", &geo.ParseError{Reason: "is missing", Hint: "q=Mill Lane 12, Varrowby, or street= with housenumber=, locality=, postcode="})
	}
	if err := q.check(); err != nil {
		return err
	}
	finds, err := s.Service.Geocode(c.Request().Context(), actor(c), ask)
	return presentFinds(c, finds, err)
}

func (s *server) reverse(c *echo.Context) error {
	q := newQuery(c)
	at, limit := q.point("at", true), q.limit()
	if err := q.check(); err != nil {
		return err
	}
	finds, err := s.Service.Reverse(actor(c), at, limit)
	return presentFinds(c, finds, err)
}

func presentFinds(c *echo.Context, finds []address.Find, err error) error {
	if err != nil {
		return err
	}
	out := make([]*geojson.Feature, len(finds))
	for i, f := range finds {
		out[i] = service.PresentFind(f)
		if c.Path() == "/v1/geocode/reverse" {
			out[i].Properties["distance_m"] = f.DistanceM
		}
	}
	return features(c, http.StatusOK, geojson.NewCollection(out))
}

func (s *server) route(c *echo.Context) error {
	q := newQuery(c)
	from, to := q.point("from", true), q.point("to", true)
	stops := []geo.Point{from}
	for _, v := range q.list("via", 50) {
		p, err := geo.ParsePoint(v)
		if err != nil {
			q.refuse("via", v, err)
		}
		stops = append(stops, p)
	}
	stops = append(stops, to)
	by := q.text("by", 20)
	if by == "" {
		by = region.Car.String()
	}
	mode, err := region.ParseMode(by)
	if err != nil {
		q.refuse("by", by, err)
	}
	if err := q.check(); err != nil {
		return err
	}
	legs, err := s.Service.Route(c.Request().Context(), actor(c), mode, stops)
	if err != nil {
		return err
	}
	return features(c, http.StatusOK, geojson.NewCollection([]*geojson.Feature{presentRoute(mode, legs)}))
}

func presentRoute(mode region.Mode, legs []*road.Route) *geojson.Feature {
	var line []geo.Point
	var distance, duration float64
	out := make([]map[string]any, 0, len(legs))
	for _, leg := range legs {
		offset := len(line)
		if offset > 0 && line[offset-1] == leg.Line[0] {
			offset--
			line = append(line, leg.Line[1:]...)
		} else {
			line = append(line, leg.Line...)
		}
		distance, duration = distance+leg.DistanceM, duration+leg.DurationS
		steps := make([]map[string]any, len(leg.Steps))
		for i, st := range leg.Steps {
			steps[i] = map[string]any{"turn": st.Turn, "name": st.Name, "way": st.Class.String(), "distance_m": st.DistanceM, "duration_s": st.DurationS,
				"bearing_deg": service.Defined(st.Bearing), "at": lngLat(st.At), "from": offset + st.From}
		}
		out = append(out, map[string]any{"distance_m": leg.DistanceM, "duration_s": leg.DurationS, "from_road_m": leg.FromRoadM, "to_road_m": leg.ToRoadM, "steps": steps})
	}
	return &geojson.Feature{Type: "Feature", Geometry: geojson.LineString(line),
		Properties: map[string]any{"distance_m": distance, "duration_s": duration, "by": mode.String(), "legs": out}}
}
