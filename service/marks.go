package service

import (
	"context"
	"fmt"
	"slices"

	"viandante/core/geo"
	"viandante/core/mercator"
	"viandante/core/spatial"
	"viandante/core/tile"
	"viandante/store"
)

// Mark is a place on a tile, or several in one cell of it.
type Mark struct {
	Count int `json:"count"`
	// At is lng, lat: the place's, or the middle of those that it stands for.
	At [2]float64 `json:"at"`
	// BBox is the cell of several: west, south, east, north.
	BBox []float64 `json:"bbox,omitempty"`
	// ID and the rest are those of a single place.
	ID         string `json:"id,omitempty"`
	Name       string `json:"name,omitempty"`
	Category   string `json:"category,omitempty"`
	Collection string `json:"collection,omitempty"`
}

// markDepth divides a tile into 16 by 16 cells; with tiles of 512 pixels a cell is a little wider than a stone.
const markDepth = 4

// maxMarkZoom leaves the cells of the deepest tiles some centimetres.
const maxMarkZoom = 22

// group is what a filter selects as a whole.
type group struct{ collection, category string }

// quads index a base by group; they are built when first asked for.
func quads(base []*store.Feature) map[group]*spatial.Quad {
	points := make([]geo.Point, len(base))
	items := map[group][]int32{}
	for i, f := range base {
		points[i] = f.At
		if f.At.IsValid() {
			g := group{f.Collection, f.Category}
			items[g] = append(items[g], int32(i))
		}
	}
	out := make(map[group]*spatial.Quad, len(items))
	for g, list := range items {
		out[g] = spatial.NewQuad(points, list)
	}
	return out
}

// Marks returns the places of a tile of the map, those that share a cell together as one mark, in the order of the cells.
// Without collections or categories all of them count.
func (v *Service) Marks(ctx context.Context, a Actor, id tile.ID, collections, categories []string) ([]Mark, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	if id.Z < 0 || id.Z > maxMarkZoom || id.X < 0 || id.Y < 0 || id.X >= 1<<id.Z || id.Y >= 1<<id.Z {
		return nil, Refuse("tile", fmt.Sprintf("%d/%d/%d", id.Z, id.X, id.Y), fmt.Errorf("z is from 0 to %d, x and y are from 0 to 2^z - 1", maxMarkZoom))
	}
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return nil, err
	}
	s := x.now.Load()
	wanted := func(f group) bool {
		return (len(collections) == 0 || slices.Contains(collections, f.collection)) && (len(categories) == 0 || slices.Contains(categories, f.category))
	}
	const side = 1 << markDepth
	type cell struct {
		count int
		x, y  float64
		items [][]int32
		fresh []*store.Feature
	}
	cells := make([]cell, side*side)
	for g, q := range s.quads() {
		if wanted(g) {
			q.Cells(id.Z, id.X, id.Y, markDepth, func(c spatial.QuadCell) {
				k := &cells[c.Row*side+c.Column]
				k.count += len(c.Items)
				k.x, k.y = k.x+c.X, k.y+c.Y
				k.items = append(k.items, c.Items)
			})
		}
	}
	add := func(f *store.Feature, count int) *cell {
		if f == nil || !f.At.IsValid() || !wanted(group{f.Collection, f.Category}) {
			return nil
		}
		column, row, ok := spatial.QuadCellOf(f.At, id.Z, id.X, id.Y, markDepth)
		if !ok {
			return nil
		}
		k := &cells[row*side+column]
		px, py := mercator.Project(f.At)
		k.count, k.x, k.y = k.count+count, k.x+float64(count)*px, k.y+float64(count)*py
		return k
	}
	for _, i := range s.replaced {
		add(s.base[i], -1)
	}
	for _, c := range s.recent {
		if k := add(c.feature, 1); k != nil {
			k.fresh = append(k.fresh, c.feature)
		}
	}
	out := []Mark{}
	for i := range cells {
		k := &cells[i]
		switch {
		case k.count == 1:
			f := s.single(k.items, k.fresh)
			if f == nil {
				continue
			}
			p := present(a, f)
			out = append(out, Mark{Count: 1, At: [2]float64{f.At.Lng(), f.At.Lat()}, ID: p.ID, Name: f.Name, Category: f.Category, Collection: f.Collection})
		case k.count > 1:
			n := float64(int(1) << (id.Z + markDepth))
			left, top := float64(id.X*side+i%side)/n, float64(id.Y*side+i/side)/n
			nw, se := mercator.Unproject(left, top), mercator.Unproject(left+1/n, top+1/n)
			middle := mercator.Unproject(k.x/float64(k.count), k.y/float64(k.count))
			out = append(out, Mark{Count: k.count, At: [2]float64{middle.Lng(), middle.Lat()}, BBox: []float64{nw.Lng(), se.Lat(), se.Lng(), nw.Lat()}})
		}
	}
	return out, nil
}

// single returns the one feature of a cell that is left when those that have changed are taken out of it.
func (s *snapshot) single(items [][]int32, fresh []*store.Feature) *store.Feature {
	if len(fresh) == 1 {
		return fresh[0]
	}
	for _, list := range items {
		for _, i := range list {
			if !s.isReplaced(i) {
				return s.base[i]
			}
		}
	}
	return nil
}

// Counts returns how many features each collection has.
func (v *Service) Counts(ctx context.Context, a Actor) (map[string]int, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return nil, err
	}
	s := x.now.Load()
	counts := map[string]int{}
	for collection, n := range s.counts {
		counts[collection] = n
	}
	for _, i := range s.replaced {
		counts[s.base[i].Collection]--
	}
	for _, c := range s.recent {
		if c.feature != nil {
			counts[c.feature.Collection]++
		}
	}
	return counts, nil
}
