package atlas

import (
	"context"
	"errors"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/rehearsal"
	"viandante/core/road"
	"viandante/service/fault"
)

// Ask is a question for a way: by stops, at least two.
type Ask struct {
	Travel
	Stops []geo.Point
	// Alternatives is how many other ways are wanted, where there are two stops; Optimize asks for the best order of
	// those between the first and the last.
	Alternatives int
	Optimize     bool
}

// Journey is a way from stop to stop.
type Journey struct {
	Legs []*road.Route
	// Order is the order in which the stops between the first and the last are visited, by their places in the
	// question,
	// and Proven tells that no other is better; nil where that was not asked.
	Order  []int
	Proven bool
	// Avoided are the numbers of the closures that the best way would lead over.
	Avoided []int
}

// Route finds the quickest ways along the roads, best first, in the first region that has roads at both ends.
func (a *Atlas) Route(ctx context.Context, ask Ask) (found []Journey, err error) {
	p, err := a.Profile(ask.By)
	if err != nil {
		return nil, fault.Refuse("by", ask.By, err)
	}
	err = a.alongRoads(ctx, p, func(r *openRegion) (reason error) {
		found, reason = r.ways.route(ctx, p, ask)
		return reason
	})
	return found, err
}

func (w *wayfinder) route(ctx context.Context, p *road.Profile, ask Ask) ([]Journey, error) {
	m := w.metric(p, ask.Travel)
	out := []Journey{{}}
	stops := ask.Stops
	if ask.Optimize {
		table, err := w.router.Matrix(ctx, m, stops, stops)
		if err != nil {
			return nil, err
		}
		order, proven, err := road.BestOrder(table.CostS)
		if err != nil {
			return nil, err
		}
		stops = []geo.Point{ask.Stops[0]}
		out[0].Order, out[0].Proven = []int{}, proven
		for _, k := range order {
			stops = append(stops, ask.Stops[k])
			out[0].Order = append(out[0].Order, k-1)
		}
		stops = append(stops, ask.Stops[len(ask.Stops)-1])
	}
	if len(stops) == 2 && ask.Alternatives > 0 {
		routes, err := w.router.Alternatives(ctx, m, stops[0], stops[1], ask.Alternatives)
		if err != nil {
			return nil, err
		}
		out = out[:0]
		for _, r := range routes {
			out = append(out, Journey{Legs: []*road.Route{r}})
		}
	} else {
		for i := 1; i < len(stops); i++ {
			leg, err := w.router.Find(ctx, m, stops[i-1], stops[i])
			if err != nil {
				return nil, err
			}
			out[0].Legs = append(out[0].Legs, leg)
		}
	}
	out[0].Avoided = w.avoided(ctx, p, m, ask, stops)
	return out, nil
}

// avoided returns the closures that the way would lead over if they were not.
func (w *wayfinder) avoided(ctx context.Context, p *road.Profile, m *road.Metric, ask Ask, stops []geo.Point) []int {
	if len(m.Closures()) == 0 {
		return nil
	}
	open := ask.Travel
	open.Closures = nil
	free := w.metric(p, open)
	var out []int
	for i := 1; i < len(stops); i++ {
		leg, err := w.router.Find(ctx, free, stops[i-1], stops[i])
		if err != nil {
			continue
		}
		for _, e := range leg.Edges {
			if c, ok := m.Closures()[e]; ok && !slices.Contains(out, c.Number) {
				out = append(out, c.Number)
			}
		}
	}
	return out
}

// Matrix finds the quickest ways from some positions to others, in the first region that has any of them.
func (a *Atlas) Matrix(ctx context.Context, t Travel, from, to []geo.Point) (out *road.Matrix, err error) {
	p, err := a.Profile(t.By)
	if err != nil {
		return nil, fault.Refuse("by", t.By, err)
	}
	err = a.alongRoads(ctx, p, func(r *openRegion) error {
		found, err := r.ways.router.Matrix(ctx, r.ways.metric(p, t), from, to)
		if err != nil {
			return err
		}
		if out == nil {
			out = found
		} else {
			out.Merge(found)
		}
		if out.Complete() {
			return nil
		}
		return road.ErrNoRoute // another region may have the rest
	})
	if out != nil && (err == nil || !errors.Is(err, ctx.Err()) && fault.Is(err, fault.Impossible)) {
		return out, nil
	}
	return out, err
}

// Reach returns what can be reached from a position within some times, or from where one can be there if inward is set.
func (a *Atlas) Reach(
	ctx context.Context, t Travel, at geo.Point, seconds []float64, inward bool,
) (areas []road.Area, err error) {
	p, err := a.Profile(t.By)
	if err != nil {
		return nil, fault.Refuse("by", t.By, err)
	}
	err = a.alongRoads(ctx, p, func(r *openRegion) (reason error) {
		areas, reason = r.ways.router.Reach(ctx, r.ways.metric(p, t), at, seconds, inward)
		return reason
	})
	return areas, err
}

// alongRoads asks the regions in turn until one finds what is asked.
func (a *Atlas) alongRoads(ctx context.Context, p *road.Profile, ask func(r *openRegion) error) error {
	set := a.regions.Load()
	found, reason := false, error(nil)
	broken := a.reading(set, func() {
		for _, r := range set.open {
			err := ask(r)
			if err == nil || ctx.Err() != nil {
				found = err == nil
				return
			}
			var off *road.OffRoadError
			if reason == nil || !errors.As(err, &off) { // what a region with roads at both ends says counts
				reason = err
			}
		}
	})
	switch {
	case broken != nil:
		return broken
	case ctx.Err() != nil:
		return ctx.Err()
	case found:
		return nil
	case set.complete() != nil:
		return set.complete()
	}
	return noWay(p.Title, reason)
}

// astrayS is for how many seconds somebody goes on by the wrong road before he takes the quickest way from there.
const astrayS = 45

// errNoJunction is returned where a way has fewer junctions than wrong turns are wanted.
var errNoJunction = errors.New("the way has too few junctions for so many wrong turns; ask for fewer, or a longer way")

// Course is the way that somebody travels by the roads from stop to stop who takes a wrong road so many times. choose
// is given a number, and returns one below it; the same choices give the same course.
func (a *Atlas) Course(
	ctx context.Context, t Travel, stops []geo.Point, wrongTurns int, choose func(n int) int,
) (course rehearsal.Course, err error) {
	p, err := a.Profile(t.By)
	if err != nil {
		return course, fault.Refuse("by", t.By, err)
	}
	err = a.alongRoads(ctx, p, func(r *openRegion) error {
		course = rehearsal.Course{}
		m := r.ways.metric(p, t)
		found, err := r.ways.route(ctx, p, Ask{Travel: t, Stops: stops})
		if err != nil {
			return err
		}
		legs := found[0].Legs
		for i, leg := range legs {
			wrong := wrongTurns/len(legs) + min(1, wrongTurns%len(legs)/(i+1))
			for ; wrong > 0; wrong-- {
				if leg, err = r.wander(ctx, m, &course, leg, stops[i+1], choose); err != nil {
					return err
				}
			}
			follow(&course, leg, len(leg.Line)-1)
		}
		if r.region.HasHeights() {
			for _, p := range course.Line {
				h := r.region.Heights(0, []float64{p.Lat()}, []float64{p.Lng()})
				course.AltitudesM = append(course.AltitudesM, h[0])
			}
		}
		return nil
	})
	return course, err
}

// wander follows a leg to some junction, takes a wrong road there, and returns the way from where that ends.
func (r *openRegion) wander(
	ctx context.Context,
	m *road.Metric,
	course *rehearsal.Course,
	leg *road.Route,
	to geo.Point,
	choose func(int) int,
) (*road.Route, error) {
	n := len(leg.Steps) - 2
	if n < 1 {
		return nil, errNoJunction
	}
	first := choose(n)
	for k := range n {
		step := 1 + (first+k)%n
		speed := leg.Steps[step].DistanceM / math.Max(1, leg.Steps[step].DurationS)
		line := r.ways.router.Astray(m, leg, step, speed*astrayS, choose)
		if len(line) < 2 {
			continue
		}
		on, err := r.ways.router.Find(ctx, m, line[len(line)-1], to)
		if err != nil {
			continue // from there no way leads on
		}
		follow(course, leg, leg.Steps[step].From)
		from := length(course.Line)
		for _, p := range line[1:] {
			course.Line, course.SpeedsMPS = append(course.Line, p), append(course.SpeedsMPS, speed)
		}
		course.Astray = append(course.Astray, rehearsal.Span{FromM: from, ToM: length(course.Line)})
		return on, nil
	}
	return nil, errNoJunction
}

// follow goes on along a leg up to an index of its line.
func follow(course *rehearsal.Course, leg *road.Route, to int) {
	step := 0
	for i := range to + 1 {
		for step+1 < len(leg.Steps) && leg.Steps[step+1].From < i {
			step++
		}
		n := len(course.Line)
		if n > 0 && course.Line[n-1] == leg.Line[i] {
			continue
		}
		if n > 0 {
			s := leg.Steps[step]
			course.SpeedsMPS = append(course.SpeedsMPS, s.DistanceM/math.Max(1, s.DurationS))
		}
		course.Line = append(course.Line, leg.Line[i])
	}
}

func length(line []geo.Point) (m float64) {
	for i := 1; i < len(line); i++ {
		m += geodesy.Distance(line[i-1], line[i])
	}
	return m
}
