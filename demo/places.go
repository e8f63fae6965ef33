package demo

import (
	"fmt"
	"math/rand/v2"

	"viandante/core/geo"
)

// Place is one thing that the wayfarers' society keeps up.
type Place struct {
	Name, Category, Description string
	At                          geo.Point
}

// kinds is how many of the categories, the first of them, are of posts.
const kinds = 6

// Categories are the kinds of place, path and area the society has, with the glyph and the colour of each.
var Categories = []struct{ ID, Name, Glyph, Colour string }{
	{"fountain", "Drinking fountain", "drop", "#2F6F8F"},
	{"shelter", "Weather shelter", "roof", "#6B5B3E"},
	{"repair", "Repair stand", "spanner", "#7A4E7E"},
	{"locker", "Lending locker", "key", "#8A6D1F"},
	{"firstaid", "First-aid post", "cross", "#A8432F"},
	{"lookout", "Lookout", "eye", "#24705F"},
	{"beat", "Warden's beat", "winding", "#9A4A1E"},
	{"nesting", "Nesting ground", "nest", "#8A2F5A"},
	{"ward", "Warden's area", "badge", "#3F5A86"},
}

var placeWords = map[string][]string{
	"fountain": {
		"Fountain",
		"Spring",
		"Pump",
		"Spout",
	}, "shelter": {"Shelter", "Bothy", "Lean-to"}, "repair": {"Repair Stand", "Bench & Vice"},
	"locker": {"Lending Locker", "Loan Chest"}, "firstaid": {"First-aid Post"}, "lookout": {"Lookout", "Watch Stone"},
}

// Places returns the society's posts, the same for the same island.
func (m *Island) Places(count int) []Place {
	var out []Place
	r := rand.New(rand.NewPCG(uint64(m.noise), 0x9057)) // of its own, so that asking twice gives the same
	for _, i := range r.Perm(len(m.along))[:min(count, len(m.along))] {
		c := Categories[r.IntN(kinds)]
		words := placeWords[c.ID]
		p := m.along[i]
		out = append(out, Place{
			Name:     streetFirst[r.IntN(len(streetFirst))] + " " + words[r.IntN(len(words))],
			Category: c.ID, At: m.point(p),
			Description: fmt.Sprintf("%s near %s, looked after by the wayfarers' society.", c.Name, m.nearest(p).name),
		})
	}
	return out
}

// Standpoint is where the demo stands at first: the town's square.
func (m *Island) Standpoint() geo.Point { return m.point(m.settlements[0].middle) }
