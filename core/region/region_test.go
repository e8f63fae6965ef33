package region

import (
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/mercator"
	"viandante/core/relief"
	"viandante/core/spatial"
)

func at(lat, lng float64) geo.E7 { return geo.MustPoint(lat, lng).E7() }

func sample() *Draft {
	return &Draft{
		Name:   "sample",
		Bounds: geo.Box{South: -1, West: -1, North: 1, East: 1},
		Ground: []Feature{
			{
				ID:    NewFeatureID(FromWay, 7),
				Class: Land,
				Shape: AreaShape,
				Name:  "Isle",
				Parts: [][]geo.E7{{at(-1, -1), at(-1, 1), at(1, 1), at(1, -1)}, {at(0, 0), at(0.1, 0), at(0.1, 0.1)}},
			},
			{
				ID:      NewFeatureID(FromNode, 9),
				Class:   HouseNumber,
				Shape:   PointShape,
				MinZoom: 17,
				Name:    "12",
				Parts:   [][]geo.E7{{at(0.5, 0.5)}},
			},
			{
				ID:      NewFeatureID(FromWay, 8),
				Class:   LocalStreet,
				Shape:   LineShape,
				MinZoom: 12,
				Flags:   OneWay,
				Name:    "Mill Lane",
				Parts:   [][]geo.E7{{at(0.5, 0.5), at(0.5, 0.6)}},
			},
		},
		RoadNodes: map[int64]geo.E7{1: at(0, 0), 2: at(0, 0.01), 3: at(0, 0.02), 4: at(0.01, 0.01), 5: at(0.005, 0.01)},
		Roads: []Road{
			{ID: 100, Class: Primary, Tags: []string{"highway=primary"}, Name: "High Road", Nodes: []int64{1, 2, 3}},
			{
				ID:    101,
				Class: LocalStreet,
				Tags:  []string{"highway=residential", "oneway=yes"},
				Name:  "Mill Lane",
				Nodes: []int64{2, 5, 4},
			},
		},
		Addresses: []Address{
			{ID: 1, At: at(0.001, 0.011), Number: "10", Street: "Mill Lane", Place: "Ford", Postcode: "A1"},
			{ID: 2, At: at(0.001, 0.0102), Number: "9b", Street: "Mill Lane", Place: "Ford"},
		},
		Settlements: []Settlement{{ID: 3, At: at(0, 0.01), Name: "Ford", Size: 2}},
		Landmarks:   []Landmark{{ID: 4, At: at(0, 0), Name: "Old Mill", Kind: "mill"}},
	}
}

func open(t *testing.T, d *Draft) *Region {
	t.Helper()
	data, err := Encode(d)
	require.NoError(t, err)
	r, err := Open(data)
	require.NoError(t, err)
	require.NoError(t, r.Verify())
	return r
}

// drawn returns what a tile of a region is made of, by class, with its points in the units of the tile's zoom.
func drawn(r *Region, z, x, y int) map[Class][]Drawn {
	out := map[Class][]Drawn{}
	r.Draw(z, x, y, func(f *Drawn) bool {
		d := *f
		d.Parts = nil
		for _, part := range f.Parts {
			var p []mercator.XY
			for _, q := range part {
				p = append(p, q.Coarser(f.Finer))
			}
			d.Parts = append(d.Parts, p)
		}
		out[f.Class] = append(out[f.Class], d)
		return true
	})
	return out
}

// tileOf returns the column and row of a tile.
func tileOf(p geo.E7, z int) (x, y int) {
	q := mercator.Finest(p)
	return int(q.X >> (31 - z)), int(q.Y >> (31 - z))
}

func TestGroundComesBackAtItsZooms(t *testing.T) {
	d := sample()
	r := open(t, d)
	x, y := tileOf(at(0.5, 0.5), 19)
	full := drawn(r, 19, x, y)
	require.Len(t, full, 3)
	assert.Equal(t, "12", full[HouseNumber][0].Name)
	street := full[LocalStreet][0]
	assert.Equal(
		t,
		Drawn{
			ID:    d.Ground[2].ID,
			Class: LocalStreet,
			Shape: LineShape,
			Flags: OneWay,
			Name:  "Mill Lane",
			Parts: street.Parts,
		},
		Drawn{
			ID:    street.ID,
			Class: street.Class,
			Shape: street.Shape,
			Flags: street.Flags,
			Name:  street.Name,
			Parts: street.Parts,
		},
	)
	assert.Equal(t, []mercator.XY{mercator.Finest(at(0.5, 0.5)), mercator.Finest(at(0.5, 0.6))}, street.Parts[0])
	x, y = tileOf(at(0.5, 0.55), 13)
	low := drawn(r, 13, x, y)
	assert.Len(t, low, 2)
	assert.Zero(t, low[LocalStreet][0].Flags, "arrows are for greater zooms")
	far := drawn(r, 3, 4, 3)
	require.Len(t, far, 1)
	assert.Len(t, far[Land][0].Parts, 2, "with its hole")
	assert.Empty(t, drawn(r, 10, 0, 0))
	stopped := 0
	r.Draw(3, 4, 3, func(*Drawn) bool { stopped++; return false })
	assert.Equal(t, 1, stopped)
}

// A large outline is cut into cells; whatever tile one asks for, the pieces cover of it what the whole would.
func TestCutOutlinesCoverWhatTheWholeDoes(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 4))
	var ring []geo.E7
	const n = 6000
	for i := range n {
		a := 2 * math.Pi * float64(i) / n
		d := 0.8 + 0.1*math.Sin(9*a) + 0.004*rnd.Float64()
		ring = append(ring, at(d*math.Sin(a), d*math.Cos(a)))
	}
	r := open(t, &Draft{Ground: []Feature{{ID: 4, Class: Land, Shape: AreaShape, Parts: [][]geo.E7{ring}}}})
	in := func(parts [][]mercator.XY, x, y float64) bool {
		c := false
		for _, ring := range parts {
			for i, j := 0, len(ring)-1; i < len(ring); j, i = i, i+1 {
				a, b := ring[i], ring[j]
				if (float64(a.Y) > y) != (float64(b.Y) > y) &&
					x < (float64(b.X)-float64(a.X))*(y-float64(a.Y))/(float64(b.Y)-float64(a.Y))+float64(a.X) {
					c = !c
				}
			}
		}
		return c
	}
	whole := make([]mercator.XY, n)
	wrong, looked := 0, 0
	for _, z := range []int{0, 4, 8, 11, 14, 15, 17} {
		for i, p := range ring {
			whole[i] = mercator.Finest(p).Coarser(mercator.MaxZoom - z)
		}
		for range 40 {
			a, d := rnd.Float64()*2*math.Pi, 0.7+0.25*rnd.Float64()
			x, y := tileOf(at(d*math.Sin(a), d*math.Cos(a)), z)
			var parts [][]mercator.XY
			pieces := drawn(r, z, x, y)[Land]
			for _, f := range pieces {
				parts = append(parts, f.Parts...)
			}
			require.LessOrEqual(t, len(pieces), 1, "one piece serves a tile")
			for range 20 {
				px, py := (float64(x)+rnd.Float64())*mercator.Extent, (float64(y)+rnd.Float64())*mercator.Extent
				if in(parts, px, py) != in([][]mercator.XY{whole}, px, py) {
					wrong++
				}
				looked++
			}
		}
	}
	assert.LessOrEqual(t, wrong, looked/100, "of %d; within half a pixel of the outline they may differ", looked)
}

func TestSmallWoodsAreDrawnTogether(t *testing.T) {
	d := &Draft{}
	for i := range 900 { // a wood in lots of 100 m, too small for zoom 8 one by one
		lat, lng := float64(i/30)*0.0009, float64(i%30)*0.0009
		d.Ground = append(d.Ground, Feature{ID: FeatureID(4 * (i + 1)), Class: Wood, Shape: AreaShape, MinZoom: 12,
			Parts: [][]geo.E7{
				{at(lat, lng), at(lat, lng+0.00088), at(lat+0.00088, lng+0.00088), at(lat+0.00088, lng)},
			}})
	}
	r := open(t, d)
	x, y := tileOf(at(0.013, 0.013), 10)
	cover := drawn(r, 10, x, y)[Wood]
	require.Len(t, cover, 1)
	assert.Equal(t, uint64(FromNothing), uint64(cover[0].ID)&3)
	var area float64
	for _, ring := range cover[0].Parts {
		for i, p := range ring {
			q := ring[(i+1)%len(ring)]
			area += (float64(p.X)*float64(q.Y) - float64(q.X)*float64(p.Y)) / 2
		}
	}
	side := 30 * 0.0009 / 360 * math.Ldexp(mercator.Extent, 10)
	assert.InEpsilon(t, side*side, math.Abs(area), 0.25)
	x, y = tileOf(at(0.013, 0.013), 12)
	assert.Greater(t, len(drawn(r, 12, x, y)[Wood]), 100)
}

func TestLinesThatGoOnInEachOtherAreOne(t *testing.T) {
	var d Draft
	for i := range 10 {
		f := Feature{
			ID:    FeatureID(4 * (10 - i)),
			Class: Primary,
			Shape: LineShape,
			Name:  "Ring",
			Parts: [][]geo.E7{{at(0, float64(i)*0.1), at(0.01, float64(i)*0.1+0.05), at(0, float64(i)*0.1+0.1)}},
		}
		if i%3 == 0 {
			f.Flags = Bridge
			f.Parts[0] = []geo.E7{f.Parts[0][2], f.Parts[0][1], f.Parts[0][0]}
		}
		d.Ground = append(d.Ground, f)
	}
	d.Ground = append(
		d.Ground,
		Feature{ID: 80, Class: Primary, Shape: LineShape, Name: "Other", Parts: [][]geo.E7{{at(0, 1), at(0, 2)}}},
	)
	r := open(t, &d)
	got := drawn(r, 8, 128, 127)[Primary]
	require.Len(t, got, 2)
	ring := got[0]
	if ring.Name != "Ring" {
		ring = got[1]
	}
	assert.Equal(t, FeatureID(4), ring.ID, "the least of their ids")
	assert.Len(t, ring.Parts, 1)
}

func gridOf(w, h int, value func(x, y int) float32) *relief.Grid {
	g := &relief.Grid{West: -26.5, North: -37.9, StepLng: 0.002, StepLat: 0.001, Width: w, Height: h}
	for y := range h {
		for x := range w {
			g.Metres = append(g.Metres, value(x, y))
		}
	}
	return g
}

func TestHeightsComeBackWithinAQuarterOfAMetre(t *testing.T) {
	nan := float32(math.NaN())
	g := gridOf(300, 280, func(x, y int) float32 {
		if x == 40 && y == 40 {
			return nan
		}
		return float32(400 + 300*math.Sin(float64(x)/9)*math.Cos(float64(y)/7))
	})
	r := open(t, &Draft{Heights: g})
	assert.True(t, r.HasHeights())
	assert.InDelta(t, 111.3, r.Meta.HeightsM, 0.1)
	lats, lngs := []float64{}, []float64{}
	for i := range 90 {
		lats, lngs = append(lats, -37.9-0.003*float64(i)), append(lngs, -26.5+0.006*float64(i))
	}
	got := r.Heights(0, lats, lngs)
	for i, lat := range lats {
		for k, lng := range lngs {
			h := got[i*len(lngs)+k]
			if x, y := 3*k, 3*i; math.Abs(float64(x-40)) <= 2 && math.Abs(float64(y-40)) <= 2 {
				continue
			}
			require.InDelta(t, g.At(lat-1e-9, lng+1e-9), h, 0.2, "%d, %d", i, k)
		}
	}
	assert.True(t, math.IsNaN(r.Heights(0, []float64{-37.94}, []float64{-26.42})[0]), "nothing is known there")
	for _, p := range [][2]float64{{-30, -26.4}, {-38, 100}, {math.NaN(), -26.4}, {-38, math.Inf(1)}} {
		assert.True(t, math.IsNaN(r.Heights(0, []float64{p[0]}, []float64{p[1]})[0]), p)
	}
	assert.Equal(t, 0, r.Version(0.003))
	assert.Equal(t, 1, r.Version(0.004))
	assert.Equal(t, 2, r.Version(9))
	assert.Zero(t, open(t, sample()).Meta.HeightsM)
}

func TestHeightsThatMakeNoSenseAreRefused(t *testing.T) {
	for _, g := range []*relief.Grid{
		{Width: 1, Height: 1, StepLng: 1, StepLat: 1, Metres: []float32{1}},
		{Width: 2, Height: 2, StepLng: 1, StepLat: 1, Metres: []float32{1}},
		{Width: 2, Height: 2, StepLng: 0, StepLat: 1, Metres: make([]float32, 4)},
		{Width: 2, Height: 2, StepLng: 1, StepLat: 1, North: math.NaN(), Metres: make([]float32, 4)},
		{Width: math.MaxInt / 2, Height: 4, StepLng: 1, StepLat: 1},
	} {
		_, err := Encode(&Draft{Heights: g})
		assert.Error(t, err)
	}
}

func TestNetworkIsCutAtJunctions(t *testing.T) {
	r := open(t, sample())
	assert.Equal(t, 4, r.Junctions(), "node 5 is only a shape point")
	assert.Equal(t, 5, r.Meta.RoadNodes)
	require.Equal(t, 3, r.Segments())
	for i := range uint32(3) {
		s := r.Segment(i)
		shape := r.Shape(i)
		assert.Equal(t, r.Junction(s.From), shape[0])
		assert.Equal(t, r.Junction(s.To), shape[len(shape)-1])
		var length float64
		for k := 1; k < len(shape); k++ {
			length += geodesy.Distance(shape[k-1].Point(), shape[k].Point())
		}
		assert.InDelta(t, length, s.LengthM, 0.001)
		if s.Way == 101 {
			assert.Equal(t, "Mill Lane", r.Text(s.Name))
			assert.Equal(t, "highway=residential\noneway=yes", r.KindText(s.Kind))
			assert.Equal(t, "101:2-4", fmt.Sprintf("%d:%d-%d", s.Way, r.NodeID(s.From), r.NodeID(s.To)))
			assert.Len(t, shape, 3)
		}
	}
	degrees := 0
	for n := range uint32(r.Junctions()) {
		degrees += len(r.Edges(n))
	}
	assert.Equal(t, 6, degrees)
}

func TestGazetteerSortsHouseNumbersAndFindsTheNearest(t *testing.T) {
	r := open(t, sample())
	require.Equal(t, 2, r.Addresses())
	assert.Equal(t, "9b", r.Address(0).Number)
	assert.Equal(t, "Ford", r.Settlement(r.Street(r.Address(0).Street).Settlement).Name)
	var order []string
	r.AddressesNear(geo.MustPoint(0.001, 0.011), func(i uint32, d float64) bool {
		order = append(order, r.Address(i).Number)
		return true
	})
	assert.Equal(t, []string{"10", "9b"}, order)
}

func TestTheSameDraftGivesTheSameBytes(t *testing.T) {
	a, err := Encode(sample())
	require.NoError(t, err)
	b, err := Encode(sample())
	require.NoError(t, err)
	assert.Equal(t, a, b)
}

func TestAnEmptyDraftIsARegion(t *testing.T) {
	r := open(t, &Draft{Name: "nothing"})
	assert.Zero(t, r.Junctions())
	r.AddressesNear(geo.MustPoint(0, 0), func(uint32, float64) bool { t.Fail(); return true })
}

func TestDamageIsNamed(t *testing.T) {
	good, err := Encode(sample())
	require.NoError(t, err)
	_, err = Open([]byte("PK\x03\x04 something else entirely, long enough to hold a header of sixty-four bytes"))
	assert.ErrorIs(t, err, ErrNotRegion)
	_, err = Open(nil)
	assert.ErrorIs(t, err, ErrNotRegion)
	newer := append([]byte(nil), good...)
	newer[8] = 99
	_, err = Open(newer)
	assert.ErrorIs(t, err, ErrVersion)
	assert.ErrorContains(t, err, "99")
	assert.ErrorContains(t, err, "viandante region build")
	_, err = Open(good[:len(good)-30])
	assert.ErrorIs(t, err, ErrCorrupt)
	flipped := append([]byte(nil), good...)
	flipped[align+3] ^= 1
	r, err := Open(flipped)
	if err == nil {
		err = r.Verify()
	}
	assert.ErrorIs(t, err, ErrCorrupt)
}

// Whatever stands in a file whose directory is right, reading it must not run out of bounds.
func TestDamagedSectionsNeverCrash(t *testing.T) {
	d := sample()
	d.Heights = gridOf(140, 130, func(x, y int) float32 { return float32(x * y) })
	good, err := Encode(d)
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(9, 9))
	for range 3000 {
		bad := append([]byte(nil), good...)
		end := int(binary.LittleEndian.Uint64(bad[16:]))
		for range 1 + r.IntN(4) {
			bad[align+r.IntN(end-align)] = byte(r.UintN(256))
		}
		exercise(bad)
	}
}

func FuzzOpen(f *testing.F) {
	d := sample()
	d.Heights = gridOf(3, 3, func(x, y int) float32 { return float32(x + y) })
	good, _ := Encode(d)
	f.Add(good)
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > align { // mend the directory's checksum so that the fuzzer gets past it
			if end := binary.LittleEndian.Uint64(data[16:]); end < uint64(len(data)) {
				n := uint64(binary.LittleEndian.Uint32(data[12:])) * 24
				if n <= uint64(len(data))-end {
					binary.LittleEndian.PutUint32(data[24:], crc32.Checksum(data[end:end+n], castagnoli))
				}
			}
		}
		exercise(data)
	})
}

func exercise(data []byte) {
	r, err := Open(data)
	if err != nil {
		return
	}
	for z := range 20 {
		x, y := tileOf(at(0.5, 0.5), z)
		r.Draw(z, x, y, func(*Drawn) bool { return true })
	}
	if r.HasHeights() {
		for v := range r.Version(1e9) + 1 {
			r.Heights(v, []float64{-90, -38, 0, 90}, []float64{-180, -26.3, 0, 180})
		}
	}
	for n := range uint32(r.Junctions()) {
		for _, e := range r.Edges(n) {
			r.Text(r.Segment(e / 2).Name)
			r.Shape(e / 2)
		}
	}
	r.AddressesNear(geo.MustPoint(0, 0), func(i uint32, _ float64) bool { r.Address(i); return true })
	for i := range uint32(r.Streets()) {
		r.Street(i)
	}
	for i := range uint32(r.Settlements()) {
		r.Settlement(i)
	}
	for i := range uint32(r.Landmarks()) {
		r.Landmark(i)
	}
}

func TestBoxDistanceIsALowerBound(t *testing.T) {
	r := rand.New(rand.NewPCG(10, 10))
	for range 5000 {
		p := geo.MustPoint(r.Float64()*170-85, geo.WrapLng(180+r.Float64()*4-2))
		q := geo.MustPoint(max(-89, min(89, p.Lat()+r.Float64()*2-1)), geo.WrapLng(p.Lng()+r.Float64()*4-2))
		e := q.E7()
		bound := BoxDistance(p)(spatial.Box{MinX: e.Lng, MinY: e.Lat, MaxX: e.Lng, MaxY: e.Lat})
		require.LessOrEqual(t, bound, geodesy.Distance(p, e.Point())+1e-6, "%v %v", p, q)
	}
}

// A row of edges that belongs to another junction would lead a search in circles.
func TestEdgesBeginAtTheirJunction(t *testing.T) {
	data, err := Encode(sample())
	require.NoError(t, err)
	dir, err := openDirectory(data)
	require.NoError(t, err)
	edges := view[uint32](dir.section("EDGE"))
	edges[0], edges[len(edges)-1] = edges[len(edges)-1], edges[0]
	_, err = Open(data)
	assert.ErrorIs(t, err, ErrCorrupt)
	assert.ErrorContains(t, err, "begins at another junction")
}

func TestPartsWithoutPointsAreRefused(t *testing.T) {
	d := sample()
	d.Ground[1].Parts = [][]geo.E7{{}}
	_, err := Encode(d)
	assert.ErrorContains(t, err, "a part without points")
	var s scratch
	assert.False(t, s.read([]byte{1, 0}), "one part of no points")
	assert.True(t, s.read([]byte{1, 1, 2, 2}))
}

func TestOffsetsDoNotWrap(t *testing.T) {
	n, err := offset32(math.MaxUint32)
	require.NoError(t, err)
	assert.Equal(t, uint32(math.MaxUint32), n)
	_, err = offset32(math.MaxUint32 + 1)
	assert.ErrorIs(t, err, errTooLarge)
}

// An order that was made for another network is refused, whatever of the two was changed.
func TestAnOrderOfAnotherNetworkIsRefused(t *testing.T) {
	data, err := Encode(sample())
	require.NoError(t, err)
	for _, name := range []string{"HKEY", "EDGE", "RANK", "HUOT", "HPAR"} {
		changed := slices.Clone(data)
		dir, err := openDirectory(changed)
		require.NoError(t, err)
		section := dir.section(name)
		require.NotEmpty(t, section, name)
		section[0] ^= 1
		_, err = Open(changed)
		require.ErrorIs(t, err, ErrCorrupt, name)
	}
}
