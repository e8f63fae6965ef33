package region

import (
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"sync"

	"viandante/core/generalize"
	"viandante/core/geo"
	"viandante/core/mercator"
	"viandante/core/spatial"
)

// The ground is kept once for each zoom from 0 to 14, made simpler for it (package generalize), and once in full for
// all zooms above, so that a tile reads little more than it draws, however large the region. Geometry is in the units
// of the zoom, 4096 to a tile; in full it is in those of zoom 19. Each zoom is made from the one above, so that a
// feature looks the same on all tiles of a zoom and lies within half a pixel of where it is in full.
//
// What has more than some hundred points is cut along the tiles of a lower zoom, its cell, with a margin: a tile takes
// of it the piece of the cell in which it lies.
//
// Within a zoom features are in Hilbert order, under a packed R-tree.
//
//	GFnn  the records of zoom nn, 15 for the full one        GTnn  their tree        GGnn  their geometries
//
// A geometry is a run of varints: the number of parts; for each part the number of points, then the zigzag differences
// of x and y from the point before (from 0, 0 at the start of the feature).
const (
	fullLevel = 15
	// Margin is how far geometry reaches beyond its tile, in units of a tile, so that broad lines are whole at its
	// edge.
	Margin = 128
	// stepTolerance is what a zoom may add to the error of the one above, in its own units; all of them together stay
	// within twice that, half a pixel.
	stepTolerance = 2.0
	cutAbove      = 400 // points
	uncut         = 255
)

type groundRecord struct {
	ID       uint64
	Geometry uint64 // offset
	Name     uint32
	Class    Class
	Shape    Shape
	Flags    Flag
	MinZoom  uint8
	Rank     uint8
	Cell     uint8 // the zoom of the cell that the piece belongs to, or uncut
	_        [6]uint8
}

// Ground is what can be drawn.
type Ground struct{ levels [fullLevel + 1]groundLevel }

type groundLevel struct {
	records  []groundRecord
	tree     spatial.Boxes
	geometry []byte
}

// shape is a feature on its way into the file, in the units of a level.
type shape struct {
	id      FeatureID
	name    string
	class   Class
	kind    Shape
	flags   Flag
	minZoom uint8
	rank    uint8
	parts   [][]mercator.XY
}

// levelOf returns the level that serves a zoom, and by how many levels its units are finer than those of the zoom.
func levelOf(zoom int) (level, finer int) {
	if zoom < fullLevel {
		return zoom, 0
	}
	return fullLevel, mercator.MaxZoom - zoom
}

// each runs f for the numbers below n, some at a time.
func each(n int, f func(i int)) {
	const workers = 4
	var wait sync.WaitGroup
	for k := range workers {
		wait.Go(func() {
			for i := n * k / workers; i < n*(k+1)/workers; i++ {
				f(i)
			}
		})
	}
	wait.Wait()
}

func encodeGround(s *sections, d *Draft, pool *pool, meta *Meta) error {
	for i := range d.Ground {
		f := &d.Ground[i]
		if len(f.Parts) == 0 || slices.ContainsFunc(f.Parts, func(part []geo.E7) bool { return len(part) == 0 }) {
			return fmt.Errorf("feature %d has a part without points", f.ID)
		}
	}
	meta.Features = len(d.Ground)
	shapes := make([]shape, len(d.Ground))
	each(len(d.Ground), func(i int) {
		f := &d.Ground[i]
		parts := make([][]mercator.XY, len(f.Parts))
		for k, part := range f.Parts {
			parts[k] = make([]mercator.XY, len(part))
			for n, p := range part {
				parts[k][n] = mercator.Finest(p)
			}
		}
		shapes[i] = shape{f.ID, f.Name, f.Class, f.Shape, f.Flags, f.MinZoom, f.Rank, parts}
	})
	encodeLevel(s, pool, fullLevel, shapes)
	small := newCovers(shapes)
	for z := fullLevel - 1; z >= 0; z-- {
		shapes = coarser(shapes, z)
		encodeLevel(s, pool, z, append(shapes[:len(shapes):len(shapes)], small.at(z)...))
	}
	return nil
}

// coarser makes the shapes of a zoom from those of the one above.
func coarser(above []shape, z int) []shape {
	levels := 1
	if z == fullLevel-1 {
		levels = mercator.MaxZoom - z
	}
	all := make([]shape, len(above))
	each(len(above), func(i int) {
		f := above[i]
		if int(f.minZoom) > z {
			return
		}
		parts := generalize.Coarser(f.parts, levels, f.kind == AreaShape)
		switch f.kind {
		case PointShape:
			parts = [][]mercator.XY{{f.parts[0][0].Coarser(levels)}}
		case LineShape:
			parts = generalize.Lines(parts, stepTolerance)
			if z < 14 {
				f.flags &^= OneWay
			}
			if z < 13 {
				f.flags &= Tunnel
			}
		default:
			parts = generalize.Rings(parts, stepTolerance)
		}
		f.parts = parts
		all[i] = f
	})
	kept := make([]shape, 0, len(all))
	for _, f := range all {
		if len(f.parts) > 0 {
			kept = append(kept, f)
		}
	}
	if z < 14 {
		kept = joinLines(kept)
	}
	return kept
}

func encodeLevel(s *sections, pool *pool, level int, shapes []shape) {
	var pieces []piece
	for i := range shapes {
		pieces = shapes[i].cut(pieces, level)
	}
	boxes := make([]spatial.Box, len(pieces))
	for i := range pieces {
		boxes[i] = pieces[i].box
	}
	records := make([]groundRecord, 0, len(pieces))
	ordered := make([]spatial.Box, 0, len(pieces))
	var geometry []byte
	for _, k := range spatial.HilbertOrder(boxes) {
		p := &pieces[k]
		f := p.of
		records = append(
			records,
			groundRecord{ID: uint64(f.id), Geometry: uint64(len(geometry)), Name: pool.number(f.name),
				Class: f.class, Shape: f.kind, Flags: f.flags, MinZoom: f.minZoom, Rank: f.rank, Cell: p.cell},
		)
		geometry = appendUnits(geometry, p.parts)
		ordered = append(ordered, p.box)
	}
	digits := levelDigits(level)
	s.add("GF"+digits, bytesOf(records))
	s.add("GT"+digits, bytesOf(spatial.PackBoxes(ordered)))
	s.add("GG"+digits, geometry)
}

func levelDigits(level int) string { return string([]byte{'0' + byte(level/10), '0' + byte(level%10)}) }

// piece is a shape or what of it belongs to a cell.
type piece struct {
	of    *shape
	parts [][]mercator.XY
	box   spatial.Box
	cell  uint8
}

// cut appends the pieces of a shape.
func (f *shape) cut(pieces []piece, level int) []piece {
	points := 0
	for _, p := range f.parts {
		points += len(p)
	}
	if points <= cutAbove {
		return append(pieces, piece{f, f.parts, boxOfUnits(f.parts), uncut})
	}
	finest, finer := level, 0 // the smallest cells are the tiles of the lowest zoom that the level serves
	if level == fullLevel {
		finer = mercator.MaxZoom - level
	}
	var down func(parts [][]mercator.XY, z, x, y int)
	down = func(parts [][]mercator.XY, z, x, y int) {
		side := int64(mercator.Extent) << (finest - z + finer)
		core := spatial.Box{
			MinX: int32(int64(x) * side),
			MinY: int32(int64(y) * side),
			MaxX: int32(min(math.MaxInt32, int64(x+1)*side-1)),
			MaxY: int32(min(math.MaxInt32, int64(y+1)*side-1)),
		}
		margin := int64(Margin) << finer
		frame := generalize.Window{
			MinX: int32(max(math.MinInt32, int64(core.MinX)-margin)),
			MinY: int32(max(math.MinInt32, int64(core.MinY)-margin)),
			MaxX: int32(
				min(math.MaxInt32, int64(core.MaxX)+1+margin),
			),
			MaxY: int32(min(math.MaxInt32, int64(core.MaxY)+1+margin)),
		}
		var in [][]mercator.XY
		points := 0
		for _, p := range parts {
			if f.kind == AreaShape {
				if r := frame.Ring(p); len(r) > 2 {
					in, points = append(in, r), points+len(r)
				}
				continue
			}
			for _, l := range frame.Line(p) {
				in, points = append(in, l), points+len(l)
			}
		}
		if len(in) == 0 {
			return
		}
		if points <= cutAbove || z == finest {
			box := boxOfUnits(in)
			if !box.Intersects(core) {
				return // only in the margin: the neighbour has it
			}
			box = spatial.Box{
				MinX: max(box.MinX, core.MinX),
				MinY: max(box.MinY, core.MinY),
				MaxX: min(box.MaxX, core.MaxX),
				MaxY: min(box.MaxY, core.MaxY),
			}
			pieces = append(pieces, piece{f, in, box, uint8(z)})
			return
		}
		for k := range 4 {
			down(in, z+1, 2*x+k%2, 2*y+k/2)
		}
	}
	down(f.parts, 0, 0, 0)
	return pieces
}

func openGround(dir directory) (Ground, error) {
	var g Ground
	for n := range g.levels {
		digits := levelDigits(n)
		l := &g.levels[n]
		l.records = view[groundRecord](dir.section("GF" + digits))
		l.geometry = dir.section("GG" + digits)
		var ok bool
		if l.tree, ok = spatial.OpenBoxes(view[spatial.Box](dir.section("GT"+digits)), len(l.records)); !ok {
			return g, corrupt("the ground's index does not fit its features")
		}
	}
	return g, nil
}

// Drawn is a feature as a tile gets it. Its parts are those of the whole feature or of a piece that covers the tile, in
// units of a zoom that is finer than the tile's by as many levels as Finer says. They stay valid until the next one.
type Drawn struct {
	ID    FeatureID
	Class Class
	Shape Shape
	Flags Flag
	Rank  uint8
	Name  string
	Parts [][]mercator.XY
	Finer int
}

// Draw calls yield with each feature that shows on a tile, margin included, until yield returns false. A feature whose
// geometry is damaged is left out.
func (r *Region) Draw(z, x, y int, yield func(f *Drawn) bool) {
	level, finer := levelOf(z)
	l := &r.levels[level]
	unit := func(tile, margin int) int32 {
		return int32(max(math.MinInt32, min(math.MaxInt32, (int64(tile)*mercator.Extent+int64(margin))<<finer)))
	}
	box := spatial.Box{MinX: unit(x, -Margin), MinY: unit(y, -Margin), MaxX: unit(x+1, Margin), MaxY: unit(y+1, Margin)}
	var scratch scratch
	l.tree.Search(box, func(i int) bool {
		rec := &l.records[i]
		if int(rec.MinZoom) > z || rec.Class >= classCount || rec.Shape > AreaShape ||
			rec.Geometry > uint64(len(l.geometry)) {
			return true
		}
		if rec.Cell != uncut {
			if int(rec.Cell) > min(z, fullLevel) {
				return true
			}
			b := l.tree.Box(i)
			side := int64(mercator.Extent) << (min(z, fullLevel) - int(rec.Cell) + level19(level))
			up := z - int(rec.Cell)
			if int64(b.MinX)/side != int64(x>>up) || int64(b.MinY)/side != int64(y>>up) {
				return true
			}
		}
		if !scratch.read(l.geometry[rec.Geometry:]) {
			return true
		}
		return yield(
			&Drawn{
				FeatureID(rec.ID),
				rec.Class,
				rec.Shape,
				rec.Flags,
				rec.Rank,
				r.Text(rec.Name),
				scratch.parts,
				finer,
			},
		)
	})
}

// level19 returns by how many levels the units of a level are finer than those of the zoom of its smallest cells.
func level19(level int) int {
	if level == fullLevel {
		return mercator.MaxZoom - fullLevel
	}
	return 0
}

func boxOfUnits(parts [][]mercator.XY) spatial.Box {
	b := spatial.Box{MinX: math.MaxInt32, MinY: math.MaxInt32, MaxX: math.MinInt32, MaxY: math.MinInt32}
	for _, part := range parts {
		for _, p := range part {
			b = spatial.Box{
				MinX: min(b.MinX, p.X),
				MinY: min(b.MinY, p.Y),
				MaxX: max(b.MaxX, p.X),
				MaxY: max(b.MaxY, p.Y),
			}
		}
	}
	return b
}

func appendUnits(b []byte, parts [][]mercator.XY) []byte {
	b = binary.AppendUvarint(b, uint64(len(parts)))
	var last mercator.XY
	for _, part := range parts {
		b = binary.AppendUvarint(b, uint64(len(part)))
		for _, p := range part {
			b = binary.AppendVarint(b, int64(p.X)-int64(last.X))
			b = binary.AppendVarint(b, int64(p.Y)-int64(last.Y))
			last = p
		}
	}
	return b
}

// scratch is room for one geometry after another.
type scratch struct {
	points []mercator.XY
	ends   []int
	parts  [][]mercator.XY
}

// read returns false for bytes that are no geometry, or a part without points. No more is allocated than the bytes can
// fill.
func (s *scratch) read(b []byte) bool {
	count, n := binary.Uvarint(b)
	if n <= 0 || count > uint64(len(b)) {
		return false
	}
	b = b[n:]
	s.points, s.ends, s.parts = s.points[:0], s.ends[:0], s.parts[:0]
	var x, y int64
	for range count {
		size, n := binary.Uvarint(b)
		if n <= 0 || size == 0 || size > uint64(len(b))/2 {
			return false
		}
		b = b[n:]
		for range size {
			dx, n := binary.Varint(b)
			if n <= 0 {
				return false
			}
			dy, m := binary.Varint(b[n:])
			if m <= 0 {
				return false
			}
			b = b[n+m:]
			x, y = x+dx, y+dy
			s.points = append(s.points, mercator.XY{X: int32(x), Y: int32(y)})
		}
		s.ends = append(s.ends, len(s.points))
	}
	start := 0
	for _, end := range s.ends {
		s.parts = append(s.parts, s.points[start:end:end])
		start = end
	}
	return true
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
	units := make([][]mercator.XY, len(parts))
	for i, part := range parts {
		units[i] = make([]mercator.XY, len(part))
		for k, p := range part {
			units[i][k] = mercator.XY{X: p.Lng, Y: p.Lat}
		}
	}
	return appendUnits(b, units)
}
