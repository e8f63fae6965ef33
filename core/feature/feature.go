// Package feature is the typed feature: a place, a path or an area with its attributes, as store, catalog and service
// pass it on. GeoJSON is another form of it, read and written in codec/geojson.
//
// A Geometry says where a feature is: nowhere yet, at a point, along a line, in a polygon with holes or in a circle.
// Positions are WGS 84, lengths are metres. Between two positions of a line a side is straight on the plane of
// longitude and latitude (RFC 7946, 3.1.1) where containment is concerned, and a geodesic where a distance is; it takes
// the short way over the antimeridian.
package feature

import (
	"slices"
	"time"

	"github.com/google/uuid"
)

// Kind is what a feature is.
type Kind uint8

// The kinds of feature. A place is one also while its position is unknown.
const (
	Place Kind = iota
	Path
	Area
)

var kindNames = [...]string{"place", "path", "area"}

// String returns "place", "path" or "area".
func (k Kind) String() string { return kindNames[k] }

// ParseKind returns the kind of a name, and false where there is none of that name.
func ParseKind(name string) (Kind, bool) {
	i := slices.Index(kindNames[:], name)
	return Kind(max(i, 0)), i >= 0
}

// Feature is a place, a path or an area. One that has been handed on is never changed.
type Feature struct {
	ID         uuid.UUID
	Collection string
	Name       string
	// Category is the id of one, "" for none.
	Category string
	// Geometry is rounded to 7 decimals (about one centimetre) once stored.
	Geometry Geometry
	// ElevationM and AccuracyM are metres, nil while unknown.
	ElevationM, AccuracyM *float64
	// Source says where the position comes from, FixedAt when it was taken.
	Source  string
	FixedAt *time.Time
	// AddressTyped is the address as it was given, AddressFound what the geocoder made of it: JSON, nil for nothing.
	AddressTyped string
	AddressFound []byte
	Attributes   Attributes
	// Version is the number of the change that the feature was written by.
	Version              uint64
	CreatedAt, UpdatedAt time.Time
}

// Kind returns what the feature is, which its geometry tells.
func (f *Feature) Kind() Kind { return f.Geometry.Kind() }

// SameContent tells whether two features differ in nothing but their version and times.
func (f *Feature) SameContent(g *Feature) bool {
	number := func(a, b *float64) bool { return a == b || a != nil && b != nil && *a == *b }
	instant := func(a, b *time.Time) bool { return a == b || a != nil && b != nil && a.Equal(*b) }
	return f.ID == g.ID && f.Collection == g.Collection && f.Name == g.Name && f.Category == g.Category &&
		f.Geometry.Rounded().Equal(g.Geometry.Rounded()) && number(f.ElevationM, g.ElevationM) &&
		number(f.AccuracyM, g.AccuracyM) && f.Source == g.Source && instant(f.FixedAt, g.FixedAt) &&
		f.AddressTyped == g.AddressTyped && string(f.AddressFound) == string(g.AddressFound) &&
		f.Attributes == g.Attributes
}
