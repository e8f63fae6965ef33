package server

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/service"
)

// told is an event of a stream.
type toldEvent struct {
	id, name string
	data     map[string]any
}

// listen reads events of a stream until the test ends.
func (s *site) listen(path string, headers ...string) <-chan toldEvent {
	s.t.Helper()
	ctx, stop := context.WithCancel(s.t.Context())
	s.t.Cleanup(stop)
	req, err := http.NewRequestWithContext(ctx, "GET", s.url+path, nil)
	require.NoError(s.t, err)
	req.Header.Set("Authorization", "Bearer "+s.token)
	for i := 0; i < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	require.Equal(s.t, 200, resp.StatusCode)
	events := make(chan toldEvent, 1000)
	go func() {
		defer resp.Body.Close()
		defer close(events)
		e := toldEvent{}
		lines := bufio.NewScanner(resp.Body)
		lines.Buffer(nil, 1<<24)
		for lines.Scan() {
			name, value, _ := strings.Cut(lines.Text(), ": ")
			switch {
			case lines.Text() == "":
				if e.data != nil {
					events <- e
				}
				e = toldEvent{}
			case name == "id":
				e.id = value
			case name == "event":
				e.name = value
			case name == "data":
				if json.Unmarshal([]byte(value), &e.data) != nil {
					return
				}
			}
		}
	}()
	return events
}

func next(t *testing.T, events <-chan toldEvent, what string) toldEvent {
	t.Helper()
	select {
	case e, open := <-events:
		require.True(t, open, "the stream ended: %s", what)
		return e
	case <-time.After(20 * time.Second):
		require.Fail(t, "nothing came", what)
	}
	return toldEvent{}
}

// quiet tells that nothing comes for a while.
func quiet(t *testing.T, events <-chan toldEvent, what string) {
	t.Helper()
	select {
	case e := <-events:
		require.Fail(t, "something came", "%s: %v", what, e)
	case <-time.After(600 * time.Millisecond):
	}
}

var square = geo.MustPoint(-38.05, -26.05)

// reported is a position so many metres to the east of the square, some seconds from now.
func reported(metres, seconds, accuracy float64) string {
	p, _, err := geodesy.Destination(geodesy.Ellipsoid, square, 90, metres)
	if err != nil {
		panic(err)
	}
	return fmt.Sprintf(`{"position":[%.7f,%.7f],"time":%q,"accuracy_m":%v,"heading_deg":-90,"speed_mps":1.4}`, p.Lng(),
		p.Lat(), time.Now().Add(time.Duration(seconds*float64(time.Second))).UTC().Format(time.RFC3339Nano), accuracy)
}

func positions(list ...string) string { return `{"positions":[` + strings.Join(list, ",") + `]}` }

// party makes a party with some members, and returns its path and theirs.
func (s *site) party(more string, names ...string) (path string, members []string) {
	s.t.Helper()
	path = "/v1/parties/" + newID()
	require.Equal(s.t, 201, s.put(path, `{"name":"Wardens"`+more+`}`).status)
	for _, name := range names {
		member := path + "/members/" + newID()
		require.Equal(s.t, 201, s.put(member, fmt.Sprintf(`{"name":%q}`, name)).status)
		members = append(members, member)
	}
	return path, members
}

func idOf(path string) string { return path[strings.LastIndexByte(path, '/')+1:] }

func TestAPartyIsSeenMoving(t *testing.T) {
	s := newSite(t)
	path, members := s.party("", "Ida", "Tam", "Nobody yet")
	ida, tam := members[0], members[1]
	events := s.listen("/v1/changes?topics=positions")
	whole := next(t, events, "where everybody is")
	assert.Equal(t, "members", whole.name)
	assert.Empty(t, whole.id, "what moves has no place in the log")
	assert.Len(t, whole.data["members"], 3)

	a := s.put(ida+"/positions", positions(reported(100, -1, 8)))
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.InDelta(t, 1, a.json["taken"], 0)
	e := next(t, events, "Ida moves")
	assert.Equal(t, "positions", e.name)
	move := e.data["moves"].([]any)[0].(map[string]any)
	assert.Equal(t, idOf(ida), move["id"])
	assert.InDelta(t, 270, move["heading_deg"], 0, "-90 is 270")
	require.Equal(t, 200, s.put(tam+"/positions", positions(reported(2500, -300, 50))).status)
	next(t, events, "Tam moves")

	list := s.call("GET", path+"/members?from="+square.String(), "").list("members")
	require.Len(t, list, 3)
	assert.Equal(t, []any{"Ida", "Tam", "Nobody yet"}, []any{list[0]["name"], list[1]["name"], list[2]["name"]})
	assert.InDelta(t, 100, list[0]["distance_m"], 0.02)
	assert.InDelta(t, 90, list[0]["bearing_deg"], 0.01)
	assert.Equal(t, []any{"live", "stale", nil}, []any{list[0]["state"], list[1]["state"], list[2]["state"]})
	assert.Nil(t, list[2]["position"])
	assert.Nil(t, list[2]["distance_m"])

	// Who stops sharing has no position any more, at once, and nothing of his is taken.
	stopped := s.put(ida, `{"name":"Ida","sharing":false}`)
	require.Equal(t, 200, stopped.status)
	assert.Nil(t, stopped.json["position"])
	e = next(t, events, "Ida stops")
	assert.Nil(t, e.data["members"].([]any)[0].(map[string]any)["position"])
	assert.Equal(t, 409, s.put(ida+"/positions", positions(reported(100, 0, 8))).status)
	require.Equal(t, 204, s.call("DELETE", tam, "").status)
	e = next(t, events, "Tam leaves")
	assert.Equal(t, []any{idOf(tam)}, e.data["left"])
	gone := s.put(tam+"/positions", positions(reported(100, 0, 8)))
	assert.Equal(t, 404, gone.status)
	assert.Contains(t, string(gone.body), "left")
	assert.Len(t, s.call("GET", path+"/members", "").list("members"), 2)
	assert.Equal(t, 204, s.call("DELETE", path, "", "If-Match", "*").status)
	assert.Equal(t, 404, s.call("GET", path+"/members", "").status)
	next(t, events, "the party ends")
	quiet(t, events, "nobody is there")
}

func TestReportsThatCannotBe(t *testing.T) {
	s := newSite(t)
	_, members := s.party(`,"keep_track_s":3600`, "Ida")
	ida := members[0] + "/positions"
	for body, says := range map[string]string{
		`{"positions":[]}`: "from 1 to 10000",
		positions(`{"position":[-26,-38],"time":"yesterday"}`):             "RFC 3339",
		positions(`{"position":[-26,-138],"time":"2026-11-26T10:00:00Z"}`): "",
		positions(`{"position":null,"time":"2026-11-26T10:00:00Z"}`):       "",
		positions(`{"position":["x"],"time":"2026-11-26T10:00:00Z"}`):      "is not a position",
		positions(`{"position":[NaN,-38],"time":"2026-11-26T10:00:00Z"}`):  "not the JSON",
		positions(reported(0, 7*3600, 5)):                                  "future",
		positions(reported(0, -30*86400, 5)):                               "days ago",
		`{"sent_at":"noon","positions":[` + reported(0, 0, 5) + `]}`:       "sent_at",
		`{"position":[-26,-38]}`:                                           "not a member of this body",
	} {
		a := s.put(ida, body)
		assert.Equal(t, 400, a.status, "%s: %s", body, a.body)
		assert.Contains(t, string(a.body), says, body)
	}
	// A device whose clock is seven hours ahead says so, and is understood.
	ahead := fmt.Sprintf(`{"sent_at":%q,"positions":[%s]}`, time.Now().Add(7*time.Hour).UTC().Format(time.RFC3339Nano),
		reported(0, 7*3600-20, 5))
	a := s.put(ida, ahead)
	require.Equal(t, 200, a.status, "%s", a.body)
	// Of a batch what can be is taken, whatever its order: the leap is set aside, what came twice is no more than once.
	a = s.put(ida, positions(reported(6, -5, 5), reported(2, -15, 5), reported(500_000, -3, 5), reported(4, -10, 5),
		`{"position":[-26,-38],"time":"noon"}`, reported(7, 9e6, 5)))
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Equal(t, []any{3., 0., 1.}, []any{a.json["taken"], a.json["late"], a.json["aside"]}, "%s", a.body)
	refused := a.list("refused")
	require.Len(t, refused, 2)
	assert.InDelta(t, 4, refused[0]["index"], 0)
	late := s.put(ida, positions(reported(1, -18, 5)))
	assert.InDelta(t, 1, late.json["late"], 0)

	many := make([]string, 10_000)
	for i := range many {
		many[i] = reported(float64(i)/100, -4+float64(i)/1e4, 5)
	}
	a = s.put(ida, positions(many...))
	require.Equal(t, 200, a.status, "%.300s", a.body)
	assert.InDelta(t, 10_000, a.json["taken"], 0)
	a = s.put(ida, positions(append(many, many[0])...))
	assert.Equal(t, 400, a.status, "ten thousand and one")

	require.Eventually(t, func() bool { // late ones, too, are part of the track
		body := s.call("GET", members[0]+"/track", "").body
		return strings.Count(string(body), "\x1e") == 10_005
	}, 20*time.Second, 50*time.Millisecond)
	gpxTrack := s.call("GET", members[0]+"/track?format=gpx", "")
	assert.Equal(t, 10_005, strings.Count(string(gpxTrack.body), "<trkpt"))
}

// The last position is there after a restart; another process hears of it, too.
func TestPositionsOutliveTheProcess(t *testing.T) {
	s := newSite(t)
	path, members := s.party("", "Ida")
	other := service.New(s.store, t.TempDir(), slog.New(slog.DiscardHandler), service.Options{})
	t.Cleanup(other.Close)
	ctx, stop := context.WithCancel(t.Context())
	var running sync.WaitGroup
	running.Go(func() { other.Run(ctx) })
	defer running.Wait()
	defer stop()
	require.NoError(t, other.Load(ctx))
	a := service.Actor{Workspace: s.workspace, Name: "other", Read: true, Write: true}
	require.Equal(t, 200, s.put(members[0]+"/positions", positions(reported(300, 0, 5))).status)
	known := func() service.Member {
		list, err := other.Members(ctx, a, uuid.MustParse(idOf(path)))
		require.NoError(t, err)
		if len(list) == 0 {
			return service.Member{}
		}
		return list[0]
	}
	require.Eventually(t, func() bool { return known().Last.At.IsValid() }, 20*time.Second, 20*time.Millisecond)
	assert.InDelta(t, 300, geodesy.Distance(square, known().Last.At), 0.05)
	require.Equal(t, 204, s.call("DELETE", members[0], "").status)
	require.Eventually(t, func() bool { return known().Name == "" }, 20*time.Second, 20*time.Millisecond)
}

// A guest sees the party that he was invited to, speaks for himself, and nothing else.
func TestAGuestSeesHisPartyOnly(t *testing.T) {
	s := newMapSite(t)
	s.collection()
	secret := items + "/" + newID()
	require.Equal(t, 201, s.call("PUT", secret, post("Secret", -38.05, -26.05)).status)
	path, members := s.party("", "Ida")
	another, _ := s.party("", "Somebody else")
	require.Equal(t, 201, s.put("/v1/rehearsals/"+newID(), `{"name":"R","by":"foot","line":[[-26,-38]]}`).status)
	require.Equal(t, 201, s.put("/v1/watches/"+newID(),
		`{"name":"W","center":[-26,-38],"within_m":9,"people":true,"places":true}`).status)
	require.Equal(t, 201, s.put("/v1/emergency", `{"name":"Post","telephone":"112"}`).status)

	invite := s.call("POST", path+"/invitations", `{}`, asJSON, "application/json")
	require.Equal(t, 201, invite.status, "%s", invite.body)
	code := invite.json["code"].(string)
	assert.Contains(t, invite.json["url"], "/join#invitation="+code)
	join := func(code, name string) answer {
		body, _ := json.Marshal(map[string]string{"code": code, "name": name})
		return s.call("POST", "/session/party", string(body), asJSON, "application/json", "Authorization", "")
	}
	for _, wrong := range []string{code[:len(code)-1] + "x", "", "secret"} {
		assert.Equal(t, 401, join(wrong, "Eve").status, wrong)
	}
	looked := join(code, "")
	assert.Equal(t, "Wardens", looked.json["party"])
	joined := join(code, "Wyn <b>")
	require.Equal(t, 200, joined.status, "%s", joined.body)
	again := join(code, "Eve")
	assert.Equal(t, 401, again.status)
	assert.Contains(t, string(again.body), "has been used")
	late := s.call("POST", path+"/invitations", `{"expires_in":"1min"}`, asJSON,
		"application/json").json["code"].(string)
	s.clock.Add(int64(2 * time.Minute))
	assert.Contains(t, string(join(late, "Eve").body), "ended")
	s.clock.Store(0)
	assert.Equal(t, 400, s.call("POST", path+"/invitations", `{"expires_in":"1s"}`, asJSON, "application/json").status)

	cookie := joined.header.Get("Set-Cookie")
	cookie = cookie[:strings.IndexByte(cookie, ';')]
	guest := []string{"Cookie", cookie, "Authorization", ""}
	me := path + "/members/" + joined.json["member"].(string)
	session := s.call("GET", "/session", "", guest...)
	assert.Equal(t, idOf(path), session.json["party"])
	ask := func(method, path, body string) answer {
		return s.call(method, path, body, append(guest, asJSON, "application/json")...)
	}
	assert.Len(t, ask("GET", path+"/members", "").list("members"), 2)
	assert.Equal(t, 200, ask("PUT", me+"/positions", positions(reported(5, 0, 5))).status)
	assert.Equal(t, 200, ask("PUT", me, `{"name":"Wyn Tarn"}`).status)
	assert.Len(t, ask("GET", "/v1/parties", "").list("parties"), 1)
	assert.Equal(t, 200, ask("GET", "/v1/emergency", "").status)
	for call, want := range map[string]int{
		"GET " + secret: 404, "GET " + another: 404, "GET " + another + "/members": 404,
		"PUT " + members[0]: 403, "PUT " + members[0] + "/positions": 403, "DELETE " + members[0]: 403,
		"PUT " + path: 403, "DELETE " + path: 403, "POST " + path + "/invitations": 403, "PUT " + secret: 403,
		"PUT /v1/collections/huts": 403, "POST /v1/bulk": 403, "POST /v1/pictures": 403,
		"GET /v1/watches/events": 200, "PUT /v1/emergency": 403,
	} {
		method, to, _ := strings.Cut(call, " ")
		body := map[string]string{"PUT": `{"name":"x"}`, "POST": `{}`}[method]
		switch {
		case strings.HasSuffix(to, "positions"):
			body = positions(reported(5, 0, 5))
		case to == "/v1/bulk":
			body = `{"changes":[{"collection":"posts","id":"` + newID() + `","feature":null}]}`
		case to == secret:
			body = post("x", 1, 2)
		case to == "/v1/collections/huts":
			body = `{"title":"Huts"}`
		case to == "/v1/emergency":
			body = `{"name":"x","telephone":"1234"}`
		}
		headers := append([]string{"If-Match", "*"}, guest...)
		switch {
		case to == secret:
		case strings.HasSuffix(to, "pictures"):
			headers = append(headers, asJSON, "image/png")
		default:
			headers = append(headers, asJSON, "application/json")
		}
		a := s.call(method, to, body, headers...)
		assert.Equal(t, want, a.status, "%s: %s", call, a.body)
	}
	// Whatever can be read without knowing an id shows nothing of what the workspace keeps.
	for _, route := range s.routes() {
		method, to, _ := strings.Cut(route, " ")
		if method != "GET" || strings.Contains(to, ":") || !strings.HasPrefix(to, "/v1") && !strings.HasPrefix(to,
			"/ogc") ||
			to == "/v1/changes" {
			continue
		}
		query := map[string]string{"/v1/nearby": "?at=-38.05,-26.05", "/v1/measure": "?from=1,2&to=3,4",
			"/v1/contains": "?at=-38.05,-26.05", "/v1/proof/points": "?at=1,2",
			"/v1/served":      "?at=-38.05,-26.05",
			"/v1/proof/steps": "?from=1,2&to=3,4",
			"/v1/destination": "?from=1,2&bearing=3&distance=4", "/v1/interpret": "?q=secret",
			"/v1/geocode":         "?q=secret",
			"/v1/geocode/reverse": "?at=-38.05,-26.05", "/v1/features": "?q=secret", "/v1/qr": "?text=x",
			"/v1/route": "?from=-38.1102,-26.2809&to=-38.1044,-26.2712&by=foot", "/v1/doubts": "?at=-38.05,-26.05",
			"/v1/links": "?at=1,2", "/v1/reach": "?from=-38.1102,-26.2809&time=5min",
			"/v1/building": "?at=-38.1102,-26.2809"}[to]
		a := ask("GET", to+query, "")
		assert.Contains(t, []int{200, 204, 403, 404, 422}, a.status, "%s: %s", to, a.body)
		for _, word := range []string{"Secret", "Somebody else", `"name":"R"`, `"name":"W"`, `"posts"`} {
			assert.NotContains(t, string(a.body), word, to)
		}
	}
	events := s.listen("/v1/changes?topics=positions&topics=features&topics=watches&topics=parties", guest...)
	whole := next(t, events, "where everybody is")
	assert.Equal(t, idOf(path), whole.data["party"])
	assert.Equal(t, 201, s.call("PUT", items+"/"+newID(), post("Secret, too", 1, 2)).status)
	require.Equal(t, 200, s.put(another, `{"name":"Called otherwise"}`, "If-Match", "*").status)
	quiet(t, events, "what is not his")

	require.Equal(t, 204, ask("DELETE", me, "").status)
	for ended := false; !ended; { // what he looked on by ends, too
		select {
		case _, open := <-events:
			ended = !open
		case <-time.After(20 * time.Second):
			require.Fail(t, "who has left looks on")
		}
	}
	assert.Equal(t, 401, ask("GET", path+"/members", "").status, "who has left sees nothing, at once")
	assert.Equal(t, 401, ask("PUT", me, `{"name":"back"}`).status)
	assert.Len(t, s.call("GET", path+"/members", "").list("members"), 1)
}

func TestWatchesTellWhatEntersAndLeaves(t *testing.T) {
	s := newSite(t)
	s.collection()
	_, members := s.party("", "Ida", "Tam")
	ida, tam := members[0], members[1]
	inside, near := "/v1/watches/"+newID(), "/v1/watches/"+newID()
	const whom = `"people":true,"places":false}`
	for body, says := range map[string]string{
		`{"name":"W",` + whom: "only one that says where",
		`{"name":"W","center":[-26,-38],"within_m":0,` + whom:                        "within_m",
		`{"name":"W","center":[-26,-38],"within_m":5,"beyond_m":5,` + whom:           "beyond_m",
		`{"name":"W","center":[-26,-38],"within_m":5,"people":false,"places":false}`: "look at people",
		`{"name":"W","center":[-38,-126],"within_m":5,` + whom:                       "",
		`{"name":"W","follows":"` + newID() + `","within_m":5,` + whom:               "nobody in a party",
		`{"name":"W","follows":"` + idOf(ida) + `","within_m":1e6,` + whom:           "100000",
		`{"name":"W","area":[[[-26,-38],[-26,-38.1]]],` + whom:                       "area",
		`{"name":"W","center":[-26,-38],"within_m":5,"hysteresis_m":-1,` + whom:      "hysteresis_m",
		`{"name":"","center":[-26,-38],"within_m":5,` + whom:                         "name",
	} {
		a := s.put("/v1/watches/"+newID(), body)
		assert.Equal(t, 400, a.status, "%s: %s", body, a.body)
		assert.Contains(t, string(a.body), says)
	}
	circle := fmt.Sprintf(`{"name":"Square","center":[%v,%v],"within_m":500,"people":true,"places":true}`, square.Lng(),
		square.Lat())
	require.Equal(t, 201, s.put(inside, circle).status)
	// The centre of the other has no position yet.
	follows := fmt.Sprintf(`{"name":"Round Tam","follows":%q,"within_m":300,"people":true,"places":true}`, idOf(tam))
	require.Equal(t, 201, s.put(near, follows).status)
	assert.Empty(t, s.call("GET", near+"/inside", "").list("inside"))
	events := s.listen("/v1/watches/events", "Accept", "text/event-stream")
	all := s.listen("/v1/changes?topics=watch-events")
	time.Sleep(300 * time.Millisecond) // both have begun

	s.put(ida+"/positions", positions(reported(400, -20, 5)))
	e := next(t, events, "Ida enters")
	assert.Equal(t, []any{"enters", "Ida", "person", "moved"}, []any{e.data["event"], e.data["name"], e.data["kind"],
		e.data["why"]})
	assert.Equal(t, fmt.Sprint(e.data["no"]), e.id)
	assert.InDelta(t, 400, e.data["distance_m"], 0.02)
	assert.Equal(t, e.data, next(t, all, "on the one stream").data)
	s.put(ida+"/positions", positions(reported(505, -19, 5), reported(495, -18, 30), reported(510, -17, 30)))
	quiet(t, events, "at the edge")

	// A place enters and leaves as it is written, without a margin.
	pump := items + "/" + newID()
	at := func(metres float64) string {
		p, _, _ := geodesy.Destination(geodesy.Ellipsoid, square, 0, metres)
		return post("Pump", p.Lat(), p.Lng())
	}
	tag := s.call("PUT", pump, at(499.9)).header.Get("ETag")
	e = next(t, events, "the pump")
	assert.Equal(t, []any{"enters", "Pump", "place", "changed"}, []any{e.data["event"], e.data["name"], e.data["kind"],
		e.data["why"]})
	// Tam comes along: he enters the square, and the pump, which is near him, enters his own watch.
	s.put(tam+"/positions", positions(reported(300, -16, 5)))
	assert.Equal(t, idOf(inside), next(t, events, "Tam enters").data["watch"])
	e = next(t, events, "round Tam")
	assert.Equal(t, []any{idOf(near), "Ida"}, []any{e.data["watch"], e.data["name"]},
		"Ida is 210 m away, give or take 30")
	quiet(t, events, "the pump is 583 m from him")
	list := s.call("GET", near+"/inside", "").list("inside")
	require.Len(t, list, 1)
	assert.Equal(t, "Ida", list[0]["name"])
	list = s.call("GET", inside+"/inside", "").list("inside")
	require.Len(t, list, 3)
	assert.Equal(t, "Pump", list[1]["name"], "by distance")
	tag = s.call("PUT", pump, at(500.1), "If-Match", tag).header.Get("ETag")
	assert.Equal(t, "leaves", next(t, events, "20 cm farther").data["event"])
	_ = tag
	require.Equal(t, 200, s.put(tam, `{"name":"Tam","sharing":false}`).status)
	for range 2 {
		e = next(t, events, "Tam stops sharing")
		assert.Equal(t, []any{"leaves", "stopped sharing"}, []any{e.data["event"], e.data["why"]})
	}
	last := s.call("GET", "/v1/watches/events", "")
	assert.Len(t, last.list("events"), 7)
	assert.InDelta(t, 7, last.json["last"], 0)
	some := s.call("GET", "/v1/watches/events?since=5&limit=1", "").list("events")
	assert.InDelta(t, 6, some[0]["no"], 0)
	assert.Len(t, s.call("GET", "/v1/watches/events?watch="+idOf(near), "").list("events"), 2)
	assert.Equal(t, 410, s.call("GET", "/v1/watches/events?since=99", "").status)
	resumed := s.listen("/v1/watches/events", "Accept", "text/event-stream", "Last-Event-ID", "5")
	assert.Equal(t, "6", next(t, resumed, "resumed").id)
	assert.Equal(t, "7", next(t, resumed, "resumed").id)
	quiet(t, resumed, "all is told")
	// An area has no centre to be distant from.
	area := "/v1/watches/" + newID()
	lng, lat := square.Lng(), square.Lat()
	require.Equal(t, 201, s.put(area, fmt.Sprintf(`{"name":"Block","area":[[[%v,%v],[%v,%v],[%v,%v],[%v,%v]]],`+
		`"people":true,"places":true}`, lng-0.02, lat-0.02, lng+0.02, lat-0.02, lng, lat+0.02, lng-0.02,
		lat-0.02)).status)
	list = s.call("GET", area+"/inside", "").list("inside")
	require.NotEmpty(t, list)
	assert.Equal(t, []any{"Pump", nil}, []any{list[len(list)-1]["name"], list[len(list)-1]["distance_m"]})
	require.Equal(t, 204, s.call("DELETE", area, "", "If-Match", "*").status)
	// A paused watch tells of nothing, a deleted one neither.
	require.Equal(t, 200, s.put(inside, strings.Replace(circle, `"people"`, `"paused":true,"people"`, 1), "If-Match",
		"*").status)
	s.put(ida+"/positions", positions(reported(5000, -1, 5)))
	quiet(t, events, "it is paused")
}

// Events go on where they ended, whichever process looks: none is lost, none comes twice.
func TestEventsGoOnAfterARestart(t *testing.T) {
	s := newSite(t)
	s.collection()
	_, members := s.party("", "Ida")
	watch := "/v1/watches/" + newID()
	circle := fmt.Sprintf(`{"name":"Square","center":[%v,%v],"within_m":500,"people":true,"places":true}`, square.Lng(),
		square.Lat())
	require.Equal(t, 201, s.put(watch, circle).status)
	time.Sleep(500 * time.Millisecond) // the first watch of a workspace has somebody begin to look
	numbers := func() (out []string) {
		for _, e := range s.call("GET", "/v1/watches/events", "").list("events") {
			out = append(out, fmt.Sprint(e["no"], " ", e["name"], " ", e["event"]))
		}
		return out
	}
	for n := range 3 { // each time with another process
		ctx, stop := context.WithCancel(t.Context())
		v := service.New(s.store, t.TempDir(), slog.New(slog.DiscardHandler), service.Options{})
		var running sync.WaitGroup
		running.Go(func() { v.Run(ctx) })
		require.NoError(t, v.Load(ctx))
		before := len(numbers())
		s.put(members[0]+"/positions", positions(reported(float64(100+n), float64(n-20), 5)))
		require.Equal(t, 201, s.call("PUT", items+"/"+newID(), post(fmt.Sprint("Post ", n), square.Lat(),
			square.Lng())).status)
		require.Eventually(t, func() bool { return len(numbers()) > before }, 20*time.Second, 20*time.Millisecond)
		stop()
		running.Wait()
		v.Close()
	}
	require.Eventually(t, func() bool { return len(numbers()) == 4 }, 20*time.Second, 20*time.Millisecond)
	got := numbers()
	assert.ElementsMatch(t, []string{"Ida enters", "Post 0 enters", "Post 1 enters", "Post 2 enters"},
		[]string{got[0][2:], got[1][2:], got[2][2:], got[3][2:]})
	for i, line := range got {
		assert.Equal(t, fmt.Sprint(i+1), line[:1])
	}
}

func TestOnwardLinks(t *testing.T) {
	s := newSite(t)
	s.collection()
	path := items + "/" + newID()
	named := strings.Replace(post("Well & Pump, #2", -38.05, -26.05), `"name"`,
		`"accuracy_m":8,"address":"Mill Lane 12, 4100 Varrowby","name"`, 1)
	require.Equal(t, 201, s.call("PUT", path, named).status)
	template := "/v1/link-templates/" + newID()
	made := s.put(template, `{"name":"Field maps","templates":{"show":"https://maps.example/at{?lat,lng,name,zoom}",`+
		`"route":"fieldmaps://way{?from_lat,from_lng,lat,lng,mode}"},"words":{"foot":"walking"},`+
		`"platforms":["android"],"default_on":["android"]}`)
	require.Equal(t, 201, made.status, "%s", made.body)
	links := func(query string) map[string]string {
		a := s.call("GET", "/v1/collections/posts/features/"+idOf(path)+"/links"+query, "")
		require.Equal(t, 200, a.status, "%s", a.body)
		out := map[string]string{"text": a.json["text"].(string)}
		for _, l := range a.list("links") {
			out[l["app"].(string)+" "+l["intent"].(string)] = l["url"].(string)
			if l["default"] == true {
				out["default "+l["intent"].(string)] = l["app"].(string)
			}
		}
		return out
	}
	got := links("?from=-38,-26&by=foot&zoom=16&platform=android")
	for _, tt := range [][2]string{
		{"Field maps show",
			"https://maps.example/at?lat=-38.05&lng=-26.05&name=Well%20%26%20Pump%2C%20%232&zoom=16"},
		{"Field maps route", "fieldmaps://way?from_lat=-38&from_lng=-26&lat=-38.05&lng=-26.05&mode=walking"},
		{"geo: link show", "geo:-38.05,-26.05;u=8;name=Well%20%26%20Pump%2C%20%232"},
		{"geo: link that shows the name show",
			"geo:-38.05,-26.05?q=-38.05%2C-26.05%28Well%20%26%20Pump%2C%20%232%29"},
		{"default show", "Field maps"},
		{"default search", "geo: link"},
		{"text", "Well & Pump, #2\nMill Lane 12, 4100 Varrowby\n-38.05,-26.05 ± 8 m"},
	} {
		assert.Equal(t, tt[1], got[tt[0]], tt[0])
	}
	got = links("?platform=ios&intent=route")
	assert.NotContains(t, got, "Field maps route")
	assert.NotContains(t, got, "geo: link show")
	assert.Equal(t, "geo: link", got["default route"])
	unplaced := items + "/" + newID()
	require.Equal(t, 201, s.call("PUT", unplaced, `{"type":"Feature","geometry":null,"properties":{"name":"Promised"}}`,
		asJSON, "application/geo+json").status)
	a := s.call("GET", "/v1/collections/posts/features/"+idOf(unplaced)+"/links", "")
	assert.Empty(t, a.list("links"), "where it is nobody knows, and no template searches for a name: %s", a.body)
	spot := s.call("GET", "/v1/links?at=-38.1,-26.1&accuracy=35m&intent=show&platform=ios", "").list("links")
	assert.Equal(t, "geo:-38.1,-26.1;u=35", spot[0]["url"])
	assert.Equal(t, 422, s.call("GET", "/v1/links", "").status)
	for query, says := range map[string]string{"at=-126,-38": "", "at=1,2&by=horse": "foot",
		"at=1,2&intent=eat": "route",
		"at=1,2&zoom=99":    "22", "at=1,2&platform=tv": "desktop"} {
		a := s.call("GET", "/v1/links?"+query, "")
		assert.Equal(t, 400, a.status, query)
		assert.Contains(t, string(a.body), says)
	}
	for draft, says := range map[string]string{
		`{"templates":{"show":"javascript:alert({lat})"}}`:         "runs in the page",
		`{"templates":{"show":"JavaScript:alert({lat})"}}`:         "runs in the page",
		`{"templates":{"show":"data:text/html,{name}"}}`:           "runs in the page",
		`{"templates":{"show":" javascript:alert({lat})"}}`:        "space",
		`{"templates":{"show":"//maps.example/{lat}"}}`:            "scheme",
		`{"templates":{"show":"{name}:x"}}`:                        "scheme",
		`{"templates":{"show":"https://{name}.example/"}}`:         "host",
		`{"templates":{"show":"https://maps.example/{latitude}"}}`: "it knows lat, lng",
		`{"templates":{"show":"https://maps.example/{lat"}}`:       "RFC 6570",
		`{"templates":{"show":"https://maps.example/?q={+name}"}}`: "leaves",
		`{"templates":{"show":"https://maps.example/{#address}"}}`: "leaves",
		`{"templates":{"show":"https://maps.example/"}}`:           "whatever the place",
		`{"templates":{"eat":"https://maps.example/{lat}"}}`:       "intent",
		`{"templates":{}}`: "are missing",
		`{"templates":{"show":"https://maps.example/{lat}"},"platforms":["tv"]}`: "platform",
		`{"templates":{"show":"https://maps.example/{lat}"},"words":{"x":"y"}}`:  "word",
	} {
		if strings.Contains(draft, "platforms") { // which the document forbids
			assert.Equal(t, 400, s.put("/v1/link-templates/"+newID(), `{"name":"x",`+draft[1:]).status, draft)
			continue
		}
		a := s.call("POST", "/v1/link-templates/preview?at=1,2", draft, asJSON, "application/json")
		require.Equal(t, 200, a.status, "%s: %s", draft, a.body)
		assert.Contains(t, fmt.Sprint(a.json["wrong"]), says, draft)
		assert.Equal(t, 400, s.put("/v1/link-templates/"+newID(), `{"name":"x",`+draft[1:]).status, draft)
	}
	preview := s.call("POST", "/v1/link-templates/preview?at=1,2&name=A+%26+B",
		`{"templates":{"search":"https://maps.example/find{?text}"}}`, asJSON, "application/json")
	assert.Equal(t, "https://maps.example/find?text=A%20%26%20B", preview.list("links")[0]["url"])
	qr := s.call("GET", "/v1/qr?text="+url.QueryEscape(spot[0]["url"].(string)), "")
	assert.Contains(t, string(qr.body), "<svg")
	assert.Equal(t, 400, s.call("GET", "/v1/qr", "").status)
}
