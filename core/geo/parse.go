package geo

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"
)

// ParseError says what could not be read as a coordinate, a length or a duration, why, and what would be right.
type ParseError struct {
	Input, Reason, Hint string
}

func (e *ParseError) Error() string {
	msg := fmt.Sprintf("%q: %s", clip(e.Input), e.Reason)
	if e.Hint != "" {
		msg += " (" + e.Hint + ")"
	}
	return msg
}

func clip(s string) string {
	if utf8.RuneCountInString(s) <= 80 {
		return s
	}
	return string([]rune(s)[:79]) + "…"
}

// ParsePoint reads a query's "lat,lng" in decimal degrees, nothing else. Whoever types gets Read.
func ParsePoint(s string) (Point, error) {
	parts := strings.Split(s, ",")
	if len(parts) != 2 {
		return Point{}, &ParseError{
			s,
			"is not a pair lat,lng",
			"give decimal degrees with a point, e.g. -38.1402,-26.0517",
		}
	}
	var v [2]float64
	for i, part := range parts {
		f, err := strconv.ParseFloat(strings.TrimSpace(part), 64)
		if err != nil || math.IsNaN(f) || math.IsInf(f, 0) {
			return Point{}, &ParseError{s, fmt.Sprintf("%q is not a decimal number", clip(strings.TrimSpace(part))),
				"give decimal degrees with a point, e.g. -38.1402,-26.0517"}
		}
		v[i] = f
	}
	p, err := NewPoint(v[0], v[1])
	if err != nil {
		err.(*ParseError).Input = s
	}
	return p, err
}

// Notation names the way in which a position was written.
type Notation string

// The notations that Read understands.
const (
	Decimal     Notation = "decimal degrees"
	Sexagesimal Notation = "degrees, minutes, seconds"
	GeoURI      Notation = "geo: link"
	GeoJSON     Notation = "GeoJSON point"
)

// Reading is a position as somebody typed or pasted it, and how it was understood.
type Reading struct {
	Point    Point
	Notation Notation
	// AccuracyM is the uncertainty in metres that a geo: link may carry, or NaN.
	AccuracyM float64
}

// Read understands a position in the notations that people paste: decimal degrees with a point or a comma,
// degrees-minutes-seconds in the usual spellings, hemisphere letters before or after, geo: links (RFC 5870)
// and GeoJSON points. Without letters the order is lat, lng.
func Read(s string) (Reading, error) {
	t := strings.TrimSpace(s)
	isURI := len(t) >= 4 && strings.EqualFold(t[:4], "geo:")
	if len(t) > 400 && !(isURI && len(t) <= mostURI) {
		return Reading{}, &ParseError{s, "is too long to be a position", "paste one position only"}
	}
	switch {
	case isURI:
		return readGeoURI(t)
	case strings.HasPrefix(t, "{"):
		return readGeoJSON(t)
	}
	return readAngles(t)
}

// mostURI bounds a geo: URI, which may have any parameters besides its position.
const mostURI = 8000

func readGeoURI(s string) (Reading, error) {
	coords, params, _ := strings.Cut(s[len("geo:"):], ";")
	parts := strings.Split(coords, ",")
	if len(parts) == 3 { // the third is an altitude
		parts = parts[:2]
	}
	p, err := ParsePoint(strings.Join(parts, ","))
	if err != nil {
		return Reading{}, err
	}
	r := Reading{p, GeoURI, math.NaN()}
	for _, param := range strings.Split(params, ";") {
		if v, ok := strings.CutPrefix(strings.ToLower(param), "u="); ok {
			if u, err := strconv.ParseFloat(v, 64); err == nil && u >= 0 && !math.IsInf(u, 0) {
				r.AccuracyM = u
			}
		}
		if v, ok := strings.CutPrefix(strings.ToLower(param), "crs="); ok && v != "wgs84" {
			return Reading{}, &ParseError{s, "is in the reference system " + v, "only wgs84 is understood"}
		}
	}
	return r, nil
}

func readGeoJSON(s string) (Reading, error) {
	var g struct {
		Type        string
		Coordinates []float64
		Geometry    *struct {
			Type        string
			Coordinates []float64
		}
	}
	if err := json.Unmarshal([]byte(s), &g); err != nil {
		return Reading{}, &ParseError{
			s,
			"is not a GeoJSON point",
			`e.g. {"type":"Point","coordinates":[-26.0517,-38.1402]}`,
		}
	}
	if g.Geometry != nil {
		g.Type, g.Coordinates = g.Geometry.Type, g.Geometry.Coordinates
	}
	if g.Type != "Point" || len(g.Coordinates) < 2 {
		return Reading{}, &ParseError{
			s,
			"is not a GeoJSON point",
			`e.g. {"type":"Point","coordinates":[-26.0517,-38.1402]}`,
		}
	}
	p, err := NewPoint(g.Coordinates[1], g.Coordinates[0])
	if err != nil {
		e := err.(*ParseError)
		e.Input = s
		if math.Abs(g.Coordinates[1]) > 90 && math.Abs(g.Coordinates[0]) <= 90 {
			e.Hint = fmt.Sprintf(
				"GeoJSON is [lng, lat]: did you mean [%s, %s]?",
				formatDegrees(g.Coordinates[1]),
				formatDegrees(g.Coordinates[0]),
			)
		}
		return Reading{}, e
	}
	return Reading{p, GeoJSON, math.NaN()}, nil
}

var (
	decimalCommas = regexp.MustCompile(`(\d),(\d)`)
	commaPair     = regexp.MustCompile(`^[^.,]*\d,\d+[^,.\d]*(?:[;/\s]|,\s)[^,.\d]*\d+,\d+[^,.\d]*$`)
	marks         = strings.NewReplacer(
		"º",
		"°",
		"˚",
		"°",
		"deg",
		"°",
		"′",
		"'",
		"’",
		"'",
		"‘",
		"'",
		"´",
		"'",
		"min",
		"'",
		"″",
		`"`,
		"”",
		`"`,
		"“",
		`"`,
		"''",
		`"`,
		"sec",
		`"`,
		"−",
		"-",
		"–",
		"-",
		"\u00a0",
		" ",
		"\u202f",
		" ",
	)
	angleToken = regexp.MustCompile(`^(?:([NSEW])|([+-]?\d+(?:\.\d+)?|[+-]?\.\d+)|([°'"])|([,;/])|(\s+))`)
)

// angle is one coordinate under way: its numbers in the order degrees, minutes, seconds, and its letter.
type angle struct {
	parts    []float64
	negative bool
	letter   byte
	marked   bool
	closed   bool // a letter after the numbers ends it
}

func readAngles(s string) (Reading, error) {
	nonsense := func(reason string) (Reading, error) {
		return Reading{}, &ParseError{s, reason, `e.g. -38.1402, -26.0517 or 38°8'24.7"S 26°3'6.1"W`}
	}
	t := marks.Replace(strings.ToUpper(s))
	t = marks.Replace(strings.NewReplacer("DEG", "°", "MIN", "'", "SEC", `"`).Replace(t))
	if strings.ContainsAny(t, `°'"`) && !strings.Contains(t, ".") || commaPair.MatchString(t) {
		t = decimalCommas.ReplaceAllString(t, "$1.$2")
	}
	var angles []angle
	cur := func() *angle {
		if len(angles) == 0 || angles[len(angles)-1].closed {
			angles = append(angles, angle{})
		}
		return &angles[len(angles)-1]
	}
	for rest := t; rest != ""; {
		m := angleToken.FindStringSubmatch(rest)
		if m == nil {
			return nonsense("does not read as a position")
		}
		rest = rest[len(m[0]):]
		switch {
		case m[1] != "":
			a := cur()
			if a.letter != 0 { // the letter that opens the next angle
				a.closed = true
				a = cur()
			}
			a.letter = m[1][0]
			a.closed = len(a.parts) > 0
		case m[2] != "":
			a := cur()
			if len(a.parts) == 3 ||
				a.marked && len(a.parts) > 0 && strings.HasPrefix(strings.TrimLeft(rest, " "), "°") {
				a.closed = true
				a = cur()
			}
			v, err := strconv.ParseFloat(m[2], 64)
			if err != nil {
				return nonsense("does not read as a position")
			}
			if len(a.parts) == 0 {
				a.negative = strings.HasPrefix(m[2], "-")
				v = math.Abs(v)
			}
			a.parts = append(a.parts, v)
		case m[3] != "":
			if len(angles) == 0 || len(cur().parts) == 0 {
				return nonsense("does not read as a position")
			}
			cur().marked = true
		case m[4] != "":
			if len(angles) > 0 && len(angles[len(angles)-1].parts) > 0 {
				angles[len(angles)-1].closed = true
			}
		}
	}
	if len(angles) == 1 && !angles[0].marked && angles[0].letter == 0 && len(angles[0].parts) == 2 { // "12.5 13.5"
		second := angles[0].parts[1]
		angles = []angle{
			{parts: angles[0].parts[:1], negative: angles[0].negative},
			{parts: []float64{math.Abs(second)}, negative: second < 0},
		}
	}
	if len(angles) != 2 || len(angles[0].parts) == 0 || len(angles[1].parts) == 0 {
		return nonsense("is not two coordinates")
	}
	return combine(s, angles[0], angles[1])
}

func combine(s string, a, b angle) (Reading, error) {
	isLng := func(c byte) bool { return c == 'E' || c == 'W' }
	if a.letter != 0 && b.letter != 0 && isLng(a.letter) == isLng(b.letter) {
		return Reading{}, &ParseError{s, "gives the same axis twice", "one of N, S and one of E, W"}
	}
	if isLng(a.letter) || b.letter != 0 && !isLng(b.letter) {
		a, b = b, a
	}
	var v [2]float64
	notation := Decimal
	for i, one := range []angle{a, b} {
		for k, part := range one.parts {
			if k > 0 && (part < 0 || part >= 60) {
				return Reading{}, &ParseError{
					s,
					fmt.Sprintf("%s is not a number of minutes or seconds", formatDegrees(part)),
					"minutes and seconds run from 0 to below 60",
				}
			}
			v[i] += part / math.Pow(60, float64(k))
			if k > 0 {
				notation = Sexagesimal
			}
		}
		if one.negative && (one.letter != 0) {
			return Reading{}, &ParseError{s, "has both a sign and a hemisphere letter", "use one of the two"}
		}
		if one.negative || one.letter == 'S' || one.letter == 'W' {
			v[i] = -v[i]
		}
	}
	p, err := NewPoint(v[0], v[1])
	if err != nil {
		err.(*ParseError).Input = s
		return Reading{}, err
	}
	return Reading{p, notation, math.NaN()}, nil
}
