package road

import (
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// Astray returns a line that leaves a route at the junction where one of its steps begins: what somebody travels who
// takes the wrong road there. It follows the road that choose picks of those that are neither the route's nor the way
// back, goes straight on at further junctions, and ends after so many metres or where it can go no further. It is nil
// where the junction has no other road that may be used. choose is given their number, and returns one below it.
func (r *Router) Astray(m *Metric, route *Route, step int, metres float64, choose func(n int) int) []geo.Point {
	s := route.Steps[step]
	if s.in == none || s.out == none {
		return nil
	}
	edges := r.onward(m, s.in, func(e uint32) bool { return e != s.out })
	if len(edges) == 0 {
		return nil
	}
	edge := edges[choose(len(edges))]
	line := []geo.Point{s.At}
	used := map[uint32]bool{}
	for travelled := 0.0; ; {
		used[edge/2] = true
		for _, p := range r.lineOf(edge)[1:] {
			from := line[len(line)-1]
			d := geodesy.Distance(from, p)
			if travelled+d >= metres {
				at, _, err := geodesy.Destination(geodesy.Ellipsoid, from, bearing(from, p), metres-travelled)
				if err != nil || d == 0 {
					return line
				}
				return append(line, at.Rounded())
			}
			if d > 0 {
				line, travelled = append(line, p), travelled+d
			}
		}
		last := len(line) - 1
		next := r.onward(m, edge, func(e uint32) bool { return !used[e/2] })
		if len(next) == 0 || last == 0 {
			return line
		}
		ahead := bearing(line[last-1], line[last])
		edge = slices.MinFunc(next, func(a, b uint32) int {
			return int(math.Round(r.bend(ahead, a) - r.bend(ahead, b)))
		})
	}
}

// onward returns the edges that may be taken after one, without those that turn back.
func (r *Router) onward(m *Metric, in uint32, wanted func(uint32) bool) (out []uint32) {
	for _, e := range r.region.Edges(r.region.Head(in)) {
		if e != in^1 && wanted(e) && m.Open(e) {
			out = append(out, e)
		}
	}
	return out
}

// bend is by how many degrees an edge turns away from a direction.
func (r *Router) bend(ahead float64, edge uint32) float64 {
	line := distinct(r.lineOf(edge))
	if len(line) < 2 {
		return 180
	}
	return math.Abs(math.Remainder(bearing(line[0], line[1])-ahead, 360))
}
