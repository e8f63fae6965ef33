// Package placement lays a flat picture on the map by control points: pixels of the picture whose positions are known.
// Two of them move, turn and scale it (a similarity), three stretch and shear it as well (an affine map); both are
// exact at the control points. The plane is that of package mercator, so that the picture lies on the map as it was
// drawn.
package placement

import (
	"errors"
	"fmt"
	"math"

	"viandante/core/geo"
	"viandante/core/mercator"
)

// Control is a pixel, counted from the picture's upper left corner to the right and down, and where it lies.
type Control struct {
	X, Y float64
	At   geo.Point
}

// What makes control points useless.
var (
	ErrCount      = errors.New("a picture is placed by two or three control points")
	ErrCoincident = errors.New("control points lie on one spot")
	ErrCollinear  = errors.New("the three control points lie in a line; move one of them aside, or use two")
	ErrTooLarge   = errors.New("the picture would cover more than the map; the control points belong to other places")
)

// Placement maps pixels to the unit square of the map: x = ax·px + bx·py + cx, and y the same.
type Placement struct{ ax, bx, cx, ay, by, cy float64 }

// leastHeight is how far a third control point must lie off the line through the two others, as a share of their
// distance.
const leastHeight = 0.02

// Fit returns the placement by control points. Errors wrap one of those above and name the points, counted from 1.
func Fit(controls []Control) (Placement, error) {
	n := len(controls)
	if n != 2 && n != 3 {
		return Placement{}, fmt.Errorf("%w, not %d", ErrCount, n)
	}
	pixels, world := make([]complex128, n), make([]complex128, n)
	for i, c := range controls {
		x, y := mercator.Project(c.At)
		if i > 0 {
			x -= math.Round(x - real(world[0])) // the near side of the antimeridian
		}
		pixels[i], world[i] = complex(c.X, c.Y), complex(x, y)
	}
	for i := range controls {
		for k := range i {
			if abs(pixels[i]-pixels[k]) < 1 {
				return Placement{}, fmt.Errorf(
					"%w: %d and %d are the same pixel of the picture",
					ErrCoincident,
					k+1,
					i+1,
				)
			}
			if abs(world[i]-world[k]) < 1e-10 { // 4 mm at the equator
				return Placement{}, fmt.Errorf("%w: %d and %d have the same position", ErrCoincident, k+1, i+1)
			}
		}
	}
	var p Placement
	if n == 2 {
		m := (world[1] - world[0]) / (pixels[1] - pixels[0])
		c := world[0] - m*pixels[0]
		p = Placement{real(m), -imag(m), real(c), imag(m), real(m), imag(c)}
	} else {
		if inLine(pixels) || inLine(world) {
			return Placement{}, ErrCollinear
		}
		u, v := pixels[1]-pixels[0], pixels[2]-pixels[0]
		s, t := world[1]-world[0], world[2]-world[0]
		det := cross(u, v)
		p.ax = (real(s)*imag(v) - real(t)*imag(u)) / det
		p.bx = (real(t)*real(u) - real(s)*real(v)) / det
		p.ay = (imag(s)*imag(v) - imag(t)*imag(u)) / det
		p.by = (imag(t)*real(u) - imag(s)*real(v)) / det
		p.cx = real(world[0]) - p.ax*real(pixels[0]) - p.bx*imag(pixels[0])
		p.cy = imag(world[0]) - p.ay*real(pixels[0]) - p.by*imag(pixels[0])
	}
	return p, nil
}

func abs(c complex128) float64 { return math.Hypot(real(c), imag(c)) }

func cross(u, v complex128) float64 { return real(u)*imag(v) - imag(u)*real(v) }

// inLine tells whether a triangle is all but flat.
func inLine(p []complex128) bool {
	longest := max(abs(p[1]-p[0]), abs(p[2]-p[0]), abs(p[2]-p[1]))
	return math.Abs(cross(p[1]-p[0], p[2]-p[0])) < leastHeight*longest*longest
}

// At returns where a pixel lies.
func (p Placement) At(x, y float64) geo.Point {
	return mercator.Unproject(p.ax*x+p.bx*y+p.cx, math.Max(0, math.Min(1, p.ay*x+p.by*y+p.cy)))
}

// Corners returns where the corners of a picture of a size lie, clockwise from the upper left; ErrTooLarge where it
// would not fit on the map.
func (p Placement) Corners(width, height float64) ([4]geo.Point, error) {
	if math.Hypot(p.ax, p.ay)*width > 1 || math.Hypot(p.bx, p.by)*height > 1 {
		return [4]geo.Point{}, ErrTooLarge
	}
	return [4]geo.Point{p.At(0, 0), p.At(width, 0), p.At(width, height), p.At(0, height)}, nil
}
