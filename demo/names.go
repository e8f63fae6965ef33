package demo

import "math/rand/v2"

// Every name on the island is invented, put together from syllables and plain words.
const (
	islandName = "Orrisand"
	townName   = "Varrowby"
)

var villageNames = []string{"Quillmere", "Skerrow", "Ludmoor", "Pellick", "Tarnwick", "Brannoch Sands"}

var streetFirst = []string{"Mill", "Lantern", "Ropewalk", "Cooper", "Heron", "Fennel", "Anchor", "Thistle", "Cobble", "Juniper", "Tallow", "Saddler",
	"Larch", "Beacon", "Osier", "Capstan", "Sorrel", "Weaver", "Petrel", "Gorse", "Tinker", "Whistle", "Bramble", "Chandler", "Samphire", "Curlew",
	"Hazel", "Ferryman", "Plover", "Kelp", "Orchard", "Wicket", "Marram", "Baker", "Dunlin", "Copper", "Barrel", "Sexton", "Pebble", "Rowan"}

var streetLast = []string{"Lane", "Street", "Row", "Walk", "Rise", "Gate", "Steps", "Close", "Hill", "Way"}

// streetNamer hands out street names, none twice in one settlement.
func streetNamer(r *rand.Rand) func() string {
	order := r.Perm(len(streetFirst) * (len(streetLast) - 2))
	return func() string {
		k := order[0]
		order = append(order[1:], k)
		last := streetLast[k/len(streetFirst)]
		if last == "Steps" { // the word promises a stair
			last = "Way"
		}
		return streetFirst[k%len(streetFirst)] + " " + last
	}
}

var shopNames = []struct{ name, key, value string }{
	{"The Salt Oven", "shop", "bakery"}, {"Two Herons", "amenity", "cafe"}, {"Harbour Hall", "amenity", "townhall"}, {"Lamplighter Books", "shop", "books"},
	{"Knot & Splice", "shop", "hardware"}, {"The Wet Boot", "amenity", "pub"}, {"Orrisand Library", "amenity", "library"}, {"Island Post", "amenity", "post_office"},
	{"Spoke and Saddle", "shop", "bicycle"}, {"Marram Pharmacy", "amenity", "pharmacy"}, {"Old Net Loft", "tourism", "museum"}, {"Petrel School", "amenity", "school"},
	{"Quay Kitchen", "amenity", "restaurant"}, {"Wayfarers' House", "tourism", "hostel"}, {"The Copper Kettle", "amenity", "cafe"}, {"Tideside Market", "amenity", "marketplace"},
}
