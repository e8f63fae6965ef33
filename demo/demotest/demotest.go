// Package demotest makes the demo's island once for all tests of a package.
package demotest

import (
	"bytes"
	"context"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"viandante/codec/osm"
	"viandante/core/region"
	"viandante/demo"
)

// Made is the island of seed 1 in all the shapes it takes on its way into use.
type Made struct {
	Island *demo.Island
	PBF    []byte
	Draft  *region.Draft // with the heights
	Report osm.Report
	File   []byte
	Region *region.Region
}

var island = sync.OnceValues(func() (*Made, error) {
	m := &Made{Island: demo.New(1)}
	var err error
	if m.PBF, err = Written(m.Island, "island.osm.pbf"); err != nil {
		return nil, err
	}
	if m.Draft, m.Report, err = osm.Read(context.Background(), bytes.NewReader(m.PBF), "island"); err != nil {
		return nil, err
	}
	m.Draft.Heights = m.Island.Heights()
	if m.File, err = region.Encode(m.Draft); err != nil {
		return nil, err
	}
	m.Region, err = region.Open(m.File)
	return m, err
})

// Island returns the island, made at the first call; nothing of it may be changed.
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
