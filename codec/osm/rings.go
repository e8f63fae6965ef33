package osm

import (
	"cmp"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/region"
)

// ring drops the repeated last point and turns the ring: outer ones counterclockwise, holes clockwise.
func ring(line []geo.E7, hole bool) []geo.E7 {
	if len(line) > 1 && line[0] == line[len(line)-1] {
		line = line[:len(line)-1]
	}
	if (signedArea(line) < 0) != hole {
		slices.Reverse(line)
	}
	return line
}

// signedArea returns the area of a ring in square metres on a plane that fits its latitude, positive when it runs
// counterclockwise.
func signedArea(r []geo.E7) float64 {
	if len(r) < 3 {
		return 0
	}
	const metres = 111320 / 1e7
	var sum float64
	for i, p := range r {
		q := r[(i+1)%len(r)]
		sum += off(p.Lng, r[0].Lng)*off(q.Lat, r[0].Lat) - off(q.Lng, r[0].Lng)*off(p.Lat, r[0].Lat)
	}
	return sum / 2 * metres * metres * math.Cos(float64(r[0].Lat)/1e7*math.Pi/180)
}

// off is a difference that may be wider than 32 bits.
func off(a, b int32) float64 { return float64(a) - float64(b) }

func centroid(r []geo.E7) geo.E7 {
	var x, y, sum float64
	for i, p := range r {
		q := r[(i+1)%len(r)]
		px, py := off(p.Lng, r[0].Lng), off(p.Lat, r[0].Lat)
		qx, qy := off(q.Lng, r[0].Lng), off(q.Lat, r[0].Lat)
		cross := px*qy - qx*py
		x, y, sum = x+(px+qx)*cross, y+(py+qy)*cross, sum+cross
	}
	if sum == 0 {
		return r[0]
	}
	return geo.E7{Lat: r[0].Lat + int32(math.Round(y/(3*sum))), Lng: r[0].Lng + int32(math.Round(x/(3*sum)))}
}

// join strings lines together at shared ends: closed ones, and what stays open. Lines are only turned round where
// direction does not matter.
func join(lines [][]int64, mayTurn bool) (closed, open [][]int64) {
	starts := map[int64][]int{}
	used := make([]bool, len(lines))
	for i, l := range lines {
		if len(l) < 2 {
			used[i] = true
			continue
		}
		starts[l[0]] = append(starts[l[0]], i)
		if mayTurn {
			starts[l[len(l)-1]] = append(starts[l[len(l)-1]], i)
		}
	}
	next := func(at int64) ([]int64, bool) {
		for _, i := range starts[at] {
			if used[i] {
				continue
			}
			used[i] = true
			l := lines[i]
			if l[0] != at {
				l = slices.Clone(l)
				slices.Reverse(l)
			}
			return l, true
		}
		return nil, false
	}
	grow := func(chain []int64) []int64 {
		for chain[0] != chain[len(chain)-1] {
			l, ok := next(chain[len(chain)-1])
			if !ok {
				break
			}
			chain = append(chain, l[1:]...)
		}
		return chain
	}
	var chains [][]int64
	for i, l := range lines {
		if !used[i] {
			used[i] = true
			chains = append(chains, grow(slices.Clone(l)))
		}
	}
	// A chain begun in its middle goes on where another one, begun later, starts.
	for merged := true; merged; {
		merged = false
		heads := map[int64]int{}
		for i, c := range chains {
			if c != nil && c[0] != c[len(c)-1] {
				heads[c[0]] = i
			}
		}
		for i, c := range chains {
			if c == nil || c[0] == c[len(c)-1] {
				continue
			}
			if k, ok := heads[c[len(c)-1]]; ok && k != i && chains[k] != nil {
				chains[i], chains[k], merged = append(c, chains[k][1:]...), nil, true
				break
			}
		}
	}
	for _, c := range chains {
		switch {
		case c == nil:
		case c[0] == c[len(c)-1] && len(c) > 3:
			closed = append(closed, c)
		default:
			open = append(open, c)
		}
	}
	return closed, open
}

func (b *builder) multipolygon(m multipolygon) {
	if m.tags.isDistrict() {
		b.district(m)
		return
	}
	class, ok := m.tags.areaClass()
	if !ok {
		return
	}
	if rings, ok := b.rings(m); ok {
		b.area(region.NewFeatureID(region.FromRelation, m.id), class, m.tags, rings)
	}
}

// rings joins the members of an area: the outer rings, the largest first, then the holes. It returns false where no
// outer ring closes.
func (b *builder) rings(m multipolygon) ([][]geo.E7, bool) {
	var outer, inner [][]int64
	for _, one := range m.members {
		w := b.ways[one.way]
		switch {
		case w == nil:
			b.report.MissingMembers++
		case one.inner:
			inner = append(inner, w.nodes)
		default:
			outer = append(outer, w.nodes)
		}
	}
	outerRings, openOuter := join(outer, true)
	innerRings, openInner := join(inner, true)
	b.report.OpenAreas += len(openOuter) + len(openInner)
	var rings [][]geo.E7
	for _, r := range outerRings {
		rings = append(rings, ring(b.line(r), false))
	}
	for _, r := range innerRings {
		rings = append(rings, ring(b.line(r), true))
	}
	slices.SortStableFunc(
		rings[:len(outerRings)],
		func(x, y []geo.E7) int { return cmp.Compare(signedArea(y), signedArea(x)) },
	)
	return rings, len(outerRings) > 0
}

// coast builds the land from the coastlines, which have land at their left. Data without any is all land; a coast that
// the extract cut off is closed along the border of the data.
func (b *builder) coast() {
	var lines [][]int64
	for _, w := range b.wayOrder {
		if w.tags["natural"] == "coastline" {
			lines = append(lines, w.nodes)
		}
	}
	box := b.draft.Bounds
	west, south, east, north := int32(
		math.Floor(box.West*1e7),
	), int32(
		math.Floor(box.South*1e7),
	), int32(
		math.Ceil(box.East*1e7),
	), int32(
		math.Ceil(box.North*1e7),
	)
	border := frame{west, south, east, north}
	add := func(id region.FeatureID, r []geo.E7) {
		size := math.Abs(signedArea(r))
		if size == 0 {
			return
		}
		b.draft.Ground = append(
			b.draft.Ground,
			region.Feature{
				ID:      id,
				Class:   region.Land,
				Shape:   region.AreaShape,
				MinZoom: zoomForArea(size),
				Rank:    30,
				Parts:   [][]geo.E7{ring(r, false)},
			},
		)
	}
	if len(lines) == 0 {
		add(
			region.NewFeatureID(region.FromNothing, 0),
			[]geo.E7{
				{Lat: south, Lng: west},
				{Lat: south, Lng: east},
				{Lat: north, Lng: east},
				{Lat: north, Lng: west},
			},
		)
		return
	}
	closed, open := join(lines, false)
	for _, c := range closed {
		if r := b.line(c[1:]); signedArea(
			r,
		) > 0 { // clockwise is a hole in the land: water beyond a border we do not have
			add(region.NewFeatureID(region.FromNothing, c[0]), r)
		}
	}
	b.report.CutCoasts = len(open)
	var pieces [][]geo.E7
	for _, c := range open {
		pieces = append(pieces, b.line(c))
	}
	for i, r := range border.close(pieces) {
		add(region.NewFeatureID(region.FromNothing, int64(i)+1), r)
	}
}

// frame is the border of the data.
type frame struct{ west, south, east, north int32 }

// along returns how far round the frame, counterclockwise from its south-western corner, the point of the frame lies
// that is nearest to p; each side counts one.
func (f frame) along(p geo.E7) float64 {
	w, h := float64(f.east)-float64(f.west), float64(f.north)-float64(f.south)
	x, y := (float64(p.Lng)-float64(f.west))/w, (float64(p.Lat)-float64(f.south))/h
	switch nearest := min(x*w, (1-x)*w, y*h, (1-y)*h); nearest {
	case y * h:
		return x
	case (1 - x) * w:
		return 1 + y
	case (1 - y) * h:
		return 2 + 1 - x
	default:
		return 3 + 1 - y
	}
}

func (f frame) at(t float64) geo.E7 {
	side, part := int(t)%4, t-math.Floor(t)
	x := func(v float64) int32 { return int32(math.Round(float64(f.west) + v*(float64(f.east)-float64(f.west)))) }
	y := func(v float64) int32 {
		return int32(math.Round(float64(f.south) + v*(float64(f.north)-float64(f.south))))
	}
	switch side {
	case 0:
		return geo.E7{Lat: f.south, Lng: x(part)}
	case 1:
		return geo.E7{Lat: y(part), Lng: f.east}
	case 2:
		return geo.E7{Lat: f.north, Lng: x(1 - part)}
	default:
		return geo.E7{Lat: y(1 - part), Lng: f.west}
	}
}

// close turns open coasts into rings of land: from the end of each, with the land at the left, it follows the frame
// counterclockwise to the start of the next.
func (f frame) close(pieces [][]geo.E7) [][]geo.E7 {
	used := make([]bool, len(pieces))
	var rings [][]geo.E7
	for first := range pieces {
		if used[first] {
			continue
		}
		var r []geo.E7
		for k := first; !used[k]; {
			used[k] = true
			r = append(r, pieces[k]...)
			end := f.along(pieces[k][len(pieces[k])-1])
			nextK, gap := first, math.Inf(1)
			for i, p := range pieces {
				if used[i] && i != first {
					continue
				}
				d := math.Mod(f.along(p[0])-end+4, 4)
				if d < gap {
					nextK, gap = i, d
				}
			}
			r = append(r, f.at(end))
			for corner := math.Floor(end) + 1; corner < end+gap; corner++ {
				r = append(r, f.at(math.Mod(corner, 4)))
			}
			r = append(r, f.at(math.Mod(end+gap, 4)))
			k = nextK
		}
		rings = append(rings, slices.Compact(r))
	}
	return rings
}
