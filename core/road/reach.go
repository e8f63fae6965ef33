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
	gridSide = 260
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
	g := r.newGrid(m, snaps[0], edges, longest, inward)
	out := make([]Area, len(times))
	for i, s := range times {
		out[i] = Area{s, g.above(s)}
	}
	return out, nil
}

// searched says up to how many edges Dijkstra's search goes before a sweep over the whole hierarchy takes over.
const searched = 3_000

// within returns the edges that can be entered within a time, each as soon as it can be; against the roads' direction
// if inward is set, counted from the end then.
func (r *Router) within(ctx context.Context, m *Metric, s snap, longest uint32, inward bool) ([]arrival, error) {
	x := &reachSearch{r: r, m: m, snap: s, longest: longest, inward: inward, entered: map[uint32]bool{}}
	l := r.labels.Get().(*labels)
	defer r.labels.Put(l)
	l.begin()
	for _, e := range bothWays(s.segment) {
		if t := x.time(e); t < Infinite {
			l.reach(e, share(t, x.ahead(e)), none, 0)
		}
	}
	// Where time is what ways are compared by, and nothing is avoided, the hierarchy knows the answer for all.
	known := m.Ready() && len(m.Profile.Prefer) == 0 && m.avoided == 0
	for n := 1; ; n++ {
		if n%askEvery == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if known && n > searched {
			return x.sweep(l), nil
		}
		v, ok := l.settle()
		if !ok {
			return x.out, nil
		}
		x.settle(l, v.node, l.cost[v.node])
	}
}

// reachSearch is the search for what can be reached within a time.
type reachSearch struct {
	r       *Router
	m       *Metric
	snap    snap
	longest uint32
	inward  bool
	out     []arrival
	// entered are roads for ends only that were entered from others.
	entered map[uint32]bool
}

// time is the time along a whole edge.
func (x *reachSearch) time(e uint32) uint32 {
	if x.m.avoided != 0 && x.m.rule(e).traits&x.m.avoided != 0 || x.m.edgeCost(e) >= Infinite {
		return Infinite
	}
	return x.m.edgeTime(e)
}

// ahead is the part of the first edge that is travelled.
func (x *reachSearch) ahead(e uint32) float64 {
	if x.inward {
		return x.snap.part(e)
	}
	return 1 - x.snap.part(e)
}

// note notes when an edge is left, and tells whether it is entered in time.
func (x *reachSearch) note(e, leave uint32) bool {
	enter := uint32(0)
	if whole := x.time(e); leave > whole {
		enter = leave - whole
	}
	if enter > x.longest {
		return false
	}
	x.out = append(x.out, arrival{e, enter, leave})
	return true
}

func (x *reachSearch) settle(l *labels, v, cost uint32) {
	r, m := x.r, x.m
	e := r.region.EdgeOf(v)
	if !x.note(e, cost) || cost > x.longest {
		return
	}
	// A road for ends only leads on to others where the way began on such, and only to its like where it came to it.
	private := m.atEndsOnly(e)
	inside := private && x.entered[v]
	next := func(u, turn uint32) {
		to := r.region.EdgeOf(u)
		t := x.time(to)
		if t >= Infinite || inside && !m.atEndsOnly(to) {
			return
		}
		if sum := cost + turn + t; !(l.stamp[u] == l.run && l.cost[u] <= sum) {
			l.reach(u, sum, v, 0)
			if m.atEndsOnly(to) {
				x.entered[u] = inside || !private
			}
		}
	}
	if x.inward {
		r.before(m, e, next)
		return
	}
	for _, to := range r.region.Edges(r.region.Head(e)) {
		if turn := m.turn(v, to); turn < Infinite {
			next(r.region.Turn(v, to), turn)
		}
	}
}

// sweep has the hierarchy find all at once; roads for ends only, which it leaves out, are searched from there.
func (x *reachSearch) sweep(l *labels) []arrival {
	r, m := x.r, x.m
	ends, bias := r.starts(m, []snap{x.snap}), uint32(0)
	if x.inward {
		ends, bias = r.goals(m, nil, []snap{x.snap})
	}
	q := r.queries.Get()
	defer r.queries.Put(q)
	pooled := r.costs.Get().(*[]uint32)
	defer r.costs.Put(pooled)
	cost := *pooled
	x.out = x.out[:0]
	var closed []uint32 // roads for ends only
	l.begin()
	limit := min(Infinite-1, x.longest+bias)
	for _, span := range q.All(m.weighed, r.seeds(ends), x.inward, limit, m.parallel, cost) {
		for rank := span.From; rank <= span.To; rank++ {
			c := cost[rank]
			e := r.region.EdgeOf(r.region.At(rank))
			if c >= Infinite {
				if m.atEndsOnly(e) {
					closed = append(closed, e)
				}
				continue
			}
			if c -= min(c, bias); c > x.longest+longestTicks {
				continue
			}
			if x.inward {
				c += m.edgeTime(e) // the search backwards counts from the edge's end
			}
			x.note(e, c)
		}
	}
	private := func(e uint32) {
		if x.time(e) >= Infinite {
			return
		}
		look := func(u, turn uint32) {
			if c := cost[r.region.Rank(u)]; c < Infinite && !m.atEndsOnly(r.region.EdgeOf(u)) {
				if c -= min(c, bias); c > x.longest {
					return
				}
				if x.inward {
					c += m.edgeTime(r.region.EdgeOf(u))
				}
				x.entered[e] = true
				l.reach(e, c+turn+x.time(e), none, 0)
			}
		}
		if x.inward {
			for _, to := range r.region.Edges(r.region.Head(e)) {
				if turn := m.turn(e, to); turn < Infinite {
					look(r.region.Turn(e, to), turn)
				}
			}
			return
		}
		for _, out := range r.region.Edges(r.region.Tail(e)) {
			if cost[r.region.Rank(out^1)] <= limit || r.region.HasCopies() {
				r.before(m, e, look)
				return
			}
		}
	}
	for _, e := range closed {
		private(e)
	}
	for _, e := range bothWays(x.snap.segment) {
		if t := x.time(e); t < Infinite && m.atEndsOnly(e) {
			x.entered[e] = false
			l.reach(e, share(t, x.ahead(e)), none, 0)
		}
	}
	for {
		v, ok := l.settle()
		if !ok {
			return x.out
		}
		if c := l.cost[v.node]; m.atEndsOnly(r.region.EdgeOf(v.node)) {
			x.settle(l, v.node, c)
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
func (r *Router) newGrid(m *Metric, s snap, edges []arrival, longest uint32, inward bool) *grid {
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
	pooled := r.arrivals.Get().(*[]arrival)
	defer r.arrivals.Put(pooled)
	times := *pooled
	segments := make([]uint32, 0, len(edges)) // each once
	for _, a := range edges {
		if times[a.edge|1].leave|times[a.edge&^1].leave == 0 {
			segments = append(segments, a.edge/2)
		}
		if t := &times[a.edge]; t.leave == 0 || a.leave < t.leave {
			*t = arrival{a.edge, a.enter, max(1, a.leave)}
		}
	}
	halves := [2]*grid{g, {}}
	*halves[1] = *g
	halves[1].seconds = slices.Clone(g.seconds)
	m.parallel.Do(2, func(n int) {
		var line []geo.E7
		for _, i := range segments[len(segments)*n/2 : len(segments)*(n+1)/2] {
			if r.region.LengthOf(i) < cell { // its bends lie within a cell or two
				line = append(line[:0], r.region.Junction(r.region.Tail(2*i)), r.region.Junction(r.region.Head(2*i)))
			} else {
				line = r.region.AppendShape(line[:0], i)
			}
			r.drawSegment(halves[n], stamp, s, i, line, [2]arrival{times[2*i], times[2*i+1]}, longest, inward, cell)
		}
	})
	for _, i := range segments { // empty again for the next
		times[2*i], times[2*i+1] = arrival{}, arrival{}
	}
	for i, t := range halves[1].seconds {
		g.seconds[i] = math.Min(g.seconds[i], t)
	}
	return g
}

// boxOf returns the box around the ends of edges; its sides may lie beyond 180 degrees.
func (r *Router) boxOf(s snap, edges []arrival) geo.Box {
	const around = 360e7
	at := s.at.E7()
	south, north, west, east := at.Lat, at.Lat, int64(0), int64(0)
	for _, a := range edges {
		p := r.region.Junction(r.region.Head(a.edge))
		south, north = min(south, p.Lat), max(north, p.Lat)
		d := int64(p.Lng) - int64(at.Lng)
		if d > around/2 {
			d -= around
		} else if d < -around/2 {
			d += around
		}
		west, east = min(west, d), max(east, d)
	}
	return geo.Box{South: float64(south) / 1e7, North: float64(north) / 1e7,
		West: s.at.Lng() + float64(west)/1e7, East: s.at.Lng() + float64(east)/1e7}
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

// course is how time passes along a segment in one direction: from when, how long, and over which part of it.
type course struct {
	from, span  float64
	first, last float64
	backward    bool
}

// courseOf is the course along the segment that the start lies on.
func courseOf(a arrival, s snap, backward bool) course {
	c := course{from: float64(a.enter) / ticks, span: float64(a.leave-a.enter) / ticks, last: 1, backward: backward}
	if a.enter == 0 { // only what lies ahead of the start
		c.first = s.part(2 * s.segment)
		if backward {
			c.first, c.last = 0, c.first
		}
	}
	return c
}

// at returns when a part of the segment is reached.
func (c *course) at(part float64) float64 {
	if part < c.first-1e-6 || part > c.last+1e-6 {
		return math.Inf(1)
	}
	along := part - c.first
	if c.backward {
		along = c.last - part
	}
	return c.from + c.span*math.Min(1, along/math.Max(1e-9, c.last-c.first))
}

// drawSegment notes on a grid when each point of a segment is reached, whichever direction comes first.
func (r *Router) drawSegment(g *grid, st *stamp, s snap, segment uint32, line []geo.E7, both [2]arrival, longest uint32,
	inward bool, cell float64,
) {
	total := math.Max(1e-9, r.region.LengthOf(segment))
	var room [2]course
	courses := room[:0]
	for dir, a := range both {
		if a.leave == 0 {
			continue
		}
		backward := (dir == 1) != inward // inward, time runs against the traffic
		if segment == s.segment {
			courses = append(courses, courseOf(a, s, backward))
			continue
		}
		courses = append(courses, course{float64(a.enter) / ticks, float64(a.leave-a.enter) / ticks, 0, 1, backward})
	}
	along, lastCell := 0.0, -1
	for k := 1; k < len(line); k++ {
		lat, lng := float64(line[k-1].Lat)/1e7, float64(line[k-1].Lng)/1e7
		dLat, dLng := float64(line[k].Lat)/1e7-lat, geo.WrapLng(float64(line[k].Lng)/1e7-lng)
		d := math.Hypot(dLat/g.stepLat, dLng/g.stepLng) * cell
		n := 1 + int(d/cell)
		for j := range n + 1 {
			t := float64(j) / float64(n)
			when := math.Inf(1)
			for i := range courses {
				when = math.Min(when, courses[i].at((along+t*d)/total))
			}
			if when > float64(longest)/ticks {
				continue
			}
			east := geo.WrapLng(lng + t*dLng - g.west)
			x, y := int(math.Round(east/g.stepLng)), int(math.Round((lat+t*dLat-g.south)/g.stepLat))
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
			if len(outer) == 1 || holds(outer[i], h[0]) {
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
