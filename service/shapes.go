package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/core/shape"
	"viandante/store"
)

// circle is the type under which a circle's geometry is kept; it comes and goes as a Point with the property radius_m.
const circle = "Circle"

// maxRadiusM is a quarter of the way round the globe, rounded down.
const maxRadiusM = 10_000_000

// keptGeometry is a path's or an area's geometry in the database.
type keptGeometry struct {
	Type        string          `json:"type"`
	Coordinates json.RawMessage `json:"coordinates"`
	RadiusM     float64         `json:"radius_m,omitempty"`
}

// acceptGeometry reads the geometry of a feature from outside into one to store, and returns what it has put right.
func acceptGeometry(ctx context.Context, in *geojson.Feature, f *store.Feature) (mended []string, err error) {
	f.Kind, f.At, f.Geometry = store.Place, geo.Point{}, nil
	radius, isCircle := in.Properties[propRadius]
	isCircle = isCircle && radius != nil
	if in.Geometry == nil {
		if isCircle {
			return nil, Refuse("geometry", "", errors.New("is missing: a circle is a Point with the property radius_m"))
		}
		return nil, nil
	}
	g, err := in.Geometry.Check()
	if err != nil {
		return nil, Refuse("geometry", "", err)
	}
	kept := keptGeometry{}
	switch {
	case isCircle:
		var ok bool
		if kept.RadiusM, ok = radius.(float64); !ok || !(kept.RadiusM > 0 && kept.RadiusM <= maxRadiusM) || in.Geometry.Type != "Point" {
			return nil, Refuse("properties."+propRadius, clip(fmt.Sprint(radius)), fmt.Errorf("belongs to a Point and must be more than 0 and at most %d metres", maxRadiusM))
		}
		f.Kind = store.Area
		kept.Type, kept.Coordinates = circle, g.Geometry().Coordinates
	case in.Geometry.Type == "Point":
		f.At = g.At
		if g.HeightM != nil {
			f.ElevationM = g.HeightM
		}
		return nil, nil
	case in.Geometry.Type == "LineString":
		f.Kind = store.Path
		if shape.Length(g.Lines[0]) == 0 {
			return nil, Refuse("geometry", "", errors.New("is a line whose positions are all the same"))
		}
		kept.Type, kept.Coordinates = "LineString", g.Geometry().Coordinates
	default:
		f.Kind = store.Area
		if mended, err = wind(ctx, &g); err != nil {
			return nil, err
		}
		kept.Type, kept.Coordinates = "Polygon", g.Geometry().Coordinates
	}
	f.Geometry, err = json.Marshal(kept)
	return mended, err
}

// wind winds the rings of a polygon as RFC 7946 has it, the outer one counterclockwise and holes clockwise; it refuses
// rings that cross.
func wind(ctx context.Context, g *geojson.Read) (mended []string, err error) {
	for i, ring := range g.Lines { // as they will be kept
		for k := range ring {
			g.Lines[i][k] = ring[k].Rounded()
		}
	}
	faults, err := shape.Faults(ctx, g.Lines, 1)
	if err != nil {
		return nil, err
	}
	if len(faults) > 0 {
		return nil, Refuse("geometry", faults[0].At.String(), &geo.ParseError{Reason: faults[0].Error(), Hint: "POST /v1/shape lists every fault, and offers the same positions in an order that does not cross"})
	}
	for i, ring := range g.Lines {
		if m := shape.Ring(ring); m.CounterClockwise == (i == 0) {
			continue
		}
		slices.Reverse(ring)
		slices.Reverse(g.Heights[i])
		if i == 0 {
			mended = append(mended, "The outline was wound clockwise; it is kept counterclockwise, as RFC 7946 has it.")
		} else {
			mended = append(mended, fmt.Sprintf("Hole %d was wound counterclockwise; it is kept clockwise, as RFC 7946 has it.", i))
		}
	}
	return mended, nil
}

// Shape is what a path or an area comes to, sound or not.
type Shape struct {
	// LengthM is a path's length, PerimeterM and AreaM2 are an area's, in metres and square metres; nil for what it has not.
	LengthM    *float64 `json:"length_m"`
	PerimeterM *float64 `json:"perimeter_m"`
	AreaM2     *float64 `json:"area_m2"`
	// Faults keep it from being stored.
	Faults []ShapeFault `json:"faults"`
	// Uncrossed is the same positions in an order that does not cross, where the outline crosses itself.
	Uncrossed *geojson.Geometry `json:"uncrossed"`
	Vertices  int               `json:"vertices"`
	HasPole   bool              `json:"has_pole"`
}

// ShapeFault is one thing that is wrong, and where: lng, lat.
type ShapeFault struct {
	Reason string      `json:"reason"`
	At     *[2]float64 `json:"at"`
}

const mostFaults = 50

// MeasureShape measures a path, an area or a circle, and says what is wrong with it.
func (v *Service) MeasureShape(ctx context.Context, a Actor, in *geojson.Feature) (Shape, error) {
	if err := a.mayRead(); err != nil {
		return Shape{}, err
	}
	if in.Geometry == nil {
		return Shape{}, Refuse("geometry", "", errors.New("is missing"))
	}
	g, err := in.Geometry.Check()
	if err != nil {
		return Shape{}, Refuse("geometry", "", err)
	}
	out := Shape{Faults: []ShapeFault{}}
	number := func(m float64) *float64 {
		if math.IsNaN(m) {
			return nil
		}
		return &m
	}
	switch in.Geometry.Type {
	case "Point":
		if _, err := acceptGeometry(ctx, in, &store.Feature{}); err != nil {
			return Shape{}, err
		}
		if radius, ok := in.Properties[propRadius].(float64); ok {
			area, round := shape.Circle(g.At, radius)
			out.AreaM2, out.PerimeterM = number(area), number(round)
		}
		out.Vertices = 1
	case "LineString":
		out.LengthM, out.Vertices = number(shape.Length(g.Lines[0])), len(g.Lines[0])
	case "Polygon":
		if err := out.measureRings(ctx, g); err != nil {
			return Shape{}, err
		}
	}
	return out, nil
}

func (out *Shape) measureRings(ctx context.Context, g geojson.Read) error {
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
		f.faults, f.err = shape.Faults(ctx, g.Lines, mostFaults)
	}()
	var area, round float64
	for i, ring := range g.Lines {
		m := shape.Ring(ring)
		out.Vertices += len(ring) - 1
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
		fault := ShapeFault{Reason: f.Reason}
		if f.At.IsValid() {
			fault.At = &[2]float64{f.At.Lng(), f.At.Lat()}
		}
		out.Faults = append(out.Faults, fault)
	}
	if len(out.Faults) == 0 {
		out.AreaM2 = &area // what crosses itself has none
		return nil
	}
	if mended, ok := shape.Uncross(ctx, g.Lines[0]); ok && len(mended) > 2 {
		rings := slices.Concat([][]geo.Point{append(mended, mended[0])}, g.Lines[1:])
		if faults, err = shape.Faults(ctx, rings, 1); err == nil && len(faults) == 0 {
			out.Uncrossed = geojson.Read{Lines: rings, Heights: make([][]float64, len(rings))}.Geometry()
		}
	}
	return ctx.Err()
}
