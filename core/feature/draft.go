package feature

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"
	"time"
	"unicode/utf8"

	"viandante/core/geo"
	"viandante/core/shape"
)

// The properties of a feature that are members of Feature; every other one is an attribute.
const (
	PropName         = "name"
	PropCategory     = "category"
	PropElevation    = "elevation_m"
	PropAccuracy     = "accuracy_m"
	PropSource       = "source"
	PropFixedAt      = "fixed_at"
	PropAddressTyped = "address_typed"
	PropAddressFound = "address_found"
	// PropRadius makes a circle of a point: all that lies within so many metres of it.
	PropRadius = "radius_m"
	// Read only: taken from a feature that was read and written back, and passed over.
	PropVersion    = "version"
	PropCreatedAt  = "created_at"
	PropUpdatedAt  = "updated_at"
	PropCollection = "collection"
)

// reserved are the names that a schema cannot define.
var reserved = []string{PropName, PropCategory, PropElevation, PropAccuracy, PropSource, PropFixedAt, PropAddressTyped,
	PropAddressFound, PropVersion, PropCreatedAt, PropUpdatedAt, "id", PropCollection, "shown_as"}

// What is taken, in characters or, where it says so, in bytes of JSON.
const (
	MaxAttributes     = 200
	maxName           = 10_000
	maxText           = 100_000
	maxAttributeBytes = 2 << 20
	maxAddressFound   = 60_000
)

// Draft is a feature as it comes from outside: its geometry was read, its properties are yet to be.
type Draft struct {
	Geometry   Geometry
	Properties map[string]any
}

// Patch changes a draft: properties are merged (RFC 7396), a geometry that is given takes the place of the other.
type Patch struct {
	Geometry   *Geometry
	Properties map[string]any
	// NoProperties takes all of them away first.
	NoProperties bool
}

// Invalid is the error of a draft that cannot be taken.
type Invalid struct {
	Faults []Fault
	// TooLarge tells that there is more of it than is taken.
	TooLarge bool
}

func (e *Invalid) Error() string { return e.Faults[0].Field + " " + e.Faults[0].Reason }

func invalid(field, value string, err error) *Invalid {
	fault := Fault{Field: field, Value: value, Reason: err.Error()}
	var pe *geo.ParseError
	if errors.As(err, &pe) {
		fault.Reason, fault.Hint = pe.Reason, pe.Hint
	}
	return &Invalid{Faults: []Fault{fault}}
}

// Draft returns the feature as one that could have come from outside, whole: what a patch is applied to.
func (f *Feature) Draft() Draft {
	props := f.Attributes.Map()
	props[PropName] = f.Name
	set := func(name string, value any, there bool) {
		if there {
			props[name] = value
		}
	}
	number := func(name string, v *float64) {
		if v != nil {
			props[name] = *v
		}
	}
	set(PropCategory, f.Category, f.Category != "")
	number(PropElevation, f.ElevationM)
	number(PropAccuracy, f.AccuracyM)
	set(PropSource, f.Source, f.Source != "")
	if f.FixedAt != nil {
		props[PropFixedAt] = f.FixedAt.Format(time.RFC3339Nano)
	}
	set(PropAddressTyped, f.AddressTyped, f.AddressTyped != "")
	if f.AddressFound != nil {
		var found any
		_ = json.Unmarshal(f.AddressFound, &found) // it was marshalled by us
		props[PropAddressFound] = found
	}
	g := f.Geometry
	if g.form == Circle {
		props[PropRadius] = g.radiusM
		g = At(g.at)
	}
	return Draft{g, props}
}

// With returns a draft after a patch.
func (d Draft) With(p Patch) Draft {
	out := Draft{d.Geometry, d.Properties}
	if p.Geometry != nil {
		out.Geometry = *p.Geometry
	}
	if p.NoProperties {
		out.Properties = map[string]any{}
	}
	out.Properties = mergePatch(out.Properties, p.Properties)
	return out
}

// mergePatch is RFC 7396; it changes and returns target.
func mergePatch(target, patch map[string]any) map[string]any {
	for name, value := range patch {
		inner, isObject := value.(map[string]any)
		switch {
		case value == nil:
			delete(target, name)
		case isObject:
			old, _ := target[name].(map[string]any)
			if old == nil {
				old = map[string]any{}
			}
			target[name] = mergePatch(old, inner)
		default:
			target[name] = value
		}
	}
	return target
}

// Accept makes a feature of a draft, held to what its collection defines, and says what was put right on the way. id,
// collection, version and times are the caller's to set. The error is an *Invalid, or that of the context.
func (d Draft) Accept(ctx context.Context, schema Schema) (f *Feature, mended []string, err error) {
	f = &Feature{}
	if mended, err = d.acceptGeometry(ctx, f); err != nil {
		return nil, nil, err
	}
	r := reader{attributes: map[string]any{}}
	for name, value := range d.Properties {
		if err := r.property(f, name, value); err != nil {
			return nil, nil, err
		}
	}
	if len(r.attributes) > MaxAttributes {
		r.refuse("", len(r.attributes), "too many attributes", fmt.Sprintf("at most %d", MaxAttributes))
	}
	r.wrong = append(r.wrong, schema.checkValues(r.attributes)...)
	if len(r.wrong) > 0 {
		return nil, nil, &Invalid{Faults: r.wrong}
	}
	if f.Attributes, err = NewAttributes(r.attributes); err != nil {
		return nil, nil, err
	}
	if n := len(f.Attributes); n > maxAttributeBytes {
		e := invalid(
			"properties",
			"",
			fmt.Errorf("come to %d bytes of attributes, at most %d are possible", n, maxAttributeBytes),
		)
		e.TooLarge = true
		return nil, nil, e
	}
	return f, mended, nil
}

// reader gathers what is wrong with properties.
type reader struct {
	attributes map[string]any
	wrong      []Fault
}

func (r *reader) refuse(name string, value any, reason, hint string) {
	r.wrong = append(r.wrong, Fault{"properties." + name, Clip(fmt.Sprint(value)), reason, hint})
}

func (r *reader) text(name string, value any, most int) string {
	s, ok := value.(string)
	switch {
	case value == nil:
	case !ok:
		r.refuse(name, value, "is not a text", "")
	case !utf8.ValidString(s):
		r.refuse(name, value, "is not valid UTF-8", "")
	case utf8.RuneCountInString(s) > most:
		r.refuse(
			name,
			value,
			fmt.Sprintf("has %d characters", utf8.RuneCountInString(s)),
			fmt.Sprintf("at most %d", most),
		)
	}
	return s
}

func (r *reader) metres(name string, value any) *float64 {
	if value == nil {
		return nil
	}
	v, ok := value.(float64)
	if !ok || math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) > 1e7 {
		r.refuse(name, value, "is not a number of metres", "")
		return nil
	}
	return &v
}

func (r *reader) time(name string, value any) *time.Time {
	const hint = "RFC 3339 in UTC, e.g. 2026-05-01T12:00:00Z"
	s := r.text(name, value, 40)
	if s == "" {
		return nil
	}
	at, err := time.Parse(time.RFC3339Nano, s)
	if err != nil {
		r.refuse(name, value, "is not a time", hint)
	}
	at = at.UTC().Truncate(time.Microsecond)
	if at.Year() < 1000 || at.Year() > 9999 {
		r.refuse(name, value, "lies outside the years 1000 to 9999 in UTC", hint)
		return nil
	}
	return &at
}

func (r *reader) property(f *Feature, name string, value any) error {
	switch name {
	case PropName:
		f.Name = r.text(name, value, maxName)
	case PropCategory:
		f.Category = r.text(name, value, 64)
	case PropElevation:
		f.ElevationM = r.metres(name, value)
	case PropAccuracy:
		f.AccuracyM = r.metres(name, value)
		if f.AccuracyM != nil && *f.AccuracyM < 0 {
			r.refuse(name, value, "is negative", "metres, 0 or more")
		}
	case PropSource:
		f.Source = r.text(name, value, 40)
	case PropFixedAt:
		f.FixedAt = r.time(name, value)
	case PropAddressTyped:
		f.AddressTyped = r.text(name, value, 1000)
	case PropAddressFound:
		if value == nil {
			return nil
		}
		text, err := json.Marshal(value)
		if err != nil {
			return err
		}
		if len(text) > maxAddressFound {
			r.refuse(name, "", fmt.Sprintf("has %d bytes", len(text)), fmt.Sprintf("at most %d", maxAddressFound))
		}
		f.AddressFound = text
	case PropVersion, PropCreatedAt, PropUpdatedAt, PropCollection, PropRadius: // the last belongs to the geometry
	default:
		r.attribute(name, value)
	}
	return nil
}

func (r *reader) attribute(name string, value any) {
	switch {
	case name == "" || len(name) > 100 || !utf8.ValidString(name):
		r.refuse(Clip(name), value, "is not a name for an attribute", "1 to 100 bytes")
	case unitSuffix.MatchString(name):
		r.refuse(name, value, "ends in a unit, as computed values do",
			"give the attribute another name, e.g. without "+name[strings.LastIndex(name, "_"):])
	default:
		if s, ok := value.(string); ok {
			r.text(name, s, maxText)
		}
		r.attributes[name] = value
	}
}

// acceptGeometry gives a feature its geometry as it is stored, and says what was put right.
func (d Draft) acceptGeometry(ctx context.Context, f *Feature) (mended []string, err error) {
	radius, isCircle := d.Properties[PropRadius]
	isCircle = isCircle && radius != nil
	g := d.Geometry
	switch {
	case isCircle && !g.IsKnown():
		return nil, invalid("geometry", "", errors.New("is missing: a circle is a Point with the property radius_m"))
	case isCircle:
		m, ok := radius.(float64)
		if g.form == Point && ok {
			if f.Geometry, err = NewCircle(g.at.Rounded(), m); err == nil {
				return nil, nil
			}
		}
		return nil, invalid("properties."+PropRadius, Clip(fmt.Sprint(radius)),
			fmt.Errorf("belongs to a Point and must be more than 0 and at most %d metres", MaxRadiusM))
	case g.form == Point:
		if h := g.HeightsM(0); h != nil {
			f.ElevationM = &h[0]
		}
		f.Geometry = At(g.at.Rounded())
	case g.form == Line:
		if shape.Length(g.lines[0]) == 0 {
			return nil, invalid("geometry", "", errors.New("is a line whose positions are all the same"))
		}
		f.Geometry = g.Rounded()
	case g.form == Polygon:
		f.Geometry, mended, err = soundPolygon(ctx, g.Rounded())
	}
	return mended, err
}

// soundPolygon winds the rings of a polygon; it refuses rings that cross.
func soundPolygon(ctx context.Context, g Geometry) (Geometry, []string, error) {
	faults, err := shape.Faults(ctx, g.lines, 1)
	if err != nil {
		return g, nil, err
	}
	if len(faults) > 0 {
		return g, nil, invalid("geometry", faults[0].At.String(), &geo.ParseError{Reason: faults[0].Error(),
			Hint: "POST /v1/shape lists every fault, and offers the same positions in an order that does not cross"})
	}
	g, turned := g.Wound()
	var mended []string
	for _, i := range turned {
		if i == 0 {
			mended = append(mended, "The outline was wound clockwise; it is kept counterclockwise, as RFC 7946 has it.")
		} else {
			mended = append(mended, fmt.Sprintf("Hole %d was wound counterclockwise; it is kept clockwise, as RFC "+
				"7946 has it.", i))
		}
	}
	return g, mended, nil
}

// IsMember tells that a property is a member of Feature, not an attribute.
func IsMember(name string) bool {
	switch name {
	case PropName, PropCategory, PropElevation, PropAccuracy, PropSource, PropFixedAt, PropAddressTyped, PropRadius:
		return true
	}
	return false
}
