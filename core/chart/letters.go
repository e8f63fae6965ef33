package chart

import (
	"cmp"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Font names a font as the style file does.
type Font struct {
	Family string
	Weight int
	Italic bool
}

// Letter is a letter of a font, in shares of its size: how far it moves on, and its contours, x and y downwards from
// where it stands on its line.
type Letter struct {
	Advance  float64
	Contours [][][2]float64
}

// Fonts hands out letters. Any of its methods may be called at the same time by many.
type Fonts interface {
	// Letter returns a letter; one that no font has is an empty one of some width.
	Letter(f Font, r rune) Letter
	// Middle returns how far the line lies below the middle of the letters, in shares of the size.
	Middle(f Font) float64
}

// readFont reads a font as CSS writes it, e.g. "italic 400 {}px 'Alegreya Sans'".
func readFont(text string) Font {
	f := Font{Weight: 400}
	head, family, _ := strings.Cut(text, "px ")
	f.Family = strings.Trim(family, "' ")
	for _, word := range strings.Fields(head) {
		if word == "italic" {
			f.Italic = true
		} else if n, err := strconv.Atoi(word); err == nil {
			f.Weight = n
		}
	}
	return f
}

// named is something to letter: a name with the points that it belongs to, on the unit square of the world.
type named struct {
	id     uint64
	class  string
	name   string
	rank   uint8
	line   bool
	tile   float64 // the side of its tile
	points []spot
}

// contoursNamed is from which zoom on contours bear their heights.
const contoursNamed = 11.9

// namesOf returns what is to be lettered on a tile.
func namesOf(layers []layer, labels map[string]LabelStyle, z, x, y int, zoom float64) (out []named) {
	n := math.Exp2(float64(z))
	world := func(p spot) spot { return spot{(float64(x) + p.x/extent) / n, (float64(y) + p.y/extent) / n} }
	inside := func(p spot) bool { return p.x >= 0 && p.x < extent && p.y >= 0 && p.y < extent }
	for i := range layers {
		l := &layers[i]
		if _, ok := labels[l.class]; !ok {
			continue
		}
		for k := range l.feats {
			f := &l.feats[k]
			if f.name == "" || len(f.parts) == 0 || l.class == "contour" && zoom < contoursNamed {
				continue
			}
			one := named{id: f.id, class: l.class, name: f.name, rank: f.rank, tile: 1 / n}
			switch l.shape {
			case points:
				if p := f.parts[0][0]; inside(p) {
					one.points = []spot{world(p)}
					out = append(out, one)
				}
			case lines:
				one.line = true
				for _, part := range f.parts {
					for _, piece := range within(part) {
						one.points = make([]spot, len(piece))
						for j, p := range piece {
							one.points[j] = world(p)
						}
						out = append(out, one)
					}
				}
			default:
				if p := centroid(f.parts[0]); inside(p) {
					one.points = []spot{world(p)}
					out = append(out, one)
				}
			}
		}
	}
	return out
}

// within returns the pieces of a line that lie on the tile itself, without its margin.
func within(line []spot) (out [][]spot) {
	var piece []spot
	flush := func() {
		if len(piece) > 1 {
			out = append(out, piece)
		}
		piece = nil
	}
	for i := 1; i < len(line); i++ {
		a, b := line[i-1], line[i]
		from, to := 0.0, 1.0
		for _, one := range [][2]float64{{a.x, b.x - a.x}, {extent - a.x, a.x - b.x}, {a.y, b.y - a.y},
			{extent - a.y, a.y - b.y}} {
			p, d := one[0], one[1] // inside where p + t d >= 0
			switch {
			case d > 0:
				from = max(from, -p/d)
			case d < 0:
				to = min(to, p/-d)
			case p < 0:
				to = -1
			}
		}
		if from > to {
			flush()
			continue
		}
		if from > 0 {
			flush()
		}
		at := func(t float64) spot { return spot{math.Round(a.x + (b.x-a.x)*t), math.Round(a.y + (b.y-a.y)*t)} }
		if piece == nil {
			piece = append(piece, at(from))
		}
		piece = append(piece, at(to))
		if to < 1 {
			flush()
		}
	}
	flush()
	return out
}

func centroid(ring []spot) spot {
	sum, x, y, j := 0.0, 0.0, 0.0, len(ring)-1
	for i := range ring {
		c := ring[j].x*ring[i].y - ring[i].x*ring[j].y
		sum += c
		x += (ring[i].x + ring[j].x) * c
		y += (ring[i].y + ring[j].y) * c
		j = i
	}
	if sum == 0 {
		return ring[0]
	}
	return spot{x / (3 * sum), y / (3 * sum)}
}

// joined puts together the lines that tiles and sources have cut: lines of one class and name, where just two of them
// meet; everything else stays as it is.
func joined(all []named) (out []named) {
	groups := map[string][]named{}
	var order []string
	for _, l := range all {
		if !l.line {
			out = append(out, l)
			continue
		}
		key := l.class + "\n" + l.name
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], l)
	}
	for _, key := range order {
		if group := groups[key]; len(group) == 1 {
			out = append(out, group[0])
		} else {
			out = append(out, chains(group)...)
		}
	}
	return out
}

// Ends so near to each other, as a share of a tile, are one; a tile's edge is rounded on both its sides.
const reach = 2. / 4096

func chains(group []named) (out []named) {
	near := reach * group[0].tile
	type cell struct{ x, y int }
	cells := map[cell][]int{}
	end := func(e int) spot {
		p := group[e/2].points
		if e%2 == 0 {
			return p[0]
		}
		return p[len(p)-1]
	}
	of := func(p spot) cell { return cell{int(math.Floor(p.x / near)), int(math.Floor(p.y / near))} }
	for e := range 2 * len(group) {
		cells[of(end(e))] = append(cells[of(end(e))], e)
	}
	at := func(p spot) (found []int) {
		c := of(p)
		for dx := -1; dx <= 1; dx++ {
			for dy := -1; dy <= 1; dy++ {
				for _, e := range cells[cell{c.x + dx, c.y + dy}] {
					if q := end(e); math.Hypot(q.x-p.x, q.y-p.y) <= near {
						found = append(found, e)
					}
				}
			}
		}
		return found
	}
	used := make([]bool, len(group))
	for i, l := range group {
		if used[i] {
			continue
		}
		used[i] = true
		line := slices.Clone(l.points)
		for side := 1; side >= 0; side-- { // forwards from the last end, then backwards from the first
			for e := 2*i + side; ; {
				there := at(end(e))
				next := slices.IndexFunc(there, func(e int) bool { return !used[e/2] })
				if len(there) != 2 || next < 0 {
					break
				}
				n := there[next]
				used[n/2] = true
				more := slices.Clone(group[n/2].points)
				if (n%2 == 1) == (side == 1) {
					slices.Reverse(more)
				}
				if side == 1 {
					line = append(line, more[1:]...)
				} else {
					line = append(more, line[1:]...)
				}
				l.id, l.rank = min(l.id, group[n/2].id), max(l.rank, group[n/2].rank)
				e = n ^ 1
			}
		}
		l.points = line
		out = append(out, l)
	}
	return out
}

// The more important classes first.
var labelOrder = []string{"locality", "peak", "water", "motorway", "trunk", "primary", "secondary", "tertiary", "river",
	"square", "park", "ferry", "street", "pedestrian", "cycleway", "point", "building", "service", "path", "steps",
	"pier",
	"orchard", "contour", "housenumber"}

// glyph is a letter, or a line of letters, that stands somewhere: turned, in CSS pixels.
type glyph struct {
	text  string
	at    spot
	angle float64
}

// placed is a name that has its place.
type placed struct {
	style  LabelStyle
	size   float64
	glyphs []glyph
}

// setter lays names out. They do not collide, follow their streets and stand upright.
type setter struct {
	*view
	style  *Style
	fonts  Fonts
	larger float64
	boxes  boxes
}

// sameApart is how far from each other, in pixels, the same name may stand again; beyond how far beyond the picture
// names are laid out.
const sameApart, beyondEdge = 320, 220

// layout lays names out, clear of some boxes (left, top, right, bottom).
func (t *setter) layout(all []named, obstacles [][4]float64) (out []placed) {
	all = joined(all)
	slices.SortStableFunc(all, func(a, b named) int {
		return cmp.Or(slices.Index(labelOrder, a.class)-slices.Index(labelOrder, b.class), int(b.rank)-int(a.rank),
			len(b.points)-len(a.points), cmp.Compare(a.id, b.id))
	})
	for _, o := range obstacles {
		t.boxes.put(o)
	}
	middles, done := map[string][]spot{}, map[uint64]bool{}
	for i := range all {
		l := &all[i]
		style := t.style.Labels[l.class]
		if t.Zoom < style.From || !l.line && done[l.id] {
			continue
		}
		size := style.Size.at(t.Zoom) * t.larger
		if style.ByRank {
			if k, ok := map[uint8]float64{204: 1.45, 203: 1.2, 202: 0.9, 201: 0.78}[l.rank]; ok {
				size *= k
			}
		}
		apart := float64(sameApart)
		if style.Repeat != nil {
			apart = *style.Repeat
		}
		apart *= t.larger
		free := func(m spot) bool {
			return l.class == "housenumber" || !slices.ContainsFunc(middles[l.name], func(o spot) bool {
				return math.Hypot(o.x-m.x, o.y-m.y) < apart
			})
		}
		try := func(c candidate) bool {
			m := c.middle
			if m.x < -beyondEdge || m.y < -beyondEdge || m.x > t.Width+beyondEdge || m.y > t.Height+beyondEdge ||
				!free(m) ||
				!t.boxes.add(c.boxes) {
				return true
			}
			done[l.id] = true
			middles[l.name] = append(middles[l.name], m)
			out = append(out, placed{style, size, c.glyphs})
			return l.line
		}
		if l.line {
			t.along(l, style, size, apart, try)
		} else {
			t.flat(l, style, size, try)
		}
	}
	return out
}

type candidate struct {
	glyphs []glyph
	boxes  [][4]float64
	middle spot
}

func (t *setter) width(f Font, text string) (w float64) {
	for _, r := range text {
		w += t.fonts.Letter(f, r).Advance
	}
	return w
}

// flat tries the places of a name that stands at a point, until try says that it is enough.
func (t *setter) flat(l *named, style LabelStyle, size float64, try func(candidate) bool) {
	on, f := t.at(l.points[0]), readFont(style.Font)
	lines := strings.Split(l.name, "\n")
	half := 0.0
	for _, line := range lines {
		half = max(half, t.width(f, line)*size+style.Spacing*size*float64(len([]rune(line))))
	}
	half = half/2 + 3
	offsets := [][2]float64{{0, 0}}
	if l.class == "locality" { // steps aside for what stands on it; every other name gives way
		beside := half + size*0.9
		offsets = [][2]float64{{0, 0}, {0, -1.3}, {0, 1.3}, {0, -2.4}, {0, 2.4}, {beside, -0.6}, {-beside, -0.6}, {0,
			-3.6},
			{0, 3.6}}
	}
	for _, o := range offsets {
		s := spot{on.x + o[0], on.y + o[1]*size}
		top := s.y - size*0.55*float64(len(lines))
		boxTop := top
		if style.Mark != "" {
			top = s.y + size*0.35
			boxTop = s.y - 6
		}
		box := [4]float64{s.x - half, boxTop, s.x + half, top + size*1.1*float64(len(lines))}
		if !try(candidate{[]glyph{{l.name, s, 0}}, [][4]float64{box}, s}) {
			return
		}
	}
}

// along tries to set a name along a line, letter by letter: in the middle, and at equal distances from it.
func (t *setter) along(l *named, style LabelStyle, size, apart float64, try func(candidate) bool) {
	line := make([]spot, len(l.points))
	lengths := make([]float64, len(l.points))
	for i, p := range l.points {
		if line[i] = t.at(p); i > 0 {
			lengths[i] = lengths[i-1] + math.Hypot(line[i].x-line[i-1].x, line[i].y-line[i-1].y)
		}
	}
	f := readFont(style.Font)
	letters := []rune(l.name)
	widths := make([]float64, len(letters))
	width := 0.0
	for i, r := range letters {
		widths[i] = t.fonts.Letter(f, r).Advance * size
		width += widths[i]
	}
	total := lengths[len(lengths)-1]
	if total < width+10 {
		return
	}
	middle := (total - width) / 2
	for off := 0.0; off <= middle; off += apart * 0.5 {
		starts := []float64{middle + off, middle - off}
		if off == 0 {
			starts = starts[:1]
		}
		for _, start := range starts {
			if c, ok := setAlong(line, lengths, letters, widths, start, size); ok && !try(c) {
				return
			}
		}
	}
}

// setAlong sets letters along a line; false where the line bends too much for them.
func setAlong(line []spot, lengths []float64, letters []rune, widths []float64, start, size float64) (candidate, bool) {
	point := func(d float64) (spot, float64) {
		i, _ := slices.BinarySearch(lengths, d)
		i = max(1, min(i, len(lengths)-1))
		a, b := line[i-1], line[i]
		f := (d - lengths[i-1]) / max(1e-6, lengths[i]-lengths[i-1])
		return spot{a.x + (b.x-a.x)*f, a.y + (b.y-a.y)*f}, math.Atan2(b.y-a.y, b.x-a.x)
	}
	width := 0.0
	for _, w := range widths {
		width += w
	}
	first, _ := point(start)
	last, _ := point(start + width)
	back := last.x < first.x
	var c candidate
	before, d := math.NaN(), start
	if back {
		d = start + width
	}
	for i, r := range letters {
		half := widths[i] / 2
		if back {
			half = -half
		}
		p, angle := point(d + half)
		if back {
			angle += math.Pi
		}
		if turn := math.Abs(math.Remainder(angle-before, 2*math.Pi)); turn > 0.5 {
			return candidate{}, false
		}
		before = angle
		d += 2 * half
		angle = math.Remainder(angle, 2*math.Pi)
		if angle == 0 {
			angle = 1e-9
		}
		c.glyphs = append(c.glyphs, glyph{string(r), p, angle})
		h := max(widths[i], size) / 2
		c.boxes = append(c.boxes, [4]float64{p.x - h, p.y - h, p.x + h, p.y + h})
	}
	c.middle, _ = point(start + width/2)
	return c, true
}

// boxes may not overlap, and are found again through a grid.
type boxes map[[2]int][][4]float64

func (b boxes) cells(one [4]float64, f func(key [2]int) bool) {
	for x := int(math.Floor(one[0] / 64)); x <= int(math.Floor(one[2]/64)); x++ {
		for y := int(math.Floor(one[1] / 64)); y <= int(math.Floor(one[3]/64)); y++ {
			if !f([2]int{x, y}) {
				return
			}
		}
	}
}

// add enters boxes; false, and nothing entered, where one of them is taken.
func (b boxes) add(list [][4]float64) bool {
	for _, one := range list {
		free := true
		b.cells(one, func(key [2]int) bool {
			for _, o := range b[key] {
				if one[0] < o[2] && o[0] < one[2] && one[1] < o[3] && o[1] < one[3] {
					free = false
					return false
				}
			}
			return true
		})
		if !free {
			return false
		}
	}
	for _, one := range list {
		b.put(one)
	}
	return true
}

// put enters a box, whatever it lies on.
func (b boxes) put(one [4]float64) {
	b.cells(one, func(key [2]int) bool { b[key] = append(b[key], one); return true })
}

// pen writes on a sheet, in CSS pixels.
type pen struct {
	*sheet
	fonts Fonts
	ratio float64
}

func (p *pen) on(s spot) spot { return spot{s.x * p.ratio, s.y * p.ratio} }

// enterText enters a line of text whose middle is at a spot, turned, as filled letters or, with a width, as lines round
// them.
func (p *pen) enterText(f Font, size float64, text string, at spot, angle, spacing, halo float64) {
	width := 0.0
	for _, r := range text {
		width += p.fonts.Letter(f, r).Advance*size + spacing
	}
	if far := (width + 2*size + halo); (at.y+far)*p.ratio < p.down || (at.y-far)*p.ratio > p.down+float64(p.height) {
		return
	}
	sin, cos := math.Sincos(angle)
	x, y := -width/2, p.fonts.Middle(f)*size
	for _, r := range text {
		l := p.fonts.Letter(f, r)
		rings := make([][]spot, len(l.Contours))
		for i, contour := range l.Contours {
			ring := make([]spot, len(contour))
			for k, c := range contour {
				u, v := x+c[0]*size, y+c[1]*size
				ring[k] = spot{(at.x + u*cos - v*sin) * p.ratio, (at.y + u*sin + v*cos) * p.ratio}
			}
			rings[i] = ring
		}
		if halo > 0 {
			for _, ring := range rings {
				p.line(coarser(ring, 0.35*halo*p.ratio), halo*p.ratio, true, true)
			}
		} else {
			p.outline(rings)
		}
		x += l.Advance*size + spacing
	}
}

// coarser leaves out what lies nearer than so much to the position before: a halo is too broad to show it.
func coarser(ring []spot, least float64) []spot {
	out := ring[:1:1]
	for _, q := range ring[1:] {
		last := out[len(out)-1]
		if dx, dy := q.x-last.x, q.y-last.y; dx*dx+dy*dy >= least*least {
			out = append(out, q)
		}
	}
	return out
}

// turnStep is the step of the turns at which the page draws letters: three degrees.
const turnStep = math.Pi / 60

// names paints names, with halos.
func (p *pen) names(list []placed, palette Palette, halo float64) {
	for _, n := range list {
		f := readFont(n.style.Font)
		spacing := n.style.Spacing * n.size
		for _, pass := range []float64{halo, 0} {
			for _, g := range n.glyphs {
				if g.angle != 0 {
					at := spot{math.Round(g.at.x*2) / 2, math.Round(g.at.y*2) / 2}
					p.enterText(f, n.size, g.text, at, math.Round(g.angle/turnStep)*turnStep, 0, pass)
					continue
				}
				if n.style.Mark == "peak" && pass == 0 {
					p.area([][]spot{{p.on(spot{g.at.x - 4.5, g.at.y + 3}), p.on(spot{g.at.x, g.at.y - 4.5}),
						p.on(spot{g.at.x + 4.5, g.at.y + 3})}})
				}
				lines := strings.Split(g.text, "\n")
				for i, line := range lines {
					y := g.at.y + (float64(i)-float64(len(lines)-1)/2)*n.size*1.05
					if n.style.Mark != "" {
						y = g.at.y + n.size*0.95 + float64(i)*n.size*1.05
					}
					p.enterText(f, n.size, line, spot{g.at.x, y}, 0, spacing, pass)
				}
			}
			colour := n.style.Ink
			if pass > 0 {
				colour = "halo"
			}
			p.paint(ink{palette.rgb(colour), 1, nil})
		}
	}
}
