package service

import (
	"fmt"
	"math"
	"net/url"
	"regexp"
	"slices"
	"time"
	"unicode/utf8"

	"viandante/store"
)

// Types of attributes.
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

// builtIn are the attributes that every collection has; name and category have columns of their own.
var builtIn = store.Attributes{
	{Name: "description", Title: "Description", Type: TextType},
	{Name: "address", Title: "Address", Type: TextType},
	{Name: "telephone", Title: "Telephone", Type: TelephoneType},
	{Name: "website", Title: "Website", Type: URLType},
	{Name: "visible", Title: "Visible", Type: BooleanType},
}

var (
	attributeName = regexp.MustCompile(`^[a-z][a-z0-9_]{0,62}$`)
	// telephone is digits with what people write between them, a plus in front, and an extension (ITU-T E.123).
	telephone = regexp.MustCompile(`^\+?[0-9][0-9 ()./-]{1,30}[0-9)]( ?(ext\.?|x) ?[0-9]{1,8})?$`)
)

// reserved are the names that features have properties of their own for.
var reserved = []string{propName, propCategory, propElevation, propAccuracy, propSource, propFixedAt, propAddressTyped, propAddressFound, propVersion, propCreatedAt, propUpdatedAt, "id", "collection", "shown_as"}

// checkAttributes holds what a collection defines to what can be kept, shown and asked for.
func checkAttributes(list store.Attributes) error {
	if len(list) > maxAttributes {
		return Refuse("attributes", fmt.Sprint(len(list)), fmt.Errorf("are more than %d", maxAttributes))
	}
	seen := map[string]bool{}
	for i, a := range list {
		field := fmt.Sprintf("attributes[%d]", i)
		isBuiltIn := slices.ContainsFunc(builtIn, func(b store.Attribute) bool { return b.Name == a.Name })
		switch {
		case !attributeName.MatchString(a.Name):
			return Refuse(field+".name", clip(a.Name), fmt.Errorf("must begin with a small letter and hold small letters, digits and _ only, at most 63"))
		case seen[a.Name]:
			return Refuse(field+".name", a.Name, fmt.Errorf("stands there twice"))
		case isBuiltIn || slices.Contains(reserved, a.Name):
			return Refuse(field+".name", a.Name, fmt.Errorf("is one that every feature has already"))
		case unitSuffix.MatchString(a.Name):
			return Refuse(field+".name", a.Name, fmt.Errorf("ends in a unit, as computed values do; leave the unit out"))
		case utf8.RuneCountInString(a.Title) > 100:
			return Refuse(field+".title", clip(a.Title), fmt.Errorf("is longer than 100 characters"))
		case !slices.Contains(attributeTypes, a.Type):
			return Refuse(field+".type", clip(a.Type), fmt.Errorf("must be one of %v", attributeTypes))
		case (a.Type == ChoiceType) != (len(a.Options) > 0):
			return Refuse(field+".options", "", fmt.Errorf("belong to the type choice, which needs at least one"))
		case len(a.Options) > 200 || slices.ContainsFunc(a.Options, func(o string) bool { return o == "" || utf8.RuneCountInString(o) > 200 }):
			return Refuse(field+".options", "", fmt.Errorf("must be at most 200, each of 1 to 200 characters"))
		}
		seen[a.Name] = true
	}
	return nil
}

// checkValues holds the attributes of a feature to what its collection defines; it returns what is wrong with them.
func checkValues(schema store.Attributes, values map[string]any) (wrong []FieldError) {
	for _, a := range slices.Concat(builtIn, schema) {
		value, there := values[a.Name]
		if !there || value == nil || value == "" {
			if a.Required {
				wrong = append(wrong, FieldError{Field: "properties." + a.Name, Reason: "is missing", Hint: "the collection demands it"})
			}
			continue
		}
		if reason, hint := checkValue(a, value); reason != "" {
			wrong = append(wrong, FieldError{Field: "properties." + a.Name, Value: clip(fmt.Sprint(value)), Reason: reason, Hint: hint})
		}
	}
	return wrong
}

func checkValue(a store.Attribute, value any) (reason, hint string) {
	text, isText := value.(string)
	switch a.Type {
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
		if !slices.Contains(a.Options, text) || !isText {
			return "is none of the choices", fmt.Sprintf("one of %q", a.Options)
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
