package region

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"math"
	"unsafe"

	"viandante/core/geo"
	"viandante/core/lexicon"
	"viandante/core/spatial"
)

// A region file is a header of 64 bytes, the sections one after another, each beginning at a multiple of 64, and a
// directory. All numbers are little-endian.
//
//	header     8 bytes "VIANDREG", u32 version, u32 number of sections, u64 offset of the directory,
//	           u32 CRC-32C of the directory
//	directory  for each section: 4 bytes name, u32 CRC-32C of its bytes, u64 offset, u64 length
const (
	magic   = "VIANDREG"
	Version = 4
	align   = 64
)

var (
	// ErrNotRegion is returned for bytes that are no region file at all.
	ErrNotRegion = errors.New("this is not a region file")
	// ErrVersion is returned for a file of another version of the format.
	ErrVersion = errors.New("the region file has another version; build it again with `viandante region build`")
	// ErrCorrupt is returned, wrapped, for a region file that is damaged or cut short.
	ErrCorrupt = errors.New("the region file is damaged or cut short; build it again with `viandante region build`")
)

func corrupt(format string, args ...any) error {
	return fmt.Errorf("%w: %s", ErrCorrupt, fmt.Sprintf(format, args...))
}

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// Meta is what a region says of itself.
type Meta struct {
	Name        string  `json:"name"`
	Attribution string  `json:"attribution,omitempty"`
	Bounds      geo.Box `json:"bounds"`
	Features    int     `json:"features"`
	// RoadNodes counts junctions and shape points of roads, Junctions the nodes of the network.
	RoadNodes int `json:"road_nodes"`
	Junctions int `json:"junctions"`
	Addresses int `json:"addresses"`
	Streets   int `json:"streets"`
	// Folding is the version of lexicon.Fold that the names are kept by.
	Folding int `json:"folding"`
	// Heights is how far apart the heights lie, in metres, or 0 where there are none.
	HeightsM float64 `json:"heights_m,omitempty"`
}

// Encode returns the bytes of the region file for a draft. The same draft gives the same bytes.
func Encode(d *Draft) ([]byte, error) {
	s := &sections{}
	names := newPool()
	meta := Meta{Name: d.Name, Attribution: d.Attribution, Bounds: d.Bounds}
	if err := encodeGround(s, d, names, &meta); err != nil {
		return nil, err
	}
	if err := encodeNetwork(s, d, names, &meta); err != nil {
		return nil, err
	}
	encodeGazetteer(s, d, names, &meta)
	if err := encodeRelief(s, d, &meta); err != nil {
		return nil, err
	}
	text, err := json.Marshal(meta)
	if err != nil {
		return nil, err
	}
	if names.full {
		return nil, fmt.Errorf("the names: %w", errTooLarge)
	}
	s.add("META", text)
	s.add("NAMO", bytesOf(names.offsets))
	s.add("NAMB", names.text)
	return s.bytes(), nil
}

// Region is an open region. It is safe for use by many goroutines; it reads the bytes it was opened on in place, so
// they must stay mapped and unchanged for as long as it is used.
type Region struct {
	Meta Meta
	file directory
	names
	Ground
	Network
	Gazetteer
	Relief
}

// Open reads a region from its bytes, which are never written to: no slice that a reader returns has spare capacity
// in them. It checks the structure, not the checksums: a damaged file may give wrong answers, but never makes a reader
// run out of bounds. Verify checks the rest.
func Open(data []byte) (*Region, error) {
	dir, err := openDirectory(data)
	if err != nil {
		return nil, err
	}
	r := &Region{file: dir}
	if err := json.Unmarshal(dir.section("META"), &r.Meta); err != nil {
		return nil, corrupt("its description: %v", err)
	}
	r.names = names{view[uint32](dir.section("NAMO")), dir.section("NAMB")}
	if r.Ground, err = openGround(dir); err != nil {
		return nil, err
	}
	if r.Network, err = openNetwork(dir); err != nil {
		return nil, err
	}
	if r.Gazetteer, err = openGazetteer(dir); err != nil {
		return nil, err
	}
	if r.Relief, err = openRelief(dir); err != nil {
		return nil, err
	}
	return r, nil
}

// Verify reads the whole file and compares each section with its checksum.
func (r *Region) Verify() error {
	for name, s := range r.file {
		if crc32.Checksum(s.data, castagnoli) != s.sum {
			return corrupt("the checksum of section %s is wrong", name)
		}
	}
	return nil
}

// GazetteerSections are the sections that addresses and names are found by.
var GazetteerSections = []string{"LOCA", "LAND", "PCOD", "STRE", "ADDR", "ADRO", "ADRT", "CROS", "LEXL", "LEXN", "WGHT",
	"RARE",
	"POSO", "POST", "NAME", "NAMW", "THNG", "ABBR"}

// RoadSections are the sections of the road network, its turns and their order.
var RoadSections = []string{"NODE", "NODI", "NKND", "FRST", "EDGE", "SEGM", "SEGT", "SEGG", "KIND", "COPY", "PASS",
	"BANS",
	"RANK", "HPAR", "HUFR", "HUOT", "HUBF", "HUBL", "HUBA", "HDFR", "HDOT", "HDBF", "HDBL", "HDBA"}

// SectionBytes returns how many bytes some sections take together.
func (r *Region) SectionBytes(names ...string) (sum int) {
	for _, name := range names {
		sum += len(r.file.section(name))
	}
	return sum
}

type section struct {
	data []byte
	sum  uint32
}

type directory map[string]section

func (d directory) section(name string) []byte { return d[name].data }

func openDirectory(data []byte) (directory, error) {
	if len(data) < align || string(data[:8]) != magic {
		return nil, ErrNotRegion
	}
	if v := binary.LittleEndian.Uint32(data[8:]); v != Version {
		return nil, fmt.Errorf("%w (it has %d, this program reads %d)", ErrVersion, v, Version)
	}
	count, at := uint64(binary.LittleEndian.Uint32(data[12:])), binary.LittleEndian.Uint64(data[16:])
	if count > 1000 || at > uint64(len(data)) || uint64(len(data))-at < count*24 {
		return nil, corrupt("its directory lies outside")
	}
	entries := data[at : at+count*24]
	if crc32.Checksum(entries, castagnoli) != binary.LittleEndian.Uint32(data[24:]) {
		return nil, corrupt("the checksum of its directory is wrong")
	}
	dir := directory{}
	for e := entries; len(e) > 0; e = e[24:] {
		offset, length := binary.LittleEndian.Uint64(e[8:]), binary.LittleEndian.Uint64(e[16:])
		if offset%align != 0 || offset > uint64(len(data)) || length > uint64(len(data))-offset {
			return nil, corrupt("section %q lies outside", e[:4])
		}
		dir[string(e[:4])] = section{data[offset : offset+length : offset+length], binary.LittleEndian.Uint32(e[4:])}
	}
	return dir, nil
}

// sections gathers what a file will hold.
type sections struct {
	names []string
	data  [][]byte
}

func (s *sections) add(name string, data []byte) {
	s.names, s.data = append(s.names, name), append(s.data, data)
}

func (s *sections) bytes() []byte {
	var out, dir bytes.Buffer
	out.Write(make([]byte, align))
	for i, d := range s.data {
		dir.WriteString(s.names[i])
		dir.Write(binary.LittleEndian.AppendUint32(nil, crc32.Checksum(d, castagnoli)))
		dir.Write(binary.LittleEndian.AppendUint64(nil, uint64(out.Len())))
		dir.Write(binary.LittleEndian.AppendUint64(nil, uint64(len(d))))
		out.Write(d)
		out.Write(make([]byte, (align-out.Len()%align)%align))
	}
	at := out.Len()
	out.Write(dir.Bytes())
	file := out.Bytes()
	copy(file, magic)
	binary.LittleEndian.PutUint32(file[8:], Version)
	binary.LittleEndian.PutUint32(file[12:], uint32(len(s.names)))
	binary.LittleEndian.PutUint64(file[16:], uint64(at))
	binary.LittleEndian.PutUint32(file[24:], crc32.Checksum(dir.Bytes(), castagnoli))
	return file
}

// fixed is what may be read from a file in place: values without pointers whose every bit pattern is valid.
type fixed interface {
	uint8 | uint16 | uint32 | uint64 | int64 | geo.E7 | spatial.Box |
		groundRecord | segmentRecord | banRecord | passRecord |
		addressRecord | streetRecord |
		settlementRecord | landmarkRecord | reliefRecord | postcodeRecord | crossingRecord | lexicon.Node |
		nameRecord | thingRecord
}

// errTooLarge is returned for map data whose names or road shapes do not fit the 32 bits of their offsets.
var errTooLarge = errors.New("more than 4 GiB, which a region file cannot hold; cut the map data into smaller regions")

// offset32 returns an offset as it is kept in a record.
func offset32(n int) (uint32, error) {
	if uint64(n) > math.MaxUint32 {
		return 0, errTooLarge
	}
	return uint32(n), nil
}

// slice returns n items from first on without spare capacity: appending to it copies, and never writes into the file,
// which is mapped read-only.
func slice[T fixed](items []T, first, n uint32) []T {
	end := uint64(first) + uint64(n)
	return items[first:end:end]
}

// view reads bytes in place as a slice. Sections are aligned and the machine is little-endian (init holds it to that).
func view[T fixed](data []byte) []T {
	var zero T
	n := len(data) / int(unsafe.Sizeof(zero))
	if n == 0 || uintptr(unsafe.Pointer(unsafe.SliceData(data)))%unsafe.Alignof(zero) != 0 {
		return nil
	}
	return unsafe.Slice((*T)(unsafe.Pointer(unsafe.SliceData(data))), n)
}

func bytesOf[T fixed](values []T) []byte {
	if len(values) == 0 {
		return nil
	}
	return unsafe.Slice((*byte)(unsafe.Pointer(unsafe.SliceData(values))), len(values)*int(unsafe.Sizeof(values[0])))
}

func init() {
	if binary.NativeEndian.Uint16([]byte{1, 0}) != 1 {
		panic("region files are read in place and need a little-endian machine")
	}
}

// pool collects texts; each gets a number, "" is 0.
type pool struct {
	offsets []uint32
	text    []byte
	known   map[string]uint32
	full    bool // an offset did not fit
}

func newPool() *pool {
	return &pool{offsets: []uint32{0, 0}, known: map[string]uint32{"": 0}}
}

func (p *pool) number(s string) uint32 {
	if n, ok := p.known[s]; ok {
		return n
	}
	n := uint32(len(p.offsets) - 1)
	p.text = append(p.text, s...)
	end, err := offset32(len(p.text))
	p.full = p.full || err != nil
	p.offsets = append(p.offsets, end)
	p.known[s] = n
	return n
}

// textOf returns the text of a number that the pool gave out.
func (p *pool) textOf(n uint32) []byte { return p.text[p.offsets[n]:p.offsets[n+1]] }

// names gives back what a pool collected: text n lies from offset n to offset n+1.
type names struct {
	offsets []uint32
	text    []byte
}

// Text returns text number n, or "" where there is none.
func (p names) Text(n uint32) string { return string(p.textBytes(n)) }

// textBytes returns text number n in place.
func (p names) textBytes(n uint32) []byte {
	if uint64(n)+1 >= uint64(len(p.offsets)) {
		return nil
	}
	from, to := p.offsets[n], p.offsets[n+1]
	if from > to || uint64(to) > uint64(len(p.text)) {
		return nil
	}
	return p.text[from:to:to]
}
