package region

import (
	"cmp"
	"slices"
)

// The turns are a graph of their own, whose vertices are the directed edges of the network: 2 × segment, plus one
// backwards. A restriction that leads along ways makes copies of edges, the vertices behind the last edge: a copy is
// where one stands who came by the ways before (an automaton as that of Aho and Corasick 1975). The sections are
//
//	COPY  the edge that each copy is of
//	PASS  from a vertex by an edge one comes to a copy of it: by vertex, then by edge
//	BANS  from a vertex the turn into an edge is forbidden by a restriction of some kind: by vertex, then by edge
//
// Whether a restriction holds for a mode is for its profile to say, by the kind's tags.
//
// A segment's flags say for each direction whether one may have to turn round at its end, and whether it is bound: the
// first of a pass or a ban.
const (
	mayTurnRound = 1
	bound        = 4
)

type (
	passRecord struct{ From, Edge, To uint32 }
	banRecord  struct{ From, Edge, Kind uint32 }
)

// turns is what of the network bears on turns.
type turns struct {
	copies []uint32
	passes []passRecord
	bans   []banRecord
}

func (t *turns) add(s *sections) {
	s.add("COPY", bytesOf(t.copies))
	s.add("PASS", bytesOf(t.passes))
	s.add("BANS", bytesOf(t.bans))
}

func openTurns(dir directory, n *Network) (turns, error) {
	t := turns{
		copies: view[uint32](dir.section("COPY")),
		passes: view[passRecord](dir.section("PASS")),
		bans:   view[banRecord](dir.section("BANS")),
	}
	edges := uint32(len(n.edges))
	vertices := edges + uint32(len(t.copies))
	for _, e := range t.copies {
		if e >= edges {
			return t, corrupt("a copy of an edge is of none")
		}
	}
	for i, p := range t.passes {
		if p.From >= vertices || p.Edge >= edges || p.To < edges || p.To >= vertices ||
			t.copies[p.To-edges] != p.Edge || i > 0 && comparePasses(t.passes[i-1], p) >= 0 {
			return t, corrupt("the turns into copies of edges do not fit them")
		}
	}
	for i, b := range t.bans {
		if b.From >= vertices || b.Edge >= edges || int(b.Kind) >= len(n.kinds) ||
			i > 0 && compareBans(t.bans[i-1], b) > 0 {
			return t, corrupt("the turns that are forbidden do not fit the roads")
		}
	}
	return t, nil
}

func comparePasses(a, b passRecord) int {
	return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.Edge, b.Edge))
}

func compareBans(a, b banRecord) int {
	return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.Edge, b.Edge))
}

// Vertices returns how many vertices the graph of turns has: the directed edges, and the copies of some.
func (n *Network) Vertices() int { return len(n.edges) + len(n.copies) }

// EdgeOf returns the directed edge that a vertex is, or is a copy of.
func (n *Network) EdgeOf(vertex uint32) uint32 {
	if vertex < uint32(len(n.edges)) {
		return vertex
	}
	return n.copies[vertex-uint32(len(n.edges))]
}

// CopiesOf calls yield with the vertex that a directed edge is, and with its copies.
func (n *Network) CopiesOf(edge uint32, yield func(vertex uint32)) {
	yield(edge)
	for i, e := range n.copies {
		if e == edge {
			yield(uint32(len(n.edges) + i))
		}
	}
}

// HasCopies tells whether any edge has copies.
func (n *Network) HasCopies() bool { return len(n.copies) > 0 }

// MayTurnRound tells whether one may have to turn round at the end of a directed edge.
func (n *Network) MayTurnRound(edge uint32) bool {
	return n.segments[edge/2].Flags&(mayTurnRound<<(edge&1)) != 0
}

// Turns calls yield with the vertices that can follow one, restrictions aside. Turning round is among them only where
// somebody may have to.
func (n *Network) Turns(vertex uint32, yield func(vertex uint32)) {
	in := n.EdgeOf(vertex)
	passes := n.passesFrom(vertex)
	for _, e := range n.Edges(n.Head(in)) {
		if e == in^1 && !n.MayTurnRound(in) {
			continue
		}
		yield(passTo(passes, e))
	}
}

// Turn returns the vertex that one comes to from another by an edge.
func (n *Network) Turn(vertex, edge uint32) uint32 { return passTo(n.passesFrom(vertex), edge) }

func passTo(passes []passRecord, edge uint32) uint32 {
	for _, p := range passes {
		if p.Edge == edge {
			return p.To
		}
	}
	return edge
}

func (n *Network) passesFrom(vertex uint32) []passRecord {
	if !n.bound(vertex) {
		return nil
	}
	i, _ := slices.BinarySearchFunc(n.passes, vertex, func(p passRecord, v uint32) int {
		return cmp.Compare(p.From,
			v)
	})
	k := i
	for k < len(n.passes) && n.passes[k].From == vertex {
		k++
	}
	return n.passes[i:k]
}

// bound tells whether passes or bans may begin at a vertex.
func (n *Network) bound(vertex uint32) bool {
	return vertex >= uint32(len(n.edges)) || n.segments[vertex/2].Flags&(bound<<(vertex&1)) != 0
}

// Bans calls yield with the kinds of the restrictions that forbid the turn from a vertex into an edge.
func (n *Network) Bans(vertex, edge uint32, yield func(kind uint32)) {
	if !n.bound(vertex) {
		return
	}
	i, _ := slices.BinarySearchFunc(n.bans, banRecord{From: vertex, Edge: edge}, compareBans)
	for ; i < len(n.bans) && n.bans[i].From == vertex && n.bans[i].Edge == edge; i++ {
		yield(n.bans[i].Kind)
	}
}

// pathsOf returns the runs of directed edges that a restriction is about: from, via, to. A way that is cut counts by
// the stretch that meets the next.
func pathsOf(n *Network, numbers map[int64]uint32, segments map[int64][]uint32, r Restriction) (paths [][]uint32) {
	ends := func(way int64, yield func(edge uint32)) { // both directions of each stretch
		for _, s := range segments[way] {
			yield(2 * s)
			yield(2*s + 1)
		}
	}
	var follow func(path []uint32, ways []int64)
	follow = func(path []uint32, ways []int64) {
		last := path[len(path)-1]
		if len(ways) == 0 {
			ends(r.To, func(e uint32) {
				if n.Tail(e) == n.Head(last) && (e != last^1 || r.From == r.To) {
					paths = append(paths, append(slices.Clone(path), e))
				}
			})
			return
		}
		// Along the whole of the way, stretch by stretch, then on.
		ends(ways[0], func(e uint32) {
			if n.Tail(e) != n.Head(last) || e == last^1 || slices.Contains(path, e) || len(path) > 60 {
				return
			}
			longer := append(slices.Clone(path), e)
			follow(longer, ways) // another stretch of the same way
			follow(longer, ways[1:])
		})
	}
	if len(r.Ways) > 0 {
		ends(r.From, func(e uint32) { follow([]uint32{e}, r.Ways) })
		return paths
	}
	via, ok := numbers[r.Node]
	if !ok {
		return nil
	}
	ends(r.From, func(e uint32) {
		if n.Head(e) == via {
			follow([]uint32{e}, nil)
		}
	})
	return paths
}

// layout makes the copies that restrictions need.
type layout struct {
	n *Network
	// states are the runs of edges that have been followed so far, from two on; each is a copy of its last edge.
	states [][]uint32
	bans   []ban
}

type ban struct {
	path []uint32
	kind uint32
	only bool
}

func newLayout(n *Network) *layout { return &layout{n: n} }

func (l *layout) forbid(path []uint32, kind uint32, only bool) {
	for k := 2; k < len(path); k++ {
		if s := path[:k]; !slices.ContainsFunc(l.states, func(o []uint32) bool { return slices.Equal(o, s) }) {
			l.states = append(l.states, s)
		}
	}
	l.bans = append(l.bans, ban{path, kind, only})
}

// suffixes tells whether one run of edges ends with another.
func endsWith(run, end []uint32) bool {
	return len(run) >= len(end) && slices.Equal(run[len(run)-len(end):], end)
}

func (l *layout) turns() (t turns) {
	n := l.n
	edges := uint32(len(n.edges))
	byLast := map[uint32][]int{} // the states whose last edge is one
	for i, s := range l.states {
		e := s[len(s)-1]
		t.copies = append(t.copies, e)
		byLast[e] = append(byLast[e], i)
	}
	// From each vertex whose run, with a further edge, ends in a state, to the longest such state.
	pass := func(vertex uint32, run []uint32, edge uint32) {
		longest := -1
		next := append(slices.Clone(run), edge)
		for _, i := range byLast[edge] {
			if endsWith(next, l.states[i]) && (longest < 0 || len(l.states[i]) > len(l.states[longest])) {
				longest = i
			}
		}
		if longest >= 0 {
			t.passes = append(t.passes, passRecord{vertex, edge, edges + uint32(longest)})
		}
	}
	starts := map[uint32]bool{}
	for _, s := range l.states {
		starts[s[0]] = true
	}
	for e := range starts {
		for _, f := range n.Edges(n.Head(e)) {
			pass(e, []uint32{e}, f)
		}
	}
	for i, s := range l.states {
		for _, f := range n.Edges(n.Head(s[len(s)-1])) {
			pass(edges+uint32(i), s, f)
		}
	}
	for _, b := range l.bans {
		l.banAt(&t, b, edges)
	}
	slices.SortFunc(t.passes, comparePasses)
	slices.SortFunc(t.bans, func(a, b banRecord) int { return cmp.Or(compareBans(a, b), cmp.Compare(a.Kind, b.Kind)) })
	t.bans = slices.Compact(t.bans)
	return t
}

// banAt forbids the turn of a ban at each vertex whose run ends with what comes before it.
func (l *layout) banAt(t *turns, b ban, edges uint32) {
	before, last := b.path[:len(b.path)-1], b.path[len(b.path)-1]
	var at []uint32
	if len(before) == 1 {
		at = append(at, before[0])
	}
	for i, s := range l.states {
		if endsWith(s, before) {
			at = append(at, edges+uint32(i))
		}
	}
	for _, v := range at {
		if !b.only {
			t.bans = append(t.bans, banRecord{v, last, b.kind})
			continue
		}
		for _, e := range l.n.Edges(l.n.Tail(last)) {
			if e != last {
				t.bans = append(t.bans, banRecord{v, e, b.kind})
			}
		}
	}
}
