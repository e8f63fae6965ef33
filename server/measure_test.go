package server

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

func measuredLines(t *testing.T, a answer) (out []map[string]any) {
	t.Helper()
	require.Equal(t, 200, a.status, "%.300s", a.body)
	require.Equal(t, linesType, a.header.Get("Content-Type"))
	for line := range strings.Lines(string(a.body)) {
		var one map[string]any
		require.NoError(t, json.Unmarshal([]byte(line), &one))
		out = append(out, one)
	}
	return out
}

// Many pairs are measured as each would be alone, in their order.
func TestManyPairsAtOnce(t *testing.T) {
	s := newSite(t)
	rng := rand.New(rand.NewPCG(18, 1))
	var pairs []string
	var want []geodesy.Line
	for range 9000 {
		a := geo.MustPoint(rng.Float64()*180-90, rng.Float64()*360-180)
		b := geo.MustPoint(rng.Float64()*180-90, rng.Float64()*360-180)
		pairs = append(pairs, fmt.Sprintf("[[%v,%v],[%v,%v]]", a.Lng(), a.Lat(), b.Lng(), b.Lat()))
		want = append(want, geodesy.Measure(geodesy.Ellipsoid, a, b))
	}
	lines := measuredLines(t, s.json("POST", "/v1/measure", `{"pairs":[`+strings.Join(pairs, ",")+`]}`))
	require.Len(t, lines, len(want))
	for i, l := range lines {
		require.Equal(t, float64(i), l["index"])
		require.InDelta(t, want[i].DistanceM, l["distance_m"], 1e-8)
		require.InDelta(t, want[i].InitialBearing, l["initial_bearing_deg"], 1e-12)
	}
}

func TestWhatCannotBeMeasuredIsSaidInItsLine(t *testing.T) {
	s := newSite(t)
	lines := measuredLines(t, s.json("POST", "/v1/measure",
		`{"pairs":[[[1,2],[1,2]],[[-26,-138],[1,2]],[[1],[1,2]],[[179.9,0],[-179.9,0]]],"model":"ellipsoid"}`))
	require.Len(t, lines, 4)
	assert.Equal(t, 0.0, lines[0]["distance_m"])
	assert.Nil(t, lines[0]["initial_bearing_deg"], "there is no direction to the same point")
	assert.Contains(t, fmt.Sprint(lines[1]["error"]), "pairs[1][0]")
	assert.Nil(t, lines[1]["distance_m"])
	assert.Contains(t, fmt.Sprint(lines[2]["error"]), "is no position")
	assert.InDelta(t, 22263.9, lines[3]["distance_m"], 0.1, "across the antimeridian")
	for _, bad := range []string{`{}`, `{"pairs":[]}`, `{"pairs":[[[1,2]]],"model":"flat"}`,
		`{"pairs":[[["a",2],[1,2]]]}`,
		`{"pairs":[` + strings.Repeat("[[1,2],[3,4]],", 100_000) + `[[1,2],[3,4]]]}`} {
		assert.Equal(t, 400, s.json("POST", "/v1/measure", bad).status, "%.60s", bad)
	}
}

// What else may be asked of a line: points along it, the nearest position, where it crosses another, both norths.
func TestMoreOfALine(t *testing.T) {
	s := newSite(t)
	a := s.call("GET", "/v1/measure?from=0,0&to=0,10&along=3&near=1,5&other_from=-5,4&other_to=5,4&declination=10W", "")
	require.Equal(t, 400, a.status, "an angle has no letter like that")
	a = s.call("GET", "/v1/measure?from=0,0&to=0,10&along=3&near=1,5&other_from=-5,4&other_to=5,4&declination=-10", "")
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Equal(t, 90.0, a.json["initial_bearing_deg"])
	assert.Equal(t, 100.0, a.json["magnetic_bearing_deg"], "magnetic north lies west")
	assert.Equal(t, 270.0, a.json["back_bearing_deg"])
	assert.Equal(t, "E", a.json["compass_point"])
	along := a.json["along"].(map[string]any)["coordinates"].([]any)
	require.Len(t, along, 3)
	assert.InDelta(t, 5, along[1].([]any)[0], 1e-9)
	nearest := a.json["nearest"].(map[string]any)
	assert.InDelta(t, 110574.388, nearest["distance_m"], 0.01, "a degree of latitude at the equator")
	assert.InDelta(t, 556597.454, nearest["along_m"], 0.01)
	crossing := a.json["crossing"].(map[string]any)["coordinates"].([]any)
	assert.InDelta(t, 4, crossing[0], 1e-9)
	a = s.call("GET", "/v1/measure?from=0,0&to=0,10&other_from=5,4&other_to=5,9", "")
	assert.Nil(t, a.json["crossing"])
	assert.Contains(t, a.json["crossing_reason"], "do not cross")
	a = s.call("GET", "/v1/measure?from=90,0&to=10,20", "")
	assert.Nil(t, a.json["initial_bearing_deg"], "from a pole every direction is south")
	assert.Equal(t, 180.0, a.json["final_bearing_deg"])
	assert.Nil(t, a.json["compass_point"])
	for query, says := range map[string]string{
		"from=0,0&to=0,10&along=1":                                 "2 to 1000",
		"from=0,0&to=0,10&along=1e9":                               "2 to 1000",
		"from=0,0&to=0,10&other_from=1,1":                          "come together",
		"from=0,0&to=0,10&near=1,1&model=rhumb":                    "model=ellipsoid",
		"from=0,0&to=0,10&declination=north of here and elsewhere": "is not an angle",
	} {
		a := s.call("GET", "/v1/measure?"+strings.ReplaceAll(query, " ", "+"), "")
		assert.Equal(t, 400, a.status, query)
		assert.Contains(t, string(a.body), says, query)
	}
	for bearing, lng := range map[string]float64{"E": 1, "90": 1, "100gon": 1, "N90E": 1, "west": -1} {
		a := s.call("GET", "/v1/destination?from=0,0&distance=111319.49079327357m&bearing="+bearing, "")
		require.Equal(t, 200, a.status, "%s", a.body)
		assert.InDelta(t, lng, a.json["point"].(map[string]any)["coordinates"].([]any)[0], 1e-9, bearing)
	}
	assert.Equal(t, 400, s.call("GET", "/v1/destination?from=0,0&distance=1km", "").status)
}
