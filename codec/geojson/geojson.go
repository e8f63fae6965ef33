// Package geojson reads and writes GeoJSON (RFC 7946), whose positions are [lng, lat].
package geojson

import (
	"encoding/json"
	"fmt"
	"math"

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

// Collection is a GeoJSON feature collection with what our answers add to it.
type Collection struct {
	Type           string     `json:"type"`
	Features       []*Feature `json:"features"`
	Truncated      *bool      `json:"truncated,omitempty"`
	NumberReturned *int       `json:"numberReturned,omitempty"`
	TimeStamp      string     `json:"timeStamp,omitempty"`
	Links          []Link     `json:"links,omitempty"`
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

// maxVertices bounds a geometry from outside.
const maxVertices = 100_000

// Check reads a geometry from outside: a Point, LineString or Polygon with finite positions in range. For a Point it
// returns the position, and its height in metres where one is given. The error is a *geo.ParseError.
func (g *Geometry) Check() (at geo.Point, heightM *float64, err error) {
	bad := func(reason, hint string) error {
		return &geo.ParseError{Input: string(g.Coordinates), Reason: reason, Hint: hint}
	}
	decode := func(v any, hint string) error {
		if json.Unmarshal(g.Coordinates, v) != nil {
			return bad("are not the coordinates of a "+g.Type, hint)
		}
		return nil
	}
	switch g.Type {
	case "Point":
		const hint = "a position is [lng, lat] in degrees, e.g. [-26.0517, -38.1402]"
		var c []float64
		if err := decode(&c, hint); err != nil {
			return geo.Point{}, nil, err
		}
		if at, err = Position(c); err != nil {
			return geo.Point{}, nil, err
		}
		if len(c) > 2 && !math.IsInf(c[2], 0) && !math.IsNaN(c[2]) {
			heightM = &c[2]
		}
		return at, heightM, nil
	case "LineString":
		var line [][]float64
		if err := decode(&line, "a line is a list of at least two positions [lng, lat]"); err != nil {
			return geo.Point{}, nil, err
		}
		if len(line) < 2 || len(line) > maxVertices {
			return geo.Point{}, nil, bad(fmt.Sprintf("a line of %d positions", len(line)), fmt.Sprintf("2 to %d positions", maxVertices))
		}
		return geo.Point{}, nil, positions(line)
	case "Polygon":
		var rings [][][]float64
		if err := decode(&rings, "a polygon is a list of rings, each a closed list of positions [lng, lat]"); err != nil {
			return geo.Point{}, nil, err
		}
		total := 0
		for _, r := range rings {
			total += len(r)
			if len(r) < 4 || fmt.Sprint(r[0]) != fmt.Sprint(r[len(r)-1]) {
				return geo.Point{}, nil, bad("a ring is not closed", "at least four positions, the last equal to the first")
			}
			if err := positions(r); err != nil {
				return geo.Point{}, nil, err
			}
		}
		if len(rings) == 0 || total > maxVertices {
			return geo.Point{}, nil, bad(fmt.Sprintf("a polygon of %d positions", total), fmt.Sprintf("4 to %d positions", maxVertices))
		}
		return geo.Point{}, nil, nil
	}
	return geo.Point{}, nil, &geo.ParseError{Input: g.Type, Reason: "is not a geometry that is kept", Hint: "Point, LineString, Polygon or null"}
}

func positions(line [][]float64) error {
	for _, c := range line {
		if _, err := Position(c); err != nil {
			return err
		}
	}
	return nil
}

// Position reads a position [lng, lat]; the error is a *geo.ParseError that names a likely swap.
func Position(c []float64) (geo.Point, error) {
	text, _ := json.Marshal(c)
	if len(c) < 2 || len(c) > 4 {
		return geo.Point{}, &geo.ParseError{Input: string(text), Reason: "is not a position", Hint: "[lng, lat] in degrees, e.g. [-26.0517, -38.1402]"}
	}
	p, err := geo.NewPoint(c[1], c[0])
	if err != nil {
		e := err.(*geo.ParseError)
		e.Input = string(text)
		if math.Abs(c[1]) > 90 && math.Abs(c[0]) <= 90 {
			e.Hint = fmt.Sprintf("GeoJSON is [lng, lat]: did you mean [%v, %v]?", c[1], c[0])
		}
		return geo.Point{}, e
	}
	return p, nil
}
