package spatial

import (
	"math"
	"sync"

	"viandante/core/geo"
)

// Points is an immutable index over positions on the earth: a k-d tree (Bentley 1975) in space, with its points in
// leaves of eight. In three dimensions there is no antimeridian and no pole.
//
// An entry is 24 bytes: where the point lies on WGS 84, as Cartesian coordinates in units of 3 mm, its position to
// 1e-7 degree, and the item's number. The chord between two points is compared without any trigonometry, bounds on the
// geodesic follow from it (bounds.go), and the exact distance is computed only where it is asked for, from what lies
// in the same cache line.
//
// The entries lie in the order of the leaves. A node is the least box round its entries, 24 bytes; nodes lie in
// preorder, so that the left child of a node is the next one and the right child follows all of the left's. A node is
// split half way along the widest side of its box, by the count of its leaves, so neither the children's places nor
// their ranges are stored. That comes to 30 bytes a point. Building costs O(n log n), a search O(log n + k).
type Points struct {
	entries []entry
	nodes   []node
}

type entry struct {
	at   [3]int32 // in units from the middle of the earth
	e7   geo.E7
	item uint32
}

type node struct{ low, high [3]int32 }

// leafEntries is how many entries a leaf has at most.
const leafEntries = 8

// Found is an item with its geodesic distance in metres.
type Found struct {
	Item      uint32
	DistanceM float64
}

// NewPoints indexes those of the items whose position, as at tells it, is one. It takes one core, so that whoever
// asks meanwhile has the others; NewPointsAtOnce takes all of them.
func NewPoints(items []uint32, at func(item uint32) geo.E7) *Points { return newPoints(items, at, 1) }

// atOnce is on how many goroutines an index is built that is waited for.
const atOnce = 8

// NewPointsAtOnce is NewPoints on all cores; at is called by several goroutines.
func NewPointsAtOnce(items []uint32, at func(item uint32) geo.E7) *Points {
	return newPoints(items, at, atOnce)
}

func newPoints(items []uint32, at func(item uint32) geo.E7, cores int) *Points {
	t := &Points{entries: make([]entry, len(items))}
	share := len(items)/cores + 1
	var placing sync.WaitGroup
	for from := 0; from < len(items); from += share {
		to := min(from+share, len(items))
		place := func() {
			for i, item := range items[from:to] {
				e7 := at(item)
				if p := e7.Point(); p.IsValid() {
					t.entries[from+i] = entry{inSpace(p), e7, item}
				} else {
					t.entries[from+i].e7.Lat = math.MinInt32
				}
			}
		}
		if cores == 1 {
			place()
			continue
		}
		placing.Go(place)
	}
	placing.Wait()
	known := t.entries[:0]
	for _, e := range t.entries {
		if e.e7.Lat != math.MinInt32 {
			known = append(known, e)
		}
	}
	t.entries = known
	if len(known) < len(items)*3/4 {
		t.entries = append(make([]entry, 0, len(known)), known...)
	}
	if len(known) > 0 {
		t.nodes = make([]node, 2*leavesOf(len(known))-1)
		build(t.entries, t.nodes, cores)
	}
	return t
}

// Len returns the number of points indexed.
func (t *Points) Len() int { return len(t.entries) }

// Bytes returns what the index takes.
func (t *Points) Bytes() int { return cap(t.entries)*24 + cap(t.nodes)*24 }

func leavesOf(entries int) int { return (entries + leafEntries - 1) / leafEntries }

// leftOf returns how many entries and nodes the left child of a node has.
func leftOf(entries int) (left, nodes int) {
	leaves := leavesOf(entries) / 2
	return leaves * leafEntries, 2*leaves - 1
}

// beside is how many entries are worth a goroutine of their own.
const beside = 20_000

// build sorts entries into leaves and writes the boxes of their nodes.
func build(entries []entry, nodes []node, cores int) {
	n := node{entries[0].at, entries[0].at}
	for i := range entries {
		at := &entries[i].at
		for k := range at {
			n.low[k], n.high[k] = min(n.low[k], at[k]), max(n.high[k], at[k])
		}
	}
	nodes[0] = n
	if len(nodes) == 1 {
		return
	}
	axis, widest := 0, int64(-1)
	for k := range n.low {
		if wide := int64(n.high[k]) - int64(n.low[k]); wide > widest {
			axis, widest = k, wide
		}
	}
	left, nodesLeft := leftOf(len(entries))
	selectMedian(entries, left, axis)
	if cores > 1 && len(entries) > beside {
		var other sync.WaitGroup
		other.Go(func() { build(entries[:left], nodes[1:1+nodesLeft], cores/2) })
		build(entries[left:], nodes[1+nodesLeft:], cores-cores/2)
		other.Wait()
		return
	}
	build(entries[:left], nodes[1:1+nodesLeft], 1)
	build(entries[left:], nodes[1+nodesLeft:], 1)
}

// selectMedian is Hoare's selection with the median of three as pivot: afterwards everything left of mid is no greater
// on the axis, everything from mid on no less.
func selectMedian(entries []entry, mid, axis int) {
	lo, hi := 0, len(entries)-1
	for lo < hi {
		a, b, c := entries[lo].at[axis], entries[(lo+hi)/2].at[axis], entries[hi].at[axis]
		pivot := max(min(a, b), min(max(a, b), c))
		i, j := lo, hi
		for i <= j {
			for entries[i].at[axis] < pivot {
				i++
			}
			for entries[j].at[axis] > pivot {
				j--
			}
			if i <= j {
				entries[i], entries[j] = entries[j], entries[i]
				i++
				j--
			}
		}
		switch {
		case mid <= j:
			hi = j
		case mid >= i:
			lo = i
		default:
			return
		}
	}
}

// chord2 returns the square of the distance from a point in space to the box, in units.
func (n *node) chord2(c *[3]float64) float64 {
	sum := 0.0
	for k := range c {
		d := max(float64(n.low[k])-c[k], c[k]-float64(n.high[k]), 0)
		sum += d * d
	}
	return sum
}

func (e *entry) chord2(c *[3]float64) float64 {
	x, y, z := float64(e.at[0])-c[0], float64(e.at[1])-c[1], float64(e.at[2])-c[2]
	return x*x + y*y + z*z
}
