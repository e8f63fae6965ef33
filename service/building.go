package service

import (
	"encoding/json"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/core/mercator"
	"viandante/core/region"
	"viandante/core/tile"
)

// Building returns the outline of the building that a position lies in, or nil.
func (v *Service) Building(a Actor, at geo.Point) (*geojson.Feature, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	id := tile.At(at, mercator.MaxZoom)
	p := mercator.Finest(at.E7())
	set := v.regions.Load()
	var found *geojson.Feature
	err := v.reading(set, func() {
		for _, r := range set.open {
			r.region.Draw(id.Z, id.X, id.Y, func(f *region.Drawn) bool {
				if f.Class != region.Building || f.Shape != region.AreaShape || !inside(f.Parts, p) {
					return true
				}
				found = &geojson.Feature{Type: "Feature", Properties: map[string]any{"name": f.Name}, Geometry: outline(f.Parts)}
				return false
			})
			if found != nil {
				return
			}
		}
	})
	return found, err
}

// inside tells whether a position lies in an area, by the number of edges to the east of it.
func inside(parts [][]mercator.XY, p mercator.XY) bool {
	in := false
	for _, ring := range parts {
		for i := range ring {
			a, b := ring[i], ring[(i+1)%len(ring)]
			if (a.Y > p.Y) != (b.Y > p.Y) && float64(p.X-a.X) < float64(b.X-a.X)*float64(p.Y-a.Y)/float64(b.Y-a.Y) {
				in = !in
			}
		}
	}
	return in
}

// outline returns the rings of an area as a polygon.
func outline(parts [][]mercator.XY) *geojson.Geometry {
	rings := make([][][2]float64, 0, len(parts))
	for _, ring := range parts {
		out := make([][2]float64, 0, len(ring)+1)
		for i := range len(ring) + 1 {
			q := ring[i%len(ring)]
			at := mercator.Unproject(float64(q.X)/(1<<31), float64(q.Y)/(1<<31)).Rounded()
			out = append(out, [2]float64{at.Lng(), at.Lat()})
		}
		rings = append(rings, out)
	}
	text, _ := json.Marshal(rings) // finite numbers always marshal
	return &geojson.Geometry{Type: "Polygon", Coordinates: text}
}
