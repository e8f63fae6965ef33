package formulas

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/proof"
	"viandante/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// pairs are lines of all lengths, but for the last degree before the far side of the earth and the poles.
func pairs() (out []proof.Point) {
	r := rand.New(rand.NewPCG(18, 5))
	for len(out) < 400 {
		from := geo.MustPoint(math.Asin(1.99*r.Float64()-0.995)*180/math.Pi, 360*r.Float64()-180).Rounded()
		to, _, err := geodesy.Destination(geodesy.Ellipsoid, from, 360*r.Float64(), math.Pow(10, 7.295*r.Float64()))
		if err != nil || math.Abs(to.Lat()) > 85 {
			continue
		}
		out = append(out, proof.NewPoint(geodesy.Ellipsoid, "", "", from, to.Rounded()))
	}
	return out
}

// check holds what a program printed, a line of distance, bearing, geodesic distance and bearing for each pair, to the
// errors that are stated.
func check(t *testing.T, all []proof.Point, text string) {
	t.Helper()
	lines := strings.Split(strings.TrimSpace(text), "\n")
	require.Len(t, lines, len(all), "%.300s", text)
	var worst [4]float64
	for i, line := range lines {
		p := all[i]
		fields := strings.Fields(line)
		require.GreaterOrEqual(t, len(fields), 2, line)
		for k, field := range fields {
			v, err := strconv.ParseFloat(field, 64)
			require.NoError(t, err, line)
			off := math.Abs(math.Remainder(v-p.InitialDeg, 360))
			switch k {
			case 0:
				off = math.Abs(v-p.DistanceM) / p.DistanceM
			case 2:
				off = math.Abs(v - p.DistanceM)
			}
			if k == 1 && p.DistanceM > 1e7 || k == 3 && p.DistanceM < 50 {
				continue // as stated; a rounded position turns a short line
			}
			worst[k] = max(worst[k], off)
		}
	}
	t.Logf("worst: %.3f %%, %.3f°, %.3f mm, %.2g°", worst[0]*100, worst[1], worst[2]*1000, worst[3])
	assert.Less(t, worst[0], 0.0056, "as stated")
	assert.Greater(t, worst[0], 0.004, "the stated error is not far above it")
	assert.Less(t, worst[1], 0.2)
	assert.Less(t, worst[2], 0.0005)
	assert.Less(t, worst[3], 1e-5)
}

// program is all formulas of a language, imports first.
func program(t *testing.T, language, imports, main string) string {
	t.Helper()
	var b strings.Builder
	b.WriteString(imports)
	for _, f := range Formulas {
		text, ok := Code(f.ID, language)
		require.True(t, ok, "%s in %s", f.ID, language)
		b.WriteString(text + "\n")
	}
	b.WriteString(main)
	return b.String()
}

// The formulas are run where their tools are on the machine.
func TestFormulas(t *testing.T) {
	all := pairs()
	var rows []string
	for _, p := range all {
		rows = append(rows, fmt.Sprintf("[%v, %v, %v, %v]", p.From.Lat(), p.From.Lng(), p.To.Lat(), p.To.Lng()))
	}
	table := strings.Join(rows, ",\n")
	const js = "for (const [a, b, c, d] of pairs) {\n  const g = geodesic(a, b, c, d)!\n" +
		"  console.log(distanceM(a, b, c, d), bearingDeg(a, b, c, d), g[0], g[1])\n}\n"
	compiler, err := filepath.Abs("../../ui/node_modules/typescript/bin/tsc")
	require.NoError(t, err)
	for language, c := range map[string]struct {
		file, code string
		commands   [][]string
	}{
		"javascript": {"main.mjs", program(t, "javascript", "const pairs = ["+table+"]\n", strings.ReplaceAll(js, ")!",
			")")),
			[][]string{{"node", "main.mjs"}}},
		"typescript": {"main.ts", program(t, "typescript", "const pairs: [number, number, number, number][] = "+
			"["+table+"]\n",
			js), [][]string{{"node", compiler, "--strict", "--target", "es2022", "--lib", "es2022,dom", "main.ts"},
			{"node", "main.js"}}},
		"python": {"main.py", program(t, "python", "", "for p in ["+table+"]:\n"+
			"    print(distance_m(*p), bearing_deg(*p), *geodesic(*p))\n"), [][]string{{"python3", "main.py"}}},
		"go": {"main.go", program(t, "go", "package main\n\nimport (\n\t\"fmt\"\n\t\"math\"\n)\n\n",
			"func main() {\n\tfor _, p := range [][4]float64{"+strings.NewReplacer("[", "{", "]",
				"}").Replace(table)+"} {\n"+
				"\t\td, b, _ := geodesic(p[0], p[1], p[2], p[3])\n\t\tfmt.Println(distanceM(p[0], p[1], p[2], p[3]), "+
				"bearingDeg(p[0], p[1], p[2], p[3]), d, b)\n\t}\n}\n"), [][]string{{"go", "run", "main.go"}}},
	} {
		t.Run(language, func(t *testing.T) {
			dir := t.TempDir()
			require.NoError(t, os.WriteFile(filepath.Join(dir, c.file), []byte(c.code), 0o600))
			var out []byte
			for _, command := range c.commands {
				if _, err := exec.LookPath(command[0]); err != nil {
					t.Skipf("%s is not on this machine", command[0])
				}
				cmd := exec.Command(command[0], command[1:]...)
				cmd.Dir = dir
				out, err = cmd.CombinedOutput()
				require.NoError(t, err, "%s", out)
			}
			check(t, all, string(out))
		})
	}
	t.Run("sql", func(t *testing.T) { check(t, all, inSQL(t, all)) })
	t.Run("cells", func(t *testing.T) { check(t, all, inCells(t, all)) })
}

func inSQL(t *testing.T, all []proof.Point) string {
	db, err := sqlx.Connect("mysql", storetest.DSN(t))
	require.NoError(t, err)
	defer func() { assert.NoError(t, db.Close()) }()
	for _, f := range []string{"distance", "bearing"} {
		text, ok := Code(f, "sql")
		require.True(t, ok)
		_, err := db.Exec(text)
		require.NoError(t, err)
	}
	var b strings.Builder
	for _, p := range all {
		var d, bearing float64
		require.NoError(t, db.QueryRow("SELECT distance_m(?, ?, ?, ?), bearing_deg(?, ?, ?, ?)", p.From.Lat(),
			p.From.Lng(),
			p.To.Lat(), p.To.Lng(), p.From.Lat(), p.From.Lng(), p.To.Lat(), p.To.Lng()).Scan(&d, &bearing))
		fmt.Fprintln(&b, d, bearing)
	}
	return b.String()
}

func inCells(t *testing.T, all []proof.Point) string {
	f := excelize.NewFile()
	defer func() { assert.NoError(t, f.Close()) }()
	distance, _ := Code("distance", "cells")
	bearing, _ := Code("bearing", "cells")
	var b strings.Builder
	for _, p := range all {
		for cell, v := range map[string]any{"A2": p.From.Lat(), "B2": p.From.Lng(), "C2": p.To.Lat(),
			"D2": p.To.Lng()} {
			require.NoError(t, f.SetCellValue("Sheet1", cell, v))
		}
		for cell, formula := range map[string]string{"E2": distance, "F2": bearing} {
			require.NoError(t, f.SetCellFormula("Sheet1", cell, strings.TrimSpace(formula)))
		}
		d, err := f.CalcCellValue("Sheet1", "E2", excelize.Options{RawCellValue: true})
		require.NoError(t, err)
		turn, err := f.CalcCellValue("Sheet1", "F2", excelize.Options{RawCellValue: true})
		require.NoError(t, err)
		fmt.Fprintln(&b, d, turn)
	}
	return b.String()
}

// What has no tool here is held to its grammar, the table tests as well.
func TestCodeIsWellFormed(t *testing.T) {
	dir := t.TempDir()
	var files []string
	put := func(name, language, code string) {
		file := filepath.Join(dir, name+"."+language)
		require.NoError(t, os.WriteFile(file, []byte(code), 0o600))
		if files = append(files, file); name == "tests" { // one for each language
			broken := filepath.Join(dir, name+"-broken."+language)
			require.NoError(t, os.WriteFile(broken, []byte(code[:strings.LastIndex(code, ")")]), 0o600))
			files = append(files, broken)
		}
	}
	points, err := proof.Points(geodesy.Ellipsoid, geo.MustPoint(-38.1, -26.2),
		proof.Fan{BearingsDeg: []float64{0, 90}, DistancesM: []float64{1000}, Edges: true})
	require.NoError(t, err)
	for language, framework := range map[string]string{"swift": "xctest", "kotlin": "junit", "dart": "dart"} {
		for _, f := range Formulas {
			text, ok := Code(f.ID, language)
			require.True(t, ok)
			put(f.ID, language, text)
		}
		text, ok := Tests(framework, points)
		require.True(t, ok)
		put("tests", language, text)
	}
	cmd := exec.Command("node", append([]string{"../snippet/testdata/parse.cjs"}, files...)...)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	var wrong map[string]string
	require.NoError(t, json.Unmarshal(out, &wrong), "%s", out)
	for _, file := range files {
		if strings.Contains(file, "-broken") {
			assert.NotEmpty(t, wrong[file], "what is broken is seen to be: %s", file)
		} else {
			assert.Empty(t, wrong[file], file)
		}
	}
}

// The table tests pass with our own formula of the ellipsoid, and fail with one that is wrong.
func TestTableTestsTellRightFromWrong(t *testing.T) {
	points, err := proof.Points(geodesy.Ellipsoid, geo.MustPoint(-38.1, -26.2),
		proof.Fan{BearingsDeg: []float64{0, 77, 180, 270}, DistancesM: []float64{1, 1000, 1e6}})
	require.NoError(t, err)
	geodesic, _ := Code("geodesic", "go")
	text, ok := Tests("go", points)
	require.True(t, ok)
	for name, distance := range map[string]string{"right": "d", "wrong": "d * 1.001"} {
		dir := t.TempDir()
		write := func(file, text string) {
			require.NoError(t, os.WriteFile(filepath.Join(dir, file), []byte(text), 0o600))
		}
		write("go.mod", "module points\n\ngo 1.26\n")
		write("points_test.go", text)
		write("distance.go", "package main\n\nimport \"math\"\n\n"+geodesic+"\nfunc main() {}\n\n"+
			"func distanceM(a, b, c, e float64) float64 {\n\td, _, _ := geodesic(a, b, c, e)\n\treturn "+
			""+distance+"\n}\n\n"+
			"func bearingDeg(a, b, c, e float64) float64 {\n\t_, d, _ := geodesic(a, b, c, e)\n\treturn d\n}\n")
		cmd := exec.Command("go", "test", "./...")
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		if name == "right" {
			require.NoError(t, err, "%s", out)
		} else {
			require.Error(t, err)
			require.Contains(t, string(out), "distance")
		}
	}
	_, ok = Tests("cobol", points)
	assert.False(t, ok)
	_, ok = Code("distance", "cobol")
	assert.False(t, ok)
}
