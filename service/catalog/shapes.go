package catalog

import (
	"bytes"
	"cmp"
	"math"
	"slices"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/spatial"
)

// farthestBoxM is up to which distance shapes are first looked at by their boxes, in metres.
const farthestBoxM = 5e6

// Holding returns the areas of the view that hold a position, by id: polygons but for their holes, and circles, their
// rim included.
func (s *Snapshot) Holding(v View, at geo.Point, collections []string) []Row {
	var out []Row
	areas := []string{feature.Area.String()}
	s.eachShape(v, Near{At: at, Collections: collections}, areas, 0, func(r Row, g feature.Geometry) {
		if g.Contains(at) {
			out = append(out, r)
		}
	})
	slices.SortFunc(out, func(a, b Row) int {
		x, y := a.ID(), b.ID()
		return bytes.Compare(x[:], y[:])
	})
	return out
}

// NearShapes returns the paths and areas of the ring, both its ends included, by the distance of their nearest
// positions, ties by id. What holds the position is at no distance. Without a greatest distance it looks farther and
// farther until there are as many as are wanted.
func (s *Snapshot) NearShapes(v View, q Near, kinds []string) []Hit {
	var out []Hit
	for withinM := 10_000.0; ; withinM *= 10 {
		all := withinM > farthestBoxM
		if all || !math.IsInf(q.WithinM, 1) {
			withinM = q.WithinM
		}
		out = out[:0]
		s.eachShape(v, q, kinds, withinM, func(r Row, g feature.Geometry) {
			at, d := g.Nearest(q.At)
			if d >= q.BeyondM && d <= withinM {
				out = append(out, Hit{Row: r, DistanceM: d, Nearest: at})
			}
		})
		if len(out) >= q.Limit || withinM == q.WithinM {
			break
		}
	}
	slices.SortFunc(out, Hit.compare)
	return out[:min(q.Limit, len(out))]
}

// compare orders hits by distance, ties by id.
func (h Hit) compare(other Hit) int {
	x, y := h.ID(), other.ID()
	return cmp.Or(cmp.Compare(h.DistanceM, other.DistanceM), bytes.Compare(x[:], y[:]))
}

// eachShape calls yield with the shapes of some kinds whose boxes come within a distance of a position.
func (s *Snapshot) eachShape(v View, q Near, kinds []string, withinM float64, yield func(Row, feature.Geometry)) {
	only := s.groupsOf(v, q.Collections, q.Categories, kinds)
	box, boxed := geo.Box{South: q.At.Lat(), North: q.At.Lat(), West: q.At.Lng(), East: q.At.Lng()}, withinM == 0
	if withinM > 0 && withinM <= farthestBoxM && !math.IsInf(withinM, 1) {
		if c, err := feature.NewCircle(q.At, withinM); err == nil {
			box, boxed = c.Bounds()
		}
	}
	look := func(item uint32) {
		k, i := s.at32(item)
		if k == nil || !only[k.group[i]] {
			return
		}
		r := s.row(item)
		if len(q.Where) > 0 && !r.has(q.Where, true) {
			return
		}
		g := r.Geometry()
		if own, known := g.GeodesicBounds(); !known || boxed && !own.Intersects(box) {
			return
		}
		yield(r, g)
	}
	if !boxed {
		for _, item := range s.shapes {
			look(item)
		}
		return
	}
	s.base.boxes().search(box, look)
	later, _ := slices.BinarySearch(s.shapes, s.base.next)
	for _, item := range s.shapes[later:] {
		look(item)
	}
}

// shapeBoxes is an index over the boxes of paths and areas.
type shapeBoxes struct {
	tree  spatial.Boxes
	items []uint32 // of each box; one over the antimeridian has two boxes
}

func newShapeBoxes(s *Snapshot, items []uint32) *shapeBoxes {
	var boxes []spatial.Box
	var of []uint32
	for _, item := range items {
		if s.groupOf(item).kind == feature.Place {
			continue
		}
		if b, known := s.row(item).Geometry().GeodesicBounds(); known {
			for _, part := range wholeBoxes(b) {
				boxes, of = append(boxes, part), append(of, item)
			}
		}
	}
	out := &shapeBoxes{items: make([]uint32, len(of))}
	ordered := make([]spatial.Box, len(boxes))
	for i, k := range spatial.HilbertOrder(boxes) {
		ordered[i], out.items[i] = boxes[k], of[k]
	}
	out.tree, _ = spatial.OpenBoxes(spatial.PackBoxes(ordered), len(ordered)) // it was made for as many
	return out
}

// search calls yield once with each item of which a box intersects another box.
func (b *shapeBoxes) search(box geo.Box, yield func(item uint32)) {
	if len(b.items) == 0 {
		return
	}
	seen := map[uint32]bool{}
	for _, part := range wholeBoxes(box) {
		b.tree.Search(part, func(i int) bool {
			if item := b.items[i]; !seen[item] {
				seen[item] = true
				yield(item)
			}
			return true
		})
	}
}

// wholeBoxes returns a box in units of 1e-7 degree, rounded outwards, in two parts where it crosses the antimeridian.
func wholeBoxes(b geo.Box) []spatial.Box {
	down := func(v float64) int32 { return int32(math.Floor(v*1e7)) - 1 }
	up := func(v float64) int32 { return int32(math.Ceil(v*1e7)) + 1 }
	whole := spatial.Box{MinX: down(b.West), MinY: down(b.South), MaxX: up(b.East), MaxY: up(b.North)}
	parts := []spatial.Box{whole}
	if b.West > b.East {
		east, west := whole, whole
		east.MaxX, west.MinX = up(180), down(-180)
		parts = []spatial.Box{east, west}
	}
	for _, p := range parts { // ±180 is one meridian
		if p.MaxX >= 180e7 {
			p.MinX, p.MaxX = down(-180), down(-180)+2
			parts = append(parts, p)
			break
		}
	}
	return parts
}

// InRing returns the nearest features of the ring of the kinds that are asked for, as Near and NearShapes do.
func (s *Snapshot) InRing(v View, q Near) []Hit {
	var places, shapes []Hit
	if q.Round.IsKnown() && q.Round.Form() != feature.Point {
		return s.nearRound(v, q)
	}
	if len(q.Kinds) == 0 || slices.Contains(q.Kinds, feature.Place.String()) {
		places = s.Near(v, q)
	}
	kinds := slices.DeleteFunc(slices.Clone(q.Kinds), func(k string) bool { return k == feature.Place.String() })
	if len(kinds) > 0 {
		shapes = s.NearShapes(v, q, kinds)
	}
	all := append(places, shapes...)
	if len(places) > 0 && len(shapes) > 0 {
		slices.SortStableFunc(all, Hit.compare)
	}
	return all[:min(q.Limit, len(all))]
}

// nearRound returns the places within a distance of a line, of an area or of its inside, by distance.
func (s *Snapshot) nearRound(v View, q Near) []Hit {
	keep := s.kept(v, q)
	var out []Hit
	balls := ballsRound(q.Round, q.WithinM)
	inside := q.WithinM == 0 && q.BeyondM == 0 && q.Round.Form() == feature.Polygon
	for _, run := range s.runs {
		run.points.InBalls(balls, func(item uint32, e geo.E7) bool {
			if !keep(item) {
				return true
			}
			p := e.Point()
			if inside {
				if q.Round.Contains(p) {
					out = append(out, Hit{Row: s.row(item), Nearest: p})
				}
				return true
			}
			at, d := q.Round.Nearest(p)
			if d >= q.BeyondM && d <= q.WithinM {
				out = append(out, Hit{Row: s.row(item), DistanceM: d, Nearest: at})
			}
			return true
		})
	}
	slices.SortFunc(out, Hit.compare)
	return out[:min(q.Limit, len(out))]
}

// ballsRound covers all that lies within a distance of a geometry.
func ballsRound(g feature.Geometry, withinM float64) []spatial.Ball {
	const everywhere = 2.1e7
	if g.Form() == feature.Circle {
		return []spatial.Ball{{Center: g.Point(), RadiusM: g.RadiusM() + withinM}}
	}
	var out []spatial.Ball
	if g.Form() == feature.Polygon {
		box, _ := g.Bounds()
		wide := box.East - box.West
		if wide < 0 {
			wide += 360
		}
		middle := box.Middle()
		if wide > 120 || box.North >= 90 || box.South <= -90 {
			return []spatial.Ball{{Center: middle, RadiusM: everywhere}}
		}
		// Of a box less than a quarter of the earth wide to each side, a corner is farthest from its middle.
		farthest := 0.0
		for _, lat := range []float64{box.South, box.North} {
			farthest = max(farthest, geodesy.Distance(middle, geo.MustPoint(lat, box.West)))
		}
		return []spatial.Ball{{Center: middle, RadiusM: farthest*1.01 + withinM}}
	}
	for _, line := range g.Lines() {
		for i := 1; i < len(line); i++ {
			middle, err := geodesy.Midpoint(geodesy.Ellipsoid, line[i-1], line[i])
			if err != nil {
				middle = line[i]
			}
			half := geodesy.Distance(line[i-1], line[i]) / 2
			out = append(out, spatial.Ball{Center: middle, RadiusM: half*1.000001 + 1 + withinM})
		}
	}
	return out
}
