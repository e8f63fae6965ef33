package demo

import (
	"cmp"
	"fmt"
	"math"
	"slices"
)

// settle finds where people would live: the town at a sheltered river mouth with level ground, villages where that is
// next best and far enough from each other, one of them by the lake.
func (m *Island) settle(number int) {
	type site struct {
		at    spot
		score float64
	}
	land := m.land
	judge := func(radius float64) []site {
		var out []site
		for y := float64(south + 1500); y < north-1500; y += 300 {
			for x := float64(west + 1500); x < east-1500; x += 300 {
				p := spot{x, y}
				h, sea := land.heights.at(p), land.toSea.at(p)
				if h < 2 || h > 75 || sea < radius*0.22+60 || sea > radius*0.6+250 || land.inLake[land.broad.cell(p)] {
					continue
				}
				level, wet := 0.0, 0.0
				const rays = 16
				for k := range rays {
					dir := polar(2*math.Pi*float64(k)/rays, 1)
					for _, r := range []float64{0.25, 0.5, 0.75, 1} {
						q := p.add(dir.times(radius * r))
						if land.dry(q, 0) && land.slope(q) < 0.10 {
							level += 1.0 / (4 * rays)
						}
					}
					for _, r := range []float64{1200, 2400, 3600} {
						if land.heights.at(p.add(dir.times(r))) <= 0 {
							wet += 1.0 / (3 * rays)
						}
					}
				}
				score := 2.2*level - 2*math.Abs(wet-0.38)
				if !m.riversClear(p, radius*0.5) {
					score += 0.35
				}
				out = append(out, site{p, score})
			}
		}
		slices.SortStableFunc(out, func(a, b site) int { return cmp.Compare(b.score, a.score) })
		return out
	}
	add := func(name, kind string, at spot, radius float64) {
		m.settlements = append(
			m.settlements,
			&settlement{name: name, kind: kind, postcode: fmt.Sprint(4000 + 1000*number + 100*(len(m.settlements)+1)),
				middle: at, radius: radius, namer: streetNamer(m.rand)},
		)
	}
	names := settlementNames(number)
	town := judge(1500)
	add(names[0], "town", town[0].at, 2250)
	free := func(p spot, gap float64) bool {
		for _, s := range m.settlements {
			if distance(s.middle, p) < gap {
				return false
			}
		}
		return true
	}
	villages := judge(420)
	if len(land.lake) > 0 { // the village by the lake: level ground near its shore
		best, bestScore := spot{}, math.Inf(-1)
		for _, shore := range land.lake[0] {
			for k := range 8 {
				p := shore.add(polar(float64(k)*math.Pi/4, 420))
				if land.dry(p, 500) && land.heights.at(p) > land.lakeAt+2 && free(p, 4500) {
					if score := -land.slope(p) - land.slope(p.add(spot{250, 0})) - land.slope(p.add(spot{0,
						250})) - land.slope(p.sub(spot{250, 250})); score > bestScore {
						best, bestScore = p, score
					}
				}
			}
		}
		if !math.IsInf(bestScore, 0) {
			add(names[1], "village", best, 480)
		}
	}
	for gap := 9500.0; len(m.settlements) < 7 && gap > 3000; gap -= 1500 {
		for _, v := range villages {
			if len(m.settlements) < 7 && free(v.at, gap) {
				add(names[len(m.settlements)], "village", v.at, 520+160*m.rand.Float64())
			}
		}
	}
	for _, s := range m.settlements {
		m.named(s.middle, append([]string{"place", s.kind, "name", s.name, "population",
			fmt.Sprint(int(s.radius * s.radius / 170))}, otherNames[s.name]...)...)
	}
}

// riversClear tells whether no river, as opposed to a stream, lies within gap of p.
func (m *Island) riversClear(p spot, gap float64) bool {
	for _, r := range m.rivers {
		if !r.big {
			continue
		}
		for _, q := range r.points {
			if distance(p, q) < gap {
				return false
			}
		}
	}
	return true
}

func (m *Island) nearest(p spot) *settlement {
	return slices.MinFunc(m.settlements, func(a, b *settlement) int {
		return cmp.Compare(distance(a.middle, p)-a.radius, distance(b.middle, p)-b.radius)
	})
}

// layRoads lays what leads from settlement to settlement: a road round the island with a dual carriageway past the
// town, roads over the ridge, roads along the coast, and the ferry.
func (m *Island) layRoads() {
	town := m.settlements[0]
	inland := m.land.toSea.gradient(town.middle, 400).unit()
	gate := town.middle.add(inland.times(town.radius * 0.62))
	for k := range 40 { // the nearest level place to there
		p := gate.add(polar(float64(k)*2.4, 25*float64(k)))
		if m.land.dry(p, 200) && m.land.slope(p) < 0.08 {
			gate = p
			break
		}
	}
	around := slices.Clone(m.settlements)
	slices.SortFunc(around, func(a, b *settlement) int {
		return cmp.Compare(math.Atan2(a.middle.y+1500, a.middle.x), math.Atan2(b.middle.y+1500, b.middle.x))
	})
	at := func(s *settlement) spot {
		if s == town {
			return gate
		}
		return s.middle
	}
	ring := manner{ease: 0.055, shore: 90, bridge: 260, follow: 0.5}
	k := slices.Index(around, town)
	next := around[(k+1)%len(around)]
	road := line{class: "primary", name: "Island Road", width: 9, tags: []string{"ref", "O 1", "surface", "asphalt"}}
	m.roundabout(gate, 24)
	start := gate
	if cells := m.travel.find(gate, next.middle, ring); len(cells) > 80 { // past the town on two carriageways
		const cut = 52
		var points []spot
		for _, c := range cells[:cut] {
			points = append(points, m.land.broad.spot(c))
			m.travel.roads[c] = true
		}
		points[0] = gate
		start = points[cut-1]
		m.roundabout(start, 24)
		for _, side := range []float64{1, -1} {
			lane := line{
				class: "trunk",
				name:  "Orrin Parkway",
				width: 8,
				tags:  []string{"ref", "O 1", "oneway", "yes", "lanes", "2", "maxspeed", "90", "surface", "asphalt"},
			}
			lane.points = beside(ease(points), 9*side)
			if side > 0 { // one keeps to the right
				slices.Reverse(lane.points)
			}
			m.web.add(&lane, 12)
		}
	}
	for i := range around {
		a, b := around[(k+i)%len(around)], around[(k+i+1)%len(around)]
		from := at(a)
		if i == 0 {
			from = start
		}
		m.travel.lay(from, at(b), ring, road)
	}
	m.travel.lay(
		gate,
		town.middle,
		manner{ease: 0.06, shore: 60, bridge: 150, follow: 0.9},
		line{class: "secondary", name: "Great Harbour Street", width: 9, tags: []string{"surface", "asphalt"}},
	)
	m.travel.lay(
		town.middle,
		m.quay(town),
		manner{ease: 0.06, shore: 0, bridge: 150, follow: 0.9},
		line{class: "secondary", name: "Great Harbour Street", width: 9, tags: []string{"surface", "asphalt"}},
	)
	over := manner{ease: 0.095, shore: 60, bridge: 120, follow: 0.9}
	for i, name := range []string{"Pass Road", "Sedge Road", "High Moor Road"} {
		a := around[(k+i)%len(around)]
		b := around[(k+i+3+i%2)%len(around)]
		m.travel.lay(
			at(a),
			at(b),
			over,
			line{class: "secondary", name: name, width: 7.5, tags: []string{"surface", "asphalt", "maxspeed", "60"}},
		)
		m.addLater()
	}
	coast := manner{ease: 0.07, shore: 45, bridge: 200, follow: 0.8, seaside: true}
	for i, name := range []string{"Shore Road", "Cliff Road", "Bay Road", "Strand Road"} {
		a, b := around[(k+2*i)%len(around)], around[(k+2*i+1)%len(around)]
		m.travel.lay(
			a.middle,
			b.middle,
			coast,
			line{class: "tertiary", name: name, width: 7, tags: []string{"surface", "asphalt", "maxspeed", "50"}},
		)
	}
	m.layFerry()
	m.web.settle()
}

func (m *Island) addLater() {
	for _, l := range m.later {
		m.web.add(l, 30)
	}
	m.later = nil
}

// roundabout lays a ring that all roads of a crossing will meet.
func (m *Island) roundabout(at spot, radius float64) {
	l := line{
		class: "primary",
		width: 9,
		tags:  []string{"junction", "roundabout", "oneway", "yes", "surface", "asphalt"},
	}
	for k := range 21 {
		l.points = append(l.points, at.add(polar(float64(k%20)*math.Pi/10, radius)))
	}
	m.web.rounds = append(m.web.rounds, round{at, radius})
	m.web.add(&l, 0)
}

// beside returns a line moved to its left by so many metres.
func beside(points []spot, by float64) []spot {
	out := make([]spot, len(points))
	for i, p := range points {
		ahead, behind := points[min(i+1, len(points)-1)], points[max(i-1, 0)]
		out[i] = p.add(ahead.sub(behind).unit().left().times(by))
	}
	return out
}

// quay returns the spot at the water's edge nearest to a settlement's middle.
func (m *Island) quay(s *settlement) spot {
	best, bestD := s.middle, math.Inf(1)
	for _, c := range m.coasts {
		for _, p := range c {
			if d := distance(p, s.middle); d < bestD {
				best, bestD = p, d
			}
		}
	}
	return best.to(s.middle, min(0.2, 12/max(1, bestD)))
}

// layFerry joins two settlements over the water, where the way across is short for how far apart they are.
func (m *Island) layFerry() {
	quays := make([]spot, len(m.settlements))
	for i, s := range m.settlements {
		quays[i] = m.quay(s)
	}
	var over []int
	var from, to int
	best := math.Inf(1)
	for i, a := range quays {
		for k, b := range quays[:i] {
			d := distance(a, b)
			inland := max(distance(a, m.settlements[i].middle), distance(b, m.settlements[k].middle))
			if d < 2500 || d > 16000 || inland > 4500 {
				continue
			}
			cells := m.travel.find(a, b, manner{ease: 1, follow: 1, afloat: true})
			if len(cells) == 0 {
				continue
			}
			if score := 3*float64(len(cells))*m.land.broad.step/d + inland/2500; score < best {
				best, over, from, to = score, cells, i, k
			}
		}
	}
	if over == nil {
		return
	}
	points := []spot{quays[from]}
	for i := 6; i+6 < len(over); i += 6 {
		points = append(points, m.land.broad.spot(over[i]))
	}
	points = append(points, quays[to])
	for range 3 {
		for i := 1; i < len(points)-1; i++ {
			points[i] = points[i].to(points[i-1].to(points[i+1], 0.5), 0.5)
		}
	}
	for _, k := range []int{from, to} {
		m.travel.lay(
			quays[k],
			anyRoad,
			manner{ease: 0.08, shore: 0, bridge: 150},
			line{class: "tertiary", name: "Ferry Quay", width: 7, tags: []string{"surface", "cobblestone"}},
		)
	}
	m.web.add(
		&line{
			points: points,
			class:  "ferry",
			name:   m.settlements[from].name + " – " + m.settlements[to].name + " ferry",
			tags:   []string{"route", "ferry", "motor_vehicle", "yes", "duration", "00:35"},
		},
		60,
	)
}

// layLanes lays what leads out of the settlements and up into the hills.
func (m *Island) layLanes() {
	lane := manner{ease: 0.08, shore: 50, bridge: 160}
	land := m.land
	pick := func(ok func(p spot) bool) (spot, bool) {
		for range 300 {
			p := spot{lerp(west, east, m.rand.Float64()), lerp(south, north, m.rand.Float64())}
			if land.dry(p, 130) && ok(p) {
				return p, true
			}
		}
		return spot{}, false
	}
	names := m.rand.Perm(len(streetFirst))
	for i := range 58 {
		p, ok := pick(func(p spot) bool {
			s := m.nearest(p)
			d := distance(s.middle, p)
			_, _, close := m.web.nearest(p, 420, nil)
			return land.heights.at(p) < 330 && land.slope(p) < 0.13 && d > s.radius*1.2 && d < 7500 && !close
		})
		if !ok {
			continue
		}
		class, width := "unclassified", 5.5
		if i%3 == 2 {
			class, width = "track", 3
		}
		l := line{class: class, width: width, tags: []string{"surface", "gravel"}}
		if class == "unclassified" {
			l.name = streetFirst[names[i%len(names)]] + " Lane"
			l.tags = []string{"surface", "asphalt"}
			if i >= len(names) {
				l.name = streetFirst[names[i%len(names)]] + " Drove"
			}
		}
		m.travel.lay(p, anyRoad, lane, l)
	}
	for range 26 { // tracks up to the moors
		p, ok := pick(func(p spot) bool {
			_, _, close := m.web.nearest(p, 500, nil)
			return land.heights.at(p) > 280 && land.heights.at(p) < 620 && land.slope(p) < 0.3 && !close
		})
		if ok {
			m.travel.lay(
				p,
				anyRoad,
				manner{ease: 0.11, shore: 50, bridge: 120},
				line{class: "track", width: 3, tags: []string{"surface", "gravel", "tracktype", "grade3"}},
			)
		}
	}
	path := manner{ease: 0.2, shore: 30, bridge: 120, follow: 0.6}
	tops := slices.Clone(land.peaks)
	slices.SortFunc(tops, func(a, b spot) int { return cmp.Compare(a.x, b.x) })
	for i, p := range tops {
		if i > 0 && distance(tops[i-1], p) < 6000 {
			m.travel.lay(
				tops[i-1],
				p,
				manner{ease: 0.24, shore: 30, bridge: 120, follow: 0.7, heights: true},
				line{class: "path", name: "Ridgeway", width: 1.5, tags: []string{"surface", "ground"}},
			)
		}
		if i%2 == 0 {
			m.travel.lay(
				m.nearest(p).middle,
				p,
				path,
				line{class: "path", width: 1.5, tags: []string{"surface", "ground"}},
			)
		}
	}
	town := m.settlements[0]
	for i, s := range m.settlements[1:] {
		if i < 4 {
			m.travel.lay(
				town.middle,
				s.middle,
				manner{ease: 0.035, shore: 70, bridge: 140, follow: 0.75},
				line{
					class: "cycleway",
					width: 3,
					name:  s.name + " Greenway",
					tags:  []string{"surface", "compacted", "foot", "yes"},
				},
			)
		}
		for _, o := range m.settlements[1:] {
			if o != s && distance(s.middle, o.middle) < 13000 && s.middle.x < o.middle.x {
				m.travel.lay(
					s.middle,
					o.middle,
					manner{ease: 0.2, shore: 25, bridge: 150, follow: 1, seaside: true},
					line{class: "path", name: "Coast Path", width: 1.5, tags: []string{"surface", "ground"}},
				)
			}
		}
	}
	m.web.settle()
	m.web.keepJoined(func(l *line) bool { return l.carries() })
	m.web.keepJoined(func(l *line) bool { return true })
}

// carries tells whether cars may use the line.
func (l *line) carries() bool {
	switch l.class {
	case "trunk",
		"primary",
		"secondary",
		"tertiary",
		"unclassified",
		"residential",
		"living_street",
		"service",
		"ferry":
		return true
	}
	return false
}
