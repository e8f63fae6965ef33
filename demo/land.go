package demo

import (
	"math"
	"slices"
)

// grow covers the land: built-up ground, fields, woods, moors, bare rock, beaches and cliffs.
func (m *Island) grow() {
	land, n := m.land, m.noise
	b := land.broad
	streets := *b
	streets.v = make([]float64, len(b.v))
	for _, l := range m.web.lines {
		if l.town == nil {
			continue
		}
		for i := 1; i < len(l.points); i++ {
			for f := 0.0; f < 1; f += 0.34 {
				streets.v[b.cell(l.points[i-1].to(l.points[i], f))] = 1
			}
		}
	}
	near := b.distances(func(i int) bool { return streets.v[i] > 0 })
	built := *near
	built.v = make([]float64, len(b.v))
	for i, d := range near.v {
		built.v[i] = min(62-d, land.toSea.v[i]-18)
	}
	m.areas(built.blurred(1).rings(0), 9000, "landuse", "residential")

	cover := func(least float64, value func(i int, p spot, h, slope float64) float64, tags ...string) {
		f := *b
		f.v = make([]float64, len(b.v))
		f.fill(func(i int, p spot) float64 {
			if b.v[i] <= 0 {
				return -1
			}
			return clamp(value(i, p, b.v[i], land.slope(p)), -1, 1)
		})
		m.areas(f.blurred(1).rings(0), least, tags...)
	}
	clear := func(i int) float64 { // away from houses, the sea's edge and the lake
		if land.inLake[i] {
			return -1
		}
		return min((near.v[i]-130)/120, (land.toSea.v[i]-40)/60)
	}
	cover(12000, func(i int, p spot, h, slope float64) float64 {
		want := 1.1*(slope-0.2) + 1.15*(n+51).fractal(
			p,
			3100,
			5,
		) + 0.02 - clamp(
			(h-330+200*(n+52).fractal(p, 4000, 2))/210,
			0,
			2,
		)
		return min(want*2.4, clear(i))
	}, "natural", "wood")
	cover(25000, func(i int, p spot, h, slope float64) float64 {
		return min((h-400+150*(n+53).fractal(p, 1900, 4))/60, (830-h)/60)
	}, "natural", "heath")
	cover(6000, func(i int, p spot, h, slope float64) float64 {
		return max((h-740+90*(n+55).fractal(p, 700, 4))/50, (slope-0.72+0.2*(n+56).fractal(p, 500, 3))*5)
	}, "natural", "bare_rock")

	fine := *land.heights
	fine.v = make([]float64, len(land.heights.v))
	fine.fill(func(i int, p spot) float64 {
		h := land.heights.v[i]
		if h <= -1.5 || h >= 6 {
			return -1
		}
		return min(h+0.1, (2.6-h)*0.6, 2.4*((n+57).fractal(p, 2200, 3)-0.05))
	})
	m.areas(fine.rings(0), 2500, "natural", "beach")
	m.layCliffs()
	m.layFields(near)
}

// layCliffs marks where the coast drops: along the outlines, which have the land at their left and so the drop at their
// right.
func (m *Island) layCliffs() {
	for _, c := range m.coasts {
		var run []spot
		flush := func() {
			if len(run) > 4 {
				ids := make([]int64, len(run))
				for i, p := range run {
					ids[i] = m.nodeAt(p)
				}
				m.way(ids, "natural", "cliff")
			}
			run = nil
		}
		for i, p := range c {
			left := c[(i+1)%len(c)].sub(c[(i+len(c)-1)%len(c)]).unit().left()
			if m.land.heights.at(p.add(left.times(45))) > 17 {
				run = append(run, p.add(left.times(7)))
			} else {
				flush()
			}
		}
		flush()
	}
}

// layFields divides the level land near farms and villages: a net of parcels, warped so that their rows follow the
// ground, neighbours sharing their hedges.
func (m *Island) layFields(near *field) {
	const size = 150.0
	land, n := m.land, m.noise
	corner := func(i, k int) spot {
		p := spot{float64(i) * size * 1.25, float64(k) * size}
		turn := 0.9 * (n+71).fractal(p, 5200, 2)
		p = spot{p.x*math.Cos(turn) - p.y*math.Sin(turn)*0.25, p.y*math.Cos(turn*0.4) + p.x*math.Sin(turn)*0.12}
		return p.add(spot{(n + 72).fractal(p, 300, 2), (n + 73).fractal(p, 300, 2)}.times(70))
	}
	tilled := func(p spot) bool {
		i := land.broad.cell(p)
		return land.dry(p, 70) && !land.inLake[i] && land.heights.at(p) < 260 && land.slope(p) < 0.13 &&
			near.at(p) > 75 &&
			m.water.clear(p, 12)
	}
	for k := -120; k <= 120; k++ {
		for i := -140; i <= 140; i++ {
			h := n.lattice(int64(i)*7+1, int64(k)*13+5)
			if n.lattice(int64(i/2), int64(k/2)+99) > 0.45 { // two by two, one of them large
				if i%2 != 0 || k%2 != 0 {
					continue
				}
			}
			span := 1
			if n.lattice(int64(i/2), int64(k/2)+99) > 0.45 {
				span = 2
			}
			ring := []spot{corner(i, k), corner(i+span, k), corner(i+span, k+span), corner(i, k+span)}
			if span == 2 {
				ring = []spot{
					ring[0],
					corner(i+1, k),
					ring[1],
					corner(i+2, k+1),
					ring[2],
					corner(i+1, k+2),
					ring[3],
					corner(i, k+1),
				}
			}
			ok := true
			var mid spot
			for _, p := range ring {
				ok = ok && tilled(p)
				mid = mid.add(p.times(1 / float64(len(ring))))
			}
			if !ok || !tilled(mid) || (n+74).fractal(mid, 2400, 3) < -0.3 || ringArea(ring) < 3000 {
				continue
			}
			tags := []string{"landuse", "farmland"}
			switch {
			case h > 0.35:
				tags = []string{"landuse", "meadow"}
			case h < -0.84:
				tags = []string{"landuse", "orchard"}
			case h < -0.76:
				tags = []string{"landuse", "vineyard"}
			}
			if in := inset(ring, 2.5); in != nil {
				m.area(in, tags...)
			}
		}
	}
}

// farmstead is a farm before it is built.
type farmstead struct {
	name string
	at   spot
	side spot
	of   *settlement
}

// layFarms sets farms along the lanes, each with a drive and a name of its own.
func (m *Island) layFarms() {
	names := m.rand.Perm(len(streetFirst) * len(farmKinds))
	for _, l := range slices.Clone(m.web.lines) {
		if l.class != "unclassified" && l.class != "tertiary" && l.class != "secondary" || l.tunnel {
			continue
		}
		since := 200.0
		for i := 1; i < len(l.points)-1 && len(names) > 0; i++ {
			since += distance(l.points[i-1], l.points[i])
			if since < 300+300*m.rand.Float64() {
				continue
			}
			name := streetFirst[names[0]%len(streetFirst)] + " " + farmKinds[names[0]/len(streetFirst)]
			if m.layFarm(l, i, name) {
				since, names = 0, names[1:]
			}
		}
	}
}

func (m *Island) layFarm(l *line, i int, name string) bool {
	at := l.points[i]
	heading := l.points[i+1].sub(l.points[i-1]).unit()
	side := heading.left().times(math.Copysign(1, m.rand.Float64()-0.5))
	end := at.add(side.times(60 + 190*m.rand.Float64())).add(heading.times(50 * (m.rand.Float64() - 0.5)))
	s := m.nearest(end)
	if !m.land.dry(end, 80) || m.land.slope(end) > 0.16 || distance(end, s.middle) < s.radius*1.2 {
		return false
	}
	if _, _, close := m.web.nearest(end, 45, nil); close {
		return false
	}
	if _, _, wet := m.bridgeAt(at, end); wet {
		return false
	}
	drive := &line{
		points: []spot{at, at.to(end, 0.5).add(heading.times(10)), end},
		class:  "service",
		name:   name,
		width:  3.5,
		tags:   []string{"surface", "gravel"},
	}
	if drive = m.web.add(drive, 2); drive == nil {
		return false
	}
	m.farmsteads = append(m.farmsteads, farmstead{name, end, side, s})
	return true
}

// buildFarms puts up the farms' houses and barns.
func (m *Island) buildFarms() {
	for _, f := range m.farmsteads {
		number := 0
		for k := range 3 + m.rand.IntN(3) {
			b := block{
				f.at.add(polar(float64(k)*1.6+0.5*m.rand.Float64(), 19+4*m.rand.Float64())),
				f.side,
				5 + 5*m.rand.Float64(),
				4 + 2*m.rand.Float64(),
			}
			if !m.stands(b) {
				continue
			}
			if number++; number < 3 {
				m.house(b, append([]string{"building", "farm"}, postAddress(number, f.name, f.of)...)...)
			} else {
				m.house(b, "building", "barn")
			}
		}
		m.area(m.round(f.at.add(f.side.times(30)), 34, 12), "landuse", "farmyard")
	}
}
