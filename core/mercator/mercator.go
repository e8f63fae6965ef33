// Package mercator is the plane that maps are drawn on: the square of the spherical Mercator projection (Snyder 1987,
// section 7, for a sphere), zoom 0 being one tile that covers it, and each zoom halving the tiles. Positions on it are
// whole numbers of units, Extent to a tile, counted from the north-western corner.
package mercator

import (
	"math"

	"viandante/core/geo"
)

const (
	// Extent is the side of a tile in its own units.
	Extent = 4096
	// MaxZoom is the greatest zoom. Its units are the finest: 2^31 to the width of the world, some 2 cm at the equator.
	MaxZoom = 19
	// MaxLat is where the square ends, in degrees.
	MaxLat = 85.051128779806604
)

// XY is a position in units of some zoom, x to the east and y to the south.
type XY struct{ X, Y int32 }

// Project returns a position on the square as shares in [0, 1] from the north-western corner; latitudes beyond MaxLat
// lie on its edge.
func Project(p geo.Point) (x, y float64) { return project(p.Lat(), p.Lng()) }

func project(lat, lng float64) (x, y float64) {
	s := math.Sin(math.Max(-MaxLat, math.Min(MaxLat, lat)) * math.Pi / 180)
	return lng/360 + 0.5, 0.5 - math.Log((1+s)/(1-s))/(4*math.Pi)
}

// Unproject is the inverse of Project, with y in [0, 1]; x wraps.
func Unproject(x, y float64) geo.Point {
	lat := math.Atan(math.Sinh((0.5-y)*2*math.Pi)) * 180 / math.Pi
	return geo.MustPoint(lat, geo.WrapLng((x-0.5)*360))
}

// Finest returns a position in units of MaxZoom.
func Finest(p geo.E7) XY {
	x, y := project(float64(p.Lat)/1e7, float64(p.Lng)/1e7)
	unit := func(v float64) int32 {
		return int32(math.Max(0, math.Min(math.MaxInt32, math.Round(math.Ldexp(v, 31)))))
	}
	return XY{unit(x), unit(y)}
}

// Coarser returns a position in units of a zoom that is so many levels lower.
func (p XY) Coarser(levels int) XY {
	if levels <= 0 {
		return p
	}
	half := int64(1) << (levels - 1)
	return XY{int32((int64(p.X) + half) >> levels), int32((int64(p.Y) + half) >> levels)}
}
