// Package mariadb runs a private MariaDB server from the system's packages: its own data directory, its own socket and
// its own port on loopback. It survives what happens to it: a server left running by a killed process is adopted, one
// that dies is started again, and a set-up that was interrupted starts over.
package mariadb

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
	"golang.org/x/sys/unix"
)

const (
	// Database is the schema that is made for the product.
	Database = "viandante"
	account  = "viandante"
	// maxSocketPath is the longest path that a Unix socket can have.
	maxSocketPath = 107
	leastFree     = 200 << 20
	// reserve is room that is kept taken, and given up when the disk is full: so that the server starts, and what is
	// there can be read.
	reserve = 32 << 20
	// leastRoom is how much is left when changes are refused: a server that comes to the end of its disk while it
	// writes may end itself.
	leastRoom = 16 << 20
	maxLog    = 4 << 20
)

// Options says how to run the server.
type Options struct {
	// Dir holds everything; it is made when missing.
	Dir string
	Log *slog.Logger
	// Keep starts the server again when it dies, whoever started it.
	Keep bool
}

// Server is a running private MariaDB.
type Server struct {
	opts     Options
	password string
	adopted  bool

	stop   context.CancelFunc
	kept   sync.WaitGroup
	mu     sync.Mutex
	exited chan struct{} // closed when the process that we started ends; nil for an adopted one
}

// Start starts the server of a directory, or adopts the one that is running there.
func Start(ctx context.Context, opts Options) (*Server, error) {
	dir, err := filepath.Abs(opts.Dir)
	if err != nil {
		return nil, err
	}
	opts.Dir = dir
	s := &Server{opts: opts}
	if err := s.check(); err != nil {
		return nil, err
	}
	if err := s.prepare(ctx); err != nil {
		return nil, err
	}
	if s.ping() == nil {
		s.adopted = true
		opts.Log.Info("adopted the database that was left running", "dir", dir)
	} else if err := s.launch(ctx); err != nil {
		return nil, err
	}
	keepCtx, cancel := context.WithCancel(context.WithoutCancel(ctx))
	s.stop = cancel
	if opts.Keep {
		s.kept.Add(1)
		go s.keep(keepCtx)
	}
	return s, nil
}

// Adopted tells whether the server was already running.
func (s *Server) Adopted() bool { return s.adopted }

// DSN returns the data source name of a database on the server.
func (s *Server) DSN(database string) string { return s.config(database).FormatDSN() }

func (s *Server) config(database string) *mysql.Config {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.Addr, c.DBName = account, s.password, "unix", s.path("db.sock"), database
	c.Timeout = 5 * time.Second
	return c
}

func (s *Server) path(name string) string { return filepath.Join(s.opts.Dir, name) }

func (s *Server) ping() error {
	connector, err := mysql.NewConnector(s.config(""))
	if err != nil {
		return err
	}
	db := sql.OpenDB(connector)
	defer db.Close()
	return db.Ping()
}

// check finds out beforehand what would make the server fail with a message that helps nobody.
func (s *Server) check() error {
	if p := s.path("db.sock"); len(p) > maxSocketPath {
		return fmt.Errorf(
			"the data directory's path is too long: the database's socket %s would have %d characters, %d are "+
				"possible; set VIANDANTE_DATA to a shorter path",
			p,
			len(p),
			maxSocketPath,
		)
	}
	if err := os.MkdirAll(s.path("tmp"), 0o700); err != nil {
		return fmt.Errorf(
			"the data directory cannot be made: %w; set VIANDANTE_DATA to a directory that can be written to",
			err,
		)
	}
	probe, err := os.CreateTemp(s.opts.Dir, "probe-*.tmp")
	if err != nil && !errors.Is(err, unix.ENOSPC) {
		return fmt.Errorf("the data directory cannot be written to: %w; set VIANDANTE_DATA to one that can", err)
	}
	if probe != nil {
		probe.Close()
		os.Remove(probe.Name())
	}
	_, err = os.Stat(s.path("data"))
	if free := s.free(); free < leastFree && err != nil {
		return fmt.Errorf(
			"the disk of %s is full: %d MB are free, the database needs %d MB; make room or set VIANDANTE_DATA to "+
				"another disk",
			s.opts.Dir,
			free>>20,
			leastFree>>20,
		)
	}
	return s.keepReserve()
}

// free returns how many bytes are free on the disk; very many where that cannot be told.
func (s *Server) free() uint64 {
	var disk unix.Statfs_t
	if unix.Statfs(s.opts.Dir, &disk) != nil {
		return 1 << 62
	}
	return disk.Bavail * uint64(disk.Bsize)
}

// Room returns an error when there is too little room to write.
func (s *Server) Room() error {
	if free := s.free(); free < leastRoom {
		return fmt.Errorf("%d MB are free on the disk of %s, %d MB are needed", free>>20, s.opts.Dir, leastRoom>>20)
	}
	return nil
}

// keepReserve takes some room for bad times, or gives it up when they have come.
func (s *Server) keepReserve() error {
	file := s.path("reserve")
	switch free := s.free(); {
	case free < reserve:
		s.opts.Log.Warn(
			"the disk is nearly full: make room, or changes will be refused",
			"dir",
			s.opts.Dir,
			"free_mb",
			free>>20,
		)
		if err := os.Remove(file); err != nil && !errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("making room for the database: %w", err)
		}
	case free > 4*reserve:
		if info, err := os.Stat(file); err == nil && info.Size() == reserve {
			return nil
		}
		f, err := os.OpenFile(file, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
		if err != nil {
			return fmt.Errorf("the data directory cannot be written to: %w", err)
		}
		defer f.Close()
		if unix.Fallocate(int(f.Fd()), 0, 0, reserve) != nil { // not every file system can: then there is none
			return os.Remove(file)
		}
	}
	return nil
}

// program finds the server's program, which Debian keeps out of a user's path.
func program() (string, error) {
	for _, name := range []string{"mariadbd", "/usr/sbin/mariadbd", "/usr/local/sbin/mariadbd",
		"/usr/libexec/mariadbd"} {
		if p, err := exec.LookPath(name); err == nil {
			return p, nil
		}
	}
	return "", errors.New(
		"MariaDB's server is not installed: run `make setup`, or install Debian's package mariadb-server-core",
	)
}

// prepare makes the data directory's system tables and the account, or reads what an earlier start made. All is made
// aside and moved into place at the end, so an interrupted set-up leaves nothing half done.
func (s *Server) prepare(ctx context.Context) error {
	if text, err := os.ReadFile(s.path("db.password")); err == nil {
		if _, err := os.Stat(s.path("data")); err == nil {
			s.password = strings.TrimSpace(string(text))
			return nil
		}
	}
	if _, err := os.Stat(s.path("data")); err == nil {
		return fmt.Errorf(
			"%s is there but %s is not: put the password file back, or move the data away to start anew",
			s.path("data"),
			s.path("db.password"),
		)
	}
	s.opts.Log.Info("setting up the database", "dir", s.opts.Dir)
	secret := make([]byte, 16)
	rand.Read(secret)
	s.password = hex.EncodeToString(secret)
	script, err := bootstrapScript(s.password)
	if err != nil {
		return err
	}
	fresh := s.path("data.tmp")
	if err := errors.Join(os.RemoveAll(fresh), os.Mkdir(fresh, 0o700)); err != nil {
		return fmt.Errorf("setting up the database: %w", err)
	}
	bin, err := program()
	if err != nil {
		return err
	}
	cmd := exec.CommandContext(
		ctx,
		bin,
		append(s.common(fresh), "--bootstrap", "--log-warnings=0", "--max-allowed-packet=8M")...)
	cmd.Stdin = script
	cmd.WaitDelay = 10 * time.Second
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("setting up the database failed (%w): %s", err, lastError(string(out)))
	}
	if err := os.WriteFile(s.path("db.password"), []byte(s.password+"\n"), 0o600); err != nil {
		return fmt.Errorf("setting up the database: %w", err)
	}
	return os.Rename(fresh, s.path("data"))
}

// bootstrapScript makes the system tables with the scripts that come with the server, and one account instead of the
// password-less root.
func bootstrapScript(password string) (io.Reader, error) {
	parts := []io.Reader{
		strings.NewReader(
			"CREATE DATABASE mysql;\nUSE mysql;\nSET @skip_auth_anonymous=1;\nSET @auth_root_socket='root';\n",
		),
	}
	for _, name := range []string{"mysql_system_tables.sql", "mysql_performance_tables.sql",
		"mysql_system_tables_data.sql"} {
		var text []byte
		for _, dir := range []string{"/usr/share/mysql", "/usr/share/mariadb"} {
			if t, err := os.ReadFile(filepath.Join(dir, name)); err == nil {
				text = t
				break
			}
		}
		if text == nil {
			return nil, fmt.Errorf(
				"%s of MariaDB's server package is missing: install Debian's package mariadb-server-core again",
				name,
			)
		}
		parts = append(parts, strings.NewReader(string(text)+"\n"))
	}
	var end strings.Builder
	end.WriteString("DELETE FROM global_priv WHERE User IN ('root', '');\nFLUSH PRIVILEGES;\n")
	for _, host := range []string{"localhost", "127.0.0.1"} {
		fmt.Fprintf(
			&end,
			"CREATE USER %s@'%s' IDENTIFIED BY '%s';\nGRANT ALL PRIVILEGES ON *.* TO %s@'%s';\n",
			account,
			host,
			password,
			account,
			host,
		)
	}
	fmt.Fprintf(&end, "CREATE DATABASE %s CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;\n", Database)
	return io.MultiReader(append(parts, strings.NewReader(end.String()))...), nil
}

// common are the options of every run on a data directory. The directory for temporary files is its own: servers that
// share one delete each other's.
func (s *Server) common(dataDir string) []string {
	name := strconv.Itoa(os.Getuid())
	if u, err := user.Current(); err == nil {
		name = u.Username
	}
	return []string{
		"--no-defaults",
		"--datadir=" + dataDir,
		"--user=" + name,
		"--tmpdir=" + s.path("tmp"),
		"--innodb-log-file-size=48M",
		"--character-set-server=utf8mb4",
		"--collation-server=utf8mb4_bin",
	}
}

// launch starts the process and waits until it answers.
func (s *Server) launch(ctx context.Context) error {
	bin, err := program()
	if err != nil {
		return err
	}
	port, err := s.port()
	if err != nil {
		return err
	}
	logFile, began, err := s.openLog()
	if err != nil {
		return err
	}
	defer logFile.Close()
	cmd := exec.Command(
		bin,
		append(
			s.common(s.path("data")),
			"--socket="+s.path("db.sock"),
			"--pid-file="+s.path("db.pid"),
			"--port="+strconv.Itoa(
				port,
			),
			"--bind-address=127.0.0.1",
			"--skip-name-resolve",
			"--innodb-flush-log-at-trx-commit=1",
			"--innodb-buffer-pool-size=256M",
			"--max-allowed-packet=64M",
			"--max-connections=200",
			"--performance-schema=OFF",
			"--transaction-isolation=READ-COMMITTED",
		)...)
	cmd.Stdout, cmd.Stderr = logFile, logFile
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} // Ctrl-C is for us; we stop it when our work is done
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("starting the database: %w", err)
	}
	exited := make(chan struct{})
	go func() { _ = cmd.Wait(); close(exited) }() // how it ended stands in its log
	s.mu.Lock()
	s.exited = exited
	s.mu.Unlock()
	deadline := time.NewTimer(2 * time.Minute) // recovery after a crash may take its time
	defer deadline.Stop()
	for {
		if s.ping() == nil {
			return nil
		}
		select {
		case <-exited:
			if s.ping() == nil { // another process was faster
				return nil
			}
			text, _ := os.ReadFile(s.path("db.log"))
			text = text[min(int64(len(text)), began):]
			return fmt.Errorf(
				"the database did not start: %s (all of it in %s)",
				lastError(string(text)),
				s.path("db.log"),
			)
		case <-deadline.C:
			return fmt.Errorf("the database did not answer within two minutes; see %s", s.path("db.log"))
		case <-ctx.Done():
			_ = cmd.Process.Signal(syscall.SIGTERM)
			return ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
	}
}

// openLog opens the database's log to go on with, and tells where this start's part of it begins. One that has grown
// large is put aside as db.log.1.
func (s *Server) openLog() (*os.File, int64, error) {
	file := s.path("db.log")
	if info, err := os.Stat(file); err == nil && info.Size() > maxLog {
		if err := os.Rename(file, file+".1"); err != nil {
			return nil, 0, fmt.Errorf("the database's log cannot be put aside: %w", err)
		}
	}
	f, err := os.OpenFile(file, os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return nil, 0, fmt.Errorf("the database's log cannot be written: %w", err)
	}
	info, err := f.Stat()
	if err != nil {
		return nil, 0, errors.Join(fmt.Errorf("the database's log cannot be read: %w", err), f.Close())
	}
	return f, info.Size(), nil
}

// port returns the port of earlier starts, or another free one where that is taken.
func (s *Server) port() (int, error) {
	if text, err := os.ReadFile(s.path("db.port")); err == nil {
		if p, err := strconv.Atoi(strings.TrimSpace(string(text))); err == nil {
			if l, err := net.Listen("tcp", "127.0.0.1:"+strconv.Itoa(p)); err == nil {
				return p, l.Close()
			}
		}
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("no port on loopback is free for the database: %w", err)
	}
	p := l.Addr().(*net.TCPAddr).Port
	return p, errors.Join(l.Close(), os.WriteFile(s.path("db.port"), []byte(strconv.Itoa(p)+"\n"), 0o600))
}

// keep starts the server again when it is gone.
func (s *Server) keep(ctx context.Context) {
	defer s.kept.Done()
	for {
		s.mu.Lock()
		exited := s.exited
		s.mu.Unlock()
		select {
		case <-ctx.Done():
			return
		case <-exited: // blocks for ever where it is nil
		case <-time.After(time.Second):
		}
		if alive := s.alive(); alive || ctx.Err() != nil {
			continue
		}
		s.opts.Log.Warn("the database is gone; starting it again")
		if err := s.launch(ctx); err != nil && ctx.Err() == nil {
			s.opts.Log.Error("the database cannot be started again", "error", err)
			select {
			case <-ctx.Done():
			case <-time.After(2 * time.Second):
			}
		}
	}
}

func (s *Server) alive() bool {
	pid := s.pid()
	return pid > 0 && syscall.Kill(pid, 0) == nil
}

// pid returns the process number of the running server, or 0. A number left behind by a killed server may by now be
// another program's, so the program's name is looked at as well.
func (s *Server) pid() int {
	text, err := os.ReadFile(s.path("db.pid"))
	if err != nil {
		return 0
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(text)))
	if err != nil {
		return 0
	}
	if line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid)); err != nil ||
		!strings.Contains(string(line), s.path("data")) {
		return 0
	}
	return pid
}

// PID returns the server's process, 0 when none runs.
func (s *Server) PID() int { return s.pid() }

// Leave lets go of the server and leaves it running.
func (s *Server) Leave() {
	s.stop()
	s.kept.Wait()
}

// Stop stops the server and waits until it has written everything.
func (s *Server) Stop() error {
	s.Leave()
	pid := s.pid()
	if pid == 0 {
		return nil
	}
	if err := syscall.Kill(pid, syscall.SIGTERM); err != nil {
		return fmt.Errorf("stopping the database: %w", err)
	}
	for deadline := time.Now().Add(time.Minute); time.Now().Before(deadline); time.Sleep(10 * time.Millisecond) {
		if s.pid() == 0 {
			return nil
		}
	}
	return fmt.Errorf("the database (process %d) did not stop within a minute", pid)
}

// lastError picks the lines out of the server's log that say what went wrong.
func lastError(log string) string {
	var reasons []string
	for line := range strings.Lines(log) {
		_, after, ok := strings.Cut(line, "[ERROR] ")
		if !ok && strings.HasPrefix(line, "ERROR:") {
			after, ok = line, true
		}
		if after = strings.TrimSpace(after); ok && after != "Aborting" {
			reasons = append(reasons, after)
		}
	}
	if len(reasons) == 0 {
		return "no reason given"
	}
	return strings.Join(reasons, "; ")
}
