package region

import (
	"cmp"
	"slices"
	"strings"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/spatial"
)

// The gazetteer holds what can be looked for by name:
//
//	LOCA  settlements                     LAND  landmarks
//	STRE  streets, each within one settlement, with the run of its addresses
//	ADDR  addresses by street, then by house number        ADRT  a tree over them, by way of ADRO
//	STRP  for each street some points along it
type addressRecord struct {
	ID       uint64
	At       geo.E7
	Number   uint32
	Postcode uint32
	Street   uint32
	_        uint32
}

type streetRecord struct {
	Name, Settlement    uint32
	First, Count        uint32
	FirstPoint, PointsN uint32
}

type settlementRecord struct {
	ID   uint64
	At   geo.E7
	Name uint32
	Size uint8
	_    [3]uint8
}

type landmarkRecord struct {
	ID         uint64
	At         geo.E7
	Name, Kind uint32
}

// Gazetteer is what can be looked for by name.
type Gazetteer struct {
	addresses    []addressRecord
	addressOrder []uint32
	addressTree  spatial.Boxes
	streets      []streetRecord
	streetPoints []geo.E7
	settlements  []settlementRecord
	landmarks    []landmarkRecord
}

// NoSettlement stands for the settlement of a street that lies in none.
const NoSettlement = ^uint32(0)

type streetKey struct {
	name       string
	settlement uint32
}

func encodeGazetteer(s *sections, d *Draft, pool *pool, meta *Meta) {
	var settlements []settlementRecord
	byName := map[string][]uint32{}
	for i, t := range d.Settlements {
		settlements = append(
			settlements,
			settlementRecord{ID: uint64(t.ID), At: t.At, Name: pool.number(t.Name), Size: t.Size},
		)
		byName[t.Name] = append(byName[t.Name], uint32(i))
	}
	nearest := settlementFinder(d.Settlements)
	draft := map[streetKey]*draftStreet{}
	street := func(name string, settlement uint32) *draftStreet {
		k := streetKey{name, settlement}
		if draft[k] == nil {
			draft[k] = &draftStreet{key: k}
		}
		return draft[k]
	}
	for _, a := range d.Addresses {
		settlement := NoSettlement
		if same := byName[a.Place]; a.Place != "" && len(same) > 0 {
			settlement = slices.MinFunc(same, func(x, y uint32) int {
				return cmp.Compare(
					geodesy.Distance(d.Settlements[x].At.Point(), a.At.Point()),
					geodesy.Distance(d.Settlements[y].At.Point(), a.At.Point()),
				)
			})
		} else {
			settlement = nearest(a.At)
		}
		st := street(a.Street, settlement)
		st.addresses = append(st.addresses, a)
	}
	for _, r := range d.Roads {
		if r.Name == "" {
			continue
		}
		middle := d.RoadNodes[r.Nodes[len(r.Nodes)/2]]
		st := street(r.Name, nearest(middle))
		for i := 0; i < len(r.Nodes); i += 8 {
			st.points = append(st.points, d.RoadNodes[r.Nodes[i]])
		}
		st.points = append(st.points, middle)
	}
	ordered := make([]*draftStreet, 0, len(draft))
	for _, st := range draft {
		ordered = append(ordered, st)
	}
	slices.SortFunc(ordered, func(a, b *draftStreet) int {
		return cmp.Or(strings.Compare(a.key.name, b.key.name), cmp.Compare(a.key.settlement, b.key.settlement))
	})
	var streets []streetRecord
	var addresses []addressRecord
	var points []geo.E7
	for _, st := range ordered {
		streets = append(
			streets,
			streetRecord{
				pool.number(st.key.name),
				st.key.settlement,
				uint32(len(addresses)),
				uint32(len(st.addresses)),
				uint32(len(points)),
				uint32(len(st.points)),
			},
		)
		slices.SortStableFunc(st.addresses, func(a, b Address) int {
			return cmp.Or(
				cmp.Compare(LeadingNumber(a.Number), LeadingNumber(b.Number)),
				strings.Compare(a.Number, b.Number),
				cmp.Compare(a.ID, b.ID),
			)
		})
		for _, a := range st.addresses {
			addresses = append(
				addresses,
				addressRecord{
					ID:       uint64(a.ID),
					At:       a.At,
					Number:   pool.number(a.Number),
					Postcode: pool.number(a.Postcode),
					Street:   uint32(len(streets) - 1),
				},
			)
		}
		points = append(points, st.points...)
	}
	meta.Addresses, meta.Streets = len(addresses), len(streets)
	boxes := make([]spatial.Box, len(addresses))
	for i, a := range addresses {
		boxes[i] = spatial.Box{MinX: a.At.Lng, MinY: a.At.Lat, MaxX: a.At.Lng, MaxY: a.At.Lat}
	}
	order := make([]uint32, len(boxes))
	sorted := make([]spatial.Box, len(boxes))
	for i, k := range spatial.HilbertOrder(boxes) {
		order[i], sorted[i] = uint32(k), boxes[k]
	}
	var landmarks []landmarkRecord
	for _, l := range d.Landmarks {
		landmarks = append(landmarks, landmarkRecord{uint64(l.ID), l.At, pool.number(l.Name), pool.number(l.Kind)})
	}
	s.add("LOCA", bytesOf(settlements))
	s.add("LAND", bytesOf(landmarks))
	s.add("STRE", bytesOf(streets))
	s.add("STRP", bytesOf(points))
	s.add("ADDR", bytesOf(addresses))
	s.add("ADRO", bytesOf(order))
	s.add("ADRT", bytesOf(spatial.PackBoxes(sorted)))
}

type draftStreet struct {
	key       streetKey
	addresses []Address
	points    []geo.E7
}

// settlementFinder returns a function that gives the settlement which a point most likely belongs to: the nearest, with
// the larger ones reaching farther (a quarter or hamlet 1, a village 1.5, a town 3, a city 6 times).
func settlementFinder(all []Settlement) func(geo.E7) uint32 {
	items := make([]uint32, len(all))
	for i := range items {
		items[i] = uint32(i)
	}
	where := func(item uint32) geo.Point { return all[item].At.Point() }
	index := spatial.NewPoints(items, where)
	reach := [...]float64{1, 1, 1.5, 3, 6}
	return func(at geo.E7) uint32 {
		best, bestD := NoSettlement, 25_000.0
		near := spatial.Search{
			Center:  at.Point(),
			WithinM: bestD,
			N:       12,
			At:      where,
			Less:    func(a, b uint32) bool { return a < b },
		}
		near.In(index)
		for _, f := range near.Found() {
			if d := f.DistanceM / reach[min(int(all[f.Item].Size), 4)]; d < bestD {
				best, bestD = f.Item, d
			}
		}
		return best
	}
}

// LeadingNumber returns the number that a house number begins with, or 0: 12 for "12a".
func LeadingNumber(s string) int {
	n := 0
	for _, c := range s {
		if c < '0' || c > '9' || n > 1_000_000 {
			break
		}
		n = n*10 + int(c-'0')
	}
	return n
}

func openGazetteer(dir directory) (Gazetteer, error) {
	g := Gazetteer{addresses: view[addressRecord](dir.section("ADDR")), addressOrder: view[uint32](dir.section("ADRO")),
		streets: view[streetRecord](dir.section("STRE")), streetPoints: view[geo.E7](dir.section("STRP")),
		settlements: view[settlementRecord](dir.section("LOCA")), landmarks: view[landmarkRecord](dir.section("LAND"))}
	var ok bool
	if g.addressTree, ok = spatial.OpenBoxes(view[spatial.Box](dir.section("ADRT")), len(g.addresses)); !ok ||
		len(g.addressOrder) != len(g.addresses) {
		return g, corrupt("the index of the addresses does not fit them")
	}
	for _, k := range g.addressOrder {
		if int(k) >= len(g.addresses) {
			return g, corrupt("the index of the addresses leads outside")
		}
	}
	for _, a := range g.addresses {
		if int(a.Street) >= len(g.streets) {
			return g, corrupt("an address lies in no street")
		}
	}
	for _, st := range g.streets {
		if uint64(st.First)+uint64(st.Count) > uint64(len(g.addresses)) ||
			uint64(st.FirstPoint)+uint64(st.PointsN) > uint64(len(g.streetPoints)) ||
			st.Settlement != NoSettlement && int(st.Settlement) >= len(g.settlements) {
			return g, corrupt("a street leads outside")
		}
	}
	return g, nil
}

// Street is a street within one settlement.
type Street struct {
	Name       string
	Settlement uint32 // or NoSettlement
	// Addresses is the run of its addresses: First to First+Count.
	First, Count uint32
}

// Streets returns the number of streets.
func (r *Region) Streets() int { return len(r.streets) }

// Street returns a street below Streets.
func (r *Region) Street(i uint32) Street {
	st := &r.streets[i]
	return Street{r.Text(st.Name), st.Settlement, st.First, st.Count}
}

// StreetPoint returns a point that stands for the street: of its points, the one nearest to their mean.
func (r *Region) StreetPoint(i uint32) geo.Point {
	st := &r.streets[i]
	points := slice(r.streetPoints, st.FirstPoint, st.PointsN)
	if len(points) == 0 {
		for _, a := range slice(r.Gazetteer.addresses, st.First, st.Count) {
			points = append(points, a.At)
		}
	}
	if len(points) == 0 {
		return geo.Point{}
	}
	var lat, lng float64
	for _, p := range points {
		lat, lng = lat+float64(p.Lat)/float64(len(points)), lng+float64(p.Lng)/float64(len(points))
	}
	off := func(p geo.E7) float64 {
		return (float64(p.Lat)-lat)*(float64(p.Lat)-lat) + (float64(p.Lng)-lng)*(float64(p.Lng)-lng)
	}
	return slices.MinFunc(points, func(a, b geo.E7) int { return cmp.Compare(off(a), off(b)) }).Point()
}

// HouseAddress is one address.
type HouseAddress struct {
	ID               FeatureID
	At               geo.Point
	Number, Postcode string
	Street           uint32
}

// Addresses returns the number of addresses.
func (r *Region) Addresses() int { return len(r.Gazetteer.addresses) }

// Address returns an address below Addresses.
func (r *Region) Address(i uint32) HouseAddress {
	a := &r.Gazetteer.addresses[i]
	return HouseAddress{FeatureID(a.ID), a.At.Point(), r.Text(a.Number), r.Text(a.Postcode), a.Street}
}

// AddressesNear calls yield with addresses in the order of their distance in metres from a point.
func (r *Region) AddressesNear(at geo.Point, yield func(i uint32, distanceM float64) bool) {
	r.addressTree.Nearest(BoxDistance(at), func(i int) float64 {
		p := r.Gazetteer.addresses[r.addressOrder[i]].At.Point()
		if !p.IsValid() {
			return -1
		}
		return geodesy.Distance(at, p)
	}, func(i int, d float64) bool { return d < 0 || yield(r.addressOrder[i], d) })
}

// Settlements returns the number of settlements.
func (r *Region) Settlements() int { return len(r.settlements) }

// Settlement returns a settlement below Settlements.
func (r *Region) Settlement(i uint32) Settlement {
	t := &r.settlements[i]
	return Settlement{FeatureID(t.ID), t.At, r.Text(t.Name), t.Size}
}

// Landmarks returns the number of landmarks.
func (r *Region) Landmarks() int { return len(r.landmarks) }

// Landmark returns a landmark below Landmarks.
func (r *Region) Landmark(i uint32) Landmark {
	l := &r.landmarks[i]
	return Landmark{FeatureID(l.ID), l.At, r.Text(l.Name), r.Text(l.Kind)}
}
