package catalog

import (
	"bytes"
	"slices"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/spatial"
)

// Near asks for the places round a position.
type Near struct {
	At               geo.Point
	BeyondM, WithinM float64 // +Inf for no bound
	// Collections and Categories are the only ones, where there are any.
	Collections, Categories []string
	// Kinds are those that are looked for, places where there are none.
	Kinds []string
	// Where are attributes with the text of their values.
	Where map[string]string
	// Round, where it is known, is what distances are taken from instead of At: to the nearest of its positions, and 0
	// in an area. Only places are looked for round one that is no point.
	Round feature.Geometry
	Limit int
	// Count has all of the ring counted where there are more than Limit.
	Count bool
}

// Hit is a feature with its geodesic distance in metres.
type Hit struct {
	Row
	DistanceM float64
	// Nearest is the nearest position of a path or an area, the other one itself where that lies in it.
	Nearest geo.Point
}

// Near returns the nearest places of the ring, both its ends included, by distance, ties by id.
func (s *Snapshot) Near(v View, q Near) []Hit {
	search := spatial.Search{Center: q.At, BeyondM: q.BeyondM, WithinM: q.WithinM, N: q.Limit,
		Less: func(a, b uint32) bool {
			x, y := s.id(a), s.id(b)
			return bytes.Compare(x[:], y[:]) < 0
		},
		Keep: s.kept(v, q)}
	for i := len(s.runs) - 1; i >= 0; i-- { // the base last, with what the others found
		search.In(s.runs[i].points)
	}
	found := search.Found()
	out := make([]Hit, len(found))
	for i, f := range found {
		out[i] = Hit{Row: s.row(f.Item), DistanceM: f.DistanceM}
	}
	return out
}

// CountNear returns how many places lie in the ring, by bounds on their distances but for those at its edges.
func (s *Snapshot) CountNear(v View, q Near) int {
	keep, n := s.kept(v, q), 0
	for _, one := range s.runs {
		n += one.points.Count(q.At, q.BeyondM, q.WithinM, keep)
	}
	return n
}

// kept tells of an item whether it holds, is in the view, and is let through by what else is asked for.
func (s *Snapshot) kept(v View, q Near) func(item uint32) bool {
	only := s.groupsOf(v, q.Collections, q.Categories, nil)
	return func(item uint32) bool {
		k, i := s.at32(item)
		return k != nil && only[k.group[i]] && (len(q.Where) == 0 || s.row(item).has(q.Where, true))
	}
}

// at32 returns the chunk and place of an item that holds, nil for one that does not.
func (s *Snapshot) at32(item uint32) (*chunk, int) {
	if !s.holds(item) {
		return nil, 0
	}
	return s.at(item)
}

// groupsOf tells of each group whether it is in the view and among those that a filter lets through.
func (s *Snapshot) groupsOf(v View, collections, categories, kinds []string) []bool {
	among := func(list []string, one string) bool { return len(list) == 0 || slices.Contains(list, one) }
	out := make([]bool, len(s.groups))
	for i := range s.groups {
		g := &s.groups[i]
		out[i] = s.counts[i] > 0 && v.Sees(g.collection) && among(collections, g.collection) &&
			among(categories, g.category) && among(kinds, g.kind.String())
	}
	return out
}

// Page asks for the features of a collection by their ids.
type Page struct {
	Collection string
	Box        *geo.Box
	// Name and Category, where given, are the only ones.
	Name, Category *string
	// Where are attributes with the text of their values.
	Where map[string]string
	// After is the id that the page before ended with.
	After [16]byte
	Limit int
}

// Page returns the first features after an id.
func (s *Snapshot) Page(v View, q Page) []Row {
	var categories []string
	if q.Category != nil {
		categories = []string{*q.Category}
	}
	only := s.groupsOf(v, []string{q.Collection}, categories, nil)
	matches := func(item uint32) bool {
		k, i := s.at32(item)
		if k == nil || !only[k.group[i]] {
			return false
		}
		if q.Name == nil && q.Box == nil && len(q.Where) == 0 {
			return true
		}
		r := s.row(item)
		return (q.Name == nil || r.Name() == *q.Name) && (q.Box == nil || r.reachesInto(*q.Box)) && r.has(q.Where, true)
	}
	var found []uint32
	for _, one := range s.runs {
		from, _ := slices.BinarySearchFunc(one.byID, q.After, func(item uint32, after [16]byte) int {
			id := s.id(item)
			if bytes.Compare(id[:], after[:]) <= 0 {
				return -1
			}
			return 1
		})
		taken := 0
		for _, item := range one.byID[from:] {
			if taken == q.Limit {
				break
			}
			if matches(item) {
				found = append(found, item)
				taken++
			}
		}
	}
	slices.SortFunc(found, s.byID)
	out := make([]Row, min(q.Limit, len(found)))
	for i := range out {
		out[i] = s.row(found[i])
	}
	return out
}

// reachesInto tells whether a feature shares a position with a box.
func (r Row) reachesInto(box geo.Box) bool {
	if p := r.Point(); p.IsValid() {
		return box.Contains(p)
	}
	return r.g.kind != feature.Place && r.Geometry().Intersects(box)
}
