package rows

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"strconv"
	"strings"

	"viandante/codec/geojson"
	"viandante/core/geo"
	"viandante/core/tabular"
)

// features reads GeoJSON features: those of a collection, a single one, or one after the other.
type features struct {
	d     *json.Decoder
	guard *guard
	lines *lineCounter
	seq   bool
	// began tells that the list of a collection's features was found; listed, that there is one.
	began, listed, done bool
}

func newFeatures(in io.Reader, g *guard, f Format) *features {
	lines := &lineCounter{r: in, line: 1}
	var text io.Reader = lines
	if f == GeoJSONSeq {
		text = withoutSeparators{lines}
	}
	return &features{d: json.NewDecoder(text), guard: g, lines: lines, seq: f == GeoJSONSeq}
}

// withoutSeparators turns the record separators of a text sequence (RFC 8142, 2) into blanks.
type withoutSeparators struct{ r io.Reader }

func (w withoutSeparators) Read(p []byte) (int, error) {
	n, err := w.r.Read(p)
	for i := range p[:n] {
		if p[i] == 0x1e {
			p[i] = ' '
		}
	}
	return n, err
}

func (f *features) Columns() []string { return nil }

// at is the line that the decoder has come to.
func (f *features) at() int { return f.lines.at(f.d.InputOffset()) }

func (f *features) broken(err error) (tabular.Row, error) {
	f.done = true
	line := f.at()
	reason := "the JSON is broken here, and nothing after it was read: " + strings.TrimPrefix(err.Error(), "json: ")
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		reason = "the file breaks off here"
	case errors.Is(err, errTooLong):
		reason = "one feature has more than 4 MB here, and nothing after it was read"
	default:
		var syntax *json.SyntaxError
		var own *Error
		if errors.As(err, &syntax) {
			line = f.lines.at(syntax.Offset)
		} else if errors.As(err, &own) {
			return tabular.Row{}, err
		}
	}
	return tabular.Row{Line: line, Wrong: &tabular.Problem{Line: line, Reason: reason,
		Hint: "write the file anew, or mend it there"}}, nil
}

func (f *features) Next() (tabular.Row, error) {
	if f.done {
		return tabular.Row{}, io.EOF
	}
	f.guard.row()
	if !f.began {
		f.began = true
		if !f.seq {
			if row, end, err := f.begin(); end || err != nil {
				return row, err
			}
		}
	}
	if f.listed && !f.d.More() {
		f.done = true
		if _, err := f.d.Token(); err != nil {
			return f.broken(err)
		}
		return tabular.Row{}, io.EOF
	}
	var raw json.RawMessage
	if err := f.d.Decode(&raw); err != nil {
		if errors.Is(err, io.EOF) && !f.listed {
			return tabular.Row{}, io.EOF
		}
		return f.broken(err)
	}
	return f.row(raw), nil
}

// begin looks for the list of features. Where the file is one feature, it is the only row.
func (f *features) begin() (row tabular.Row, end bool, err error) {
	fail := func(err error) (tabular.Row, bool, error) { row, err := f.broken(err); return row, true, err }
	token, err := f.d.Token()
	if err != nil {
		return fail(err)
	}
	if token == json.Delim('[') { // a bare list of features is not GeoJSON, and is met
		f.listed = true
		return row, false, nil
	}
	members := map[string]json.RawMessage{}
	if token != json.Delim('{') {
		return row, true, &Error{"the JSON is no GeoJSON", `an object of the type "FeatureCollection" or "Feature"`}
	}
	for f.d.More() {
		name, err := f.d.Token()
		if err != nil {
			return fail(err)
		}
		if name == "features" {
			if token, err = f.d.Token(); err != nil {
				return fail(err)
			}
			if token != json.Delim('[') {
				return row, true, &Error{`"features" is no list`, "a list of features between [ and ]"}
			}
			f.listed = true
			return row, false, nil
		}
		var value json.RawMessage
		if err := f.d.Decode(&value); err != nil {
			return fail(err)
		}
		key, _ := name.(string) // a member's name is a text
		members[key] = value
	}
	f.done = true
	if len(members) == 0 || members["type"] == nil {
		return row, true, &Error{"the JSON is no GeoJSON", `an object of the type "FeatureCollection" or "Feature"`}
	}
	text, err := json.Marshal(members)
	if err != nil {
		return row, true, err
	}
	if string(members["type"]) != `"Feature"` { // a geometry alone
		text = append(append([]byte(`{"type":"Feature","properties":{},"geometry":`), text...), '}')
	}
	return f.row(text), true, nil
}

func (f *features) row(raw json.RawMessage) tabular.Row {
	line := f.lines.at(f.d.InputOffset() - int64(len(raw)))
	row := tabular.Row{Line: line}
	refuse := func(value, reason, hint string) tabular.Row {
		row.Wrong = &tabular.Problem{Line: line, Value: value, Reason: reason, Hint: hint}
		return row
	}
	var one struct {
		Type       string            `json:"type"`
		ID         any               `json:"id"`
		Geometry   *geojson.Geometry `json:"geometry"`
		Properties map[string]any    `json:"properties"`
	}
	if err := json.Unmarshal(raw, &one); err != nil {
		return refuse(string(raw[:min(len(raw), 60)]), "is not a feature as GeoJSON has it: "+err.Error(),
			"see RFC 7946")
	}
	if one.Type != "Feature" {
		return refuse(one.Type, "is not of the type Feature", `"type": "Feature"`)
	}
	if row.Values = one.Properties; row.Values == nil {
		row.Values = map[string]any{}
	}
	switch id := one.ID.(type) {
	case string:
		row.Values["id"] = id
	case float64:
		row.Values["id"] = strconv.FormatFloat(id, 'f', -1, 64)
	}
	if one.Geometry == nil {
		return row
	}
	g, err := one.Geometry.Read()
	if err != nil {
		var pe *geo.ParseError
		if errors.As(err, &pe) {
			return refuse(pe.Input, pe.Reason, pe.Hint)
		}
		return refuse("", err.Error(), "")
	}
	row.Geometry = g
	return row
}

// lineCounter knows on which line an offset lies that was read a moment ago.
type lineCounter struct {
	r    io.Reader
	read int64
	// ends are the offsets of the ends of lines that lie ahead of the line that was asked for last.
	ends []int64
	line int
}

func (l *lineCounter) Read(p []byte) (int, error) {
	n, err := l.r.Read(p)
	for from := 0; ; {
		i := bytes.IndexByte(p[from:n], '\n')
		if i < 0 {
			break
		}
		l.ends = append(l.ends, l.read+int64(from+i))
		from += i + 1
	}
	l.read += int64(n)
	return n, err
}

// at returns the line of an offset; offsets that are asked for do not go back.
func (l *lineCounter) at(offset int64) int {
	n := 0
	for n < len(l.ends) && l.ends[n] < offset {
		n++
	}
	l.line += n
	l.ends = l.ends[n:]
	return l.line
}
