package demo

import (
	"math"
	"sync"

	"viandante/core/contour"
	"viandante/core/relief"
)

// field is a regular grid of values over the island's plane, its first row in the south; between the grid's points it
// is bilinear, outside it goes on with the value at its edge.
type field struct {
	x0, y0, step float64
	w, h         int
	v            []float64
}

func newField(west, south, east, north, step float64) *field {
	f := &field{x0: west, y0: south, step: step, w: int((east-west)/step) + 1, h: int((north-south)/step) + 1}
	f.v = make([]float64, f.w*f.h)
	return f
}

func (f *field) spot(i int) spot {
	return spot{f.x0 + float64(i%f.w)*f.step, f.y0 + float64(i/f.w)*f.step}
}

// fill gives every point its value, on all processors; value may read nothing that is being filled.
func (f *field) fill(value func(i int, p spot) float64) {
	var all sync.WaitGroup
	const bands = 8
	for band := range bands {
		all.Go(func() {
			for i := len(f.v) * band / bands; i < len(f.v)*(band+1)/bands; i++ {
				f.v[i] = value(i, f.spot(i))
			}
		})
	}
	all.Wait()
}

// cell returns the grid's point nearest to p.
func (f *field) cell(p spot) int {
	x := int(clamp(math.Round((p.x-f.x0)/f.step), 0, float64(f.w-1)))
	y := int(clamp(math.Round((p.y-f.y0)/f.step), 0, float64(f.h-1)))
	return y*f.w + x
}

func (f *field) at(p spot) float64 {
	x, y := clamp((p.x-f.x0)/f.step, 0, float64(f.w-1)-1e-9), clamp((p.y-f.y0)/f.step, 0, float64(f.h-1)-1e-9)
	ix, iy := int(x), int(y)
	u, v, i := x-float64(ix), y-float64(iy), iy*f.w+ix
	return lerp(lerp(f.v[i], f.v[i+1], u), lerp(f.v[i+f.w], f.v[i+f.w+1], u), v)
}

// gradient returns how fast the value grows to the east and to the north, over a reach in metres.
func (f *field) gradient(p spot, reach float64) spot {
	return spot{
		f.at(p.add(spot{reach, 0})) - f.at(p.sub(spot{reach, 0})),
		f.at(p.add(spot{0, reach})) - f.at(p.sub(spot{0, reach})),
	}.times(
		0.5 / reach,
	)
}

// cubic is the value by cubic convolution (Keys 1981, a = -1/2), smoother than at.
func (f *field) cubic(p spot) float64 {
	x, y := clamp((p.x-f.x0)/f.step, 1, float64(f.w-3)), clamp((p.y-f.y0)/f.step, 1, float64(f.h-3))
	ix, iy := int(x), int(y)
	u, v := x-float64(ix), y-float64(iy)
	wx, wy := relief.CubicWeights(u), relief.CubicWeights(v)
	var sum float64
	for k := range 4 {
		row := f.v[(iy+k-1)*f.w+ix-1:]
		sum += wy[k] * (wx[0]*row[0] + wx[1]*row[1] + wx[2]*row[2] + wx[3]*row[3])
	}
	return sum
}

// resampled returns the field on another grid.
func (f *field) resampled(step float64) *field {
	g := newField(f.x0, f.y0, f.x0+float64(f.w-1)*f.step, f.y0+float64(f.h-1)*f.step, step)
	g.fill(func(_ int, p spot) float64 { return f.at(p) })
	return g
}

// blurred returns the field averaged over squares of 2n+1 points a side, twice over.
func (f *field) blurred(n int) *field {
	g := *f
	g.v = append([]float64(nil), f.v...)
	line := make([]float64, max(f.w, f.h))
	pass := func(start, stride, count int) {
		var sum float64
		at := func(i int) float64 { return g.v[start+stride*int(clamp(float64(i), 0, float64(count-1)))] }
		for i := -n; i <= n; i++ {
			sum += at(i)
		}
		for i := range count {
			line[i] = sum / float64(2*n+1)
			sum += at(i+n+1) - at(i-n)
		}
		for i := range count {
			g.v[start+stride*i] = line[i]
		}
	}
	for range 2 {
		for y := range f.h {
			pass(y*f.w, 1, f.w)
		}
		for x := range f.w {
			pass(x, f.w, f.h)
		}
	}
	return &g
}

// distances returns for each point how far it is to the nearest for which in holds, in metres, within some two per cent
// (chamfer distances, Borgefors 1986).
func (f *field) distances(in func(i int) bool) *field {
	g := *f
	g.v = make([]float64, len(f.v))
	for i := range g.v {
		if !in(i) {
			g.v[i] = math.Inf(1)
		}
	}
	steps := [...]struct {
		dx, dy int
		d      float64
	}{{-1, 0, 1}, {-1, -1, 1.4}, {0, -1, 1}, {1, -1, 1.4}, {-2, -1, 2.2}, {-1, -2, 2.2}, {1, -2, 2.2}, {2, -1, 2.2}}
	sweep := func(i, sign int) {
		x, y := i%f.w, i/f.w
		for _, s := range steps {
			nx, ny := x+sign*s.dx, y+sign*s.dy
			if nx >= 0 && ny >= 0 && nx < f.w && ny < f.h {
				g.v[i] = min(g.v[i], g.v[ny*f.w+nx]+s.d*f.step)
			}
		}
	}
	for i := range g.v {
		sweep(i, 1)
	}
	for i := len(g.v) - 1; i >= 0; i-- {
		sweep(i, -1)
	}
	return &g
}

// rings returns the outlines of where the field is above a level, counterclockwise, with those of the hollows in it
// clockwise.
func (f *field) rings(level float64) [][]spot {
	var out [][]spot
	for _, r := range contour.Rings(f.w, f.h, f.v, level) {
		ring := make([]spot, len(r))
		for i, p := range r {
			ring[i] = spot{f.x0 + p.X*f.step, f.y0 + p.Y*f.step}
		}
		out = append(out, ring)
	}
	return out
}

// ringArea is positive for a ring that runs counterclockwise.
func ringArea(r []spot) float64 {
	var sum float64
	for i, p := range r {
		q := r[(i+1)%len(r)]
		sum += p.x*q.y - q.x*p.y
	}
	return sum / 2
}
