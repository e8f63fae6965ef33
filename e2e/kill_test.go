package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// databasePID returns the process of the private database, 0 when none runs.
func (p *program) databasePID() int {
	text, err := os.ReadFile(filepath.Join(p.data, "db", "db.pid"))
	if err != nil {
		return 0
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(text)))
	if err != nil || syscall.Kill(pid, 0) != nil {
		return 0
	}
	return pid
}

func TestCtrlCAndTerminateEndBoth(t *testing.T) {
	p := newProgram(t)
	for _, signal := range []syscall.Signal{syscall.SIGINT, syscall.SIGTERM} {
		p.start()
		require.NotZero(t, p.databasePID())
		p.stop(signal)
		assert.Zero(t, p.databasePID(), "%v", signal)
	}
	took := p.start()
	t.Logf("a later start takes %.2f s", took.Seconds())
	p.stop(syscall.SIGKILL)
	assert.NotZero(t, p.databasePID(), "the database outlives a killed server")
	p.start()
	p.stop(syscall.SIGTERM)
	assert.Zero(t, p.databasePID(), "an adopted database is stopped as well")
}

// Server and database are killed at random under several writers. A writer that does not hear of an outcome tries again
// under the same id. At the end everything acknowledged is there, once, and nothing else.
func TestNoAcknowledgedChangeIsLost(t *testing.T) {
	p := newProgram(t)
	p.start()
	token, err := os.ReadFile(filepath.Join(p.data, "demo.token"))
	require.NoError(t, err)
	client := &http.Client{Timeout: 5 * time.Second}
	request := func(method, path string, body []byte, header ...string) (int, []byte, error) {
		req, err := http.NewRequest(method, p.url()+path, bytes.NewReader(body))
		if err != nil {
			return 0, nil, err
		}
		req.Header.Set("Authorization", "Bearer "+strings.TrimSpace(string(token)))
		for i := 0; i < len(header); i += 2 {
			req.Header.Set(header[i], header[i+1])
		}
		resp, err := client.Do(req)
		if err != nil {
			return 0, nil, err
		}
		defer resp.Body.Close()
		data, err := io.ReadAll(resp.Body)
		return resp.StatusCode, data, err
	}
	const path = "/v1/collections/kill"
	status, _, err := request("PUT", path, []byte(`{"title":"Kill"}`))
	require.NoError(t, err)
	require.Equal(t, 201, status)

	var stop atomic.Bool
	var mu sync.Mutex
	acknowledged, unknown := map[string]string{}, 0
	var writers sync.WaitGroup
	for w := range 4 {
		writers.Go(func() {
			for i := 0; !stop.Load(); i++ {
				id, name := uuid.Must(uuid.NewV7()).String(), fmt.Sprintf("%d.%d", w, i)
				body := fmt.Appendf(
					nil,
					`{"type":"Feature","geometry":{"type":"Point","coordinates":[%d,%d]},"properties":{"name":%q}}`,
					w,
					i%80,
					name,
				)
				for {
					status, _, err := request("PUT", "/ogc/collections/kill/items/"+id, body, "If-None-Match", "*")
					if err == nil && (status == 200 || status == 201) {
						break
					}
					mu.Lock()
					unknown++
					mu.Unlock()
					time.Sleep(30 * time.Millisecond)
				}
				mu.Lock()
				acknowledged[id] = name
				mu.Unlock()
			}
		})
	}
	r := rand.New(rand.NewPCG(5, 5))
	more := func(n int) { // waits until so many more are acknowledged
		mu.Lock()
		want := len(acknowledged) + n
		mu.Unlock()
		require.Eventually(t, func() bool {
			mu.Lock()
			defer mu.Unlock()
			return len(acknowledged) >= want
		}, patience, time.Millisecond)
	}
	for round := range 5 {
		more(10 + r.IntN(60))
		database := round%2 == 0
		if database {
			if pid := p.databasePID(); pid > 0 {
				require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
			}
		}
		if !database || round == 4 {
			p.stop(syscall.SIGKILL)
			p.start()
		}
	}
	require.Eventually(t, func() bool {
		status, _, err := request("GET", "/readyz", nil)
		return err == nil && status == 200
	}, patience, 50*time.Millisecond)
	more(10)
	stop.Store(true)
	writers.Wait()

	stored := map[string]string{}
	next := "/ogc/collections/kill/items?limit=1000"
	for next != "" {
		status, data, err := request("GET", next, nil)
		require.NoError(t, err)
		require.Equal(t, 200, status, "%s", data)
		var page struct {
			Features []struct {
				ID         string
				Properties struct{ Name string }
			}
			Links []struct{ Rel, Href string }
		}
		require.NoError(t, json.Unmarshal(data, &page))
		for _, f := range page.Features {
			stored[f.ID] = f.Properties.Name
		}
		next = ""
		for _, l := range page.Links {
			if l.Rel == "next" {
				next = strings.TrimPrefix(l.Href, p.url())
			}
		}
	}
	assert.Equal(t, acknowledged, stored)
	status, data, err := request("GET", "/v1/nearby?at=0,0&collection=kill&limit=10000", nil)
	require.NoError(t, err)
	require.Equal(t, 200, status)
	assert.Equal(t, len(acknowledged), strings.Count(string(data), `"type":"Feature"`), "the index holds the same")
	t.Logf("%d acknowledged, %d tries without an answer, nothing lost (seed 5,5)", len(acknowledged), unknown)
	assert.Positive(t, unknown)
}
