package service

import (
	"context"

	"viandante/core/geo"
	"viandante/store"
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

// Doubts returns what looks wrong about a position: all zeros, swapped, or a minus sign missing, so that it lies far from
// all that is kept while its likely mend does not.
func (v *Service) Doubts(ctx context.Context, a Actor, at geo.Point) ([]Doubt, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	out := []Doubt{}
	if at.Lat() == 0 && at.Lng() == 0 {
		out = append(out, Doubt{Reason: "0,0 lies in the open Atlantic: most often it stands for a position that was never there", What: "leave the position open"})
	}
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return nil, err
	}
	s := x.now.Load()
	away := func(p geo.Point) float64 {
		if found := s.nearest(p, 0, farFromOthersM, 1, func(*store.Feature) bool { return true }); len(found) > 0 {
			return found[0].distanceM
		}
		for _, r := range v.regions.Load().open {
			if r.region.Meta.Bounds.Contains(p) {
				return 0
			}
		}
		return farFromOthersM
	}
	if away(at) < farFromOthersM {
		return out, nil
	}
	for _, c := range []struct {
		lat, lng float64
		what     string
	}{{at.Lng(), at.Lat(), "latitude and longitude are swapped"}, {-at.Lat(), at.Lng(), "the minus sign of the latitude is missing"}, {at.Lat(), -at.Lng(), "the minus sign of the longitude is missing"}, {-at.Lat(), -at.Lng(), "both minus signs are missing"}, {-at.Lng(), -at.Lat(), "latitude and longitude are swapped and both minus signs are missing"}} {
		p, err := geo.NewPoint(c.lat, c.lng)
		if err != nil || p == at || away(p) >= farFromOthersM {
			continue
		}
		out = append(out, Doubt{Reason: "it lies far from every other place and from the map data: " + c.what, Mend: p.String(), What: "take " + p.String()})
	}
	return out, nil
}
