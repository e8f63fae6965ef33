package region

import (
	"encoding/binary"
	"slices"

	"viandante/core/geo"
	"viandante/core/hierarchy"
	"viandante/core/spatial"
)

// The road network is a graph of junctions and segments in compressed rows:
//
//	NODE  the position of each junction                                        8 bytes each
//	NODI  the node of the source that each junction is                         8 bytes each
//	NKND  what stands at each junction, as a number of KIND, 0 for nothing     4 bytes each
//	FRST  for each junction where its row of EDGE begins                       4 bytes each, one more than junctions
//	EDGE  rows of directed edges: segment number times two, plus one where the segment is followed backwards
//	SEGM  the segments between two junctions, in Hilbert order under the tree SEGT; their shapes lie in SEGG
//	KIND  the sets of tags that roads, junctions and restrictions have, as numbers of texts: key=value, one a line
//
// A way is cut at every node that it shares with another or meets twice, and where something stands on it: a gate, a
// signal, a ford. The tags are kept as they are, so that a profile of travel can be changed without building the region
// again. What turns there are is told in turns.go.
type segmentRecord struct {
	Way      int64
	From, To uint32
	Name     uint32
	LengthMM uint32
	Geometry uint32
	Kind     uint32
	// UpDM and DownDM are how much one climbs and descends along it, in decimetres.
	UpDM, DownDM uint16
	Class        Class
	// Flags has two bits for each direction, the segment's own in the lower: mayTurnRound, bound.
	Flags uint8
	// Out and In are the directions at its start and its end, along the segment, in 256ths of a circle from true north.
	Out, In uint8
}

// Network is the graph of the roads.
type Network struct {
	nodes     []geo.E7
	ids       []int64
	nodeKinds []uint32
	first     []uint32
	edges     []uint32
	segments  []segmentRecord
	kinds     []uint32
	shapes    []byte
	tree      spatial.Boxes
	turns
	order *hierarchy.Hierarchy
	rank  []uint32
	at    []uint32
}

// Segment is a stretch of road between two junctions.
type Segment struct {
	Way      int64
	From, To uint32
	LengthM  float64
	// UpM and DownM are how much one climbs and descends along it, in metres.
	UpM, DownM float64
	Class      Class
	// Kind is the number of its set of tags, below Kinds.
	Kind uint32
	Name uint32
}

func openNetwork(dir directory) (Network, error) {
	n := Network{
		nodes:     view[geo.E7](dir.section("NODE")),
		ids:       view[int64](dir.section("NODI")),
		nodeKinds: view[uint32](dir.section("NKND")),
		first:     view[uint32](dir.section("FRST")),
		edges:     view[uint32](dir.section("EDGE")),
		segments:  view[segmentRecord](dir.section("SEGM")),
		kinds:     view[uint32](dir.section("KIND")),
		shapes:    dir.section("SEGG"),
	}
	var ok bool
	if n.tree, ok = spatial.OpenBoxes(view[spatial.Box](dir.section("SEGT")), len(n.segments)); !ok {
		return n, corrupt("the index of the roads does not fit them")
	}
	if len(n.first) != len(n.nodes)+1 || len(n.edges) != 2*len(n.segments) || len(n.ids) != len(n.nodes) ||
		len(n.nodeKinds) != len(n.nodes) {
		return n, corrupt("the rows of the road network do not fit together")
	}
	for i := range n.nodes {
		if n.first[i] > n.first[i+1] {
			return n, corrupt("the rows of the road network are out of order")
		}
		if int(n.nodeKinds[i]) > len(n.kinds) {
			return n, corrupt("a junction of the road network is of no kind")
		}
	}
	if int(n.first[len(n.nodes)]) != len(n.edges) {
		return n, corrupt("the rows of the road network do not fit together")
	}
	for _, e := range n.edges {
		if int(e/2) >= len(n.segments) {
			return n, corrupt("an edge of the road network leads nowhere")
		}
	}
	for i := range n.segments {
		r := &n.segments[i]
		if int(r.From) >= len(n.nodes) || int(r.To) >= len(n.nodes) || r.Class >= classCount ||
			int(r.Geometry) > len(n.shapes) || int(r.Kind) >= len(n.kinds) {
			return n, corrupt("a road leads outside the network")
		}
	}
	for node := range uint32(len(n.nodes)) {
		for _, e := range n.Edges(node) {
			if r := &n.segments[e/2]; e&1 == 0 && r.From != node || e&1 == 1 && r.To != node {
				return n, corrupt("an edge of the road network begins at another junction")
			}
		}
	}
	var err error
	if n.turns, err = openTurns(dir, &n); err != nil {
		return n, err
	}
	return n, n.openOrder(dir)
}

// Junctions returns the number of nodes of the network.
func (n *Network) Junctions() int { return len(n.nodes) }

// Segments returns the number of segments of the network.
func (n *Network) Segments() int { return len(n.segments) }

// Junction returns the position of a node below Junctions.
func (n *Network) Junction(node uint32) geo.E7 { return n.nodes[node] }

// Edges returns the directed edges that leave a node: segment number times two, plus one when followed backwards.
func (n *Network) Edges(node uint32) []uint32 {
	return slice(n.edges, n.first[node], n.first[node+1]-n.first[node])
}

// NodeID returns the node of the source that a junction is.
func (n *Network) NodeID(node uint32) int64 { return n.ids[node] }

// Segment returns a segment below Segments.
func (n *Network) Segment(i uint32) Segment {
	r := &n.segments[i]
	return Segment{r.Way, r.From, r.To, float64(r.LengthMM) / 1000, float64(r.UpDM) / 10, float64(r.DownDM) / 10,
		r.Class, r.Kind, r.Name}
}

// KindOf returns the number of the set of tags of a segment, LengthOf its length in metres.
func (n *Network) KindOf(segment uint32) uint32 { return n.segments[segment].Kind }

// LengthOf returns the length of a segment in metres.
func (n *Network) LengthOf(segment uint32) float64 {
	return float64(n.segments[segment].LengthMM) / 1000
}

// Tail returns the junction where a directed edge begins.
func (n *Network) Tail(edge uint32) uint32 {
	if r := &n.segments[edge/2]; edge&1 == 0 {
		return r.From
	} else {
		return r.To
	}
}

// Head returns the junction where a directed edge ends.
func (n *Network) Head(edge uint32) uint32 { return n.Tail(edge ^ 1) }

// Kinds returns how many sets of tags there are.
func (n *Network) Kinds() int { return len(n.kinds) }

// NodeKind returns the number of the set of tags of what stands at a junction; ok is false where nothing does.
func (n *Network) NodeKind(node uint32) (kind uint32, ok bool) {
	return n.nodeKinds[node] - 1, n.nodeKinds[node] > 0
}

// Outward and Inward are the directions at the start and at the end of a directed edge, in 256ths of a circle clockwise
// from true north.
func (n *Network) Outward(edge uint32) uint8 {
	if r := &n.segments[edge/2]; edge&1 == 0 {
		return r.Out
	} else {
		return r.In + 128
	}
}

// Inward is the direction at the end of a directed edge; see Outward.
func (n *Network) Inward(edge uint32) uint8 { return n.Outward(edge^1) + 128 }

// Shape returns the line of a segment in its own direction, both ends included; at least two points.
func (n *Network) Shape(i uint32) []geo.E7 { return n.AppendShape(nil, i) }

// AppendShape appends what Shape returns.
func (n *Network) AppendShape(dst []geo.E7, i uint32) []geo.E7 {
	r := &n.segments[i]
	b := n.shapes[r.Geometry:]
	parts, used := binary.Uvarint(b)
	b = b[max(0, used):]
	size, more := binary.Uvarint(b)
	b = b[max(0, more):]
	start := len(dst)
	if parts == 1 && size >= 2 && size <= uint64(len(b))/2 {
		dst = slices.Grow(dst, int(size))
		var x, y int64
		for range size {
			dx, n := binary.Varint(b)
			dy, m := binary.Varint(b[max(0, n):])
			if n <= 0 || m <= 0 {
				break
			}
			b = b[n+m:]
			x, y = x+dx, y+dy
			dst = append(dst, geo.E7{Lat: int32(y), Lng: int32(x)})
		}
		if uint64(len(dst)-start) == size {
			return dst
		}
	}
	return append(dst[:start], n.nodes[r.From], n.nodes[r.To]) // only in a damaged file
}

// SegmentTree returns the index over the segments' boxes.
func (n *Network) SegmentTree() *spatial.Boxes { return &n.tree }

// KindText returns the tags of a kind: key=value, one a line.
func (n *Region) KindText(kind uint32) string { return n.Text(n.kinds[kind]) }
