package service

import (
	"cmp"
	"context"
	"errors"
	"math"
	"slices"
	"strings"

	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/lexicon"
	"viandante/service/catalog"
	"viandante/service/fault"
)

// Meaning is one thing that a text may mean: a stored feature, or something that the geocoder found.
type Meaning struct {
	Confidence float64 // from 0 to 1
	// One of the two is set.
	Row  *catalog.Row
	Find *address.Find
}

// Interpretation is what a text may mean, the surest first.
type Interpretation struct {
	Meanings []Meaning
	// Unread says why a text that looks like coordinates is none.
	Unread *fault.Field
	// WithoutMap says why no addresses were looked for, "" where they were.
	WithoutMap string
	// Understanding tells, where nothing was found, what was made of it.
	Understanding address.Understanding
}

// Interpret understands whatever somebody typed into the one line: a position in any notation, or else the stored
// places and the addresses that the words may mean, the surest first. What looks like coordinates but cannot be any is
// no error: people are still typing. Nothing is found then, and the fault says what would be right.
func (v *Service) Interpret(ctx context.Context, a Actor, text string, near geo.Point, limit int) (
	out Interpretation, err error,
) {
	if err := a.MayRead(); err != nil {
		return out, err
	}
	position, unread := readPosition(text)
	if unread == nil {
		return Interpretation{Meanings: []Meaning{{Confidence: 1, Find: &position}}}, nil
	}
	if out.Meanings, err = v.placesNamed(ctx, a, text, 4*limit); err != nil {
		return out, err
	}
	stored, err := v.storedNear(ctx, a, text, near, limit)
	if err != nil {
		return out, err
	}
	out.Meanings = append(out.Meanings, stored...)
	finds, u, err := v.Suggest(ctx, a, address.Query{Text: text, Near: near, Limit: limit})
	switch {
	case err == nil:
	case withoutMap(err):
		out.WithoutMap = err.Error()
	default:
		return out, err
	}
	for i := range finds {
		out.Meanings = append(out.Meanings, Meaning{Confidence: finds[i].Confidence, Find: &finds[i]})
	}
	isWord := func(c rune) bool { return c > '9' && !strings.ContainsRune("NSEWnsew°'\"′″", c) }
	if len(out.Meanings) == 0 {
		out.Understanding = u
		if !strings.ContainsFunc(text, isWord) && strings.TrimSpace(text) != "" {
			out.Unread = &fault.Refuse("q", text, unread).Fields[0]
		}
		return out, nil
	}
	slices.SortStableFunc(out.Meanings, func(x, y Meaning) int { return cmp.Compare(y.Confidence, x.Confidence) })
	out.Meanings = out.Meanings[:min(limit, len(out.Meanings))]
	return out, nil
}

// storedNear finds stored places of a category near something: "fountain near Great Harbour Street".
func (v *Service) storedNear(ctx context.Context, a Actor, text string, near geo.Point, limit int) (
	out []Meaning, err error,
) {
	categories, err := v.Categories(ctx, a)
	if err != nil {
		return nil, err
	}
	singular := func(s string) string { return strings.TrimSuffix(strings.Join(lexicon.Words(s), " "), "s") }
	address.SplitNear(text, func(what, where string, _ bool) bool {
		i := slices.IndexFunc(categories, func(k Category) bool { return singular(k.Name) == singular(what) })
		if i < 0 {
			return false
		}
		finds, _, failed := v.Geocode(ctx, a, address.Query{Text: where, Near: near, Limit: 1})
		if failed != nil || len(finds) == 0 {
			if err = failed; withoutMap(failed) {
				err = nil
			}
			return true
		}
		var hits []Neighbour
		hits, _, err = v.Nearby(ctx, a, catalog.Near{At: finds[0].At, WithinM: math.Inf(1), Limit: limit,
			Categories: []string{categories[i].ID}})
		for k := range hits {
			out = append(out, Meaning{Confidence: finds[0].Confidence, Row: &hits[k].Row})
		}
		return true
	})
	return out, err
}

// readPosition reads coordinates in any notation as a find.
func readPosition(text string) (address.Find, error) {
	r, err := geo.Read(text)
	if err != nil {
		return address.Find{}, err
	}
	return address.Find{Kind: address.Position, Label: r.Point.String(), At: r.Point, Confidence: 1,
		Notation: string(r.Notation), AccuracyM: r.AccuracyM}, nil
}

// withoutMap tells whether an error says that there are no map data to answer from, now or at all. What is stored is
// found all the same.
func withoutMap(err error) bool {
	var f *fault.Error
	return errors.As(err, &f) && (f.Kind == fault.Impossible || f.Kind == fault.Unready)
}

// placesNamed finds stored features that hold all words of a text in their names, at most so many.
func (v *Service) placesNamed(ctx context.Context, a Actor, text string, most int) (out []Meaning, err error) {
	s, view, err := v.reading(ctx, a)
	words := lexicon.Words(text)
	if err != nil || len(words) == 0 {
		return nil, err
	}
	s.Named(view, words, func(r catalog.Row) bool {
		own := lexicon.Words(r.Name())
		met := 0
		for _, w := range words {
			if slices.ContainsFunc(own, func(o string) bool { return strings.HasPrefix(o, w) }) {
				met++
			}
		}
		if met == len(words) {
			out = append(out, Meaning{Confidence: 0.75 + 0.25*float64(met)/float64(len(own)), Row: &r})
		}
		return len(out) < most
	})
	return out, nil
}
