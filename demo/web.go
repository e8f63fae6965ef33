package demo

import (
	"cmp"
	"math"
	"slices"
)

// web is the net of everything that can be travelled, while it grows: lines that share a node wherever they cross.
type web struct {
	lines  []*line
	nodes  []spot
	cells  map[[2]int32][]stretchRef
	rounds []round
}

// round is a roundabout: lines end on it.
type round struct {
	at     spot
	radius float64
}

// line is a road, street or path.
type line struct {
	points []spot
	nodes  []int // the node at each point, or -1
	joins  [][]join
	class  string
	name   string
	tags   []string
	width  float64 // of the carriageway, in metres
	town   *settlement
	tunnel bool
}

// join is a node on a stretch of a line, at a share of its length.
type join struct {
	at   float64
	node int
}

type stretchRef struct {
	l *line
	i int // from point i to point i+1
}

const webCell = 80

func newWeb() *web { return &web{cells: map[[2]int32][]stretchRef{}} }

func eachCell(a, b spot, size, reach float64, yield func(c [2]int32)) {
	x0, x1 := math.Floor((min(a.x, b.x)-reach)/size), math.Floor((max(a.x, b.x)+reach)/size)
	y0, y1 := math.Floor((min(a.y, b.y)-reach)/size), math.Floor((max(a.y, b.y)+reach)/size)
	for x := x0; x <= x1; x++ {
		for y := y0; y <= y1; y++ {
			yield([2]int32{int32(x), int32(y)})
		}
	}
}

func (w *web) node(at spot) int {
	w.nodes = append(w.nodes, at)
	return len(w.nodes) - 1
}

// near returns the stretches that may lie within reach of ab, each once.
func (w *web) near(a, b spot, reach float64) []stretchRef {
	var out []stretchRef
	eachCell(a, b, webCell, reach, func(c [2]int32) { out = append(out, w.cells[c]...) })
	slices.SortFunc(out, func(x, y stretchRef) int {
		return cmp.Or(
			cmp.Compare(x.l.points[x.i].x, y.l.points[y.i].x),
			cmp.Compare(x.l.points[x.i].y, y.l.points[y.i].y),
			cmp.Compare(x.i, y.i),
			cmp.Compare(x.l.points[x.i+1].x, y.l.points[y.i+1].x),
		)
	})
	return slices.Compact(out)
}

// nearest returns the stretch nearest to p within reach for which ok holds, and the share of it that is nearest.
func (w *web) nearest(p spot, reach float64, ok func(*line) bool) (best stretchRef, share float64, found bool) {
	bestD := reach
	for _, r := range w.near(p, p, reach) {
		if ok != nil && !ok(r.l) {
			continue
		}
		a, b := r.l.points[r.i], r.l.points[r.i+1]
		if d := toLine(p, a, b); d < bestD {
			ab := b.sub(a)
			best, bestD, found = r, d, true
			share = clamp(((p.x-a.x)*ab.x+(p.y-a.y)*ab.y)/max(1e-9, ab.x*ab.x+ab.y*ab.y), 0, 1)
		}
	}
	return best, share, found
}

const joinReach = 4.0 // nodes nearer to each other than so many metres are one

// nodeOn returns the node of a line at a share of one of its stretches, a new one where none is near.
func (w *web) nodeOn(l *line, i int, share float64) int {
	a, b := l.points[i], l.points[i+1]
	length := distance(a, b)
	end := func(k int) int {
		if l.nodes[k] < 0 {
			l.nodes[k] = w.node(l.points[k])
		}
		return l.nodes[k]
	}
	if share*length < joinReach {
		return end(i)
	}
	if (1-share)*length < joinReach {
		return end(i + 1)
	}
	for _, j := range l.joins[i] {
		if math.Abs(j.at-share)*length < joinReach {
			return j.node
		}
	}
	n := w.node(a.to(b, share))
	l.joins[i] = append(l.joins[i], join{share, n})
	return n
}

// attach brings an end of a line to the nearest stretch within reach, when there is one.
func (w *web) attach(points []spot, first bool, reach float64) (int, bool) {
	k := len(points) - 1
	if first {
		k = 0
	}
	r, share, ok := w.nearest(points[k], reach, nil)
	if !ok {
		return -1, false
	}
	n := w.nodeOn(r.l, r.i, share)
	points[k] = w.nodes[n]
	return n, true
}

// add puts a line into the web: its ends are brought to what lies within reach, and it shares a node with every line
// that it crosses. Tunnels cross nothing.
func (w *web) add(l *line, reach float64) *line {
	l.points = slices.CompactFunc(l.points, func(a, b spot) bool { return distance(a, b) < 0.5 })
	if len(l.points) < 2 {
		return nil
	}
	for range 2 {
		slices.Reverse(l.points)
		for _, r := range w.rounds {
			l.points = r.trim(l.points)
		}
	}
	if len(l.points) < 2 {
		return nil
	}
	l.nodes, l.joins = make([]int, len(l.points)), make([][]join, len(l.points)-1)
	for i := range l.nodes {
		l.nodes[i] = -1
	}
	if last := len(l.points) - 1; l.points[0] == l.points[last] { // a ring
		l.nodes[0] = w.node(l.points[0])
		l.nodes[last], reach = l.nodes[0], 0
	}
	if reach > 0 {
		for _, first := range []bool{true, false} {
			if n, ok := w.attach(l.points, first, reach); ok && first {
				l.nodes[0] = n
			} else if ok {
				l.nodes[len(l.nodes)-1] = n
			}
		}
	}
	for i := 0; i+1 < len(l.points) && !l.tunnel; i++ {
		a, b := l.points[i], l.points[i+1]
		for _, r := range w.near(a, b, 0) {
			if r.l.tunnel {
				continue
			}
			c, d := r.l.points[r.i], r.l.points[r.i+1]
			t, u, ok := meeting(a, b, c, d)
			if !ok {
				continue
			}
			w.cross(l, i, t, w.nodeOn(r.l, r.i, u))
		}
	}
	w.lines = append(w.lines, l)
	w.enter(l)
	return l
}

// trim ends a line on the roundabout where its last point lies within it.
func (r round) trim(points []spot) []spot {
	last := len(points) - 1
	if last < 1 || points[0] == points[last] || distance(points[last], r.at) > r.radius+14 {
		return points
	}
	for last > 0 && distance(points[last], r.at) < r.radius+14 {
		last--
	}
	from := points[last]
	return append(slices.Clone(points[:last+1]), r.at.add(from.sub(r.at).unit().times(r.radius)))
}

func (w *web) enter(l *line) {
	for i := 0; i+1 < len(l.points); i++ {
		eachCell(
			l.points[i],
			l.points[i+1],
			webCell,
			0,
			func(c [2]int32) { w.cells[c] = append(w.cells[c], stretchRef{l, i}) },
		)
	}
}

// cross makes a line pass through a node at a share of one of its stretches.
func (w *web) cross(l *line, i int, share float64, node int) {
	length := distance(l.points[i], l.points[i+1])
	for k, d := range map[int]float64{i: share * length, i + 1: (1 - share) * length} {
		if d < joinReach {
			if l.nodes[k] < 0 {
				l.nodes[k] = node
			}
			if l.nodes[k] == node {
				return
			}
		}
	}
	for _, j := range l.joins[i] {
		if j.node == node {
			return
		}
	}
	l.joins[i] = append(l.joins[i], join{share, node})
}

// meeting returns where the stretches ab and cd meet, as shares of both.
func meeting(a, b, c, d spot) (t, u float64, ok bool) {
	r, s := b.sub(a), d.sub(c)
	den := r.x*s.y - r.y*s.x
	if math.Abs(den) < 1e-9 {
		return 0, 0, false
	}
	q := c.sub(a)
	t, u = (q.x*s.y-q.y*s.x)/den, (q.x*r.y-q.y*r.x)/den
	return t, u, t >= 0 && t <= 1 && u >= 0 && u <= 1
}

// settle makes every join a point of its line, and enters all lines anew.
func (w *web) settle() {
	clear(w.cells)
	w.lines = slices.DeleteFunc(w.lines, func(l *line) bool { return len(l.points) < 2 })
	for _, l := range w.lines {
		var points []spot
		var nodes []int
		put := func(p spot, n int) {
			if k := len(nodes) - 1; k >= 0 && (n >= 0 && nodes[k] == n) {
				return
			}
			points, nodes = append(points, p), append(nodes, n)
		}
		for i := range l.points {
			p := l.points[i]
			if l.nodes[i] >= 0 {
				p = w.nodes[l.nodes[i]]
			}
			put(p, l.nodes[i])
			if i < len(l.joins) {
				slices.SortStableFunc(l.joins[i], func(a, b join) int { return cmp.Compare(a.at, b.at) })
				for _, j := range l.joins[i] {
					put(w.nodes[j.node], j.node)
				}
			}
		}
		l.points, l.nodes, l.joins = points, nodes, make([][]join, max(0, len(points)-1))
	}
	w.lines = slices.DeleteFunc(w.lines, func(l *line) bool { return len(l.points) < 2 })
	for _, l := range w.lines {
		w.enter(l)
	}
}

// degrees returns how many stretches end at each node; the web must be settled.
func (w *web) degrees() []int {
	out := make([]int, len(w.nodes))
	for _, l := range w.lines {
		for i, n := range l.nodes {
			if n >= 0 {
				if i > 0 {
					out[n]++
				}
				if i < len(l.nodes)-1 {
					out[n]++
				}
			}
		}
	}
	return out
}

// prune cuts the loose ends of lines back to their last crossing where they are shorter than the line's limit says.
func (w *web) prune(limit func(*line) float64) {
	w.settle()
	for range 6 {
		degree, cut := w.degrees(), false
		for _, l := range w.lines {
			for range 2 {
				slices.Reverse(l.points) // both ends in turn
				slices.Reverse(l.nodes)
				if len(l.points) < 2 || l.nodes[0] >= 0 && degree[l.nodes[0]] > 1 {
					continue
				}
				loose := 0.0
				for i := 1; i < len(l.points); i++ {
					loose += distance(l.points[i-1], l.points[i])
					if n := l.nodes[i]; n >= 0 && degree[n] > 2 || i == len(l.points)-1 {
						if loose < limit(l) {
							if n >= 0 {
								degree[n]--
							}
							l.points, l.nodes, cut = l.points[i:], l.nodes[i:], true
						}
						break
					}
				}
			}
		}
		w.lines = slices.DeleteFunc(w.lines, func(l *line) bool { return len(l.points) < 2 })
		if !cut {
			break
		}
	}
	for _, l := range w.lines {
		l.joins = make([][]join, max(0, len(l.points)-1))
	}
	w.settle()
}

// parts numbers the pieces of the web that hang together by lines for which use holds; nodes on none have -1.
func (w *web) parts(use func(*line) bool) (part []int, sizes []int) {
	parent := make([]int, len(w.nodes))
	for i := range parent {
		parent[i] = i
	}
	find := func(i int) int {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	part = make([]int, len(w.nodes))
	for i := range part {
		part[i] = -1
	}
	for _, l := range w.lines {
		if !use(l) {
			continue
		}
		last := -1
		for _, n := range l.nodes {
			if n < 0 {
				continue
			}
			part[n] = 0
			if last >= 0 {
				parent[find(last)] = find(n)
			}
			last = n
		}
	}
	number := map[int]int{}
	for n := range part {
		if part[n] < 0 {
			continue
		}
		root := find(n)
		k, ok := number[root]
		if !ok {
			k = len(sizes)
			number[root] = k
			sizes = append(sizes, 0)
		}
		part[n] = k
		sizes[k]++
	}
	return part, sizes
}

// keepJoined drops the lines of a kind that do not hang together with most of the others.
func (w *web) keepJoined(use func(*line) bool) {
	part, sizes := w.parts(use)
	main := 0
	for k, n := range sizes {
		if n > sizes[main] {
			main = k
		}
	}
	w.lines = slices.DeleteFunc(w.lines, func(l *line) bool {
		if !use(l) {
			return false
		}
		for _, n := range l.nodes {
			if n >= 0 {
				return part[n] != main
			}
		}
		return true
	})
	w.settle()
}

// faces returns the blocks that the lines around a spot enclose, counterclockwise, each a ring of spots.
func (w *web) faces(middle spot, radius float64, use func(*line) bool) [][]spot {
	type dart struct {
		to     int
		points []spot // from the node to to, both included
	}
	out := map[int][]dart{}
	var nodes []int
	put := func(from int, d dart) {
		if len(out[from]) == 0 {
			nodes = append(nodes, from)
		}
		out[from] = append(out[from], d)
	}
	for _, l := range w.lines {
		if !use(l) || distance(l.points[0], middle) > radius && distance(l.points[len(l.points)-1], middle) > radius {
			continue
		}
		start := -1
		for i, n := range l.nodes {
			if n < 0 {
				continue
			}
			if start >= 0 && n != l.nodes[start] {
				there := slices.Clone(l.points[start : i+1])
				back := slices.Clone(there)
				slices.Reverse(back)
				put(l.nodes[start], dart{n, there})
				put(n, dart{l.nodes[start], back})
			}
			start = i
		}
	}
	heading := func(d dart) float64 { v := d.points[1].sub(d.points[0]); return math.Atan2(v.y, v.x) }
	for _, n := range nodes {
		slices.SortStableFunc(out[n], func(a, b dart) int { return cmp.Compare(heading(a), heading(b)) })
	}
	seen := map[[2]int]bool{} // node, dart
	var faces [][]spot
	for _, n := range nodes {
		for k := range out[n] {
			if seen[[2]int{n, k}] {
				continue
			}
			var ring []spot
			at, by := n, k
			for steps := 0; !seen[[2]int{at, by}] && steps < 400; steps++ {
				seen[[2]int{at, by}] = true
				d := out[at][by]
				ring = append(ring, d.points[:len(d.points)-1]...)
				// At the far end, the dart that turns most to the left: the one before the way back, clockwise.
				back := slices.IndexFunc(out[d.to], func(e dart) bool {
					return e.to == at && len(e.points) == len(d.points) && e.points[1] == d.points[len(d.points)-2]
				})
				at, by = d.to, (back-1+len(out[d.to]))%len(out[d.to])
			}
			if at == n && by == k && len(ring) > 2 && ringArea(ring) > 0 {
				faces = append(faces, ring)
			}
		}
	}
	return faces
}
