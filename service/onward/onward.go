// Package onward makes links that open a place, or a way to it, in another app: from URI templates (RFC 6570) that
// whoever uses the links has written, filled in so that nothing of a name or an address is lost or becomes part of the
// link's own structure. The links that any app may read are templates, too: geo: URIs (RFC 5870).
package onward

import (
	"fmt"
	"math"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"

	stduritemplate "github.com/std-uritemplate/std-uritemplate/go/v2"

	"viandante/core/geo"
	"viandante/service/fault"
)

// Intents are what a link asks another app to do.
var Intents = []string{"show", "search", "route", "begin"}

// Platforms are where links are opened.
var Platforms = []string{"android", "ios", "desktop"}

// App is another app: a template for each intent that it knows.
type App struct {
	Name      string            `json:"name"`
	Templates map[string]string `json:"templates"`
	// Platforms are where it is there; everywhere where there are none. DefaultOn are where it is taken unless somebody
	// chooses.
	Platforms []string `json:"platforms,omitempty"`
	DefaultOn []string `json:"default_on,omitempty"`
	// Words are what it calls intents and modes of travel, where that is something else.
	Words map[string]string `json:"words,omitempty"`
}

// Target is what a link leads to.
type Target struct {
	Name, Address string
	At            geo.Point
	// UncertaintyM is how well the position is known in metres, NaN where that is not said.
	UncertaintyM float64
	// From is where the way begins, not valid where the app is to begin where it is.
	From     geo.Point
	FromName string
	// Mode is the mode of travel: foot, bicycle or car.
	Mode string
	// Zoom is how near the map is to be, as of tiles of 256 pixels; NaN to leave it to the app.
	Zoom float64
	// ID and URL are those of the place in the workbench.
	ID, URL string
}

// Variable is a name that a template may use.
type Variable struct {
	Name, What string
	// free tells that people write what it holds.
	free bool
}

// Variables are all of them.
var Variables = []Variable{
	{"lat", "latitude in degrees", false},
	{"lng", "longitude in degrees", false},
	{"u", "how well the position is known, in metres", false},
	{"name", "the place's name", true},
	{"address", "its address", true},
	{"text", "its address, without one its name, without one its coordinates", true},
	{"q", "lat,lng(name), as map apps of phones read it", true},
	{"from_lat", "latitude where the way begins", false},
	{"from_lng", "longitude where the way begins", false},
	{"from_name", "what is there", true},
	{"mode", "foot, bicycle or car, or the app's word for it", false},
	{"zoom", "how near, 0 to 22", false},
	{"intent", "show, search, route or begin, or the app's word for it", false},
	{"id", "the place's id", false},
	{"url", "the place in the workbench", false},
}

// The links that any app may read.
var (
	Geo     = App{Name: "geo: link", Templates: all("geo:{lat},{lng}{;u,name}")}
	GeoName = App{Name: "geo: link that shows the name", Templates: all("geo:{lat},{lng}{?q}")}
)

func all(template string) map[string]string {
	out := map[string]string{}
	for _, intent := range Intents {
		out[intent] = template
	}
	return out
}

const (
	mostTemplate = 2000
	mostWords    = 20
)

var (
	schemeOf = regexp.MustCompile(`^[a-zA-Z][a-zA-Z0-9+.\-]*:`)
	hostOf   = regexp.MustCompile(`^(?i:https?)://[a-zA-Z0-9.\-\[\]:]+($|[/?#]|\{[/?#;])`)
	operator = regexp.MustCompile(`\{([+#./;?&]?)([^}]*)\}`)
)

// scripts are schemes with which a link does something in the page that it stands in, or on this machine.
var scripts = []string{"javascript", "vbscript", "data", "blob", "file", "filesystem", "about", "view-source", "jar"}

// Check holds an app to what links can be made of. The name is its caller's matter.
func (a *App) Check() error {
	if len(a.Templates) == 0 {
		return fault.Refuse("templates", "", &geo.ParseError{Reason: "are missing",
			Hint: `for one intent at least, e.g. {"show": "https://maps.example/at{?lat,lng,name}"}`})
	}
	for intent, template := range a.Templates {
		if !slices.Contains(Intents, intent) {
			return fault.Refuse("templates."+intent, "", &geo.ParseError{Reason: "is not an intent",
				Hint: strings.Join(Intents, ", ")})
		}
		if err := checkTemplate(template); err != nil {
			return fault.Refuse("templates."+intent, template, err)
		}
	}
	for field, list := range map[string][]string{"platforms": a.Platforms, "default_on": a.DefaultOn} {
		for _, p := range list {
			if !slices.Contains(Platforms, p) {
				return fault.Refuse(field, p, &geo.ParseError{Reason: "is not a platform",
					Hint: strings.Join(Platforms, ", ")})
			}
		}
	}
	known := append(slices.Clone(Intents), "foot", "bicycle", "car")
	for word, theirs := range a.Words {
		if !slices.Contains(known, word) || len(theirs) > 100 || len(a.Words) > mostWords {
			return fault.Refuse("words", word, &geo.ParseError{Reason: "is no word that links hold",
				Hint: "one of " + strings.Join(known, ", ") + ", each with at most 100 characters"})
		}
	}
	return nil
}

func checkTemplate(template string) error {
	bad := func(reason, hint string) error { return &geo.ParseError{Input: template, Reason: reason, Hint: hint} }
	if len(template) > mostTemplate {
		return bad("is too long", fmt.Sprintf("at most %d characters", mostTemplate))
	}
	if strings.ContainsFunc(template, func(r rune) bool { return r <= ' ' || r == 0x7f }) {
		return bad("holds a space or a control character", "write %20 for a space")
	}
	scheme := schemeOf.FindString(template)
	switch {
	case scheme == "":
		return bad("does not begin with a scheme", "e.g. https://maps.example/ or geo:")
	case slices.Contains(scripts, strings.ToLower(strings.TrimSuffix(scheme, ":"))):
		return bad("has the scheme "+scheme+", which runs in the page or reads this machine",
			"https:, geo: or an app's own")
	case strings.HasPrefix(strings.ToLower(scheme), "http") && !hostOf.MatchString(template):
		return bad("does not name its host in full", "the host is the same for every place: https://maps.example/…")
	}
	if _, err := expand(template, nil); err != nil {
		return bad("is not a URI template: "+err.Error(), "RFC 6570, e.g. https://maps.example/at{?lat,lng,name}")
	}
	names := variablesOf(template)
	if len(names) == 0 {
		return bad("has no variable, so that it leads to the same whatever the place", variableNames())
	}
	for _, name := range names {
		if !slices.ContainsFunc(Variables, func(v Variable) bool { return v.Name == name }) {
			return bad("has a variable "+strconv.Quote(name)+" that nothing is known of", variableNames())
		}
	}
	for _, e := range operator.FindAllStringSubmatch(template, -1) {
		if e[1] != "+" && e[1] != "#" {
			continue
		}
		for _, v := range Variables {
			if v.free && slices.Contains(strings.FieldsFunc(e[2], notInName), v.Name) {
				return bad(
					fmt.Sprintf("writes %s by {%s%s}, which leaves & ? and # of it as they are", v.Name, e[1], v.Name),
					"{"+v.Name+"}, which encodes them; the receiver reads the same")
			}
		}
	}
	for _, t := range []Target{sample, {Name: sample.Name, At: sample.At, UncertaintyM: math.NaN(), Zoom: math.NaN()}} {
		made, err := expand(template, t.values(nil, "show"))
		if err == nil {
			_, err = url.Parse(made)
		}
		if err != nil {
			return bad("makes a link that cannot be read: "+err.Error(), "see RFC 3986 for what may stand where")
		}
	}
	return nil
}

func notInName(r rune) bool { return r == ',' || r == ':' || r == '*' }

// variablesOf returns the names of a template's variables.
func variablesOf(template string) (out []string) {
	for _, e := range operator.FindAllStringSubmatch(template, -1) {
		for one := range strings.SplitSeq(e[2], ",") {
			name, _, _ := strings.Cut(strings.TrimSuffix(one, "*"), ":")
			out = append(out, name)
		}
	}
	return out
}

// sample is what templates are tried on.
var sample = Target{Name: "Well & Pump, #2 (100 % \"sweet\")", Address: "Mill Lane 12/3, 4100 Varrowby",
	UncertaintyM: 8, At: geo.MustPoint(-38.0521, -26.0493),
	From: geo.MustPoint(-38.05, -26.05), FromName: "Square", Mode: "foot",
	Zoom: 16, ID: "0193d4a0-0000-7000-8000-000000000000", URL: "http://127.0.0.1/places"}

func variableNames() string {
	names := make([]string, len(Variables))
	for i, v := range Variables {
		names[i] = v.Name
	}
	return "it knows " + strings.Join(names, ", ")
}

// Link returns the link of an app for an intent. ok is false where the app has none: it does not know the intent, or it
// needs a position that is not known.
func (a *App) Link(intent string, t Target) (link string, ok bool, err error) {
	template, knows := a.Templates[intent]
	if !knows {
		return "", false, nil
	}
	values := t.values(a.Words, intent)
	for _, name := range variablesOf(template) {
		if _, there := values[name]; !there && (name == "lat" || name == "lng" || name == "q") {
			return "", false, nil
		}
	}
	link, err = expand(template, values)
	return link, err == nil, err
}

func expand(template string, values map[string]string) (string, error) {
	in := stduritemplate.Substitutions{}
	for name, v := range values {
		in[name] = v
	}
	return stduritemplate.Expand(template, in)
}

// values are the variables that are defined for a target.
func (t Target) values(words map[string]string, intent string) map[string]string {
	out := map[string]string{}
	put := func(name, v string) {
		if v != "" && v != "." && v != ".." { // which a path would swallow, however they are written
			out[name] = strings.ToValidUTF8(v, "\uFFFD")
		}
	}
	word := func(w string) string {
		if theirs, there := words[w]; there {
			return theirs
		}
		return w
	}
	number := func(v float64) string {
		if math.IsNaN(v) {
			return ""
		}
		return strconv.FormatFloat(v, 'f', -1, 64)
	}
	put("name", t.Name)
	put("address", t.Address)
	put("text", t.Text())
	if t.At.IsValid() {
		at := t.At.Rounded()
		put("lat", number(at.Lat()))
		put("lng", number(at.Lng()))
		if t.Name == "" {
			put("q", at.String())
		} else {
			put("q", at.String()+"("+t.Name+")")
		}
		put("u", number(t.UncertaintyM))
	}
	if t.From.IsValid() {
		put("from_lat", number(t.From.Rounded().Lat()))
		put("from_lng", number(t.From.Rounded().Lng()))
		put("from_name", t.FromName)
	}
	if t.Mode != "" {
		put("mode", word(t.Mode))
	}
	put("zoom", number(t.Zoom))
	put("intent", word(intent))
	put("id", t.ID)
	put("url", t.URL)
	return out
}

// Text is what somebody searches for to find the target.
func (t Target) Text() string {
	switch {
	case t.Address != "":
		return t.Address
	case t.Name != "":
		return t.Name
	case t.At.IsValid():
		return t.At.Rounded().String()
	}
	return ""
}

// Plain is the target as text to read and to paste.
func (t Target) Plain() string {
	var lines []string
	for _, line := range []string{t.Name, t.Address} {
		if line != "" && !slices.Contains(lines, line) {
			lines = append(lines, line)
		}
	}
	if t.At.IsValid() {
		at := t.At.Rounded().String()
		if !math.IsNaN(t.UncertaintyM) {
			at += " ± " + strconv.FormatFloat(t.UncertaintyM, 'f', -1, 64) + " m"
		}
		lines = append(lines, at)
	}
	return strings.Join(lines, "\n")
}
