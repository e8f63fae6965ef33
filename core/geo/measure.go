package geo

import (
	"math"
	"strconv"
	"strings"
	"time"
)

// Metres in the units that a length may be given in. The mile is the international one, the nautical mile is 1852 m
// by definition (International Hydrographic Conference, Monaco 1929).
var lengthUnits = []struct {
	suffix string
	metres float64
}{{"nmi", 1852}, {"km", 1000}, {"mi", 1609.344}, {"ft", 0.3048}, {"yd", 0.9144}, {"m", 1}}

// maxLength is more than half the earth's circumference, so that nothing on earth is farther away; metres.
const maxLength = 50_000_000

// ParseLength reads a length as metres or with a unit: "800m", "5km", "3mi", "2nmi", "500ft",
// "100yd", with a point or a comma. The result is metres in [0, 50 000 000].
func ParseLength(s string) (float64, error) {
	const hint = "metres, or with a unit: 800m, 5km, 3mi, 2nmi, 500ft, 100yd"
	t, factor := strings.TrimSpace(s), 1.0
	for _, u := range lengthUnits {
		if cut, ok := strings.CutSuffix(t, u.suffix); ok {
			t, factor = strings.TrimSpace(cut), u.metres
			break
		}
	}
	v, ok := plainNumber(t)
	switch {
	case !ok:
		return 0, &ParseError{s, "is not a length", hint}
	case v < 0:
		return 0, &ParseError{s, "a length is not negative", hint}
	case v*factor > maxLength:
		return 0, &ParseError{s, "is longer than the way round the earth", "at most 50000km"}
	}
	return v*factor + 0, nil
}

// FormatLength writes a length in metres in a unit (m, km, mi, nmi, ft, yd) with so many decimals; one that is not
// defined (NaN) is "—".
func FormatLength(metres float64, unit string, decimals int) (string, error) {
	for _, u := range lengthUnits {
		if u.suffix == unit {
			if math.IsNaN(metres) {
				return "—", nil
			}
			return strconv.FormatFloat(metres/u.metres, 'f', decimals, 64) + " " + unit, nil
		}
	}
	return "", &ParseError{unit, "is not a unit of length", "m, km, mi, nmi, ft or yd"}
}

// ParseDuration reads a duration as seconds or with a unit: "90s", "15min", "2h". The result is at most 30 days.
func ParseDuration(s string) (time.Duration, error) {
	const hint = "seconds, or with a unit: 90s, 15min, 2h"
	t, unit := strings.TrimSpace(s), time.Second
	for _, u := range []struct {
		suffix string
		unit   time.Duration
	}{{"min", time.Minute}, {"h", time.Hour}, {"s", time.Second}} {
		if cut, ok := strings.CutSuffix(t, u.suffix); ok {
			t, unit = strings.TrimSpace(cut), u.unit
			break
		}
	}
	v, err := strconv.ParseFloat(t, 64)
	if err != nil || math.IsNaN(v) || v < 0 || v*float64(unit) > float64(30*24*time.Hour) {
		return 0, &ParseError{s, "is not a duration from 0 to 30 days", hint}
	}
	return time.Duration(v * float64(unit)), nil
}
