package service

import (
	"context"

	"viandante/core/geo"
	"viandante/core/mercator"
	"viandante/core/region"
	"viandante/core/tile"
	"viandante/store"
	"viandante/world"
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
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return nil, err
	}
	out := []Doubt{}
	err = v.reading(v.regions.Load(), func() { out = v.doubts(x.now.Load(), at) })
	return out, err
}

func (v *Service) doubts(s *snapshot, at geo.Point) []Doubt {
	out := []Doubt{}
	if at.Lat() == 0 && at.Lng() == 0 {
		out = append(out, Doubt{Reason: "0,0 lies in the open Atlantic: most often it stands for a position that was never there", What: "leave the position open"})
	}
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
	far := away(at) >= farFromOthersM
	if !far && v.onLand(at) {
		return out
	}
	for _, c := range []struct {
		lat, lng float64
		what     string
	}{{at.Lng(), at.Lat(), "latitude and longitude are swapped"}, {-at.Lat(), at.Lng(), "the minus sign of the latitude is missing"}, {at.Lat(), -at.Lng(), "the minus sign of the longitude is missing"}, {-at.Lat(), -at.Lng(), "both minus signs are missing"}, {-at.Lng(), -at.Lat(), "latitude and longitude are swapped and both minus signs are missing"}} {
		p, err := geo.NewPoint(c.lat, c.lng)
		if err != nil || p == at || away(p) >= farFromOthersM {
			continue
		}
		reason := "it lies far from every other place and from the map data: "
		if !far {
			if !v.onLand(p) || !v.othersOnLand(s, p) {
				continue
			}
			reason = "it lies in the sea, while the others lie on land: "
		}
		out = append(out, Doubt{Reason: reason + c.what, Mend: p.String(), What: "take " + p.String()})
	}
	return out
}

// othersOnLand tells whether the places nearest to a position lie on land; false where there are none.
func (v *Service) othersOnLand(s *snapshot, p geo.Point) bool {
	const looked = 10
	near := s.nearest(p, 0, farFromOthersM, looked, func(*store.Feature) bool { return true })
	dry := 0
	for _, n := range near {
		if v.onLand(n.feature.At) {
			dry++
		}
	}
	return len(near) > 0 && 5*dry >= 4*len(near)
}

// onLand tells whether a position lies on land: by the region that holds it, elsewhere by the world's coastlines.
func (v *Service) onLand(at geo.Point) bool {
	id := tile.At(at, mercator.MaxZoom)
	p := mercator.Finest(at.E7())
	on := func(r *region.Region, class region.Class) (found bool) {
		r.Draw(id.Z, id.X, id.Y, func(f *region.Drawn) bool {
			found = f.Class == class && f.Shape == region.AreaShape && inside(f.Parts, p)
			return !found
		})
		return found
	}
	for _, r := range v.regions.Load().open {
		if r.region.Meta.Bounds.Contains(at) {
			return on(r.region.Region, region.Land)
		}
	}
	far, err := world.Region()
	return err == nil && on(far, region.FarLand)
}
