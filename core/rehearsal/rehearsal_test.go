package rehearsal

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// course is a walk of some 3.3 km north, then east, across the antimeridian.
func course() Course {
	return Course{Line: []geo.Point{
		geo.MustPoint(-38, 179.99), geo.MustPoint(-37.98, 179.99), geo.MustPoint(-37.98, -179.997)}}
}

func run(t *testing.T, c Course, m Manner) []Fix {
	t.Helper()
	fixes, err := Run(c, m)
	require.NoError(t, err)
	return fixes
}

func TestTheTruthTravelsTheCourse(t *testing.T) {
	for mode, want := range map[region.Mode]float64{region.Foot: 1.4, region.Bicycle: 4.6, region.Car: 13.9} {
		fixes := run(t, course(), Manner{Mode: mode, Seed: 1})
		line := course().Line
		length := geodesy.Distance(line[0], line[1]) + geodesy.Distance(line[1], line[2])
		last := fixes[len(fixes)-1]
		assert.InDelta(t, length, last.AlongM, 1e-6)
		assert.Equal(t, line[2].Rounded(), last.Point, "without errors the device is right")
		assert.InDelta(t, length/want, last.AtS, 0.15*length/want, "%v", mode)
		p := paces[mode]
		for i := 1; i < len(fixes); i++ {
			a, b := fixes[i-1], fixes[i]
			require.Equal(t, a.AtS+1, b.AtS)
			require.GreaterOrEqual(t, b.AlongM, a.AlongM)
			require.LessOrEqual(t, b.SpeedMPS-a.SpeedMPS, p.gainMPS2+1e-9)
			require.GreaterOrEqual(t, b.SpeedMPS-a.SpeedMPS, -2*p.gainMPS2-1e-9)
			// In the bend the chord is shorter than the way.
			d := geodesy.Distance(a.True, b.True)
			require.LessOrEqual(t, d, b.AlongM-a.AlongM+1e-6)
			require.GreaterOrEqual(t, d, 0.7*(b.AlongM-a.AlongM)-1e-6)
		}
	}
}

func TestTheSameSeedGivesTheSameJourney(t *testing.T) {
	m := Manner{Mode: region.Foot, Seed: 7, ErrorM: 10, Pauses: 2, Losses: 1, Compass: GoodCompass}
	a, b := run(t, course(), m), run(t, course(), m)
	require.Len(t, b, len(a))
	for i := range a {
		require.Equal(t, a[i].Point, b[i].Point)
		require.Equal(t, math.Float64bits(a[i].CompassDeg), math.Float64bits(b[i].CompassDeg))
	}
	m.Seed = 8
	assert.NotEqual(t, a[20].Point, run(t, course(), m)[20].Point)
	m.Seed, m.Losses = 7, 0
	assert.Equal(t, a[4].Point, run(t, course(), m)[4].Point, "a loss more changes no error")
}

// The error has the size that was asked for, lies within the accuracy in 95 of 100 cases, and drifts: a minute later it
// is still alike, five minutes later it is not.
func TestErrorsDriftAndAreAsLargeAsSaid(t *testing.T) {
	var square, within, n float64
	var product [3]float64
	lags := [3]int{1, 60, 300}
	for seed := range uint64(60) {
		fixes := run(t, course(), Manner{Mode: region.Foot, Seed: seed, ErrorM: 10})
		north := make([]float64, len(fixes))
		for i, f := range fixes {
			d := geodesy.Distance(f.True, f.Point)
			square += d * d
			n++
			if d <= f.AccuracyM {
				within++
			}
			north[i] = (f.Point.Lat() - f.True.Lat()) * 111_000
		}
		for k, lag := range lags {
			for i := range 1500 {
				product[k] += north[i] * north[i+lag] / (1500 * 60 * 50)
			}
		}
	}
	assert.InDelta(t, 10, math.Sqrt(square/n), 0.6)
	assert.InDelta(t, 0.95, within/n, 0.03)
	assert.InDelta(t, 0.95*math.Exp(-1.0/60), product[0], 0.12)
	assert.InDelta(t, 0.95*math.Exp(-1), product[1], 0.12)
	assert.InDelta(t, 0, product[2], 0.12)
}

func TestPausesAndLossesAreAsManyAsWanted(t *testing.T) {
	fixes := run(t, course(), Manner{Mode: region.Foot, Seed: 3, ErrorM: 5, Pauses: 3, Losses: 2})
	stands, gaps := 0, 0
	for i := 1; i < len(fixes); i++ {
		if fixes[i].AlongM == fixes[i-1].AlongM && (i == 1 || fixes[i-1].AlongM != fixes[i-2].AlongM) {
			stands++
			assert.True(t, math.IsNaN(fixes[i].HeadingDeg) || fixes[i].SpeedMPS >= moving, "who stands has no heading")
		}
		if fixes[i].AtS-fixes[i-1].AtS > 15 {
			gaps++
			assert.Greater(t, fixes[i].AccuracyM, 12.0, "the first fix after a gap is less sure")
		}
	}
	assert.Equal(t, 3, stands)
	assert.Equal(t, 2, gaps)
}

func TestCompasses(t *testing.T) {
	for compass, want := range map[Compass]struct{ least, most, accuracy float64 }{
		GoodCompass: {0, 6, 8}, Uncalibrated: {50, 160, 120}} {
		fixes := run(t, course(), Manner{Mode: region.Foot, Seed: 5, ErrorM: 5, Compass: compass})
		var off float64
		for _, f := range fixes[10:1000] {
			off += math.Remainder(f.CompassDeg-0, 360) / 990 // the course leads north there
			require.Equal(t, want.accuracy, f.CompassAccuracyDeg)
		}
		assert.GreaterOrEqual(t, math.Abs(off), want.least, "%s", compass)
		assert.LessOrEqual(t, math.Abs(off), want.most, "%s", compass)
	}
	for _, f := range run(t, course(), Manner{Seed: 5, Compass: NoCompass}) {
		require.True(t, math.IsNaN(f.CompassDeg), "no compass is not north")
	}
}

func TestWhatIsOddIsTravelledOrRefused(t *testing.T) {
	here := geo.MustPoint(-38, -26)
	stand := run(t, Course{Line: []geo.Point{here}}, Manner{ErrorM: 5})
	assert.Len(t, stand, standingS)
	for _, f := range stand {
		require.Equal(t, here, f.True)
		require.True(t, math.IsNaN(f.HeadingDeg))
	}
	assert.Len(t, run(t, Course{Line: []geo.Point{here, here}}, Manner{}), standingS)
	twice := run(t, Course{Line: []geo.Point{here, here, geo.MustPoint(-38, -25.999)}}, Manner{})
	assert.Equal(t, geo.MustPoint(-38, -25.999), twice[len(twice)-1].True)
	_, err := Run(Course{}, Manner{})
	assert.Error(t, err)
	_, err = Run(Course{Line: []geo.Point{here, geo.MustPoint(10, 10)}}, Manner{Mode: region.Foot})
	assert.ErrorIs(t, err, ErrTooLong)
	_, err = Run(Course{Line: []geo.Point{here}, TimesS: []float64{1, 2}}, Manner{})
	assert.Error(t, err)
}

func TestARecordingIsPlayedAtItsTimes(t *testing.T) {
	c := course()
	c.TimesS, c.AltitudesM = []float64{100, 700, 1300}, []float64{5, math.NaN(), 9}
	fixes := run(t, c, Manner{Seed: 1})
	require.Len(t, fixes, 3)
	for i, f := range fixes {
		assert.Equal(t, c.TimesS[i]-100, f.AtS)
		assert.Equal(t, c.Line[i].Rounded(), f.Point)
	}
	assert.InDelta(t, 2220.0/600, fixes[1].SpeedMPS, 0.1)
	assert.True(t, math.IsNaN(fixes[1].AltitudeM))
	assert.Equal(t, 9.0, fixes[2].AltitudeM)
}

func TestAStretchIsAstray(t *testing.T) {
	c := course()
	c.Astray = []Span{{100, 200}}
	n := 0
	for _, f := range run(t, c, Manner{Mode: region.Foot}) {
		require.Equal(t, f.AlongM > 100 && f.AlongM <= 200, f.Astray)
		if f.Astray {
			n++
		}
	}
	assert.InDelta(t, 71, n, 12)
}

func BenchmarkRun(b *testing.B) {
	for b.Loop() {
		_, _ = Run(course(), Manner{Mode: region.Foot, ErrorM: 10})
	}
}
