package region

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/lexicon"
	"viandante/core/spatial"
)

type streetKey struct {
	name       string
	settlement uint32
}

// draftStreet is a street under way: addresses and roads of one name in one settlement.
type draftStreet struct {
	key       streetKey
	number    uint32 // once they are in order
	addresses []Address
	points    []geo.E7
	box       spatial.Box // of its addresses
	also      []OtherName
}

// gazetteerDraft gathers the streets of a draft.
type gazetteerDraft struct {
	settlements []Settlement
	nearest     func(geo.E7) uint32
	streets     map[streetKey]*draftStreet
	byName      map[string][]*draftStreet
	ofRoad      []*draftStreet // the street of each road, or nil
}

func encodeGazetteer(s *sections, d *Draft, pool *pool, meta *Meta) {
	g := &gazetteerDraft{
		settlements: withCities(d),
		streets:     map[streetKey]*draftStreet{},
		byName:      map[string][]*draftStreet{},
		ofRoad:      make([]*draftStreet, len(d.Roads)),
	}
	g.nearest = settlementFinder(g.settlements)
	placeInDistricts(g.settlements, d.Districts)
	g.gatherAddresses(d)
	g.gatherRoads(d)
	ordered := make([]*draftStreet, 0, len(g.streets))
	for _, st := range g.streets {
		ordered = append(ordered, st)
	}
	slices.SortFunc(ordered, func(a, b *draftStreet) int {
		return cmp.Or(strings.Compare(a.key.name, b.key.name), cmp.Compare(a.key.settlement, b.key.settlement))
	})
	names := &nameDraft{}
	var settlements []settlementRecord
	for i, t := range g.settlements {
		settlements = append(settlements, settlementRecord{ID: uint64(t.ID), At: t.At, Name: pool.number(t.Name),
			District: pool.number(t.District), Size: t.Size})
		names.add(Thing{LocalityThing, uint32(i)}, 0, t.Name, t.Also)
	}
	postcodes, postcodeOf := draftPostcodes(ordered, pool)
	var streets []streetRecord
	var addresses []addressRecord
	for i, st := range ordered {
		st.number = uint32(i)
		streets = append(streets, streetRecord{pool.number(st.key.name), st.key.settlement, uint32(len(addresses)),
			uint32(len(st.addresses)), postcodeOf(st), st.middle()})
		names.add(Thing{StreetThing, uint32(i)}, st.key.settlement, st.key.name, st.also)
		slices.SortStableFunc(st.addresses, func(a, b Address) int {
			return cmp.Or(
				cmp.Compare(LeadingNumber(a.Number), LeadingNumber(b.Number)),
				strings.Compare(a.Number, b.Number),
				cmp.Compare(a.ID, b.ID),
			)
		})
		for _, a := range st.addresses {
			addresses = append(addresses, addressRecord{ID: uint64(a.ID), At: a.At, Number: pool.number(a.Number),
				Postcode: pool.number(a.Postcode), Street: uint32(i)})
		}
	}
	for i := range postcodes {
		names.add(Thing{PostcodeThing, uint32(i)}, 0, string(pool.textOf(postcodes[i].Text)), nil)
	}
	var landmarks []landmarkRecord
	kinds := map[string]uint32{}
	for i, l := range d.Landmarks {
		landmarks = append(landmarks, landmarkRecord{ID: uint64(l.ID), At: l.At, Name: pool.number(l.Name),
			Kind: pool.number(l.Kind), Settlement: g.nearest(l.At)})
		kinds[l.Kind] = pool.number(l.Kind)
		names.add(Thing{LandmarkThing, uint32(i)}, 0, l.Name, l.Also)
	}
	called := lexicon.Categories()
	for kind, number := range kinds {
		var also []OtherName
		for _, word := range called[kind] {
			also = append(also, OtherName{"category", word})
		}
		names.add(Thing{CategoryThing, number}, 0, kind, also)
	}
	for i, name := range districtNames(g.settlements) {
		names.add(Thing{DistrictThing, uint32(i)}, 0, name, nil)
	}
	meta.Addresses, meta.Streets, meta.Folding = len(addresses), len(streets), lexicon.FoldVersion
	s.add("LOCA", bytesOf(settlements))
	s.add("LAND", bytesOf(landmarks))
	s.add("PCOD", bytesOf(postcodes))
	s.add("STRE", bytesOf(streets))
	s.add("CROS", bytesOf(g.crossings(d)))
	s.add("ADDR", bytesOf(addresses))
	encodeAddressTree(s, addresses)
	names.encode(s, pool, d)
}

func encodeAddressTree(s *sections, addresses []addressRecord) {
	boxes := make([]spatial.Box, len(addresses))
	for i, a := range addresses {
		boxes[i] = spatial.Box{MinX: a.At.Lng, MinY: a.At.Lat, MaxX: a.At.Lng, MaxY: a.At.Lat}
	}
	order := make([]uint32, len(boxes))
	sorted := make([]spatial.Box, len(boxes))
	for i, k := range spatial.HilbertOrder(boxes) {
		order[i], sorted[i] = uint32(k), boxes[k]
	}
	s.add("ADRO", bytesOf(order))
	s.add("ADRT", bytesOf(spatial.PackBoxes(sorted)))
}

// withCities returns the settlements of a draft, and for each city that addresses name but the data does not hold one
// more, at the mean of its addresses.
func withCities(d *Draft) []Settlement {
	out := slices.Clone(d.Settlements)
	known := map[string]bool{}
	for _, t := range out {
		known[t.Name] = true
	}
	type mean struct{ lat, lng, n int64 }
	missing := map[string]*mean{}
	for _, a := range d.Addresses {
		if a.Place == "" || known[a.Place] {
			continue
		}
		if missing[a.Place] == nil {
			missing[a.Place] = &mean{}
		}
		m := missing[a.Place]
		m.lat, m.lng, m.n = m.lat+int64(a.At.Lat), m.lng+int64(a.At.Lng), m.n+1
	}
	var cities []string
	for name := range missing {
		cities = append(cities, name)
	}
	slices.Sort(cities)
	for i, name := range cities {
		m := missing[name]
		out = append(out, Settlement{ID: NewFeatureID(FromNothing, 1<<49|int64(i)), Name: name, Size: 1,
			At: geo.E7{Lat: int32(m.lat / m.n), Lng: int32(m.lng / m.n)}})
	}
	return out
}

func (g *gazetteerDraft) street(name string, settlement uint32) *draftStreet {
	k := streetKey{name, settlement}
	st := g.streets[k]
	if st == nil {
		st = &draftStreet{key: k, box: spatial.Box{MinX: math.MaxInt32, MinY: math.MaxInt32,
			MaxX: math.MinInt32, MaxY: math.MinInt32}}
		g.streets[k] = st
		g.byName[name] = append(g.byName[name], st)
	}
	return st
}

func (g *gazetteerDraft) gatherAddresses(d *Draft) {
	named := map[string][]uint32{}
	for i, t := range g.settlements {
		named[t.Name] = append(named[t.Name], uint32(i))
	}
	for _, a := range d.Addresses {
		settlement := NoSettlement
		if same := named[a.Place]; a.Place != "" && len(same) > 0 {
			settlement = slices.MinFunc(same, func(x, y uint32) int {
				return cmp.Compare(
					geodesy.Distance(g.settlements[x].At.Point(), a.At.Point()),
					geodesy.Distance(g.settlements[y].At.Point(), a.At.Point()),
				)
			})
		} else {
			settlement = g.nearest(a.At)
		}
		st := g.street(a.Street, settlement)
		st.addresses = append(st.addresses, a)
		st.box = st.box.Union(spatial.Box{MinX: a.At.Lng, MinY: a.At.Lat, MaxX: a.At.Lng, MaxY: a.At.Lat})
	}
}

// sameStreet is how far beyond its addresses a road of the same name still belongs to a street, in 1e-7 degrees: some
// 500 m.
const sameStreet = 45_000

// gatherRoads adds the roads to the streets of their names. One whose addresses say which settlement it belongs to goes
// there, though another may be nearer.
func (g *gazetteerDraft) gatherRoads(d *Draft) {
	for i, r := range d.Roads {
		if r.Name == "" || r.Square || len(r.Nodes) == 0 {
			continue
		}
		middle := d.RoadNodes[r.Nodes[len(r.Nodes)/2]]
		settlement := g.nearest(middle)
		st := g.streets[streetKey{r.Name, settlement}]
		if st == nil {
			for _, other := range g.byName[r.Name] {
				b := other.box
				if len(other.addresses) > 0 && int64(middle.Lng) >= int64(b.MinX)-sameStreet &&
					int64(middle.Lng) <= int64(b.MaxX)+sameStreet && int64(middle.Lat) >= int64(b.MinY)-sameStreet &&
					int64(middle.Lat) <= int64(b.MaxY)+sameStreet {
					st = other
					break
				}
			}
		}
		if st == nil {
			st = g.street(r.Name, settlement)
		}
		for k := 0; k < len(r.Nodes); k += 4 {
			st.points = append(st.points, d.RoadNodes[r.Nodes[k]])
		}
		st.points = append(st.points, middle)
		for _, o := range r.Also {
			if !slices.Contains(st.also, o) {
				st.also = append(st.also, o)
			}
		}
		g.ofRoad[i] = st
	}
}

// middle returns a point that stands for the street: of its points, or else of its houses, the one nearest to their
// mean.
func (st *draftStreet) middle() geo.E7 {
	points := st.points
	if len(points) == 0 {
		for _, a := range st.addresses {
			points = append(points, a.At)
		}
	}
	var lat, lng float64
	for _, p := range points {
		lat, lng = lat+float64(p.Lat)/float64(len(points)), lng+float64(p.Lng)/float64(len(points))
	}
	off := func(p geo.E7) float64 {
		return (float64(p.Lat)-lat)*(float64(p.Lat)-lat) + (float64(p.Lng)-lng)*(float64(p.Lng)-lng)
	}
	return slices.MinFunc(points, func(a, b geo.E7) int { return cmp.Compare(off(a), off(b)) })
}

// crossings finds the junctions at which streets of different names meet; two streets may meet several times.
func (g *gazetteerDraft) crossings(d *Draft) []crossingRecord {
	at := map[int64][]uint32{}
	for i, st := range g.ofRoad {
		if st == nil {
			continue
		}
		for _, n := range d.Roads[i].Nodes {
			if !slices.Contains(at[n], st.number) {
				at[n] = append(at[n], st.number)
			}
		}
	}
	var out []crossingRecord
	for n, streets := range at {
		for _, a := range streets {
			for _, b := range streets {
				if a != b {
					out = append(out, crossingRecord{a, b, d.RoadNodes[n]})
				}
			}
		}
	}
	slices.SortFunc(out, func(x, y crossingRecord) int {
		return cmp.Or(cmp.Compare(x.A, y.A), cmp.Compare(x.B, y.B), cmp.Compare(x.At.Lat, y.At.Lat),
			cmp.Compare(x.At.Lng, y.At.Lng))
	})
	return out
}

// draftPostcodes returns the postcodes of the addresses in their order, each at the address nearest to their mean, and
// a function that tells the postcode of a street.
func draftPostcodes(streets []*draftStreet, pool *pool) ([]postcodeRecord, func(*draftStreet) uint32) {
	type gathered struct {
		points      []geo.E7
		settlements map[uint32]int
	}
	found := map[string]*gathered{}
	for _, st := range streets {
		for _, a := range st.addresses {
			if a.Postcode == "" {
				continue
			}
			if found[a.Postcode] == nil {
				found[a.Postcode] = &gathered{settlements: map[uint32]int{}}
			}
			p := found[a.Postcode]
			p.points = append(p.points, a.At)
			p.settlements[st.key.settlement]++
		}
	}
	var texts []string
	for text := range found {
		texts = append(texts, text)
	}
	slices.Sort(texts)
	numbers := map[string]uint32{}
	var out []postcodeRecord
	for i, text := range texts {
		p := found[text]
		numbers[text] = uint32(i)
		out = append(out, postcodeRecord{(&draftStreet{points: p.points}).middle(), pool.number(text),
			most(p.settlements), uint32(len(p.points))})
	}
	return out, func(st *draftStreet) uint32 {
		counts := map[uint32]int{}
		for _, a := range st.addresses {
			if a.Postcode != "" {
				counts[numbers[a.Postcode]]++
			}
		}
		return most(counts)
	}
}

// most returns the key with the greatest count, the lesser of equals, or the greatest uint32 where there is none.
func most(counts map[uint32]int) uint32 {
	best, n := ^uint32(0), 0
	for k, c := range counts {
		if c > n || c == n && k < best {
			best, n = k, c
		}
	}
	return best
}

// placeInDistricts tells each settlement the smallest district that holds it and bears another name.
func placeInDistricts(settlements []Settlement, districts []District) {
	size := func(d *District) (box spatial.Box, area float64) {
		box = boxOf(d.Rings)
		return box, (float64(box.MaxX) - float64(box.MinX)) * (float64(box.MaxY) - float64(box.MinY))
	}
	for i := range settlements {
		t := &settlements[i]
		least := math.Inf(1)
		for k := range districts {
			d := &districts[k]
			box, area := size(d)
			if d.Name == t.Name || area >= least || t.At.Lng < box.MinX || t.At.Lng > box.MaxX || t.At.Lat < box.MinY ||
				t.At.Lat > box.MaxY || !insideRings(d.Rings, t.At) {
				continue
			}
			least, t.District = area, d.Name
		}
	}
}

// insideRings tells whether a point lies in an area, by the crossings of a ray.
func insideRings(rings [][]geo.E7, p geo.E7) bool {
	inside := false
	for _, ring := range rings {
		for i, a := range ring {
			b := ring[(i+1)%len(ring)]
			if (a.Lat > p.Lat) == (b.Lat > p.Lat) {
				continue
			}
			share := (float64(p.Lat) - float64(a.Lat)) / (float64(b.Lat) - float64(a.Lat))
			if float64(p.Lng) < float64(a.Lng)+share*(float64(b.Lng)-float64(a.Lng)) {
				inside = !inside
			}
		}
	}
	return inside
}

// districtNames returns the names of the districts that hold settlements, sorted, each once.
func districtNames(settlements []Settlement) []string {
	var out []string
	for _, t := range settlements {
		if t.District != "" {
			out = append(out, t.District)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// settlementFinder returns a function that gives the settlement which a point most likely belongs to: the nearest, with
// the larger ones reaching farther (a quarter or hamlet 1, a village 1.5, a town 3, a city 6 times).
func settlementFinder(all []Settlement) func(geo.E7) uint32 {
	items := make([]uint32, len(all))
	for i := range items {
		items[i] = uint32(i)
	}
	index := spatial.NewPoints(items, func(item uint32) geo.E7 { return all[item].At })
	reach := [...]float64{1, 1, 1.5, 3, 6}
	return func(at geo.E7) uint32 {
		best, bestD := NoSettlement, 25_000.0
		near := spatial.Search{
			Center:  at.Point(),
			WithinM: bestD,
			N:       12,
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
