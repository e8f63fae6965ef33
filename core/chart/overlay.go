package chart

import (
	"math"
	"slices"
	"strconv"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// Stone is a place. Glyph are the lines of its category's glyph on a square of 24.
type Stone struct {
	At       geo.Point
	Name     string
	Glyph    [][][2]float64
	Colour   string
	Selected bool
}

// Ring is the band between two distances round a standpoint; Beyond may be 0.
type Ring struct {
	Center           geo.Point
	BeyondM, WithinM float64
}

// Outline is a path, or with Closed the rings of an area.
type Outline struct {
	Lines  [][]geo.Point
	Closed bool
	Colour string
	Name   string
}

// Over is what is laid over the ground.
type Over struct {
	Stones   []Stone
	Outlines []Outline
	Rings    []Ring
	// Way is the way to go; From and To are where it begins and ends, off the road.
	Way      []geo.Point
	From, To geo.Point
	// WayStyle is how it is drawn: "band", "dashed" or "thin".
	WayStyle string
}

// The sizes of stones, and how near to each other their feet may be before they are piled up, in CSS pixels; from
// apartZoom on every stone stands for itself.
const (
	stoneWide, stoneHigh = 20., 27.
	crowd                = 26.
	apartZoom            = 17.
)

// pile are stones piled up, or one that stands alone.
type pile struct {
	at    spot
	stone *Stone
	count int
}

// piles piles up what crowds, in the order of the stones; those that are selected stand for themselves. The nearer
// stand before the farther.
func piles(v *view, stones []Stone) (out []pile) {
	grid := map[[2]int][]int{}
	for i := range stones {
		s := &stones[i]
		if !s.At.IsValid() {
			continue
		}
		p := v.point(s.At)
		if p.x < -60 || p.y < -60 || p.x > v.Width+60 || p.y > v.Height+60 {
			continue
		}
		key := [2]int{int(math.Floor(p.x / crowd)), int(math.Floor(p.y / crowd))}
		found := -1
		for dx := -1; dx <= 1 && v.Zoom < apartZoom && !s.Selected && found < 0; dx++ {
			for dy := -1; dy <= 1 && found < 0; dy++ {
				for _, k := range grid[[2]int{key[0] + dx, key[1] + dy}] {
					if math.Hypot(out[k].at.x-p.x, out[k].at.y-p.y) < crowd {
						found = k
						break
					}
				}
			}
		}
		if found >= 0 {
			out[found].count++
			continue
		}
		if !s.Selected {
			grid[key] = append(grid[key], len(out))
		}
		out = append(out, pile{p, s, 1})
	}
	slices.SortStableFunc(out, func(a, b pile) int {
		switch {
		case a.stone.Selected != b.stone.Selected && a.stone.Selected:
			return 1
		case a.stone.Selected != b.stone.Selected:
			return -1
		case a.at.y < b.at.y:
			return -1
		case a.at.y > b.at.y:
			return 1
		}
		return 0
	})
	return out
}

// obstacles are the boxes that names keep clear of.
func obstacles(list []pile) (out [][4]float64) {
	for _, p := range list {
		half := stoneWide/2 + 2
		if p.count > 1 {
			half = 18
		}
		out = append(out, [4]float64{p.at.x - half, p.at.y - stoneHigh - 4, p.at.x + half, p.at.y + 2})
	}
	return out
}

// milestone returns the outline of a stone whose foot is at a spot.
func milestone(at spot, scale float64) []spot {
	r := stoneWide / 2 * scale
	out := []spot{{at.x - r, at.y}}
	for a := 0.0; a <= 16; a++ {
		sin, cos := math.Sincos(math.Pi + a*math.Pi/16)
		out = append(out, spot{at.x + r*cos, at.y - stoneHigh*scale + r + r*sin})
	}
	return append(out, spot{at.x + r, at.y})
}

func (p *pen) shape(ring []spot) []spot {
	out := make([]spot, len(ring))
	for i, s := range ring {
		out[i] = p.on(s)
	}
	return out
}

// fillAndStroke fills a ring and strokes its outline.
func (p *pen) fillAndStroke(ring []spot, fill, edge RGB, width float64) {
	q := p.shape(ring)
	p.area([][]spot{q})
	p.paint(ink{fill, 1, nil})
	p.line(q, width*p.ratio, true, true)
	p.paint(ink{edge, 1, nil})
}

func (p *pen) pile(one pile, palette Palette) {
	if one.count > 1 {
		p.cairn(one.at, one.count, palette)
		return
	}
	s, at := one.stone, one.at
	scale, fill, edge, width := 1.0, "card", "ink", 1.3
	if s.Selected {
		scale, fill, edge, width = 1.3, "ink", "paper", 2.4
	}
	p.fillAndStroke(milestone(at, scale), palette.rgb(fill), palette.rgb(edge), width)
	if !s.Selected { // the foot is dressed in the category's colour
		p.box(at.x-stoneWide/2+0.7, at.y-4.6, stoneWide-1.4, 4)
		p.paint(ink{Colour(s.Colour), 1, nil})
	}
	k := 0.62 * scale
	for _, line := range s.Glyph {
		q := make([]spot, len(line))
		for i, c := range line {
			q[i] = p.on(spot{at.x - 12*k + c[0]*k, at.y - (stoneHigh-2.4)*scale + c[1]*k})
		}
		p.line(q, 2*k*p.ratio, true, false)
	}
	p.paint(ink{palette.rgb(edge), 1, nil})
}

func (p *pen) box(x, y, width, height float64) {
	p.area([][]spot{p.shape([]spot{{x, y}, {x + width, y}, {x + width, y + height}, {x, y + height}})})
}

// cairn are three stones piled up, with their count on a label.
func (p *pen) cairn(at spot, count int, palette Palette) {
	for _, e := range [][4]float64{{-8, -4.5, 9, 5}, {8.5, -4.2, 8.5, 4.7}, {-0.5, -25.5, 7.5, 4.5},
		{0.5, -15, 12.5, 8.2}} {
		ring := make([]spot, 36)
		tilt := e[0] / 60
		st, ct := math.Sincos(tilt)
		for i := range ring {
			sin, cos := math.Sincos(float64(i) * math.Pi / 18)
			u, v := e[2]*cos, e[3]*sin
			ring[i] = spot{at.x + e[0] + u*ct - v*st, at.y + e[1] + u*st + v*ct}
		}
		p.fillAndStroke(ring, palette.rgb("card"), palette.rgb("ink"), 1.3)
	}
	p.enterText(Font{"Alegreya Sans", 700, false}, 13, strconv.Itoa(count), spot{at.x + 0.5, at.y - 14.4}, 0, 0, 0)
	p.paint(ink{palette.rgb("ink"), 1, nil})
}

// circle returns the positions at a distance from a point, in metres.
func circle(center geo.Point, m float64) []geo.Point {
	out := make([]geo.Point, 96)
	for i := range out {
		out[i], _, _ = geodesy.Destination(geodesy.Ellipsoid, center, float64(i)*360/96, m) // both are valid
	}
	return out
}

func (p *pen) onMap(v *view, line []geo.Point) []spot {
	out := make([]spot, len(line))
	for i, q := range line {
		s := v.point(q)
		if i > 0 { // the short way over the antimeridian
			s.x -= math.Round((s.x-out[i-1].x/p.ratio)/v.size) * v.size
		}
		out[i] = p.on(s)
	}
	return out
}

func (p *pen) outlines(v *view, list []Outline, palette Palette) {
	for _, o := range list {
		var lines [][]spot
		for _, line := range o.Lines {
			lines = append(lines, p.onMap(v, line))
		}
		width, dash := 2.4, []float64{8 * p.ratio, 4 * p.ratio}
		if o.Closed {
			width, dash = 1.5, nil
			if isSmall(lines, p.sheet) { // a large one would only tint the whole picture
				p.area(lines)
				p.paint(ink{palette.rgb(o.Colour), 0.08, nil})
			}
		}
		for _, line := range lines {
			p.line(line, (width+2.4)*p.ratio, true, o.Closed)
		}
		p.paint(ink{palette.rgb("paper"), 0.75, nil})
		for _, line := range lines {
			if dash != nil {
				p.dashed(line, width*p.ratio, dash, true)
			} else {
				p.line(line, width*p.ratio, true, o.Closed)
			}
		}
		p.paint(ink{palette.rgb(o.Colour), 1, nil})
	}
}

// isSmall tells that an area takes less than half of the picture's width and height.
func isSmall(lines [][]spot, s *sheet) bool {
	left, top, right, bottom := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, line := range lines {
		for _, p := range line {
			left, right = min(left, p.x), max(right, p.x)
			top, bottom = min(top, p.y), max(bottom, p.y)
		}
	}
	return right-left < float64(s.width)/2 && bottom-top < float64(s.height)/2
}

// rings are bands round standpoints, each with a sighting mark in its middle.
func (p *pen) rings(v *view, list []Ring, palette Palette) {
	for _, r := range list {
		outer := p.onMap(v, circle(r.Center, r.WithinM))
		rings := [][]spot{outer}
		if r.BeyondM > 0 {
			inner := p.onMap(v, circle(r.Center, r.BeyondM))
			slices.Reverse(inner)
			rings = append(rings, inner)
		}
		p.area(rings)
		p.paint(ink{palette.rgb("ochre"), 0.1, nil})
		for _, ring := range rings {
			p.line(ring, 1.8*p.ratio, true, true)
		}
		p.paint(ink{palette.rgb("ochre"), 1, nil})
		p.sighting(v.point(r.Center), palette)
	}
}

// sighting is an open circle crossed by two fine hairs.
func (p *pen) sighting(at spot, palette Palette) {
	round := make([]spot, 48)
	for i := range round {
		sin, cos := math.Sincos(float64(i) * math.Pi / 24)
		round[i] = p.on(spot{at.x + 9*cos, at.y + 9*sin})
	}
	for _, one := range []struct {
		colour string
		wider  float64
	}{{"paper", 2.4}, {"madder", 0}} {
		p.line(round, (2.2+one.wider)*p.ratio, true, true)
		for _, h := range [][4]float64{{-16, 0, -4, 0}, {4, 0, 16, 0}, {0, -16, 0, -4}, {0, 4, 0, 16}} {
			p.line(p.shape([]spot{{at.x + h[0], at.y + h[1]}, {at.x + h[2], at.y + h[3]}}), (1.4+one.wider)*p.ratio,
				false, false)
		}
		p.paint(ink{palette.rgb(one.colour), 1, nil})
	}
}

// way is a broad band with a thread along it, and a surveyor's staff at its end.
func (p *pen) way(v *view, o *Over, palette Palette) {
	if len(o.Way) < 2 {
		return
	}
	line := p.onMap(v, o.Way)
	type band struct {
		colour string
		width  float64
	}
	bands := []band{{"paper", 12}, {"verdigris", 9}, {"paper", 1.7}}
	if o.WayStyle == "thin" || o.WayStyle == "dashed" {
		bands = []band{{"paper", 6.5}, {"verdigris", 3.4}}
	}
	for i, one := range bands {
		if o.WayStyle == "dashed" && i == 1 {
			p.dashed(line, one.width*p.ratio, []float64{9 * p.ratio, 6 * p.ratio}, false)
		} else {
			p.line(line, one.width*p.ratio, true, false)
		}
		p.paint(ink{palette.rgb(one.colour), 1, nil})
	}
	for _, end := range [][2]geo.Point{{o.From, o.Way[0]}, {o.To, o.Way[len(o.Way)-1]}} {
		if !end[0].IsValid() {
			continue
		}
		if q := p.onMap(v, end[:]); math.Hypot(q[0].x-q[1].x, q[0].y-q[1].y) >= 6*p.ratio {
			p.dashed(q, 2.4*p.ratio, []float64{2 * p.ratio, 5 * p.ratio}, true)
			p.paint(ink{palette.rgb("verdigris"), 1, nil})
		}
	}
	if o.To.IsValid() {
		p.staff(v.point(o.To), palette)
	}
	if o.From.IsValid() {
		p.sighting(v.point(o.From), palette)
	}
}

func (p *pen) staff(at spot, palette Palette) {
	p.line(p.shape([]spot{at, {at.x, at.y - 30}}), 2*p.ratio, false, false)
	p.paint(ink{palette.rgb("ink"), 1, nil})
	for i := range 3 {
		y := at.y - 30 + float64(i)*7
		fill := "verdigris"
		if i%2 == 1 {
			fill = "card"
		}
		p.fillAndStroke([]spot{{at.x - 3, y}, {at.x + 3, y}, {at.x + 3, y + 7}, {at.x - 3, y + 7}}, palette.rgb(fill),
			palette.rgb("ink"), 2)
	}
}
