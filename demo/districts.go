package demo

import "math"

// otherNames are names that settlements are known by as well: older ones, those of neighbours, the short ones of
// locals.
var otherNames = map[string][]string{
	"Varrowby":       {"old_name", "Varrow Haven", "name:it", "Porto Varro"},
	"Quillmere":      {"old_name", "Quilmouth", "loc_name", "The Mere"},
	"Brannoch Sands": {"alt_name", "Brannoch;Sands of Brannoch"},
	"Skerrow":        {"name:it", "Scherro"},
}

// divide draws the districts of the island: four hundreds, which meet at its middle. They come last, so that all else
// keeps its ids.
func (m *Island) divide() {
	low, high := spot{math.Inf(1), math.Inf(1)}, spot{math.Inf(-1), math.Inf(-1)}
	for i := range m.nodes {
		p := m.nodes[i].at
		low, high = spot{min(low.x, p.x), min(low.y, p.y)}, spot{max(high.x, p.x), max(high.y, p.y)}
	}
	middle := spot{(low.x + high.x) / 2, (low.y + high.y) / 2}
	slant := (high.x - low.x) / 12
	corners := []spot{low, {high.x, low.y}, high, {low.x, high.y}}
	ends := []spot{{middle.x - slant, low.y}, {high.x, middle.y - slant}, {middle.x + slant, high.y},
		{low.x, middle.y + slant}}
	names := []string{"West Hundred", "South Hundred", "East Hundred", "North Hundred"}
	centre := m.nodeAt(middle)
	var edge, spoke []int64
	for i, p := range ends {
		edge = append(edge, m.nodeAt(p))
		spoke = append(spoke, m.way([]int64{centre, edge[i]}))
	}
	for i, name := range names {
		before := (i + 3) % 4
		rim := m.way([]int64{edge[before], m.nodeAt(corners[i]), edge[i]})
		m.relations = append(m.relations, relation{id: m.id(), members: []member{{'w', spoke[before], "outer"},
			{'w', rim, "outer"}, {'w', spoke[i], "outer"}},
			tags: []string{"type", "boundary", "boundary", "administrative", "admin_level", "6", "name", name}})
	}
}
