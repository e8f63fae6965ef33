package demo

import (
	"cmp"
	"math"
	"slices"
)

// The island's plane in metres: the height field reaches a little beyond the coasts.
const (
	west, south, east, north = -23000, -15500, 23000, 15500
	coarseStep               = 100
	fineStep                 = 25
)

// terrain is the lie of the land: heights in metres above the sea, and what follows from them.
type terrain struct {
	heights *field // every 25 m; the sea is at or below 0
	broad   *field // every 50 m, what roads and rivers are planned on
	toSea   *field // metres from the sea, 0 in it
	drain   drainage
	lake    [][]spot
	inLake  []bool // over broad
	lakeAt  float64
	peaks   []spot
}

// drainage says where water runs: each point's next one on the way to the sea, the order from the sea upwards, and the
// area that drains through each point in square metres.
type drainage struct {
	order, receiver []int32
	area            []float64
}

// drainageOf routes the water of a field to its sea, points at or below 0, by flooding it from there upwards (Barnes,
// Lehman and Mulla 2014): hollows drain over their rims.
func drainageOf(f *field) drainage {
	n := len(f.v)
	d := drainage{order: make([]int32, 0, n), receiver: make([]int32, n), area: make([]float64, n)}
	level := make([]float64, n)
	var open floodHeap
	for i := range n {
		d.receiver[i] = -1
		x, y := i%f.w, i/f.w
		edge := x == 0 || y == 0 || x == f.w-1 || y == f.h-1
		if f.v[i] > 0 && !edge {
			continue
		}
		d.receiver[i], level[i] = int32(i), f.v[i]
		shore := edge
		for k := 0; k < len(around8) && !shore; k++ {
			shore = f.v[(y+around8[k][1])*f.w+x+around8[k][0]] > 0
		}
		if shore {
			open.push(f.v[i], int32(i))
		} else { // nothing drains to the open sea but by its shore
			d.order = append(d.order, int32(i))
		}
	}
	for len(open.items) > 0 {
		i := open.pop()
		d.order = append(d.order, i)
		x, y := int(i)%f.w, int(i)/f.w
		for _, s := range around8 {
			nx, ny := x+s[0], y+s[1]
			if nx < 0 || ny < 0 || nx >= f.w || ny >= f.h {
				continue
			}
			j := ny*f.w + nx
			if d.receiver[j] >= 0 {
				continue
			}
			d.receiver[j] = i
			level[j] = max(f.v[j], level[i]+1e-3)
			open.push(level[j], int32(j))
		}
	}
	for i := range d.area { // of the points below, the steepest way down
		d.area[i] = f.step * f.step
		if d.receiver[i] == int32(i) {
			continue
		}
		x, y, steepest := i%f.w, i/f.w, 0.0
		for k, s := range around8 {
			nx, ny := x+s[0], y+s[1]
			if nx < 0 || ny < 0 || nx >= f.w || ny >= f.h {
				continue
			}
			drop := level[i] - level[ny*f.w+nx]
			if k%2 == 1 {
				drop /= math.Sqrt2
			}
			if drop > steepest {
				steepest, d.receiver[i] = drop, int32(ny*f.w+nx)
			}
		}
	}
	for k := n - 1; k >= 0; k-- {
		if i := d.order[k]; d.receiver[i] != i {
			d.area[d.receiver[i]] += d.area[i]
		}
	}
	return d
}

var around8 = [8][2]int{{1, 0}, {1, 1}, {0, 1}, {-1, 1}, {-1, 0}, {-1, -1}, {0, -1}, {1, -1}}

// floodHeap is a binary heap; equal levels come in the order of their index.
type floodHeap struct{ items []floodItem }

type floodItem struct {
	level float64
	i     int32
}

func (a floodItem) before(b floodItem) bool {
	return a.level < b.level || a.level == b.level && a.i < b.i
}

func (h *floodHeap) push(level float64, i int32) {
	h.items = append(h.items, floodItem{level, i})
	for k := len(h.items) - 1; k > 0; {
		up := (k - 1) / 2
		if !h.items[k].before(h.items[up]) {
			break
		}
		h.items[k], h.items[up] = h.items[up], h.items[k]
		k = up
	}
}

func (h *floodHeap) pop() int32 {
	top, last := h.items[0], len(h.items)-1
	h.items[0] = h.items[last]
	h.items = h.items[:last]
	for k := 0; ; {
		c := 2*k + 1
		if c >= last {
			break
		}
		if c+1 < last && h.items[c+1].before(h.items[c]) {
			c++
		}
		if !h.items[c].before(h.items[k]) {
			break
		}
		h.items[k], h.items[c] = h.items[c], h.items[k]
		k = c
	}
	return top.i
}

// raise makes the land: uplift under a ridge, carved by rivers until both are in balance (the stream power law, solved
// implicitly after Braun and Willett 2013), then drowned a little, so that the sea enters the valleys' mouths.
func raise(n noise) *terrain {
	c := newField(west, south, east, north, coarseStep)
	outline, uplift := make([]float64, len(c.v)), make([]float64, len(c.v))
	ridge := []spot{{-14500, 1200}, {-8500, 3300}, {-2500, 2500}, {4500, 3600}, {9500, 800}, {13500, -2600}}
	bays := []struct {
		at            spot
		radius, depth float64
	}{{spot{4600, -11200}, 3300, 0.62}, {spot{-9800, -10400}, 2300, 0.5}, {spot{16800, -6300}, 2500, 0.55},
		{spot{-4600, 10300}, 2700, 0.55}, {spot{10200, 10600}, 2000, 0.45}, {spot{-18200, -3000}, 2500, 0.5},
		{spot{19500, 5200}, 2600, 0.5}}
	c.fill(func(i int, p spot) float64 {
		warped := p.add(spot{n.fractal(p, 13000, 4), (n + 77).fractal(p, 13000, 4)}.times(4600))
		s := 1 - spot{warped.x / 21800, (warped.y + 1300) / 13900}.length() + 0.26*(n+13).fractal(p, 9200, 4)
		for _, b := range bays {
			d := distance(warped, b.at) / b.radius
			s -= b.depth * math.Exp(-d*d)
		}
		s -= max(0, 2-min(p.x-west, east-p.x, p.y-south, north-p.y)/1000) // open sea all round
		near := math.Inf(1)
		bent := p.add(spot{(n + 5).fractal(p, 7000, 3), (n + 6).fractal(p, 7000, 3)}.times(1500))
		for k := 1; k < len(ridge); k++ {
			near = min(near, toLine(bent, ridge[k-1], ridge[k]))
		}
		outline[i] = s
		uplift[i] = smooth(
			clamp(s/0.5, 0, 1),
		) * (0.16 + math.Exp(-near*near/(3900*3900))*(0.8+0.35*(n+9).fractal(p, 5000, 3)))
		if s <= 0 {
			return 0
		}
		v := 12 + 10*(n+21).fractal(p, 2600, 5) + 30*uplift[i]
		uplift[i] *= 1 + 0.5*(n+61).fractal(p, 1500, 3)
		return max(v, 0.5)
	})
	var d drainage
	for i := range 36 {
		if i < 12 || i%3 == 0 { // later on the rivers keep to their beds
			d = drainageOf(c)
		}
		for _, i := range d.order {
			r := d.receiver[i]
			if r == i {
				continue
			}
			k := 0.062 * math.Sqrt(d.area[i]) / coarseStep
			c.v[i] = max(0.3, (c.v[i]+uplift[i]*26+k*c.v[r])/(1+k))
		}
		c.creep(0.075)
	}
	top := 0.0
	for i, s := range outline {
		if s <= 0 {
			c.v[i] = -70 * smooth(clamp(-s*3, 0, 1))
		}
	}
	for range 2 { // ridges weather
		c.creep(0.18)
	}
	for i := range c.v {
		top = max(top, c.v[i])
	}
	for i := range c.v {
		p := c.spot(i)
		if c.v[i] > 0 {
			c.v[i] *= 962 / top
		}
		c.v[i] -= 6 + 26*clamp(0.3+1.3*(n+31).fractal(p, 11000, 3), 0, 1)
	}
	t := &terrain{heights: newField(west, south, east, north, fineStep)}
	t.heights.fill(func(_ int, p spot) float64 {
		v := c.cubic(p)
		steep := clamp(c.gradient(p, 120).length()/0.3, 0, 1)
		return v + (1.2+7*steep)*clamp((v+2)/20, 0.15, 1)*(n+41).fractal(p, 420, 4)
	})
	t.closeHollows()
	t.raiseCliffs(n)
	t.dam(n)
	t.measure()
	return t
}

// creep lets the ground slide from what stands out into what lies low: each point on land moves by a share towards the
// mean of its four neighbours.
func (f *field) creep(share float64) {
	old := append([]float64(nil), f.v...)
	for i := f.w; i < len(old)-f.w; i++ {
		if old[i] > 0 {
			f.v[i] += share * (old[i-1] + old[i+1] + old[i-f.w] + old[i+f.w] - 4*old[i])
		}
	}
}

// closeHollows raises what lies below the sea's level but is not of the sea.
func (t *terrain) closeHollows() {
	f := t.heights
	sea := make([]bool, len(f.v))
	stack := []int{0}
	for len(stack) > 0 {
		i := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if sea[i] || f.v[i] > 0 {
			continue
		}
		sea[i] = true
		x, y := i%f.w, i/f.w
		for _, s := range [4][2]int{{1, 0}, {0, 1}, {-1, 0}, {0, -1}} {
			if nx, ny := x+s[0], y+s[1]; nx >= 0 && ny >= 0 && nx < f.w && ny < f.h {
				stack = append(stack, ny*f.w+nx)
			}
		}
	}
	for i := range f.v {
		if !sea[i] && f.v[i] < 0.8 {
			f.v[i] = 0.8
		}
	}
}

// raiseCliffs lifts some stretches of coast, where no valley comes down, out of the sea.
func (t *terrain) raiseCliffs(n noise) {
	b := t.heights.resampled(2 * fineStep)
	toSea, broad := b.distances(func(i int) bool { return b.v[i] <= 0 }), b.blurred(5)
	t.heights.fill(func(i int, p spot) float64 {
		v, d := t.heights.v[i], 0.0
		if v <= 0 {
			return v
		}
		if d = toSea.at(p); d > 1500 {
			return v
		}
		lift := 58 * clamp(0.12+1.9*(n+63).fractal(p, 5600, 2), 0, 1) * clamp((broad.at(p)-5)/13, 0, 1)
		return v + lift*smooth(clamp(d/80, 0, 1))*math.Exp(-d/600)
	})
}

// dam makes the lake: water standing behind a narrow place of the valley that makes the finest one.
func (t *terrain) dam(n noise) {
	b := t.heights.resampled(coarseStep)
	d := drainageOf(b)
	upstream := make([]int32, len(b.v)) // marks by number of the try
	var best []bool
	bestScore, bestLevel := 0.0, 0.0
	try := int32(0)
	for i := range b.v {
		if i%7 != 0 || d.area[i] < 5e6 || d.area[i] > 40e6 || b.v[i] < 70 || b.v[i] > 420 {
			continue
		}
		for _, depth := range []float64{18, 30, 45, 60} {
			try++
			level := b.v[i] + depth
			upstream[i] = try
			count, rim := 0, 0
			for _, k := range d.order { // from the sea upwards: a point is upstream when its receiver is
				if r := d.receiver[k]; r != k && upstream[r] == try && b.v[k] < level {
					upstream[k] = try
					count++
				}
			}
			// the dam: points below the level that drain elsewhere, next to the water
			for k := b.w; k < len(b.v)-b.w; k++ {
				if upstream[k] == try {
					for _, o := range [4]int{k - 1, k + 1, k - b.w, k + b.w} {
						if upstream[o] != try && b.v[o] < level-1 {
							rim++
						}
					}
				}
			}
			area := float64(count) * b.step * b.step
			if area < 0.8e6 || area > 4e6 {
				continue
			}
			if score := area / 1e6 / (1 + float64(rim*rim)/12); score > bestScore {
				bestScore, bestLevel = score, level
				best = make([]bool, len(b.v))
				for k := range b.v {
					best[k] = upstream[k] == try
				}
			}
		}
	}
	if best == nil {
		return
	}
	t.lakeAt = bestLevel
	near := *b
	near.v = make([]float64, len(b.v))
	for i := range near.v {
		if best[i] {
			near.v[i] = 1
		}
	}
	depth := *t.heights
	depth.v = make([]float64, len(t.heights.v))
	for i, v := range t.heights.v {
		p := t.heights.spot(i)
		depth.v[i] = min(bestLevel-v, 40*(near.cubic(p)-0.3))
		if depth.v[i] > 0 {
			t.heights.v[i] = bestLevel - 0.2
		}
	}
	for _, r := range depth.rings(0) {
		if math.Abs(ringArea(r)) > 3000 {
			t.lake = append(t.lake, r)
		}
	}
}

func (t *terrain) measure() {
	t.broad = t.heights.resampled(2 * fineStep)
	t.toSea = t.broad.distances(func(i int) bool { return t.broad.v[i] <= 0 })
	t.drain = drainageOf(t.broad)
	t.inLake = make([]bool, len(t.broad.v))
	for i := range t.inLake {
		t.inLake[i] = t.lakeAt > 0 && math.Abs(t.broad.v[i]-(t.lakeAt-0.2)) < 0.05
	}
	f := t.broad
	for i, v := range f.v { // peaks: the highest within 900 m, well above what lies around
		if v < 260 {
			continue
		}
		x, y := i%f.w, i/f.w
		highest, lowest := true, v
		for dy := -18; dy <= 18 && highest; dy += 2 {
			for dx := -18; dx <= 18; dx += 2 {
				if nx, ny := x+dx, y+dy; nx >= 0 && ny >= 0 && nx < f.w && ny < f.h {
					o := f.v[ny*f.w+nx]
					highest = highest && (o < v || o == v && ny*f.w+nx >= i)
					lowest = min(lowest, o)
				}
			}
		}
		if highest && v-lowest > 110 {
			t.peaks = append(t.peaks, f.spot(i))
		}
	}
	slices.SortStableFunc(t.peaks, func(a, b spot) int { return cmp.Compare(t.heights.at(b), t.heights.at(a)) })
}

// slope returns the steepness at p as metres up for each metre along.
func (t *terrain) slope(p spot) float64 { return t.heights.gradient(p, 40).length() }

// dry tells whether p is on land, at least gap metres from the sea and not in the lake.
func (t *terrain) dry(p spot, gap float64) bool {
	return t.heights.at(p) > 0.3 && t.toSea.at(p) >= gap && !t.inLake[t.broad.cell(p)]
}
