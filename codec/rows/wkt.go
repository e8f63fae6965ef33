package rows

import (
	"encoding/json"
	"strings"

	"github.com/paulmach/orb"
	"github.com/paulmach/orb/encoding/wkt"

	"viandante/codec/geojson"
	"viandante/core/feature"
	"viandante/core/geo"
)

// ReadShape reads the geometry of a cell: WKT (OGC 06-103r4), whose positions are longitude and latitude, or GeoJSON.
func ReadShape(text string) (feature.Geometry, error) {
	text = strings.TrimSpace(text)
	if strings.HasPrefix(text, "{") {
		var g geojson.Geometry
		if err := json.Unmarshal([]byte(text), &g); err != nil {
			return feature.Geometry{}, &geo.ParseError{Input: text, Reason: "is not the JSON of a geometry",
				Hint: "see RFC 7946"}
		}
		return g.Read()
	}
	if srid, rest, found := strings.Cut(text, ";"); found && strings.HasPrefix(strings.ToUpper(srid), "SRID=") {
		if srid[5:] != "4326" {
			return feature.Geometry{}, &geo.ParseError{Input: text, Reason: "is in the reference system " + srid[5:],
				Hint: "only WGS 84, SRID=4326, is taken"}
		}
		text = rest
	}
	g, err := wkt.Unmarshal(text)
	if err != nil {
		return feature.Geometry{}, &geo.ParseError{Input: text, Reason: "is not a geometry in WKT",
			Hint: "e.g. LINESTRING(-26.05 -38.14, -26.04 -38.13): longitude first"}
	}
	points := func(line []orb.Point) ([]geo.Point, error) {
		out := make([]geo.Point, len(line))
		for i, p := range line {
			var err error
			if out[i], err = geo.FromLngLat([]float64{p.Lon(), p.Lat()}); err != nil {
				return nil, err
			}
		}
		return out, nil
	}
	switch g := g.(type) {
	case orb.Point:
		p, err := geo.FromLngLat([]float64{g.Lon(), g.Lat()})
		return feature.At(p), err
	case orb.LineString:
		line, err := points(g)
		if err != nil {
			return feature.Geometry{}, err
		}
		return feature.NewLine(line, nil)
	case orb.Polygon:
		var rings [][]geo.Point
		for _, ring := range g {
			line, err := points(ring)
			if err != nil {
				return feature.Geometry{}, err
			}
			rings = append(rings, line)
		}
		return feature.NewPolygon(rings, make([][]float64, len(rings)))
	}
	return feature.Geometry{}, &geo.ParseError{Input: text, Reason: "is a " + g.GeoJSONType() + ", which is not kept",
		Hint: "POINT, LINESTRING or POLYGON"}
}

// WKT writes a geometry; "" for an unknown one.
func WKT(g feature.Geometry) string {
	pair := func(p geo.Point) orb.Point { return orb.Point{p.Lng(), p.Lat()} }
	line := func(points []geo.Point) (out []orb.Point) {
		for _, p := range points {
			out = append(out, pair(p))
		}
		return out
	}
	switch g.Form() {
	case feature.Point, feature.Circle:
		return wkt.MarshalString(pair(g.Point()))
	case feature.Line:
		return wkt.MarshalString(orb.LineString(line(g.Lines()[0])))
	case feature.Polygon:
		var out orb.Polygon
		for _, ring := range g.Lines() {
			out = append(out, line(ring))
		}
		return wkt.MarshalString(out)
	}
	return ""
}
