package demo

import (
	"bytes"
	"context"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/codec/osm"
	"viandante/core/address"
	"viandante/core/geodesy"
	"viandante/core/region"
	"viandante/core/road"
)

func written(t *testing.T, seed uint64) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, New(seed).WriteXML(&b))
	return b.Bytes()
}

// built is the island of seed 1 as a draft and as a region, made once.
var built = sync.OnceValue(func() (out struct {
	island *Island
	draft  *region.Draft
	region *region.Region
	report osm.Report
	err    error
}) {
	out.island = New(1)
	var xml bytes.Buffer
	if out.err = out.island.WriteXML(&xml); out.err != nil {
		return out
	}
	if out.draft, out.report, out.err = osm.Read(context.Background(), &xml, "island"); out.err != nil {
		return out
	}
	var data []byte
	if data, out.err = region.Encode(out.draft); out.err != nil {
		return out
	}
	out.region, out.err = region.Open(data)
	return out
})

func TestTheSameSeedGivesTheSameBytes(t *testing.T) {
	one := written(t, 1)
	assert.True(t, bytes.Equal(one, written(t, 1)))
	assert.False(t, bytes.Equal(one, written(t, 2)))
}

func TestTheIslandHasWhatAMapNeeds(t *testing.T) {
	b := built()
	require.NoError(t, b.err)
	d, r, report := b.draft, b.region, b.report
	assert.Equal(t, osm.Report{Nodes: report.Nodes, Ways: report.Ways}, report, "clean data")
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
	t.Logf("%+v %v", r.Meta, seen)
}

// Every junction can be reached from every other on foot.
func TestRoadsJoinUp(t *testing.T) {
	b := built()
	require.NoError(t, b.err)
	r := b.region
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
	b := built()
	require.NoError(t, b.err)
	places := b.island.Places(80)
	require.Greater(t, len(places), 60)
	for _, p := range places {
		assert.True(t, p.At.IsValid())
		assert.NotEmpty(t, p.Name)
	}
	assert.Equal(t, places, New(1).Places(80))
}

// Every address can be reached from the town's square, on foot and by car, and one comes back.
func TestEveryAddressCanBeReached(t *testing.T) {
	b := built()
	require.NoError(t, b.err)
	m, r := b.island, b.region
	router := road.NewRouter(r)
	for i := 0; i < r.Addresses(); i += 23 {
		a := r.Address(uint32(i))
		for _, mode := range []region.Mode{region.Foot, region.Car} {
			there, err := router.Find(mode, m.Standpoint(), a.At)
			require.NoError(t, err, "by %v to %v", mode, a)
			back, err := router.Find(mode, a.At, m.Standpoint())
			require.NoError(t, err, "by %v from %v", mode, a)
			straight := geodesy.Distance(m.Standpoint(), a.At)
			assert.Greater(t, there.DistanceM+there.FromRoadM+there.ToRoadM, straight-1)
			if mode == region.Foot { // no one-way streets on foot
				assert.InDelta(t, there.DurationS, back.DurationS, 0.01)
			}
			assert.Less(t, there.ToRoadM, 120.0, "the house stands at a road: %v", a)
		}
	}
}

// What the geocoder says of an address is where the address is, for every tenth house of the island.
func TestEveryAddressIsFoundAgain(t *testing.T) {
	b := built()
	require.NoError(t, b.err)
	r := b.region
	index := address.NewIndex(r)
	for i := 0; i < r.Addresses(); i += 10 {
		a := r.Address(uint32(i))
		st := r.Street(a.Street)
		text := a.Number + " " + st.Name + ", " + a.Postcode + " " + r.Settlement(st.Settlement).Name
		finds := index.Forward(address.Query{Text: text, Limit: 1})
		require.NotEmpty(t, finds, text)
		require.Equal(t, a.At, finds[0].At, text)
		require.Equal(t, 1.0, finds[0].Confidence, text)
		back := index.Reverse(a.At, 1)
		require.Equal(t, a.ID, back[0].ID, text)
	}
}
