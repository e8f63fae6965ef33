package osm

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/region"
)

const named = `<?xml version="1.0" encoding="UTF-8"?>
<osm version="0.6">
 <node id="1" lat="0" lon="0"/><node id="2" lat="0" lon="1"/><node id="3" lat="1" lon="1"/>
   <node id="4" lat="1" lon="0"/>
 <node id="5" lat="0.5" lon="0.5"><tag k="place" v="town"/><tag k="name" v="Ford"/><tag k="old_name" v="Furt; Vadum"/>
   <tag k="alt_name" v="Ford"/><tag k="name:it" v="Guado"/><tag k="name:de" v="Ford"/><tag k="name:" v="x"/>
   <tag k="loc_name" v=" The Town "/></node>
 <node id="6" lat="0.5" lon="0.6"><tag k="amenity" v="drinking_water"/></node>
 <node id="7" lat="0.5" lon="0.7"><tag k="natural" v="tree"/></node>
 <node id="8" lat="0.5" lon="0.8"><tag k="shop" v="no"/></node>
 <way id="10"><nd ref="1"/><nd ref="2"/><tag k="highway" v="residential"/><tag k="name" v="Mill Lane"/>
   <tag k="name:fr" v="Rue du Moulin"/></way>
 <way id="11"><nd ref="2"/><nd ref="3"/></way>
 <way id="12"><nd ref="3"/><nd ref="4"/><nd ref="1"/></way>
 <relation id="20"><member type="way" ref="10" role="outer"/><member type="way" ref="11" role="outer"/>
   <member type="way" ref="12" role="outer"/><tag k="type" v="boundary"/><tag k="boundary" v="administrative"/>
   <tag k="admin_level" v="6"/><tag k="name" v="West Hundred"/></relation>
 <relation id="21"><member type="way" ref="10" role="outer"/><tag k="type" v="boundary"/>
   <tag k="boundary" v="administrative"/><tag k="admin_level" v="6"/><tag k="name" v="Open"/></relation>
 <relation id="22"><member type="way" ref="10" role="outer"/><tag k="type" v="boundary"/>
   <tag k="boundary" v="administrative"/><tag k="admin_level" v="2"/><tag k="name" v="Country"/></relation>
 <relation id="23"><member type="way" ref="10" role="outer"/><tag k="type" v="route"/></relation>
</osm>`

func TestThingsKeepTheirOtherNames(t *testing.T) {
	d, _ := read(t, named)
	require.Len(t, d.Settlements, 1)
	assert.Equal(t, []region.OtherName{{Kind: "old", Text: "Furt"}, {Kind: "old", Text: "Vadum"},
		{Kind: "local", Text: "The Town"}, {Kind: "it", Text: "Guado"}}, d.Settlements[0].Also,
		"not the own name again")
	assert.Equal(t, []region.OtherName{{Kind: "fr", Text: "Rue du Moulin"}}, d.Roads[0].Also)
}

func TestWhatHasNoNameIsFoundByItsKind(t *testing.T) {
	d, _ := read(t, named)
	require.Len(t, d.Landmarks, 1, "a tree is nothing that is looked for, and no is no shop")
	assert.Equal(t, "drinking water", d.Landmarks[0].Kind)
	assert.Empty(t, d.Landmarks[0].Name)
}

func TestBoundariesThatCloseAreDistricts(t *testing.T) {
	d, report := read(t, named)
	require.Len(t, d.Districts, 1, "neither the open one nor the country")
	assert.Equal(t, "West Hundred", d.Districts[0].Name)
	assert.Len(t, d.Districts[0].Rings[0], 4)
	assert.Equal(t, 1, report.OpenAreas)
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	assert.Equal(t, "West Hundred", r.Settlement(0).District)
}
