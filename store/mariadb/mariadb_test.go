package mariadb

import (
	"context"
	"database/sql"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func start(t *testing.T, dir string, keep bool) *Server {
	t.Helper()
	s, err := Start(context.Background(), Options{Dir: dir, Log: slog.New(slog.DiscardHandler), Keep: keep})
	require.NoError(t, err)
	return s
}

func connect(t *testing.T, s *Server) *sql.DB {
	t.Helper()
	db, err := sql.Open("mysql", s.DSN(Database))
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return db
}

func TestALifeWithAccidents(t *testing.T) {
	dir := t.TempDir()
	first := start(t, dir, false)
	assert.False(t, first.Adopted())
	db := connect(t, first)
	var flush string
	require.NoError(t, db.QueryRow("SELECT @@innodb_flush_log_at_trx_commit").Scan(&flush))
	assert.Equal(t, "1", flush, "an acknowledged commit is on the disk")
	_, err := db.Exec("CREATE TABLE kept (v VARCHAR(20))")
	require.NoError(t, err)
	_, err = db.Exec("INSERT INTO kept VALUES ('still here')")
	require.NoError(t, err)
	first.Leave() // as if our process had been killed: the server runs on

	second := start(t, dir, true)
	assert.True(t, second.Adopted())
	pid := second.pid()
	require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
	require.Eventually(
		t,
		func() bool { return second.ping() == nil && second.pid() != pid && second.pid() != 0 },
		30*time.Second,
		20*time.Millisecond,
	)
	var v string
	require.NoError(t, connect(t, second).QueryRow("SELECT v FROM kept").Scan(&v))
	assert.Equal(t, "still here", v)
	require.NoError(t, second.Stop())
	assert.Error(t, second.ping())

	third := start(t, dir, false)
	require.NoError(t, connect(t, third).QueryRow("SELECT v FROM kept").Scan(&v))
	require.NoError(t, third.Stop())
}

func TestNobodyGetsInWithoutThePassword(t *testing.T) {
	s := start(t, t.TempDir(), false)
	defer s.Stop()
	for _, name := range []string{"root", "", account} {
		c := s.config("")
		c.User, c.Passwd = name, ""
		db, err := sql.Open("mysql", c.FormatDSN())
		require.NoError(t, err)
		assert.Error(t, db.Ping(), name)
		db.Close()
	}
	info, err := os.Stat(s.path("db.password"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
}

func TestWhatIsInTheWayIsNamed(t *testing.T) {
	for name, c := range map[string]struct {
		dir  func(root string) string
		want string
	}{
		"long path": {func(root string) string { return filepath.Join(root, strings.Repeat("long/", 30)) },
			"VIANDANTE_DATA to a shorter path"},
		"a file": {func(root string) string {
			p := filepath.Join(root, "f")
			_ = os.WriteFile(p, nil, 0o600)
			return filepath.Join(p, "x")
		}, "VIANDANTE_DATA"},
		"proc": {func(string) string { return "/proc/nothing" }, "VIANDANTE_DATA"},
		"no password": {func(root string) string {
			p := filepath.Join(root, "d")
			_ = os.MkdirAll(filepath.Join(p, "data"), 0o700)
			return p
		}, "put the password file back"},
	} {
		_, err := Start(context.Background(), Options{Dir: c.dir(t.TempDir()), Log: slog.New(slog.DiscardHandler)})
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), c.want, name)
	}
}

func TestAnInterruptedSetUpStartsOver(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "data.tmp", "mysql"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "data.tmp", "ibdata1"), []byte("half"), 0o600))
	require.NoError(t, start(t, dir, false).Stop())
}
