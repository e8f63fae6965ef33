package pasted

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/proof"
)

var standpoint = geo.MustPoint(-38.11, -26.28)

func points(t *testing.T) []proof.Point {
	t.Helper()
	out, err := proof.Points(geodesy.Ellipsoid, standpoint,
		proof.Fan{BearingsDeg: []float64{0, 70, 190, 300}, DistancesM: []float64{500, 20_000, 300_000}})
	require.NoError(t, err)
	return out
}

// written writes test points as a program might, a line for each.
func written(points []proof.Point, line func(p proof.Point) string) string {
	var b strings.Builder
	for _, p := range points {
		b.WriteString(line(p) + "\n")
	}
	return b.String()
}

// However it is written, each line is understood as what it is.
func TestWaysToWriteATable(t *testing.T) {
	all := points(t)
	comma := func(v float64, decimals int) string {
		return strings.Replace(fmt.Sprintf("%.*f", decimals, v), ".", ",", 1)
	}
	for name, c := range map[string]struct {
		text   string
		points []proof.Point
		unit   float64
	}{
		"csv with a header": {"id,distance_m,bearing_deg\n" + written(all, func(p proof.Point) string {
			return fmt.Sprintf("%s,%.3f,%.4f", p.ID, p.DistanceM, p.InitialDeg)
		}), all, 1},
		"other order, tabs, no header": {written(all, func(p proof.Point) string {
			return fmt.Sprintf("%.4f\t%.3f\t%s", p.InitialDeg, p.DistanceM, p.ID)
		}), all, 1},
		"semicolons and decimal commas": {"Azimuth;Distance (km);Point\n" + written(all, func(p proof.Point) string {
			return comma(p.InitialDeg, 4) + ";" + comma(p.DistanceM/1000, 6) + ";" + p.Name
		}), all, 1},
		"two numbers in the points' order": {written(all, func(p proof.Point) string {
			return fmt.Sprintf("%.3f %.4f", p.DistanceM, p.InitialDeg)
		}), all, 1},
		"words": {written(all, func(p proof.Point) string {
			return fmt.Sprintf("%s: dist = %.3f m, brg = %.4f°", p.ID, p.DistanceM, p.InitialDeg)
		}), all, 1},
		"coordinates and a standpoint": {written(all, func(p proof.Point) string {
			return fmt.Sprintf("%.7f, %.7f, %.3f, %.4f", p.To.Lat(), p.To.Lng(), p.DistanceM, p.InitialDeg)
		}), nil, 1},
		"the numbers first, then coordinates": {written(all, func(p proof.Point) string {
			return fmt.Sprintf("%.4f|%.3f|%.7f|%.7f", p.InitialDeg, p.DistanceM, p.To.Lat(), p.To.Lng())
		}), nil, 1},
		"both ends": {written(all, func(p proof.Point) string {
			return fmt.Sprintf("%.7f %.7f %.7f %.7f %.3f %.4f", p.From.Lat(), p.From.Lng(), p.To.Lat(), p.To.Lng(),
				p.DistanceM, p.InitialDeg)
		}), nil, 1},
		"titles": {"bearing,lat2,lon2,dist\n" + written(all, func(p proof.Point) string {
			return fmt.Sprintf("%.4f,%.7f,%.7f,%.3f", p.InitialDeg, p.To.Lat(), p.To.Lng(), p.DistanceM)
		}), nil, 1},
		"JSON lines": {written(all, func(p proof.Point) string {
			return fmt.Sprintf(`{"to":[%.7f,%.7f],"distance":%.3f,"bearing":%.4f}`, p.To.Lng(), p.To.Lat(), p.DistanceM,
				p.InitialDeg)
		}), nil, 1},
		"a JSON array": {"[" + strings.TrimSuffix(written(all, func(p proof.Point) string {
			return fmt.Sprintf(`{"id":"%s","bearing":%.4f,"distanceKm":%.6f},`, p.ID, p.InitialDeg, p.DistanceM/1000)
		}), ",\n") + "]", all, 1},
		"kilometres that were declared": {written(all, func(p proof.Point) string {
			return fmt.Sprintf("%s %.6f %.4f", p.ID, p.DistanceM/1000, p.InitialDeg)
		}), all, 1000},
		"a mark of the byte order, Windows line ends, quotes": {"\ufeff\"id\",\"distance\",\"bearing\"\r\n" +
			strings.ReplaceAll(written(all, func(p proof.Point) string {
				return fmt.Sprintf(`"%s","%.3f","%.4f"`, p.ID, p.DistanceM, p.InitialDeg)
			}), "\n", "\r\n"), all, 1},
	} {
		t.Run(name, func(t *testing.T) {
			table, err := Read(Paste{Text: c.text, Points: c.points, From: standpoint, UnitM: c.unit})
			require.NoError(t, err)
			require.Empty(t, table.Problems, "%v", table.Columns)
			require.Len(t, table.Lines, len(all))
			for i, l := range table.Lines {
				off := proof.Compare(geodesy.Ellipsoid, l)
				require.True(t, off.DistanceOK && off.BearingOK, "%v: line %d: %+v", table.Columns, i, l)
				require.False(t, math.IsNaN(l.DistanceM) || math.IsNaN(l.BearingDeg), "%v", table.Columns)
			}
		})
	}
}

// What cannot be compared is said, line by line, and the rest is compared.
func TestBadLines(t *testing.T) {
	all := points(t)
	text := "id,distance,bearing\np01,500.000,0.0\np02,far,70\n" +
		"nobody,1,2\np03,,\np04,500.000,north of it\np05,null,70\n"
	table, err := Read(Paste{Text: text, Points: all})
	require.NoError(t, err)
	require.Len(t, table.Lines, 2, "%v", table.Problems)
	require.Equal(t, 4, table.Refused)
	assert.Equal(t, Problem{3, "distance", "far", "is not a number", "a distance, e.g. 1234.5"}, table.Problems[0])
	assert.Contains(t, table.Problems[1].Reason, "no test point")
	assert.Contains(t, table.Problems[2].Reason, "neither")
	assert.Equal(t, "bearing", table.Problems[3].Column)

	table, err = Read(Paste{Text: "lat,lng,distance\n-26.1,-98.4,100\n-98.4,-26.1,100\n", From: standpoint})
	require.NoError(t, err)
	require.Len(t, table.Lines, 1)
	assert.Contains(t, table.Problems[0].Hint, "-26.1,-98.4", "a likely swap is named")

	for _, bad := range []string{"", "  \n", "\xff\xfe1,2", strings.Repeat("1,", 40) + "\n"} {
		_, err := Read(Paste{Text: bad, Points: all})
		assert.Error(t, err, "%q", bad)
	}
	_, err = Read(Paste{Text: strings.Repeat("1 2\n", MostLines+1), Points: all})
	assert.ErrorContains(t, err, "too large")
	table, err = Read(Paste{Text: "nothing of use here\n", Points: all})
	require.NoError(t, err)
	assert.Empty(t, table.Lines)
	assert.Equal(t, 1, table.Refused)
}

// The roles that somebody chose are taken as they are.
func TestChosenColumns(t *testing.T) {
	text := "10 20 500.0 0\n"
	table, err := Read(Paste{Text: text, From: geo.MustPoint(20, 10),
		Columns: []Role{ToLng, ToLat, Distance, Ignored}})
	require.NoError(t, err)
	require.Len(t, table.Lines, 1)
	assert.Equal(t, geo.MustPoint(20, 10), table.Lines[0].To)
	assert.True(t, math.IsNaN(table.Lines[0].BearingDeg))
}

func TestManyLines(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	var b strings.Builder
	for range MostLines {
		to := geo.MustPoint(-38-r.Float64(), -26-r.Float64()).Rounded()
		d := geodesy.Distance(standpoint, to)
		fmt.Fprintf(&b, "%v,%v,%.2f\n", to.Lat(), to.Lng(), d)
	}
	table, err := Read(Paste{Text: b.String(), From: standpoint})
	require.NoError(t, err)
	require.Len(t, table.Lines, MostLines)
	assert.True(t, proof.Diagnose(geodesy.Ellipsoid, table.Lines).Right)
}

func TestCSVReadsBack(t *testing.T) {
	all, err := proof.Points(geodesy.Ellipsoid, standpoint,
		proof.Fan{BearingsDeg: []float64{45}, DistancesM: []float64{10}, Edges: true})
	require.NoError(t, err)
	table, err := Read(Paste{Text: string(CSV(all)), Points: all})
	require.NoError(t, err)
	require.Len(t, table.Lines, len(all), "%v", table.Problems)
	assert.True(t, proof.Diagnose(geodesy.Ellipsoid, table.Lines).Right)
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{"1,2,3", "p01: d=5 m b=3°", `[{"to":[1,2],"d":3}]`, "a;b\n1,5;2", "\"", "{"} {
		f.Add(s)
	}
	fan := proof.Fan{BearingsDeg: []float64{0}, DistancesM: []float64{1}}
	all, _ := proof.Points(geodesy.Ellipsoid, standpoint, fan)
	f.Fuzz(func(t *testing.T, s string) {
		if table, err := Read(Paste{Text: s, Points: all, From: standpoint}); err == nil {
			proof.Diagnose(geodesy.Ellipsoid, table.Lines)
		}
	})
}
