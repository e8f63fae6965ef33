package road

import (
	"math"

	"viandante/core/geo"
	"viandante/core/region"
)

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
	// Exit is which way out of a roundabout is taken, from 1 on; 0 where there is none.
	Exit int
	// Side is where what one comes to lies, at the end: left, right, or "" where it lies on the way.
	Side string
	// Climb tells of steps whether they lead up (above 0) or down.
	Climb float64
	// in and out are the edges by which the junction is reached and left; none at the start.
	in, out uint32
	// name is the number of Name.
	name uint32
}

// guide makes the line and the steps of a route.
func (r *Router) guide(m *Metric, route *Route, pieces []piece) {
	exits, inside := 0, false // ways out of a roundabout passed, and whether one is on it
	for i, p := range pieces {
		in := none
		if i > 0 {
			in = pieces[i-1].edge
		}
		round := m.rule(p.edge).roundabout
		if len(p.line) > 1 {
			switch {
			case in != none && round && !inside:
				r.step(route, p, in, turnAt(route, p)) // into the roundabout: the exit is known when it is left
				exits, inside = 0, true
			case in != none && inside && !round:
				exits++
				last := &route.Steps[len(route.Steps)-1]
				last.Exit, last.Name, last.name = exits, r.region.Text(p.segment.Name), p.segment.Name
				last.Class = p.segment.Class
				last.Turn = turnOver(route, last, p)
				inside = false
			case inside: // on, past other ways out
			default:
				if turn, wanted := r.wanted(m, route, p, in); wanted {
					r.step(route, p, in, turn)
				}
			}
			if inside && in != none && m.rule(in).roundabout {
				exits += r.waysOut(m, in, p.edge)
			}
		}
		r.extend(route, p)
	}
	for i := range route.Steps {
		route.Steps[i].Arms = r.arms(route.Steps[i].in, route.Steps[i].out)
	}
}

// waysOut counts the ways out between two edges of a roundabout that the mode could have taken.
func (r *Router) waysOut(m *Metric, in, out uint32) (n int) {
	for _, e := range r.region.Edges(r.region.Tail(out)) {
		if e != out && e != in^1 && !m.rule(e).roundabout && m.Open(e) {
			n++
		}
	}
	return n
}

// turnAt names the change of direction where a piece begins.
func turnAt(route *Route, p piece) Turn {
	if n := len(route.Line); len(route.Steps) > 0 && n > 1 {
		return turnBy(heading(p.line[0], p.line[1]) - heading(route.Line[n-2], route.Line[n-1]))
	}
	return Depart
}

// heading is about the bearing from one point to another that is near: on a plane, to a hundredth of a degree. Which
// way
// a road turns needs no more, and it is asked for at each junction.
func heading(from, to geo.Point) float64 {
	cos := math.Cos((from.Lat() + to.Lat()) / 2 * math.Pi / 180)
	return math.Atan2(geo.WrapLng(to.Lng()-from.Lng())*cos, to.Lat()-from.Lat()) * 180 / math.Pi
}

// turnOver names the change of direction over a roundabout, from the way in to the way out.
func turnOver(route *Route, s *Step, out piece) Turn {
	if math.IsNaN(s.Arrival) {
		return s.Turn
	}
	return turnBy(bearing(out.line[0], out.line[1]) - s.Arrival)
}

// wanted tells whether a step begins with a piece: where there is something to decide or to tell. The same street
// straight on is neither.
func (r *Router) wanted(m *Metric, route *Route, p piece, in uint32) (Turn, bool) {
	if len(route.Steps) == 0 {
		return Depart, true
	}
	turn := turnAt(route, p)
	last := &route.Steps[len(route.Steps)-1]
	ferry := p.segment.Class == region.Ferry
	switch {
	case turn == Back, ferry != (last.Class == region.Ferry):
		return turn, true
	case p.segment.Class == region.Steps && last.Class != region.Steps && p.lengthM > 0:
		return turn, true
	case last.Class == region.Steps && p.segment.Class != region.Steps:
		return turn, true
	case p.segment.Name != last.name:
		// A stretch without a name that goes on between two of one name is no news; a bend without another road
		// neither.
		return turn, p.segment.Name != 0 || turn != Straight || r.choices(m, in, p.edge) > 1
	case turn == Straight:
		return turn, p.segment.Name == 0 && p.segment.Class != last.Class
	case p.segment.Name == 0:
		return turn, r.choices(m, in, p.edge) > 1 || p.segment.Class != last.Class
	}
	return turn, turn != SlightLeft && turn != SlightRight && r.straighter(m, in, p.edge)
}

// choices counts the ways that lead on from one edge, the one taken included.
func (r *Router) choices(m *Metric, in, out uint32) (n int) {
	for _, e := range r.region.Edges(r.region.Tail(out)) {
		if e != in^1 && m.Open(e) {
			n++
		}
	}
	return n
}

// straighter tells whether another road leads on straighter than the one taken.
func (r *Router) straighter(m *Metric, in, out uint32) bool {
	bend := func(e uint32) int {
		a := int(int8(r.region.Outward(e) - r.region.Inward(in)))
		return max(a, -a)
	}
	taken := bend(out)
	for _, e := range r.region.Edges(r.region.Tail(out)) {
		if e != in^1 && e != out && m.Open(e) && bend(e) < taken {
			return true
		}
	}
	return false
}

func (r *Router) step(route *Route, p piece, in uint32, turn Turn) {
	arrival := math.NaN()
	if n := len(route.Line); len(route.Steps) > 0 && n > 1 {
		arrival = bearing(route.Line[n-2], route.Line[n-1])
	}
	s := Step{Turn: turn, Name: r.region.Text(p.segment.Name), name: p.segment.Name, Class: p.segment.Class,
		Arrival: arrival,
		Bearing: bearing(p.line[0], p.line[1]), At: p.line[0], From: len(route.Line) - 1, in: in, out: p.edge}
	if p.segment.Class == region.Steps {
		s.Climb = p.segment.UpM - p.segment.DownM
		if p.edge&1 == 1 {
			s.Climb = -s.Climb
		}
	}
	route.Steps = append(route.Steps, s)
}

// extend goes on along a piece in the last step.
func (r *Router) extend(route *Route, p piece) {
	if len(route.Steps) > 0 {
		last := &route.Steps[len(route.Steps)-1]
		last.DistanceM += p.lengthM
		last.DurationS += p.seconds
		route.DistanceM += p.lengthM
		route.DurationS += p.seconds
	}
	if len(p.line) > 1 {
		route.Line = append(route.Line, p.line[1:]...)
	}
}

// besideWayM is from how far off the road on a place lies at its side.
const besideWayM = 3

// arrive adds the last step.
func (r *Router) arrive(route *Route, end snap, to geo.Point) {
	arrival, side := math.NaN(), ""
	if n := len(route.Line); len(route.Steps) > 0 && route.Line[n-2] != route.Line[n-1] {
		arrival = bearing(route.Line[n-2], route.Line[n-1])
		if end.offM > besideWayM {
			switch off := math.Remainder(bearing(end.at, to)-arrival, 360); {
			case off > 20 && off < 160:
				side = "right"
			case off < -20 && off > -160:
				side = "left"
			}
		}
	}
	route.Steps = append(route.Steps, Step{Turn: Arrive, At: end.at, From: len(route.Line) - 1, Bearing: math.NaN(),
		Arrival: arrival, Side: side, in: none, out: none})
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
