package main

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/chromedp/chromedp"
	_ "github.com/go-sql-driver/mysql"
	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/store"
)

const (
	millionDir = "million"
	aMillion   = 1_000_000
	written    = 400
)

// million measures a collection of a million places: opening the page, looking through the list, writing one more.
func million() ([]row, error) {
	ctx := context.Background()
	_, stop, err := demoServer(millionDir)
	if err != nil {
		return nil, err
	}
	dsn, err := privateDSN(millionDir)
	if err == nil {
		err = fillMillion(ctx, dsn)
	}
	stop() // what is in the index is read anew, as after any start
	if err != nil {
		return nil, err
	}
	began := time.Now()
	token, stop, err := demoServer(millionDir)
	if err != nil {
		return nil, err
	}
	defer stop()
	ready := milliseconds(time.Since(began))
	if dsn, err = privateDSN(millionDir); err != nil {
		return nil, err
	}
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	began = time.Now()
	all, err := db.QueryContext(ctx, `SELECT * FROM features`)
	if err != nil {
		return nil, err
	}
	for all.Next() {
	}
	read := milliseconds(time.Since(began))
	var table float64
	size := db.QueryRowContext(ctx, `SELECT (data_length + index_length) / 1e6 FROM information_schema.tables
		WHERE table_name = 'features' AND table_schema = DATABASE()`)
	if err := errors.Join(all.Close(), size.Scan(&table)); err != nil {
		return nil, err
	}
	rows := []row{
		{"the server ready with a million places", ready, "ms", "", "their table read and nothing made of it", read},
		{"… its memory", residentMB("bin/viandante"), "MB", "", "their table in the database", table},
	}
	time.Sleep(
		5 * time.Second,
	) // what lists are answered from is made meanwhile, as on any server that has run for a moment
	opened, err := openMillion()
	if err != nil {
		return nil, err
	}
	rows = append(rows, opened...)
	for _, one := range []func(context.Context, string, *sql.DB) ([]row, error){listMillion, writeOne} {
		more, err := one(ctx, token, db)
		if err != nil {
			return nil, err
		}
		rows = append(rows, more...)
	}
	return rows, nil
}

// privateDSN is how the private database of a bench's demo is reached while it runs.
func privateDSN(name string) (string, error) {
	var out [2]string
	for i, file := range []string{"db.password", "db.port"} {
		text, err := os.ReadFile(filepath.Join(benchDir, name, "db", file))
		if err != nil {
			return "", err
		}
		out[i] = strings.TrimSpace(string(text))
	}
	return fmt.Sprintf("viandante:%s@tcp(127.0.0.1:%s)/viandante?interpolateParams=true", out[0], out[1]), nil
}

// fillMillion brings the collection to a million places, as another process beside the server would.
func fillMillion(ctx context.Context, dsn string) error {
	db, err := store.Open(ctx, dsn, time.Now)
	if err != nil {
		return err
	}
	defer db.Close()
	workspaces, err := db.Workspaces(ctx)
	if err != nil {
		return err
	}
	count := 0
	if err := db.Features(ctx, workspaces[0], func(*feature.Feature) error { count++; return nil }); err != nil {
		return err
	}
	s := someplace{r: rand.New(rand.NewPCG(6, uint64(count)))}
	began := time.Now()
	for count < aMillion {
		const lot = 10_000
		if _, err := db.Change(ctx, workspaces[0], store.Actor{Name: "bench"}, func(c *store.Change) error {
			list := make([]store.Replacement, lot)
			for i := range list {
				f := s.next()
				f.ID, f.CreatedAt = uuid.Must(uuid.NewV7()), time.Time{}
				list[i].After = f
			}
			return c.WriteAll(list)
		}); err != nil {
			return err
		}
		count += lot
		fmt.Fprintf(os.Stderr, "\rmillion: %d places, %.0f s", count, time.Since(began).Seconds())
	}
	fmt.Fprintln(os.Stderr)
	return nil
}

// openMillion measures how long the page takes until ground and cairns are on the screen.
func openMillion() ([]row, error) {
	b, end, err := browserOf(5 * time.Minute)
	if err != nil {
		return nil, err
	}
	defer end()
	var shown, ground, cairns []float64
	for range 7 {
		page := chromedp.Navigate("http://" + benchListen + town)
		if err := chromedp.Do(b.Ctx, chromedp.Navigate("about:blank"), page); err != nil {
			return nil, err
		}
		got, err := chromedp.Run(b.Ctx, chromedp.Evaluate[[3]float64](`new Promise(done => {
			let ground = 0, cairns = 0
			const look = () => {
				const c = window.viandanteChart
				if (c?.whole) ground ||= performance.now()
				if (c?.layers.find(l => l.stones)?.stones.some(s => s.count > 1)) cairns ||= performance.now()
				if (!ground || !cairns) return requestAnimationFrame(look)
				// The frame that shows them.
				requestAnimationFrame(() => requestAnimationFrame(() => done([performance.now(), ground, cairns])))
			}
			look()
		})`, chromedp.EvalAwaitPromise))
		if err != nil {
			return nil, err
		}
		shown, ground, cairns = append(shown, got[0]), append(ground, got[1]), append(cairns, got[2])
	}
	middle := func(v []float64) float64 { slices.Sort(v); return v[len(v)/2] }
	return []row{
		{
			"Around with a million places: ground and cairns on the screen",
			middle(shown),
			"ms",
			"1000 ms",
			"its ground alone",
			middle(ground),
		},
		{"… the cairns at hand", middle(cairns), "ms", "", "its ground alone", middle(ground)},
	}, nil
}

// ask does a request and returns its answer's body.
func ask(token, method, path string, body []byte, header ...string) ([]byte, error) {
	req, err := http.NewRequest(method, "http://"+benchListen+path, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+token)
	for i := 0; i < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	if err == nil && resp.StatusCode >= 300 {
		err = fmt.Errorf("%s %s: %d %s", method, path, resp.StatusCode, text)
	}
	return text, err
}

// listMillion measures the first page of the list, sorted by each attribute for the first time, and searched.
func listMillion(ctx context.Context, token string, db *sql.DB) ([]row, error) {
	page := func(query string) (float64, error) {
		began := time.Now()
		_, err := ask(token, "GET", "/v1/features?limit=100&"+query, nil)
		return milliseconds(time.Since(began)), err
	}
	database := func(query string, args ...any) (float64, error) {
		began := time.Now()
		found, err := db.QueryContext(
			ctx,
			`SELECT id, name, attributes FROM features WHERE deleted_at IS NULL `+query+` LIMIT 100`,
			args...)
		if err != nil {
			return 0, err
		}
		defer found.Close()
		for found.Next() {
		}
		return milliseconds(time.Since(began)), found.Err()
	}
	var rows []row
	add := func(what, query, sql string, args ...any) error {
		first, err := page(query)
		if err != nil {
			return err
		}
		slow, err := database(sql, args...)
		if err != nil {
			return err
		}
		again, err := page(query + "&placed=true") // another list, for which everything is there
		if err != nil {
			return err
		}
		rows = append(
			rows,
			row{what + ", the first time", first, "ms", "500 ms", "the database sorts or scans", slow},
			row{"… and the next", again, "ms", "500 ms", "the same", slow},
		)
		return nil
	}
	for _, q := range []struct{ what, query, sql string }{
		{"sorted by name", "sort=name", "ORDER BY name"},
		{"sorted by a number, descending", "sort=-boxes", "ORDER BY CAST(JSON_VALUE(attributes, '$.boxes') AS " +
			"DOUBLE) DESC"},
		{"sorted by a date", "sort=inspected_on", "ORDER BY JSON_VALUE(attributes, '$.inspected_on')"},
		{"sorted by a telephone number", "sort=telephone", "ORDER BY JSON_VALUE(attributes, '$.telephone')"},
	} {
		if err := add(q.what, q.query, q.sql); err != nil {
			return nil, err
		}
	}
	if err := add("searched for a rare text", "q="+url.QueryEscape("sogate 123456"), "AND name LIKE ?",
		"%Søgate%123456%"); err != nil {
		return nil, err
	}
	if err := add("searched for a common word", "q=heron", "AND name LIKE ? ORDER BY name", "%Heron%"); err != nil {
		return nil, err
	}
	deep, err := page("sort=name&offset=500000")
	if err != nil {
		return nil, err
	}
	next, err := page("sort=name&offset=500100")
	if err != nil {
		return nil, err
	}
	return append(
		rows,
		row{"from its middle, the page after", next, "ms", "", "the first page there, for which all is sorted", deep},
	), nil
}

// writeOne measures a place's way to an acknowledged change, beside a commit of a row of the same size on the same
// server.
func writeOne(ctx context.Context, token string, db *sql.DB) ([]row, error) {
	if _, err := db.ExecContext(ctx, `CREATE TABLE IF NOT EXISTS bare (id BINARY(16) NOT NULL PRIMARY KEY, body TEXT `+
		`NOT NULL) ENGINE = InnoDB`); err != nil {
		return nil, err
	}
	defer db.ExecContext(ctx, `DROP TABLE bare`)
	body := []byte(
		`{"type":"Feature","geometry":{"type":"Point","coordinates":[-26.2,-38.1]},"properties":{"name":"One ` +
			`more","category":"fountain","condition":"sound","keeper":"Heron keeper"}}`,
	)
	var wrong error
	var made []string
	// In turns, so that both meet the same disk.
	var ours, bare times
	for range written {
		id := uuid.Must(uuid.NewV7())
		began := time.Now()
		if _, err := ask(token, "PUT", "/ogc/collections/posts/items/"+id.String(), body, "If-None-Match",
			"*"); err != nil {
			return nil, err
		}
		ours = append(ours, milliseconds(time.Since(began)))
		made = append(made, id.String())
		began = time.Now()
		if _, err := db.ExecContext(ctx, `INSERT INTO bare (id, body) VALUES (?, ?)`, id[:], body); err != nil {
			return nil, err
		}
		bare = append(bare, milliseconds(time.Since(began)))
	}
	for _, id := range made {
		if _, err := ask(token, "DELETE", "/ogc/collections/posts/items/"+id, nil, "If-Match", "*"); err != nil {
			wrong = err
		}
	}
	slices.Sort(ours)
	slices.Sort(bare)
	return []row{
		{
			"one write acknowledged, among a million places",
			ours.at(0.5),
			"ms",
			"twice",
			"a bare InnoDB commit of such a row",
			bare.at(0.5),
		},
		{"… the 95th of a hundred", ours.at(0.95), "ms", "twice", "the same", bare.at(0.95)},
	}, wrong
}

// residentMB is the memory of a program's process in MB.
func residentMB(program string) float64 {
	files, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	for _, f := range files {
		command, err := os.ReadFile(f)
		if err != nil || !strings.HasPrefix(string(command), program) {
			continue
		}
		if mb := anonMB(filepath.Dir(f)); mb > 0 {
			return mb
		}
	}
	return 0
}
