package region

import (
	"cmp"
	"encoding/binary"
	"math"
	"slices"
	"strings"

	"viandante/core/lexicon"
)

// Names lead from words to things. A name is a sequence of folded words (lexicon.Words) that one or more things bear,
// as their own name or as another one:
//
//	LEXL, LEXN  the lexicon of all words: labels and nodes of its trie (package lexicon)
//	WGHT        for each word how important the greatest thing is whose name holds it, one byte
//	RARE        for each word how much it tells, two bytes: 0 where all names hold it, 1000 where one does
//	POSO, POST  for each word the names that hold it: where its run begins, and varints of the differences of numbers
//	NAME        for each name where its words and its things begin, one more than names, and what its words tell
//	            together
//	NAMW        the words of the names, in their order
//	THNG        the things of the names: what it is, and the name as it is written
//	ABBR        the table of abbreviations (lexicon.ParseAbbreviations)
//
// Names are sorted by their words, the things of a name by kind, settlement and number.
type nameRecord struct{ Words, Things, Rarity uint32 }

type thingRecord struct {
	Thing uint32 // the kind in the three highest bits
	Text  uint32 // the name as this thing bears it
	Kind  uint32 // what kind of name, a text: "" for its own, else as OtherName says
}

// ThingKind says what a name stands for.
type ThingKind uint8

// The kinds of things, in the order in which those of a name follow each other.
const (
	StreetThing ThingKind = iota
	LocalityThing
	LandmarkThing
	PostcodeThing
	DistrictThing
	CategoryThing
)

// Thing is what a name stands for: a street, settlement, landmark or postcode by its number, a kind of landmark by that
// of its text. Districts have none of their own; their name tells them apart.
type Thing struct {
	Kind ThingKind
	Item uint32
}

// Named is a thing with the name that leads to it.
type Named struct {
	Kind     ThingKind
	Item     uint32
	Text     uint32 // the name as it is written
	NameKind uint32 // a text, 0 for the thing's own name, else the kind of the other name
}

const thingBits = 29

// nameIndex is what leads from words to things.
type nameIndex struct {
	words         lexicon.Lexicon
	weights       []uint8
	rarity        []uint16
	postingFrom   []uint32
	postings      []byte
	names         []nameRecord
	nameWords     []uint32
	things        []thingRecord
	abbreviations *lexicon.Abbreviations
}

// nameDraft gathers names.
type nameDraft struct{ all []draftName }

type draftName struct {
	key   string // its words with blanks between
	thing Thing
	order uint32 // the settlement of a street
	text  string
	kind  string
}

// maxNameWords is how many words of a name are kept.
const maxNameWords = 16

func (n *nameDraft) add(thing Thing, order uint32, name string, also []OtherName) {
	one := func(text, kind string) {
		words := lexicon.Words(text)
		if len(words) == 0 {
			return
		}
		for i, w := range words {
			words[i] = lexicon.Cut(w)
		}
		key := strings.Join(words[:min(len(words), maxNameWords)], " ")
		n.all = append(n.all, draftName{key, thing, order, text, kind})
	}
	one(name, "")
	for _, o := range also {
		if o.Text != name {
			one(o.Text, o.Kind)
		}
	}
}

func (n *nameDraft) encode(s *sections, pool *pool, d *Draft) {
	slices.SortStableFunc(n.all, func(a, b draftName) int {
		return cmp.Or(strings.Compare(a.key, b.key), cmp.Compare(a.thing.Kind, b.thing.Kind),
			cmp.Compare(a.order, b.order), cmp.Compare(a.thing.Item, b.thing.Item))
	})
	n.all = slices.CompactFunc(n.all, func(a, b draftName) bool { return a.key == b.key && a.thing == b.thing })
	seen := map[string]bool{}
	for _, one := range n.all {
		for w := range strings.SplitSeq(one.key, " ") {
			seen[w] = true
		}
	}
	words := make([]string, 0, len(seen))
	for w := range seen {
		words = append(words, w)
	}
	slices.Sort(words)
	numbers := make(map[string]uint32, len(words))
	for i, w := range words {
		numbers[w] = uint32(i)
	}
	weights := make([]uint8, len(words))
	postings := make([][]uint32, len(words))
	var names []nameRecord
	var nameWords []uint32
	var things []thingRecord
	for i, one := range n.all {
		if i == 0 || n.all[i-1].key != one.key {
			for w := range strings.SplitSeq(one.key, " ") {
				word := numbers[w]
				nameWords = append(nameWords, word)
				if p := postings[word]; len(p) == 0 || p[len(p)-1] != uint32(len(names)) {
					postings[word] = append(p, uint32(len(names)))
				}
			}
			names = append(names, nameRecord{Words: uint32(len(nameWords)), Things: uint32(len(things))})
		}
		things = append(things, thingRecord{uint32(one.thing.Kind)<<thingBits | one.thing.Item, pool.number(one.text),
			pool.number(one.kind)})
		names[len(names)-1].Things++
		for w := range strings.SplitSeq(one.key, " ") {
			weights[numbers[w]] = max(weights[numbers[w]], importance(d, one.thing))
		}
	}
	rarity := make([]uint16, len(words))
	for w, p := range postings {
		rarity[w] = rarityOf(len(names), len(p))
	}
	records := make([]nameRecord, 1, len(names)+1) // the ends became known last; the file holds the beginnings
	for i, r := range names {
		for _, w := range nameWords[records[i].Words:r.Words] {
			records[i].Rarity += uint32(rarity[w])
		}
		records = append(records, r)
	}
	from := make([]uint32, 1, len(words)+1)
	var packed []byte
	for _, p := range postings {
		last := uint32(0)
		for _, name := range p {
			packed = binary.AppendUvarint(packed, uint64(name-last))
			last = name
		}
		from = append(from, uint32(len(packed)))
	}
	x := lexicon.Build(words)
	s.add("LEXL", x.Labels)
	s.add("LEXN", bytesOf(x.Nodes))
	s.add("WGHT", weights)
	s.add("RARE", bytesOf(rarity))
	s.add("POSO", bytesOf(from))
	s.add("POST", packed)
	s.add("NAME", bytesOf(records))
	s.add("NAMW", bytesOf(nameWords))
	s.add("THNG", bytesOf(things))
	s.add("ABBR", []byte(lexicon.AbbreviationTable))
}

// importance orders the things of a region for completions: larger settlements before smaller ones before streets.
func importance(d *Draft, t Thing) uint8 {
	switch t.Kind {
	case LocalityThing:
		if int(t.Item) < len(d.Settlements) {
			return 100 + 30*d.Settlements[t.Item].Size
		}
		return 130
	case DistrictThing:
		return 140
	case StreetThing:
		return 60
	case LandmarkThing, CategoryThing:
		return 40
	}
	return 20
}

func openNames(dir directory, g *Gazetteer) (nameIndex, error) {
	x := nameIndex{
		words:         lexicon.Lexicon{Labels: dir.section("LEXL"), Nodes: view[lexicon.Node](dir.section("LEXN"))},
		weights:       dir.section("WGHT"),
		rarity:        view[uint16](dir.section("RARE")),
		postingFrom:   view[uint32](dir.section("POSO")),
		postings:      dir.section("POST"),
		names:         view[nameRecord](dir.section("NAME")),
		nameWords:     view[uint32](dir.section("NAMW")),
		things:        view[thingRecord](dir.section("THNG")),
		abbreviations: lexicon.ParseAbbreviations(string(dir.section("ABBR"))),
	}
	words := len(x.weights)
	if !x.words.Check(words) || len(x.postingFrom) != words+1 || len(x.rarity) != words || len(x.names) == 0 ||
		len(x.nameWords) > math.MaxInt32 {
		return x, corrupt("the lexicon does not fit its words")
	}
	for i := range words {
		if x.postingFrom[i] > x.postingFrom[i+1] || int(x.postingFrom[i+1]) > len(x.postings) {
			return x, corrupt("the index of the names leads outside")
		}
	}
	for i := range len(x.names) - 1 {
		a, b := x.names[i], x.names[i+1]
		if a.Words > b.Words || a.Things > b.Things || int(b.Words) > len(x.nameWords) ||
			int(b.Things) > len(x.things) ||
			b.Words-a.Words > maxNameWords {
			return x, corrupt("a name leads outside")
		}
	}
	for _, w := range x.nameWords {
		if int(w) >= words {
			return x, corrupt("a name holds a word that is none")
		}
	}
	most := [...]int{len(g.streets), len(g.settlements), len(g.landmarks), len(g.postcodes), math.MaxInt32,
		math.MaxInt32}
	for _, t := range x.things {
		kind := t.Thing >> thingBits
		if int(kind) >= len(most) || int(t.Thing&(1<<thingBits-1)) >= most[kind] {
			return x, corrupt("a name stands for nothing")
		}
	}
	return x, nil
}

// Lexicon returns the words of all names.
func (x *nameIndex) Lexicon() lexicon.Lexicon { return x.words }

// Abbreviations returns the abbreviations that the region was built with.
func (x *nameIndex) Abbreviations() *lexicon.Abbreviations { return x.abbreviations }

// WordWeight returns how important the greatest thing is whose name holds a word, 0 to 255.
func (x *nameIndex) WordWeight(word uint32) uint8 { return x.weights[word] }

// rarityOf returns how much a word tells that so many of the names hold, 0 to 1000: the square of its inverse document
// frequency (Spärck Jones 1972) as a share of the greatest.
func rarityOf(names, holding int) uint16 {
	share := math.Log(float64(names+1)/float64(holding)) / math.Log(float64(names+1))
	return uint16(math.Round(1000 * share * share))
}

// WordRarity returns how much a word tells, 0 to 1000.
func (x *nameIndex) WordRarity(word uint32) int { return int(x.rarity[word]) }

// NameRarity returns how much the words of a name tell together.
func (x *nameIndex) NameRarity(name uint32) int { return int(x.names[name].Rarity) }

// WordPostings returns how long the run of names is that hold a word, in bytes: one to two for each.
func (x *nameIndex) WordPostings(word uint32) int {
	return int(x.postingFrom[word+1] - x.postingFrom[word])
}

// NamesWith calls yield with the names that hold a word, in their order, until it returns false.
func (x *nameIndex) NamesWith(word uint32, yield func(name uint32) bool) {
	run := x.postings[x.postingFrom[word]:x.postingFrom[word+1]]
	name := uint64(0)
	for len(run) > 0 {
		step, n := binary.Uvarint(run)
		if n <= 0 {
			return
		}
		run = run[n:]
		if name += step; name >= uint64(len(x.names)-1) || !yield(uint32(name)) {
			return
		}
	}
}

// Names returns the number of names.
func (x *nameIndex) Names() int { return len(x.names) - 1 }

// NameWords returns the words of a name below Names.
func (x *nameIndex) NameWords(name uint32) []uint32 {
	from, to := x.names[name].Words, x.names[name+1].Words
	return x.nameWords[from:to:to]
}

// Things returns how many things bear a name below Names.
func (x *nameIndex) Things(name uint32) int {
	return int(x.names[name+1].Things - x.names[name].Things)
}

// Named returns one of the things that bear a name.
func (x *nameIndex) Named(name uint32, i int) Named {
	t := &x.things[int(x.names[name].Things)+i]
	return Named{ThingKind(t.Thing >> thingBits), t.Thing & (1<<thingBits - 1), t.Text, t.Kind}
}
