package address

import (
	"math"

	"viandante/core/geo"
	"viandante/core/region"
)

// reading is one way to understand the query.
type reading struct {
	kind   Kind
	item   uint32 // a street, settlement, landmark or postcode; of a crossing the one street
	other  uint32 // the other street of a crossing; the text of a district's name
	named  region.Named
	name   nameMatch
	second nameMatch // the other name of a crossing
	tokens tokenSet
	// cost is what the reading asks one to believe, rank the same with what speaks for it besides: nearness, kind.
	// ignored is what of the cost stems from tokens that it leaves unexplained.
	cost, rank, ignored float64
	house               houseFound
	changed             int  // words read from other words that the region knows
	number              bool // a house number was asked of the street
	at                  geo.Point
	place               uint32 // the settlement, or region.NoSettlement
	placed              tokenSet
	category            bool // found by the kind of thing that it is
}

// least is the least that a reading of a name can cost.
func (rd *reader) least(m nameMatch) float64 {
	cost := rd.ignoringAll - m.gain
	for i := range rd.tokens {
		if !m.tokens.has(i) {
			cost -= rd.around.gain[i]
		}
	}
	return cost
}

// readName makes the readings in which a name is what is looked for.
func (rd *reader) readName(m nameMatch) {
	things := rd.x.r.Things(m.name)
	street := rd.allowed(m.tokens, asStreet)
	for k := range things {
		if k == mostThings && !rd.x.exhaustive {
			return
		}
		n := rd.x.r.Named(m.name, k)
		r := reading{item: n.Item, named: n, name: m, tokens: m.tokens, cost: m.cost,
			changed: m.changed, place: region.NoSettlement}
		if n.NameKind != 0 {
			r.cost += otherName
		}
		switch n.Kind {
		case region.StreetThing:
			if street && rd.streetsTo > 0 {
				rd.streetsTo--
				rd.readStreet(r)
			}
			continue
		case region.LandmarkThing:
			if !street {
				continue
			}
			r.kind, r.place, r.rank = Landmark, rd.x.r.LandmarkSettlement(n.Item), landmarkCost
			r.at = rd.x.r.LandmarkAt(n.Item)
			rd.within(&r, region.NoPostcode)
		case region.LocalityThing:
			if !rd.allowed(m.tokens, asLocality) {
				continue
			}
			at, size := rd.x.r.SettlementAt(n.Item)
			r.kind, r.at, r.rank = Locality, at, 0.05*(4-float64(min(size, 4)))
			rd.withPostcodeOf(&r, n.Item)
			rd.withDistrict(&r, n.Item)
			r.place = n.Item
		case region.PostcodeThing:
			if !rd.allowed(m.tokens, asPostcode) {
				continue
			}
			p := rd.x.r.Postcode(n.Item)
			r.kind, r.at, r.place, r.rank = Postcode, p.At, p.Settlement, 0.06
			rd.within(&r, n.Item)
		case region.DistrictThing:
			if !rd.allowed(m.tokens, asLocality) {
				continue
			}
			r.kind, r.other, r.rank = District, n.Text, 0.1
			r.at = rd.x.districtPoint(n.Text)
		default:
			continue
		}
		rd.add(r)
	}
}

// competes tells whether a reading may still come near the best, if all that is left of the query is explained that can
// be.
func (rd *reader) competes(r *reading, more tokenSet) bool {
	cost, around := r.cost, 0.0
	for i := range rd.tokens {
		switch {
		case r.tokens.has(i) || more.has(i):
		case rd.around.gain[i] > 0:
			cost += rd.tokens[i].ignoring()
		default:
			around += min(rd.tokens[i].ignoring(), ignoredAround)
		}
	}
	cost += min(around, mostAround)
	return cost <= rd.best+rd.limits.keep || rd.x.exhaustive
}

// readStreet makes the reading of a street, with its houses if the query has a number.
func (rd *reader) readStreet(r reading) {
	r.kind = Street
	st := rd.x.r.StreetRun(r.item)
	r.place, r.at = st.Settlement, st.At
	plain := r
	rd.within(&r, st.Postcode)
	if !rd.competes(&r, rd.numberTokens) {
		return
	}
	best := rd.withHouse(r, &st)
	if r.tokens&rd.numberTokens&^plain.tokens != 0 { // what was read as a postcode may be the number
		rd.within(&plain, region.NoPostcode)
		if other := rd.withHouse(plain, &st); rd.costOf(other) < rd.costOf(best) {
			best = other
		}
	}
	rd.add(best)
}

// withHouse adds to the reading of a street the house that the query has a number of, if it has one.
func (rd *reader) withHouse(r reading, st *region.Street) reading {
	best := r
	best.cost = math.Inf(1)
	asked := false
	for _, n := range rd.numbers {
		if n.tokens&r.tokens != 0 {
			continue
		}
		asked = true
		h, ok := rd.x.house(st, n)
		with := r
		with.tokens |= n.tokens
		with.number = true
		if ok {
			with.house = h
			with.kind = House
			with.cost += h.cost
			if with.at = h.at; h.cost != numberBetween {
				with.at = rd.x.r.AddressAt(h.first)
			}
			if !rd.housePostcode(&with) {
				with.cost += otherPostcode
			}
		} else {
			with.cost += numberUnknown
			if rd.typing && n.tokens.has(len(rd.tokens)-1) && rd.x.mayBecome(st, n.lead) {
				with.cost = r.cost + unfinished // more digits are to come
			}
		}
		if rd.costOf(with) < rd.costOf(best) {
			best = with
		}
	}
	if !asked {
		return r
	}
	return best
}

// spared is what it spares to explain a set of tokens.
func (rd *reader) spared(set tokenSet) (sum float64) {
	for i := range rd.tokens {
		if set.has(i) {
			sum += rd.tokens[i].ignoring()
		}
	}
	return sum
}

// costOf is the whole cost of a reading: with the tokens that it does not explain.
func (rd *reader) costOf(r reading) float64 {
	if math.IsInf(r.cost, 1) {
		return r.cost
	}
	whole := r.kind == House || r.kind == Crossing
	sum, around := 0.0, 0.0
	for i := 0; i < len(rd.tokens); {
		j, explained := i, false
		for j < len(rd.tokens) && rd.tokens[j].segment == rd.tokens[i].segment {
			explained = explained || r.tokens.has(j)
			j++
		}
		for ; i < j; i++ {
			switch {
			case r.tokens.has(i):
			case whole && !explained && rd.around.gain[i] == 0:
				around += ignoredAround
			default:
				sum += rd.tokens[i].ignoring()
			}
		}
	}
	return r.cost + sum + min(around, mostAround)
}

// add keeps a reading unless it costs too much.
func (rd *reader) add(r reading) {
	whole := rd.costOf(r)
	r.cost, r.ignored = whole, whole-r.cost
	if r.cost > min(hopeless, 1+0.75*rd.ignoringAll) || r.cost > rd.best+rd.limits.keep && !rd.x.exhaustive {
		return
	}
	r.rank += r.cost
	rd.best = min(rd.best, r.cost)
	rd.readings = append(rd.readings, r)
}

// districtPoint returns a point that stands for a district: the largest of its settlements.
func (x *index) districtPoint(name uint32) geo.Point {
	best, size := geo.Point{}, -1
	found := false
	for i := range uint32(x.r.Settlements()) {
		if x.r.SettlementDistrict(i) != name {
			continue
		}
		if t := x.r.Settlement(i); int(t.Size) > size {
			best, size, found = t.At.Point(), int(t.Size), true
		}
	}
	if !found {
		return geo.Point{}
	}
	return best
}
