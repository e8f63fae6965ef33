package spatial

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/mercator"
)

// The cells of tiles at random, of points crowded and scattered, hold what a scan of all points finds in them.
func TestQuadCellsAgainstAScan(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	points := make([]geo.Point, 4000)
	items := []uint32{}
	for i := range points {
		switch r.IntN(4) {
		case 0:
			points[i] = geo.MustPoint(r.Float64()*180-90, r.Float64()*360-180)
		case 1:
			points[i] = geo.MustPoint(-38+0.01*r.Float64(), -26+0.01*r.Float64())
		case 2:
			points[i] = geo.MustPoint(-38, -26)
		} // and some that are not valid
		if r.IntN(10) > 0 {
			items = append(items, uint32(i))
		}
	}
	q := NewQuad(items, func(i uint32) geo.Point { return points[i] })
	type cell struct{ column, row int }
	for range 400 {
		z, depth := r.IntN(20), r.IntN(6)
		x, y := r.IntN(1<<z), r.IntN(1<<z)
		if p := points[items[r.IntN(len(items))]]; p.IsValid() && r.IntN(4) > 0 {
			px, py := mercator.Project(p)
			x, y = min(1<<z-1, int(px*float64(int(1)<<z))), min(1<<z-1, int(py*float64(int(1)<<z)))
		}
		want, sums := map[cell]int{}, map[cell]float64{}
		for _, i := range items {
			if !points[i].IsValid() {
				continue
			}
			px, py := mercator.Project(points[i])
			side := math.Ldexp(1, z+depth)
			cx, cy := int(math.Min(side-1, px*side)), int(math.Min(side-1, py*side))
			if cx>>depth == x && cy>>depth == y {
				want[cell{cx - x<<depth, cy - y<<depth}]++
				sums[cell{cx - x<<depth, cy - y<<depth}] += px
				column, row, ok := QuadCellOf(points[i], z, x, y, depth)
				require.True(t, ok)
				require.Equal(t, cell{cx - x<<depth, cy - y<<depth}, cell{column, row})
			}
		}
		got := map[cell]int{}
		q.Cells(z, x, y, depth, func(c QuadCell) {
			at := cell{c.Column, c.Row}
			assert.Zero(t, got[at], "each cell once")
			got[at] = len(c.Items)
			assert.InDelta(t, sums[at], c.X, 1e-9*float64(len(c.Items)))
		})
		require.Equal(t, want, got, "%d/%d/%d by %d", z, x, y, depth)
	}
	NewQuad(nil, nil).Cells(0, 0, 0, 4, func(QuadCell) { t.Error("nothing holds nothing") })
	_, _, ok := QuadCellOf(geo.MustPoint(10, 10), 3, 0, 0, 4)
	assert.False(t, ok)
}
