package service

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"viandante/codec/geojson"
	"viandante/core/address"
	"viandante/core/geo"
	"viandante/store"
)

// Interpret understands whatever somebody typed into the one line: a position in any notation, or else the stored
// places and the addresses that the words may mean, the surest first. Each feature says in its properties what kind of
// thing it is, and for a position how it was read. What looks like coordinates but cannot be any is no error:
// people are still typing. Nothing is found then, and the field error says what would be right.
func (v *Service) Interpret(ctx context.Context, a Actor, text string, near geo.Point, limit int) ([]*geojson.Feature, *FieldError, error) {
	if err := a.mayRead(); err != nil {
		return nil, nil, err
	}
	reading, err := geo.Read(text)
	if err == nil {
		props := map[string]any{"kind": "position", "label": reading.Point.String(), "notation": string(reading.Notation),
			"confidence": 1, "accuracy_m": Defined(reading.AccuracyM)}
		return []*geojson.Feature{{Type: "Feature", Geometry: geojson.Point(reading.Point), Properties: props}}, nil, nil
	}
	out, searchErr := v.placesNamed(ctx, a, text, limit)
	if searchErr != nil {
		return nil, nil, searchErr
	}
	finds, searchErr := v.Geocode(ctx, a, address.Query{Text: text, Near: near, Limit: limit})
	if searchErr != nil {
		return nil, nil, searchErr
	}
	for _, f := range finds {
		out = append(out, PresentFind(f))
	}
	if len(out) == 0 && !strings.ContainsFunc(text, func(c rune) bool { return c > '9' && !strings.ContainsRune("NSEWnsew°'\"′″", c) }) && strings.TrimSpace(text) != "" {
		return out, &Refuse("q", text, err).Fields[0], nil
	}
	slices.SortStableFunc(out, func(x, y *geojson.Feature) int {
		return cmp.Compare(y.Properties["confidence"].(float64), x.Properties["confidence"].(float64))
	})
	return out[:min(limit, len(out))], nil, nil
}

// placesNamed finds stored places that hold all words of a text in their names.
func (v *Service) placesNamed(ctx context.Context, a Actor, text string, limit int) ([]*geojson.Feature, error) {
	words := address.Words(text)
	out := []*geojson.Feature{}
	if len(words) == 0 {
		return out, nil
	}
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return nil, err
	}
	s := x.now.Load()
	look := func(f *store.Feature) {
		own := address.Words(f.Name)
		met := 0
		for _, w := range words {
			if slices.ContainsFunc(own, func(o string) bool { return strings.HasPrefix(o, w) }) {
				met++
			}
		}
		if met == len(words) && len(out) < limit*4 {
			p := present(a, f)
			p.Properties["kind"], p.Properties["label"], p.Properties["collection"] = "place", f.Name, f.Collection
			p.Properties["confidence"] = 0.75 + 0.25*float64(met)/float64(len(own))
			out = append(out, p)
		}
	}
	s.columns.text().find(words, func(i int32) bool {
		if !s.isReplaced(i) {
			look(s.base[i])
		}
		return len(out) < limit*4
	})
	for _, c := range s.recent {
		if c.feature != nil {
			look(c.feature)
		}
	}
	return out, nil
}

// PresentFind returns a find of the geocoder as a feature.
func PresentFind(f address.Find) *geojson.Feature {
	props := map[string]any{"label": f.Label, "kind": string(f.Kind), "confidence": f.Confidence}
	for name, value := range map[string]string{"street": f.Street, "housenumber": f.HouseNumber, "locality": f.Locality, "postcode": f.Postcode, "category": f.Category} {
		if value != "" {
			props[name] = value
		}
	}
	if f.Matched != nil {
		props["matched"] = f.Matched
	}
	return &geojson.Feature{Type: "Feature", Geometry: geojson.Point(f.At), Properties: props}
}
