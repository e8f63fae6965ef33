package geotiff

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/relief"
)

func hills(w, h int) *relief.Grid {
	g := &relief.Grid{West: -26.5, North: -37.9, StepLng: 0.0003, StepLat: 0.00025, Width: w, Height: h}
	for y := range h {
		for x := range w {
			g.Metres = append(g.Metres, float32(math.Round(400*math.Sin(float64(x)/17)*math.Cos(float64(y)/11))))
		}
	}
	g.Metres[w+3] = float32(math.NaN())
	return g
}

// same compares grids, unknown being the same as unknown.
func same(t *testing.T, want, got *relief.Grid) {
	t.Helper()
	require.Equal(t, [2]int{want.Width, want.Height}, [2]int{got.Width, got.Height})
	assert.InDelta(t, want.West, got.West, 1e-9)
	assert.InDelta(t, want.North, got.North, 1e-9)
	assert.InDelta(t, want.StepLng, got.StepLng, 1e-12)
	assert.InDelta(t, want.StepLat, got.StepLat, 1e-12)
	for i, v := range want.Metres {
		if v != v {
			require.True(t, got.Metres[i] != got.Metres[i], "%d should be unknown", i)
			continue
		}
		require.Equal(t, v, got.Metres[i], i)
	}
}

func TestWhatIsWrittenComesBack(t *testing.T) {
	for _, size := range [][2]int{{5, 3}, {64, 64}, {333, 129}} {
		g := hills(size[0], size[1])
		var b bytes.Buffer
		require.NoError(t, Write(&b, g))
		got, err := Read(&b)
		require.NoError(t, err)
		same(t, g, got)
	}
}

// tiff is a GeoTIFF put together by hand, in the ways in which other programs write them.
type tiff struct {
	order       binary.AppendByteOrder
	tags        map[uint16]any // []uint16, []uint32, []float64 or string
	pieces      [][]byte
	tiled, area bool
}

func (f tiff) bytes() []byte {
	out := append([]byte{}, "II*\x00"...)
	if f.order == binary.AppendByteOrder(binary.BigEndian) {
		out = append([]byte{}, "MM\x00*"...)
	}
	out = f.order.AppendUint32(out, 0)
	var offsets, sizes []uint32
	for _, p := range f.pieces {
		offsets, sizes = append(offsets, uint32(len(out))), append(sizes, uint32(len(p)))
		out = append(out, p...)
	}
	at, count := uint16(stripOffsets), uint16(stripByteCounts)
	if f.tiled {
		at, count = tileOffsets, tileByteCounts
	}
	f.tags[at], f.tags[count] = offsets, sizes
	raster := uint16(pixelIsPoint)
	if f.area {
		raster = pixelIsArea
	}
	f.tags[geoKeys] = []uint16{1, 1, 0, 2, keyModelType, 0, 1, modelGeographic, keyRasterType, 0, 1, raster}
	var directory []byte
	order := f.order
	entries := uint16(0)
	for tag := uint16(0); tag < 65535; tag++ {
		v, ok := f.tags[tag]
		if !ok {
			continue
		}
		entries++
		var data []byte
		kind, n := uint16(3), 0
		switch v := v.(type) {
		case []uint16:
			for n = range v {
				data = order.AppendUint16(data, v[n])
			}
			n = len(v)
		case []uint32:
			kind = 4
			for n = range v {
				data = order.AppendUint32(data, v[n])
			}
			n = len(v)
		case []float64:
			kind = 12
			for n = range v {
				data = order.AppendUint64(data, math.Float64bits(v[n]))
			}
			n = len(v)
		case string:
			kind, n, data = 2, len(v), []byte(v)
		}
		directory = order.AppendUint32(order.AppendUint16(order.AppendUint16(directory, tag), kind), uint32(n))
		if len(data) > 4 {
			directory = order.AppendUint32(directory, uint32(len(out)))
			out = append(out, data...)
		} else {
			directory = append(directory, append(data, 0, 0, 0, 0)[:4]...)
		}
	}
	head := order.AppendUint32(nil, uint32(len(out)))
	copy(out[4:], head)
	return append(append(order.AppendUint16(out, entries), directory...), 0, 0, 0, 0)
}

func deflated(data []byte) []byte {
	var b bytes.Buffer
	z := zlib.NewWriter(&b)
	_, _ = z.Write(data) // a buffer takes all
	z.Close()
	return b.Bytes()
}

// common are the tags of a grid of whole numbers, two bytes each.
func common(g *relief.Grid) map[uint16]any {
	return map[uint16]any{
		imageWidth:    []uint16{uint16(g.Width)},
		imageLength:   []uint16{uint16(g.Height)},
		bitsPerSample: []uint16{16},
		sampleFormat:  []uint16{2},
		compression: []uint16{
			1,
		},
		modelPixelScale: []float64{g.StepLng, g.StepLat, 0},
		modelTiepoint:   []float64{0, 0, 0, g.West, g.North, 0},
		noDataAt:        "-9999\x00",
	}
}

func number(v float32) uint16 {
	if v != v {
		return uint16(0xffff - 9998)
	}
	return uint16(int16(v))
}

func TestStripsOfWholeNumbersInEitherByteOrder(t *testing.T) {
	g := hills(40, 25)
	for _, order := range []binary.AppendByteOrder{binary.LittleEndian, binary.BigEndian} {
		f := tiff{order: order, tags: common(g)}
		f.tags[rowsPerStrip] = []uint16{10}
		for y := 0; y < g.Height; y += 10 {
			var strip []byte
			for _, v := range g.Metres[y*40 : min(y+10, 25)*40] {
				strip = order.AppendUint16(strip, number(v))
			}
			f.pieces = append(f.pieces, strip)
		}
		got, err := Read(bytes.NewReader(f.bytes()))
		require.NoError(t, err)
		same(t, g, got)
	}
}

func TestPackedTilesWithDifferences(t *testing.T) {
	g := hills(40, 25)
	f := tiff{order: binary.LittleEndian, tags: common(g), tiled: true, area: true}
	f.tags[compression], f.tags[predictor], f.tags[tileWidth], f.tags[tileLength] = []uint16{
		deflate,
	}, []uint16{
		2,
	}, []uint16{
		16,
	}, []uint16{
		16,
	}
	for y0 := 0; y0 < 25; y0 += 16 {
		for x0 := 0; x0 < 40; x0 += 16 {
			var block []byte
			for y := y0; y < y0+16; y++ {
				before := uint16(0)
				for x := x0; x < x0+16; x++ {
					v := uint16(7)
					if x < 40 && y < 25 {
						v = number(g.Metres[y*40+x])
					}
					block = binary.LittleEndian.AppendUint16(block, v-before)
					before = v
				}
			}
			f.pieces = append(f.pieces, deflated(block))
		}
	}
	got, err := Read(bytes.NewReader(f.bytes()))
	require.NoError(t, err)
	want := *g
	// a value that stands for an area lies in its middle
	want.West, want.North = g.West+g.StepLng/2, g.North-g.StepLat/2
	same(t, &want, got)
}

func TestFloatsAndBytes(t *testing.T) {
	g := &relief.Grid{
		West:    10,
		North:   50,
		StepLng: 0.5,
		StepLat: 0.5,
		Width:   2,
		Height:  2,
		Metres:  []float32{1, 2, 250, 4},
	}
	for _, one := range []struct {
		bits, format uint16
		append       func(b []byte, v float32) []byte
	}{
		{8, 1, func(b []byte, v float32) []byte { return append(b, byte(v)) }},
		{16, 1, func(b []byte, v float32) []byte { return binary.LittleEndian.AppendUint16(b, uint16(v)) }},
		{32, 2, func(b []byte, v float32) []byte { return binary.LittleEndian.AppendUint32(b, uint32(int32(v))) }},
		{32, 3, func(b []byte, v float32) []byte { return binary.LittleEndian.AppendUint32(b, math.Float32bits(v)) }},
		{64, 3, func(b []byte, v float32) []byte {
			return binary.LittleEndian.AppendUint64(b, math.Float64bits(float64(v)))
		}},
	} {
		f := tiff{order: binary.LittleEndian, tags: common(g)}
		f.tags[bitsPerSample], f.tags[sampleFormat] = []uint16{one.bits}, []uint16{one.format}
		var strip []byte
		for _, v := range g.Metres {
			strip = one.append(strip, v)
		}
		f.pieces = [][]byte{strip}
		got, err := Read(bytes.NewReader(f.bytes()))
		require.NoError(t, err, "%d bits", one.bits)
		same(t, g, got)
	}
}

func TestWhatCannotBeUsedIsNamed(t *testing.T) {
	g := hills(8, 8)
	built := func(change func(f *tiff)) []byte {
		f := tiff{order: binary.LittleEndian, tags: common(g)}
		var strip []byte
		for _, v := range g.Metres {
			strip = binary.LittleEndian.AppendUint16(strip, number(v))
		}
		f.pieces = [][]byte{strip}
		change(&f)
		return f.bytes()
	}
	for want, data := range map[string][]byte{
		"not a GeoTIFF":              []byte("PK\x03\x04, a zip file"),
		"BigTIFF":                    []byte("II+\x00\x08\x00\x00\x00\x10\x00\x00\x00"),
		"cut short":                  built(func(*tiff) {})[:200],
		"from 2 by 2":                built(func(f *tiff) { f.tags[imageWidth] = []uint32{1 << 31} }),
		"does not say where it lies": built(func(f *tiff) { delete(f.tags, modelPixelScale) }),
		"not on the earth":           built(func(f *tiff) { f.tags[modelTiepoint] = []float64{0, 0, 0, -26, 380, 0} }),
		"3 bands":                    built(func(f *tiff) { f.tags[samplesPerPixel] = []uint16{3} }),
		"12 bits":                    built(func(f *tiff) { f.tags[bitsPerSample] = []uint16{12} }),
		"compression 7 is not known": built(func(f *tiff) { f.tags[compression] = []uint16{7} }),
		"cannot be unpacked":         built(func(f *tiff) { f.tags[compression] = []uint16{deflate} }),
		"ends after": built(func(f *tiff) {
			f.tags[compression] = []uint16{deflate}
			f.pieces[0] = deflated(zeros(20))
		}),
		"predictor 9":               built(func(f *tiff) { f.tags[predictor] = []uint16{9} }),
		"1 strips or tiles where 8": built(func(f *tiff) { f.tags[rowsPerStrip] = []uint16{1} }),
		"lies askew": built(func(f *tiff) {
			delete(f.tags, modelPixelScale)
			f.tags[modelTransformation] = []float64{1, 1, 0, 0, 1, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1}
		}),
	} {
		_, err := Read(bytes.NewReader(data))
		assert.ErrorContains(t, err, want)
	}
	_, err := Read(strings.NewReader(""))
	assert.ErrorIs(t, err, ErrNotTIFF)
	// A bomb: what a strip unpacks to is never more than its rows hold.
	got, err := Read(bytes.NewReader(built(func(f *tiff) {
		f.tags[compression] = []uint16{deflate}
		f.pieces[0] = deflated(zeros(50 << 20))
	})))
	require.NoError(t, err)
	assert.Len(t, got.Metres, 64)
}

func zeros(n int) []byte { return bytes.Repeat([]byte{0}, n) }

// Flipped bytes and cut files end in an error or in numbers, never in a crash.
func TestDamagedFilesDoNotCrash(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, Write(&b, hills(70, 70)))
	good := b.Bytes()
	r := rand.New(rand.NewPCG(1, 1))
	for range 4000 {
		bad := append([]byte(nil), good[:len(good)-r.IntN(2)*r.IntN(len(good))]...)
		for range 1 + r.IntN(4) {
			at := r.IntN(len(bad))
			if r.IntN(2) == 0 {
				at = max(0, len(bad)-1-r.IntN(400)) // the directory stands at the end
			}
			bad[at] ^= byte(1 + r.IntN(255))
		}
		_, _ = Read(bytes.NewReader(bad))
	}
}
