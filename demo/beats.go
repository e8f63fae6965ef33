package demo

import (
	"cmp"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"viandante/core/geo"
)

// Stretch is a path or an area of the society: a line, rings of which the first is the outer one and all are closed, or
// a middle with a radius.
type Stretch struct {
	Name    string
	Line    []geo.Point
	Rings   [][]geo.Point
	Middle  geo.Point
	RadiusM float64
}

// Beats are what the wardens walk: the longest of the island's paths that have a name.
func (m *Island) Beats(count int) []Stretch {
	var lines []*line
	for _, l := range m.web.lines {
		if l.class == "path" && l.name != "" && length(l.points) > 1200 {
			lines = append(lines, l)
		}
	}
	slices.SortStableFunc(lines, func(a, b *line) int { return cmp.Compare(length(b.points), length(a.points)) })
	var out []Stretch
	taken := map[string]bool{}
	for _, l := range lines {
		from, to := m.nearest(l.points[0]).name, m.nearest(l.points[len(l.points)-1]).name
		name := fmt.Sprintf("%s beat, %s to %s", l.name, from, to)
		if from == to {
			name = fmt.Sprintf("%s beat, %s", l.name, from)
		}
		if taken[name] || len(out) == count {
			continue
		}
		taken[name] = true
		out = append(out, Stretch{Name: name, Line: m.points(thin(l.points, 4))})
	}
	return out
}

func length(points []spot) float64 {
	sum := 0.0
	for i := 1; i < len(points); i++ {
		sum += distance(points[i-1], points[i])
	}
	return sum
}

func (m *Island) points(line []spot) []geo.Point {
	out := make([]geo.Point, len(line))
	for i, p := range line {
		out[i] = m.point(p)
	}
	return out
}

var nestingBirds = []string{"Tern", "Skua", "Petrel", "Plover", "Gannet", "Puffin"}

// NestingGrounds lie along the shore: stretches of it with a way left open through some, and circles round rocks.
func (m *Island) NestingGrounds(count int) []Stretch {
	r := rand.New(rand.NewPCG(uint64(m.noise), 0x4e57))
	coast := slices.MaxFunc(m.coasts, func(a, b []spot) int { return cmp.Compare(length(a), length(b)) })
	var out []Stretch
	for i := range count {
		middle := coast[(i*len(coast)/count+r.IntN(len(coast)/count/3))%len(coast)]
		s := Stretch{Name: fmt.Sprintf("%s ground near %s", nestingBirds[i%len(nestingBirds)], m.nearest(middle).name)}
		radius := 180 + 160*r.Float64()
		switch {
		case i%3 == 2:
			s.Middle, s.RadiusM = m.point(middle), math.Round(radius)
		default:
			s.Rings = append(s.Rings, m.points(closed(m.round(middle, radius*1.3, 18))))
			if i%3 == 1 { // where one may stand
				hole := closed(m.round(middle, radius*0.4, 9))
				slices.Reverse(hole)
				s.Rings = append(s.Rings, m.points(hole))
			}
		}
		out = append(out, s)
	}
	return out
}

func closed(ring []spot) []spot { return append(slices.Clone(ring), ring[0]) }

// WardenAreas divide the island: each town's warden looks after what is nearer to it than to any other town.
func (m *Island) WardenAreas(count int) []Stretch {
	posts := m.settlements[:min(count, len(m.settlements))]
	var all []spot
	for _, coast := range m.coasts {
		all = append(all, coast...)
	}
	around := m.hull(all, 400)
	var out []Stretch
	for _, s := range posts {
		cell := around
		for _, o := range posts {
			if o == s {
				continue
			}
			middle, dir := s.middle.add(o.middle).times(0.5), o.middle.add(s.middle.times(-1))
			beyond := func(p spot) float64 { return (p.x-middle.x)*dir.x + (p.y-middle.y)*dir.y }
			var kept []spot
			for i, p := range cell {
				q := cell[(i+1)%len(cell)]
				d, e := beyond(p), beyond(q)
				if d <= 0 {
					kept = append(kept, p)
				}
				if d < 0 && e > 0 || d > 0 && e < 0 {
					kept = append(kept, p.add(q.add(p.times(-1)).times(d/(d-e))))
				}
			}
			cell = kept
		}
		if len(cell) > 2 {
			out = append(out, Stretch{Name: s.name + " warden's area", Rings: [][]geo.Point{m.points(closed(cell))}})
		}
	}
	return out
}

// hull is the convex outline of some spots, so many metres off from them, with corners a kilometre apart at the least.
func (m *Island) hull(all []spot, off float64) []spot {
	all = slices.Clone(all)
	for i := range all { // off from the middle is off from the shore, nearly
		d := all[i].add(spot{(west + east) / 2, (south + north) / 2}.times(-1))
		all[i] = all[i].add(d.times(off / math.Hypot(d.x, d.y)))
	}
	slices.SortFunc(all, func(a, b spot) int { return cmp.Or(cmp.Compare(a.x, b.x), cmp.Compare(a.y, b.y)) })
	// Andrew 1979, the monotone chain.
	left := func(a, b, c spot) bool { return (b.x-a.x)*(c.y-a.y)-(b.y-a.y)*(c.x-a.x) > 0 }
	half := func(points []spot) []spot {
		var out []spot
		for _, p := range points {
			for len(out) > 1 && !left(out[len(out)-2], out[len(out)-1], p) {
				out = out[:len(out)-1]
			}
			out = append(out, p)
		}
		return out[:len(out)-1]
	}
	lower := half(all)
	slices.Reverse(all)
	ring := append(lower, half(all)...)
	out := ring[:0:0]
	for _, p := range ring {
		if len(out) == 0 || distance(p, out[len(out)-1]) > 1000 && distance(p, out[0]) > 1000 {
			out = append(out, p)
		}
	}
	return out
}
