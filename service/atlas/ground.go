package atlas

import (
	"viandante/core/geo"
	"viandante/core/mercator"
	"viandante/core/region"
	"viandante/core/shape"
	"viandante/core/tile"
	"viandante/world"
)

// Building is the outline of a building: rings that repeat their first position.
type Building struct {
	Name  string
	Rings [][]geo.Point
}

// Building returns the building that a position lies in, or nil.
func (a *Atlas) Building(at geo.Point) (found *Building, err error) {
	set := a.regions.Load()
	err = a.reading(set, func() {
		for _, r := range set.open {
			areaAt(r.region.Region, at, region.Building, func(f *region.Drawn) {
				found = &Building{f.Name, outline(f.Parts)}
			})
			if found != nil {
				return
			}
		}
	})
	return found, err
}

// areaAt calls yield with the first area of a class that a position lies in.
func areaAt(r *region.Region, at geo.Point, class region.Class, yield func(*region.Drawn)) {
	id := tile.At(at, mercator.MaxZoom)
	p := mercator.Finest(at.E7())
	r.Draw(id.Z, id.X, id.Y, func(f *region.Drawn) bool {
		if f.Class != class || f.Shape != region.AreaShape || !shape.InsideXY(f.Parts, p) {
			return true
		}
		yield(f)
		return false
	})
}

func outline(parts [][]mercator.XY) [][]geo.Point {
	rings := make([][]geo.Point, 0, len(parts))
	for _, ring := range parts {
		out := make([]geo.Point, 0, len(ring)+1)
		for i := range len(ring) + 1 {
			q := ring[i%len(ring)]
			out = append(out, mercator.Unproject(float64(q.X)/(1<<31), float64(q.Y)/(1<<31)).Rounded())
		}
		rings = append(rings, out)
	}
	return rings
}

// Land looks at land and sea as they are at the moment.
type Land struct{ set *regionSet }

// Look calls f with land and sea; a fault in a region's file ends it with an error.
func (a *Atlas) Look(f func(Land)) error {
	set := a.regions.Load()
	return a.reading(set, func() { f(Land{set}) })
}

// Covered tells whether a region holds a position.
func (l Land) Covered(at geo.Point) bool { return l.holding(at) != nil }

func (l Land) holding(at geo.Point) *openRegion {
	for _, r := range l.set.open {
		if r.region.Meta.Bounds.Contains(at) {
			return r
		}
	}
	return nil
}

// At tells whether a position lies on land: by the region that holds it, elsewhere by the world's coastlines.
func (l Land) At(at geo.Point) (on bool) {
	yes := func(*region.Drawn) { on = true }
	if r := l.holding(at); r != nil {
		areaAt(r.region.Region, at, region.Land, yes)
	} else if far, err := world.Region(); err == nil {
		areaAt(far, at, region.FarLand, yes)
	}
	return on
}
