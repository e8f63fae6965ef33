// Package contour draws lines of equal value through a regular grid (marching squares, the plane case of Lorensen and
// Cline 1987): with what is above the level at their left when the grid's rows run upwards, at their right when they
// run downwards. Lines never cross each other or themselves. A grid is given row by row, w values to a row, h rows.
package contour

import "math"

// Point is a position on the grid, in columns and rows.
type Point struct{ X, Y float64 }

// Rings returns the outlines of what lies above a level; beyond the grid nothing does, so they are all closed, their
// last point not being the first again.
func Rings(w, h int, values []float64, level float64) [][]Point {
	padded := make([]float64, (w+2)*(h+2))
	for i := range padded {
		padded[i] = math.Inf(-1)
	}
	for y := range h {
		copy(padded[(y+1)*(w+2)+1:], values[y*w:(y+1)*w])
	}
	t := newTracer(w+2, h+2, padded)
	t.level = level
	for y := range h + 1 {
		for x := range w + 1 {
			t.cell(y*t.w + x)
		}
	}
	rings := t.follow()
	for _, r := range rings {
		for i := range r {
			r[i].X, r[i].Y = r[i].X-1, r[i].Y-1
		}
	}
	return rings
}

// Lines returns for each of the levels, which ascend, its lines within the grid; those that reach its edge, or a cell
// with an unknown corner (NaN), end there, the others end where they began. Cells are looked at once, however many the
// levels.
func Lines(w, h int, values []float64, levels []float64) [][][]Point {
	out := make([][][]Point, len(levels))
	if len(levels) == 0 {
		return out
	}
	crossed := make([][]int32, len(levels)) // the cells that each level passes through
	for y := range h - 1 {
		at := 0 // the level above which the last cell began, mostly near the next one's
		for x := range w - 1 {
			i := y*w + x
			a, b, c, d := values[i], values[i+1], values[i+w], values[i+w+1]
			low, high := min(a, b, c, d), max(a, b, c, d)
			if low != low {
				continue
			}
			for at > 0 && levels[at-1] >= low {
				at--
			}
			for at < len(levels) && levels[at] < low {
				at++
			}
			for k := at; k < len(levels) && levels[k] < high; k++ {
				crossed[k] = append(crossed[k], int32(i))
			}
		}
	}
	t := newTracer(w, h, values)
	for k, level := range levels {
		t.level = level
		for _, i := range crossed[k] {
			t.cell(int(i))
		}
		out[k] = t.followOpen()
		for _, r := range t.follow() {
			out[k] = append(out[k], append(r, r[0]))
		}
	}
	return out
}

// tracer links the edges of the grid that a line crosses: an edge is named by its first point times two, plus one when
// it runs along a column.
type tracer struct {
	w      int
	values []float64
	level  float64
	next   []int32 // the edge that follows, plus one; 0 is none
	led    []bool
	order  []int32
}

func newTracer(w, h int, values []float64) *tracer {
	return &tracer{w: w, values: values, next: make([]int32, 2*w*h), led: make([]bool, 2*w*h)}
}

// cell links the edges of the cell whose first point is i. A cell with an unknown corner links none.
func (t *tracer) cell(i int) {
	sw, se, nw, ne := t.values[i]-t.level, t.values[i+1]-t.level, t.values[i+t.w]-t.level, t.values[i+t.w+1]-t.level
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
	if kind == 0 || kind == 15 || sw != sw || se != se || ne != ne || nw != nw {
		return
	}
	south, west := int32(2*i), int32(2*i+1)
	east, north := west+2, south+2*int32(t.w)
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

func (t *tracer) link(from, to int32) {
	t.next[from], t.led[to] = to+1, true
	t.order = append(t.order, from)
}

func (t *tracer) at(e int32) Point {
	i, j, dx, dy := int(e/2), int(e/2)+1, 1.0, 0.0
	if e%2 == 1 {
		j, dx, dy = i+t.w, 0, 1
	}
	a, b := t.values[i]-t.level, t.values[j]-t.level
	s := 0.5
	if !math.IsInf(a, 0) && !math.IsInf(b, 0) {
		s = max(0.02, min(0.98, a/(a-b)))
	}
	return Point{float64(i%t.w) + s*dx, float64(i/t.w) + s*dy}
}

// take returns the edge after e, if there is one, and forgets it.
func (t *tracer) take(e int32) (int32, bool) {
	n := t.next[e]
	t.next[e] = 0
	if n == 0 {
		return 0, false
	}
	t.led[n-1] = false
	return n - 1, true
}

// follow returns what closes, in the order of the grid, and leaves the tracer as new.
func (t *tracer) follow() [][]Point {
	var out [][]Point
	for _, first := range t.order {
		if t.next[first] == 0 {
			continue
		}
		var ring []Point
		for e, ok := first, true; ok; {
			ring = append(ring, t.at(e))
			if e, ok = t.take(e); e == first {
				break
			}
		}
		out = append(out, ring)
	}
	t.order = t.order[:0]
	return out
}

// followOpen returns and takes out what begins at an edge that nothing leads to.
func (t *tracer) followOpen() [][]Point {
	var out [][]Point
	for _, first := range t.order {
		if t.led[first] || t.next[first] == 0 {
			continue
		}
		var line []Point
		for e, ok := first, true; ok; e, ok = t.take(e) {
			line = append(line, t.at(e))
		}
		out = append(out, line)
	}
	return out
}
