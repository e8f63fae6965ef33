// Package demo makes up the island that the product is shown with, and the places of the wayfarers' society on it: a
// landscape that rivers have carved, roads that follow it, towns that grew along the roads. The same seed gives the
// same bytes. Nothing on it exists.
package demo

import (
	"math"
	"math/rand/v2"
	"strconv"
)

// Island is a made-up map: elements as the OSM formats have them, and what the demo's places are set by.
type Island struct {
	name      string
	nodes     []element
	ways      []element
	relations []relation

	rand   *rand.Rand
	noise  noise
	offset spot // of this island from the middle, where there are several
	first  int64
	last   int64 // the id given last

	land        *terrain
	coasts      [][]spot
	rivers      []river
	water       *raster
	settlements []*settlement
	web         *web
	travel      *traveller
	later       []*line // pieces of roads that are laid once the road they belong to is
	tunnels     int
	roads       *raster
	built       *blocks
	green       [][]spot // parks and squares, where nothing is built
	webIDs      map[int]int64
	farmsteads  []farmstead
	shops       int
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

type relation struct {
	id      int64
	members []member
	tags    []string
}

type member struct {
	kind byte // n or w
	ref  int64
	role string
}

// settlement is a town or village.
type settlement struct {
	name, postcode string
	kind           string
	middle         spot
	radius         float64
	centres        []quarter
	namer          func() string
	commons        []round
}

// New makes the island of a seed.
func New(seed uint64) *Island { return newIsland(seed, spot{}, 1, 0) }

func newIsland(seed uint64, offset spot, first int64, number int) *Island {
	m := &Island{
		name:   islandNameOf(number),
		rand:   rand.New(rand.NewPCG(seed, 0x5eed)),
		noise:  noise(seed*977 + 11),
		offset: offset,
		first:  first,
		last:   first - 1,
		water:  newRaster(60),
		roads:  newRaster(60),
		built:  newBlocks(),
		web:    newWeb(),
		webIDs: map[int]int64{},
	}
	m.land = raise(m.noise)
	m.layRivers()
	m.layCoast()
	m.settle(number)
	m.travel = newTraveller(m)
	m.layRoads()
	for _, s := range m.settlements {
		m.layStreets(s)
	}
	m.layLanes()
	for _, s := range m.settlements {
		m.layGreens(s)
	}
	m.layFarms()
	m.web.settle()
	m.emitRoads()
	for _, s := range m.settlements {
		m.buildUp(s)
	}
	m.buildFarms()
	m.grow()
	m.divide()
	return m
}

func (m *Island) id() int64 { m.last++; return m.last }

// nodeAt adds a node without tags.
func (m *Island) nodeAt(at spot) int64 { return m.named(at) }

func (m *Island) named(at spot, tags ...string) int64 {
	id := m.id()
	m.nodes = append(m.nodes, element{id: id, at: at, tags: tags})
	return id
}

func (m *Island) way(refs []int64, tags ...string) int64 {
	id := m.id()
	m.ways = append(m.ways, element{id: id, refs: refs, tags: tags})
	return id
}

// chain adds the nodes of a ring; the first stands at its end again.
func (m *Island) chain(ring []spot) []int64 {
	ids := make([]int64, 0, len(ring)+1)
	for _, p := range ring {
		ids = append(ids, m.nodeAt(p))
	}
	return append(ids, ids[0])
}

func (m *Island) area(ring []spot, tags ...string) int64 { return m.way(m.chain(ring), tags...) }

// areas adds the outlines of a cover: simple ones as ways, those with hollows as multipolygons.
func (m *Island) areas(rings [][]spot, least float64, tags ...string) {
	var outer, inner [][]spot
	for _, r := range rings {
		if a := ringArea(r); a > least {
			outer = append(outer, r)
		} else if a < -least/2 {
			inner = append(inner, r)
		}
	}
	holes := make([][][]spot, len(outer))
	for _, h := range inner {
		best, bestArea := -1, math.Inf(1)
		for i, o := range outer {
			if a := ringArea(o); a < bestArea && a > -ringArea(h) && inside(h[0], o) {
				best, bestArea = i, a
			}
		}
		if best >= 0 {
			holes[best] = append(holes[best], h)
		}
	}
	for i, o := range outer {
		if len(holes[i]) == 0 {
			m.area(o, tags...)
			continue
		}
		r := relation{
			tags:    append([]string{"type", "multipolygon"}, tags...),
			members: []member{{'w', m.way(m.chain(o)), "outer"}},
		}
		for _, h := range holes[i] {
			r.members = append(r.members, member{'w', m.way(m.chain(h)), "inner"})
		}
		r.id = m.id()
		m.relations = append(m.relations, r)
	}
}

func formatMetres(v float64) string { return strconv.FormatFloat(math.Round(v), 'f', -1, 64) }
