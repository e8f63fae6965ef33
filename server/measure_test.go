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
