package chart

import "math"

// corner is a colour, 0 to 255, and how opaque it is, 0 to 1.
type corner [4]float64

// lay lays colours over the pixels of a mask that change evenly between the corners of the heights' cells.
func (d *drawing) lay(mask []uint8, corners []corner) {
	cells := d.heights.cells
	wide := cells + 3
	step := float64(cells) / d.side
	for py := range d.height {
		y := (float64(py)+0.5-d.offset.y)*step + 1
		iy := int(math.Floor(y))
		if iy < 0 || iy >= wide-1 {
			continue
		}
		v := y - float64(iy)
		above, below := corners[iy*wide:(iy+1)*wide], corners[(iy+1)*wide:(iy+2)*wide]
		at := -1
		var left, change corner
		for px := range d.width {
			m := mask[py*d.width+px]
			if m == 0 {
				continue
			}
			x := (float64(px)+0.5-d.offset.x)*step + 1
			ix := int(x)
			if ix < 0 || ix >= wide-1 {
				continue
			}
			if ix != at {
				at = ix
				for n := range left {
					left[n] = above[ix][n] + (below[ix][n]-above[ix][n])*v
					right := above[ix+1][n] + (below[ix+1][n]-above[ix+1][n])*v
					change[n] = right - left[n]
				}
			}
			u := x - float64(ix)
			t := uint32((left[3] + change[3]*u) * float64(m) / 255 * 256)
			if t == 0 {
				continue
			}
			i := 4 * (py*d.width + px)
			blend(d.pix[i:i+4], uint32(left[0]+change[0]*u), uint32(left[1]+change[1]*u), uint32(left[2]+change[2]*u),
				min(t, 256))
		}
	}
}

func (d *drawing) tint(mask []uint8, tints []Tint) {
	corners := make([]corner, len(d.heights.metres))
	for i, m := range d.heights.metres {
		k := 1
		for k < len(tints)-1 && tints[k].Metres < m {
			k++
		}
		a, b := Colour(tints[k-1].Colour), Colour(tints[k].Colour)
		f := max(0, min(1, (m-tints[k-1].Metres)/(tints[k].Metres-tints[k-1].Metres)))
		for n := range a {
			corners[i][n] = float64(a[n]) + (float64(b[n])-float64(a[n]))*f
		}
		corners[i][3] = 1
	}
	d.lay(mask, corners)
}

// shade lets light fall from the north-west, 45 degrees up; slopes look steeper at small scales, where they would
// vanish.
func (d *drawing) shade(mask []uint8) {
	h := d.heights
	dark, bright := d.palette.rgb("shade"), d.palette.rgb("light")
	pixelM := h.cellM * float64(h.cells) / TileSide
	steeper := max(1, min(4.5, math.Pow(pixelM/10, 0.45)))
	side := h.cells + 3
	m := h.metres
	corners := make([]corner, len(m))
	for y := 1; y < side-1; y++ {
		for x := 1; x < side-1; x++ {
			i := y*side + x
			east := (m[i-side+1] + 2*m[i+1] + m[i+side+1] - m[i-side-1] - 2*m[i-1] - m[i+side-1]) * steeper /
				(8 * h.cellM)
			south := (m[i+side-1] + 2*m[i+side] + m[i+side+1] - m[i-side-1] - 2*m[i-side] - m[i-side+1]) * steeper /
				(8 * h.cellM)
			// The slope's upright (-east, -south, 1) with the light (-1, -1, sqrt 2) / 2, against that of level ground.
			lit := (east+south+math.Sqrt2)/(2*math.Sqrt(1+east*east+south*south)) - math.Sqrt2/2
			c, alpha := bright, min(1, lit*2.4)*d.manner.Shade*0.8
			if lit < 0 {
				c, alpha = dark, min(1, -lit*1.5)*d.manner.Shade
			}
			corners[i] = corner{float64(c[0]), float64(c[1]), float64(c[2]), alpha}
		}
	}
	d.lay(mask, corners)
}
