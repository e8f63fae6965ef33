package generalize

import "math"

// Window is a box to clip to.
type Window struct{ MinX, MinY, MaxX, MaxY int32 }

// Holds tells whether a point lies in the window or on its edge.
func (w Window) Holds(p xy) bool {
	return p.X >= w.MinX && p.X <= w.MaxX && p.Y >= w.MinY && p.Y <= w.MaxY
}

// Line cuts a line into the pieces inside the window (Liang and Barsky 1984, stretch by stretch).
func (w Window) Line(line []xy) [][]xy {
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

func (w Window) clipStretch(a, b xy) (xy, xy, bool) {
	dx, dy := float64(b.X)-float64(a.X), float64(b.Y)-float64(a.Y)
	t0, t1 := 0.0, 1.0
	for _, edge := range [4][2]float64{{-dx, float64(a.X) - float64(w.MinX)}, {dx, float64(w.MaxX) - float64(a.X)},
		{-dy, float64(a.Y) - float64(w.MinY)}, {dy, float64(w.MaxY) - float64(a.Y)}} {
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
	share := func(t float64) xy {
		return at(int32(math.Round(float64(a.X)+t*dx)), int32(math.Round(float64(a.Y)+t*dy)))
	}
	from, to := a, b
	if t0 > 0 {
		from = share(t0)
	}
	if t1 < 1 {
		to = share(t1)
	}
	return from, to, true
}

// Ring cuts a ring to the window (Sutherland and Hodgman 1974). Where it left the window it runs along the edge,
// which lies in the buffer and is never seen.
func (w Window) Ring(ring []xy) []xy {
	for side := range 4 {
		if len(ring) == 0 {
			return nil
		}
		inside := func(p xy) bool {
			switch side {
			case 0:
				return p.X >= w.MinX
			case 1:
				return p.X <= w.MaxX
			case 2:
				return p.Y >= w.MinY
			default:
				return p.Y <= w.MaxY
			}
		}
		meet := func(a, b xy) xy {
			along := func(edge, a1, b1, a2, b2 int32) int32 {
				t := (float64(edge) - float64(a1)) / (float64(b1) - float64(a1))
				return int32(math.Round(float64(a2) + t*(float64(b2)-float64(a2))))
			}
			switch side {
			case 0:
				return at(w.MinX, along(w.MinX, a.X, b.X, a.Y, b.Y))
			case 1:
				return at(w.MaxX, along(w.MaxX, a.X, b.X, a.Y, b.Y))
			case 2:
				return at(along(w.MinY, a.Y, b.Y, a.X, b.X), w.MinY)
			default:
				return at(along(w.MaxY, a.Y, b.Y, a.X, b.X), w.MaxY)
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

func at(x, y int32) xy { return xy{X: x, Y: y} }
