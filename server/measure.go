package server

import (
	"fmt"
	"math"
	"net/http"
	"strconv"

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

// mostAlong is into how many points a line may be divided.
const mostAlong = 1000

// measure answers GET /v1/measure: the line between two points, and what else is asked of it.
func (s *server) measure(c *echo.Context) error {
	q := newQuery(c)
	from, to, model := q.point("from", true), q.point("to", true), q.model()
	along, near := int(q.numberOr("along", 0)), q.point("near", false)
	otherFrom, otherTo := q.point("other_from", false), q.point("other_to", false)
	declination := q.angleOr("declination", math.NaN())
	if along != 0 && (along < 2 || along > mostAlong) {
		q.refuse("along", strconv.Itoa(along), &geo.ParseError{Reason: "is not a number of points",
			Hint: "2 to 1000, both ends included"})
	}
	if otherFrom.IsValid() != otherTo.IsValid() {
		q.refuse("other_from", "", &geo.ParseError{Reason: "and other_to come together",
			Hint: "the ends of the line that is crossed"})
	}
	if model != geodesy.Ellipsoid && (near.IsValid() || otherFrom.IsValid()) {
		q.refuse("model", string(model), &geo.ParseError{
			Reason: "knows neither the nearest position of a line nor where two cross", Hint: "model=ellipsoid"})
	}
	if err := q.check(); err != nil {
		return err
	}
	line := geodesy.Measure(model, from, to)
	middle, err := geodesy.Midpoint(model, from, to)
	if err != nil {
		return err
	}
	out := map[string]any{"from": lngLat(from), "to": lngLat(to), "distance_m": line.DistanceM,
		"initial_bearing_deg": defined(line.InitialBearing), "final_bearing_deg": defined(line.FinalBearing),
		"back_bearing_deg": defined(geo.Opposite(line.FinalBearing)), "compass_point": compass(line.InitialBearing),
		"midpoint": geojson.Point(middle), "model": model}
	if !math.IsNaN(declination) {
		out["magnetic_bearing_deg"] = defined(geo.ToMagnetic(line.InitialBearing, declination))
	}
	if along != 0 {
		points, err := geodesy.PointsAlong(model, from, to, along)
		if err != nil {
			return &fault.Error{Kind: fault.Impossible, Detail: err.Error()}
		}
		out["along"] = geojson.LineString(points)
	}
	if near.IsValid() {
		foot := geodesy.NearestOnLine(near, from, to)
		out["nearest"] = map[string]any{"point": geojson.Point(foot.At), "distance_m": foot.DistanceM,
			"along_m": foot.AlongM}
	}
	if otherFrom.IsValid() {
		at, err := geodesy.Crossing(from, to, otherFrom, otherTo)
		if err != nil {
			out["crossing"], out["crossing_reason"] = nil, err.Error()
		} else {
			out["crossing"] = geojson.Point(at)
		}
	}
	return c.JSON(http.StatusOK, out)
}

// compass is the point of a compass of 16, nil where the bearing is not defined.
func compass(bearing float64) any {
	if p := geo.CompassPoint(bearing, 16); p != "" {
		return p
	}
	return nil
}

// maxPairs is how many pairs may be measured at once, pairChunk how many before something is sent.
const (
	maxPairs  = 100_000
	pairChunk = 4000
	maxBody   = 24 << 20
)

// pairLine is the line between the two points of a pair, or what is wrong with it.
type pairLine struct {
	Index      int               `json:"index"`
	DistanceM  *float64          `json:"distance_m"`
	InitialDeg any               `json:"initial_bearing_deg"`
	FinalDeg   any               `json:"final_bearing_deg"`
	Midpoint   *geojson.Geometry `json:"midpoint"`
	Error      *fault.Field      `json:"error,omitempty"`
}

// measurePairs answers POST /v1/measure: up to 100,000 pairs of GeoJSON positions, a line of JSON for each.
func (s *server) measurePairs(c *echo.Context) error {
	var body struct {
		Pairs [][2][]float64 `json:"pairs"`
		Model string         `json:"model"`
	}
	if err := s.decodeAs(c, maxBody, jsonTypes, &body); err != nil {
		return err
	}
	model, err := geodesy.ParseModel(body.Model)
	switch {
	case err != nil:
		return fault.Refuse("model", body.Model, err)
	case len(body.Pairs) == 0:
		return fault.Refuse("pairs", "", &geo.ParseError{Reason: "is missing",
			Hint: "[[[lng, lat], [lng, lat]], …], positions as in GeoJSON"})
	case len(body.Pairs) > maxPairs:
		return fault.Refuse("pairs", strconv.Itoa(len(body.Pairs)), &geo.ParseError{Reason: "are too many",
			Hint: "at most 100000 at once"})
	}
	return sendLines(c, len(body.Pairs), pairChunk, func(i int) (any, error) {
		return measurePair(i, body.Pairs[i], model), nil
	})
}

func measurePair(i int, pair [2][]float64, model geodesy.Model) pairLine {
	out := pairLine{Index: i}
	var ends [2]geo.Point
	for k, p := range pair {
		var err error
		if len(p) < 2 {
			err = &geo.ParseError{Reason: "is no position", Hint: "[lng, lat], as in GeoJSON"}
		} else {
			ends[k], err = geo.NewPoint(p[1], p[0])
		}
		if err != nil {
			field := fmt.Sprintf("pairs[%d][%d]", i, k)
			out.Error = &fault.Refuse(field, fmt.Sprint(p), err).Fields[0]
			return out
		}
	}
	line := geodesy.Measure(model, ends[0], ends[1])
	out.DistanceM = &line.DistanceM
	out.InitialDeg, out.FinalDeg = defined(line.InitialBearing), defined(line.FinalBearing)
	if middle, err := geodesy.Midpoint(model, ends[0], ends[1]); err == nil {
		out.Midpoint = geojson.Point(middle)
	}
	return out
}

func (s *server) destination(c *echo.Context) error {
	q := newQuery(c)
	from, distance, model := q.point("from", true), q.length("distance", math.NaN()), q.model()
	bearing := q.angleOr("bearing", math.NaN())
	if math.IsNaN(bearing) && len(q.wrong) == 0 {
		q.refuse("bearing", "", &geo.ParseError{Reason: "is missing", Hint: "e.g. bearing=45 or bearing=NE"})
	}
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
