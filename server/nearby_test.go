package server

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// shapes fills a collection with an area that has a hole, a circle, a path across the antimeridian and a place.
func (s *site) shapes() {
	s.t.Helper()
	s.collection()
	for _, body := range []string{
		`{"type":"Feature","geometry":{"type":"Polygon","coordinates":[[[0,0],[0.1,0],[0.1,0.1],[0,0.1],[0,0]],` +
			`[[0.04,0.04],[0.04,0.06],[0.06,0.06],[0.06,0.04],[0.04,0.04]]]},"properties":{"name":"Common"}}`,
		`{"type":"Feature","geometry":{"type":"Point","coordinates":[0.2,0.05]},` +
			`"properties":{"name":"Beat","radius_m":3000}}`,
		`{"type":"Feature","geometry":{"type":"LineString","coordinates":[[179.99,0],[-179.99,0]]},` +
			`"properties":{"name":"Cable"}}`,
		`{"type":"Feature","geometry":{"type":"Point","coordinates":[0.05,0.2]},"properties":{"name":"Post"}}`,
	} {
		require.Equal(s.t, 201, s.call("PUT", items+"/"+newID(), body).status)
	}
}

func (s *site) names(path string) (out []string) {
	s.t.Helper()
	a := s.call("GET", path, "")
	require.Equal(s.t, 200, a.status, "%s", a.body)
	for _, f := range a.features() {
		out = append(out, fmt.Sprint(prop(f, "name")))
	}
	return out
}

// A point is held by the areas round it: not in their holes, on the rim of a circle still.
func TestWhichAreasHoldAPoint(t *testing.T) {
	s := newSite(t)
	s.shapes()
	assert.Equal(t, []string{"Common"}, s.names("/v1/contains?at=0.02,0.02"))
	assert.Empty(t, s.names("/v1/contains?at=0.05,0.05"), "the hole")
	assert.Equal(t, []string{"Beat"}, s.names("/v1/contains?at=0.05,0.2"))
	rim, _, err := geodesy.Destination(geodesy.Ellipsoid, geo.MustPoint(0.05, 0.2), 77, 2999.999)
	require.NoError(t, err)
	assert.Equal(t, []string{"Beat"}, s.names("/v1/contains?at="+rim.String()))
	out, _, err := geodesy.Destination(geodesy.Ellipsoid, geo.MustPoint(0.05, 0.2), 77, 3000.1)
	require.NoError(t, err)
	assert.Empty(t, s.names("/v1/contains?at="+out.String()))
	assert.Empty(t, s.names("/v1/contains?at=0.02,0.02&collection=none"))
	assert.Equal(t, 400, s.call("GET", "/v1/contains", "").status)
	assert.Equal(t, 400, s.call("GET", "/v1/contains?at=95,0", "").status)
}

// What nearby looks at is said by a parameter: places where none is given, as before.
func TestNearbyLooksAtTheKindsThatAreAskedFor(t *testing.T) {
	s := newSite(t)
	s.shapes()
	const at = "/v1/nearby?at=0.05,0.05"
	assert.Equal(t, []string{"Post"}, s.names(at+"&within=100km"))
	assert.Equal(t, []string{"Common", "Beat"}, s.names(at+"&within=100km&kind=area"))
	assert.Equal(t, []string{"Common", "Beat", "Post"}, s.names(at+"&within=100km&kind=area&kind=place&kind=path"))
	assert.Equal(t, []string{"Beat"}, s.names(at+"&within=100km&beyond=5km&kind=area"))
	assert.Equal(t, []string{"Common"}, s.names(at+"&within=100km&kind=area&limit=1"))
	assert.Empty(t, s.names(at+"&within=100m&kind=area"), "the edge of the hole is a kilometre away")
	a := s.call("GET", "/v1/nearby?at=0.02,0.02&within=1km&kind=area", "").features()
	require.Len(t, a, 1)
	assert.Equal(t, 0.0, prop(a[0], "distance_m"))
	assert.Nil(t, prop(a[0], "bearing_deg"), "inside there is no direction to it")
	cable := s.call("GET", "/v1/nearby?at=0.001,180&within=200m&kind=path", "").features()
	require.Len(t, cable, 1, "across the antimeridian")
	assert.InDelta(t, 110.57, prop(cable[0], "distance_m"), 0.01)
	assert.InDelta(t, 180, prop(cable[0], "bearing_deg"), 0.01)
	assert.Equal(t, []string{"Cable"}, s.names("/v1/nearby?at=0,-179&kind=path"), "the nearest, however far")
	assert.Equal(t, 400, s.call("GET", at+"&kind=line", "").status)
}

// Places along a line and in an area, and those of an attribute's value.
func TestNearbyALineAndAnArea(t *testing.T) {
	s := newSite(t)
	s.shapes()
	names := func(body string) (out []string) {
		t.Helper()
		a := s.json("POST", "/v1/nearby", body)
		require.Equal(t, 200, a.status, "%s", a.body)
		for _, f := range a.features() {
			out = append(out, fmt.Sprint(prop(f, "name")))
		}
		return out
	}
	line := `{"geometry":{"type":"LineString","coordinates":[[0,0.19],[0.2,0.19]]},"within":`
	assert.Equal(t, []string{"Post"}, names(line+`"1200m"}`))
	assert.Empty(t, names(line+`"1km"}`))
	assert.Empty(t, names(line+`"2km","beyond":"1.2km"}`))
	assert.Equal(t, []string{"Post"}, names(
		`{"geometry":{"type":"Polygon","coordinates":[[[0,0.1],[0.1,0.1],[0.1,0.3],`+
			`[0,0.3],[0,0.1]]]}}`))
	assert.Empty(t, names(`{"geometry":{"type":"Polygon","coordinates":[[[0,0.1],[0.1,0.1],[0.1,0.15],[0,0.1]]]}}`))
	assert.Equal(t, []string{"Post"}, names(`{"geometry":{"type":"Point","coordinates":[0.05,0.2]},"within":"0"}`))
	a := s.json("POST", "/v1/nearby", line+`"1200m"}`).features()[0]
	assert.InDelta(t, 1105.74, prop(a, "distance_m"), 0.05)
	assert.InDelta(t, 0, math.Remainder(prop(a, "bearing_deg").(float64), 360), 1e-3, "the line bends a little")
	for body, says := range map[string]string{
		`{}`:                         "geometry is missing",
		`{"geometry":null}`:          "geometry is missing",
		line + `"-1m"}`:              "not negative",
		line + `"far"}`:              "is not a length",
		line + `"1m","limit":0}`:     "1 to 10000",
		line + `"1m","beyond":"2m"}`: "more than within",
		`{"geometry":{"type":"LineString","coordinates":[[0,0],[1,1]]}}`:                "within is missing",
		`{"geometry":{"type":"LineString","coordinates":[[0,0]]},"within":"1m"}`:        "",
		`{"geometry":{"type":"Polygon","coordinates":[[[0,0],[1,1]]]}}`:                 "",
		`{"geometry":{"type":"LineString","coordinates":[[0,0],[1,99]]},"within":"1m"}`: "",
		line + `"1m","kind":["path"]}`:                                                  "not a member",
	} {
		a := s.json("POST", "/v1/nearby", body)
		assert.Equal(t, 400, a.status, "%s: %s", body, a.body)
		assert.Contains(t, string(a.body), says, body)
	}
	assert.Empty(t, s.names("/v1/nearby?at=0.05,0.05&where=condition:sound"))
	assert.Equal(t, 400, s.call("GET", "/v1/nearby?at=0.05,0.05&where=sound", "").status)
}

// A point is served by the areas that hold it, but for those that exclude; else the nearest that would serve is told.
func TestWhetherAPointIsServed(t *testing.T) {
	s := newSite(t)
	s.shapes()
	require.Equal(t, 201, s.put("/v1/collections/closed", `{"title":"Closed"}`).status)
	require.Equal(t, 201, s.call("PUT", "/ogc/collections/closed/items/"+newID(), `{"type":"Feature","geometry":`+
		`{"type":"Point","coordinates":[0.2,0.05]},"properties":{"name":"Nest","radius_m":100}}`).status)
	a := s.call("GET", "/v1/served?at=0.02,0.02", "")
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Equal(t, true, a.json["served"])
	assert.Equal(t, "Common", a.json["by"].([]any)[0].(map[string]any)["name"])
	assert.Empty(t, a.json["nearest"])
	a = s.call("GET", "/v1/served?at=0.05,0.2&exclude=closed", "")
	assert.Equal(t, false, a.json["served"], "in the beat, but in the nest as well")
	assert.Equal(t, "Beat", a.json["by"].([]any)[0].(map[string]any)["name"])
	assert.Equal(t, "Nest", a.json["excluded_by"].([]any)[0].(map[string]any)["name"])
	a = s.call("GET", "/v1/served?at=0.05,0.3&exclude=closed", "")
	assert.Equal(t, false, a.json["served"])
	nearest := a.json["nearest"].([]any)[0].(map[string]any)
	assert.Equal(t, "Beat", nearest["name"])
	assert.InDelta(t, 11131.949-3000, nearest["distance_m"], 1)
	assert.InDelta(t, 270, nearest["bearing_deg"], 0.01)
	a = s.call("GET", "/v1/served?at=0.05,0.3&collection=closed", "")
	assert.Equal(t, "Nest", a.json["nearest"].([]any)[0].(map[string]any)["name"])
	assert.Equal(t, 400, s.call("GET", "/v1/served", "").status)
}

// Rings and areas as they should not be, and those that only look so.
func TestOddRingsAndAreas(t *testing.T) {
	s := newSite(t)
	s.shapes()
	for query, says := range map[string]string{
		"at=0.2,0.05&within=-1":               "not negative",
		"at=0.2,0.05&within=NaN":              "is not a length",
		"at=0.2,0.05&within=60000km":          "round the earth",
		"at=0.2,0.05&within=1km&beyond=2km":   "more than within",
		"at=NaN,0":                            "decimal",
		"at=91,0":                             "",
		"at=0,0&limit=0":                      "1 to 10000",
		"at=0,0&within=1km&beyond=1km&kind=x": "is not a kind",
	} {
		a := s.call("GET", "/v1/nearby?"+query, "")
		assert.Equal(t, 400, a.status, query)
		assert.Contains(t, string(a.body), says, query)
	}
	assert.Equal(t, []string{"Post"}, s.names("/v1/nearby?at=0.2,0.05&within=0"), "both ends are included")
	assert.Empty(t, s.names("/v1/nearby?at=0.2,0.0500001&within=0"))
	assert.Equal(t, []string{"Post"}, s.names("/v1/nearby?at=0.2,0.05&within=50000km"), "all of the earth")
	assert.Equal(t, []string{"Post"}, s.names("/v1/nearby?at=90,0"))
	assert.Equal(t, []string{"Post"}, s.names("/v1/nearby?at=-90,77&within=10100km"))
	area := func(ring string) []string {
		a := s.json("POST", "/v1/nearby", `{"geometry":{"type":"Polygon","coordinates":[[`+ring+`]]}}`)
		require.Equal(t, 200, a.status, "%s", a.body)
		var out []string
		for _, f := range a.features() {
			out = append(out, fmt.Sprint(prop(f, "name")))
		}
		return out
	}
	assert.Equal(t, []string{"Post"}, area("[0,0.1],[0.1,0.1],[0,0.4],[0.1,0.4],[0,0.1]"), "sides that cross")
	assert.Empty(t, area("[0,0.21],[0.1,0.21],[0,0.4],[0.1,0.4],[0,0.21]"))
	assert.Equal(t, []string{"Post"}, area("[0,0.1],[120,0.1],[-120,0.1],[0,0.1]"), "round the north pole")
	assert.Empty(t, area("[0,1],[120,1],[-120,1],[0,1]"))
	for i := range 5 {
		require.Equal(t, 201, s.call("PUT", items+"/"+newID(),
			fmt.Sprintf(`{"type":"Feature","geometry":{"type":"Point",`+
				`"coordinates":[80,%v]},"properties":{"name":"far %d"}}`, 10+float64(i)/1000, i)).status)
	}
	a := s.call("GET", "/v1/nearby?at=10,80&within=1km&limit=2&count=true", "")
	assert.Equal(t, true, a.json["truncated"])
	assert.Equal(t, 2.0, a.json["numberReturned"])
	assert.Equal(t, 5.0, a.json["numberMatched"], "all of the ring are counted")
	a = s.call("GET", "/v1/nearby?at=10,80&within=1km&limit=2", "")
	assert.Equal(t, true, a.json["truncated"])
	assert.Nil(t, a.json["numberMatched"], "it was not asked for")
	a = s.call("GET", "/v1/nearby?at=10,80&within=1km", "")
	assert.Equal(t, false, a.json["truncated"])
}
