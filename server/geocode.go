package server

import (
	"encoding/json"
	"net/http"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/address"
	"viandante/core/feature"
	"viandante/core/geo"
)

func (s *server) geocode(c *echo.Context) error {
	q := newQuery(c)
	ask := address.Query{Text: q.text("q", 1000), Street: q.text("street", 300), HouseNumber: q.text("housenumber", 50),
		Locality: q.text(
			"locality",
			300,
		), Postcode: q.text("postcode", 50), Near: q.point("near", false), Limit: q.limit()}
	if ask.Text == "" && ask.Street == "" && ask.Locality == "" {
		q.refuse(
			"q",
			"",
			&geo.ParseError{
				Reason: "is missing",
				Hint:   "q=Mill Lane 12, Varrowby, or street= with housenumber=, locality=, postcode=",
			},
		)
	}
	if err := q.check(); err != nil {
		return err
	}
	finds, _, err := s.Service.Geocode(c.Request().Context(), actor(c), ask)
	return presentFinds(c, finds, err)
}

func (s *server) reverse(c *echo.Context) error {
	q := newQuery(c)
	at, limit := q.point("at", true), q.limit()
	if err := q.check(); err != nil {
		return err
	}
	finds, err := s.Service.Reverse(actor(c), at, limit)
	return presentFinds(c, finds, err)
}

func presentFinds(c *echo.Context, finds []address.Find, err error) error {
	if err != nil {
		return err
	}
	out := make([]*geojson.Feature, len(finds))
	for i := range finds {
		out[i] = presentFind(&finds[i])
		if c.Path() == "/v1/geocode/reverse" {
			out[i].Properties["distance_m"] = finds[i].DistanceM
		}
	}
	return features(c, http.StatusOK, geojson.NewCollection(out))
}

// presentFind returns a find of the geocoder as a feature.
func presentFind(f *address.Find) *geojson.Feature {
	props := map[string]any{"label": f.Label, "kind": string(f.Kind), "confidence": f.Confidence}
	for name, value := range map[string]string{"street": f.Street, "housenumber": f.HouseNumber, "locality": f.Locality,
		"postcode": f.Postcode, "category": f.Category} {
		if value != "" {
			props[name] = value
		}
	}
	if f.Matched != nil {
		props["matched"] = f.Matched
	}
	return &geojson.Feature{Type: "Feature", Geometry: geojson.Point(f.At), Properties: props}
}

// interpret answers GET /v1/interpret: whatever somebody types into the one line.
func (s *server) interpret(c *echo.Context) error {
	q := newQuery(c)
	text, near, limit := q.text("q", 1000), q.point("near", false), q.limit()
	if err := q.check(); err != nil {
		return err
	}
	found, unread, err := s.Service.Interpret(c.Request().Context(), actor(c), text, near, limit)
	if err != nil {
		return err
	}
	a := newListing(len(found))
	for _, m := range found {
		switch {
		case m.Row != nil:
			a.row(*m.Row, func(dst []byte) []byte {
				dst = appendMember(dst, feature.PropCollection, m.Row.Collection())
				dst = appendMember(appendMember(dst, "kind", "place"), "label", m.Row.Name())
				return appendNumber(dst, "confidence", m.Confidence)
			})
		case m.Find != nil:
			a.feature(presentFind(m.Find))
		default:
			p := m.Position
			a.feature(&geojson.Feature{Type: "Feature", Geometry: geojson.Point(p.Point), Properties: map[string]any{
				"kind": "position", "label": p.Point.String(), "notation": string(p.Notation),
				"confidence": m.Confidence,
				"accuracy_m": defined(p.AccuracyM)}})
		}
	}
	if unread == nil {
		return a.send(c, "")
	}
	text2, err := json.Marshal(unread)
	if err != nil {
		return err
	}
	return a.send(c, `"unread":`+string(text2))
}
