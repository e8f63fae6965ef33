package region

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/relief"
	"viandante/core/spatial"
)

// longestSegmentM is beyond what a segment is an error of the source; its length in millimetres fits 32 bits.
const longestSegmentM = 4_000_000

// networkBuilder turns the roads of a draft into a network.
type networkBuilder struct {
	d     *Draft
	pool  *pool
	kinds map[string]uint32
	// texts are the numbers of the kinds' texts in the pool.
	texts   []uint32
	numbers map[int64]uint32
	nodes   []geo.E7
	ids     []int64
	drafts  []draftSegment
}

type draftSegment struct {
	record segmentRecord
	shape  []geo.E7
}

func encodeNetwork(s *sections, d *Draft, pool *pool, meta *Meta) error {
	b := &networkBuilder{d: d, pool: pool, kinds: map[string]uint32{}, numbers: map[int64]uint32{}}
	if err := b.cut(meta); err != nil {
		return err
	}
	n, err := b.arrange(s)
	if err != nil {
		return err
	}
	meta.Junctions = len(b.nodes)
	nodeKinds := make([]uint32, len(b.nodes))
	for i, id := range b.ids {
		if tags := d.RoadPoints[id]; len(tags) > 0 {
			nodeKinds[i] = b.kind(tags) + 1
		}
	}
	n.nodeKinds = nodeKinds
	b.mayTurnRound(n)
	b.restrict(n)
	n.kinds = b.texts
	s.add("NODE", bytesOf(n.nodes))
	s.add("NODI", bytesOf(n.ids))
	s.add("NKND", bytesOf(n.nodeKinds))
	s.add("FRST", bytesOf(n.first))
	s.add("EDGE", bytesOf(n.edges))
	s.add("SEGM", bytesOf(n.segments))
	s.add("SEGG", n.shapes)
	s.add("KIND", bytesOf(n.kinds))
	n.turns.add(s)
	encodeOrder(s, n)
	return nil
}

// kind returns the number of a set of tags.
func (b *networkBuilder) kind(tags []string) uint32 {
	text := strings.Join(tags, "\n")
	k, ok := b.kinds[text]
	if !ok {
		k = uint32(len(b.texts))
		b.kinds[text] = k
		b.texts = append(b.texts, b.pool.number(text))
	}
	return k
}

func (b *networkBuilder) number(id int64) uint32 {
	n, ok := b.numbers[id]
	if !ok {
		n = uint32(len(b.nodes))
		b.numbers[id] = n
		b.nodes = append(b.nodes, b.d.RoadNodes[id])
		b.ids = append(b.ids, id)
	}
	return n
}

// cut makes segments of the roads.
func (b *networkBuilder) cut(meta *Meta) error {
	d := b.d
	uses := map[int64]int{}
	for _, road := range d.Roads {
		for i, n := range road.Nodes {
			uses[n]++
			if i == 0 || i == len(road.Nodes)-1 || len(d.RoadPoints[n]) > 0 {
				uses[n]++ // always a junction
			}
		}
	}
	meta.RoadNodes = len(uses)
	for _, road := range d.Roads {
		kind, start := b.kind(road.Tags), 0
		flat := slices.ContainsFunc(road.Tags, func(t string) bool {
			return strings.HasPrefix(t, "bridge=") || strings.HasPrefix(t, "tunnel=") || t == "route=ferry"
		})
		for i := 1; i < len(road.Nodes); i++ {
			if uses[road.Nodes[i]] < 2 {
				continue
			}
			var shape []geo.E7
			for _, id := range road.Nodes[start : i+1] {
				shape = append(shape, d.RoadNodes[id])
			}
			r := segmentRecord{Way: road.ID, From: b.number(road.Nodes[start]), To: b.number(road.Nodes[i]),
				Name: b.pool.number(road.Name), Class: road.Class, Kind: kind}
			length := lengthOf(shape)
			if length > longestSegmentM {
				return fmt.Errorf(
					"way %d has a segment of %.0f km between two junctions; a road that long is an error in the source",
					road.ID, length/1000,
				)
			}
			r.LengthMM = uint32(math.Round(length * 1000))
			r.UpDM, r.DownDM = climb(d.Heights, shape, flat)
			r.Out, r.In = directionAlong(shape), directionAlong(reversed(shape))+128
			b.drafts = append(b.drafts, draftSegment{r, shape})
			start = i
		}
	}
	return nil
}

func reversed(shape []geo.E7) []geo.E7 {
	shape = slices.Clone(shape)
	slices.Reverse(shape)
	return shape
}

func lengthOf(shape []geo.E7) (m float64) {
	for k := 1; k < len(shape); k++ {
		m += geodesy.Distance(shape[k-1].Point(), shape[k].Point())
	}
	return m
}

// aheadM is how far along a road one looks to see which way it sets out, in metres: a kink at the kerb says nothing.
const aheadM = 12

// directionAlong returns which way a line sets out, in 256ths of a circle clockwise from true north.
func directionAlong(shape []geo.E7) uint8 {
	from, left := shape[0], float64(aheadM)
	to := from
	for k := 1; k < len(shape) && left > 0; k++ {
		if to = shape[k]; to != shape[k-1] {
			left -= geodesy.Distance(shape[k-1].Point(), to.Point())
		}
	}
	degrees := geodesy.Between(geodesy.Ellipsoid, from.Point(), to.Point()).InitialBearing
	if math.IsNaN(degrees) {
		return 0
	}
	return uint8(int(math.Round(degrees/360*256)) & 255)
}

const (
	// climbEveryM is how far apart the heights along a road are looked at, in metres.
	climbEveryM = 25
	// climbNoiseM is how much a height must differ from the last turning point to count: less is noise of the grid.
	climbNoiseM = 2
)

// climb returns how much one climbs and descends along a line, in decimetres; over a bridge, through a tunnel and on a
// ferry only from end to end.
func climb(g *relief.Grid, shape []geo.E7, flat bool) (up, down uint16) {
	if g == nil {
		return 0, 0
	}
	var heights []float64
	look := func(lat, lng float64) {
		if h := g.At(lat, lng); !math.IsNaN(h) {
			heights = append(heights, h)
		}
	}
	first := shape[0].Point()
	look(first.Lat(), first.Lng())
	for k := 1; k < len(shape); k++ {
		a, b := shape[k-1].Point(), shape[k].Point()
		n := 1
		if !flat {
			n = min(1000, 1+int(geodesy.Distance(a, b)/climbEveryM))
		}
		for i := 1; i <= n; i++ {
			t := float64(i) / float64(n)
			if !flat || k == len(shape)-1 && i == n {
				look(a.Lat()+t*(b.Lat()-a.Lat()), a.Lng()+t*geo.WrapLng(b.Lng()-a.Lng()))
			}
		}
	}
	if len(heights) == 0 {
		return 0, 0
	}
	rise, fall, last := 0.0, 0.0, heights[0]
	for i, h := range heights {
		if d := h - last; math.Abs(d) >= climbNoiseM || i == len(heights)-1 {
			rise, fall, last = rise+math.Max(0, d), fall+math.Max(0, -d), h
		}
	}
	pack := func(m float64) uint16 { return uint16(math.Min(math.MaxUint16, math.Round(m*10))) }
	return pack(rise), pack(fall)
}

// arrange puts the segments into Hilbert order and lays out the rows of edges.
func (b *networkBuilder) arrange(s *sections) (*Network, error) {
	boxes := make([]spatial.Box, len(b.drafts))
	for i := range b.drafts {
		boxes[i] = boxOf([][]geo.E7{b.drafts[i].shape})
	}
	n := &Network{nodes: b.nodes, ids: b.ids, segments: make([]segmentRecord, len(b.drafts)),
		first: make([]uint32, len(b.nodes)+1), edges: make([]uint32, 2*len(b.drafts))}
	ordered := make([]spatial.Box, len(b.drafts))
	for i, k := range spatial.HilbertOrder(boxes) {
		r := b.drafts[k].record
		var err error
		if r.Geometry, err = offset32(len(n.shapes)); err != nil {
			return nil, fmt.Errorf("the roads: %w", err)
		}
		n.shapes = appendParts(n.shapes, [][]geo.E7{b.drafts[k].shape})
		n.segments[i], ordered[i] = r, boxes[k]
		n.first[r.From+1]++
		n.first[r.To+1]++
	}
	for i := 1; i < len(n.first); i++ {
		n.first[i] += n.first[i-1]
	}
	next := slices.Clone(n.first)
	for i, r := range n.segments {
		n.edges[next[r.From]] = uint32(2 * i)
		next[r.From]++
		n.edges[next[r.To]] = uint32(2*i + 1)
		next[r.To]++
	}
	s.add("SEGT", bytesOf(spatial.PackBoxes(ordered)))
	return n, nil
}

// standing is how much traffic a class of road is for: who drives a street cannot go on by a path.
func standing(c Class) int {
	switch c {
	case Path, Steps, Pedestrian:
		return 0
	case Cycleway:
		return 1
	case Track:
		return 2
	}
	return 3
}

// mayTurnRound marks the ends of segments where somebody may have to turn round: where nothing goes on, nothing that is
// for as much traffic, nothing that may be entered from here; and where something stands that may be in the way.
func (b *networkBuilder) mayTurnRound(n *Network) {
	for node := range uint32(len(n.nodes)) {
		edges := n.Edges(node)
		for _, e := range edges {
			r := &n.segments[e/2]
			if n.nodeKinds[node] == 0 && slices.ContainsFunc(edges, func(f uint32) bool {
				o := &n.segments[f/2]
				return f != e && standing(o.Class) >= standing(r.Class) && b.mayEnter(o.Kind, f&1 == 1)
			}) {
				continue
			}
			r.Flags |= mayTurnRound << (^e & 1) // the other direction of the edge that leaves arrives there
		}
	}
}

// mayEnter tells whether the plain rule of one-way streets lets traffic follow a road in a direction.
func (b *networkBuilder) mayEnter(kind uint32, backward bool) bool {
	for tag := range strings.SplitSeq(string(b.pool.textOf(b.texts[kind])), "\n") {
		switch tag {
		case "oneway=yes", "oneway=1", "oneway=true", "junction=roundabout", "highway=motorway":
			return !backward
		case "oneway=-1", "oneway=reverse":
			return backward
		}
	}
	return true
}

// restrict lays out what the draft's restrictions forbid.
func (b *networkBuilder) restrict(n *Network) {
	if len(b.d.Restrictions) == 0 {
		return
	}
	wanted := map[int64][]uint32{} // the segments of each way that a restriction names
	for _, r := range b.d.Restrictions {
		for _, w := range append([]int64{r.From, r.To}, r.Ways...) {
			wanted[w] = nil
		}
	}
	for i := range n.segments {
		if list, ok := wanted[n.segments[i].Way]; ok {
			wanted[n.segments[i].Way] = append(list, uint32(i))
		}
	}
	restrictions := slices.Clone(b.d.Restrictions)
	slices.SortFunc(restrictions, func(x, y Restriction) int { return cmp.Compare(x.ID, y.ID) })
	l := newLayout(n)
	for _, r := range restrictions {
		for _, p := range pathsOf(n, b.numbers, wanted, r) {
			l.forbid(p, b.kind(r.Tags), r.Only)
		}
	}
	n.turns = l.turns()
	bind := func(vertex uint32) {
		if vertex < uint32(len(n.edges)) {
			n.segments[vertex/2].Flags |= bound << (vertex & 1)
		}
	}
	for _, p := range n.passes {
		bind(p.From)
	}
	for _, b := range n.bans {
		bind(b.From)
	}
}
