package server

import (
	"bufio"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/codec/gpx"
	"viandante/core/geo"
	"viandante/core/geodesy"
)

// walk is a rehearsal between two corners of the island's town.
const walk = `{"name":"To the shelter","by":"foot","stops":[[-26.2809,-38.1102],[-26.2712,-38.1044]],"seed":%d,` +
	`"error_m":10,"pauses":1,"signal_lost":1,"wrong_turns":%d,"compass":"uncalibrated"}`

// fixesOf reads a GeoJSON text sequence.
func fixesOf(t *testing.T, body string) (out []simulated) {
	t.Helper()
	for text := range strings.SplitSeq(strings.TrimPrefix(body, "\x1e"), "\n\x1e") {
		var f simulated
		require.NoError(t, json.Unmarshal([]byte(text), &f), "%.200s", text)
		out = append(out, f)
	}
	return out
}

func (f simulated) at() geo.Point {
	return geo.MustPoint(f.Geometry.Coordinates[1], f.Geometry.Coordinates[0])
}

func TestARehearsalAlongTheRoads(t *testing.T) {
	s := newMapSite(t)
	path := "/v1/rehearsals/" + newID()
	made := s.put(path, fmt.Sprintf(walk, 7, 1))
	require.Equal(t, 201, made.status, "%s", made.body)
	again := s.put(path, fmt.Sprintf(walk, 7, 1))
	assert.Equal(t, 200, again.status)
	assert.Equal(t, made.header.Get("ETag"), again.header.Get("ETag"), "the same again is no change")
	track := s.call("GET", path+"/track", "")
	require.Equal(t, 200, track.status)
	assert.Equal(t, textSeq, track.header.Get("Content-Type"))
	fixes := fixesOf(t, string(track.body))
	require.InDelta(t, made.json["fixes"], len(fixes), 0)
	lost, astray := 0, 0
	for i, f := range fixes {
		assert.True(t, f.Fix.Simulated)
		if i > 0 && f.Fix.ElapsedS-fixes[i-1].Fix.ElapsedS > 10 {
			lost++
		}
		if f.Fix.Astray {
			astray++
		}
		require.Less(t, geodesy.Distance(f.at(), geo.MustPoint(f.Fix.True[1], f.Fix.True[0])), 50.0)
	}
	assert.Equal(t, 1, lost)
	assert.InDelta(t, 45, astray, 20)
	last := fixes[len(fixes)-1]
	assert.InDelta(t, made.json["duration_s"], last.Fix.ElapsedS, 1e-9)
	assert.Equal(t, string(track.body), string(s.call("GET", path+"/track", "").body), "the same fixes each time")

	other := "/v1/rehearsals/" + newID()
	require.Equal(t, 201, s.put(other, fmt.Sprintf(walk, 7, 1)).status)
	twin := fixesOf(t, string(s.call("GET", other+"/track", "").body))
	require.Len(t, twin, len(fixes))
	for i := range twin {
		require.Equal(t, fixes[i].Geometry, twin[i].Geometry, "the same seed gives the same journey")
	}
	right := s.put("/v1/rehearsals/"+newID(), fmt.Sprintf(walk, 7, 0))
	assert.Less(t, right.json["distance_m"], made.json["distance_m"], "who takes no wrong turn goes less far")

	list := s.call("GET", "/v1/rehearsals", "").list("rehearsals")
	require.Len(t, list, 3)
	assert.NotContains(t, list[0], "course", "the list is without the lines")
	assert.Contains(t, s.call("GET", path, "").json, "course")
	assert.Equal(t, 304, s.call("GET", path+"/track", "", "If-None-Match", made.header.Get("ETag")).status)
	assert.Equal(t, 204, s.call("DELETE", path, "", "If-Match", made.header.Get("ETag")).status)
	assert.Equal(t, 404, s.call("GET", path+"/track", "").status)
	assert.Equal(t, 404, s.call("GET", path+"/stream", "").status)
}

func TestATrackAsGPXComesBackAsARecording(t *testing.T) {
	s := newMapSite(t)
	path := "/v1/rehearsals/" + newID()
	require.Equal(t, 201, s.put(path, fmt.Sprintf(walk, 3, 0)).status)
	out := s.call("GET", path+"/track?format=gpx&start=2026-05-01T08:00:00Z", "")
	require.Equal(t, 200, out.status)
	assert.Equal(t, `attachment; filename="To the shelter.gpx"`, out.header.Get("Content-Disposition"))
	read, err := gpx.Read(strings.NewReader(string(out.body)), 1e5)
	require.NoError(t, err)
	assert.Equal(t, time.Date(2026, 5, 1, 8, 0, 0, 0, time.UTC), read.Positions[0].Time)
	assert.Equal(t, 2, strings.Count(string(out.body), "<trkseg>"), "a gap begins a segment")
	back := s.call("POST", "/v1/rehearsals?by=bicycle", string(out.body), asJSON, gpxType, "Idempotency-Key", "once")
	require.Equal(t, 201, back.status, "%s", back.body)
	assert.Equal(t, "To the shelter", back.json["name"])
	once := s.call("POST", "/v1/rehearsals?by=bicycle", string(out.body), asJSON, gpxType, "Idempotency-Key", "once")
	assert.Equal(t, back.json["id"], once.json["id"])
	first := fixesOf(t, string(s.call("GET", path+"/track", "").body))
	second := fixesOf(t, string(s.call("GET", "/v1/rehearsals/"+back.json["id"].(string)+"/track", "").body))
	require.Len(t, second, len(first))
	for i := range first {
		require.Equal(t, first[i].Geometry, second[i].Geometry)
		require.InDelta(t, first[i].Fix.ElapsedS, second[i].Fix.ElapsedS, 1e-6)
	}
}

func TestALiveStreamIsResumed(t *testing.T) {
	s := newMapSite(t)
	path := "/v1/rehearsals/" + newID()
	require.Equal(t, 201, s.put(path, fmt.Sprintf(walk, 3, 0)).status)
	track := fixesOf(t, string(s.call("GET", path+"/track", "").body))
	read := func(query string, most int, headers ...string) (ids, data []string) {
		r, err := http.NewRequestWithContext(t.Context(), "GET", s.url+path+"/stream"+query, nil)
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer secret")
		for i := 0; i < len(headers); i += 2 {
			r.Header.Set(headers[i], headers[i+1])
		}
		res, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		defer res.Body.Close() // the reader is gone in the middle
		require.Equal(t, 200, res.StatusCode)
		lines := bufio.NewScanner(res.Body)
		for lines.Scan() && len(data) < most {
			line := strings.TrimPrefix(lines.Text(), "\x1e")
			if id, ok := strings.CutPrefix(line, "id: "); ok {
				ids = append(ids, id)
			}
			if text, ok := strings.CutPrefix(line, "data: "); ok {
				data = append(data, text)
			} else if strings.HasPrefix(line, "{") {
				data = append(data, line)
			}
		}
		return ids, data
	}
	began := time.Now()
	ids, data := read("?speed=60", 30)
	assert.Greater(t, time.Since(began), 400*time.Millisecond, "29 seconds at 60 times")
	assert.Equal(t, "0", ids[0])
	on, more := read("?speed=60", 5, "Last-Event-ID", ids[len(ids)-1])
	assert.Equal(t, "30", on[0])
	for i, text := range append(data, more...) {
		var f simulated
		require.NoError(t, json.Unmarshal([]byte(text), &f))
		require.Equal(t, track[i].Geometry, f.Geometry, "it streams what the track holds")
		at, err := time.Parse(time.RFC3339, f.Fix.Time)
		require.NoError(t, err)
		require.WithinDuration(t, time.Now(), at, 20*time.Second, "with the time at which it is sent")
	}
	_, seq := read("?speed=60&from=100", 2, "Accept", textSeq)
	var f simulated
	require.NoError(t, json.Unmarshal([]byte(seq[0]), &f))
	assert.GreaterOrEqual(t, f.Fix.ElapsedS, 100.0)
	ids, data = read(fmt.Sprintf("?speed=60&from=%v", track[len(track)-3].Fix.ElapsedS), 10)
	assert.Len(t, ids, 3)
	assert.Equal(t, "{}", data[3], "the end is told")
}

func TestWhatIsNoRehearsal(t *testing.T) {
	s := newMapSite(t)
	path := "/v1/rehearsals/" + newID()
	for body, want := range map[string]string{
		`{"name":"x","by":"foot"}`:                                            "neither stops nor a line",
		`{"name":"","by":"foot"}`:                                             "1 to 100",
		`{"name":"x","by":"broomstick"}`:                                      "broomstick",
		`{"name":"x","by":"foot","stops":[[-26.28,-38.11]]}`:                  "from 2 to 50",
		`{"name":"x","by":"foot","stops":[[-26.28,-38.11],[-38.11,-126.28]]}`: "did you mean",
		`{"name":"x","by":"foot","stops":[[-26.28,-38.11],[10,50]]}`:          "no road",
		`{"name":"x","by":"foot","line":[[-26.28,-38.11]],"wrong_turns":1}`:   "junctions",
		`{"name":"x","by":"foot","line":[[-26.28,-38.11]],"error_m":1e9}`:     "0 to 200",
		`{"name":"x","by":"foot","line":[[-26.28,-38.11]],"pauses":-1}`:       "0 to 20",
		`{"name":"x","by":"foot","line":[[-26.28,-38.11]],"compass":"north"}`: "good, uncalibrated",
		`{"name":"x","by":"foot","line":[[-26.28,-38.11],[-20,-30]]}`:         "24 hours",

		`{"name":"x","by":"foot","line":[[-26,-38],[-26,-38]],"times_s":[5,1]}`:                 "ascending",
		`{"name":"x","by":"foot","line":[[-26,-38]],"stops":[[-26.28,-38.11],[-26.27,-38.11]]}`: "not both",
		`{"name":"x","by":"foot","line":[[-26,-38]],"noise":3}`:                                 "noise",
		`{"name":"x","by":"foot","line":[[-26,null]]}`:                                          "pair",
	} {
		a := s.put(path, body)
		assert.Contains(t, []int{400, 422}, a.status, body)
		assert.Contains(t, string(a.body), want, body)
	}
	for body, want := range map[string]string{
		"":       "no GPX",
		"<gpx/>": "no positions",
		`<gpx><trk><trkseg><trkpt lat="NaN" lon="1"/></trkseg></trk></gpx>`: "finite",
		"<gpx><trk>" + strings.Repeat(`<trkpt lat="1" lon="2"/>`, 100_000):  "86400",
	} {
		a := s.call("POST", "/v1/rehearsals", body, asJSON, gpxType)
		assert.Equal(t, 400, a.status, "%.80s", body)
		assert.Contains(t, string(a.body), want, "%.80s", body)
	}
	// Without times, and with one point, a recording is travelled or stood.
	for body, fixes := range map[string]float64{
		`<gpx><trk><trkseg><trkpt lat="-38" lon="-26"/></trkseg></trk></gpx>`:                                 60,
		`<gpx><trk><trkseg><trkpt lat="-38" lon="-26"/><trkpt lat="-38.001" lon="-26"/></trkseg></trk></gpx>`: 82,
		`<gpx><rte><rtept lat="-38" lon="-26"><time>2026-05-01T08:00:00Z</time></rtept></rte></gpx>`:          60,
	} {
		a := s.call("POST", "/v1/rehearsals", body, asJSON, gpxType)
		require.Equal(t, 201, a.status, "%s", a.body)
		assert.InDelta(t, fixes, a.json["fixes"], 6, body)
	}
	good := "/v1/rehearsals/" + newID()
	require.Equal(t, 201, s.put(good, `{"name":"x","by":"foot","line":[[-26.28,-38.11]]}`).status)
	for query, want := range map[string]string{"/track?format=kml": "gpx or geojsonseq", "/track?start=noon": "time",
		"/stream?speed=1000": "1 to 60", "/stream?speed=NaN": "1 to 60", "/stream?from=-1": "0 or more",
		"/stream?rate=2": "parameter"} {
		a := s.call("GET", good+query, "")
		assert.Equal(t, 400, a.status, query)
		assert.Contains(t, string(a.body), want, query)
	}
	assert.Equal(t, 400, s.call("GET", good+"/stream", "", "Last-Event-ID", "999").status)
	s.token = "reader"
	assert.Equal(t, 403, s.put(path, fmt.Sprintf(walk, 1, 0)).status)
	assert.Equal(t, 200, s.call("GET", good+"/track", "").status)
}
