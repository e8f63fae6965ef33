package server

import (
	"bytes"
	"context"
	"encoding/json"
	"math"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/address"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service/fault"
)

const (
	// maxBatch is how many queries a batch may have, batchChunk how many are answered before something is sent.
	maxBatch   = 10_000
	batchChunk = 200
	maxQueries = 16 << 20
)

func (s *server) geocodeCalls(v1 *echo.Group) {
	v1.GET("/interpret", s.interpret)
	v1.GET("/suggest", s.suggest)
	v1.GET("/geocode", s.geocode)
	v1.POST("/geocode/batch", s.geocodeBatch)
	v1.GET("/geocode/reverse", s.reverse)
	v1.GET("/lookups", s.lookups)
	v1.PUT("/lookups/:id", s.putLookup)
	v1.GET("/lookups/:id", s.lookup)
	v1.PATCH("/lookups/:id", s.patchLookup)
	v1.POST("/lookups/:id/undo", s.undoLookup)
	v1.GET("/collections/:collection/addresses", s.addresses)
	v1.GET("/collections/:collection/addresses/moved", s.movedAddresses)
	v1.POST("/collections/:collection/addresses/moved", s.takeMoved)
}

// parts of an address, as parameters and as members of a query in a batch.
type addressQuery struct {
	Q           string      `json:"q"`
	Street      string      `json:"street"`
	HouseNumber string      `json:"housenumber"`
	Locality    string      `json:"locality"`
	Postcode    string      `json:"postcode"`
	Near        *[2]float64 `json:"near"` // lng, lat
	Limit       int         `json:"limit"`
}

func (a addressQuery) empty() bool {
	return a.Q == "" && a.Street == "" && a.Locality == "" && a.Postcode == ""
}

// query returns what the geocoder is asked, or what is wrong.
func (a addressQuery) query() (address.Query, error) {
	q := address.Query{Text: a.Q, Street: a.Street, HouseNumber: a.HouseNumber, Locality: a.Locality,
		Postcode: a.Postcode,
		Limit:    a.Limit}
	if a.empty() {
		return q, &geo.ParseError{Reason: "is missing",
			Hint: "q=Mill Lane 12, Varrowby, or street= with housenumber=, locality=, postcode="}
	}
	if a.Near != nil {
		near, err := geo.NewPoint(a.Near[1], a.Near[0])
		if err != nil {
			return q, err
		}
		q.Near = near
	}
	return q, nil
}

func (s *server) geocode(c *echo.Context) error {
	q := newQuery(c)
	ask := addressQuery{Q: q.text("q", 1000), Street: q.text("street", 300), HouseNumber: q.text("housenumber", 50),
		Locality: q.text("locality", 300), Postcode: q.text("postcode", 50)}
	near, limit := q.point("near", false), q.limit()
	asked, err := ask.query()
	if err != nil {
		q.refuse("q", "", err)
	}
	if err := q.check(); err != nil {
		return err
	}
	asked.Near, asked.Limit = near, limit
	finds, u, err := s.Service.Geocode(c.Request().Context(), actor(c), asked)
	return presentFinds(c, finds, &u, err)
}

func (s *server) suggest(c *echo.Context) error {
	q := newQuery(c)
	ask := address.Query{Text: q.text("q", 1000), Near: q.point("near", false), Limit: min(q.limit(), 50)}
	if err := q.check(); err != nil {
		return err
	}
	finds, u, err := s.Service.Suggest(c.Request().Context(), actor(c), ask)
	return presentFinds(c, finds, &u, err)
}

func (s *server) reverse(c *echo.Context) error {
	q := newQuery(c)
	at, limit := q.point("at", true), q.limit()
	if err := q.check(); err != nil {
		return err
	}
	finds, err := s.Service.Reverse(actor(c), at, limit)
	return presentFinds(c, finds, nil, err)
}

// found is an answer of the geocoder. Where there are no features, the rest tells what was made of the query.
type found struct {
	*geojson.Collection
	Unknown []string         `json:"unknown,omitempty"`
	Nearest *geojson.Feature `json:"nearest,omitempty"`
}

func foundOf(finds []address.Find, u *address.Understanding, reverse bool) found {
	out := make([]*geojson.Feature, len(finds))
	for i := range finds {
		out[i] = presentFind(&finds[i])
		if reverse {
			out[i].Properties["distance_m"] = math.Round(finds[i].DistanceM*1000) / 1000
			out[i].Properties["inside"] = finds[i].Inside
		}
	}
	a := found{Collection: geojson.NewCollection(out)}
	if len(finds) == 0 && u != nil {
		a.Unknown = u.Unknown
		if u.Nearest != nil {
			a.Nearest = presentFind(u.Nearest)
		}
	}
	return a
}

func presentFinds(c *echo.Context, finds []address.Find, u *address.Understanding, err error) error {
	if err != nil {
		return err
	}
	return features(c, http.StatusOK, foundOf(finds, u, u == nil))
}

// presentFind returns a find of the geocoder as a feature.
func presentFind(f *address.Find) *geojson.Feature {
	props := map[string]any{"label": f.Label, "kind": string(f.Kind), "confidence": f.Confidence}
	for name, value := range map[string]string{"street": f.Street, "housenumber": f.HouseNumber, "locality": f.Locality,
		"district": f.District, "postcode": f.Postcode, "category": f.Category, "other_name": f.OtherName,
		"other_name_kind": f.OtherNameKind, "region": f.Of, "region_version": f.Version, "notation": f.Notation} {
		if value != "" {
			props[name] = value
		}
	}
	for name, list := range map[string][]string{"matched": f.Matched, "ignored": f.Ignored, "between": f.Between} {
		if list != nil {
			props[name] = list
		}
	}
	if len(f.Corrected) > 0 {
		corrected := make([]map[string]string, len(f.Corrected))
		for i, one := range f.Corrected {
			corrected[i] = map[string]string{"typed": one.Typed, "read": one.Read}
		}
		props["corrected"] = corrected
	}
	if f.DistanceM > 0 {
		props["distance_m"] = math.Round(f.DistanceM*1000) / 1000
	}
	if f.Between != nil {
		props["interpolated"] = true
	}
	if f.NumberUnknown {
		props["number_unknown"] = true
	}
	if f.Kind == address.Position {
		props["accuracy_m"] = defined(f.AccuracyM)
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
	in, err := s.Service.Interpret(c.Request().Context(), actor(c), text, near, limit)
	if err != nil {
		return err
	}
	a := newListing(len(in.Meanings))
	for _, m := range in.Meanings {
		if m.Row == nil {
			a.feature(presentFind(m.Find))
			continue
		}
		a.row(*m.Row, func(dst []byte) []byte {
			dst = appendMember(dst, feature.PropCollection, m.Row.Collection())
			dst = appendMember(appendMember(dst, "kind", "place"), "label", m.Row.Name())
			return appendNumber(dst, "confidence", m.Confidence)
		})
	}
	more := map[string]any{}
	if in.Unread != nil {
		more["unread"] = in.Unread
	}
	if in.WithoutMap != "" {
		more["without_map"] = in.WithoutMap
	}
	if len(in.Meanings) == 0 {
		rest := foundOf(nil, &in.Understanding, false)
		if rest.Unknown != nil {
			more["unknown"] = rest.Unknown
		}
		if rest.Nearest != nil {
			more["nearest"] = rest.Nearest
		}
	}
	if len(more) == 0 {
		return a.send(c, "")
	}
	members, err := json.Marshal(more)
	if err != nil {
		return err
	}
	return a.send(c, string(members[1:len(members)-1]))
}

// batch is many queries at once: texts, or parts of addresses.
type batch struct {
	Queries []json.RawMessage `json:"queries"`
	Near    *[2]float64       `json:"near"`
	Limit   int               `json:"limit"`
}

// batchLine is the answer to one of them.
type batchLine struct {
	Index    int                `json:"index"`
	Query    json.RawMessage    `json:"query"`
	Features []*geojson.Feature `json:"features"`
	Unknown  []string           `json:"unknown,omitempty"`
	Error    *fault.Field       `json:"error,omitempty"`
}

// geocodeBatch answers POST /v1/geocode/batch with a line of JSON for each query, in their order, while it works.
func (s *server) geocodeBatch(c *echo.Context) error {
	var b batch
	if err := s.decodeAs(c, maxQueries, jsonTypes, &b); err != nil {
		return err
	}
	switch {
	case len(b.Queries) == 0:
		return fault.Refuse("queries", "", &geo.ParseError{Reason: "is missing", Hint: `["Mill Lane 12, Varrowby", …]`})
	case len(b.Queries) > maxBatch:
		return fault.Refuse("queries", strconv.Itoa(len(b.Queries)), &geo.ParseError{Reason: "are too many",
			Hint: "at most 10000 at once"})
	case b.Limit < 0 || b.Limit > 50:
		return fault.Refuse("limit", strconv.Itoa(b.Limit), &geo.ParseError{Reason: "is not a number from 1 to 50"})
	}
	ctx := c.Request().Context()
	return sendLines(c, len(b.Queries), batchChunk, func(i int) (any, error) { return s.batchLine(ctx, c, &b, i) })
}

// batchLine answers one query of a batch. What is wrong with it is told in its line.
func (s *server) batchLine(ctx context.Context, c *echo.Context, b *batch, i int) (batchLine, error) {
	line := batchLine{Index: i, Query: b.Queries[i], Features: []*geojson.Feature{}}
	refuse := func(err error) (batchLine, error) {
		line.Error = &fault.Refuse("queries["+strconv.Itoa(i)+"]", "", err).Fields[0]
		return line, nil
	}
	var one addressQuery
	if json.Unmarshal(b.Queries[i], &one.Q) != nil {
		d := json.NewDecoder(bytes.NewReader(b.Queries[i]))
		d.DisallowUnknownFields()
		if err := d.Decode(&one); err != nil {
			return refuse(&geo.ParseError{Reason: "is neither a text nor the parts of an address",
				Hint: `"Mill Lane 12, Varrowby", or {"street": "Mill Lane", "housenumber": "12"}`})
		}
	}
	if one.Near == nil {
		one.Near = b.Near
	}
	if one.Limit = b.Limit; one.Limit == 0 {
		one.Limit = 1
	}
	ask, err := one.query()
	if err != nil {
		return refuse(err)
	}
	finds, u, err := s.Service.Geocode(ctx, actor(c), ask)
	if err != nil {
		return line, err
	}
	answer := foundOf(finds, &u, false)
	line.Features, line.Unknown = answer.Features, answer.Unknown
	return line, nil
}
