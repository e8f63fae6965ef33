// Package road finds ways along the network of a region.
//
// The search is A* (Hart, Nilsson and Raphael 1968) with the straight line at the network's greatest speed as its lower
// bound: the way it finds is the quickest there is. It settles a share of the junctions that grows with the distance; a
// way across the demo island costs some 0.4 ms (make bench). Router is the seam at which a faster method goes.
package road

import (
	"context"
	"errors"
	"fmt"
	"math"
	"sync"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// ErrNoRoute is returned when both ends lie on roads but no way leads from one to the other.
var ErrNoRoute = errors.New("there is no way there")

// OffRoadError is returned when no usable road is near enough to a point.
type OffRoadError struct {
	At   geo.Point
	Mode region.Mode
}

func (e *OffRoadError) Error() string {
	return fmt.Sprintf("no road for %s lies within %.0f km of %v", e.Mode, maxSnapM/1000, e.At)
}

const (
	// maxSnapM is how far a point may lie from the road it is brought to, in metres.
	maxSnapM = 5000.0
	// A point is rather brought to a road that belongs to a net of at least this many junctions, if one lies no more
	// than this many metres farther away than the nearest stretch.
	mainNet, mainNetDetourM = 50, 250
)

// Router answers for one region and all modes. It is safe for use by many goroutines.
type Router struct {
	region   *region.Region
	modes    [3]modeData
	searches sync.Pool
}

// modeData is what a router knows of a mode beforehand.
type modeData struct {
	fastest float64 // m/s
	net     []int32 // size of the net that each junction belongs to
}

// NewRouter prepares a router; it costs some 50 ns for each junction and segment, three times over.
func NewRouter(r *region.Region) *Router {
	router := &Router{region: r}
	for mode := range router.modes {
		router.modes[mode] = prepare(r, region.Mode(mode))
	}
	router.searches.New = func() any { return newSearch(r.Junctions()) }
	return router
}

// prepare finds the greatest speed and, by union-find (Tarjan 1975), the nets that hang together.
func prepare(r *region.Region, mode region.Mode) modeData {
	d := modeData{fastest: 1, net: make([]int32, r.Junctions())}
	parent := make([]uint32, r.Junctions())
	for i := range parent {
		parent[i] = uint32(i)
	}
	find := func(i uint32) uint32 {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	for i := range uint32(r.Segments()) {
		if s := r.Segment(i); s.Access.Any(mode) {
			d.fastest = math.Max(d.fastest, speed(mode, s))
			parent[find(s.From)] = find(s.To)
		}
	}
	sizes := make([]int32, r.Junctions())
	for i := range parent {
		sizes[find(uint32(i))]++
	}
	for i := range d.net {
		d.net[i] = sizes[find(uint32(i))]
	}
	return d
}

// snap is a position on a segment.
type snap struct {
	segment uint32
	at      geo.Point
	// alongM and restM are the metres to the segment's start and to its end.
	alongM, restM float64
	// after is the index of the shape's point before the position.
	after int
	// offM is how far the asked point lies from the road.
	offM float64
}

// locate brings a point to the road.
func (r *Router) locate(mode region.Mode, p geo.Point) (snap, error) {
	best, main := snap{offM: math.Inf(1)}, snap{offM: math.Inf(1)}
	var candidate snap
	r.region.SegmentTree().Nearest(region.BoxDistance(p), func(i int) float64 {
		if !r.region.Segment(uint32(i)).Access.Any(mode) {
			return math.Inf(1)
		}
		return r.project(uint32(i), p).offM
	}, func(i int, d float64) bool {
		if d > maxSnapM || d > best.offM+mainNetDetourM {
			return false
		}
		candidate = r.project(uint32(i), p)
		if math.IsInf(best.offM, 1) {
			best = candidate
		}
		if r.modes[mode].net[r.region.Segment(uint32(i)).From] >= mainNet {
			main = candidate
			return false
		}
		return true
	})
	switch {
	case math.IsInf(best.offM, 1):
		return snap{}, &OffRoadError{p, mode}
	case !math.IsInf(main.offM, 1):
		return main, nil
	}
	return best, nil
}

// project finds the point of a segment nearest to p, on a plane that fits p's surroundings, and measures on the
// ellipsoid.
func (r *Router) project(i uint32, p geo.Point) snap {
	shape := r.region.Shape(i)
	cos := math.Cos(p.Lat() * math.Pi / 180)
	bestK, bestT, bestD := 0, 0.0, math.Inf(1)
	local := func(e geo.E7) (x, y float64) {
		return geo.WrapLng(float64(e.Lng)/1e7-p.Lng()) * cos, float64(e.Lat)/1e7 - p.Lat()
	}
	for k := 1; k < len(shape); k++ {
		ax, ay := local(shape[k-1])
		bx, by := local(shape[k])
		dx, dy := bx-ax, by-ay
		t := 0.0
		if l := dx*dx + dy*dy; l > 0 {
			t = math.Max(0, math.Min(1, -(ax*dx+ay*dy)/l))
		}
		if d := math.Hypot(ax+t*dx, ay+t*dy); d < bestD {
			bestK, bestT, bestD = k-1, t, d
		}
	}
	a, b := shape[bestK].Point(), shape[bestK+1].Point()
	s := snap{segment: i, after: bestK}
	s.at = geo.MustPoint(a.Lat()+bestT*(b.Lat()-a.Lat()), geo.WrapLng(a.Lng()+bestT*geo.WrapLng(b.Lng()-a.Lng()))).
		Rounded()
	for k := 1; k <= bestK; k++ {
		s.alongM += geodesy.Distance(shape[k-1].Point(), shape[k].Point())
	}
	s.alongM += geodesy.Distance(a, s.at)
	s.restM = math.Max(0, r.region.Segment(i).LengthM-s.alongM)
	s.offM = geodesy.Distance(p, s.at)
	return s
}

// Find returns the quickest way between two points. The error is ErrNoRoute, an *OffRoadError, or that of the context.
func (r *Router) Find(ctx context.Context, mode region.Mode, from, to geo.Point) (*Route, error) {
	start, err := r.locate(mode, from)
	if err != nil {
		return nil, err
	}
	end, err := r.locate(mode, to)
	if err != nil {
		return nil, err
	}
	direct := math.Inf(1)
	if s := r.region.Segment(start.segment); start.segment == end.segment &&
		(start.alongM == end.alongM || s.Access.Allows(mode, end.alongM < start.alongM)) {
		direct = math.Abs(end.alongM-start.alongM) / speed(mode, s)
	}
	edges, cost, ok := r.search(ctx, mode, start, end, direct)
	switch {
	case ok && cost < direct:
		return r.assemble(mode, start, end, edges), nil
	case !math.IsInf(direct, 1):
		return r.assemble(mode, start, end, nil), nil
	case ctx.Err() != nil:
		return nil, ctx.Err()
	}
	return nil, ErrNoRoute
}
