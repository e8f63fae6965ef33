package server

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/fstest"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/demo/demotest"
	"viandante/service"
	"viandante/service/access"
	"viandante/store"
	"viandante/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// site is a running server with the island, a workspace with a token, and the document that its answers are held to.
type site struct {
	t         *testing.T
	url       string
	token     string
	store     *store.Store
	service   *service.Service
	workspace uuid.UUID
	document  *contract
	handler   http.Handler
	config    Config
	clock     atomic.Int64 // how far the server's clock is ahead
}

// newSite returns a site without map data, newMapSite one with the island.
func newSite(t *testing.T) *site {
	t.Helper()
	return newSiteWith(t, func(*service.Service) {})
}

func newMapSite(t *testing.T) *site {
	t.Helper()
	return newSiteWith(t, func(svc *service.Service) {
		_, err := svc.UseRegion(t.Context(), "island", "", demotest.Island(t).File)
		require.NoError(t, err)
	})
}

func newSiteWith(t *testing.T, prepare func(*service.Service)) *site {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	db := storetest.Open(t)
	ws := uuid.Must(uuid.NewV7())
	require.NoError(t, db.CreateWorkspace(ctx, ws, "test"))
	require.NoError(
		t,
		db.AddCredential(
			ctx,
			"secret",
			store.Credential{
				Workspace: ws,
				Kind:      store.Token,
				Name:      "tester",
				Scopes:    access.AllScopes,
				Origins:   "https://app.example",
			},
		),
	)
	require.NoError(
		t,
		db.AddCredential(
			ctx,
			"reader",
			store.Credential{Workspace: ws, Kind: store.Token, Name: "reader", Scopes: "read geocode route"},
		),
	)
	svc := service.New(db, t.TempDir(), slog.New(slog.DiscardHandler), service.Options{})
	prepare(svc)
	require.NoError(t, svc.Load(ctx))
	var err error
	out := &site{t: t, token: "secret", store: db, service: svc, workspace: ws}
	now := func() time.Time { return time.Now().Add(time.Duration(out.clock.Load())) }
	out.config = Config{Service: svc, Gate: access.NewGate(db, now), Log: slog.New(slog.DiscardHandler), Now: now,
		Page: fstest.MapFS{"index.html": {Data: []byte("<title>page</title>")},
			"embed.html": {Data: []byte("<title>map</title>")}, "assets/a.js": {Data: []byte("1")}},
		Demo: &Demo{Demo: access.Demo{Workspace: ws, Standpoint: geo.MustPoint(-38.1, -26.1)}}}
	out.handler, err = New(ctx, out.config)
	require.NoError(t, err)
	s := httptest.NewServer(
		http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { out.handler.ServeHTTP(w, r) }),
	)
	var following sync.WaitGroup
	following.Go(func() { svc.Run(ctx) })
	t.Cleanup(func() { cancel(); s.Close(); following.Wait(); svc.Close() })
	out.url = s.URL
	out.document = document(t)
	return out
}

// hosts has the server answer under more names.
func (s *site) hosts(names ...string) {
	s.t.Helper()
	s.config.Hosts = names
	var err error
	s.handler, err = New(s.t.Context(), s.config)
	require.NoError(s.t, err)
}

// expire lets the time pass in which a credential is taken for good without asking.
func (s *site) expire() { s.clock.Add(int64(2 * access.KnownFor)) }

// routes are those that the server has, the page's apart, as METHOD path.
func (s *site) routes() (out []string) {
	for _, r := range newRoutes(s.t, s.config) {
		if r.Method != echo.RouteNotFound && !strings.HasPrefix(r.Path, StandInPath) && r.Path != "/*" {
			out = append(out, r.Method+" "+r.Path)
		}
	}
	return out
}

func newRoutes(t *testing.T, c Config) echo.Routes {
	t.Helper()
	h, err := New(t.Context(), c)
	require.NoError(t, err)
	return h.(*echo.Echo).Router().Routes()
}

type answer struct {
	status int
	header http.Header
	body   []byte
	json   map[string]any
}

// call sends a request and holds request and answer to the OpenAPI document. A request that is meant to be wrong is not
// held to it.
func (s *site) call(method, path, body string, headers ...string) answer {
	s.t.Helper()
	req, err := http.NewRequest(method, s.url+path, strings.NewReader(body))
	require.NoError(s.t, err)
	req.Header.Set("Authorization", "Bearer "+s.token)
	if body != "" {
		req.Header.Set("Content-Type", "application/geo+json")
	}
	for i := 0; i < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
		if headers[i+1] == "" {
			req.Header.Del(headers[i])
		}
	}
	resp, err := http.DefaultTransport.RoundTrip(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	if resp.StatusCode < 400 {
		s.document.holdRequest(s.t, req, body)
	}
	s.document.holdAnswer(s.t, req, resp, string(data))
	a := answer{status: resp.StatusCode, header: resp.Header, body: data}
	if kind := resp.Header.Get("Content-Type"); strings.Contains(kind, "json") && kind != textSeq &&
		kind != linesType {
		require.NoError(s.t, json.Unmarshal(data, &a.json), "%s", data)
	}
	return a
}

func (a answer) features() []map[string]any {
	var out []map[string]any
	list, _ := a.json["features"].([]any)
	for _, f := range list {
		out = append(out, f.(map[string]any))
	}
	return out
}

func prop(f map[string]any, name string) any { return f["properties"].(map[string]any)[name] }

func (s *site) collection() {
	s.t.Helper()
	a := s.call("PUT", "/v1/collections/posts", `{"title":"Posts"}`, "Content-Type", "application/json")
	require.Equal(s.t, 201, a.status, "%s", a.body)
}

func post(name string, lat, lng float64) string {
	text, _ := json.Marshal(
		map[string]any{
			"type":       "Feature",
			"geometry":   map[string]any{"type": "Point", "coordinates": []float64{lng, lat}},
			"properties": map[string]any{"name": name, "category": "fountain", "open": true},
		},
	)
	return string(text)
}

const items = "/ogc/collections/posts/items"

func newID() string { return uuid.Must(uuid.NewV7()).String() }

func TestStateAndDocument(t *testing.T) {
	s := newSite(t)
	assert.Equal(t, "alive", s.call("GET", "/healthz", "").json["status"])
	assert.Equal(t, "ready", s.call("GET", "/readyz", "").json["status"])
	assert.Equal(t, "3.1.0", s.call("GET", "/openapi.json", "").json["openapi"])
}

func TestMeasure(t *testing.T) {
	s := newSite(t)
	a := s.call("GET", "/v1/measure?from=-30,0&to=29.9,179.8", "")
	require.Equal(t, 200, a.status)
	assert.InDelta(t, 19989832.827610, a.json["distance_m"], 1e-3, "Karney 2013, table 3")
	assert.InDelta(t, 161.890524736, a.json["initial_bearing_deg"], 1e-6)
	a = s.call("GET", "/v1/measure?from=1,2&to=1,2&model=sphere", "")
	assert.Nil(t, a.json["initial_bearing_deg"])
	assert.Equal(t, "sphere", a.json["model"])
	a = s.call("GET", "/v1/destination?from=40,0&bearing=30&distance=10000km", "")
	assert.InDelta(t, 137.84490004377, a.json["point"].(map[string]any)["coordinates"].([]any)[0], 1e-9)
	assert.Equal(t, 422, s.call("GET", "/v1/destination?from=80,0&bearing=10&distance=3000km&model=rhumb", "").status)
}

func TestWrongValuesAreNamedWithWhatWouldBeRight(t *testing.T) {
	s := newSite(t)
	for path, want := range map[string]string{
		"/v1/measure?from=138.1,-26&to=1,2":       "did you mean -26,138.1?",
		"/v1/measure?from=1,2":                    "to=-38.1402,-26.0517",
		"/v1/measure?from=NaN,2&to=1,2":           "decimal",
		"/v1/measure?from=1,2&to=3,4&model=flat":  "ellipsoid, sphere or rhumb",
		"/v1/nearby?at=1,2&within=5parsec":        "800m, 5km",
		"/v1/nearby?at=1,2&limit=0":               "1 to 10000",
		"/v1/nearby?at=1,2&within=1km&beyond=2km": "beyond",
		"/v1/nearby?at=1,2&radius=5":              "within",
		"/v1/nearby?at=1,2&at=3,4":                "more than once",
		"/v1/nearby?at=%ff,2":                     "UTF-8",
		"/v1/geocode":                             "q=",
		"/v1/route?from=1,2&to=3,4&by=donkey":     "bicycle, car, foot",
		"/v1/tiles/x/1.5/0/0":                     "whole number",
		"/v1/changes?since=-1":                    "change's number",
	} {
		a := s.call("GET", path, "")
		require.Equal(t, 400, a.status, "%s: %s", path, a.body)
		assert.Contains(t, string(a.body), strings.ReplaceAll(want, "&", `\u0026`), path)
		assert.NotEmpty(t, a.json["request_id"])
		assert.NotEmpty(t, a.json["errors"], path)
	}
}

func TestTheLifeOfAFeature(t *testing.T) {
	s := newSite(t)
	s.collection()
	id := newID()
	a := s.call("PUT", items+"/"+id, post("Mill <b>Fountain</b>", -38.1, -26.1))
	require.Equal(t, 201, a.status, "%s", a.body)
	tag := a.header.Get("ETag")
	require.NotEmpty(t, tag)
	assert.Equal(t, s.url+items+"/"+id, a.header.Get("Location"))

	assert.Equal(
		t,
		200,
		s.call("PUT", items+"/"+id, post("Mill <b>Fountain</b>", -38.1, -26.1), "If-None-Match", "*").status,
		"a retry doubles nothing",
	)
	assert.Equal(t, 428, s.call("PUT", items+"/"+id, post("Other", -38.1, -26.1)).status)
	a = s.call("PUT", items+"/"+id, post("Other", -38.1, -26.1), "If-None-Match", "*")
	assert.Equal(t, 412, a.status)
	assert.Equal(t, 428, s.call("DELETE", items+"/"+id, "").status)

	a = s.call(
		"PATCH",
		items+"/"+id,
		`{"properties":{"open":null,"note":"wet"}}`,
		"If-Match",
		tag,
		"Content-Type",
		"application/merge-patch+json",
	)
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Equal(t, "wet", prop(a.json, "note"))
	assert.NotContains(t, a.json["properties"], "open")
	assert.Equal(t, "Mill <b>Fountain</b>", prop(a.json, "name"))

	stale := s.call("PUT", items+"/"+id, post("Mine", -38, -26), "If-Match", tag)
	require.Equal(t, 412, stale.status)
	assert.Equal(
		t,
		"wet",
		prop(stale.json["current"].(map[string]any), "note"),
		"both versions are there to choose from",
	)

	got := s.call("GET", items+"/"+id, "")
	assert.Equal(t, got.header.Get("ETag"), a.header.Get("ETag"))
	back := s.call("PUT", items+"/"+id, string(got.body), "If-Match", got.header.Get("ETag"))
	assert.Equal(t, 200, back.status, "what was read can be written back: %s", back.body)

	require.Equal(t, 204, s.call("DELETE", items+"/"+id, "", "If-Match", back.header.Get("ETag")).status)
	assert.Equal(t, 404, s.call("GET", items+"/"+id, "").status)
	assert.Equal(t, 404, s.call("DELETE", items+"/"+id, "", "If-Match", "*").status)
	assert.Equal(t, 201, s.call("PUT", items+"/"+id, post("Back again", -38, -26), "If-None-Match", "*").status)
}

func TestPostWithAKeyIsDoneOnce(t *testing.T) {
	s := newSite(t)
	s.collection()
	first := s.call("POST", items, post("One", 1, 2), "Idempotency-Key", "k1")
	require.Equal(t, 201, first.status, "%s", first.body)
	again := s.call("POST", items, post("One", 1, 2), "Idempotency-Key", "k1")
	assert.Equal(t, first.json["id"], again.json["id"])
	assert.Equal(t, 409, s.call("POST", items, post("Two", 1, 2), "Idempotency-Key", "k1").status)
	assert.Len(t, s.call("GET", items, "").features(), 1)
}

func TestHostileFeatures(t *testing.T) {
	s := newSite(t)
	s.collection()
	for body, want := range map[string]string{
		post("Swapped", -126, -38):                                     "did you mean",
		`{"type":"Feature","geometry":null,"properties":{"walk_s":3}}`: "without _s",
		`{"type":"Feature","geometry":null,"properties":{"name":7}}`:   "not a text",

		`{"type":"Feature","geometry":` +
			`{"type":"Point","coordinates":[1e999,2]},"properties":{}}`: "are not the coordinates of a Point",

		`{"type":"Feature","geometry":null,"properties":{"name":"` + strings.Repeat("x", 10_001) +
			`"}}`: "at most 10000",
		`{"type":"Feature","geometry":null`:                                           "byte",
		"{\"type\":\"Feature\",\"geometry\":null,\"properties\":{\"name\":\"\xff\"}}": "UTF-8",
		`[]`: "JSON",
	} {
		a := s.call("POST", items, body)
		require.Equal(t, 400, a.status, "%.100s: %s", body, a.body)
		assert.Contains(t, string(a.body), want)
	}
	assert.Equal(t, 404, s.call("POST", "/ogc/collections/none/items", post("x", 1, 2)).status)
	assert.Equal(t, 400, s.call("GET", items+"/not-an-id", "").status)
	assert.Equal(t, 413, s.call("POST", items, `{"x":"`+strings.Repeat("x", maxFeature)+`"}`).status)
	unknown := s.call("POST", items, `{"type":"Feature","geometry":null,"properties":{"name":"Somewhere"}}`)
	require.Equal(t, 201, unknown.status, "a place may be kept before its position is known")
	assert.Nil(t, unknown.json["geometry"])
}

func TestNearbyAcrossTheAntimeridian(t *testing.T) {
	s := newSite(t)
	s.collection()
	for name, lng := range map[string]float64{"west": 179.99, "line": 180, "east": -179.99, "far": -179.9} {
		require.Equal(t, 201, s.call("PUT", items+"/"+newID(), post(name, 0, lng)).status)
	}
	names := func(path string) (out []string) {
		a := s.call("GET", path, "")
		require.Equal(t, 200, a.status, "%s", a.body)
		for _, f := range a.features() {
			out = append(out, prop(f, "name").(string))
		}
		return out
	}
	assert.Equal(t, []string{"east", "line", "west"}, names("/v1/nearby?at=0,-179.99&within=5km"))
	assert.Equal(t, []string{"line", "west"}, names("/v1/nearby?at=0,-179.99&within=5km&beyond=1m"))
	assert.Equal(t, []string{"east", "line"}, names("/v1/nearby?at=0,-179.99&limit=2"))
	assert.Empty(t, names("/v1/nearby?at=0,-179.99&within=5km&category=shelter"))
	assert.Empty(t, names("/v1/nearby?at=0,-179.99&within=5km&collection=other"))
	a := s.call("GET", "/v1/nearby?at=0,-179.99&within=5km&limit=2", "")
	assert.Equal(t, true, a.json["truncated"])
	assert.Nil(t, prop(a.features()[0], "bearing_deg"), "no direction to where one stands")
	assert.Equal(t, 270.0, prop(a.features()[1], "bearing_deg"))
	assert.InDelta(t, 1113.195, prop(a.features()[1], "distance_m"), 0.001)
	assert.Len(t, names(items+"?bbox=179.98,-1,-179.95,1"), 3)
}

func TestPagesLinkToTheNext(t *testing.T) {
	s := newSite(t)
	s.collection()
	for i := range 7 {
		require.Equal(t, 201, s.call("PUT", items+"/"+newID(), post(fmt.Sprint(i), 1, 2)).status)
	}
	seen := 0
	for path := items + "?limit=3&category=fountain"; path != ""; {
		a := s.call("GET", path, "")
		require.Equal(t, 200, a.status, "%s", a.body)
		seen += len(a.features())
		path = ""
		for _, l := range a.json["links"].([]any) {
			if l.(map[string]any)["rel"] == "next" {
				path = strings.TrimPrefix(l.(map[string]any)["href"].(string), s.url)
			}
		}
	}
	assert.Equal(t, 7, seen)
	assert.Len(t, s.call("GET", items+"?open=true&name=3", "").features(), 1)
	assert.Empty(t, s.call("GET", items+"?colour=red", "").features())
	assert.Equal(t, 400, s.call("GET", items+"?datetime=2026-01-01", "").status)
}

func TestGeocodeThereAndBack(t *testing.T) {
	s := newMapSite(t)
	label := demotest.Island(t).Label(t, "3", "Quillmere")
	a := s.call("GET", "/v1/geocode?q="+url.QueryEscape(strings.ToLower(label)), "")
	require.NotEmpty(t, a.features())
	first := a.features()[0]
	assert.Equal(t, label, prop(first, "label"))
	assert.Equal(t, 1.0, prop(first, "confidence"))
	c := first["geometry"].(map[string]any)["coordinates"].([]any)
	back := s.call("GET", fmt.Sprintf("/v1/geocode/reverse?at=%v,%v&limit=1", c[1], c[0]), "").features()
	require.Len(t, back, 1)
	assert.Equal(t, label, prop(back[0], "label"))
	assert.Equal(t, 0.0, prop(back[0], "distance_m"))
	assert.Empty(t, s.call("GET", "/v1/geocode/reverse?at=10,10", "").features())
	street, _, _ := strings.Cut(demotest.Island(t).Label(t, "3", "Skerrow"), " 3, ")
	parts := s.call("GET", "/v1/geocode?street="+url.QueryEscape(street)+"&housenumber=3&locality=Skerrow", "").
		features()
	assert.Equal(t, "Skerrow", prop(parts[0], "locality"))
}

func TestTheLineTakesAnything(t *testing.T) {
	s := newMapSite(t)
	s.collection()
	require.Equal(t, 201, s.call("PUT", items+"/"+newID(), post("Quillmere Pump", -38.1, -26.1)).status)
	kind := func(q string) any {
		f := s.call("GET", "/v1/interpret?limit=5&q="+strings.ReplaceAll(q, " ", "+"), "").features()
		require.NotEmpty(t, f, q)
		return prop(f[0], "kind")
	}
	assert.Equal(t, "position", kind("38°8'24.72%22S 26°3'6.12%22W"))
	assert.Equal(t, "position", kind("geo:-38.1,-26"))
	assert.Equal(t, "place", kind("quillmere pump"))
	assert.Equal(t, "locality", kind("skerrow"))
	assert.Equal(t, "address", kind("great harbour street 5"))
	assert.Empty(t, s.call("GET", "/v1/interpret?q=zzzzqqq", "").features())
	const fountain = `{"name":"Fountain","glyph":"drop","colour":"#112233"}`
	require.Equal(t, 201, s.call("PUT", "/v1/categories/fountain", fountain, "If-None-Match", "*", "Content-Type",
		"application/json").status)
	near := s.call("GET", "/v1/interpret?q="+url.QueryEscape("fountains near Skerrow"), "").features()
	assert.Equal(t, "Quillmere Pump", prop(near[0], "label"), "one's own places of a category, near something")
	// Half-typed input is no error: it finds nothing, and says what would be right.
	for q, want := range map[string]string{"138.1,-26": "did you mean -26,138.1?", "9999": "e.g. -38.1402",
		"38.1,": "not two coordinates", "-": "e.g. -38.1402", "38°": "e.g. -38.1402", "N": "", ",": ""} {
		a := s.call("GET", "/v1/interpret?q="+url.QueryEscape(q), "")
		require.Equal(t, 200, a.status, "%s: %s", q, a.body)
		assert.Empty(t, a.features(), q)
		unread, _ := a.json["unread"].(map[string]any)
		assert.Contains(t, fmt.Sprint(unread["reason"], unread["hint"]), want, q)
	}
}

func TestRouteHasStepsThatAddUp(t *testing.T) {
	s := newMapSite(t)
	at := func(settlement string) string {
		c := s.call("GET", "/v1/geocode?limit=1&q="+url.QueryEscape(demotest.Island(t).Label(t, "3", settlement)),
			"").features()[0]["geometry"].(map[string]any)["coordinates"].([]any)
		return fmt.Sprintf("%v,%v", c[1], c[0])
	}
	from, via, to := at("Quillmere"), at("Skerrow"), at("Ludmoor")
	a := s.call("GET", "/v1/route?by=car&from="+from+"&to="+to+"&via="+url.QueryEscape(via), "")
	require.Equal(t, 200, a.status, "%s", a.body)
	route := a.features()[0]
	line := route["geometry"].(map[string]any)["coordinates"].([]any)
	legs := prop(route, "legs").([]any)
	require.Len(t, legs, 2)
	var sum float64
	for _, leg := range legs {
		for _, st := range leg.(map[string]any)["steps"].([]any) {
			step := st.(map[string]any)
			sum += step["distance_m"].(float64)
			assert.Equal(t, step["at"], line[int(step["from"].(float64))], "a step begins where it says")
		}
	}
	assert.InDelta(t, prop(route, "distance_m"), sum, 0.01)
	assert.Equal(t, 422, s.call("GET", "/v1/route?from=10,10&to="+to, "").status)
}

func TestTiles(t *testing.T) {
	s := newMapSite(t)
	version := s.call("GET", "/v1/regions", "").json["version"].(string)
	a := s.call("GET", "/v1/tiles/"+version+"/3/3/4", "", "Accept-Encoding", "gzip")
	require.Equal(t, 200, a.status)
	assert.Equal(t, "gzip", a.header.Get("Content-Encoding"))
	assert.Contains(t, a.header.Get("Cache-Control"), "immutable")
	assert.Equal(t, []byte{0x1f, 0x8b}, a.body[:2])
	assert.Equal(t, 204, s.call("GET", "/v1/tiles/"+version+"/5/0/0", "").status)
	assert.Equal(t, 400, s.call("GET", "/v1/tiles/"+version+"/3/8/0", "").status)
	assert.Equal(t, 404, s.call("GET", "/v1/tiles/old/0/0/0", "").status)
}

func TestWhoMayAsk(t *testing.T) {
	s := newSite(t)
	s.collection()
	for _, path := range []string{"/v1/regions", "/ogc", "/v1/changes"} {
		a := s.call("GET", path, "", "Authorization", "")
		assert.Equal(t, 401, a.status, path)
		assert.Contains(t, string(a.body), "Bearer")
		assert.Equal(t, 401, s.call("GET", path, "", "Authorization", "Bearer wrong").status)
	}
	s.token = "reader"
	assert.Equal(t, 200, s.call("GET", "/ogc/collections", "").status)
	assert.Equal(t, 403, s.call("PUT", items+"/"+newID(), post("x", 1, 2)).status)
	s.token = "secret"
	assert.Equal(t, 403, s.call("GET", "/v1/regions", "", "Origin", "https://evil.example").status)
	a := s.call("GET", "/v1/regions", "", "Origin", "https://app.example")
	assert.Equal(t, "https://app.example", a.header.Get("Access-Control-Allow-Origin"))
	req, err := http.NewRequest("GET", s.url+"/v1/regions", nil)
	require.NoError(t, err)
	req.Host = "rebound.example"
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, 403, resp.StatusCode)
}

func TestPreflightIsAnsweredForAll(t *testing.T) {
	s := newSite(t)
	req, err := http.NewRequest("OPTIONS", s.url+items, nil)
	require.NoError(t, err)
	req.Header.Set("Origin", "https://any.example")
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, 204, resp.StatusCode)
	assert.Contains(t, resp.Header.Get("Access-Control-Allow-Headers"), "If-Match")
}

func TestThePageSignsInWithACookie(t *testing.T) {
	s := newSite(t)
	post := func(body string, headers ...string) answer {
		return s.call(
			"POST",
			"/session",
			body,
			append([]string{"Authorization", "", "Content-Type", "application/json"}, headers...)...)
	}
	assert.Equal(t, false, s.call("GET", "/session", "", "Authorization", "").json["signed_in"])
	assert.Equal(t, 401, post(`{"token":"wrong"}`).status)
	assert.Equal(t, 403, post(`{}`, "Origin", "https://evil.example").status)
	a := post(`{}`)
	require.Equal(t, 200, a.status)
	cookie := a.header.Get("Set-Cookie")
	assert.Contains(t, cookie, "HttpOnly")
	assert.Contains(t, cookie, "SameSite=Strict")
	value := strings.SplitN(cookie, ";", 2)[0]
	assert.Equal(t, 200, s.call("GET", "/v1/regions", "", "Authorization", "", "Cookie", value).status)
	assert.Equal(
		t,
		403,
		s.call("GET", "/v1/regions", "", "Authorization", "", "Cookie", value, "Origin", "https://app.example").status,
	)
	assert.Equal(
		t,
		401,
		s.call("GET", "/v1/regions", "", "Authorization", "Bearer "+strings.TrimPrefix(value, "viandante=")).status,
		"a session is no token",
	)
	assert.Equal(t, 204, s.call("DELETE", "/session", "", "Authorization", "", "Cookie", value).status)
	assert.Equal(t, 401, s.call("GET", "/v1/regions", "", "Authorization", "", "Cookie", value).status)
}

func TestTheStreamOfChangesIsResumed(t *testing.T) {
	s := newSite(t)
	s.collection()
	id := newID()
	require.Equal(t, 201, s.call("PUT", items+"/"+id, post("One", 1, 2)).status)
	stream := func(since string, until string) string {
		req, err := http.NewRequest("GET", s.url+"/v1/changes?topics=features", nil)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer secret")
		if since != "" {
			req.Header.Set("Last-Event-ID", since)
		}
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		resp, err := http.DefaultClient.Do(req.WithContext(ctx))
		require.NoError(t, err)
		defer resp.Body.Close()
		require.Equal(t, 200, resp.StatusCode)
		var text strings.Builder
		buf := make([]byte, 4096)
		for !strings.Contains(text.String(), until) {
			n, err := resp.Body.Read(buf)
			text.Write(buf[:n])
			require.NoError(t, err, "%s", text.String())
		}
		return text.String()
	}
	assert.Contains(t, stream("0", `"One"`), "id: 2\nevent: features")
	done := make(chan string)
	go func() { done <- stream("", `"feature":null`) }()
	s.metric("viandante_streams 1")
	a := s.call("GET", items+"/"+id, "")
	require.Equal(t, 204, s.call("DELETE", items+"/"+id, "", "If-Match", a.header.Get("ETag")).status)
	assert.Contains(t, <-done, "id: 3\n")
	assert.Equal(t, 410, s.call("GET", "/v1/changes?since=99", "").status)
}

func TestThePageIsServedForEveryView(t *testing.T) {
	s := newSite(t)
	for path, want := range map[string]int{"/": 200, "/around?x=1": 200, "/journey": 200, "/assets/a.js": 200,
		"/assets/missing.js": 404, "/v1/nothing": 401, "/%2e%2e/%2e%2e/etc/passwd": 200} {
		resp, err := http.Get(s.url + path)
		require.NoError(t, err)
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		resp.Body.Close()
		assert.Equal(t, want, resp.StatusCode, path)
		assert.NotContains(t, string(body), "root:")
	}
}

func TestManyWritersOfOnePlaceLoseNothing(t *testing.T) {
	s := newSite(t)
	s.collection()
	id := newID()
	require.Equal(t, 201, s.call("PUT", items+"/"+id, post("0", 1, 2)).status)
	var group sync.WaitGroup
	for w := range 6 {
		group.Go(func() {
			for done := 0; done < 5; {
				get, err := http.NewRequest("GET", s.url+items+"/"+id, nil)
				if !assert.NoError(t, err) {
					return
				}
				get.Header.Set("Authorization", "Bearer secret")
				resp, err := http.DefaultClient.Do(get)
				if !assert.NoError(t, err) {
					return
				}
				var f struct{ Properties struct{ Name string } }
				err = json.NewDecoder(resp.Body).Decode(&f)
				resp.Body.Close()
				if !assert.NoError(t, err) {
					return
				}
				put, _ := http.NewRequest(
					"PUT",
					s.url+items+"/"+id,
					strings.NewReader(post(fmt.Sprintf("%s %d.%d", f.Properties.Name, w, done), 1, 2)),
				)
				put.Header.Set("Authorization", "Bearer secret")
				put.Header.Set("If-Match", resp.Header.Get("ETag"))
				resp, err = http.DefaultClient.Do(put)
				if !assert.NoError(t, err) {
					return
				}
				resp.Body.Close()
				if resp.StatusCode == 200 {
					done++
				}
			}
		})
	}
	group.Wait()
	kept := strings.Fields(prop(s.call("GET", items+"/"+id, "").json, "name").(string))
	assert.Len(t, kept, 1+6*5, "every acknowledged change is there")
}

// Every answer to a change has the number of one that it is in; a question that comes with it is answered from no less.
func TestNumbersOfChanges(t *testing.T) {
	s := newSite(t)
	s.collection()
	id := newID()
	made := s.call("PUT", items+"/"+id, post("Pump", 1, 2))
	require.Equal(t, 201, made.status)
	no := made.header.Get(changeHeader)
	assert.Equal(t, strings.Trim(made.header.Get("ETag"), `"`), no)
	assert.Empty(t, s.call("GET", items+"/"+id, "").header.Get(changeHeader), "only of changes")
	gone := s.call("DELETE", items+"/"+id, "", "If-Match", "*")
	require.Equal(t, 204, gone.status)
	assert.NotEqual(t, no, gone.header.Get(changeHeader))
	assert.Empty(
		t,
		s.call("DELETE", items+"/"+id, "", "If-Match", "*").header.Get(changeHeader),
		"not of what was refused",
	)
	// Another process writes; this one is asked for it before it has looked.
	other := service.New(s.store, t.TempDir(), slog.New(slog.DiscardHandler), service.Options{})
	t.Cleanup(other.Close)
	a := service.Actor{Workspace: s.workspace, Name: "other", Read: true, Write: true}
	for i := range 20 {
		v, err := other.Post(
			t.Context(),
			a,
			"posts",
			feature.Draft{Properties: map[string]any{"name": fmt.Sprint(i)}},
			service.Once{},
		)
		require.NoError(t, err)
		require.Equal(
			t,
			float64(i+1),
			s.call("GET", "/v1/collections", "", changeHeader, fmt.Sprint(v.Version)).list("collections")[0]["count"],
		)
	}
	assert.Equal(t, 410, s.call("GET", "/v1/collections", "", changeHeader, "999999").status)
	assert.Equal(t, 400, s.call("GET", "/v1/collections", "", changeHeader, "soon").status)
}
