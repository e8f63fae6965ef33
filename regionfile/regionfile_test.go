package regionfile

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/region"
)

func TestASavedRegionOpensAndIsLeftAlone(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "regions")
	data, err := region.Encode(&region.Draft{Name: "Ford"})
	require.NoError(t, err)
	hash, err := Save(dir, data)
	require.NoError(t, err)
	again, err := Save(dir, data)
	require.NoError(t, err)
	assert.Equal(t, hash, again)
	r, err := Open(dir, hash)
	require.NoError(t, err)
	assert.Equal(t, "Ford", r.Meta.Name)
	files, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, files, 1, "nothing half written stays")
}

func TestAMissingOrDamagedFileIsNamed(t *testing.T) {
	dir := t.TempDir()
	_, err := Open(dir, "none")
	assert.ErrorContains(t, err, "build the region again")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "x.region"), nil, 0o600))
	_, err = Open(dir, "x")
	assert.ErrorIs(t, err, region.ErrNotRegion)
	data, err := region.Encode(&region.Draft{Name: "Ford"})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "y.region"), data[:len(data)/2], 0o600))
	_, err = Open(dir, "y")
	assert.ErrorIs(t, err, region.ErrCorrupt)
}
