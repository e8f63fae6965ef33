// Package storetest gives tests a real MariaDB: one private server a test binary, one database a test.
package storetest

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"viandante/store"
	"viandante/store/mariadb"
)

var (
	once   sync.Once
	server *mariadb.Server
	failed error
	count  atomic.Int32
)

// Main runs a package's tests and stops the server afterwards; call it from TestMain.
func Main(m *testing.M) {
	dir, err := os.MkdirTemp("", "viandante-test-")
	if err != nil {
		panic(err)
	}
	root = dir
	code := m.Run()
	if server != nil {
		if err := server.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, err)
		}
	}
	os.RemoveAll(dir)
	os.Exit(code)
}

var root string

// DSN returns the data source name of a new, empty database.
func DSN(t testing.TB) string {
	t.Helper()
	if root == "" {
		t.Fatal("this package's TestMain must call storetest.Main")
	}
	once.Do(func() {
		server, failed = mariadb.Start(
			context.Background(),
			mariadb.Options{Dir: root, Log: slog.New(slog.DiscardHandler)},
		)
	})
	if failed != nil {
		t.Fatal(failed)
	}
	name := fmt.Sprintf("test_%d", count.Add(1))
	db, err := sql.Open("mysql", server.DSN(""))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec("CREATE DATABASE " + name + " CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"); err != nil {
		t.Fatal(err)
	}
	return server.DSN(name)
}

// Freeze stops the server where it stands, as a machine that has no memory left does: its connections stay open, and
// nothing is answered. It goes on when the returned function is called, at the latest when the test ends.
func Freeze(t testing.TB) (thaw func()) {
	t.Helper()
	pid := server.PID()
	thaw = sync.OnceFunc(func() {
		if err := syscall.Kill(pid, syscall.SIGCONT); err != nil {
			t.Error(err)
		}
	})
	t.Cleanup(thaw)
	if err := syscall.Kill(pid, syscall.SIGSTOP); err != nil {
		t.Fatal(err)
	}
	for !stopped(t, pid) {
		time.Sleep(time.Millisecond)
	}
	return thaw
}

// stopped tells whether all threads of a process stand still.
func stopped(t testing.TB, pid int) bool {
	t.Helper()
	threads, err := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/stat", pid))
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range threads {
		text, err := os.ReadFile(file)
		if err != nil {
			continue // it has ended
		}
		_, state, _ := strings.Cut(string(text), ") ")
		if !strings.HasPrefix(state, "T") {
			return false
		}
	}
	return true
}

// Open returns a store on a new, empty database.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), DSN(t), time.Now)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}
