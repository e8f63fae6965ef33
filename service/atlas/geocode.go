package atlas

import (
	"context"
	"errors"
	"slices"

	"viandante/core/address"
	"viandante/core/geo"
	"viandante/service/fault"
)

// Geocode finds addresses, streets, landmarks and localities in all regions, best first. Where there are none it tells
// what was made of the query.
func (a *Atlas) Geocode(ctx context.Context, q address.Query) ([]address.Find, address.Understanding, error) {
	return a.forward(q, func(x address.Index) ([]address.Find, address.Understanding, error) {
		return x.Forward(ctx, q)
	})
}

// Suggest does the same for a query that is still being typed.
func (a *Atlas) Suggest(ctx context.Context, q address.Query) ([]address.Find, address.Understanding, error) {
	return a.forward(q, func(x address.Index) ([]address.Find, address.Understanding, error) {
		return x.Suggest(ctx, q)
	})
}

func (a *Atlas) forward(
	q address.Query,
	ask func(address.Index) ([]address.Find, address.Understanding, error),
) (out []address.Find, u address.Understanding, err error) {
	set := a.regions.Load()
	if err := set.ready(); err != nil {
		return nil, u, err
	}
	asked := false
	broken := a.reading(set, func() {
		for _, r := range set.open {
			found, made, failed := ask(r.address)
			if err = failed; err != nil {
				return
			}
			r.sign(found)
			out = address.Merge(out, found, q)
			if made.Nearest != nil {
				r.sign([]address.Find{*made.Nearest})
			}
			u = u.And(made, asked)
			asked = true
		}
	})
	if err = errors.Join(err, broken); err == nil && len(out) == 0 {
		err = set.complete()
	}
	return out, u, err
}

// Reverse returns the addresses at a position, or what is true of it. Where no region holds it, it says so.
func (a *Atlas) Reverse(at geo.Point, limit int) (out []address.Find, err error) {
	set := a.regions.Load()
	if err := set.ready(); err != nil {
		return nil, err
	}
	held := false
	broken := a.reading(set, func() {
		for _, r := range set.open {
			holds := r.region.Meta.Bounds.Contains(at)
			held = held || holds
			found := r.address.Reverse(at, limit)
			if !holds { // it knows nothing of the ground there
				found = slices.DeleteFunc(found, func(f address.Find) bool {
					return f.Kind == address.Ground || f.Kind == address.Sea
				})
			}
			r.sign(found)
			out = address.MergeReverse(out, found, limit)
		}
	})
	switch {
	case broken != nil:
		return nil, broken
	case len(out) > 0:
		return out, nil
	}
	if err := set.complete(); err != nil {
		return nil, err
	}
	if !held {
		return nil, fault.New(fault.Impossible, "no region holds %v; those in use are %s", at, set.names())
	}
	return []address.Find{}, nil
}

// sign tells of each find which region holds it.
func (r *openRegion) sign(finds []address.Find) {
	for i := range finds {
		finds[i].Of, finds[i].Version = r.row.Name, r.row.Hash
	}
}

// ready returns an error where there is nothing that could answer: no region in use, or none read yet.
func (s *regionSet) ready() error {
	switch {
	case s.version == "":
		return fault.New(fault.Unready, "the map data are still being opened; ask again in a moment")
	case len(s.open) == 0 && len(s.away) > 0:
		return away(s.away[0].Name)
	case len(s.open) == 0:
		return fault.New(fault.Impossible,
			"no map data are loaded, so there are no addresses; build a region with `viandante region build`")
	}
	return nil
}

// names lists the names of the regions in use.
func (s *regionSet) names() (out string) {
	for i, r := range s.open {
		if i > 0 {
			out += ", "
		}
		out += r.row.Name
	}
	return out
}

// InUse tells whether a region file is in use, by its hash.
func (a *Atlas) InUse(hash string) bool {
	return slices.ContainsFunc(a.regions.Load().open, func(r *openRegion) bool { return r.row.Hash == hash })
}
