package main

import (
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/go-sql-driver/mysql"

	"viandante/e2e"
)

// outside measures what enters and leaves the workbench: a file of a million rows, and pictures of the map.
func outside() ([]row, error) {
	files, err := theFiles()
	if err != nil {
		return nil, err
	}
	pictures, err := thePictures()
	return append(files, pictures...), err
}

const outsideDir = "outside"

// command runs the program beside the server, and returns how long it took and what it held at most, in megabytes.
func command(args ...string) (seconds, mb float64, err error) {
	cmd := exec.Command("bin/viandante", args...)
	cmd.Env = append(os.Environ(), "VIANDANTE_DATA="+filepath.Join(benchDir, outsideDir))
	began := time.Now()
	out, err := cmd.CombinedOutput()
	if err != nil {
		return 0, 0, fmt.Errorf("%s: %w\n%s", strings.Join(args, " "), err, out)
	}
	use, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage)
	if ok {
		mb = float64(use.Maxrss) / 1000
	}
	return time.Since(began).Seconds(), mb, nil
}

// spreadsheet writes a file of places.
func spreadsheet(file string, n int) error {
	f, err := os.Create(file)
	if err != nil {
		return err
	}
	const seed = 16
	r := rand.New(rand.NewPCG(seed, 0))
	words := strings.Fields("Mill Harbour Pewter Shore Upper Lower Lantern Gull Marrow Tarn")
	kinds := strings.Fields("fountain shelter repair locker aid lookout")
	w := bufio.NewWriter(f)
	fmt.Fprintln(w, "code,name,latitude,longitude,category,condition,keeper,notes")
	for i := range n {
		fmt.Fprintf(w, "P%07d,%s %s %d,%.6f,%.6f,%s,sound,Ida Marrow,seen in spring\n", i, words[r.IntN(10)],
			words[r.IntN(10)],
			i, -38+r.Float64()*0.8-0.4, -26+r.Float64()-0.5, kinds[r.IntN(6)])
	}
	return errors.Join(w.Flush(), f.Close())
}

func theFiles() ([]row, error) {
	dir := filepath.Join(benchDir, outsideDir)
	if err := os.RemoveAll(dir); err != nil { // each run takes the file in anew
		return nil, err
	}
	_, stop, err := demoServer(outsideDir)
	if err != nil {
		return nil, err
	}
	defer stop()
	small, large := filepath.Join(dir, "small.csv"), filepath.Join(dir, "large.csv")
	if err := errors.Join(spreadsheet(small, 20_000), spreadsheet(large, aMillion)); err != nil {
		return nil, err
	}
	_, little, err := command("places", "import", small, "--collection", "small")
	if err != nil {
		return nil, err
	}
	raw, err := loadRaw(large)
	if err != nil {
		return nil, err
	}
	taken, held, err := command("places", "import", large, "--collection", "large")
	if err != nil {
		return nil, err
	}
	again, _, err := command("places", "import", large, "--collection", "large")
	if err != nil {
		return nil, err
	}
	out := filepath.Join(dir, "out.csv")
	written, heldOut, err := command("places", "export", out, "--collection", "large")
	if err != nil {
		return nil, err
	}
	read, err := readRaw()
	if err != nil {
		return nil, err
	}
	return []row{
		{"a million rows taken in beside the server, checked, logged, undoable", taken, "s", "60",
			"the file handed to the database as it is", raw},
		{"… the memory of the command", held, "MB", "", "for 20,000 rows", little},
		{"… the same file again, nothing to change", again, "s", "", "the first time", taken},
		{"a million places written to a CSV", written, "s", "", "their rows read and nothing made of them", read},
		{"… the memory of the command", heldOut, "MB", "", "for 20,000 rows taken in", little},
	}, nil
}

// loadRaw hands the file to the database as it is, into a table of texts.
func loadRaw(file string) (float64, error) {
	dsn, err := privateDSN(outsideDir)
	if err != nil {
		return 0, err
	}
	db, err := sql.Open("mysql", dsn+"&multiStatements=true")
	if err != nil {
		return 0, err
	}
	defer db.Close()
	f, err := os.Open(file)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	mysql.RegisterReaderHandler("raw", func() io.Reader { return f })
	defer mysql.DeregisterReaderHandler("raw")
	if _, err := db.Exec(`CREATE TABLE raw (code VARCHAR(20) PRIMARY KEY, name TEXT, lat TEXT, lng TEXT, category TEXT,
		state TEXT, keeper TEXT, notes TEXT) ENGINE = InnoDB`); err != nil {
		return 0, err
	}
	began := time.Now()
	_, err = db.Exec(`LOAD DATA LOCAL INFILE 'Reader::raw' INTO TABLE raw FIELDS TERMINATED BY ',' IGNORE 1 LINES`)
	took := time.Since(began).Seconds()
	_, dropped := db.Exec(`DROP TABLE raw`)
	return took, errors.Join(err, dropped)
}

func readRaw() (float64, error) {
	dsn, err := privateDSN(outsideDir)
	if err != nil {
		return 0, err
	}
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return 0, err
	}
	defer db.Close()
	began := time.Now()
	rows, err := db.Query(`SELECT * FROM features WHERE collection = 'large'`)
	if err != nil {
		return 0, err
	}
	for rows.Next() {
	}
	return time.Since(began).Seconds(), errors.Join(rows.Err(), rows.Close())
}

// thePictures measures pictures of 600 by 400: drawn anew, and again; beside a screenshot of the embedded map.
func thePictures() ([]row, error) {
	token, stop, err := demoServer("demo")
	if err != nil {
		return nil, err
	}
	defer stop()
	ask := func(query string) (time.Duration, error) {
		req, err := http.NewRequest("GET", "http://"+benchListen+"/v1/picture.png?"+query, nil)
		if err != nil {
			return 0, err
		}
		req.Header.Set("Authorization", "Bearer "+token)
		began := time.Now()
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			return 0, err
		}
		defer resp.Body.Close()
		data, err := io.ReadAll(resp.Body)
		if err == nil && resp.StatusCode != 200 {
			err = fmt.Errorf("%s: %s", query, bytes.TrimSpace(data))
		}
		return time.Since(began), err
	}
	views := func(shift float64) (out []string) {
		const seed = 5
		r := rand.New(rand.NewPCG(seed, 0))
		for _, zoom := range []int{10, 12, 14, 15, 16, 17} {
			for range 8 {
				out = append(out, fmt.Sprintf("collection=posts&center=%.5f,%.5f&zoom=%d&width=600&height=400",
					-38.09+r.Float64()*0.03, -26.28+shift+r.Float64()*0.03, zoom))
			}
		}
		return out
	}
	for _, q := range views(0) { // the tiles are there, as on a server that has run for a moment
		if _, err := ask(q); err != nil {
			return nil, err
		}
	}
	var cold, cached times
	for _, q := range views(0.0004) {
		took, err := ask(q)
		if err != nil {
			return nil, err
		}
		cold = append(cold, milliseconds(took))
	}
	for _, q := range views(0.0004) {
		took, err := ask(q)
		if err != nil {
			return nil, err
		}
		cached = append(cached, milliseconds(took))
	}
	slices.Sort(cold)
	slices.Sort(cached)
	shot, err := screenshots(token, views(0.0008))
	if err != nil {
		return nil, err
	}
	return []row{
		{"a picture of 600 by 400, drawn anew, median of 48 views", cold.at(0.5), "ms", "60",
			"the embedded map opened and shot", shot.at(0.5)},
		{"… the slowest but two", cold.at(0.95), "ms", "", "the embedded map", shot.at(0.95)},
		{"… the same again", cached.at(0.5), "ms", "2", "drawn anew", cold.at(0.5)},
	}, nil
}

// screenshots are how long it takes a browser that runs already to open the embedded map and shoot it.
func screenshots(token string, views []string) (times, error) {
	b, closeBrowser, err := e2e.NewBrowser(context.Background(), 600, 400)
	if err != nil {
		return nil, err
	}
	defer closeBrowser()
	var out times
	for i, q := range views {
		if i%4 != 0 {
			continue // each takes long
		}
		began := time.Now()
		err := chromedp.Do(b.Ctx, chromedp.Navigate("http://"+benchListen+"/embed?"+q+fmt.Sprint("&n=",
			i)+"#key="+token),
			e2e.MapDrawn())
		if err == nil {
			_, err = chromedp.Run(b.Ctx, chromedp.CaptureScreenshot())
		}
		if err != nil {
			return nil, err
		}
		out = append(out, milliseconds(time.Since(began)))
	}
	slices.Sort(out)
	return out, nil
}
