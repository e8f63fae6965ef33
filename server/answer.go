package server

import (
	"encoding/json"
	"math"
	"net/http"
	"strconv"
	"sync"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service"
	"viandante/service/catalog"
	"viandante/service/fault"
)

const geoJSONType = "application/geo+json"

// features answers with GeoJSON.
func features(c *echo.Context, status int, v any) error {
	c.Response().Header().Set(echo.HeaderContentType, geoJSONType)
	return c.JSON(status, v)
}

func lngLat(p geo.Point) [2]float64 { return [2]float64{p.Lng(), p.Lat()} }

// defined returns nil for what is not defined, so that it leaves as null.
func defined(v float64) any {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return v
}

// listing is a feature collection that is being written. What a catalog holds is copied into it as it is.
type listing struct {
	text  []byte
	count int
	wrong error
}

// answers are buffers for the next ones; very large ones are left to the garbage collector.
var answers = sync.Pool{New: func() any { return new([]byte) }}

const largeListing = 4 << 20

func newListing(features int) *listing {
	text := (*answers.Get().(*[]byte))[:0]
	if need := 500 * features; cap(text) < need {
		text = make([]byte, 0, need)
	}
	return &listing{text: append(text, `{"type":"FeatureCollection","features":[`...)}
}

func (a *listing) next() {
	if a.count++; a.count > 1 {
		a.text = append(a.text, ',')
	}
}

// row adds a feature of a catalog; more appends what is computed of it, each member after a comma.
func (a *listing) row(r catalog.Row, more func(dst []byte) []byte) {
	a.next()
	a.text = geojson.AppendFeature(a.text, r.ID(), r.Geometry(), func(dst []byte) []byte {
		dst = r.AppendMembers(dst)
		if more != nil {
			dst = more(dst)
		}
		return dst
	})
}

// feature adds any other one.
func (a *listing) feature(f *geojson.Feature) {
	a.next()
	text, err := json.Marshal(f)
	if err != nil {
		a.wrong = err
	}
	a.text = append(a.text, text...)
}

// send ends the collection with further members, as JSON, and answers with it.
func (a *listing) send(c *echo.Context, members string) error {
	if a.wrong != nil {
		return a.wrong
	}
	a.text = append(a.text, ']')
	if members != "" {
		a.text = append(append(a.text, ','), members...)
	}
	a.text = append(a.text, '}')
	c.Response().Header().Set(echo.HeaderContentLength, strconv.Itoa(len(a.text))) // left out again where it is packed
	err := c.Blob(http.StatusOK, geoJSONType, a.text)
	if cap(a.text) <= largeListing {
		answers.Put(&a.text)
	}
	return err
}

func appendMember(dst []byte, name, value string) []byte {
	return feature.AppendQuoted(append(dst, `,"`+name+`":`...), value)
}

// appendNumber appends a computed number, null for one that is not defined.
func appendNumber(dst []byte, name string, v float64) []byte {
	dst = append(dst, `,"`+name+`":`...)
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return append(dst, "null"...)
	}
	return geo.AppendRounded(dst, v)
}

// present returns a stored feature as package json writes it, null for none.
func present(f *feature.Feature) json.RawMessage {
	if f == nil {
		return json.RawMessage("null")
	}
	return geojson.Append(nil, f)
}

// appendVersioned appends a stored feature with what was put right on the way in: a foreign member (RFC 7946, 6.1).
func appendVersioned(dst []byte, v service.Versioned) []byte {
	dst = geojson.Append(dst, v.Feature)
	if len(v.Mended) == 0 {
		return dst
	}
	text, _ := json.Marshal(v.Mended) // texts always marshal
	dst = append(dst[:len(dst)-1], `,"mended":`...)
	return append(append(dst, text...), '}')
}

// draftOf reads a feature from outside.
func draftOf(f *geojson.Feature) (feature.Draft, error) {
	if f.Type != "Feature" {
		return feature.Draft{}, fault.Refuse("type", f.Type, &geo.ParseError{Reason: "is not Feature"})
	}
	d, err := f.Draft()
	if err != nil {
		return d, fault.Refuse("geometry", "", err)
	}
	return d, nil
}

// readPatch reads a JSON merge patch (RFC 7396) on a feature's GeoJSON.
func readPatch(text []byte) (feature.Patch, error) {
	var in map[string]json.RawMessage
	if err := json.Unmarshal(text, &in); err != nil {
		return feature.Patch{}, notJSON(err)
	}
	var out feature.Patch
	unfit := func(err error) error {
		return fault.Refuse("body", "", &geo.ParseError{Reason: "does not leave a feature: " + err.Error()})
	}
	if kind, there := in["type"]; there && string(kind) != `"Feature"` {
		return out, fault.Refuse("type", string(kind), &geo.ParseError{Reason: "is not Feature"})
	}
	if text, there := in["geometry"]; there {
		var g *geojson.Geometry
		if err := json.Unmarshal(text, &g); err != nil {
			return out, unfit(err)
		}
		out.Geometry = &feature.Geometry{}
		if g != nil {
			read, err := g.Read()
			if err != nil {
				return out, fault.Refuse("geometry", "", err)
			}
			out.Geometry = &read
		}
	}
	if text, there := in["properties"]; there {
		out.NoProperties = string(text) == "null"
		if err := json.Unmarshal(text, &out.Properties); err != nil {
			return out, unfit(err)
		}
	}
	return out, nil
}
