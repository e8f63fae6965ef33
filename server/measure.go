package server

import (
	"math"
	"net/http"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/service/fault"
)

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
		"initial_bearing_deg": defined(line.InitialBearing), "final_bearing_deg": defined(line.FinalBearing),
		"midpoint": geojson.Point(middle), "model": model})
}

func (s *server) destination(c *echo.Context) error {
	q := newQuery(c)
	from, bearing, distance, model := q.point(
		"from",
		true,
	), q.number(
		"bearing",
	), q.length(
		"distance",
		math.NaN(),
	), q.model()
	if math.IsNaN(distance) {
		q.refuse("distance", "", &geo.ParseError{Reason: "is missing", Hint: "e.g. distance=5km"})
	}
	if err := q.check(); err != nil {
		return err
	}
	p, final, err := geodesy.Destination(model, from, bearing, distance)
	if err != nil {
		return &fault.Error{Kind: fault.Impossible, Detail: err.Error()}
	}
	return c.JSON(http.StatusOK, map[string]any{"point": geojson.Point(p), "final_bearing_deg": final, "model": model})
}

// shape answers POST /v1/shape.
func (s *server) shape(c *echo.Context) error {
	in, err := s.decodeDraft(c)
	if err != nil {
		return err
	}
	m, err := s.Service.MeasureShape(c.Request().Context(), actor(c), in)
	if err != nil {
		return err
	}
	type found struct {
		Reason string      `json:"reason"`
		At     *[2]float64 `json:"at"`
	}
	faults := make([]found, len(m.Faults))
	for i, f := range m.Faults {
		faults[i].Reason = f.Reason
		if f.At.IsValid() {
			at := lngLat(f.At)
			faults[i].At = &at
		}
	}
	return c.JSON(http.StatusOK, map[string]any{"length_m": m.LengthM, "perimeter_m": m.PerimeterM, "area_m2": m.AreaM2,
		"faults": faults, "uncrossed": geojson.GeometryOf(m.Uncrossed), "vertices": m.Vertices, "has_pole": m.HasPole})
}
