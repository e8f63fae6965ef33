package catalog

import (
	"encoding/binary"
	"math"
	"math/bits"
	"slices"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
)

const (
	chunkBits  = 16
	chunkItems = 1 << chunkBits
	// arenaBytes is how much the arenas of a chunk hold at most before the next is begun: offsets have 32 bits.
	arenaBytes = 1 << 28
	// nowhere is the latitude of an item without a point.
	nowhere = math.MinInt32
)

// chunk holds some features in columns. Who holds a chunk may look at as many items as it has: more are written behind
// them, never into them.
type chunk struct {
	ids      []uuid.UUID
	at       []geo.E7
	group    []uint32
	version  []uint64
	created  []int64 // in microseconds since 1970
	updated  []int64
	ends     []uint32 // where the record of each item ends
	records  []byte
	textEnds []uint32
	text     []byte
	sorted   *columns
}

// record returns an item's record: its name and its geometry, each with its length before it, and its further
// properties as a JSON object, nothing for none.
func (k *chunk) record(i int) (name, geometry, further []byte) {
	from := uint32(0)
	if i > 0 {
		from = k.ends[i-1]
	}
	r := k.records[from:k.ends[i]:k.ends[i]]
	part := func() []byte {
		n, width := binary.Uvarint(r)
		out := r[width : width+int(n) : width+int(n)]
		r = r[width+int(n):]
		return out
	}
	return part(), part(), r
}

// folded returns the text that an item is found by.
func (k *chunk) folded(i int) []byte {
	from := uint32(0)
	if i > 0 {
		from = k.textEnds[i-1]
	}
	return k.text[from:k.textEnds[i]]
}

func appendPart(dst, part []byte) []byte {
	return append(binary.AppendUvarint(dst, uint64(len(part))), part...)
}

// bitmap tells which items of a chunk hold.
type bitmap struct {
	count int
	bits  [chunkItems / 64]uint64
}

func (b *bitmap) has(i int) bool { return b.bits[i>>6]>>(i&63)&1 == 1 }

// each calls yield with the items that hold, ascending, until it returns false.
func (b *bitmap) each(yield func(i int) bool) {
	for w, word := range b.bits {
		for ; word != 0; word &= word - 1 {
			if !yield(w<<6 + bits.TrailingZeros64(word)) {
				return
			}
		}
	}
}

// writer brings a snapshot forward that nobody else has yet.
type writer struct {
	s       *Snapshot
	groups  map[groupKey]uint32
	own     map[int]bool // the bitmaps that were copied already
	added   []uint32
	opened  bool // the last chunk is this writer's own header
	scratch []byte
}

// bitmapOf returns the bitmap of a chunk, to be written to.
func (w *writer) bitmapOf(c int) *bitmap {
	if w.own == nil {
		w.own = map[int]bool{}
	}
	if !w.own[c] {
		b := *w.s.live[c]
		w.s.live[c], w.own[c] = &b, true
	}
	return w.s.live[c]
}

// open returns the chunk to write the next item to.
func (w *writer) open() *chunk {
	s := w.s
	if n := len(s.chunks); n > 0 {
		k := s.chunks[n-1]
		if len(k.ids) < chunkItems && len(k.records)+len(k.text) < arenaBytes {
			if !w.opened {
				header := *k
				s.chunks[n-1], w.opened = &header, true
			}
			return s.chunks[n-1]
		}
		w.seal()
	}
	s.chunks = append(s.chunks, &chunk{sorted: &columns{}})
	s.live = append(s.live, &bitmap{})
	w.bitmapOf(len(s.live) - 1)
	w.opened = true
	return s.chunks[len(s.chunks)-1]
}

// seal gives back what the last chunk's columns have room for and will not need.
func (w *writer) seal() {
	n := len(w.s.chunks)
	if n == 0 {
		return
	}
	k := *w.s.chunks[n-1]
	k.ids, k.at, k.group, k.version = trimmed(k.ids), trimmed(k.at), trimmed(k.group), trimmed(k.version)
	k.created, k.updated, k.ends, k.textEnds = trimmed(
		k.created,
	), trimmed(
		k.updated,
	), trimmed(
		k.ends,
	), trimmed(
		k.textEnds,
	)
	k.records, k.text = trimmed(k.records), trimmed(k.text)
	w.s.chunks[n-1] = &k
}

func trimmed[T any](s []T) []T { return append(make([]T, 0, len(s)), s...) }

// groupOf returns the number of a group, which is given to it at its first feature.
func (w *writer) groupOf(key groupKey) uint32 {
	g, ok := w.groups[key]
	if !ok {
		g = uint32(len(w.s.groups))
		members := ""
		if key.category != "" {
			members = `,"` + feature.PropCategory + `":` + string(feature.AppendQuoted(nil, key.category))
		}
		w.s.groups = append(w.s.groups, group{key, members})
		w.groups[key] = g
	}
	for len(w.s.counts) <= int(g) {
		w.s.counts = append(w.s.counts, 0)
	}
	return g
}

// add writes a feature as a new item.
func (w *writer) add(f *feature.Feature) {
	k := w.open()
	at := geo.E7{Lat: nowhere}
	if p := f.Geometry.Point(); f.Geometry.Form() == feature.Point {
		at = p.E7()
	}
	k.records = appendPart(k.records, feature.AppendQuoted(w.scratch[:0], f.Name))
	if f.Geometry.Form() == feature.Point {
		k.records = append(k.records, 0)
	} else {
		w.scratch = appendGeometry(w.scratch[:0], f.Geometry)
		k.records = appendPart(k.records, w.scratch)
	}
	if w.scratch = f.AppendFurther(w.scratch[:0]); len(w.scratch) > 0 {
		k.records = append(k.records, '{') // instead of the comma
		k.records = append(append(k.records, w.scratch[1:]...), '}')
	}
	k.text = appendSearched(k.text, f)
	w.item(
		k,
		f.ID,
		at,
		w.groupOf(groupKey{f.Collection, f.Category, f.Kind()}),
		f.Version,
		f.CreatedAt.UnixMicro(),
		f.UpdatedAt.UnixMicro(),
	)
}

// item completes a new item, whose record and text stand in the arenas.
func (w *writer) item(k *chunk, id uuid.UUID, at geo.E7, group uint32, version uint64, created, updated int64) {
	s := w.s
	i, c := len(k.ids), len(s.chunks)-1
	k.ids, k.at, k.group, k.version = append(
		k.ids,
		id,
	), append(
		k.at,
		at,
	), append(
		k.group,
		group,
	), append(
		k.version,
		version,
	)
	k.created, k.updated = append(k.created, created), append(k.updated, updated)
	k.ends, k.textEnds = append(k.ends, uint32(len(k.records))), append(k.textEnds, uint32(len(k.text)))
	b := w.bitmapOf(c)
	b.bits[i>>6] |= 1 << (i & 63)
	b.count++
	s.counts[group]++
	item := uint32(c)<<chunkBits | uint32(i)
	if s.groups[group].kind != feature.Place {
		s.shapes = append(s.shapes, item)
	}
	s.next = item + 1
	w.added = append(w.added, item)
}

// move writes an item anew, as it is.
func (w *writer) move(item uint32) {
	old, i := w.s.at(item)
	k := w.open()
	name, geometry, further := old.record(i)
	k.records = append(appendPart(appendPart(k.records, name), geometry), further...)
	k.text = append(k.text, old.folded(i)...)
	w.gone(item)
	w.item(k, old.ids[i], old.at[i], old.group[i], old.version[i], old.created[i], old.updated[i])
}

// remove takes a feature away, where there is one of that id: one that was not added by this writer.
func (w *writer) remove(id uuid.UUID) {
	if item, ok := w.s.find(id); ok {
		w.gone(item)
	}
}

func (w *writer) gone(item uint32) {
	i := int(item & (chunkItems - 1))
	b := w.bitmapOf(int(item >> chunkBits))
	b.bits[i>>6] &^= 1 << (i & 63)
	b.count--
	k, _ := w.s.at(item)
	w.s.counts[k.group[i]]--
	w.s.died = append(w.s.died, item)
}

// done indexes what was added and shows the snapshot to everybody.
func (w *writer) done(c *Catalog) {
	s := w.s
	if len(w.added) > 0 {
		s.fresh = append(s.fresh, w.added...)
		added := s.still(w.added)
		slices.SortFunc(added, s.byID)
		s.runs = append(s.runs, newRun(s, added))
		s.mergeRuns()
	}
	c.now.Store(s)
	if s.isStale() {
		c.wake()
	}
}

// appendGeometry appends a geometry that is no point: its form, and its positions as differences in 1e-7 degree.
func appendGeometry(dst []byte, g feature.Geometry) []byte {
	dst = append(dst, byte(g.Form()))
	if g.Form() == feature.Circle {
		p := g.Point().E7()
		dst = binary.AppendVarint(binary.AppendVarint(dst, int64(p.Lat)), int64(p.Lng))
		return binary.LittleEndian.AppendUint64(dst, math.Float64bits(g.RadiusM()))
	}
	dst = binary.AppendUvarint(dst, uint64(len(g.Lines())))
	for i, line := range g.Lines() {
		heights := g.HeightsM(i)
		high := uint64(0)
		if heights != nil {
			high = 1
		}
		dst = binary.AppendUvarint(dst, uint64(len(line))<<1|high)
		var last geo.E7
		for _, p := range line {
			e := p.E7()
			dst = binary.AppendVarint(
				binary.AppendVarint(dst, int64(e.Lat)-int64(last.Lat)),
				int64(e.Lng)-int64(last.Lng),
			)
			last = e
		}
		for _, h := range heights {
			dst = binary.LittleEndian.AppendUint64(dst, math.Float64bits(h))
		}
	}
	return dst
}

// readGeometry is appendGeometry's reverse.
func readGeometry(src []byte) feature.Geometry {
	if len(src) == 0 || feature.Form(src[0]) == feature.Unknown {
		return feature.Geometry{}
	}
	form := feature.Form(src[0])
	src = src[1:]
	signed := func() int64 {
		v, n := binary.Varint(src)
		src = src[n:]
		return v
	}
	unsigned := func() int {
		v, n := binary.Uvarint(src)
		src = src[n:]
		return int(v)
	}
	float := func() float64 {
		v := math.Float64frombits(binary.LittleEndian.Uint64(src))
		src = src[8:]
		return v
	}
	var out feature.Geometry
	if form == feature.Circle {
		middle := geo.E7{Lat: int32(signed()), Lng: int32(signed())}
		out, _ = feature.NewCircle(middle.Point(), float()) // it was one when it was written
		return out
	}
	lines, heights := make([][]geo.Point, unsigned()), make([][]float64, 0, 1)
	for i := range lines {
		n := unsigned()
		lines[i] = make([]geo.Point, n>>1)
		var e geo.E7
		for k := range lines[i] {
			e = geo.E7{Lat: e.Lat + int32(signed()), Lng: e.Lng + int32(signed())}
			lines[i][k] = e.Point()
		}
		var high []float64
		if n&1 == 1 {
			high = make([]float64, n>>1)
			for k := range high {
				high[k] = float()
			}
		}
		heights = append(heights, high)
	}
	if form == feature.Line {
		out, _ = feature.NewLine(lines[0], heights[0])
		return out
	}
	out, _ = feature.NewPolygon(lines, heights)
	return out
}

func instant(micros int64) time.Time { return time.UnixMicro(micros).UTC() }
