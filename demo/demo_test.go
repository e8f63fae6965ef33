package demo_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"math"
	"strings"
	"sync"
	"testing"

	"github.com/paulmach/osm"
	"github.com/paulmach/osm/osmpbf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	codec "viandante/codec/osm"
	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/core/road/roadtest"
	"viandante/core/shape"
	"viandante/demo"
	"viandante/demo/demotest"
)

// errStop is what the taker of the second island returns.
var errStop = errors.New("the disk is full")

// pair is an archipelago of two, which takes some seconds to draw: all tests of the package look at it.
var pair = sync.OnceValue(func() (p struct {
	islands []*demo.Island
	alone   [][]byte // each as a map of its own
	both    bytes.Buffer
	err     error
}) {
	w := codec.NewWriter(&p.both, "two.osm.pbf")
	p.err = demo.Archipelago(1, 2, func(number int, m *demo.Island) error {
		if number != len(p.islands) {
			return fmt.Errorf("island %d comes after %d others", number, len(p.islands))
		}
		alone, err := demotest.Written(m, "island.osm.pbf")
		if err != nil {
			return err
		}
		p.islands, p.alone = append(p.islands, m), append(p.alone, alone)
		m.Write(w)
		if number == 1 {
			return errors.Join(errStop, w.Close())
		}
		return nil
	})
	return p
})

// The island of these tests and that of demotest, which may have been drawn by another process, are the same.
func TestTheSameSeedGivesTheSameBytes(t *testing.T) {
	p := pair()
	require.Len(t, p.alone, 2)
	assert.Equal(t, sha256.Sum256(demotest.Island(t).PBF), sha256.Sum256(p.alone[0]))
	assert.NotEqual(t, sha256.Sum256(p.alone[1]), sha256.Sum256(p.alone[0]), "another seed gives another island")
}

// tagged counts the elements of the written file by key=value, a value being * for any.
func tagged(t *testing.T) map[string]int {
	t.Helper()
	seen := map[string]int{}
	s := osmpbf.New(context.Background(), bytes.NewReader(demotest.Island(t).PBF), 2)
	defer s.Close()
	for s.Scan() {
		var tags osm.Tags
		switch o := s.Object().(type) {
		case *osm.Node:
			tags = o.Tags
		case *osm.Way:
			tags = o.Tags
		case *osm.Relation:
			tags = o.Tags
		}
		for _, tag := range tags {
			seen[tag.Key+"="+tag.Value]++
			seen[tag.Key+"=*"]++
		}
	}
	require.NoError(t, s.Err())
	return seen
}

func TestTheIslandHasWhatAMapNeeds(t *testing.T) {
	m := demotest.Island(t)
	assert.Equal(
		t,
		codec.Report{Nodes: m.Report.Nodes, Ways: m.Report.Ways, Relations: m.Report.Relations},
		m.Report,
		"clean data",
	)
	seen := tagged(t)
	for what, least := range map[string]int{
		"building=*": 20000, "addr:housenumber=*": 15000, "addr:street=*": 15000, "addr:postcode=*": 15000,
		"addr:city=*": 15000,
		"place=town":  1, "place=village": 6, "place=hamlet": 0, "building=farm": 20,
		"highway=trunk": 1, "highway=primary": 1, "highway=secondary": 5, "highway=tertiary": 5,
		"highway=unclassified": 10, "highway=residential": 100,
		"highway=track": 10, "highway=path": 5, "highway=footway": 5, "highway=steps": 5, "highway=cycleway": 3,
		"highway=pedestrian":  1,
		"junction=roundabout": 2, "oneway=yes": 10, "bridge=yes": 10, "tunnel=yes": 1, "route=ferry": 1,
		"type=restriction": 5,
		"maxspeed=*":       100, "surface=*": 500, "barrier=*": 10,
		"natural=coastline": 1, "natural=beach": 3, "natural=cliff": 5, "natural=peak": 4, "natural=water": 1,
		"natural=wood": 20, "natural=heath": 1,
		"waterway=river": 5, "waterway=stream": 20, "landuse=farmland": 100, "leisure=park": 2, "man_made=pier": 1,
		"shop=*": 50, "amenity=*": 30, "public_transport=platform": 10,
	} {
		assert.GreaterOrEqual(t, seen[what], least, what)
	}
	t.Logf("%+v", m.Region.Meta)
}

func TestTheIslandIsAsLargeAndHighAsItShouldBe(t *testing.T) {
	m := demotest.Island(t)
	var land *region.Feature
	for i := range m.Draft.Ground {
		if f := &m.Draft.Ground[i]; f.Class == region.Land && (land == nil || len(f.Parts[0]) > len(land.Parts[0])) {
			land = f
		}
	}
	require.NotNil(t, land)
	box := geo.Box{South: 90, West: 180, North: -90, East: -180}
	for _, p := range land.Parts[0] {
		at := p.Point()
		box = geo.Box{
			South: min(box.South, at.Lat()),
			West:  min(box.West, at.Lng()),
			North: max(box.North, at.Lat()),
			East:  max(box.East, at.Lng()),
		}
	}
	middle := (box.South + box.North) / 2
	assert.InDelta(t, 40000, geodesy.Distance(geo.MustPoint(middle, box.West), geo.MustPoint(middle, box.East)), 5000)
	assert.InDelta(
		t,
		25000,
		geodesy.Distance(geo.MustPoint(box.South, box.West), geo.MustPoint(box.North, box.West)),
		4000,
	)
	top := float32(0)
	for _, h := range m.Draft.Heights.Metres {
		top = max(top, h)
	}
	assert.InDelta(t, 950, top, 50)
}

// Each address lies on land, and the heights say so too.
func TestHousesStandOnDryLand(t *testing.T) {
	m := demotest.Island(t)
	wet := 0
	for i := range uint32(m.Region.Addresses()) {
		a := m.Region.Address(i).At
		if h := m.Draft.Heights.At(a.Lat(), a.Lng()); !(h > 0) {
			wet++
		}
	}
	assert.Zero(t, wet)
}

// Every junction can be reached from every other.
func TestRoadsJoinUp(t *testing.T) {
	r := demotest.Island(t).Region
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

// carsReach returns for each junction whether a car gets there from a start, or from there to the start when back is
// set.
func carsReach(r *region.Region, car *road.Metric, start uint32, back bool) []bool {
	seen := make([]bool, r.Junctions())
	stack := []uint32{start}
	for len(stack) > 0 {
		n := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if seen[n] {
			continue
		}
		seen[n] = true
		for _, e := range r.Edges(n) {
			s := r.Segment(e / 2)
			if !back && car.Open(e) || back && car.Open(e^1) {
				stack = append(stack, s.From+s.To-n)
			}
		}
	}
	return seen
}

// Every junction that cars may leave can be reached by car from every other, and back: nobody is trapped in one-way
// streets.
func TestOneWayStreetsTrapNobody(t *testing.T) {
	r := demotest.Island(t).Region
	var start uint32
	for n := range uint32(r.Junctions()) {
		if e := r.Edges(n); len(e) > 2 && r.Segment(e[0]/2).Class == region.Secondary {
			start = n
			break
		}
	}
	car := roadtest.Metric(r, "car")
	there, back := carsReach(r, car, start, false), carsReach(r, car, start, true)
	for n := range uint32(r.Junctions()) {
		for _, e := range r.Edges(n) {
			if car.Open(e) || car.Open(e^1) {
				require.True(t, there[n] && back[n], "junction %d at %v", n, r.Junction(n).Point())
			}
		}
	}
}

func TestPlacesLieOnTheIsland(t *testing.T) {
	m := demotest.Island(t)
	places := pair().islands[0].Places(80)
	require.Len(t, places, 80)
	for _, p := range places {
		assert.Greater(t, m.Draft.Heights.At(p.At.Lat(), p.At.Lng()), -1.0, p.Name)
		assert.NotEmpty(t, p.Name)
	}
	assert.Equal(t, places, pair().islands[0].Places(80))
}

// Every address can be reached from the town's square, on foot and by car, and one comes back: a sample by whole
// routes, which with the two tests above speaks for all.
func TestEveryAddressCanBeReached(t *testing.T) {
	m := demotest.Island(t)
	r := m.Region
	router := road.NewRouter(r)
	from := pair().islands[0].Standpoint()
	metrics := map[string]*road.Metric{"foot": roadtest.Metric(r, "foot"), "car": roadtest.Metric(r, "car")}
	for i := 0; i < r.Addresses(); i += 331 {
		a := r.Address(uint32(i))
		for mode, m := range metrics {
			there, err := router.Find(t.Context(), m, from, a.At)
			require.NoError(t, err, "by %v to %v", mode, a)
			back, err := router.Find(t.Context(), m, a.At, from)
			require.NoError(t, err, "by %v from %v", mode, a)
			straight := geodesy.Distance(from, a.At)
			assert.Greater(t, there.DistanceM+there.FromRoadM+there.ToRoadM, straight-1)
			if mode == "foot" { // no one-way streets on foot, but what goes up comes down
				assert.InDelta(t, there.DistanceM, back.DistanceM, 0.05*there.DistanceM+50)
			}
		}
	}
}

// Every house stands at a road that cars and walkers may use.
func TestEveryAddressStandsAtARoad(t *testing.T) {
	r := demotest.Island(t).Region
	router, car := road.NewRouter(r), roadtest.Metric(r, "car")
	far := 0
	for i := 0; i < r.Addresses(); i += 29 {
		a := r.Address(uint32(i))
		way, err := router.Find(t.Context(), car, a.At, a.At)
		require.NoError(t, err)
		if way.ToRoadM > 120 {
			far++
			t.Logf("%v is %.0f m from its road", a, way.ToRoadM)
		}
	}
	assert.Zero(t, far)
}

// Every address of the island is found where it is, and every building with an address knows it.
func TestEveryAddressIsFoundAgain(t *testing.T) {
	r := demotest.Island(t).Region
	index := address.NewIndex(r)
	for i := range r.Addresses() {
		a := r.Address(uint32(i))
		st := r.Street(a.Street)
		text := a.Number + " " + st.Name + ", " + a.Postcode + " " + r.Settlement(st.Settlement).Name
		finds, _, err := index.Forward(t.Context(), address.Query{Text: text, Limit: 1})
		require.NoError(t, err)
		require.NotEmpty(t, finds, text)
		if a.At != finds[0].At || finds[0].Confidence < 0.95 {
			t.Fatal(text, finds[0])
		}
		if back := index.Reverse(a.At, 1); back[0].ID != a.ID || !back[0].Inside {
			t.Fatal(text, back)
		}
	}
	for i := range uint32(r.Settlements()) {
		assert.Contains(t, r.Settlement(i).District, "Hundred")
	}
}

// Houses do not stand in each other: no corner of one lies well inside another.
func TestHousesDoNotOverlap(t *testing.T) {
	type house struct{ ring [][2]float64 }
	var houses []house
	cells := map[[2]int][]int{}
	for _, f := range demotest.Island(t).Draft.Ground {
		if f.Class != region.Building || f.Shape != region.AreaShape {
			continue
		}
		var h house
		for _, p := range f.Parts[0] {
			h.ring = append(h.ring, [2]float64{float64(p.Lng) * 0.0087835, float64(p.Lat) * 0.0110996})
		}
		c := [2]int{int(h.ring[0][0] / 60), int(h.ring[0][1] / 60)}
		cells[c] = append(cells[c], len(houses))
		houses = append(houses, h)
	}
	require.Greater(t, len(houses), 20000)
	overlaps := 0
	for c, here := range cells {
		for _, i := range here {
			for dx := -1; dx <= 1; dx++ {
				for dy := -1; dy <= 1; dy++ {
					for _, k := range cells[[2]int{c[0] + dx, c[1] + dy}] {
						if k != i && deepInside(houses[i].ring, houses[k].ring, 0.6) {
							overlaps++
						}
					}
				}
			}
		}
	}
	assert.LessOrEqual(t, overlaps, 20, "of %d houses", len(houses))
}

// deepInside tells whether a corner of one ring lies in another, by more than a margin in metres.
func deepInside(corners, ring [][2]float64, margin float64) bool {
	for _, p := range corners {
		in, near := false, math.Inf(1)
		for i, j := 0, len(ring)-1; i < len(ring); j, i = i, i+1 {
			a, b := ring[i], ring[j]
			if (a[1] > p[1]) != (b[1] > p[1]) && p[0] < (b[0]-a[0])*(p[1]-a[1])/(b[1]-a[1])+a[0] {
				in = !in
			}
			abx, aby := b[0]-a[0], b[1]-a[1]
			f := max(0, min(1, ((p[0]-a[0])*abx+(p[1]-a[1])*aby)/max(1e-9, abx*abx+aby*aby)))
			near = min(near, math.Hypot(p[0]-a[0]-f*abx, p[1]-a[1]-f*aby))
		}
		if in && near > margin {
			return true
		}
	}
	return false
}

func TestAnArchipelagoIsOneMap(t *testing.T) {
	p := pair()
	require.ErrorIs(t, p.err, errStop, "and the taker's error is told")
	draft, report, err := codec.Read(context.Background(), bytes.NewReader(p.both.Bytes()), "two")
	require.NoError(t, err)
	assert.Equal(t, codec.Report{Nodes: report.Nodes, Ways: report.Ways, Relations: report.Relations}, report)
	one := demotest.Island(t).Draft
	assert.Greater(t, len(draft.Addresses), len(one.Addresses)*3/2)
	names := map[string]bool{}
	for _, s := range draft.Settlements {
		if s.Size >= 2 {
			key := strings.ToLower(s.Name)
			assert.False(t, names[key], "two settlements called %s", s.Name)
			names[key] = true
		}
	}
	seen := map[string]region.FeatureID{}
	for _, f := range draft.Ground {
		key := fmt.Sprint(f.ID, f.Class, f.Shape, f.Parts[0][0])
		_, twice := seen[key]
		require.False(t, twice, "feature %d stands twice", f.ID)
		seen[key] = f.ID
	}
}

func TestTheSocietysPathsAndAreas(t *testing.T) {
	m := pair().islands[0]
	beats := m.Beats(6)
	require.Len(t, beats, 6)
	names := map[string]bool{}
	for _, b := range beats {
		assert.False(t, names[b.Name], "%s twice", b.Name)
		names[b.Name] = true
		assert.Greater(t, shape.Length(b.Line), 1000.0, b.Name)
	}
	kinds := map[int]int{}
	for _, g := range m.NestingGrounds(9) {
		kinds[len(g.Rings)]++
		faults, err := shape.Faults(t.Context(), g.Rings, 1)
		require.NoError(t, err)
		assert.Empty(t, faults, g.Name)
		if len(g.Rings) == 0 {
			assert.Greater(t, g.RadiusM, 100.0)
			assert.True(t, g.Middle.IsValid())
		}
	}
	assert.Equal(t, map[int]int{0: 3, 1: 3, 2: 3}, kinds, "circles, plain ones, ones with a hole")
	wards := m.WardenAreas(7)
	require.Len(t, wards, 7)
	for _, w := range wards {
		faults, err := shape.Faults(t.Context(), w.Rings, 1)
		require.NoError(t, err)
		assert.Empty(t, faults, w.Name)
	}
	for _, p := range m.Places(80) { // each is looked after by one warden
		count := 0
		for _, w := range wards {
			in := false
			for i, b := range w.Rings[0][1:] {
				a := w.Rings[0][i]
				if a.Lat() > p.At.Lat() != (b.Lat() > p.At.Lat()) &&
					p.At.Lng() < a.Lng()+(p.At.Lat()-a.Lat())/(b.Lat()-a.Lat())*(b.Lng()-a.Lng()) {
					in = !in
				}
			}
			if in {
				count++
			}
		}
		assert.Equal(t, 1, count, p.Name)
	}
	assert.Equal(t, wards, m.WardenAreas(7))
}
