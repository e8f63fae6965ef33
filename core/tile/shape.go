package tile

import "math"

// simplify drops points of a line that lie within tol of what is left (Douglas and Peucker 1973).
func simplify(line []xy, tol float64) []xy {
	if len(line) < 3 {
		return line
	}
	keep := make([]bool, len(line))
	keep[0], keep[len(line)-1] = true, true
	stack := [][2]int{{0, len(line) - 1}}
	for len(stack) > 0 {
		from, to := stack[len(stack)-1][0], stack[len(stack)-1][1]
		stack = stack[:len(stack)-1]
		far, farD := -1, tol*tol
		for i := from + 1; i < to; i++ {
			if d := squareToStretch(line[i], line[from], line[to]); d > farD {
				far, farD = i, d
			}
		}
		if far >= 0 {
			keep[far] = true
			stack = append(stack, [2]int{from, far}, [2]int{far, to})
		}
	}
	out := line[:0:0]
	for i, p := range line {
		if keep[i] {
			out = append(out, p)
		}
	}
	return out
}

// simplifyRing simplifies the two halves of a ring between its first point and the one farthest from it.
func simplifyRing(ring []xy, tol float64) []xy {
	if len(ring) > 1 && ring[0] == ring[len(ring)-1] {
		ring = ring[:len(ring)-1]
	}
	if len(ring) < 4 {
		return ring
	}
	far, farD := 0, -1.0
	for i, p := range ring {
		if d := math.Hypot(float64(p.x-ring[0].x), float64(p.y-ring[0].y)); d > farD {
			far, farD = i, d
		}
	}
	first := simplify(ring[:far+1], tol)
	second := simplify(append(append([]xy{}, ring[far:]...), ring[0]), tol)
	return append(append([]xy{}, first...), second[1:len(second)-1]...)
}

func squareToStretch(p, a, b xy) float64 {
	dx, dy := float64(b.x)-float64(a.x), float64(b.y)-float64(a.y)
	px, py := float64(p.x)-float64(a.x), float64(p.y)-float64(a.y)
	if l := dx*dx + dy*dy; l > 0 {
		t := math.Max(0, math.Min(1, (px*dx+py*dy)/l))
		px, py = px-t*dx, py-t*dy
	}
	return px*px + py*py
}

// window is a box to clip to.
type window struct{ minX, minY, maxX, maxY int32 }

func (w window) holds(p xy) bool {
	return p.x >= w.minX && p.x <= w.maxX && p.y >= w.minY && p.y <= w.maxY
}

// clipLine cuts a line into the pieces inside the window (Liang and Barsky 1984, stretch by stretch).
func (w window) clipLine(line []xy) [][]xy {
	var out [][]xy
	var cur []xy
	for i := 1; i < len(line); i++ {
		a, b, ok := w.clipStretch(line[i-1], line[i])
		if !ok {
			if len(cur) > 1 {
				out = append(out, cur)
			}
			cur = nil
			continue
		}
		if len(cur) == 0 || cur[len(cur)-1] != a {
			if len(cur) > 1 {
				out = append(out, cur)
			}
			cur = []xy{a}
		}
		if a != b {
			cur = append(cur, b)
		}
	}
	if len(cur) > 1 {
		out = append(out, cur)
	}
	return out
}

func (w window) clipStretch(a, b xy) (xy, xy, bool) {
	dx, dy := float64(b.x)-float64(a.x), float64(b.y)-float64(a.y)
	t0, t1 := 0.0, 1.0
	for _, edge := range [4][2]float64{{-dx, float64(a.x) - float64(w.minX)}, {dx, float64(w.maxX) - float64(a.x)},
		{-dy, float64(a.y) - float64(w.minY)}, {dy, float64(w.maxY) - float64(a.y)}} {
		p, q := edge[0], edge[1]
		switch {
		case p == 0:
			if q < 0 {
				return a, b, false
			}
		case p < 0:
			t0 = math.Max(t0, q/p)
		default:
			t1 = math.Min(t1, q/p)
		}
	}
	if t0 > t1 {
		return a, b, false
	}
	at := func(t float64) xy {
		return xy{int32(math.Round(float64(a.x) + t*dx)), int32(math.Round(float64(a.y) + t*dy))}
	}
	from, to := a, b
	if t0 > 0 {
		from = at(t0)
	}
	if t1 < 1 {
		to = at(t1)
	}
	return from, to, true
}

// clipRing cuts a ring to the window (Sutherland and Hodgman 1974). Where it left the window it runs along the edge,
// which lies in the buffer and is never seen.
func (w window) clipRing(ring []xy) []xy {
	for side := range 4 {
		if len(ring) == 0 {
			return nil
		}
		inside := func(p xy) bool {
			switch side {
			case 0:
				return p.x >= w.minX
			case 1:
				return p.x <= w.maxX
			case 2:
				return p.y >= w.minY
			default:
				return p.y <= w.maxY
			}
		}
		meet := func(a, b xy) xy {
			along := func(edge, a1, b1, a2, b2 int32) int32 {
				t := (float64(edge) - float64(a1)) / (float64(b1) - float64(a1))
				return int32(math.Round(float64(a2) + t*(float64(b2)-float64(a2))))
			}
			switch side {
			case 0:
				return xy{w.minX, along(w.minX, a.x, b.x, a.y, b.y)}
			case 1:
				return xy{w.maxX, along(w.maxX, a.x, b.x, a.y, b.y)}
			case 2:
				return xy{along(w.minY, a.y, b.y, a.x, b.x), w.minY}
			default:
				return xy{along(w.maxY, a.y, b.y, a.x, b.x), w.maxY}
			}
		}
		var out []xy
		last := ring[len(ring)-1]
		for _, p := range ring {
			if inside(p) != inside(last) {
				out = append(out, meet(last, p))
			}
			if inside(p) {
				out = append(out, p)
			}
			last = p
		}
		ring = out
	}
	return ring
}
