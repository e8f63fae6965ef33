package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
)

const (
	connections = 64
	loadFor     = 5 * time.Second
	bytesListen = "127.0.0.1:18094"
)

// serving measures a server with a million places under load: answers a second beside a handler that sends the same
// bytes from memory, what it holds in memory, and who waits while its indexes are built anew.
func serving() ([]row, error) {
	_, stop, err := demoServer(millionDir)
	if err != nil {
		return nil, err
	}
	dsn, err := privateDSN(millionDir)
	if err == nil {
		err = fillMillion(context.Background(), dsn)
	}
	stop()
	if err != nil {
		return nil, err
	}
	began := time.Now()
	token, stop, err := demoServer(millionDir)
	if err != nil {
		return nil, err
	}
	ready := milliseconds(time.Since(began)) / 1000
	defer stop()
	resident := residentMB("bin/viandante")
	time.Sleep(
		5 * time.Second,
	) // what lists are answered from is made meanwhile, as on any server that has run for a moment
	var rows []row
	for _, q := range []struct{ what, path string }{
		{"nearby, 10 places", "/v1/nearby?at=%.6f,%.6f&limit=10"},
		{"nearby, within 500 m, 50 places", "/v1/nearby?at=%.6f,%.6f&within=500m"},
		{"a list's first page, 100 places", "/v1/features?sort=name&limit=100"},
		{"OGC items, 100 places", "/ogc/collections/posts/items?limit=100"},
	} {
		more, err := loaded(token, q.what, q.path)
		if err != nil {
			return nil, err
		}
		rows = append(rows, more...)
	}
	live, err := liveBytes(token)
	if err != nil {
		return nil, err
	}
	rows = append(rows,
		row{"ready from the database", ready, "s", "10 s", "none", ready},
		row{"memory at start, resident", resident, "MB", "", "none", resident},
		row{"memory live for a place", live / aMillion, "bytes", "350 bytes", "none", live / aMillion})
	waits, err := whileRebuilt(token)
	return append(rows, waits...), err
}

// loaded asks the same from many connections, and then a handler that sends the same bytes.
func loaded(token, what, path string) ([]row, error) {
	r := rand.New(rand.NewPCG(8, 8))
	paths := make([]string, 256)
	for i := range paths {
		paths[i] = path
		if strings.Contains(path, "%") {
			paths[i] = fmt.Sprintf(path, -38.15+0.2*r.Float64(), -26.32+0.45*r.Float64())
		}
	}
	body, err := ask(token, "GET", paths[0], nil)
	if err != nil {
		return nil, err
	}
	ours, err := load(benchListen, token, paths)
	if err != nil {
		return nil, err
	}
	file := filepath.Join(benchDir, "answer.json")
	if err := os.WriteFile(file, body, 0o600); err != nil {
		return nil, err
	}
	program, err := os.Executable()
	if err != nil {
		return nil, err
	}
	handler := exec.Command(program, "bytes", file)
	if err := handler.Start(); err != nil {
		return nil, err
	}
	defer func() {
		_ = handler.Process.Kill()
		_ = handler.Wait()
	}()
	for range 100 {
		c, err := net.Dial("tcp", bytesListen)
		if err == nil {
			c.Close()
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	bare, err := load(bytesListen, token, paths)
	if err != nil {
		return nil, err
	}
	a, b := float64(len(ours))/loadFor.Seconds(), float64(len(bare))/loadFor.Seconds()
	const against = "a handler that sends the same bytes"
	return []row{{what + ", 64 connections", a, "/s", "70 %", against, b},
		{"… median", ours.at(0.5), "ms", "", against, bare.at(0.5)},
		{"… 99th of a hundred", ours.at(0.99), "ms", "", against, bare.at(0.99)}}, nil
}

// serveBytes answers everything with the bytes of a file.
func serveBytes(file string) error {
	body, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	return http.ListenAndServe(bytesListen, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/geo+json")
		w.Header().Set("Content-Length", strconv.Itoa(len(body)))
		_, _ = w.Write(body) // whoever asks may be gone
	}))
}

// load asks for paths in turn over many connections, each as soon as it is answered, and returns how long each took.
func load(address, token string, paths []string) (times, error) {
	var mu sync.Mutex
	var all times
	var failed error
	var wait sync.WaitGroup
	end := time.Now().Add(loadFor)
	for c := range connections {
		wait.Go(func() {
			own, err := loadOne(address, token, paths, c, end)
			mu.Lock()
			defer mu.Unlock()
			all = append(all, own...)
			if err != nil {
				failed = err
			}
		})
	}
	wait.Wait()
	slices.Sort(all)
	return all, failed
}

func loadOne(address, token string, paths []string, first int, end time.Time) (times, error) {
	conn, err := net.Dial("tcp", address)
	if err != nil {
		return nil, err
	}
	defer conn.Close()
	in := bufio.NewReaderSize(conn, 64<<10)
	var out times
	for i := first; time.Now().Before(end); i++ {
		began := time.Now()
		request := "GET " + paths[i%len(paths)] + " HTTP/1.1\r\nHost: " + address + "\r\nAuthorization: Bearer " +
			token + "\r\n\r\n"
		if _, err := io.WriteString(conn, request); err != nil {
			return out, err
		}
		resp, err := http.ReadResponse(in, nil)
		if err != nil {
			return out, err
		}
		if _, err := io.Copy(io.Discard, resp.Body); err != nil {
			return out, err
		}
		if resp.StatusCode != http.StatusOK {
			return out, fmt.Errorf("%s: %s", paths[i%len(paths)], resp.Status)
		}
		out = append(out, milliseconds(time.Since(began)))
	}
	return out, nil
}

// liveBytes is what the server's heap held after its last collection: the next one comes when it has doubled.
func liveBytes(token string) (float64, error) {
	text, err := ask(token, "GET", "/metrics", nil)
	if err != nil {
		return 0, err
	}
	values := map[string]float64{}
	for line := range strings.Lines(string(text)) {
		if name, value, ok := strings.Cut(strings.TrimSpace(line), " "); ok {
			values[name], _ = strconv.ParseFloat(value, 64)
		}
	}
	percent := values["go_gc_gogc_percent"]
	if percent == 0 {
		percent = 100
	}
	return values["go_memstats_next_gc_bytes"] / (1 + percent/100), nil
}

// addPlaces brings in places, so many at once as one change, and returns their ids.
func addPlaces(token string, r *rand.Rand, count, together int, pause time.Duration) (ids []string, err error) {
	const template = `{"collection":"posts","id":%q,"version":0,"feature":{"type":"Feature",` +
		`"geometry":{"type":"Point","coordinates":[%.7f,%.7f]},"properties":{"name":"Rebuilt %d",` +
		`"category":"fountain","condition":"sound"}}}`
	for len(ids) < count {
		var body bytes.Buffer
		body.WriteString(`{"changes":[`)
		for k := range together {
			if k > 0 {
				body.WriteByte(',')
			}
			id := uuid.Must(uuid.NewV7()).String()
			ids = append(ids, id)
			fmt.Fprintf(&body, template, id, -26.32+0.45*r.Float64(), -38.15+0.2*r.Float64(), len(ids))
		}
		body.WriteString(`]}`)
		if _, err := ask(token, "POST", "/v1/bulk", body.Bytes(), "Content-Type", "application/json"); err != nil {
			return ids, err
		}
		time.Sleep(pause)
	}
	return ids, nil
}

// whileRebuilt changes so many places that the indexes are built anew, and measures how long writes and questions take
// meanwhile. Others write only a little then: whoever writes waits for their transactions, however it is indexed.
func whileRebuilt(token string) ([]row, error) {
	const shortOf, more = 31_000, 6_000
	r := rand.New(rand.NewPCG(9, 9))
	ids, err := addPlaces(token, r, shortOf, 1000, 0)
	if err != nil {
		return nil, err
	}
	done := make(chan error, 1)
	go func() {
		late, err := addPlaces(token, rand.New(rand.NewPCG(10, 10)), more, 10, 5*time.Millisecond)
		ids = append(ids, late...)
		done <- err
	}()
	one := []byte(
		`{"type":"Feature","geometry":{"type":"Point","coordinates":[-26.2,-38.1]},"properties":{"name":"One more"}}`,
	)
	var writes, reads times
	for {
		select {
		case err := <-done:
			if err == nil {
				err = removeAll(token, ids)
			}
			slices.Sort(writes)
			slices.Sort(reads)
			const against = "their median"
			return []row{
				{"one write while the base is built, slowest", writes.at(1), "ms", "50 ms", against, writes.at(0.5)},
				{"… 99th of a hundred", writes.at(0.99), "ms", "", against, writes.at(0.5)},
				{"nearby meanwhile, slowest", reads.at(1), "ms", "50 ms", against, reads.at(0.5)},
				{"… 99th of a hundred", reads.at(0.99), "ms", "", against, reads.at(0.5)},
			}, err
		default:
		}
		id := uuid.Must(uuid.NewV7()).String()
		began := time.Now()
		if _, err := ask(token, "PUT", "/ogc/collections/posts/items/"+id, one, "If-None-Match", "*"); err != nil {
			return nil, err
		}
		writes = append(writes, milliseconds(time.Since(began)))
		began = time.Now()
		at := fmt.Sprintf("%.6f,%.6f", -38.15+0.2*r.Float64(), -26.32+0.45*r.Float64())
		if _, err := ask(token, "GET", "/v1/nearby?limit=10&at="+at, nil); err != nil {
			return nil, err
		}
		reads = append(reads, milliseconds(time.Since(began)))
		if _, err := ask(token, "DELETE", "/ogc/collections/posts/items/"+id, nil, "If-Match", "*"); err != nil {
			return nil, err
		}
	}
}

// removeAll moves places to the bin again.
func removeAll(token string, ids []string) error {
	for chunk := range slices.Chunk(ids, 1000) {
		var changes []map[string]any
		for part := range slices.Chunk(chunk, 500) {
			text, err := ask(token, "GET", "/v1/features?limit=500&id="+strings.Join(part, "&id="), nil)
			if err != nil {
				return err
			}
			var found struct {
				Features []struct {
					ID         string
					Properties struct{ Version uint64 }
				}
			}
			if err := json.Unmarshal(text, &found); err != nil {
				return err
			}
			for _, f := range found.Features {
				changes = append(
					changes,
					map[string]any{"collection": "posts", "id": f.ID, "version": f.Properties.Version, "delete": true},
				)
			}
		}
		body, err := json.Marshal(map[string]any{"changes": changes})
		if err != nil {
			return err
		}
		if _, err := ask(token, "POST", "/v1/bulk", body, "Content-Type", "application/json"); err != nil {
			return err
		}
	}
	return nil
}
