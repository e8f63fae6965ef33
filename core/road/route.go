package road

import (
	"math"
	"slices"
	"strconv"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// Route is a way from one point to another.
type Route struct {
	// Line runs from road to road: from the point of the first road nearest to the start to that of the last one
	// nearest to the end. At least two points.
	Line []geo.Point
	// DistanceM and DurationS are the length in metres and the time in seconds of Line, turns included.
	DistanceM, DurationS float64
	// Cost is what it counts when ways are compared, in seconds: other than DurationS where the profile has
	// preferences.
	Cost float64
	// FromRoadM and ToRoadM are how far the asked points lie from the road, in metres, as the crow flies.
	FromRoadM, ToRoadM float64
	// UpM and DownM are how much it climbs and descends, in metres.
	UpM, DownM float64
	// Kinds are the metres on each class of road.
	Kinds map[region.Class]float64
	// Traits are what it has on the way that people ask to avoid.
	Traits Trait
	Steps  []Step
	// Edges are the directed edges that it follows, the first and the last in part.
	Edges  []uint32
	region *region.Region
}

// SegmentIDs are the stable ids of the segments that a route follows.
func (route *Route) SegmentIDs() (ids []string) {
	for i, e := range route.Edges {
		if i == 0 || e/2 != route.Edges[i-1]/2 {
			ids = append(ids, SegmentID(route.region, e/2))
		}
	}
	return ids
}

// piece is a stretch of one edge on the way.
type piece struct {
	edge    uint32
	segment region.Segment
	line    []geo.Point
	// part is which share of the edge it is, seconds how long it takes, turn included by which it is entered.
	part, lengthM, seconds float64
}

func seconds(t uint32) float64 { return float64(t) / ticks }

// assemble tells a way that was found.
func (r *Router) assemble(m *Metric, start, end snap, way found, to geo.Point) *Route {
	route := &Route{FromRoadM: start.offM, ToRoadM: end.offM, Line: []geo.Point{start.at},
		Kinds: map[region.Class]float64{}, Edges: way.edges, Cost: seconds(way.cost), region: r.region}
	var pieces []piece
	for i, e := range way.edges {
		from, till := 0.0, 1.0
		if i == 0 {
			from = start.part(e)
		}
		if i == len(way.edges)-1 {
			till = end.part(e)
		}
		p := piece{edge: e, segment: r.region.Segment(e / 2), part: math.Max(0, till-from)}
		p.lengthM = p.segment.LengthM * p.part
		p.seconds = seconds(share(m.edgeTime(e), p.part))
		if i > 0 {
			p.seconds += seconds(m.turnTime(way.edges[i-1], e))
		}
		p.line = r.cutLine(e, i == 0, start, i == len(way.edges)-1, end)
		pieces = append(pieces, p)
		up, down := p.segment.UpM, p.segment.DownM
		if e&1 == 1 {
			up, down = down, up
		}
		route.UpM, route.DownM = route.UpM+up*p.part, route.DownM+down*p.part
		if p.lengthM > 0 {
			route.Kinds[p.segment.Class] += p.lengthM
			route.Traits |= m.rule(e).traits
		}
	}
	r.guide(m, route, pieces)
	if len(route.Line) == 1 {
		route.Line = append(route.Line, end.at)
	}
	r.arrive(route, end, to)
	return route
}

// cutLine returns the line of an edge in its direction, from the start's position on where it is the first edge, up to
// the end's where it is the last.
func (r *Router) cutLine(edge uint32, first bool, start snap, last bool, end snap) []geo.Point {
	line := points(r.region.Shape(edge / 2))
	n := len(line)
	from, to := 0, n
	var head, tail []geo.Point
	backward := edge&1 == 1
	cut := func(s snap, begins bool) {
		if begins != backward { // what lies behind the position in the segment's direction is kept
			from, head = s.after+1, []geo.Point{s.at}
		} else {
			to, tail = s.after+1, []geo.Point{s.at}
		}
	}
	if first {
		cut(start, true)
	}
	if last {
		cut(end, false)
	}
	out := append([]geo.Point{}, head...)
	if from < to {
		out = append(out, line[from:to]...)
	}
	out = append(out, tail...)
	if backward {
		slices.Reverse(out)
	}
	return distinct(out)
}

func bearing(from, to geo.Point) float64 {
	return geodesy.Between(geodesy.Ellipsoid, from, to).InitialBearing
}

// lineOf is the line of an edge in its direction.
func (r *Router) lineOf(edge uint32) []geo.Point {
	line := points(r.region.Shape(edge / 2))
	if edge&1 == 1 {
		slices.Reverse(line)
	}
	return line
}

// arms returns the directions of the roads at the junction where an edge begins, but for that edge and the one by which
// the junction is reached.
func (r *Router) arms(in, out uint32) (degrees []float64) {
	if in == none || out == none {
		return nil
	}
	for _, e := range r.region.Edges(r.region.Tail(out)) {
		if line := distinct(r.lineOf(e)); e != out && e != in^1 && len(line) > 1 {
			degrees = append(degrees, bearing(line[0], line[1]))
		}
	}
	return degrees
}

func points(shape []geo.E7) []geo.Point {
	out := make([]geo.Point, len(shape))
	for i, e := range shape {
		out[i] = e.Point()
	}
	return out
}

func distinct(line []geo.Point) []geo.Point { return slices.Compact(line) }

// SegmentID returns the stable id of a segment: the way of the source and the nodes at its ends. It stays the same when
// the region is built again, unless the source cuts the way elsewhere.
func SegmentID(r *region.Region, i uint32) string {
	s := r.Segment(i)
	return strconv.FormatInt(s.Way, 10) + ":" + strconv.FormatInt(r.NodeID(s.From), 10) + "-" +
		strconv.FormatInt(r.NodeID(s.To), 10)
}
