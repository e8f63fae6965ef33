package osm

import (
	"bytes"
	"context"
	"errors"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/region"
)

// fill writes a little of everything, with what a format might stumble over.
func fill(w Writer) {
	r := rand.New(rand.NewPCG(1, 1))
	for id := int64(1); id <= 20000; id++ {
		var tags []string
		if id%100 == 0 {
			tags = []string{"place", "hamlet", "name", "Høgd \"<&>\" 東 \t" + strings.Repeat("é", int(id%7))}
		}
		w.Node(id*7-3, r.Float64()*160-80, r.Float64()*360-180, tags)
	}
	w.Node(1<<52, -90, 180, []string{"addr:housenumber", "3", "addr:street", "'; DROP TABLE"})
	for id := int64(1); id <= 9000; id++ {
		w.Way(
			id,
			[]int64{id*7 - 3, (20001-id)*7 - 3, id*14 - 3, 404 << 40},
			[]string{"highway", "residential", "name", "Way"},
		)
	}
	w.Way(1<<50, []int64{4, 11, 18}, []string{"natural", "wood"})
	w.Way(1<<50+1, []int64{18, 25, 4}, nil)
	w.Relation(
		5,
		[]Member{{'w', 1 << 50, "outer"}, {'w', 1<<50 + 1, "outer"}, {'n', 4, "label"}, {'r', 5, "self"}},
		[]string{"type", "multipolygon", "natural", "water"},
	)
	w.Node(-8, 1, 2, nil) // nodes may come after ways
}

func drafted(t *testing.T, file string) (*region.Draft, Report, int) {
	t.Helper()
	var b bytes.Buffer
	w := NewWriter(&b, file)
	fill(w)
	require.NoError(t, w.Close())
	size := b.Len()
	d, report, err := Read(context.Background(), &b, "test")
	require.NoError(t, err)
	return d, report, size
}

func TestXMLAndPBFHoldTheSame(t *testing.T) {
	fromXML, xmlReport, xmlSize := drafted(t, "a.osm")
	fromPBF, pbfReport, pbfSize := drafted(t, "a.osm.pbf")
	assert.Equal(t, xmlReport, pbfReport)
	assert.Equal(t, 20002, pbfReport.Nodes)
	assert.Equal(t, 9002, pbfReport.Ways)
	assert.Equal(t, 9000, pbfReport.MissingNodes)
	assert.Equal(t, fromXML, fromPBF)
	assert.Less(t, pbfSize, xmlSize/3)
	assert.Equal(t, "Høgd \"<&>\" 東 \t"+strings.Repeat("é", 2), fromPBF.Settlements[0].Name)
	assert.Equal(t, "'; DROP TABLE", fromPBF.Addresses[0].Street)
}

type full struct{}

func (full) Write([]byte) (int, error) { return 0, errors.New("no space left") }

func TestAWriterKeepsItsFirstError(t *testing.T) {
	for _, file := range []string{"a.osm", "a.osm.pbf"} {
		w := NewWriter(full{}, file)
		fill(w)
		assert.ErrorContains(t, w.Close(), "no space left", file)
	}
}

// A PBF that is cut off or has flipped bytes ends in an error or in what could be read, never in a crash.
func TestADamagedPBFIsRefused(t *testing.T) {
	var b bytes.Buffer
	w := NewWriter(&b, "a.osm.pbf")
	fill(w)
	require.NoError(t, w.Close())
	good := b.Bytes()
	for _, n := range []int{30, 60, 200, len(good) / 2, len(good) - 1} {
		_, _, err := Read(context.Background(), bytes.NewReader(good[:n]), "test")
		assert.Error(t, err, "the first %d bytes", n)
	}
	r := rand.New(rand.NewPCG(2, 2))
	failed := 0
	for range 60 {
		bad := append([]byte(nil), good...)
		for range 3 {
			bad[r.IntN(len(bad))] ^= byte(1 + r.IntN(255))
		}
		if _, _, err := Read(context.Background(), bytes.NewReader(bad), "test"); err != nil {
			failed++
		}
	}
	assert.Greater(t, failed, 40)
}

// Loops, ways of one point or of one node many times, and tags that make no sense leave the rest as it is.
func TestAbsurdDataDoesNoHarm(t *testing.T) {
	d, _ := read(t, `<osm>
	 <node id="1" lat="0" lon="0"/><node id="2" lat="0" lon="0.01"/><node id="3" lat="0.01" lon="0.01"/>
	 	<node id="4" lat="0.01" lon="0"/>
	 <node id="5" lat="0" lon="0"><tag k="natural" v="peak"/><tag k="ele" v="12 parsecs"/><tag k="name" v="Top"/></node>
	 <way id="1"><nd ref="1"/><nd ref="2"/><nd ref="3"/><nd ref="2"/><nd ref="1"/><nd ref="2"/>
	 	<tag k="highway" v="primary"/><tag k="maxspeed" v="-7"/><tag k="layer" v="99999999999"/>
	 	<tag k="oneway" v="perhaps"/></way>
	 <way id="2"><nd ref="1"/><nd ref="1"/><nd ref="1"/><tag k="highway" v="primary"/></way>
	 <way id="3"><nd ref="1"/><tag k="highway" v="primary"/></way>
	 <way id="4"><tag k="highway" v="primary"/></way>
	 <way id="5"><nd ref="1"/><nd ref="3"/><nd ref="2"/><nd ref="4"/><nd ref="1"/><tag k="building" v="yes"/>
	 	<tag k="addr:housenumber" v=""/></way>
	 <way id="6"><nd ref="1"/><nd ref="2"/><nd ref="1"/><tag k="building" v="yes"/></way>
	 <way id="7"><nd ref="2"/><nd ref="4"/><tag k="highway" v="primary"/><tag k="bridge" v="no"/>
	 	<tag k="bridge" v="yes"/><tag k="layer" v="up"/><tag k="maxspeed" v="9999999999999999999999 mph"/></way>
	 <relation id="1"><member type="relation" ref="1" role="outer"/><tag k="type" v="multipolygon"/>
	 	<tag k="natural" v="wood"/></relation>
	 <relation id="2"><tag k="type" v="multipolygon"/></relation>
	 <relation id="3"><member type="way" ref="5" role="inner"/><tag k="type" v="multipolygon"/>
	 	<tag k="natural" v="wood"/></relation>
	</osm>`)
	require.Len(t, d.Roads, 2)
	assert.Equal(t, []int64{1, 2, 3, 2, 1, 2}, d.Roads[0].Nodes)
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	require.NoError(t, r.Verify())
	for z := range 20 {
		r.Draw(z, 1<<z/2, 1<<z/2, func(*region.Drawn) bool { return true })
	}
}
