package road

import (
	"viandante/core/region"
)

// speeds holds what a mode makes on each class of road, in km/h where no limit is known; 0 leaves it to the access bits
// with the mode's slowest. The car's follow usual free-flow speeds, the walker's 5 km/h is the common planning value.
var speeds = map[region.Mode]map[region.Class]float64{
	region.Car: {region.Motorway: 110, region.Trunk: 90, region.Primary: 70, region.Secondary: 60, region.Tertiary: 50,
		region.LocalStreet: 30, region.Service: 15, region.Track: 15, region.Ferry: 12},
	region.Bicycle: {
		region.Trunk:       17,
		region.Primary:     17,
		region.Secondary:   17,
		region.Tertiary:    17,
		region.LocalStreet: 16,
		region.Cycleway:    18,
		region.Service:     14,
		region.Track:       12,
		region.Path:        10,
		region.Pedestrian:  7,
		region.Ferry:       12,
	},
	region.Foot: {
		region.Trunk:       5,
		region.Primary:     5,
		region.Secondary:   5,
		region.Tertiary:    5,
		region.LocalStreet: 5,
		region.Pedestrian:  5,
		region.Cycleway:    5,
		region.Service:     5,
		region.Track:       4.7,
		region.Path:        4.5,
		region.Steps:       2.5,
		region.Ferry:       12,
	},
}

// slowest is what a mode makes where its table says nothing, in km/h.
var slowest = map[region.Mode]float64{region.Car: 10, region.Bicycle: 6, region.Foot: 4}

// limitShare is the part of a speed limit that a car makes on average.
const limitShare = 0.9

// speed returns what the mode makes on a segment, in metres per second.
func speed(mode region.Mode, s region.Segment) float64 {
	v := speeds[mode][s.Class]
	if v == 0 {
		v = slowest[mode]
	}
	if mode == region.Car && s.SpeedKMH > 0 {
		v = float64(s.SpeedKMH) * limitShare
	}
	return v / 3.6
}
