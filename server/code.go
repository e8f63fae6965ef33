package server

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"viandante/codec/snippet"
	"viandante/core/geo"
	"viandante/service/fault"
)

// described is an operation as the OpenAPI document has it, as far as code is made of it.
type described struct {
	method, path string
	tag          string
	operation    specOperation
	parameters   []specParameter
}

// spec is the document, as far as it is read here.
type spec struct {
	Tags []struct {
		Name        string `json:"name"`
		Description string `json:"description"`
	} `json:"tags"`
	Paths      map[string]map[string]json.RawMessage `json:"paths"`
	Components map[string]map[string]json.RawMessage `json:"components"`
}

type specOperation struct {
	OperationID string                     `json:"operationId"`
	Summary     string                     `json:"summary"`
	Description string                     `json:"description"`
	Tags        []string                   `json:"tags"`
	Parameters  []json.RawMessage          `json:"parameters"`
	RequestBody json.RawMessage            `json:"requestBody"`
	Responses   map[string]json.RawMessage `json:"responses"`
}

type specParameter struct {
	Ref         string     `json:"$ref"`
	Name        string     `json:"name"`
	In          string     `json:"in"`
	Required    bool       `json:"required"`
	Description string     `json:"description"`
	Example     any        `json:"example"`
	Schema      specSchema `json:"schema"`
}

type specSchema struct {
	Ref         string                `json:"$ref"`
	Type        any                   `json:"type"`
	Enum        []any                 `json:"enum"`
	Properties  map[string]specSchema `json:"properties"`
	Required    []string              `json:"required"`
	Items       *specSchema           `json:"items"`
	AllOf       []specSchema          `json:"allOf"`
	AnyOf       []specSchema          `json:"anyOf"`
	OneOf       []specSchema          `json:"oneOf"`
	Description string                `json:"description"`
}

// readSpec reads the operations of the document, in the order of their paths.
func readSpec(text []byte) (*spec, []described, error) {
	var s spec
	if err := json.Unmarshal(text, &s); err != nil {
		return nil, nil, err
	}
	var out []described
	for path, item := range s.Paths {
		var common []json.RawMessage
		if raw := item["parameters"]; raw != nil {
			if err := json.Unmarshal(raw, &common); err != nil {
				return nil, nil, err
			}
		}
		for method, raw := range item {
			if method == "parameters" {
				continue
			}
			d := described{method: strings.ToUpper(method), path: path}
			if err := json.Unmarshal(raw, &d.operation); err != nil {
				return nil, nil, fmt.Errorf("%s %s: %w", method, path, err)
			}
			if len(d.operation.Tags) > 0 {
				d.tag = d.operation.Tags[0]
			}
			for _, one := range append(slices.Clone(common), d.operation.Parameters...) {
				var p specParameter
				if err := errors.Join(json.Unmarshal(s.follow(one), &p)); err != nil {
					return nil, nil, err
				}
				d.parameters = append(d.parameters, p)
			}
			out = append(out, d)
		}
	}
	slices.SortFunc(out, func(a, b described) int { return strings.Compare(a.path+a.method, b.path+b.method) })
	return &s, out, nil
}

// follow returns what a reference stands for, and anything else as it is.
func (s *spec) follow(raw json.RawMessage) json.RawMessage {
	var r struct {
		Ref string `json:"$ref"`
	}
	for range 8 {
		if json.Unmarshal(raw, &r) != nil || r.Ref == "" {
			return raw
		}
		parts := strings.Split(r.Ref, "/")
		if len(parts) != 4 {
			return raw
		}
		raw = s.Components[parts[2]][parts[3]]
		r.Ref = ""
	}
	return raw
}

func (s *spec) schema(x specSchema) specSchema {
	for range 8 {
		if x.Ref == "" {
			return x
		}
		parts := strings.Split(x.Ref, "/")
		var next specSchema
		if len(parts) != 4 || json.Unmarshal(s.Components[parts[2]][parts[3]], &next) != nil {
			return specSchema{}
		}
		x = next
	}
	return x
}

// answerOf returns the media type of an operation's good answer, and its schema.
func (s *spec) answerOf(o *specOperation) (kind string, schema specSchema) {
	for _, status := range []string{"200", "201"} {
		raw := o.Responses[status]
		if raw == nil {
			continue
		}
		var r struct {
			Content map[string]struct {
				Schema specSchema `json:"schema"`
			} `json:"content"`
		}
		if json.Unmarshal(s.follow(raw), &r) != nil {
			continue
		}
		for k, c := range r.Content {
			if kind == "" || strings.Contains(k, "json") {
				kind, schema = k, c.Schema
			}
		}
		return kind, schema
	}
	return "", schema
}

// typeScript writes a schema as a type, down to a depth.
func (s *spec) typeScript(x specSchema, depth int, indent string) string {
	x = s.schema(x)
	switch {
	case len(x.Enum) > 0:
		var out []string
		for _, v := range x.Enum {
			text, _ := json.Marshal(v) // it was JSON before
			out = append(out, string(text))
		}
		return strings.Join(out, " | ")
	case len(x.AllOf) > 0 && depth > 0:
		merged := specSchema{Type: "object", Properties: map[string]specSchema{}}
		for _, part := range x.AllOf {
			part = s.schema(part)
			for name, p := range part.Properties {
				merged.Properties[name] = p
			}
			merged.Required = append(merged.Required, part.Required...)
		}
		return s.typeScript(merged, depth, indent)
	}
	var out []string
	kinds, many := x.Type.([]any)
	if !many {
		kinds = []any{x.Type}
	}
	for _, kind := range kinds {
		switch kind {
		case "string":
			out = append(out, "string")
		case "number", "integer":
			out = append(out, "number")
		case "boolean":
			out = append(out, "boolean")
		case "null":
			out = append(out, "null")
		case "array":
			item := "unknown"
			if x.Items != nil && depth > 0 {
				item = s.typeScript(*x.Items, depth-1, indent)
			}
			if strings.Contains(item, "|") {
				item = "(" + item + ")"
			}
			out = append(out, item+"[]")
		case "object":
			out = append(out, s.objectType(x, depth, indent))
		default:
			out = append(out, "unknown")
		}
	}
	return strings.Join(out, " | ")
}

func (s *spec) objectType(x specSchema, depth int, indent string) string {
	if len(x.Properties) == 0 || depth == 0 {
		return "Record<string, unknown>"
	}
	var b strings.Builder
	b.WriteString("{\n")
	names := make([]string, 0, len(x.Properties))
	for name := range x.Properties {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		optional := "?"
		if slices.Contains(x.Required, name) {
			optional = ""
		}
		key := name
		if strings.ContainsAny(name, "-. ") {
			key = "'" + name + "'"
		}
		fmt.Fprintf(&b, "%s  %s%s: %s\n", indent, key, optional, s.typeScript(x.Properties[name], depth-1, indent+"  "))
	}
	b.WriteString(indent + "}")
	return b.String()
}

// operationOf returns the operation that a request calls.
func operationOf(all []described, method, path string) (described, bool) {
	have := strings.Split(path, "/")
	for _, exact := range []bool{true, false} {
		for _, d := range all {
			want := strings.Split(d.path, "/")
			if d.method != method || len(want) != len(have) {
				continue
			}
			same := true
			for i := range want {
				same = same && (want[i] == have[i] || !exact && strings.HasPrefix(want[i], "{"))
			}
			if same {
				return d, true
			}
		}
	}
	return described{}, false
}

// code answers POST /v1/code: a request as code, in all languages.
func (s *server) code(c *echo.Context) error {
	var body struct {
		Method      string `json:"method"`
		Path        string `json:"path"`
		Body        string `json:"body"`
		ContentType string `json:"content_type"`
		IfMatch     string `json:"if_match"`
	}
	if err := s.decode(c, maxSmall, &body); err != nil {
		return err
	}
	u, err := url.Parse(body.Path)
	if err != nil || u.IsAbs() || !strings.HasPrefix(u.Path, "/") {
		return fault.Refuse("path", body.Path, &geo.ParseError{Reason: "is not the path of a call",
			Hint: "/v1/nearby?at=…"})
	}
	method := strings.ToUpper(body.Method)
	d, ok := operationOf(s.operations, method, u.Path)
	if !ok {
		return fault.New(fault.NotFound, "there is no call %s %s", method, u.Path)
	}
	r := s.request(d, base(c)+u.EscapedPath(), u.RawQuery)
	r.Body = body.Body
	if body.Body != "" {
		kind := body.ContentType
		if kind == "" {
			kind = "application/json"
		}
		r.Headers = append(r.Headers, [2]string{"Content-Type", kind})
	}
	if body.IfMatch != "" {
		r.Headers = append(r.Headers, [2]string{"If-Match", body.IfMatch})
	}
	out := []map[string]string{}
	for _, l := range snippet.Languages {
		text, err := snippet.Write(l.ID, r)
		if err != nil {
			return err
		}
		out = append(out, map[string]string{"id": l.ID, "title": l.Title, "code": text})
	}
	return c.JSON(http.StatusOK, map[string]any{"operation": d.operation.OperationID, "summary": d.operation.Summary,
		"code": out})
}

// request makes of an operation and an address what code is written of.
func (s *server) request(d described, address, query string) snippet.Request {
	r := snippet.Request{Name: d.operation.OperationID, Summary: d.operation.Summary, Notes: map[string]string{},
		Method: d.method, URL: address}
	for _, p := range d.parameters {
		if p.In == "query" {
			r.Notes[p.Name] = p.Description
		}
	}
	for part := range strings.SplitSeq(query, "&") { // in their order, which url.Values would lose
		name, value, _ := strings.Cut(part, "=")
		n, err1 := url.QueryUnescape(name)
		v, err2 := url.QueryUnescape(value)
		if err1 == nil && err2 == nil && n != "" {
			r.Query = append(r.Query, [2]string{n, v})
		}
	}
	kind, schema := s.document.answerOf(&d.operation)
	r.Answer = kind
	if strings.Contains(kind, "json") {
		r.Type = s.document.typeScript(schema, 3, "")
	}
	return r
}
