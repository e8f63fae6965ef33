package demo

import "slices"

// thoroughfare makes the way between two crossings a main street: short, and straight where it can be.
func (s *settlement) thoroughfare(from, to [2]int) {
	type state struct{ at, before [2]int }
	const turn = 1.6 // a corner is worth as much as so many blocks
	near := s.neighbours()
	cost, back := map[state]float64{{from, from}: 0}, map[state]state{}
	var end *state
	for open := []state{{from, from}}; len(open) > 0; {
		best := 0
		for i, o := range open {
			if cost[o] < cost[open[best]] {
				best = i
			}
		}
		cur := open[best]
		open = append(open[:best], open[best+1:]...)
		if cur.at == to {
			end = &cur
			break
		}
		for _, k := range near[cur.at] {
			c := cost[cur] + 1
			if cur.before != cur.at && (k[0]-cur.at[0] != cur.at[0]-cur.before[0] || k[1]-cur.at[1] != cur.at[1]-cur.before[1]) {
				c += turn
			}
			next := state{k, cur.at}
			if old, seen := cost[next]; !seen || c < old {
				cost[next], back[next] = c, cur
				if !seen {
					open = append(open, next)
				}
			}
		}
	}
	for end != nil && end.at != from {
		before := back[*end]
		e := edge{before.at, end.at}
		if s.edges[e] == nil {
			e = edge{end.at, before.at}
		}
		s.edges[e].main = true
		end = &before
	}
}

// makeOneWay makes a run of streets one-way, unless that would cut the rest of the net, which can be driven both ways,
// apart: then one could get in somewhere and not out again.
func (s *settlement) makeOneWay(run []edge) bool {
	for _, e := range run {
		s.edges[e].oneWay = true
	}
	near := map[[2]int][][2]int{}
	for _, e := range s.sortedEdges() {
		if !s.edges[e].oneWay {
			near[e.a] = append(near[e.a], e.b)
			near[e.b] = append(near[e.b], e.a)
		}
	}
	seen, stack := map[[2]int]bool{}, [][2]int{}
	for k := range near {
		stack = append(stack, k)
		break
	}
	for len(stack) > 0 {
		k := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if !seen[k] {
			seen[k] = true
			stack = append(stack, near[k]...)
		}
	}
	if len(seen) == len(near) && near[run[0].a] != nil && near[run[len(run)-1].b] != nil {
		return true
	}
	for _, e := range run {
		s.edges[e].oneWay = false
	}
	return false
}

// nameStreets turns the net into ways: main streets under one name, the rest in runs along a row or a column.
func (m *Island) nameStreets(s *settlement) {
	class := "residential"
	emit := func(run []edge, name, class string, oneWay bool) {
		refs := []int64{s.nodes[run[0].a]}
		flush := func(tags ...string) {
			if len(refs) > 1 {
				tags = append([]string{"highway", class, "name", name}, tags...)
				if oneWay {
					tags = append(tags, "oneway", "yes")
				}
				m.travelled(refs, 4, tags...)
			}
			refs = refs[len(refs)-1:]
		}
		for _, e := range run {
			if s.edges[e].bridge {
				flush()
				refs = append(slices.Clone(refs), s.nodes[e.b])
				flush("bridge", "yes", "layer", "1")
				refs = slices.Clone(refs)
				continue
			}
			refs = append(refs, s.edges[e].middle, s.nodes[e.b])
			if m.rand.Float64() < 0.045 { // a corner where the society has a post
				a, b := s.spots[e.a], s.spots[e.b]
				m.along = append(m.along, b.add(b.sub(a).unit().left().times(9)))
			}
		}
		flush()
	}
	mainName := "High Street"
	if s.kind == "town" {
		mainName = "Great Harbour Street"
	}
	for axis := range 2 {
		lines := map[int][]edge{}
		for _, e := range s.sortedEdges() {
			if e.b[axis] > e.a[axis] {
				lines[e.a[1-axis]] = append(lines[e.a[1-axis]], e)
			}
		}
		keys := make([]int, 0, len(lines))
		for k := range lines {
			keys = append(keys, k)
		}
		slices.Sort(keys)
		for _, k := range keys {
			line := lines[k]
			slices.SortFunc(line, func(x, y edge) int { return x.a[axis] - y.a[axis] })
			var run []edge
			end := func() {
				if len(run) == 0 {
					return
				}
				if s.edges[run[0]].main {
					emit(run, mainName, "secondary", false)
				} else {
					emit(run, s.namer(), class, s.kind == "town" && m.rand.Float64() < 0.3 && s.makeOneWay(run))
				}
				run = nil
			}
			most := 5 + m.rand.IntN(6)
			for _, e := range line {
				if len(run) > 0 && (run[len(run)-1].b != e.a || s.edges[e].main != s.edges[run[0]].main || len(run) >= most && !s.edges[e].main) {
					end()
				}
				run = append(run, e)
			}
			end()
		}
	}
}
