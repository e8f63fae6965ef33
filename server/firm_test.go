package server

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/store/storetest"
)

// metric waits until the metrics have a line.
func (s *site) metric(line string) {
	s.t.Helper()
	require.Eventually(s.t, func() bool {
		resp, err := http.Get(s.url + "/metrics")
		if err != nil {
			return false
		}
		defer resp.Body.Close()
		text, err := io.ReadAll(resp.Body)
		return err == nil && strings.Contains(string(text), "\n"+line+"\n")
	}, time.Minute, 10*time.Millisecond, line)
}

// ask sends a request as it is, held to no document.
func (s *site) ask(method, path string, body io.Reader, headers ...string) (*http.Response, string) {
	s.t.Helper()
	req, err := http.NewRequest(method, s.url+path, body)
	require.NoError(s.t, err)
	req.Header.Set("Authorization", "Bearer "+s.token)
	for i := 0; i < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
		if headers[i] == "Host" {
			req.Host = headers[i+1]
		}
	}
	resp, err := http.DefaultTransport.RoundTrip(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	return resp, string(data)
}

// Several that read a number, add one and write it back with the version that they have read: none is lost.
func TestNoIncrementIsLost(t *testing.T) {
	s := newSite(t)
	s.collection()
	path := items + "/" + newID()
	counter := func(n int) string {
		return fmt.Sprintf(`{"type":"Feature","geometry":null,"properties":{"n":%d}}`, n)
	}
	require.Equal(t, 201, s.call("PUT", path, counter(0)).status)
	const writers, each = 6, 15
	var stale atomic.Int64
	var group sync.WaitGroup
	for range writers {
		group.Go(func() {
			for done := 0; done < each; {
				resp, text := s.ask("GET", path, nil)
				var f struct{ Properties struct{ N int } }
				if !assert.NoError(t, json.Unmarshal([]byte(text), &f)) {
					return
				}
				switch put, _ := s.ask("PUT", path, strings.NewReader(counter(f.Properties.N+1)),
					"If-Match", resp.Header.Get("ETag")); put.StatusCode {
				case 200:
					done++
				case 412:
					stale.Add(1)
				default:
					assert.Fail(t, "neither done nor stale", put.Status)
					return
				}
			}
		})
	}
	group.Wait()
	assert.EqualValues(t, writers*each, prop(s.call("GET", path, "").json, "n"))
	t.Logf("%d times somebody else was first", stale.Load())
	a := s.call("GET", path, "")
	same := s.call("PUT", path, counter(writers*each), "If-Match", `"1"`)
	assert.Equal(t, 412, same.status, "a stale version is stale whatever is written")
	assert.Equal(t, 200, s.call("PUT", path, counter(writers*each), "If-Match", a.header.Get("ETag")).status)
}

func TestConditionsAsRFC9110HasThem(t *testing.T) {
	s := newSite(t)
	s.collection()
	made := map[string]string{ // what is kept, with a body that changes it
		items + "/" + newID():  post("A", 1, 2),
		"/v1/collections/huts": `{"title":"Huts"}`,
		"/v1/categories/hut":   `{"name":"Hut","colour":"#24705F"}`,
		"/v1/views/" + newID(): `{"name":"V","center":[0,0],"zoom":3}`,
		"/v1/imagery/" + newID(): `{"name":"I","template":"http://127.0.0.1:1/{z}/{x}/{y}.png","max_zoom":3,` +
			`"opacity":1}`,
		"/v1/parties/" + newID():        `{"name":"V"}`,
		"/v1/watches/" + newID():        `{"name":"V","center":[0,0],"within_m":100,"people":true,"places":false}`,
		"/v1/emergency":                 `{"name":"V","telephone":"+999 40 100"}`,
		"/v1/link-templates/" + newID(): `{"name":"V","templates":{"show":"https://maps.example/{?lat,lng}"}}`,
	}
	for path, body := range made {
		send := func(method, body string, headers ...string) answer {
			if !strings.HasPrefix(path, "/ogc") {
				headers = append(headers, "Content-Type", "application/json")
			}
			return s.call(method, path, body, headers...)
		}
		other := strings.NewReplacer(`"A"`, `"B"`, "Huts", "Cabins", `"Hut"`, `"Cabin"`, `"V"`, `"W"`, `"I"`, `"J"`).
			Replace(body)
		first := send("PUT", body, "If-None-Match", "*")
		require.Equal(t, 201, first.status, "%s: %s", path, first.body)
		tag := first.header.Get("ETag")
		require.NotEmpty(t, tag, path)
		assert.Equal(t, tag, s.call("GET", path, "").header.Get("ETag"), path)
		for header, want := range map[[2]string]int{
			{"If-None-Match", tag}: 304, {"If-None-Match", "W/" + tag}: 304, {"If-None-Match",
				`"0", ` + tag}: 304, {"If-None-Match", "*"}: 304,
			{"If-None-Match", `"999"`}: 200, {"If-None-Match", `"strange"`}: 200, {"If-None-Match", `5`}: 400,
		} {
			assert.Equal(t, want, s.call("GET", path, "", header[0], header[1]).status, "%s %v", path, header)
		}
		for header, want := range map[[2]string]int{
			{"", ""}: 428, {"If-Match", `"999"`}: 412, {"If-Match", "W/" + tag}: 412, {"If-Match",
				`"strange"`}: 412, {"If-Match", `"a`}: 400,
			{"If-None-Match", tag}: 412, {"If-None-Match", "*"}: 412,
		} {
			headers := []string{}
			if header[0] != "" {
				headers = header[:]
			}
			assert.Equal(t, want, send("PUT", other, headers...).status, "%s %v", path, header)
		}
		changed := send("PUT", other, "If-Match", `"999", `+tag)
		require.Equal(t, 200, changed.status, "%s: %s", path, changed.body)
		assert.NotEqual(t, tag, changed.header.Get("ETag"))
		assert.Equal(
			t,
			412,
			send("PUT", other, "If-Match", tag).status,
			"%s: the same content under a stale version",
			path,
		)
		assert.Equal(t, 412, send("DELETE", "", "If-Match", tag).status, path)
		gone := changed.header.Get("ETag")
		assert.Equal(t, 204, send("DELETE", "", "If-Match", gone).status, path)
		assert.Equal(
			t,
			204,
			send("DELETE", "", "If-Match", gone).status,
			"%s: its answer was lost, and it comes again",
			path,
		)
		assert.Equal(t, 404, send("DELETE", "", "If-Match", tag).status, path)
		nothing := 404
		if path == "/v1/emergency" { // that nobody is named is nothing wrong
			nothing = 204
		}
		assert.Equal(t, nothing, s.call("GET", path, "").status, path)
	}
}

func TestARequestWithAKeyIsAnsweredAsTheFirstTime(t *testing.T) {
	s := newSite(t)
	s.collection()
	key := func(n int) []string { return []string{"Idempotency-Key", fmt.Sprint("key-", n)} }
	refused := s.call("POST", items, post("Swapped", -126, -38), key(1)...)
	require.Equal(t, 400, refused.status)
	first := s.call("POST", items, post("One", 1, 2), key(1)...)
	require.Equal(t, 201, first.status, "what was refused has not used the key up: %s", first.body)
	path := items + "/" + first.json["id"].(string)
	again := func(what string) {
		t.Helper()
		a := s.call("POST", items, post("One", 1, 2), key(1)...)
		assert.Equal(t, 201, a.status, what)
		assert.JSONEq(t, string(first.body), string(a.body), what)
		assert.Equal(t, first.header.Get("ETag"), a.header.Get("ETag"), what)
	}
	again("at once")
	put := append([]string{"If-Match", first.header.Get("ETag")}, key(2)...)
	changed := s.call("PUT", path, post("Two", 1, 2), put...)
	require.Equal(t, 200, changed.status)
	again("after it was changed")
	replay := s.call("PUT", path, post("Two", 1, 2), put...)
	assert.Equal(t, 200, replay.status, "its version is stale by now, but it is the same request: %s", replay.body)
	assert.Equal(t, changed.header.Get("ETag"), replay.header.Get("ETag"))
	assert.Equal(t, 409, s.call("PUT", path, post("Three", 1, 2), put...).status, "another request under the same key")
	remove := append([]string{"If-Match", "*"}, key(3)...)
	for range 2 {
		assert.Equal(t, 204, s.call("DELETE", path, "", remove...).status)
	}
	again("after it was deleted")
	assert.Equal(t, 404, s.call("GET", path, "").status)
	bulk := fmt.Sprintf(`{"changes":[{"collection":"posts","id":%q,"feature":%s}]}`, newID(), post("Many", 1, 2))
	once := s.call("POST", "/v1/bulk", bulk, append(key(4), "Content-Type", "application/json")...)
	require.Equal(t, 200, once.status, "%s", once.body)
	assert.Equal(
		t,
		string(once.body),
		string(s.call("POST", "/v1/bulk", bulk, append(key(4), "Content-Type", "application/json")...).body),
	)
	view := "/v1/views/" + newID()
	kept := s.put(view, `{"name":"V","center":[0,0],"zoom":3}`, key(5)...)
	require.Equal(t, 201, kept.status)
	require.Equal(t, 200, s.put(view, `{"name":"W","center":[0,0],"zoom":3}`, "If-Match", "*").status)
	assert.Equal(t, string(kept.body), string(s.put(view, `{"name":"V","center":[0,0],"zoom":3}`, key(5)...).body))
	for _, bad := range []string{strings.Repeat("k", 201), "caf\xc3\xa9", "\xff"} {
		resp, text := s.ask("POST", items, strings.NewReader(post("x", 1, 2)), "Idempotency-Key", bad)
		assert.Equal(t, 400, resp.StatusCode)
		assert.Contains(t, text, "1 to 200 characters of ASCII")
	}
}

// Each of these was a fault of ours, or was kept as something that nobody meant.
func TestValuesThatCannotBeKept(t *testing.T) {
	s := newSite(t)
	s.collection()
	with := func(properties string) string {
		return `{"type":"Feature","geometry":null,"properties":{` + properties + `}}`
	}
	long := func(n int) string { return strings.Repeat("x", n) }
	many := make([]string, 120)
	for i := range many {
		many[i] = fmt.Sprintf(`"a%d":%q`, i, long(20_000))
	}
	for body, want := range map[string]struct {
		status int
		says   string
	}{
		with(`"fixed_at":"0000-01-01T00:00:00Z"`):                {400, "years 1000 to 9999"},
		with(`"fixed_at":"0001-01-01T00:00:00Z"`):                {400, "years 1000 to 9999"},
		with(`"fixed_at":"9999-12-31T23:59:59-12:00"`):           {400, "years 1000 to 9999"},
		with(`"address_found":{"label":"` + long(70_000) + `"}`): {400, "at most 60000"},
		with(strings.Join(many, ",")):                            {413, "bytes of attributes"},
		with(`"depth_ft":3`):                                     {400, "without _ft"},
		with(`"walk_min":3`):                                     {400, "without _min"},
		with(`"far_mi":3`):                                       {400, "without _mi"},

		`{"type":"Feature","geometry":` +
			`{"type":"Point","coordinates":[null,null]},"properties":{}}`: {400, "null where a number belongs"},

		`{"type":"Feature","geometry":` +
			`{"type":"LineString","coordinates":[[0,0],[null,1]]},"properties":{}}`: {
			400,
			"null where a number belongs",
		},

		`{"type":"Feature","geometry":{"type":"Polygon","coordinates":[[[0,0],[1,0],null,[0,0]]]},` +
			`"properties":{}}`: {400, "null where a number belongs"},
	} {
		a := s.call("POST", items, body)
		assert.Equal(t, want.status, a.status, "%.80s", body)
		assert.Contains(t, string(a.body), want.says, "%.80s", body)
		assert.NotEmpty(t, a.json["errors"], "%.80s", body)
	}
	nil0 := s.call("PUT", items+"/00000000-0000-0000-0000-000000000000", post("Nobody", 1, 2))
	assert.Equal(t, 400, nil0.status)
	assert.Contains(t, string(nil0.body), "the UUID of zeros")
	for body, says := range map[string]string{
		`{"name":"V","center":null,"zoom":3}`:                 "center",
		`{"name":"V","zoom":3}`:                               "center",
		`{"name":"V","center":[null,1],"zoom":3}`:             "pair of numbers",
		`{"name":"V","center":[1],"zoom":3}`:                  "pair of numbers",
		`{"name":"V","center":[0,0],"zoom":3,"centre":[0,0]}`: "is not a member",
	} {
		a := s.put("/v1/views/"+newID(), body)
		assert.Equal(t, 400, a.status, body)
		assert.Contains(t, string(a.body), says, body)
	}
	if testing.Short() {
		return
	}
	// A change that is larger than what is gathered for one exchange travels in several.
	var list []string
	for range 6 {
		list = append(
			list,
			fmt.Sprintf(`{"collection":"posts","id":%q,"feature":%s}`, newID(), with(strings.Join(many[:50], ","))),
		)
	}
	a := s.call("POST", "/v1/bulk", `{"changes":[`+strings.Join(list, ",")+`]}`)
	require.Equal(t, 200, a.status, "%.300s", a.body)
	assert.EqualValues(t, 6, a.json["changed"])
	assert.Equal(t, 410, s.call("GET", "/v1/changes?since=99", "").status)
}

func TestHTTPManners(t *testing.T) {
	s := newSite(t)
	s.collection()
	for _, path := range []string{"/healthz", "/v1/measure?from=1,2&to=3,4", "/v1/regions", "/v1/changes",
		"/ogc/collections", "/around"} {
		resp, text := s.ask("HEAD", path, nil)
		assert.Equal(t, 200, resp.StatusCode, path)
		assert.Empty(t, text)
		assert.NotEmpty(t, resp.Header.Get("Content-Type"), path)
	}
	for path, allow := range map[string]string{"/v1/measure": "GET", items: "GET", "/healthz": "GET",
		"/around": "GET"} {
		resp, text := s.ask("DELETE", path, nil)
		assert.Equal(t, 405, resp.StatusCode, path)
		assert.Contains(t, resp.Header.Get("Allow"), allow, path)
		assert.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"), path)
		assert.Contains(t, text, "not \\\"DELETE\\\"", path)
	}
	resp, _ := s.ask("POST", "/v1/nothing", nil)
	assert.Equal(t, 404, resp.StatusCode)
	for kind, want := range map[string]int{"text/plain": 415, "application/x-www-form-urlencoded": 415,
		"nonsense;;": 415, "application/geo+json; charset=utf-8": 201, "": 201} {
		resp, text := s.ask("POST", items, strings.NewReader(post("x", 1, 2)), "Content-Type", kind)
		assert.Equal(t, want, resp.StatusCode, "%s: %s", kind, text)
	}
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	_, _ = io.WriteString(z, post("Packed", 1, 2))
	require.NoError(t, z.Close())
	resp, text := s.ask("POST", items, bytes.NewReader(packed.Bytes()), "Content-Encoding", "gzip")
	assert.Equal(t, 201, resp.StatusCode, text)
	assert.Contains(t, text, "Packed")
	resp, text = s.ask("POST", items, strings.NewReader("plain"), "Content-Encoding", "gzip")
	assert.Equal(t, 400, resp.StatusCode, text)
	resp, _ = s.ask("POST", items, strings.NewReader("x"), "Content-Encoding", "br")
	assert.Equal(t, 415, resp.StatusCode)
	assert.Equal(t, "gzip", resp.Header.Get("Accept-Encoding"))
	var bomb bytes.Buffer
	z = gzip.NewWriter(&bomb)
	for range 2 * maxFeature >> 20 {
		_, _ = z.Write(make([]byte, 1<<20))
	}
	require.NoError(t, z.Close())
	resp, _ = s.ask("POST", items, bytes.NewReader(bomb.Bytes()), "Content-Encoding", "gzip")
	assert.Equal(t, 413, resp.StatusCode, "%d bytes that unpack to 32 MB", bomb.Len())
	for _, scheme := range []string{"bearer secret", "BEARER  secret"} {
		resp, _ = s.ask("GET", "/v1/regions", nil, "Authorization", scheme)
		assert.Equal(t, 200, resp.StatusCode, scheme)
	}
	resp, text = s.ask("GET", "/v1/changes?topics=gossip", nil)
	assert.Equal(t, 400, resp.StatusCode)
	assert.Contains(t, text, "one or several of features")
}

// What net/http answers by itself is a problem document as well, and a storm of nonsense is a line in the log.
func TestNonsenseIsAnsweredPlainly(t *testing.T) {
	var log safeBuffer
	logger := slog.New(slog.NewTextHandler(&log, nil))
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	s := newSite(t)
	srv := NewHTTPServer(s.handler, logger)
	served := make(chan error, 1)
	go func() { served <- srv.Serve(Listener(l)) }()
	defer func() { srv.Close(); <-served }()
	say := func(text string) (status int, kind, body string) {
		c, err := net.Dial("tcp", l.Addr().String())
		require.NoError(t, err)
		defer c.Close()
		_, err = io.WriteString(c, text)
		require.NoError(t, err)
		require.NoError(t, c.(*net.TCPConn).CloseWrite())
		resp, err := http.ReadResponse(bufio.NewReader(c), nil)
		require.NoError(t, err, "%q", text)
		defer resp.Body.Close()
		data, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return resp.StatusCode, resp.Header.Get("Content-Type"), string(data)
	}
	const auth = "Host: localhost\r\nAuthorization: Bearer secret\r\n"
	for text, want := range map[string]int{
		"nonsense\r\n\r\n":                  400,
		"GET / HTTP/1.1\r\n\r\n":            400,
		"GET / HTTP/9.9\r\nHost: x\r\n\r\n": 505,
		"GET / HTTP/1.1\r\nHost: localhost\r\nA: " + strings.Repeat("x", 80<<10) +
			"\r\n\r\n": 431,
		"POST " + items + " HTTP/1.1\r\n" + auth + "Content-Length: 100\r\n\r\n{":                   400,
		"POST " + items + " HTTP/1.1\r\n" + auth + "Transfer-Encoding: chunked\r\n\r\nzz\r\n{}\r\n": 400,
		"POST " + items + " HTTP/1.1\r\n" + auth + "Transfer-Encoding: chunked\r\n\r\n5\r\n{}":      400,
		"POST /session HTTP/1.1\r\nHost: localhost\r\nContent-Length: 31000000\r\n\r\n{":            413,
		"POST /session HTTP/1.1\r\nHost: localhost\r\nTransfer-Encoding: chunked\r\n\r\n2000\r\n" + strings.Repeat(
			"x", 0x2000) + "\r\n0\r\n\r\n": 413,
	} {
		for range 3 {
			status, kind, body := say(text)
			assert.Equal(t, want, status, "%.100q: %s", text, body)
			assert.Equal(t, "application/problem+json", kind, "%.100q", text)
			var p problem
			require.NoError(t, json.Unmarshal([]byte(body), &p), "%q", body)
			assert.Equal(t, want, p.Status)
			assert.NotEmpty(t, p.Detail)
		}
	}
	assert.LessOrEqual(t, strings.Count(log.String(), "\n"), 3, log.String())
}

type safeBuffer struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (s *safeBuffer) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.Write(p)
}

func (s *safeBuffer) String() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.String()
}

// The demo lets in a person at the machine, nobody else: not a page whose name was made to point here, nor what a proxy
// passes on.
func TestOnlyAPersonAtTheMachineIsLetIn(t *testing.T) {
	s := newSite(t)
	sign := func(headers ...string) int {
		resp, _ := s.ask(
			"POST",
			"/session",
			strings.NewReader(`{}`),
			append([]string{"Authorization", ""}, headers...)...)
		return resp.StatusCode
	}
	assert.Equal(t, 200, sign())
	assert.Equal(t, 403, sign("Host", "rebound.example", "Origin", "http://rebound.example"))
	assert.Equal(t, 403, sign("Host", "10.0.0.7:8080"))
	for _, header := range []string{"X-Forwarded-For", "Forwarded", "Via", "X-Real-Ip"} {
		assert.Equal(t, 401, sign(header, "192.0.2.7"), header)
	}
	s.hosts("named.example")
	assert.Equal(t, 401, sign("Host", "named.example"), "a name that is allowed is no loopback name")
	resp, _ := s.ask("GET", "/v1/regions", nil, "Host", "NAMED.example:8080")
	assert.Equal(t, 200, resp.StatusCode)
	resp, _ = s.ask("GET", "/metrics", nil, "X-Forwarded-For", "192.0.2.7", "Authorization", "")
	assert.Equal(t, 401, resp.StatusCode)
}

// The database stands still: what memory knows is answered, everything else is 503 with Retry-After, and soon.
func TestTheDatabaseStandsStill(t *testing.T) {
	s := newMapSite(t)
	s.collection()
	path := items + "/" + newID()
	require.Equal(t, 201, s.call("PUT", path, post("Pump", -38.1, -26.1)).status)
	version := s.call("GET", "/v1/regions", "").json["version"].(string)
	stream, stop := context.WithCancel(t.Context())
	defer stop()
	req, err := http.NewRequestWithContext(stream, "GET", s.url+"/v1/changes", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer secret")
	follower, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer follower.Body.Close()

	thaw := storetest.Freeze(t)
	s.expire()
	a := s.call("GET", "/readyz", "")
	assert.Equal(t, 503, a.status)
	for _, path := range []string{"/v1/measure?from=1,2&to=3,4", "/v1/nearby?at=-38.1,-26.1",
		"/v1/geocode?q=varrowby", "/v1/collections", "/v1/categories", path,
		"/v1/features?q=pump", items, "/v1/tiles/" + version + "/3/3/4", "/v1/regions", "/healthz"} {
		a := s.call("GET", path, "", "Accept-Encoding", "identity")
		assert.Equal(t, 200, a.status, "%s: %s", path, a.body)
	}
	for _, c := range [][3]string{{"PUT", items + "/" + newID(), post("x", 1, 2)}, {"POST", items, post(
		"x", 1, 2)}, {"GET", "/v1/bin", ""}} {
		a := s.call(c[0], c[1], c[2])
		assert.Equal(t, 503, a.status, "%v: %s", c[:2], a.body)
		assert.NotEmpty(t, a.header.Get("Retry-After"))
	}
	assert.Equal(
		t,
		503,
		s.call("GET", "/v1/regions", "", "Authorization", "Bearer unknown").status,
		"whom nobody knows is neither let in nor turned away",
	)
	thaw()
	require.Eventually(
		t,
		func() bool { return s.call("GET", "/readyz", "").status == 200 },
		time.Minute,
		20*time.Millisecond,
	)
	require.Equal(t, 201, s.call("PUT", items+"/"+newID(), post("After", 1, 2)).status)
	lines := bufio.NewScanner(follower.Body)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() && !strings.Contains(lines.Text(), `"After"`) {
	}
	assert.NoError(t, lines.Err(), "the stream has gone on")
	s.metric("viandante_database_outages_total 1")
}

// Streams whose readers do not read hold places in the log, not copies of it; they are cut off, and resume.
func TestASlowReaderIsCutOffAndResumes(t *testing.T) {
	s := newSite(t)
	s.collection()
	if testing.Short() {
		t.Skip("fills the buffers of sockets")
	}
	const readers, writes = 10, 24 // 40 MB, more than sockets hold
	var conns []net.Conn
	for range readers {
		c, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
		require.NoError(t, err)
		defer c.Close()
		_, err = io.WriteString(
			c,
			"GET /v1/changes HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer secret\r\n\r\n",
		)
		require.NoError(t, err)
		conns = append(conns, c)
	}
	s.metric(fmt.Sprint("viandante_streams ", readers))
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var many []string
	for i := range 19 {
		many = append(many, fmt.Sprintf(`"a%d":%q`, i, strings.Repeat("x", 90_000)))
	}
	body := `{"type":"Feature","geometry":null,"properties":{"name":"Heavy",` + strings.Join(many, ",") + `}}`
	for range writes {
		require.Equal(t, 201, s.call("POST", items, body).status)
	}
	runtime.GC()
	runtime.ReadMemStats(&after)
	held := int64(after.HeapAlloc) - int64(before.HeapAlloc)
	assert.Less(t, held, int64(200<<20), "ten readers of 40 MB held %d MB", held>>20)
	s.metric(fmt.Sprint("viandante_streams_cut_off_total ", readers))
	s.metric("viandante_streams 0")
	got, err := io.ReadAll(conns[0])
	_ = err // however it ended, what came is whole up to some event
	last := "0"
	for line := range strings.Lines(string(got)) {
		if id, ok := strings.CutPrefix(line, "id: "); ok {
			last = strings.TrimSpace(id)
		}
	}
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, "GET", s.url+"/v1/changes", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer secret")
	req.Header.Set("Last-Event-ID", last)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(nil, 8<<20)
	end := fmt.Sprint("id: ", writes+1)
	for lines.Scan() && lines.Text() != end {
	}
	assert.Equal(t, end, lines.Text(), "from %s on, read in pieces from the database", last)
}

// However many follow, whoever writes waits for none of them; and each of them hears of all.
func TestManyFollowers(t *testing.T) {
	s := newSite(t)
	s.collection()
	const followers = 300
	heard := make(chan int, followers)
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	var group sync.WaitGroup
	defer group.Wait()
	defer stop()
	for range followers {
		group.Go(func() {
			req, _ := http.NewRequestWithContext(ctx, "GET", s.url+"/v1/changes?topics=features", nil)
			req.Header.Set("Authorization", "Bearer secret")
			resp, err := http.DefaultClient.Do(req)
			if !assert.NoError(t, err) {
				return
			}
			defer resp.Body.Close()
			n := 0
			for lines := bufio.NewScanner(resp.Body); lines.Scan(); {
				if strings.HasPrefix(lines.Text(), "id: ") {
					if n++; n == 20 {
						heard <- n
					}
				}
			}
		})
	}
	s.metric(fmt.Sprint("viandante_streams ", followers))
	for i := range 20 {
		require.Equal(t, 201, s.call("PUT", items+"/"+newID(), post(fmt.Sprint(i), 1, 2)).status)
	}
	for range followers {
		select {
		case <-heard:
		case <-time.After(time.Minute):
			t.Fatal("somebody has not heard of all")
		}
	}
}
