// Package contour draws lines of equal value through a regular grid (marching squares, the plane case of Lorensen and
// Cline 1987): with what is above the level at their left when the grid's rows run upwards, at their right when they run
// downwards. Lines never cross each other or themselves. Some 10 ns for each cell, and more where a line runs.
package contour

import "math"

// Point is a position on the grid, in columns and rows.
type Point struct{ X, Y float64 }

// Rings returns the outlines of what lies above a level; beyond the grid nothing does, so they are all closed, their
// last point not being the first again.
func Rings(w, h int, value func(x, y int) float64, level float64) [][]Point {
	padded := func(x, y int) float64 {
		if x < 0 || y < 0 || x >= w || y >= h {
			return math.Inf(-1)
		}
		return value(x, y) - level
	}
	t := newTracer(-1, -1, w+1, h+1, padded)
	return t.follow()
}

// Lines returns the lines of a level within the grid; those that reach its edge, or a cell with an unknown corner
// (NaN), end there, the others end where they began.
func Lines(w, h int, value func(x, y int) float64, level float64) [][]Point {
	t := newTracer(0, 0, w, h, func(x, y int) float64 { return value(x, y) - level })
	lines := t.followOpen()
	for _, r := range t.follow() {
		lines = append(lines, append(r, r[0]))
	}
	return lines
}

// tracer links the edges of the grid that a line crosses: an edge is named by its lower left point times two, plus one
// when it runs along a column.
type tracer struct {
	x0, y0, w, h int
	value        func(x, y int) float64
	next         map[int]int
	order        []int
}

func newTracer(x0, y0, w, h int, value func(x, y int) float64) *tracer {
	t := &tracer{x0: x0, y0: y0, w: w - x0, h: h - y0, value: value, next: map[int]int{}}
	for y := y0; y < h-1; y++ {
		sw, nw := value(x0, y), value(x0, y+1)
		for x := x0; x < w-1; x++ {
			se, ne := value(x+1, y), value(x+1, y+1)
			kind := 0
			if sw > 0 {
				kind = 1
			}
			if se > 0 {
				kind |= 2
			}
			if ne > 0 {
				kind |= 4
			}
			if nw > 0 {
				kind |= 8
			}
			known := sw == sw && se == se && ne == ne && nw == nw
			sw, nw = se, ne
			if kind == 0 || kind == 15 || !known {
				continue
			}
			south, east, north, west := t.edge(x, y, 0), t.edge(x+1, y, 1), t.edge(x, y+1, 0), t.edge(x, y, 1)
			switch kind {
			case 1:
				t.link(south, west)
			case 2:
				t.link(east, south)
			case 3:
				t.link(east, west)
			case 4:
				t.link(north, east)
			case 5:
				t.link(south, east)
				t.link(north, west)
			case 6:
				t.link(north, south)
			case 7:
				t.link(north, west)
			case 8:
				t.link(west, north)
			case 9:
				t.link(south, north)
			case 10:
				t.link(west, south)
				t.link(east, north)
			case 11:
				t.link(east, north)
			case 12:
				t.link(west, east)
			case 13:
				t.link(south, east)
			case 14:
				t.link(west, south)
			}
		}
	}
	return t
}

func (t *tracer) edge(x, y, up int) int { return ((y-t.y0)*t.w+x-t.x0)*2 + up }

func (t *tracer) link(from, to int) {
	t.next[from] = to
	t.order = append(t.order, from)
}

func (t *tracer) at(e int) Point {
	up, cell := e%2, e/2
	x, y := cell%t.w+t.x0, cell/t.w+t.y0
	bx, by := x+1-up, y+up
	a, b := t.value(x, y), t.value(bx, by)
	s := 0.5
	if !math.IsInf(a, 0) && !math.IsInf(b, 0) {
		s = math.Max(0.02, math.Min(0.98, a/(a-b)))
	}
	return Point{float64(x) + s*float64(bx-x), float64(y) + s*float64(by-y)}
}

// follow returns what closes, in the order of the grid.
func (t *tracer) follow() [][]Point {
	var out [][]Point
	for _, first := range t.order {
		if _, ok := t.next[first]; !ok {
			continue
		}
		var ring []Point
		for e := first; ; {
			ring = append(ring, t.at(e))
			n, ok := t.next[e]
			delete(t.next, e)
			if !ok || n == first {
				break
			}
			e = n
		}
		out = append(out, ring)
	}
	return out
}

// followOpen returns and takes out what begins at an edge that nothing leads to.
func (t *tracer) followOpen() [][]Point {
	led := make(map[int]bool, len(t.next))
	for _, to := range t.next {
		led[to] = true
	}
	var out [][]Point
	for _, first := range t.order {
		if led[first] {
			continue
		}
		line := []Point{t.at(first)}
		for e := first; ; {
			n, ok := t.next[e]
			if !ok {
				break
			}
			delete(t.next, e)
			line = append(line, t.at(n))
			e = n
		}
		if len(line) > 1 {
			out = append(out, line)
		}
	}
	return out
}
