package demo

import "math"

// spot is a position on the island's own plane: metres east and north of its middle.
type spot struct{ x, y float64 }

func (a spot) add(b spot) spot           { return spot{a.x + b.x, a.y + b.y} }
func (a spot) sub(b spot) spot           { return spot{a.x - b.x, a.y - b.y} }
func (a spot) times(f float64) spot      { return spot{a.x * f, a.y * f} }
func (a spot) length() float64           { return math.Sqrt(a.x*a.x + a.y*a.y) }
func (a spot) to(b spot, f float64) spot { return a.add(b.sub(a).times(f)) }
func (a spot) left() spot                { return spot{-a.y, a.x} }
func (a spot) unit() spot                { return a.times(1 / max(1e-9, a.length())) }
func polar(angle, radius float64) spot {
	return spot{math.Cos(angle) * radius, math.Sin(angle) * radius}
}
func distance(a, b spot) float64         { return b.sub(a).length() }
func lerp(a, b, f float64) float64       { return a + (b-a)*f }
func smooth(f float64) float64           { return f * f * (3 - 2*f) }
func clamp(v, low, high float64) float64 { return max(low, min(high, v)) }

// noise is value noise in [-1, 1] over the plane: smooth, and the same for the same seed everywhere.
type noise uint64

func (n noise) lattice(x, y int64) float64 {
	h := uint64(n) ^ uint64(x)*0x9e3779b97f4a7c15 ^ uint64(y)*0xc2b2ae3d27d4eb4f
	h = (h ^ h>>32) * 0xd6e8feb86659fd93
	h = (h ^ h>>32) * 0xd6e8feb86659fd93
	return float64(h>>11)/float64(1<<52) - 1
}

func (n noise) at(x, y float64) float64 {
	fx, fy := math.Floor(x), math.Floor(y)
	ix, iy := int64(fx), int64(fy)
	u, v := smooth(x-fx), smooth(y-fy)
	return lerp(lerp(n.lattice(ix, iy), n.lattice(ix+1, iy), u), lerp(n.lattice(ix, iy+1), n.lattice(ix+1, iy+1), u), v)
}

// fractal adds up octaves of noise, each half as wide and half as strong.
func (n noise) fractal(p spot, wavelength float64, octaves int) float64 {
	var sum, weight, total float64 = 0, 1, 0
	f := 1 / wavelength
	for i := range octaves {
		sum += weight * (n+noise(i)*7919).at(p.x*f, p.y*f)
		total += weight
		weight, f = weight/2, f*2
	}
	return sum / total
}

// inside tells whether a spot lies in a ring.
func inside(p spot, ring []spot) bool {
	in := false
	for i, j := 0, len(ring)-1; i < len(ring); j, i = i, i+1 {
		a, b := ring[i], ring[j]
		if (a.y > p.y) != (b.y > p.y) && p.x < (b.x-a.x)*(p.y-a.y)/(b.y-a.y)+a.x {
			in = !in
		}
	}
	return in
}

// toLine returns the distance from p to the stretch ab.
func toLine(p, a, b spot) float64 {
	ab := b.sub(a)
	f := clamp(((p.x-a.x)*ab.x+(p.y-a.y)*ab.y)/max(1e-9, ab.x*ab.x+ab.y*ab.y), 0, 1)
	return distance(p, a.to(b, f))
}

// raster finds what lies near a spot: stretches and circles entered into the squares they touch.
type raster struct {
	size  float64
	cells map[[2]int][]stretch
}

type stretch struct {
	a, b  spot
	width float64
}

func newRaster(size float64) *raster { return &raster{size, map[[2]int][]stretch{}} }

func (r *raster) add(a, b spot, width float64) {
	n := int(distance(a, b)/r.size) + 1
	last := [2]int{math.MinInt, 0}
	for i := range n + 1 {
		p := a.to(b, float64(i)/float64(n))
		c := [2]int{int(math.Floor(p.x / r.size)), int(math.Floor(p.y / r.size))}
		if c != last {
			r.cells[c] = append(r.cells[c], stretch{a, b, width})
			last = c
		}
	}
}

// near returns the stretches in the squares that ab touches.
func (r *raster) near(a, b spot) []stretch {
	var out []stretch
	x0, x1 := math.Floor(min(a.x, b.x)/r.size), math.Floor(max(a.x, b.x)/r.size)
	y0, y1 := math.Floor(min(a.y, b.y)/r.size), math.Floor(max(a.y, b.y)/r.size)
	for x := x0; x <= x1; x++ {
		for y := y0; y <= y1; y++ {
			out = append(out, r.cells[[2]int{int(x), int(y)}]...)
		}
	}
	return out
}

// clear tells whether nothing lies within gap metres of p, over and above its own width.
func (r *raster) clear(p spot, gap float64) bool {
	cx, cy := int(math.Floor(p.x/r.size)), int(math.Floor(p.y/r.size))
	for dx := -1; dx <= 1; dx++ {
		for dy := -1; dy <= 1; dy++ {
			for _, s := range r.cells[[2]int{cx + dx, cy + dy}] {
				if toLine(p, s.a, s.b) < gap+s.width {
					return false
				}
			}
		}
	}
	return true
}
