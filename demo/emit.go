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
	if (l.class == "primary" || l.class == "secondary") && !slices.Contains(l.tags, "maxspeed") && !slices.Contains(l.tags, "junction") {
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
		if l.town == town && l.class == "residential" && distance(l.points[len(l.points)/2], town.middle) < town.radius*0.5 && m.rand.Float64() < 0.4 {
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

// restrict forbids some turns from the town's main streets.
func (m *Island) restrict() {
	type passing struct {
		way        int64
		main, ends bool
	}
	at := map[int64][]passing{}
	for _, w := range m.ways {
		class := w.tag("highway")
		if class != "secondary" && class != "residential" {
			continue
		}
		for i, ref := range w.refs {
			at[ref] = append(at[ref], passing{w.id, class == "secondary", i == 0 || i == len(w.refs)-1})
		}
	}
	count := 0
	for _, n := range m.nodes { // where a main street goes on as another way, and a side street starts
		var from, side int64
		for _, p := range at[n.id] {
			if p.main && p.ends {
				from = p.way
			} else if !p.main && p.ends {
				side = p.way
			}
		}
		if from != 0 && side != 0 && count < 14 {
			m.relations = append(m.relations, relation{id: m.id(), members: []member{{'w', from, "from"}, {'n', n.id, "via"}, {'w', side, "to"}},
				tags: []string{"type", "restriction", "restriction", []string{"no_left_turn", "no_right_turn"}[count%2]}})
			count++
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
	return []string{"addr:housenumber", fmt.Sprint(number), "addr:street", street, "addr:city", s.name, "addr:postcode", s.postcode}
}
