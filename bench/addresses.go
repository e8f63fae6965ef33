package main

import (
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"

	"viandante/core/geo"
	"viandante/core/region"
)

// addressed is an address of a made-up country, whether or not its region file holds it.
type addressed struct {
	street, number, postcode, locality string
	at                                 geo.Point
	left                               bool // out of the region: what maps do not know yet
}

// country of addresses: towns with streets whose names repeat from town to town and resemble one another.
type addressCountry struct {
	draft *region.Draft
	all   []addressed
	// homes counts the localities that have a street of a name, and namesakes the places with one street, number and
	// locality.
	homes     map[string]map[string]bool
	namesakes map[string]int
}

var streetTypes = []string{"Street", "Street", "Street", "Street", "Road", "Road", "Road", "Lane", "Lane", "Lane",
	"Way",
	"Way", "Avenue", "Close", "Drive", "Row", "Court", "Place", "Square", "Terrace", "Crescent", "Rise", "Walk", "Hill"}

// invented makes words of syllables that no language owns.
type invented struct {
	rng  *rand.Rand
	seen map[string]bool
}

func (v *invented) word(ends []string) string {
	heads := strings.Fields("b br c cl d dr f fl g gr h j k l m n p pr qu r s sh sk st t th tr v w wh y")
	vowels := strings.Fields("a e i o u a e i o ea oo ai")
	mids := strings.Fields("b d ff g l ll m n nd nt p r rr rn s ss st t tt v x lm rk")
	for {
		w := heads[v.rng.IntN(len(heads))] + vowels[v.rng.IntN(len(vowels))] + mids[v.rng.IntN(len(mids))]
		if v.rng.IntN(2) == 0 {
			w += vowels[v.rng.IntN(5)] + mids[v.rng.IntN(len(mids))]
		}
		w += ends[v.rng.IntN(len(ends))]
		if w = strings.ToUpper(w[:1]) + w[1:]; !v.seen[w] {
			v.seen[w] = true
			return w
		}
	}
}

// resembling returns a word one letter away from another.
func (v *invented) resembling(w string) string {
	b := []byte(w)
	b[1+v.rng.IntN(len(b)-1)] = "aeioulnrst"[v.rng.IntN(10)]
	v.seen[string(b)] = true
	return string(b)
}

// newAddressCountry makes a country of about so many addresses. The same seed gives the same.
func newAddressCountry(seed uint64, addresses int) *addressCountry {
	rng := rand.New(rand.NewPCG(seed, 4711))
	v := &invented{rng, map[string]bool{}}
	towns := max(6, addresses/420)
	var stems []string
	for range max(60, min(2400, addresses/300)) {
		w := v.word(strings.Fields("er en y le on et ow ard ing a"))
		stems = append(stems, w)
		if rng.IntN(4) == 0 {
			stems = append(stems, v.resembling(w))
		}
	}
	var names []string
	for range towns * 17 / 20 {
		names = append(names, v.word(strings.Fields("by ton mere ham wick ford dale borough mouth stead")))
	}
	for len(names) < towns { // some towns are namesakes
		names = append(names, names[rng.IntN(len(names))])
	}
	c := &addressCountry{
		draft: &region.Draft{Name: fmt.Sprintf("Country %d", seed), RoadNodes: map[int64]geo.E7{},
			Bounds: geo.Box{South: -42, West: -30, North: -38, East: -25}},
		homes: map[string]map[string]bool{}, namesakes: map[string]int{},
	}
	streetName := func() string {
		stem := stems[int(float64(len(stems))*rng.Float64()*rng.Float64())] // some names are everywhere
		name := stem + " " + streetTypes[rng.IntN(len(streetTypes))]
		switch rng.IntN(12) {
		case 0:
			name = []string{"Upper", "Lower", "Old", "Great", "Little", "North", "South"}[rng.IntN(7)] + " " + name
		case 1:
			name = stems[rng.IntN(len(stems))] + " " + name
		case 2:
			name = "St. " + name
		}
		return name
	}
	var id int64 = 1
	next := func() int64 { id++; return id }
	for i, name := range names {
		lat, lng := -42+4*rng.Float64(), -30+5*rng.Float64()
		size := uint8(1 + rng.IntN(3))
		c.draft.Settlements = append(c.draft.Settlements, region.Settlement{
			ID: region.NewFeatureID(region.FromNode, next()), At: geo.MustPoint(lat, lng).E7(), Name: name, Size: size})
		postcode := strconv.Itoa(10_000 + i*7)
		c.town(rng, i, name, postcode, lat, lng, 8+rng.IntN(44), streetName, next)
	}
	for y := range 4 {
		for x := range 5 {
			south, west := -42+float64(y), -30+float64(x)
			c.draft.Districts = append(c.draft.Districts, region.District{
				ID: region.NewFeatureID(region.FromRelation, next()), Name: v.word([]string{"shire", "land", "march"}),
				Rings: [][]geo.E7{{geo.MustPoint(south, west).E7(), geo.MustPoint(south, west+1).E7(),
					geo.MustPoint(south+1, west+1).E7(), geo.MustPoint(south+1, west).E7()}}})
		}
	}
	return c
}

// town lays out the streets of a town: a main street with the others across it.
func (c *addressCountry) town(rng *rand.Rand, n int, name, postcode string, lat, lng float64, streets int,
	streetName func() string, next func() int64) {
	used := map[string]bool{}
	var main []int64
	for s := range streets {
		street := streetName()
		if used[street] {
			continue
		}
		used[street] = true
		if c.homes[street] == nil {
			c.homes[street] = map[string]bool{}
		}
		c.homes[street][postcode] = true
		y := lat + float64(s-streets/2)*0.0009
		houses := 4 + rng.IntN(22)
		var nodes []int64
		for h := range houses + 2 {
			id := next()
			c.draft.RoadNodes[id] = geo.MustPoint(y, lng+float64(h-houses/2)*0.0002).E7()
			nodes = append(nodes, id)
			if h == houses/2 {
				main = append(main, id)
			}
		}
		c.draft.Roads = append(c.draft.Roads, region.Road{ID: next(), Class: region.LocalStreet, Name: street,
			Tags: []string{"highway=residential"}, Nodes: nodes})
		for h := range houses {
			side := float64(h%2*2-1) * 0.00012
			a := addressed{street: street, number: strconv.Itoa(h + 1), postcode: postcode, locality: name,
				at: geo.MustPoint(y+side, lng+float64(h+1-houses/2)*0.0002).Rounded(), left: rng.IntN(25) == 0}
			if rng.IntN(40) == 0 {
				a.number += string(rune('a' + rng.IntN(3)))
			}
			c.all = append(c.all, a)
			if a.left {
				continue
			}
			c.namesakes[a.street+"|"+a.number+"|"+a.locality]++
			c.draft.Addresses = append(c.draft.Addresses, region.Address{
				ID: region.NewFeatureID(region.FromNode, next()), At: a.at.E7(), Number: a.number, Street: a.street,
				Place: name, Postcode: postcode})
		}
	}
	if len(main) > 1 {
		c.draft.Roads = append(c.draft.Roads, region.Road{ID: next(), Class: region.Secondary, Name: "High Street",
			Tags: []string{"highway=residential"}, Nodes: main})
	}
}

// unique tells whether an address is the only one of its street, number and locality, and one that the region holds.
func (c *addressCountry) unique(a addressed) bool {
	return !a.left && c.namesakes[a.street+"|"+a.number+"|"+a.locality] == 1
}
