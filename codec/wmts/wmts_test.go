package wmts

import (
	"fmt"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sets are tile matrix sets: the square in 256 and in 512 pixels, one with a gap, and another projection.
func sets() string {
	var b strings.Builder
	for _, s := range []struct {
		id, crs, corner string
		size            int
		zooms           []int
	}{
		{"small", "urn:ogc:def:crs:EPSG::3857", "-20037508.3427892 20037508.3427892", 256, []int{2, 0, 1}},
		{"large", "urn:ogc:def:crs:EPSG:6.18:3:3857", "-20037508.34 20037508.34", 512, []int{3, 4}},
		{"gap", "EPSG:900913", "-20037508.34 20037508.34", 256, []int{0, 1, 4}},
		{"moved", "EPSG:3857", "-10000000 20037508.34", 256, []int{0, 1}},
		{"degrees", "urn:ogc:def:crs:OGC:1.3:CRS84", "-180 90", 256, []int{0, 1}},
	} {
		fmt.Fprintf(
			&b,
			"<TileMatrixSet><ows:Identifier>%s</ows:Identifier><ows:SupportedCRS>%s</ows:SupportedCRS>",
			s.id,
			s.crs,
		)
		for _, z := range s.zooms {
			fmt.Fprintf(
				&b,
				"<TileMatrix><ows:Identifier>%s:%02d</ows:Identifier><ScaleDenominator>%f</ScaleDenominator>"+
					"<TopLeftCorner>%s</TopLeftCorner><TileWidth>%d</TileWidth><TileHeight>%d</TileHeight>"+
					"<MatrixWidth>%d</MatrixWidth><MatrixHeight>%d</MatrixHeight></TileMatrix>",
				s.id,
				z,
				2*halfWorld/pixel/float64(s.size)/float64(int(1)<<z),
				s.corner,
				s.size,
				s.size,
				1<<z,
				1<<z,
			)
		}
		b.WriteString("</TileMatrixSet>")
	}
	return b.String()
}

func capabilities(layers string) string {
	return `<?xml version="1.0" encoding="UTF-8"?>
		<Capabilities xmlns="http://www.opengis.net/wmts/1.0" xmlns:ows="http://www.opengis.net/ows/1.1"
	xmlns:xlink="http://www.w3.org/1999/xlink" version="1.0.0">
		<ows:OperationsMetadata><ows:Operation name="GetTile"><ows:DCP><ows:HTTP>
		<ows:Get xlink:href="http://tiles.example/rest"><ows:Constraint name="GetEncoding"><ows:AllowedValues>
			<ows:Value>RESTful</ows:Value></ows:AllowedValues></ows:Constraint></ows:Get>
		<ows:Get xlink:href="http://tiles.example/kvp?map=a&amp;"><ows:Constraint name="GetEncoding">
			<ows:AllowedValues><ows:Value>KVP</ows:Value></ows:AllowedValues></ows:Constraint></ows:Get>
		</ows:HTTP></ows:DCP></ows:Operation></ows:OperationsMetadata><Contents>` + layers + sets() +
		`</Contents></Capabilities>`
}

const (
	byResource = `<Layer><ows:Title>Soil</ows:Title><ows:Identifier>soil</ows:Identifier><ows:WGS84BoundingBox>
		<ows:LowerCorner>-27 -39</ows:LowerCorner><ows:UpperCorner>-25 -37</ows:UpperCorner></ows:WGS84BoundingBox>
		<Style><ows:Identifier>plain</ows:Identifier></Style>
		<Style isDefault="true"><ows:Identifier>wet &amp; dry</ows:Identifier></Style><Format>image/png</Format>
		<Dimension><ows:Identifier>Time</ows:Identifier><Default>2026</Default></Dimension>
		<TileMatrixSetLink><TileMatrixSet>degrees</TileMatrixSet></TileMatrixSetLink><TileMatrixSetLink>
			<TileMatrixSet>small</TileMatrixSet></TileMatrixSetLink>
		<ResourceURL format="text/html" resourceType="FeatureInfo" template="http://x/"/>
			<ResourceURL format="image/png" resourceType="tile"
	template="/t/{Style}/{Time}/{TileMatrixSet}/{TileMatrix}/{TileRow}/{TileCol}.png"/></Layer>`
	byKeys = `<Layer><ows:Identifier>rain</ows:Identifier><Format>application/octet-stream</Format><Format>image/` +
		`jpeg</Format><TileMatrixSetLink><TileMatrixSet>large</TileMatrixSet></TileMatrixSetLink></Layer>`
)

func TestLayersThatCanBeDrawn(t *testing.T) {
	from, err := url.Parse("http://tiles.example/wmts/capabilities.xml")
	require.NoError(t, err)
	gap := strings.ReplaceAll(strings.ReplaceAll(byKeys, "large", "gap"), "rain", "gappy")
	moved := strings.ReplaceAll(byKeys, "large", "moved")
	layers, err := Read(strings.NewReader(capabilities(byResource+byKeys+gap+moved)), from)
	require.NoError(t, err)
	require.Len(t, layers, 3)
	assert.Equal(
		t,
		Layer{
			ID:       "soil",
			Title:    "Soil",
			Template: "http://tiles.example/t/wet%20&%20dry/2026/small/{z}/{y}/{x}.png",
			Matrices: []string{"small:00", "small:01", "small:02"},
			MaxZoom:  2,
			TileSize: 256,
			BBox:     []float64{-27, -39, -25, -37},
		},
		layers[0],
	)
	assert.Equal(t, "rain", layers[1].Title)
	assert.Equal(t, []string{"large:03", "large:04"}, layers[1].Matrices)
	assert.Equal(t, 3, layers[1].MinZoom)
	assert.Equal(t, 512, layers[1].TileSize)
	assert.Equal(
		t,
		"http://tiles.example/kvp?map=a&FORMAT=image%2Fjpeg&LAYER=rain&REQUEST=GetTile&SERVICE=WMTS&STYLE=&"+
			"TILEMATRIXSET=large&VERSION=1.0.0&TILEMATRIX={z}&TILECOL={x}&TILEROW={y}",
		layers[1].Template,
	)
	assert.Equal(t, 1, layers[2].MaxZoom, "what lies above a gap is left out")
}

func TestDocumentsThatAreRefused(t *testing.T) {
	for name, k := range map[string]struct {
		text string
		want error
	}{
		"nothing":            {"", ErrNotCapabilities},
		"a page":             {"<html></html>", ErrNotCapabilities},
		"broken":             {capabilities(byKeys)[:900], ErrNotCapabilities},
		"another encoding":   {`<?xml version="1.0" encoding="latin-9"?><Capabilities/>`, ErrNotCapabilities},
		"no layers":          {capabilities(""), ErrNoLayer},
		"another projection": {capabilities(strings.ReplaceAll(byKeys, "large", "degrees")), ErrNoLayer},
		"no such set":        {capabilities(strings.ReplaceAll(byKeys, "large", "other")), ErrNoLayer},
		"no pictures":        {capabilities(strings.ReplaceAll(byKeys, "image/jpeg", "text/plain")), ErrNoLayer},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := Read(strings.NewReader(k.text), nil)
			assert.ErrorIs(t, err, k.want)
		})
	}
}
