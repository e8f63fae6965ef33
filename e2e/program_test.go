package e2e

import (
	"bytes"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/codec/geotiff"
	"viandante/core/relief"
)

// run runs the program with a command to its end and returns what it said.
func (p *program) run(env []string, args ...string) (string, error) {
	cmd := exec.Command(p.bin, args...)
	cmd.Env = append(append(os.Environ(), "VIANDANTE_DATA="+p.data, "VIANDANTE_LISTEN="+p.listen), env...)
	out, err := cmd.CombinedOutput()
	return string(out), err
}

// What is in the way is named in one line that says what to do; a region that is built meanwhile is put into use by the
// server that runs.
func TestTheProgramSaysWhatIsInTheWay(t *testing.T) {
	p := newProgram(t)
	p.start()
	busy, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer busy.Close()
	broken := filepath.Join(t.TempDir(), "broken.osm")
	require.NoError(t, os.WriteFile(broken, []byte("<osm><node id='1' lat='1' lon='2'/><way"), 0o600))
	small := filepath.Join(t.TempDir(), "small.osm")
	require.NoError(
		t,
		os.WriteFile(
			small,
			[]byte(
				`<osm><node id="1" lat="0" lon="0"/><node id="2" lat="0" lon="1"/><node id="3" lat="1" lon="1"/>
					<node id="4" lat="1" lon="0"/>
		<way id="1"><nd ref="1"/><nd ref="2"/><nd ref="3"/><nd ref="4"/><nd ref="1"/><tag k="natural" v="coastline"/>
			</way></osm>`,
			),
			0o600,
		),
	)
	for want, c := range map[string]struct {
		env  []string
		args []string
	}{
		"set VIANDANTE_LISTEN to another": {[]string{"VIANDANTE_LISTEN=" + busy.Addr().String()},
			[]string{"serve"}},
		"another server is already running": {[]string{"VIANDANTE_LISTEN=127.0.0.1:0"}, []string{"serve"}},
		"set VIANDANTE_DATA to a directory": {[]string{"VIANDANTE_LISTEN=127.0.0.1:0",
			"VIANDANTE_DATA=/proc/nothing"}, []string{"serve"}},
		"set VIANDANTE_DATA to a shorter path": {[]string{"VIANDANTE_LISTEN=127.0.0.1:0",
			"VIANDANTE_DATA=" + filepath.Join(t.TempDir(), strings.Repeat("long", 25))}, []string{"serve"}},
		"VIANDANTE_DSN is not a data source name": {[]string{"VIANDANTE_LISTEN=127.0.0.1:0", "VIANDANTE_DSN=nonsense",
			"VIANDANTE_DATA=" + t.TempDir()}, []string{"serve"}},
		"the map data cannot be opened": {nil, []string{"region", "build", "missing.osm", "--name", "x"}},
		"cannot be read any further":    {nil, []string{"region", "build", broken, "--name", "x"}},
		"not a GeoTIFF": {nil, []string{"region", "build", small, "--heights", broken,
			"--name", "x"}},
		"the heights cannot be opened": {nil, []string{"region", "build", small, "--heights",
			"missing.tif", "--name", "x"}},
		"is not a name for a region":      {nil, []string{"region", "build", broken, "--name", "../x"}},
		`required flag(s) "name" not set`: {nil, []string{"region", "build", broken}},
		"--keep-changes is a time of at":  {nil, []string{"serve", "--keep-changes=-1h"}},
		"unknown command":                 {nil, []string{"fly"}},
	} {
		out, err := p.run(c.env, c.args...)
		require.Error(t, err, c.args)
		assert.Contains(t, out, want)
		lines := strings.Split(strings.TrimSpace(out), "\n")
		assert.Contains(t, lines[len(lines)-1], "viandante: ", "one line at the end says it: %s", out)
	}

	var half bytes.Buffer // heights of the western half
	require.NoError(
		t,
		geotiff.Write(
			&half,
			&relief.Grid{
				West:    -0.1,
				North:   1.1,
				StepLng: 0.3,
				StepLat: 0.3,
				Width:   3,
				Height:  5,
				Metres:  make([]float32, 15),
			},
		),
	)
	heights := filepath.Join(t.TempDir(), "half.tif")
	require.NoError(t, os.WriteFile(heights, half.Bytes(), 0o600))
	out, err := p.run(nil, "region", "build", small, "--heights", heights, "--name", "Small")
	require.NoError(t, err, out)
	assert.Contains(t, out, "the heights cover 50 % of the land; the rest is drawn flat")
	assert.Contains(t, out, "in use as")

	island := filepath.Join(t.TempDir(), "second.osm")
	out, err = p.run(nil, "demo", "map", "--out", island, "--seed", "7")
	require.NoError(t, err, out)
	out, err = p.run(nil, "region", "build", island, "--name", "Second island")
	require.NoError(t, err, out)
	assert.Contains(t, out, "in use as")
	var got struct{ Regions []struct{ Name string } }
	require.Eventually(t, func() bool {
		p.get("/v1/regions", &got)
		return len(got.Regions) == 3 && strings.Contains(fmt.Sprint(got.Regions), "Second island")
	}, patience, 50*time.Millisecond)
}
