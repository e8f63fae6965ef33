package rows

import (
	"encoding/xml"
	"errors"
	"io"
	"strconv"
	"strings"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/tabular"
)

// kmlPlacemark is a place, a path or an area of a KML (OGC 12-007r2, 9.11).
type kmlPlacemark struct {
	ID          string      `xml:"id,attr"`
	Name        string      `xml:"name"`
	Description string      `xml:"description"`
	Address     string      `xml:"address"`
	Phone       string      `xml:"phoneNumber"`
	Point       *kmlLine    `xml:"Point"`
	Line        *kmlLine    `xml:"LineString"`
	Polygon     *kmlPolygon `xml:"Polygon"`
	Multi       *struct{}   `xml:"MultiGeometry"`
	Data        []kmlData   `xml:"ExtendedData>Data"`
	Simple      []kmlSimple `xml:"ExtendedData>SchemaData>SimpleData"`
}

type kmlData struct {
	Name  string `xml:"name,attr"`
	Value string `xml:"value"`
}

type kmlSimple struct {
	Name  string `xml:"name,attr"`
	Value string `xml:",chardata"`
}

type kmlLine struct {
	Coordinates string `xml:"coordinates"`
}

type kmlPolygon struct {
	Outer kmlLine   `xml:"outerBoundaryIs>LinearRing"`
	Inner []kmlLine `xml:"innerBoundaryIs>LinearRing"`
}

// newKML reads the placemarks of a KML.
func newKML(in io.Reader, g *guard) *elements {
	e := newElements(in, g, "kml")
	e.rows = map[string]func(*elements, xml.StartElement, int) (tabular.Row, error){"Placemark": kmlRow}
	return e
}

func kmlRow(e *elements, start xml.StartElement, line int) (tabular.Row, error) {
	var p kmlPlacemark
	if err := e.d.DecodeElement(&p, &start); err != nil {
		return tabular.Row{}, err
	}
	row := tabular.Row{Line: line, Values: values("id", strings.TrimPrefix(p.ID, kmlID), "name", p.Name, "description",
		p.Description, "address",
		p.Address, "telephone", p.Phone)}
	for _, d := range p.Data {
		row.Values[d.Name] = strings.TrimSpace(d.Value)
	}
	for _, d := range p.Simple {
		row.Values[d.Name] = strings.TrimSpace(d.Value)
	}
	if p.Multi != nil {
		row.Wrong = &tabular.Problem{Line: line, Value: feature.Clip(p.Name), Reason: "has several geometries in one",
			Hint: "a placemark for each"}
		return row, nil
	}
	g, err := p.geometry()
	row.Geometry, row.Wrong = g, problemOf(line, err)
	return row, nil
}

func (p *kmlPlacemark) geometry() (feature.Geometry, error) {
	switch {
	case p.Point != nil:
		points, _, err := kmlPositions(p.Point.Coordinates)
		if err != nil {
			return feature.Geometry{}, err
		}
		if len(points) != 1 {
			return feature.Geometry{}, &geo.ParseError{Input: feature.Clip(p.Point.Coordinates),
				Reason: "is no position",
				Hint:   "longitude,latitude in degrees"}
		}
		return feature.At(points[0]), nil
	case p.Line != nil:
		points, heights, err := kmlPositions(p.Line.Coordinates)
		if err != nil {
			return feature.Geometry{}, err
		}
		return feature.NewLine(points, heights)
	case p.Polygon != nil:
		var rings [][]geo.Point
		for _, ring := range append([]kmlLine{p.Polygon.Outer}, p.Polygon.Inner...) {
			points, _, err := kmlPositions(ring.Coordinates)
			if err != nil {
				return feature.Geometry{}, err
			}
			rings = append(rings, points)
		}
		return feature.NewPolygon(rings, make([][]float64, len(rings)))
	}
	return feature.Geometry{}, nil
}

// kmlPositions reads tuples of longitude, latitude and, where it is known, height.
func kmlPositions(text string) (points []geo.Point, heights []float64, err error) {
	for _, tuple := range strings.Fields(text) {
		parts := strings.Split(tuple, ",")
		c := make([]float64, 0, 3)
		for _, part := range parts[:min(len(parts), 3)] {
			v, wrong := strconv.ParseFloat(part, 64)
			err = errors.Join(err, wrong)
			c = append(c, v)
		}
		if err != nil || len(c) < 2 {
			return nil, nil, &geo.ParseError{Input: feature.Clip(tuple), Reason: "is no position",
				Hint: "longitude,latitude in degrees"}
		}
		p, err := geo.FromLngLat(c)
		if err != nil {
			return nil, nil, err
		}
		points = append(points, p)
		if len(c) > 2 && len(heights) == len(points)-1 && c[2] != 0 { // KML writes 0 where it knows none
			heights = append(heights, c[2])
		}
	}
	if len(heights) < len(points) {
		heights = nil
	}
	return points, heights, nil
}
