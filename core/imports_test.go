package core

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// core is computation only: no HTTP, SQL, files, clock or interface, and no library that does its job. Its own packages
// may rest on these and nothing else; what the standard library rests on is its own affair.
var allowed = map[string]bool{
	"bytes": true, "cmp": true, "context": true, "container/heap": true, "encoding/binary": true, "encoding/json": true,
	"errors": true, "fmt": true, "hash/crc32": true, "iter": true, "maps": true, "math": true, "math/bits": true,
	"math/rand/v2": true, "regexp": true,
	"slices": true, "strconv": true, "sort": true, "strings": true, "sync": true, "sync/atomic": true,
	"unicode": true, "unicode/utf8": true,
	"unsafe":                            true,
	"time":                              true, // for time.Duration and time.Time; reading the clock is caught below
	"net/url":                           true, // to tell a web address from other texts
	"golang.org/x/text/unicode/norm":    true,
	"github.com/mozillazg/go-unidecode": true, // transliterates other scripts
	"embed":                             true, // tables that are part of the program
	"github.com/google/uuid":            true, // for the value uuid.UUID
	"github.com/tidwall/gjson":          true, // reads JSON
}

// layers are all packages, from the lowest up. A package imports those of lower layers only; those of core, which is
// one layer, import each other as they need.
var layers = [][]string{
	{"core/..."},
	{"codec/geojson", "codec/geotiff", "codec/gpx", "codec/letters", "codec/osm", "codec/formulas", "codec/pasted",
		"codec/picture", "codec/snippet", "codec/wmts", "world", "standin",
		"style", "ui", "profiles"},
	{"codec/rows"},
	{"certificate", "regionfile", "imagery", "demo", "store", "store/mariadb"},
	{"service/fault", "service/background"},
	{"service/access", "service/atlas", "service/catalog", "service/feed", "service/onward", "service/party"},
	{"service/lookout"},
	{"service"},
	{"server"},
	{"cmd/viandante"},
}

// besides are what runs beside the program: tests of it, helpers of tests, benchmarks. The program imports none of
// them.
var besides = []string{"demo/demotest", "store/storetest", "service/atlas/atlastest", "e2e", "e2e/pictures", "bench",
	"bench/reference", "core/proof/prooftest", "core/road/roadtest"}

// layerOf returns the layer of a package, -1 for one besides, -2 for an unknown one.
func layerOf(path string) int {
	if slices.Contains(besides, path) {
		return -1
	}
	for i, layer := range layers {
		for _, one := range layer {
			tree, whole := strings.CutSuffix(one, "/...")
			if path == one || whole && (path == tree || strings.HasPrefix(path, tree+"/")) {
				return i
			}
		}
	}
	return -2
}

func listed(t *testing.T, format string) [][]string {
	t.Helper()
	out, err := exec.Command("go", "list", "-f", format, "../...").Output()
	require.NoError(t, err)
	var rows [][]string
	for line := range strings.Lines(string(out)) {
		rows = append(rows, strings.Fields(line))
	}
	require.Greater(t, len(rows), 30)
	return rows
}

func TestCoreImportsNothingItMustNot(t *testing.T) {
	for _, row := range listed(t, `{{.ImportPath}} {{join .Imports " "}}`) {
		if !strings.HasPrefix(row[0], "viandante/core") || layerOf(own(row[:1])[0]) == -1 { // helpers of tests are free
			continue
		}
		for _, imported := range row[1:] {
			own := strings.HasPrefix(imported, "viandante/core/")
			assert.True(t, allowed[imported] || own, "%s imports %s", row[0], imported)
		}
	}
	const clock = `time\.(Now|Since|Until|Sleep|After|Tick|New)`
	found, err := exec.Command("grep", "-rnE", clock, "--include=*.go", "--exclude=*_test.go", ".").Output()
	assert.Error(t, err, "grep finds nothing and says so")
	assert.Empty(t, string(found), "core reads no clock")
}

// own returns those of some import paths that are ours, without the module's name.
func own(paths []string) (out []string) {
	for _, path := range paths {
		if name, ours := strings.CutPrefix(path, "viandante/"); ours {
			out = append(out, name)
		}
	}
	return out
}

// Dependencies point down only, those of tests included; every package has its place.
func TestNothingPointsUp(t *testing.T) {
	for _, row := range listed(t, `{{.ImportPath}} {{join .Imports " "}}`) {
		name := own(row[:1])[0]
		layer := layerOf(name)
		assert.NotEqual(t, -2, layer, "%s has no place among the layers", name)
		for _, imported := range own(row[1:]) {
			switch at := layerOf(imported); {
			case layer == -1: // may import anything
			case at == -1:
				assert.Fail(t, "the program imports what is for tests", "%s imports %s", name, imported)
			default:
				assert.True(t, at < layer || at == 0 && layer == 0, "%s imports %s", name, imported)
			}
		}
	}
	for _, row := range listed(t, `{{.ImportPath}} {{join .TestImports " "}} {{join .XTestImports " "}}`) {
		name := own(row[:1])[0]
		layer := layerOf(name)
		for _, imported := range own(row[1:]) {
			at := layerOf(imported)
			assert.True(t, layer == -1 || at == -1 || at < layer || imported == name || layer == 0 && at == 0,
				"the tests of %s import %s", name, imported)
		}
	}
}

// The server speaks with the service, not with what that rests on.
func TestTheServerKnowsNoDatabase(t *testing.T) {
	for _, row := range listed(t, `{{.ImportPath}} {{join .Imports " "}}`) {
		if row[0] == "viandante/server" {
			for _, imported := range own(row[1:]) {
				assert.False(
					t,
					strings.HasPrefix(imported, "store") || imported == "regionfile" || imported == "imagery",
					imported,
				)
			}
		}
	}
}

// The map engine is plain TypeScript: no Vue, and nothing of the page that is built on it. The layers of the map rest
// on it alone; nothing of the desk knows the parts of the page that show it.
func TestThePageHasFloors(t *testing.T) {
	for _, rule := range []struct{ dir, not string }{
		{"chart", `(vue|@vueuse|@tanstack|vue-router|\.\./(desk|parts|api|layers))`},
		{"layers", `(vue|@vueuse|@tanstack|\.\./(parts|desk))`},
		{"device", `(vue|@vueuse|@tanstack|\.\./(desk|parts|layers))`},
		{"guide", `(vue|@vueuse|@tanstack|\.\./(desk|parts|layers))`},
		{"desk", `(\.\./parts)`},
	} {
		require.DirExists(t, "../ui/src/"+rule.dir)
		found, err := exec.Command("grep", "-rnE", "from '"+rule.not, "../ui/src/"+rule.dir).Output()
		assert.Error(t, err, "grep finds nothing and says so")
		assert.Empty(t, string(found))
	}
}
