package road

import (
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/hierarchy"
	"viandante/core/region"
	"viandante/core/spatial"
)

// Closure is what holds for a stretch of road for some time.
type Closure struct {
	// Number tells closures apart, for whoever wants to know which a way avoids.
	Number int
	// Factor multiplies the time that a stretch takes: 1 leaves it as it is; Infinity blocks it.
	Factor float64
}

func (c Closure) slow(ticks uint32) uint32 {
	if ticks >= Infinite || math.IsInf(c.Factor, 1) {
		return Infinite
	}
	return uint32(min(longestTicks, math.Round(float64(ticks)*c.Factor)))
}

// Closed returns the metric with some closures, by directed edge, in place of those that it has; only what depends on
// the difference is customized again.
func (m *Metric) Closed(closures map[uint32]Closure) *Metric {
	next := *m
	next.closed = closures
	var changed []uint32
	for e, c := range closures {
		if old, ok := m.closed[e]; !ok || old.Factor != c.Factor {
			changed = append(changed, e)
		}
	}
	for e := range m.closed {
		if _, ok := closures[e]; !ok {
			changed = append(changed, e)
		}
	}
	return m.changed(&next, changed)
}

// Avoiding returns the metric where roads of some traits are taken only where there is nothing else.
func (m *Metric) Avoiding(traits Trait) *Metric {
	if traits == m.avoided {
		return m
	}
	next := *m
	next.avoided = traits
	var changed []uint32
	for i := range uint32(m.region.Segments()) {
		if had := m.rules[m.region.Segment(i).Kind].traits; had&traits != 0 != (had&m.avoided != 0) {
			changed = append(changed, 2*i, 2*i+1)
		}
	}
	return m.changed(&next, changed)
}

// manyChanges is from which share of the edges on it is quicker to customize all.
const manyChanges = 0.02

func (m *Metric) changed(next *Metric, edges []uint32) *Metric {
	if m.weighed == nil || len(edges) == 0 {
		return next
	}
	r := m.region
	if float64(len(edges)) > manyChanges*float64(2*r.Segments()) {
		return next.Customize(m.parallel)
	}
	slices.Sort(edges)
	var arcs []hierarchy.Arc
	for _, e := range edges {
		for _, out := range r.Edges(r.Tail(e)) {
			r.CopiesOf(out^1, func(v uint32) {
				if to := r.Turn(v, e); out != e || r.MayTurnRound(out^1) {
					arcs = append(arcs, hierarchy.Arc{From: r.Rank(v), To: r.Rank(to)})
				}
			})
		}
	}
	next.weighed = m.weighed.Changed(weights{next}, arcs)
	next.sums = hierarchy.NewSums(next.weighed, next.measure)
	return next
}

// Closures returns what is closed.
func (m *Metric) Closures() map[uint32]Closure { return m.closed }

// besideM is how far a road may lie from a line that names it, in metres; alongShare which part of it must lie so near,
// or alongM how many metres: more than of a road that only crosses.
const (
	besideM    = 12.0
	alongShare = 0.6
	alongM     = 40.0
)

// SegmentsAlong returns the segments that a line of at least two positions follows: most of their length lies beside
// it, or a good stretch.
func SegmentsAlong(r *region.Region, line []geo.Point) (found []uint32) {
	for _, i := range segmentsNear(r, line, besideM) {
		shape := points(r.Shape(i))
		near, length := 0.0, 0.0
		for k := 1; k < len(shape); k++ {
			d := geodesy.Distance(shape[k-1], shape[k])
			n := 1 + int(d/besideM)
			for j := range n {
				t := (float64(j) + 0.5) / float64(n)
				p := between(shape[k-1], shape[k], t)
				length += d / float64(n)
				if _, _, foot := nearestOn(line, p); geodesy.Distance(foot, p) <= besideM {
					near += d / float64(n)
				}
			}
		}
		if near >= math.Min(alongShare*length, alongM) {
			found = append(found, i)
		}
	}
	return found
}

// SegmentsIn returns the segments that have a part in an area: rings of positions, the first the outline.
func SegmentsIn(r *region.Region, box geo.Box, inside func(geo.Point) bool) (found []uint32) {
	for _, b := range boxes(box) {
		r.SegmentTree().Search(b, func(i int) bool {
			shape := points(r.Shape(uint32(i)))
			for k := 1; k < len(shape); k++ {
				n := 1 + int(geodesy.Distance(shape[k-1], shape[k])/besideM)
				for j := range n + 1 {
					if inside(between(shape[k-1], shape[k], float64(j)/float64(n))) {
						found = append(found, uint32(i))
						return true
					}
				}
			}
			return true
		})
	}
	slices.Sort(found)
	return slices.Compact(found)
}

func between(a, b geo.Point, t float64) geo.Point {
	return geo.MustPoint(a.Lat()+t*(b.Lat()-a.Lat()), geo.WrapLng(a.Lng()+t*geo.WrapLng(b.Lng()-a.Lng())))
}

// boxes returns a box as boxes of the index, two where it crosses the antimeridian.
func boxes(b geo.Box) []spatial.Box {
	one := func(west, east float64) spatial.Box {
		return spatial.Box{MinX: int32(west * 1e7), MinY: int32(b.South * 1e7), MaxX: int32(east * 1e7),
			MaxY: int32(b.North * 1e7)}
	}
	if b.West > b.East {
		return []spatial.Box{one(b.West, 180), one(-180, b.East)}
	}
	return []spatial.Box{one(b.West, b.East)}
}

func segmentsNear(r *region.Region, line []geo.Point, metres float64) (found []uint32) {
	for k := 1; k < len(line); k++ {
		a, b := line[k-1], line[k]
		lat := metres / 110000
		lng := lat / math.Max(0.01, math.Cos(a.Lat()*math.Pi/180))
		box := geo.Box{South: max(-90, min(a.Lat(), b.Lat())-lat), North: min(90, max(a.Lat(), b.Lat())+lat)}
		west, east := a.Lng(), a.Lng()+geo.WrapLng(b.Lng()-a.Lng())
		box.West, box.East = geo.WrapLng(min(west, east)-lng), geo.WrapLng(max(west, east)+lng)
		for _, q := range boxes(box) {
			r.SegmentTree().Search(q, func(i int) bool { found = append(found, uint32(i)); return true })
		}
	}
	slices.Sort(found)
	return slices.Compact(found)
}

// SegmentOf returns the segment that a stable id names: the way, and the nodes of the source at its ends.
func SegmentOf(r *region.Region, id string) (uint32, bool) {
	for i := range uint32(r.Segments()) {
		if SegmentID(r, i) == id {
			return i, true
		}
	}
	return 0, false
}
