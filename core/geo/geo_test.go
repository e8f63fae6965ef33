package geo

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestReadUnderstandsWhatPeoplePaste(t *testing.T) {
	south := MustPoint(-38.1402, -26.0517)
	dms := MustPoint(-(38 + 8.0/60 + 24.72/3600), -(26 + 3.0/60 + 6.12/3600))
	for _, c := range []struct {
		in       string
		want     Point
		notation Notation
	}{
		{"-38.1402,-26.0517", south, Decimal},
		{" -38.1402 , -26.0517 ", south, Decimal},
		{"-38.1402 -26.0517", south, Decimal},
		{"−38.1402; −26.0517", south, Decimal},
		{"-38,1402; -26,0517", south, Decimal},
		{"-38,1402, -26,0517", south, Decimal},
		{"-38,1402 -26,0517", south, Decimal},
		{"38.1402S 26.0517W", south, Decimal},
		{"26.0517W, 38.1402S", south, Decimal},
		{"S38.1402 W26.0517", south, Decimal},
		{"S 38.1402° W 26.0517°", south, Decimal},
		{"38.1402° S, 26.0517° W", south, Decimal},
		{`38°8'24.72"S 26°3'6.12"W`, dms, Sexagesimal},
		{`38°8'24,72"S 26°3'6,12"W`, dms, Sexagesimal},
		{`38° 8′ 24.72″ S, 26° 3′ 6.12″ W`, dms, Sexagesimal},
		{"S 38 8 24.72 W 26 3 6.12", dms, Sexagesimal},
		{"38 8 24.72 S 26 3 6.12 W", dms, Sexagesimal},
		{`-38°8'24.72" -26°3'6.12"`, dms, Sexagesimal},
		{"38 8.412 S, 26 3.102 W", dms, Sexagesimal},
		{"geo:-38.1402,-26.0517", south, GeoURI},
		{"geo:-38.1402,-26.0517,120;u=35", south, GeoURI},
		{`{"type":"Point","coordinates":[-26.0517,-38.1402]}`, south, GeoJSON},
		{"12, 13", MustPoint(12, 13), Decimal},
		{"0,0", MustPoint(0, 0), Decimal},
		{"90,180", MustPoint(90, 180), Decimal},
	} {
		got, err := Read(c.in)
		require.NoError(t, err, c.in)
		assert.InDelta(t, c.want.Lat(), got.Point.Lat(), 1e-9, c.in)
		assert.InDelta(t, c.want.Lng(), got.Point.Lng(), 1e-9, c.in)
		assert.Equal(t, c.notation, got.Notation, c.in)
	}
}

func TestReadKeepsTheUncertaintyOfAGeoLink(t *testing.T) {
	r, err := Read("geo:1,2;u=35")
	require.NoError(t, err)
	assert.Equal(t, 35.0, r.AccuracyM)
}

func TestErrorsSayWhatWouldBeRight(t *testing.T) {
	for _, c := range []struct{ in, hint string }{
		{"-126.05,-38.14", "did you mean -38.14,-126.05"},
		{"NaN,3", "decimal"},
		{"1e400,3", "decimal"},
		{"38.1", "lat,lng"},
		{"1,2,3", "lat,lng"},
		{"91,200", "latitude comes first"},
		{"10,190", "-170 is the same meridian"},
		{"", "lat,lng"},
	} {
		_, err := ParsePoint(c.in)
		var pe *ParseError
		require.ErrorAs(t, err, &pe, c.in)
		assert.Contains(t, pe.Error(), c.hint, c.in)
	}
	_, err := Read(`{"type":"Point","coordinates":[-38.14,-126.05]}`)
	assert.ErrorContains(t, err, "GeoJSON is [lng, lat]: did you mean [-126.05, -38.14]")
	for _, in := range []string{"12 Mill Lane", "N 12 N 13", "-12S 13E", "38 61 S 26 3 W", "''", "geo:1,2;crs=mars",
		"°,°"} {
		_, err := Read(in)
		assert.Error(t, err, in)
	}
}

func TestPointRoundTripsThroughText(t *testing.T) {
	for _, p := range []Point{MustPoint(0, 0), MustPoint(-38.1402001, 179.9999999), {}} {
		text, err := p.MarshalText()
		require.NoError(t, err)
		var q Point
		require.NoError(t, q.UnmarshalText(text))
		assert.Equal(t, p, q)
	}
	assert.False(t, Point{}.IsValid())
	assert.Equal(t, MustPoint(-38.1402001, 26), MustPoint(-38.14020012, 26).E7().Point())
	assert.Equal(t, MustPoint(-38.1402001, 26), MustPoint(-38.14020012, 26).Rounded())
	assert.False(t, E7{Lat: 91e7}.Point().IsValid())
}

func TestLengthsAndDurations(t *testing.T) {
	for in, want := range map[string]float64{"800": 800, "800m": 800, "5km": 5000, "3mi": 4828.032, "2nmi": 3704,
		"500 ft": 152.4, "0": 0} {
		got, err := ParseLength(in)
		require.NoError(t, err, in)
		assert.InDelta(t, want, got, 1e-9, in)
	}
	for _, in := range []string{"", "-5", "five", "NaN", "Inf", "60000km", "5 parsecs"} {
		_, err := ParseLength(in)
		assert.Error(t, err, in)
	}
	for in, want := range map[string]time.Duration{"90": 90 * time.Second, "90s": 90 * time.Second,
		"15min": 15 * time.Minute, "2h": 2 * time.Hour} {
		got, err := ParseDuration(in)
		require.NoError(t, err, in)
		assert.Equal(t, want, got, in)
	}
	for _, in := range []string{"", "-1s", "NaN", "1000000h"} {
		_, err := ParseDuration(in)
		assert.Error(t, err, in)
	}
}

func TestBoxesCrossTheAntimeridian(t *testing.T) {
	b, err := ParseBox("170,-20,-170,10")
	require.NoError(t, err)
	assert.True(t, b.Contains(MustPoint(0, 179)))
	assert.True(t, b.Contains(MustPoint(0, -179)))
	assert.False(t, b.Contains(MustPoint(0, 0)))
	assert.False(t, b.Contains(MustPoint(11, 179)))
	for _, in := range []string{"1,2,3", "0,10,1,-10", "0,-100,1,10", "NaN,0,1,1", "-190,0,1,1"} {
		_, err := ParseBox(in)
		assert.Error(t, err, in)
	}
}

func TestWrapping(t *testing.T) {
	assert.Equal(t, -170.0, WrapLng(190))
	assert.Equal(t, 180.0, WrapLng(180))
	assert.Equal(t, 350.0, WrapBearing(-10))
	assert.Equal(t, 0.0, WrapBearing(360))
	assert.Equal(t, 0.0, WrapBearing(-1e-20))
	assert.False(t, math.Signbit(WrapBearing(math.Copysign(0, -1))))
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{"-38.1,-26", `38°8'24"S 26°3'6"W`, "geo:1,2;u=3", `{"type":"Point",` +
		`"coordinates":[1,2]}`, "1,5;2,5"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		r, err := Read(s)
		if err == nil && (!r.Point.IsValid() || math.Abs(r.Point.Lat()) > 90 || math.Abs(r.Point.Lng()) > 180) {
			t.Fatalf("%q read as %v", s, r.Point)
		}
	})
}
