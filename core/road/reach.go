package road

import (
	"context"
	"math"
	"slices"

	"viandante/core/contour"
	"viandante/core/geo"
)

// Area is what can be reached within some time: polygons of rings, the first of each the outline, counterclockwise, the
// others its holes; no ring repeats its first position.
type Area struct {
	Seconds  float64
	Polygons [][][]geo.Point
}

const (
	// gridSide is how many cells the grid that areas are drawn on has along its longer side.
	gridSide = 360
	// leastCellM is the least side of a cell, in metres.
	leastCellM = 12
	// besideCells is how far beside the roads an area reaches, in cells, and besideMostM in metres at least.
	besideCells, besideLeastM = 1.6, 60
	// sliverCells is how large a part or a hole of an area must be, in cells.
	sliverCells = 6
	// MostReachS is the longest time that may be asked for, in seconds, and MostTimes how many.
	MostReachS, MostTimes = 6 * 3600, 10
)

// arrival is when an edge is entered and left, in ticks.
type arrival struct{ edge, enter, leave uint32 }

// Reach returns what can be reached from a position within some times, in seconds, or from where one can be there
// within
// them if inward is set: Dijkstra's search (1959) up to the longest time, drawn on a grid as the time to each cell,
// whose
// lines of equal time are the outlines (core/contour). Roads that are asked to be avoided are closed here.
func (r *Router) Reach(ctx context.Context, m *Metric, at geo.Point, times []float64, inward bool) ([]Area, error) {
	snaps, err := r.locate(m, at)
	if err != nil {
		return nil, err
	}
	snaps = snaps[:1] // the nearest road: a sketch of where one gets needs no others
	longest := toTicks(slices.Max(times))
	edges, err := r.within(ctx, m, snaps[0], longest, inward)
	if err != nil {
		return nil, err
	}
	g := r.newGrid(snaps[0], edges, longest, inward)
	out := make([]Area, len(times))
	for i, s := range times {
		out[i] = Area{s, g.above(s)}
	}
	return out, nil
}

// within returns the edges that can be entered within a time, each as soon as it can be; against the roads' direction
// if inward is set, counted from the end then.
func (r *Router) within(ctx context.Context, m *Metric, s snap, longest uint32, inward bool) ([]arrival, error) {
	l := r.labels.Get().(*labels)
	defer r.labels.Put(l)
	l.begin()
	left := func(e uint32) uint32 { // the time along a whole edge
		if m.avoided != 0 && m.rule(e).traits&m.avoided != 0 || m.edgeCost(e) >= Infinite {
			return Infinite
		}
		return m.edgeTime(e)
	}
	for _, e := range bothWays(s.segment) {
		t := left(e)
		if t >= Infinite {
			continue
		}
		part := 1 - s.part(e)
		if inward {
			part = s.part(e)
		}
		l.reach(e, share(t, part), none, 0)
	}
	var out []arrival
	entered := map[uint32]bool{} // roads for ends only that were entered from others
	for n := 1; ; n++ {
		if n%askEvery == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		x, ok := l.settle()
		if !ok {
			return out, nil
		}
		cost, e := l.cost[x.node], r.region.EdgeOf(x.node)
		whole := left(e)
		enter := uint32(0)
		if cost > whole {
			enter = cost - whole
		}
		if enter > longest {
			continue
		}
		out = append(out, arrival{e, enter, cost})
		if cost > longest {
			continue
		}
		// A road for ends only leads on to others where the way began on such, and only to its like where it came to
		// it.
		inside := m.atEndsOnly(e) && entered[x.node]
		next := func(v, turn uint32) {
			to := r.region.EdgeOf(v)
			t := left(to)
			if t >= Infinite || inside && !m.atEndsOnly(to) {
				return
			}
			if sum := cost + turn + t; !(l.stamp[v] == l.run && l.cost[v] <= sum) {
				l.reach(v, sum, x.node, 0)
				if m.atEndsOnly(to) {
					entered[v] = inside || !m.atEndsOnly(e)
				}
			}
		}
		if inward {
			r.before(m, e, next)
			continue
		}
		for _, to := range r.region.Edges(r.region.Head(e)) {
			if turn := m.turn(x.node, to); turn < Infinite {
				next(r.region.Turn(x.node, to), turn)
			}
		}
	}
}

// grid holds for each of its points the time until it is reached, less than nothing where it is not; rows run from the
// south.
type grid struct {
	south, west, stepLat, stepLng float64
	w, h                          int
	seconds                       []float64
	far                           float64
}

// newGrid draws how soon what lies at the edges is reached.
func (r *Router) newGrid(s snap, edges []arrival, longest uint32, inward bool) *grid {
	box := r.boxOf(s, edges)
	cos := math.Max(0.02, math.Cos((box.South+box.North)/2*math.Pi/180))
	const metres = 111_200.0
	wide := math.Max((box.North-box.South)*metres, (box.East-box.West)*metres*cos)
	cell := math.Max(leastCellM, wide/gridSide)
	reach := math.Max(besideLeastM, besideCells*cell)
	g := &grid{stepLat: cell / metres, stepLng: cell / metres / cos, far: reach / walkMPS}
	margin := reach + 2*cell
	g.south, g.west = box.South-margin/metres, box.West-margin/metres/cos
	g.w = int((box.East-box.West)/g.stepLng) + 3 + int(2*margin/cell)
	g.h = int((box.North-box.South)/g.stepLat) + 3 + int(2*margin/cell)
	g.seconds = make([]float64, g.w*g.h)
	for i := range g.seconds {
		g.seconds[i] = math.Inf(1)
	}
	stamp := newStamp(cell, reach)
	for _, a := range edges {
		r.drawEdge(g, stamp, s, a, longest, inward, cell)
	}
	return g
}

func (r *Router) boxOf(s snap, edges []arrival) geo.Box {
	at := s.at
	box := geo.Box{South: at.Lat(), North: at.Lat(), West: at.Lng(), East: at.Lng()}
	for _, a := range edges {
		for _, n := range []uint32{r.region.Tail(a.edge), r.region.Head(a.edge)} {
			p := r.region.Junction(n).Point()
			lng := at.Lng() + geo.WrapLng(p.Lng()-at.Lng())
			box.South, box.North = min(box.South, p.Lat()), max(box.North, p.Lat())
			box.West, box.East = min(box.West, lng), max(box.East, lng)
		}
	}
	return box
}

// stamp is what is reached on foot about a point: cells away, and the seconds that it takes.
type stamp struct {
	dx, dy  []int
	seconds []float64
}

func newStamp(cell, reach float64) *stamp {
	s := &stamp{}
	n := int(reach/cell) + 1
	for dy := -n; dy <= n; dy++ {
		for dx := -n; dx <= n; dx++ {
			if d := math.Hypot(float64(dx), float64(dy)) * cell; d <= reach {
				s.dx, s.dy, s.seconds = append(s.dx, dx), append(s.dy, dy), append(s.seconds, d/walkMPS)
			}
		}
	}
	return s
}

func (r *Router) drawEdge(g *grid, st *stamp, s snap, a arrival, longest uint32, inward bool, cell float64) {
	line := r.region.Shape(a.edge / 2)
	total := r.region.Segment(a.edge / 2).LengthM
	backward := a.edge&1 == 1 != inward // whether time runs against the segment's own direction
	from, span := float64(a.enter)/ticks, float64(a.leave-a.enter)/ticks
	first, last := 0.0, 1.0
	if a.edge/2 == s.segment && a.enter == 0 { // only what lies ahead of the start
		first = s.alongM / math.Max(1e-9, total)
		if backward {
			first, last = 0, first
		}
	}
	along := 0.0
	lastCell := -1
	for k := 1; k < len(line); k++ {
		p, q := line[k-1].Point(), line[k].Point()
		dLat, dLng := q.Lat()-p.Lat(), geo.WrapLng(q.Lng()-p.Lng())
		d := math.Hypot(dLat/g.stepLat, dLng/g.stepLng) * cell
		n := 1 + int(d/cell)
		for j := range n + 1 {
			t := float64(j) / float64(n)
			part := (along + t*d) / math.Max(1e-9, total)
			if part < first-1e-6 || part > last+1e-6 {
				continue
			}
			share := (part - first) / math.Max(1e-9, last-first)
			if backward {
				share = (last - part) / math.Max(1e-9, last-first)
			}
			when := from + span*math.Min(1, share)
			if when > float64(longest)/ticks {
				continue
			}
			lng := g.west + geo.WrapLng(p.Lng()+t*dLng-g.west)
			x, y := int(math.Round((lng-g.west)/g.stepLng)), int(math.Round((p.Lat()+t*dLat-g.south)/g.stepLat))
			if c := y*g.w + x; c != lastCell || j == 0 {
				g.press(st, x, y, when)
				lastCell = c
			}
		}
		along += d
	}
}

// press notes a point and what lies about it.
func (g *grid) press(st *stamp, x, y int, when float64) {
	if x < 0 || y < 0 || x >= g.w || y >= g.h || g.seconds[y*g.w+x] <= when {
		return
	}
	for i, dx := range st.dx {
		cx, cy := x+dx, y+st.dy[i]
		if cx < 0 || cy < 0 || cx >= g.w || cy >= g.h {
			continue
		}
		if t := when + st.seconds[i]; t < g.seconds[cy*g.w+cx] {
			g.seconds[cy*g.w+cx] = t
		}
	}
}

// above returns the polygons of what is reached within some seconds, without slivers.
func (g *grid) above(seconds float64) [][][]geo.Point {
	values := make([]float64, len(g.seconds))
	for i, t := range g.seconds {
		// How much time is left; where nothing leads, the outline lies halfway to the next point.
		values[i] = math.Max(-g.far/2, math.Min(g.far/2, seconds+g.far/2-t))
	}
	var outer, holes [][]contour.Point
	for _, ring := range contour.Rings(g.w, g.h, values, 0) {
		switch size := ringArea(ring); {
		case size >= sliverCells:
			outer = append(outer, ring)
		case size <= -sliverCells:
			holes = append(holes, ring)
		}
	}
	slices.SortFunc(outer, func(a, b []contour.Point) int {
		return int(math.Copysign(1, ringArea(b)-ringArea(a)))
	})
	polygons := make([][][]geo.Point, len(outer))
	for i, ring := range outer {
		polygons[i] = [][]geo.Point{g.positions(ring)}
	}
	for _, h := range holes {
		for i := len(outer) - 1; i >= 0; i-- { // the smallest outline that it lies in
			if holds(outer[i], h[0]) {
				polygons[i] = append(polygons[i], g.positions(h))
				break
			}
		}
	}
	return polygons
}

// ringArea is positive for a ring that runs counterclockwise, rows running north.
func ringArea(ring []contour.Point) (a float64) {
	for i, p := range ring {
		q := ring[(i+1)%len(ring)]
		a += (p.X*q.Y - q.X*p.Y) / 2
	}
	return a
}

func holds(ring []contour.Point, p contour.Point) (in bool) {
	for i, a := range ring {
		b := ring[(i+1)%len(ring)]
		if (a.Y > p.Y) != (b.Y > p.Y) && p.X < (b.X-a.X)*(p.Y-a.Y)/(b.Y-a.Y)+a.X {
			in = !in
		}
	}
	return in
}

func (g *grid) positions(ring []contour.Point) []geo.Point {
	out := make([]geo.Point, 0, len(ring))
	for _, p := range ring {
		lat := math.Max(-90, math.Min(90, g.south+p.Y*g.stepLat))
		out = append(out, geo.MustPoint(lat, geo.WrapLng(g.west+p.X*g.stepLng)).Rounded())
	}
	return slices.Compact(out)
}
