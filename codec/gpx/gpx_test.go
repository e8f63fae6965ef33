package gpx

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
)

func TestWhatIsWrittenIsRead(t *testing.T) {
	at := time.Date(2026, 5, 1, 8, 0, 0, 500e6, time.UTC)
	want := []Position{
		{geo.MustPoint(-38.1234567, -26.7654321), 12.5, at},
		{geo.MustPoint(-38.1, 180), math.NaN(), time.Time{}},
		{geo.MustPoint(-38.2, -179.9), -3, at.Add(time.Hour)},
	}
	var text bytes.Buffer
	require.NoError(t, Write(&text, `Walk <of> "Mill & Sons"`, want[:2], want[2:]))
	got, err := Read(&text, 10)
	require.NoError(t, err)
	assert.Equal(t, `Walk <of> "Mill & Sons"`, got.Name)
	require.Len(t, got.Positions, 3)
	for i := range want {
		assert.Equal(t, want[i].At, got.Positions[i].At)
		assert.Equal(t, math.IsNaN(want[i].AltitudeM), math.IsNaN(got.Positions[i].AltitudeM))
		assert.True(t, want[i].Time.Equal(got.Positions[i].Time))
	}
}

func TestWhatOthersWrite(t *testing.T) {
	const point = `<trkpt lat="-38.5" lon=" -26.25 "><ele>x</ele><time>yesterday</time>` +
		`<extensions><a><b/></a></extensions></trkpt>`
	for name, text := range map[string]string{
		"1.0 without a namespace": `<gpx version="1.0"><trk><trkseg>` + point + `</trkseg></trk></gpx>`,
		"a route only":            `<gpx><rte><rtept lat="-38.5" lon="-26.25"/></rte></gpx>`,
		"a waypoint only":         `<gpx><wpt lat="-38.5" lon="-26.25"/></gpx>`,
		"Latin-1": "<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?><gpx><trk><name>Caf\xe9</name><trkseg>" + point +
			`</trkseg></trk></gpx>`,
	} {
		got, err := Read(strings.NewReader(text), 10)
		require.NoError(t, err, name)
		require.Len(t, got.Positions, 1, name)
		assert.Equal(t, geo.MustPoint(-38.5, -26.25), got.Positions[0].At, name)
		assert.True(t, math.IsNaN(got.Positions[0].AltitudeM) && got.Positions[0].Time.IsZero(), name)
		if name == "Latin-1" {
			assert.Equal(t, "Café", got.Name)
		}
	}
}

func TestWhatIsNoTrackIsRefused(t *testing.T) {
	many := `<gpx><trk><trkseg>` + strings.Repeat(`<trkpt lat="1" lon="2"/>`, 50) + `</trkseg></trk></gpx>`
	for text, want := range map[string]string{
		"":                                "no GPX",
		"lat,lng\n1,2":                    "",
		"<kml></kml>":                     `"kml", no GPX`,
		"<gpx></gpx>":                     "no positions",
		"<gpx><trk><trkseg>":              "broken",
		"<gpx>\n<wpt lat=\"1\" lon='x'/>": `line 2: lat="1" lon="x" is no position`,
		`<gpx><wpt lat="NaN" lon="1"/>`:   "number",
		`<gpx><wpt lat="-26" lon="138"/><wpt lat="138" lon="-26"/></gpx>`: "138",
		`<gpx><wpt lon="1"/></gpx>`:                                       "no position",
		many:                                                              "more than 20 positions",
		`<!DOCTYPE x [<!ENTITY a "b">]><gpx><name>&a;</name></gpx>`: "entity",
		`<?xml version="1.0" encoding="klingon"?><gpx/>`:            "klingon",
		"<gpx>" + strings.Repeat("<wpt lat='1' lon='2'>", 20_000):   "",
		"<gpx><name>\xff\xfe</name></gpx>":                          "UTF-8",
	} {
		_, err := Read(strings.NewReader(text), 20)
		var e *Error
		require.ErrorAs(t, err, &e, "%.60q", text)
		assert.Contains(t, err.Error(), want, "%.60q", text)
		assert.LessOrEqual(t, len(err.Error()), 400)
	}
}

// However large the file, what is held are its positions.
func TestAMillionPositions(t *testing.T) {
	if testing.Short() {
		t.Skip()
	}
	var text bytes.Buffer
	text.WriteString("<gpx><trk><trkseg>")
	for i := range 1_000_000 {
		fmt.Fprintf(&text, `<trkpt lat="%.5f" lon="-26.1"/>`, -38+float64(i)*1e-6)
	}
	whole := text.String() + "</trkseg></trk></gpx>"
	_, err := Read(strings.NewReader(whole), 86_400)
	assert.ErrorContains(t, err, "more than 86400 positions")
}
