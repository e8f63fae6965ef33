package chart

import "math"

// A pattern repeats after so many pixels.
const markSide = 24

// mark is one repeat of a pattern: lines, and dots as circles.
type mark struct {
	width float64
	lines [][]spot
	dots  []dot
}

type dot struct{ x, y, r float64 }

// pattern returns how opaque a pattern is at each pixel of the sheet, 0 to 255; the sheet must have nothing entered. It
// goes on from one tile to the next.
func (d *drawing) pattern(kind string, way int) []uint8 {
	c := int(math.Round(markSide * d.ratio))
	k := float64(c) / markSide
	small := newSheet(c, c)
	m := markOf(kind, way)
	for row := -1.0; row <= 1; row++ {
		for column := -1.0; column <= 1; column++ {
			put := func(p spot) spot { return spot{(p.x + markSide*column) * k, (p.y + markSide*row) * k} }
			for _, line := range m.lines {
				out := make([]spot, len(line))
				for i, p := range line {
					out[i] = put(p)
				}
				small.line(out, m.width*k, true, false)
			}
			for _, o := range m.dots {
				ring := make([]spot, 10)
				for i := range ring {
					sin, cos := math.Sincos(float64(i) * math.Pi / 5)
					ring[i] = put(spot{o.x + o.r*cos, o.y + o.r*sin})
				}
				small.area([][]spot{ring})
			}
		}
	}
	cell := small.mask()
	// Where the sheet's corner lies in the pattern, which begins at the corner of the tiles of this size.
	side := math.Round(d.side)
	from := func(n int, offset float64) int {
		v := int(math.Round(float64(n)*side-offset)) % c
		return (v + c) % c
	}
	ox, oy := from(d.x, d.offset.x), from(d.y, d.offset.y)
	out := make([]uint8, d.width*d.height)
	for row := range d.height {
		to := out[row*d.width : (row+1)*d.width]
		if row >= c { // as one repeat above
			copy(to, out[(row-c)*d.width:])
			continue
		}
		line := cell[(row+oy)%c*c:][:c]
		n := copy(to, line[ox:])
		n += copy(to[n:], line[:ox])
		for n < len(to) {
			n += copy(to[n:], to[:n])
		}
	}
	return out
}

func markOf(kind string, way int) mark {
	var m mark
	switch kind {
	case "hatch":
		m.width = 0.8
		for i := 0.0; i < markSide; i += 4 {
			m.lines = append(m.lines, []spot{{i, markSide}, {i + markSide, 0}})
		}
	case "rows":
		m.width = 0.7
		if way == 2 {
			for i := 0.0; i < markSide; i += 8 {
				m.lines = append(m.lines, []spot{{i, 0}, {i + markSide, markSide}})
			}
			break
		}
		for v := 3.0; v < markSide; v += 6 {
			if way == 0 {
				m.lines = append(m.lines, []spot{{0, v}, {markSide, v}})
			} else {
				m.lines = append(m.lines, []spot{{v, 0}, {v, markSide}})
			}
		}
	case "tufts":
		m.width = 0.9
		for _, p := range []spot{{5, 7}, {17, 19}} {
			m.lines = append(m.lines, []spot{{p.x - 2.5, p.y - 2}, {p.x - 1, p.y + 1}}, []spot{{p.x, p.y - 3}, {p.x,
				p.y + 1}},
				[]spot{{p.x + 2.5, p.y - 2}, {p.x + 1, p.y + 1}})
		}
	case "heath":
		m.width = 0.9
		for _, p := range []spot{{4, 6}, {16, 5}, {10, 14}, {21, 17}, {5, 21}} {
			m.lines = append(m.lines, []spot{{p.x - 1.8, p.y - 1.6}, p, {p.x + 1.8, p.y - 1.6}})
		}
	case "orchard":
		for _, x := range []float64{4, 12, 20} {
			for _, y := range []float64{4, 12, 20} {
				m.dots = append(m.dots, dot{x, y, 1.3})
			}
		}
	case "trees":
		m.width = 0.9
		for _, p := range []spot{{6, 7}, {18, 19}, {19, 5}, {6, 18}} {
			var crown []spot
			for a := 0.75; a <= 2.26; a += 0.15 {
				sin, cos := math.Sincos(a * math.Pi)
				crown = append(crown, spot{p.x + 2.3*cos, p.y + 2.3*sin})
			}
			m.lines = append(m.lines, crown, []spot{{p.x, p.y + 1.2}, {p.x, p.y + 3}})
		}
	case "stipple":
		for _, p := range []spot{{4, 5}, {12, 3}, {19, 8}, {8, 12}, {15, 15}, {3, 19}, {21, 20}, {11, 21}} {
			m.dots = append(m.dots, dot{p.x, p.y, 0.75})
		}
	}
	return m
}
