package server

import (
	"fmt"
	"net/url"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/service"
)

const sheet = "code;name;latitude;longitude;beds\nA1;Mill;-38,1402;-26,0517;4\nA2;\"Pier; " +
	"\"\"new\"\"\";-38.15;-26.06;\n" +
	"A3;Swapped;-126,05;-38,1;2\nA4;<b>Nowhere</b>;;;7\nA1;Twice;-38;-26;1\n;Keyless;-38;-26;1\n"

func (s *site) importing(id, text, query string) answer {
	s.t.Helper()
	return s.call("PUT", "/v1/imports/"+id+"?collection=rests&name=rests.csv&"+query, text, "Content-Type", "text/csv")
}

func counts(a answer) string {
	return fmt.Sprintf("%v %v new %v changed %v same %v refused %v", a.json["state"], a.json["taken"],
		a.json["created"],
		a.json["updated"], a.json["unchanged"], a.json["refused"])
}

func TestASpreadsheetComesInAndOut(t *testing.T) {
	s := newSite(t)
	seen := s.call("POST", "/v1/import-preview?name=rests.csv&collection=rests", sheet, "Content-Type", "text/csv")
	for kind, status := range map[string]int{"application/vnd.some-sheet": 200, "application/vnd": 415,
		"image/png": 415} {
		assert.Equal(t, status, s.call("POST", "/v1/import-preview?name=rests.csv", sheet, "Content-Type", kind).status,
			kind)
	}
	require.Equal(t, 200, seen.status, "%s", seen.body)
	assert.Equal(t, "code", seen.json["key"])
	assert.EqualValues(t, 2, seen.json["wrong"], "the swapped one, and the one without a key")

	id := newID()
	a := s.importing(id, sheet, "title=Rests")
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.Equal(t, "done 3 new 3 changed 0 same 0 refused 3", counts(a))
	assert.Equal(t, "done 3 new 3 changed 0 same 0 refused 3", counts(s.importing(id, sheet, "")),
		"the same request again")

	all := s.call("GET", "/ogc/collections/rests/items", "")
	require.Len(t, all.features(), 3)
	byName := map[any]map[string]any{}
	for _, f := range all.features() {
		byName[prop(f, "name")] = f
	}
	assert.EqualValues(t, 4, prop(byName["Mill"], "beds"))
	assert.NotNil(t, byName[`Pier; "new"`])
	assert.Nil(t, byName["<b>Nowhere</b>"]["geometry"])

	one := s.call("GET", "/v1/imports/"+id, "")
	var why []string
	for _, p := range one.json["problems"].([]any) {
		p := p.(map[string]any)
		why = append(why, fmt.Sprintf("%v %v: %v", p["line"], p["column"], p["reason"]))
	}
	assert.Equal(t, []string{"4 latitude: latitude -126.05 is outside -90 to 90",
		"6 code: has the key that line 2 has, too",
		"7 code: is empty, though it is the key"}, why)
	refused := s.call("GET", "/v1/imports/"+id+"/refused.csv", "")
	require.Equal(t, 200, refused.status)
	mended := strings.NewReplacer(`"-126,05","-38,1"`, `"-38,1","-26,05"`).Replace(string(refused.body))
	assert.NotEqual(t, string(refused.body), mended)
	a = s.importing(newID(), mended, "")
	assert.Equal(t, 200, a.status, "%s", a.body)
	assert.EqualValues(t, 1, a.json["created"], "what was mended is taken in: %s", a.body)

	// The same file again changes nothing; a row that is another changes one, and what the file does not say stays.
	mill := byName["Mill"]["id"].(string)
	patched := s.call("PATCH", "/ogc/collections/rests/items/"+mill, `{"properties":{"note":"by hand"}}`,
		"Content-Type",
		"application/merge-patch+json", "If-Match", "*")
	require.Equal(t, 200, patched.status, "%s", patched.body)
	a = s.importing(newID(), strings.Replace(sheet, "A1;Mill", "A1;Old Mill", 1), "")
	assert.Contains(t, counts(a), "new 0 changed 1 same 2", "%s", a.body)
	got := s.call("GET", "/ogc/collections/rests/items/"+mill, "")
	assert.Equal(t, "Old Mill", prop(got.json, "name"))
	assert.Equal(t, "by hand", prop(got.json, "note"))

	for format, begins := range map[string]string{"csv": "id,name", "tsv": "id\tname",
		"geojson":    `{"type":"FeatureColl`,
		"geojsonseq": "\x1e{", "gpx": "<?xml", "kml": "<?xml"} {
		out := s.call("GET", "/v1/collections/rests/export?format="+format, "")
		assert.Equal(t, 200, out.status)
		assert.True(t, strings.HasPrefix(string(out.body), begins), "%s: %s", format, out.body[:20])
		if format == "gpx" {
			continue // has no form for what has no position
		}
		again := s.call("PUT", "/v1/imports/"+newID()+"?collection=rests&name=rests."+format, string(out.body),
			"Content-Type", "application/octet-stream")
		assert.Contains(t, counts(again), "done 4 new 0 changed 0 same 4", format)
	}
	assert.Equal(t, 404, s.call("GET", "/v1/collections/none/export?format=csv", "").status)
	assert.Equal(t, 400, s.call("GET", "/v1/collections/rests/export?format=xls", "").status)
}

func TestAnImportIsUndoneAsOne(t *testing.T) {
	s := newSite(t)
	var b strings.Builder
	b.WriteString("code,name,lat,lng\n")
	const many = 9_000 // three changes
	for i := range many {
		fmt.Fprintf(&b, "K%d,Place %d,%.4f,%.4f\n", i, i, -38-float64(i)/1e5, -26-float64(i)/1e5)
	}
	id := newID()
	a := s.importing(id, b.String(), "")
	require.Equal(t, 200, a.status, "%s", a.body)
	assert.EqualValues(t, many, a.json["created"])
	page := s.call("GET", "/ogc/collections/rests/items?limit=10000", "")
	require.Len(t, page.features(), many)
	one := page.features()[0]["id"].(string)
	kept := s.call("PATCH", "/ogc/collections/rests/items/"+one, `{"properties":{"name":"Mine"}}`, "Content-Type",
		"application/merge-patch+json", "If-Match", "*")
	require.Equal(t, 200, kept.status)
	second := s.importing(newID(), strings.Replace(b.String(), "Place 7,", "Other,", 1), "")
	assert.Contains(t, counts(second), "new 0 changed 2", "the one by hand is as in the file again")
	undone := s.call("POST", "/v1/imports/"+second.json["id"].(string)+"/undo", "")
	assert.EqualValues(t, 2, undone.json["undone"])
	got := s.call("GET", "/ogc/collections/rests/items/"+one, "")
	assert.Equal(t, "Mine", prop(got.json, "name"), "as it was before the second file")

	undone = s.call("POST", "/v1/imports/"+id+"/undo", "")
	assert.EqualValues(t, 1, undone.json["changed_since"].(float64)-1,
		"the one by hand and the other were changed since")
	assert.EqualValues(t, many-2, undone.json["undone"])
	assert.Len(t, s.call("GET", "/ogc/collections/rests/items", "").features(), 2)
	undone = s.call("POST", "/v1/imports/"+id+"/undo", "")
	assert.EqualValues(t, 0, undone.json["undone"], "a second time there is nothing to do")
	a = s.importing(newID(), b.String(), "")
	assert.EqualValues(t, many-2, a.json["created"], "what is in the bin comes back: %s", a.body)
	assert.Len(t, s.call("GET", "/v1/imports", "").json["imports"], 3)
}

func TestTwoImportsAtOnceLoseNothing(t *testing.T) {
	s := newSite(t)
	file := func(name string) string {
		var b strings.Builder
		b.WriteString("code,name\n")
		for i := range 6_000 {
			fmt.Fprintf(&b, "K%d,%s %d\n", i, name, i)
		}
		return b.String()
	}
	done := make(chan answer, 2)
	for _, name := range []string{"first", "second"} {
		go func() { done <- s.importing(newID(), file(name), "") }()
	}
	for range 2 {
		a := <-done
		assert.Equal(t, 200, a.status, "%s", a.body)
		assert.EqualValues(t, 6_000, a.json["taken"])
	}
	assert.Len(t, s.call("GET", "/ogc/collections/rests/items?limit=10000", "").features(), 6_000)
}

func TestFilesOfOthers(t *testing.T) {
	s := newSite(t)
	for _, c := range []struct{ query, text, says string }{
		{"", "", "required"},
		{"", "   ", "empty"},
		{"", "name,lat\n", "no rows"},
		{"format=xls", "a,b\nc,d\n", "not a format"},
		{"encoding=klingon", "a,b\nc,d\n", "not known"},
		{"mapping=" + url.QueryEscape(`{"columns":[{"column":"a","as":"lat"}],"key":""}`), "a,b\nc,d\n",
			"needs a longitude"},
		{"mapping=x", "a,b\nc,d\n", "not a mapping"},
	} {
		a := s.importing(newID(), c.text, c.query)
		assert.Equal(t, 400, a.status, "%s %s", c.query, a.body)
		if c.text != "" {
			assert.Contains(t, string(a.body), c.says, c.query)
		}
	}
	assert.Equal(t, 400, s.call("PUT", "/v1/imports/"+uuid.Nil.String()+"?collection=c&name=a.csv", "a,b\nc,d\n",
		"Content-Type", "text/csv").status)
	assert.Equal(t, 404, s.call("GET", "/v1/imports/"+newID(), "").status)
	assert.Equal(t, 404, s.call("POST", "/v1/imports/"+newID()+"/undo", "").status)
	s.token = "reader"
	assert.Equal(t, 403, s.importing(newID(), "name\nA\n", "").status)
	assert.Equal(t, 403, s.call("POST", "/v1/import-preview?name=a.csv", "a,b\nc,d\n", "Content-Type",
		"text/csv").status)
}

// A row's id follows from its key, in all versions of the program.
func TestKeysNameTheSameFeatureForEver(t *testing.T) {
	s := newSite(t)
	a := s.importing(newID(), "code,name\nA17,x\n", "")
	require.Equal(t, 200, a.status)
	id := s.call("GET", "/ogc/collections/rests/items", "").features()[0]["id"].(string)
	assert.Equal(t, service.Keyed(s.workspace, "rests", "A17").String(), id)
	assert.Equal(t, "392e00000011", strings.ReplaceAll(service.Keyed(uuid.Max, "rests", "A17").String(), "-", "")[:12])
}
