package rows

import (
	"bufio"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"

	"viandante/codec/geojson"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/tabular"
)

// ErrNoForm is the error of a feature that a format has no form for, an area in GPX for instance; the file goes on.
var ErrNoForm = errors.New("the format has no form for it")

// Writer writes features to a file, one after the other.
type Writer interface {
	// Write writes a feature; ErrNoForm where the format has none for it.
	Write(f *feature.Feature) error
	// Close ends the file; it does not close what it was written to.
	Close() error
}

// NewWriter begins a file. title is the collection's; columns are the attributes that a table has a column for.
func NewWriter(w io.Writer, format Format, title string, columns []string) (Writer, error) {
	out := bufio.NewWriterSize(w, 64<<10)
	switch format {
	case CSV, TSV:
		return newTableWriter(out, format, columns)
	case GeoJSON, GeoJSONSeq:
		return newFeatureWriter(out, format)
	case GPX:
		return newGPXWriter(out, title)
	case KML:
		return newKMLWriter(out, title)
	}
	return nil, &Error{fmt.Sprintf("%q is not a format that is written", format),
		"csv, tsv, geojson, geojsonseq, gpx or kml"}
}

// standing are the columns that every table has.
var standing = []string{"id", "name", "category", "lat", "lng", "geometry", feature.PropRadius, feature.PropElevation,
	feature.PropAccuracy, feature.PropSource, feature.PropFixedAt, feature.PropAddressTyped}

type tableWriter struct {
	out     *bufio.Writer
	w       *csv.Writer
	columns []string
	row     []string
}

func newTableWriter(out *bufio.Writer, format Format, columns []string) (*tableWriter, error) {
	t := &tableWriter{out: out, w: csv.NewWriter(out), columns: columns}
	if format == TSV {
		t.w.Comma = '\t'
	}
	t.row = make([]string, len(standing)+len(columns))
	return t, t.w.Write(append(slices.Clone(standing), columns...))
}

func (t *tableWriter) Write(f *feature.Feature) error {
	props := f.Draft().Properties
	clear(t.row)
	for i, name := range standing {
		switch name {
		case "id":
			t.row[i] = f.ID.String()
		case "lat", "lng":
			if form := f.Geometry.Form(); form == feature.Point || form == feature.Circle {
				v := f.Geometry.Point().Lat()
				if name == "lng" {
					v = f.Geometry.Point().Lng()
				}
				t.row[i] = strconv.FormatFloat(v, 'f', -1, 64)
			}
		case "geometry":
			if form := f.Geometry.Form(); form == feature.Line || form == feature.Polygon {
				t.row[i] = WKT(f.Geometry)
			}
		default:
			t.row[i] = cell(props[name])
		}
	}
	for i, name := range t.columns {
		t.row[len(standing)+i] = cell(props[name])
	}
	return t.w.Write(t.row)
}

// cell is a value as a table holds it; a list or an object as its JSON.
func cell(v any) string {
	switch v := v.(type) {
	case string:
		return v
	case map[string]any, []any:
		text, _ := json.Marshal(v) // it was JSON before
		return string(text)
	}
	return tabular.Text(v)
}

func (t *tableWriter) Close() error {
	t.w.Flush()
	return errors.Join(t.w.Error(), t.out.Flush())
}

type featureWriter struct {
	out    *bufio.Writer
	seq    bool
	some   bool
	buffer []byte
}

func newFeatureWriter(out *bufio.Writer, format Format) (*featureWriter, error) {
	w := &featureWriter{out: out, seq: format == GeoJSONSeq}
	if w.seq {
		return w, nil
	}
	_, err := out.WriteString(`{"type":"FeatureCollection","features":[`)
	return w, err
}

func (w *featureWriter) Write(f *feature.Feature) error {
	w.buffer = w.buffer[:0]
	switch {
	case w.seq:
		w.buffer = append(w.buffer, 0x1e)
	case w.some:
		w.buffer = append(w.buffer, ',', '\n')
	default:
		w.buffer = append(w.buffer, '\n')
	}
	w.some = true
	w.buffer = geojson.Append(w.buffer, f)
	if w.seq {
		w.buffer = append(w.buffer, '\n')
	}
	_, err := w.out.Write(w.buffer)
	return err
}

func (w *featureWriter) Close() error {
	var err error
	if !w.seq {
		_, err = w.out.WriteString("\n]}\n")
	}
	return errors.Join(err, w.out.Flush())
}

// xmlWriter writes elements of XML.
type xmlWriter struct {
	out  *bufio.Writer
	e    *xml.Encoder
	open []xml.StartElement
}

func newXMLWriter(out *bufio.Writer) (*xmlWriter, error) {
	_, err := out.WriteString(xml.Header)
	w := &xmlWriter{out: out, e: xml.NewEncoder(out)}
	w.e.Indent("", " ")
	return w, err
}

func element(name string, attributes ...string) xml.StartElement {
	out := xml.StartElement{Name: xml.Name{Local: name}}
	for i := 0; i < len(attributes); i += 2 {
		out.Attr = append(out.Attr, xml.Attr{Name: xml.Name{Local: attributes[i]}, Value: attributes[i+1]})
	}
	return out
}

func (w *xmlWriter) begin(name string, attributes ...string) error {
	start := element(name, attributes...)
	w.open = append(w.open, start)
	return w.e.EncodeToken(start)
}

func (w *xmlWriter) end() error {
	last := w.open[len(w.open)-1]
	w.open = w.open[:len(w.open)-1]
	return w.e.EncodeToken(last.End())
}

// text writes an element that holds a text, none for an empty one.
func (w *xmlWriter) text(name, value string) error {
	if value == "" {
		return nil
	}
	return w.e.EncodeElement(value, element(name))
}

func (w *xmlWriter) Close() error {
	var err error
	for len(w.open) > 0 {
		err = errors.Join(err, w.end())
	}
	return errors.Join(err, w.e.Close(), w.out.Flush())
}

func degrees(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// about returns what a text of a feature's says, "" where it is no text.
func about(f *feature.Feature, name string) string {
	if v := f.Attributes.Get(name); v.Type == feature.Text {
		return v.Text
	}
	return ""
}

type gpxWriter struct{ *xmlWriter }

func newGPXWriter(out *bufio.Writer, title string) (*gpxWriter, error) {
	w, err := newXMLWriter(out)
	if err != nil {
		return nil, err
	}
	return &gpxWriter{w}, errors.Join(
		w.begin("gpx", "xmlns", "http://www.topografix.com/GPX/1/1", "version", "1.1", "creator", "Viandante"),
		w.begin("metadata"), w.text("name", title), w.end())
}

func (w *gpxWriter) Write(f *feature.Feature) error {
	switch f.Geometry.Form() {
	case feature.Point:
		p := f.Geometry.Point()
		err := w.begin("wpt", "lat", degrees(p.Lat()), "lon", degrees(p.Lng()))
		if f.ElevationM != nil {
			err = errors.Join(err, w.text("ele", degrees(*f.ElevationM)))
		}
		return errors.Join(err, w.text("name", f.Name), w.text("desc", about(f, "description")),
			w.link(about(f, "website")), w.text("type", f.Category), w.end())
	case feature.Line:
		err := errors.Join(w.begin("trk"), w.text("name", f.Name), w.text("desc", about(f, "description")),
			w.text("type", f.Category), w.begin("trkseg"))
		heights := f.Geometry.HeightsM(0)
		for i, p := range f.Geometry.Lines()[0] {
			err = errors.Join(err, w.begin("trkpt", "lat", degrees(p.Lat()), "lon", degrees(p.Lng())))
			if heights != nil {
				err = errors.Join(err, w.text("ele", degrees(heights[i])))
			}
			err = errors.Join(err, w.end())
		}
		return errors.Join(err, w.end(), w.end())
	}
	return ErrNoForm
}

func (w *gpxWriter) link(href string) error {
	if href == "" {
		return nil
	}
	return errors.Join(w.begin("link", "href", href), w.end())
}

type kmlWriter struct{ *xmlWriter }

func newKMLWriter(out *bufio.Writer, title string) (*kmlWriter, error) {
	w, err := newXMLWriter(out)
	if err != nil {
		return nil, err
	}
	return &kmlWriter{w}, errors.Join(w.begin("kml", "xmlns", "http://www.opengis.net/kml/2.2"),
		w.begin("Document"), w.text("name", title))
}

// An XML id begins with a letter, and a UUID may not.
const kmlID = "f-"

func (w *kmlWriter) Write(f *feature.Feature) error {
	err := errors.Join(w.begin("Placemark", "id", kmlID+f.ID.String()), w.text("name", f.Name),
		w.text("address", f.AddressTyped), w.text("phoneNumber", about(f, "telephone")),
		w.text("description", about(f, "description")), w.begin("ExtendedData"))
	props := f.Draft().Properties
	for _, name := range slices.Sorted(maps.Keys(props)) {
		if value := cell(props[name]); value != "" && name != "name" && name != "description" && name != "telephone" &&
			name != feature.PropAddressTyped {
			err = errors.Join(err, w.begin("Data", "name", name), w.text("value", value), w.end())
		}
	}
	return errors.Join(err, w.end(), w.geometry(f.Geometry), w.end())
}

func (w *kmlWriter) geometry(g feature.Geometry) error {
	tuples := func(points []geo.Point, heights []float64) string {
		out := make([]string, len(points))
		for i, p := range points {
			out[i] = degrees(p.Lng()) + "," + degrees(p.Lat())
			if heights != nil {
				out[i] += "," + degrees(heights[i])
			}
		}
		return strings.Join(out, " ")
	}
	switch g.Form() {
	case feature.Point, feature.Circle:
		return errors.Join(w.begin("Point"), w.text("coordinates", tuples([]geo.Point{g.Point()}, nil)), w.end())
	case feature.Line:
		return errors.Join(w.begin("LineString"), w.text("coordinates", tuples(g.Lines()[0], g.HeightsM(0))), w.end())
	case feature.Polygon:
		err := w.begin("Polygon")
		for i, ring := range g.Lines() {
			name := "innerBoundaryIs"
			if i == 0 {
				name = "outerBoundaryIs"
			}
			err = errors.Join(err, w.begin(name), w.begin("LinearRing"), w.text("coordinates",
				tuples(ring, g.HeightsM(i))), w.end(), w.end())
		}
		return errors.Join(err, w.end())
	}
	return nil
}
