package demo

import (
	"bytes"
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/codec/osm"
	"viandante/core/region"
)

func written(t *testing.T, seed uint64) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, New(seed).WriteXML(&b))
	return b.Bytes()
}

func TestTheSameSeedGivesTheSameBytes(t *testing.T) {
	one := written(t, 1)
	assert.True(t, bytes.Equal(one, written(t, 1)))
	assert.False(t, bytes.Equal(one, written(t, 2)))
}

func TestTheIslandHasWhatAMapNeeds(t *testing.T) {
	d, report, err := osm.Read(context.Background(), bytes.NewReader(written(t, 1)), "island")
	require.NoError(t, err)
	assert.Equal(t, osm.Report{Nodes: report.Nodes, Ways: report.Ways}, report, "clean data")
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	assert.Greater(t, r.Meta.RoadNodes, 3000)
	assert.Greater(t, r.Addresses(), 2000)
	assert.GreaterOrEqual(t, r.Settlements(), 4)
	seen := map[region.Class]int{}
	oneWays, bridges := 0, 0
	for _, f := range d.Ground {
		seen[f.Class]++
		if f.Flags&region.OneWay != 0 {
			oneWays++
		}
		if f.Flags&region.Bridge != 0 {
			bridges++
		}
	}
	for _, c := range []region.Class{region.Land, region.Wood, region.Farmland, region.Park, region.Sand, region.Water, region.River, region.Building, region.Square,
		region.Path, region.Track, region.Cycleway, region.LocalStreet, region.Secondary, region.Primary, region.Residential} {
		assert.NotZero(t, seen[c], c)
	}
	assert.Greater(t, oneWays, 5)
	assert.Greater(t, bridges, 3)
	t.Logf("%+v %v, %d bytes", r.Meta, seen, len(data))
}

// Every junction can be reached from every other on foot.
func TestRoadsJoinUp(t *testing.T) {
	d, _, err := osm.Read(context.Background(), bytes.NewReader(written(t, 1)), "island")
	require.NoError(t, err)
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	seen := make([]bool, r.Junctions())
	reached, stack := 0, []uint32{0}
	for len(stack) > 0 {
		n := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if seen[n] {
			continue
		}
		seen[n] = true
		reached++
		for _, e := range r.Edges(n) {
			s := r.Segment(e / 2)
			stack = append(stack, s.From, s.To)
		}
	}
	assert.Equal(t, r.Junctions(), reached)
}

func TestPlacesLieOnTheIsland(t *testing.T) {
	m := New(1)
	places := m.Places(80)
	require.Greater(t, len(places), 60)
	for _, p := range places {
		assert.True(t, p.At.IsValid())
		assert.NotEmpty(t, p.Name)
	}
	assert.Equal(t, places, New(1).Places(80))
}
