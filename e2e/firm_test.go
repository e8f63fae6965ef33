package e2e

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// reply is an answer of the API with what tells how to go on.
type reply struct {
	status     int
	retryAfter string
	problem    struct{ Type, Detail string }
}

// try sends a request to the API; ok is false where nobody answers.
func (p *program) try(method, path, body string, header ...string) (r reply, ok bool) {
	p.t.Helper()
	req := p.request(method, path, body)
	for i := 0; i < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	client := http.Client{Timeout: patience}
	resp, err := client.Do(req)
	if err != nil {
		return r, false
	}
	defer resp.Body.Close()
	r.status, r.retryAfter = resp.StatusCode, resp.Header.Get("Retry-After")
	_ = json.NewDecoder(resp.Body).Decode(&r.problem) // what is no problem leaves it empty
	return r, true
}

func (p *program) keep(name string) reply {
	p.t.Helper()
	body := fmt.Sprintf(
		`{"type":"Feature","geometry":{"type":"Point","coordinates":[-26.1,-38.1]},"properties":{"name":%q}}`,
		name,
	)
	r, ok := p.try("PUT", "/ogc/collections/posts/items/"+uuid.Must(uuid.NewV7()).String(), body, "If-None-Match", "*")
	require.True(p.t, ok)
	return r
}

func (p *program) eventually(what string, f func() bool) {
	p.t.Helper()
	require.Eventually(p.t, f, patience, 5*time.Millisecond, what)
}

// The port answers from the start, and says when to come again; the database is killed and comes back; its log goes on;
// the map is cut short under its readers, and comes back as well.
func TestTheBuiltProgramStandsFirm(t *testing.T) {
	p := newProgram(t)
	began := make(chan bool)
	go func() { p.start(); close(began) }()
	starting := false
	p.eventually("it is ready", func() bool {
		r, ok := p.try("GET", "/readyz", "")
		if ok && r.status == 503 {
			starting = true
			assert.Equal(t, "1", r.retryAfter)
			assert.Contains(t, r.problem.Detail, "is starting")
		}
		return ok && r.status == 200
	})
	<-began
	assert.True(t, starting, "it said that it was starting")
	require.Equal(t, 201, p.keep("Before").status)

	pid := p.databasePID()
	require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
	away := 0
	p.eventually("changes are made again", func() bool {
		r := p.keep("Meanwhile")
		if r.status != 201 {
			away++
			assert.Equal(t, 503, r.status, r.problem.Detail)
			assert.Equal(t, "1", r.retryAfter)
		}
		near, ok := p.try("GET", "/v1/nearby?at=-38.1,-26.1&within=1m", "")
		assert.True(t, ok && near.status == 200, "what memory holds is answered all the time")
		return r.status == 201 && p.databasePID() != pid
	})
	t.Logf("%d changes were told to come again", away)
	log, err := os.ReadFile(filepath.Join(p.data, "db", "db.log"))
	require.NoError(t, err)
	assert.GreaterOrEqual(
		t,
		strings.Count(string(log), "ready for connections"),
		2,
		"the log of the database before is still there",
	)

	regions, err := filepath.Glob(filepath.Join(p.data, "regions", "*.region"))
	require.NoError(t, err)
	require.Len(t, regions, 1)
	whole, err := os.ReadFile(regions[0])
	require.NoError(t, err)
	require.NoError(t, os.Truncate(regions[0], 4096))
	r, ok := p.try("GET", "/v1/geocode?q=varrowby", "")
	require.True(t, ok, "the process lives")
	assert.Equal(t, 503, r.status)
	assert.Contains(t, r.problem.Detail, "cannot be read")
	require.Equal(t, 201, p.keep("While the map is away").status)
	require.NoError(t, os.WriteFile(regions[0], whole, 0o600))
	p.eventually("the map is back", func() bool {
		r, ok := p.try("GET", "/v1/geocode?q=varrowby", "")
		return ok && r.status == 200
	})
	var metrics strings.Builder
	resp, err := http.Get(p.url() + "/metrics")
	require.NoError(t, err)
	defer resp.Body.Close()
	require.NoError(t, resp.Write(&metrics))
	for _, line := range []string{"viandante_region_faults_total 1", "viandante_regions_away 0",
		`viandante_problems_total{type="database-away"}`} {
		assert.Contains(t, metrics.String(), line)
	}
}

// The disk is full: changes are refused with what to do, reading goes on, a restart serves reading, and with some room
// everything is as before.
func TestAFullDisk(t *testing.T) {
	p := newProgram(t)
	disk := filepath.Join(t.TempDir(), "disk")
	require.NoError(t, os.Mkdir(disk, 0o700))
	if err := syscall.Mount("none", disk, "tmpfs", 0, "size=400m"); err != nil {
		t.Skipf("a small disk takes root: %v", err)
	}
	t.Cleanup(func() {
		if p.cmd != nil {
			p.stop(syscall.SIGTERM)
		}
		require.NoError(t, syscall.Unmount(disk, syscall.MNT_DETACH))
	})
	out, err := exec.Command("cp", "-r", p.data, disk).CombinedOutput()
	require.NoError(t, err, "%s", out)
	p.data = filepath.Join(disk, "var")
	p.start()
	kept := 0
	for range 5 {
		require.Equal(t, 201, p.keep("While there is room").status)
		kept++
	}
	fill := func() {
		f, err := os.OpenFile(filepath.Join(disk, "filler"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
		require.NoError(t, err)
		defer f.Close()
		for _, size := range []int{1 << 20, 4096} {
			for err = nil; err == nil; {
				_, err = f.Write(make([]byte, size))
			}
		}
		require.True(t, errors.Is(err, syscall.ENOSPC), "%v", err)
	}
	fill()
	refused := reply{}
	for kept < 5000 {
		if refused = p.keep(strings.Repeat("long ", 1900)); refused.status != 201 {
			break
		}
		kept++
	}
	assert.Equal(t, 507, refused.status, "after %d: %v", kept, refused.problem)
	assert.Contains(t, refused.problem.Detail, "make room")
	pid := p.databasePID()
	near := func() {
		t.Helper()
		var got struct{ Features []any }
		require.Equal(t, 200, p.get("/v1/nearby?at=-38.1,-26.1&within=1m&limit=10000", &got))
		assert.Len(t, got.Features, kept, "all that was acknowledged, and nothing else")
	}
	near()
	assert.Equal(t, pid, p.databasePID(), "the database has not come to the end of its disk, which would have ended it")
	p.stop(syscall.SIGKILL)
	fill()
	p.start()
	near()
	require.NoError(t, os.Remove(filepath.Join(disk, "filler")))
	p.eventually("with room changes are made again", func() bool { return p.keep("After").status == 201 })
	kept++
	near()
	t.Logf("%d changes went in before the disk was full", kept-1)
}
