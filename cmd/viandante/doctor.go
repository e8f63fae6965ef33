package main

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/sys/unix"

	"viandante/codec/letters"
	"viandante/store"
	"viandante/ui"
)

// finding is what was found out about one thing: nothing in Wrong and Look where it is well.
type finding struct {
	what string
	// Wrong keeps the program from working, Look is worth a look; Mend is what to do.
	wrong, look, mend string
}

func doctorCommand(e *env) *cobra.Command {
	return &cobra.Command{
		Use: "doctor", Short: "Say what is wrong with this set-up, and what to do", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			wrong := 0
			for _, f := range e.examine(cmd.Context()) {
				switch {
				case f.wrong != "":
					wrong++
					fmt.Printf("wrong  %s: %s\n       %s\n", f.what, f.wrong, f.mend)
				case f.look != "":
					fmt.Printf("look   %s: %s\n       %s\n", f.what, f.look, f.mend)
				default:
					fmt.Printf("ok     %s\n", f.what)
				}
			}
			if wrong > 0 {
				return fmt.Errorf("%d things are wrong", wrong)
			}
			return nil
		},
	}
}

// examine looks at everything that a server rests on.
func (e *env) examine(ctx context.Context) (out []finding) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	add := func(f finding) { out = append(out, f) }
	directory := e.examineDirectory()
	add(directory)
	add(e.examineRoom())
	if e.dsn == "" {
		add(examineMariaDB())
	}
	add(e.examineListen())
	add(examinePage())
	if directory.wrong != "" {
		return out
	}
	db, closeStore, err := e.openStore(ctx, false)
	if err != nil {
		add(finding{what: "database", wrong: err.Error(), mend: "see the log in " + filepath.Join(e.data, "db") +
			"; with VIANDANTE_DSN set, look whether that server runs and lets this user in"})
		return out
	}
	defer func() {
		if err := closeStore(); err != nil {
			add(finding{what: "database", look: err.Error(), mend: "stop it by hand"})
		}
	}()
	out = append(out, examineDatabase(ctx, db)...)
	return append(out, e.examineRegions(ctx, db)...)
}

func (e *env) examineDirectory() finding {
	f := finding{what: "data directory " + e.data, mend: "set VIANDANTE_DATA to a directory that can be written to"}
	info, err := os.Stat(e.data)
	if errors.Is(err, os.ErrNotExist) {
		f.look, f.mend = "is not there yet", "it is made when the server is started"
		return f
	}
	if err != nil || !info.IsDir() {
		f.wrong = "is no directory"
		return f
	}
	probe, err := os.CreateTemp(e.data, ".doctor-*")
	if err != nil {
		f.wrong = err.Error()
		return f
	}
	_ = probe.Close() // nothing was written
	_ = os.Remove(probe.Name())
	for _, secret := range []string{"demo.token", "db/db.password"} {
		if info, err := os.Stat(filepath.Join(e.data, secret)); err == nil && info.Mode().Perm()&0o077 != 0 {
			f.look = secret + " can be read by others on this machine"
			f.mend = "chmod 600 " + filepath.Join(e.data, secret)
		}
	}
	return f
}

func (e *env) examineRoom() finding {
	f := finding{what: "room on the disk"}
	at := e.data
	if _, err := os.Stat(at); err != nil {
		at = "."
	}
	var s unix.Statfs_t
	if err := unix.Statfs(at, &s); err != nil {
		f.look, f.mend = err.Error(), "look whether the disk is there"
		return f
	}
	free := s.Bavail * uint64(s.Bsize)
	f.what += fmt.Sprintf(": %.1f GB are free", float64(free)/1e9)
	switch {
	case free < 200<<20:
		f.wrong, f.mend = "too little to write", "make room; reading goes on meanwhile"
	case free < 2<<30:
		f.look, f.mend = "it will be used up before long", "make room, or have the change log kept for a time only "+
			"(--keep-changes)"
	}
	return f
}

func examineMariaDB() finding {
	f := finding{what: "MariaDB's server"}
	for _, dir := range append(filepath.SplitList(os.Getenv("PATH")), "/usr/sbin", "/usr/local/sbin") {
		name := filepath.Join(dir, "mariadbd")
		if info, err := os.Stat(name); err == nil && !info.IsDir() {
			out, err := exec.Command(name, "--no-defaults", "--version").Output()
			if err == nil {
				f.what = strings.TrimSpace(string(out))
			}
			return f
		}
	}
	f.wrong, f.mend = "is not installed", "apt-get install mariadb-server-core, or set VIANDANTE_DSN to one that "+
		"runs elsewhere"
	return f
}

func (e *env) examineListen() finding {
	f := finding{what: "address " + e.listen}
	host, _, err := net.SplitHostPort(e.listen)
	if err != nil {
		f.wrong, f.mend = err.Error(), "set VIANDANTE_LISTEN, e.g. to 127.0.0.1:8080"
		return f
	}
	client := http.Client{Timeout: 3 * time.Second}
	if answer, err := client.Get("http://" + e.listen + "/readyz"); err == nil {
		_, _ = io.Copy(io.Discard, answer.Body) // what it says does not matter
		answer.Body.Close()
		f.what += ": a server answers"
		if answer.StatusCode != http.StatusOK {
			f.look, f.mend = fmt.Sprintf("it is not ready (%d)", answer.StatusCode), "look at its log"
		}
	} else if l, err := net.Listen("tcp", e.listen); err != nil {
		f.wrong, f.mend = "something else listens there, or it is not ours: "+err.Error(),
			"set VIANDANTE_LISTEN to another"
		return f
	} else {
		_ = l.Close() // it was ours for a moment
		f.what += ": free"
	}
	if ip := net.ParseIP(host); (ip == nil || !ip.IsLoopback()) && len(e.hosts) == 0 && !strings.EqualFold(host,
		"localhost") {
		f.look = "others can reach it, and no name is listed under which it answers them"
		f.mend = "set VIANDANTE_HOSTS, and put a proxy with TLS before it"
	}
	return f
}

func examinePage() finding {
	f := finding{what: "the page and its fonts"}
	if fonts, err := letters.Read(ui.Page()); err != nil || fonts == nil {
		f.wrong, f.mend = "were not built into this program", "build it with `make build`"
	}
	return f
}

func examineDatabase(ctx context.Context, db *store.Store) (out []finding) {
	version, settings, err := db.Settings(ctx)
	f := finding{what: "database " + version}
	if err != nil {
		f.wrong, f.mend = err.Error(), "look whether it runs"
		return []finding{f}
	}
	out = append(out, f)
	if settings.Packet < 16<<20 {
		out = append(out, finding{what: "max_allowed_packet", look: fmt.Sprintf("%d MB", settings.Packet>>20),
			mend: "set it to 64M: large features are refused otherwise"})
	}
	if !settings.LocalInfile {
		out = append(out, finding{what: "local_infile", look: "is off",
			mend: "turn it on: files are taken in twice as fast"})
	}
	if off := settings.ClockOff; off > 2*time.Second || off < -2*time.Second {
		out = append(out, finding{what: "clock", wrong: fmt.Sprintf("the database's is %v off this machine's",
			off.Round(
				time.Second)), mend: "have both set by NTP: tokens end and watches are looked at by the clock"})
	}
	return out
}

// examineRegions holds the files of the regions in use to the hashes that name them.
func (e *env) examineRegions(ctx context.Context, db *store.Store) (out []finding) {
	rows, err := db.Regions(ctx)
	if err != nil {
		return []finding{{what: "regions", wrong: err.Error(), mend: "look whether the database runs"}}
	}
	if len(rows) == 0 {
		out = append(out, finding{what: "map data", look: "there is none: addresses and ways have no answer",
			mend: "viandante region build FILE --name NAME"})
	}
	for _, r := range rows {
		f := finding{what: "region " + r.Name, mend: "build it anew: viandante region build FILE --name " + r.Name}
		files, _ := filepath.Glob(filepath.Join(e.regionDir(), r.Hash+"*")) // the pattern is sound
		if len(files) == 0 {
			f.wrong = "its file is missing"
		} else if sum, err := hashFile(files[0]); err != nil {
			f.wrong = err.Error()
		} else if sum != r.Hash {
			f.wrong = "its file is not what it was"
		}
		out = append(out, f)
	}
	return out
}

func hashFile(name string) (string, error) {
	f, err := os.Open(name)
	if err != nil {
		return "", err
	}
	defer f.Close()
	h := sha256.New()
	_, err = io.Copy(h, f)
	return hex.EncodeToString(h.Sum(nil)), err
}
