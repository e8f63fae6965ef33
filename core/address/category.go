package address

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// nearWords stand between a kind of thing and where it is looked for.
var nearWords = map[string]bool{"near": true, "by": true, "in": true, "around": true, "at": true, "nearest": true,
	"bei": true, "nahe": true, "nah": true, "um": true, "pres": true, "cerca": true, "vicino": true, "presso": true,
	"close": true, "beside": true, "next": true, "en": true, "a": true}

// littleWords may follow them.
var littleWords = map[string]bool{"to": true, "the": true, "of": true, "de": true, "der": true, "dem": true, "du": true,
	"la": true, "le": true, "al": true, "alla": true, "del": true, "a": true, "von": true}

// withinWords are those of them that say that the thing is to lie in the place, not near it.
var withinWords = map[string]bool{"in": true, "en": true, "a": true}

// nearQuery is a query for a kind of thing near or in a place.
type nearQuery struct {
	kind   uint32
	words  []string // that name it
	rest   string   // the place
	within bool
}

// elsewhere is how much less likely a thing is that lies in another settlement than the one that it is looked for in.
const elsewhere = 0.3

// SplitNear divides "fountain near Great Harbour Street" into what is looked for and where, at each word that may
// divide them, until yield returns true. within tells that it is to lie in the place, not near it.
func SplitNear(text string, yield func(what, where string, within bool) bool) {
	toks := tokens(nil, Query{Text: text})
	for i := 1; i < len(toks)-1 && i < 6; i++ {
		if !nearWords[toks[i].text] {
			continue
		}
		j := i + 1
		for j < len(toks)-1 && (littleWords[toks[j].text] || nearWords[toks[j].text]) {
			j++
		}
		if yield(said(toks[:i]), said(toks[j:]), withinWords[toks[i].text]) {
			return
		}
	}
}

// said writes tokens as they were typed, with the commas between them.
func said(toks []token) string {
	var out strings.Builder
	for i, t := range toks {
		if i > 0 && t.before == ',' {
			out.WriteByte(',')
		}
		if i > 0 {
			out.WriteByte(' ')
		}
		out.WriteString(t.typed)
	}
	return out.String()
}

// nearSomething finds in a query a kind of thing, and where it is looked for.
func (x *index) nearSomething(q Query) (n nearQuery, ok bool) {
	SplitNear(q.Text, func(what, where string, within bool) bool {
		toks := tokens(nil, Query{Text: what})
		if n.kind, ok = x.kindNamed(toks); !ok {
			return false
		}
		n.rest, n.within = where, within
		for _, t := range toks {
			n.words = append(n.words, t.typed)
		}
		return true
	})
	return n, ok
}

// kindNamed returns the kind of thing that tokens name, all of them and exactly; a final s may be too many.
func (x *index) kindNamed(toks []token) (kind uint32, ok bool) {
	words := make([]uint32, 0, len(toks))
	for i, t := range toks {
		w, ok := x.lexicon.Exact(t.text)
		if n := len(t.text); !ok && i == len(toks)-1 && n > 3 && t.text[n-1] == 's' {
			w, ok = x.lexicon.Exact(t.text[:n-1])
		}
		if !ok {
			return 0, false
		}
		words = append(words, w)
	}
	if len(words) == 0 {
		return 0, false
	}
	x.r.NamesWith(words[0], func(name uint32) bool {
		if !slices.Equal(x.r.NameWords(name), words) {
			return true
		}
		n := x.r.Named(name, x.r.Things(name)-1) // categories are the last of a name's things
		kind, ok = n.Item, n.Kind == region.CategoryThing
		return !ok
	})
	return kind, ok
}

// nearestOf returns the landmarks of a kind that are nearest to a position, or the first where there is none.
func (x *index) nearestOf(kind uint32, at geo.Point, most int) []Find {
	type candidate struct {
		item uint32
		d    float64
	}
	var all []candidate
	x.r.LandmarksOfKind(kind, func(i uint32, where geo.Point) {
		c := candidate{item: i}
		if at.IsValid() {
			c.d = geodesy.Measure(geodesy.Sphere, at, where).DistanceM
		}
		all = append(all, c)
	})
	slices.SortFunc(all, func(a, b candidate) int { return cmp.Or(cmp.Compare(a.d, b.d), cmp.Compare(a.item, b.item)) })
	var out []Find
	for _, c := range all[:min(most, len(all))] {
		f := x.landmark(c.item)
		if at.IsValid() {
			f.DistanceM = geodesy.Distance(at, f.At)
		}
		out = append(out, f)
	}
	return out
}

// answerNear answers a query for a kind of thing near something.
func (x *index) answerNear(ctx context.Context, q Query, n nearQuery) ([]Find, error) {
	where, _, err := x.answer(ctx, Query{Text: n.rest, Near: q.Near, Limit: 1}, false)
	if err != nil || len(where) == 0 {
		return nil, err
	}
	out := x.nearestOf(n.kind, where[0].At, q.Limit)
	for i := range out {
		f := &out[i]
		f.Confidence = where[0].Confidence
		if n.within && where[0].Locality != "" && f.Locality != where[0].Locality {
			f.Confidence *= elsewhere
		}
		f.Matched = append(n.words[:len(n.words):len(n.words)], where[0].Matched...)
		f.Corrected, f.Ignored = where[0].Corrected, where[0].Ignored
		f.cost = where[0].cost + float64(i)/1000
	}
	slices.SortStableFunc(out, func(a, b Find) int { return cmp.Compare(b.Confidence, a.Confidence) })
	return out, nil
}

// categories makes readings of a query that names a kind of thing and nothing else: the nearest ones.
func (rd *reader) categories() {
	if len(rd.tokens) > 4 {
		return
	}
	kind, ok := rd.x.kindNamed(rd.tokens)
	if !ok {
		return
	}
	all := tokenSet(1)<<len(rd.tokens) - 1
	for i, f := range rd.x.nearestOf(kind, rd.query.Near, rd.query.Limit) {
		rd.readings = append(rd.readings, reading{kind: Landmark, item: uint32(f.item), tokens: all, at: f.At,
			cost: landmarkCost, rank: landmarkCost + 0.02*float64(i), place: rd.x.r.LandmarkSettlement(f.item),
			category: true})
	}
}
