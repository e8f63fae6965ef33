// Package spatial holds indexes over points and shapes.
//
// Boxes is a packed R-tree (Kamel and Faloutsos 1993, "On packing R-trees"): the items are put in the order of a
// Hilbert curve once, and the tree over them is nothing but an array of boxes, level after level:
//
//	level 0: one box for each item, in the items' order
//	level 1: one box for each 16 boxes of level 0
//	…        until one box is left
//
// Item i is leaf i, so no pointers and no ids are kept: 16 bytes an item and one fifteenth more. The array is written
// to a region file as it is and read in place. A query touches O(log n + k) boxes.
//
// Points is an index over stored places that changes; see points.go.
package spatial

import (
	"cmp"
	"container/heap"
	"math"
	"slices"
)

// Box is a closed box in integer units, 1e-7 degree for everything in a region file.
type Box struct{ MinX, MinY, MaxX, MaxY int32 }

// Intersects tells whether two boxes share a point.
func (b Box) Intersects(c Box) bool {
	return b.MinX <= c.MaxX && c.MinX <= b.MaxX && b.MinY <= c.MaxY && c.MinY <= b.MaxY
}

// Union returns the smallest box around both.
func (b Box) Union(c Box) Box {
	return Box{min(b.MinX, c.MinX), min(b.MinY, c.MinY), max(b.MaxX, c.MaxX), max(b.MaxY, c.MaxY)}
}

const fanout = 16

// HilbertOrder returns the order in which items with these boxes are to be kept: by the place of their centres on a
// Hilbert curve over the whole.
func HilbertOrder(boxes []Box) []int32 {
	order := make([]int32, len(boxes))
	if len(boxes) == 0 {
		return order
	}
	all := boxes[0]
	for _, b := range boxes {
		all = all.Union(b)
	}
	w, h := float64(all.MaxX)-float64(all.MinX)+1, float64(all.MaxY)-float64(all.MinY)+1
	keys := make([]uint32, len(boxes))
	for i, b := range boxes {
		order[i] = int32(i)
		x := ((float64(b.MinX)+float64(b.MaxX))/2 - float64(all.MinX)) / w
		y := ((float64(b.MinY)+float64(b.MaxY))/2 - float64(all.MinY)) / h
		keys[i] = hilbert(uint32(x*65536), uint32(y*65536))
	}
	slices.SortFunc(order, func(a, b int32) int {
		return cmp.Or(cmp.Compare(keys[a], keys[b]), cmp.Compare(a, b))
	})
	return order
}

// hilbert returns the place on the curve of order 16 of a cell, x and y in [0, 65536).
func hilbert(x, y uint32) uint32 {
	var d uint32
	for s := uint32(32768); s > 0; s /= 2 {
		var rx, ry uint32
		if x&s > 0 {
			rx = 1
		}
		if y&s > 0 {
			ry = 1
		}
		d += s * s * ((3 * rx) ^ ry)
		if ry == 0 {
			if rx == 1 {
				x, y = 65535-x, 65535-y
			}
			x, y = y, x
		}
	}
	return d
}

// Boxes is the packed R-tree over n items.
type Boxes struct {
	boxes []Box
	n     int
	ends  []int // where each level ends in boxes
}

// treeSize returns how many boxes a tree over n items has, and where its levels end.
func treeSize(n int) (int, []int) {
	var ends []int
	total := 0
	for level := n; level > 0; level = (level + fanout - 1) / fanout {
		total += level
		ends = append(ends, total)
		if level == 1 {
			break
		}
	}
	return total, ends
}

// PackBoxes builds the array of a tree whose items, in Hilbert order, have the given boxes.
func PackBoxes(items []Box) []Box {
	total, ends := treeSize(len(items))
	out := append(make([]Box, 0, total), items...)
	start := 0
	for _, end := range ends {
		if end-start == 1 {
			break
		}
		for i := start; i < end; i += fanout {
			b := out[i]
			for _, c := range out[i+1 : min(i+fanout, end)] {
				b = b.Union(c)
			}
			out = append(out, b)
		}
		start = end
	}
	return out
}

// OpenBoxes takes the array that PackBoxes made for n items. It returns false when the array has another size. An array
// with wrong boxes gives wrong answers, but every index handed out is below n.
func OpenBoxes(boxes []Box, n int) (Boxes, bool) {
	if n < 0 || n > len(boxes) {
		return Boxes{}, false
	}
	total, ends := treeSize(n)
	return Boxes{boxes, n, ends}, total == len(boxes)
}

// Len returns the number of items.
func (t *Boxes) Len() int { return t.n }

// Box returns the box of item i.
func (t *Boxes) Box(i int) Box { return t.boxes[i] }

// Search calls yield with each item whose box intersects q, in the items' order, until yield returns false.
func (t *Boxes) Search(q Box, yield func(i int) bool) {
	if t.n > 0 {
		t.search(len(t.ends)-1, 0, q, yield)
	}
}

func (t *Boxes) search(level, i int, q Box, yield func(i int) bool) bool {
	start := 0
	if level > 0 {
		start = t.ends[level-1]
	}
	if !t.boxes[start+i].Intersects(q) {
		return true
	}
	if level == 0 {
		return yield(i)
	}
	first, children := i*fanout, t.childCount(level)
	for k := first; k < min(first+fanout, children); k++ {
		if !t.search(level-1, k, q, yield) {
			return false
		}
	}
	return true
}

func (t *Boxes) childCount(level int) int {
	if level == 1 {
		return t.n
	}
	return t.ends[level-1] - t.ends[level-2]
}

// Nearest calls yield with the items in the order of their distance until it returns false. boxDistance is a lower
// bound for the distance of everything in a box; itemDistance is an item's own, or +Inf to leave it out.
func (t *Boxes) Nearest(
	boxDistance func(Box) float64,
	itemDistance func(i int) float64,
	yield func(i int, distance float64) bool,
) {
	if t.n == 0 {
		return
	}
	q := nodeQueue{{level: len(t.ends) - 1, distance: boxDistance(t.boxes[len(t.boxes)-1])}}
	for len(q) > 0 {
		e := heap.Pop(&q).(queued)
		switch {
		case e.level < 0:
			if !yield(e.i, e.distance) {
				return
			}
		case e.level == 0:
			if d := itemDistance(e.i); !math.IsInf(d, 1) && !math.IsNaN(d) {
				heap.Push(&q, queued{-1, e.i, d})
			}
		default:
			start := 0
			if e.level > 1 {
				start = t.ends[e.level-2]
			}
			for k := e.i * fanout; k < min(e.i*fanout+fanout, t.childCount(e.level)); k++ {
				heap.Push(&q, queued{e.level - 1, k, boxDistance(t.boxes[start+k])})
			}
		}
	}
}

// queued is a box of a level, or with level -1 an item whose own distance is known.
type queued struct {
	level, i int
	distance float64
}

type nodeQueue []queued

func (q nodeQueue) Len() int { return len(q) }
func (q nodeQueue) Less(i, j int) bool {
	if q[i].distance != q[j].distance {
		return q[i].distance < q[j].distance
	}
	if q[i].level != q[j].level {
		return q[i].level > q[j].level // open boxes before handing out items at the same distance
	}
	return q[i].i < q[j].i
}
func (q nodeQueue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q *nodeQueue) Push(x any)   { *q = append(*q, x.(queued)) }
func (q *nodeQueue) Pop() any {
	old := *q
	e := old[len(old)-1]
	*q = old[:len(old)-1]
	return e
}
