package road

import (
	"fmt"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// OffRoadError is returned when no usable road is near enough to a point.
type OffRoadError struct {
	At      geo.Point
	Profile string
}

func (e *OffRoadError) Error() string {
	return fmt.Sprintf("no road for %s lies within %.0f km of %v", e.Profile, maxSnapM/1000, e.At)
}

const (
	// maxSnapM is how far a point may lie from the road it is brought to, in metres.
	maxSnapM = 5000.0
	// A point is rather brought to a road that belongs to a net of at least this many junctions, if one lies no more
	// than this many metres farther away than the nearest stretch.
	mainNet, mainNetDetourM = 50, 250
	// Other roads are candidates besides the nearest where they lie no more than so many metres, or this share, farther
	// away; so many at most.
	alsoM, alsoShare, mostSnaps = 15.0, 0.5, 5
	// walkMPS is what somebody makes on foot from the point to the road, in metres per second.
	walkMPS = 1.39
)

// snap is a position on a segment.
type snap struct {
	segment uint32
	at      geo.Point
	// alongM and restM are the metres to the segment's start and to its end.
	alongM, restM float64
	// after is the index of the shape's point before the position.
	after int
	// offM is how far the asked point lies from the road, extra what that counts beside the nearest candidate, in
	// ticks.
	offM  float64
	extra uint32
}

// part is what of an edge lies behind the position, from 0 at its start to 1 at its end.
func (s snap) part(edge uint32) float64 {
	length := s.alongM + s.restM
	if length <= 0 {
		return 0
	}
	if edge&1 == 1 {
		return s.restM / length
	}
	return s.alongM / length
}

// locate brings a point to the roads: the nearest one, and others that are hardly farther.
func (r *Router) locate(m *Metric, p geo.Point) ([]snap, error) {
	var snaps []snap
	best, main := math.Inf(1), false
	r.region.SegmentTree().Nearest(region.BoxDistance(p), func(i int) float64 {
		if !m.anyOpen(uint32(i)) {
			return math.Inf(1)
		}
		return r.project(uint32(i), p).offM
	}, func(i int, d float64) bool {
		inMain := m.net[r.region.Segment(uint32(i)).From] >= mainNet
		near := d <= best+math.Max(alsoM, best*alsoShare)
		switch {
		case d > maxSnapM, !near && (main || d > best+mainNetDetourM), len(snaps) >= mostSnaps && main:
			return false
		case !near && !inMain, len(snaps) >= mostSnaps && !inMain:
			return true
		}
		best, main = math.Min(best, d), main || inMain
		snaps = append(snaps, r.project(uint32(i), p))
		return true
	})
	if len(snaps) == 0 {
		return nil, &OffRoadError{p, m.Profile.Name}
	}
	if main { // what hangs together with nothing is no candidate beside what does
		snaps = slices.DeleteFunc(snaps, func(s snap) bool {
			return m.net[r.region.Segment(s.segment).From] < mainNet
		})
	}
	for i := range snaps {
		snaps[i].extra = toTicks((snaps[i].offM - snaps[0].offM) / walkMPS * m.Profile.WalkWeight)
	}
	return snaps, nil
}

// locateBoth brings both ends of a way to the roads.
func (r *Router) locateBoth(m *Metric, from, to geo.Point) (start, end []snap, err error) {
	if start, err = r.locate(m, from); err != nil {
		return nil, nil, err
	}
	end, err = r.locate(m, to)
	return start, end, err
}

// nearestOn returns the point of a line nearest to p, on a plane that fits p's surroundings: behind which of the line's
// points, which part of the way to the next, and where.
func nearestOn(line []geo.Point, p geo.Point) (after int, part float64, foot geo.Point) {
	cos := math.Cos(p.Lat() * math.Pi / 180)
	best := math.Inf(1)
	local := func(q geo.Point) (x, y float64) { return geo.WrapLng(q.Lng()-p.Lng()) * cos, q.Lat() - p.Lat() }
	for k := 1; k < len(line); k++ {
		ax, ay := local(line[k-1])
		bx, by := local(line[k])
		dx, dy := bx-ax, by-ay
		t := 0.0
		if l := dx*dx + dy*dy; l > 0 {
			t = math.Max(0, math.Min(1, -(ax*dx+ay*dy)/l))
		}
		if d := math.Hypot(ax+t*dx, ay+t*dy); d < best {
			after, part, best = k-1, t, d
		}
	}
	return after, part, between(line[after], line[after+1], part)
}

// project finds the point of a segment nearest to p, and measures on the ellipsoid.
func (r *Router) project(i uint32, p geo.Point) snap {
	shape := points(r.region.Shape(i))
	k, _, foot := nearestOn(shape, p)
	s := snap{segment: i, after: k, at: foot.Rounded()}
	for j := 1; j <= k; j++ {
		s.alongM += geodesy.Distance(shape[j-1], shape[j])
	}
	length := r.region.LengthOf(i)
	s.alongM = math.Min(length, s.alongM+geodesy.Distance(shape[k], s.at))
	s.restM = length - s.alongM
	s.offM = geodesy.Distance(p, s.at)
	return s
}

// share returns a part of a cost.
func share(cost uint32, part float64) uint32 { return uint32(math.Round(float64(cost) * part)) }
