package catalog

import (
	"bytes"
	"slices"
	"sync"

	"github.com/google/uuid"

	"viandante/core/spatial"
)

// run is an index over some items.
type run struct {
	points *spatial.Points
	byID   []uint32
}

// mergedAtOnce is the size up to which runs are merged by whoever writes.
const mergedAtOnce = 8192

// newRun indexes items, which are in the order of their ids and belong to it from now on.
func newRun(s *Snapshot, items []uint32) *run { return &run{spatial.NewPoints(items, s.e7), items} }

func (s *Snapshot) id(item uint32) uuid.UUID {
	k, i := s.at(item)
	return k.ids[i]
}

func (s *Snapshot) byID(a, b uint32) int {
	x, y := s.id(a), s.id(b)
	return bytes.Compare(x[:], y[:])
}

// mergeRuns merges the last runs, the base apart, until each is more than twice as large as the one after it, or as
// large as a writer has time for.
func (s *Snapshot) mergeRuns() {
	for n := len(s.runs); n > 2; n = len(s.runs) {
		a, b := s.runs[n-2].byID, s.runs[n-1].byID
		if len(a) > 2*len(b) || len(a)+len(b) > mergedAtOnce {
			return
		}
		s.runs = append(s.runs[:n-2], newRun(s, s.merged(a, b)))
	}
}

// merged returns those of two runs' items that hold, in the order of their ids.
func (s *Snapshot) merged(a, b []uint32) []uint32 {
	out := make([]uint32, 0, len(a)+len(b))
	for len(a) > 0 || len(b) > 0 {
		var item uint32
		if len(b) == 0 || len(a) > 0 && s.byID(a[0], b[0]) < 0 {
			item, a = a[0], a[1:]
		} else {
			item, b = b[0], b[1:]
		}
		if s.holds(item) {
			out = append(out, item)
		}
	}
	return out
}

// inOrder returns all items that hold, in the order of their ids.
func (s *Snapshot) inOrder() []uint32 {
	var fresh []uint32
	for i := len(s.runs) - 1; i > 0; i-- { // the small ones first
		fresh = s.merged(fresh, s.runs[i].byID)
	}
	return s.merged(s.runs[0].byID, fresh)
}

// find returns the item of a feature.
func (s *Snapshot) find(id uuid.UUID) (uint32, bool) {
	for i := len(s.runs) - 1; i >= 0; i-- {
		items := s.runs[i].byID
		at, _ := slices.BinarySearchFunc(items, id, func(item uint32, id uuid.UUID) int {
			own := s.id(item)
			return bytes.Compare(own[:], id[:])
		})
		for ; at < len(items) && s.id(items[at]) == id; at++ {
			if s.holds(items[at]) {
				return items[at], true
			}
		}
	}
	return 0, false
}

// base is what goes with the first run: how many items it has, and its places by the cells of the map, by group.
type base struct {
	n     int
	next  uint32 // items from here on came later
	quads func() map[uint32]*spatial.Quad
	boxes func() *shapeBoxes
}

func newBase(s *Snapshot, items []uint32) *base {
	boxes := sync.OnceValue(func() *shapeBoxes { return newShapeBoxes(s, items) })
	return &base{len(items), s.next, sync.OnceValue(func() map[uint32]*spatial.Quad {
		of := map[uint32][]uint32{}
		for _, item := range items {
			k, i := s.at(item)
			if k.at[i].Lat != nowhere {
				of[k.group[i]] = append(of[k.group[i]], item)
			}
		}
		out := make(map[uint32]*spatial.Quad, len(of))
		for g, list := range of {
			out[g] = spatial.NewQuad(list, s.point)
		}
		return out
	}), boxes}
}
