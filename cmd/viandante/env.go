package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/sys/unix"

	"viandante/service"
	"viandante/store"
	"viandante/store/mariadb"
)

// env is what the program is told by its environment.
type env struct {
	listen, data, dsn string
	hosts             []string
	log               *slog.Logger
	keepChanges       time.Duration
	phone             string
	// beside goes on beside the server, until ctx is done: the devices of the demo.
	beside func(ctx context.Context, svc *service.Service) error
}

func environment(log *slog.Logger) *env {
	get := func(name, otherwise string) string {
		if v := os.Getenv(name); v != "" {
			return v
		}
		return otherwise
	}
	return &env{
		listen: get("VIANDANTE_LISTEN", "127.0.0.1:8080"),
		data:   get("VIANDANTE_DATA", "./var"),
		dsn:    os.Getenv("VIANDANTE_DSN"),
		hosts: strings.FieldsFunc(
			os.Getenv("VIANDANTE_HOSTS"),
			func(c rune) bool { return c == ',' || c == ' ' },
		),
		log: log,
	}
}

func (e *env) regionDir() string { return filepath.Join(e.data, "regions") }

// openStore connects to the configured database, or to the private one, which it starts or adopts. own says that this
// process is the one that keeps the private one alive and stops it; a tool that finds it running leaves it running.
func (e *env) openStore(ctx context.Context, own bool) (*store.Store, func() error, error) {
	dsn, stop, room := e.dsn, func() error { return nil }, func() error { return nil }
	if dsn == "" {
		db, err := mariadb.Start(ctx, mariadb.Options{Dir: filepath.Join(e.data, "db"), Log: e.log, Keep: own})
		if err != nil {
			return nil, nil, err
		}
		dsn = db.DSN(mariadb.Database)
		stop, room = db.Stop, db.Room
		if !own && db.Adopted() {
			stop = func() error { db.Leave(); return nil }
		}
	}
	s, err := store.Open(ctx, dsn, time.Now)
	if err != nil {
		return nil, nil, errors.Join(fmt.Errorf("the database cannot be used: %w", err), stop())
	}
	s.CheckRoom(room)
	return s, func() error { return errors.Join(s.Close(), stop()) }, nil
}

// lock makes sure that one server at a time uses the data directory.
func (e *env) lock() (func(), error) {
	if err := os.MkdirAll(e.data, 0o700); err != nil {
		return nil, fmt.Errorf(
			"the data directory cannot be made: %w; set VIANDANTE_DATA to a directory that can be written to",
			err,
		)
	}
	f, err := os.OpenFile(filepath.Join(e.data, "server.lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("the data directory cannot be written to: %w; set VIANDANTE_DATA to one that can", err)
	}
	if err := unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		f.Close()
		return nil, fmt.Errorf(
			"another server is already running on %s: stop it, or set VIANDANTE_DATA to another directory",
			e.data,
		)
	}
	return func() { f.Close() }, nil
}
