// Package world holds the coastlines that are drawn where no region tells more: land at a scale of 1:50 million, made by
// Natural Earth (naturalearthdata.com), in the public domain. land.geojson.gz is a MultiPolygon, made from land-50m.json of
// the npm package world-atlas 2.0.2 with positions rounded to 0.001 degree.
package world

import (
	"bytes"
	"compress/gzip"
	_ "embed"
	"encoding/json"
	"fmt"
	"math"
	"sync"

	"viandante/core/geo"
	"viandante/core/region"
)

//go:embed land.geojson.gz
var packed []byte

// Region returns the world's land and shores as a region, built at the first call; that takes some 0.3 s.
var Region = sync.OnceValues(func() (*region.Region, error) {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, err
	}
	var land struct {
		Coordinates [][][][2]float64 `json:"coordinates"`
	}
	if err := json.NewDecoder(z).Decode(&land); err != nil {
		return nil, fmt.Errorf("the world's coastlines: %w", err)
	}
	data, err := region.Encode(draft(land.Coordinates))
	if err != nil {
		return nil, err
	}
	return region.Open(data)
})

func draft(polygons [][][][2]float64) *region.Draft {
	d := &region.Draft{Name: "world", Attribution: "Natural Earth", Bounds: geo.Box{South: -90, West: -180, North: 90, East: 180}}
	id := func() region.FeatureID { return region.NewFeatureID(region.FromNothing, int64(len(d.Ground)+1)) }
	for _, polygon := range polygons {
		var rings, shores [][]geo.E7
		for _, r := range polygon {
			var ring, shore []geo.E7
			r = oneSided(r)
			for i, p := range r {
				at := geo.E7{Lat: int32(math.Round(p[1] * 1e7)), Lng: int32(math.Round(p[0] * 1e7))}
				if i < len(r)-1 {
					ring = append(ring, at)
				}
				if i > 0 && seam(r[i-1], p) { // where the land was cut along the antimeridian there is no shore
					if len(shore) > 1 {
						shores = append(shores, shore)
					}
					shore = nil
				}
				shore = append(shore, at)
			}
			rings = append(rings, ring)
			if len(shore) > 1 {
				shores = append(shores, shore)
			}
		}
		d.Ground = append(d.Ground, region.Feature{ID: id(), Class: region.FarLand, Shape: region.AreaShape, Parts: rings})
		for _, s := range shores {
			d.Ground = append(d.Ground, region.Feature{ID: id(), Class: region.FarShore, Shape: region.LineShape, Parts: [][]geo.E7{s}})
		}
	}
	return d
}

// oneSided returns a ring whose points on the antimeridian are all given on the side from which the ring comes to them.
func oneSided(r [][2]float64) [][2]float64 {
	out := make([][2]float64, len(r))
	side := 0.0
	for range 2 { // the first points learn their side from the last
		for i, p := range r {
			if math.Abs(p[0]) < 179.9999 {
				side = math.Copysign(180, p[0])
			} else if side != 0 {
				p[0] = side
			}
			out[i] = p
		}
	}
	return out
}

// seam tells whether a stretch runs along the antimeridian or the pole.
func seam(a, b [2]float64) bool {
	return math.Abs(a[0]) > 179.99 && math.Abs(b[0]) > 179.99 || a[1] < -89.9 && b[1] < -89.9
}
