package store

import (
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"time"

	"github.com/google/uuid"

	"viandante/codec/geojson"
	"viandante/core/feature"
	"viandante/core/geo"
)

// stateFormat is the version of the texts in which the change log holds what was before and after. Whoever changes a
// field of one of them, or its name, gives the new texts the next number and goes on reading the old ones: a log is
// replayed for as long as it is kept, by processes that are older and newer than who wrote it.
const stateFormat = 1

// featureState is a feature in the change log, format 1.
type featureState struct {
	ID         uuid.UUID       `json:"id"`
	Collection string          `json:"collection"`
	Kind       string          `json:"kind"`
	Name       string          `json:"name"`
	Category   string          `json:"category,omitempty"`
	At         geo.Point       `json:"at"`
	Geometry   json.RawMessage `json:"geometry,omitempty"`
	ElevationM *float64        `json:"elevation_m,omitempty"`
	AccuracyM  *float64        `json:"accuracy_m,omitempty"`
	Source     string          `json:"source,omitempty"`
	FixedAt    *time.Time      `json:"fixed_at,omitempty"`
	Typed      string          `json:"address_typed,omitempty"`
	Found      json.RawMessage `json:"address_found,omitempty"`
	Attributes json.RawMessage `json:"attributes"`
	Version    uint64          `json:"version"`
	CreatedAt  time.Time       `json:"created_at"`
	UpdatedAt  time.Time       `json:"updated_at"`
}

// stateOf returns the text of a feature for the change log, nil for none.
func stateOf(f *feature.Feature) ([]byte, error) {
	if f == nil {
		return nil, nil
	}
	s := featureState{ID: f.ID, Collection: f.Collection, Kind: f.Kind().String(), Name: f.Name, Category: f.Category,
		ElevationM: f.ElevationM, AccuracyM: f.AccuracyM, Source: f.Source, FixedAt: f.FixedAt, Typed: f.AddressTyped,
		Found: f.AddressFound, Attributes: json.RawMessage(f.Attributes.JSON()), Version: f.Version,
		CreatedAt: f.CreatedAt, UpdatedAt: f.UpdatedAt}
	switch f.Geometry.Form() {
	case feature.Unknown:
	case feature.Point:
		s.At = f.Geometry.Point()
	default:
		s.Geometry = appendGeometry(nil, f.Geometry)
	}
	return json.Marshal(&s)
}

// featureOf reads the text of a feature, nil from none.
func featureOf(format uint8, text []byte) (*feature.Feature, error) {
	if text == nil {
		return nil, nil
	}
	if format != stateFormat {
		return nil, fmt.Errorf(
			"it is written in format %d, and this program reads format %d: use a newer one",
			format,
			stateFormat,
		)
	}
	var s featureState
	if err := json.Unmarshal(text, &s); err != nil {
		return nil, err
	}
	f := &feature.Feature{
		ID:           s.ID,
		Collection:   s.Collection,
		Name:         s.Name,
		Category:     s.Category,
		Geometry:     feature.At(s.At),
		ElevationM:   s.ElevationM,
		AccuracyM:    s.AccuracyM,
		Source:       s.Source,
		FixedAt:      s.FixedAt,
		AddressTyped: s.Typed,
		AddressFound: s.Found,
		Version:      s.Version,
		CreatedAt:    s.CreatedAt,
		UpdatedAt:    s.UpdatedAt,
	}
	var err1, err2 error
	if s.Geometry != nil {
		f.Geometry, err1 = readGeometry(s.Geometry)
	}
	f.Attributes, err2 = feature.ParseAttributes(s.Attributes)
	return f, errors.Join(err1, err2)
}

// MarshalFeature returns a feature as the change log would hold it, with the format that it is in; UnmarshalFeature
// reads it.
func MarshalFeature(f *feature.Feature) ([]byte, error) {
	text, err := stateOf(f)
	if err != nil {
		return nil, err
	}
	return json.Marshal(marshalled{stateFormat, text})
}

type marshalled struct {
	Format uint8           `json:"format"`
	State  json.RawMessage `json:"state"`
}

// UnmarshalFeature reads what MarshalFeature returned.
func UnmarshalFeature(text []byte) (*feature.Feature, error) {
	var m marshalled
	if err := json.Unmarshal(text, &m); err != nil {
		return nil, err
	}
	return featureOf(m.Format, m.State)
}

// circle is the type of a circle's geometry in table and log; every other one is GeoJSON's.
const circle = "Circle"

// appendGeometry appends a path's or an area's geometry as table and log hold it.
func appendGeometry(dst []byte, g feature.Geometry) []byte {
	if g.Form() != feature.Circle {
		return geojson.AppendGeometry(dst, g)
	}
	dst = append(dst, `{"type":"`+circle+`","coordinates":[`...)
	dst = strconv.AppendFloat(dst, g.Point().Lng(), 'f', -1, 64)
	dst = strconv.AppendFloat(append(dst, ','), g.Point().Lat(), 'f', -1, 64)
	dst = strconv.AppendFloat(append(dst, `],"radius_m":`...), g.RadiusM(), 'f', -1, 64)
	return append(dst, '}')
}

func readGeometry(text []byte) (feature.Geometry, error) {
	var kept struct {
		geojson.Geometry
		RadiusM float64 `json:"radius_m"`
	}
	if err := json.Unmarshal(text, &kept); err != nil {
		return feature.Geometry{}, err
	}
	if kept.Type != circle {
		return kept.Read()
	}
	kept.Type = "Point"
	middle, err := kept.Read()
	if err != nil {
		return feature.Geometry{}, err
	}
	return feature.NewCircle(middle.Point(), kept.RadiusM)
}
