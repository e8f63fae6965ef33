package demo

import (
	"math"

	"viandante/codec/osm"
	"viandante/core/geo"
	"viandante/core/relief"
)

// The middle of the first island, in the open sea, and what a degree measures there.
const (
	middleLat, middleLng         = -38.05, -26.1
	metresPerLat, metresPerLng   = 110996, 87835
	islandsApartX, islandsApartY = 47000, 32000
)

// point turns a spot of the island's plane into a position; the plane is small enough for a flat one.
func (m *Island) point(a spot) geo.Point {
	return geo.MustPoint(middleLat+(a.y+m.offset.y)/metresPerLat, middleLng+(a.x+m.offset.x)/metresPerLng).Rounded()
}

// Write writes the island's elements.
func (m *Island) Write(w osm.Writer) {
	for i := range m.nodes {
		n := &m.nodes[i]
		p := m.point(n.at)
		w.Node(n.id, p.Lat(), p.Lng(), n.tags)
	}
	for i := range m.ways {
		w.Way(m.ways[i].id, m.ways[i].refs, m.ways[i].tags)
	}
	for _, r := range m.relations {
		members := make([]osm.Member, len(r.members))
		for i, one := range r.members {
			members[i] = osm.Member{Kind: one.kind, Ref: one.ref, Role: one.role}
		}
		w.Relation(r.id, members, r.tags)
	}
}

// Heights returns the height field, the sea at 0.
func (m *Island) Heights() *relief.Grid {
	f := m.land.heights
	corner := m.point(spot{f.x0, f.y0 + float64(f.h-1)*f.step})
	g := &relief.Grid{
		West:    corner.Lng(),
		North:   corner.Lat(),
		StepLng: f.step / metresPerLng,
		StepLat: f.step / metresPerLat,
		Width:   f.w,
		Height:  f.h,
		Metres:  make([]float32, len(f.v)),
	}
	for y := range f.h {
		for x := range f.w {
			g.Metres[y*f.w+x] = float32(math.Round(max(0, f.v[(f.h-1-y)*f.w+x])*10) / 10)
		}
	}
	return g
}

// idsOfAnIsland is how many ids each island of an archipelago has for itself.
const idsOfAnIsland = 1_000_000_000

// Archipelago makes islands, as many as scale says, two at a time, and hands them over in order; the first is the
// island of the seed.
func Archipelago(seed uint64, scale int, take func(number int, m *Island) error) error {
	side := int(math.Ceil(math.Sqrt(float64(scale) * islandsApartY / islandsApartX)))
	made := make([]chan *Island, scale)
	begin := func(i int) {
		if i < scale {
			made[i] = make(chan *Island, 1)
			offset := spot{float64(i/side) * islandsApartX, float64(i%side) * islandsApartY}
			go func() { made[i] <- newIsland(seed+uint64(i)*1000, offset, 1+int64(i)*idsOfAnIsland, i) }()
		}
	}
	begin(0)
	begin(1)
	for i := range scale {
		m := <-made[i]
		made[i] = nil
		begin(i + 2)
		if err := take(i, m); err != nil {
			return err
		}
	}
	return nil
}
