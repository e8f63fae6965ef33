// Package gpx reads and writes tracks in GPX 1.1 (Topografix 2004), the usual exchange format for recorded positions.
// It reads GPX 1.0 as well, in any encoding that its XML declares. Reading streams: what is held are the positions, 56
// bytes each.
package gpx

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"

	"golang.org/x/text/encoding/htmlindex"

	"viandante/core/geo"
)

// Position is one point of a track.
type Position struct {
	At geo.Point
	// AltitudeM is the height above the sea in metres, NaN where it is not known.
	AltitudeM float64
	// Time is when it was recorded; zero where that is not known.
	Time time.Time
}

// Track is what a file holds.
type Track struct {
	Name      string
	Positions []Position
}

// Error says what is wrong with a file, and where.
type Error struct {
	Line   int
	Reason string
	// Hint says what would be right.
	Hint string
}

func (e *Error) Error() string {
	if e.Hint == "" {
		return fmt.Sprintf("line %d: %s", e.Line, e.Reason)
	}
	return fmt.Sprintf("line %d: %s: %s", e.Line, e.Reason, e.Hint)
}

type point struct {
	Lat  string `xml:"lat,attr"`
	Lng  string `xml:"lon,attr"`
	Ele  string `xml:"ele"`
	Time string `xml:"time"`
}

// Read returns the positions of a file's tracks, one after the other; where it has none, of its routes, and else of its
// waypoints. At most so many are read; a file with more is an error. The error is an *Error, or that of the reader.
func Read(r io.Reader, most int) (Track, error) {
	d := xml.NewDecoder(r)
	d.CharsetReader = func(label string, in io.Reader) (io.Reader, error) {
		e, err := htmlindex.Get(label)
		if err != nil {
			return nil, fmt.Errorf("the encoding %q is not known", label)
		}
		return e.NewDecoder().Reader(in), nil
	}
	out, found := Track{}, map[string][]Position{}
	fail := func(reason, hint string) (Track, error) {
		line, _ := d.InputPos()
		return Track{}, &Error{line, reason, hint}
	}
	root, count, depth := false, 0, 0
	for {
		token, err := d.Token()
		switch {
		case errors.Is(err, io.EOF) && !root:
			return fail("this is no GPX", "a file that begins with <gpx …>")
		case errors.Is(err, io.EOF):
			return choose(out, found, fail)
		case err != nil:
			return fail(reason(err), "")
		}
		start, ok := token.(xml.StartElement)
		if !ok {
			if _, end := token.(xml.EndElement); end {
				depth--
			}
			continue
		}
		depth++
		name := start.Name.Local
		if !root && name != "gpx" {
			return fail("the file is "+strconv.Quote(clip(name))+", no GPX", "a file that begins with <gpx …>")
		}
		root = true
		if name == "name" && out.Name == "" && depth <= 3 {
			if err := d.DecodeElement(&out.Name, &start); err != nil {
				return fail(reason(err), "")
			}
			out.Name = strings.TrimSpace(out.Name)
			depth--
		}
		if name != "trkpt" && name != "rtept" && name != "wpt" {
			continue
		}
		depth--
		var p point
		if err := d.DecodeElement(&p, &start); err != nil {
			return fail(reason(err), "")
		}
		position, why, hint := p.read()
		if why != "" {
			return fail(why, hint)
		}
		if count++; count > most {
			return fail(fmt.Sprintf("the file has more than %d positions", most), "a shorter or a thinner track")
		}
		found[name] = append(found[name], position)
	}
}

func choose(out Track, found map[string][]Position, fail func(reason, hint string) (Track, error)) (Track, error) {
	for _, name := range []string{"trkpt", "rtept", "wpt"} {
		if out.Positions = found[name]; len(out.Positions) > 0 {
			return out, nil
		}
	}
	return fail("the file has no positions", "a GPX with at least one <trkpt>")
}

// reason is what an error of the XML reader says, without its line, which is told apart.
func reason(err error) string {
	var syntax *xml.SyntaxError
	if errors.As(err, &syntax) {
		return "the XML is broken: " + clip(syntax.Msg)
	}
	return clip(err.Error())
}

func clip(s string) string {
	if len(s) > 120 {
		s = strings.ToValidUTF8(s[:120], "") + "…"
	}
	return s
}

func (p point) read() (out Position, reason, hint string) {
	lat, errLat := strconv.ParseFloat(strings.TrimSpace(p.Lat), 64)
	lng, errLng := strconv.ParseFloat(strings.TrimSpace(p.Lng), 64)
	if errLat != nil || errLng != nil {
		return out, fmt.Sprintf("lat=%q lon=%q is no position", clip(p.Lat), clip(p.Lng)), "numbers of degrees"
	}
	at, err := geo.NewPoint(lat, lng)
	if err != nil {
		return out, err.Error(), ""
	}
	out.At, out.AltitudeM = at, math.NaN()
	if v, err := strconv.ParseFloat(strings.TrimSpace(p.Ele), 64); err == nil && math.Abs(v) < 1e5 {
		out.AltitudeM = v
	}
	if t, err := time.Parse(time.RFC3339, strings.TrimSpace(p.Time)); err == nil {
		out.Time = t
	}
	return out, "", ""
}

type outPoint struct {
	Lat  string `xml:"lat,attr"`
	Lng  string `xml:"lon,attr"`
	Ele  string `xml:"ele,omitempty"`
	Time string `xml:"time,omitempty"`
}

// Write writes a track of positions, one segment for each list of them.
func Write(w io.Writer, name string, segments ...[]Position) error {
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", " ")
	open := func(name string, attrs ...xml.Attr) xml.StartElement {
		return xml.StartElement{Name: xml.Name{Local: name}, Attr: attrs}
	}
	root := open("gpx", xml.Attr{Name: xml.Name{Local: "xmlns"}, Value: "http://www.topografix.com/GPX/1/1"},
		xml.Attr{Name: xml.Name{Local: "version"}, Value: "1.1"},
		xml.Attr{Name: xml.Name{Local: "creator"}, Value: "Viandante"})
	track := open("trk")
	err := errors.Join(e.EncodeToken(root), e.EncodeToken(track), e.EncodeElement(name, open("name")))
	for _, positions := range segments {
		segment := open("trkseg")
		err = errors.Join(err, e.EncodeToken(segment))
		for _, p := range positions {
			out := outPoint{Lat: degrees(p.At.Lat()), Lng: degrees(p.At.Lng())}
			if !math.IsNaN(p.AltitudeM) {
				out.Ele = strconv.FormatFloat(p.AltitudeM, 'f', 1, 64)
			}
			if !p.Time.IsZero() {
				out.Time = p.Time.UTC().Format("2006-01-02T15:04:05.999Z07:00")
			}
			if err := e.EncodeElement(out, open("trkpt")); err != nil {
				return err
			}
		}
		err = errors.Join(err, e.EncodeToken(segment.End()))
	}
	return errors.Join(err, e.EncodeToken(track.End()), e.EncodeToken(root.End()), e.Close())
}

func degrees(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }
