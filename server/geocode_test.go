package server

import (
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/region"
	"viandante/demo/demotest"
	"viandante/service"
	"viandante/service/atlas/atlastest"
)

// json sends a body of JSON.
func (s *site) json(method, path, body string) answer {
	return s.call(method, path, body, "Content-Type", "application/json")
}

func geocodeOf(q string) string { return "/v1/geocode?limit=5&q=" + url.QueryEscape(q) }

// A find says what it is, what of the query matched, what was corrected, what was ignored, and which map data it is of.
func TestAFindOverHTTPSaysHowItWasUnderstood(t *testing.T) {
	s := newMapSite(t)
	a := s.call("GET", geocodeOf("gret harbor st 5, varowby, Farland"), "")
	require.Equal(t, 200, a.status, "%s", a.body)
	f := a.features()[0]
	assert.Equal(t, "Great Harbour Street 5, 4100 Varrowby", prop(f, "label"))
	assert.Equal(t, "address", prop(f, "kind"))
	assert.Contains(t, fmt.Sprint(prop(f, "corrected")), "map[read:Great typed:gret]")
	assert.Equal(t, []any{"Farland"}, prop(f, "ignored"))
	assert.Equal(t, "island", prop(f, "region"))
	assert.Len(t, prop(f, "region_version"), 64)
	assert.Contains(t, prop(f, "district"), "Hundred")
	for q, kind := range map[string]string{"4100": "postcode", "Varrow Haven": "locality", "west hundred": "district",
		"geo:-38.1,-26;u=30": "position", "corner of Mill Lane and Island Road": "crossing",
		"Great Harbour Street":                         "street",
		"fountain near Great Harbour Street, Varrowby": "landmark"} {
		assert.Equal(t, kind, prop(s.call("GET", geocodeOf(q), "").features()[0], "kind"), q)
	}
	assert.Equal(t, "Varrow Haven", prop(s.call("GET", geocodeOf("varrow haven"), "").features()[0], "other_name"))
	a = s.call("GET", geocodeOf("Great Harbour Street 9999, Varrowby"), "")
	assert.Equal(t, true, prop(a.features()[0], "number_unknown"))
	a = s.call("GET", geocodeOf("xyzzy frobnitz"), "")
	assert.Empty(t, a.features())
	assert.Equal(t, []any{"xyzzy", "frobnitz"}, a.json["unknown"])
	a = s.call("GET", "/v1/geocode?postcode=4100", "")
	assert.Equal(t, "postcode", prop(a.features()[0], "kind"))
	assert.Equal(t, 400, s.call("GET", "/v1/geocode?housenumber=4", "").status)
}

func TestSuggestAnswersEveryKeystroke(t *testing.T) {
	s := newMapSite(t)
	text := "Great Harbour Street 5, Varrowby"
	for n := range len(text) {
		a := s.call("GET", "/v1/suggest?limit=5&q="+url.QueryEscape(text[:n+1]), "")
		require.Equal(t, 200, a.status, "%s", a.body)
		if n >= len("Great H") {
			require.NotEmpty(t, a.features(), text[:n+1])
			assert.Contains(t, prop(a.features()[0], "label"), "Great Harbour", text[:n+1])
		}
	}
	for _, q := range []string{"", "g", "(", "%", "\u202e", strings.Repeat("a", 900), "12", "°"} {
		assert.Equal(t, 200, s.call("GET", "/v1/suggest?q="+url.QueryEscape(q), "").status, q)
	}
}

func TestManyAddressesAtOnce(t *testing.T) {
	s := newMapSite(t)
	island := demotest.Island(t)
	var queries []any
	want := map[int]string{}
	for i := 0; i < island.Region.Addresses(); i += 31 {
		a := island.Region.Address(uint32(i))
		st := island.Region.Street(a.Street)
		label := st.Name + " " + a.Number + ", " + a.Postcode + " " + island.Region.Settlement(st.Settlement).Name
		want[len(queries)] = label
		if i%2 == 0 {
			queries = append(queries, label)
		} else {
			queries = append(queries, map[string]any{"street": st.Name, "housenumber": a.Number, "postcode": a.Postcode,
				"locality": island.Region.Settlement(st.Settlement).Name})
		}
	}
	wrong := len(queries)
	queries = append(queries, 12, "", map[string]any{"strasse": "x"}, "xyzzy")
	body, err := json.Marshal(map[string]any{"queries": queries})
	require.NoError(t, err)
	a := s.json("POST", "/v1/geocode/batch", string(body))
	require.Equal(t, 200, a.status)
	assert.Equal(t, "application/x-ndjson", a.header.Get("Content-Type"))
	lines := strings.Split(strings.TrimSpace(string(a.body)), "\n")
	require.Len(t, lines, len(queries))
	for i, text := range lines {
		var line struct {
			Index    int
			Features []struct{ Properties struct{ Label string } }
			Error    *struct{ Reason string }
			Unknown  []string
		}
		require.NoError(t, json.Unmarshal([]byte(text), &line))
		require.Equal(t, i, line.Index)
		switch {
		case i < wrong:
			require.Nil(t, line.Error)
			require.Len(t, line.Features, 1, text)
			require.Equal(t, want[i], line.Features[0].Properties.Label)
		case i < wrong+3:
			require.NotNil(t, line.Error, text)
		default:
			assert.Equal(t, []string{"xyzzy"}, line.Unknown)
		}
	}
	for _, bad := range []string{`{}`, `{"queries":[]}`, `{"queries":["x"],"limit":99}`, `{"queries":["x"],"fast":1}`,
		`{"queries":[` + strings.TrimSuffix(strings.Repeat(`"x",`, 10_001), ",") + `]}`} {
		assert.Equal(t, 400, s.json("POST", "/v1/geocode/batch", bad).status, bad[:min(len(bad), 60)])
	}
}

// No map data, none there, and not yet: three different answers.
func TestWhenNothingCanBeAnswered(t *testing.T) {
	s := newSite(t)
	a := s.call("GET", geocodeOf("Mill Lane"), "")
	assert.Equal(t, 422, a.status)
	assert.Contains(t, string(a.body), "viandante region build")
	assert.Equal(t, 422, s.call("GET", "/v1/geocode/reverse?at=1,2", "").status)
	a = s.call("GET", "/v1/interpret?q=mill", "")
	assert.Equal(t, 200, a.status)
	assert.Contains(t, a.json["without_map"], "no map data")
	assert.Equal(t, "position", prop(s.call("GET", geocodeOf("1, 2"), "").features()[0], "kind"), "that needs no map")

	m := newMapSite(t)
	a = m.call("GET", "/v1/geocode/reverse?at=10,10", "")
	assert.Equal(t, 422, a.status)
	assert.Contains(t, string(a.body), "no region holds 10,10")
	sea := m.call("GET", "/v1/geocode/reverse?limit=1&at=-38.13,-26.29", "").features()[0]
	assert.Contains(t, []any{"sea", "ground", "address"}, prop(sea, "kind"))
}

// addressOnly is a place that has an address and no position.
func addressOnly(name, address string) string {
	text, _ := json.Marshal(map[string]any{"type": "Feature", "geometry": nil,
		"properties": map[string]any{"name": name, "address_typed": address}})
	return string(text)
}

func (s *site) lookup(id string) map[string]any { return s.call("GET", "/v1/lookups/"+id, "").json }

func (s *site) finished(id string) map[string]any {
	s.t.Helper()
	require.Eventually(s.t, func() bool { return s.lookup(id)["state"] == "done" }, 20*time.Second, 50*time.Millisecond)
	return s.lookup(id)
}

// Places with an address are put where it is for certain; the others wait for somebody. All of it is undone as one.
func TestAddressesAreLookedUpInTheBackground(t *testing.T) {
	s := newMapSite(t)
	s.collection()
	sure := demotest.Island(t).Label(t, "3", "Quillmere")
	ids := []string{newID(), newID(), newID(), newID()}
	for i, address := range []string{sure, "Great Harbour Street", "xyzzy frobnitz 3", ""} {
		body := addressOnly(fmt.Sprint("p", i), address)
		if address == "" { // the attribute of that name does as well
			body = strings.Replace(body, `"address_typed":""`, `"address":"`+sure+`"`, 1)
		}
		require.Equal(t, 201, s.call("PUT", items+"/"+ids[i], body).status)
	}
	counts := func() map[string]any {
		return s.call("GET", "/v1/collections/posts/addresses?state=doubtful", "").json["counts"].(map[string]any)
	}
	assert.Equal(t, map[string]any{"waiting": 4.0}, counts())
	id := newID()
	require.Equal(t, 403, s.as("reader").json("PUT", "/v1/lookups/"+id, `{"collection":"posts"}`).status)
	require.Equal(t, 404, s.json("PUT", "/v1/lookups/"+id, `{"collection":"none"}`).status)
	require.Equal(t, 200, s.json("PUT", "/v1/lookups/"+id, `{"collection":"posts"}`).status)
	done := s.finished(id)
	assert.Equal(t, "4 2 1 1", fmt.Sprint(done["total"], " ", done["placed"], " ", done["doubtful"], " ",
		done["nothing"]))
	assert.Equal(t, map[string]any{"waiting": 0.0, "sure": 2.0, "doubtful": 1.0, "nothing": 1.0}, counts())
	for _, i := range []int{0, 3} {
		f := s.call("GET", items+"/"+ids[i], "").json
		require.NotNil(t, f["geometry"])
		found := prop(f, "address_found").(map[string]any)
		assert.Equal(t, sure, found["query"])
		assert.Equal(t, "island", found["region"])
		assert.Equal(t, "address", prop(f, "source"))
	}
	list := s.call("GET", "/v1/collections/posts/addresses?state=doubtful", "").features()
	require.Len(t, list, 1)
	assert.Equal(t, ids[1], list[0]["id"])
	assert.Nil(t, list[0]["geometry"], "what is doubtful is not put anywhere")
	again := newID() // nothing is left to do
	require.Equal(t, 200, s.json("PUT", "/v1/lookups/"+again, `{"collection":"posts"}`).status)
	assert.Equal(t, 0.0, s.finished(again)["total"])
	assert.Equal(t, 409, s.json("PATCH", "/v1/lookups/"+id, `{"state":"paused"}`).status)
	assert.Equal(t, 400, s.json("PATCH", "/v1/lookups/"+id, `{"state":"fast"}`).status)

	a := s.json("POST", "/v1/lookups/"+id+"/undo", "")
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Equal(t, "4 0", fmt.Sprint(a.json["undone"], " ", a.json["changed_since"]))
	assert.Equal(t, map[string]any{"waiting": 4.0}, counts())
	assert.Nil(t, s.call("GET", items+"/"+ids[0], "").json["geometry"])
	assert.Len(t, s.call("GET", "/v1/lookups", "").json["lookups"], 2)
}

// One that is paused goes no further, whoever works on it; it goes on where it was.
func TestALookupIsPausedAndGoesOn(t *testing.T) {
	s := newMapSite(t)
	s.collection()
	sure := demotest.Island(t).Label(t, "3", "Quillmere")
	const n = 1500
	var changes []string
	for i := range n {
		changes = append(changes, fmt.Sprintf(`{"collection":"posts","id":%q,"feature":%s}`, newID(),
			addressOnly(fmt.Sprint("p", i), sure)))
	}
	require.Equal(t, 200, s.json("POST", "/v1/bulk", `{"changes":[`+strings.Join(changes, ",")+`]}`).status)
	id := newID()
	require.Equal(t, 200, s.json("PUT", "/v1/lookups/"+id, `{"collection":"posts"}`).status)
	require.Equal(t, "paused", s.json("PATCH", "/v1/lookups/"+id, `{"state":"paused"}`).json["state"])
	var placed any
	require.Eventually(t, func() bool { // what is being written is written
		before := placed
		placed = s.lookup(id)["placed"]
		return before == placed
	}, 10*time.Second, 700*time.Millisecond)
	require.Less(t, placed, float64(n))
	require.Equal(t, "running", s.json("PATCH", "/v1/lookups/"+id, `{"state":"running"}`).json["state"])
	assert.Equal(t, float64(n), s.finished(id)["placed"])
}

// When other map data come, addresses that lie elsewhere in them are told of, and taken over one by one or all.
func TestAddressesThatTheNewMapHasElsewhere(t *testing.T) {
	s := newSiteWith(t, func(v *service.Service) { use(t, v, atlastest.Isle("Ford", 0)) })
	s.collection()
	ids := []string{newID(), newID()}
	for i, address := range []string{"Mill Lane 1, Ford", "Mill Lane 2, Ford"} {
		require.Equal(t, 201, s.call("PUT", items+"/"+ids[i], addressOnly(address, address)).status)
	}
	id := newID()
	require.Equal(t, 200, s.json("PUT", "/v1/lookups/"+id, `{"collection":"posts"}`).status)
	require.Equal(t, 2.0, s.finished(id)["placed"])
	moved := func() []any {
		a := s.call("GET", "/v1/collections/posts/addresses/moved", "")
		require.Equal(t, 200, a.status, "%s", a.body)
		return a.json["moved"].([]any)
	}
	assert.Empty(t, moved())
	next := atlastest.Isle("Ford", 0)
	next.Addresses[1].At.Lat += 10_000 // about 111 m
	use(t, s.service, next)
	list := moved()
	require.Len(t, list, 1)
	one := list[0].(map[string]any)
	assert.Equal(t, ids[1], one["id"])
	assert.InDelta(t, 110.6, one["shift_m"], 0.5)
	assert.Equal(t, 400, s.json("POST", "/v1/collections/posts/addresses/moved", `{}`).status)
	a := s.json("POST", "/v1/collections/posts/addresses/moved", `{"ids":["`+ids[1]+`"]}`)
	require.Equal(t, 1.0, a.json["taken"], "%s", a.body)
	assert.Empty(t, moved())
	at := s.call("GET", items+"/"+ids[1], "").json["geometry"].(map[string]any)["coordinates"].([]any)
	assert.InDelta(t, 0.0011, at[1], 1e-9)
	found := prop(s.call("GET", items+"/"+ids[1], "").json, "address_found").(map[string]any)
	assert.Equal(t, "accepted", found["state"], "somebody chose it")
	a = s.json("POST", "/v1/collections/posts/addresses/moved", `{"all":true}`)
	assert.Equal(t, 0.0, a.json["taken"], "the other one stayed, and is now known to be of this map")

	// What is no longer certain is left for somebody to choose, and what was put elsewhere by hand is nobody's to move.
	last := atlastest.Isle("Ford", 0)
	last.Addresses = last.Addresses[:1]
	last.Addresses[0].At.Lat += 20_000
	use(t, s.service, last)
	require.Len(t, moved(), 2)
	require.Equal(t, 200, s.call("PATCH", items+"/"+ids[0], `{"geometry":{"type":"Point","coordinates":[0.5,0.5]}}`,
		"If-Match", "*", "Content-Type", "application/merge-patch+json").status)
	require.Len(t, moved(), 1)
	a = s.json("POST", "/v1/collections/posts/addresses/moved", `{"all":true}`)
	assert.Equal(t, 0.0, a.json["taken"], "%s", a.body)
}

func use(t *testing.T, v *service.Service, d *region.Draft) {
	t.Helper()
	data, err := region.Encode(d)
	require.NoError(t, err)
	_, err = v.UseRegion(t.Context(), "isle", "", data)
	require.NoError(t, err)
}
