package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"
	"time"
	"unicode/utf8"

	"viandante/codec/geojson"
	"viandante/store"
)

// accept turns a feature from outside into one to store, held to what its collection defines.
// It returns what was put right.
func accept(ctx context.Context, in *geojson.Feature, schema store.Attributes, f *store.Feature) (mended []string, err error) {
	if in.Type != "Feature" {
		return nil, Refuse("type", in.Type, errors.New("is not Feature"))
	}
	if mended, err = acceptGeometry(ctx, in, f); err != nil {
		return nil, err
	}
	attributes := map[string]any{}
	var wrong []FieldError
	refuse := func(name string, value any, reason, hint string) {
		wrong = append(wrong, FieldError{Field: "properties." + name, Value: clip(fmt.Sprint(value)), Reason: reason, Hint: hint})
	}
	text := func(name string, value any, most int) string {
		s, ok := value.(string)
		switch {
		case value == nil:
		case !ok:
			refuse(name, value, "is not a text", "")
		case !utf8.ValidString(s):
			refuse(name, value, "is not valid UTF-8", "")
		case utf8.RuneCountInString(s) > most:
			refuse(name, value, fmt.Sprintf("has %d characters", utf8.RuneCountInString(s)), fmt.Sprintf("at most %d", most))
		}
		return s
	}
	number := func(name string, value any) *float64 {
		if value == nil {
			return nil
		}
		v, ok := value.(float64)
		if !ok || math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) > 1e7 {
			refuse(name, value, "is not a number of metres", "")
			return nil
		}
		return &v
	}
	for name, value := range in.Properties {
		switch name {
		case propName:
			f.Name = text(name, value, maxName)
		case propCategory:
			f.Category = text(name, value, 64)
		case propElevation:
			f.ElevationM = number(name, value)
		case propAccuracy:
			f.AccuracyM = number(name, value)
			if f.AccuracyM != nil && *f.AccuracyM < 0 {
				refuse(name, value, "is negative", "metres, 0 or more")
			}
		case propSource:
			f.Source = text(name, value, 40)
		case propFixedAt:
			f.FixedAt = nil
			if s := text(name, value, 40); s != "" {
				at, err := time.Parse(time.RFC3339Nano, s)
				if err != nil {
					refuse(name, value, "is not a time", "RFC 3339 in UTC, e.g. 2026-05-01T12:00:00Z")
				}
				if at = at.UTC().Truncate(time.Microsecond); at.Year() < 1000 || at.Year() > 9999 {
					refuse(name, value, "lies outside the years 1000 to 9999 in UTC", "RFC 3339 in UTC, e.g. 2026-05-01T12:00:00Z")
					break
				}
				f.FixedAt = &at
			}
		case propAddressTyped:
			f.AddressTyped = text(name, value, 1000)
		case propAddressFound:
			f.AddressFound = nil
			if value != nil {
				b, err := json.Marshal(value)
				if err != nil {
					return nil, err
				}
				if len(b) > maxAddressFound {
					refuse(name, "", fmt.Sprintf("has %d bytes", len(b)), fmt.Sprintf("at most %d", maxAddressFound))
				}
				f.AddressFound = b
			}
		case propVersion, propCreatedAt, propUpdatedAt, propRadius: // the last belongs to the geometry
		default:
			switch {
			case name == "" || len(name) > 100 || !utf8.ValidString(name):
				refuse(clip(name), value, "is not a name for an attribute", "1 to 100 bytes")
			case unitSuffix.MatchString(name):
				refuse(name, value, "ends in a unit, as computed values do", "give the attribute another name, e.g. without "+name[strings.LastIndex(name, "_"):])
			default:
				if s, ok := value.(string); ok {
					text(name, s, maxText)
				}
				attributes[name] = value
			}
		}
	}
	if len(attributes) > maxAttributes {
		refuse("", len(attributes), "too many attributes", fmt.Sprintf("at most %d", maxAttributes))
	}
	wrong = append(wrong, checkValues(schema, attributes)...)
	if len(wrong) > 0 {
		return nil, &Error{Kind: Invalid, Detail: wrong[0].Field + " " + wrong[0].Reason, Fields: wrong}
	}
	if f.Attributes, err = json.Marshal(attributes); err == nil && len(f.Attributes) > maxAttributeBytes {
		e := Refuse("properties", "", fmt.Errorf("come to %d bytes of attributes, at most %d are possible", len(f.Attributes), maxAttributeBytes))
		e.Kind = TooLarge
		return nil, e
	}
	return mended, err
}

func clip(s string) string {
	if r := []rune(s); len(r) > 200 {
		return string(r[:200]) + "…"
	}
	return s
}
