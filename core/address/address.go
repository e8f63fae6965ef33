// Package address is the geocoder: it turns what somebody typed into positions, and a position into an address.
//
// Forward, the words of the query are looked up among the words of the settlements, streets and landmarks of a region;
// a word matches exactly, as the beginning of another, or with an error or two (Damerau 1964). What is found is scored
// by how much of the query it explains and how much of its own name the query holds. House numbers are then looked up
// in the run of the street. Index is the seam at which a faster one goes; this one costs memory for names, not for
// addresses, so that a million addresses need some megabytes.
package address

import (
	"cmp"
	"context"
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// Kind says what was found.
type Kind string

// The kinds, the more exact first.
const (
	House    Kind = "address"
	Street   Kind = "street"
	Landmark Kind = "landmark"
	Locality Kind = "locality"
)

// Query is what is looked for: either free text, or the parts of an address.
type Query struct {
	Text                                    string
	Street, HouseNumber, Locality, Postcode string
	// Near, where known, puts the nearer of two equally good finds first.
	Near  geo.Point
	Limit int
}

// Find is a candidate with its position.
type Find struct {
	ID                                      region.FeatureID
	Kind                                    Kind
	Label                                   string
	At                                      geo.Point
	Street, HouseNumber, Locality, Postcode string
	// Category is a landmark's.
	Category string
	// Confidence is how well the query was explained, from 0 to 1.
	Confidence float64
	// Matched lists the words of the query that were found.
	Matched []string
	// DistanceM is how far it lies from the asked position, for Reverse, in metres.
	DistanceM float64
}

// Index answers for one region. It is immutable.
type Index struct {
	region  *region.Region
	words   []string // sorted
	entries [][]entry
	// bySettlement lists the streets of each settlement.
	bySettlement [][]uint32
}

// entry is a named thing: one of the region's settlements, streets or landmarks.
type entry struct {
	kind Kind
	item uint32
}

// NewIndex reads the names of a region.
func NewIndex(r *region.Region) *Index {
	x := &Index{region: r, bySettlement: make([][]uint32, r.Settlements())}
	postings := map[string][]entry{}
	add := func(name string, e entry) {
		for _, w := range slices.Compact(slices.Sorted(slices.Values(Words(name)))) {
			postings[w] = append(postings[w], e)
		}
	}
	for i := range uint32(r.Settlements()) {
		add(r.Settlement(i).Name, entry{Locality, i})
	}
	for i := range uint32(r.Streets()) {
		st := r.Street(i)
		add(st.Name, entry{Street, i})
		if st.Settlement != region.NoSettlement {
			x.bySettlement[st.Settlement] = append(x.bySettlement[st.Settlement], i)
		}
	}
	for i := range uint32(r.Landmarks()) {
		l := r.Landmark(i)
		add(l.Name, entry{Landmark, i})
	}
	for w := range postings {
		x.words = append(x.words, w)
	}
	slices.Sort(x.words)
	for _, w := range x.words {
		x.entries = append(x.entries, postings[w])
	}
	return x
}

// letters are those that keep their own shape when accents are taken off, and marks within a word.
var letters = strings.NewReplacer("'", "", "’", "", "ß", "ss", "ø", "o", "æ", "ae", "ł", "l")

// Fold takes case and accents off a text, and apostrophes out of it, so that it is found however it was written.
func Fold(s string) string {
	plain, lower := true, true
	for i := range len(s) {
		plain = plain && s[i] < utf8.RuneSelf && s[i] != '\''
		lower = lower && (s[i] < 'A' || s[i] > 'Z')
	}
	switch {
	case plain && lower:
		return s
	case plain:
		return strings.ToLower(s)
	}
	return letters.Replace(strings.Map(func(c rune) rune {
		if unicode.Is(unicode.Mn, c) {
			return -1
		}
		return unicode.ToLower(c)
	}, norm.NFKD.String(s)))
}

// Words cuts a text into its words, folded, letters and digits only.
func Words(s string) []string {
	return strings.FieldsFunc(Fold(s), func(c rune) bool { return !unicode.IsLetter(c) && !unicode.IsDigit(c) })
}

// found is how well one word of the query is met by each thing.
type found map[entry]float64

// look finds the things whose names hold a word, with the weight of the match: 1 exact, less for a beginning or an
// error.
func (x *Index) look(word string) found {
	out := found{}
	take := func(i int, weight float64) {
		for _, e := range x.entries[i] {
			out[e] = math.Max(out[e], weight)
		}
	}
	first, exact := slices.BinarySearch(x.words, word)
	if exact {
		take(first, 1)
	}
	if len([]rune(word)) >= 2 {
		for i := first; i < len(x.words) && strings.HasPrefix(x.words[i], word); i++ {
			take(i, 0.6+0.4*float64(len(word))/float64(len(x.words[i])))
		}
	}
	if n := len([]rune(word)); len(out) == 0 && n >= 4 {
		most := 1 + n/8
		for i, w := range x.words {
			if d := editDistance([]rune(word), []rune(w), most); d <= most {
				take(i, 0.9-0.2*float64(d))
			}
		}
	}
	return out
}

// maxWords bounds the work that a hostile query can ask for.
const maxWords = 24

// Forward returns the best finds for a query, best first, at most q.Limit of them. The only error is the context's.
func (x *Index) Forward(ctx context.Context, q Query) ([]Find, error) {
	var words, numbers, localityWords []string
	put := func(text string, into *[]string) {
		for _, w := range Words(text) {
			if len(words)+len(numbers)+len(localityWords) < maxWords {
				*into = append(*into, w)
			}
		}
	}
	if q.Text != "" {
		for _, w := range Words(q.Text) {
			if w[0] >= '0' && w[0] <= '9' {
				put(w, &numbers)
			} else {
				put(w, &words)
			}
		}
	} else {
		put(q.Street, &words)
		put(q.HouseNumber, &numbers)
		put(q.Postcode, &numbers)
		put(q.Locality, &localityWords)
	}
	byWord := map[string]found{}
	for _, w := range slices.Concat(words, localityWords) {
		if byWord[w] == nil {
			byWord[w] = x.look(w)
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
	}
	all := slices.Concat(words, localityWords)
	finds := x.things(all, len(localityWords) > 0 && len(words) > 0, numbers, byWord)
	return Merge(nil, finds, q), nil
}

// things scores everything that at least one word of the query names.
func (x *Index) things(words []string, streetsOnly bool, numbers []string, byWord map[string]found) []Find {
	candidates := map[entry]bool{}
	for _, w := range words {
		for e := range byWord[w] {
			candidates[e] = true
		}
	}
	var finds []Find
	lengths := map[string]float64{} // in words; many streets share a name
	for e := range candidates {
		var name, place string
		settlement := region.NoSettlement
		switch e.kind {
		case Street:
			st := x.region.Street(e.item)
			name, settlement = st.Name, st.Settlement
		case Landmark:
			name = x.region.Landmark(e.item).Name
		case Locality:
			if streetsOnly {
				continue
			}
			name = x.region.Settlement(e.item).Name
		}
		if settlement != region.NoSettlement {
			place = x.region.Settlement(settlement).Name
		}
		var own, explained float64
		var matched []string
		for _, w := range words {
			inName := byWord[w][e]
			inPlace := 0.0
			if settlement != region.NoSettlement {
				inPlace = byWord[w][entry{Locality, settlement}]
			}
			if inName > 0 || inPlace > 0 {
				matched = append(matched, w)
			}
			own += inName
			explained += math.Max(inName, inPlace)
		}
		nameWords, counted := lengths[name]
		if !counted {
			nameWords = float64(len(Words(name)))
			lengths[name] = nameWords
		}
		// How much of the query is explained, and how much of the name the query holds.
		score := explained / float64(len(words)) * (0.5 + 0.5*math.Min(1, own/nameWords))
		if score < 0.3 || nameWords == 0 {
			continue
		}
		switch e.kind {
		case Street:
			finds = append(finds, x.inStreet(e.item, name, place, numbers, score, matched)...)
		case Landmark:
			l := x.region.Landmark(e.item)
			finds = append(
				finds,
				Find{
					ID:         l.ID,
					Kind:       Landmark,
					Label:      l.Name,
					At:         l.At.Point(),
					Category:   l.Kind,
					Confidence: lessFor(numbers, score),
					Matched:    matched,
				},
			)
		case Locality:
			t := x.region.Settlement(e.item)
			finds = append(
				finds,
				Find{
					ID:         t.ID,
					Kind:       Locality,
					Label:      t.Name,
					At:         t.At.Point(),
					Locality:   t.Name,
					Confidence: lessFor(numbers, score),
					Matched:    matched,
				},
			)
		}
	}
	return finds
}

// lessFor lowers the confidence of what explains none of the numbers.
func lessFor(numbers []string, score float64) float64 {
	if len(numbers) > 0 {
		return score * 0.6
	}
	return score
}

// inStreet finds the house in a street, or the street itself where there is no such number.
func (x *Index) inStreet(item uint32, name, place string, numbers []string, score float64, matched []string) []Find {
	st := x.region.Street(item)
	var out []Find
	for i := st.First; i < st.First+st.Count && len(numbers) > 0; i++ {
		a := x.region.Address(i)
		number, postcode := strings.Join(Words(a.Number), ""), strings.Join(Words(a.Postcode), "")
		hit := slices.Index(numbers, number)
		if hit < 0 {
			continue
		}
		explained, words := 1.0, append(slices.Clone(matched), number)
		for k, n := range numbers {
			if k != hit && n == postcode {
				explained++
				words = append(words, n)
			}
		}
		f := x.house(i)
		f.Confidence, f.Matched = score*(0.7+0.3*explained/float64(len(numbers))), words
		out = append(out, f)
	}
	if len(out) > 0 {
		return out
	}
	at := x.region.StreetPoint(item)
	if !at.IsValid() {
		return nil
	}
	return []Find{
		{
			Kind:       Street,
			Label:      label(name, "", place, ""),
			At:         at,
			Street:     name,
			Locality:   place,
			Confidence: lessFor(numbers, score),
			Matched:    matched,
		},
	}
}

func (x *Index) house(i uint32) Find {
	a := x.region.Address(i)
	st := x.region.Street(a.Street)
	f := Find{ID: a.ID, Kind: House, At: a.At, Street: st.Name, HouseNumber: a.Number, Postcode: a.Postcode}
	if st.Settlement != region.NoSettlement {
		f.Locality = x.region.Settlement(st.Settlement).Name
	}
	f.Label = label(f.Street, f.HouseNumber, f.Locality, f.Postcode)
	return f
}

func label(street, number, locality, postcode string) string {
	head := street
	if number != "" {
		head += " " + number
	}
	if tail := strings.TrimSpace(postcode + " " + locality); tail != "" {
		return head + ", " + tail
	}
	return head
}

// maxReverseM is how far an address may lie from a position to be its address, in metres.
const maxReverseM = 1000

// Reverse returns the addresses nearest to a position, nearest first, none farther than a kilometre.
func (x *Index) Reverse(at geo.Point, limit int) []Find {
	var out []Find
	x.region.AddressesNear(at, func(i uint32, d float64) bool {
		if d > maxReverseM || len(out) >= limit {
			return false
		}
		f := x.house(i)
		f.DistanceM, f.Confidence = d, 1-0.5*d/maxReverseM
		out = append(out, f)
		return len(out) < limit
	})
	return out
}

// editDistance counts insertions, deletions, replacements and swaps of neighbours between two words (optimal string
// alignment); more than most is returned as most+1.
func editDistance(a, b []rune, most int) int {
	if d := len(a) - len(b); d > most || -d > most {
		return most + 1
	}
	before, last, cur := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		cur[0] = i
		least := i
		for j := 1; j <= len(b); j++ {
			change := 1
			if a[i-1] == b[j-1] {
				change = 0
			}
			cur[j] = min(last[j]+1, cur[j-1]+1, last[j-1]+change)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				cur[j] = min(cur[j], before[j-2]+1)
			}
			least = min(least, cur[j])
		}
		if least > most {
			return most + 1
		}
		before, last, cur = last, cur, before
	}
	return min(last[len(b)], most+1)
}

// Merge joins the finds of two regions in the order of Forward, or of Reverse where they carry distances.
func Merge(a, b []Find, q Query) []Find {
	all := append(a, b...)
	order(all, q.Near)
	if q.Limit > 0 && len(all) > q.Limit {
		all = all[:q.Limit]
	}
	return all
}

// order puts the surest first, the nearer of equals before the farther; ties by label and id.
func order(finds []Find, near geo.Point) {
	distance := func(f Find) float64 {
		if !near.IsValid() {
			return 0
		}
		return geodesy.Measure(geodesy.Sphere, near, f.At).DistanceM
	}
	slices.SortStableFunc(finds, func(a, b Find) int {
		return cmp.Or(
			cmp.Compare(b.Confidence, a.Confidence),
			cmp.Compare(distance(a), distance(b)),
			strings.Compare(a.Label, b.Label),
			cmp.Compare(a.ID, b.ID),
		)
	})
}
