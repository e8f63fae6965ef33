package server

import (
	"bytes"
	"fmt"
	"image/png"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/codec/snippet"
)

const town = "center=-38.1102,-26.2809&zoom=14"

// size returns the sides of a picture.
func size(t *testing.T, data []byte) string {
	t.Helper()
	p, err := png.DecodeConfig(bytes.NewReader(data))
	require.NoError(t, err)
	return fmt.Sprintf("%dx%d", p.Width, p.Height)
}

func TestPicturesOfTheMap(t *testing.T) {
	s := newMapSite(t)
	s.collection()
	one := s.call("POST", items, post("Fountain", -38.1102, -26.2809), "Idempotency-Key", "1")
	require.Equal(t, 201, one.status)
	id := one.json["id"].(string)
	seen := map[string]string{}
	for _, c := range []struct{ query, size string }{
		{town, "600x400"},
		{town + "&width=300&height=200&ratio=2", "600x400"},
		{town + "&collection=posts", "600x400"},
		{"feature=" + id, "600x400"},
		{"collection=posts&fit=all&width=200&height=100", "200x100"},
		{"fit=-26.3,-38.12,-26.25,-38.09", "600x400"},
		{town + "&night=yes", "600x400"},
		{town + "&ground=relief", "600x400"},
		{town + "&ground=contrast&lettering=large", "600x400"},
		{town + "&ring=-38.1102,-26.2809;200m;800m", "600x400"},
		{town + "&mark=-38.1112,-26.2829", "600x400"},
		{"route=-38.1102,-26.2809;-38.1044,-26.2712&by=foot", "600x400"},
		{"route=-38.1102,-26.2809;-38.1044,-26.2712&by=foot&line=dashed", "600x400"},
		{"center=-38.05,179.99&zoom=3", "600x400"},
		{"center=84.9,0&zoom=0", "600x400"},
		{"", "600x400"},
	} {
		a := s.call("GET", "/v1/picture.png?"+c.query, "")
		require.Equal(t, 200, a.status, "%s %s", c.query, a.body)
		assert.Equal(t, c.size, size(t, a.body), c.query)
		for before, picture := range seen {
			assert.NotEqual(t, picture, string(a.body), "%s looks like %s", c.query, before)
		}
		seen[c.query] = string(a.body)
		again := s.call("GET", "/v1/picture.png?"+c.query, "", "If-None-Match", a.header.Get("ETag"))
		assert.Equal(t, 304, again.status, c.query)
	}
	tag := s.call("GET", "/v1/picture.png?"+town+"&collection=posts", "").header.Get("ETag")
	require.Equal(t, 201, s.call("POST", items, post("Another", -38.111, -26.282), "Idempotency-Key", "2").status)
	assert.NotEqual(t, tag, s.call("GET", "/v1/picture.png?"+town+"&collection=posts", "").header.Get("ETag"),
		"what has changed is drawn anew")
	for _, c := range []struct {
		query  string
		status int
		says   string
	}{
		{"width=100000&height=100000", 400, "must be 16 to 4096"},
		{"width=0", 400, "must be 16"},
		{"width=NaN", 400, "not a number"},
		{"width=4096&height=4096&ratio=4", 400, "pixels"},
		{"ratio=9", 400, "must be 1 to 4"},
		{"center=-38,-26&zoom=99", 400, "must be 0 to 20"},
		{"center=-126,-38", 400, "did you mean"},
		{"ground=neon", 400, "must be plain"},
		{"ring=-38,-26", 400, "is not a ring"},
		{"ring=-38,-26;500m;200m", 400, "longer"},
		{"route=-38,-26", 400, "2 to 52 stops"},
		{"route=0,0;1,1", 422, ""},
		{"feature=" + newID(), 404, "may not be seen"},
		{"collection=none", 404, "may not be seen"},
		{"address=Nowhere+Street+999999", 404, "not found"},
		{"centre=-38,-26", 400, "is not a parameter"},
		{"fit=1,2,3", 400, ""},
	} {
		a := s.call("GET", "/v1/picture.png?"+c.query, "")
		if assert.Equal(t, c.status, a.status, c.query) {
			assert.Contains(t, string(a.body), c.says, c.query)
		}
	}
}

func TestSignedPictures(t *testing.T) {
	s := newMapSite(t)
	s.collection()
	require.Equal(t, 201, s.call("PUT", "/v1/collections/secret", `{"title":"Secret"}`, "Content-Type",
		"application/json").
		status)
	_, id := s.newToken(`{"name":"pictures","scopes":["publish"],"collections":["posts"],"per_minute":50}`)
	sign := func(query, expires string) answer {
		return s.call("POST", "/v1/picture-link", fmt.Sprintf(`{"query":%q,"token":%q%s}`, query, id, expires),
			"Content-Type",
			"application/json")
	}
	a := sign(town+"&collection=posts", "")
	require.Equal(t, 200, a.status, "%s", a.body)
	link := strings.TrimPrefix(a.json["url"].(string), s.url)
	open := func(link string) answer { return s.call("GET", link, "", "Authorization", "") }
	got := open(link)
	require.Equal(t, 200, got.status, "%s", got.body)
	assert.Contains(t, got.header.Get("Cache-Control"), "public")
	assert.Equal(t, "600x400", size(t, got.body))
	for what, changed := range map[string]string{
		"another zoom":       strings.Replace(link, "zoom=14", "zoom=15", 1),
		"another collection": strings.Replace(link, "collection=posts", "collection=secret", 1),
		"one more":           link + "&width=4000",
		"no signature":       regexp.MustCompile(`&signature=[^&]*|signature=[^&]*&`).ReplaceAllString(link, ""),
		"another token":      strings.Replace(link, id, newID(), 1),
		"another path":       strings.Replace(link, "/v1/picture.png", "/v1/published", 1),
	} {
		assert.Equal(t, 401, open(changed).status, "%s: %s", what, changed)
	}
	assert.Equal(t, 404, open(strings.TrimPrefix(sign("collection=secret", "").json["url"].(string), s.url)).status,
		"what the token may not see is on no picture")
	ended := sign(town, `,"expires_at":"2001-01-01T00:00:00Z"`)
	assert.Equal(t, 401, open(strings.TrimPrefix(ended.json["url"].(string), s.url)).status)
	assert.Equal(t, 400, sign("width=100000", "").status)
	assert.Equal(t, 400, s.call("POST", "/v1/picture-link", fmt.Sprintf(`{"query":"","token":%q}`, newID()),
		"Content-Type",
		"application/json").status)
	require.Equal(t, 204, s.call("DELETE", "/v1/tokens/"+id, "").status)
	assert.Equal(t, 401, open(link).status, "the link ends with its token")
}

func TestWhatAnEmbedShows(t *testing.T) {
	s := newMapSite(t)
	s.collection()
	one := s.call("POST", items, `{"type":"Feature","geometry":{"type":"Point","coordinates":[-26.28,-38.11]},
		"properties":{"name":"<b>Open</b>","description":"for all","address":"1 Mill Lane","keeper":"Ida Marrow",
		"telephone":"+1 234 567"}}`,
		"Idempotency-Key", "1")
	hidden := s.call("POST", items, `{"type":"Feature","geometry":{"type":"Point","coordinates":[-26.27,-38.11]},
		"properties":{"name":"Hidden","visible":false}}`, "Idempotency-Key", "2")
	require.Equal(t, 201, hidden.status, "%s", hidden.body)
	secret, token := s.newToken(`{"name":"embed","scopes":["publish"],"collections":["posts"],
		"origins":["https://shop.example","https://blog.example"]}`)
	app := s.as(secret)
	a := app.call("GET", "/v1/published?collection=posts", "")
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Contains(t, string(a.body), "for all")
	for _, not := range []string{"Mill Lane", "Ida Marrow", "+1 234", "Hidden"} {
		assert.NotContains(t, string(a.body), not, "no more than describes it leaves the workbench")
	}
	assert.Len(t, a.json["features"], 1)
	assert.Equal(t, 200, app.call("GET", "/v1/published?feature="+one.json["id"].(string), "").status)
	assert.Equal(t, 404, app.call("GET", "/v1/published?feature="+newID(), "").status)
	assert.Equal(t, 404, app.call("GET", "/v1/published?address=Nowhere+Street+999999", "").status)
	way := app.call("GET", "/v1/published?route=-38.1102,-26.2809;-38.1044,-26.2712", "")
	require.Equal(t, 200, way.status, "%s", way.body)
	assert.NotNil(t, way.json["route"])
	for _, path := range []string{items, "/v1/nearby?at=-38.1,-26.2", "/v1/features?sort=name", "/v1/geocode?q=Mill",
		"/v1/changes", "/v1/collections", "/v1/tokens", "/v1/bin", "/v1/interpret?q=Open"} {
		assert.Equal(t, 403, app.call("GET", path, "").status, "a publishing token shows what is published, and no "+
			"more: %s",
			path)
	}
	for query, frames := range map[string]string{
		"?token=" + token:   "frame-ancestors 'self' https://shop.example https://blog.example",
		"":                  "frame-ancestors 'self'",
		"?token=" + newID(): "frame-ancestors 'self'",
		"?token=<script>":   "frame-ancestors 'self'",
	} {
		a := s.call("GET", "/embed"+query, "", "Authorization", "")
		require.Equal(t, 200, a.status, "%s", a.body)
		policy := a.header.Get("Content-Security-Policy")
		assert.True(t, strings.HasSuffix(policy, frames), policy)
		assert.Contains(t, policy, "script-src 'self'")
		assert.NotContains(t, string(a.body), "<script>?")
	}
}

// Every call of the document can be written in every language.
func TestEveryCallAsCode(t *testing.T) {
	s := newSite(t)
	for _, o := range document(t).operations {
		path := strings.NewReplacer("{id}", newID(), "{collection}", "posts", "{", "", "}",
			"").Replace(strings.Join(o.path, "/"))
		if path == "" {
			path = "/"
		}
		body := fmt.Sprintf(`{"method":%q,"path":%q,"body":%q}`, o.method, path+"?q="+url.QueryEscape(`a "b" $c`),
			`{"x":1}`)
		a := s.call("POST", "/v1/code", body, "Content-Type", "application/json")
		require.Equal(t, 200, a.status, "%s %s: %s", o.method, path, a.body)
		code := a.json["code"].([]any)
		require.Len(t, code, len(snippet.Languages))
		for _, one := range code {
			text := one.(map[string]any)["code"].(string)
			assert.Contains(t, text, "VIANDANTE_TOKEN")
			assert.NotContains(t, text, "Bearer "+s.token, "the token is a variable")
		}
	}
	for body, status := range map[string]int{`{"method":"GET","path":"/v1/nothing"}`: 404,
		`{"method":"GET","path":"https://evil.example/v1/nearby"}`: 400, `{"method":"GET","path":"nearby"}`: 400} {
		assert.Equal(t, status, s.call("POST", "/v1/code", body, "Content-Type", "application/json").status, body)
	}
}

var links = regexp.MustCompile(`href="(/docs[^"]*)"`)

func TestTheReference(t *testing.T) {
	s := newSite(t)
	seen := map[string]bool{}
	queue := []string{"/docs"}
	for len(queue) > 0 {
		at, _, _ := strings.Cut(queue[0], "#")
		queue = queue[1:]
		if seen[at] {
			continue
		}
		seen[at] = true
		a := s.call("GET", at, "", "Authorization", "")
		require.Equal(t, 200, a.status, at)
		assert.Contains(t, a.header.Get("Content-Security-Policy")+"frame-ancestors 'none'", "frame-ancestors 'none'")
		for _, m := range links.FindAllStringSubmatch(string(a.body), -1) {
			queue = append(queue, m[1])
		}
	}
	assert.Greater(t, len(seen), 20)
	for kind, p := range problems {
		assert.NotEmpty(t, remedies[p.name], "the problem %d %s has a remedy", kind, p.name)
	}
	all := ""
	for at := range seen {
		all += string(s.call("GET", at, "", "Authorization", "").body)
	}
	for _, o := range document(t).operations {
		assert.Contains(t, all, strings.Join(o.path, "/"), "every call is in the reference")
	}
	for query, found := range map[string]string{"revoke token": "/docs/publish", "429": "/docs/errors#too-many",
		"nearby": "#nearby", "<script>": "Nothing has all"} {
		a := s.call("GET", "/docs/search?q="+url.QueryEscape(query), "", "Authorization", "")
		assert.Contains(t, string(a.body), found, query)
		assert.NotContains(t, string(a.body), "<script>\"", query)
	}
	assert.Equal(t, 404, s.call("GET", "/docs/nothing", "", "Authorization", "").status)
}
