// Package atlastest has small regions for tests.
package atlastest

import (
	"viandante/core/geo"
	"viandante/core/region"
)

// Isle is a region of one street with two houses, so far east.
func Isle(name string, lng float64) *region.Draft {
	at := func(lat, dLng float64) geo.E7 { return geo.MustPoint(lat, lng+dLng).E7() }
	return &region.Draft{
		Name: name, Bounds: geo.Box{South: -1, West: lng - 1, North: 1, East: lng + 1},
		Ground: []region.Feature{
			{
				ID:    7,
				Class: region.Land,
				Shape: region.AreaShape,
				Parts: [][]geo.E7{{at(-0.5, -0.5), at(-0.5, 0.5), at(0.5, 0.5), at(0.5, -0.5)}},
			},
		},
		RoadNodes: map[int64]geo.E7{1: at(0, 0), 2: at(0, 0.01)},
		Roads: []region.Road{
			{
				ID:    1,
				Class: region.LocalStreet,
				Tags:  []string{"bicycle=no", "highway=residential", "motor_vehicle=no"},
				Name:  "Mill Lane",
				Nodes: []int64{1, 2},
			},
		},
		Settlements: []region.Settlement{{ID: 9, At: at(0, 0), Name: name, Size: 2}},
		Addresses: []region.Address{
			{ID: 3, At: at(0.0001, 0.002), Number: "1", Street: "Mill Lane", Place: name},
			{ID: 4, At: at(0.0001, 0.004), Number: "2", Street: "Mill Lane", Place: name},
		},
	}
}
