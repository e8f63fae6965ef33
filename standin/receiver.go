package standin

import (
	"encoding/json"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"strings"

	"viandante/core/geo"
)

// Arrived is what another app reads out of a link.
type Arrived struct {
	Link   string `json:"link"`
	Scheme string `json:"scheme"`
	Host   string `json:"host,omitempty"`
	// Path are the parts of the path, decoded.
	Path []string `json:"path"`
	// Parameters are those of the query and of a geo: URI, decoded, in the order in which they stand.
	Parameters []Parameter `json:"parameters"`
	Fragment   string      `json:"fragment,omitempty"`
	// Position is lat,lng where the link has one, with how well it is known in metres.
	Position     string   `json:"position,omitempty"`
	UncertaintyM *float64 `json:"uncertainty_m,omitempty"`
	// Trouble is what could not be read.
	Trouble string `json:"trouble,omitempty"`
}

// Parameter is a parameter of a link.
type Parameter struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Read reads a link as whoever receives it does.
func Read(link string) Arrived {
	a := Arrived{Link: link, Path: []string{}, Parameters: []Parameter{}}
	u, err := url.Parse(link)
	if err != nil {
		a.Trouble = "this is not a link: " + err.Error()
		return a
	}
	a.Scheme, a.Host, a.Fragment = strings.ToLower(u.Scheme), u.Host, u.Fragment
	path := u.EscapedPath()
	if u.Opaque != "" {
		path = u.Opaque
	}
	path, params, _ := strings.Cut(path, ";")
	for part := range strings.SplitSeq(strings.Trim(path, "/"), "/") {
		a.add(part, func(text string) {
			if text != "" {
				a.Path = append(a.Path, text)
			}
		}, url.PathUnescape)
	}
	if params != "" {
		a.parameters(params, ";", url.PathUnescape)
	}
	if u.RawQuery != "" {
		a.parameters(u.RawQuery, "&", url.QueryUnescape)
	}
	if a.Scheme == "geo" {
		if r, err := geo.Read(link[:len(link)-len(queryOf(link))]); err == nil {
			a.place(r.Point)
			if !math.IsNaN(r.AccuracyM) {
				a.UncertaintyM = &r.AccuracyM
			}
		} else {
			a.Trouble = err.Error()
		}
		return a
	}
	if lat, lng := a.value("lat"), a.value("lng"); lat != "" && lng != "" {
		if p, err := geo.ParsePoint(lat + "," + lng); err == nil {
			a.place(p)
		}
	}
	return a
}

func queryOf(link string) string {
	if i := strings.IndexByte(link, '?'); i >= 0 {
		return link[i:]
	}
	return ""
}

func (a *Arrived) place(p geo.Point) { a.Position = p.String() }

func (a *Arrived) value(name string) string {
	for _, p := range a.Parameters {
		if p.Name == name {
			return p.Value
		}
	}
	return ""
}

func (a *Arrived) add(text string, take func(string), decode func(string) (string, error)) {
	plain, err := decode(text)
	if err != nil {
		a.Trouble, plain = "cannot be decoded: "+text, text
	}
	take(plain)
}

func (a *Arrived) parameters(text, between string, decode func(string) (string, error)) {
	for part := range strings.SplitSeq(text, between) {
		name, value, _ := strings.Cut(part, "=")
		a.add(name, func(n string) {
			a.add(value, func(v string) { a.Parameters = append(a.Parameters, Parameter{n, v}) }, decode)
		}, decode)
	}
}

var receiverPage = template.Must(template.New("receiver").Parse(`<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>What arrived</title>
<style>
:root { color-scheme: light dark; --paper: #F6F1E5; --ink: #1F2A27; --slate: #5B6770; --rule: #D8CFBA; --mark: #24705F }
@media (prefers-color-scheme: dark) {
	:root { --paper: #16201D; --ink: #E9E2D0; --slate: #A3AEB2; --rule: #34413C; --mark: #6FC0AA }
}
body { margin: 0; padding: 1.5rem; background: var(--paper); color: var(--ink); font: 1rem/1.45 system-ui, sans-serif }
main { max-width: 44rem; margin: 0 auto }
h1 { font: 700 1.4rem Georgia, serif; margin: 0 }
p { margin: .3rem 0 1rem; color: var(--slate) }
table { border-collapse: collapse; width: 100% }
th, td { text-align: left; vertical-align: top; padding: .35rem .6rem .35rem 0; border-top: 1px solid var(--rule) }
th { font-weight: 600; width: 9rem }
td { overflow-wrap: anywhere; white-space: pre-wrap }
code { overflow-wrap: anywhere }
.place { color: var(--mark); font-weight: 700 }
</style>
<main>
<h1>What arrived</h1>
<p>This stands in for another app. It shows what it reads out of the link, and does nothing with it.</p>
<table>
{{if .Trouble}}<tr><th>Trouble<td data-test="trouble">{{.Trouble}}{{end}}
{{if .Position}}<tr><th>Position<td class="place" data-test="position">{{.Position}}
{{- with .UncertaintyM}} ± {{.}} m{{end}}{{end}}
{{range .Parameters}}<tr><th>{{.Name}}<td data-test="parameter">{{.Value}}{{end}}
{{range .Path}}<tr><th>path<td>{{.}}{{end}}
{{if .Fragment}}<tr><th>fragment<td>{{.Fragment}}{{end}}
<tr><th>scheme<td>{{.Scheme}}
{{if .Host}}<tr><th>host<td>{{.Host}}{{end}}
<tr><th>link<td><code data-test="link">{{.Link}}</code>
</table>
</main>
</html>
`))

// Receiver stands in for another app that a link opens: it shows what it got, as a page or as JSON. It takes the link
// from its parameter link, or is the link's own address where there is none.
func Receiver() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		link := r.URL.Query().Get("link")
		if link == "" {
			link = "http://" + r.Host + r.URL.RequestURI()
		}
		const most = 8000
		arrived := Read(link[:min(len(link), most)])
		h := w.Header()
		h.Set("Cache-Control", "no-store")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'")
		if strings.Contains(r.Header.Get("Accept"), "application/json") {
			h.Set("Content-Type", "application/json")
			_ = json.NewEncoder(w).Encode(arrived) // a reader that is gone wants nothing
			return
		}
		h.Set("Content-Type", "text/html; charset=utf-8")
		_ = receiverPage.Execute(w, arrived)
	})
}
