// Package geojson reads and writes GeoJSON (RFC 7946), whose positions are [lng, lat].
package geojson

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"viandante/core/geo"
)

// Feature is a GeoJSON feature.
type Feature struct {
	Type       string         `json:"type"`
	ID         string         `json:"id,omitempty"`
	Geometry   *Geometry      `json:"geometry"`
	Properties map[string]any `json:"properties"`
	BBox       []float64      `json:"bbox,omitempty"`
	// Mended is what was put right on the way in: a foreign member (RFC 7946, 6.1) of the answer to a change.
	Mended []string `json:"mended,omitempty"`
}

// UnmarshalJSON reads a feature. Members of others are passed over, also where the decoder is strict (RFC 7946, 6.1).
func (f *Feature) UnmarshalJSON(text []byte) error {
	type plain Feature
	return json.Unmarshal(text, (*plain)(f))
}

// Collection is a GeoJSON feature collection with what our answers add to it.
type Collection struct {
	Type           string     `json:"type"`
	Features       []*Feature `json:"features"`
	Truncated      *bool      `json:"truncated,omitempty"`
	NumberReturned *int       `json:"numberReturned,omitempty"`
	NumberMatched  *int       `json:"numberMatched,omitempty"`
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

// Read is a geometry from outside that was found to be one.
type Read struct {
	// At is a point's position, HeightM its height in metres where one is given.
	At      geo.Point
	HeightM *float64
	// Lines are a line's positions, or a polygon's rings, which repeat their first position at the end. Heights are those
	// of the positions, nil where a line has none.
	Lines   [][]geo.Point
	Heights [][]float64
	IsLine  bool
}

// Check reads a geometry from outside: a Point, LineString or Polygon with finite positions in range. The error is a
// *geo.ParseError.
func (g *Geometry) Check() (Read, error) {
	bad := func(reason, hint string) error {
		return &geo.ParseError{Input: string(g.Coordinates[:min(len(g.Coordinates), 200)]), Reason: reason, Hint: hint}
	}
	if bytes.Contains(g.Coordinates, []byte("null")) { // which would be read as 0
		return Read{}, bad("hold null where a number belongs", "an unknown position is \"geometry\": null as a whole")
	}
	decode := func(v any, hint string) error {
		if json.Unmarshal(g.Coordinates, v) != nil {
			return bad("are not the coordinates of a "+g.Type, hint)
		}
		return nil
	}
	var lines [][][]float64
	switch g.Type {
	case "Point":
		const hint = "a position is [lng, lat] in degrees, e.g. [-26.0517, -38.1402]"
		var c []float64
		if err := decode(&c, hint); err != nil {
			return Read{}, err
		}
		at, err := Position(c)
		if err != nil {
			return Read{}, err
		}
		out := Read{At: at}
		if len(c) > 2 && !math.IsInf(c[2], 0) && !math.IsNaN(c[2]) {
			out.HeightM = &c[2]
		}
		return out, nil
	case "LineString":
		lines = make([][][]float64, 1)
		if err := decode(&lines[0], "a line is a list of at least two positions [lng, lat]"); err != nil {
			return Read{}, err
		}
		if n := len(lines[0]); n < 2 || n > maxVertices {
			return Read{}, bad(fmt.Sprintf("a line of %d positions", n), fmt.Sprintf("2 to %d positions", maxVertices))
		}
	case "Polygon":
		if err := decode(&lines, "a polygon is a list of rings, each a closed list of positions [lng, lat]"); err != nil {
			return Read{}, err
		}
		total := 0
		for _, r := range lines {
			total += len(r)
			if len(r) < 4 || fmt.Sprint(r[0]) != fmt.Sprint(r[len(r)-1]) {
				return Read{}, bad("a ring is not closed", "at least four positions, the last equal to the first")
			}
		}
		if len(lines) == 0 || total > maxVertices {
			return Read{}, bad(fmt.Sprintf("a polygon of %d positions", total), fmt.Sprintf("4 to %d positions", maxVertices))
		}
	default:
		return Read{}, &geo.ParseError{Input: g.Type, Reason: "is not a geometry that is kept", Hint: "Point, LineString, Polygon or null"}
	}
	out := Read{Lines: make([][]geo.Point, len(lines)), Heights: make([][]float64, len(lines)), IsLine: g.Type == "LineString"}
	for i, line := range lines {
		out.Lines[i] = make([]geo.Point, len(line))
		high := make([]float64, len(line))
		all := true
		for k, c := range line {
			var err error
			if out.Lines[i][k], err = Position(c); err != nil {
				return Read{}, err
			}
			if len(c) > 2 {
				high[k] = c[2]
			} else {
				all = false
			}
		}
		if all {
			out.Heights[i] = high
		}
	}
	return out, nil
}

// Geometry returns what was read as it is kept: rounded to 7 decimal places.
func (r Read) Geometry() *Geometry {
	if r.Lines == nil {
		return Point(r.At.Rounded())
	}
	lines := make([][][]float64, len(r.Lines))
	for i, line := range r.Lines {
		lines[i] = make([][]float64, len(line))
		for k, p := range line {
			p = p.Rounded()
			lines[i][k] = []float64{p.Lng(), p.Lat()}
			if r.Heights[i] != nil {
				lines[i][k] = append(lines[i][k], r.Heights[i][k])
			}
		}
	}
	if r.IsLine {
		text, _ := json.Marshal(lines[0]) // finite numbers always marshal
		return &Geometry{"LineString", text}
	}
	text, _ := json.Marshal(lines) // finite numbers always marshal
	return &Geometry{"Polygon", text}
}

// Pair is two or three numbers, as a position [lng, lat] or a pixel [x, y]. Anything else is refused, null as well.
type Pair [2]float64

// UnmarshalJSON reads a pair.
func (p *Pair) UnmarshalJSON(text []byte) error {
	var numbers []*float64
	if err := json.Unmarshal(text, &numbers); err != nil || len(numbers) < 2 || len(numbers) > 3 || slices.Contains(numbers, nil) {
		return &geo.ParseError{Input: string(text[:min(len(text), 100)]), Reason: "is not a pair of numbers", Hint: "e.g. [-26.0517, -38.1402]"}
	}
	*p = Pair{*numbers[0], *numbers[1]}
	return nil
}

// Position reads a position [lng, lat]; the error is a *geo.ParseError that names a likely swap.
func Position(c []float64) (geo.Point, error) {
	if len(c) < 2 || len(c) > 4 {
		return geo.Point{}, &geo.ParseError{Input: fmt.Sprint(c), Reason: "is not a position", Hint: "[lng, lat] in degrees, e.g. [-26.0517, -38.1402]"}
	}
	p, err := geo.NewPoint(c[1], c[0])
	if err != nil {
		e := err.(*geo.ParseError)
		e.Input = fmt.Sprint(c)
		if math.Abs(c[1]) > 90 && math.Abs(c[0]) <= 90 {
			e.Hint = fmt.Sprintf("GeoJSON is [lng, lat]: did you mean [%v, %v]?", c[1], c[0])
		}
		return geo.Point{}, e
	}
	return p, nil
}
