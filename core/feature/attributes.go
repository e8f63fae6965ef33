package feature

import (
	"bytes"
	"encoding/json"
	"errors"
	"iter"

	"github.com/tidwall/gjson"
)

// Attributes are a feature's own properties: a JSON object, as NewAttributes makes it; "" for none.
// They are immutable and comparable: equal attributes are equal texts.
type Attributes string

// ValueType is the type of an attribute's value.
type ValueType uint8

// The types of value. Composite is a list or an object.
const (
	Missing ValueType = iota
	Null
	Boolean
	Number
	Text
	Composite
)

// Value is what an attribute has. Text is its text: that of a text itself, of everything else its JSON.
type Value struct {
	Type   ValueType
	Number float64
	Text   string
}

// NewAttributes returns the attributes with these values. The error is that of a value that JSON has no form for.
func NewAttributes(values map[string]any) (Attributes, error) {
	if len(values) == 0 {
		return "", nil
	}
	text, err := json.Marshal(values)
	return Attributes(text), err
}

// ParseAttributes takes a JSON object, as a database or a log holds it.
func ParseAttributes(text []byte) (Attributes, error) {
	text = bytes.TrimSpace(text)
	switch {
	case len(text) == 0 || string(text) == "{}" || string(text) == "null":
		return "", nil
	case text[0] != '{' || !gjson.ValidBytes(text):
		return "", errors.New("the attributes are not a JSON object")
	case len(bytes.TrimSpace(text[1:len(text)-1])) == 0:
		return "", nil
	}
	return Attributes(text), nil
}

// JSON returns the attributes as a JSON object.
func (a Attributes) JSON() string {
	if a == "" {
		return "{}"
	}
	return string(a)
}

// Members returns the members of the JSON object, without its braces; "" for none.
func (a Attributes) Members() string {
	if a == "" {
		return ""
	}
	return string(a[1 : len(a)-1])
}

// Get returns the value of an attribute.
func (a Attributes) Get(name string) Value {
	if a == "" {
		return Value{}
	}
	return valueOf(gjson.Get(string(a), gjson.Escape(name)))
}

// All yields the attributes with their values, by name.
func (a Attributes) All() iter.Seq2[string, Value] {
	return func(yield func(string, Value) bool) {
		if a != "" {
			gjson.Parse(string(a)).ForEach(func(k, v gjson.Result) bool { return yield(k.Str, valueOf(v)) })
		}
	}
}

// Map returns the values as package json reads them.
func (a Attributes) Map() map[string]any {
	out := map[string]any{}
	if a != "" {
		_ = json.Unmarshal([]byte(a), &out) // it was checked when it was made
	}
	return out
}

func valueOf(r gjson.Result) Value {
	switch {
	case !r.Exists():
		return Value{}
	case r.Type == gjson.Null:
		return Value{Type: Null}
	case r.Type == gjson.Number:
		return Value{Number, r.Num, r.String()}
	case r.Type == gjson.String:
		return Value{Type: Text, Text: r.Str}
	case r.Type == gjson.True || r.Type == gjson.False:
		return Value{Type: Boolean, Text: r.Raw}
	}
	return Value{Type: Composite, Text: r.Raw}
}
