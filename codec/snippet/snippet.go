// Package snippet writes a request as code, in eight languages: a function that is called as the operation is in the
// OpenAPI document, with the token as its parameter and never a value, and the lines that run it from a terminal.
package snippet

import (
	_ "embed"
	"fmt"
	"strconv"
	"strings"
	"text/template"
	"unicode"
)

// Request is what is to be written.
type Request struct {
	// Name is the operation's id, Summary what it does, and Notes what its parameters are, by their names.
	Name, Summary string
	Notes         map[string]string
	// Method and URL are those of the request, without its query.
	Method, URL string
	Query       [][2]string
	// Headers are those besides Authorization.
	Headers [][2]string
	Body    string
	// Answer is the media type of what is answered; Type is it in TypeScript.
	Answer, Type string
}

// Language is one that is written.
type Language struct{ ID, Title string }

// Languages are all of them, in the order in which they are offered.
var Languages = []Language{{"curl", "curl"}, {"javascript", "JavaScript"}, {"typescript", "TypeScript"},
	{"swift", "Swift"}, {"kotlin", "Kotlin"}, {"dart", "Dart"}, {"python", "Python"}, {"go", "Go"}}

// tokenVariable is where the token comes from.
const tokenVariable = "VIANDANTE_TOKEN"

// IsJSON tells that the answer is JSON.
func (r *Request) IsJSON() bool {
	return strings.Contains(r.Answer, "json") && !strings.Contains(r.Answer, "seq")
}

// Full is the address with its query, for requests that have a body, too.
func (r *Request) Full() string {
	if len(r.Query) == 0 {
		return r.URL
	}
	var parts []string
	for _, p := range r.Query {
		parts = append(parts, escape(p[0])+"="+escape(p[1]))
	}
	return r.URL + "?" + strings.Join(parts, "&")
}

// escape encodes a part of a query: all but what RFC 3986 leaves alone, and the comma between coordinates.
func escape(s string) string {
	var b strings.Builder
	for _, c := range []byte(s) {
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || strings.IndexByte("-._~,", c) >= 0 {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "%%%02X", c)
		}
	}
	return b.String()
}

// Note is what a parameter is, as a comment of one line; "" for nothing.
func (r *Request) Note(name string) string {
	note := strings.Join(strings.Fields(r.Notes[name]), " ")
	if len(note) > 80 {
		note = ""
	}
	return note
}

// Grouped are the parameters of the query by their names, in their order.
func (r *Request) Grouped() (out []struct {
	Name   string
	Values []string
}) {
	for _, p := range r.Query {
		found := false
		for i := range out {
			if out[i].Name == p[0] {
				out[i].Values = append(out[i].Values, p[1])
				found = true
			}
		}
		if !found {
			out = append(out, struct {
				Name   string
				Values []string
			}{p[0], []string{p[1]}})
		}
	}
	return out
}

// Write writes a request in a language.
func Write(language string, r Request) (string, error) {
	t := templates.Lookup(language)
	if t == nil {
		return "", fmt.Errorf("%q is not a language that is written", language)
	}
	r.Summary = strings.ReplaceAll(strings.Join(strings.Fields(r.Summary), " "), "*/", "* /")
	if r.Name == "" {
		r.Name = "request"
	}
	var b strings.Builder
	if err := t.Execute(&b, &r); err != nil {
		return "", err
	}
	return strings.TrimLeft(b.String(), "\n"), nil
}

// quoted writes a text between double quotes; more are further characters that are escaped, and code writes others that
// cannot stand as they are.
func quoted(s, more string, code func(r rune) string) string {
	var b strings.Builder
	b.WriteByte('"')
	for _, r := range s {
		switch {
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\t':
			b.WriteString(`\t`)
		case r == '\r':
			b.WriteString(`\r`)
		case r == '"' || r == '\\' || strings.ContainsRune(more, r):
			b.WriteByte('\\')
			b.WriteRune(r)
		case unicode.IsControl(r) || r == 0x2028 || r == 0x2029 || r == unicode.ReplacementChar || r == 0xfeff:
			b.WriteString(code(r))
		default:
			b.WriteRune(r)
		}
	}
	b.WriteByte('"')
	return b.String()
}

func fourDigits(r rune) string { return fmt.Sprintf(`\u%04x`, r) }

func braced(r rune) string { return fmt.Sprintf(`\u{%x}`, r) }

// titled is a name with a capital letter, as Go exports it.
func titled(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// snake is a name as Python writes it.
func snake(s string) string {
	var b strings.Builder
	for i, r := range s {
		if unicode.IsUpper(r) && i > 0 {
			b.WriteByte('_')
		}
		b.WriteRune(unicode.ToLower(r))
	}
	return b.String()
}

var functions = template.FuncMap{
	"js":     func(s string) string { return quoted(s, "", fourDigits) },
	"swift":  func(s string) string { return quoted(s, "", braced) },
	"kotlin": func(s string) string { return quoted(s, "$", fourDigits) },
	"dart":   func(s string) string { return quoted(s, "$", braced) },
	"python": func(s string) string { return quoted(s, "", fourDigits) },
	"golang": strconv.Quote,
	"sh":     func(s string) string { return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'" },
	"title":  titled,
	"snake":  snake,
	"token":  func() string { return tokenVariable },
	"lower":  strings.ToLower,
}

// source are the templates, one for each language.
//
//go:embed templates.txt
var source string

var templates = template.Must(template.New("").Funcs(functions).Parse(source))
