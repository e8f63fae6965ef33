package service

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/shape"
	"viandante/service/fault"
)

// Shape is what a path or an area comes to, sound or not.
type Shape struct {
	// LengthM is a path's length, PerimeterM and AreaM2 are an area's, in metres and square metres; nil for what it has
	// not.
	LengthM, PerimeterM, AreaM2 *float64
	// Faults keep it from being stored.
	Faults []ShapeFault
	// Uncrossed is the same positions in an order that does not cross, where the outline crosses itself; unknown
	// elsewhere.
	Uncrossed feature.Geometry
	Vertices  int
	HasPole   bool
}

// ShapeFault is one thing that is wrong, and where, as far as it is at one place.
type ShapeFault struct {
	Reason string
	At     geo.Point
}

const mostFaults = 50

// MeasureShape measures a path, an area or a circle, and says what is wrong with it.
func (v *Service) MeasureShape(ctx context.Context, a Actor, in feature.Draft) (Shape, error) {
	if err := a.MayRead(); err != nil {
		return Shape{}, err
	}
	g := in.Geometry
	out := Shape{Vertices: g.Vertices()}
	number := func(m float64) *float64 {
		if math.IsNaN(m) {
			return nil
		}
		return &m
	}
	switch g.Form() {
	case feature.Point:
		only := feature.Draft{
			Geometry:   g,
			Properties: map[string]any{feature.PropRadius: in.Properties[feature.PropRadius]},
		}
		f, _, err := only.Accept(ctx, nil)
		if err != nil {
			return Shape{}, fault.Of(err)
		}
		if f.Geometry.Form() == feature.Circle {
			area, round := shape.Circle(g.Point(), f.Geometry.RadiusM())
			out.AreaM2, out.PerimeterM = number(area), number(round)
		}
	case feature.Line:
		out.LengthM = number(shape.Length(g.Lines()[0]))
	case feature.Polygon:
		if err := out.measureRings(ctx, g.Lines()); err != nil {
			return Shape{}, err
		}
	default:
		return Shape{}, fault.Refuse("geometry", "", errors.New("is missing"))
	}
	return out, nil
}

func (out *Shape) measureRings(ctx context.Context, lines [][]geo.Point) error {
	// What is wrong is looked for while the rings are measured.
	type found struct {
		faults []shape.Fault
		err    error
	}
	looked := make(chan found, 1)
	go func() {
		var f found
		defer func() {
			if p := recover(); p != nil {
				f.err = fmt.Errorf("looking for faults: %v", p)
			}
			looked <- f
		}()
		f.faults, f.err = shape.Faults(ctx, lines, mostFaults)
	}()
	var area, round float64
	for i, ring := range lines {
		m := shape.Ring(ring)
		out.HasPole = out.HasPole || m.Pole && i == 0
		round += m.PerimeterM
		if i == 0 {
			area = m.AreaM2
		} else {
			area -= m.AreaM2
		}
	}
	out.PerimeterM = &round
	f := <-looked
	faults, err := f.faults, f.err
	if err != nil {
		return err
	}
	for _, f := range faults {
		out.Faults = append(out.Faults, ShapeFault(f))
	}
	if len(out.Faults) == 0 {
		out.AreaM2 = &area // what crosses itself has none
		return nil
	}
	if mended, ok := shape.Uncross(ctx, lines[0]); ok && len(mended) > 2 {
		rings := slices.Concat([][]geo.Point{append(mended, mended[0])}, lines[1:])
		if faults, err = shape.Faults(ctx, rings, 1); err == nil && len(faults) == 0 {
			out.Uncrossed, err = feature.NewPolygon(rings, nil)
		}
		if err != nil {
			return err
		}
	}
	return ctx.Err()
}
