// Package demotest makes the demo's island once for the tests of all packages: drawing it takes some seconds, so that
// its files are kept in the directory for temporary files, under the hash of the source code that makes them.
package demotest

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"viandante/codec/geotiff"
	"viandante/codec/osm"
	"viandante/core/region"
	"viandante/demo"
)

// Made is the island of seed 1 in the shapes that it takes on its way into use.
type Made struct {
	PBF    []byte
	Draft  *region.Draft // with the heights
	Report osm.Report
	File   []byte
	Region *region.Region
}

var island = sync.OnceValues(func() (*Made, error) {
	pbf, heights, err := kept()
	if err != nil {
		return nil, err
	}
	m := &Made{PBF: pbf}
	if m.Draft, m.Report, err = osm.Read(context.Background(), bytes.NewReader(m.PBF), "island"); err != nil {
		return nil, err
	}
	if m.Draft.Heights, err = geotiff.Read(bytes.NewReader(heights)); err != nil {
		return nil, err
	}
	if m.File, err = region.Encode(m.Draft); err != nil {
		return nil, err
	}
	m.Region, err = region.Open(m.File)
	return m, err
})

var drawn = sync.OnceValue(func() *demo.Island { return demo.New(1) })

// Drawn returns the island of seed 1, drawn in this process.
func Drawn() *demo.Island { return drawn() }

// kept returns the island's map and heights as files, and makes them where there are none of this source code.
func kept() (pbf, heights []byte, err error) {
	hash, err := sourceHash()
	if err != nil {
		return nil, nil, err
	}
	dir := filepath.Join(os.TempDir(), "viandante-island-"+hash)
	read := func() error {
		var err1, err2 error
		pbf, err1 = os.ReadFile(filepath.Join(dir, "island.osm.pbf"))
		heights, err2 = os.ReadFile(filepath.Join(dir, "island.tif"))
		return errors.Join(err1, err2)
	}
	if read() == nil {
		return pbf, heights, nil
	}
	if pbf, err = Written(Drawn(), "island.osm.pbf"); err != nil {
		return nil, nil, err
	}
	var tif bytes.Buffer
	if err := geotiff.Write(&tif, Drawn().Heights()); err != nil {
		return nil, nil, err
	}
	fresh, err := os.MkdirTemp("", "viandante-island-")
	if err != nil {
		return nil, nil, err
	}
	err = errors.Join(os.WriteFile(filepath.Join(fresh, "island.osm.pbf"), pbf, 0o600),
		os.WriteFile(filepath.Join(fresh, "island.tif"), tif.Bytes(), 0o600))
	if err == nil && os.Rename(fresh, dir) != nil { // another package was faster
		err = os.RemoveAll(fresh)
	}
	return pbf, tif.Bytes(), err
}

// sourceHash is the hash of all that the island is made by.
func sourceHash() (string, error) {
	_, here, _, _ := runtime.Caller(0)
	root := filepath.Join(filepath.Dir(here), "..", "..")
	sum := sha256.New()
	for _, dir := range []string{"demo", "core", "codec/osm", "codec/geotiff"} {
		err := filepath.WalkDir(filepath.Join(root, dir), func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			text, err := os.ReadFile(path)
			sum.Write(text)
			return err
		})
		if err != nil {
			return "", err
		}
	}
	return hex.EncodeToString(sum.Sum(nil))[:20], nil
}

// Island returns the island; nothing of it may be changed.
func Island(t testing.TB) *Made {
	t.Helper()
	m, err := island()
	require.NoError(t, err)
	return m
}

// Written returns an island as a file of the given name would hold it: XML or PBF, by its suffix.
func Written(m *demo.Island, name string) ([]byte, error) {
	var b bytes.Buffer
	w := osm.NewWriter(&b, name)
	m.Write(w)
	err := w.Close()
	return b.Bytes(), err
}

// Label returns the label of the first address with a number in a settlement.
func (m *Made) Label(t testing.TB, number, settlement string) string {
	t.Helper()
	for i := range uint32(m.Region.Addresses()) {
		a := m.Region.Address(i)
		st := m.Region.Street(a.Street)
		if a.Number == number && m.Region.Settlement(st.Settlement).Name == settlement {
			return st.Name + " " + number + ", " + a.Postcode + " " + settlement
		}
	}
	t.Fatalf("no address %s in %s", number, settlement)
	return ""
}
