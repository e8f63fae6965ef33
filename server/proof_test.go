package server

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const proofPointsPath = "/v1/proof/points?at=-38.11,-26.28&bearings=N,100,S,250&distances=500m,20km,300km"

// Test points go out, numbers come back: what is right is right, and a haversine with swapped arguments is named.
func TestNumbersAreProved(t *testing.T) {
	s := newSite(t)
	a := s.call("GET", proofPointsPath, "")
	require.Equal(t, 200, a.status, "%s", a.body)
	points := a.json["points"].([]any)
	require.Len(t, points, 12)
	body := func(line func(p map[string]any) string) string {
		var text strings.Builder
		for _, p := range points {
			text.WriteString(line(p.(map[string]any)) + "\n")
		}
		out, err := json.Marshal(map[string]any{"text": text.String(), "points": withoutResults(points)})
		require.NoError(t, err)
		return string(out)
	}
	a = s.json("POST", "/v1/proof", body(func(p map[string]any) string {
		return fmt.Sprintf("%v %.2f %.3f", p["id"], p["distance_m"], p["bearing_deg"])
	}))
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Equal(t, true, a.json["right"])
	assert.Empty(t, a.json["findings"])
	assert.Equal(t, 12.0, a.json["correct"])
	a = s.json("POST", "/v1/proof", body(func(p map[string]any) string {
		return fmt.Sprintf("%v %.2f %.3f", p["id"], p["distance_m"].(float64)/1.609344,
			math.Mod(450-p["bearing_deg"].(float64), 360))
	}))
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Equal(t, false, a.json["right"])
	findings := a.json["findings"].([]any)
	require.GreaterOrEqual(t, len(findings), 2)
	codes := []any{findings[0].(map[string]any)["code"], findings[1].(map[string]any)["code"]}
	assert.ElementsMatch(t, []any{"atan2_swapped", "miles_for_kilometres"}, codes)
	for _, f := range findings[:2] {
		assert.Contains(t, f.(map[string]any)["evidence"], "All 12 lines")
		mends := f.(map[string]any)["mends"].(map[string]any)
		assert.Len(t, mends, 9)
		for language, mend := range mends {
			assert.NotEmpty(t, mend, language)
		}
	}
	// The same as lines, with their own coordinates.
	a = s.json("POST", "/v1/proof", `{"from":[-26.28,-38.11],"unit":"km","lines":[
		{"to":[-26.28,-38],"distance":12.2,"bearing":0},{"to":[-26,-38.11],"distance":24.6,"bearing":90.1}]}`)
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Len(t, a.json["lines"], 2)
}

func withoutResults(points []any) (out []map[string]any) {
	for _, p := range points {
		p := p.(map[string]any)
		out = append(out, map[string]any{"id": p["id"], "name": p["name"], "from": p["from"], "to": p["to"]})
	}
	return out
}

func TestFormatsOfTestPoints(t *testing.T) {
	s := newSite(t)
	for format, says := range map[string]string{"csv": "id,name,from_lat", "jest": "test.each", "pytest": "parametrize",
		"go": "func TestPoints", "junit": "CsvSource", "xctest": "XCTestCase", "dart": "closeTo"} {
		a := s.call("GET", proofPointsPath+"&edges=true&format="+format, "")
		require.Equal(t, 200, a.status, format)
		assert.Contains(t, string(a.body), says)
		assert.Contains(t, string(a.body), "across the antimeridian")
	}
	a := s.call("GET", "/v1/proof/formulas", "")
	require.Equal(t, 200, a.status)
	assert.Len(t, a.json["formulas"], 3)
	assert.Len(t, a.json["languages"], 9)
	for _, f := range a.json["follow"].([]any) {
		a := s.call("GET", "/v1/proof/steps?from=-38.1,-26.1&to=-38.2,-26.2&formula="+f.(map[string]any)["id"].(string),
			"")
		require.Equal(t, 200, a.status, "%s", a.body)
		assert.Greater(t, len(a.json["steps"].([]any)), 5)
	}
}

func TestProofRefusesNonsense(t *testing.T) {
	s := newSite(t)
	for path, says := range map[string]string{
		"/v1/proof/points": "at is missing",
		"/v1/proof/points?at=1,2&bearings=north+of+it":      "is not an angle",
		"/v1/proof/points?at=1,2&distances=-5":              "not negative",
		"/v1/proof/points?at=1,2&distances=0":               "more than 0",
		"/v1/proof/points?at=1,2&distances=30000km":         "half the way",
		"/v1/proof/points?at=1,2&format=cobol":              "jest",
		"/v1/proof/steps?from=1,2&to=3,4&formula=astrology": "haversine",
	} {
		a := s.call("GET", path, "")
		assert.Equal(t, 400, a.status, path)
		assert.Contains(t, string(a.body), says, path)
	}
	for body, says := range map[string]string{
		`{}`:                                              "is empty",
		`{"text":"1 2","from":[1,99]}`:                    "from",
		`{"text":"1 2","unit":"ell"}`:                     "is not a unit",
		`{"text":"1 2","model":"flat"}`:                   "ellipsoid, sphere or rhumb",
		`{"text":"1 2","columns":["name"]}`:               "is not a role",
		`{"lines":[{"distance":1}]}`:                      "no two positions",
		`{"lines":[{"to":[1,99]}]}`:                       "lines[0].to",
		`{"points":[{"from":[1,2],"to":[1]}],"text":"1"}`: "points[0].to",
	} {
		a := s.json("POST", "/v1/proof", body)
		assert.Equal(t, 400, a.status, "%s: %s", body, a.body)
		assert.Contains(t, string(a.body), says, body)
	}
	a := s.json("POST", "/v1/proof", `{"from":[1,2],"text":"lat,lng,distance\n2,1,far\n2,1,5\n"}`)
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Equal(t, 1.0, a.json["refused"])
	assert.Equal(t, "far", a.json["problems"].([]any)[0].(map[string]any)["value"])
}
