package e2e

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// beside returns a second program on the first one's database, with a data directory of its own.
func (p *program) beside() *program {
	p.t.Helper()
	second := &program{t: p.t, bin: p.bin, data: filepath.Join(p.t.TempDir(), "var"), dsn: p.privateDSN()}
	second.choosePort()
	require.NoError(p.t, os.MkdirAll(second.data, 0o700))
	token, err := os.ReadFile(filepath.Join(p.data, "demo.token"))
	require.NoError(p.t, err)
	require.NoError(p.t, os.WriteFile(filepath.Join(second.data, "demo.token"), token, 0o600))
	p.t.Cleanup(func() {
		if second.cmd != nil {
			second.stop(syscall.SIGTERM)
		}
	})
	return second
}

// follow gathers the events of a program's stream of changes, each with the id before it, until the test ends.
func (p *program) follow(since string) func() []string {
	p.t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	req := p.request("GET", "/v1/changes?since="+since, "").WithContext(ctx)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(p.t, err)
	require.Equal(p.t, 200, resp.StatusCode)
	var mu sync.Mutex
	var seen []string
	var reading sync.WaitGroup
	reading.Go(func() {
		lines := bufio.NewScanner(resp.Body)
		lines.Buffer(nil, 1<<20)
		for lines.Scan() {
			if text := lines.Text(); strings.HasPrefix(text, "id:") || strings.HasPrefix(text, "data:") {
				mu.Lock()
				seen = append(seen, text)
				mu.Unlock()
			}
		}
	})
	p.t.Cleanup(func() { stop(); resp.Body.Close(); reading.Wait() })
	return func() []string {
		mu.Lock()
		defer mu.Unlock()
		return append([]string{}, seen...)
	}
}

// Two processes on one database, each with regions of its own: what one writes the other answers, at once where it is
// asked for no less; both streams tell the same; both call the ground by the same version, also when the file came
// later.
func TestTwoProcessesOnOneDatabase(t *testing.T) {
	one := newProgram(t)
	one.start()
	two := one.beside()
	two.start()
	ground := func(p *program) (version string, away int) {
		var regions struct {
			Version string
			Away    []any
		}
		require.Equal(t, 200, p.get("/v1/regions", &regions))
		return regions.Version, len(regions.Away)
	}
	_, away := ground(two)
	assert.Equal(t, 1, away, "its file is not there yet")
	from, to := filepath.Join(one.data, "regions"), filepath.Join(two.data, "regions")
	require.NoError(t, exec.Command("cp", "-r", from+"/.", to).Run())
	want, _ := ground(one)
	one.eventually("the file is taken up", func() bool { got, away := ground(two); return away == 0 && got == want })

	write := func(p *program, name string) (number string) {
		body := `{"type":"Feature","geometry":{"type":"Point","coordinates":[-26.1,-38.1]},` +
			`"properties":{"name":"` + name + `"}}`
		req := p.request("PUT", "/ogc/collections/posts/items/"+uuid.Must(uuid.NewV7()).String(), body)
		req.Header.Set("If-None-Match", "*")
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		require.Equal(t, 201, resp.StatusCode)
		return resp.Header.Get("Viandante-Change")
	}
	answers := func(p *program, name, number string) bool {
		req := p.request("GET", "/v1/features?q="+name, "")
		if number != "" {
			req.Header.Set("Viandante-Change", number)
		}
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		text := new(strings.Builder)
		_, err = bufio.NewReader(resp.Body).WriteTo(text)
		require.NoError(t, err)
		require.Equal(t, 200, resp.StatusCode, text)
		return strings.Contains(text.String(), name)
	}
	first := write(one, "before-all")
	streams := []func() []string{one.follow(first), two.follow(first)}
	pairs := [][2]*program{{one, two}, {two, one}}
	slowest := time.Duration(0)
	for i := range 12 {
		writer, reader := pairs[i%2][0], pairs[i%2][1]
		name := fmt.Sprintf("told-%d", i)
		write(writer, name)
		began := time.Now()
		one.eventually("the other process answers "+name, func() bool { return answers(reader, name, "") })
		slowest = max(slowest, time.Since(began))
		name = fmt.Sprintf("demanded-%d", i)
		assert.True(t, answers(reader, name, write(writer, name)), "at once, where no less is asked for")
	}
	t.Logf("what one process wrote the other answered after %v at most", slowest)
	const count = 24
	for _, seen := range streams {
		one.eventually("both streams have all of it", func() bool { return len(seen()) == 2*count })
	}
	assert.Equal(t, streams[0](), streams[1](), "both tell the same, in the same order")
}
