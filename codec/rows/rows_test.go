package rows

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/tabular"
)

// all reads a whole file.
func all(t *testing.T, text string, o Options) (columns []string, rows []tabular.Row, err error) {
	t.Helper()
	f, err := Open(strings.NewReader(text), o)
	if err != nil {
		return nil, nil, err
	}
	defer func() { require.NoError(t, f.Close()) }()
	a, err := LookAhead(f, 3)
	if err != nil {
		return nil, nil, err
	}
	for {
		row, err := a.Next()
		if errors.Is(err, io.EOF) {
			return a.Columns(), rows, nil
		} else if err != nil {
			return a.Columns(), rows, err
		}
		rows = append(rows, row)
	}
}

func TestTables(t *testing.T) {
	for _, c := range []struct{ name, text, first, second string }{
		{"commas", "name,note\nA,\"x, \"\"y\"\"\nz\"\nB,\n", "A/x, \"y\"\nz", "B/"},
		{"semicolons", "name;note\nA;x,y,z\nB;\n", "A/x,y,z", "B/"},
		{"tabs", "name\tnote\nA\tx\nB\t\n", "A/x", "B/"},
		{"bars", "name|note\nA|x\nB|\n", "A/x", "B/"},
		{"a mark at the beginning", "\ufeffname,note\r\nA,x\r\n\r\nB,\r\n", "A/x", "B/"},
		{"empty rows are passed over", "name,note\n,\nA,x\n , \nB,\n", "A/x", "B/"},
	} {
		columns, rows, err := all(t, c.text, Options{})
		require.NoError(t, err, c.name)
		assert.Equal(t, []string{"name", "note"}, columns, c.name)
		require.Len(t, rows, 2, c.name)
		text := func(r tabular.Row) string { return fmt.Sprintf("%v/%v", r.Values["name"], r.Values["note"]) }
		assert.Equal(t, c.first, text(rows[0]), c.name)
		assert.Equal(t, c.second, text(rows[1]), c.name)
	}
	columns, rows, err := all(t, "Mill,-38.1,-26.2\nPier,-38.2,-26.3\n", Options{})
	require.NoError(t, err)
	assert.Equal(t, []string{"column 1", "column 2", "column 3"}, columns, "a first row of numbers is none of titles")
	assert.Len(t, rows, 2)
	columns, _, err = all(t, "name,name,,name\na,b,c,d\n", Options{})
	require.NoError(t, err)
	assert.Equal(t, []string{"name", "name (2)", "column 3", "name (3)"}, columns)
}

func TestEncodings(t *testing.T) {
	const text = "name,note\nHöhe,é\n"
	latin, err := charmap.Windows1252.NewEncoder().String(text)
	require.NoError(t, err)
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(text)
	require.NoError(t, err)
	greek, err := charmap.ISO8859_7.NewEncoder().String("name,note\nΚορυφή,α\n")
	require.NoError(t, err)
	for _, c := range []struct{ text, label, want string }{{text, "", "Höhe"}, {latin, "", "Höhe"}, {wide, "", "Höhe"},
		{greek, "iso-8859-7", "Κορυφή"}} {
		_, rows, err := all(t, c.text, Options{Encoding: c.label})
		require.NoError(t, err)
		assert.Equal(t, c.want, rows[0].Values["name"])
	}
	_, _, err = all(t, text, Options{Encoding: "klingon"})
	assert.ErrorContains(t, err, "is not known")
}

func TestRowsThatCannotBeRead(t *testing.T) {
	_, rows, err := all(t, "name,note\nA,x\nB,\"y\" z\nC,w\nD,1,2,3\nE,v\n", Options{})
	require.NoError(t, err)
	require.Len(t, rows, 5)
	assert.Nil(t, rows[0].Wrong)
	assert.Equal(t, 3, rows[1].Wrong.Line)
	assert.Contains(t, rows[1].Wrong.Reason, "quote")
	assert.Nil(t, rows[2].Wrong, "the next row goes on")
	assert.Contains(t, rows[3].Wrong.Reason, "2 values more than there are titles")
	assert.Nil(t, rows[4].Wrong)

	_, rows, err = all(t, "name,note\nA,x\nB,\"never closed\n"+strings.Repeat("C,w\n", 1_300_000), Options{})
	require.NoError(t, err)
	require.Len(t, rows, 2, "the rest is not taken for one value")
	assert.Contains(t, rows[1].Wrong.Reason, "is never closed")
}

func TestFilesThatCannotBeRead(t *testing.T) {
	packed := func(name string, data []byte) string {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write(data)
		require.NoError(t, errors.Join(err, z.Close()))
		return b.String()
	}
	var bomb bytes.Buffer
	z := gzip.NewWriter(&bomb)
	_, err := z.Write([]byte("name,note\n"))
	require.NoError(t, err)
	for range 40 {
		_, err = z.Write(bytes.Repeat([]byte("a,"+strings.Repeat("b", 1021)+"\n"), 1<<10))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	deep := strings.Repeat("[", 10_001) + strings.Repeat("]", 10_001)
	for _, c := range []struct{ name, text, format, says string }{
		{"empty", "", "", "empty"},
		{"blanks", " \n\n ", "", "empty"},
		{"a mark alone", "\ufeff", "", "empty"},
		{"titles only", "name,note\n", "", "no rows"},
		{"no collection", `{"type":"FeatureCollection","features":[]}`, "", "no rows"},
		{"other JSON", `{"a":1}`, "", "no GeoJSON"},
		{"a number", `42`, "geojson", "no GeoJSON"},
		{"features is no list", `{"type":"FeatureCollection","features":{}}`, "", "no list"},
		{"other XML", `<?xml version="1.0"?><html></html>`, "", "no KML"},
		{"GPX without anything", `<gpx version="1.1"></gpx>`, "", "no rows"},
		{"a format of nobody", "x", "xls", "not a format"},
		{"a zip of something else", packed("sheet.xml", []byte("<a/>")), "", "no KML"},
		{"a broken zip", "PK\x03\x04 nothing", "", "is none"},
		{"a broken gzip", "\x1f\x8b nothing", "", "is none"},
		{"many columns", strings.Repeat("a,", 600) + "\n1\n", "", "columns"},
	} {
		_, _, err := all(t, c.text, Options{Format: Format(c.format)})
		var own *Error
		require.ErrorAs(t, err, &own, c.name)
		assert.Contains(t, own.Error(), c.says, c.name)
	}
	for _, c := range []struct{ name, text, says string }{
		{"a GeoJSON that breaks off", `{"type":"FeatureCollection","features":[{"type":"Feature","geometry":null,
			"properties":{}},{"type":"Feature"`, "breaks off"},
		{"broken JSON", `{"type":"FeatureCollection","features":[{"type":"Feature" "geometry"}]}`, "broken"},
		{"deep nesting", `{"type":"FeatureCollection","features":[` + deep + `]}`, "depth"},
		{"broken XML", `<kml><Placemark><name>a</nam></Placemark></kml>`, "broken"},
		{"deep elements", `<kml>` + strings.Repeat("<Folder>", 10_000), "deep"},
		{"an entity from outside", `<!DOCTYPE kml [<!ENTITY x SYSTEM "file:///etc/passwd">]><kml>` +
			`<Placemark><name>&x;</name>` +
			`</Placemark></kml>`, "entity"},
	} {
		_, rows, err := all(t, c.text, Options{})
		require.NoError(t, err, c.name)
		last := rows[len(rows)-1]
		require.NotNil(t, last.Wrong, c.name)
		assert.Contains(t, last.Wrong.Reason, c.says, c.name)
	}
	began := time.Now()
	_, _, err = all(t, bomb.String(), Options{Name: "a.csv.gz"})
	assert.ErrorContains(t, err, "unpacks to more than")
	assert.Less(t, time.Since(began), time.Minute)
	_, rows, err := all(t, packed("doc.kml", []byte(`<kml xmlns="http://www.opengis.net/kml/2.2"><Document><Placemark>`+
		`<name>A</name><Point><coordinates>-26.1,-38.1,40</coordinates></Point></Placemark></Document></kml>`)),
		Options{})
	require.NoError(t, err)
	assert.Equal(t, "-38.1,-26.1", rows[0].Geometry.Point().String())
}

func TestFeaturesThatCannotBeTaken(t *testing.T) {
	for _, c := range []struct{ feature, says string }{
		{`{"type":"Feature","geometry":{"type":"Point","coordinates":[-38.1,-126.1]},"properties":{}}`, "outside"},
		{`{"type":"Feature","geometry":{"type":"Point","coordinates":[null,1]},"properties":{}}`, "null"},
		{`{"type":"Feature","geometry":{"type":"Point","coordinates":["a",1]},"properties":{}}`, "not the coordinates"},
		{`{"type":"Feature","geometry":{"type":"Curve","coordinates":[]},"properties":{}}`,
			"not a geometry that is kept"},
		{`{"type":"Something"}`, "not of the type Feature"},
		{`12`, "not a feature"},
	} {
		_, rows, err := all(t, `{"type":"FeatureCollection","features":[`+c.feature+`,`+
			"\n"+`{"type":"Feature","id":7,"geometry":null,"properties":{"name":"B"}}]}`, Options{})
		require.NoError(t, err, c.feature)
		require.Len(t, rows, 2)
		assert.Contains(t, rows[0].Wrong.Reason, c.says)
		assert.Nil(t, rows[1].Wrong, "the next one goes on")
		assert.Equal(t, "7", rows[1].Values["id"])
		assert.Equal(t, 2, rows[1].Line)
	}
	_, rows, err := all(t, "{\"type\":\"Feature\",\"geometry\":null,\"properties\":{\"name\":\"A\"}}\n"+
		"{\"type\":\"Feature\",\"geometry\":null,\"properties\":{\"name\":\"B\"}}\n", Options{})
	require.NoError(t, err)
	assert.Len(t, rows, 2, "features one after the other, without a separator")
}

// sample are features of every form, with names that do not fit everywhere.
func sample(t *testing.T) []*feature.Feature {
	t.Helper()
	p := func(lat, lng float64) geo.Point { return geo.MustPoint(lat, lng) }
	line, err := feature.NewLine([]geo.Point{p(-38, -26), p(-38.1, -26.1)}, []float64{1, 2.5})
	require.NoError(t, err)
	ring := []geo.Point{p(-38, -26), p(-38.1, -26), p(-38.1, -26.1), p(-38, -26)}
	area, err := feature.NewPolygon([][]geo.Point{ring}, [][]float64{nil})
	require.NoError(t, err)
	circle, err := feature.NewCircle(p(-38, 179.9999999), 250)
	require.NoError(t, err)
	var out []*feature.Feature
	for i, g := range []feature.Geometry{feature.At(p(-38.1402, -26.0517)), line, area, circle, {}} {
		attributes, err := feature.NewAttributes(map[string]any{"description": "a, \"b\"\n<c> & d;\té", "beds": 12.5,
			"open": true, "code": fmt.Sprint("K", i)})
		require.NoError(t, err)
		h := 40.5
		out = append(out, &feature.Feature{ID: uuid.New(), Name: "O'Neil <b>&\"; DROP TABLE", Category: "fountain",
			Geometry: g, Attributes: attributes, ElevationM: &h, AddressTyped: "1 Mill Lane\nPewter", Source: "map"})
	}
	return out
}

// One suite that every format passes: what is written comes back, as far as the format has a form for it.
func TestEveryFormatReadsWhatItWrote(t *testing.T) {
	list := sample(t)
	for format := range Formats {
		var b bytes.Buffer
		w, err := NewWriter(&b, format, "Posts & more", []string{"description", "beds", "open", "code"})
		require.NoError(t, err)
		var written []*feature.Feature
		for _, f := range list {
			err := w.Write(f)
			if errors.Is(err, ErrNoForm) {
				assert.Equal(t, GPX, format)
				continue
			}
			require.NoError(t, err)
			written = append(written, f)
		}
		require.NoError(t, w.Close())
		columns, rows, err := all(t, b.String(), Options{Name: "posts." + string(format)})
		require.NoError(t, err, format)
		require.Len(t, rows, len(written), format)
		m := tabular.Guess(columns, rows, nil)
		m.Rest = true
		for i, r := range rows {
			taken, wrong := m.Take(r, ReadShape)
			require.Nil(t, wrong, "%s %v", format, wrong)
			want, got := written[i], taken.Draft
			assert.Equal(t, want.Name, got.Properties["name"], format)
			assert.Equal(t, want.Category, got.Properties["category"], format)
			if format == GPX {
				assert.Equal(t, want.Attributes.Get("description").Text, got.Properties["description"])
			} else {
				assert.Equal(t, want.ID.String(), taken.Key, format)
				for _, name := range []string{"beds", "open", "code", "description"} {
					assert.Equal(t, strings.TrimSpace(want.Attributes.Get(name).Text),
						tabular.Text(got.Properties[name]),
						"%s %s", format, name)
				}
				assert.Equal(t, "40.5", tabular.Text(got.Properties["elevation_m"]), format)
				if want.Geometry.Form() == feature.Circle {
					assert.Equal(t, "250", tabular.Text(got.Properties["radius_m"]), format)
				}
			}
			back := got.Geometry
			if want.Geometry.Form() == feature.Circle {
				assert.Equal(t, want.Geometry.Point(), back.Point(), format)
			} else {
				assert.Equal(t, WKT(want.Geometry), WKT(back), format)
			}
		}
	}
}

func TestWellKnownText(t *testing.T) {
	for _, c := range []struct{ text, want, says string }{
		{"POINT(-26.1 -38.1)", "POINT(-26.1 -38.1)", ""},
		{" srid=4326;POINT(-26.1 -38.1)", "POINT(-26.1 -38.1)", ""},
		{`{"type":"Point","coordinates":[-26.1,-38.1]}`, "POINT(-26.1 -38.1)", ""},
		{"LINESTRING(-26 -38,-26.1 -38.1)", "LINESTRING(-26 -38,-26.1 -38.1)", ""},
		{"SRID=3857;POINT(1 2)", "", "reference system"},
		{"POINT(-38.1 -126.1)", "", "outside"},
		{"MULTIPOINT((1 2))", "", "not kept"},
		{"POINT(a b)", "", "not a geometry"},
		{"POLYGON((1 2,3 4))", "", ""},
		{`{"type"`, "", "not the JSON"},
	} {
		g, err := ReadShape(c.text)
		if c.want != "" {
			require.NoError(t, err, c.text)
			assert.Equal(t, c.want, WKT(g))
			continue
		}
		assert.ErrorContains(t, err, c.says, c.text)
	}
}

func FuzzOpen(f *testing.F) {
	for _, text := range []string{"name,lat,lng\na,1,2\n", `{"type":"FeatureCollection","features":[]}`,
		"<gpx><wpt lat=\"1\"",
		"<kml><Placemark>", "\x1e{}", "PK\x03\x04", "\x1f\x8b"} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		file, err := Open(bytes.NewReader(data), Options{})
		if err != nil {
			return
		}
		defer file.Close()
		for range 10_000 {
			row, err := file.Next()
			if err != nil {
				return
			}
			m := tabular.Guess(file.Columns(), []tabular.Row{row}, nil)
			m.Take(row, ReadShape)
		}
	})
}
