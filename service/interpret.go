package service

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"

	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/lexicon"
	"viandante/service/catalog"
	"viandante/service/fault"
)

// Meaning is one thing that a text may mean: a position, a stored feature, or something that the geocoder found.
type Meaning struct {
	Confidence float64 // from 0 to 1
	// One of the three is set.
	Position *geo.Reading
	Row      *catalog.Row
	Find     *address.Find
}

// Interpret understands whatever somebody typed into the one line: a position in any notation, or else the stored
// places and the addresses that the words may mean, the surest first. What looks like coordinates but cannot be any is
// no error: people are still typing. Nothing is found then, and the fault says what would be right.
func (v *Service) Interpret(
	ctx context.Context,
	a Actor,
	text string,
	near geo.Point,
	limit int,
) ([]Meaning, *fault.Field, error) {
	if err := a.MayRead(); err != nil {
		return nil, nil, err
	}
	reading, unread := geo.Read(text)
	if unread == nil {
		return []Meaning{{Confidence: 1, Position: &reading}}, nil, nil
	}
	out, err := v.placesNamed(ctx, a, text, 4*limit)
	if err != nil {
		return nil, nil, err
	}
	finds, _, err := v.Suggest(ctx, a, address.Query{Text: text, Near: near, Limit: limit})
	if err != nil && !withoutMap(err) {
		return nil, nil, err
	}
	for i := range finds {
		out = append(out, Meaning{Confidence: finds[i].Confidence, Find: &finds[i]})
	}
	isWord := func(c rune) bool { return c > '9' && !strings.ContainsRune("NSEWnsew°'\"′″", c) }
	if len(out) == 0 && !strings.ContainsFunc(text, isWord) && strings.TrimSpace(text) != "" {
		return out, &fault.Refuse("q", text, unread).Fields[0], nil
	}
	slices.SortStableFunc(out, func(x, y Meaning) int { return cmp.Compare(y.Confidence, x.Confidence) })
	return out[:min(limit, len(out))], nil, nil
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
