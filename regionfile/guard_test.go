package regionfile

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/region"
	"viandante/demo/demotest"
)

// mapped is the demo's region as the program reads it: from a read-only map, where writing a byte ends the process.
func mapped(t *testing.T) (*File, string) {
	t.Helper()
	dir := t.TempDir()
	hash, err := Save(dir, demotest.Island(t).File)
	require.NoError(t, err)
	f, err := Open(dir, hash)
	require.NoError(t, err)
	return f, path(dir, hash)
}

// Every reader, over everything there is; what a caller appends to an answer goes elsewhere.
func TestNoReaderWritesToTheMap(t *testing.T) {
	r, _ := mapped(t)
	looked := 0
	require.NoError(t, Guard(func() {
		for i := range uint32(r.Streets()) {
			assert.True(t, r.Street(i).At.IsValid())
			looked++
		}
		for i := range uint32(r.Addresses()) {
			r.Address(i)
		}
		for i := range uint32(r.Settlements()) {
			r.Settlement(i)
		}
		for i := range uint32(r.Landmarks()) {
			r.Landmark(i)
		}
		for i := range uint32(r.Junctions()) {
			_ = append(r.Edges(i), 1)
			r.Junction(i)
		}
		for i := range uint32(r.Segments()) {
			r.Segment(i)
			_ = append(r.Shape(i), geo.E7{})
		}
		for z := range 15 {
			r.Draw(z, 1<<z*154/360, 1<<z*31/50, func(f *region.Drawn) bool {
				for _, part := range f.Parts {
					_ = append(part, part[0])
				}
				return true
			})
		}
		for i := range r.Meta.Addresses / 100 {
			near := 0
			r.AddressesNear(r.Address(uint32(i*100)).At, func(uint32, float64) bool { near++; return near < 5 })
		}
		if r.HasHeights() {
			r.Heights(0, []float64{-38}, []float64{-26})
		}
	}))
	assert.Greater(t, looked, 100)
}

// A file that is cut short under its readers is an error of theirs, not the end of the process.
func TestAFileCutShortIsAFault(t *testing.T) {
	r, file := mapped(t)
	require.NoError(t, os.Truncate(file, 4096))
	last := uint32(r.Addresses() - 1)
	err := Guard(func() { r.Address(last) })
	var fault *Fault
	require.ErrorAs(t, err, &fault)
	assert.ErrorContains(t, err, "cut short")
	assert.True(t, r.Holds(fault))
	other, _ := mapped(t)
	assert.False(t, other.Holds(fault))
	require.NoError(t, Guard(func() { other.Address(last) }), "the next one reads on")
}

// Work that is shared out meets the fault in a goroutine of its own; it is an error of who waits for it all the same.
func TestAFaultOfAnotherGoroutineIsAFault(t *testing.T) {
	r, file := mapped(t)
	require.NoError(t, os.Truncate(file, 4096))
	last := uint32(r.Addresses() - 1)
	err := Guard(func() { Parallel.Do(50, func(int) { r.Address(last) }) })
	var fault *Fault
	require.ErrorAs(t, err, &fault)
	assert.True(t, r.Holds(fault))
	var done [50]bool
	Parallel.Do(50, func(i int) { done[i] = true })
	assert.NotContains(t, done, false)
}

func TestOtherPanicsGoOn(t *testing.T) {
	assert.PanicsWithValue(t, "mine", func() { _ = Guard(func() { panic("mine") }) })
	var nothing *File
	assert.Panics(t, func() { _ = Guard(func() { _ = nothing.data[0] }) })
}

// The sum over each section is looked at before a file is used: a byte that is another one anywhere is found.
func TestADamagedFileIsNotUsed(t *testing.T) {
	dir := t.TempDir()
	data := append([]byte(nil), demotest.Island(t).File...)
	for _, at := range []int{len(data) / 7, len(data) / 3, len(data) / 2} {
		data[at] ^= 0x10
		require.NoError(t, os.WriteFile(path(dir, "damaged"), data, 0o600))
		_, err := Open(dir, "damaged")
		assert.ErrorIs(t, err, region.ErrCorrupt)
		data[at] ^= 0x10
	}
}
