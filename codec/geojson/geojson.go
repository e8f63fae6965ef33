// Package geojson reads and writes GeoJSON (RFC 7946), whose positions are [lng, lat].
package geojson

import (
	"bytes"
	"encoding/hex"
	"encoding/json"
	"errors"
	"math"
	"strconv"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
)

// Feature is a GeoJSON feature.
type Feature struct {
	Type       string         `json:"type"`
	ID         string         `json:"id,omitempty"`
	Geometry   *Geometry      `json:"geometry"`
	Properties map[string]any `json:"properties"`
	BBox       []float64      `json:"bbox,omitempty"`
}

// UnmarshalJSON reads a feature. Members of others are passed over, also where the decoder is strict (RFC 7946, 6.1).
func (f *Feature) UnmarshalJSON(text []byte) error {
	type plain Feature
	return json.Unmarshal(text, (*plain)(f))
}

// Collection is a GeoJSON feature collection.
type Collection struct {
	Type     string     `json:"type"`
	Features []*Feature `json:"features"`
}

// Link is a link of an OGC API.
type Link struct {
	Href  string `json:"href"`
	Rel   string `json:"rel"`
	Type  string `json:"type,omitempty"`
	Title string `json:"title,omitempty"`
}

// NewCollection returns a collection of features, an empty one for none.
func NewCollection(features []*Feature) *Collection {
	if features == nil {
		features = []*Feature{}
	}
	return &Collection{Type: "FeatureCollection", Features: features}
}

// Geometry is a GeoJSON geometry; its coordinates are kept as they came.
type Geometry struct {
	Type        string          `json:"type"`
	Coordinates json.RawMessage `json:"coordinates"`
}

// Point returns the geometry of a point.
func Point(p geo.Point) *Geometry {
	if !p.IsValid() {
		return nil
	}
	text, _ := json.Marshal([2]float64{p.Lng(), p.Lat()}) // finite numbers always marshal
	return &Geometry{"Point", text}
}

// LineString returns the geometry of a line.
func LineString(line []geo.Point) *Geometry {
	pairs := make([][2]float64, len(line))
	for i, p := range line {
		pairs[i] = [2]float64{p.Lng(), p.Lat()}
	}
	text, _ := json.Marshal(pairs) // finite numbers always marshal
	return &Geometry{"LineString", text}
}

// Polygons returns the geometry of some polygons, each of rings that do not repeat their first position: a Polygon for
// one, else a MultiPolygon.
func Polygons(polygons [][][]geo.Point) *Geometry {
	all := make([][][][2]float64, len(polygons))
	for i, rings := range polygons {
		for _, ring := range rings {
			pairs := make([][2]float64, 0, len(ring)+1)
			for k := range len(ring) + 1 {
				p := ring[k%len(ring)]
				pairs = append(pairs, [2]float64{p.Lng(), p.Lat()})
			}
			all[i] = append(all[i], pairs)
		}
	}
	if len(all) == 1 {
		text, _ := json.Marshal(all[0]) // finite numbers always marshal
		return &Geometry{"Polygon", text}
	}
	text, _ := json.Marshal(all)
	return &Geometry{"MultiPolygon", text}
}

// Read reads a geometry from outside: a Point, LineString or Polygon with finite positions in range. Heights are taken
// where each position of a line has one. The error is a *geo.ParseError.
func (g *Geometry) Read() (feature.Geometry, error) {
	bad := func(reason, hint string) error {
		return &geo.ParseError{Input: string(g.Coordinates[:min(len(g.Coordinates), 200)]), Reason: reason, Hint: hint}
	}
	if bytes.Contains(g.Coordinates, []byte("null")) { // which would be read as 0
		return feature.Geometry{}, bad(
			"hold null where a number belongs",
			"an unknown position is \"geometry\": null as a whole",
		)
	}
	decode := func(v any, hint string) error {
		if json.Unmarshal(g.Coordinates, v) != nil {
			return bad("are not the coordinates of a "+g.Type, hint)
		}
		return nil
	}
	var none feature.Geometry
	var lines [][][]float64
	switch g.Type {
	case "Point":
		var c []float64
		if err := decode(&c, "a position is [lng, lat] in degrees, e.g. [-26.0517, -38.1402]"); err != nil {
			return none, err
		}
		at, err := geo.FromLngLat(c)
		if err == nil && len(c) > 2 && !math.IsInf(c[2], 0) && !math.IsNaN(c[2]) {
			return feature.AtHeight(at, c[2]), nil
		}
		return feature.At(at), err
	case "LineString":
		lines = make([][][]float64, 1)
		if err := decode(&lines[0], "a line is a list of at least two positions [lng, lat]"); err != nil {
			return none, err
		}
	case "Polygon":
		const hint = "a polygon is a list of rings, each a closed list of positions [lng, lat]"
		if err := decode(&lines, hint); err != nil {
			return none, err
		}
	default:
		return none, &geo.ParseError{Input: g.Type, Reason: "is not a geometry that is kept",
			Hint: "Point, LineString, Polygon or null"}
	}
	points, heights, err := positions(lines)
	if err != nil {
		return none, err
	}
	out, err := feature.Geometry{}, error(nil)
	if g.Type == "LineString" {
		out, err = feature.NewLine(points[0], heights[0])
	} else {
		out, err = feature.NewPolygon(points, heights)
	}
	var pe *geo.ParseError
	if errors.As(err, &pe) {
		return none, bad(pe.Reason, pe.Hint)
	}
	return out, err
}

// positions reads the lines of a geometry, as many positions as are ever taken, and their heights.
func positions(lines [][][]float64) (points [][]geo.Point, heights [][]float64, err error) {
	points, heights = make([][]geo.Point, len(lines)), make([][]float64, len(lines))
	total := 0
	for i, line := range lines {
		if total += len(line); total > 2*feature.MaxVertices {
			line = nil // refused by its number, whatever it holds
		}
		points[i] = make([]geo.Point, len(line))
		high := make([]float64, len(line))
		all := len(line) > 0
		for k, c := range line {
			if points[i][k], err = geo.FromLngLat(c); err != nil {
				return nil, nil, err
			}
			if len(c) > 2 {
				high[k] = c[2]
			} else {
				all = false
			}
		}
		if all {
			heights[i] = high
		}
	}
	return points, heights, nil
}

// AppendGeometry appends a geometry as GeoJSON, null for an unknown position; a circle's is its middle.
func AppendGeometry(dst []byte, g feature.Geometry) []byte {
	position := func(p geo.Point) {
		dst = geo.AppendDegrees(append(dst, '['), p.Lng())
		dst = geo.AppendDegrees(append(dst, ','), p.Lat())
	}
	line := func(points []geo.Point, heights []float64) {
		dst = append(dst, '[')
		for i, p := range points {
			if i > 0 {
				dst = append(dst, ',')
			}
			position(p)
			if heights != nil {
				dst = strconv.AppendFloat(append(dst, ','), heights[i], 'f', -1, 64)
			}
			dst = append(dst, ']')
		}
		dst = append(dst, ']')
	}
	switch g.Form() {
	case feature.Unknown:
		return append(dst, "null"...)
	case feature.Line:
		dst = append(dst, `{"type":"LineString","coordinates":`...)
		line(g.Lines()[0], g.HeightsM(0))
	case feature.Polygon:
		dst = append(dst, `{"type":"Polygon","coordinates":[`...)
		for i, ring := range g.Lines() {
			if i > 0 {
				dst = append(dst, ',')
			}
			line(ring, g.HeightsM(i))
		}
		dst = append(dst, ']')
	default:
		dst = append(dst, `{"type":"Point","coordinates":`...)
		position(g.Point())
		dst = append(dst, ']')
	}
	return append(dst, '}')
}

// GeometryOf returns a geometry in the form that package json writes, nil for an unknown position.
func GeometryOf(g feature.Geometry) *Geometry {
	if !g.IsKnown() {
		return nil
	}
	var out Geometry
	_ = json.Unmarshal(AppendGeometry(nil, g), &out) // it was written a moment ago
	return &out
}

// AppendFeature appends a feature whose properties are members of a JSON object already, without braces.
func AppendFeature(dst []byte, id uuid.UUID, g feature.Geometry, members func(dst []byte) []byte) []byte {
	dst = append(dst, `{"type":"Feature","id":"`...)
	dst = append(AppendUUID(dst, id), `","geometry":`...)
	dst = AppendGeometry(dst, g)
	dst = members(append(dst, `,"properties":{`...))
	if g.Form() == feature.Circle {
		dst = strconv.AppendFloat(append(dst, `,"`+feature.PropRadius+`":`...), g.RadiusM(), 'f', -1, 64)
	}
	return append(dst, "}}"...)
}

// Append appends a stored feature.
func Append(dst []byte, f *feature.Feature) []byte {
	return AppendFeature(dst, f.ID, f.Geometry, f.AppendMembers)
}

// AppendUUID appends an id as its 36 characters.
func AppendUUID(dst []byte, id uuid.UUID) []byte {
	for i, from := range []int{0, 4, 6, 8, 10} {
		if i > 0 {
			dst = append(dst, '-')
		}
		dst = hex.AppendEncode(dst, id[from:[]int{4, 6, 8, 10, 16}[i]])
	}
	return dst
}

// Draft returns a feature from outside as one to be accepted. The error is a *geo.ParseError about its geometry.
func (f *Feature) Draft() (feature.Draft, error) {
	out := feature.Draft{Properties: f.Properties}
	if f.Geometry == nil {
		return out, nil
	}
	g, err := f.Geometry.Read()
	out.Geometry = g
	return out, err
}
