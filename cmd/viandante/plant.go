package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"net"
	"slices"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/demo"
	"viandante/server"
	"viandante/service"
	"viandante/service/fault"
	"viandante/standin"
)

// demoID is the same for the same thing at every start.
func demoID(what string) uuid.UUID { return uuid.NewSHA1(demoWorkspace, []byte(what)) }

// demoAttributes are what the society notes of its posts.
var demoAttributes = feature.Schema{
	{
		Name:    "condition",
		Title:   "Condition",
		Type:    feature.ChoiceType,
		Options: []string{"sound", "worn", "needs repair"},
	},
	{Name: "inspected_on", Title: "Last inspected", Type: feature.DateType},
	{Name: "keeper", Title: "Kept by", Type: feature.TextType},
}

// unlessThere passes over the refusal to make again what somebody has changed since.
func unlessThere(err error) error {
	if fault.Is(err, fault.Stale) {
		return nil
	}
	return err
}

// demoCollections are what the society keeps, each with what it notes of it.
var demoCollections = []service.Collection{
	{
		ID:          "posts",
		Title:       "The society's posts",
		Description: "What the wayfarers' society keeps up on Orrisand.",
		Attributes:  demoAttributes,
	},
	{ID: "beats", Title: "Wardens' beats", Description: "Paths that wardens walk.", Attributes: feature.Schema{
		{Name: "warden", Title: "Walked by", Type: feature.TextType, Required: true},
		{Name: "walked_on", Title: "Last walked", Type: feature.DateType},
		{Name: "bicycle", Title: "Fit for bicycles", Type: feature.BooleanType},
	}},
	{ID: "grounds", Title: "Nesting grounds", Description: "Closed to people in season.", Attributes: feature.Schema{
		{Name: "closed_from", Title: "Closed from", Type: feature.DateType},
		{Name: "closed_until", Title: "Closed until", Type: feature.DateType},
		{Name: "pairs", Title: "Pairs counted", Type: feature.NumberType},
	}},
	{
		ID:          "wards",
		Title:       "Wardens' areas",
		Description: "What each warden post looks after.",
		Attributes: feature.Schema{
			{Name: "warden", Title: "Warden", Type: feature.TextType},
		},
	},
}

var wardens = []string{"Ida Marrow", "Tam Oakes", "Bess Fallow", "Jon Quill", "Ness Harrow", "Odd Pellick", "Wyn Tarn"}

// plant stores the society's categories, its collections and what is in them. Ids follow from the names, so that doing
// it again doubles nothing and leaves what was changed since as it is.
func plant(ctx context.Context, svc *service.Service, island *demo.Island) error {
	for i, c := range demo.Categories {
		k := service.Category{ID: c.ID, Name: c.Name, Glyph: c.Glyph, Colour: c.Colour, Position: i}
		if _, _, err := svc.PutCategory(ctx, demoActor, k, service.Match{New: true}); unlessThere(err) != nil {
			return err
		}
	}
	for _, c := range demoCollections {
		if _, _, err := svc.PutCollection(ctx, demoActor, c, service.Match{New: true}); unlessThere(err) != nil {
			return err
		}
	}
	keep := func(collection, id string, geometry feature.Geometry, properties map[string]any) error {
		properties["source"] = "demo"
		_, err := svc.Put(ctx, demoActor, collection, demoID(id),
			feature.Draft{Geometry: geometry, Properties: properties}, service.Match{New: true})
		return unlessThere(err)
	}
	for i, p := range island.Places(demoPlaces) {
		id := fmt.Sprintf("%d %s", i, p.Name)
		now := map[string]any{"name": p.Name, "category": p.Category, "description": p.Description,
			"condition": demoAttributes[0].Options[i*i%3], "inspected_on": fmt.Sprintf(
				"2026-%02d-%02d", 3+i%7, 1+i*5%28), "telephone": fmt.Sprintf("+999 40 %03d", 100+i),
			"website": "https://society.example/posts/" + demoID(id).String()[:8],
			"keeper":  wardens[i%len(wardens)]}
		if i%3 > 0 {
			if err := keep("posts", id, feature.At(p.At), now); err != nil {
				return err
			}
			continue
		}
		if err := plantMended(ctx, svc, demoID(id), p, now, i); err != nil {
			return err
		}
	}
	for i, name := range []string{"Shelter that the Harbour Trust promised", "Fountain for the new playground"} {
		if err := keep("posts", name, feature.Geometry{}, map[string]any{"name": name,
			"category": demo.Categories[1-i].ID, "description": "Its site is not chosen yet."}); err != nil {
			return err
		}
	}
	return errors.Join(plantStretches(island, keep), plantDesk(ctx, svc, island), plantJourneys(ctx, svc, island),
		plantParty(ctx, svc, island), plantClosures(ctx, svc, island))
}

// plantMended stores a post as it was first written down, some metres off and without what is noted of it, and then as
// it is: so that it has a history.
func plantMended(
	ctx context.Context,
	svc *service.Service,
	id uuid.UUID,
	p demo.Place,
	now map[string]any,
	i int,
) error {
	off, _, err := geodesy.Destination(geodesy.Ellipsoid, p.At, float64(i*47%360), 9+float64(i%5)*7)
	if err != nil {
		return err
	}
	first := map[string]any{"name": p.Name, "category": p.Category, "source": "demo", "condition": "needs repair"}
	v, err := svc.Put(ctx, demoActor, "posts", id, feature.Draft{Geometry: feature.At(off), Properties: first},
		service.Match{New: true})
	if err != nil || !v.Created {
		return unlessThere(err)
	}
	now["source"] = "demo"
	_, err = svc.Put(ctx, demoActor, "posts", id, feature.Draft{Geometry: feature.At(p.At), Properties: now},
		service.At(v.Version))
	return err
}

// plantStretches stores the beats, the nesting grounds and the wardens' areas.
func plantStretches(
	island *demo.Island,
	keep func(collection, id string, geometry feature.Geometry, properties map[string]any) error,
) error {
	one := func(collection, category string, s demo.Stretch, properties map[string]any) error {
		properties["name"], properties["category"] = s.Name, category
		geometry, err := feature.At(s.Middle), error(nil)
		switch {
		case s.Line != nil:
			geometry, err = feature.NewLine(s.Line, nil)
		case s.RadiusM > 0:
			properties[feature.PropRadius] = s.RadiusM
		default:
			geometry, err = feature.NewPolygon(s.Rings, nil)
		}
		if err != nil {
			return err
		}
		return keep(collection, collection+" "+s.Name, geometry, properties)
	}
	for i, s := range island.WardenAreas(7) {
		if err := one("wards", "ward", s, map[string]any{"warden": wardens[i%len(wardens)], "telephone": fmt.Sprintf(
			"+999 41 %03d", 7*i+10)}); err != nil {
			return err
		}
	}
	for i, s := range island.NestingGrounds(9) {
		if err := one("grounds", "nesting", s, map[string]any{"closed_from": "2026-09-15", "closed_until": fmt.Sprintf(
			"2027-01-%02d", 10+2*i), "pairs": float64(12 + i*i*3)}); err != nil {
			return err
		}
	}
	for i, s := range island.Beats(6) {
		if err := one("beats", "beat", s, map[string]any{"warden": wardens[(i+3)%len(wardens)],
			"walked_on": fmt.Sprintf("2026-11-%02d", 3+i*3), "bicycle": i%2 == 0}); err != nil {
			return err
		}
	}
	return nil
}

// nestingUntil is when a nesting ground is opened again: the end of its season that comes next.
func nestingUntil(i int, now time.Time) time.Time {
	until := time.Date(2027, 1, 10+2*i, 0, 0, 0, 0, time.UTC)
	for !until.After(now) {
		until = until.AddDate(1, 0, 0)
	}
	return until
}

// plantClosures closes the paths through nesting grounds to who walks or rides, until their season ends.
func plantClosures(ctx context.Context, svc *service.Service, island *demo.Island) error {
	for i, s := range island.NestingGrounds(9) {
		rings := s.Rings
		if rings == nil {
			ring := make([]geo.Point, 24)
			for k := range ring {
				p, _, err := geodesy.Destination(geodesy.Ellipsoid, s.Middle, float64(15*k), s.RadiusM)
				if err != nil {
					return err
				}
				ring[k] = p.Rounded()
			}
			rings = [][]geo.Point{ring}
		}
		until := nestingUntil(i, time.Now())
		c := service.Closure{Name: s.Name, State: "blocked", By: []string{"bicycle", "foot"},
			Ways: []string{"path", "steps", "track", "cycleway"}, Until: &until}
		for _, ring := range rings {
			pairs := make([]geo.Pair, len(ring))
			for k, p := range ring {
				pairs[k] = geo.Pair{p.Lng(), p.Lat()}
			}
			c.Area = append(c.Area, pairs)
		}
		_, _, err := svc.PutClosure(ctx, demoActor, demoID("closure "+s.Name), c, service.Match{New: true})
		if fault.Is(err, fault.Impossible) {
			continue // nothing leads there
		}
		if unlessThere(err) != nil {
			return err
		}
	}
	return nil
}

// plantDesk lays the fair's site plan over the square and saves some views.
func plantDesk(ctx context.Context, svc *service.Service, island *demo.Island) error {
	plan := island.Plan()
	hash, _, err := svc.AddPicture(ctx, demoActor, []byte(plan.SVG))
	if err != nil {
		return err
	}
	fair := demoID("fair")
	overlay := service.Overlay{Name: plan.Name, Picture: hash, Opacity: 0.75}
	for i, p := range plan.At[:2] {
		overlay.Control = append(
			overlay.Control,
			service.ControlPoint{Pixel: (*geo.Pair)(&plan.Pixels[i]), At: &geo.Pair{p.Lng(), p.Lat()}},
		)
	}
	if _, _, err := svc.PutOverlay(ctx, demoActor, fair, overlay, service.Match{New: true}); unlessThere(err) != nil {
		return err
	}
	square := island.Standpoint()
	at := &geo.Pair{square.Lng(), square.Lat()}
	for i, v := range []service.View{
		{Name: "The whole island", Center: &geo.Pair{-26.098, -38.048}, Zoom: 10.25, Ground: "relief", Opening: true},
		{Name: "Varrowby", Center: at, Zoom: 13.5},
		{Name: "The fair on the square", Center: at, Zoom: 17, RotationDeg: 348, Names: "always",
			Overlays: []string{fair.String()}},
		{Name: "How moist the soil is", Center: at, Zoom: 12, Ground: "muted", Imagery: []string{demoImagery.String()}},
	} {
		v.Key = i + 1
		if _, _, err := svc.PutView(ctx, demoActor, demoID("view "+v.Name), v, service.Match{New: true}); unlessThere(
			err,
		) != nil {
			return err
		}
	}
	return nil
}

// plantJourneys keeps some journeys from the town's square to be rehearsed, each with something of its own.
func plantJourneys(ctx context.Context, svc *service.Service, island *demo.Island) error {
	square := island.Standpoint()
	posts := island.Places(demoPlaces)
	for i, r := range []struct {
		service.Rehearsal
		how  string
		farM float64
	}{
		{service.Rehearsal{By: "foot", ErrorM: 5}, "On foot to %s", 1500},
		{service.Rehearsal{By: "bicycle", ErrorM: 10, WrongTurns: 1, SignalLost: 1, Pauses: 1},
			"By bicycle to %s, with a wrong turn", 5000},
		{service.Rehearsal{By: "car", ErrorM: 10}, "By car to %s", 14_000},
		{service.Rehearsal{By: "foot", ErrorM: 30, Compass: "uncalibrated", SignalLost: 2},
			"On foot to %s, hardly any signal", 900},
	} {
		goal := slices.MinFunc(posts, func(a, b demo.Place) int {
			off := func(p demo.Place) float64 { return math.Abs(geodesy.Distance(square, p.At) - r.farM) }
			return cmp.Compare(off(a), off(b))
		})
		r.Name, r.Destination, r.Seed = fmt.Sprintf(r.how, goal.Name), goal.Name, uint64(i+1)
		r.Stops = []geo.Pair{{square.Lng(), square.Lat()}, {goal.At.Lng(), goal.At.Lat()}}
		id := demoID("rehearsal " + r.how)
		_, _, err := svc.PutRehearsal(ctx, demoActor, id, r.Rehearsal, service.Match{New: true})
		if unlessThere(err) != nil {
			return err
		}
	}
	return nil
}

var demoImagery = demoID("soil")

// ownURL is the address under which this server answers on this machine.
func (e *env) ownURL() (string, error) {
	host, port, err := net.SplitHostPort(e.listen)
	if err != nil {
		return "", fmt.Errorf("VIANDANTE_LISTEN: %w", err)
	}
	if ip := net.ParseIP(host); host == "" || ip != nil && ip.IsUnspecified() {
		host = "127.0.0.1"
	}
	return "http://" + net.JoinHostPort(host, port), nil
}

// plantImagery adds the stand-in as a source of imagery, under the address that this server has now; of one that is
// there already everything else stays.
func (e *env) plantImagery(ctx context.Context, svc *service.Service) error {
	base, err := e.ownURL()
	if err != nil {
		return err
	}
	all, err := svc.Imagery(ctx, demoActor)
	if err != nil {
		return err
	}
	source, match := service.Imagery{
		Name:        "Soil moisture (stand-in)",
		Attribution: "Soil: the society's survey, made up",
		MaxZoom:     standin.ImageryMaxZoom,
		Opacity:     0.55,
	}, service.Match{
		New: true,
	}
	for _, k := range all {
		if k.ID == demoImagery {
			source, match = k.Body, service.At(k.Version)
		}
	}
	source.Template = base + server.StandInPath + "/soil/{z}/{x}/{y}.png"
	_, _, err = svc.PutImagery(ctx, demoActor, demoImagery, source, match)
	return err
}
