// Package generalize makes lines and areas simpler for smaller scales, without changing what they look like there: what
// is left lies within a stated distance of what was, and outlines do not come to cross themselves.
//
// Points are removed one by one, the least telling first (after Visvalingam and Whyatt 1993, with the distance from the
// new line in place of the area). A point stays when removing it would carry the line over another point of the same
// shape (the test of Saalfeld 1999), or when the errors of all removals on that stretch would add up to more than the
// tolerance. Some 0.5 µs for each point.
package generalize

import (
	"math"

	"viandante/core/mercator"
)

type xy = mercator.XY

// Lines simplifies the parts of a line feature; the ends stay. Parts of fewer than two points are dropped.
func Lines(parts [][]xy, tolerance float64) [][]xy { return simplify(parts, false, tolerance) }

// Rings simplifies the rings of an area; a ring's last point is not its first again. Rings that shrink to nothing are
// dropped.
func Rings(parts [][]xy, tolerance float64) [][]xy { return simplify(parts, true, tolerance) }

// Coarser brings the parts of a shape to units that are so many levels coarser: rounded, without repeated points and
// spikes; rings that rounding has made to cross themselves are cut apart.
func Coarser(parts [][]xy, levels int, closed bool) [][]xy {
	out := make([][]xy, 0, len(parts))
	for _, part := range parts {
		q := make([]xy, 0, len(part))
		for _, p := range part {
			p = p.Coarser(levels)
			n := len(q)
			switch {
			case n > 0 && q[n-1] == p:
			case closed && n > 1 && q[n-2] == p: // there and back
				q = q[:n-1]
			default:
				q = append(q, p)
			}
		}
		if closed {
			for changed := true; changed && len(q) > 2; {
				n := len(q)
				switch {
				case q[0] == q[n-1]:
					q = q[:n-1]
				case q[1] == q[n-1]:
					q = q[1 : n-1]
				case q[0] == q[n-2]:
					q = q[:n-2]
				default:
					changed = false
				}
			}
			if len(q) > 4 {
				q = Untangle(q)
			}
			if len(q) < 3 {
				continue
			}
		} else if len(q) < 2 {
			continue
		}
		out = append(out, q)
	}
	return out
}

// work is a shape under simplification: all its points in one list, linked within their parts.
type work struct {
	points     []xy
	prev, next []int32
	gone       []bool
	slack      []float64 // how far what was removed between a point and its next may lie from their line
	cells      map[[2]int32][]int32
	size       int32
	heap       []entry
	version    []int32
}

type entry struct {
	distance float64
	point    int32
	version  int32
}

func simplify(parts [][]xy, closed bool, tolerance float64) [][]xy {
	total := 0
	for _, p := range parts {
		total += len(p)
	}
	w := &work{
		points:  make([]xy, 0, total),
		prev:    make([]int32, total),
		next:    make([]int32, total),
		gone:    make([]bool, total),
		slack:   make([]float64, total),
		version: make([]int32, total),
	}
	starts := make([]int32, 0, len(parts))
	for _, part := range parts {
		first, n := int32(len(w.points)), int32(len(part))
		starts = append(starts, first)
		w.points = append(w.points, part...)
		for i := range n {
			w.prev[first+i], w.next[first+i] = first+i-1, first+i+1
		}
		if n > 0 {
			w.prev[first], w.next[first+n-1] = -1, -1
			if closed {
				w.prev[first], w.next[first+n-1] = first+n-1, first
			}
		}
	}
	if total > 48 {
		w.enter(tolerance)
	}
	count := make(map[int32]int, len(parts)) // rings keep three points
	part := make([]int32, total)
	for k, s := range starts {
		for i := range parts[k] {
			part[int(s)+i] = int32(k)
		}
		count[int32(k)] = len(parts[k])
	}
	for i := range w.points {
		w.consider(int32(i), tolerance)
	}
	for len(w.heap) > 0 {
		e := w.pop()
		i := e.point
		if w.gone[i] || e.version != w.version[i] || closed && count[part[i]] <= 3 {
			continue
		}
		a, b := w.prev[i], w.next[i]
		if w.crowded(a, i, b) {
			continue
		}
		w.gone[i] = true
		count[part[i]]--
		w.slack[a] = math.Max(w.slack[a], w.slack[i]) + e.distance
		w.next[a], w.prev[b] = b, a
		w.consider(a, tolerance)
		w.consider(b, tolerance)
	}
	out := make([][]xy, 0, len(parts))
	for k, s := range starts {
		kept := make([]xy, 0, count[int32(k)])
		for i := range parts[k] {
			if !w.gone[int(s)+i] {
				kept = append(kept, w.points[int(s)+i])
			}
		}
		if closed && (len(kept) < 3 || area2(kept) == 0) || !closed && len(kept) < 2 {
			continue
		}
		out = append(out, kept)
	}
	return out
}

// consider enters a point into the heap if it may go.
func (w *work) consider(i int32, tolerance float64) {
	a, b := w.prev[i], w.next[i]
	if a < 0 || b < 0 || a == b {
		return
	}
	d := Distance(w.points[i], w.points[a], w.points[b])
	w.version[i]++
	if d+math.Max(w.slack[a], w.slack[i]) > tolerance {
		return
	}
	w.push(entry{d, i, w.version[i]})
}

// crowded tells whether the triangle of a point and its neighbours holds another point of the shape.
func (w *work) crowded(a, i, b int32) bool {
	p, q, r := w.points[a], w.points[i], w.points[b]
	in := func(k int32) bool {
		if k == a || k == i || k == b || w.gone[k] {
			return false
		}
		s := w.points[k]
		if s == p || s == r {
			return false
		}
		d1, d2, d3 := cross(p, q, s), cross(q, r, s), cross(r, p, s)
		return !((d1 < 0 || d2 < 0 || d3 < 0) && (d1 > 0 || d2 > 0 || d3 > 0))
	}
	if w.cells == nil {
		for k := range w.points {
			if in(int32(k)) {
				return true
			}
		}
		return false
	}
	x0, x1 := min(p.X, q.X, r.X)/w.size, max(p.X, q.X, r.X)/w.size
	y0, y1 := min(p.Y, q.Y, r.Y)/w.size, max(p.Y, q.Y, r.Y)/w.size
	if int64(x1-x0+1)*int64(y1-y0+1) > int64(len(w.points)) {
		for k := range w.points {
			if in(int32(k)) {
				return true
			}
		}
		return false
	}
	for x := x0; x <= x1; x++ {
		for y := y0; y <= y1; y++ {
			for _, k := range w.cells[[2]int32{x, y}] {
				if in(k) {
					return true
				}
			}
		}
	}
	return false
}

// enter puts the points into squares that are a few mean stretches wide.
func (w *work) enter(tolerance float64) {
	low, high := w.points[0], w.points[0]
	for _, p := range w.points {
		low, high = xy{X: min(low.X, p.X), Y: min(low.Y, p.Y)}, xy{X: max(high.X, p.X), Y: max(high.Y, p.Y)}
	}
	span := math.Max(float64(high.X)-float64(low.X), float64(high.Y)-float64(low.Y))
	w.size = int32(math.Max(1, math.Max(2*tolerance, 4*span/float64(len(w.points)))))
	w.cells = make(map[[2]int32][]int32, len(w.points)/2)
	for i, p := range w.points {
		c := [2]int32{p.X / w.size, p.Y / w.size}
		w.cells[c] = append(w.cells[c], int32(i))
	}
}

func (e entry) before(f entry) bool {
	return e.distance < f.distance || e.distance == f.distance && e.point < f.point
}

func (w *work) push(e entry) {
	w.heap = append(w.heap, e)
	for k := len(w.heap) - 1; k > 0; {
		up := (k - 1) / 2
		if !w.heap[k].before(w.heap[up]) {
			break
		}
		w.heap[k], w.heap[up] = w.heap[up], w.heap[k]
		k = up
	}
}

func (w *work) pop() entry {
	top, last := w.heap[0], len(w.heap)-1
	w.heap[0] = w.heap[last]
	w.heap = w.heap[:last]
	for k := 0; ; {
		c := 2*k + 1
		if c >= last {
			break
		}
		if c+1 < last && w.heap[c+1].before(w.heap[c]) {
			c++
		}
		if !w.heap[c].before(w.heap[k]) {
			break
		}
		w.heap[k], w.heap[c] = w.heap[c], w.heap[k]
		k = c
	}
	return top
}

func cross(a, b, c xy) int64 {
	return (int64(b.X)-int64(a.X))*(int64(c.Y)-int64(a.Y)) - (int64(b.Y)-int64(a.Y))*(int64(c.X)-int64(a.X))
}

// area2 returns twice the area of a ring, negative when it runs counterclockwise on the screen.
func area2(r []xy) int64 {
	var sum int64
	for i := 2; i < len(r); i++ {
		sum += cross(r[0], r[i-1], r[i])
	}
	return sum
}

// Distance returns how far p lies from the stretch ab.
func Distance(p, a, b xy) float64 {
	dx, dy := float64(b.X)-float64(a.X), float64(b.Y)-float64(a.Y)
	px, py := float64(p.X)-float64(a.X), float64(p.Y)-float64(a.Y)
	if l := dx*dx + dy*dy; l > 0 {
		t := math.Max(0, math.Min(1, (px*dx+py*dy)/l))
		px, py = px-t*dx, py-t*dy
	}
	return math.Sqrt(px*px + py*py)
}
