package demo

import (
	"fmt"
	"slices"
)

// webNode returns the element of a node of the web.
func (m *Island) webNode(n int) int64 {
	id, ok := m.webIDs[n]
	if !ok {
		id = m.nodeAt(m.web.nodes[n])
		m.webIDs[n] = id
	}
	return id
}

// emitRoads turns the web into ways: cut where they pass over water or under the hill, some of them one-way.
func (m *Island) emitRoads() {
	m.makeOneWay()
	for _, l := range m.web.lines {
		m.emitLine(l)
	}
	m.restrict()
	m.layStops()
	m.bar()
}

// travelTags are the tags of a line's ways.
func (l *line) travelTags() []string {
	if l.class == "ferry" {
		return append([]string{"name", l.name}, l.tags...)
	}
	tags := []string{"highway", l.class}
	if l.name != "" {
		tags = append(tags, "name", l.name)
	}
	tags = append(tags, l.tags...)
	if (l.class == "primary" || l.class == "secondary") && !slices.Contains(l.tags, "maxspeed") &&
		!slices.Contains(l.tags, "junction") {
		tags = append(tags, "maxspeed", map[string]string{"primary": "80", "secondary": "60"}[l.class])
	}
	return tags
}

func (m *Island) emitLine(l *line) {
	tags := l.travelTags()
	ids := make([]int64, len(l.points))
	for i, n := range l.nodes {
		if n >= 0 {
			ids[i] = m.webNode(n)
		} else {
			ids[i] = m.nodeAt(l.points[i])
		}
	}
	if l.tunnel {
		m.way(ids, append(slices.Clone(tags), "tunnel", "yes", "layer", "-1")...)
		return
	}
	refs := []int64{ids[0]}
	flush := func(more ...string) {
		if len(refs) > 1 {
			m.way(slices.Clone(refs), append(slices.Clone(tags), more...)...)
		}
		refs = refs[len(refs)-1:]
	}
	beaten := l.class == "path" || l.class == "track" || l.class == "footway"
	for i := 1; i < len(l.points); i++ {
		a, b := l.points[i-1], l.points[i]
		m.roads.add(a, b, l.width/2)
		if i%9 == 4 && l.class != "ferry" {
			m.along = append(m.along, a.to(b, 0.5).add(b.sub(a).unit().left().times(l.width/2+4)))
		}
		share, big, wet := m.bridgeAt(a, b)
		if !wet || l.class == "ferry" || beaten && !big {
			refs = append(refs, ids[i])
			continue
		}
		half, length := 9.0, distance(a, b)
		if big {
			half = 20
		}
		if from := share*length - half; from > 3 {
			refs = append(refs, m.nodeAt(a.to(b, from/length)))
		}
		flush()
		if to := share*length + half; to < length-3 {
			refs = append(refs, m.nodeAt(a.to(b, to/length)))
			flush("bridge", "yes", "layer", "1")
			refs = append(refs, ids[i])
		} else {
			refs = append(refs, ids[i])
			flush("bridge", "yes", "layer", "1")
		}
	}
	flush()
}

// makeOneWay lets traffic on some streets of the town's core run one way, as long as one can get from everywhere to
// everywhere.
func (m *Island) makeOneWay() {
	town := m.settlements[0]
	var chosen []*line
	for _, l := range m.web.lines {
		through := l.nodes[0] >= 0 && l.nodes[len(l.nodes)-1] >= 0
		if through && l.town == town && l.class == "residential" &&
			distance(l.points[len(l.points)/2], town.middle) < town.radius*0.5 &&
			m.rand.Float64() < 0.4 {
			chosen = append(chosen, l)
			l.tags = append(l.tags, "oneway", "yes")
		}
	}
	for range 20 {
		there, back := m.reached(false), m.reached(true)
		bad := 0
		for _, l := range chosen {
			if !slices.Contains(l.tags, "oneway") {
				continue
			}
			for _, n := range l.nodes {
				if n >= 0 && (!there[n] || !back[n]) {
					l.tags = l.tags[:len(l.tags)-2]
					bad++
					break
				}
			}
		}
		if bad == 0 {
			break
		}
	}
}

// reached tells which nodes cars can get to from the first roundabout, or from which they can get there.
func (m *Island) reached(backwards bool) []bool {
	next := make([][]int, len(m.web.nodes))
	start := -1
	for _, l := range m.web.lines {
		if !l.carries() {
			continue
		}
		oneWay, last := slices.Contains(l.tags, "oneway"), -1
		for _, n := range l.nodes {
			if n < 0 {
				continue
			}
			if start < 0 && slices.Contains(l.tags, "roundabout") {
				start = n
			}
			if last >= 0 {
				if !oneWay || !backwards {
					next[last] = append(next[last], n)
				}
				if !oneWay || backwards {
					next[n] = append(next[n], last)
				}
			}
			last = n
		}
	}
	seen := make([]bool, len(m.web.nodes))
	for stack := []int{max(0, start)}; len(stack) > 0; {
		n := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if !seen[n] {
			seen[n] = true
			stack = append(stack, next[n]...)
		}
	}
	return seen
}

// restrict forbids turning off the town's main streets into some side streets. The main street is cut there, as the
// members of a restriction meet at its node.
func (m *Island) restrict() {
	sides := map[int64]int{} // the side street that begins or ends at a node
	for i, w := range m.ways {
		if class := w.tag("highway"); class == "residential" || class == "living_street" {
			sides[w.refs[0]], sides[w.refs[len(w.refs)-1]] = i+1, i+1
		}
	}
	at := map[int64]spot{}
	for _, n := range m.nodes {
		at[n.id] = n.at
	}
	count, main := 0, len(m.ways)
	for i := 0; i < main && count < 24; i++ {
		w := &m.ways[i]
		if class := w.tag("highway"); class != "secondary" && class != "tertiary" || len(w.refs) < 5 {
			continue
		}
		for k := 2; k < len(w.refs)-2; k++ {
			via := w.refs[k]
			if sides[via] == 0 {
				continue
			}
			side := m.ways[sides[via]-1]
			next := side.refs[1]
			if side.refs[0] != via {
				next = side.refs[len(side.refs)-2]
			}
			came, goes := at[via].sub(at[w.refs[k-1]]), at[next].sub(at[via])
			turn := "no_right_turn"
			if came.x*goes.y-came.y*goes.x > 0 {
				turn = "no_left_turn"
			}
			m.way(slices.Clone(w.refs[k:]), w.tags...)
			w = &m.ways[i]
			w.refs = w.refs[:k+1]
			m.relations = append(
				m.relations,
				relation{id: m.id(), members: []member{{'w', w.id, "from"}, {'n', via, "via"}, {'w', side.id, "to"}},
					tags: []string{"type", "restriction", "restriction", turn}},
			)
			count++
			break
		}
	}
}

// layStops sets bus stops along the main roads through the settlements.
func (m *Island) layStops() {
	named := map[string]int{}
	for _, l := range m.web.lines {
		if l.class != "primary" && l.class != "secondary" && l.class != "tertiary" || l.tunnel || l.name == "" {
			continue
		}
		since := 260.0
		for i := 1; i < len(l.points); i++ {
			a, b := l.points[i-1], l.points[i]
			if since += distance(a, b); since < 520 {
				continue
			}
			s := m.nearest(b)
			if distance(b, s.middle) > s.radius*1.2 {
				continue
			}
			since = 0
			name := l.name
			if named[name]++; named[name] > 1 {
				name = fmt.Sprintf("%s %d", name, named[name])
			}
			m.named(
				b.add(b.sub(a).unit().left().times(-l.width/2-1.5)),
				"highway",
				"bus_stop",
				"public_transport",
				"platform",
				"name",
				name,
			)
		}
	}
}

// bar sets gates on tracks where they leave the road.
func (m *Island) bar() {
	gates := 0
	for i := range m.ways {
		w := &m.ways[i]
		if w.tag("highway") == "track" && len(w.refs) > 3 && w.refs[1]%3 == 0 {
			for k := range m.nodes {
				if n := &m.nodes[k]; n.id == w.refs[1] && n.tags == nil {
					n.tags = []string{"barrier", "gate"}
					gates++
				}
			}
			if gates > 25 {
				break
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

func postAddress(number int, street string, s *settlement) []string {
	return []string{
		"addr:housenumber",
		fmt.Sprint(number),
		"addr:street",
		street,
		"addr:city",
		s.name,
		"addr:postcode",
		s.postcode,
	}
}
