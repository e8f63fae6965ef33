package service

import (
	"context"

	"viandante/core/geo"
	"viandante/service/atlas"
	"viandante/service/catalog"
)

// Doubt is what looks wrong about a position that somebody is about to keep, and what would mend it.
type Doubt struct {
	Reason string `json:"reason"`
	// Mend is the likely position, lat,lng; "" where there is none to offer.
	Mend string `json:"mend"`
	What string `json:"what"`
}

// farFromOthersM is how far a position may lie from the places there are, and from land, before it is doubted.
const farFromOthersM = 150_000

// Doubts returns what looks wrong about a position: all zeros, swapped, or a minus sign missing, so that it lies far
// from all that is kept while its likely mend does not.
func (v *Service) Doubts(ctx context.Context, a Actor, at geo.Point) (out []Doubt, err error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, err
	}
	err = v.atlas.Look(func(land atlas.Land) { out = surroundings{s, view, land}.doubts(at) })
	return out, err
}

// surroundings are what a position is held against.
type surroundings struct {
	places *catalog.Snapshot
	view   catalog.View
	land   atlas.Land
}

func (s surroundings) doubts(at geo.Point) []Doubt {
	out := []Doubt{}
	if at.Lat() == 0 && at.Lng() == 0 {
		out = append(
			out,
			Doubt{Reason: "0,0 lies in the open Atlantic: most often it stands for a position that was never there",
				What: "leave the position open"},
		)
	}
	far := s.isFar(at)
	if !far && s.land.At(at) {
		return out
	}
	const swapped = "latitude and longitude are swapped"
	for _, c := range []struct {
		lat, lng float64
		what     string
	}{
		{at.Lng(), at.Lat(), swapped},
		{-at.Lat(), at.Lng(), "the minus sign of the latitude is missing"},
		{at.Lat(), -at.Lng(), "the minus sign of the longitude is missing"},
		{-at.Lat(), -at.Lng(), "both minus signs are missing"},
		{-at.Lng(), -at.Lat(), swapped + " and both minus signs are missing"},
	} {
		p, err := geo.NewPoint(c.lat, c.lng)
		if err != nil || p == at || s.isFar(p) {
			continue
		}
		reason := "it lies far from every other place and from the map data: "
		if !far {
			if !s.land.At(p) || !s.othersOnLand(p) {
				continue
			}
			reason = "it lies in the sea, while the others lie on land: "
		}
		out = append(out, Doubt{Reason: reason + c.what, Mend: p.String(), What: "take " + p.String()})
	}
	return out
}

// isFar tells whether a position lies far from all places and from the map data.
func (s surroundings) isFar(p geo.Point) bool { return len(s.nearest(p, 1)) == 0 && !s.land.Covered(p) }

func (s surroundings) nearest(p geo.Point, n int) []catalog.Hit {
	return s.places.Near(s.view, catalog.Near{At: p, WithinM: farFromOthersM, Limit: n})
}

// othersOnLand tells whether the places nearest to a position lie on land; false where there are none.
func (s surroundings) othersOnLand(p geo.Point) bool {
	near := s.nearest(p, 10)
	dry := 0
	for _, n := range near {
		if s.land.At(n.Point()) {
			dry++
		}
	}
	return len(near) > 0 && 5*dry >= 4*len(near)
}
