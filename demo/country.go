package demo

import (
	"fmt"
	"math"
)

// layRoads joins the settlements: a ring road near the coast, and three roads that meet at the pass.
func (m *Island) layRoads() {
	n := len(m.settlements)
	gates := map[*settlement][][2]int{}
	join := func(s *settlement, towards spot) (int64, spot) {
		g := s.gate(towards)
		gates[s] = append(gates[s], g)
		return s.nodes[g], s.spots[g]
	}
	for i, s := range m.settlements {
		t := m.settlements[(i+1)%n]
		from, a := join(s, t.middle)
		to, b := join(t, s.middle)
		m.country(from, a, to, b, true, "primary", fmt.Sprintf("%s Road", t.name))
	}
	pass := spot{-1500, 1400}
	passNode := m.node(pass)
	m.node(pass.add(spot{420, 250}), "natural", "peak", "name", "Grey Cairn", "ele", "912")
	m.node(spot{-5200, 2300}, "natural", "peak", "name", "Long Shoulder", "ele", "760")
	m.node(spot{6300, 2200}, "natural", "peak", "name", "Kettle Top", "ele", "688")
	for _, k := range []int{0, 3, 5} {
		s := m.settlements[k]
		from, a := join(s, pass)
		m.country(from, a, passNode, pass, false, "secondary", "Pass Road")
	}
	for _, s := range m.settlements {
		for i := 1; i < len(gates[s]); i++ {
			s.thoroughfare(gates[s][i-1], gates[s][i])
		}
	}
}

// country lays a road over land, round the middle of the island or straight across, with a bridge over the river.
func (m *Island) country(from int64, a spot, to int64, b spot, round bool, class, name string) {
	angleA, angleB := math.Atan2(a.y/12200, a.x/20000), math.Atan2(b.y/12200, b.x/20000)
	turn := math.Remainder(angleB-angleA, 2*math.Pi)
	at := func(f float64) spot {
		p := a.to(b, f)
		if round {
			angle := angleA + turn*f
			p = spot{20000 * math.Cos(angle), 12200 * math.Sin(angle)}
			limit := m.shore(math.Atan2(p.y, p.x)).length() // stay on land
			share := lerp(a.length()/m.shore(math.Atan2(a.y, a.x)).length(), b.length()/m.shore(math.Atan2(b.y, b.x)).length(), f)
			p = p.unit().times(limit * math.Min(0.93, share))
		}
		sway := math.Sin(math.Pi*f) * 620 * m.bends.fractal(p, 2800, 3)
		return p.add(b.sub(a).unit().left().times(sway))
	}
	// Sample finely, then smooth: the coast's jags are not the road's.
	count := int(distance(a, b)*1.25/90) + 2
	line := make([]spot, count+1)
	for i := range line {
		line[i] = at(float64(i) / float64(count))
	}
	line[0], line[count] = a, b
	for range 30 {
		for i := 1; i < count; i++ {
			line[i] = line[i].to(line[i-1].to(line[i+1], 0.5), 0.5)
		}
	}
	refs := []int64{from}
	flush := func(tags ...string) {
		if len(refs) > 1 {
			m.travelled(refs, 5, append([]string{"highway", class, "name", name, "maxspeed", map[string]string{"primary": "80", "secondary": "60"}[class]}, tags...)...)
		}
		refs = []int64{refs[len(refs)-1]}
	}
	for i := 1; i <= count; i++ {
		p, q := line[i-1], line[i]
		if t, wet := m.crossesRiver(p, q); wet {
			length := distance(p, q)
			refs = append(refs, m.node(p.to(q, math.Max(0.02, t-26/length))))
			flush()
			refs = append(refs, m.node(p.to(q, math.Min(0.98, t+26/length))))
			flush("bridge", "yes", "layer", "1")
		}
		if i == count {
			refs = append(refs, to)
		} else {
			refs = append(refs, m.node(q))
			if i%6 == 3 {
				m.along = append(m.along, q.add(q.sub(p).unit().left().times(11)))
			}
			if i%8 == 5 {
				m.farm(refs[len(refs)-1], q, q.sub(p).unit())
			}
		}
	}
	flush()
}

var farmKinds = []string{"Croft", "Garth", "Steading", "Holding", "Fold", "Byre", "Acre"}

// farm lays a lane off the road with a yard at its end.
func (m *Island) farm(road int64, at, heading spot) {
	side := heading.left().times(math.Copysign(1, m.rand.Float64()-0.5))
	depth := 120 + 240*m.rand.Float64()
	end := at.add(side.times(depth)).add(heading.times(60 * (m.rand.Float64() - 0.5)))
	if !m.dry(end, 90) || !m.roads.clear(end, 60) {
		return
	}
	for _, s := range m.settlements {
		if distance(end, s.middle) < s.radius*1.35 {
			return
		}
	}
	if _, wet := m.crossesRiver(at, end); wet {
		return
	}
	if m.farms == nil {
		m.farms = m.rand.Perm(len(streetFirst) * len(farmKinds))
	}
	if len(m.farms) == 0 { // no name is given twice
		return
	}
	name := streetFirst[m.farms[0]%len(streetFirst)] + " " + farmKinds[m.farms[0]/len(streetFirst)]
	m.farms = m.farms[1:]
	nearest := m.settlements[0]
	for _, s := range m.settlements {
		if distance(s.middle, end) < distance(nearest.middle, end) {
			nearest = s
		}
	}
	m.travelled([]int64{road, m.node(at.to(end, 0.5).add(heading.times(12))), m.node(end)}, 3, "highway", "service", "name", name)
	for i := range 2 + m.rand.IntN(3) {
		yard := end.add(polar(float64(i)*1.9+m.rand.Float64(), 22))
		if m.roads.clear(yard, 8) && m.built.clear(yard, 9) {
			m.house(yard, side.left(), 12+8*m.rand.Float64(), 9+4*m.rand.Float64(), "building", "farm",
				"addr:housenumber", fmt.Sprint(i+1), "addr:street", name, "addr:city", nearest.name, "addr:postcode", nearest.postcode)
		}
	}
	for range 3 { // fields round the yard
		m.field(end.add(polar(m.rand.Float64()*2*math.Pi, 180+160*m.rand.Float64())), 90+90*m.rand.Float64(), heading)
	}
}

func (m *Island) field(p spot, size float64, heading spot) {
	if !m.dry(p, size+60) {
		return
	}
	var ring []spot
	for _, c := range [][2]float64{{-1, -0.7}, {1, -0.8}, {0.9, 0.8}, {-0.95, 0.7}} {
		ring = append(ring, p.add(heading.times(c[0]*size*(0.85+0.3*m.rand.Float64()))).add(heading.left().times(c[1]*size*(0.85+0.3*m.rand.Float64()))))
	}
	m.area(ring, "landuse", "farmland")
}

// layTracks lets tracks and paths wander from the settlements' edges into the country until they near another road.
func (m *Island) layTracks() {
	for _, s := range m.settlements {
		for i := range 7 {
			angle := 2*math.Pi*float64(i)/7 + s.turn
			gate := s.gate(s.middle.add(polar(angle, 5000)))
			refs, p := []int64{s.nodes[gate]}, s.spots[gate]
			heading := p.sub(s.middle).unit()
			kind := []string{"track", "path", "cycleway", "footway"}[i%4]
			for step := range 18 + m.rand.IntN(30) {
				bend := 0.5 * m.bends.fractal(p.add(spot{float64(i) * 5e4, 0}), 700, 2)
				sin, cos := math.Sincos(bend)
				heading = spot{heading.x*cos - heading.y*sin, heading.x*sin + heading.y*cos}
				next := p.add(heading.times(75))
				if _, wet := m.crossesRiver(p, next); wet || !m.dry(next, 30) || step > 1 && !m.roads.clear(next, 45) {
					break
				}
				p = next
				refs = append(refs, m.node(p))
				if step%7 == 5 {
					m.along = append(m.along, p.add(heading.left().times(6)))
				}
			}
			if len(refs) > 4 {
				m.travelled(refs, 2, "highway", kind)
			}
		}
	}
}
