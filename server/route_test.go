package server

import (
	"encoding/json"
	"fmt"
	"log/slog"
	"math"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/shape"
	"viandante/demo/demotest"
	"viandante/service"
)

// The ends of a way across the island, and some positions on it.
const wayFrom, wayTo = "-38.1102,-26.2809", "-38.03,-26.05"

// way returns the properties of the best way of a query.
func (s *site) way(query string) map[string]any {
	s.t.Helper()
	a := s.call("GET", "/v1/route?"+query, "")
	require.Equal(s.t, 200, a.status, "%s", a.body)
	return a.features()[0]["properties"].(map[string]any)
}

func (s *site) post(path, body string, headers ...string) answer {
	s.t.Helper()
	return s.call("POST", path, body, append([]string{"Content-Type", "application/json"}, headers...)...)
}

// addresses returns some of the island's houses.
func addresses(t *testing.T, seed uint64, n int) []geo.Point {
	r, rnd := demotest.Island(t).Region, rand.New(rand.NewPCG(seed, 1))
	out := make([]geo.Point, n)
	for i := range out {
		out[i] = r.Address(uint32(rnd.IntN(r.Addresses()))).At
	}
	return out
}

func pairs(points []geo.Point) string {
	out := make([]geo.Pair, len(points))
	for i, p := range points {
		out[i] = geo.Pair{p.Lng(), p.Lat()}
	}
	text, _ := json.Marshal(out)
	return string(text)
}

func TestTheMatrixTellsWhatRoutesTell(t *testing.T) {
	s := newMapSite(t)
	from, to := addresses(t, 1, 4), addresses(t, 2, 5)
	to = append(to, geo.MustPoint(10, 10), from[0]) // at sea, and where one is
	for _, by := range []string{"car", "bicycle", "foot"} {
		a := s.post("/v1/matrix", fmt.Sprintf(`{"from":%s,"to":%s,"by":%q}`, pairs(from), pairs(to), by))
		require.Equal(t, 200, a.status, "%s", a.body)
		durations, distances := a.json["durations_s"].([]any), a.json["distances_m"].([]any)
		for i, f := range from {
			row, far := durations[i].([]any), distances[i].([]any)
			require.Len(t, row, len(to))
			assert.Nil(t, row[5], "nobody gets to the open sea")
			for k, o := range to {
				if k == 5 {
					continue
				}
				p := s.way(fmt.Sprintf("by=%s&from=%v&to=%v", by, f, o))
				assert.InDelta(t, p["duration_s"], row[k], 0.02, "%v to %v by %s", f, o, by)
				assert.InDelta(t, p["distance_m"], far[k], 0.02)
			}
		}
		assert.Zero(t, durations[0].([]any)[6])
	}
}

func TestWhatAMatrixRefuses(t *testing.T) {
	s := newMapSite(t)
	many := strings.Repeat("[-26.1,-38.05],", 9_999) + "[-26.1,-38.05]"
	for body, want := range map[string]string{
		`{"from":[],"to":[[1,2]]}`: "must each have a position",
		fmt.Sprintf(`{"from":[%s],"to":[%s]}`, many,
			many): "at most 2500 positions on a side and 250000 pairs",
		`{"from":[[-26.1,-138.05]],"to":[[-26.1,-38.05]]}`:              "from[0]",
		`{"from":[[-26.1,null]],"to":[[-26.1,-38.05]]}`:                 "pair of numbers",
		`{"from":[[-26.1,-38.05]],"to":[[-26.1,-38.05]],"by":"donkey"}`: "is not a way of travelling",
		`{"from":[[-26.1,-38.05]],"to":[[-26.1,-38.05]],"speed":3}`:     "speed",
	} {
		a := s.post("/v1/matrix", body)
		assert.Equal(t, 400, a.status, "%.80s: %s", body, a.body)
		assert.Contains(t, string(a.body), want, "%.80s", body)
	}
}

// A closure counts for the next request, is told of, holds on a second process at once, and lapses by itself.
func TestClosures(t *testing.T) {
	s := newMapSite(t)
	query := "by=car&segments=true&from=" + wayFrom + "&to=" + wayTo
	free := s.way(query)
	segments := free["legs"].([]any)[0].(map[string]any)["segments"].([]any)
	middle := segments[len(segments)/2].(string)
	soon := time.Now().Add(1500 * time.Millisecond).UTC().Format(time.RFC3339Nano)
	body := fmt.Sprintf(`{"name":"Fallen tree","state":"blocked","segment":%q,"until":%q}`, middle, soon)
	made := s.post("/v1/closures", body, "Idempotency-Key", "tree")
	require.Equal(t, 201, made.status, "%s", made.body)
	again := s.post("/v1/closures", body, "Idempotency-Key", "tree")
	assert.Equal(t, made.json["id"], again.json["id"], "the same key is the same closure")

	round := s.way(query)
	assert.Greater(t, round["duration_s"], free["duration_s"])
	assert.NotContains(t, round["legs"].([]any)[0].(map[string]any)["segments"], middle)
	avoided := round["closures_avoided"].([]any)
	require.Len(t, avoided, 1)
	assert.Equal(t, "Fallen tree", avoided[0].(map[string]any)["name"])
	later := time.Now().Add(time.Hour).UTC().Format(time.RFC3339)
	assert.Equal(t, free["duration_s"], s.way(query + "&depart=" + later)["duration_s"], "it has lapsed by then")

	other := service.New(s.store, s.t.TempDir(), slog.New(slog.DiscardHandler), service.Options{})
	_, err := other.UseRegion(t.Context(), "island", "", demotest.Island(t).File)
	require.NoError(t, err)
	require.NoError(t, other.Load(t.Context()))
	defer other.Close()
	config := s.config
	config.Service = other
	first := s.handler
	s.handler, err = New(t.Context(), config)
	require.NoError(t, err)
	assert.Equal(t, round["duration_s"], s.way(query)["duration_s"], "another process knows of it")
	s.handler = first

	require.Eventually(t, func() bool { return s.way(query)["duration_s"] == free["duration_s"] }, 10*time.Second,
		100*time.Millisecond, "it lapses by itself")
	kept := s.call("GET", "/v1/closures", "").list("closures")
	assert.Len(t, kept, 1, "a lapsed one is still told of")
}

func TestClosuresByLineAndAreaSlowAndOpenAgain(t *testing.T) {
	s := newMapSite(t)
	query := "by=car&from=" + wayFrom + "&to=" + wayTo
	a := s.call("GET", "/v1/route?"+query, "")
	free := a.features()[0]["properties"].(map[string]any)
	line := a.features()[0]["geometry"].(map[string]any)["coordinates"].([]any)
	stretch, err := json.Marshal(line[len(line)/2 : len(line)/2+12])
	require.NoError(t, err)
	put := func(path, body string) {
		t.Helper()
		b := s.call("PUT", path, body, "Content-Type", "application/json", "If-None-Match", "*")
		require.Equal(t, 201, b.status, "%s", b.body)
	}
	slow := "/v1/closures/" + newID()
	put(slow, fmt.Sprintf(`{"name":"Sheep","state":"slow","factor":1.5,"line":%s}`, stretch))
	slower := s.way(query)
	assert.Greater(t, slower["duration_s"], free["duration_s"])
	put("/v1/closures/"+newID(), fmt.Sprintf(`{"name":"Sheep are gone","state":"open","line":%s}`, stretch))
	assert.Equal(t, free["duration_s"], s.way(query)["duration_s"], "what was said last counts")
	require.Equal(t, 204, s.call("DELETE", slow, "", "If-Match", "*").status)

	middle := line[len(line)/2].([]any)
	x, y := middle[0].(float64), middle[1].(float64)
	box := fmt.Sprintf(`[[%f,%f],[%f,%f],[%f,%f],[%f,%f]]`, x-0.01, y-0.01, x+0.01, y-0.01, x+0.01, y+0.01, x-0.01,
		y+0.01)
	flood := "/v1/closures/" + newID()
	put(flood, `{"name":"Flood","state":"blocked","area":[`+box+`]}`)
	around := s.call("GET", "/v1/route?"+query, "")
	if around.status == 200 {
		for _, p := range around.features()[0]["geometry"].(map[string]any)["coordinates"].([]any) {
			q := p.([]any)
			inside := math.Abs(q[0].(float64)-x) < 0.0099 && math.Abs(q[1].(float64)-y) < 0.0099
			assert.False(t, inside, "%v lies in the flood", q)
		}
	} else {
		assert.Contains(t, string(around.body), "while what is closed stays closed")
	}
	require.Equal(t, 204, s.call("DELETE", flood, "", "If-Match", "*").status)
	put("/v1/closures/"+newID(),
		`{"name":"Drill","state":"blocked","by":["foot"],"area":[`+box+`]}`)
	assert.Equal(t, free["duration_s"], s.way(query)["duration_s"], "it is for who walks")
}

func TestWhatAClosureMustSay(t *testing.T) {
	s := newMapSite(t)
	for _, c := range [][2]string{
		{
			`{"state":"blocked","segment":"1:2-3"}`,
			"name",
		},
		{
			`{"name":"A","state":"shut","segment":"1:2-3"}`,
			"blocked, slow or open",
		},
		{
			`{"name":"A","state":"blocked"}`,
			"one of them",
		},
		{
			`{"name":"A","state":"blocked","segment":"1:2-3","line":[[-26.1,-38.05],[-26.11,-38.05]]}`,
			"one of them",
		},
		{
			`{"name":"A","state":"blocked","segment":"1:2-3"}`,
			"no road of the map data",
		},
		{
			`{"name":"A","state":"blocked","line":[[-20,-38],[-20.1,-38]]}`,
			"no road of the map data",
		},
		{
			`{"name":"A","state":"blocked","line":[[-26.1,-38.05]]}`,
			"2 to 10000 positions",
		},
		{
			`{"name":"A","state":"slow","factor":0.5,"segment":"1:2-3"}`,
			"from 1 to 100",
		},
		{
			`{"name":"A","state":"blocked","segment":"1:2-3","until":"2020-01-01T00:00:00Z"}`,
			"has passed already",
		},
		{
			`{"name":"A","state":"blocked","segment":"1:2-3","by":["donkey"]}`,
			"not a way of travelling",
		},
		{
			`{"name":"A","state":"blocked","segment":"1:2-3","ways":["river"]}`,
			"no class of road",
		},
		{
			`{"name":"A","state":"blocked","area":[[[-26.1,-38.05],[-26.2,-38.05]]]}`,
			"rings of 3",
		},
		{
			`{"name":"A","state":"blocked","area":[[[-26.1,-138.05],[-26.2,-38.05],[-26.2,-38.1]]]}`,
			"area[0]",
		},
		{
			`{"name":"A'; DROP TABLE kept; --","state":"blocked","segment":"1:2-3' OR 1=1"}`,
			"no road of the map data",
		},
		{
			`{"name":"A","state":"blocked","segment":"1:2-3","until":"2027-02-30T00:00:00Z"}`,
			"",
		},
		{
			`{"name":"A","state":"blocked","segment":"` + strings.Repeat("1", 500) + `"}`,
			"80 bytes",
		},
		{
			`{"name":"A","state":"blocked","from":"2031-01-01T00:00:00Z","until":"2030-01-01T00:00:00Z"}`,
			"must be after from",
		},
	} {
		body, want := c[0], c[1]
		a := s.post("/v1/closures", body)
		assert.Contains(t, []int{400, 422}, a.status, "%s: %s", body, a.body)
		assert.Contains(t, string(a.body), want, body)
	}
	assert.Empty(t, s.call("GET", "/v1/closures", "").list("closures"), "nothing was kept")
}

// What can be reached in more time holds what can be reached in less; houses inside are there in time, and others are
// not, but for what lies beside the roads.
func TestReach(t *testing.T) {
	s := newMapSite(t)
	houses := addresses(t, 3, 120)
	start := geo.MustPoint(-38.1102, -26.2809)
	for _, by := range []string{"foot", "bicycle", "car"} {
		for _, inward := range []bool{false, true} {
			a := s.call("GET", fmt.Sprintf("/v1/reach?from=%v&by=%s&time=15min&time=5min&inward=%t", start, by,
				inward), "")
			require.Equal(t, 200, a.status, "%s", a.body)
			require.Len(t, a.features(), 2)
			assert.Equal(t, 300.0, prop(a.features()[0], "time_s"))
			less, more := ringsOf(t, a.features()[0]), ringsOf(t, a.features()[1])
			assert.True(t, insideAny(less, start) && insideAny(more, start))
			for _, h := range houses {
				assert.True(t, insideAny(more, h) || !insideAny(less, h), "%v by %s", h, by)
			}
			body := fmt.Sprintf(`{"from":%s,"to":%s,"by":%q}`, pairs([]geo.Point{start}), pairs(houses), by)
			if inward {
				body = fmt.Sprintf(`{"to":%s,"from":%s,"by":%q}`, pairs([]geo.Point{start}), pairs(houses), by)
			}
			m := s.post("/v1/matrix", body).json["durations_s"].([]any)
			wrong := 0
			for i, h := range houses {
				var seconds any
				if inward {
					seconds = m[i].([]any)[0]
				} else {
					seconds = m[0].([]any)[i]
				}
				took, ok := seconds.(float64)
				if in := insideAny(more, h); ok && (took < 780 && !in || took > 1020 && in) {
					wrong++
				}
			}
			assert.LessOrEqual(t, wrong, 2, "by %s, inward %t", by, inward)
		}
	}
	for query, want := range map[string]string{"from=1,2": "must be given", "from=1,2&time=0": "is not from 1 s",
		"from=1,2&time=7h": "is not from 1 s to 6 h", "from=1,2&time=NaN": "not a duration",
		"from=200,2&time=5min":              "from",
		"from=1,2&time=5min&inward=perhaps": "neither true nor false"} {
		a := s.call("GET", "/v1/reach?"+query, "")
		assert.Equal(t, 400, a.status)
		assert.Contains(t, string(a.body), want, query)
	}
	assert.Equal(t, 422, s.call("GET", "/v1/reach?from=10,10&time=5min", "").status, "at sea")
}

// ringsOf reads a Polygon or a MultiPolygon, and holds it to what GeoJSON asks: rings closed, outlines
// counterclockwise.
func ringsOf(t *testing.T, f map[string]any) (out [][][]geo.Point) {
	t.Helper()
	g := f["geometry"].(map[string]any)
	polygons := []any{g["coordinates"]}
	if g["type"] == "MultiPolygon" {
		polygons = g["coordinates"].([]any)
	}
	for _, polygon := range polygons {
		var rings [][]geo.Point
		for n, ring := range polygon.([]any) {
			var points []geo.Point
			area := 0.0
			for _, p := range ring.([]any) {
				q := p.([]any)
				points = append(points, geo.MustPoint(q[1].(float64), q[0].(float64)))
				if k := len(points) - 1; k > 0 {
					area += points[k-1].Lng()*points[k].Lat() - points[k].Lng()*points[k-1].Lat()
				}
			}
			require.Equal(t, points[0], points[len(points)-1])
			require.Equal(t, n == 0, area > 0, "outlines run counterclockwise, holes clockwise")
			rings = append(rings, points)
		}
		out = append(out, rings)
	}
	return out
}

func insideAny(polygons [][][]geo.Point, p geo.Point) bool {
	return slices.ContainsFunc(polygons, func(rings [][]geo.Point) bool { return shape.Inside(rings, p) })
}

func TestNearbyByTime(t *testing.T) {
	s := newMapSite(t)
	s.collection()
	houses := addresses(t, 4, 60)
	for i, h := range houses {
		a := s.call("PUT", items+"/"+newID(), post(fmt.Sprintf("Post %d", i), h.Lat(), h.Lng()), "If-None-Match", "*")
		require.Equal(t, 201, a.status, "%s", a.body)
	}
	m := s.post("/v1/matrix", fmt.Sprintf(`{"from":[[-26.2809,-38.1102]],"to":%s,"by":"bicycle"}`, pairs(houses)))
	var want []float64
	for _, v := range m.json["durations_s"].([]any)[0].([]any) {
		if d, ok := v.(float64); ok && d <= 1800 {
			want = append(want, d)
		}
	}
	slices.Sort(want)
	require.Greater(t, len(want), 8)
	a := s.call("GET", "/v1/nearby?at="+wayFrom+"&by=bicycle&within=30min&limit=1000", "")
	require.Equal(t, 200, a.status, "%s", a.body)
	require.Len(t, a.features(), len(want))
	for i, f := range a.features() {
		assert.InDelta(t, want[i], prop(f, "duration_s"), 0.02)
	}
	few := s.call("GET", "/v1/nearby?at="+wayFrom+"&by=bicycle&limit=5", "").features()
	require.Len(t, few, 5, "without a time, the nearest by time")
	assert.InDelta(t, want[4], prop(few[4], "duration_s"), 0.02)
	for query, reason := range map[string]string{"&by=bicycle&within=5km": "not a duration", "&by=mule": "by",
		"&by=foot&kind=area": "not asked for by time", "&avoid=steps": "places by travel time"} {
		b := s.call("GET", "/v1/nearby?at="+wayFrom+query, "")
		assert.Equal(t, 400, b.status, query)
		assert.Contains(t, string(b.body), reason, query)
	}
}

func TestOrderLanguageAndOtherWays(t *testing.T) {
	s := newMapSite(t)
	query := "by=bicycle&from=" + wayFrom + "&to=" + wayTo
	in := s.way(query + "&via=-38.03,-26.2&via=-38.12,-26.25&via=-38.0,-26.0")
	best := s.way(query + "&via=-38.03,-26.2&via=-38.12,-26.25&via=-38.0,-26.0&optimize=true")
	assert.LessOrEqual(t, best["duration_s"], in["duration_s"])
	assert.Len(t, best["order"], 3)
	assert.Equal(t, true, best["proven"])
	text := func(p map[string]any) string {
		steps := p["legs"].([]any)[0].(map[string]any)["steps"].([]any)
		return steps[0].(map[string]any)["text"].(string)
	}
	assert.Contains(t, text(s.way(query)), "Set out ")
	assert.Contains(t, text(s.way(query+"&language=it")), "Partire verso ")
	ways := s.call("GET", "/v1/route?alternatives=3&"+query, "").features()
	require.Greater(t, len(ways), 1)
	for _, w := range ways[1:] {
		assert.Greater(t, prop(w, "duration_s"), prop(ways[0], "duration_s"))
		assert.NotEmpty(t, prop(w, "differs").(map[string]any)["street"])
	}
	car := "by=car&from=" + wayFrom + "&to=" + wayTo
	assert.Contains(t, s.way(car)["has"], "tunnel")
	assert.NotContains(t, s.way(car + "&avoid=tunnel")["has"], "tunnel")
	for more, want := range map[string]string{"&alternatives=4": "from 0 to 3", "&language=tlh": "en, it",
		"&avoid=rain": "motorway, toll, ferry", "&depart=tomorrow": "RFC 3339",
		"&optimize=maybe":                  "neither true nor false",
		"&alternatives=1&via=-38.03,-26.2": "without stops", strings.Repeat("&via=-38.03,-26.2", 200): "200 times"} {
		a := s.call("GET", "/v1/route?"+query+more, "")
		assert.Equal(t, 400, a.status, more)
		assert.Contains(t, string(a.body), want, more)
	}
	cut := s.call("GET", "/v1/route?by=car&from="+wayFrom+"&to=-30,-20", "")
	assert.Equal(t, 422, cut.status)
}

// A profile of one's own is taken from its file while the server runs; one that makes no sense is told of.
func TestProfilesOfOnesOwn(t *testing.T) {
	s := newMapSite(t)
	dir := s.service.ProfileDir()
	require.NoError(t, os.MkdirAll(dir, 0o755))
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	write("cart.yaml", "name: cart\nlike: car\ntitle: Hand cart\nlimit_share: 0\ntop: 4\n")
	write("broken.yaml", "name: broken\nlike: car\nspeeds: {primary: -3}\n")
	names := func() (out []string) {
		for _, p := range s.call("GET", "/v1/profiles", "").list("profiles") {
			out = append(out, p["name"].(string))
		}
		return out
	}
	require.Eventually(t, func() bool { return slices.Contains(names(), "cart") }, 10*time.Second, 50*time.Millisecond)
	assert.Equal(t, []string{"bicycle", "car", "cart", "foot"}, names())
	trouble := s.call("GET", "/v1/profiles", "").json["trouble"].([]any)
	require.Len(t, trouble, 1)
	assert.Contains(t, trouble[0], "primary is -3; it must be from 0.5 to 300")
	p := s.way("by=cart&from=" + wayFrom + "&to=-38.1044,-26.2712")
	assert.InDelta(t, 4/3.6, p["distance_m"].(float64)/p["duration_s"].(float64), 0.2)
	write("cart.yaml", "name: cart\nlike: car\nlimit_share: 0\ntop: 8\n")
	require.Eventually(t, func() bool {
		q := s.way("by=cart&from=" + wayFrom + "&to=-38.1044,-26.2712")
		return q["duration_s"].(float64) < 0.7*p["duration_s"].(float64)
	}, 10*time.Second, 50*time.Millisecond, "a changed file counts")
	assert.Equal(t, http.StatusBadRequest, s.call("GET", "/v1/route?by=broken&from="+wayFrom+"&to="+wayTo, "").status)
}
