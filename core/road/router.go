// Package road finds ways along the network of a region, and tells them as people do.
//
// What may be travelled, and how fast, is a Profile's to say. A Metric is what it makes of a region: what each directed
// edge costs, and each turn. The search runs over the graph of turns (core/region), by a hierarchy that any metric can
// be put on (core/hierarchy); A* and Dijkstra's algorithm do the same on the same graph, slower: A* answers until a
// metric is ready, Dijkstra's is what both are held to. docs/routing.md has the whole.
package road

import (
	"context"
	"errors"
	"sync"

	"viandante/core/geo"
	"viandante/core/hierarchy"
	"viandante/core/region"
)

// ErrNoRoute is returned when both ends lie on roads but no way leads from one to the other.
var ErrNoRoute = errors.New("there is no way there")

// Router answers for one region and all metrics of it. It is safe for use by many goroutines.
type Router struct {
	region  *region.Region
	queries *hierarchy.Pool
	labels  sync.Pool
	// costs and arrivals are memory for searches of reach, a place for each vertex and each edge.
	costs, arrivals sync.Pool
}

// NewRouter returns a router; nothing is prepared but memory for searches, which is kept from one to the next.
func NewRouter(r *region.Region) *Router {
	router := &Router{region: r, queries: hierarchy.NewPool(r.Hierarchy())}
	router.labels.New = func() any { return newLabels(r.Vertices()) }
	router.costs.New = func() any { cost := make([]uint32, r.Vertices()); return &cost }
	router.arrivals.New = func() any { at := make([]arrival, 2*r.Segments()); return &at }
	return router
}

// Find returns the quickest way between two points. The error is a *CutOffError, which is an ErrNoRoute, an
// *OffRoadError, or that of the context.
func (r *Router) Find(ctx context.Context, m *Metric, from, to geo.Point) (*Route, error) {
	return r.find(ctx, m, r.method(m), from, to)
}

func (r *Router) find(ctx context.Context, m *Metric, by search, from, to geo.Point) (*Route, error) {
	start, end, err := r.locateBoth(m, from, to)
	if err != nil {
		return nil, err
	}
	way, err := r.best(ctx, m, by, start, end)
	if err != nil {
		return nil, err
	}
	if way.cost >= Infinite {
		return nil, r.cutOff(ctx, m, start, end, from, to)
	}
	return r.assemble(m, start[way.from], end[way.to], way, to), nil
}
