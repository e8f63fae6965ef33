package service

import (
	"context"
	"errors"
	"strings"

	"github.com/google/uuid"

	"viandante/core/address"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/road"
	"viandante/service/access"
	"viandante/service/catalog"
	"viandante/service/fault"
)

// SceneQuery says what is to be seen on a map that leaves the workbench: a picture, or a page in a frame.
type SceneQuery struct {
	Collections []string
	Features    []uuid.UUID
	// Address is one to be looked up; Marks are positions that are kept nowhere.
	Address string
	Marks   []geo.Point
	// Stops are those of a way, at least two or none, by a profile.
	Stops []geo.Point
	By    string
}

// Scene is what is to be seen.
type Scene struct {
	Features []*feature.Feature
	// Chosen are the ids that were asked for by themselves.
	Chosen map[uuid.UUID]bool
	// Found is what the address was taken for, nil for none.
	Found *address.Find
	Marks []geo.Point
	// Way is that of the stops, nil for none.
	Way   *Journeys
	Stops []geo.Point
	By    string
	// Truncated tells that there is more than is shown.
	Truncated  bool
	Categories map[string]Category
}

// mostShown bounds how many features a scene has, mostChosen how many may be asked for by themselves.
const mostShown, mostChosen = 5_000, 200

// sureEnough is how confident an address must be found to be shown to everybody without somebody looking.
const sureEnough = 0.6

// published is an actor as he sees what is published: who comes with a publishing token sees the features of its
// collections there, and nowhere else.
func published(a Actor) (Actor, error) {
	if err := a.Needs(access.Read | access.Publish); err != nil {
		return a, err
	}
	if a.Scopes&access.Read == 0 && a.Collections == nil {
		return a, fault.New(fault.Forbidden, "a publishing token is for collections that it names, and this names none")
	}
	a.Read, a.Write = true, false
	return a, nil
}

// Scene returns what is to be seen. Features that are not visible are left out.
func (v *Service) Scene(ctx context.Context, a Actor, q SceneQuery) (Scene, error) {
	a, err := published(a)
	if err != nil {
		return Scene{}, err
	}
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return Scene{}, err
	}
	out := Scene{Chosen: map[uuid.UUID]bool{}, Marks: q.Marks, Stops: q.Stops, By: q.By,
		Categories: map[string]Category{}}
	if len(q.Features) > mostChosen {
		return out, fault.Refuse("feature", "", errors.New("is given too often: at most 200 times"))
	}
	for _, k := range s.Categories() {
		out.Categories[k.ID] = k
	}
	for _, id := range q.Features {
		row, ok := s.Get(view, id)
		if !ok {
			return out, fault.Missing("feature " + id.String() + ", or it may not be seen with this token")
		}
		if err := out.take(row, true); err != nil {
			return out, err
		}
	}
	for _, id := range q.Collections {
		if s.Collection(id) == nil || !a.Sees(id) {
			return out, fault.Missing("collection " + feature.Clip(id) + ", or it may not be seen with this token")
		}
		rows := s.Page(view, catalog.Page{Collection: id, Limit: mostShown + 1 - len(out.Features)})
		for _, row := range rows {
			if len(out.Features) >= mostShown {
				out.Truncated = true
				break
			}
			if err := out.take(row, false); err != nil {
				return out, err
			}
		}
	}
	if strings.TrimSpace(q.Address) != "" {
		found, _, err := v.atlas.Geocode(ctx, address.Query{Text: q.Address, Limit: 1})
		if err != nil {
			return out, err
		}
		if len(found) == 0 {
			return out, fault.New(fault.NotFound, "the address %q is not found in the map data that is loaded",
				feature.Clip(q.Address))
		}
		if found[0].Confidence < sureEnough {
			return out, fault.New(fault.NotFound, "the address %q is not found surely enough to be published; the "+
				"nearest was %q",
				feature.Clip(q.Address), found[0].Label)
		}
		out.Found = &found[0]
	}
	if len(q.Stops) > 0 {
		open := RouteAsk{Travelling: Travelling{By: q.By}, Stops: q.Stops}
		if out.Way, err = v.wayOf(ctx, a, open); err != nil {
			return out, err
		}
	}
	return out, nil
}

// take adds a feature unless it is not to be seen, or is there.
func (s *Scene) take(row catalog.Row, chosen bool) error {
	if s.Chosen[row.ID()] {
		return nil
	}
	f, err := row.Feature()
	if err != nil {
		return err
	}
	if hidden := f.Attributes.Get("visible"); hidden.Type == feature.Boolean && hidden.Text == "false" && !chosen {
		return nil
	}
	s.Chosen[row.ID()] = chosen
	s.Features = append(s.Features, f)
	return nil
}

// legs are those of the way, nil for none.
func (s *Scene) legs() []*road.Route {
	if s.Way == nil {
		return nil
	}
	return s.Way.Ways[0].Legs
}

// Points returns all positions that are to be seen.
func (s *Scene) Points() (out []geo.Point) {
	for _, f := range s.Features {
		out = append(out, verticesOf(f.Geometry)...)
	}
	if s.Found != nil {
		out = append(out, s.Found.At)
	}
	for _, leg := range s.legs() {
		out = append(out, leg.Line...)
	}
	return append(append(out, s.Marks...), s.Stops...)
}

func verticesOf(g feature.Geometry) (out []geo.Point) {
	switch g.Form() {
	case feature.Point:
		return []geo.Point{g.Point()}
	case feature.Circle:
		return circleOf(g)
	case feature.Line, feature.Polygon:
		for _, line := range g.Lines() {
			out = append(out, line...)
		}
	}
	return out
}
