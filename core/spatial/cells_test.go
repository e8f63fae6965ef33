package spatial

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"viandante/core/geo"
)

// randomBox is a box of any size, often small, often across the antimeridian, sometimes at a pole.
func randomBox(r *rand.Rand) geo.Box {
	size := math.Pow(10, -4+6*r.Float64())
	lat, lng := -90+180*r.Float64(), -180+360*r.Float64()
	if r.IntN(4) == 0 {
		lng = 180 - size*r.Float64()
	}
	south, north := max(-90, lat-size/2), min(90, lat+size/2)
	if size >= 180 || r.IntN(50) == 0 {
		return geo.Box{South: south, West: -180, North: north, East: 180}
	}
	return geo.Box{South: south, West: geo.WrapLng(lng - size), North: north, East: geo.WrapLng(lng + size)}
}

// What the grid tells is what a look at all boxes tells, while boxes come, move and go.
func TestCellsFindWhatAScanFinds(t *testing.T) {
	const seed = 15
	r := rand.New(rand.NewPCG(seed, 1))
	grid, all := NewCells[int](), map[int]geo.Box{}
	for round := range 4000 {
		item := r.IntN(600)
		if r.IntN(5) == 0 {
			grid.Remove(item)
			delete(all, item)
		} else {
			b := randomBox(r)
			if old, known := all[item]; known && r.IntN(2) == 0 { // a little further
				b = old
				b.North = min(90, b.North+1e-5)
			}
			grid.Put(item, b)
			all[item] = b
		}
		if round%10 > 0 {
			continue
		}
		p := geo.MustPoint(-90+180*r.Float64(), -180+360*r.Float64())
		if r.IntN(3) == 0 {
			p = geo.MustPoint(p.Lat(), []float64{-180, 180}[r.IntN(2)])
		}
		if r.IntN(20) == 0 {
			p = geo.MustPoint([]float64{-90, 90}[r.IntN(2)], p.Lng())
		}
		var want, got []int
		for k, b := range all {
			if b.Contains(p) {
				want = append(want, k)
			}
		}
		grid.At(p, func(k int) { got = append(got, k) })
		slices.Sort(want)
		slices.Sort(got)
		assert.Equal(t, want, got, "seed %d, round %d, at %v", seed, round, p)

		q := randomBox(r)
		want, got = nil, nil
		for k, b := range all {
			if b.Intersects(q) {
				want = append(want, k)
			}
		}
		grid.In(q, func(k int) { got = append(got, k) })
		slices.Sort(want)
		slices.Sort(got)
		assert.Equal(t, want, got, "seed %d, round %d, in %v", seed, round, q)
	}
	assert.Equal(t, len(all), grid.Len())
	for k := range all {
		grid.Remove(k)
	}
	assert.Zero(t, grid.Len())
	assert.Empty(t, grid.cells)
}
