package demo

import (
	"math"
	"slices"
)

// block is a rectangle on the ground: its middle, where its front runs, and half its width and depth.
type block struct {
	at          spot
	along       spot
	half, depth float64
}

func (b block) corners() [4]spot {
	u, v := b.along.times(b.half), b.along.left().times(b.depth)
	return [4]spot{b.at.sub(u).sub(v), b.at.add(u).sub(v), b.at.add(u).add(v), b.at.sub(u).add(v)}
}

// overlaps tells whether two rectangles share ground (by their separating axes).
func (b block) overlaps(o block) bool {
	p, q := b.corners(), o.corners()
	for _, axis := range [4]spot{b.along, b.along.left(), o.along, o.along.left()} {
		low, high, oLow, oHigh := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
		for i := range 4 {
			d, e := p[i].x*axis.x+p[i].y*axis.y, q[i].x*axis.x+q[i].y*axis.y
			low, high, oLow, oHigh = min(low, d), max(high, d), min(oLow, e), max(oHigh, e)
		}
		if high <= oLow+0.05 || oHigh <= low+0.05 {
			return false
		}
	}
	return true
}

// blocks are the rectangles that are built on.
type blocks struct{ cells map[[2]int32][]block }

func newBlocks() *blocks { return &blocks{map[[2]int32][]block{}} }

func (b *blocks) reach(o block) float64 { return math.Hypot(o.half, o.depth) }

func (b *blocks) free(o block) bool {
	ok := true
	eachCell(o.at, o.at, 50, b.reach(o), func(c [2]int32) {
		for _, other := range b.cells[c] {
			ok = ok && !o.overlaps(other)
		}
	})
	return ok
}

func (b *blocks) add(o block) {
	eachCell(o.at, o.at, 50, b.reach(o), func(c [2]int32) { b.cells[c] = append(b.cells[c], o) })
}

// stands tells whether a house may stand there: on dry ground, off the roads and the greens, clear of other houses.
func (m *Island) stands(b block) bool {
	c := b.corners()
	for _, p := range append(c[:], b.at, c[0].to(c[1], 0.5), c[1].to(c[2], 0.5), c[2].to(c[3], 0.5), c[3].to(c[0],
		0.5)) {
		if !m.roads.clear(p, 1.6) || !m.water.clear(p, 3) || !m.land.dry(p, 8) {
			return false
		}
	}
	for _, g := range m.green {
		for _, p := range c {
			if inside(p, g) {
				return false
			}
		}
	}
	return m.land.slope(b.at) < 0.3 && m.built.free(b)
}

// house puts up a building; big ones have wings.
func (m *Island) house(b block, tags ...string) {
	if !slices.Contains(tags, "building") {
		tags = append([]string{"building", "yes"}, tags...)
	}
	m.built.add(b)
	c := b.corners()
	ring := c[:]
	if b.half > 6.5 && b.depth > 4.5 && m.rand.Float64() < 0.4 { // an L
		u, v := b.along.times(b.half), b.along.left().times(b.depth)
		f := 0.1 + 0.5*m.rand.Float64()
		ring = []spot{
			c[0],
			c[1],
			c[2],
			b.at.add(u.times(f)).add(v),
			b.at.add(u.times(f)).add(v.times(0.1)),
			b.at.sub(u).add(v.times(0.1)),
		}
	}
	m.area(ring, tags...)
}

// buildUp gives a settlement its squares and parks, its houses with their numbers, and what is in them.
func (m *Island) buildUp(s *settlement) {
	m.layHarbour(s)
	counts := map[string][2]int{}
	for _, l := range slices.Clone(m.web.lines) {
		main := l.class == "secondary" || l.class == "tertiary" || l.class == "primary"
		if l.name == "" || l.tunnel || l.town != s && !main ||
			!l.carries() && l.class != "pedestrian" && l.class != "steps" ||
			l.class == "ferry" ||
			l.class == "trunk" {
			continue
		}
		for side, sign := range []float64{1, -1} {
			m.frontage(s, l, side, sign, counts)
		}
	}
}

// frontage builds along one side of a street.
func (m *Island) frontage(s *settlement, l *line, side int, sign float64, counts map[string][2]int) {
	ahead := 5.0 // metres along the current stretch at which the next plot begins
	for i := 1; i < len(l.points); i++ {
		a, b := l.points[i-1], l.points[i]
		heading, length := b.sub(a).unit(), distance(a, b)
		for ahead < length-3 {
			p := a.add(heading.times(ahead))
			far := distance(p, s.middle) / s.radius
			if far > 1.25 || l.town != s && (far > 1.05 || m.nearest(p) != s) {
				ahead += 30
				continue
			}
			row := s.kind == "town" && far < 0.3+0.12*(m.noise+97).fractal(p, 500, 2) || far < 0.16
			width, depth := 10+5*m.rand.Float64(), 8+4*m.rand.Float64()
			back, gap := 4+4*m.rand.Float64(), 3+5*m.rand.Float64()
			density := 0.94 - 0.5*clamp(far-0.3, 0, 1)
			if row {
				width, depth, back, gap, density = 7+5*m.rand.Float64(), 10+4*m.rand.Float64(), 1.5, 0.15, 0.985
				if m.rand.Float64() < 0.08 {
					gap = 3
				}
			}
			if s.kind != "town" {
				gap *= 1.5
			}
			if m.rand.Float64() > density {
				ahead += width + gap
				continue
			}
			at := p.add(heading.times(width / 2)).add(heading.left().times(sign * (l.width/2 + 1.7 + back + depth/2)))
			h := block{at, heading, width / 2, depth / 2}
			if !m.stands(h) {
				ahead += 4
				continue
			}
			n := counts[l.name]
			n[side]++
			counts[l.name] = n
			tags := postAddress(2*n[side]-side, l.name, s)
			if near := 0.05 + 0.35*math.Exp(-far*far*18); m.shops < 260 && m.rand.Float64() < near*0.4 {
				if more, ok := m.shop(s); ok {
					tags = append(tags, more...)
				}
			}
			m.house(h, tags...)
			if !row && m.rand.Float64() < 0.34 { // a shed behind
				shed := block{
					h.at.add(heading.left().times(sign * (depth/2 + 6 + 6*m.rand.Float64()))).
						add(heading.times(4 * (m.rand.Float64() - 0.5))),
					heading,
					2.5 + m.rand.Float64(),
					2.2,
				}
				if m.stands(shed) {
					m.house(shed)
				}
			} else if row && m.rand.Float64() < 0.5 { // a back building round the yard
				rear := block{h.at.add(heading.left().times(sign * (depth/2 + 4.2))), heading, width/2 - 1.2, 4}
				if m.stands(rear) {
					m.house(rear)
				}
			}
			ahead += width + gap
		}
		ahead = max(0.5, ahead-length)
	}
}

// shop returns the tags of a named thing that a house holds.
func (m *Island) shop(s *settlement) ([]string, bool) {
	if m.shops < len(publicNames) && s.kind == "town" {
		n := publicNames[m.shops]
		m.shops++
		return []string{"name", n.name, n.key, n.value}, true
	}
	m.shops++
	k := shopKinds[m.rand.IntN(len(shopKinds))]
	return []string{"name", streetFirst[m.rand.IntN(len(streetFirst))] + " " + k.name, k.key, k.value}, true
}

// layGreens turns some blocks between the streets into squares, parks, yards and allotments.
func (m *Island) layGreens(s *settlement) {
	type face struct {
		ring   []spot
		area   float64
		middle spot
	}
	var faces []face
	for _, r := range m.web.faces(s.middle, s.radius*1.3, func(l *line) bool {
		return l.class != "ferry" &&
			!l.tunnel
	}) {
		in := inset(r, 5.5)
		if a := ringArea(in); a > 500 {
			var mid spot
			for _, p := range in {
				mid = mid.add(p.times(1 / float64(len(in))))
			}
			faces = append(faces, face{in, a, mid})
		}
	}
	used := map[int]bool{}
	take := func(kind string, count int, least, most, near, far, apart float64, tags func(k int) []string) {
		var taken []spot
		for range count {
			best, bestScore := -1, math.Inf(1)
			for i, f := range faces {
				d := distance(f.middle, s.middle) / s.radius
				if used[i] || f.area < least || f.area > most || d < near || d > far {
					continue
				}
				score := d + 0.5*m.noise.lattice(int64(i), int64(count))
				for _, o := range taken {
					if distance(o, f.middle) < apart {
						score += 10
					}
				}
				if score < bestScore {
					best, bestScore = i, score
				}
			}
			if best < 0 || bestScore > 9 {
				return
			}
			used[best] = true
			f := faces[best]
			taken = append(taken, f.middle)
			m.green = append(m.green, f.ring)
			m.area(f.ring, tags(len(taken)-1)...)
			m.furnish(kind, f.ring, f.middle)
		}
	}
	pick := func(names []string, tags ...string) func(int) []string {
		return func(k int) []string {
			return append([]string{"name", names[k%len(names)]}, tags...)
		}
	}
	if s.kind == "town" {
		take("square", 1, 900, 6000, 0, 0.12, 0, pick([]string{"Harbour Cross"}, "place", "square"))
		take(
			"square",
			3,
			800,
			5000,
			0.08,
			0.6,
			500,
			pick([]string{"Lantern Square", "Net Loft Square", "Tinker's Green"}, "place", "square"),
		)
		take(
			"park",
			4,
			22000,
			400000,
			0.1,
			1,
			500,
			pick([]string{"Founders' Park", "Heron Gardens", "Larch Common", "Rope Meadow"}, "leisure", "park"),
		)
		take(
			"park",
			3,
			3500,
			20000,
			0.15,
			0.9,
			600,
			pick([]string{"Bowling Green", "Sexton's Garden", "Osier Garden"}, "leisure", "park"),
		)
		take(
			"yard",
			3,
			4000,
			25000,
			0.2,
			0.9,
			800,
			pick([]string{"Petrel School", "Upper School", "Marram School"}, "amenity", "school", "leisure", "garden"),
		)
		take("graves", 1, 6000, 30000, 0.4, 1, 0, pick([]string{"Old Burying Ground"}, "landuse", "cemetery"))
		take("pitch", 2, 6000, 30000, 0.5, 1.1, 900, pick([]string{"North Pitch", "Quay Pitch"}, "leisure", "pitch"))
		take(
			"allotments",
			3,
			5000,
			40000,
			0.6,
			1.2,
			500,
			pick([]string{"Hill Allotments", "Mill Allotments", "Tallow Allotments"}, "landuse", "allotments"),
		)
		take("open", 16, 23000, 400000, 0, 1.3, 0, func(k int) []string { // what was never built on
			return [][]string{{"landuse", "meadow"}, {"natural", "wood"}, {"leisure", "common"}, {"landuse",
				"orchard"}}[k%4]
		})
		return
	}
	take("square", 1, 500, 6000, 0, 0.35, 0, pick([]string{s.name + " Green"}, "place", "square"))
	take("park", 1, 3000, 40000, 0.1, 0.9, 0, pick([]string{s.name + " Common"}, "leisure", "park"))
	take("pitch", 1, 4000, 30000, 0.2, 1.1, 0, pick([]string{s.name + " Pitch"}, "leisure", "pitch"))
}

// furnish puts into a green what one finds there.
func (m *Island) furnish(kind string, ring []spot, middle spot) {
	switch kind {
	case "square":
		m.area(m.round(middle, 3.2, 10), "amenity", "fountain", "natural", "water")
	case "park":
		m.area(m.round(middle.add(spot{12, -9}), 11, 22), "natural", "water")
		wide := math.Sqrt(ringArea(ring))
		for range 10 + int(wide/12) {
			p := middle.add(polar(m.rand.Float64()*7, 20+math.Sqrt(m.rand.Float64())*wide*0.7))
			if inside(p, ring) && inside(p.add(spot{14, 0}), ring) && inside(p.sub(spot{14, 0}), ring) {
				m.area(m.round(p, 5+(6+wide/40)*m.rand.Float64(), 11), "natural", "wood")
			}
		}
		far := ring[0] // a path across
		for _, p := range ring {
			if distance(p, ring[0]) > distance(far, ring[0]) {
				far = p
			}
		}
		l := &line{
			points: []spot{ring[0], ring[0].to(far, 0.3).add(spot{6, 5}), ring[0].to(far, 0.7).sub(spot{5, 6}), far},
			class:  "footway",
			width:  2,
			tags:   []string{"surface", "fine_gravel"},
		}
		m.web.add(l, 14)
	case "yard":
		b := block{middle, ring[1].sub(ring[0]).unit(), 17, 7}
		if m.built.free(b) {
			m.house(b)
		}
	}
}

func (m *Island) round(middle spot, radius float64, points int) []spot {
	var ring []spot
	for i := range points {
		p := polar(2*math.Pi*float64(i)/float64(points), radius)
		ring = append(ring, middle.add(p.times(1+0.2*m.noise.fractal(middle.add(p), radius*1.3, 2))))
	}
	return ring
}

// inset moves a ring's sides inwards; corners that are closer than that are dropped first.
func inset(ring []spot, by float64) []spot {
	var r []spot
	for _, p := range ring {
		if len(r) == 0 || distance(p, r[len(r)-1]) > by*0.7 {
			r = append(r, p)
		}
	}
	if len(r) > 3 && distance(r[0], r[len(r)-1]) < by*0.7 {
		r = r[:len(r)-1]
	}
	if len(r) < 3 {
		return nil
	}
	out := make([]spot, 0, len(r))
	for i, p := range r {
		u, v := p.sub(r[(i+len(r)-1)%len(r)]).unit(), r[(i+1)%len(r)].sub(p).unit()
		n := u.left().add(v.left()).unit()
		c := max(0.45, n.x*u.left().x+n.y*u.left().y)
		q := p.add(n.times(by / c))
		if inside(q, r) {
			out = append(out, q)
		}
	}
	if len(out) < 3 {
		return nil
	}
	return out
}

// layHarbour builds quays and piers into the sea before a settlement.
func (m *Island) layHarbour(s *settlement) {
	q := m.quay(s)
	if distance(q, s.middle) > s.radius*1.2 {
		return
	}
	sea := m.land.toSea.gradient(q, 150).unit().times(-1)
	side := sea.left()
	count := 1
	if s.kind == "town" {
		count = 4
	}
	for k := range count {
		foot := q.add(side.times((float64(k) - float64(count-1)/2) * 95))
		for range 30 { // to the water's edge
			if m.land.heights.at(foot) < 0.2 {
				break
			}
			foot = foot.add(sea.times(6))
		}
		if m.land.heights.at(foot.add(sea.times(40))) > -0.5 {
			continue // no water before it
		}
		length := 70 + 60*m.rand.Float64()
		p := foot.add(sea.times(-14))
		m.area(
			[]spot{
				p.add(side.times(-4)),
				foot.add(sea.times(length)).add(side.times(-4)),
				foot.add(sea.times(length)).add(side.times(4)),
				p.add(side.times(4)),
			},
			"man_made",
			"pier",
		)
	}
	if s.kind != "town" {
		return
	}
	m.layMole(q, sea, side)
	for k := range 7 { // sheds along the water
		b := block{q.add(side.times(-190 + 62*float64(k))).sub(sea.times(26)), side, 15, 7}
		if m.stands(b) {
			m.house(
				b,
				"name",
				[]string{"Customs Shed", "Net Store", "Ice House", "Rope Walk", "Sail Loft", "Boat Hall",
					"Fish Hall"}[k],
				"man_made",
				"works",
			)
		}
	}
}

// layMole builds the wall that shelters the harbour: from the shore at one side of it out into the sea and round.
func (m *Island) layMole(q, sea, side spot) {
	h := m.land.heights
	wet := func(p spot) bool { return h.at(p) < 0 }
	for _, sign := range []float64{1, -1} {
		a := q.add(side.times(sign * 300))
		for k := 0; k < 60 && wet(a); k++ {
			a = a.sub(sea.times(8))
		}
		for k := 0; k < 60 && !wet(a); k++ {
			a = a.add(sea.times(8))
		}
		a = a.sub(sea.times(10))
		var mole []spot
		dry := 0
		for k := range 13 {
			f := float64(k) / 12
			p := a.add(sea.times(280 * math.Sin(f*1.5))).add(side.times(-sign * 300 * f * f))
			if k > 1 && !wet(p) {
				dry++
			}
			mole = append(mole, p)
		}
		if dry > 0 {
			continue
		}
		outer := append(slices.Clone(mole), beside(mole, 9*sign)...)
		slices.Reverse(outer[len(mole):])
		m.area(outer, "man_made", "breakwater", "name", "The Long Mole")
		return
	}
}
