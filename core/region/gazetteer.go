package region

import (
	"cmp"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/spatial"
)

// The gazetteer holds what can be looked for by name:
//
//	LOCA  settlements                     LAND  landmarks                PCOD  postcodes
//	STRE  streets, each within one settlement, with the run of its addresses
//	ADDR  addresses by street, then by house number        ADRT  a tree over them, by way of ADRO
//	CROS  where two streets meet, by the one street, then by the other; each pair twice
//
// How names lead to them is told in names.go.
type addressRecord struct {
	ID       uint64
	At       geo.E7
	Number   uint32
	Postcode uint32
	Street   uint32
	_        uint32
}

type streetRecord struct {
	Name, Settlement uint32
	First, Count     uint32
	// Postcode is the number of most of its addresses' postcode in PCOD, or NoPostcode.
	Postcode uint32
	At       geo.E7
}

type settlementRecord struct {
	ID       uint64
	At       geo.E7
	Name     uint32
	District uint32 // a name
	Size     uint8
	_        [7]uint8
}

type landmarkRecord struct {
	ID         uint64
	At         geo.E7
	Name, Kind uint32
	Settlement uint32
	_          uint32
}

type postcodeRecord struct {
	At         geo.E7
	Text       uint32
	Settlement uint32
	Count      uint32 // of addresses
}

type crossingRecord struct {
	A, B uint32 // streets
	At   geo.E7
}

// Gazetteer is what can be looked for by name.
type Gazetteer struct {
	addresses    []addressRecord
	addressOrder []uint32
	addressTree  spatial.Boxes
	streets      []streetRecord
	settlements  []settlementRecord
	landmarks    []landmarkRecord
	postcodes    []postcodeRecord
	crossings    []crossingRecord
	nameIndex
}

// NoSettlement stands for the settlement of what lies in none, NoPostcode for a postcode that is not known.
const (
	NoSettlement = ^uint32(0)
	NoPostcode   = ^uint32(0)
)

// LeadingNumber returns the number that a house number begins with, or 0: 12 for "12a".
func LeadingNumber(s string) int { return leadingNumber(s) }

func leadingNumber[T string | []byte](s T) int {
	n := 0
	for i := 0; i < len(s) && s[i] >= '0' && s[i] <= '9' && n <= 1_000_000; i++ {
		n = n*10 + int(s[i]-'0')
	}
	return n
}

func openGazetteer(dir directory) (Gazetteer, error) {
	g := Gazetteer{addresses: view[addressRecord](dir.section("ADDR")), addressOrder: view[uint32](dir.section("ADRO")),
		streets: view[streetRecord](dir.section("STRE")), settlements: view[settlementRecord](dir.section("LOCA")),
		landmarks: view[landmarkRecord](dir.section("LAND")), postcodes: view[postcodeRecord](dir.section("PCOD")),
		crossings: view[crossingRecord](dir.section("CROS"))}
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
	for i := range g.addresses {
		if int(g.addresses[i].Street) >= len(g.streets) {
			return g, corrupt("an address lies in no street")
		}
	}
	away := func(settlement uint32) bool {
		return settlement != NoSettlement && int(settlement) >= len(g.settlements)
	}
	for _, st := range g.streets {
		if uint64(st.First)+uint64(st.Count) > uint64(len(g.addresses)) || away(st.Settlement) ||
			st.Postcode != NoPostcode && int(st.Postcode) >= len(g.postcodes) {
			return g, corrupt("a street leads outside")
		}
	}
	for _, l := range g.landmarks {
		if away(l.Settlement) {
			return g, corrupt("a landmark lies in no settlement")
		}
	}
	for _, p := range g.postcodes {
		if away(p.Settlement) {
			return g, corrupt("a postcode lies in no settlement")
		}
	}
	for _, c := range g.crossings {
		if int(c.A) >= len(g.streets) || int(c.B) >= len(g.streets) {
			return g, corrupt("a crossing leads outside")
		}
	}
	var err error
	g.nameIndex, err = openNames(dir, &g)
	return g, err
}

// Street is a street within one settlement.
type Street struct {
	Name       string
	Settlement uint32 // or NoSettlement
	Postcode   uint32 // that of most of its addresses, or NoPostcode
	// Addresses is the run of its addresses: First to First+Count.
	First, Count uint32
	// At is a point on it, near its middle.
	At geo.Point
}

// Streets returns the number of streets.
func (r *Region) Streets() int { return len(r.streets) }

// Street returns a street below Streets.
func (r *Region) Street(i uint32) Street {
	st := &r.streets[i]
	return Street{r.Text(st.Name), st.Settlement, st.Postcode, st.First, st.Count, st.At.Point()}
}

// StreetRun returns a street without its name, which costs an allocation.
func (r *Region) StreetRun(i uint32) Street {
	st := &r.streets[i]
	return Street{"", st.Settlement, st.Postcode, st.First, st.Count, st.At.Point()}
}

// StreetSettlement returns the settlement of a street, or NoSettlement.
func (r *Region) StreetSettlement(i uint32) uint32 { return r.streets[i].Settlement }

// Postcode is a postcode with a point that stands for its addresses.
type Postcode struct {
	Text       string
	At         geo.Point
	Settlement uint32 // that of most of its addresses, or NoSettlement
	Addresses  uint32
}

// Postcodes returns the number of postcodes.
func (r *Region) Postcodes() int { return len(r.postcodes) }

// Postcode returns a postcode below Postcodes.
func (r *Region) Postcode(i uint32) Postcode {
	p := &r.postcodes[i]
	return Postcode{r.Text(p.Text), p.At.Point(), p.Settlement, p.Count}
}

// Crossings calls yield with the streets that meet a street, and where.
func (r *Region) Crossings(street uint32, yield func(other uint32, at geo.Point)) {
	from, _ := slices.BinarySearchFunc(r.crossings, street, func(c crossingRecord, street uint32) int {
		return cmp.Compare(c.A, street)
	})
	for i := from; i < len(r.crossings) && r.crossings[i].A == street; i++ {
		yield(r.crossings[i].B, r.crossings[i].At.Point())
	}
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

// AddressAt returns where an address below Addresses is.
func (r *Region) AddressAt(i uint32) geo.Point { return r.Gazetteer.addresses[i].At.Point() }

// HouseNumber returns the number of an address below Addresses.
func (r *Region) HouseNumber(i uint32) string { return r.Text(r.Gazetteer.addresses[i].Number) }

// HouseLead returns the number that an address's house number begins with, or 0; it allocates nothing.
func (r *Region) HouseLead(i uint32) int {
	return leadingNumber(r.textBytes(r.Gazetteer.addresses[i].Number))
}

// PostcodeOf returns the postcode of an address below Addresses, or "".
func (r *Region) PostcodeOf(i uint32) string { return r.Text(r.Gazetteer.addresses[i].Postcode) }

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
	return Settlement{ID: FeatureID(t.ID), At: t.At, Name: r.Text(t.Name), Size: t.Size, District: r.Text(t.District)}
}

// SettlementAt returns where a settlement is, and its size.
func (r *Region) SettlementAt(i uint32) (geo.Point, uint8) {
	return r.settlements[i].At.Point(), r.settlements[i].Size
}

// SettlementName returns the number of the text of a settlement's name, SettlementDistrict that of its district's.
func (r *Region) SettlementName(i uint32) uint32 { return r.settlements[i].Name }

// SettlementDistrict returns the number of the text of the name of the district that a settlement lies in.
func (r *Region) SettlementDistrict(i uint32) uint32 { return r.settlements[i].District }

// Landmarks returns the number of landmarks.
func (r *Region) Landmarks() int { return len(r.landmarks) }

// Landmark returns a landmark below Landmarks.
func (r *Region) Landmark(i uint32) Landmark {
	l := &r.landmarks[i]
	return Landmark{ID: FeatureID(l.ID), At: l.At, Name: r.Text(l.Name), Kind: r.Text(l.Kind)}
}

// LandmarkAt returns where a landmark is.
func (r *Region) LandmarkAt(i uint32) geo.Point { return r.landmarks[i].At.Point() }

// LandmarksOfKind calls yield with the landmarks whose kind is a text of this number.
func (r *Region) LandmarksOfKind(kind uint32, yield func(i uint32, at geo.Point)) {
	for i := range r.landmarks {
		if l := &r.landmarks[i]; l.Kind == kind {
			yield(uint32(i), l.At.Point())
		}
	}
}

// LandmarkSettlement returns the settlement that a landmark lies in or near, or NoSettlement.
func (r *Region) LandmarkSettlement(i uint32) uint32 { return r.landmarks[i].Settlement }
