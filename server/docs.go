package server

import (
	"bytes"
	"cmp"
	"embed"
	"fmt"
	"html"
	"html/template"
	"io/fs"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"github.com/labstack/echo/v5"
	"github.com/yuin/goldmark"

	"viandante/service/access"
	"viandante/service/fault"
	"viandante/style"
)

//go:embed guide
var guide embed.FS

// docPage is a page of the reference.
type docPage struct {
	Path, Title, Group string
	Body               template.HTML
	text               string // for the search
	sections           []docSection
}

// docSection is what a search finds.
type docSection struct{ Path, Title, Page, text string }

// docs is the reference: pages for tasks in the order of work, the calls by their subjects, errors, limits.
type docs struct {
	pages    []*docPage
	sections []docSection
	css      []byte
	layout   *template.Template
}

// remedies are what to do about each kind of problem.
var remedies = map[string]string{
	"no-token": "Send `Authorization: Bearer TOKEN`. The demo's token lies in the file demo.token of its data " +
		"directory.",
	"database-away": "Ask again after as many seconds as Retry-After says; a change that may have been made is " +
		"sent again with the same id or Idempotency-Key.",
	"busy":              "Ask again after a moment: others were writing for longer than is waited.",
	"disk-full":         "Make room on the server's disk. Reading goes on.",
	"invalid-value":     "`errors` names each value that is wrong, why, and what would be right.",
	"not-allowed":       "Use a token with the scope that is named, or have its origins or collections changed.",
	"not-found":         "Look at the id; what was deleted is in the bin, `GET /v1/bin`.",
	"conflict":          "Read what is there now, and decide anew.",
	"changed-meanwhile": "Somebody was first: `current` has what is there now. Send the change again with its ETag.",
	"if-match-missing":  "Send the ETag of what you read as If-Match; `*` for whatever is there.",
	"impossible": "The request was understood, and the answer is that there is none: no way, outside all map " +
		"data.",
	"not-ready":      "The server is starting: ask again after Retry-After.",
	"source-fails":   "A source of imagery outside does not answer as it should; look at its settings.",
	"no-longer-kept": "What was asked to go on from is forgotten: read everything anew.",
	"too-large":      "Send it in smaller pieces.",
	"too-many":       "Wait as long as Retry-After says, or have the token's limits raised.",
}

var limits = [][2]string{{"A list", "50 features, at most 10,000 by `limit`; `next` leads on"},
	{"A query's text", "1,000 bytes"}, {"A body", "1 MB, a feature 16 MB, a bulk change 32 MB, a file 4 GB"},
	{"A feature", "200 attributes, 2 MB of them, 100,000 vertices"}, {"A bulk change", "10,000 features"},
	{"A picture", "4,096 by 4,096 CSS pixels, 16 million pixels in all"}, {"An embed", "5,000 features"},
	{"Reports of positions", "10,000 a request"}, {"A change's answer",
		"kept for 48 hours for the same Idempotency-Key"},
	{"A token", "as many calls by minute and day as it was made for; `RateLimit` tells what is left"}}

func newDocs(s *spec, operations []described, page fs.FS) (*docs, error) {
	d := &docs{layout: docLayout}
	files, err := fs.Glob(guide, "guide/*.md")
	if err != nil {
		return nil, err
	}
	slices.Sort(files)
	for _, name := range files {
		text, err := guide.ReadFile(name)
		if err != nil {
			return nil, err
		}
		_, id, _ := strings.Cut(strings.TrimSuffix(path.Base(name), ".md"), "-")
		if err := d.task(id, text); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
	}
	d.reference(s, operations)
	d.errors()
	d.limits()
	d.css = docStyle(page)
	for _, p := range d.pages {
		d.sections = append(d.sections, docSection{p.Path, p.Title, p.Group, p.text})
		d.sections = append(d.sections, p.sections...)
	}
	return d, nil
}

var requestBlock = regexp.MustCompile(`(?s)<pre><code class="language-request">(.*?)</code></pre>`)
var heading = regexp.MustCompile(`<h2>(.*?)</h2>`)

// task makes a page of a guide; its requests run in place.
func (d *docs) task(id string, text []byte) error {
	var b bytes.Buffer
	if err := goldmark.Convert(text, &b); err != nil {
		return err
	}
	title, _, _ := strings.Cut(strings.TrimPrefix(string(text), "# "), "\n")
	p := &docPage{Path: "/docs/" + id, Title: title, Group: "Tasks", text: string(text)}
	out := requestBlock.ReplaceAllStringFunc(b.String(), func(block string) string {
		return tryOut(html.UnescapeString(requestBlock.FindStringSubmatch(block)[1]))
	})
	out = heading.ReplaceAllStringFunc(out, func(h string) string {
		name := heading.FindStringSubmatch(h)[1]
		at := anchor(html.UnescapeString(name))
		p.sections = append(p.sections, docSection{p.Path + "#" + at, html.UnescapeString(name), title, ""})
		return `<h2 id="` + at + `">` + name + `</h2>`
	})
	p.Body = template.HTML(out) //nolint:gosec // from our own file, with what it quotes escaped
	d.pages = append(d.pages, p)
	return nil
}

func anchor(title string) string {
	return strings.Trim(strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return '-'
	}, title), "-")
}

// tryOut is a request that can be changed and run.
func tryOut(request string) string {
	return `<form class="try"><textarea spellcheck="false" rows="` +
		fmt.Sprint(min(12, strings.Count(strings.TrimSpace(request), "\n")+1)) +
		`" aria-label="A request, to be changed and run">` +
		html.EscapeString(strings.TrimSpace(request)) + `</textarea><p><button>Run</button> <button type="button" ` +
		`class="code">As code</button> <output></output></p><pre hidden tabindex="0"></pre></form>`
}

var tagTitles = map[string]string{"state": "State and signing in", "compute": "Measuring and filtering",
	"addresses": "Addresses", "ways": "Ways", "kept": "What is kept", "rehearsals": "Rehearsals", "parties": "Parties",
	"watches": "Watches", "links": "Onward links", "ground": "The ground", "features": "Features (OGC API)",
	"files": "Files", "tokens": "Tokens", "publish": "Publishing"}

// reference makes a page for each subject of the OpenAPI document.
func (d *docs) reference(s *spec, operations []described) {
	for _, tag := range s.Tags {
		p := &docPage{Path: "/docs/reference/" + tag.Name, Title: cmp.Or(tagTitles[tag.Name], tag.Name),
			Group: "Reference"}
		var b strings.Builder
		fmt.Fprintf(&b, "<h1>%s</h1>", html.EscapeString(p.Title))
		for _, o := range operations {
			if o.tag == tag.Name {
				b.WriteString(operationHTML(s, &o))
				p.sections = append(p.sections, docSection{p.Path + "#" + o.operation.OperationID, o.method + " " +
					o.path, p.Title,
					o.operation.Summary + " " + o.operation.Description})
			}
		}
		p.Body = template.HTML(b.String()) //nolint:gosec // all that is put in is escaped
		d.pages = append(d.pages, p)
	}
}

func operationHTML(s *spec, o *described) string {
	var b strings.Builder
	e := html.EscapeString
	fmt.Fprintf(&b, `<section id="%s"><h2><span class="method">%s</span> <code>%s</code></h2><p>%s</p>`,
		e(o.operation.OperationID), o.method, e(o.path), e(o.operation.Summary))
	if o.operation.Description != "" {
		fmt.Fprintf(&b, "<p>%s</p>", inline(o.operation.Description))
	}
	if len(o.parameters) > 0 {
		b.WriteString(`<table><thead><tr><th>parameter<th>in<th>is<th></tr></thead><tbody>`)
		for _, p := range o.parameters {
			kind := strings.ReplaceAll(s.typeScript(p.Schema, 1, ""), `"`, "")
			need := ""
			if p.Required {
				need = "needed;"
			}
			about := inline(p.Description)
			if p.Example != nil {
				about += " <span class=\"eg\">e.g. <code>" + e(fmt.Sprint(p.Example)) + "</code></span>"
			}
			fmt.Fprintf(&b, `<tr><td><code>%s</code><td>%s<td>%s<td>%s %s</tr>`, e(p.Name), e(p.In), e(kind), need,
				about)
		}
		b.WriteString(`</tbody></table>`)
	}
	if kind, schema := s.answerOf(&o.operation); kind != "" {
		fmt.Fprintf(&b, `<details><summary>answers %s</summary><pre>%s</pre></details>`, e(kind),
			e(s.typeScript(schema, 4, "")))
	}
	if o.method == http.MethodGet && !strings.Contains(o.path, "{") {
		b.WriteString(tryOut("GET " + o.path + exampleQuery(o)))
	}
	b.WriteString("</section>")
	return b.String()
}

// exampleQuery are the parameters that a call needs, with their examples.
func exampleQuery(o *described) string {
	var parts []string
	for _, p := range o.parameters {
		if p.In == "query" && p.Required {
			parts = append(parts, p.Name+"="+fmt.Sprint(cmp.Or[any](p.Example, "…")))
		}
	}
	if len(parts) == 0 {
		return ""
	}
	return "?" + strings.Join(parts, "&")
}

var codeMark = regexp.MustCompile("`([^`]+)`")

// inline escapes a text, with what stands between backquotes as code.
func inline(text string) string {
	return codeMark.ReplaceAllString(html.EscapeString(text), "<code>$1</code>")
}

func (d *docs) errors() {
	p := &docPage{Path: "/docs/errors", Title: "Errors, and what to do", Group: "Reference"}
	var b strings.Builder
	b.WriteString(`<h1>Errors, and what to do</h1><p>An error is <code>application/problem+json</code> (RFC 9457): a
		<code>type</code> that stays the same, a <code>detail</code> for people, the <code>request_id</code> that stands
		in the server's log, and <code>errors</code> with each value that is wrong.</p>
		<table><thead><tr><th>status<th>type<th>means<th>what to do</tr></thead><tbody>`)
	var kinds []fault.Kind
	for k := range problems {
		kinds = append(kinds, k)
	}
	slices.SortFunc(kinds, func(a, b fault.Kind) int {
		return cmp.Or(problems[a].status-problems[b].status, strings.Compare(problems[a].name, problems[b].name))
	})
	for _, k := range kinds {
		one := problems[k]
		fmt.Fprintf(&b, `<tr id="%s"><td>%d<td><code>%s</code><td>%s<td>%s</tr>`, one.name, one.status,
			typePrefix+one.name, html.EscapeString(one.title), inline(remedies[one.name]))
		p.sections = append(p.sections, docSection{p.Path + "#" + one.name, fmt.Sprintf("%d %s", one.status, one.title),
			p.Title,
			remedies[one.name] + " " + one.name})
	}
	b.WriteString(`</tbody></table>`)
	p.Body = template.HTML(b.String()) //nolint:gosec // all that is put in is escaped
	d.pages = append(d.pages, p)
}

func (d *docs) limits() {
	p := &docPage{Path: "/docs/limits", Title: "Limits", Group: "Reference"}
	var b strings.Builder
	b.WriteString(`<h1>Limits</h1><table><tbody>`)
	for _, l := range limits {
		fmt.Fprintf(&b, `<tr><th>%s<td>%s</tr>`, html.EscapeString(l[0]), inline(l[1]))
		p.text += l[0] + " " + l[1] + " "
	}
	b.WriteString(`</tbody></table><h2>Scopes</h2><p>A token may do what its scopes say: ` +
		html.EscapeString(strings.Join(strings.Fields(access.AllScopes), ", ")) + `.</p>`)
	p.Body = template.HTML(b.String()) //nolint:gosec // all that is put in is escaped
	d.pages = append(d.pages, p)
}

// search returns the sections that have all words of a query, the best first.
func (d *docs) search(query string) (out []docSection) {
	words := strings.FieldsFunc(strings.ToLower(query), func(r rune) bool {
		return !unicode.IsLetter(r) &&
			!unicode.IsDigit(r)
	})
	if len(words) == 0 {
		return nil
	}
	type hit struct {
		docSection
		score int
	}
	var hits []hit
	for _, s := range d.sections {
		title, text := strings.ToLower(s.Title), strings.ToLower(s.text+" "+s.Page+" "+s.Path)
		score := 0
		for _, w := range words {
			switch {
			case strings.Contains(title, w):
				score += 10
			case strings.Contains(text, w):
				score += 1 + min(4, strings.Count(text, w))
			default:
				score = -1 << 20
			}
		}
		if score > 0 {
			hits = append(hits, hit{s, score})
		}
	}
	slices.SortStableFunc(hits, func(a, b hit) int { return b.score - a.score })
	for _, h := range hits[:min(len(hits), 40)] {
		out = append(out, h.docSection)
	}
	return out
}

var docFonts = map[string]string{"alegreya-latin-500-normal": "Alegreya;500;normal",
	"alegreya-latin-400-italic": "Alegreya;400;italic", "alegreya-sans-latin-400-normal": "Alegreya Sans;400;normal",
	"alegreya-sans-latin-700-normal": "Alegreya Sans;700;normal"}

// docStyle is the reference's style: the page's colours and fonts, and its own rules.
func docStyle(page fs.FS) []byte {
	var b bytes.Buffer
	palette := func(time string) {
		b.WriteString(":root{")
		for _, name := range []string{"paper", "card", "ink", "rule", "madder", "verdigris", "ochre", "slate", "sea",
			"row-selected"} {
			fmt.Fprintf(&b, "--%s:%s;", name, style.Ground().Palettes[time][name])
		}
		b.WriteString("}\n")
	}
	palette("day")
	b.WriteString("@media (prefers-color-scheme: dark){")
	palette("night")
	b.WriteString("}\n")
	files, _ := fs.Glob(page, "assets/*.woff2") // none where the page was not built
	for _, name := range files {
		for begins, font := range docFonts {
			if rest, ok := strings.CutPrefix(path.Base(name), begins+"-"); ok && len(rest) < 20 {
				f := strings.Split(font, ";")
				fmt.Fprintf(&b, "@font-face{font-family:'%s';font-weight:%s;font-style:%s;font-display:swap;"+
					"src:url('/%s') format('woff2')}\n", f[0], f[1], f[2], name)
			}
		}
	}
	own, _ := guide.ReadFile("guide/docs.css") // it is part of the program
	b.Write(own)
	return b.Bytes()
}

// serveDocs answers what lies under /docs.
func (s *server) serveDocs(c *echo.Context) error {
	at := strings.TrimSuffix(c.Request().URL.Path, "/")
	h := c.Response().Header()
	h.Set("Cache-Control", "no-cache")
	switch at {
	case "/docs/docs.css":
		return c.Blob(http.StatusOK, "text/css; charset=utf-8", s.docs.css)
	case "/docs/docs.js":
		text, err := guide.ReadFile("guide/docs.js")
		if err != nil {
			return err
		}
		return c.Blob(http.StatusOK, "text/javascript; charset=utf-8", text)
	}
	view := map[string]any{"Pages": s.docs.pages, "Query": "", "At": at}
	status := http.StatusOK
	switch i := slices.IndexFunc(s.docs.pages, func(p *docPage) bool { return p.Path == at }); {
	case at == "/docs":
		view["Title"] = "Reference"
	case at == "/docs/search":
		query := c.QueryParam("q")
		query = strings.ToValidUTF8(query[:min(len(query), 200)], "")
		view["Title"], view["Query"], view["Found"] = "Search", query, s.docs.search(query)
	case i >= 0:
		view["Title"], view["Body"] = s.docs.pages[i].Title, s.docs.pages[i].Body
	default:
		status = http.StatusNotFound
		view["Title"] = "There is no such page"
	}
	h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self'; img-src 'self' data: blob:; "+
		"frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
	var b bytes.Buffer
	if err := s.docs.layout.Execute(&b, view); err != nil {
		return err
	}
	return c.HTMLBlob(status, b.Bytes())
}

var docLayout = template.Must(template.New("layout.html").ParseFS(guide, "guide/layout.html"))
