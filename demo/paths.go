package demo

import (
	"math"
	"slices"
)

// traveller finds ways over the land, as people have trodden and built them: A* over a grid of 50 m with sixteen
// directions, the cost of a stretch growing with its steepness.
type traveller struct {
	m     *Island
	cost  []float64
	from  []int32
	mark  []int32
	round int32
	roads []bool // where a road lies already
}

// manner says what a kind of way shuns and seeks.
type manner struct {
	ease    float64 // the grade that doubles the cost of a metre
	shore   float64 // least metres from the sea
	bridge  float64 // what crossing a river costs, in metres
	follow  float64 // the share of the cost on a road that is there already
	seaside bool    // keep within sight of the sea
	heights bool    // keep to the ridges
	afloat  bool    // over the sea
}

var sixteen = [16][2]int{{1, 0}, {0, 1}, {-1, 0}, {0, -1}, {1, 1}, {-1, 1}, {-1, -1}, {1, -1},
	{2, 1}, {1, 2}, {-1, 2}, {-2, 1}, {-2, -1}, {-1, -2}, {1, -2}, {2, -1}}

func newTraveller(m *Island) *traveller {
	n := len(m.land.broad.v)
	return &traveller{
		m:     m,
		cost:  make([]float64, n),
		from:  make([]int32, n),
		mark:  make([]int32, n),
		roads: make([]bool, n),
	}
}

// anyRoad as a goal stands for the nearest road.
var anyRoad = spot{math.Inf(1), 0}

// find returns the cells of the way between two spots, or nil.
func (t *traveller) find(a, b spot, how manner) []int {
	f, land := t.m.land.broad, t.m.land
	start, goal := f.cell(a), -1
	end, least := a, 0.0
	if b != anyRoad {
		goal = f.cell(b)
		end, least = f.spot(goal), min(1, how.follow)
	}
	t.round++
	open := floodHeap{}
	t.cost[start], t.from[start], t.mark[start] = 0, -1, t.round
	open.push(0, int32(start))
	steps := [3]float64{f.step, f.step * math.Sqrt2, f.step * math.Sqrt(5)}
	for len(open.items) > 0 {
		at := open.items[0]
		i := int(open.pop())
		if i == goal || goal < 0 && t.roads[i] {
			var out []int
			for k := int32(i); k >= 0; k = t.from[k] {
				out = append(out, int(k))
			}
			slices.Reverse(out)
			return out
		}
		p := f.spot(i)
		if at.level > t.cost[i]+least*distance(p, end)+1e-6 {
			continue
		}
		x, y := i%f.w, i/f.w
		for k, s := range sixteen {
			nx, ny := x+s[0], y+s[1]
			if nx < 2 || ny < 2 || nx >= f.w-2 || ny >= f.h-2 {
				continue
			}
			j := ny*f.w + nx
			if how.afloat {
				if f.v[j] > -6 && distance(f.spot(j), a) > 450 && distance(f.spot(j), end) > 450 {
					continue
				}
			} else if f.v[j] <= 0.3 || land.inLake[j] || land.toSea.v[j] < how.shore && j != goal {
				continue
			}
			length := steps[min(k/4, 2)]
			grade := math.Abs(f.v[j]-f.v[i]) / length
			e := grade / how.ease
			c := length * (1 + e*e)
			if how.afloat {
				c, grade = length*(1+0.6*clamp((f.v[j]+25)/20, 0, 4)), 0
			}
			if grade > 0.16 {
				c *= 1 + 30*(grade-0.16)
			}
			if how.seaside {
				c *= 1 + math.Abs(land.toSea.v[j]-110)/260
			}
			if how.heights {
				c *= 0.35 + 1.6*clamp(1-f.v[j]/700, 0, 1)
			}
			if t.roads[j] && t.roads[i] {
				c *= how.follow
			}
			if land.drain.area[j] >= riverArea && land.drain.area[i] < riverArea {
				c += how.bridge
			} else if land.drain.area[j] >= streamArea && land.drain.area[i] < streamArea {
				c += how.bridge / 8
			}
			next := t.cost[i] + c
			if t.mark[j] == t.round && t.cost[j] <= next {
				continue
			}
			t.cost[j], t.from[j], t.mark[j] = next, int32(i), t.round
			open.push(next+least*distance(f.spot(j), end), int32(j))
		}
	}
	return nil
}

// lay builds a way from a to b into the web: where it follows a road that is there, it is that road.
func (t *traveller) lay(a, b spot, how manner, road line) bool {
	cells := t.find(a, b, how)
	if cells == nil {
		return false
	}
	f := t.m.land.broad
	for start := 0; start+1 < len(cells); {
		if t.roads[cells[start]] && t.roads[cells[start+1]] {
			start++
			continue
		}
		end := start + 1
		for end+1 < len(cells) && !t.roads[cells[end]] {
			end++
		}
		var points []spot
		for _, c := range cells[start : end+1] {
			points = append(points, f.spot(c))
		}
		if start == 0 {
			points[0] = a
		}
		if end == len(cells)-1 && b != anyRoad {
			points[len(points)-1] = b
		}
		l := road
		l.points = ease(points)
		t.m.dig(&l)
		t.m.web.add(&l, 110)
		start = end
	}
	for k, c := range cells {
		t.roads[c] = true
		if k > 0 { // knight's moves pass between points
			t.roads[f.cell(f.spot(cells[k-1]).to(f.spot(c), 0.5))] = true
		}
	}
	return true
}

// ease turns the steps of a grid into the bends of a road, both ends held.
func ease(points []spot) []spot {
	fine := []spot{points[0]}
	for i := 1; i < len(points); i++ {
		n := int(distance(points[i-1], points[i])/30) + 1
		for k := 1; k <= n; k++ {
			fine = append(fine, points[i-1].to(points[i], float64(k)/float64(n)))
		}
	}
	for range 14 {
		for i := 1; i < len(fine)-1; i++ {
			fine[i] = fine[i].to(fine[i-1].to(fine[i+1], 0.5), 0.6)
		}
	}
	return fine
}

// dig bores a road's tunnel where it would climb much for little: the best of its stretches, kept for build to split
// off.
func (m *Island) dig(l *line) {
	if l.class != "secondary" && l.class != "primary" && l.class != "tertiary" || m.tunnels >= 2 {
		return
	}
	along := make([]float64, len(l.points))
	for i := 1; i < len(l.points); i++ {
		along[i] = along[i-1] + distance(l.points[i-1], l.points[i])
	}
	best, from, to := 260.0, -1, -1
	for i := 4; i < len(l.points)-6; i += 2 {
		for k := i + 6; k < len(l.points)-4; k += 2 {
			a, b := l.points[i], l.points[k]
			straight := distance(a, b)
			if straight < 180 || straight > 1300 {
				continue
			}
			ha, hb := m.land.heights.at(a), m.land.heights.at(b)
			over, ok := 0.0, math.Abs(ha-hb)/straight < 0.09
			for s := 0.12; s < 0.9 && ok; s += 0.08 {
				above := m.land.heights.at(a.to(b, s)) - lerp(ha, hb, s)
				over = max(over, above)
				ok = above > 2
			}
			if gain := along[k] - along[i] - straight + over*5; ok && over > 20 && gain > best {
				best, from, to = gain, i, k
			}
		}
	}
	if from < 0 {
		return
	}
	m.tunnels++
	bore := *l
	bore.points = []spot{l.points[from], l.points[to]}
	bore.tunnel = true
	rest := *l
	rest.points = slices.Clone(l.points[to:])
	l.points = slices.Clone(l.points[:from+1])
	m.later = append(m.later, &rest, &bore)
}
