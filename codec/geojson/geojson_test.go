package geojson

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
)

func TestGeometriesFromOutside(t *testing.T) {
	for text, want := range map[string]string{
		`{"type":"Point","coordinates":[-26.05,-38.14]}`:               "",
		`{"type":"Point","coordinates":[-26.05,-38.14,12]}`:            "",
		`{"type":"LineString","coordinates":[[179,0],[-179,0]]}`:       "",
		`{"type":"Polygon","coordinates":[[[0,0],[1,0],[1,1],[0,0]]]}`: "",
		`{"type":"Point","coordinates":[-38.14,-126.05]}`:              "did you mean [-126.05, -38.14]",
		`{"type":"Point","coordinates":[1]}`:                           "[lng, lat]",
		`{"type":"Point","coordinates":["a","b"]}`:                     "[lng, lat]",
		`{"type":"Point"}`:                                              "[lng, lat]",
		`{"type":"Point","coordinates":[190,0]}`:                        "-170 is the same meridian",
		`{"type":"LineString","coordinates":[[0,0]]}`:                   "2 to",
		`{"type":"Polygon","coordinates":[[[0,0],[1,0],[1,1]]]}`:        "not closed",
		`{"type":"Polygon","coordinates":[]}`:                           "4 to",
		`{"type":"MultiPoint","coordinates":[[0,0]]}`:                   "Point, LineString, Polygon",
		`{"type":"Polygon","coordinates":[[[0,0],[1,0],[1,91],[0,0]]]}`: "outside -90 to 90",
	} {
		var g Geometry
		require.NoError(t, json.Unmarshal([]byte(text), &g), text)
		_, err := g.Read()
		if want == "" {
			assert.NoError(t, err, text)
		} else {
			assert.ErrorContains(t, err, want, text)
		}
	}
}

func TestPointsGoOutAsLngLat(t *testing.T) {
	p := geo.MustPoint(-38.14, -26.05)
	g := Point(p)
	assert.JSONEq(t, `[-26.05,-38.14]`, string(g.Coordinates))
	read, err := g.Read()
	back := read.Point()
	require.NoError(t, err)
	assert.Equal(t, p, back)
	assert.Nil(t, Point(geo.Point{}))
	text, err := json.Marshal(NewCollection(nil))
	require.NoError(t, err)
	assert.JSONEq(t, `{"type":"FeatureCollection","features":[]}`, string(text))
}
