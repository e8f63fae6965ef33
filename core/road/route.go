package road

import (
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// Route is a way from one point to another.
type Route struct {
	// Line runs from road to road: from the point of the first road nearest to the start to that of the last one
	// nearest to the end. At least two points.
	Line []geo.Point
	// DistanceM and DurationS are the length in metres and the time in seconds of Line.
	DistanceM, DurationS float64
	// FromRoadM and ToRoadM are how far the asked points lie from the road, in metres, as the crow flies.
	FromRoadM, ToRoadM float64
	Steps              []Step
}

// Turn says which way a step sets out from the one before.
type Turn string

// The turns, by how far the direction changes: up to 25, 60, 120 and 170 degrees.
const (
	Depart      Turn = "depart"
	Straight    Turn = "straight"
	SlightLeft  Turn = "slight left"
	SlightRight Turn = "slight right"
	Left        Turn = "left"
	Right       Turn = "right"
	SharpLeft   Turn = "sharp left"
	SharpRight  Turn = "sharp right"
	Back        Turn = "back"
	Arrive      Turn = "arrive"
)

// Step is an instruction: turn this way, then follow one street for so long.
type Step struct {
	Turn Turn
	// Name is the street's, or "" where it has none; Class is what it is then.
	Name                 string
	Class                region.Class
	DistanceM, DurationS float64
	// Bearing is the direction in which the step sets out, Arrival that in which its junction is reached, in degrees
	// from true north; NaN where there is none.
	Bearing, Arrival float64
	// Arms are the directions in which the junction's other roads lead away, in degrees from true north.
	Arms []float64
	At   geo.Point
	// From is the index in the route's line where the step begins.
	From int
	// in and out are the edges by which the junction is reached and left; none at the start.
	in, out uint32
}

// piece is a stretch of one segment on the way, along or against which the edge says.
type piece struct {
	edge    uint32
	segment region.Segment
	line    []geo.Point
	lengthM float64
}

func (r *Router) assemble(mode region.Mode, start, end snap, edges []uint32) *Route {
	var pieces []piece
	add := func(edge uint32, line []geo.Point, length float64) {
		if len(line) > 1 {
			pieces = append(pieces, piece{edge, r.region.Segment(edge / 2), line, length})
		}
	}
	if edges == nil && start.segment == end.segment && r.onlyAlong(mode, start, end) {
		line, back := r.between(start, end)
		edge := start.segment * 2
		if back {
			slices.Reverse(line)
			edge++
		}
		add(edge, line, math.Abs(end.alongM-start.alongM))
	} else {
		leaveAt, enterAt := r.ends(mode, start, end, edges)
		first, last := r.region.Segment(start.segment), r.region.Segment(end.segment)
		if leaveAt == first.To {
			add(start.segment*2, r.tail(start), start.restM)
		} else {
			line := r.head(start)
			slices.Reverse(line)
			add(start.segment*2+1, line, start.alongM)
		}
		for _, e := range edges {
			add(e, r.lineOf(e), r.region.Segment(e/2).LengthM)
		}
		if enterAt == last.From {
			add(end.segment*2, r.head(end), end.alongM)
		} else {
			line := r.tail(end)
			slices.Reverse(line)
			add(end.segment*2+1, line, end.restM)
		}
	}
	route := &Route{FromRoadM: start.offM, ToRoadM: end.offM, Line: []geo.Point{start.at}}
	for i, p := range pieces {
		in := none
		if i > 0 {
			in = pieces[i-1].edge
		}
		route.append(mode, p, in, r.region.Text(p.segment.Name))
	}
	for i := range route.Steps {
		route.Steps[i].Arms = r.arms(route.Steps[i].in, route.Steps[i].out)
	}
	if len(route.Line) == 1 {
		route.Line = append(route.Line, end.at)
	}
	arrival := math.NaN()
	if n := len(route.Line); len(pieces) > 0 {
		arrival = bearing(route.Line[n-2], route.Line[n-1])
	}
	route.Steps = append(route.Steps, Step{Turn: Arrive, At: end.at, From: len(route.Line) - 1, Bearing: math.NaN(),
		Arrival: arrival, in: none, out: none})
	return route
}

// onlyAlong tells whether a way without edges runs along the one segment and not round by a junction.
func (r *Router) onlyAlong(mode region.Mode, start, end snap) bool {
	return start.alongM == end.alongM || r.region.Segment(start.segment).Access.Allows(mode, end.alongM < start.alongM)
}

// ends returns the junction at which the way leaves the first segment, and that at which it enters the last.
func (r *Router) ends(mode region.Mode, start, end snap, edges []uint32) (leave, enter uint32) {
	if len(edges) > 0 {
		return r.tailOf(edges[0]), r.headOf(edges[len(edges)-1])
	}
	// One junction joins both segments: of those that do, the one that makes the way quickest.
	first, last := r.region.Segment(start.segment), r.region.Segment(end.segment)
	best := math.Inf(1)
	for _, out := range []struct {
		node uint32
		cost float64
		ok   bool
	}{{first.To, start.restM, first.Access.Allows(mode, false)}, {first.From, start.alongM, first.Access.Allows(mode,
		true)}} {
		for _, in := range []struct {
			node uint32
			cost float64
			ok   bool
		}{{last.From, end.alongM, last.Access.Allows(mode, false)}, {last.To, end.restM, last.Access.Allows(mode,
			true)}} {
			c := out.cost/speed(mode, first) + in.cost/speed(mode, last)
			if out.ok && in.ok && out.node == in.node && c < best {
				best, leave, enter = c, out.node, in.node
			}
		}
	}
	return leave, enter
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
	for _, e := range r.region.Edges(r.tailOf(out)) {
		if line := distinct(r.lineOf(e)); e != out && e != in^1 && len(line) > 1 {
			degrees = append(degrees, bearing(line[0], line[1]))
		}
	}
	return degrees
}

func (r *Router) tailOf(edge uint32) uint32 {
	s := r.region.Segment(edge / 2)
	if edge&1 == 1 {
		return s.To
	}
	return s.From
}

func (r *Router) headOf(edge uint32) uint32 { return r.tailOf(edge ^ 1) }

// head is the line from the start of a segment to a position on it, tail the line from there to the segment's end.
func (r *Router) head(s snap) []geo.Point {
	return distinct(append(points(r.region.Shape(s.segment)[:s.after+1]), s.at))
}

func (r *Router) tail(s snap) []geo.Point {
	return distinct(append([]geo.Point{s.at}, points(r.region.Shape(s.segment)[s.after+1:])...))
}

// between is the line between two positions on one segment, in the segment's direction; back tells that the second
// comes first.
func (r *Router) between(a, b snap) (line []geo.Point, back bool) {
	if b.alongM < a.alongM {
		a, b, back = b, a, true
	}
	line = append([]geo.Point{a.at}, points(r.region.Shape(a.segment)[a.after+1:b.after+1])...)
	return distinct(append(line, b.at)), back
}

func points(shape []geo.E7) []geo.Point {
	out := make([]geo.Point, len(shape))
	for i, e := range shape {
		out[i] = e.Point()
	}
	return out
}

func distinct(line []geo.Point) []geo.Point { return slices.Compact(line) }

// append goes on along a piece: in the same step while the street's name stays and the way does not turn back.
func (route *Route) append(mode region.Mode, p piece, in uint32, name string) {
	seconds := p.lengthM / speed(mode, p.segment)
	out, arrival, turn := bearing(p.line[0], p.line[1]), math.NaN(), Depart
	if n := len(route.Line); len(route.Steps) > 0 {
		arrival = bearing(route.Line[n-2], route.Line[n-1])
		turn = turnBy(out - arrival)
	}
	last := len(route.Steps) - 1
	if last < 0 || turn == Back || route.Steps[last].Name != name ||
		name == "" && (route.Steps[last].Class != p.segment.Class || turn != Straight) {
		route.Steps = append(
			route.Steps,
			Step{
				Turn:    turn,
				Name:    name,
				Class:   p.segment.Class,
				Bearing: out,
				Arrival: arrival,
				At:      p.line[0],
				From:    len(route.Line) - 1,
				in:      in,
				out:     p.edge,
			},
		)
		last++
	}
	route.Steps[last].DistanceM += p.lengthM
	route.Steps[last].DurationS += seconds
	route.DistanceM += p.lengthM
	route.DurationS += seconds
	route.Line = append(route.Line, p.line[1:]...)
}

// turnBy names a change of direction in degrees.
func turnBy(change float64) Turn {
	c := math.Remainder(change, 360)
	names := [...][2]Turn{
		{Straight, Straight},
		{SlightLeft, SlightRight},
		{Left, Right},
		{SharpLeft, SharpRight},
		{Back, Back},
	}
	k := 0
	for _, most := range [...]float64{25, 60, 120, 170} {
		if math.Abs(c) > most {
			k++
		}
	}
	if c < 0 {
		return names[k][0]
	}
	return names[k][1]
}
