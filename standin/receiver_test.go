package standin

import (
	"encoding/json"
	"net/http/httptest"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestReadingLinks(t *testing.T) {
	for link, want := range map[string]Arrived{
		"geo:-38.1,-26.2;u=35;name=A%20b": {Scheme: "geo", Position: "-38.1,-26.2", Path: []string{"-38.1,-26.2"},
			Parameters: []Parameter{{"u", "35"}, {"name", "A b"}}},
		"https://maps.example/a%2Fb/c?lat=1&lng=2&n=x+y%2B#z": {Scheme: "https", Host: "maps.example", Position: "1,2",
			Path: []string{"a/b", "c"}, Parameters: []Parameter{{"lat", "1"}, {"lng", "2"}, {"n", "x y+"}},
			Fragment: "z"},
		"app://x?lat=91&lng=2": {Scheme: "app", Host: "x", Path: []string{},
			Parameters: []Parameter{{"lat", "91"}, {"lng", "2"}}},
	} {
		got := Read(link)
		got.UncertaintyM, want.Link = nil, link
		assert.Equal(t, want, got)
	}
	for _, link := range []string{"https://x/%zz", "geo:north,south", "https://x/?a=%zz", "://"} {
		assert.NotEmpty(t, Read(link).Trouble, link)
	}
}

func TestTheReceiverShowsWhatItGot(t *testing.T) {
	link := "geo:1,2;name=%3Cscript%3Ealert(1)%3C%2Fscript%3E"
	ask := func(path, accept string) *httptest.ResponseRecorder {
		w := httptest.NewRecorder()
		r := httptest.NewRequest("GET", path, nil)
		r.Header.Set("Accept", accept)
		Receiver().ServeHTTP(w, r)
		return w
	}
	page := ask("/?link="+url.QueryEscape(link), "text/html")
	assert.Contains(t, page.Body.String(), "&lt;script&gt;alert(1)&lt;/script&gt;")
	assert.NotContains(t, page.Body.String(), "<script")
	assert.Contains(t, page.Header().Get("Content-Security-Policy"), "default-src 'none'")
	var got Arrived
	require.NoError(t, json.Unmarshal(ask("/at?lat=1&lng=2&name=A%26B", "application/json").Body.Bytes(), &got))
	assert.Equal(t, "1,2", got.Position)
	assert.Equal(t, Parameter{"name", "A&B"}, got.Parameters[2])
}
