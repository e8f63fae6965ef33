package road

import (
	"errors"
	"math"
	"math/bits"
	"slices"
)

// MostProven is up to how many stops between start and end the best order is proven to be the best; MostStops how many
// there may be at all.
const MostProven, MostStops = 12, 50

// ErrNoOrder is returned where no order of stops can be travelled.
var ErrNoOrder = errors.New("the stops cannot all be reached from one another, in any order")

// BestOrder returns the order in which stops are visited at the least cost from the first to the last of a square
// matrix of costs, NaN where there is no way. Up to MostProven stops between them it is the best there is (Held and
// Karp
// 1962); above, one that no exchange of two stretches and no moving of a stop improves (Croes 1958; Or 1976).
func BestOrder(cost [][]float64) (order []int, proven bool, err error) {
	n := len(cost) - 2
	if n <= 0 {
		return nil, true, nil
	}
	c := func(i, j int) float64 {
		if v := cost[i][j]; !math.IsNaN(v) {
			return v
		}
		return math.Inf(1)
	}
	if n <= MostProven {
		order = heldKarp(n, c)
	} else {
		order = improved(n, c)
	}
	if len(order) < n || math.IsInf(tourCost(order, n, c), 1) {
		return nil, false, ErrNoOrder
	}
	return order, n <= MostProven, nil
}

// heldKarp numbers the stops 1 to n, the start 0, the end n+1. It returns nil where no order can be travelled.
func heldKarp(n int, c func(i, j int) float64) []int {
	best := make([][]float64, 1<<n)
	from := make([][]int8, 1<<n)
	for set := 1; set < 1<<n; set++ {
		best[set], from[set] = make([]float64, n), make([]int8, n)
		for last := range n {
			best[set][last] = math.Inf(1)
			if set>>last&1 == 0 {
				continue
			}
			rest := set &^ (1 << last)
			if rest == 0 {
				best[set][last], from[set][last] = c(0, last+1), -1
				continue
			}
			for before := range n {
				if rest>>before&1 == 1 {
					if v := best[rest][before] + c(before+1, last+1); v < best[set][last] {
						best[set][last], from[set][last] = v, int8(before)
					}
				}
			}
		}
	}
	all, last, least := 1<<n-1, 0, math.Inf(1)
	for k := range n {
		if v := best[all][k] + c(k+1, n+1); v < least {
			last, least = k, v
		}
	}
	if math.IsInf(least, 1) {
		return nil
	}
	order := make([]int, 0, n)
	for set := all; bits.OnesCount(uint(set)) > 0; {
		order = append(order, last+1)
		before := from[set][last]
		set &^= 1 << last
		last = int(max(0, before))
	}
	slices.Reverse(order)
	return order
}

func tourCost(order []int, n int, c func(i, j int) float64) float64 {
	sum, at := 0.0, 0
	for _, k := range order {
		sum, at = sum+c(at, k), k
	}
	return sum + c(at, n+1)
}

// improved begins with the nearest stop each time, and exchanges until nothing is better.
func improved(n int, c func(i, j int) float64) []int {
	var order []int
	left := make([]int, n)
	for i := range left {
		left[i] = i + 1
	}
	for at := 0; len(left) > 0; {
		k := 0
		for i := range left {
			if c(at, left[i]) < c(at, left[k]) {
				k = i
			}
		}
		at = left[k]
		order, left = append(order, at), slices.Delete(left, k, k+1)
	}
	best := tourCost(order, n, c)
	for better := true; better; {
		better = false
		try := func(next []int) {
			if v := tourCost(next, n, c); v < best-1e-9 {
				order, best, better = next, v, true
			}
		}
		for i := range n {
			for j := range n {
				if i < j {
					next := slices.Clone(order)
					slices.Reverse(next[i : j+1])
					try(next)
				}
				if i != j {
					next := slices.Delete(slices.Clone(order), i, i+1)
					try(slices.Insert(next, j, order[i]))
				}
			}
		}
	}
	return order
}
