package tabular

import (
	"errors"
	"maps"
	"slices"
	"strings"

	"viandante/core/feature"
	"viandante/core/geo"
)

// ReadShape reads the text of a geometry; it is handed in, as texts of geometries are formats of files.
type ReadShape func(text string) (feature.Geometry, error)

// Taken is a row as it is to be kept.
type Taken struct {
	// Key names the row, "" where it has no key.
	Key string
	// Draft is the feature. A property that is nil is to be taken away where the feature is there already.
	Draft feature.Draft
	// Placed tells that the row says where it is: without it a feature that is there stays where it is.
	Placed bool
}

// Take makes a feature of a row. The problem is the first that was found, nil where the row can be taken.
func (m *Mapping) Take(r Row, shape ReadShape) (Taken, *Problem) {
	if r.Wrong != nil {
		return Taken{}, r.Wrong
	}
	out := Taken{Draft: feature.Draft{Geometry: r.Geometry, Properties: make(map[string]any, len(m.Columns))}}
	out.Placed = r.Geometry.IsKnown()
	props := out.Draft.Properties
	var lat, lng string
	var latColumn string
	there := 0
	refuse := func(column, value, reason, hint string) (Taken, *Problem) {
		return Taken{}, &Problem{Line: r.Line, Column: column, Value: feature.Clip(value), Reason: reason, Hint: hint}
	}
	for _, c := range m.Columns {
		value, has := r.Values[c.Column]
		text := Text(value)
		if has {
			there++
		}
		if c.Column == m.Key {
			out.Key = text
		}
		switch c.As {
		case Skip:
		case Name, Category:
			props[string(c.As)] = orNil(text)
		case Address:
			props[feature.PropAddressTyped] = orNil(text)
		case Lat:
			lat, latColumn = text, c.Column
		case Lng:
			lng = text
		case Elevation, Radius:
			name := map[Role]string{Elevation: feature.PropElevation, Radius: feature.PropRadius}[c.As]
			if props[name] = nil; text != "" {
				v, ok := number(text)
				if !ok {
					return refuse(c.Column, text, "is not a number of metres", "e.g. 12.5")
				}
				props[name] = v
			}
		case Position, Shape:
			if text == "" {
				continue
			}
			g, err := readPlace(c.As, text, shape)
			if err != nil {
				reason, hint := explained(err)
				return refuse(c.Column, text, reason, hint)
			}
			out.Draft.Geometry, out.Placed = g, true
		case Attribute:
			v, reason, hint := c.value(value, text)
			if reason != "" {
				return refuse(c.Column, text, reason, hint)
			}
			props[c.Name] = v
		}
	}
	if m.Rest && there < len(r.Values) {
		m.rest(r, props)
	}
	if m.Key != "" && out.Key == "" {
		return refuse(m.Key, "", "is empty, though it is the key", "give the row a key, or choose another column as "+
			"the key")
	}
	if lat == "" && lng == "" {
		return out, nil
	}
	p, err := readPair(lat, lng)
	if err != nil {
		reason, hint := explained(err)
		return refuse(latColumn, lat+", "+lng, reason, hint)
	}
	out.Draft.Geometry, out.Placed = feature.At(p), true
	return out, nil
}

func orNil(text string) any {
	if text == "" {
		return nil
	}
	return text
}

// readPair reads a latitude and a longitude from two columns.
func readPair(lat, lng string) (geo.Point, error) {
	a, ok1 := number(lat)
	b, ok2 := number(lng)
	if ok1 && ok2 {
		return geo.NewPoint(a, b)
	}
	switch {
	case lat == "" || lng == "":
		return geo.Point{}, &geo.ParseError{Reason: "is half a position: latitude and longitude belong together",
			Hint: "fill in both, or leave both empty"}
	case strings.EqualFold(lat, "nan") || strings.EqualFold(lng, "nan"):
		return geo.Point{}, &geo.ParseError{Reason: "is not a number (NaN)",
			Hint: "leave both empty where it is unknown"}
	}
	r, err := geo.Read(lat + " " + lng)
	return r.Point, err
}

func readPlace(as Role, text string, shape ReadShape) (feature.Geometry, error) {
	if as == Shape {
		return shape(text)
	}
	r, err := geo.Read(text)
	if err != nil {
		return feature.Geometry{}, err
	}
	return feature.At(r.Point), nil
}

func explained(err error) (reason, hint string) {
	var pe *geo.ParseError
	if errors.As(err, &pe) {
		return pe.Reason, pe.Hint
	}
	return err.Error(), ""
}

var yes, no = []string{"true", "yes", "y", "1", "x", "ja", "oui", "si", "sì", "sim"},
	[]string{"false", "no", "n", "0", "nein", "non", "não"}

// value reads the value of an attribute as its type wants it.
func (c *Column) value(value any, text string) (out any, reason, hint string) {
	if _, isText := value.(string); value != nil && !isText {
		return value, "", ""
	}
	if text == "" {
		return nil, "", ""
	}
	switch c.Type {
	case feature.NumberType:
		v, ok := number(text)
		if !ok {
			return nil, "is not a number", "e.g. 12.5; or take the column as text"
		}
		return v, "", ""
	case feature.BooleanType:
		switch low := strings.ToLower(text); {
		case slices.Contains(yes, low):
			return true, "", ""
		case slices.Contains(no, low):
			return false, "", ""
		}
		return nil, "is neither yes nor no", "true or false"
	case "":
		return memberValue(c.Name, text)
	}
	return text, "", ""
}

// memberValue reads what is a member of a feature by its name.
func memberValue(name, text string) (out any, reason, hint string) {
	if name != feature.PropElevation && name != feature.PropAccuracy && name != feature.PropRadius {
		return text, "", ""
	}
	v, ok := number(text)
	if !ok {
		return nil, "is not a number of metres", "e.g. 12.5"
	}
	return v, "", ""
}

// rest takes what no column is named for as attributes.
func (m *Mapping) rest(r Row, props map[string]any) {
	taken := map[string]bool{}
	for _, c := range m.Columns {
		taken[c.Name] = true
	}
	for _, name := range slices.Sorted(maps.Keys(r.Values)) {
		if !slices.ContainsFunc(m.Columns, func(c Column) bool { return c.Column == name }) && !readOnly(name) {
			value := r.Values[name]
			if _, given := props[name]; feature.IsMember(name) && !given {
				if text, isText := value.(string); isText {
					value, _, _ = memberValue(name, strings.TrimSpace(text)) // what is no number is refused later
				}
				props[name] = value
				continue
			}
			props[attributeName(name, taken)] = value
		}
	}
}
