// Package geotiff reads and writes heights as GeoTIFF (OGC 19-008r4, on TIFF 6.0): one band of numbers over geographic
// WGS 84 coordinates. No library for it is to be had here, so the container is read in this package; packed data is
// unpacked by compress/zlib and golang.org/x/image/tiff/lzw.
package geotiff

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"golang.org/x/image/tiff/lzw"

	"viandante/core/relief"
)

// The tags that are read or written.
const (
	imageWidth, imageLength, bitsPerSample, compression   = 256, 257, 258, 259
	photometric, stripOffsets, samplesPerPixel            = 262, 273, 277
	rowsPerStrip, stripByteCounts, planar, predictor      = 278, 279, 284, 317
	tileWidth, tileLength, tileOffsets, tileByteCounts    = 322, 323, 324, 325
	sampleFormat, modelPixelScale                         = 339, 33550
	modelTiepoint, modelTransformation, geoKeys, noDataAt = 33922, 34264, 34735, 42113
)

const (
	keyModelType, keyRasterType, keyGeographicType = 1024, 1025, 2048
	modelGeographic, pixelIsArea, pixelIsPoint     = 2, 1, 2
	wgs84                                          = 4326
	deflate, oldDeflate, lzwCompression            = 8, 32946, 5
	mostValues                                     = 400 << 20
	mostBytes                                      = 4 << 30
)

// ErrNotTIFF is returned for data that is no TIFF at all.
var ErrNotTIFF = errors.New(
	"this is not a GeoTIFF: heights come as .tif with one band over latitude and longitude (WGS 84)",
)

func broken(format string, args ...any) error {
	return fmt.Errorf("the GeoTIFF cannot be used: %s", fmt.Sprintf(format, args...))
}

// reader is a file under reading.
type reader struct {
	data  []byte
	order binary.ByteOrder
	tags  map[uint16]field
}

type field struct {
	kind  uint16
	count int
	data  []byte
}

var kindSizes = map[uint16]int{1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 8: 2, 9: 4, 11: 4, 12: 8}

// Read reads heights. It takes one band of integers or floats, in strips or tiles, as they are or packed by deflate or
// LZW, with or without a predictor. A value that the file names as its "no data" is NaN.
func Read(in io.Reader) (*relief.Grid, error) {
	data, err := io.ReadAll(io.LimitReader(in, mostBytes+1))
	if err != nil {
		return nil, err
	}
	if len(data) > mostBytes {
		return nil, broken("it is larger than 4 GB; cut the part that your map covers out of it")
	}
	r := &reader{data: data, tags: map[uint16]field{}}
	switch {
	case len(data) >= 8 && string(data[:4]) == "II*\x00":
		r.order = binary.LittleEndian
	case len(data) >= 8 && string(data[:4]) == "MM\x00*":
		r.order = binary.BigEndian
	case len(data) >= 4 && (string(data[:4]) == "II+\x00" || string(data[:4]) == "MM\x00+"):
		return nil, broken("it is a BigTIFF; write it as classic TIFF")
	default:
		return nil, ErrNotTIFF
	}
	if err := r.directory(); err != nil {
		return nil, err
	}
	g, err := r.place()
	if err != nil {
		return nil, err
	}
	return g, r.values(g)
}

func (r *reader) directory() error {
	at := int(r.order.Uint32(r.data[4:]))
	if at < 8 || at+2 > len(r.data) {
		return broken("its directory lies outside the file; it is cut short")
	}
	n := int(r.order.Uint16(r.data[at:]))
	if at+2+12*n > len(r.data) {
		return broken("its directory is cut short")
	}
	for e := r.data[at+2 : at+2+12*n]; len(e) > 0; e = e[12:] {
		f := field{kind: r.order.Uint16(e[2:]), count: int(r.order.Uint32(e[4:]))}
		size := kindSizes[f.kind] * f.count
		switch {
		case size == 0:
			continue
		case f.count > len(r.data) || size > len(r.data):
			return broken("a tag is larger than the file")
		case size <= 4:
			f.data = e[8 : 8+size]
		default:
			offset := int(r.order.Uint32(e[8:]))
			if offset+size > len(r.data) {
				return broken("a tag lies outside the file; it is cut short")
			}
			f.data = r.data[offset : offset+size]
		}
		r.tags[r.order.Uint16(e)] = f
	}
	return nil
}

// numbers returns the values of a tag, nil where it is missing.
func (r *reader) numbers(tag uint16) []float64 {
	f, ok := r.tags[tag]
	if !ok {
		return nil
	}
	out := make([]float64, f.count)
	for i := range out {
		switch d := f.data[i*kindSizes[f.kind]:]; f.kind {
		case 1:
			out[i] = float64(d[0])
		case 3:
			out[i] = float64(r.order.Uint16(d))
		case 4:
			out[i] = float64(r.order.Uint32(d))
		case 11:
			out[i] = float64(math.Float32frombits(r.order.Uint32(d)))
		case 12:
			out[i] = math.Float64frombits(r.order.Uint64(d))
		}
	}
	return out
}

func (r *reader) number(tag uint16, otherwise int) int {
	if v := r.numbers(tag); len(v) > 0 {
		return int(v[0])
	}
	return otherwise
}

// place reads the size of the grid and where on the earth it lies.
func (r *reader) place() (*relief.Grid, error) {
	g := &relief.Grid{Width: r.number(imageWidth, 0), Height: r.number(imageLength, 0)}
	if g.Width < 2 || g.Height < 2 || g.Width > mostValues/g.Height {
		return nil, broken(
			"it has %d by %d values; from 2 by 2 to %d in all can be read",
			g.Width,
			g.Height,
			mostValues,
		)
	}
	keys, model, raster := r.numbers(geoKeys), 0, pixelIsArea
	for i := 4; i+3 < len(keys); i += 4 {
		switch int(keys[i]) {
		case keyModelType:
			model = int(keys[i+3])
		case keyRasterType:
			raster = int(keys[i+3])
		}
	}
	if model != modelGeographic {
		return nil, broken("its coordinates are not latitude and longitude; bring it to WGS 84 (EPSG:4326) first")
	}
	scale, tie, matrix := r.numbers(modelPixelScale), r.numbers(modelTiepoint), r.numbers(modelTransformation)
	switch {
	case len(scale) >= 2 && len(tie) >= 6:
		g.StepLng, g.StepLat = scale[0], scale[1]
		g.West, g.North = tie[3]-tie[0]*scale[0], tie[4]+tie[1]*scale[1]
	case len(matrix) == 16 && matrix[1] == 0 && matrix[4] == 0 && matrix[5] < 0:
		g.StepLng, g.StepLat, g.West, g.North = matrix[0], -matrix[5], matrix[3], matrix[7]
	default:
		return nil, broken("it does not say where it lies (ModelPixelScale and ModelTiepoint), or lies askew")
	}
	if raster == pixelIsArea { // the value stands for the middle of its square
		g.West, g.North = g.West+g.StepLng/2, g.North-g.StepLat/2
	}
	south, east := g.North-float64(g.Height-1)*g.StepLat, g.West+float64(g.Width-1)*g.StepLng
	if !(g.StepLng > 0 && g.StepLat > 0 && g.North <= 90.1 && south >= -90.1 && g.West >= -180.1 && east <= 540) {
		return nil, broken(
			"it would lie from %.4f, %.4f to %.4f, %.4f (latitude, longitude), which is not on the earth",
			g.North,
			g.West,
			south,
			east,
		)
	}
	return g, nil
}

// values fills the grid.
func (r *reader) values(g *relief.Grid) error {
	if n := r.number(samplesPerPixel, 1); n != 1 {
		return broken("it has %d bands; heights are one", n)
	}
	bits, format := r.number(bitsPerSample, 1), r.number(sampleFormat, 1)
	value, ok := r.decoder(bits, format)
	if !ok {
		return broken(
			"its values have %d bits of format %d; whole numbers of 8 to 32 bits or floats of 32 or 64 are read",
			bits,
			format,
		)
	}
	noData := math.NaN()
	if f, ok := r.tags[noDataAt]; ok {
		if v, err := strconv.ParseFloat(strings.Trim(string(f.data), " \x00"), 64); err == nil {
			noData = v
		}
	}
	w, h := g.Width, r.number(rowsPerStrip, g.Height)
	offsets, sizes := r.numbers(stripOffsets), r.numbers(stripByteCounts)
	if tw := r.number(tileWidth, 0); tw > 0 {
		w, h, offsets, sizes = tw, r.number(tileLength, 0), r.numbers(tileOffsets), r.numbers(tileByteCounts)
	}
	h = min(h, g.Height+65535)
	if w < 1 || h < 1 || w > mostValues/h {
		return broken("its strips or tiles have %d by %d values", w, h)
	}
	h = min(h, max(g.Height, r.number(tileLength, 0)))
	across, down := (g.Width+w-1)/w, (g.Height+h-1)/h
	if len(offsets) < across*down || len(sizes) < across*down {
		return broken("it names %d strips or tiles where %d are needed", min(len(offsets), len(sizes)), across*down)
	}
	g.Metres = make([]float32, g.Width*g.Height)
	bytesEach := bits / 8
	for k := range across * down {
		offset, size := int(offsets[k]), int(sizes[k])
		if offset < 0 || size < 0 || offset+size > len(r.data) {
			return broken("strip or tile %d lies outside the file; it is cut short", k)
		}
		x0, y0 := k%across*w, k/across*h
		rows := h
		if _, tiled := r.tags[tileWidth]; !tiled {
			rows = min(h, g.Height-y0)
		}
		raw, err := unpack(r.data[offset:offset+size], r.number(compression, 1), w*rows*bytesEach)
		if err != nil {
			return broken("strip or tile %d cannot be unpacked: %v", k, err)
		}
		for y := range rows {
			row := raw[y*w*bytesEach : (y+1)*w*bytesEach]
			switch r.number(predictor, 1) {
			case 1:
			case 2:
				r.undoDifferences(row, bytesEach)
			case 3:
				row = undoFloatPlanes(row, bytesEach, r.order)
			default:
				return broken("predictor %d is not known", r.number(predictor, 1))
			}
			if y0+y >= g.Height {
				break
			}
			for x := 0; x < w && x0+x < g.Width; x++ {
				v := value(row[x*bytesEach:])
				if v == noData || v < -12000 || v > 10000 || math.IsInf(v, 0) { // no land is there
					v = math.NaN()
				}
				g.Metres[(y0+y)*g.Width+x0+x] = float32(v)
			}
		}
	}
	return nil
}

func (r *reader) decoder(bits, format int) (func([]byte) float64, bool) {
	o := r.order
	f, ok := map[[2]int]func(d []byte) float64{
		{8, 1}: func(d []byte) float64 { return float64(d[0]) }, {8,
			2}: func(d []byte) float64 { return float64(int8(d[0])) },
		{16, 1}: func(d []byte) float64 { return float64(o.Uint16(d)) }, {16,
			2}: func(d []byte) float64 { return float64(int16(o.Uint16(d))) },
		{32, 1}: func(d []byte) float64 { return float64(o.Uint32(d)) }, {32,
			2}: func(d []byte) float64 { return float64(int32(o.Uint32(d))) },
		{32, 3}: func(d []byte) float64 { return float64(math.Float32frombits(o.Uint32(d))) }, {64,
			3}: func(d []byte) float64 { return math.Float64frombits(o.Uint64(d)) },
	}[[2]int{bits, format}]
	return f, ok
}

// unpack returns exactly size bytes; never more is unpacked than that.
func unpack(data []byte, how, size int) ([]byte, error) {
	var in io.Reader = bytes.NewReader(data)
	switch how {
	case 1:
	case deflate, oldDeflate:
		z, err := zlib.NewReader(in)
		if err != nil {
			return nil, err
		}
		in = z
	case lzwCompression:
		in = lzw.NewReader(in, lzw.MSB, 8)
	default:
		return nil, fmt.Errorf("compression %d is not known: none, LZW and deflate are", how)
	}
	var out bytes.Buffer
	if n, err := io.Copy(&out, io.LimitReader(in, int64(size))); int(n) < size {
		return nil, fmt.Errorf("it ends after %d of %d bytes (%v)", n, size, err)
	}
	return out.Bytes(), nil
}

// undoDifferences undoes predictor 2: each value is the difference from the one before.
func (r *reader) undoDifferences(row []byte, size int) {
	for i := size; i+size <= len(row); i += size {
		switch size {
		case 1:
			row[i] += row[i-1]
		case 2:
			r.order.PutUint16(row[i:], r.order.Uint16(row[i:])+r.order.Uint16(row[i-2:]))
		case 4:
			r.order.PutUint32(row[i:], r.order.Uint32(row[i:])+r.order.Uint32(row[i-4:]))
		}
	}
}

// undoFloatPlanes undoes predictor 3 (TIFF Technical Note 3): the bytes of a row stand by significance, the greatest
// first, as differences. The row comes back in the file's byte order.
func undoFloatPlanes(row []byte, size int, order binary.ByteOrder) []byte {
	for i := 1; i < len(row); i++ {
		row[i] += row[i-1]
	}
	out, n := make([]byte, len(row)), len(row)/size
	for i := range n {
		for k := range size {
			at := k
			if order == binary.LittleEndian {
				at = size - 1 - k
			}
			out[i*size+at] = row[k*n+i]
		}
	}
	return out
}

// Write writes heights as 32-bit floats in strips packed by deflate with predictor 3, each value standing for its
// point.
func Write(out io.Writer, g *relief.Grid) error {
	const rows = 64
	var strips [][]byte
	for y := 0; y < g.Height; y += rows {
		var packed bytes.Buffer
		z := zlib.NewWriter(&packed)
		for k := y; k < min(y+rows, g.Height); k++ {
			row := make([]byte, 4*g.Width)
			for x, v := range g.Metres[k*g.Width : (k+1)*g.Width] {
				bits := math.Float32bits(v)
				for p := range 4 {
					row[p*g.Width+x] = byte(bits >> (24 - 8*p))
				}
			}
			for i := len(row) - 1; i > 0; i-- {
				row[i] -= row[i-1]
			}
			if _, err := z.Write(row); err != nil {
				return err
			}
		}
		if err := z.Close(); err != nil {
			return err
		}
		strips = append(strips, packed.Bytes())
	}
	var offsets, sizes []uint32
	at := uint32(8)
	for _, s := range strips {
		offsets, sizes = append(offsets, at), append(sizes, uint32(len(s)))
		at += uint32(len(s))
	}
	type entry struct {
		tag, kind uint16
		values    any
	}
	entries := []entry{
		{
			imageWidth,
			4,
			[]uint32{uint32(g.Width)},
		}, {imageLength, 4, []uint32{uint32(g.Height)}}, {bitsPerSample, 3, []uint16{32}}, {compression, 3,
			[]uint16{deflate}},
		{
			photometric,
			3,
			[]uint16{1},
		}, {stripOffsets, 4, offsets}, {samplesPerPixel, 3, []uint16{1}}, {rowsPerStrip, 4, []uint32{rows}},
		{stripByteCounts, 4, sizes},
		{planar, 3, []uint16{1}}, {predictor, 3, []uint16{3}}, {sampleFormat, 3, []uint16{3}},
		{
			modelPixelScale,
			12,
			[]float64{g.StepLng, g.StepLat, 0},
		}, {modelTiepoint, 12, []float64{0, 0, 0, g.West, g.North, 0}},
		{
			geoKeys,
			3,
			[]uint16{
				1,
				1,
				0,
				3,
				keyModelType,
				0,
				1,
				modelGeographic,
				keyRasterType,
				0,
				1,
				pixelIsPoint,
				keyGeographicType,
				0,
				1,
				wgs84,
			},
		},
		{noDataAt, 2, []byte("nan\x00")},
	}
	directory := binary.LittleEndian.AppendUint16(nil, uint16(len(entries)))
	var tail []byte
	tailAt := at + 2 + 12*uint32(len(entries)) + 4
	for _, e := range entries {
		var value bytes.Buffer
		if err := binary.Write(&value, binary.LittleEndian, e.values); err != nil {
			return err
		}
		data := value.Bytes()
		directory = binary.LittleEndian.AppendUint16(binary.LittleEndian.AppendUint16(directory, e.tag), e.kind)
		directory = binary.LittleEndian.AppendUint32(directory, uint32(len(data)/kindSizes[e.kind]))
		if len(data) <= 4 {
			directory = append(directory, append(data, 0, 0, 0, 0)[:4]...)
			continue
		}
		directory = binary.LittleEndian.AppendUint32(directory, tailAt+uint32(len(tail)))
		if tail = append(tail, data...); len(tail)%2 == 1 {
			tail = append(tail, 0)
		}
	}
	directory = binary.LittleEndian.AppendUint32(directory, 0)
	head := binary.LittleEndian.AppendUint32([]byte("II*\x00"), at)
	for _, part := range append(append([][]byte{head}, strips...), directory, tail) {
		if _, err := out.Write(part); err != nil {
			return err
		}
	}
	return nil
}
