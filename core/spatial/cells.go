package spatial

import (
	"math"

	"viandante/core/geo"
)

// Cells is an index over boxes that move: a hierarchical grid on the plane of longitude and latitude (the hierarchical
// hash table of Mirtich 1996). A box lies in the one level whose cells are at least as large as it is, in at most four
// of them, so that putting, moving and removing a box takes a few steps however large it is, and asking for a position
// looks into one cell of each level in use. It is not safe for use by many goroutines.
type Cells[T comparable] struct {
	cells map[cell][]T
	boxes map[T]geo.Box
	// used counts the entries of each level.
	used [coarsest + 1]int
}

// A cell of level l has a side of 360/2^(finest-l) degrees: 0.022 degrees, 2.4 km, at level 0, half of the globe at the
// last.
const (
	finest   = 14
	coarsest = finest - 1
)

type cell struct {
	level    int8
	col, row int32
}

// NewCells returns an empty index.
func NewCells[T comparable]() *Cells[T] {
	return &Cells[T]{cells: map[cell][]T{}, boxes: map[T]geo.Box{}}
}

// Len returns how many boxes there are.
func (c *Cells[T]) Len() int { return len(c.boxes) }

// Put gives an item a box, instead of the one that it had.
func (c *Cells[T]) Put(item T, b geo.Box) {
	now := spanOf(b)
	if before, known := c.boxes[item]; known {
		if spanOf(before) == now {
			c.boxes[item] = b
			return
		}
		c.Remove(item)
	}
	c.boxes[item] = b
	now.each(func(k cell) { c.cells[k] = append(c.cells[k], item) })
	c.used[now.level]++
}

// Remove forgets an item.
func (c *Cells[T]) Remove(item T) {
	b, known := c.boxes[item]
	if !known {
		return
	}
	delete(c.boxes, item)
	s := spanOf(b)
	c.used[s.level]--
	s.each(func(k cell) {
		list := c.cells[k]
		for i := range list {
			if list[i] == item {
				list[i] = list[len(list)-1]
				list = list[:len(list)-1]
				break
			}
		}
		if len(list) == 0 {
			delete(c.cells, k)
		} else {
			c.cells[k] = list
		}
	})
}

// At calls yield with each item whose box holds a position, edges included, each once.
func (c *Cells[T]) At(p geo.Point, yield func(item T)) {
	for level, n := range c.used {
		if n == 0 {
			continue
		}
		for _, item := range c.cells[cellAt(level, p.Lng(), p.Lat())] {
			if c.boxes[item].Contains(p) {
				yield(item)
			}
		}
	}
}

// In calls yield with each item whose box meets another, each once. Where that one has more cells than there are
// items, all of them are looked at.
func (c *Cells[T]) In(b geo.Box, yield func(item T)) {
	total := 0.0
	for level, n := range c.used {
		if n > 0 {
			side := sideOf(level)
			total += (b.Width()/side + 2) * ((b.North-b.South)/side + 2)
		}
	}
	if total > float64(len(c.boxes)) {
		for item, own := range c.boxes {
			if own.Intersects(b) {
				yield(item)
			}
		}
		return
	}
	seen := map[T]bool{}
	for level, n := range c.used {
		if n == 0 {
			continue
		}
		spanAt(level, b).each(func(k cell) {
			for _, item := range c.cells[k] {
				if !seen[item] && c.boxes[item].Intersects(b) {
					seen[item] = true
					yield(item)
				}
			}
		})
	}
}

func sideOf(level int) float64 { return 360 / float64(int(1)<<(finest-level)) }

// span is a block of cells of a level: from a column eastwards, from a row northwards.
type span struct {
	level         int
	col, row      int32
	columns, rows int32
	around        int32
}

func (s span) each(f func(cell)) {
	for i := range s.columns {
		for j := range s.rows {
			f(cell{int8(s.level), (s.col + i) % s.around, s.row + j})
		}
	}
}

func cellAt(level int, lng, lat float64) cell {
	side := sideOf(level)
	columns := int32(1) << (finest - level)
	return cell{int8(level), int32(math.Floor((lng+180)/side)) % columns, int32(math.Floor((lat + 90) / side))}
}

// spanOf returns the cells of the level that a box belongs to.
func spanOf(b geo.Box) span {
	size := max(b.Width(), b.North-b.South)
	level := 0
	for level < coarsest && sideOf(level) < size {
		level++
	}
	return spanAt(level, b)
}

func spanAt(level int, b geo.Box) span {
	side := sideOf(level)
	columns := int32(1) << (finest - level)
	first := cellAt(level, b.West, b.South)
	last := cellAt(level, b.West, b.North)
	wide := int32(math.Floor((b.West+180+b.Width())/side)-math.Floor((b.West+180)/side)) + 1
	return span{level, first.col, first.row, min(wide, columns), last.row - first.row + 1, columns}
}
