package geo

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// The 32 points of the compass, clockwise from north, as mariners box it.
var compassPoints = [32]string{
	"N", "NbE", "NNE", "NEbN", "NE", "NEbE", "ENE", "EbN",
	"E", "EbS", "ESE", "SEbE", "SE", "SEbS", "SSE", "SbE",
	"S", "SbW", "SSW", "SWbS", "SW", "SWbW", "WSW", "WbS",
	"W", "WbN", "WNW", "NWbW", "NW", "NWbN", "NNW", "NbW",
}

// CompassPoint returns the point of a compass of 4, 8, 16 or 32 that is nearest to a bearing in degrees, "" for a
// bearing that is not defined (NaN). Half way between two it is the one clockwise.
func CompassPoint(bearing float64, of int) string {
	if math.IsNaN(bearing) || math.IsInf(bearing, 0) || of < 4 || of > 32 || of&(of-1) != 0 {
		return ""
	}
	i := int(math.Floor(WrapBearing(bearing)*float64(of)/360+0.5)) % of
	return compassPoints[i*32/of]
}

// Angle units in degrees.
var angleUnits = []struct {
	suffix  string
	degrees float64
}{
	{"mrad", 0.18 / math.Pi}, {"grad", 0.9}, {"rad", 180 / math.Pi}, {"gon", 0.9}, {"deg", 1}, {"mil", 360.0 / 6400},
}

// sexagesimalAngle is degrees, then minutes and seconds; a quadrant bearing has a letter on each side.
var sexagesimalAngle = regexp.MustCompile(`^([NS]?)\s*([-+]?[\d.,]+)\s*[°ºd]?\s*` +
	`(?:([\d.,]+)\s*['′’m]?\s*)?(?:([\d.,]+)\s*(?:"|″|”|''|s)?\s*)?([EW]?)$`)

const angleHint = `degrees, or with a unit: 45, 45°30'15", 0.5rad, 50gon, 800mil, NNE, N30E`

// ParseAngle reads an angle as degrees (with a point or a comma), as degrees, minutes and seconds, with a unit (deg,
// rad, mrad, gon, mil of 6400), as a point of the compass (NNE, north-east, NbE), or as a quadrant bearing (N30°E). The
// result is in degrees as it is written, not wrapped, and at most 1e6.
func ParseAngle(s string) (float64, error) {
	t := strings.TrimSpace(s)
	refuse := func(reason string) (float64, error) { return 0, &ParseError{s, reason, angleHint} }
	if t == "" || len(t) > 100 {
		return refuse("is not an angle")
	}
	if b, ok := parseCompassPoint(t); ok {
		return b, nil
	}
	lower := strings.ToLower(t)
	for _, u := range angleUnits {
		if cut, ok := strings.CutSuffix(lower, u.suffix); ok {
			v, ok := plainNumber(strings.TrimSpace(cut))
			if !ok || math.Abs(v*u.degrees) > 1e6 {
				return refuse("is not an angle")
			}
			return v * u.degrees, nil
		}
	}
	m := sexagesimalAngle.FindStringSubmatch(t)
	if m == nil {
		return refuse("is not an angle")
	}
	negative := strings.HasPrefix(m[2], "-")
	v, ok := plainNumber(m[2])
	v = math.Abs(v)
	for i, part := range m[3:5] {
		if part == "" {
			continue
		}
		p, good := plainNumber(part)
		if !good || p < 0 || p >= 60 {
			return refuse("has minutes or seconds that are not from 0 to 60")
		}
		v += p / math.Pow(60, float64(i+1))
	}
	switch {
	case !ok || v > 1e6:
		return refuse("is not an angle")
	case m[1] == "" && m[5] == "":
		if negative {
			v = -v
		}
		return v + 0, nil
	case m[1] == "" || m[5] == "" || negative || v > 90:
		return refuse("is not a quadrant bearing: N or S, 0 to 90 degrees, E or W")
	}
	switch m[1] + m[5] {
	case "NE":
		return v, nil
	case "SE":
		return 180 - v, nil
	case "SW":
		return 180 + v, nil
	}
	return WrapBearing(360 - v), nil
}

// plainNumber reads a finite number with a point or a comma.
func plainNumber(s string) (float64, bool) {
	v, err := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64)
	return v, err == nil && !math.IsNaN(v) && !math.IsInf(v, 0)
}

func parseCompassPoint(s string) (float64, bool) {
	name := strings.ToLower(s)
	for word, letter := range map[string]string{"north": "n", "east": "e", "south": "s", "west": "w", "by": "b"} {
		name = strings.ReplaceAll(name, word, letter)
	}
	name = strings.Map(func(r rune) rune {
		if r == ' ' || r == '-' {
			return -1
		}
		return r
	}, name)
	for i, p := range compassPoints {
		if strings.ToLower(p) == name {
			return float64(i) * 360 / 32, true
		}
	}
	return 0, false
}

// FormatAngle writes an angle in degrees in a unit: "deg" (decimal degrees), "dms", "rad", "gon" or "mil", with so many
// decimals; one that is not defined (NaN) is "—".
func FormatAngle(degrees float64, unit string, decimals int) string {
	if math.IsNaN(degrees) || math.IsInf(degrees, 0) {
		return "—"
	}
	write := func(v float64, suffix string) string { return strconv.FormatFloat(v, 'f', decimals, 64) + suffix }
	switch unit {
	case "rad":
		return write(degrees*math.Pi/180, " rad")
	case "gon":
		return write(degrees/0.9, " gon")
	case "mil":
		return write(degrees*6400/360, " mil")
	case "dms":
		scale := math.Pow(10, float64(decimals))
		total := math.Round(math.Abs(degrees) * 3600 * scale)
		whole := math.Floor(total / scale)
		seconds := math.Mod(whole, 60) + (total-whole*scale)/scale
		width := 2
		if decimals > 0 {
			width = decimals + 3
		}
		sign := ""
		if degrees < 0 && total > 0 {
			sign = "-"
		}
		return fmt.Sprintf("%s%d°%02d′%0*.*f″", sign, int(whole)/3600, int(whole)/60%60, width, decimals, seconds)
	}
	return write(degrees, "°")
}

// ToMagnetic returns a true bearing as one from magnetic north, FromMagnetic the reverse; the declination is positive
// where magnetic north lies east of true north. All are degrees, the results in [0, 360), NaN where the bearing is.
func ToMagnetic(trueBearing, declination float64) float64 {
	return WrapBearing(trueBearing - declination)
}

// FromMagnetic returns a bearing from magnetic north as a true one.
func FromMagnetic(magneticBearing, declination float64) float64 {
	return WrapBearing(magneticBearing + declination)
}

// Opposite returns the back bearing: the same line looked along the other way.
func Opposite(bearing float64) float64 { return WrapBearing(bearing + 180) }
