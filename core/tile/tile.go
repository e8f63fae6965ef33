// Package tile cuts the ground of regions into the tiles that the page draws: it projects, simplifies, clips and
// encodes. The encoding is our own; docs/tiles.md describes it byte by byte.
//
// Tiles lie on the square of the spherical Mercator projection (Snyder 1987, section 7, for a sphere), zoom 0 being
// the whole square and each zoom doubling it. A tile has an extent of 4096 units, which the page shows on 512 pixels.
package tile

import (
	"fmt"
	"math"

	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/spatial"
)

const (
	// Extent is the side of a tile in its own units.
	Extent = 4096
	// Buffer is how far geometry reaches beyond the tile, in its units, so that broad lines are whole at the edge.
	Buffer = 128
	// MaxZoom is the greatest zoom.
	MaxZoom = 19
	// maxLat is where the square ends, in degrees.
	maxLat = 85.051128779806604
)

// ID names a tile: its zoom, and its column and row from the north-western corner.
type ID struct{ Z, X, Y int }

// Check returns an error unless the tile is in the pyramid.
func (id ID) Check() error {
	if id.Z < 0 || id.Z > MaxZoom {
		return fmt.Errorf("zoom %d is outside 0 to %d", id.Z, MaxZoom)
	}
	if n := 1 << id.Z; id.X < 0 || id.X >= n || id.Y < 0 || id.Y >= n {
		return fmt.Errorf("at zoom %d columns and rows run from 0 to %d, not %d/%d", id.Z, n-1, id.X, id.Y)
	}
	return nil
}

// Project returns a position on the square as shares in [0, 1] from the north-western corner.
func Project(p geo.Point) (x, y float64) {
	s := math.Sin(math.Max(-maxLat, math.Min(maxLat, p.Lat())) * math.Pi / 180)
	return p.Lng()/360 + 0.5, 0.5 - math.Log((1+s)/(1-s))/(4*math.Pi)
}

// Unproject is the inverse of Project, with y in [0, 1]; x wraps.
func Unproject(x, y float64) geo.Point {
	lat := math.Atan(math.Sinh((0.5-y)*2*math.Pi)) * 180 / math.Pi
	return geo.MustPoint(lat, geo.WrapLng((x-0.5)*360))
}

// box returns the tile with its buffer in units of 1e-7 degree.
func (id ID) box() spatial.Box {
	n := float64(int(1) << id.Z)
	const b = float64(Buffer) / Extent
	north := Unproject(0.5, math.Max(0, (float64(id.Y)-b)/n)).E7().Lat
	south := Unproject(0.5, math.Min(1, (float64(id.Y)+1+b)/n)).E7().Lat
	if id.Y == 0 {
		north = 90e7
	}
	if id.Y == 1<<id.Z-1 {
		south = -90e7
	}
	west := ((float64(id.X)-b)/n - 0.5) * 360e7
	east := ((float64(id.X)+1+b)/n - 0.5) * 360e7
	return spatial.Box{MinX: int32(math.Max(-1.8e9, west)), MinY: south, MaxX: int32(math.Min(1.8e9, east)), MaxY: north}
}

// xy is a point in a tile's units.
type xy struct{ x, y int32 }

// Encode returns the encoded tile of all regions together; nil when there is nothing on it. The tile must pass Check.
func Encode(regions []*region.Region, id ID) []byte {
	e := newEncoder()
	frame := window{-Buffer, -Buffer, Extent + Buffer, Extent + Buffer}
	for _, r := range regions {
		r.Draw(id.Z, id.box(), func(f *region.Feature) bool {
			if parts := cut(f, id, frame); len(parts) > 0 {
				e.add(f, parts)
			}
			return true
		})
	}
	return e.bytes()
}

// tolerance is how far a simplified line may lie from the true one, in tile units: half a pixel, and at the zooms where
// every corner counts less.
func tolerance(zoom int) float64 {
	if zoom >= 15 {
		return 1
	}
	return 4
}

// cut brings a feature into the tile: projected, simplified, clipped.
func cut(f *region.Feature, id ID, frame window) [][]xy {
	var out [][]xy
	scale := math.Ldexp(Extent, id.Z)
	originX, originY := float64(id.X)*Extent, float64(id.Y)*Extent
	for _, part := range f.Parts {
		line := make([]xy, 0, len(part))
		for _, p := range part {
			x, y := Project(p.Point())
			q := xy{clampUnits(math.Round(x*scale) - originX), clampUnits(math.Round(y*scale) - originY)}
			if len(line) == 0 || line[len(line)-1] != q {
				line = append(line, q)
			}
		}
		switch f.Shape {
		case region.PointShape:
			if len(line) == 1 && frame.holds(line[0]) {
				out = append(out, line)
			}
		case region.LineShape:
			if len(line) > 1 {
				out = append(out, frame.clipLine(simplify(line, tolerance(id.Z)))...)
			}
		case region.AreaShape:
			if r := frame.clipRing(simplifyRing(line, tolerance(id.Z))); len(r) > 2 {
				out = append(out, r)
			}
		}
	}
	return out
}

// clampUnits keeps coordinates of far-off points within what the clipping can multiply without overflow.
func clampUnits(v float64) int32 { return int32(math.Max(-1<<30, math.Min(1<<30, v))) }
