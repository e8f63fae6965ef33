package demo

import (
	"math"
	"strconv"
)

// river is a stretch of running water between two confluences, from its upper end to its lower one.
type river struct {
	points []spot
	name   string
	big    bool
	width  float64 // metres, at its lower end
}

const (
	streamArea, riverArea = 1.1e6, 9e6 // what must drain through a point for it to carry a stream, a river; m²
)

// layRivers follows the water down from where enough of it has gathered to the sea.
func (m *Island) layRivers() {
	d, f := m.land.drain, m.land.broad
	wet := func(i int32) bool { return d.area[i] >= streamArea && f.v[i] > 0 }
	feeders := make([]int8, len(f.v))
	for i := range f.v {
		if r := d.receiver[i]; wet(int32(i)) && r != int32(i) {
			feeders[r]++
		}
	}
	named := map[int32]string{} // the name that the water at a confluence bears
	names := append([]string(nil), riverNames...)
	for k := len(d.order) - 1; k >= 0; k-- { // from the heights down, so that names are known when a confluence is left
		i := d.order[k]
		if !wet(i) || feeders[i] == 1 {
			continue
		}
		r := river{name: named[i], big: d.area[i] >= riverArea}
		end := i
		for {
			r.points = append(r.points, f.spot(int(end)))
			if end != i && (!wet(end) || feeders[end] != 1) || d.receiver[end] == end {
				break
			}
			end = d.receiver[end]
		}
		if d.area[i] < riverArea &&
			len(r.points) > 2 { // a stream that becomes a river on the way is one from its last point
			before := d.area[f.cell(r.points[len(r.points)-2])]
			r.big = before >= riverArea
		}
		if len(r.points) > 1 {
			r.width = math.Round(5*math.Sqrt(d.area[f.cell(r.points[len(r.points)-2])]/riverArea)*2) / 2
		}
		if r.name == "" && r.big && len(names) > 0 {
			r.name, names = names[0], names[1:]
		}
		if r.name != "" && named[end] == "" && wet(end) {
			named[end] = r.name
		}
		for range 4 {
			for k := 1; k < len(r.points)-1; k++ {
				r.points[k] = r.points[k].to(r.points[k-1].to(r.points[k+1], 0.5), 0.5)
			}
		}
		m.addRiver(r)
	}
}

// addRiver keeps what of a river lies on dry land, in as many pieces as there are.
func (m *Island) addRiver(r river) {
	var piece []spot
	flush := func() {
		if len(piece) > 1 {
			m.rivers = append(m.rivers, river{piece, r.name, r.big, r.width})
			width := 3.0
			if r.big {
				width = 9
			}
			for k := 1; k < len(piece); k++ {
				m.water.add(piece[k-1], piece[k], width)
			}
		}
		piece = nil
	}
	for _, p := range r.points {
		if m.land.heights.at(p) < -1 || m.land.inLake[m.land.broad.cell(p)] {
			piece = append(piece, p)
			flush()
			continue
		}
		piece = append(piece, p)
	}
	flush()
}

// bridgeAt returns where the stretch ab crosses running water, as a share of it, and whether that is a river.
func (m *Island) bridgeAt(a, b spot) (share float64, big, ok bool) {
	best := math.Inf(1)
	for _, s := range m.water.near(a, b) {
		if t, u, meets := meeting(a, b, s.a, s.b); meets && u < 1 && t < best {
			best, big, ok = t, s.width > 5, true
		}
	}
	return best, big, ok
}

func (m *Island) layCoast() {
	for _, r := range m.land.heights.rings(0) {
		if area := ringArea(r); area > 2500 {
			m.coasts = append(m.coasts, r)
		}
	}
	for _, r := range m.coasts {
		ids := m.chain(r)
		for i := 0; i+1 < len(ids); i += 400 { // in several ways, as surveyed coasts come
			m.way(ids[i:min(len(ids), i+401)], "natural", "coastline")
		}
	}
	m.named(spot{-1500, -2600}, "place", "island", "name", m.name)
	for _, r := range m.land.lake {
		if ringArea(r) > 0 {
			m.area(r, "natural", "water", "name", "Lake Sedge")
		}
	}
	for _, r := range m.rivers {
		kind := "stream"
		if r.big {
			kind = "river"
		}
		tags := []string{"waterway", kind}
		if r.big {
			tags = append(tags, "width", strconv.FormatFloat(r.width, 'f', -1, 64))
		}
		if r.name != "" {
			tags = append(tags, "name", r.name)
		}
		ids := make([]int64, len(r.points))
		for i, p := range r.points {
			ids[i] = m.nodeAt(p)
		}
		m.way(ids, tags...)
	}
	for i, p := range m.land.peaks {
		if i < len(peakNames) {
			m.named(p, "natural", "peak", "name", peakNames[i], "ele", formatMetres(m.land.heights.at(p)))
		}
	}
}
