package chart

import "math"

// RGB is a colour.
type RGB [3]uint8

// sheet is what is drawn on. Outlines leave in a buffer, along each row, by how much the cover grows at a pixel;
// painting sums the row up. Overlapping outlines that turn the same way do not add up.
type sheet struct {
	width, height int
	stride        int
	pix           []uint8 // RGBA
	cover         []float32
	first, last   []int32
	top, bottom   int
	turn          float64
	// down is by how many pixels the sheet lies below what positions are counted from.
	down float64
}

// band returns the rows of a sheet from one to another as a sheet of its own, on which positions are the same.
func (s *sheet) band(from, to int) *sheet {
	b := newSheetOn(s.pix[4*s.width*from:4*s.width*to], s.width, to-from)
	b.down = float64(from)
	return b
}

func newSheet(width, height int) *sheet {
	return newSheetOn(make([]uint8, 4*width*height), width, height)
}

func newSheetOn(pix []uint8, width, height int) *sheet {
	s := &sheet{width: width, height: height, stride: width + 2, pix: pix}
	s.cover = make([]float32, s.stride*height)
	s.first, s.last = make([]int32, height), make([]int32, height)
	for row := range height {
		s.clear(row)
	}
	s.forget()
	return s
}

func (s *sheet) clear(row int) { s.first[row], s.last[row] = int32(s.width), -1 }

func (s *sheet) forget() { s.top, s.bottom = s.height, -1 }

func (s *sheet) wash(c RGB) {
	for i := 0; i < len(s.pix); i += 4 {
		s.pix[i], s.pix[i+1], s.pix[i+2], s.pix[i+3] = c[0], c[1], c[2], 255
	}
}

// area enters the rings of an area; holes turn the other way than the first ring.
func (s *sheet) area(rings [][]spot) {
	for i, ring := range rings {
		if len(ring) > 2 {
			s.ring(ring, i == 0)
		}
	}
}

func (s *sheet) ring(ring []spot, leads bool) {
	if leads {
		twice, j := 0.0, len(ring)-1
		for i := range ring {
			twice += ring[j].x*ring[i].y - ring[i].x*ring[j].y
			j = i
		}
		s.turn = 1
		if twice < 0 {
			s.turn = -1
		}
	}
	a := ring[len(ring)-1]
	for _, b := range ring {
		s.side(a.x, a.y, b.x, b.y, s.turn)
		a = b
	}
}

// outline enters the contours of a letter, which turn as they are meant to.
func (s *sheet) outline(rings [][]spot) {
	for _, ring := range rings {
		if len(ring) == 0 {
			continue
		}
		a := ring[len(ring)-1]
		for _, b := range ring {
			s.side(a.x, a.y, b.x, b.y, 1)
			a = b
		}
	}
}

// line enters a line drawn out to a width; closed joins its end to its beginning.
func (s *sheet) line(line []spot, width float64, round, closed bool) {
	if len(line) < 2 {
		return
	}
	half := width / 2
	var u spot
	a := line[0]
	started := false
	count := len(line)
	if closed {
		count++
	}
	for i := 1; i < count; i++ {
		b := line[i%len(line)]
		length := math.Hypot(b.x-a.x, b.y-a.y)
		if length < 1e-6 {
			continue
		}
		v := spot{(b.x - a.x) / length, (b.y - a.y) / length}
		o := spot{-v.y * half, v.x * half}
		s.side(a.x+o.x, a.y+o.y, b.x+o.x, b.y+o.y, -1)
		s.side(b.x+o.x, b.y+o.y, b.x-o.x, b.y-o.y, -1)
		s.side(b.x-o.x, b.y-o.y, a.x-o.x, a.y-o.y, -1)
		s.side(a.x-o.x, a.y-o.y, a.x+o.x, a.y+o.y, -1)
		if started {
			s.join(a, u, v, half)
		} else if round && half > 0.6 {
			s.fan(a, spot{-v.y * half, v.x * half}, math.Pi, half)
		}
		started = true
		u, a = v, b
	}
	if started && round && half > 0.6 {
		s.fan(a, spot{u.y * half, -u.x * half}, math.Pi, half)
	}
}

// join fills the outside of a bend.
func (s *sheet) join(at, u, v spot, half float64) {
	bend := u.x*v.y - u.y*v.x
	along := u.x*v.x + u.y*v.y
	if half < 0.65 || along > 0 && math.Abs(bend)*half < 0.2 {
		return
	}
	k := 1.0
	if bend > 0 {
		k = -1
	}
	s.fan(at, spot{-u.y * k * half, u.x * k * half}, math.Atan2(bend, along), half)
}

// fan enters a sector about a spot, from a radius through an angle; an arc may be cut short by a quarter of a pixel.
func (s *sheet) fan(at, r spot, angle, half float64) {
	most := 2 * math.Acos(max(0.2, 1-0.25/max(half, 0.25)))
	steps := max(1, math.Ceil(math.Abs(angle)/most))
	sin, cos := math.Sincos(angle / steps)
	k := -1.0
	if angle > 0 {
		k = 1
	}
	p := at
	for i := 0.0; i <= steps; i++ {
		s.side(p.x, p.y, at.x+r.x, at.y+r.y, k)
		p = spot{at.x + r.x, at.y + r.y}
		r = spot{r.x*cos - r.y*sin, r.x*sin + r.y*cos}
	}
	s.side(p.x, p.y, at.x, at.y, k)
}

// dashed enters a line in dashes; lengths are on, off, on, off …
func (s *sheet) dashed(line []spot, width float64, lengths []float64, round bool) {
	if len(line) < 2 {
		return
	}
	for _, l := range lengths {
		if !(l > 0.05) {
			return
		}
	}
	k, left := 0, lengths[0]
	dash := []spot{line[0]}
	for i := 1; i < len(line); i++ {
		a, e := line[i-1], line[i]
		length := math.Hypot(e.x-a.x, e.y-a.y)
		for length > left {
			a = spot{a.x + (e.x-a.x)*left/length, a.y + (e.y-a.y)*left/length}
			length -= left
			if k%2 == 0 {
				s.line(append(dash, a), width, round, false)
			}
			dash = append(dash[:0], a)
			k = (k + 1) % len(lengths)
			left = lengths[k]
		}
		left -= length
		dash = append(dash, e)
	}
	if k%2 == 0 {
		s.line(dash, width, round, false)
	}
}

// farthest is how far from the sheet an outline may reach, in pixels: more than the world at the nearest zoom.
const farthest = 1e10

// side enters one side of an outline that turns one way or, with k = -1, the other.
func (s *sheet) side(x0, y0, x1, y1, k float64) {
	switch {
	case y0 == y1, !(math.Abs(x0) < farthest && math.Abs(y0) < farthest && math.Abs(x1) < farthest &&
		math.Abs(y1) < farthest):
	case y0 > y1:
		s.falling(x1, y1-s.down, x0, y0-s.down, -k)
	default:
		s.falling(x0, y0-s.down, x1, y1-s.down, k)
	}
}

// falling enters a side whose second end lies lower.
func (s *sheet) falling(x0, y0, x1, y1, k float64) {
	wide, high := float64(s.width), float64(s.height)
	if !(y1 > y0 && y1 > 0 && y0 < high) || x0 >= wide && x1 >= wide {
		return // what has no height, as the rest of a side cut at an edge may have none, covers nothing
	}
	slope := (x1 - x0) / (y1 - y0)
	if y0 < 0 {
		x0 -= y0 * slope
		y0 = 0
	}
	if y1 > high {
		x1 = x0 + (high-y0)*slope
		y1 = high
	}
	if x0 >= wide && x1 >= wide {
		return
	}
	switch {
	case x0 <= 0 && x1 <= 0:
		x0, x1 = 0, 0
	case x0 < 0 || x1 < 0:
		ym := y0 - x0/slope
		s.falling(x0, y0, 0, ym, k)
		s.falling(0, ym, x1, y1, k)
		return
	case x0 > wide || x1 > wide:
		ym := y0 + (wide-x0)/slope
		if x0 > wide {
			s.falling(wide, ym, x1, y1, k)
		} else {
			s.falling(x0, y0, wide, ym, k)
		}
		return
	}
	if !(x0 >= 0 && x0 <= wide && x1 >= 0 && x1 <= wide) { // not a number
		return
	}
	step := slope
	if x0 == x1 {
		step = 0
	}
	x := x0
	from, to := int(y0), min(s.height, int(math.Ceil(y1)))
	s.top, s.bottom = min(s.top, from), max(s.bottom, to-1)
	for row := from; row < to; row++ {
		dy := min(float64(row+1), y1) - max(float64(row), y0)
		next := max(0, min(wide, x+step*dy))
		s.cross(row, min(x, next), max(x, next), k*dy)
		x = next
	}
}

// cross enters what crosses one row between two columns.
func (s *sheet) cross(row int, l, r, d float64) {
	li := int(l)
	base := s.cover[row*s.stride : (row+1)*s.stride]
	s.first[row] = min(s.first[row], int32(li))
	if r <= float64(li+1) {
		m := (l+r)/2 - float64(li)
		base[li] += float32(d * (1 - m))
		base[li+1] += float32(d * m)
		s.last[row] = max(s.last[row], int32(li+1))
		return
	}
	k := 1 / (r - l)
	fl := l - float64(li)
	ri := int(math.Ceil(r))
	fr := r - float64(ri) + 1
	a0 := 0.5 * k * (1 - fl) * (1 - fl)
	am := 0.5 * k * fr * fr
	base[li] += float32(d * a0)
	if ri == li+2 {
		base[li+1] += float32(d * (1 - a0 - am))
	} else {
		a1 := k * (1.5 - fl)
		base[li+1] += float32(d * (a1 - a0))
		for i := li + 2; i < ri-1; i++ {
			base[i] += float32(d * k)
		}
		base[ri-1] += float32(d * (1 - (a1 + float64(ri-li-3)*k) - am))
	}
	base[ri] += float32(d * am)
	s.last[row] = max(s.last[row], int32(ri))
}

// ink is what is painted with: a colour, how opaque it is, 0 to 1, and through which mask, nil for none.
type ink struct {
	colour  RGB
	alpha   float64
	through []uint8
}

// paint paints what was entered, and forgets it.
func (s *sheet) paint(k ink) {
	r, g, b := uint32(k.colour[0]), uint32(k.colour[1]), uint32(k.colour[2])
	for row := s.top; row <= s.bottom; row++ {
		base := s.cover[row*s.stride : (row+1)*s.stride]
		end := min(int(s.last[row]), s.width-1)
		sum := float32(0)
		x := int(s.first[row])
		for x < s.width {
			if x <= end {
				if c := base[x]; c != 0 {
					sum += c
					base[x] = 0
				}
			}
			stop := x + 1 // as far as nothing changes it is one run
			for stop <= end && base[stop] == 0 {
				stop++
			}
			share := sum
			if share < 0 {
				share = -share
			}
			if stop > end {
				if share < 0.02 {
					stop = end + 1
				} else {
					stop = s.width // to the sheet's edge
				}
			}
			if share > 0.004 {
				share = min(share, 1)
				t := uint32(float64(share)*k.alpha*256 + 0.5)
				s.run(row, x, stop, r, g, b, t, k.through)
			}
			if stop > end && stop < s.width {
				break
			}
			x = stop
		}
		base[s.width], base[s.width+1] = 0, 0
		s.clear(row)
	}
	s.forget()
}

// run mixes a colour into a run of pixels: t of 256 parts.
func (s *sheet) run(row, x, stop int, r, g, b, t uint32, through []uint8) {
	p := s.pix[4*(row*s.width+x) : 4*(row*s.width+stop)]
	switch {
	case through != nil:
		mask := through[row*s.width+x : row*s.width+stop]
		for i, m := range mask {
			if m == 0 {
				continue
			}
			u := (t * (uint32(m) + uint32(m>>7))) >> 8
			blend(p[4*i:4*i+4], r, g, b, u)
		}
	case t >= 255:
		for i := 0; i < len(p); i += 4 {
			p[i], p[i+1], p[i+2] = uint8(r), uint8(g), uint8(b)
		}
	default:
		for i := 0; i < len(p); i += 4 {
			blend(p[i:i+4], r, g, b, t)
		}
	}
}

func blend(p []uint8, r, g, b, t uint32) {
	left := 256 - t
	p[0] = uint8((uint32(p[0])*left + r*t + 128) >> 8)
	p[1] = uint8((uint32(p[1])*left + g*t + 128) >> 8)
	p[2] = uint8((uint32(p[2])*left + b*t + 128) >> 8)
}

// mask returns how far each pixel is covered by what was entered, 0 to 255; it is forgotten then.
func (s *sheet) mask() []uint8 {
	out := make([]uint8, s.width*s.height)
	for row := s.top; row <= s.bottom; row++ {
		base := s.cover[row*s.stride : (row+1)*s.stride]
		sum := float32(0)
		for x := int(s.first[row]); x < s.width; x++ {
			sum += base[x]
			a := sum
			if a < 0 {
				a = -a
			}
			if a > 0.996 {
				out[row*s.width+x] = 255
			} else {
				out[row*s.width+x] = uint8(a * 255)
			}
		}
		clear(base)
		s.clear(row)
	}
	s.forget()
	return out
}
