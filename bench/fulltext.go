package main

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"path/filepath"
	"strings"
	"time"

	"viandante/core/geo"
	"viandante/store/mariadb"
)

// fulltext is the same addresses in a table of MariaDB with a FULLTEXT index over their text.
type fulltext struct {
	db    *sql.DB
	close func()
}

const fulltextRows = 2000 // in one statement

// newFulltext fills the table, or takes one that was filled before.
func newFulltext(ctx context.Context, c *addressCountry) (*fulltext, error) {
	dir, err := filepath.Abs(filepath.Join(benchDir, "fulltext"))
	if err != nil {
		return nil, err
	}
	server, err := mariadb.Start(ctx, mariadb.Options{Dir: dir, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		return nil, err
	}
	db, err := sql.Open("mysql", server.DSN("")+"&interpolateParams=true")
	if err != nil {
		return nil, err
	}
	f := &fulltext{db, func() { db.Close(); _ = server.Stop() }}
	var held int
	want := 0
	for _, a := range c.all {
		if !a.left {
			want++
		}
	}
	_ = db.QueryRowContext(ctx, `SELECT COUNT(*) FROM bench.addresses`).Scan(&held)
	if held == want {
		return f, nil
	}
	for _, s := range []string{`CREATE DATABASE IF NOT EXISTS bench`, `DROP TABLE IF EXISTS bench.addresses`,
		`CREATE TABLE bench.addresses (id INT PRIMARY KEY, text VARCHAR(200), lat DOUBLE, lng DOUBLE)
			ENGINE = InnoDB`} {
		if _, err := db.ExecContext(ctx, s); err != nil {
			return f, err
		}
	}
	var rows []string
	var args []any
	flush := func() error {
		if len(rows) == 0 {
			return nil
		}
		_, err := db.ExecContext(ctx, `INSERT INTO bench.addresses VALUES `+strings.Join(rows, ","), args...)
		rows, args = rows[:0], args[:0]
		return err
	}
	for i, a := range c.all {
		if a.left {
			continue
		}
		rows = append(rows, "(?,?,?,?)")
		args = append(args, i, fmt.Sprintf("%s %s, %s %s", a.street, a.number, a.postcode, a.locality), a.at.Lat(),
			a.at.Lng())
		if len(rows) == fulltextRows {
			if err := flush(); err != nil {
				return f, err
			}
		}
	}
	if err := flush(); err != nil {
		return f, err
	}
	_, err = db.ExecContext(ctx, `CREATE FULLTEXT INDEX words ON bench.addresses (text)`)
	return f, err
}

// measure asks for the best row of each query, and returns the share that is right and the times.
func (f *fulltext) measure(ctx context.Context, queries []asked) (right float64, took times, err error) {
	n := 0
	took = measured(len(queries), func(i int) {
		var lat, lng float64
		row := f.db.QueryRowContext(ctx, `SELECT lat, lng FROM bench.addresses WHERE MATCH(text) AGAINST(?)
			ORDER BY MATCH(text) AGAINST(?) DESC LIMIT 1`, queries[i].query, queries[i].query)
		if failed := row.Scan(&lat, &lng); failed != nil {
			if failed != sql.ErrNoRows {
				err = failed
			}
			return
		}
		if p, bad := geo.NewPoint(lat, lng); bad == nil && distanceM(p, queries[i].truth.at) <= 30 {
			n++
		}
	})
	return percent(n, len(queries)), took, err
}

// besideFulltext compares both on the same queries: whole addresses, written in each of the ways.
func besideFulltext(ctx context.Context, c *addressCountry, queries []asked, ours float64, our times) ([]row, error) {
	began := time.Now()
	f, err := newFulltext(ctx, c)
	if f != nil {
		defer f.close()
	}
	if err != nil {
		return nil, err
	}
	filled := time.Since(began).Seconds()
	right, took, err := f.measure(ctx, queries)
	return []row{
		{fmt.Sprintf("… right, of %d in all ways of writing", len(queries)), ours, "%", "",
			fmt.Sprintf("MariaDB FULLTEXT, same rows (made in %.0f s)", filled), right},
		{"… and the median", our.at(0.5), "ms", "", "MariaDB FULLTEXT", took.at(0.5)},
		{"… and the 99th percentile", our.at(0.99), "ms", "", "MariaDB FULLTEXT", took.at(0.99)},
	}, err
}
