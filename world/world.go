// Package world holds the coastlines that are drawn where no region tells more: land at a scale of 1:50 million, made
// by Natural Earth (naturalearthdata.com), in the public domain. land.geojson.gz is a MultiPolygon, made from
// land-50m.json of the npm package world-atlas 2.0.2 with positions rounded to 0.001 degree.
package world

import (
	"bytes"
	"compress/gzip"
	_ "embed"
	"encoding/json"
	"fmt"
	"math"
	"sync"

	"viandante/core/generalize"
	"viandante/core/geo"
	"viandante/core/mercator"
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
	d := &region.Draft{
		Name:        "world",
		Attribution: "Natural Earth",
		Bounds:      geo.Box{South: -90, West: -180, North: 90, East: 180},
	}
	id := func() region.FeatureID { return region.NewFeatureID(region.FromNothing, int64(len(d.Ground)+1)) }
	for _, polygon := range polygons {
		var rings, shores [][]geo.E7
		for _, r := range polygon {
			ring, winds := lifted(r)
			if winds != 0 { // about a pole: closed along it
				pole := int32(math.Copysign(90e7, float64(ring[0].Y)))
				ring = append(ring, mercator.XY{X: ring[len(ring)-1].X, Y: pole}, mercator.XY{X: ring[0].X, Y: pole})
			}
			for turn, w := range turns {
				shift := int32(turn-1) * half
				back := func(line []mercator.XY) (out []geo.E7) {
					for _, p := range line {
						out = append(out, geo.E7{Lat: p.Y, Lng: p.X - shift - shift})
					}
					return out
				}
				if inside := w.Ring(ring); wide(inside) {
					rings = append(rings, back(inside))
				}
				for _, line := range w.Line(append(ring[:len(ring):len(ring)], ring[0])) {
					shores = append(shores, ashore(back(line))...)
				}
			}
		}
		d.Ground = append(
			d.Ground,
			region.Feature{ID: id(), Class: region.FarLand, Shape: region.AreaShape, Parts: rings},
		)
		for _, s := range shores {
			d.Ground = append(
				d.Ground,
				region.Feature{ID: id(), Class: region.FarShore, Shape: region.LineShape, Parts: [][]geo.E7{s}},
			)
		}
	}
	return d
}

const half = 1_800_000_000 // half way round, in ten-millionths of a degree

// turns are the windows to the west of the map, on it and to the east of it, whose land belongs on it.
var turns = [3]generalize.Window{
	{MinX: math.MinInt32, MinY: math.MinInt32, MaxX: -half, MaxY: math.MaxInt32},
	{MinX: -half, MinY: math.MinInt32, MaxX: half, MaxY: math.MaxInt32},
	{MinX: half, MinY: math.MinInt32, MaxX: math.MaxInt32, MaxY: math.MaxInt32},
}

// lifted returns a ring that goes on across the antimeridian, x its longitude and y its latitude, most of it on the
// map, and how many times it goes round the earth.
func lifted(r [][2]float64) (ring []mercator.XY, winds int) {
	turns := make([]int, len(r))
	counts := map[int]int{}
	main := 0
	for i := 1; i < len(r); i++ {
		turns[i] = turns[i-1]
		if r[i][0]-r[i-1][0] > 180 {
			turns[i]--
		} else if r[i-1][0]-r[i][0] > 180 {
			turns[i]++
		}
		if counts[turns[i]]++; counts[turns[i]] > counts[main] {
			main = turns[i]
		}
	}
	for i, p := range r {
		lng := p[0] + float64(turns[i]-main)*360
		ring = append(ring, mercator.XY{X: int32(math.Round(lng * 1e7)), Y: int32(math.Round(p[1] * 1e7))})
	}
	if winds = turns[len(r)-1]; winds == 0 {
		ring = ring[:len(ring)-1]
	}
	return ring, winds
}

// wide tells whether a ring encloses anything that a map shows: more than a line along the antimeridian or the pole.
func wide(ring []mercator.XY) bool {
	for _, p := range ring {
		if p.X != ring[0].X && p.Y > -899_000_000 {
			return true
		}
	}
	return false
}

// ashore leaves out the stretches where land was only cut, along the antimeridian or the pole.
func ashore(line []geo.E7) (shores [][]geo.E7) {
	cut := func(a, b geo.E7) bool {
		return abs(a.Lng) >= half-5000 && abs(b.Lng) >= half-5000 || a.Lat < -899_000_000 && b.Lat < -899_000_000
	}
	start := 0
	for i := 1; i <= len(line); i++ {
		if i == len(line) || cut(line[i-1], line[i]) {
			if i-start > 1 {
				shores = append(shores, line[start:i])
			}
			start = i
		}
	}
	return shores
}

func abs(v int32) int32 { return max(v, -v) }
