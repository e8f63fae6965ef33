package address

import (
	"cmp"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

// reader is the working memory of one query.
type reader struct {
	x     *index
	query Query
	// suggesting tells that the query is still being typed, typing that its last word is.
	suggesting, typing bool
	tokens             []token
	// ignoringAll is what it costs to explain nothing.
	ignoringAll float64

	matches    []wordMatch
	completing []completion
	order      []uint32
	held       []float32 // by name; all 0 between two uses
	touched    []uint32
	named      []nameMatch
	numbers    []numberAsked
	// numberTokens are the tokens that may be a house number.
	numberTokens tokenSet
	around       around
	readings     []reading
	streetsTo    int // how many streets may still be looked at
	limits       limits
	best         float64 // the least cost of a reading so far
	record       []recorded
	recording    bool
}

func newReader(x *index) *reader {
	return &reader{x: x, held: make([]float32, x.r.Names()), around: around{
		localities: map[uint32]nameMatch{}, districts: map[uint32]nameMatch{}, postcodes: map[uint32]nameMatch{}}}
}

// around is what the query may say of where a thing lies: settlements and postcodes by their numbers, districts by the
// numbers of their names' texts.
type around struct {
	localities, districts, postcodes map[uint32]nameMatch
	// gain is for each token what it spares at most to read it as one of these or as a house number.
	gain [maxTokens]float64
}

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
	number              bool // a house number was asked of the street
	at                  geo.Point
	place               uint32 // the settlement, or region.NoSettlement
	placed              tokenSet
	category            bool // found by the kind of thing that it is
}

// limits bound the work of a query: the names looked at because of their words, the streets, the readings kept, and how
// much a reading may cost more than the best.
type limits struct {
	postings, streets, readings int
	keep                        float64
}

var (
	asked = limits{postings: 60_000, streets: 20_000, readings: 4000, keep: keepWithin}
	typed = limits{postings: 12_000, streets: 2500, readings: 600, keep: keepTyping}
)

// typedEnough is how much a completion may cost for words with two errors not to be tried: the next keystroke comes.
const typedEnough = 3.5

const (
	mostThings     = 3000 // of one name
	neighbourhoodM = 2500.0
)

func (rd *reader) begin(q Query, typing bool) {
	rd.query, rd.suggesting, rd.typing = q, typing, typing
	rd.limits = asked
	if typing {
		rd.limits = typed
	}
	rd.tokens = tokens(rd.tokens, q)
	if n := len(rd.tokens); n > 0 && typing && q.Text != "" {
		if last := q.Text[len(q.Text)-1]; last == ' ' || last == ',' || last == '\n' {
			rd.typing = false
		}
	}
	rd.readings = rd.readings[:0]
}

// read makes the readings of a stage. Those of the stages before are made anew with it.
func (rd *reader) read(stage int) {
	rd.readings = rd.readings[:0]
	if len(rd.tokens) == 0 {
		return
	}
	rd.words(stage)
	rd.ignoringAll = 0
	for i := range rd.tokens {
		rd.ignoringAll += rd.tokens[i].ignoring()
	}
	rd.names()
	rd.askedNumbers()
	rd.lookAround()
	rd.streetsTo = rd.limits.streets
	rd.best = math.Inf(1)
	rd.crossings()
	rd.categories()
	for _, m := range rd.named {
		if rd.least(m) > rd.best+rd.limits.keep && !rd.x.exhaustive {
			continue
		}
		rd.readName(m)
		if len(rd.readings) > rd.limits.readings && !rd.x.exhaustive {
			break
		}
	}
	rd.keepBest()
}

// explained tells whether what a stage found is so good that no reading with more errors can be better.
func (rd *reader) explained(stage int) bool {
	best := math.Inf(1)
	all := tokenSet(1)<<len(rd.tokens) - 1
	for i := range rd.readings {
		r := &rd.readings[i]
		best = min(best, r.cost+rd.spared(all&^r.tokens)) // what it leaves out counts twice: it may be misspelt
	}
	enough := float64(stage+1) * 0.95
	if rd.suggesting && stage == 1 {
		enough = typedEnough
	}
	return best < enough && !rd.x.exhaustive
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

// readName makes the readings in which a name is what is looked for.
func (rd *reader) readName(m nameMatch) {
	things := rd.x.r.Things(m.name)
	street := rd.allowed(m.tokens, asStreet)
	for k := range things {
		if k == mostThings && !rd.x.exhaustive {
			return
		}
		n := rd.x.r.Named(m.name, k)
		r := reading{item: n.Item, named: n, name: m, tokens: m.tokens, cost: m.cost, place: region.NoSettlement}
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
	rd.within(&r, st.Postcode)
	if !rd.competes(&r, rd.numberTokens) {
		return
	}
	best := r
	best.cost = math.Inf(1)
	asked := false
	for _, n := range rd.numbers {
		if n.tokens&r.tokens != 0 {
			continue
		}
		asked = true
		h, ok := rd.x.house(&st, n)
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
			if rd.typing && n.tokens.has(len(rd.tokens)-1) {
				with.cost = r.cost + unfinished // more digits are to come
			}
		}
		if rd.costOf(with) < rd.costOf(best) {
			best = with
		}
	}
	if !asked {
		best = r
	}
	rd.add(best)
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
	for item, m := range rd.around.postcodes {
		if m.tokens&r.tokens == m.tokens && m.cost == 0 && rd.x.r.Postcode(item).Text == own {
			return true
		}
	}
	for item, m := range rd.around.postcodes {
		if m.tokens&r.tokens == m.tokens && m.cost == 0 && rd.x.r.Postcode(item).Text != own {
			return false
		}
	}
	return true
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

// withPostcodeOf adds the postcode that belongs to a settlement.
func (rd *reader) withPostcodeOf(r *reading, settlement uint32) {
	for item, m := range rd.around.postcodes {
		if rd.x.r.Postcode(item).Settlement == settlement && m.tokens&r.tokens == 0 {
			rd.explain(r, m)
			return
		}
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
		gain := -m.cost
		for i := range rd.tokens {
			if m.tokens.has(i) {
				gain += rd.tokens[i].ignoring()
			}
		}
		if gain > 0 {
			r.tokens |= m.tokens
			r.cost += m.cost
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
		try.placed |= other.tokens
		if sum := rd.spared(try.tokens) - try.cost; sum > bestSum {
			bestSum, keep = sum, try
		}
	}
	if m.tokens&own == 0 {
		if name, ok := rd.matchName(r.name.name, ^(m.tokens | own)); ok {
			try := *r
			try.cost += name.cost - r.name.cost + m.cost
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

// keepBest puts the readings in order, and leaves out those that cost much more than the best. What is near costs less.
func (rd *reader) keepBest() {
	best := math.Inf(1)
	for i := range rd.readings {
		best = min(best, rd.readings[i].cost)
	}
	kept := rd.readings[:0]
	for _, r := range rd.readings {
		if r.cost <= best+rd.limits.keep && r.at.IsValid() {
			if rd.query.Near.IsValid() {
				r.rank += farness(rd.query.Near, r.at)
			}
			kept = append(kept, r)
		}
	}
	rd.readings = kept
	slices.SortFunc(kept, func(a, b reading) int {
		return cmp.Or(cmp.Compare(a.rank, b.rank), cmp.Compare(a.kind, b.kind), cmp.Compare(a.item, b.item),
			cmp.Compare(a.other, b.other), cmp.Compare(a.house.first, b.house.first), cmp.Compare(a.name.name,
				b.name.name))
	})
	// A thing is one find, by the best of the names that lead to it.
	seen := map[[3]uint32]bool{}
	rd.readings = slices.DeleteFunc(kept, func(r reading) bool {
		key := [3]uint32{uint32(len(r.kind))<<24 | uint32(r.kind[0])<<16 | uint32(r.kind[1]), r.item, r.other}
		if seen[key] {
			return true
		}
		seen[key] = true
		return false
	})
}

// farness is what it costs that something lies far from where the person looks: nothing within a kilometre, the most
// from 250 km on.
func farness(near, at geo.Point) float64 {
	km := geodesy.Measure(geodesy.Sphere, near, at).DistanceM / 1000
	return nearCost * math.Min(1, math.Log2(1+km)/8)
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
