package server

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const lockers = `{"title":"Lockers","attributes":[
	{"name":"boxes","title":"Boxes","type":"number","required":true},
	{"name":"lock","type":"choice","options":["key","code"]},
	{"name":"checked_on","type":"date"},{"name":"indoors","type":"boolean"},{"name":"manual","type":"url"},
		{"name":"keeper_phone","type":"telephone"},{"name":"notes","type":"text"}]}`

func TestACollectionGoesWhenItIsEmpty(t *testing.T) {
	s := newSite(t)
	require.Equal(t, 201, s.put("/v1/collections/huts", `{"title":"Huts"}`).status)
	path := "/ogc/collections/huts/items/" + newID()
	a := s.call("PUT", path, `{"type":"Feature","geometry":null,"properties":{"name":"x"}}`)
	require.Equal(t, 201, a.status)
	refused := s.call("DELETE", "/v1/collections/huts", "", "If-Match", "*")
	assert.Equal(t, 409, refused.status)
	assert.Contains(t, string(refused.body), "still holds features")
	require.Equal(t, 204, s.call("DELETE", path, "", "If-Match", a.header.Get("ETag")).status)
	assert.Equal(t, 204, s.call("DELETE", "/v1/collections/huts", "", "If-Match", "*").status)
	assert.Equal(t, 404, s.call("DELETE", "/v1/collections/huts", "", "If-Match", "*").status)
}

func TestACollectionDefinesItsAttributes(t *testing.T) {
	s := newSite(t)
	a := s.put("/v1/collections/lockers", lockers)
	require.Equal(t, 201, a.status, "%s", a.body)
	assert.Len(t, a.json["attributes"], 7)
	place := func(props string) answer {
		return s.call(
			"PUT",
			"/ogc/collections/lockers/items/"+newID(),
			fmt.Sprintf(`{"type":"Feature","geometry":null,"properties":{%s}}`, props),
		)
	}
	a = place(
		`"name":"Quay","boxes":12,"lock":"code","checked_on":"2026-05-01","indoors":false,
		"manual":"https://society.example/manual","keeper_phone":"+290 (12) 345-67 ext. 8",
		"notes":"=SUM(A1)","free":{"of":"schema"},
		"telephone":"112 233","website":"http://society.example","visible":true,
		"address":"Quay 1","description":"by the steps"`,
	)
	require.Equal(t, 201, a.status, "%s", a.body)
	assert.Equal(t, map[string]any{"of": "schema"}, prop(a.json, "free"), "what is not defined is free")
	for props, says := range map[string]string{
		`"name":"x"`:                               "properties.boxes is missing",
		`"boxes":"12"`:                             "is not a number",
		`"boxes":1,"lock":"magic"`:                 "is none of the choices",
		`"boxes":1,"lock":7`:                       "is none of the choices",
		`"boxes":1,"checked_on":"1.5.2026"`:        "is not a date",
		`"boxes":1,"checked_on":"2026-02-30"`:      "is not a date",
		`"boxes":1,"indoors":"yes"`:                "is neither true nor false",
		`"boxes":1,"manual":"javascript:alert(1)"`: "is not a web address",
		`"boxes":1,"keeper_phone":"ring me"`:       "is not a telephone number",
		`"boxes":1,"notes":5`:                      "is not a text",
		`"boxes":1,"website":"society.example"`:    "is not a web address",
		`"boxes":1,"visible":1`:                    "is neither true nor false",
		`"boxes":1,"telephone":"++1"`:              "is not a telephone number",
	} {
		a := place(props)
		assert.Equal(t, 400, a.status, props)
		assert.Contains(t, string(a.body), says)
	}
	assert.Equal(t, 428, s.put("/v1/collections/lockers", `{"title":"Lending lockers"}`).status)
	a = s.put(
		"/v1/collections/lockers",
		`{"title":"Lending lockers"}`,
		"If-Match",
		s.call("GET", "/v1/collections/lockers", "").header.Get("ETag"),
	)
	assert.Len(t, a.json["attributes"], 7, "a change of the title leaves them")
	for attributes, says := range map[string]string{
		`{"name":"Boxes","type":"number"}`:                        "must begin with a small letter",
		`{"name":"a","type":"number"},{"name":"a","type":"text"}`: "stands there twice",
		`{"name":"name","type":"text"}`:                           "every feature has already",
		`{"name":"website","type":"text"}`:                        "every feature has already",
		`{"name":"depth_m","type":"number"}`:                      "ends in a unit",
		`{"name":"a","type":"colour"}`:                            "must be one of",
		`{"name":"a","type":"choice"}`:                            "needs at least one",
		`{"name":"a","type":"text","options":["b"]}`:              "needs at least one",
		`{"name":"a","type":"choice","options":[""]}`:             "1 to 200 characters",
	} {
		a := s.put("/v1/collections/other", `{"title":"Other","attributes":[`+attributes+`]}`)
		assert.Equal(t, 400, a.status, attributes)
		assert.Contains(t, string(a.body), says)
	}
}

func TestCategoriesComeAndGo(t *testing.T) {
	s := newSite(t)
	picture := s.call("POST", "/v1/pictures", picturePNG(20, 20), asJSON, "image/png").json["picture"]
	a := s.put(
		"/v1/categories/pump",
		fmt.Sprintf(`{"name":"Pump","glyph":"drop","colour":"#24705F","position":3,"picture":%q}`, picture),
	)
	require.Equal(t, 201, a.status, "%s", a.body)
	require.Len(t, s.call("GET", "/v1/categories", "").list("categories"), 1)
	for body, says := range map[string]string{`{"name":"","colour":"#24705F"}`: "1 to 100",
		`{"name":"x","colour":"green"}`:                    "not a colour",
		`{"name":"x","colour":"#24705F","picture":"none"}`: "/v1/pictures first"} {
		a := s.put("/v1/categories/pump", body)
		assert.Equal(t, 400, a.status)
		assert.Contains(t, string(a.body), says)
	}
	assert.Equal(t, 400, s.put("/v1/categories/Bad%20id", `{"name":"x","colour":"#24705F"}`).status)
	assert.Equal(t, 204, s.call("DELETE", "/v1/categories/pump", "", "If-Match", "*").status)
	assert.Equal(t, 404, s.call("DELETE", "/v1/categories/pump", "", "If-Match", "*").status)
}

func TestHistoryAndBin(t *testing.T) {
	s := newSite(t)
	s.collection()
	id := newID()
	path, past := items+"/"+id, "/v1/collections/posts/history/"+id
	require.Equal(t, 201, s.call("PUT", path, post("Pump", -38.1, -26.2)).status)
	require.Equal(t, 200, s.call("PUT", path, post("Pump", -38.1009, -26.2), "If-Match", "*").status)
	require.Equal(
		t,
		200,
		s.call(
			"PATCH",
			path,
			`{"properties":{"name":"Old pump","open":null}}`,
			"If-Match",
			"*",
			asJSON,
			"application/merge-patch+json",
		).status,
	)
	require.Equal(t, 204, s.call("DELETE", path, "", "If-Match", "*").status)
	bin := s.call("GET", "/v1/bin", "").list("bin")
	require.Len(t, bin, 1)
	assert.Equal(t, "posts", bin[0]["collection"])
	require.Equal(t, 201, s.call("PUT", path, post("Old pump", -38.1009, -26.2)).status, "out of the bin")
	assert.Empty(t, s.call("GET", "/v1/bin", "").list("bin"))
	history := s.call("GET", past, "").list("history")
	require.Len(t, history, 5)
	for i, want := range []string{"restored", "deleted", "changed", "moved", "created"} {
		assert.Equal(t, want, history[i]["what"])
		assert.Equal(t, "tester", history[i]["actor"])
	}
	assert.InDelta(t, 99.9, history[3]["moved_m"], 0.2)
	assert.Equal(
		t,
		[]any{
			map[string]any{"name": "name", "before": "Pump", "after": "Old pump"},
			map[string]any{"name": "open", "before": true, "after": nil},
		},
		history[2]["changes"],
	)
	assert.Equal(t, 404, s.call("GET", "/v1/collections/posts/history/"+newID(), "").status)
	assert.Equal(t, 404, s.call("GET", "/v1/collections/other/history/"+id, "").status)
}

// Positions that were mistyped lie far from everything; the likely mend is offered. One that is far on purpose is left
// alone.
func TestDoubtsAboutAPosition(t *testing.T) {
	s := newMapSite(t)
	for at, want := range map[string]string{
		"-38.114,-26.28": "", "-38.3,-26.9": "", "-26.28,-38.114": "-38.114,-26.28", "38.114,-26.28": "-38.114,-26.28",
		"-38.114,26.28": "-38.114,-26.28",
		"38.114,26.28":  "-38.114,-26.28", "26.28,38.114": "-38.114,-26.28", "52.5,13.4": "", "0,0": "",
	} {
		doubts := s.call("GET", "/v1/doubts?at="+at, "").list("doubts")
		switch {
		case at == "0,0":
			require.Len(t, doubts, 1)
			assert.Contains(t, doubts[0]["reason"], "0,0")
		case want == "":
			assert.Empty(t, doubts, at)
		default:
			require.Len(t, doubts, 1, at)
			assert.Equal(t, want, doubts[0]["mend"])
		}
	}
}
