package address

import (
	"math"

	"viandante/core/geodesy"
	"viandante/core/region"
)

// around is what the query may say of where a thing lies: settlements and postcodes by their numbers, districts by the
// numbers of their names' texts.
type around struct {
	localities, districts, postcodes map[uint32]nameMatch
	// gain is for each token what it spares at most to read it as one of these or as a house number.
	gain [maxTokens]float64
}

// lookAround gathers the settlements, districts and postcodes that the query may name.
func (rd *reader) lookAround() {
	a := &rd.around
	clear(a.localities)
	clear(a.districts)
	clear(a.postcodes)
	a.gain = [maxTokens]float64{}
	keep := func(in map[uint32]nameMatch, key uint32, m nameMatch) {
		if old, ok := in[key]; !ok || m.gain > old.gain {
			in[key] = m
		}
		for i := range rd.tokens {
			if m.tokens.has(i) {
				a.gain[i] = max(a.gain[i], rd.tokens[i].ignoring())
			}
		}
	}
	for _, m := range rd.named {
		things := rd.x.r.Things(m.name)
		for k := range min(things, mostThings) {
			n := rd.x.r.Named(m.name, things-1-k) // streets come first; what is looked for here, after them
			switch n.Kind {
			case region.LocalityThing:
				if rd.allowed(m.tokens, asLocality) {
					keep(a.localities, n.Item, m)
				}
			case region.DistrictThing:
				if rd.allowed(m.tokens, asLocality) {
					keep(a.districts, n.Text, m)
				}
			case region.PostcodeThing:
				if rd.allowed(m.tokens, asPostcode) {
					keep(a.postcodes, n.Item, m)
				}
			}
			if n.Kind == region.StreetThing {
				break
			}
		}
	}
	for _, n := range rd.numbers {
		for i := range rd.tokens {
			if n.tokens.has(i) {
				a.gain[i] = max(a.gain[i], rd.tokens[i].ignoring())
			}
		}
	}
}

// allowed tells whether all tokens of a set may be of a kind.
func (rd *reader) allowed(set tokenSet, as kinds) bool {
	for i := range rd.tokens {
		if set.has(i) && rd.tokens[i].kinds&as == 0 {
			return false
		}
	}
	return true
}

// housePostcode tells whether the postcode that the query names, if it names one that exists, is that of the house.
func (rd *reader) housePostcode(r *reading) bool {
	if len(rd.around.postcodes) == 0 || r.house.count == 0 {
		return true
	}
	own := rd.x.r.PostcodeOf(r.house.first)
	if own == "" {
		return true
	}
	named := false
	for item, m := range rd.around.postcodes {
		if m.tokens&r.tokens != m.tokens || m.cost != 0 {
			continue
		}
		if rd.x.r.Postcode(item).Text == own {
			return true
		}
		named = true
	}
	return !named
}

// within adds to a reading what the query says of the settlement, district and postcode that the thing lies in.
func (rd *reader) within(r *reading, postcode uint32) {
	if postcode != region.NoPostcode {
		if m, ok := rd.around.postcodes[postcode]; ok {
			rd.explain(r, m)
		}
	}
	if r.place == region.NoSettlement {
		return
	}
	if m, ok := rd.around.localities[r.place]; ok {
		rd.explain(r, m)
	} else if len(rd.around.localities) > 0 && len(rd.around.localities) <= 16 {
		rd.nextTo(r)
	}
	rd.withDistrict(r, r.place)
}

func (rd *reader) withDistrict(r *reading, settlement uint32) {
	if len(rd.around.districts) == 0 {
		return
	}
	if m, ok := rd.around.districts[rd.x.r.SettlementDistrict(settlement)]; ok {
		rd.explain(r, m)
	}
}

// withPostcodeOf adds the postcode that belongs to a settlement, of several the one that explains most.
func (rd *reader) withPostcodeOf(r *reading, settlement uint32) {
	best := nameMatch{gain: math.Inf(-1)}
	for item, m := range rd.around.postcodes {
		if rd.x.r.Postcode(item).Settlement == settlement && m.tokens&r.tokens == 0 &&
			(m.gain > best.gain || m.gain == best.gain && m.name < best.name) {
			best = m
		}
	}
	if best.tokens != 0 {
		rd.explain(r, best)
	}
}

// nextTo adds a settlement that the query names and that lies next to the one of the thing: streets in a quarter are
// known by the town.
func (rd *reader) nextTo(r *reading) {
	own, ownSize := rd.x.r.SettlementAt(r.place)
	best := nameMatch{gain: math.Inf(-1)}
	for item, m := range rd.around.localities {
		at, size := rd.x.r.SettlementAt(item)
		if size <= ownSize || m.tokens&r.tokens != 0 || m.gain < best.gain ||
			m.gain == best.gain && m.name >= best.name {
			continue
		}
		if math.Abs(at.Lat()-own.Lat()) < 0.1 &&
			geodesy.Measure(geodesy.Sphere, at, own).DistanceM <= neighbourhoodM*float64(size) {
			best = m
		}
	}
	if best.gain > neighbourPlace {
		best.cost += neighbourPlace
		rd.explain(r, best)
	}
}

// explain adds tokens that a name explains to a reading, if that spares more than it costs. Where both need the same
// token, the one name or the other goes without.
func (rd *reader) explain(r *reading, m nameMatch) {
	if m.tokens&r.tokens == 0 {
		if rd.spared(m.tokens) > m.cost {
			r.tokens |= m.tokens
			r.cost += m.cost
			r.changed += m.changed
			r.placed |= m.tokens
		}
		return
	}
	own := r.tokens &^ r.name.tokens
	bestSum, keep := rd.spared(r.name.tokens|own)-r.cost, *r
	if other, ok := rd.matchName(m.name, ^r.tokens); ok {
		try := *r
		try.tokens |= other.tokens
		try.cost += other.cost
		try.changed += other.changed
		try.placed |= other.tokens
		if sum := rd.spared(try.tokens) - try.cost; sum > bestSum {
			bestSum, keep = sum, try
		}
	}
	if m.tokens&own == 0 {
		if name, ok := rd.matchName(r.name.name, ^(m.tokens | own)); ok {
			try := *r
			try.cost += name.cost - r.name.cost + m.cost
			try.changed += name.changed - r.name.changed + m.changed
			try.name = name
			try.tokens = name.tokens | own | m.tokens
			try.placed |= m.tokens
			if sum := rd.spared(try.tokens) - try.cost; sum > bestSum {
				keep = try
			}
		}
	}
	*r = keep
}
