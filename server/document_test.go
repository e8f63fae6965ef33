package server

import (
	"encoding/json"
	"fmt"
	"mime"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// contract is the OpenAPI document, ready to hold requests and answers to. OpenAPI 3.1's schemas are those of JSON
// Schema 2020-12; what lies around them is read here.
type contract struct {
	doc        map[string]any
	operations []operation
}

type operation struct {
	method     string
	path       []string // its segments
	at         string   // JSON pointer
	parameters []parameter
	bodies     map[string]*jsonschema.Schema // by media type; nil schemas hold nothing
	mustBody   bool
	answers    map[string]map[string]*jsonschema.Schema // by status, or default, and media type
}

type parameter struct {
	name, in string
	required bool
	list     bool
	schema   *jsonschema.Schema
}

// document returns the contract, read once for all tests.
var document = func() func(t testing.TB) *contract {
	read := sync.OnceValues(readContract)
	return func(t testing.TB) *contract {
		t.Helper()
		c, err := read()
		require.NoError(t, err)
		return c
	}
}()

func readContract() (c *contract, err error) {
	text, err := specJSON()
	if err != nil {
		return nil, err
	}
	c = &contract{}
	if err := json.Unmarshal(text, &c.doc); err != nil {
		return nil, err
	}
	resource, err := jsonschema.UnmarshalJSON(strings.NewReader(string(text)))
	if err != nil {
		return nil, err
	}
	compiler := jsonschema.NewCompiler()
	compiler.DefaultDraft(jsonschema.Draft2020)
	if err := compiler.AddResource("openapi.json", resource); err != nil {
		return nil, err
	}
	schema := func(at string) *jsonschema.Schema {
		s, compileErr := compiler.Compile("openapi.json#" + (&url.URL{Path: at}).EscapedPath())
		if compileErr != nil && err == nil {
			err = fmt.Errorf("%s: %w", at, compileErr)
		}
		return s
	}
	contents := func(at string) map[string]*jsonschema.Schema {
		out := map[string]*jsonschema.Schema{}
		content, _ := c.get(at + "/content").(map[string]any)
		for kind := range content {
			out[kind] = schema(at + "/content/" + escape(kind) + "/schema")
		}
		return out
	}
	for path, item := range c.doc["paths"].(map[string]any) {
		base := "/paths/" + escape(path)
		for method := range item.(map[string]any) {
			if method == "parameters" {
				continue
			}
			o := operation{
				method:  strings.ToUpper(method),
				path:    strings.Split(path, "/"),
				at:      base + "/" + method,
				answers: map[string]map[string]*jsonschema.Schema{},
			}
			for _, list := range []string{base + "/parameters", o.at + "/parameters"} {
				all, _ := c.get(list).([]any)
				for i := range all {
					at := c.follow(fmt.Sprintf("%s/%d", list, i))
					p := c.get(at).(map[string]any)
					required, _ := p["required"].(bool)
					kind := p["schema"].(map[string]any)["type"]
					one := parameter{p["name"].(string), p["in"].(string), required, kind == "array", nil}
					if one.schema = schema(at + "/schema"); one.list {
						one.schema = schema(at + "/schema/items")
					}
					o.parameters = append(o.parameters, one)
				}
			}
			if body := c.get(o.at + "/requestBody"); body != nil {
				at := c.follow(o.at + "/requestBody")
				o.bodies = contents(at)
				o.mustBody, _ = c.get(at + "/required").(bool)
			}
			for status := range c.get(o.at + "/responses").(map[string]any) {
				o.answers[status] = contents(c.follow(o.at + "/responses/" + status))
			}
			c.operations = append(c.operations, o)
		}
	}
	return c, err
}

func escape(s string) string { return strings.NewReplacer("~", "~0", "/", "~1").Replace(s) }

// get returns what a JSON pointer leads to, nil for nothing.
func (c *contract) get(pointer string) any {
	var at any = c.doc
	for _, name := range strings.Split(pointer, "/")[1:] {
		name = strings.NewReplacer("~1", "/", "~0", "~").Replace(name)
		switch v := at.(type) {
		case map[string]any:
			at = v[name]
		case []any:
			i, err := strconv.Atoi(name)
			if err != nil || i >= len(v) {
				return nil
			}
			at = v[i]
		default:
			return nil
		}
	}
	return at
}

// follow returns where a pointer leads when references are followed.
func (c *contract) follow(pointer string) string {
	if m, ok := c.get(pointer).(map[string]any); ok {
		if ref, ok := m["$ref"].(string); ok {
			return c.follow(strings.TrimPrefix(ref, "#"))
		}
	}
	return pointer
}

// operation returns the one that a request is for; one whose path is named in full goes before one with a parameter.
func (c *contract) operation(method, path string) *operation {
	have := strings.Split(path, "/")
	if method == http.MethodHead {
		method = http.MethodGet
	}
	var best *operation
	fewest := 100
	for i := range c.operations {
		o := &c.operations[i]
		if o.method != method || len(o.path) != len(have) {
			continue
		}
		same, open := true, 0
		for k := range have {
			if strings.HasPrefix(o.path[k], "{") {
				open++
			} else if o.path[k] != have[k] {
				same = false
			}
		}
		if same && open < fewest {
			best, fewest = o, open
		}
	}
	return best
}

func (p *parameter) check(t testing.TB, where, text string) {
	t.Helper()
	var value any = text
	if p.schema.Types != nil && slices.Contains(p.schema.Types.ToStrings(), "integer") {
		n, err := strconv.Atoi(text)
		if !assert.NoError(t, err, "%s: %s", where, p.name) {
			return
		}
		value = n
	} else if p.schema.Types != nil && slices.Contains(p.schema.Types.ToStrings(), "number") {
		v, err := strconv.ParseFloat(text, 64)
		if !assert.NoError(t, err, "%s: %s", where, p.name) {
			return
		}
		value = v
	}
	assert.NoError(t, p.schema.Validate(value), "%s: %s", where, p.name)
}

// holdRequest holds a request that was granted to the document.
func (c *contract) holdRequest(t testing.TB, r *http.Request, body string) {
	t.Helper()
	where := r.Method + " " + r.URL.Path
	o := c.operation(r.Method, r.URL.Path)
	if !assert.NotNil(t, o, "%s is not in the document", where) {
		return
	}
	known := map[string]bool{}
	for _, p := range o.parameters {
		var values []string
		switch p.in {
		case "query":
			known[p.name] = true
			values = r.URL.Query()[p.name]
		case "header":
			values = r.Header.Values(p.name)
		default:
			continue
		}
		assert.False(t, p.required && len(values) == 0, "%s: %s is missing", where, p.name)
		assert.False(t, len(values) > 1 && !p.list && p.in == "query", "%s: %s is no list", where, p.name)
		for _, v := range values {
			p.check(t, where, v)
		}
	}
	for name := range r.URL.Query() {
		free := strings.HasSuffix(r.URL.Path, "/items") // filters by any attribute
		assert.True(t, known[name] || free, "%s: the parameter %s is not in the document", where, name)
	}
	assert.False(t, o.mustBody && body == "", "%s: the body is missing", where)
	if body == "" {
		return
	}
	kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type"))
	schema, there := o.bodies[kind]
	if !there { // a media type range (OpenAPI 3.1, Media Type Object)
		main, _, _ := strings.Cut(kind, "/")
		schema, there = o.bodies[main+"/*"]
	}
	if assert.True(t, there, "%s: a body of %s is not in the document", where, kind) {
		holdJSON(t, where, kind, schema, body)
	}
}

// holdAnswer holds an answer to the document.
func (c *contract) holdAnswer(t testing.TB, r *http.Request, resp *http.Response, body string) {
	t.Helper()
	where := fmt.Sprintf("%s %s: %d", r.Method, r.URL.Path, resp.StatusCode)
	o := c.operation(r.Method, r.URL.Path)
	if o == nil {
		return // the page, or nothing
	}
	contents, there := o.answers[strconv.Itoa(resp.StatusCode)]
	if !there {
		contents, there = o.answers["default"]
	}
	if !assert.True(t, there, "%s is not in the document", where) || body == "" {
		return
	}
	kind, _, err := mime.ParseMediaType(resp.Header.Get("Content-Type"))
	assert.NoError(t, err, where)
	schema, there := contents[kind]
	if assert.True(t, there, "%s with %s is not in the document", where, kind) {
		holdJSON(t, where, kind, schema, body)
	}
}

func holdJSON(t testing.TB, where, kind string, schema *jsonschema.Schema, body string) {
	t.Helper()
	switch {
	case kind == linesType: // its schema is that of a line
		for line := range strings.Lines(body) {
			holdJSON(t, where, "application/json", schema, line)
		}
		return
	case !strings.HasSuffix(kind, "json"):
		return
	}
	value, err := jsonschema.UnmarshalJSON(strings.NewReader(body))
	if assert.NoError(t, err, where) {
		assert.NoError(t, schema.Validate(value), "%s\n%.500s", where, body)
	}
}

// Every route is in the document, and everything in the document has a route.
func TestTheDocumentHasAllRoutes(t *testing.T) {
	s := newSite(t)
	routes := map[string]bool{}
	for _, path := range s.routes() {
		routes[path] = true
	}
	for _, o := range document(t).operations {
		path := strings.NewReplacer("{", ":", "}", "").Replace(strings.Join(o.path, "/"))
		assert.True(t, routes[o.method+" "+path], "%s %s has no route", o.method, path)
		delete(routes, o.method+" "+path)
	}
	assert.Empty(t, routes, "not in the document")
	require.Greater(t, len(document(t).operations), 40)
}
