package tabular

import (
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/feature"
)

// rowsOf makes rows of a table, the first of which names the columns.
func rowsOf(text string) (columns []string, rows []Row) {
	lines := strings.Split(strings.TrimSpace(text), "\n")
	columns = strings.Split(lines[0], "|")
	for i, line := range lines[1:] {
		r := Row{Line: i + 2, Values: map[string]any{}}
		for k, v := range strings.Split(line, "|") {
			r.Values[columns[k]] = v
		}
		rows = append(rows, r)
	}
	return columns, rows
}

func TestColumnsAreGuessed(t *testing.T) {
	schema := feature.Schema{{Name: "condition", Title: "Zustand", Type: feature.ChoiceType,
		Options: []string{"sound", "worn"}}}
	for _, c := range []struct{ name, table, want, key string }{
		{"English", "code|name|latitude|longitude|beds\nA|x|-38.1|-26.1|12\nB|y|-38.2|-26.2|3",
			"attribute code text, name, lat, lng, attribute beds number", "code"},
		{"German, decimal commas", "Nr|Bezeichnung|Breitengrad|Längengrad|Zustand\n1|x|-38,1|-26,1|sound",
			"attribute nr text, name, lat, lng, attribute condition choice", "Nr"},
		{"y and x", "title|x|y\na|-26.1|-38.1", "name, lng, lat", ""},
		{"one column", "label|where\na|-38.1, -26.1\nb|38° 8′ 24″ S 26° 3′ 6″ W", "name, position", ""},
		{"swapped", "name|lat|lng\na|-126.1|-38.1\nb|-126.2|-38.2", "name, lng, lat", ""},
		{"one bad row is no swap", "name|lat|lng\na|-26.1|-38.1\nb|-98|-38.2\nc|-26|-38", "name, lat, lng", ""},
		{"well known text", "name|wkt\na|LINESTRING(-26 -38, -26.1 -38)", "name, geometry", ""},
		{"half a position is none", "name|lat\na|-38", "name, attribute lat number", ""},
		{"a postcode is no number", "name|postcode\na|04100", "name, attribute postcode text", ""},
		{"leading zeros are no number", "name|size\na|007", "name, attribute size text", ""},
		{"units are left out", "name|Depth (m)\na|3", "name, attribute depth number", ""},
		{"the same name twice", "name|Size!|size\na|3|4", "name, attribute size number, attribute size_2 number", ""},
		{"what a key is not", "id|name\n1|a\n1|b", "attribute id_was text, name", ""},
		{"our own ids", "id|name\n0193d4a0-0000-7000-8000-00000000d300|a", "skip, name", "id"},
		{"an address", "name|address\na|1 Mill Lane", "name, address", ""},
		{"what came back refused", "refused line|refused column|refused because|mend|name\n2|a|b|c|d",
			"skip, skip, skip, skip, name", ""},
	} {
		columns, rows := rowsOf(c.table)
		m := Guess(columns, rows, schema)
		var got []string
		for _, c := range m.Columns {
			got = append(got, strings.TrimSpace(string(c.As)+" "+strings.TrimSpace(c.Name+" "+c.Type)))
		}
		assert.Equal(t, c.want, strings.Join(got, ", "), c.name)
		assert.Equal(t, c.key, m.Key, c.name)
		assert.NoError(t, m.Check(), c.name)
	}
}

func TestRowsAreTaken(t *testing.T) {
	m := Mapping{Key: "code", Columns: []Column{{"code", Attribute, "code", "text"}, {Column: "name", As: Name},
		{Column: "lat", As: Lat}, {Column: "lng", As: Lng}, {"beds", Attribute, "beds", "number"},
		{"open", Attribute, "open", "boolean"}, {Column: "r", As: Radius}}}
	no := func(string) (feature.Geometry, error) { return feature.Geometry{}, errors.New("no") }
	take := func(values ...string) (Taken, *Problem) {
		r := Row{Line: 7, Values: map[string]any{}}
		for i, v := range values {
			r.Values[m.Columns[i].Column] = v
		}
		return m.Take(r, no)
	}
	got, wrong := take("A1", " Rest ", "-38,1402", "−26.0517", "12,5", "ja", "40")
	require.Nil(t, wrong)
	assert.Equal(t, "A1", got.Key)
	assert.Equal(t, "-38.1402,-26.0517", got.Draft.Geometry.Point().String())
	assert.Equal(t, map[string]any{"code": "A1", "name": "Rest", "beds": 12.5, "open": true, "radius_m": 40.0},
		got.Draft.Properties)

	got, wrong = take("A1", "", "", "", "", "", "")
	require.Nil(t, wrong, "a place may have no position yet")
	assert.False(t, got.Placed)
	assert.Nil(t, got.Draft.Properties["beds"], "an empty cell takes a value away")

	got, wrong = take("A1", "x", "38° 8' 24.7\" S", "26° 3' 6.1\" W", "", "", "")
	require.Nil(t, wrong)
	assert.InDelta(t, -38.14019, got.Draft.Geometry.Point().Lat(), 1e-5)

	for _, c := range []struct{ values, column, says string }{
		{"A1|x|-98|-26|||", "lat", "outside -90 to 90"},
		{"A1|x|-126|-38|||", "lat", "did you mean -38,-126?"},
		{"A1|x|-38||||", "lat", "half a position"},
		{"A1|x|NaN|-26|||", "lat", "NaN"},
		{"A1|x|Inf|-26|||", "lat", ""},
		{"A1|x|1e999|2|||", "lat", ""},
		{"|x|-38|-26|||", "code", "is empty, though it is the key"},
		{"A1|x|-38|-26|many||", "beds", "is not a number"},
		{"A1|x|-38|-26||perhaps|", "open", "neither yes nor no"},
		{"A1|x|-38|-26|||wide", "r", "not a number of metres"},
	} {
		_, wrong := take(strings.Split(c.values, "|")...)
		require.NotNil(t, wrong, c.values)
		assert.Equal(t, 7, wrong.Line)
		assert.Equal(t, c.column, wrong.Column, c.values)
		assert.Contains(t, wrong.Reason+" "+wrong.Hint, c.says)
	}
}

func TestMappingsThatCannotBe(t *testing.T) {
	for _, c := range []struct {
		says string
		m    Mapping
	}{
		{"none of", Mapping{Columns: []Column{{Column: "a", As: "nonsense"}}}},
		{"both to be the name", Mapping{Columns: []Column{{Column: "a", As: Name}, {Column: "b", As: Name}}}},
		{"needs a longitude", Mapping{Columns: []Column{{Column: "a", As: Lat}}}},
		{"without a name", Mapping{Columns: []Column{{Column: "a", As: Attribute}}}},
		{"both the attribute", Mapping{Columns: []Column{{"a", Attribute, "x", ""}, {"b", Attribute, "x", ""}}}},
		{"none of the columns", Mapping{Key: "k"}},
	} {
		assert.ErrorContains(t, c.m.Check(), c.says)
	}
}

func TestRoundTripOfOurOwnNames(t *testing.T) {
	columns := []string{"id", "name", "category", "lat", "lng", "geometry", "radius_m", "elevation_m", "accuracy_m",
		"source", "fixed_at", "address_typed", "condition", "address", "version"}
	m := Guess(columns, nil, nil)
	for _, c := range m.Columns {
		switch c.Column {
		case "address_typed", "accuracy_m", "source", "fixed_at", "address":
			assert.Equal(t, Column{c.Column, Attribute, c.Column, c.Type}, c)
		case "version":
			assert.Equal(t, Skip, c.As)
		}
	}
}
