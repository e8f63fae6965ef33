package road

import (
	"context"

	"viandante/core/geo"
)

// The methods of search, for tests that hold each of them to the same suite.
const (
	ByHierarchy = "hierarchy"
	ByAStar     = "A*"
	ByDijkstra  = "Dijkstra"
)

// FindBy is Find by one of the methods.
func (r *Router) FindBy(ctx context.Context, m *Metric, method string, from, to geo.Point) (*Route, error) {
	by := map[string]search{ByHierarchy: r.hierarchical, ByAStar: r.astar, ByDijkstra: r.dijkstra}[method]
	return r.find(ctx, m, by, from, to)
}

// TurnBy names a change of direction in degrees.
var TurnBy = turnBy

// AtEndsOnly tells whether an edge is for the ends of ways only.
func (m *Metric) AtEndsOnly(edge uint32) bool { return m.atEndsOnly(edge) }

// Bound tells whether a restriction of some tags binds the profile.
func (p *Profile) Bound(tags string) bool { return p.bound(parseTags(tags)) }
