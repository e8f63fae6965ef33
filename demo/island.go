// Package demo makes up the island that the product is shown with, and the places of the wayfarers' society on it.
// The same seed gives the same bytes. Nothing on it exists.
package demo

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
)

// Island is a made-up map: elements as the OSM formats have them, and where its settlements lie.
type Island struct {
	nodes []element
	ways  []element
	// Settlements are the town and the villages, the town first.
	settlements []*settlement

	rand   *rand.Rand
	bends  noise
	coast  []spot
	river  []spot
	lake   []spot
	roads  *raster
	built  *raster
	places map[int64]spot
	// farms are the names that no farm has yet.
	farms []int
	// along collects spots beside roads and paths, where the society puts its posts.
	along []spot
}

// element is a node or a way.
type element struct {
	id   int64
	at   spot
	refs []int64
	tags []string // key, value, key, value …
}

// settlement is a town or village: a warped net of streets round its middle.
type settlement struct {
	name, postcode string
	kind           string
	middle         spot
	radius, gap    float64
	turn           float64
	nodes          map[[2]int]int64
	spots          map[[2]int]spot
	edges          map[edge]*street
	reserved       [][]spot
	namer          func() string
}

// edge joins two neighbouring crossings of the net, the lesser first.
type edge struct{ a, b [2]int }

type street struct {
	middle int64 // the shape point that bends it
	main   bool
	bridge bool
	oneWay bool
}

// New makes the island of a seed.
func New(seed uint64) *Island {
	m := &Island{rand: rand.New(rand.NewPCG(seed, 0x5eed)), bends: noise(seed*977 + 11), roads: newRaster(60), built: newRaster(60), places: map[int64]spot{}}
	m.layCoast()
	m.layWater()
	m.settle()
	for _, s := range m.settlements {
		m.layNet(s)
	}
	m.layRoads()
	for _, s := range m.settlements {
		m.nameStreets(s)
	}
	m.layTracks()
	for _, s := range m.settlements {
		m.build(s)
	}
	m.grow()
	return m
}

func (m *Island) id() int64 { return int64(len(m.nodes) + len(m.ways) + 1) }

func (m *Island) node(at spot, tags ...string) int64 {
	id := m.id()
	m.nodes = append(m.nodes, element{id: id, at: at, tags: tags})
	m.places[id] = at
	return id
}

func (m *Island) way(refs []int64, tags ...string) {
	m.ways = append(m.ways, element{id: m.id(), refs: refs, tags: tags})
}

func (m *Island) area(ring []spot, tags ...string) {
	refs := make([]int64, 0, len(ring)+1)
	for _, p := range ring {
		refs = append(refs, m.node(p))
	}
	m.way(append(refs, refs[0]), tags...)
}

// travelled adds a road or path and keeps buildings off it.
func (m *Island) travelled(refs []int64, width float64, tags ...string) {
	m.way(refs, tags...)
	for i := 1; i < len(refs); i++ {
		m.roads.add(m.places[refs[i-1]], m.places[refs[i]], width)
	}
}

func (m *Island) layCoast() {
	const steps = 900
	for i := range steps {
		angle := 2 * math.Pi * float64(i) / steps
		p := spot{20000 * math.Cos(angle), 12200 * math.Sin(angle)}
		k := 1 + 0.20*m.bends.fractal(p, 9000, 5) + 0.05*m.bends.fractal(p, 1600, 3)
		for _, bay := range []struct{ angle, width, depth float64 }{{-1.35, 0.10, 0.16}, {0.55, 0.16, 0.14}, {2.5, 0.14, 0.18}, {3.9, 0.08, 0.15}} {
			d := math.Remainder(angle-bay.angle, 2*math.Pi) / bay.width
			k -= bay.depth * math.Exp(-d*d)
		}
		m.coast = append(m.coast, p.times(k))
	}
	refs := make([]int64, 0, steps+1)
	for _, p := range m.coast {
		refs = append(refs, m.node(p))
	}
	refs = append(refs, refs[0])
	for i := 0; i < steps; i += 150 { // in several ways, as surveyed coasts come
		m.way(refs[i:i+151], "natural", "coastline")
	}
	m.node(spot{1500, 2600}, "place", "island", "name", islandName)
}

// shore returns the spot of the coast in a direction from the middle.
func (m *Island) shore(angle float64) spot {
	return slices.MinFunc(m.coast, func(a, b spot) int {
		da, db := math.Abs(math.Remainder(math.Atan2(a.y, a.x)-angle, 2*math.Pi)), math.Abs(math.Remainder(math.Atan2(b.y, b.x)-angle, 2*math.Pi))
		return int(math.Copysign(1, da-db))
	})
}

func (m *Island) dry(p spot, gap float64) bool {
	if !inside(p, m.coast) || inside(p, m.lake) {
		return false
	}
	for i := range m.coast {
		if toLine(p, m.coast[i], m.coast[(i+1)%len(m.coast)]) < gap {
			return false
		}
	}
	return true
}

func (m *Island) blob(middle spot, radius float64, points int) []spot {
	var ring []spot
	for i := range points {
		p := polar(2*math.Pi*float64(i)/float64(points), radius)
		ring = append(ring, middle.add(p.times(1+0.45*m.bends.fractal(middle.add(p), radius*1.3, 3))))
	}
	return ring
}

// layWater lays the lake and the river that leaves it and reaches the sea beside the town.
func (m *Island) layWater() {
	source := spot{1200, -900}
	m.lake = m.blob(source, 900, 48)
	m.area(m.lake, "natural", "water", "name", "Lake Sedge")
	mouth := m.shore(-1.29)
	from := source.add(polar(-1.2, 600))
	const steps = 120
	for i := range steps + 1 {
		f := float64(i) / steps
		p := from.to(mouth, f)
		sway := math.Sin(math.Pi*f) * 900 * m.bends.fractal(p, 2600, 3)
		m.river = append(m.river, p.add(mouth.sub(from).unit().left().times(sway)))
	}
	m.river = append(m.river, mouth.to(from, -0.002))
	var refs []int64
	for _, p := range m.river {
		refs = append(refs, m.node(p))
	}
	m.way(refs, "waterway", "river", "name", "River Orrin")
	for _, angle := range []float64{0.4, 2.2, 3.5, 5.3} { // brooks from the heights to the sea
		start, end := polar(angle, 3800), m.shore(angle+0.2)
		var refs []int64
		for i := range 50 {
			f := float64(i) / 49
			p := start.to(end, f)
			refs = append(refs, m.node(p.add(end.sub(start).unit().left().times(math.Sin(math.Pi*f)*500*m.bends.fractal(p, 1500, 3)))))
		}
		m.way(refs, "waterway", "stream")
	}
}

func (m *Island) crossesRiver(a, b spot) (float64, bool) {
	for i := 1; i < len(m.river); i++ {
		if t, ok := crossing(a, b, m.river[i-1], m.river[i]); ok {
			return t, true
		}
	}
	return 0, false
}

func (m *Island) settle() {
	add := func(name, kind string, angle, share, radius, gap float64) {
		m.settlements = append(m.settlements, &settlement{name: name, kind: kind, postcode: fmt.Sprintf("4%d00", len(m.settlements)+1),
			middle: m.shore(angle).times(share), radius: radius, gap: gap, turn: angle + 0.4,
			nodes: map[[2]int]int64{}, spots: map[[2]int]spot{}, edges: map[edge]*street{}, namer: streetNamer(m.rand)})
	}
	add(townName, "town", -1.35, 0.87, 1350, 96)
	for i, angle := range []float64{-0.35, 0.62, 1.5, 2.45, 3.35, 4.1} {
		add(villageNames[i], "village", angle, 0.86, 340+60*m.rand.Float64(), 84)
	}
}

// layNet lays a settlement's crossings and the streets between them: dense and bent in the old middle, wide and more
// regular farther out.
func (m *Island) layNet(s *settlement) {
	n := int(s.radius/s.gap) * 2
	sin, cos := math.Sincos(s.turn)
	at := func(k [2]int) spot {
		p := spot{float64(k[0]) * s.gap, float64(k[1]) * s.gap}
		p = p.times(0.62 + 0.38*math.Min(1, p.length()/s.radius))
		p = spot{p.x*cos - p.y*sin, p.x*sin + p.y*cos}.add(s.middle)
		bend := s.gap * (1.5 - 1.0*math.Min(1, distance(p, s.middle)/s.radius))
		return p.add(spot{bend * m.bends.fractal(p, 420, 3), bend * m.bends.fractal(p.add(spot{9e4, 0}), 420, 3)})
	}
	for i := -n; i <= n; i++ {
		for j := -n; j <= n; j++ {
			p := at([2]int{i, j})
			if distance(p, s.middle) < s.radius*(1+0.3*m.bends.fractal(p, 900, 2)) && m.dry(p, 45) {
				s.spots[[2]int{i, j}] = p
			}
		}
	}
	degree := map[[2]int]int{}
	var all []edge
	for i := -n; i <= n; i++ {
		for j := -n; j <= n; j++ {
			a := [2]int{i, j}
			for _, b := range [][2]int{{i + 1, j}, {i, j + 1}} {
				_, okA := s.spots[a]
				if _, okB := s.spots[b]; okA && okB {
					all = append(all, edge{a, b})
					degree[a]++
					degree[b]++
				}
			}
		}
	}
	bridges := 0
	for _, e := range all {
		st := &street{}
		if _, wet := m.crossesRiver(s.spots[e.a], s.spots[e.b]); wet {
			if bridges++; bridges%4 != 1 {
				degree[e.a]--
				degree[e.b]--
				continue
			}
			st.bridge = true
		} else if degree[e.a] > 2 && degree[e.b] > 2 && m.rand.Float64() < 0.20 {
			degree[e.a]--
			degree[e.b]--
			continue
		}
		s.edges[e] = st
	}
	s.keepConnected()
	for _, e := range s.sortedEdges() {
		for _, k := range [][2]int{e.a, e.b} {
			if s.nodes[k] == 0 {
				s.nodes[k] = m.node(s.spots[k])
			}
		}
		if st := s.edges[e]; !st.bridge {
			a, b := s.spots[e.a], s.spots[e.b]
			st.middle = m.node(a.to(b, 0.4+0.2*m.rand.Float64()).add(b.sub(a).unit().left().times((m.rand.Float64() - 0.5) * s.gap * 0.12)))
		}
	}
	m.node(s.middle, "place", s.kind, "name", s.name)
}

func (s *settlement) sortedEdges() []edge {
	out := make([]edge, 0, len(s.edges))
	for e := range s.edges {
		out = append(out, e)
	}
	slices.SortFunc(out, func(x, y edge) int {
		return slices.Compare([]int{x.a[0], x.a[1], x.b[0], x.b[1]}, []int{y.a[0], y.a[1], y.b[0], y.b[1]})
	})
	return out
}

func (s *settlement) neighbours() map[[2]int][][2]int {
	near := map[[2]int][][2]int{}
	for _, e := range s.sortedEdges() {
		near[e.a] = append(near[e.a], e.b)
		near[e.b] = append(near[e.b], e.a)
	}
	return near
}

// walk visits the crossings reachable from start in rings and returns from where each was reached.
func (s *settlement) walk(start [2]int) map[[2]int][2]int {
	near, from := s.neighbours(), map[[2]int][2]int{start: start}
	for queue := [][2]int{start}; len(queue) > 0; queue = queue[1:] {
		for _, k := range near[queue[0]] {
			if _, seen := from[k]; !seen {
				from[k] = queue[0]
				queue = append(queue, k)
			}
		}
	}
	return from
}

// keepConnected drops every street that cannot be reached from most of the others.
func (s *settlement) keepConnected() {
	var best map[[2]int][2]int
	done := map[[2]int]bool{}
	for _, e := range s.sortedEdges() {
		if done[e.a] {
			continue
		}
		part := s.walk(e.a)
		for k := range part {
			done[k] = true
		}
		if len(part) > len(best) {
			best = part
		}
	}
	for e := range s.edges {
		if _, ok := best[e.a]; !ok {
			delete(s.edges, e)
		}
	}
}

// gate returns the crossing through which one leaves the settlement towards a spot.
func (s *settlement) gate(towards spot) [2]int {
	var best [2]int
	bestD := math.Inf(1)
	aim := s.middle.add(towards.sub(s.middle).unit().times(s.radius * 1.4))
	for _, e := range s.sortedEdges() {
		for _, k := range [][2]int{e.a, e.b} {
			if d := distance(s.spots[k], aim); d < bestD {
				best, bestD = k, d
			}
		}
	}
	return best
}
