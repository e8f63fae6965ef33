package catalog

import (
	"viandante/core/geo"
	"viandante/core/mercator"
	"viandante/core/spatial"
	"viandante/core/tile"
)

// Mark is a place on a tile, or several in one cell of it.
type Mark struct {
	Count int
	// At is the place's position, or the middle of those that it stands for.
	At geo.Point
	// Cell is that of several, Row a single one.
	Cell geo.Box
	Row  Row
}

// markDepth divides a tile into 16 by 16 cells; with tiles of 512 pixels a cell is a little wider than a stone.
const (
	markDepth = 4
	markSide  = 1 << markDepth
)

// MaxMarkZoom leaves the cells of the deepest tiles some centimetres.
const MaxMarkZoom = 22

// cell gathers the places of a cell.
type cell struct {
	count int
	x, y  float64
	items [][]uint32 // of the base
	fresh []uint32
}

// Marks returns the places of a tile of the map, those that share a cell together as one mark, in the order of the
// cells. Without collections or categories all of them count.
func (s *Snapshot) Marks(v View, id tile.ID, collections, categories []string) []Mark {
	only := s.groupsOf(v, collections, categories, nil)
	var cells [markSide * markSide]cell
	for g, q := range s.base.quads() {
		if !only[g] {
			continue
		}
		q.Cells(id.Z, id.X, id.Y, markDepth, func(c spatial.QuadCell) {
			k := &cells[c.Row*markSide+c.Column]
			k.count += len(c.Items)
			k.x, k.y = k.x+c.X, k.y+c.Y
			k.items = append(k.items, c.Items)
		})
	}
	add := func(item uint32, count int) *cell {
		k, i := s.at(item)
		if k.at[i].Lat == nowhere || !only[k.group[i]] {
			return nil
		}
		p := k.at[i].Point()
		column, row, ok := spatial.QuadCellOf(p, id.Z, id.X, id.Y, markDepth)
		if !ok {
			return nil
		}
		c := &cells[row*markSide+column]
		px, py := mercator.Project(p)
		c.count, c.x, c.y = c.count+count, c.x+float64(count)*px, c.y+float64(count)*py
		return c
	}
	for _, item := range s.died {
		if item < s.base.next {
			add(item, -1)
		}
	}
	for _, item := range s.fresh {
		if s.holds(item) {
			if c := add(item, 1); c != nil {
				c.fresh = append(c.fresh, item)
			}
		}
	}
	return s.marked(id, cells[:])
}

func (s *Snapshot) marked(id tile.ID, cells []cell) []Mark {
	var out []Mark
	for i := range cells {
		switch k := &cells[i]; {
		case k.count == 1:
			if item, ok := s.single(k); ok {
				r := s.row(item)
				out = append(out, Mark{Count: 1, At: r.Point(), Row: r})
			}
		case k.count > 1:
			n := float64(int(1) << (id.Z + markDepth))
			left, top := float64(id.X*markSide+i%markSide)/n, float64(id.Y*markSide+i/markSide)/n
			nw, se := mercator.Unproject(left, top), mercator.Unproject(left+1/n, top+1/n)
			out = append(out, Mark{Count: k.count, At: mercator.Unproject(k.x/float64(k.count), k.y/float64(k.count)),
				Cell: geo.Box{South: se.Lat(), West: nw.Lng(), North: nw.Lat(), East: se.Lng()}})
		}
	}
	return out
}

// single returns the one item of a cell that is left when those that have gone are taken out of it.
func (s *Snapshot) single(c *cell) (uint32, bool) {
	if len(c.fresh) == 1 {
		return c.fresh[0], true
	}
	for _, list := range c.items {
		for _, item := range list {
			if s.holds(item) {
				return item, true
			}
		}
	}
	return 0, false
}
