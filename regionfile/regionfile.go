// Package regionfile keeps region files on the disk: it writes them atomically under the hash of their content, and
// maps them into memory for reading. A file is never changed in place; a new version is a new file.
package regionfile

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	mmap "github.com/edsrzf/mmap-go"

	"viandante/core/region"
)

// Save writes a region file into a directory and returns the hash that names it. After a crash at any moment the file
// is there whole or not at all.
func Save(dir string, data []byte) (hash string, err error) {
	sum := sha256.Sum256(data)
	hash = hex.EncodeToString(sum[:])
	defer func() {
		if err != nil {
			err = fmt.Errorf("writing the region file: %w", err)
		}
	}()
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", err
	}
	temp, err := os.CreateTemp(dir, "region-*.tmp")
	if err != nil {
		return "", err
	}
	defer os.Remove(temp.Name()) // gone already when all went well
	_, err = temp.Write(data)
	if err = errors.Join(err, temp.Sync(), temp.Close()); err != nil {
		return "", err
	}
	if err := os.Rename(temp.Name(), path(dir, hash)); err != nil {
		return "", err
	}
	d, err := os.Open(dir)
	if err != nil {
		return "", err
	}
	return hash, errors.Join(d.Sync(), d.Close())
}

// File is a region in a mapped file. Reading it may fault; Guard makes an error of that.
type File struct {
	*region.Region
	data mmap.MMap
}

// Open maps a region file and verifies all of it. The mapping stays until the process ends, so that answers under way
// are never cut off.
func Open(dir, hash string) (*File, error) {
	f, err := os.Open(path(dir, hash))
	if err != nil {
		return nil, fmt.Errorf("opening the region file: %w; build the region again with `viandante region build`", err)
	}
	defer f.Close()
	if info, err := f.Stat(); err != nil || info.Size() == 0 {
		return nil, fmt.Errorf("%s: %w", f.Name(), region.ErrNotRegion)
	}
	data, err := mmap.Map(f, mmap.RDONLY, 0)
	if err != nil {
		return nil, fmt.Errorf("mapping %s: %w", f.Name(), err)
	}
	out := &File{data: data}
	fault := Guard(func() {
		if out.Region, err = region.Open(data); err == nil {
			err = out.Verify()
		}
	})
	if err = errors.Join(err, fault); err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", f.Name(), err), data.Unmap())
	}
	return out, nil
}

func path(dir, hash string) string { return filepath.Join(dir, hash+".region") }
