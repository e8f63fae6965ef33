package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/service/access"
)

// token makes a token and returns its secret and its id.
func (s *site) newToken(draft string) (secret, id string) {
	s.t.Helper()
	a := s.call("POST", "/v1/tokens", draft, "Content-Type", "application/json")
	require.Equal(s.t, 201, a.status, "%s", a.body)
	return a.json["secret"].(string), a.json["token"].(map[string]any)["id"].(string)
}

// as is the site asked with another token.
func (s *site) as(secret string) *site {
	return &site{t: s.t, url: s.url, token: secret, store: s.store, service: s.service, workspace: s.workspace,
		document: s.document, handler: s.handler, config: s.config}
}

func TestTokensAreMadeOnceAndRevokedAtOnce(t *testing.T) {
	s := newSite(t)
	s.collection()
	secret, id := s.newToken(`{"name":" The app ","scopes":["read"],"collections":["posts"],
		"origins":["https://App.example/"],"expires_at":"2030-01-01T00:00:00Z","per_minute":100,"per_day":1000}`)
	list := s.call("GET", "/v1/tokens", "")
	assert.NotContains(t, string(list.body), secret)
	var mine map[string]any
	for _, one := range list.json["tokens"].([]any) {
		if one := one.(map[string]any); one["id"] == id {
			mine = one
		}
	}
	assert.Equal(t, "The app", mine["name"])
	assert.Equal(t, []any{"https://app.example"}, mine["origins"])
	assert.True(t, strings.HasSuffix(secret, mine["hint"].(string)))
	app := s.as(secret)
	first := app.call("GET", items, "")
	require.Equal(t, 200, first.status)
	assert.Equal(t, `"minute";q=100;w=60, "day";q=1000;w=86400`, first.header.Get("RateLimit-Policy"))
	assert.Contains(t, first.header.Get("RateLimit"), `"minute";r=99;t=`)
	assert.Equal(t, 403, app.call("GET", items, "", "Origin", "https://evil.example").status)
	assert.Equal(t, 200, app.call("GET", items, "", "Origin", "https://app.example").status)

	// Another secret, with the old one beside it; then without.
	a := s.call("POST", "/v1/tokens/"+id+"/rotate?overlap=1h", "")
	require.Equal(t, 201, a.status, "%s", a.body)
	second := s.as(a.json["secret"].(string))
	assert.Equal(t, 200, app.call("GET", items, "").status, "both are good")
	assert.Equal(t, 200, second.call("GET", items, "").status)
	a = s.call("POST", "/v1/tokens/"+id+"/rotate", "")
	third := s.as(a.json["secret"].(string))
	assert.Equal(t, 401, app.call("GET", items, "").status)
	assert.Equal(t, 401, second.call("GET", items, "").status)
	assert.Equal(t, 200, third.call("GET", items, "").status)

	// A stream that is open with it ends, too, and what somebody signed in with.
	req, err := http.NewRequestWithContext(t.Context(), "GET", s.url+"/v1/changes", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+third.token)
	stream, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer stream.Body.Close()
	_, err = stream.Body.Read(make([]byte, 10))
	require.NoError(t, err)
	in := s.call("POST", "/session", fmt.Sprintf(`{"token":%q}`, third.token), "Content-Type", "application/json",
		"Authorization", "")
	require.Equal(t, 200, in.status, "%s", in.body)
	cookie := strings.Split(in.header.Get("Set-Cookie"), ";")[0]
	assert.Equal(t, 200, s.call("GET", items, "", "Authorization", "", "Cookie", cookie).status)
	require.Equal(t, 204, s.call("DELETE", "/v1/tokens/"+id, "").status)
	assert.Equal(t, 401, third.call("GET", items, "").status)
	assert.Equal(t, 401, s.call("GET", items, "", "Authorization", "", "Cookie", cookie).status)
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for {
			if _, err := stream.Body.Read(make([]byte, 1000)); err != nil {
				return
			}
		}
	}()
	select {
	case <-ended:
	case <-time.After(10 * time.Second):
		t.Error("the stream goes on after its token was revoked")
	}
	assert.Equal(t, 404, s.call("DELETE", "/v1/tokens/"+id, "").status)
	assert.Equal(t, 404, s.call("POST", "/v1/tokens/"+id+"/rotate", "").status)
}

// Another process on the same database hears of it within some beats of its feed, though it remembers the token.
func TestATokenIsRevokedInAllProcesses(t *testing.T) {
	s := newSite(t)
	s.collection()
	secret, id := s.newToken(`{"name":"a","scopes":["read"]}`)
	other := access.NewGate(s.store, time.Now)
	_, err := other.Look(t.Context(), secret)
	require.NoError(t, err)
	s.service.OnToken(other.Forget) // as the service of the other process does, which follows the same log
	require.Equal(t, 204, s.call("DELETE", "/v1/tokens/"+id, "").status)
	began := time.Now()
	assert.Eventually(t, func() bool { _, err := other.Look(t.Context(), secret); return err != nil },
		access.KnownFor-time.Second, 5*time.Millisecond)
	t.Logf("heard of after %v", time.Since(began))
}

func TestTokensThatCannotBe(t *testing.T) {
	s := newSite(t)
	s.collection()
	for _, c := range []struct {
		draft  string
		status int
		says   string
	}{
		{`{"name":"","scopes":["read"]}`, 400, "1 to 100"},
		{`{"name":"a","scopes":[]}`, 400, "at least one scope"},
		{`{"name":"a","scopes":["root"]}`, 400, "at least one scope"},
		{`{"name":"a","scopes":["read"],"expires_at":"2001-01-01T00:00:00Z"}`, 400, "must lie ahead"},
		{`{"name":"a","scopes":["read"],"origins":["*"]}`, 400, "origin"},
		{`{"name":"a","scopes":["read"],"origins":["https://a.example/path"]}`, 400, "origin"},
		{`{"name":"a","scopes":["read"],"origins":["javascript:alert(1)"]}`, 400, "origin"},
		{`{"name":"a","scopes":["read"],"per_minute":-1}`, 400, "for any number"},
		{`{"name":"a","scopes":["publish"]}`, 400, "name the collections"},
		{`{"name":"a","scopes":["read"],"secret":"mine"}`, 400, "not a member"},
	} {
		a := s.call("POST", "/v1/tokens", c.draft, "Content-Type", "application/json")
		assert.Equal(t, c.status, a.status, "%s: %s", c.draft, a.body)
		assert.Contains(t, string(a.body), c.says, c.draft)
	}
	limited, _ := s.newToken(`{"name":"a","scopes":["read","admin"],"collections":["posts"]}`)
	a := s.as(limited).call("POST", "/v1/tokens", `{"name":"b","scopes":["write"]}`, "Content-Type", "application/json")
	assert.Equal(t, 403, a.status, "who is limited hands on no more than he has: %s", a.body)
	expired, _ := s.newToken(fmt.Sprintf(`{"name":"a","scopes":["read"],"expires_at":%q}`,
		time.Now().Add(time.Second).UTC().Format(time.RFC3339Nano)))
	s.expire()
	assert.Equal(t, 401, s.as(expired).call("GET", items, "").status)
}

func TestCallsByMinuteAndDay(t *testing.T) {
	s := newSite(t)
	s.collection()
	secret, id := s.newToken(`{"name":"a","scopes":["read"],"per_minute":3}`)
	app := s.as(secret)
	for range 3 {
		require.Equal(t, 200, app.call("GET", items, "").status)
	}
	a := app.call("GET", "/v1/collections", "")
	assert.Equal(t, 429, a.status)
	assert.Contains(t, string(a.body), "3 calls a minute")
	assert.Regexp(t, `^[1-9][0-9]?$`, a.header.Get("Retry-After"))
	assert.Contains(t, a.header.Get("RateLimit"), `"minute";r=0;t=`)
	in := s.call("POST", "/session", fmt.Sprintf(`{"token":%q}`, secret), "Content-Type", "application/json",
		"Authorization", "")
	cookie := strings.Split(in.header.Get("Set-Cookie"), ";")[0]
	assert.Equal(t, 429, s.call("GET", items, "", "Authorization", "", "Cookie", cookie).status,
		"signing in with it is no way round")

	use := s.call("GET", "/v1/tokens/"+id+"/use", "")
	require.Equal(t, 200, use.status)
	byCall := map[string]string{}
	for _, u := range use.json["use"].([]any) {
		u := u.(map[string]any)
		byCall[u["call"].(string)] = fmt.Sprint(u["answered"], "/", u["refused"])
	}
	assert.Equal(t, map[string]string{"GET /ogc/collections/:collection/items": "3/1", "GET /v1/collections": "0/1"},
		byCall)

	day, _ := s.newToken(`{"name":"b","scopes":["read"],"per_day":2}`)
	app = s.as(day)
	require.Equal(t, 200, app.call("GET", items, "").status)
	require.NoError(t, s.config.Gate.Flush(t.Context()))
	other := access.NewGate(s.store, time.Now) // another process, or this one after a restart
	cred, err := other.Look(t.Context(), day)
	require.NoError(t, err)
	_, err = other.Admit(t.Context(), cred, "GET /x")
	require.NoError(t, err)
	_, err = other.Admit(t.Context(), cred, "GET /x")
	assert.ErrorContains(t, err, "2 calls a day", "what the first has counted counts")
	require.NoError(t, other.Flush(t.Context()))
	require.NoError(t, s.config.Gate.Flush(t.Context()))
	assert.Equal(t, 429, app.call("GET", items, "").status)
}

// What a token reads that was leaked: every route is walked, by every method, with bodies that would do harm, and
// nothing that it is not for is seen or changed.
func TestALeakedTokenDoesNothingBeyondItsLimits(t *testing.T) {
	s := newMapSite(t)
	s.collection()
	const hidden = "HIDDEN-4711"
	require.Equal(t, 201, s.call("PUT", "/v1/collections/secret", `{"title":"`+hidden+`"}`, "Content-Type",
		"application/json").status)
	seen := s.call("POST", items, post("Seen", -38.05, -26.1), "Idempotency-Key", "1")
	require.Equal(t, 201, seen.status)
	unseen := s.call("POST", "/ogc/collections/secret/items", post(hidden, -38.05, -26.1), "Idempotency-Key", "2")
	require.Equal(t, 201, unseen.status)
	id, other := seen.json["id"].(string), unseen.json["id"].(string)
	gone := s.call("POST", "/ogc/collections/secret/items", post(hidden+" gone", -38.05, -26.1), "Idempotency-Key", "3")
	require.Equal(t, 204, s.call("DELETE", "/ogc/collections/secret/items/"+gone.json["id"].(string), "", "If-Match",
		"*").
		status)
	kept := map[string]string{}
	for what, body := range map[string]string{
		"views":      `{"name":"` + hidden + `","center":[-26.1,-38.05],"zoom":12}`,
		"parties":    `{"name":"` + hidden + `"}`,
		"watches":    `{"name":"` + hidden + `","center":[-26.1,-38.05],"within_m":500,"people":true,"places":false}`,
		"rehearsals": `{"name":"` + hidden + `","by":"foot","line":[[-26.1,-38.05],[-26.11,-38.06]]}`,
	} {
		kept[what] = newID()
		if a := s.call("PUT", "/v1/"+what+"/"+kept[what], body, "Content-Type", "application/json", "If-None-Match",
			"*"); a.status != 201 {
			require.Equal(t, 201, a.status, "%s: %s", what, a.body)
		}
	}
	secret, token := s.newToken(`{"name":"leaked","scopes":["read"],"collections":["posts"]}`)
	app := s.as(secret)
	before := s.call("GET", "/v1/collections", "").header.Get("Viandante-Change")
	harmful := map[string]string{}
	for _, method := range []string{"POST", "PUT", "PATCH", "DELETE"} {
		harmful[method] = `{"title":"mine","name":"mine","scopes":["read"],"changes":[{"collection":"secret","id":"` +
			other +
			`","delete":true,"version":1}],"type":"Feature","geometry":null,"properties":{"name":"mine"}}`
	}
	walked, refused, answered := 0, 0, 0
	for _, route := range s.routes() {
		method, path, _ := strings.Cut(route, " ")
		if !strings.HasPrefix(path, "/v1") && !strings.HasPrefix(path, "/ogc") || strings.HasSuffix(path, "/stream") ||
			path == "/v1/changes" || path == "/v1/watches/events" {
			continue // streams are read below
		}
		for _, collection := range []string{"posts", "secret"} {
			for _, one := range []string{id, other, kept["parties"], kept["watches"], kept["views"], kept["rehearsals"],
				token} {
				walked++
				at := strings.NewReplacer(":collection", collection, ":id", one, ":category", "fountain", ":member",
					newID(),
					":version", "x", ":z", "10", ":x", "437", ":y", "638", ":party", kept["parties"], ":hash", "x",
					":number", "1", ":name", "x").Replace(path)
				if strings.Contains(at, ":") {
					at = strings.ReplaceAll(at, ":", "x")
				}
				query := map[string]string{"/v1/nearby": "?at=-38.05,-26.1&limit=100", "/v1/interpret": "?q=" + hidden,
					"/v1/features": "?sort=name", "/v1/collections/" + collection + "/export": "?format=csv",
					"/v1/places/tiles/10/437/638": ""}[at]
				req, err := http.NewRequest(method, s.url+at+query, strings.NewReader(harmful[method]))
				require.NoError(t, err)
				req.Header.Set("Authorization", "Bearer "+secret)
				req.Header.Set("Content-Type", "application/json")
				req.Header.Set("If-Match", "*")
				a := app.raw(req)
				assert.NotContains(t, string(a.body), hidden, route)
				assert.Less(t, a.status, 500, "%s %s", route, a.body)
				if a.status >= 400 {
					refused++
				} else {
					answered++
				}
				if reading := method == "GET" || method == "HEAD"; !reading && a.status < 400 {
					assert.Contains(t, []string{"/v1/shape", "/v1/code"}, path, "%s is answered: %s", route, a.body)
				}
				for _, not := range []string{"/v1/tokens", "/v1/geocode", "/v1/route", "/v1/parties", "/v1/watches"} {
					if strings.HasPrefix(path, not) {
						assert.Equal(t, 403, a.status, "%s %s", route, a.body)
					}
				}
			}
		}
	}
	t.Logf("%d requests walked, %d refused, %d answered", walked, refused, answered)
	assert.Greater(t, answered, 20, "what it is for it does")
	now := s.call("GET", "/v1/collections", "").header.Get("Viandante-Change")
	assert.Equal(t, before, now, "nothing was changed")

	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, "GET", s.url+"/v1/changes?since=0", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+secret)
	stream, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer stream.Body.Close()
	all := make([]byte, 0, 1<<16)
	buffer := make([]byte, 1<<16)
	for {
		n, err := stream.Body.Read(buffer)
		all = append(all, buffer[:n]...)
		if err != nil {
			break
		}
	}
	assert.Contains(t, string(all), "Seen")
	assert.NotContains(t, string(all), hidden)
	for _, topics := range []string{"positions", "watch-events"} {
		assert.Equal(t, 403, app.call("GET", "/v1/changes?topics="+topics, "").status)
	}
	noScope := access.Credential{}
	assert.Error(t, noScope.Actor().MayAsk(), "a token without a scope may do nothing")
}

// raw sends a request as it is, and does not hold it to the document: it may be any.
func (s *site) raw(r *http.Request) answer {
	s.t.Helper()
	resp, err := http.DefaultTransport.RoundTrip(r)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	out := answer{status: resp.StatusCode, header: resp.Header}
	buffer := make([]byte, 1<<16)
	for {
		n, err := resp.Body.Read(buffer)
		out.body = append(out.body, buffer[:n]...)
		if err != nil {
			break
		}
	}
	_ = json.Unmarshal(out.body, &out.json) // not all are JSON
	return out
}
