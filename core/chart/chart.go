// Package chart draws maps: the ground from tiles, its names, and what is laid over it, into a picture of its own. It
// draws by the same style, from the same tiles and by the same rules as the page does (ui/src/chart, ui/src/layers),
// so that a picture from the server is recognisably the page's map; the two are compared by a test.
//
// Outlines are filled and lines are stroked on a Sheet, each pixel covered as exactly as the outline covers it (the way
// in which font rasterizers do it; Levien 2016, "font-rs"). Letters are outlines, too: a Fonts hands them out.
//
// Lengths are CSS pixels, of which each has Ratio pixels of the picture to a side.
package chart

import (
	"math"

	"viandante/core/geo"
	"viandante/core/mercator"
)

// TileSide is the side of a tile in CSS pixels, and of the whole world at zoom 0.
const TileSide = 512

// Camera is what is seen: the middle, how near, and on a picture of which size.
type Camera struct {
	Center        geo.Point
	Zoom          float64
	Width, Height float64
	Ratio         float64
}

// spot is a position on the picture in CSS pixels, or on the unit square of the world.
type spot struct{ x, y float64 }

// view is a camera with what follows from it.
type view struct {
	Camera
	middle spot    // on the unit square of the world
	size   float64 // CSS pixels to the width of the world
}

func (c Camera) view() view {
	x, y := mercator.Project(c.Center)
	return view{c, spot{x, y}, TileSide * math.Exp2(c.Zoom)}
}

// at returns the pixel of a spot of the world, on the copy of the world that is nearest to the middle.
func (v *view) at(w spot) spot {
	dx := w.x - v.middle.x
	dx -= math.Round(dx)
	return spot{dx*v.size + v.Width/2, (w.y-v.middle.y)*v.size + v.Height/2}
}

func (v *view) world(p spot) spot {
	return spot{v.middle.x + (p.x-v.Width/2)/v.size, v.middle.y + (p.y-v.Height/2)/v.size}
}

func (v *view) point(p geo.Point) spot {
	x, y := mercator.Project(p)
	return v.at(spot{x, y})
}

// Fit returns the middle and the zoom at which some positions lie within a picture of a size, with a margin in CSS
// pixels; no nearer than most. It returns false for no positions.
func Fit(points []geo.Point, width, height, margin, most float64) (geo.Point, float64, bool) {
	if len(points) == 0 {
		return geo.Point{}, 0, false
	}
	x0, y0 := mercator.Project(points[0])
	west, east, north, south := x0, x0, y0, y0
	for _, p := range points[1:] {
		x, y := mercator.Project(p)
		x -= math.Round(x - x0) // the near side of the antimeridian
		west, east = min(west, x), max(east, x)
		north, south = min(north, y), max(south, y)
	}
	zoom := most
	for _, one := range [][2]float64{{east - west, width}, {south - north, height}} {
		if one[0] > 0 {
			zoom = min(zoom, math.Log2(max(1, one[1]-2*margin)/(one[0]*TileSide)))
		}
	}
	return mercator.Unproject((west+east)/2, (north+south)/2), max(zoom, 0), true
}
