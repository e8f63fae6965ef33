package road_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/road"
)

// costs are those of random positions on a plane, by one-way detours of their own; some pairs have no way.
func costs(rnd *rand.Rand, n int, gaps bool) [][]float64 {
	x, y := make([]float64, n), make([]float64, n)
	for i := range n {
		x[i], y[i] = rnd.Float64(), rnd.Float64()
	}
	out := make([][]float64, n)
	for i := range n {
		out[i] = make([]float64, n)
		for k := range n {
			out[i][k] = math.Hypot(x[i]-x[k], y[i]-y[k]) * (1 + rnd.Float64()/2)
			if gaps && rnd.IntN(3) == 0 {
				out[i][k] = math.NaN()
			}
		}
	}
	return out
}

func along(cost [][]float64, order []int) float64 {
	sum, at := 0.0, 0
	for _, k := range append(order, len(cost)-1) {
		sum, at = sum+cost[at][k], k
	}
	return sum
}

// least tries all orders.
func least(cost [][]float64, done []int, left []int) float64 {
	if len(left) == 0 {
		if v := along(cost, append([]int{}, done...)); !math.IsNaN(v) {
			return v
		}
		return math.Inf(1)
	}
	best := math.Inf(1)
	for i, k := range left {
		rest := append(append([]int{}, left[:i]...), left[i+1:]...)
		best = math.Min(best, least(cost, append(append([]int{}, done...), k), rest))
	}
	return best
}

func TestTheBestOrderIsTheBest(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 4))
	none := 0
	for range 60 {
		n := rnd.IntN(7)
		cost := costs(rnd, n+2, rnd.IntN(2) == 0)
		all := make([]int, n)
		for i := range all {
			all[i] = i + 1
		}
		want := least(cost, nil, all)
		order, proven, err := road.BestOrder(cost)
		if n > 0 && math.IsInf(want, 1) {
			require.ErrorIs(t, err, road.ErrNoOrder)
			none++
			continue
		}
		require.NoError(t, err)
		assert.True(t, proven)
		if n > 0 {
			assert.InDelta(t, want, along(cost, order), 1e-9)
			assert.ElementsMatch(t, all, order)
		}
	}
	assert.Greater(t, none, 3)
}

func TestManyStopsAreNoWorseThanInTheirOrder(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 4))
	cost := costs(rnd, 42, false)
	order, proven, err := road.BestOrder(cost)
	require.NoError(t, err)
	assert.False(t, proven)
	asked := make([]int, 40)
	for i := range asked {
		asked[i] = i + 1
	}
	assert.ElementsMatch(t, asked, order)
	assert.Less(t, along(cost, order), along(cost, asked)/2)
}
