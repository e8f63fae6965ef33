// Package region is the model of one piece of map data: the ground to draw, the road network to travel, the addresses
// to find. A Draft holds what an importer read; Encode turns it into the bytes of a region file; Open reads those bytes
// in place, from wherever they were mapped. Nothing here opens a file.
//
// The file's layout is described in docs/region-file.md and, section by section, above the code that writes it.
package region

import (
	"slices"
	"strings"

	"viandante/core/geo"
	"viandante/core/relief"
)

// FeatureID names a feature of the source data for good: it is the same in every tile and after every rebuild. It fits
// the 53 bits that a number in JavaScript keeps exactly.
type FeatureID uint64

// The kinds of element that a feature may stem from, in the two lowest bits of its id.
const (
	FromNode = iota
	FromWay
	FromRelation
	FromNothing // made here, such as land closed along a border
)

// NewFeatureID returns the id of an element of the source.
func NewFeatureID(kind int, id int64) FeatureID { return FeatureID(uint64(id)<<2 | uint64(kind)) }

// Shape tells what a ground feature's geometry is.
type Shape uint8

// The shapes.
const (
	PointShape Shape = iota
	LineShape
	AreaShape
)

// Class says what a thing on the ground is. The names are those that the style file and the tiles use.
type Class uint8

// The classes, in drawing order.
const (
	// FarLand and FarShore are the world's coastlines, drawn where no region tells more; FarSea blots them out where
	// one does.
	FarLand Class = iota
	FarShore
	FarSea
	Land
	Residential
	Farmland
	Orchard
	Grass
	Heath
	Wood
	Park
	Sand
	Rock
	Square
	Contour
	Water
	River
	Stream
	Cliff
	Building
	Pier
	Path
	Steps
	Cycleway
	Track
	Service
	Pedestrian
	LocalStreet
	Tertiary
	Secondary
	Primary
	Trunk
	Motorway
	Ferry
	Locality
	Peak
	Point
	Barrier
	HouseNumber
	classCount
)

var classNames = [classCount]string{
	"farland",
	"farshore",
	"farsea",
	"land",
	"residential",
	"farmland",
	"orchard",
	"grass",
	"heath",
	"wood",
	"park",
	"sand",
	"rock",
	"square",
	"contour",
	"water",
	"river",
	"stream",
	"cliff",
	"building",
	"pier",
	"path",
	"steps",
	"cycleway",
	"track",
	"service",
	"pedestrian",
	"street",
	"tertiary",
	"secondary",
	"primary",
	"trunk",
	"motorway",
	"ferry",
	"locality",
	"peak",
	"point",
	"barrier",
	"housenumber",
}

// RoadClass returns the class of road of a name: from path to ferry.
func RoadClass(name string) (Class, error) {
	if i := slices.Index(classNames[Path:Ferry+1], name); i >= 0 {
		return Path + Class(i), nil
	}
	return 0, &geo.ParseError{Input: name, Reason: "is no class of road",
		Hint: strings.Join(classNames[Path:Ferry+1], ", ")}
}

func (c Class) String() string {
	if c < classCount {
		return classNames[c]
	}
	return "unknown"
}

// Flag marks a ground feature.
type Flag uint8

// The flags.
const (
	OneWay Flag = 1 << iota // a road that cars may only follow in its direction
	Bridge
	Tunnel
	Intermittent
	// Two bits say how many other bridges a bridge passes over.
	levelBit
)

// AtLevel returns the flags of a bridge that passes over so many others, 3 at most.
func AtLevel(n int) Flag { return Flag(max(0, min(3, n))) * levelBit }

// riverRanks are the widths in metres up to which a river has the ranks from 61 on; a wider one has the next.
var riverRanks = [...]float64{3, 5, 8, 12, 18, 27, 40}

// RiverRank returns the rank of a river by its width in metres, 61 to 68; of one whose width is not known (0), 64.
func RiverRank(widthM float64) uint8 {
	if !(widthM > 0) {
		return 64
	}
	n, _ := slices.BinarySearch(riverRanks[:], widthM)
	return uint8(61 + n)
}

// Feature is one thing to draw.
type Feature struct {
	ID    FeatureID
	Class Class
	Shape Shape
	Flags Flag
	// MinZoom is the first zoom at which it is drawn, 0 to 19.
	MinZoom uint8
	// Rank orders labels: the greater, the more important.
	Rank uint8
	Name string
	// Parts holds one point, the lines, or the rings of an area: outer ones counterclockwise, holes clockwise, the
	// last point not repeated.
	Parts [][]geo.E7
}

// Mode is a way of travelling.
type Mode uint8

// The modes.
const (
	Car Mode = iota
	Bicycle
	Foot
	modeCount
)

var modeNames = [modeCount]string{"car", "bicycle", "foot"}

func (m Mode) String() string { return modeNames[m] }

// ParseMode returns the mode of a name: car, bicycle or foot.
func ParseMode(s string) (Mode, error) {
	for m, name := range modeNames {
		if s == name {
			return Mode(m), nil
		}
	}
	return 0, &geo.ParseError{Input: s, Reason: "is not a way of travelling", Hint: "car, bicycle or foot"}
}

// Road is a way that can be travelled, as the source has it: a run of nodes, crossing others at shared ones.
type Road struct {
	ID    int64
	Class Class
	Name  string
	Also  []OtherName
	Nodes []int64
	// Tags are those of the source that bear on who may travel it and how fast: key=value, by key.
	Tags []string
	// Square tells that it leads round or across a square that has an address of its own, and is no street.
	Square bool
}

// Restriction forbids a turn, or commands one: from a way by a node, or by one or more ways, to a way.
type Restriction struct {
	ID int64
	// Tags are those of the source: restriction=no_left_turn, except=bicycle, by key.
	Tags []string
	From int64
	// Node is the node that the turn leads over, 0 where it leads along Ways.
	Node int64
	Ways []int64
	To   int64
	// Only tells that no other turn is allowed.
	Only bool
}

// OtherName is a name that a thing is known by as well, with the kind of it: a language, "old", "alternative", "local".
type OtherName struct{ Kind, Text string }

// Address is a house number somewhere.
type Address struct {
	ID                              FeatureID
	At                              geo.E7
	Number, Street, Place, Postcode string
}

// Settlement is a named locality with the point that stands for it.
type Settlement struct {
	ID   FeatureID
	At   geo.E7
	Name string
	// Size orders localities: 4 city, 3 town, 2 village, 1 hamlet or quarter.
	Size uint8
	Also []OtherName
	// District is the name of the part of the country that it lies in; Encode fills it in from the draft's districts.
	District string
}

// District is a part of the country: outer rings counterclockwise, holes clockwise, none repeats its first point.
type District struct {
	ID    FeatureID
	Name  string
	Rings [][]geo.E7
}

// Landmark is a thing that can be looked for: a square, a shop, a peak. Where it has no name, it is found by its kind.
type Landmark struct {
	ID   FeatureID
	At   geo.E7
	Name string
	Kind string
	Also []OtherName
}

// Draft is a region under way: everything that an importer found.
type Draft struct {
	Name        string
	Attribution string
	Bounds      geo.Box
	Ground      []Feature
	Roads       []Road
	RoadNodes   map[int64]geo.E7
	// RoadPoints are the tags of nodes on roads that bear on who may pass: gates, signals, fords.
	RoadPoints   map[int64][]string
	Restrictions []Restriction
	Addresses    []Address
	Settlements  []Settlement
	Landmarks    []Landmark
	Districts    []District
	// Heights may be nil.
	Heights *relief.Grid
}
