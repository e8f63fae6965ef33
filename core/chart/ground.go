package chart

import (
	"math"
)

// The order of the areas below contours and water, and of roads and trails; what is not named is not drawn.
var (
	areaOrder = []string{"residential", "farmland", "orchard", "grass", "heath", "wood", "sand", "rock", "park",
		"square"}
	roadOrder = []string{"service", "pedestrian", "street", "tertiary", "secondary", "primary", "trunk", "motorway"}
	trails    = []string{"ferry", "path", "steps", "track", "cycleway"}
	// riverWidths is how much of the style's width the rivers of ranks 61 to 68 have.
	riverWidths = []float64{0.3, 0.42, 0.55, 0.7, 0.9, 1.15, 1.4, 1.8}
)

// drawing is a tile that is being drawn: the sheet is the part of it that the picture shows.
type drawing struct {
	*sheet
	style   *Style
	manner  Manner
	palette Palette
	time    string
	layers  []layer
	heights *heights
	z, x, y int
	zoom    float64
	ratio   float64
	// side is the tile's in pixels of the sheet, offset where its corner lies on it.
	side   float64
	offset spot
}

// on returns the pixel of a position in units of the tile.
func (d *drawing) on(p spot) spot {
	k := d.side / extent
	return spot{p.x*k + d.offset.x, p.y*k + d.offset.y}
}

func (d *drawing) all(part []spot) []spot {
	out := make([]spot, len(part))
	for i, p := range part {
		out[i] = d.on(p)
	}
	return out
}

func (d *drawing) find(class string, s shape) []feat {
	for i := range d.layers {
		if d.layers[i].class == class && d.layers[i].shape == s {
			return d.layers[i].feats
		}
	}
	return nil
}

func (d *drawing) enter(list []feat) {
	for i := range list {
		rings := make([][]spot, len(list[i].parts))
		for k, part := range list[i].parts {
			rings[k] = d.all(part)
		}
		d.area(rings)
	}
}

func (d *drawing) fill(list []feat, colour string, alpha float64, through []uint8) {
	if len(list) > 0 {
		d.enter(list)
		d.paint(ink{d.palette.rgb(colour), alpha, through})
	}
}

// stroke says how a line is drawn. Width is in CSS pixels, dashes are in pixels of the sheet.
type stroke struct {
	colour  string
	width   float64
	alpha   float64
	dash    []float64
	butt    bool
	closed  bool
	through []uint8
}

func (d *drawing) stroke(list []feat, s stroke) {
	if len(list) == 0 || s.width <= 0 {
		return
	}
	px := s.width * d.ratio
	for i := range list {
		for _, part := range list[i].parts {
			if line := d.all(part); s.dash != nil {
				d.dashed(line, px, s.dash, !s.butt)
			} else {
				d.line(line, px, !s.butt, s.closed)
			}
		}
	}
	alpha := s.alpha
	if alpha == 0 {
		alpha = 1
	}
	d.paint(ink{d.palette.rgb(s.colour), alpha, s.through})
}

// lined strokes lines as a line style says.
func (d *drawing) lined(list []feat, l LineStyle, wider, alpha float64) {
	width := l.Width.at(d.zoom)
	var dash []float64
	for _, v := range l.Dash {
		dash = append(dash, v*d.ratio*max(1, width/1.6))
	}
	d.stroke(list, stroke{colour: l.Colour, width: width + wider, dash: dash, butt: l.Cap == "butt", alpha: alpha})
}

// waterlines run parallel to a shore: broad strokes of line and water in turn, the farthest first.
func (d *drawing) waterlines(shores []feat, water string, closed bool, share float64, through []uint8) {
	w := d.style.Shore.Waterlines
	for i := len(w) - 1; i >= 0; i-- {
		offset, width := w[i][0], w[i][1]
		d.stroke(shores, stroke{colour: "waterline", width: 2 * (offset + width/2) * share, closed: closed, butt: true,
			through: through})
		d.stroke(shores, stroke{colour: water, width: 2 * (offset - width/2) * share, closed: closed, butt: true,
			through: through})
	}
}

// ground draws the tile: everything but names.
func (d *drawing) ground() {
	d.wash(d.palette.rgb("sea"))
	if far := d.find("farland", areas); len(far) > 0 {
		shores := d.find("farshore", lines)
		d.waterlines(shores, "sea", false, min(1, 0.45+d.zoom/12), nil)
		d.fill(far, "farland", 1, nil)
		d.stroke(shores, stroke{colour: "farshore", width: d.style.Shore.Line})
		d.fill(d.find("farsea", areas), "sea", 1, nil)
	}
	d.graticule()
	shores := d.find("land", areas)
	if d.zoom >= 8 {
		d.waterlines(shores, "sea", true, 1, nil)
	}
	d.land(shores)
	d.stroke(shores, stroke{colour: "shore", width: d.style.Shore.Line, closed: true})
	d.cliffs(d.find("cliff", lines))
	d.lined(d.find("stream", lines), d.style.Lines["stream"], 0, 1)
	d.rivers()
	for _, name := range []string{"water", "pier"} {
		if list := d.find(name, areas); len(list) > 0 {
			d.cover(list, d.style.Areas[name], 1)
		}
	}
	piers, pier := d.find("pier", lines), d.style.Lines["pier"]
	below := pier
	below.Colour = "shore"
	d.lined(piers, below, 1.6, 1)
	d.lined(piers, pier, 0, 1)
	if list := d.find("building", areas); len(list) > 0 {
		d.cover(list, d.style.Areas["building"], 1)
	}
	d.roads()
	if d.zoom >= 15.5 {
		for _, name := range roadOrder {
			d.arrows(d.find(name, lines))
		}
	}
	if d.zoom >= 16 {
		d.barriers(d.find("barrier", points))
	}
}

// land draws the land with its relief and its covers.
func (d *drawing) land(shores []feat) {
	tints := d.manner.Tints[d.time]
	relief := d.heights != nil && (tints != nil || d.manner.Shade > 0) && len(shores) > 0
	d.enter(shores)
	var mask []uint8
	if relief {
		mask = d.mask()
	} else {
		d.paint(ink{d.palette.rgb("land"), 1, nil})
	}
	switch {
	case mask != nil && tints != nil:
		d.tint(mask, tints)
	case mask != nil:
		d.fill(shores, "land", 1, nil)
	}
	cover := 1.0
	if d.manner.Cover != nil {
		cover = *d.manner.Cover
	}
	for _, name := range areaOrder {
		if list := d.find(name, areas); len(list) > 0 {
			if a, ok := d.style.Areas[name]; ok {
				d.cover(list, a, cover)
			}
		}
	}
	if mask != nil && d.manner.Shade > 0 {
		d.shade(mask)
	}
	if d.manner.Contours > 0 {
		d.contours(d.find("contour", lines))
	}
}

func (d *drawing) rivers() {
	rivers, style := d.find("river", lines), d.style.Lines["river"]
	var reaches [8][]feat
	for _, f := range rivers {
		i := max(0, min(7, int(f.rank)-61))
		reaches[i] = append(reaches[i], f)
	}
	wide := func(i int, colour string) LineStyle {
		s := style
		s.Colour, s.Width = colour, nil
		for _, stop := range style.Width {
			s.Width = append(s.Width, [2]float64{stop[0], stop[1] * riverWidths[i]})
		}
		return s
	}
	for i, list := range reaches {
		d.lined(list, wide(i, style.Edge), 1.6, 1)
	}
	for i, list := range reaches {
		d.lined(list, wide(i, style.Colour), 0, 1)
	}
}

// steps of the graticule in degrees: whole ones, then round numbers of minutes and seconds.
var steps = []float64{30, 15, 10, 5, 2, 1, 30. / 60, 10. / 60, 5. / 60, 2. / 60, 1. / 60, 30. / 3600, 10. / 3600,
	5. / 3600, 2. / 3600, 1. / 3600}

// graticuleStep returns the least step that leaves its lines some 150 pixels apart.
func graticuleStep(zoom float64) float64 {
	least := 360 / math.Exp2(math.Floor(zoom)) * 0.28
	for i := len(steps) - 1; i >= 0; i-- {
		if steps[i] >= least {
			return steps[i]
		}
	}
	return 30
}

func (d *drawing) graticule() {
	n := math.Exp2(float64(d.z))
	step := graticuleStep(float64(d.z))
	width := 0.7 * d.ratio
	lat := func(row float64) float64 { return math.Atan(math.Sinh((0.5-row/n)*2*math.Pi)) * 180 / math.Pi }
	x0, y0 := d.offset.x, d.offset.y
	west := float64(d.x)/n*360 - 180
	for k := math.Ceil(west/step - 1e-9); k*step <= west+360/n+1e-9; k++ {
		x := ((k*step+180)/360*n-float64(d.x))*d.side + x0
		d.line([]spot{{x, y0}, {x, y0 + d.side}}, width, false, false)
	}
	for k := math.Ceil(lat(float64(d.y)+1)/step - 1e-9); k*step <= lat(float64(d.y))+1e-9; k++ {
		s := math.Sin(k * step * math.Pi / 180)
		y := ((0.5-math.Log((1+s)/(1-s))/(4*math.Pi))*n-float64(d.y))*d.side + y0
		d.line([]spot{{x0, y}, {x0 + d.side, y}}, width, false, false)
	}
	d.paint(ink{d.palette.rgb("graticule"), 1, nil})
}

// cover draws areas of one kind.
func (d *drawing) cover(list []feat, a AreaStyle, alpha float64) {
	d.fill(list, a.Fill, alpha, nil)
	if a.Pattern != "" && a.Mark != "" && d.manner.Patterns && d.zoom >= a.From {
		if a.Pattern != "rows" {
			d.fill(list, a.Mark, alpha, d.pattern(a.Pattern, 0))
		} else {
			for way := range 3 { // each field is ploughed its own way
				var some []feat
				for _, f := range list {
					if int(f.id/4%3) == way {
						some = append(some, f)
					}
				}
				if len(some) > 0 {
					d.fill(some, a.Mark, alpha, d.pattern(a.Pattern, way))
				}
			}
		}
	}
	if a.Waterlines && d.zoom >= 11 {
		d.enter(list)
		d.waterlines(list, a.Fill, true, 1, d.mask())
	}
	if a.Edge != "" && (d.zoom >= 14.5 || a.Waterlines) {
		d.stroke(list, stroke{colour: a.Edge, width: 0.8, closed: true})
	}
}

// contours bend evenly between the points of their grid.
func (d *drawing) contours(list []feat) {
	line := d.style.Lines["contour"]
	var plain, index []feat
	for _, f := range list {
		if d.z >= 14 {
			bent := f
			bent.parts = nil
			for _, part := range f.parts {
				bent.parts = append(bent.parts, curve(part))
			}
			f = bent
		}
		if f.rank == 0 {
			plain = append(plain, f)
		} else {
			index = append(index, f)
		}
	}
	width := line.Width.at(d.zoom)
	d.stroke(plain, stroke{colour: line.Colour, width: width, alpha: d.manner.Contours})
	d.stroke(index, stroke{colour: line.Index, width: width + 0.35, alpha: d.manner.Contours})
}

// curve returns the line that touches each stretch at its middle (quadratic B-spline), in short stretches.
func curve(q []spot) []spot {
	if len(q) < 3 {
		return q
	}
	out := []spot{q[0]}
	a := q[0]
	for i := 1; i+1 < len(q); i++ {
		b := spot{(q[i].x + q[i+1].x) / 2, (q[i].y + q[i+1].y) / 2}
		for _, t := range []float64{0.25, 0.5, 0.75, 1} {
			u, v, w := (1-t)*(1-t), 2*t*(1-t), t*t
			out = append(out, spot{a.x*u + q[i].x*v + b.x*w, a.y*u + q[i].y*v + b.y*w})
		}
		a = b
	}
	return append(out, q[len(q)-1])
}

// cliffs bear ticks down the slope, which lies at the right of their lines.
func (d *drawing) cliffs(list []feat) {
	line := d.style.Lines["cliff"]
	if len(list) == 0 || len(line.Tick) == 0 || d.zoom < line.Width[0][0] {
		return
	}
	width, tick := line.Width.at(d.zoom)*d.ratio, line.Tick.at(d.zoom)*d.ratio
	every := max(3*d.ratio, tick*0.9)
	for i := range list {
		for _, part := range list[i].parts {
			q := d.all(part)
			d.line(q, width, true, false)
			along(q, every, 0, func(p, v spot) {
				d.line([]spot{p, {p.x - v.y*tick, p.y + v.x*tick}}, width, false, false)
			})
		}
	}
	d.paint(ink{d.palette.rgb(line.Colour), 1, nil})
}

// along calls f at equal distances along a line, with the direction there.
func along(line []spot, every, next float64, f func(p, v spot)) {
	for i := 1; i < len(line); i++ {
		a, b := line[i-1], line[i]
		length := math.Hypot(b.x-a.x, b.y-a.y)
		if length == 0 {
			length = 1
		}
		v := spot{(b.x - a.x) / length, (b.y - a.y) / length}
		for ; next < length; next += every {
			f(spot{a.x + v.x*next, a.y + v.y*next}, v)
		}
		next -= length
	}
}

// defaultCasing is how much wider than its surface a road is with its edges, in pixels.
const defaultCasing = 1.5

func casing(l LineStyle) float64 {
	if l.Casing != nil {
		return *l.Casing
	}
	return defaultCasing
}

// roads draws tunnels below, then trails, then the roads with all casings under all surfaces, and bridges over
// everything, the lowest first.
func (d *drawing) roads() {
	type road struct {
		style  LineStyle
		levels map[int][]feat
	}
	var all []road
	for _, name := range roadOrder {
		s := d.style.Lines[name]
		if d.manner.Roads > 0 {
			wide := Stops{}
			for _, stop := range s.Width {
				wide = append(wide, [2]float64{stop[0], stop[1] * d.manner.Roads})
			}
			s.Width = wide
		}
		if d.zoom < s.Width[0][0]-1 {
			continue
		}
		r := road{s, map[int][]feat{}}
		for _, f := range d.find(name, lines) {
			r.levels[f.level()] = append(r.levels[f.level()], f)
		}
		all = append(all, r)
	}
	as := func(s LineStyle, colour, cap string) LineStyle {
		s.Colour = colour
		if cap != "" {
			s.Cap = cap
		}
		return s
	}
	for _, r := range all {
		below := r.levels[-1]
		d.lined(below, r.style, 0, 0.45)
		if r.style.Edge == "" {
			continue
		}
		edge := as(r.style, r.style.Edge, "butt")
		edge.Dash = []float64{3, 2.5}
		d.lined(below, edge, 1.5, 1)
		d.lined(below, as(r.style, r.style.Colour, "butt"), -0.2, 1)
	}
	for _, name := range trails {
		s, list := d.style.Lines[name], d.find(name, lines)
		if d.zoom >= 14 {
			var bridges []feat
			for _, f := range list {
				if f.level() > 0 {
					bridges = append(bridges, f)
				}
			}
			d.lined(bridges, LineStyle{Colour: "ink-soft", Width: s.Width, Cap: "butt"}, 5, 1)
			d.lined(bridges, LineStyle{Colour: "land", Width: s.Width, Cap: "butt"}, 3.4, 1)
		}
		d.lined(list, s, 0, 1)
	}
	for _, r := range all {
		if r.style.Edge != "" && r.style.Width.at(d.zoom) >= 1.6 {
			d.lined(r.levels[0], as(r.style, r.style.Edge, ""), casing(r.style), 1)
		}
	}
	for _, r := range all {
		s := r.style
		if s.Width.at(d.zoom) < 1.6 && s.Edge != "" {
			thin := s.Thin
			if thin == "" {
				thin = s.Edge
			}
			s = as(s, thin, "")
		}
		d.lined(r.levels[0], s, 0, 1)
	}
	// The thread along the middle, where there is room for it between the edges.
	thread := func(s LineStyle, list []feat) {
		if len(s.Thread) > 0 && s.Width.at(d.zoom) >= 4 {
			d.lined(list, LineStyle{Colour: "thread", Width: s.Thread}, 0, 1)
		}
	}
	for _, r := range all {
		thread(r.style, r.levels[0])
	}
	least := 3.0
	if d.zoom < 13 {
		least = 1.8
	}
	for n := 1; n <= 4; n++ {
		for _, r := range all {
			d.lined(r.levels[n], as(r.style, "ink-soft", "butt"), max(least, casing(r.style)), 1)
			d.lined(r.levels[n], r.style, 0, 1)
			thread(r.style, r.levels[n])
		}
	}
}

// barriers are short bars with a foot at each end.
func (d *drawing) barriers(list []feat) {
	if len(list) == 0 {
		return
	}
	r, width := 4*d.ratio, 1.4*d.ratio
	for i := range list {
		p := d.on(list[i].parts[0][0])
		for _, k := range []float64{-r, r} {
			d.line([]spot{{p.x + k, p.y - r*0.8}, {p.x + k, p.y + r*0.8}}, width, true, false)
		}
		d.line([]spot{{p.x - r, p.y}, {p.x + r, p.y}}, width, true, false)
	}
	d.paint(ink{d.palette.rgb("barrier"), 1, nil})
}

var arrow = []spot{{5, 0}, {0.5, -2.6}, {0.5, -0.6}, {-5, -0.6}, {-5, 0.6}, {0.5, 0.6}, {0.5, 2.6}}

// arrows lie along streets that cars may follow one way only.
func (d *drawing) arrows(list []feat) {
	every, any := 110*d.ratio, false
	for i := range list {
		if list[i].flags&flagOneWay == 0 {
			continue
		}
		for _, part := range list[i].parts {
			along(d.all(part), every, every/2, func(p, v spot) {
				any = true
				ring := make([]spot, len(arrow))
				for k, q := range arrow {
					a, b := q.x*d.ratio, q.y*d.ratio
					ring[k] = spot{p.x + v.x*a - v.y*b, p.y + v.y*a + v.x*b}
				}
				d.area([][]spot{ring})
			})
		}
	}
	if any {
		d.paint(ink{d.palette.rgb("ink-soft"), 1, nil})
	}
}
