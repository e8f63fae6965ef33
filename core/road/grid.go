package road

import (
	"math"
	"slices"

	"viandante/core/contour"
	"viandante/core/geo"
)

const (
	// gridSide is how many cells the grid that areas are drawn on has along its longer side.
	gridSide = 260
	// leastCellM is the least side of a cell, in metres.
	leastCellM = 12
	// besideCells is how far beside the roads an area reaches, in cells, and besideMostM in metres at least.
	besideCells, besideLeastM = 1.6, 60
	// sliverCells is how large a part or a hole of an area must be, in cells.
	sliverCells = 6
)

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

func courseOf(a arrival, s snap, backward bool) course {
	c := course{from: float64(a.enter) / ticks, span: float64(a.leave-a.enter) / ticks, last: 1, backward: backward}
	if a.edge/2 == s.segment && a.enter == 0 { // only what lies ahead of the start
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
		courses = append(courses, courseOf(a, s, backward))
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
