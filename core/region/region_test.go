package region

import (
	"encoding/binary"
	"hash/crc32"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/spatial"
)

func at(lat, lng float64) geo.E7 { return geo.MustPoint(lat, lng).E7() }

func sample() *Draft {
	return &Draft{
		Name:   "sample",
		Bounds: geo.Box{South: -1, West: -1, North: 1, East: 1},
		Ground: []Feature{
			{ID: NewFeatureID(FromWay, 7), Class: Land, Shape: AreaShape, Name: "Isle", Parts: [][]geo.E7{{at(-1, -1), at(-1, 1), at(1, 1), at(1, -1)}, {at(0, 0), at(0.1, 0), at(0.1, 0.1)}}},
			{ID: NewFeatureID(FromNode, 9), Class: HouseNumber, Shape: PointShape, MinZoom: 17, Name: "12", Parts: [][]geo.E7{{at(0.5, 0.5)}}},
			{ID: NewFeatureID(FromWay, 8), Class: LocalStreet, Shape: LineShape, MinZoom: 12, Flags: OneWay, Name: "Mill Lane", Parts: [][]geo.E7{{at(0.5, 0.5), at(0.5, 0.6)}}},
		},
		RoadNodes: map[int64]geo.E7{1: at(0, 0), 2: at(0, 0.01), 3: at(0, 0.02), 4: at(0.01, 0.01), 5: at(0.005, 0.01)},
		Roads: []Road{
			{ID: 100, Class: Primary, Access: NewAccess(Car, true, true), Name: "High Road", Nodes: []int64{1, 2, 3}},
			{ID: 101, Class: LocalStreet, Access: NewAccess(Car, true, false), Name: "Mill Lane", Nodes: []int64{2, 5, 4}},
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

func TestGroundComesBackAsItWentIn(t *testing.T) {
	d := sample()
	r := open(t, d)
	drawn := func(zoom int) (got []Feature) {
		r.Draw(zoom, spatial.Box{MinX: -2e7, MinY: -2e7, MaxX: 2e7, MaxY: 2e7}, func(f *Feature) bool { got = append(got, *f); return true })
		return got
	}
	assert.ElementsMatch(t, d.Ground, drawn(19))
	assert.Len(t, drawn(16), 2)
	assert.Len(t, drawn(3), 1)
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
			assert.True(t, s.Access.Allows(Car, false))
			assert.False(t, s.Access.Allows(Car, true))
			assert.False(t, s.Access.Any(Foot))
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
	good, err := Encode(sample())
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
	good, _ := Encode(sample())
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
	r.Draw(19, spatial.Box{MinX: -2e9, MinY: -2e9, MaxX: 2e9, MaxY: 2e9}, func(*Feature) bool { return true })
	for n := range uint32(r.Junctions()) {
		for _, e := range r.Edges(n) {
			r.Text(r.Segment(e / 2).Name)
			r.Shape(e / 2)
		}
	}
	r.AddressesNear(geo.MustPoint(0, 0), func(i uint32, _ float64) bool { r.Address(i); return true })
	for i := range uint32(r.Streets()) {
		r.Street(i)
		r.StreetPoint(i)
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
