package geo

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestCompassPoints(t *testing.T) {
	for _, c := range []struct {
		bearing float64
		of      int
		want    string
	}{
		{0, 4, "N"}, {44.9, 4, "N"}, {45, 4, "E"}, {359, 4, "N"}, {-90, 4, "W"},
		{22.4, 8, "N"}, {22.5, 8, "NE"}, {337.5, 8, "N"}, {200, 8, "S"},
		{22.5, 16, "NNE"}, {348.75, 16, "N"}, {348.7, 16, "NNW"}, {247, 16, "WSW"},
		{11.25, 32, "NbE"}, {174.5, 32, "S"}, {168.8, 32, "SbE"}, {720, 32, "N"},
		{math.NaN(), 8, ""}, {math.Inf(1), 8, ""}, {10, 7, ""}, {10, 64, ""},
	} {
		assert.Equal(t, c.want, CompassPoint(c.bearing, c.of), "%v of %d", c.bearing, c.of)
	}
	for i, name := range compassPoints { // each reads back as itself
		got, err := ParseAngle(name)
		require.NoError(t, err, name)
		assert.Equal(t, float64(i)*11.25, got, name)
		assert.Equal(t, name, CompassPoint(got, 32))
	}
}

func TestAngles(t *testing.T) {
	for in, want := range map[string]float64{
		"45": 45, "-45": -45, " 12.5° ": 12.5, "12,5": 12.5, "370": 370, "0": 0,
		`45°30'15"`: 45.504166666666666, "45 30": 45.5, "-12°30′": -12.5, "100d30m": 100.5,
		"0.5rad": 28.64788975654116, "500 mrad": 28.64788975654116, "50gon": 45, "50 grad": 45, "1600mil": 90,
		"90deg": 90,
		"NNE":   22.5, "north-east": 45, "north north west": 337.5, "south by east": 168.75,
		"N30°E": 30, "S30E": 150, "S30W": 210, "N 30 W": 330, "N0W": 0, "N45°30'E": 45.5,
	} {
		got, err := ParseAngle(in)
		require.NoError(t, err, in)
		assert.InDelta(t, want, got, 1e-12, in)
	}
	for _, in := range []string{"", "north of it", "NaN", "Inf", "1e400", "45°61'", "N100E", "N30", "30E", "-N30E",
		"5km",
		"1e9", "45°30'15\"x"} {
		_, err := ParseAngle(in)
		assert.Error(t, err, in)
	}
	for _, c := range []struct {
		degrees  float64
		unit     string
		decimals int
		want     string
	}{
		{45.504166666666666, "dms", 0, "45°30′15″"},
		{-0.5, "dms", 1, "-0°30′00.0″"}, {59.999999, "dms", 0, "60°00′00″"},
		{-1e-9, "dms", 0, "0°00′00″"},
		{90, "rad", 4, "1.5708 rad"}, {90, "gon", 0, "100 gon"}, {90, "mil", 0, "1600 mil"},
		{12.345, "deg", 1, "12.3°"}, {math.NaN(), "deg", 1, "—"},
	} {
		assert.Equal(t, c.want, FormatAngle(c.degrees, c.unit, c.decimals))
	}
}

func TestNorths(t *testing.T) {
	assert.Equal(t, 352.0, ToMagnetic(2, 10), "magnetic north lies east of true north")
	assert.Equal(t, 2.0, FromMagnetic(352, 10))
	assert.Equal(t, 12.0, ToMagnetic(2, -10))
	assert.Equal(t, 190.0, Opposite(10))
	assert.True(t, math.IsNaN(ToMagnetic(math.NaN(), 3)))
	assert.True(t, math.IsNaN(Opposite(math.NaN())))
}

func TestLengthsAreWritten(t *testing.T) {
	for _, c := range []struct {
		m        float64
		unit     string
		decimals int
		want     string
	}{{1852, "nmi", 2, "1.00 nmi"}, {0.9144, "yd", 0, "1 yd"}, {1609.344, "mi", 1, "1.0 mi"}, {1, "ft", 3, "3.281 ft"},
		{12.3456, "m", 3, "12.346 m"}, {1500, "km", 1, "1.5 km"}, {math.NaN(), "m", 0, "—"}} {
		text, err := FormatLength(c.m, c.unit, c.decimals)
		require.NoError(t, err)
		assert.Equal(t, c.want, text)
		if back, err := ParseLength(text); err == nil {
			assert.InDelta(t, c.m, back, c.m/2)
		}
	}
	_, err := FormatLength(1, "furlong", 0)
	assert.Error(t, err)
	got, err := ParseLength("1,5 km")
	require.NoError(t, err)
	assert.Equal(t, 1500.0, got)
	got, err = ParseLength("100yd")
	require.NoError(t, err)
	assert.InDelta(t, 91.44, got, 1e-12)
}

func FuzzParseAngle(f *testing.F) {
	for _, s := range []string{"45", `45°30'15"`, "N30E", "NNE", "0.5rad"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if v, err := ParseAngle(s); err == nil && (math.IsNaN(v) || math.Abs(v) > 1e6) {
			t.Fatalf("%q read as %v", s, v)
		}
	})
}
