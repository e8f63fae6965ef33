package server

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/tile"
	"viandante/demo/demotest"
	"viandante/standin"
)

const asJSON = "Content-Type"

// put sends JSON and returns the answer; headers follow.
func (s *site) put(path, body string, headers ...string) answer {
	s.t.Helper()
	return s.call("PUT", path, body, append([]string{asJSON, "application/json"}, headers...)...)
}

func (a answer) list(name string) []map[string]any {
	var out []map[string]any
	all, _ := a.json[name].([]any)
	for _, k := range all {
		out = append(out, k.(map[string]any))
	}
	return out
}

func TestSavedViews(t *testing.T) {
	s := newSite(t)
	first, second := "/v1/views/"+newID(), "/v1/views/"+newID()
	a := s.put(first, `{"name":" Town ","center":[-26.28,-38.11],"zoom":14,"rotation_deg":-30,"key":1,"opening":true}`)
	require.Equal(t, 201, a.status, "%s", a.body)
	assert.Equal(t, "Town", a.json["name"])
	assert.Equal(t, 330.0, a.json["rotation_deg"])
	assert.Equal(t, "pointed", a.json["names"])
	again := s.put(
		first,
		`{"name":"Town","center":[-26.28,-38.11],"zoom":14,"rotation_deg":330,"key":1,"opening":true}`,
	)
	assert.Equal(t, 200, again.status)
	assert.Equal(t, a.header.Get("ETag"), again.header.Get("ETag"), "the same again is no change")
	require.Equal(
		t,
		201,
		s.put(
			second,
			`{"name":"Harbour","center":[-26.3,-38.12],"zoom":16,"key":1,"opening":true,"hidden":["shelter"]}`,
		).status,
	)
	views := s.call("GET", "/v1/views", "").list("views")
	require.Len(t, views, 2)
	assert.Equal(t, []any{0.0, false}, []any{views[0]["key"], views[0]["opening"]}, "key and opening went to the other")
	assert.Equal(t, []any{1.0, true}, []any{views[1]["key"], views[1]["opening"]})
	body := `{"name":"T","center":[0,0],"zoom":3}`
	assert.Equal(t, 428, s.put(first, body).status)
	stale := s.put(first, body, "If-Match", a.header.Get("ETag"))
	require.Equal(t, 412, stale.status)
	assert.Equal(t, "Town", stale.json["current"].(map[string]any)["name"])
	assert.Equal(t, 200, s.put(first, body, "If-Match", fmt.Sprintf(`"%v"`, views[0]["version"])).status)
	assert.Equal(t, 204, s.call("DELETE", second, "", "If-Match", "*").status)
	assert.Equal(t, 404, s.call("DELETE", second, "", "If-Match", "*").status)
	for body, says := range map[string]string{
		`{"name":"","center":[0,0],"zoom":3}`:                                               "1 to 100 characters",
		`{"name":"x","center":[0,95],"zoom":3}`:                                             "did you mean [95, 0]?",
		`{"name":"x","center":[0,0],"zoom":99}`:                                             "from 0 to 24",
		`{"name":"x","center":[0,0],"zoom":3,"key":12}`:                                     "from 1 to 9",
		`{"name":"x","center":[0,0],"zoom":3,"names":"now"}`:                                "always, pointed or never",
		`{"name":"x","center":[0,0],"zoom":3,"ground":"` + strings.Repeat("x", 50) + `"}`:   "not the name of a style",
		`{"name":"x","center":[0,0],"zoom":3,"hidden":["` + strings.Repeat("x", 70) + `"]}`: "200 entries",
	} {
		a := s.put("/v1/views/"+newID(), body)
		assert.Equal(t, 400, a.status, body)
		assert.Contains(t, string(a.body), says)
	}
}

func picturePNG(width, height int) string {
	var b bytes.Buffer
	_ = png.Encode(&b, image.NewGray(image.Rect(0, 0, width, height)))
	return b.String()
}

func TestPicturesAndOverlays(t *testing.T) {
	s := newSite(t)
	a := s.call("POST", "/v1/pictures", picturePNG(200, 100), asJSON, "image/png")
	require.Equal(t, 201, a.status, "%s", a.body)
	hash := a.json["picture"].(string)
	assert.Equal(t, 200.0, a.json["width_px"])
	assert.Equal(t, hash, s.call("POST", "/v1/pictures", picturePNG(200, 100), asJSON, "image/png").json["picture"])
	got := s.call("GET", "/v1/pictures/"+hash, "")
	assert.Equal(t, picturePNG(200, 100), string(got.body))
	assert.Contains(t, got.header.Get("Content-Security-Policy"), "default-src 'none'")
	assert.Equal(t, 404, s.call("GET", "/v1/pictures/"+strings.Repeat("0", 64), "").status)
	refused := s.call(
		"POST",
		"/v1/pictures",
		`<svg viewBox="0 0 9 9"><script>alert(1)</script></svg>`,
		asJSON,
		"image/svg+xml",
	)
	assert.Equal(t, 400, refused.status)
	assert.Contains(t, string(refused.body), "an SVG that holds")
	assert.Equal(
		t,
		403,
		s.call("POST", "/v1/pictures", picturePNG(2, 2), asJSON, "image/png", "Authorization", "Bearer reader").status,
	)

	overlay := func(control string) answer {
		return s.put(
			"/v1/overlays/"+newID(),
			fmt.Sprintf(`{"name":"Plan","picture":%q,"opacity":0.7,"control":[%s]}`, hash, control),
		)
	}
	a = overlay(`{"pixel":[0,0],"at":[-26.28,-38.11]},{"pixel":[200,0],"at":[-26.27,-38.11]}`)
	require.Equal(t, 201, a.status, "%s", a.body)
	corners := a.json["corners"].([]any)
	require.Len(t, corners, 4)
	assert.InDelta(t, -26.27, corners[2].([]any)[0], 1e-9)
	assert.InDelta(
		t,
		-38.11-0.005*0.787,
		corners[2].([]any)[1],
		2e-5,
		"half as high as wide, by the cosine of the latitude",
	)
	for control, says := range map[string]string{
		`{"pixel":[0,0],"at":[0,0]}`:                            "two or three control points, not 1",
		`{"pixel":[0,0],"at":[0,0]},{"pixel":[0,0],"at":[1,1]}`: "the same pixel",
		`{"pixel":[0,0],"at":[0,0]},{"pixel":[9,9],"at":[0,0]}`: "the same position",

		`{"pixel":[0,0],"at":[-38,-126]},{"pixel":[9,9],"at":[0,0]}`: "latitude -126 is outside",

		`{"pixel":[0,0],"at":[0,0]},{"pixel":[9,9],"at":[1,1]},{"pixel":[18,18],"at":[3,2]}`: "lie in a line",
		`{"pixel":[0,0],"at":[0,0]},{"pixel":[1,1],"at":[170,60]}`:                           "more than the map",
		`{"pixel":[0,1e9],"at":[0,0]},{"pixel":[1,1],"at":[170,60]}`:                         "is not a pixel",
	} {
		a := overlay(control)
		assert.Equal(t, 400, a.status, control)
		assert.Contains(t, string(a.body), says)
	}
	hash = "none"
	assert.Contains(
		t,
		string(overlay(`{"pixel":[0,0],"at":[0,0]},{"pixel":[9,9],"at":[1,1]}`).body),
		"/v1/pictures first",
	)
}

func TestImageryOfOnesOwn(t *testing.T) {
	s := newSite(t)
	out := httptest.NewServer(standin.Imagery())
	defer out.Close()
	layers := s.call("GET", "/v1/imagery/layers?url="+out.URL+"/wmts/capabilities.xml", "").list("layers")
	require.Len(t, layers, 1)
	soil := "/v1/imagery/" + newID()
	a := s.put(
		soil,
		fmt.Sprintf(
			`{"name":"Soil","template":%q,"matrices":[%s],"max_zoom":17,"opacity":0.6}`,
			layers[0]["template"],
			`"0"`+strings.Repeat(`,"x"`, 17),
		),
	)
	require.Equal(t, 201, a.status, "%s", a.body)
	require.Equal(
		t,
		200,
		s.put(
			soil,
			fmt.Sprintf(`{"name":"Soil","template":%q,"max_zoom":17,"opacity":0.6}`, layers[0]["template"]),
			"If-Match",
			a.header.Get("ETag"),
		).status,
	)
	got := s.call("GET", soil+"/12/1750/2523", "")
	require.Equal(t, 200, got.status)
	assert.Equal(t, "image/png", got.header.Get("Content-Type"))
	assert.Equal(t, 400, s.call("GET", soil+"/18/0/0", "").status)
	assert.Equal(t, 400, s.call("GET", soil+"/2/9/0", "").status)
	assert.Equal(t, 404, s.call("GET", "/v1/imagery/"+newID()+"/1/0/0", "").status)
	for kind, want := range map[string]int{"refuse": 502, "text": 502, "missing": 204} {
		path := "/v1/imagery/" + newID()
		require.Equal(
			t,
			201,
			s.put(
				path,
				fmt.Sprintf(`{"name":"x","template":"%s/%s/{z}/{x}/{y}.png","max_zoom":9,"opacity":1}`, out.URL, kind),
			).status,
		)
		a := s.call("GET", path+"/1/0/0", "")
		assert.Equal(t, want, a.status, kind)
	}
	seen := s.call("GET", "/v1/imagery", "", "Authorization", "Bearer reader").list("imagery")
	require.Len(t, seen, 4)
	for _, k := range seen {
		assert.Empty(t, k["template"], "an address may hold a key")
	}
	for body, says := range map[string]string{
		`"template":"http://x/{z}/{x}.png"`:                                   "must have {y}",
		`"template":"http://x/{z}/{y}.png"`:                                   "has no {x}",
		`"template":"ftp://x/{z}/{x}/{y}"`:                                    "http:// or https://",
		`"template":"http://x/{z}/{x}/{y}","tile_size":300`:                   "256 or 512",
		`"template":"http://x/{z}/{x}/{y}","min_zoom":12`:                     "min_zoom 12",
		`"template":"http://x/{z}/{x}/{y}","matrices":["a"]`:                  "must name the zooms",
		`"template":"http://me:pw@x/{z}/{x}/{y}"`:                             "a name and a password",
		`"template":"http://x/{z}/{x}/{y}?` + strings.Repeat("k", 2000) + `"`: "longer than 2000",
	} {
		a := s.put("/v1/imagery/"+newID(), `{"name":"x","max_zoom":9,"opacity":1,`+body+`}`)
		assert.Equal(t, 400, a.status, body)
		assert.Contains(t, string(a.body), says)
	}
	assert.Contains(
		t,
		string(s.call("GET", "/v1/imagery/layers?url="+out.URL+"/soil/1/1/1.png", "").body),
		"is not a WMTS capabilities document",
	)
}

// Places come and go; the marks of tiles must count each of them once, whatever of it is in the index's base and what
// came since.
func TestPlacesByTheTile(t *testing.T) {
	s := newSite(t)
	s.collection()
	at := geo.MustPoint(-38.114, -26.28)
	var wait sync.WaitGroup
	ids := make([]string, 600) // more than are scanned, so that the base is built anew on the way
	for k := range 8 {
		wait.Go(func() {
			for i := k; i < len(ids); i += 8 {
				ids[i] = newID()
				a := s.call(
					"PUT",
					items+"/"+ids[i],
					post(fmt.Sprint("p", i), at.Lat()+float64(i%30)*0.001, at.Lng()+float64(i/30)*0.001),
				)
				assert.Equal(t, 201, a.status)
			}
		})
	}
	wait.Wait()
	for _, id := range ids[:100] {
		require.Equal(t, 204, s.call("DELETE", items+"/"+id, "", "If-Match", "*").status)
	}
	all := s.call("GET", "/v1/collections", "").list("collections")
	assert.Equal(t, 500.0, all[0]["count"])
	total := func(z int, more string) (count, single int) {
		lo, hi := tile.At(at, z), tile.At(geo.MustPoint(at.Lat()+0.03, at.Lng()+0.03), z)
		for x := lo.X; x <= hi.X; x++ {
			for y := hi.Y; y <= lo.Y; y++ {
				for _, m := range s.call("GET", fmt.Sprintf("/v1/places/tiles/%d/%d/%d?%s", z, x, y, more), "").list(
					"marks") {
					count += int(m["count"].(float64))
					if m["count"] == 1.0 {
						single++
						assert.NotEmpty(t, m["id"])
						assert.Equal(t, "fountain", m["category"])
					} else {
						assert.Len(t, m["bbox"], 4)
					}
				}
			}
		}
		return count, single
	}
	for _, z := range []int{0, 3, 9, 12, 13, 16} {
		count, single := total(z, "collection=posts&category=fountain")
		assert.Equal(t, 500, count, "zoom %d", z)
		assert.Equal(t, z >= 16, single == 500, "zoom %d has %d single", z, single)
	}
	count, _ := total(8, "category=shelter")
	assert.Zero(t, count)
	assert.Equal(t, 400, s.call("GET", "/v1/places/tiles/30/0/0", "").status)
	assert.Equal(t, 400, s.call("GET", "/v1/places/tiles/1/2/0", "").status)
}

func TestTheBuildingAtAPosition(t *testing.T) {
	s := newMapSite(t)
	found := 0
	region := demotest.Island(t).Region
	for i := range uint32(60) {
		p := region.Address(i * 101).At
		a := s.call("GET", fmt.Sprintf("/v1/building?at=%v,%v", p.Lat(), p.Lng()), "")
		if a.status == 204 {
			continue
		}
		require.Equal(t, 200, a.status)
		found++
		ring := a.json["geometry"].(map[string]any)["coordinates"].([]any)[0].([]any)
		assert.Equal(t, ring[0], ring[len(ring)-1], "closed")
		assert.InDelta(t, p.Lng(), ring[0].([]any)[0], 0.002)
	}
	assert.Greater(t, found, 40, "most addresses stand in a building")
	assert.Equal(t, 204, s.call("GET", "/v1/building?at=10,10", "").status)
}
