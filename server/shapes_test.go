package server

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPathsAndAreas(t *testing.T) {
	s := newSite(t)
	s.collection()
	keep := func(geometry, props string) answer {
		return s.call(
			"PUT",
			"/ogc/collections/posts/items/"+newID(),
			fmt.Sprintf(`{"type":"Feature","geometry":%s,"properties":{"name":"x"%s}}`, geometry, props),
		)
	}
	a := keep(
		`{"type":"Polygon","coordinates":[[[0,0],[0,1],[1,1],[1,0],[0,0]],[[0.2,0.2],[0.4,0.2],[0.4,0.4],[0.2,0.2]]]}`,
		"",
	)
	require.Equal(t, 201, a.status, "%s", a.body)
	assert.Len(t, a.json["mended"], 2, "both rings were wound the wrong way: %s", a.body)
	assert.Contains(t, string(a.body), `[[[0,0],[1,0],[1,1],[0,1],[0,0]],[[0.2,0.2],[0.4,0.4],[0.4,0.2],[0.2,0.2]]]`)
	a = keep(`{"type":"Polygon","coordinates":[[[170,0],[-170,0],[-170,9.123456789],[170,9],[170,0]]]}`, "")
	require.Equal(t, 201, a.status)
	assert.NotContains(t, a.json, "mended")
	assert.Contains(t, string(a.body), "9.1234568", "7 decimals")
	a = keep(`{"type":"Point","coordinates":[-26,-38]}`, `,"radius_m":250`)
	require.Equal(t, 201, a.status)
	assert.EqualValues(t, 250, prop(a.json, "radius_m"))
	listed := s.call("GET", "/v1/features?kind=area", "")
	assert.EqualValues(t, 3, listed.json["numberMatched"])
	assert.Empty(
		t,
		s.call("GET", "/v1/nearby?at=-38,-26&within=1km", "").list("features"),
		"a circle is an area, no place",
	)
	for geometry, says := range map[string]string{
		`{"type":"Polygon","coordinates":[[[0,0],[10,10],[10,0],[0,10],[0,0]]]}`: "the outline crosses itself at 5,5",

		`{"type":"Polygon","coordinates":[[[0,0],[1,0],[1,1],[0,0]],` +
			`[[5,5],[6,5],[6,6],[5,5]]]}`: "a hole lies outside the outline",

		`{"type":"Polygon","coordinates":[[[0,0],[0,0],[0,0],[0,0]]]}`: "fewer than three positions that differ",
		`{"type":"LineString","coordinates":[[1,1],[1,1]]}`:            "positions are all the same",
		`{"type":"MultiPolygon","coordinates":[]}`:                     "is not a geometry that is kept",
		`{"type":"LineString","coordinates":[[0,95],[1,1]]}`:           "95",
		`{"type":"LineString","coordinates":[[0,0]` + strings.Repeat(",[1,1]", 100_000) +
			`]}`: "a line of 100001 positions",
		`{"type":"Polygon","coordinates":[[[0,0],[1,0],[1,1]]]}`: "a ring is not closed",
	} {
		a := keep(geometry, "")
		assert.Equal(t, 400, a.status, "%.80s", geometry)
		assert.Contains(t, string(a.body), says)
	}
	for _, radius := range []string{"0", "-5", "1e9", `"wide"`} {
		assert.Equal(t, 400, keep(`{"type":"Point","coordinates":[0,0]}`, `,"radius_m":`+radius).status, radius)
	}
	assert.Equal(t, 400, keep(`null`, `,"radius_m":5`).status)

	// As many vertices as there may be, over the antimeridian.
	var ring strings.Builder
	n := 99_999
	if testing.Short() {
		n = 9_999
	}
	for i := range n {
		a := 2 * math.Pi * float64(i) / float64(n)
		x := 179.9 + 0.5*math.Cos(a)
		if x > 180 {
			x -= 360
		}
		fmt.Fprintf(&ring, "[%.7f,%.7f],", x, -38+0.5*math.Sin(a))
	}
	a = keep(`{"type":"Polygon","coordinates":[[`+ring.String()+`[-179.6,-38]]]}`, "")
	require.Equal(t, 201, a.status, "%.300s", a.body)
	if !testing.Short() {
		assert.Equal(
			t,
			400,
			keep(`{"type":"Polygon","coordinates":[[`+ring.String()+`[-179.6,-38],[-179.6,-38]]]}`, "").status,
			"one too many",
		)
	}

	measured := s.call(
		"POST",
		"/v1/shape",
		`{"type":"Feature","geometry":{"type":"Polygon","coordinates":[[[0,0],[10,10],[10,0],[0,10],[0,0]]]},`+
			`"properties":{}}`,
	)
	require.Equal(t, 200, measured.status, "%s", measured.body)
	assert.Nil(t, measured.json["area_m2"], "what crosses itself has no area")
	assert.Len(t, measured.json["faults"], 1)
	uncrossed := measured.json["uncrossed"].(map[string]any)["coordinates"].([]any)[0].([]any)
	assert.Len(t, uncrossed, 5)
	measured = s.call(
		"POST",
		"/v1/shape",
		`{"type":"Feature","geometry":{"type":"Polygon","coordinates":[[[0,89],[90,89],[180,89],[-90,89],[0,89]]]},`+
			`"properties":{}}`,
	)
	assert.Equal(t, true, measured.json["has_pole"])
	assert.InEpsilon(t, 2.495e10, measured.json["area_m2"], 2e-3)
	measured = s.call(
		"POST",
		"/v1/shape",
		`{"type":"Feature","geometry":{"type":"Point","coordinates":[0,0]},"properties":{"radius_m":1000}}`,
	)
	assert.InEpsilon(t, 3_141_592.65, measured.json["area_m2"], 1e-5)
}

func TestManyAtOnce(t *testing.T) {
	s := newSite(t)
	s.collection()
	ids := make([]string, 900) // more than one statement takes
	var list []string
	for i := range ids {
		ids[i] = newID()
		list = append(
			list,
			fmt.Sprintf(
				`{"collection":"posts","id":%q,"feature":{"type":"Feature","geometry":{"type":"Point",`+
					`"coordinates":[%v,10]},"properties":{"name":"n%03d"}}}`,
				ids[i],
				float64(i)/100,
				i,
			),
		)
	}
	send := func(changes ...string) answer {
		return s.call("POST", "/v1/bulk", `{"changes":[`+strings.Join(changes, ",")+`]}`)
	}
	a := send(list...)
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.EqualValues(t, 900, a.json["changed"])
	no := a.json["no"].(float64)
	again := send(list...)
	assert.EqualValues(
		t,
		0,
		again.json["changed"],
		"the same again, as after an unknown outcome, is no change: %s",
		again.body,
	)
	rows := s.call("GET", "/v1/features?sort=-name&limit=2&offset=1", "")
	assert.EqualValues(t, 900, rows.json["numberMatched"])
	assert.Equal(t, "n898", prop(rows.list("features")[0], "name"))
	patch := func(i int, version float64) string {
		return fmt.Sprintf(
			`{"collection":"posts","id":%q,"version":%v,"patch":{"properties":{"category":"fountain"}}}`,
			ids[i],
			version,
		)
	}
	remove := fmt.Sprintf(`{"collection":"posts","id":%q,"version":%v,"delete":true}`, ids[5], no)
	a = send(patch(0, no), patch(1, no-1), remove)
	assert.Equal(t, 412, a.status)
	assert.Contains(t, string(a.body), `change 1 (\"n001\")`)
	a = send(patch(0, no), patch(1, no), remove)
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.EqualValues(t, 3, a.json["changed"])
	assert.EqualValues(
		t,
		2,
		s.call("GET", "/v1/features?category=fountain", "").json["numberMatched"],
		"all of it or none",
	)
	assert.EqualValues(t, 1, len(s.call("GET", "/v1/bin", "").list("bin")))
	for changes, says := range map[string]string{
		``: "must be 1 to 10000",
		`{"collection":"posts","id":"` + ids[0] + `"}`:                           "must have one of",
		patch(0, no) + "," + patch(0, no):                                        "stands there twice",
		`{"collection":"none","id":"` + ids[0] + `","delete":true,"version":1}`:  "collection none",
		`{"collection":"posts","id":"` + ids[5] + `","delete":true,"version":1}`: "feature " + ids[5],
		`{"collection":"posts","id":"` + newID() + `","feature":{"type":"Feature","geometry":null,` +
			`"properties":{"visible":3}}}`: "changes[0].properties.visible",
	} {
		a := send(changes)
		assert.GreaterOrEqual(t, a.status, 400)
		assert.Contains(t, string(a.body), says)
	}
	for query, says := range map[string]string{"offset=-1": "pass over", "where=x": "where=condition:sound",
		"placed=maybe": "true nor false", "id=7": "not an id", "bbox=1": "bbox", "filter=x": "not a parameter"} {
		a := s.call("GET", "/v1/features?"+query, "")
		assert.Equal(t, 400, a.status)
		assert.Contains(t, string(a.body), says)
	}
}

// A page that has slept through somebody's delete must not bring back what was deleted, nor lose what it holds.
func TestSavingAfterADelete(t *testing.T) {
	s := newSite(t)
	s.collection()
	path := "/ogc/collections/posts/items/" + newID()
	body := func(name string) string {
		return fmt.Sprintf(`{"type":"Feature","geometry":null,"properties":{"name":%q}}`, name)
	}
	etag := s.call("PUT", path, body("one")).header.Get("ETag")
	require.Equal(t, 204, s.call("DELETE", path, "", "If-Match", etag).status)
	a := s.call("PUT", path, body("two"), "If-Match", etag)
	assert.Equal(t, 404, a.status)
	assert.Equal(t, 404, s.call("GET", path, "").status)
	assert.Equal(t, 201, s.call("PUT", path, body("one"), "If-None-Match", "*").status, "who wants it back says so")
}
