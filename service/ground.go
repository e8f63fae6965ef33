package service

import (
	"context"

	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/tile"
	"viandante/service/atlas"
)

// Geocode finds addresses, streets, landmarks and localities in all regions, best first; where there are none it tells
// what was made of the query.
func (v *Service) Geocode(
	ctx context.Context,
	a Actor,
	q address.Query,
) ([]address.Find, address.Understanding, error) {
	return asked(ctx, a, q, v.atlas.Geocode)
}

// Suggest completes a query that is still being typed.
func (v *Service) Suggest(
	ctx context.Context,
	a Actor,
	q address.Query,
) ([]address.Find, address.Understanding, error) {
	return asked(ctx, a, q, v.atlas.Suggest)
}

// asked answers coordinates by themselves, and has the atlas answer anything else.
func asked(
	ctx context.Context,
	a Actor,
	q address.Query,
	atlas func(context.Context, address.Query) ([]address.Find, address.Understanding, error),
) ([]address.Find, address.Understanding, error) {
	if err := a.MayAsk(); err != nil {
		return nil, address.Understanding{}, err
	}
	if position, err := readPosition(q.Text); q.Text != "" && err == nil {
		return []address.Find{position}, address.Understanding{}, nil
	}
	return atlas(ctx, q)
}

// Reverse returns the addresses at a position, or what is true of it.
func (v *Service) Reverse(a Actor, at geo.Point, limit int) ([]address.Find, error) {
	if err := a.MayAsk(); err != nil {
		return nil, err
	}
	return v.atlas.Reverse(at, limit)
}

// Tile returns a tile of the ground, compressed with gzip; empty where there is nothing on it.
func (v *Service) Tile(ctx context.Context, a Actor, version string, id tile.ID, heights bool) ([]byte, error) {
	if err := a.MayAsk(); err != nil {
		return nil, err
	}
	return v.atlas.Tile(ctx, version, id, heights)
}

// Regions returns the regions in use, those that cannot be read, and the version of the ground that they make together.
func (v *Service) Regions(a Actor) ([]atlas.RegionInfo, []atlas.RegionAway, string, error) {
	if err := a.MayAsk(); err != nil {
		return nil, nil, "", err
	}
	in, away, version := v.atlas.Regions()
	return in, away, version, nil
}

// Building returns the building that a position lies in, or nil.
func (v *Service) Building(a Actor, at geo.Point) (*atlas.Building, error) {
	if err := a.MayAsk(); err != nil {
		return nil, err
	}
	return v.atlas.Building(at)
}

// UseRegion saves the bytes of a region file and puts it into use under a name; source is the hash of what it was built
// from.
func (v *Service) UseRegion(ctx context.Context, name, source string, data []byte) (hash string, err error) {
	return v.atlas.Use(ctx, name, source, data)
}

// RegionSource returns what the region of a name was built from, or "".
func (v *Service) RegionSource(name string) string { return v.atlas.Source(name) }

// RegionsAway returns how many regions should be in use and cannot be read, RegionFaults how many readings of one
// failed.
func (v *Service) RegionsAway() int { return v.atlas.Away() }

// RegionFaults returns how many readings of a region failed.
func (v *Service) RegionFaults() int64 { return v.atlas.Faults() }
