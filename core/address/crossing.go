package address

import (
	"viandante/core/geo"
	"viandante/core/region"
)

// meeting are words between the names of two streets that cross; cornerWords stand before or after them.
var (
	meeting     = map[string]bool{"and": true, "und": true, "et": true, "y": true, "e": true, "at": true, "x": true}
	cornerWords = map[string]bool{"corner": true, "crossing": true, "junction": true, "intersection": true,
		"ecke":     true,
		"kreuzung": true, "angle": true, "croisement": true, "esquina": true, "cruce": true, "angolo": true,
		"incrocio": true, "of": true, "the": true, "von": true, "de": true, "del": true, "di": true, "tra": true}
)

const (
	mostSplits      = 3
	mostSideNames   = 60
	mostSideStreets = 4000
)

// crossings makes the readings in which two streets meet: "Mill Lane / Shore Road", "corner of Mill Lane and Shore
// Road".
func (rd *reader) crossings() {
	splits := 0
	for i := 1; i < len(rd.tokens) && splits < mostSplits; i++ {
		t := &rd.tokens[i]
		var between tokenSet
		switch {
		case meeting[t.text] && i+1 < len(rd.tokens):
			between = 1 << i
		case (t.before == '/' || t.before == '&' || t.before == '+') && !(t.digits && rd.tokens[i-1].digits):
		case cornerWords[t.text] && t.text != "of" && t.text != "the" && len(t.text) > 3 && i+1 < len(rd.tokens):
			between = 1 << i
		default:
			continue
		}
		splits++
		left := tokenSet(1)<<i - 1
		right := ^(left | between)
		if between == 0 {
			right = ^left
		}
		rd.crossingsOf(left, right, between)
	}
}

func (rd *reader) crossingsOf(left, right, between tokenSet) {
	for i := range rd.tokens {
		if cornerWords[rd.tokens[i].text] {
			between |= 1 << i
		}
	}
	others := map[uint32]nameMatch{}
	rd.streetsOf(right&^between, func(m nameMatch, n region.Named) {
		if old, ok := others[n.Item]; !ok || m.gain > old.gain {
			others[n.Item] = m
		}
	})
	if len(others) == 0 {
		return
	}
	rd.streetsOf(left&^between, func(m nameMatch, n region.Named) {
		rd.x.r.Crossings(n.Item, func(other uint32, at geo.Point) {
			second, ok := others[other]
			if !ok {
				return
			}
			r := reading{kind: Crossing, item: n.Item, other: other, named: n, name: m, second: second,
				tokens: m.tokens | second.tokens | between, cost: m.cost + second.cost,
				changed: m.changed + second.changed, at: at,
				place: rd.x.r.StreetSettlement(n.Item)}
			rd.within(&r, rd.x.r.Street(n.Item).Postcode)
			rd.add(r)
		})
	})
}

// streetsOf calls yield with the streets whose names some tokens make up.
func (rd *reader) streetsOf(among tokenSet, yield func(nameMatch, region.Named)) {
	names, streets := 0, 0
	for _, one := range rd.named {
		if one.tokens&among == 0 || rd.x.r.Named(one.name, 0).Kind != region.StreetThing {
			continue
		}
		m, ok := rd.matchName(one.name, among)
		if !ok {
			continue
		}
		m.gain = rd.spared(m.tokens) - m.cost
		if names++; names > mostSideNames || m.gain <= 0 {
			continue
		}
		for k := range rd.x.r.Things(m.name) {
			n := rd.x.r.Named(m.name, k)
			if n.Kind != region.StreetThing || streets >= mostSideStreets {
				break
			}
			streets++
			yield(m, n)
		}
	}
}
