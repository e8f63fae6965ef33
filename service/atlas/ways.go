package atlas

import (
	"context"
	"errors"
	"math"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
	"viandante/core/rehearsal"
	"viandante/core/road"
	"viandante/service/fault"
)

// Route finds the quickest way along the roads, in the first region that has roads at both ends.
func (a *Atlas) Route(ctx context.Context, mode region.Mode, stops []geo.Point) (legs []*road.Route, err error) {
	err = a.alongRoads(ctx, mode, func(r *openRegion) (reason error) {
		legs, reason = r.route(ctx, mode, stops)
		return reason
	})
	return legs, err
}

func (r *openRegion) route(ctx context.Context, mode region.Mode, stops []geo.Point) ([]*road.Route, error) {
	legs := make([]*road.Route, 0, len(stops)-1)
	for i := 1; i < len(stops); i++ {
		leg, err := r.router.Find(ctx, mode, stops[i-1], stops[i])
		if err != nil {
			return nil, err
		}
		legs = append(legs, leg)
	}
	return legs, nil
}

// alongRoads asks the regions in turn until one finds what is asked.
func (a *Atlas) alongRoads(ctx context.Context, mode region.Mode, ask func(r *openRegion) error) error {
	set := a.regions.Load()
	found, reason := false, error(nil)
	broken := a.reading(set, func() {
		for _, r := range set.open {
			if reason = ask(r); reason == nil || ctx.Err() != nil {
				found = reason == nil
				return
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
	case reason == nil:
		return fault.New(fault.Impossible, "no map data is in use: build a region with `viandante region build`")
	}
	return fault.New(fault.Impossible, "no way by %s: %v", mode, reason)
}

// astrayS is for how many seconds somebody goes on by the wrong road before he takes the quickest way from there.
const astrayS = 45

// errNoJunction is returned where a way has fewer junctions than wrong turns are wanted.
var errNoJunction = errors.New("the way has too few junctions for so many wrong turns; ask for fewer, or a longer way")

// Course is the way that somebody travels by the roads from stop to stop who takes a wrong road so many times. choose
// is given a number, and returns one below it; the same choices give the same course.
func (a *Atlas) Course(
	ctx context.Context, mode region.Mode, stops []geo.Point, wrongTurns int, choose func(n int) int,
) (course rehearsal.Course, err error) {
	err = a.alongRoads(ctx, mode, func(r *openRegion) error {
		course = rehearsal.Course{}
		legs, err := r.route(ctx, mode, stops)
		if err != nil {
			return err
		}
		for i, leg := range legs {
			wrong := wrongTurns/len(legs) + min(1, wrongTurns%len(legs)/(i+1))
			for ; wrong > 0; wrong-- {
				if leg, err = r.wander(ctx, mode, &course, leg, stops[i+1], choose); err != nil {
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
	mode region.Mode,
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
		line := r.router.Astray(mode, leg, step, speed*astrayS, choose)
		if len(line) < 2 {
			continue
		}
		on, err := r.router.Find(ctx, mode, line[len(line)-1], to)
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
