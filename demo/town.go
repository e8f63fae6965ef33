package demo

import (
	"fmt"
	"math"
)

// build puts squares, parks and houses into a settlement and numbers the houses along each street.
func (m *Island) build(s *settlement) {
	m.quarters(s)
	numbers := map[string][2]int{}
	var shops int
	for _, w := range m.ways {
		name, class := w.tag("name"), w.tag("highway")
		if class != "residential" && class != "secondary" || name == "" || w.tag("bridge") != "" {
			continue
		}
		if distance(m.places[w.refs[0]], s.middle) > s.radius*1.6 || class == "secondary" && name == "Pass Road" {
			continue
		}
		for i := 1; i < len(w.refs); i++ {
			a, b := m.places[w.refs[i-1]], m.places[w.refs[i]]
			heading, length := b.sub(a).unit(), distance(a, b)
			for along := 7.0; along < length-5; {
				width := 8 + 7*m.rand.Float64()
				density := 0.97 - 0.35*distance(a, s.middle)/s.radius
				if distance(a, s.middle) < s.radius*0.4 {
					width += 3
				}
				for side, sign := range []float64{1, -1} {
					depth := 8 + 5*m.rand.Float64()
					p := a.add(heading.times(along + width/2)).add(heading.left().times(sign * (8.5 + depth/2 + 2*m.rand.Float64())))
					taken := m.rand.Float64() > density || !m.roads.clear(p, depth/2+2.5) || !m.built.clear(p, (width+depth)/4) || !m.dry(p, 12)
					for _, r := range s.reserved {
						taken = taken || inside(p, r)
					}
					for k := 1; k < len(m.river) && !taken; k++ {
						taken = toLine(p, m.river[k-1], m.river[k]) < 22
					}
					if taken {
						continue
					}
					n := numbers[name]
					n[side]++
					numbers[name] = n
					tags := []string{"building", "yes", "addr:housenumber", fmt.Sprint(2*n[side] - 1 + side), "addr:street", name, "addr:city", s.name, "addr:postcode", s.postcode}
					if s.kind == "town" && distance(p, s.middle) < 420 && shops < len(shopNames) && m.rand.Float64() < 0.06 {
						tags = append(tags, "name", shopNames[shops].name, shopNames[shops].key, shopNames[shops].value)
						shops++
					}
					m.house(p, heading, width, depth, tags...)
				}
				along += width + 1.5 + 5*m.rand.Float64()
			}
		}
	}
}

func (e *element) tag(key string) string {
	for i := 0; i < len(e.tags); i += 2 {
		if e.tags[i] == key {
			return e.tags[i+1]
		}
	}
	return ""
}

// house draws a building, now and then with a wing.
func (m *Island) house(p, heading spot, width, depth float64, tags ...string) {
	x, y := heading.times(width/2), heading.left().times(depth/2)
	ring := []spot{p.sub(x).sub(y), p.add(x).sub(y), p.add(x).add(y), p.sub(x).add(y)}
	if m.rand.Float64() < 0.25 {
		w, d := x.times(0.1), y.times(1.5)
		ring = []spot{p.sub(x).sub(y), p.add(x).sub(y), p.add(x).add(y), p.add(w).add(y), p.add(w).add(d), p.sub(x).add(d)}
	}
	m.area(ring, tags...)
	m.built.add(p.sub(x), p.add(x), depth/2)
}

// quarters sets blocks aside as the square and parks, and draws the built-up ground.
func (m *Island) quarters(s *settlement) {
	var outline []spot
	for i := range 40 {
		p := s.middle.add(polar(2*math.Pi*float64(i)/40, s.radius))
		k := 1.06 + 0.3*m.bends.fractal(p, 900, 2)
		for !m.dry(s.middle.to(p, k), 25) && k > 0.1 {
			k -= 0.04
		}
		outline = append(outline, s.middle.to(p, k))
	}
	m.area(outline, "landuse", "residential")
	block := func(i, j int) ([]spot, bool) {
		var ring []spot
		for _, k := range [][2]int{{i, j}, {i + 1, j}, {i + 1, j + 1}, {i, j + 1}} {
			if s.nodes[k] == 0 {
				return nil, false
			}
			ring = append(ring, s.spots[k])
		}
		middle := ring[0].to(ring[2], 0.5)
		for k, p := range ring { // leave room for the streets round it
			ring[k] = p.to(middle, math.Min(0.4, 9/distance(p, middle)))
		}
		return ring, true
	}
	set := func(i, j int, tags ...string) {
		if ring, ok := block(i, j); ok {
			m.area(ring, tags...)
			s.reserved = append(s.reserved, ring)
			m.along = append(m.along, ring[0].to(ring[2], 0.5))
		}
	}
	if s.kind != "town" {
		set(0, 0, "leisure", "park", "name", s.name+" Green")
		return
	}
	set(0, 0, "place", "square", "name", "Net Menders' Square")
	for k, at := range [][2]int{{4, -3}, {-5, 2}, {2, 6}, {-3, -7}, {8, 3}, {-9, -2}} {
		name := []string{"Lantern Park", "Heron Gardens", "Founders' Green", "Ropewalk Field", "Larch Grove", "Bowling Green"}[k]
		set(at[0], at[1], "leisure", "park", "name", name)
		set(at[0]+1, at[1], "leisure", "park")
	}
	for _, shift := range []float64{-0.03, 0.03} { // the moles of the harbour
		root := m.shore(-1.35 + shift)
		out := root.unit().times(170)
		m.way([]int64{m.node(root), m.node(root.add(out)), m.node(root.add(out).add(root.unit().left().times(-900 * shift)))}, "man_made", "pier")
	}
}

// grow covers the open country: woods, heath, beaches.
func (m *Island) grow() {
	open := func(p spot, radius float64) bool {
		for _, s := range m.settlements {
			if distance(p, s.middle) < s.radius*1.15+radius {
				return false
			}
		}
		return m.dry(p, radius*0.9) && distance(p, m.lake[0]) > radius
	}
	for range 260 {
		p := spot{(m.rand.Float64() - 0.5) * 40000, (m.rand.Float64() - 0.5) * 26000}
		radius := 220 + 750*m.rand.Float64()*m.rand.Float64()
		if !open(p, radius) {
			continue
		}
		kind, value := "natural", "wood"
		if m.bends.fractal(p, 7000, 2) > 0.15 {
			value = "heath"
		}
		m.area(m.blob(p, radius, 36), kind, value)
	}
	for k := 20; k+22 < len(m.coast); k += 58 {
		if m.bends.at(float64(k), 3) < -0.1 {
			continue
		}
		var ring, inner []spot
		for i := k; i < k+20; i++ {
			ring = append(ring, m.coast[i])
			f := math.Sin(math.Pi * float64(i-k) / 19)
			inner = append(inner, m.coast[i].sub(m.coast[i].unit().times(15+90*f)))
		}
		for i := len(inner) - 2; i > 0; i-- {
			ring = append(ring, inner[i])
		}
		m.area(ring, "natural", "beach")
	}
}
