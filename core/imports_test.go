package core

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// core is computation only: no HTTP, SQL, files, clock or interface, and no library that does its job. Its own packages
// may rest on these and nothing else; what the standard library rests on is its own affair.
var allowed = map[string]bool{
	"bytes": true, "cmp": true, "context": true, "container/heap": true, "encoding/binary": true, "encoding/json": true, "errors": true, "fmt": true,
	"hash/crc32": true, "math": true, "math/bits": true, "regexp": true, "slices": true, "strconv": true, "strings": true, "sync": true,
	"unicode": true, "unicode/utf8": true, "unsafe": true,
	"time":                           true, // for time.Duration; reading the clock is caught below
	"golang.org/x/text/unicode/norm": true,
	"iter":                           true,
	"net/url":                        true, // to tell a web address from other texts
	"github.com/google/uuid":         true, // for the value uuid.UUID
	"github.com/tidwall/gjson":       true, // reads JSON
}

func TestCoreImportsNothingItMustNot(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}}", "./...").Output()
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	require.Greater(t, len(lines), 5)
	for _, line := range lines {
		fields := strings.Fields(line)
		for _, imported := range fields[1:] {
			assert.True(t, allowed[imported] || strings.HasPrefix(imported, "viandante/core/"), "%s imports %s", fields[0], imported)
		}
	}
	clock, err := exec.Command("grep", "-rnE", `time\.(Now|Since|Until|Sleep|After|Tick|New)`, "--include=*.go", "--exclude=*_test.go", ".").Output()
	assert.Error(t, err, "grep finds nothing and says so")
	assert.Empty(t, string(clock), "core reads no clock")
}

// Dependencies point down only.
func TestNothingPointsUp(t *testing.T) {
	order := []string{"viandante/core", "viandante/codec", "viandante/regionfile", "viandante/store", "viandante/service", "viandante/server", "viandante/cmd"}
	level := func(path string) int {
		for i, prefix := range order {
			if path == prefix || strings.HasPrefix(path, prefix+"/") {
				return i
			}
		}
		return -1
	}
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}}", "../...").Output()
	require.NoError(t, err)
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		fields := strings.Fields(line)
		own := level(fields[0])
		for _, imported := range fields[1:] {
			if l := level(imported); own >= 0 && l >= 0 {
				assert.LessOrEqual(t, l, own, "%s imports %s", fields[0], imported)
			}
		}
	}
}

// The map engine is plain TypeScript: no Vue, and nothing of the page that is built on it.
func TestTheMapEngineKnowsNothingOfThePage(t *testing.T) {
	require.DirExists(t, "../ui/src/chart")
	require.DirExists(t, "../ui/src/layers")
	out, err := exec.Command("grep", "-rnE", `from '(vue|@vueuse|@tanstack|vue-router|\.\./(desk|parts|api|layers))`, "../ui/src/chart").Output()
	assert.Error(t, err, "grep finds nothing and says so")
	assert.Empty(t, string(out))
	out, err = exec.Command("grep", "-rnE", `from '(vue|@vueuse|@tanstack|\.\./parts)`, "../ui/src/layers").Output()
	assert.Error(t, err)
	assert.Empty(t, string(out))
}
