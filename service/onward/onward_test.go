package onward

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/standin"
)

// nasty are names and addresses with every character that has a meaning in a link, and some that are hard for other
// reasons.
func nasty() []string {
	out := []string{"Well & Pump", "a=b&c=d", "100 %", "%41", "%zz", "50%25", "#2", "?q", "a?b#c&d=e", "a+b c", "x;y=z",
		"a,b", "12/3", "../../etc", "a/../b", "./x", "//host", "http://evil.example/?x=1", "javascript:alert(1)",
		"{name}",
		"{?lat}", "(in brackets)", "[1]", "<b>bold</b>", "\"quoted\"", "'single'", "O'Hara", "back\\slash", "a|b",
		"a^b",
		"`tick`", "~tilde~", "@home", "$5", "!", "*", "a:b", "tab\there", "line\nbreak", "cr\r\nlf", "nul\x00byte",
		"\u007f",
		"Ärger", "Ångström", "naïve café", "泉 ⛲", "日本語", "عربى", "שלום", "\u202ertl", "e\u0301", "\u00e9", "👩‍👩‍👧‍👦",
		"𝒳",
		"ﬁ ligature", "\u200bzero width", "\ufeffbom", " leading", "trailing ", "  two  spaces  ", "=SUM(A1)", "-1",
		"0",
		"null", "true", "a;u=1", ";u=5", "geo:1,2", "1,2", "1,2(x)", "a)b", "(a", "…", "—", "½", "a&amp;b", "&lt;",
		"%C3%A4", "+", "++", "a%20b", "x=y", "=", "&", "&&", ";", ":", "/", "?", "#", "%", "\\", "\"", "'", "<", ">",
		strings.Repeat("long name ", 50), "a\u00a0b", "Mill Lane 12, 4100 Varrowby\nOrrisand",
		"Robert'); DROP TABLE places;--", "${jndi:x}", "%n%s", "COM1", "a\u2028b"}
	return out
}

// Whatever a name holds, the receiver reads the same, in whichever part of a link the template has it.
func TestTheReceiverReadsNamesWhole(t *testing.T) {
	names := nasty()
	require.GreaterOrEqual(t, len(names), 100)
	at := geo.MustPoint(-38.0521, -26.0493)
	parameter := func(name string) func(standin.Arrived) string {
		return func(a standin.Arrived) string {
			for _, p := range a.Parameters {
				if p.Name == name {
					return p.Value
				}
			}
			return "<none>"
		}
	}
	last := func(a standin.Arrived) string { return a.Path[len(a.Path)-1] }
	for template, read := range map[string]func(standin.Arrived) string{
		"https://maps.example/at{?lat,lng,name}":            parameter("name"),
		"https://maps.example/at?ll={lat},{lng}&n={name}":   parameter("n"),
		"https://maps.example/at?name={name}{&lat,lng}":     parameter("name"),
		"https://maps.example/place/{lat},{lng}/{name}":     last,
		"https://maps.example{/lat,lng,name}":               last,
		"https://maps.example/at#{name}":                    func(a standin.Arrived) string { return a.Fragment },
		"fieldmaps://show{?lat,lng,name}":                   parameter("name"),
		Geo.Templates["show"]:                               parameter("name"),
		"https://maps.example/find{?text,lat}":              parameter("text"),
		"https://maps.example/way{?from_name,from_lat,lat}": parameter("from_name"),
	} {
		app := App{Name: "x", Templates: map[string]string{"show": template}}
		require.NoError(t, app.Check(), template)
		for _, name := range names {
			link, ok, err := app.Link("show", Target{Name: name, At: at, UncertaintyM: 8, Zoom: math.NaN(), From: at,
				FromName: name})
			require.NoError(t, err, "%s %q", template, name)
			require.True(t, ok)
			got := standin.Read(link)
			assert.Empty(t, got.Trouble, "%s %q", link, name)
			assert.Equal(t, name, read(got), "%s", link)
			if strings.Contains(template, "{?lat,lng") || strings.HasPrefix(template, "geo:") {
				assert.Equal(t, at.String(), got.Position, link)
			}
			assert.NotContains(t, link, " ")
			assert.NotContains(t, link, "\n")
		}
	}
	// The form that map apps of phones read: coordinates, and the name in brackets.
	for _, name := range names {
		link, _, err := GeoName.Link("show", Target{Name: name, At: at, UncertaintyM: math.NaN(), Zoom: math.NaN()})
		require.NoError(t, err)
		got := standin.Read(link)
		assert.Equal(t, at.String()+"("+name+")", parameter("q")(got), link)
		assert.Equal(t, at.String(), got.Position)
	}
}

// What is not known leaves no trace in a link.
func TestWhatIsNotKnownIsLeftOut(t *testing.T) {
	app := App{Name: "x", Templates: map[string]string{
		"show":   "https://maps.example/at{?lat,lng,name,address,u,zoom,from_lat,mode}",
		"search": "search:{text}{?zoom}"}}
	require.NoError(t, app.Check())
	bare := Target{At: geo.MustPoint(1, 2), UncertaintyM: math.NaN(), Zoom: math.NaN()}
	link, ok, err := app.Link("show", bare)
	require.NoError(t, err)
	assert.True(t, ok)
	assert.Equal(t, "https://maps.example/at?lat=1&lng=2", link)
	_, ok, _ = app.Link("show", Target{Name: "Nowhere", UncertaintyM: math.NaN(), Zoom: math.NaN()})
	assert.False(t, ok, "it needs a position")
	link, ok, _ = app.Link("search", Target{Name: "Nowhere", UncertaintyM: math.NaN(), Zoom: math.NaN()})
	assert.True(t, ok)
	assert.Equal(t, "search:Nowhere", link)
	_, ok, _ = app.Link("begin", bare)
	assert.False(t, ok, "it does not know that")
	link, _, _ = Geo.Link("begin", bare)
	assert.Equal(t, "geo:1,2", link)
	for _, name := range []string{".", ".."} { // a path would swallow them
		link, _, _ = (&App{Templates: map[string]string{"show": "https://maps.example/{name}/x{?lat}"}}).Link("show",
			Target{Name: name, At: bare.At, UncertaintyM: math.NaN(), Zoom: math.NaN()})
		assert.Equal(t, "https://maps.example//x?lat=1", link)
	}
	assert.Equal(t, "1,2", bare.Plain())
}

// Every variable that is listed can be used, and is defined for a target that has everything.
func TestVariables(t *testing.T) {
	values := sample.values(map[string]string{"foot": "walking", "show": "pin"}, "show")
	for _, v := range Variables {
		assert.NotEmpty(t, values[v.Name], v.Name)
		require.NoError(t, checkTemplate("https://maps.example/{?"+v.Name+"}"))
		assert.NotEmpty(t, v.What)
	}
	assert.Len(t, values, len(Variables))
	assert.Equal(t, "walking", values["mode"])
	assert.Equal(t, "pin", values["intent"])
	assert.Error(t, checkTemplate("https://maps.example/"+strings.Repeat("{lat}", 500)))
	for _, scheme := range []string{"javascript", "VBScript", "data", "file", "blob"} {
		assert.Error(t, checkTemplate(fmt.Sprintf("%s:{lat}", scheme)))
	}
}
