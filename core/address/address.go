// Package address is the geocoder: it turns what somebody typed into positions, and a position into an address.
//
// A query is cut into tokens. Each token leads to words of the region's lexicon: the same, an abbreviation or what it
// stands for, two tokens joined, one torn apart, and, where that does not explain the query, words within one error and
// then two (words.go). Words lead to names by postings; a name is matched by the tokens that stand for its words, in
// any order, at a cost (names.go). Readings of the query are then made from names: a street with what else the query
// says of it: its settlement, district, postcode and a house number (readings.go). A reading's cost is the sum of all
// errors, of the words of its names that the query lacks, and of the tokens that it leaves unexplained (cost.go).
// Readings are made best first; a name whose least cost cannot compete is not looked at. That bounds the work of any
// query.
//
// Confidence is the share that the reading has among all (weights exp(-βcost)), turned into a frequency of being right
// by a function that was fitted on regions of its own (confidence.go). Nothing here is kept on the heap for a region:
// the index is part of its file (core/region, names.go).
package address

import (
	"context"
	"slices"
	"sync"

	"viandante/core/geo"
	"viandante/core/lexicon"
	"viandante/core/region"
)

// Kind says what was found.
type Kind string

// The kinds.
const (
	House    Kind = "address"
	Crossing Kind = "crossing"
	Street   Kind = "street"
	Landmark Kind = "landmark"
	Postcode Kind = "postcode"
	Locality Kind = "locality"
	District Kind = "district"
	// Position is what the query itself says: coordinates in some notation. Whoever asks an Index reads them first.
	Position Kind = "position"
	// Ground and Sea are answers of Reverse where no address or street is near.
	Ground Kind = "ground"
	Sea    Kind = "sea"
)

// Query is what is looked for: either free text, or the parts of an address.
type Query struct {
	Text                                    string
	Street, HouseNumber, Locality, Postcode string
	// Near, where known, puts the nearer of two equally good finds first.
	Near geo.Point
	// Limit is how many finds are wanted at most; 0 stands for 10.
	Limit int
}

// Find is a candidate with its position.
type Find struct {
	ID                                                region.FeatureID
	Kind                                              Kind
	Label                                             string
	At                                                geo.Point
	Street, HouseNumber, Locality, District, Postcode string
	// Category is a landmark's.
	Category string
	// OtherName is the name that matched where it is not the thing's own, OtherNameKind says which kind of name it is:
	// a language, "old", "alternative", "local".
	OtherName, OtherNameKind string
	// Confidence is how often such a find is the right one, from 0 to 1.
	Confidence float64
	// Matched lists the words of the query that were found, as they were typed.
	Matched []string
	// Corrected lists the words that were read as others, Ignored those that led nowhere.
	Corrected []Correction
	Ignored   []string
	// Between holds the two house numbers that the position was interpolated between.
	Between []string
	// NumberUnknown tells that the query has a house number which the street has not: the find is the street.
	NumberUnknown bool
	// DistanceM is how far it lies from the asked position, for Reverse, in metres.
	DistanceM float64
	// Inside tells that the asked position lies in the building of this address.
	Inside bool
	// Of is the region that holds it, by the name and hash that its owner knows it by.
	Of, Version string

	// Notation and AccuracyM are a position's: how it was written, and its uncertainty in metres or NaN.
	Notation  string
	AccuracyM float64
	// Evidence is what Confidence was computed from.
	Evidence Evidence

	cost float64
	item uint32 // of a landmark
}

// Correction is a word of the query and what it was read as.
type Correction struct{ Typed, Read string }

// Understanding is what was made of a query of which nothing was found.
type Understanding struct {
	// Unknown lists the words that led nowhere.
	Unknown []string
	// Nearest is the best of the readings that were too poor to be finds, or nil.
	Nearest *Find
}

// And joins what two regions made of a query; both tells that u is what one made. Words are unknown that both do not
// know.
func (u Understanding) And(v Understanding, both bool) Understanding {
	if !both {
		return v
	}
	if u.Nearest == nil || v.Nearest != nil && v.Nearest.cost < u.Nearest.cost {
		u.Nearest = v.Nearest
	}
	u.Unknown = slices.DeleteFunc(u.Unknown, func(w string) bool { return !slices.Contains(v.Unknown, w) })
	return u
}

// Index answers for one region. All methods may be called at once by many goroutines. The order of what they return is
// total and depends on nothing but the query. The only errors are the context's.
//
// Forward returns the best finds for a query, best first, at most q.Limit of them. Suggest does the same for a query
// that is still being typed: its last word may be the beginning of one. Each find explains part of the query at least;
// whatever the query is, confidences lie between 0 and 1 and all positions are valid. Where there are no finds the
// Understanding tells why.
//
// Reverse returns the addresses at a position, best first: that of the building it lies in, or else the nearest on the
// nearest street, on the side of the position first; where none lies within a kilometre, what is true of the place.
type Index interface {
	Forward(ctx context.Context, q Query) ([]Find, Understanding, error)
	Suggest(ctx context.Context, q Query) ([]Find, Understanding, error)
	Reverse(at geo.Point, limit int) []Find
}

// NewIndex returns the index that lies in a region's file.
func NewIndex(r *region.Region) Index {
	return &index{r: r, lexicon: r.Lexicon(), short: r.Abbreviations()}
}

type index struct {
	r       *region.Region
	lexicon lexicon.Lexicon
	short   *lexicon.Abbreviations
	// exhaustive is for tests: words and names are then found by looking at all of them, and nothing is left out.
	exhaustive bool
	pool       sync.Pool // of *reader
}

const defaultLimit = 10

// Forward implements Index.
func (x *index) Forward(ctx context.Context, q Query) ([]Find, Understanding, error) {
	return x.answer(ctx, q, false)
}

// Suggest implements Index.
func (x *index) Suggest(ctx context.Context, q Query) ([]Find, Understanding, error) {
	return x.answer(ctx, q, true)
}

func (x *index) answer(ctx context.Context, q Query, typing bool) ([]Find, Understanding, error) {
	if q.Limit <= 0 {
		q.Limit = defaultLimit
	}
	if n, ok := x.nearSomething(q); ok {
		if finds, err := x.answerNear(ctx, q, n); err != nil || len(finds) > 0 {
			return finds, Understanding{}, err
		}
	}
	rd, _ := x.pool.Get().(*reader)
	if rd == nil {
		rd = newReader(x)
	}
	rd.begin(q, typing)
	if typing && len(rd.tokens) == 1 && len(rd.tokens[0].text) < 2 {
		x.pool.Put(rd)
		return nil, Understanding{}, nil // it may be anything
	}
	for stage := range stages {
		if err := ctx.Err(); err != nil {
			return nil, Understanding{}, err
		}
		rd.read(stage)
		if rd.explained(stage) {
			break
		}
	}
	finds, u := rd.finds()
	x.pool.Put(rd) // not where reading the file failed half-way: its memory is then not what the next one expects
	return finds, u, nil
}
