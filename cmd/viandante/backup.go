package main

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"viandante/store"
)

// A backup is a zip (docs/backup.md): manifest.json, tables/NAME.ndjson and regions/HASH. It is written aside and put
// in its place when it is whole and was read back.

// backupFormat is the version of the form.
const backupFormat = 1

const manifestName = "manifest.json"

// manifest says what a backup holds.
type manifest struct {
	Format    int           `json:"format"`
	CreatedAt time.Time     `json:"created_at"`
	Schema    int64         `json:"schema"`
	Tables    []store.Table `json:"tables"`
	// Rows are how many rows each table has, SHA256 what each file of the zip comes to.
	Rows   map[string]int    `json:"rows"`
	SHA256 map[string]string `json:"sha256"`
}

func backupCommand(e *env) *cobra.Command {
	var without bool
	cmd := &cobra.Command{
		Use: "backup FILE", Short: "Write all that is kept to a zip, while the server goes on",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) (err error) {
			db, closeStore, err := e.openStore(cmd.Context(), false)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, closeStore()) }()
			m, size, err := e.backup(cmd.Context(), db, args[0], !without)
			if err != nil {
				return err
			}
			fmt.Printf("%s: %.1f MB, %d tables, %d features, %d changes; read back and found whole\n", args[0],
				float64(size)/1e6, len(m.Tables), m.Rows["features"], m.Rows["changes"])
			return nil
		},
	}
	cmd.Flags().BoolVar(&without, "without-regions", false, "leave the map data out, which can be built anew")
	return cmd
}

func restoreCommand(e *env) *cobra.Command {
	return &cobra.Command{
		Use: "restore FILE", Short: "Put a backup in the place of all that is there, while the server goes on",
		Long: "Puts a backup in the place of all that is there: all of it, or nothing where anything is wrong with " +
			"it. What " +
			"was there is written to a backup of its own before. A server that runs on the same data goes on with " +
			"what was restored.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) (err error) {
			m, err := verify(args[0])
			if err != nil {
				return fmt.Errorf("%s: %w; nothing was changed", args[0], err)
			}
			db, closeStore, err := e.openStore(cmd.Context(), false)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, closeStore()) }()
			before := filepath.Join(e.data, "before-restore-"+time.Now().UTC().Format("20060102-150405")+".zip")
			if _, _, err := e.backup(cmd.Context(), db, before, false); err != nil {
				return fmt.Errorf("what is there cannot be backed up: %w; nothing was changed", err)
			}
			if err := e.restore(cmd.Context(), db, args[0], m); err != nil {
				return fmt.Errorf("%w; nothing was changed", err)
			}
			fmt.Printf("Restored %d features and %d changes from %s\nWhat was there is in %s\n", m.Rows["features"],
				m.Rows["changes"], m.CreatedAt.Format(time.RFC1123), before)
			return nil
		},
	}
}

// hashing counts and hashes what is written.
type hashing struct {
	w io.Writer
	h hash.Hash
}

func (h *hashing) Write(p []byte) (int, error) {
	h.h.Write(p)
	return h.w.Write(p)
}

// backup writes a backup and reads it back.
func (e *env) backup(ctx context.Context, db *store.Store, file string, regions bool) (manifest, int64, error) {
	part, err := os.CreateTemp(filepath.Dir(file), ".viandante-backup-*")
	if err != nil {
		return manifest{}, 0, fmt.Errorf("the backup cannot be written: %w", err)
	}
	defer os.Remove(part.Name())
	if err := errors.Join(e.writeBackup(ctx, db, part, regions), part.Sync(), part.Close()); err != nil {
		return manifest{}, 0, err
	}
	m, err := verify(part.Name())
	if err != nil {
		return m, 0, fmt.Errorf("the backup was written and is not whole: %w", err)
	}
	info, err := os.Stat(part.Name())
	if err != nil {
		return m, 0, err
	}
	return m, info.Size(), errors.Join(os.Chmod(part.Name(), 0o600), os.Rename(part.Name(), file))
}

func (e *env) writeBackup(ctx context.Context, db *store.Store, w io.Writer, regions bool) (err error) {
	snapshot, err := db.Snapshot(ctx)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, snapshot.Close()) }()
	z := zip.NewWriter(w)
	m := manifest{Format: backupFormat, CreatedAt: time.Now().UTC().Truncate(time.Second), Schema: snapshot.Schema,
		Tables: snapshot.Tables, Rows: map[string]int{}, SHA256: map[string]string{}}
	put := func(name string, method uint16, write func(io.Writer) error) error {
		f, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: method, Modified: m.CreatedAt})
		if err != nil {
			return err
		}
		h := &hashing{f, sha256.New()}
		err = write(h)
		m.SHA256[name] = hex.EncodeToString(h.h.Sum(nil))
		return err
	}
	for i := range m.Tables {
		t := &m.Tables[i]
		err := put("tables/"+t.Name+".ndjson", zip.Deflate, func(w io.Writer) (err error) {
			m.Rows[t.Name], err = snapshot.Write(ctx, t, w)
			return err
		})
		if err != nil {
			return fmt.Errorf("table %s: %w", t.Name, err)
		}
	}
	if regions {
		if err := e.backupRegions(ctx, db, put); err != nil {
			return err
		}
	}
	text, err := json.MarshalIndent(m, "", " ")
	if err != nil {
		return err
	}
	f, err := z.Create(manifestName)
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	return errors.Join(err, z.Close())
}

func (e *env) backupRegions(
	ctx context.Context, db *store.Store, put func(name string, method uint16, write func(io.Writer) error) error,
) error {
	rows, err := db.Regions(ctx)
	if err != nil {
		return err
	}
	files, err := filepath.Glob(filepath.Join(e.regionDir(), "*"))
	if err != nil {
		return err
	}
	for _, file := range files {
		for _, r := range rows {
			if !strings.HasPrefix(filepath.Base(file), r.Hash) {
				continue
			}
			err := put("regions/"+filepath.Base(file), zip.Deflate, func(w io.Writer) error {
				in, err := os.Open(file)
				if err != nil {
					return err
				}
				defer in.Close()
				_, err = io.Copy(w, in)
				return err
			})
			if err != nil {
				return err
			}
			break
		}
	}
	return nil
}

// mostUnpacked is how much one file of a backup may come to.
const mostUnpacked = 1 << 40

// verify reads a backup whole and holds each file to what the manifest says of it.
func verify(file string) (m manifest, err error) {
	z, err := zip.OpenReader(file)
	if err != nil {
		return m, fmt.Errorf("this is no backup: %w", err)
	}
	defer z.Close()
	f, err := z.Open(manifestName)
	if err != nil {
		return m, errors.New("this is no backup: it has no manifest.json")
	}
	err = json.NewDecoder(io.LimitReader(f, 16<<20)).Decode(&m)
	if err = errors.Join(err, f.Close()); err != nil {
		return m, fmt.Errorf("its manifest cannot be read: %w", err)
	}
	if m.Format != backupFormat {
		return m, fmt.Errorf("it is a backup of format %d, and this program reads format %d", m.Format, backupFormat)
	}
	found := map[string]bool{}
	for _, one := range z.File {
		if one.Name == manifestName {
			continue
		}
		want, known := m.SHA256[one.Name]
		if !known || path.Clean(one.Name) != one.Name || strings.HasPrefix(one.Name, "..") {
			return m, fmt.Errorf("%q does not belong to a backup", one.Name)
		}
		r, err := one.Open()
		if err != nil {
			return m, fmt.Errorf("%s: %w", one.Name, err)
		}
		h := sha256.New()
		_, err = io.Copy(h, io.LimitReader(r, mostUnpacked))
		if err = errors.Join(err, r.Close()); err != nil {
			return m, fmt.Errorf("%s: %w", one.Name, err)
		}
		if hex.EncodeToString(h.Sum(nil)) != want {
			return m, fmt.Errorf("%s is not what was backed up", one.Name)
		}
		found[one.Name] = true
	}
	for name := range m.SHA256 {
		if !found[name] {
			return m, fmt.Errorf("%s is missing", name)
		}
	}
	return m, nil
}

// restore puts a backup that was verified in the place of what is there; its regions first, which stand under names of
// their own.
func (e *env) restore(ctx context.Context, db *store.Store, file string, m manifest) error {
	z, err := zip.OpenReader(file)
	if err != nil {
		return err
	}
	defer z.Close()
	if err := os.MkdirAll(e.regionDir(), 0o700); err != nil {
		return err
	}
	for _, one := range z.File {
		if name, ok := strings.CutPrefix(one.Name, "regions/"); ok && name == filepath.Base(name) {
			if err := unpackRegion(one, filepath.Join(e.regionDir(), name)); err != nil {
				return fmt.Errorf("%s: %w", one.Name, err)
			}
		}
	}
	return db.Restore(ctx, m.Schema, m.Tables, func(table string) (io.ReadCloser, error) {
		return z.Open("tables/" + table + ".ndjson")
	})
}

func unpackRegion(one *zip.File, to string) error {
	if _, err := os.Stat(to); err == nil {
		return nil // it is named by its content
	}
	in, err := one.Open()
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.CreateTemp(filepath.Dir(to), ".restore-*")
	if err != nil {
		return err
	}
	defer os.Remove(out.Name())
	_, err = io.Copy(out, io.LimitReader(in, mostUnpacked))
	if err = errors.Join(err, out.Sync(), out.Close()); err != nil {
		return err
	}
	return errors.Join(os.Chmod(out.Name(), 0o600), os.Rename(out.Name(), to))
}
