package feature

import (
	"fmt"
	"math"
	"net/url"
	"regexp"
	"slices"
	"time"
	"unicode/utf8"
)

// Types that a collection gives its attributes.
const (
	TextType      = "text"
	NumberType    = "number"
	BooleanType   = "boolean"
	ChoiceType    = "choice"
	DateType      = "date"
	URLType       = "url"
	TelephoneType = "telephone"
)

var attributeTypes = []string{TextType, NumberType, BooleanType, ChoiceType, DateType, URLType, TelephoneType}

// Field is an attribute that a collection defines for its features.
type Field struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	// Type is one of those above.
	Type     string   `json:"type"`
	Required bool     `json:"required"`
	Options  []string `json:"options,omitempty"`
}

// Schema is what a collection defines; attributes without a field are free.
type Schema []Field

// Fault is one value that is wrong, and what would be right.
type Fault struct {
	Field  string `json:"field"`
	Value  string `json:"value"`
	Reason string `json:"reason"`
	Hint   string `json:"hint"`
}

// builtIn are the attributes that every collection has; name and category are members of Feature.
var builtIn = Schema{
	{Name: "description", Title: "Description", Type: TextType},
	{Name: "address", Title: "Address", Type: TextType},
	{Name: "telephone", Title: "Telephone", Type: TelephoneType},
	{Name: "website", Title: "Website", Type: URLType},
	{Name: "visible", Title: "Visible", Type: BooleanType},
}

var (
	attributeName = regexp.MustCompile(`^[a-z][a-z0-9_]{0,62}$`)
	// unitSuffix matches the names that computed values have.
	unitSuffix = regexp.MustCompile(`_(m|km|ft|mi|nmi|deg|rad|s|ms|min|h|kmh|mph|mps|m2|km2)$`)
	// telephone is digits with what people write between them, a plus in front, and an extension (ITU-T E.123).
	telephone = regexp.MustCompile(`^\+?[0-9][0-9 ()./-]{1,30}[0-9)]( ?(ext\.?|x) ?[0-9]{1,8})?$`)
)

// Check holds a schema to what can be stored, shown and asked for; it returns the first fault, or nil.
func (s Schema) Check() *Fault {
	if len(s) > MaxAttributes {
		return &Fault{"attributes", fmt.Sprint(len(s)), fmt.Sprintf("are more than %d", MaxAttributes), ""}
	}
	seen := map[string]bool{}
	for i, f := range s {
		if fault := f.check(seen); fault != nil {
			fault.Field = fmt.Sprintf("attributes[%d].%s", i, fault.Field)
			return fault
		}
		seen[f.Name] = true
	}
	return nil
}

func (f Field) check(seen map[string]bool) *Fault {
	isBuiltIn := slices.ContainsFunc(builtIn, func(b Field) bool { return b.Name == f.Name })
	badOption := func(o string) bool { return o == "" || utf8.RuneCountInString(o) > 200 }
	switch {
	case !attributeName.MatchString(f.Name):
		return &Fault{"name", Clip(f.Name),
			"must begin with a small letter and hold small letters, digits and _ only, at most 63", ""}
	case seen[f.Name]:
		return &Fault{"name", f.Name, "stands there twice", ""}
	case isBuiltIn || slices.Contains(reserved, f.Name):
		return &Fault{"name", f.Name, "is one that every feature has already", ""}
	case unitSuffix.MatchString(f.Name):
		return &Fault{"name", f.Name, "ends in a unit, as computed values do; leave the unit out", ""}
	case utf8.RuneCountInString(f.Title) > 100:
		return &Fault{"title", Clip(f.Title), "is longer than 100 characters", ""}
	case !slices.Contains(attributeTypes, f.Type):
		return &Fault{"type", Clip(f.Type), fmt.Sprintf("must be one of %v", attributeTypes), ""}
	case (f.Type == ChoiceType) != (len(f.Options) > 0):
		return &Fault{"options", "", "belong to the type choice, which needs at least one", ""}
	case len(f.Options) > 200 || slices.ContainsFunc(f.Options, badOption):
		return &Fault{"options", "", "must be at most 200, each of 1 to 200 characters", ""}
	}
	return nil
}

// checkValues holds attributes to a schema and to those that every collection has.
func (s Schema) checkValues(values map[string]any) (wrong []Fault) {
	for _, f := range slices.Concat(builtIn, s) {
		value, there := values[f.Name]
		if !there || value == nil || value == "" {
			if f.Required {
				wrong = append(
					wrong,
					Fault{Field: "properties." + f.Name, Reason: "is missing", Hint: "the collection demands it"},
				)
			}
			continue
		}
		if reason, hint := f.checkValue(value); reason != "" {
			wrong = append(wrong, Fault{"properties." + f.Name, Clip(fmt.Sprint(value)), reason, hint})
		}
	}
	return wrong
}

func (f Field) checkValue(value any) (reason, hint string) {
	text, isText := value.(string)
	switch f.Type {
	case TextType:
		if !isText {
			return "is not a text", ""
		}
	case NumberType:
		if v, ok := value.(float64); !ok || math.IsNaN(v) || math.IsInf(v, 0) {
			return "is not a number", "a JSON number, e.g. 12.5"
		}
	case BooleanType:
		if _, ok := value.(bool); !ok {
			return "is neither true nor false", ""
		}
	case ChoiceType:
		if !slices.Contains(f.Options, text) || !isText {
			return "is none of the choices", fmt.Sprintf("one of %q", f.Options)
		}
	case DateType:
		if _, err := time.Parse(time.DateOnly, text); err != nil || !isText {
			return "is not a date", "YYYY-MM-DD, e.g. 2026-05-01"
		}
	case URLType:
		u, err := url.Parse(text)
		if !isText || err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
			return "is not a web address", "https://example.org/…"
		}
	case TelephoneType:
		if !isText || !telephone.MatchString(text) {
			return "is not a telephone number", "digits, with spaces between and a + in front, e.g. +290 1234 567"
		}
	}
	return "", ""
}

// Clip shortens a text that is quoted in an error.
func Clip(s string) string {
	if len(s) <= 200 {
		return s
	}
	if r := []rune(s); len(r) > 200 {
		return string(r[:200]) + "…"
	}
	return s
}

// IsBuiltIn tells that every collection has an attribute of this name.
func IsBuiltIn(name string) bool {
	return slices.ContainsFunc(builtIn, func(f Field) bool { return f.Name == name })
}
