package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/road"
)

// route answers GET /v1/route.
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
			steps[i] = map[string]any{
				"turn":        st.Turn,
				"name":        st.Name,
				"way":         st.Class.String(),
				"distance_m":  st.DistanceM,
				"duration_s":  st.DurationS,
				"bearing_deg": defined(st.Bearing),
				"arrival_deg": defined(st.Arrival),
				"arms_deg":    append([]float64{}, st.Arms...),
				"at":          lngLat(st.At),
				"from":        offset + st.From,
			}
		}
		out = append(
			out,
			map[string]any{
				"distance_m":  leg.DistanceM,
				"duration_s":  leg.DurationS,
				"from_road_m": leg.FromRoadM,
				"to_road_m":   leg.ToRoadM,
				"steps":       steps,
			},
		)
	}
	return &geojson.Feature{Type: "Feature", Geometry: geojson.LineString(line),
		Properties: map[string]any{"distance_m": distance, "duration_s": duration, "by": mode.String(), "legs": out}}
}
