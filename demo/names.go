package demo

import (
	"fmt"
	"math/rand/v2"
	"slices"
)

// Every name on the island is invented, put together from syllables and plain words.

func islandNameOf(number int) string {
	if number == 0 {
		return "Orrisand"
	}
	return syllables[number%len(syllables)] + "sand"
}

var syllables = []string{
	"Orri",
	"Tarra",
	"Melli",
	"Skarra",
	"Fenno",
	"Ullo",
	"Brisa",
	"Denno",
	"Halla",
	"Ivo",
	"Karri",
	"Lumma",
	"Morro",
	"Nessa",
	"Pello",
	"Quilla",
	"Rusko",
	"Sella",
	"Tumbo",
	"Varo",
	"Wella",
	"Yarro",
	"Zenna",
}

var firstNames = []string{"Varrowby", "Tarnwick", "Skerrow", "Ludmoor", "Pellick", "Quillmere", "Brannoch Sands"}

var placeHeads = []string{
	"Tarn",
	"Skerr",
	"Lud",
	"Pell",
	"Quill",
	"Brann",
	"Varr",
	"Holl",
	"Merr",
	"Fenn",
	"Dunn",
	"Corr",
	"Gall",
	"Wick",
	"Sedd",
	"Harr",
	"Nett",
	"Oss",
	"Thorr",
	"Ull",
}
var placeTails = []string{"wick", "owby", "moor", "mere", "och", "holm", "stead", "garth", "combe", "ness"}

// settlementNames returns seven names, the town's first; no two islands share one.
func settlementNames(number int) []string {
	if number == 0 {
		return firstNames
	}
	var all []string
	for _, tail := range placeTails {
		for _, head := range placeHeads {
			if name := head + tail; !slices.Contains(firstNames, name) {
				all = append(all, name)
			}
		}
	}
	out := make([]string, 7)
	for i := range out {
		k := (number-1)*7 + i
		out[i] = all[k%len(all)]
		if round := k / len(all); round > 0 {
			out[i] = []string{"Upper ", "Lower ", "Great ", "Little "}[(round-1)%4] + out[i]
		}
	}
	return out
}

var streetFirst = []string{
	"Mill",
	"Lantern",
	"Ropewalk",
	"Cooper",
	"Heron",
	"Fennel",
	"Anchor",
	"Thistle",
	"Cobble",
	"Juniper",
	"Tallow",
	"Saddler",
	"Larch",
	"Beacon",
	"Osier",
	"Capstan",
	"Sorrel",
	"Weaver",
	"Petrel",
	"Gorse",
	"Tinker",
	"Whistle",
	"Bramble",
	"Chandler",
	"Samphire",
	"Curlew",
	"Hazel",
	"Ferryman",
	"Plover",
	"Kelp",
	"Orchard",
	"Wicket",
	"Marram",
	"Baker",
	"Dunlin",
	"Copper",
	"Barrel",
	"Sexton",
	"Pebble",
	"Rowan",
	"Aspen",
	"Bellows",
	"Candle",
	"Dyer",
	"Eider",
	"Furrow",
	"Gannet",
	"Harrow",
	"Inkwell",
	"Jetty",
	"Kestrel",
	"Linnet",
	"Mallow",
	"Nettle",
	"Oyster",
	"Pewter",
	"Quarry",
	"Rudder",
	"Sickle",
	"Teasel",
	"Usher",
	"Vetch",
	"Walnut",
	"Yarrow",
	"Acorn",
	"Bracken",
	"Clover",
	"Drover",
}

var streetLast = []string{"Lane", "Street", "Row", "Walk", "Rise", "Gate", "Close", "Hill", "Way", "Road"}

// streetNamer hands out street names, none twice in one settlement.
func streetNamer(r *rand.Rand) func() string {
	order, next := r.Perm(len(streetFirst)*len(streetLast)), 0
	return func() string {
		k := order[next%len(order)]
		name := streetFirst[k%len(streetFirst)] + " " + streetLast[k/len(streetFirst)]
		if round := next / len(order); round > 0 {
			name = fmt.Sprintf("%s %s", []string{"Upper", "Lower", "New"}[(round-1)%3], name)
		}
		next++
		return name
	}
}

var farmKinds = []string{"Croft", "Garth", "Steading", "Holding", "Fold", "Byre", "Acre", "Barton", "Grange", "Toft"}

var riverNames = []string{
	"River Orrin",
	"Skell Water",
	"Ludd Burn",
	"Tarn Water",
	"Pellick Water",
	"Quill Brook",
	"Marl Burn",
	"Fenn Water",
	"Sallow Burn",
	"Heron Beck",
	"Gorse Beck",
	"Rill of Oss",
	"Brannoch Water",
	"Alder Burn",
	"Mossy Beck",
	"Iron Beck",
}

var peakNames = []string{
	"Great Orrin",
	"Skell Pike",
	"The Saddle",
	"Grey Man",
	"Ludd Head",
	"Raven Top",
	"Windy Stand",
	"Carn Moss",
	"High Tallow",
	"Sexton's Seat",
	"Black Fold",
	"The Lantern",
	"Merrow Pike",
	"Thorn Top",
	"Oss Head",
	"Little Orrin",
	"Stane Rigg",
	"Cold Pike",
	"Fell of Oss",
	"Bleak Top",
	"Wether Hill",
	"Long Rigg",
	"Sallow Top",
	"Hollow Head",
	"Kestrel Crag",
	"Mossy Law",
	"Deer Law",
	"Round Law",
	"Gannet Head",
	"Bramble Law",
}

type thing struct{ name, key, value string }

var publicNames = []thing{
	{
		"Harbour Hall",
		"amenity",
		"townhall",
	}, {"Orrisand Library", "amenity", "library"}, {"Island Post", "amenity", "post_office"}, {"Old Net Loft",
		"tourism", "museum"},
	{
		"Wayfarers' House",
		"tourism",
		"hostel",
	}, {"Marram Pharmacy", "amenity", "pharmacy"}, {"Varrowby Infirmary", "amenity", "hospital"}, {"Tideside Market",
		"amenity", "marketplace"},
	{
		"The Salt Oven",
		"shop",
		"bakery",
	}, {"Two Herons", "amenity", "cafe"}, {"Lamplighter Books", "shop", "books"}, {"Knot & Splice", "shop", "hardware"},
	{
		"The Wet Boot",
		"amenity",
		"pub",
	}, {"Spoke and Saddle", "shop", "bicycle"}, {"Quay Kitchen", "amenity", "restaurant"}, {"The Copper Kettle",
		"amenity", "cafe"},
	{
		"Meeting House",
		"amenity",
		"community_centre",
	}, {"Playhouse on the Steps", "amenity", "theatre"}, {"Harbour Watch", "amenity", "police"}, {"Fire House",
		"amenity", "fire_station"},
}

var shopKinds = []thing{
	{"Bakery", "shop", "bakery"},
	{"Tea Room", "amenity", "cafe"},
	{"Stores", "shop", "convenience"},
	{"Inn", "amenity", "pub"},
	{"Bookshop", "shop", "books"},
	{
		"Ironmongers",
		"shop",
		"hardware",
	},
	{"Kitchen", "amenity", "restaurant"},
	{"Drapers", "shop", "clothes"},
	{"Guest House", "tourism", "guest_house"},
	{"Dispensary", "amenity", "pharmacy"},
	{
		"Greengrocer",
		"shop",
		"greengrocer",
	},
	{"Cycles", "shop", "bicycle"},
	{"Workshop", "craft", "carpenter"},
	{"Gallery", "tourism", "gallery"},
	{"Surgery", "amenity", "doctors"},
}
