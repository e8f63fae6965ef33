// Package wmts reads the capabilities document of a Web Map Tile Service (OGC 07-057r7, version 1.0.0) and finds in it
// the layers whose tiles lie on the square of the spherical Mercator projection, with the addresses of their tiles.
package wmts

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"
)

// Layer is a layer that can be drawn.
type Layer struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	// Template is the address of a tile, with {z}, {x} and {y}; {z} stands for the name of the zoom in Matrices.
	Template string `json:"template"`
	// Matrices are the names that the service has for the zooms from MinZoom on.
	Matrices []string `json:"matrices"`
	MinZoom  int      `json:"min_zoom"`
	MaxZoom  int      `json:"max_zoom"`
	// TileSize is the side of a tile in pixels, 256 or 512.
	TileSize int `json:"tile_size"`
	// BBox is where the layer has tiles: west, south, east, north in degrees; nil where it is not said.
	BBox []float64 `json:"bbox,omitempty"`
}

// Errors of Read.
var (
	ErrNotCapabilities = errors.New("is not a WMTS capabilities document")
	ErrNoLayer         = errors.New(
		"has no layer with PNG or JPEG tiles on the square of the spherical Mercator projection (EPSG:3857); ask the " +
			"service for one",
	)
)

type document struct {
	XMLName    xml.Name
	Operations []struct {
		Name string `xml:"name,attr"`
		Get  []struct {
			Href     string   `xml:"http://www.w3.org/1999/xlink href,attr"`
			Encoding []string `xml:"Constraint>AllowedValues>Value"`
		} `xml:"DCP>HTTP>Get"`
	} `xml:"OperationsMetadata>Operation"`
	Layers []layer  `xml:"Contents>Layer"`
	Sets   []matrix `xml:"Contents>TileMatrixSet"`
}

type layer struct {
	ID     string   `xml:"Identifier"`
	Title  string   `xml:"Title"`
	Lower  string   `xml:"WGS84BoundingBox>LowerCorner"`
	Upper  string   `xml:"WGS84BoundingBox>UpperCorner"`
	Format []string `xml:"Format"`
	Style  []struct {
		ID      string `xml:"Identifier"`
		Default bool   `xml:"isDefault,attr"`
	} `xml:"Style"`
	Dimension []struct {
		ID      string `xml:"Identifier"`
		Default string `xml:"Default"`
	} `xml:"Dimension"`
	Links []struct {
		Set    string `xml:"TileMatrixSet"`
		Limits []struct {
			Matrix string `xml:"TileMatrix"`
		} `xml:"TileMatrixSetLimits>TileMatrixLimits"`
	} `xml:"TileMatrixSetLink"`
	Resources []struct {
		Kind     string `xml:"resourceType,attr"`
		Format   string `xml:"format,attr"`
		Template string `xml:"template,attr"`
	} `xml:"ResourceURL"`
}

type matrix struct {
	ID       string `xml:"Identifier"`
	CRS      string `xml:"SupportedCRS"`
	Matrices []struct {
		ID     string  `xml:"Identifier"`
		Scale  float64 `xml:"ScaleDenominator"`
		Corner string  `xml:"TopLeftCorner"`
		Width  int     `xml:"TileWidth"`
		Height int     `xml:"TileHeight"`
		Across int     `xml:"MatrixWidth"`
	} `xml:"TileMatrix"`
}

// Read returns the layers of a document that can be drawn, in its order. Addresses in it that are relative are taken
// from where it was read.
func Read(r io.Reader, from *url.URL) ([]Layer, error) {
	var doc document
	d := xml.NewDecoder(r)
	d.CharsetReader = func(charset string, in io.Reader) (io.Reader, error) {
		return nil, fmt.Errorf("the encoding %s is not read, only UTF-8", charset)
	}
	if err := d.Decode(&doc); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrNotCapabilities, err)
	}
	if doc.XMLName.Local != "Capabilities" {
		return nil, fmt.Errorf("%w but %q", ErrNotCapabilities, doc.XMLName.Local)
	}
	var out []Layer
	for _, l := range doc.Layers {
		for _, link := range l.Links {
			i := slices.IndexFunc(doc.Sets, func(m matrix) bool { return m.ID == link.Set })
			if i < 0 {
				continue
			}
			found, ok := doc.Sets[i].pyramid()
			if !ok {
				continue
			}
			if found.Template = doc.template(&l, link.Set, from); found.Template == "" {
				continue
			}
			found.ID, found.Title, found.BBox = l.ID, l.Title, l.bounds()
			if found.Title == "" {
				found.Title = l.ID
			}
			out = append(out, found)
			break
		}
	}
	if len(out) == 0 {
		return nil, ErrNoLayer
	}
	return out, nil
}

const (
	halfWorld = 20037508.342789244 // metres from the middle of the square to its edge
	pixel     = 0.00028            // metres, which scale denominators are for
)

// pyramid tells which of the set's matrices are the zooms of the square, one after the other; false for another
// projection.
func (m *matrix) pyramid() (Layer, bool) {
	if !strings.HasSuffix(m.CRS, "3857") && !strings.HasSuffix(m.CRS, "900913") {
		return Layer{}, false
	}
	names := map[int]string{}
	l := Layer{MinZoom: math.MaxInt}
	for _, t := range m.Matrices {
		z := int(math.Round(math.Log2(float64(t.Across))))
		var x, y float64
		if _, err := fmt.Sscan(t.Corner, &x, &y); err != nil || t.Width != t.Height ||
			t.Width != 256 && t.Width != 512 ||
			l.TileSize != 0 && t.Width != l.TileSize {
			continue
		}
		across := t.Scale * pixel * float64(t.Width) * float64(t.Across)
		if z < 0 || z > 24 || t.Across != 1<<z || math.Abs(x+halfWorld) > 1 || math.Abs(y-halfWorld) > 1 ||
			math.Abs(across/(2*halfWorld)-1) > 1e-3 {
			continue
		}
		names[z], l.TileSize = t.ID, t.Width
		l.MinZoom, l.MaxZoom = min(l.MinZoom, z), max(l.MaxZoom, z)
	}
	for z := l.MinZoom; z <= l.MaxZoom && len(names) > 0; z++ {
		name, ok := names[z]
		if !ok { // a gap: what lies above it is left out
			l.MaxZoom = z - 1
			break
		}
		l.Matrices = append(l.Matrices, name)
	}
	return l, len(l.Matrices) > 0
}

// template returns the address of a layer's tiles, by resource or else by key and value; "" where there is none.
func (d *document) template(l *layer, set string, from *url.URL) string {
	style := ""
	for i, s := range l.Style {
		if i == 0 || s.Default {
			style = s.ID
		}
	}
	drawn := func(format string) bool { return strings.HasPrefix(format, "image/png") || format == "image/jpeg" }
	for _, r := range l.Resources {
		if r.Kind != "tile" || !drawn(r.Format) {
			continue
		}
		pairs := []string{
			"{TileMatrixSet}",
			url.PathEscape(set),
			"{Style}",
			url.PathEscape(style),
			"{style}",
			url.PathEscape(style),
			"{TileMatrix}",
			"{z}",
			"{TileCol}",
			"{x}",
			"{TileRow}",
			"{y}",
		}
		for _, k := range l.Dimension {
			pairs = append(pairs, "{"+k.ID+"}", url.PathEscape(k.Default))
		}
		return absolute(strings.NewReplacer(pairs...).Replace(r.Template), from)
	}
	format := slices.IndexFunc(l.Format, drawn)
	if format < 0 {
		return ""
	}
	for _, o := range d.Operations {
		if o.Name != "GetTile" {
			continue
		}
		for _, g := range o.Get {
			if len(g.Encoding) > 0 && !slices.Contains(g.Encoding, "KVP") {
				continue
			}
			q := url.Values{
				"SERVICE":       {"WMTS"},
				"REQUEST":       {"GetTile"},
				"VERSION":       {"1.0.0"},
				"LAYER":         {l.ID},
				"STYLE":         {style},
				"FORMAT":        {l.Format[format]},
				"TILEMATRIXSET": {set},
			}
			for _, k := range l.Dimension {
				q.Set(k.ID, k.Default)
			}
			join := "?"
			if strings.Contains(g.Href, "?") {
				join = "&"
			}
			return absolute(
				strings.TrimRight(g.Href, "?&")+join+q.Encode()+"&TILEMATRIX={z}&TILECOL={x}&TILEROW={y}",
				from,
			)
		}
	}
	return ""
}

// absolute resolves an address, leaving its braces as they are.
func absolute(template string, from *url.URL) string {
	if from == nil || strings.HasPrefix(template, "http://") || strings.HasPrefix(template, "https://") {
		return template
	}
	u, err := from.Parse(template)
	if err != nil {
		return template
	}
	return strings.NewReplacer("%7B", "{", "%7D", "}").Replace(u.String())
}

func (l *layer) bounds() []float64 {
	var out []float64
	for _, corner := range []string{l.Lower, l.Upper} {
		for _, part := range strings.Fields(corner) {
			v, err := strconv.ParseFloat(part, 64)
			if err != nil || math.IsNaN(v) || math.Abs(v) > 180 {
				return nil
			}
			out = append(out, v)
		}
	}
	if len(out) != 4 {
		return nil
	}
	return out
}
