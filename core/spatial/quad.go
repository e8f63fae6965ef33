package spatial

import (
	"cmp"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/mercator"
)

// Quad counts points in the cells of the map's tiles, at any zoom: the points' Morton codes (Morton 1966) on the square
// of package mercator in order, so that a cell is a run of them, found by bisection, with sums of their places so far
// at each 32nd, so that the middle of a run is one subtraction. It is immutable, and holds 13 bytes for a point.
// Building costs O(n log n), a cell O(log n).
type Quad struct {
	codes []uint64
	item  []uint32
	sums  [][2]uint64 // of the cells' columns and rows at the greatest depth, before each stride of codes
}

// quadBits is how many bits of each coordinate a code holds.
const (
	quadBits = 31
	stride   = 32
)

// QuadCell is a cell of a tile that holds points.
type QuadCell struct {
	// Column and Row count from the tile's upper left corner.
	Column, Row int
	// Items are the points' numbers; they may not be changed.
	Items []uint32
	// X and Y are the sums of the points' places on the unit square of the map, good to some centimetres each.
	X, Y float64
}

// NewQuad indexes those of the items whose position, as at tells it, is valid.
func NewQuad(items []uint32, at func(item uint32) geo.Point) *Quad {
	type coded struct {
		code uint64
		item uint32
	}
	all := make([]coded, 0, len(items))
	for _, i := range items {
		if p := at(i); p.IsValid() {
			all = append(all, coded{mortonOf(mercator.Project(p)), i})
		}
	}
	slices.SortFunc(
		all,
		func(a, b coded) int { return cmp.Or(cmp.Compare(a.code, b.code), cmp.Compare(a.item, b.item)) },
	)
	q := &Quad{make([]uint64, len(all)), make([]uint32, len(all)), make([][2]uint64, len(all)/stride+1)}
	var x, y uint64
	for i, c := range all {
		if i%stride == 0 {
			q.sums[i/stride] = [2]uint64{x, y}
		}
		q.codes[i], q.item[i] = c.code, c.item
		x, y = x+uint64(gather(c.code)), y+uint64(gather(c.code>>1))
	}
	if len(all)%stride == 0 {
		q.sums[len(all)/stride] = [2]uint64{x, y}
	}
	return q
}

// sum returns the sums of the places before one.
func (q *Quad) sum(i int) (x, y uint64) {
	s := q.sums[i/stride]
	x, y = s[0], s[1]
	for _, c := range q.codes[i/stride*stride : i] {
		x, y = x+uint64(gather(c)), y+uint64(gather(c>>1))
	}
	return x, y
}

func mortonOf(x, y float64) uint64 {
	unit := func(v float64) uint64 {
		return uint64(math.Max(0, math.Min(1<<quadBits-1, math.Floor(math.Ldexp(v, quadBits)))))
	}
	return spread(unit(x)) | spread(unit(y))<<1
}

// spread puts a zero bit before each of the lower 32 bits.
func spread(v uint64) uint64 {
	v = (v | v<<16) & 0x0000ffff0000ffff
	v = (v | v<<8) & 0x00ff00ff00ff00ff
	v = (v | v<<4) & 0x0f0f0f0f0f0f0f0f
	v = (v | v<<2) & 0x3333333333333333
	return (v | v<<1) & 0x5555555555555555
}

func gather(v uint64) int {
	v &= 0x5555555555555555
	v = (v | v>>1) & 0x3333333333333333
	v = (v | v>>2) & 0x0f0f0f0f0f0f0f0f
	v = (v | v>>4) & 0x00ff00ff00ff00ff
	v = (v | v>>8) & 0x0000ffff0000ffff
	return int((v | v>>16) & 0xffffffff)
}

// QuadCellOf returns the cell of a tile in which a point lies, the tile being divided so often, and false when it lies
// on another tile.
func QuadCellOf(p geo.Point, z, x, y, depth int) (column, row int, ok bool) {
	code := mortonOf(mercator.Project(p)) >> (2 * (quadBits - z - depth))
	cx, cy := gather(code), gather(code>>1)
	return cx - x<<depth, cy - y<<depth, cx>>depth == x && cy>>depth == y
}

// Cells calls yield with each cell of a tile that holds points, the tile being divided into 2^depth by 2^depth; z and
// depth together are at most 31.
func (q *Quad) Cells(z, x, y, depth int, yield func(QuadCell)) {
	tile := spread(uint64(x)) | spread(uint64(y))<<1
	shift := 2 * (quadBits - z)
	i := q.find(0, tile<<shift)
	end := q.find(i, (tile+1)<<shift)
	shift -= 2 * depth
	for i < end {
		cell := q.codes[i] >> shift
		next := q.find(i, (cell+1)<<shift)
		fromX, fromY := q.sum(i)
		toX, toY := q.sum(next)
		middle := float64(next-i) / 2 // a code stands for the middle of its cell
		yield(QuadCell{Column: gather(cell) - x<<depth, Row: gather(cell>>1) - y<<depth, Items: q.item[i:next:next],
			X: math.Ldexp(float64(toX-fromX)+middle, -quadBits), Y: math.Ldexp(float64(toY-fromY)+middle, -quadBits)})
		i = next
	}
}

// find returns the index of the first item at or after from whose Morton code is >= code.
func (q *Quad) find(from int, code uint64) int {
	step := 1
	for from+step < len(q.codes) && q.codes[from+step] < code { // most cells are small: look near by first
		step *= 2
	}
	low := from + step/2
	k, _ := slices.BinarySearch(q.codes[low:min(len(q.codes), from+step+1)], code)
	return low + k
}
