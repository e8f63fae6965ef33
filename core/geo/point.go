// Package geo holds the small immutable values that the rest of the program speaks in: points, boxes,
// lengths and durations, each parsed once at the edge and never passed on as bare numbers.
//
// Angles are degrees on WGS 84, lengths are metres, durations are seconds. A point in text is "lat,lng"
// (the order of RFC 5870); GeoJSON's "[lng, lat]" (RFC 7946) is read and written in package codec/geojson only.
package geo

import (
	"math"
	"strconv"
)

// Point is a position on the earth in degrees: latitude in [-90, 90], longitude in [-180, 180].
// It is comparable. The zero Point is not valid; it stands for "position unknown".
type Point struct {
	lat, lng float64
	known    bool
}

// NewPoint returns the point at a latitude and longitude in degrees. It returns a *ParseError when either is
// not a finite number in its range, with the likely swap named as the hint.
func NewPoint(lat, lng float64) (Point, error) {
	if reason, hint := refuse(lat, lng); reason != "" {
		return Point{}, &ParseError{Input: formatPair(lat, lng), Reason: reason, Hint: hint}
	}
	return Point{lat + 0, lng + 0, true}, nil // + 0 turns -0 into 0
}

// MustPoint is NewPoint for constants; it panics where NewPoint returns an error.
func MustPoint(lat, lng float64) Point {
	p, err := NewPoint(lat, lng)
	if err != nil {
		panic(err)
	}
	return p
}

func refuse(lat, lng float64) (reason, hint string) {
	switch {
	case math.IsNaN(lat) || math.IsNaN(lng) || math.IsInf(lat, 0) || math.IsInf(lng, 0):
		return "a coordinate is not a finite number", "give latitude and longitude as decimal degrees, e.g. " +
			"-38.1402,-26.0517"
	case math.Abs(lat) > 90 && math.Abs(lng) <= 90 && math.Abs(lat) <= 180:
		return "latitude " + formatDegrees(lat) + " is outside -90 to 90",
			"the order is lat,lng: did you mean " + formatPair(lng, lat) + "?"
	case math.Abs(lat) > 90:
		return "latitude " + formatDegrees(
			lat,
		) + " is outside -90 to 90", "latitude comes first and lies within -90 to 90"
	case math.Abs(lng) > 180:
		return "longitude " + formatDegrees(lng) + " is outside -180 to 180",
			"longitude comes second; " + formatDegrees(WrapLng(lng)) + " is the same meridian"
	}
	return "", ""
}

// Lat returns the latitude in degrees, positive north.
func (p Point) Lat() float64 { return p.lat }

// Lng returns the longitude in degrees, positive east.
func (p Point) Lng() float64 { return p.lng }

// IsValid tells whether the position is known.
func (p Point) IsValid() bool { return p.known }

// Rounded returns the point as the database keeps it: 7 decimal places, about one centimetre.
func (p Point) Rounded() Point {
	p.lat, p.lng = math.Round(p.lat*1e7)/1e7+0, math.Round(p.lng*1e7)/1e7+0
	return p
}

// String returns "lat,lng" with as many decimals as are needed, or "" for an unknown position.
func (p Point) String() string {
	if !p.known {
		return ""
	}
	return formatPair(p.lat, p.lng)
}

// AppendText implements encoding.TextAppender.
func (p Point) AppendText(b []byte) ([]byte, error) { return append(b, p.String()...), nil }

// MarshalText implements encoding.TextMarshaler.
func (p Point) MarshalText() ([]byte, error) { return p.AppendText(nil) }

// UnmarshalText implements encoding.TextUnmarshaler; it reads what ParsePoint reads.
func (p *Point) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*p = Point{}
		return nil
	}
	q, err := ParsePoint(string(text))
	*p = q
	return err
}

// E7 is a position in units of 1e-7 degree: how region files keep coordinates, exact to a centimetre in 8 bytes.
type E7 struct{ Lat, Lng int32 }

// E7 returns the point rounded to 1e-7 degree. The point must be valid.
func (p Point) E7() E7 {
	return E7{int32(math.Round(p.lat * 1e7)), int32(math.Round(p.lng * 1e7))}
}

// Point returns the position in degrees; a value outside the range of latitude or longitude gives an unknown point.
func (e E7) Point() Point {
	if e.Lat < -90e7 || e.Lat > 90e7 || e.Lng < -180e7 || e.Lng > 180e7 {
		return Point{}
	}
	return Point{float64(e.Lat) / 1e7, float64(e.Lng) / 1e7, true}
}

// WrapLng brings a longitude in degrees into [-180, 180].
func WrapLng(lng float64) float64 {
	if lng >= -180 && lng <= 180 {
		return lng
	}
	return math.Remainder(lng, 360)
}

// WrapBearing brings an angle in degrees into [0, 360).
func WrapBearing(degrees float64) float64 {
	b := math.Mod(degrees, 360)
	if b < 0 {
		b += 360
	}
	if b >= 360 {
		return 0
	}
	return b + 0
}

func formatDegrees(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

func formatPair(lat, lng float64) string { return formatDegrees(lat) + "," + formatDegrees(lng) }
