package region

import (
	"fmt"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/spatial"
)

// The road network is a graph of junctions and segments in compressed rows:
//
//	NODE  the position of each junction                    8 bytes each
//	FRST  for each junction where its row of EDGE begins   4 bytes each, one more than junctions
//	EDGE  rows of directed edges: segment number times two, plus one where the segment is followed backwards
//	SEGM  the segments between two junctions, in Hilbert order under the tree SEGT; their shapes lie in SEGG
//
// A million road nodes take about 40 MB. A way is cut at every node that it shares with another or meets twice.
type segmentRecord struct {
	Way      int64
	From, To uint32
	Name     uint32
	LengthMM uint32
	Geometry uint32
	Class    Class
	Access   Access
	SpeedKMH uint8
	_        uint8
}

// Network is the graph of the roads.
type Network struct {
	nodes    []geo.E7
	first    []uint32
	edges    []uint32
	segments []segmentRecord
	shapes   []byte
	tree     spatial.Boxes
}

// Segment is a stretch of road between two junctions.
type Segment struct {
	Way      int64
	From, To uint32
	LengthM  float64
	Class    Class
	Access   Access
	SpeedKMH uint8
	Name     uint32
}

func encodeNetwork(s *sections, d *Draft, pool *pool, meta *Meta) error {
	uses := map[int64]int{}
	for _, road := range d.Roads {
		for i, n := range road.Nodes {
			uses[n]++
			if i == 0 || i == len(road.Nodes)-1 {
				uses[n]++ // an end is always a junction
			}
		}
	}
	meta.RoadNodes = len(uses)
	numbers := map[int64]uint32{}
	var nodes []geo.E7
	number := func(id int64) uint32 {
		n, ok := numbers[id]
		if !ok {
			n = uint32(len(nodes))
			numbers[id] = n
			nodes = append(nodes, d.RoadNodes[id])
		}
		return n
	}
	type draftSegment struct {
		record segmentRecord
		shape  []geo.E7
	}
	var drafts []draftSegment
	for _, road := range d.Roads {
		start := 0
		for i := 1; i < len(road.Nodes); i++ {
			if uses[road.Nodes[i]] < 2 {
				continue
			}
			var shape []geo.E7
			for _, id := range road.Nodes[start : i+1] {
				shape = append(shape, d.RoadNodes[id])
			}
			var length float64
			for k := 1; k < len(shape); k++ {
				length += geodesy.Distance(shape[k-1].Point(), shape[k].Point())
			}
			if length > 4_000_000 {
				return fmt.Errorf(
					"way %d has a segment of %.0f km between two junctions; a road that long is an error in the source",
					road.ID,
					length/1000,
				)
			}
			drafts = append(
				drafts,
				draftSegment{segmentRecord{Way: road.ID, From: number(road.Nodes[start]), To: number(road.Nodes[i]),
					Name: pool.number(
						road.Name,
					), LengthMM: uint32(math.Round(length * 1000)), Class: road.Class, Access: road.Access,
					SpeedKMH: road.SpeedKMH}, shape},
			)
			start = i
		}
	}
	meta.Junctions = len(nodes)
	boxes := make([]spatial.Box, len(drafts))
	for i := range drafts {
		boxes[i] = boxOf([][]geo.E7{drafts[i].shape})
	}
	records := make([]segmentRecord, len(drafts))
	ordered := make([]spatial.Box, len(drafts))
	first := make([]uint32, len(nodes)+1)
	var shapes []byte
	for i, k := range spatial.HilbertOrder(boxes) {
		r := drafts[k].record
		var err error
		if r.Geometry, err = offset32(len(shapes)); err != nil {
			return fmt.Errorf("the roads: %w", err)
		}
		shapes = appendParts(shapes, [][]geo.E7{drafts[k].shape})
		records[i], ordered[i] = r, boxes[k]
		first[r.From+1]++
		first[r.To+1]++
	}
	for i := 1; i < len(first); i++ {
		first[i] += first[i-1]
	}
	edges, next := make([]uint32, 2*len(records)), slices.Clone(first)
	for i, r := range records {
		edges[next[r.From]] = uint32(2 * i)
		next[r.From]++
		edges[next[r.To]] = uint32(2*i + 1)
		next[r.To]++
	}
	s.add("NODE", bytesOf(nodes))
	s.add("FRST", bytesOf(first))
	s.add("EDGE", bytesOf(edges))
	s.add("SEGM", bytesOf(records))
	s.add("SEGT", bytesOf(spatial.PackBoxes(ordered)))
	s.add("SEGG", shapes)
	return nil
}

func openNetwork(dir directory) (Network, error) {
	n := Network{
		nodes:    view[geo.E7](dir.section("NODE")),
		first:    view[uint32](dir.section("FRST")),
		edges:    view[uint32](dir.section("EDGE")),
		segments: view[segmentRecord](dir.section("SEGM")),
		shapes:   dir.section("SEGG"),
	}
	var ok bool
	if n.tree, ok = spatial.OpenBoxes(view[spatial.Box](dir.section("SEGT")), len(n.segments)); !ok {
		return n, corrupt("the index of the roads does not fit them")
	}
	if len(n.first) != len(n.nodes)+1 || len(n.edges) != 2*len(n.segments) {
		return n, corrupt("the rows of the road network do not fit together")
	}
	for i := range n.nodes {
		if n.first[i] > n.first[i+1] {
			return n, corrupt("the rows of the road network are out of order")
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
	for node := range uint32(len(n.nodes)) {
		for _, e := range n.Edges(node) {
			if r := &n.segments[e/2]; e&1 == 0 && r.From != node || e&1 == 1 && r.To != node {
				return n, corrupt("an edge of the road network begins at another junction")
			}
		}
	}
	for i := range n.segments {
		r := &n.segments[i]
		if int(r.From) >= len(n.nodes) || int(r.To) >= len(n.nodes) || r.Class >= classCount ||
			int(r.Geometry) > len(n.shapes) {
			return n, corrupt("a road leads outside the network")
		}
	}
	return n, nil
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

// Segment returns a segment below Segments.
func (n *Network) Segment(i uint32) Segment {
	r := &n.segments[i]
	return Segment{r.Way, r.From, r.To, float64(r.LengthMM) / 1000, r.Class, r.Access, r.SpeedKMH, r.Name}
}

// Shape returns the line of a segment in its own direction, both ends included; at least two points.
func (n *Network) Shape(i uint32) []geo.E7 {
	r := &n.segments[i]
	parts, ok := readParts(n.shapes[r.Geometry:])
	if !ok || len(parts) != 1 || len(parts[0]) < 2 {
		return []geo.E7{n.nodes[r.From], n.nodes[r.To]}
	}
	return parts[0]
}

// SegmentTree returns the index over the segments' boxes.
func (n *Network) SegmentTree() *spatial.Boxes { return &n.tree }
