package rows

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"golang.org/x/text/encoding/htmlindex"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/tabular"
)

// elements reads those elements of an XML file that are rows. Entities from outside are never fetched, and none that
// the file itself declares is known (encoding/xml).
type elements struct {
	d     *xml.Decoder
	guard *guard
	// root is the name that the file's first element must have.
	root string
	rows map[string]func(e *elements, start xml.StartElement, line int) (tabular.Row, error)
	open bool
	done bool
	// depth is how many elements are open.
	depth int
}

// maxDepth is how deep elements may lie in each other.
const maxDepth = 200

func newElements(in io.Reader, g *guard, root string) *elements {
	e := &elements{d: xml.NewDecoder(in), guard: g, root: root}
	e.d.CharsetReader = func(label string, in io.Reader) (io.Reader, error) {
		known, err := htmlindex.Get(label)
		if err != nil {
			return nil, fmt.Errorf("the encoding %q is not known", label)
		}
		if strings.HasPrefix(strings.ToLower(label), "utf-16") {
			return in, nil // it was turned into UTF-8 before
		}
		return known.NewDecoder().Reader(in), nil
	}
	return e
}

func (e *elements) Columns() []string { return nil }

func (e *elements) Next() (tabular.Row, error) {
	for !e.done {
		e.guard.row()
		token, err := e.d.Token()
		line, _ := e.d.InputPos()
		switch {
		case errors.Is(err, io.EOF) && !e.open:
			return tabular.Row{}, &Error{"this is no " + strings.ToUpper(e.root), "a file that begins with <" + e.root +
				" …>"}
		case errors.Is(err, io.EOF):
			e.done = true
			return tabular.Row{}, io.EOF
		case err != nil:
			return e.broken(line, err)
		}
		switch t := token.(type) {
		case xml.EndElement:
			e.depth--
		case xml.StartElement:
			if e.depth++; e.depth > maxDepth {
				return e.broken(line, fmt.Errorf("elements lie more than %d deep in each other", maxDepth))
			}
			if !e.open && !strings.EqualFold(t.Name.Local, e.root) {
				return tabular.Row{}, &Error{"the file is " + strconv.Quote(feature.Clip(t.Name.Local)) + ", no " +
					strings.ToUpper(e.root), "a file that begins with <" + e.root + " …>"}
			}
			e.open = true
			read := e.rows[t.Name.Local]
			if read == nil {
				continue
			}
			e.depth--
			row, err := read(e, t, line)
			if err != nil {
				return e.broken(line, err)
			}
			return row, nil
		}
	}
	return tabular.Row{}, io.EOF
}

// broken ends a file that is no XML from here on.
func (e *elements) broken(line int, err error) (tabular.Row, error) {
	e.done = true
	var syntax *xml.SyntaxError
	var own *Error
	reason := err.Error()
	switch {
	case errors.As(err, &own):
		return tabular.Row{}, err
	case errors.Is(err, errTooLong):
		reason = "one element has more than 4 MB"
	case errors.As(err, &syntax):
		reason, line = syntax.Msg, syntax.Line
	}
	return tabular.Row{Line: line, Wrong: &tabular.Problem{Line: line,
		Reason: "the XML is broken here, and nothing after it was read: " + feature.Clip(reason),
		Hint:   "write the file anew, or mend it there"}}, nil
}

// positionOf reads a position of XML, of two texts.
func positionOf(line int, lat, lng string) (geo.Point, *tabular.Problem) {
	a, err1 := strconv.ParseFloat(strings.TrimSpace(lat), 64)
	b, err2 := strconv.ParseFloat(strings.TrimSpace(lng), 64)
	value := strings.TrimSpace(lat) + "," + strings.TrimSpace(lng)
	if err1 != nil || err2 != nil {
		return geo.Point{}, &tabular.Problem{Line: line, Value: feature.Clip(value), Reason: "is no position",
			Hint: "numbers of degrees"}
	}
	p, err := geo.NewPoint(a, b)
	return p, problemOf(line, err)
}

// problemOf tells what is wrong with a geometry, nil for nothing.
func problemOf(line int, err error) *tabular.Problem {
	var pe *geo.ParseError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &pe):
		return &tabular.Problem{Line: line, Value: feature.Clip(pe.Input), Reason: pe.Reason, Hint: pe.Hint}
	}
	return &tabular.Problem{Line: line, Reason: err.Error()}
}

// gpxPoint is a position with what GPX says of it.
type gpxPoint struct {
	Lat  string `xml:"lat,attr"`
	Lng  string `xml:"lon,attr"`
	Ele  string `xml:"ele"`
	Name string `xml:"name"`
	Desc string `xml:"desc"`
	Cmt  string `xml:"cmt"`
	Type string `xml:"type"`
	Link struct {
		Href string `xml:"href,attr"`
	} `xml:"link"`
}

// gpxLine is a track or a route.
type gpxLine struct {
	Name     string     `xml:"name"`
	Desc     string     `xml:"desc"`
	Type     string     `xml:"type"`
	Route    []gpxPoint `xml:"rtept"`
	Segments []struct {
		Points []gpxPoint `xml:"trkpt"`
	} `xml:"trkseg"`
}

// newGPX reads the waypoints of a GPX as places, its tracks and routes as paths.
func newGPX(in io.Reader, g *guard) *elements {
	e := newElements(in, g, "gpx")
	e.rows = map[string]func(*elements, xml.StartElement, int) (tabular.Row, error){
		"wpt": gpxPlace, "trk": gpxPath, "rte": gpxPath}
	return e
}

func values(pairs ...string) map[string]any {
	out := map[string]any{}
	for i := 0; i < len(pairs); i += 2 {
		if v := strings.TrimSpace(pairs[i+1]); v != "" {
			out[pairs[i]] = v
		}
	}
	return out
}

func gpxPlace(e *elements, start xml.StartElement, line int) (tabular.Row, error) {
	var w gpxPoint
	if err := e.d.DecodeElement(&w, &start); err != nil {
		return tabular.Row{}, err
	}
	about := w.Desc
	if about == "" {
		about = w.Cmt
	}
	row := tabular.Row{Line: line, Values: values("name", w.Name, "description", about, "category", w.Type, "website",
		w.Link.Href, "elevation_m", w.Ele)}
	p, wrong := positionOf(line, w.Lat, w.Lng)
	if row.Wrong = wrong; wrong == nil {
		row.Geometry = feature.At(p)
	}
	return row, nil
}

func gpxPath(e *elements, start xml.StartElement, line int) (tabular.Row, error) {
	var t gpxLine
	if err := e.d.DecodeElement(&t, &start); err != nil {
		return tabular.Row{}, err
	}
	row := tabular.Row{Line: line, Values: values("name", t.Name, "description", t.Desc, "category", t.Type)}
	list := t.Route
	for _, s := range t.Segments {
		list = append(list, s.Points...)
	}
	points := make([]geo.Point, len(list))
	var heights []float64
	for i, w := range list {
		if points[i], row.Wrong = positionOf(line, w.Lat, w.Lng); row.Wrong != nil {
			return row, nil
		}
		if h, err := strconv.ParseFloat(strings.TrimSpace(w.Ele), 64); err == nil && len(heights) == i {
			heights = append(heights, h)
		}
	}
	if len(heights) < len(points) {
		heights = nil
	}
	var err error
	row.Geometry, err = feature.NewLine(points, heights)
	row.Wrong = problemOf(line, err)
	return row, nil
}
