package region

import (
	"hash/crc32"
	"math"
	"slices"

	"viandante/core/hierarchy"
)

// The order of the turns' graph, for core/hierarchy. It rests on what roads there are, not on who may use them.
//
//	RANK  the rank of each vertex of the graph of turns
//	HPAR  the parent of each rank in the elimination tree
//	HU…, HD…  the arcs up and down: H?FR where the rows begin, H?OT the other ends, H?BF, H?BL, H?BA what lies below
//	HKEY  the CRC-32C of the sections that the order was made for
var orderOf = []string{"SEGM", "EDGE", "FRST", "COPY", "PASS"}

func sumOf(section func(name string) []byte) (sum uint32) {
	for _, name := range orderOf {
		sum = crc32.Update(sum, castagnoli, section(name))
	}
	return sum
}

func encodeOrder(s *sections, n *Network) {
	rank := rankOf(n)
	at := make([]uint32, len(rank))
	for v, r := range rank {
		at[r] = uint32(v)
	}
	h := hierarchy.Build(len(rank), func(r uint32, yield func(uint32)) {
		n.Turns(at[r], func(w uint32) { yield(rank[w]) })
	})
	s.add("RANK", bytesOf(rank))
	s.add("HPAR", bytesOf(h.Parent))
	addArcs(s, "HU", &h.Up)
	addArcs(s, "HD", &h.Down)
	s.add("HKEY", bytesOf([]uint32{sumOf(func(name string) []byte { return s.data[slices.Index(s.names, name)] })}))
}

func addArcs(s *sections, name string, a *hierarchy.Arcs) {
	s.add(name+"FR", bytesOf(a.First))
	s.add(name+"OT", bytesOf(a.Other))
	s.add(name+"BF", bytesOf(a.BelowFirst))
	s.add(name+"BL", bytesOf(a.BelowLower))
	s.add(name+"BA", bytesOf(a.Below))
}

// rankOf orders the vertices of the graph of turns: both directions of a segment one after the other, copies of edges
// beside them.
func rankOf(n *Network) []uint32 {
	streets := &hierarchy.Streets{X: make([]float32, len(n.nodes)), Y: make([]float32, len(n.nodes)),
		From: make([]uint32, len(n.segments)), To: make([]uint32, len(n.segments))}
	if len(n.nodes) > 0 {
		cos := math.Cos(n.nodes[len(n.nodes)/2].Point().Lat() * math.Pi / 180)
		west := float64(n.nodes[0].Lng)
		for i, p := range n.nodes {
			x := math.Remainder(float64(p.Lng)-west, 360e7)
			streets.X[i], streets.Y[i] = float32(x*cos/1e7), float32(float64(p.Lat)/1e7)
		}
	}
	for i := range n.segments {
		streets.From[i], streets.To[i] = n.segments[i].From, n.segments[i].To
	}
	copies := map[uint32][]uint32{}
	for i, e := range n.copies {
		copies[e/2] = append(copies[e/2], uint32(len(n.edges)+i))
	}
	rank, next := make([]uint32, n.Vertices()), uint32(0)
	for _, s := range hierarchy.Order(streets) {
		for _, v := range append([]uint32{2 * s, 2*s + 1}, copies[s]...) {
			rank[v] = next
			next++
		}
	}
	return rank
}

// openOrder opens the order in place.
func (n *Network) openOrder(dir directory) error {
	n.rank = view[uint32](dir.section("RANK"))
	key := view[uint32](dir.section("HKEY"))
	if len(key) != 1 || key[0] != sumOf(dir.section) || len(n.rank) != n.Vertices() {
		return corrupt("the order of the roads belongs to another network")
	}
	n.at = make([]uint32, len(n.rank))
	for i := range n.at {
		n.at[i] = math.MaxUint32
	}
	for v, r := range n.rank {
		if int(r) >= len(n.at) || n.at[r] != math.MaxUint32 {
			return corrupt("the order of the roads is none")
		}
		n.at[r] = uint32(v)
	}
	n.order = &hierarchy.Hierarchy{Parent: view[uint32](dir.section("HPAR")), Up: openArcs(dir, "HU"),
		Down: openArcs(dir, "HD")}
	if n.order.Vertices() != len(n.rank) {
		return corrupt("the order of the roads belongs to another network")
	}
	if err := n.order.Check(); err != nil {
		return corrupt("the order of the roads: %v", err)
	}
	return nil
}

func openArcs(dir directory, name string) hierarchy.Arcs {
	return hierarchy.Arcs{
		First:      view[uint32](dir.section(name + "FR")),
		Other:      view[uint32](dir.section(name + "OT")),
		BelowFirst: view[uint32](dir.section(name + "BF")),
		BelowLower: view[uint32](dir.section(name + "BL")),
		Below:      view[uint32](dir.section(name + "BA")),
	}
}

// Hierarchy returns the order, its vertices numbered by rank.
func (n *Network) Hierarchy() *hierarchy.Hierarchy { return n.order }

// Rank returns the rank of a vertex of the graph of turns, At the vertex of a rank.
func (n *Network) Rank(vertex uint32) uint32 { return n.rank[vertex] }

// At returns the vertex of the graph of turns that has a rank.
func (n *Network) At(rank uint32) uint32 { return n.at[rank] }
