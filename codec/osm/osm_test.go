package osm

import (
	"bytes"
	"compress/gzip"
	"context"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/address"
	"viandante/core/geodesy"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/core/road/roadtest"
)

const island = `<?xml version="1.0" encoding="UTF-8"?>
<osm version="0.6">
 <node id="1" lat="0" lon="0"/><node id="2" lat="0" lon="1"/><node id="3" lat="1" lon="1"/>
   <node id="4" lat="1" lon="0"/>
 <node id="5" lat="0.4" lon="0.4"/><node id="6" lat="0.4" lon="0.6"/><node id="7" lat="0.6" lon="0.6">
   <tag k="place" v="village"/><tag k="name" v="Ford &amp; &lt;b&gt;"/></node>
 <node id="8" lat="0.5" lon="0.5"><tag k="addr:housenumber" v="3"/><tag k="addr:street" v="Mill Lane"/></node>
 <node id="9" lat="95" lon="0.5"/>
 <way id="10"><nd ref="1"/><nd ref="2"/><nd ref="3"/><tag k="natural" v="coastline"/></way>
 <way id="11"><nd ref="3"/><nd ref="4"/><nd ref="1"/><tag k="natural" v="coastline"/></way>
 <way id="12"><nd ref="5"/><nd ref="99"/><nd ref="6"/><nd ref="9"/><nd ref="7"/><tag k="highway" v="residential"/>
   <tag k="name" v="Mill Lane"/><tag k="oneway" v="-1"/><tag k="maxspeed" v="30 mph"/></way>
 <way id="13"><nd ref="5"/><nd ref="6"/><nd ref="7"/><tag k="natural" v="wood"/></way>
 <way id="14"><nd ref="7"/><nd ref="5"/></way>
 <way id="15"><nd ref="5"/><nd ref="6"/><nd ref="7"/></way>
 <way id="16"><nd ref="5"/><nd ref="7"/><tag k="highway" v="footway"/><tag k="access" v="private"/></way>
 <relation id="20"><member type="way" ref="14" role="outer"/><member type="way" ref="15" role="outer"/>
   <member type="way" ref="404" role="outer"/><tag k="type" v="multipolygon"/><tag k="natural" v="water"/></relation>
</osm>`

func read(t *testing.T, text string) (*region.Draft, Report) {
	t.Helper()
	d, report, err := Read(context.Background(), strings.NewReader(text), "test")
	require.NoError(t, err)
	return d, report
}

func classes(d *region.Draft) map[region.Class]int {
	m := map[region.Class]int{}
	for _, f := range d.Ground {
		m[f.Class]++
	}
	return m
}

func TestDirtyDataIsCountedAndTheRestIsUsed(t *testing.T) {
	d, report := read(t, island)
	assert.Equal(t, 2, report.MissingNodes, "99 is not there and 9 lies beyond the pole")
	assert.Equal(t, 1, report.BadPositions)
	assert.Equal(t, 1, report.OpenAreas)
	assert.Equal(t, 1, report.MissingMembers)
	assert.Equal(
		t,
		map[region.Class]int{
			region.Land:        1,
			region.LocalStreet: 1,
			region.Water:       1,
			region.Locality:    1,
			region.HouseNumber: 1,
			region.Path:        1,
		},
		classes(d),
	)
	require.Len(t, d.Roads, 2)
	road := d.Roads[0]
	assert.Equal(t, []int64{5, 6, 7}, road.Nodes)
	assert.Equal(t, []string{"highway=residential", "maxspeed=30 mph", "oneway=-1"}, road.Tags)
	assert.Equal(t, []string{"access=private", "highway=footway"}, d.Roads[1].Tags)
	assert.Equal(t, "Ford & <b>", d.Settlements[0].Name)
}

func TestFormatsAreKnownByTheirContent(t *testing.T) {
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	_, err := z.Write([]byte(island))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	fromGzip, _, err := Read(context.Background(), &packed, "test")
	require.NoError(t, err)
	fromXML, _ := read(t, "\xef\xbb\xbf"+island)
	assert.Equal(t, fromXML, fromGzip)
}

func TestWhatIsNoMapDataIsRefused(t *testing.T) {
	for text, want := range map[string]string{
		"":                         "no nodes",
		"name,lat,lng\nFord,1,2\n": "not OSM map data",
		"<osm></osm>":              "no nodes",
		island[:900]:               "cannot be read any further",
		"<osm><node id='1' lat='1' lon='2'/><way id=<</osm>": "cannot be read any further",
		"\x1f\x8b\x08 broken gzip that goes on":              "",
	} {
		_, _, err := Read(context.Background(), strings.NewReader(text), "test")
		require.Error(t, err, text)
		assert.ErrorContains(t, err, want)
	}
}

func TestACoastThatTheExtractCutIsClosedAlongTheBorder(t *testing.T) {
	d, report := read(t, `<osm><bounds minlat="0" minlon="0" maxlat="1" maxlon="1"/>
	 <node id="1" lat="0" lon="0.5"/><node id="2" lat="1" lon="0.5"/><node id="3" lat="0.5" lon="0.45"/>
	 <way id="1"><nd ref="1"/><nd ref="3"/><nd ref="2"/><tag k="natural" v="coastline"/></way></osm>`)
	assert.Equal(t, 1, report.CutCoasts)
	require.Len(t, d.Ground, 1)
	size := signedArea(d.Ground[0].Parts[0])
	whole := 111320.0 * 111320
	assert.InDelta(t, 0.475, size/whole, 0.01, "the land lies to the left, in the west")
}

func TestDataWithoutACoastIsAllLand(t *testing.T) {
	d, _ := read(t, `<osm><node id="1" lat="0" lon="0"/><node id="2" lat="1" lon="1"/></osm>`)
	require.Len(t, d.Ground, 1)
	assert.Equal(t, region.Land, d.Ground[0].Class)
}

// realExtract is an extract that the reading library ships among its test data: of a small mountain country as bzip2
// XML, of a flat coast as PBF.
func realExtract(t *testing.T, pattern string) string {
	t.Helper()
	file, err := roadtest.RealExtract(pattern)
	require.NoError(t, err)
	return file
}

// The extract is taken unchanged; a named street is found in it, and one drives between two of its towns.
func TestARealExtractIsTakenUnchanged(t *testing.T) {
	f, err := os.Open(realExtract(t, "*.osm.bz2"))
	require.NoError(t, err)
	defer f.Close()
	d, report, err := Read(context.Background(), f, "real")
	require.NoError(t, err)
	assert.Greater(t, report.Nodes, 190_000)
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	require.NoError(t, r.Verify())
	t.Logf("%+v; %+v; %d bytes", report, r.Meta, len(data))

	index := address.NewIndex(r)
	street, _, err := index.Forward(t.Context(), address.Query{Text: "avinguda meritxell", Limit: 1})
	require.NoError(t, err)
	require.NotEmpty(t, street)
	assert.Equal(t, address.Street, street[0].Kind)
	assert.Equal(t, "Avinguda Meritxell", street[0].Street)

	var towns []region.Settlement
	for i := range uint32(r.Settlements()) {
		if s := r.Settlement(i); s.Size >= 3 {
			towns = append(towns, s)
		}
	}
	require.GreaterOrEqual(t, len(towns), 2)
	a, b := towns[0].At.Point(), towns[1].At.Point()
	route, err := road.NewRouter(r).Find(t.Context(), roadtest.Metric(r, "car"), a, b)
	require.NoError(t, err)
	straight := geodesy.Distance(a, b)
	assert.Greater(t, route.DistanceM+route.FromRoadM+route.ToRoadM, straight)
	assert.Less(t, route.DistanceM, 5*straight)
	assert.Greater(t, len(route.Steps), 2)
	t.Logf(
		"%s to %s: %.0f m, %.0f s, %d steps",
		towns[0].Name,
		towns[1].Name,
		route.DistanceM,
		route.DurationS,
		len(route.Steps),
	)
}

// A PBF of real, dirty data: cut-off coasts, missing members, areas that do not close. All of it is counted, and the
// rest makes a sound region.
func TestARealPBFIsTakenUnchanged(t *testing.T) {
	f, err := os.Open(realExtract(t, "*.osm.pbf"))
	require.NoError(t, err)
	defer f.Close()
	d, report, err := Read(context.Background(), f, "real")
	require.NoError(t, err)
	assert.Greater(t, report.Nodes, 100_000)
	assert.Greater(t, len(d.Roads), 1000)
	land := 0.0
	for _, g := range d.Ground {
		if g.Class == region.Land {
			land += signedArea(g.Parts[0])
		}
	}
	assert.Positive(t, land)
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	require.NoError(t, r.Verify())
	t.Logf("%+v; %+v; %d bytes", report, r.Meta, len(data))
}
