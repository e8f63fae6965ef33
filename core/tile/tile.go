// Package tile cuts the ground of regions into the tiles that the page draws: it takes from a region what shows at the
// tile's zoom, clips it and encodes it. The encodings are our own; docs/tiles.md describes them byte by byte.
package tile

import (
	"fmt"
	"math"

	"viandante/core/generalize"
	"viandante/core/geo"
	"viandante/core/mercator"
	"viandante/core/region"
)

// ID names a tile: its zoom, and its column and row from the north-western corner.
type ID struct{ Z, X, Y int }

// At returns the tile of a zoom that holds a position.
func At(p geo.Point, zoom int) ID {
	x, y := mercator.Project(p)
	n := math.Ldexp(1, zoom)
	return ID{zoom, int(math.Min(n-1, x*n)), int(math.Min(n-1, y*n))}
}

// Check returns an error unless the tile is in the pyramid.
func (id ID) Check() error {
	if id.Z < 0 || id.Z > mercator.MaxZoom {
		return fmt.Errorf("zoom %d is outside 0 to %d", id.Z, mercator.MaxZoom)
	}
	if n := 1 << id.Z; id.X < 0 || id.X >= n || id.Y < 0 || id.Y >= n {
		return fmt.Errorf("at zoom %d columns and rows run from 0 to %d, not %d/%d", id.Z, n-1, id.X, id.Y)
	}
	return nil
}

// units returns a position in the units of the tile.
func (id ID) units(p geo.Point) (x, y float64) {
	x, y = mercator.Project(p)
	scale := math.Ldexp(mercator.Extent, id.Z)
	return x*scale - float64(id.X)*mercator.Extent, y*scale - float64(id.Y)*mercator.Extent
}

// at returns the position of a point given in units of the tile.
func (id ID) at(x, y float64) geo.Point {
	n := math.Ldexp(mercator.Extent, id.Z)
	return mercator.Unproject(
		(float64(id.X)*mercator.Extent+x)/n,
		math.Max(0, math.Min(1, (float64(id.Y)*mercator.Extent+y)/n)),
	)
}

var frame = generalize.Window{
	MinX: -region.Margin,
	MinY: -region.Margin,
	MaxX: mercator.Extent + region.Margin,
	MaxY: mercator.Extent + region.Margin,
}

// Encode returns the encoded tile of all regions together, and of the world's coastlines beneath them where world is
// not nil; nil when there is nothing on it. The tile must pass Check.
func Encode(regions []*region.Region, world *region.Region, id ID) []byte {
	e := newEncoder()
	if world != nil {
		drawRegion(e, world, id)
		for _, r := range regions {
			e.blot(r.Meta.Bounds, id)
		}
	}
	for _, r := range regions {
		drawRegion(e, r, id)
		e.contours(r, id)
	}
	return e.bytes()
}

func drawRegion(e *encoder, r *region.Region, id ID) {
	r.Draw(id.Z, id.X, id.Y, func(f *region.Drawn) bool {
		e.cut(f, id)
		return true
	})
}

// cut brings a feature into the tile.
func (e *encoder) cut(f *region.Drawn, id ID) {
	e.parts = e.parts[:0]
	originX, originY := int64(id.X)*mercator.Extent, int64(id.Y)*mercator.Extent
	inside, size := true, 0
	for _, part := range f.Parts {
		kept := part[:0] // in place: what is written lies behind what is read
		for _, p := range part {
			p = p.Coarser(f.Finer)
			p = mercator.XY{X: int32(int64(p.X) - originX), Y: int32(int64(p.Y) - originY)}
			if n := len(kept); n == 0 || kept[n-1] != p {
				kept = append(kept, p)
				inside = inside && frame.Holds(p)
			}
		}
		size += len(kept)
		switch f.Shape {
		case region.PointShape:
			if frame.Holds(kept[0]) {
				e.parts = append(e.parts, kept)
			}
		case region.LineShape:
			if inside && len(kept) > 1 {
				e.parts = append(e.parts, kept)
			} else if len(kept) > 1 {
				e.parts = append(e.parts, frame.Line(kept)...)
			}
		default:
			if !inside {
				kept = frame.Ring(kept)
			}
			if len(kept) > 2 {
				e.parts = append(e.parts, kept)
			}
		}
		inside = true
	}
	if len(e.parts) > 0 {
		e.add(uint64(f.ID), f.Class, f.Shape, f.Flags, f.Rank, f.Name, e.parts)
	}
}

// blotFrom is the zoom from which the world's rough coastlines give way to a region's own.
const blotFrom = 8

// blot covers the world's coastlines where a region knows better.
func (e *encoder) blot(b geo.Box, id ID) {
	if id.Z < blotFrom || b.West >= b.East || b.South >= b.North {
		return
	}
	corner := func(lat, lng float64) (x, y float64) {
		p, err := geo.NewPoint(lat, lng)
		if err != nil {
			return 0, 0
		}
		return id.units(p)
	}
	west, north := corner(b.North, b.West)
	east, south := corner(b.South, b.East)
	clamp := func(v float64) int32 {
		return int32(math.Round(math.Max(float64(frame.MinX), math.Min(float64(frame.MaxX), v))))
	}
	x0, y0, x1, y1 := clamp(west), clamp(north), clamp(east), clamp(south)
	if x0 < x1 && y0 < y1 {
		e.add(uint64(region.NewFeatureID(region.FromNothing, 0)), region.FarSea, region.AreaShape, 0, 0, "",
			[][]mercator.XY{{{X: x0, Y: y0}, {X: x0, Y: y1}, {X: x1, Y: y1}, {X: x1, Y: y0}}})
	}
}
