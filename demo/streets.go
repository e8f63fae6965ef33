package demo

import (
	"math"
)

// quarter is a part of a settlement that was laid out at one time: its streets run at one angle.
type quarter struct {
	at    spot
	reach float64
	turn  float64
	force float64
}

// streets grows a settlement's streets as lines of a field of directions, two families at right angles to each other
// (after Chen and others 2008, "Interactive procedural street modeling"): the field is bent in the old core, straight
// in the newer quarters, and follows the shore, the slope and the roads that were there first.
type streets struct {
	m       *Island
	s       *settlement
	guides  *raster
	samples [2]map[[2]int32][]sample
	lines   int
	bridges int
}

type sample struct {
	at   spot
	line int
}

const sampleCell = 60

func (m *Island) layStreets(s *settlement) {
	g := &streets{m: m, s: s, guides: newRaster(150)}
	g.samples[0], g.samples[1] = map[[2]int32][]sample{}, map[[2]int32][]sample{}
	for _, l := range m.web.lines {
		if l.class != "primary" && l.class != "secondary" && l.class != "tertiary" && l.class != "trunk" || l.tunnel {
			continue
		}
		for i := 1; i < len(l.points); i++ {
			if distance(l.points[i], s.middle) < s.radius*1.8 {
				g.guides.add(l.points[i-1], l.points[i], 0)
			}
		}
	}
	s.centres = []quarter{{s.middle, s.radius * 0.3, m.shoreAngle(s.middle) + 0.3, 1}}
	count := 2
	if s.kind == "town" {
		count = 6
	}
	for k := range count {
		p := s.middle.add(
			polar(2*math.Pi*(float64(k)+0.3*m.rand.Float64())/float64(count), s.radius*(0.55+0.2*m.rand.Float64())),
		)
		if m.land.dry(p, 50) {
			s.centres = append(
				s.centres,
				quarter{p, s.radius * 0.42, m.shoreAngle(p) + 0.9*(m.rand.Float64()-0.5), 1.6},
			)
		}
	}
	if s.kind == "town" { // commons that were never built on
		for k := range 4 {
			s.commons = append(
				s.commons,
				round{
					s.middle.add(polar(s.centres[0].turn+1.7*float64(k)+0.4, s.radius*(0.26+0.13*float64(k)))),
					105 + 38*float64(k),
				},
			)
		}
	}
	type seed struct {
		at     spot
		family int
	}
	var queue []seed
	for _, q := range s.centres {
		for k := range 10 {
			p := q.at.add(polar(float64(k)*2.4, 14*float64(k)))
			queue = append(queue, seed{p, 0}, seed{p, 1})
		}
	}
	for ; len(queue) > 0 && g.lines < 900; queue = queue[1:] {
		points := g.trace(queue[0].at, queue[0].family)
		if points == nil {
			continue
		}
		family := queue[0].family
		for i := 0; i < len(points); {
			p := points[i]
			queue = append(queue, seed{p, 1 - family})
			heading := points[min(i+1, len(points)-1)].sub(points[max(i-1, 0)]).unit()
			for _, side := range []float64{1, -1} {
				queue = append(queue, seed{p.add(heading.left().times(side * g.gap(p, family) * 1.02)), family})
			}
			i += max(1, int(g.gap(p, 1-family)/stride))
		}
	}
	limit := map[*line]float64{}
	m.web.prune(func(l *line) float64 {
		if l.town != s {
			return 0
		}
		if limit[l] == 0 {
			limit[l] = 85
			if m.rand.Float64() < 0.25 { // a few streets end blind
				limit[l] = 45
			}
		}
		return limit[l]
	})
	m.dress(s)
	for _, l := range m.web.lines {
		if l.town == s {
			for i := range l.points {
				m.travel.roads[m.land.broad.cell(l.points[i])] = true
			}
		}
	}
}

func (m *Island) shoreAngle(p spot) float64 {
	g := m.land.toSea.gradient(p, 300)
	return math.Atan2(g.y, g.x) + math.Pi/2
}

// gap is how far from each other the streets of a family lie at p, in metres: close in the core, wide outside it, and
// the blocks longer than they are deep.
func (g *streets) gap(p spot, family int) float64 {
	out := clamp((distance(p, g.s.middle)/g.s.radius-0.12)/0.45, 0, 1)
	if g.s.kind != "town" {
		return [2]float64{lerp(62, 88, out), lerp(84, 150, out)}[family]
	}
	return [2]float64{lerp(48, 74, out), lerp(60, 132, out)}[family]
}

// lean is the direction of the field at p.
func (g *streets) lean(p spot) float64 {
	var x, y float64
	pull := func(angle, weight float64) {
		x, y = x+weight*math.Cos(2*angle), y+weight*math.Sin(2*angle)
	}
	core := math.Exp(-math.Pow(distance(p, g.s.middle)/(0.34*g.s.radius), 2))
	n := g.m.noise
	for _, q := range g.s.centres {
		d := distance(p, q.at) / q.reach
		pull(q.turn+(0.06+0.7*core)*(n+91).fractal(p, 420, 2), q.force*math.Exp(-d*d))
	}
	slope := g.m.land.heights.gradient(p, 60)
	if steep := slope.length(); steep > 0.03 {
		pull(math.Atan2(slope.y, slope.x)+math.Pi/2, min(1.6, steep*14))
	}
	if sea := g.m.land.toSea.at(p); sea < 500 {
		pull(g.m.shoreAngle(p), 1.3*math.Exp(-sea/220))
	}
	best, angle := 160.0, 0.0
	for _, s := range g.guides.near(p.sub(spot{160, 160}), p.add(spot{160, 160})) {
		if d := toLine(p, s.a, s.b); d < best {
			v := s.b.sub(s.a)
			best, angle = d, math.Atan2(v.y, v.x)
		}
	}
	if best < 160 {
		pull(angle, 2*math.Exp(-best/70))
	}
	return math.Atan2(y, x) / 2
}

func (g *streets) buildable(p spot) bool {
	d := distance(p, g.s.middle)
	limit := g.s.radius * (0.86 + 0.42*(g.m.noise+95).fractal(p, g.s.radius*0.9, 2))
	if d > limit*0.7 && !g.guides.clear(p, 130) {
		limit *= 1.3
	}
	for _, c := range g.s.commons {
		if distance(p, c.at) < c.radius*(1+0.35*(g.m.noise+98).fractal(p, c.radius, 2)) {
			return false
		}
	}
	return d < limit && g.m.land.dry(p, 24) && g.m.land.slope(p) < 0.2 && g.m.water.clear(p, 9)
}

const stride = 15.0

// trace follows the field both ways from a seed; nil where a street has no room.
func (g *streets) trace(from spot, family int) []spot {
	if !g.buildable(from) || g.crowded(from, family, 0.72, -1) {
		return nil
	}
	turn := float64(family) * math.Pi / 2
	bridge := g.bridges%5 == 4
	half := func(sign float64) []spot {
		var out []spot
		p := from
		a := g.lean(p) + turn
		heading := polar(a, sign)
		longest := 420 + 1100*g.m.rand.Float64()
		for length := 0.0; length < longest; length += stride {
			step := func(p spot) spot {
				v := polar(g.lean(p)+turn, 1)
				if v.x*heading.x+v.y*heading.y < 0 {
					v = v.times(-1)
				}
				return v
			}
			v := step(p.add(step(p).times(stride / 2)))
			if v.x*heading.x+v.y*heading.y < 0.5 {
				break
			}
			q := p.add(v.times(stride))
			if _, big, wet := g.m.bridgeAt(p, q); wet && big {
				g.bridges++
				if !bridge {
					break
				}
				bridge = false
				q = p.add(v.times(stride * 3)) // straight over
				if !g.m.land.dry(q, 24) {
					break
				}
			} else if !g.buildable(q) && !(bridge && g.m.land.dry(q, 24)) {
				break
			}
			if g.crowded(q, family, 0.6, -1) {
				out = append(out, q) // so far, so that it meets the street that bars it
				break
			}
			out = append(out, q)
			p, heading = q, v
		}
		return out
	}
	back, ahead := half(-1), half(1)
	points := make([]spot, 0, len(back)+len(ahead)+1)
	for i := len(back) - 1; i >= 0; i-- {
		points = append(points, back[i])
	}
	points = append(append(points, from), ahead...)
	if len(points) < 5 {
		return nil
	}
	g.lines++
	for _, p := range points {
		c := [2]int32{int32(math.Floor(p.x / sampleCell)), int32(math.Floor(p.y / sampleCell))}
		g.samples[family][c] = append(g.samples[family][c], sample{p, g.lines})
	}
	g.m.web.add(
		&line{
			points: thin(points, 0.6),
			class:  "residential",
			width:  6.5,
			town:   g.s,
			tags:   []string{"surface", "asphalt"},
		},
		0,
	)
	return points
}

// crowded tells whether a street of the family lies within a share of the gap.
func (g *streets) crowded(p spot, family int, share float64, but int) bool {
	reach := g.gap(p, family) * share
	crowd := false
	eachCell(p, p, sampleCell, reach, func(c [2]int32) {
		for _, s := range g.samples[family][c] {
			crowd = crowd || s.line != but && distance(s.at, p) < reach
		}
	})
	if crowd {
		return true
	}
	// A road that was there first is a street of the family that runs along it.
	for _, s := range g.guides.near(p.sub(spot{reach, reach}), p.add(spot{reach, reach})) {
		if toLine(p, s.a, s.b) < reach*0.8 {
			v := s.b.sub(s.a)
			if math.Abs(math.Cos(math.Atan2(v.y, v.x)-g.lean(p)-float64(family)*math.Pi/2)) > 0.8 {
				return true
			}
		}
	}
	return false
}

// thin drops points that lie within so many metres of a straight line.
func thin(points []spot, within float64) []spot {
	if len(points) < 3 {
		return points
	}
	out := []spot{points[0]}
	start := 0
	for i := 2; i < len(points); i++ {
		for k := start + 1; k < i; k++ {
			if toLine(points[k], points[start], points[i]) > within {
				out = append(out, points[i-1])
				start = i - 1
				break
			}
		}
	}
	return append(out, points[len(points)-1])
}

// dress gives the streets of a settlement their rank and their names.
func (m *Island) dress(s *settlement) {
	squares, stairs := 0, 0
	for _, l := range m.web.lines {
		if l.town != s {
			continue
		}
		length, steep := 0.0, 0.0
		for i := 1; i < len(l.points); i++ {
			d := distance(l.points[i-1], l.points[i])
			length += d
			steep = max(steep, math.Abs(m.land.heights.at(l.points[i])-m.land.heights.at(l.points[i-1]))/max(d, 8))
		}
		middle := l.points[len(l.points)/2]
		near := distance(middle, s.middle) / s.radius
		switch {
		case s.kind == "town" && length > 900 && near < 0.8 && squares < 5:
			l.class, l.width, squares = "tertiary", 8, squares+1
			l.tags = []string{"surface", "asphalt", "maxspeed", "50"}
		case near < 0.22 && length < 170:
			l.class, l.width = "living_street", 5
			l.tags = []string{"surface", "cobblestone", "maxspeed", "20"}
			if s.kind == "town" && m.rand.Float64() < 0.35 {
				l.class = "pedestrian"
			}
		case steep > 0.085 && length < 170 && near < 0.95 && stairs < 24:
			l.class, l.width, stairs = "steps", 3, stairs+1
			l.tags = []string{"surface", "stone"}
		default:
			l.tags = []string{"surface", "asphalt", "maxspeed", "30"}
		}
		if l.class == "steps" {
			l.name = streetFirst[m.rand.IntN(len(streetFirst))] + " Steps"
		} else if length > 60 {
			l.name = s.namer()
		}
	}
}
