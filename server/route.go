package server

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/service"
	"viandante/service/atlas"
)

// wayCalls are the calls about ways along the roads.
func (s *server) wayCalls(g *echo.Group) {
	v := s.Service
	g.GET("/route", s.route)
	g.POST("/matrix", s.matrix)
	g.GET("/reach", s.reach)
	g.GET("/profiles", s.profiles)
	keep(s, g, "/closures", maxFeature, keeper[service.Closure]{
		"closures", v.Closures, v.Closure, v.PutClosure, v.DeleteClosure})
	g.POST("/closures", s.addClosure)
}

// travelling reads how somebody travels.
func (q *query) travelling(otherwise string) service.Travelling {
	t := service.Travelling{By: q.text("by", 40)}
	if t.By == "" {
		t.By = otherwise
	}
	for _, one := range q.list("avoid", 10) {
		for name := range strings.SplitSeq(one, ",") {
			trait, err := road.ParseTrait(name)
			if err != nil {
				q.refuse("avoid", name, err)
			}
			t.Avoid |= trait
		}
	}
	if text := q.text("depart", 60); text != "" {
		at, err := time.Parse(time.RFC3339, text)
		if err != nil {
			q.refuse("depart", text, &geo.ParseError{Reason: "is not a time",
				Hint: "RFC 3339, e.g. 2026-05-01T08:30:00Z"})
		}
		t.Depart = at
	}
	return t
}

// wording is how a route is presented.
type wording struct {
	language *road.Language
	// segments says that the ids of the segments are told.
	segments bool
}

// language reads the language that steps are told in; English without one.
func (q *query) language() *road.Language {
	tag := q.text("language", 20)
	if tag == "" {
		tag = "en"
	}
	l, ok := road.LanguageOf(tag)
	if !ok {
		q.refuse("language", tag, &geo.ParseError{Reason: "is not a language that steps are told in",
			Hint: strings.Join(road.Languages(), ", ")})
	}
	return l
}

// flag reads a parameter that is true or false.
func (q *query) flag(name string) bool {
	switch text := q.text(name, 10); text {
	case "true":
		return true
	case "", "false":
	default:
		q.refuse(name, text, &geo.ParseError{Reason: "is neither true nor false"})
	}
	return false
}

// count reads a whole number from 0 to most; 0 without one.
func (q *query) count(name string, most int) int {
	text := q.text(name, 10)
	if text == "" {
		return 0
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 0 || n > most {
		q.refuse(name, text, &geo.ParseError{Reason: fmt.Sprintf("is not a number from 0 to %d", most)})
		return 0
	}
	return n
}

// route answers GET /v1/route.
func (s *server) route(c *echo.Context) error {
	q := newQuery(c)
	from, to := q.point("from", true), q.point("to", true)
	ask := service.RouteAsk{Stops: []geo.Point{from}, Optimize: q.flag("optimize"),
		Alternatives: q.count("alternatives", road.MostAlternatives)}
	for _, v := range q.list("via", road.MostStops) {
		ask.Stops = append(ask.Stops, pointOf(q, "via", v))
	}
	ask.Stops = append(ask.Stops, to)
	ask.Travelling = q.travelling(region.Car.String())
	w := wording{q.language(), q.flag("segments")}
	if ask.Alternatives > 0 && len(ask.Stops) > 2 {
		q.refuse("alternatives", strconv.Itoa(ask.Alternatives),
			&geo.ParseError{Reason: "are for a way without stops between", Hint: "leave out via, or alternatives"})
	}
	if err := q.check(); err != nil {
		return err
	}
	found, err := s.Service.Route(c.Request().Context(), actor(c), ask)
	if err != nil {
		return err
	}
	out := make([]*geojson.Feature, len(found.Ways))
	for i := range found.Ways {
		out[i] = presentWay(found, i, w)
	}
	return features(c, http.StatusOK, geojson.NewCollection(out))
}

// sums are what all legs of a way come to.
type sums struct {
	distance, duration, up, down float64
	kinds                        map[region.Class]float64
	traits                       road.Trait
	streets                      map[string]float64
}

func sumOf(way *atlas.Journey) sums {
	s := sums{kinds: map[region.Class]float64{}, streets: map[string]float64{}}
	for _, leg := range way.Legs {
		s.distance, s.duration = s.distance+leg.DistanceM, s.duration+leg.DurationS
		s.up, s.down = s.up+leg.UpM, s.down+leg.DownM
		s.traits |= leg.Traits
		for k, m := range leg.Kinds {
			s.kinds[k] += m
		}
		for _, st := range leg.Steps {
			if st.Name != "" {
				s.streets[st.Name] += st.DistanceM
			}
		}
	}
	return s
}

// presentWay is one of the ways found as a feature.
func presentWay(found *service.Journeys, n int, w wording) *geojson.Feature {
	way := &found.Ways[n]
	f := presentLegs(way.Legs, w)
	s := sumOf(way)
	p := f.Properties
	p["by"], p["distance_m"], p["duration_s"] = found.Profile.Name, rounded(s.distance, 3), rounded(s.duration, 2)
	p["climb_m"], p["descent_m"] = rounded(s.up, 1), rounded(s.down, 1)
	kinds := map[string]float64{}
	for k, m := range s.kinds {
		kinds[k.String()] = rounded(m, 1)
	}
	p["kinds_m"], p["has"] = kinds, s.traits.Names()
	if n == 0 {
		avoided := []map[string]any{}
		for _, k := range found.Avoided {
			avoided = append(avoided, map[string]any{"id": k.ID, "name": k.Body.Name, "state": k.Body.State,
				"until": k.Body.Until})
		}
		p["closures_avoided"] = avoided
	} else {
		p["differs"] = differs(s, sumOf(&found.Ways[0]))
	}
	if way.Order != nil {
		p["order"], p["proven"] = way.Order, way.Proven
	}
	return f
}

// differs tells in what a way differs from the best one: the street that it leads along and the best does not, and what
// it costs or spares.
func differs(s, best sums) map[string]any {
	street, most := "", 0.0
	for name, m := range s.streets {
		if d := m - best.streets[name]; d > most || d == most && name < street {
			street, most = name, d
		}
	}
	return map[string]any{"street": street, "duration_more_s": rounded(s.duration-best.duration, 2),
		"distance_more_m": rounded(s.distance-best.distance, 2), "climb_more_m": rounded(s.up-best.up, 1),
		"with": (s.traits &^ best.traits).Names(), "without": (best.traits &^ s.traits).Names()}
}

// presentLegs is the legs of a way as a feature, with their steps.
func presentLegs(legs []*road.Route, w wording) *geojson.Feature {
	var line []geo.Point
	out := make([]map[string]any, 0, len(legs))
	for _, leg := range legs {
		offset := len(line)
		if offset > 0 && line[offset-1] == leg.Line[0] {
			offset--
			line = append(line, leg.Line[1:]...)
		} else {
			line = append(line, leg.Line...)
		}
		steps := make([]map[string]any, len(leg.Steps))
		for i := range leg.Steps {
			steps[i] = presentStep(&leg.Steps[i], offset, w.language)
		}
		one := map[string]any{
			"distance_m":  rounded(leg.DistanceM, 3),
			"duration_s":  rounded(leg.DurationS, 2),
			"climb_m":     rounded(leg.UpM, 1),
			"descent_m":   rounded(leg.DownM, 1),
			"from_road_m": leg.FromRoadM,
			"to_road_m":   leg.ToRoadM,
			"steps":       steps,
		}
		if w.segments {
			one["segments"] = leg.SegmentIDs()
		}
		out = append(out, one)
	}
	return &geojson.Feature{Type: "Feature", Geometry: geojson.LineString(line),
		Properties: map[string]any{"legs": out}}
}

func presentStep(st *road.Step, offset int, l *road.Language) map[string]any {
	out := map[string]any{
		"turn":          st.Turn,
		"name":          st.Name,
		"way":           st.Class.String(),
		"distance_m":    rounded(st.DistanceM, 3),
		"duration_s":    rounded(st.DurationS, 2),
		"bearing_deg":   defined(st.Bearing),
		"arrival_deg":   defined(st.Arrival),
		"arms_deg":      append([]float64{}, st.Arms...),
		"at":            lngLat(st.At),
		"from":          offset + st.From,
		"text":          l.Say(st),
		"distance_text": l.Distance(st.DistanceM),
	}
	if st.Exit > 0 {
		out["exit"] = st.Exit
	}
	if st.Side != "" {
		out["side"] = st.Side
	}
	return out
}

// matrix answers POST /v1/matrix.
func (s *server) matrix(c *echo.Context) error {
	var body struct {
		From   []geo.Pair `json:"from"`
		To     []geo.Pair `json:"to"`
		By     string     `json:"by"`
		Avoid  []string   `json:"avoid"`
		Depart string     `json:"depart"`
	}
	if err := s.decodeAs(c, maxBulk, jsonTypes, &body); err != nil {
		return err
	}
	q := &query{values: map[string][]string{"by": {body.By}, "avoid": body.Avoid, "depart": {body.Depart}}}
	t := q.travelling(region.Car.String())
	side := func(name string, pairs []geo.Pair) []geo.Point {
		out := make([]geo.Point, 0, len(pairs))
		for i, p := range pairs {
			at, err := geo.FromLngLat(p[:])
			if err != nil {
				q.refuse(fmt.Sprintf("%s[%d]", name, i), fmt.Sprint(p[0], ",", p[1]), err)
				break
			}
			out = append(out, at)
		}
		return out
	}
	from, to := side("from", body.From), side("to", body.To)
	if err := q.check(); err != nil {
		return err
	}
	m, err := s.Service.Matrix(c.Request().Context(), actor(c), t, from, to)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"by": t.By, "durations_s": table(m.DurationsS),
		"distances_m": table(m.DistancesM)})
}

// table returns numbers with null for what is not defined.
func table(rows [][]float64) [][]any {
	out := make([][]any, len(rows))
	for i, row := range rows {
		out[i] = make([]any, len(row))
		for k, v := range row {
			out[i][k] = roundedOrNull(v, 2)
		}
	}
	return out
}

// reach answers GET /v1/reach.
func (s *server) reach(c *echo.Context) error {
	q := newQuery(c)
	at, t, inward := q.point("from", true), q.travelling(region.Foot.String()), q.flag("inward")
	var seconds []float64
	for _, one := range q.list("time", road.MostTimes) {
		for text := range strings.SplitSeq(one, ",") {
			d, err := geo.ParseDuration(text)
			if err == nil && (d < time.Second || d > road.MostReachS*time.Second) {
				err = &geo.ParseError{Reason: fmt.Sprintf("is not from 1 s to %d h", road.MostReachS/3600)}
			}
			if err != nil {
				q.refuse("time", text, err)
			}
			seconds = append(seconds, d.Seconds())
		}
	}
	if len(seconds) == 0 || len(seconds) > road.MostTimes {
		q.refuse("time", "", &geo.ParseError{Reason: fmt.Sprintf("must be given once to %d times", road.MostTimes),
			Hint: "time=15min"})
	}
	if err := q.check(); err != nil {
		return err
	}
	slices.Sort(seconds)
	areas, err := s.Service.Reach(c.Request().Context(), actor(c), t, at, slices.Compact(seconds), inward)
	if err != nil {
		return err
	}
	out := make([]*geojson.Feature, len(areas))
	for i, a := range areas {
		out[i] = &geojson.Feature{Type: "Feature", Geometry: geojson.Polygons(a.Polygons),
			Properties: map[string]any{"time_s": a.Seconds, "by": t.By, "inward": inward}}
	}
	return features(c, http.StatusOK, geojson.NewCollection(out))
}

// profiles answers GET /v1/profiles.
func (s *server) profiles(c *echo.Context) error {
	all, wrong, err := s.Service.Profiles(actor(c))
	if err != nil {
		return err
	}
	type profile struct {
		Name  string `json:"name"`
		Title string `json:"title"`
		Kind  string `json:"kind"`
	}
	out := make([]profile, len(all))
	for i, p := range all {
		out[i] = profile{p.Name, p.Title, p.Kind.String()}
	}
	trouble := []string{}
	if wrong != nil {
		trouble = strings.Split(wrong.Error(), "\n")
	}
	return c.JSON(http.StatusOK, map[string]any{"profiles": out, "trouble": trouble})
}

// addClosure answers POST /v1/closures.
func (s *server) addClosure(c *echo.Context) error {
	var body service.Closure
	if err := s.decode(c, maxFeature, &body); err != nil {
		return err
	}
	o, err := once(c)
	if err != nil {
		return err
	}
	out, _, err := s.Service.PutClosure(c.Request().Context(), actor(c), uuid.Must(uuid.NewV7()), body,
		service.Match{New: true, Once: o})
	if err != nil {
		return err
	}
	c.Response().Header().Set("Location", "/v1/closures/"+out.ID.String())
	return sendVersioned(c, http.StatusCreated, out.Version, out)
}
