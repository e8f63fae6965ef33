package feature

import (
	"encoding/json"
	"strconv"
	"strings"
	"time"
)

// AppendMembers appends all properties of a feature as members of a JSON object, without braces; a circle's radius is
// left to whoever writes its geometry.
func (f *Feature) AppendMembers(dst []byte) []byte {
	dst = append(dst, `"name":`...)
	dst = AppendQuoted(dst, f.Name)
	if f.Category != "" {
		dst = append(dst, `,"category":`...)
		dst = AppendQuoted(dst, f.Category)
	}
	dst = f.AppendFurther(dst)
	return AppendVersion(dst, f.Version, f.CreatedAt, f.UpdatedAt)
}

// AppendFurther appends those properties that are neither name nor category nor version and times, each after a comma.
func (f *Feature) AppendFurther(dst []byte) []byte {
	number := func(name string, v *float64) {
		if v != nil {
			dst = strconv.AppendFloat(append(dst, `,"`+name+`":`...), *v, 'f', -1, 64)
		}
	}
	text := func(name, v string) {
		if v != "" {
			dst = AppendQuoted(append(dst, `,"`+name+`":`...), v)
		}
	}
	number(PropElevation, f.ElevationM)
	number(PropAccuracy, f.AccuracyM)
	text(PropSource, f.Source)
	if f.FixedAt != nil {
		text(PropFixedAt, f.FixedAt.Format(time.RFC3339Nano))
	}
	text(PropAddressTyped, f.AddressTyped)
	if f.AddressFound != nil {
		dst = append(append(dst, `,"`+PropAddressFound+`":`...), f.AddressFound...)
	}
	if own := f.Attributes.withoutReserved().Members(); own != "" {
		dst = append(append(dst, ','), own...)
	}
	return dst
}

// withoutReserved leaves out what was stored before its name was ours.
func (a Attributes) withoutReserved() Attributes {
	if !strings.Contains(string(a), `"`+PropCollection+`":`) {
		return a
	}
	values := a.Map()
	delete(values, PropCollection)
	out, err := NewAttributes(values)
	if err != nil {
		return a // cannot be: it was JSON before
	}
	return out
}

// AppendVersion appends a version and its times, after a comma.
func AppendVersion(dst []byte, version uint64, created, updated time.Time) []byte {
	dst = strconv.AppendUint(append(dst, `,"version":`...), version, 10)
	dst = created.AppendFormat(append(dst, `,"created_at":"`...), time.RFC3339Nano)
	dst = updated.AppendFormat(append(dst, `","updated_at":"`...), time.RFC3339Nano)
	return append(dst, '"')
}

// AppendQuoted appends a text as JSON.
func AppendQuoted(dst []byte, s string) []byte {
	for i := range len(s) {
		if c := s[i]; c < 0x20 || c == '"' || c == '\\' || c == '<' || c == '>' || c == '&' || c >= 0x7f {
			quoted, _ := json.Marshal(s) // a text always marshals
			return append(dst, quoted...)
		}
	}
	dst = append(append(dst, '"'), s...)
	return append(dst, '"')
}
