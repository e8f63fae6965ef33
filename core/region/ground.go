package region

import (
	"encoding/binary"
	"math"

	"viandante/core/geo"
	"viandante/core/spatial"
)

// The ground is kept in five levels by the zoom at which a feature first shows, so that a tile of a low zoom touches
// only what it draws. Within a level features are in Hilbert order, under a packed R-tree.
//
//	GRFn  the records of level n        GRTn  its tree of boxes        GRGn  its geometries
//
// A geometry is a run of varints: the number of parts; for each part the number of points, then the zigzag differences
// of longitude and latitude in 1e-7 degree from the point before (from 0, 0 at the start of the feature).
var levelZooms = [...]uint8{7, 10, 12, 13, 255}

type groundRecord struct {
	ID       uint64
	Geometry uint64 // offset
	Name     uint32
	Class    Class
	Shape    Shape
	Flags    Flag
	MinZoom  uint8
	Rank     uint8
	_        [7]uint8
}

// Ground is what can be drawn.
type Ground struct{ levels [len(levelZooms)]groundLevel }

type groundLevel struct {
	records  []groundRecord
	tree     spatial.Boxes
	geometry []byte
}

func encodeGround(s *sections, d *Draft, pool *pool, meta *Meta) {
	meta.Features = len(d.Ground)
	var levels [len(levelZooms)][]int
	for i := range d.Ground {
		for n, most := range levelZooms {
			if d.Ground[i].MinZoom <= most {
				levels[n] = append(levels[n], i)
				break
			}
		}
	}
	for n, members := range levels {
		boxes := make([]spatial.Box, len(members))
		for i, m := range members {
			boxes[i] = boxOf(d.Ground[m].Parts)
		}
		var records []groundRecord
		var geometry []byte
		var ordered []spatial.Box
		for _, k := range spatial.HilbertOrder(boxes) {
			f := &d.Ground[members[k]]
			records = append(records, groundRecord{ID: uint64(f.ID), Geometry: uint64(len(geometry)), Name: pool.number(f.Name),
				Class: f.Class, Shape: f.Shape, Flags: f.Flags, MinZoom: f.MinZoom, Rank: f.Rank})
			geometry = appendParts(geometry, f.Parts)
			ordered = append(ordered, boxes[k])
		}
		digit := string(rune('0' + n))
		s.add("GRF"+digit, bytesOf(records))
		s.add("GRT"+digit, bytesOf(spatial.PackBoxes(ordered)))
		s.add("GRG"+digit, geometry)
	}
}

func openGround(dir directory) (Ground, error) {
	var g Ground
	for n := range g.levels {
		digit := string(rune('0' + n))
		l := &g.levels[n]
		l.records = view[groundRecord](dir.section("GRF" + digit))
		l.geometry = dir.section("GRG" + digit)
		var ok bool
		if l.tree, ok = spatial.OpenBoxes(view[spatial.Box](dir.section("GRT"+digit)), len(l.records)); !ok {
			return g, corrupt("the ground's index does not fit its features")
		}
	}
	return g, nil
}

// Draw calls yield with each feature that shows at a zoom and whose box meets another, until yield returns false.
// A feature whose geometry is damaged is left out.
func (r *Region) Draw(zoom int, box spatial.Box, yield func(f *Feature) bool) {
	for n := range r.levels {
		if n > 0 && zoom <= int(levelZooms[n-1]) {
			return
		}
		l, goOn := &r.levels[n], true
		l.tree.Search(box, func(i int) bool {
			rec := &l.records[i]
			if int(rec.MinZoom) > zoom || rec.Class >= classCount || rec.Shape > AreaShape || rec.Geometry > uint64(len(l.geometry)) {
				return true
			}
			parts, ok := readParts(l.geometry[rec.Geometry:])
			if !ok {
				return true
			}
			goOn = yield(&Feature{FeatureID(rec.ID), rec.Class, rec.Shape, rec.Flags, rec.MinZoom, rec.Rank, r.Text(rec.Name), parts})
			return goOn
		})
		if !goOn {
			return
		}
	}
}

func boxOf(parts [][]geo.E7) spatial.Box {
	b := spatial.Box{MinX: math.MaxInt32, MinY: math.MaxInt32, MaxX: math.MinInt32, MaxY: math.MinInt32}
	for _, part := range parts {
		for _, p := range part {
			b = b.Union(spatial.Box{MinX: p.Lng, MinY: p.Lat, MaxX: p.Lng, MaxY: p.Lat})
		}
	}
	return b
}

func appendParts(b []byte, parts [][]geo.E7) []byte {
	b = binary.AppendUvarint(b, uint64(len(parts)))
	var last geo.E7
	for _, part := range parts {
		b = binary.AppendUvarint(b, uint64(len(part)))
		for _, p := range part {
			b = binary.AppendVarint(b, int64(p.Lng)-int64(last.Lng))
			b = binary.AppendVarint(b, int64(p.Lat)-int64(last.Lat))
			last = p
		}
	}
	return b
}

// readParts returns false for bytes that are no geometry. No more is allocated than the bytes can fill.
func readParts(b []byte) ([][]geo.E7, bool) {
	count, n := binary.Uvarint(b)
	if n <= 0 || count > uint64(len(b)) {
		return nil, false
	}
	b = b[n:]
	parts := make([][]geo.E7, count)
	var lat, lng int64
	for i := range parts {
		size, n := binary.Uvarint(b)
		if n <= 0 || size > uint64(len(b))/2 {
			return nil, false
		}
		b = b[n:]
		part := make([]geo.E7, size)
		for k := range part {
			dLng, n := binary.Varint(b)
			if n <= 0 {
				return nil, false
			}
			dLat, m := binary.Varint(b[n:])
			if m <= 0 {
				return nil, false
			}
			b = b[n+m:]
			lng, lat = lng+dLng, lat+dLat
			part[k] = geo.E7{Lat: int32(lat), Lng: int32(lng)}
		}
		parts[i] = part
	}
	return parts, true
}
