package address

import (
	"math"
	"slices"
	"strings"

	"viandante/core/lexicon"
	"viandante/core/region"
)

// leastConfidence is what a find must have; what has less is told as the nearest understanding.
const leastConfidence = 0.04

// finds turns the readings into what is answered.
func (rd *reader) finds() ([]Find, Understanding) {
	u := Understanding{Unknown: rd.unknown()}
	if len(rd.readings) == 0 {
		return nil, u
	}
	total := 0.0
	for i := range rd.readings {
		total += math.Exp(-beta * (rd.readings[i].rank - rd.readings[0].rank))
	}
	var out []Find
	for i := range rd.readings[:min(len(rd.readings), rd.query.Limit)] {
		r := &rd.readings[i]
		share := math.Exp(-beta*(r.rank-rd.readings[0].rank)) / total
		f := rd.find(r)
		f.Evidence = rd.evidence(r, share)
		f.Confidence = math.Round(1000*fitted.Confidence(f.Evidence)) / 1000
		if i > 0 && !out[0].NumberUnknown { // the order tells which is likelier
			f.Confidence = min(f.Confidence, out[0].Confidence)
		}
		if f.Confidence < leastConfidence && i > 0 && !rd.suggesting {
			break
		}
		out = append(out, f)
	}
	if out[0].Confidence < leastConfidence && !rd.suggesting && !out[0].NumberUnknown {
		u.Nearest = &out[0]
		return nil, u
	}
	return out, u
}

// unknown lists the words that no reading could use, as they were typed.
func (rd *reader) unknown() []string {
	var used tokenSet
	for i := range rd.readings {
		used |= rd.readings[i].tokens
	}
	var out []string
	for i := range rd.tokens {
		if !used.has(i) && !rd.tokens[i].silent {
			out = append(out, rd.tokens[i].typed)
		}
	}
	return out
}

func (rd *reader) find(r *reading) Find {
	x := rd.x
	f := Find{Kind: r.kind, At: r.at, cost: r.rank}
	switch r.kind {
	case House:
		f = x.houseFind(r.house.first)
		f.Kind, f.cost = House, r.rank
		if r.house.cost == numberBetween {
			f.ID, f.At = 0, r.at
			f.Between = []string{x.r.HouseNumber(r.house.between[0]), x.r.HouseNumber(r.house.between[1])}
			f.HouseNumber = rd.numberTyped(r)
			f.Label = label(f.Street, f.HouseNumber, f.Locality, f.Postcode)
		}
		if number := rd.numberTyped(r); f.Between == nil && numberKey(number) != numberKey(f.HouseNumber) {
			f.Corrected = append(f.Corrected, Correction{number, f.HouseNumber})
		}
	case Street:
		st := x.r.Street(r.item)
		f.Street, f.NumberUnknown = st.Name, r.number
		f.Locality, f.District = x.place(st.Settlement)
		if st.Postcode != region.NoPostcode {
			f.Postcode = x.r.Postcode(st.Postcode).Text
		}
		f.Label = label(f.Street, "", f.Locality, "")
	case Crossing:
		a, b := x.r.Street(r.item), x.r.Street(r.other)
		f.Street = a.Name + " / " + b.Name
		f.Locality, f.District = x.place(a.Settlement)
		f.Label = label(f.Street, "", f.Locality, "")
	case Landmark:
		f = x.landmark(r.item)
		f.cost = r.rank
	case Postcode:
		p := x.r.Postcode(r.item)
		f.Postcode = p.Text
		f.Locality, f.District = x.place(p.Settlement)
		f.Label = strings.TrimSpace(p.Text + " " + f.Locality)
	case Locality:
		t := x.r.Settlement(r.item)
		f.ID, f.Locality, f.District, f.Label = t.ID, t.Name, t.District, t.Name
	case District:
		f.District = x.r.Text(r.other)
		f.Label = f.District
	}
	if r.named.NameKind != 0 && r.kind != Crossing {
		f.OtherName, f.OtherNameKind = x.r.Text(r.named.Text), x.r.Text(r.named.NameKind)
	}
	for i := range rd.tokens {
		if r.tokens.has(i) {
			f.Matched = append(f.Matched, rd.tokens[i].typed)
		} else {
			f.Ignored = append(f.Ignored, rd.tokens[i].typed)
		}
	}
	if !r.category {
		f.Corrected = append(f.Corrected, rd.corrections(r)...)
	}
	return f
}

// numberTyped returns the house number that a reading of a street took from the query.
func (rd *reader) numberTyped(r *reading) string {
	for _, n := range rd.numbers {
		if n.tokens&r.tokens != n.tokens || n.tokens&(r.name.tokens|r.placed) != 0 {
			continue
		}
		text := ""
		for i := range rd.tokens {
			if t := &rd.tokens[i]; n.tokens.has(i) && !t.silent {
				if text != "" && t.before != ' ' {
					text += string(t.before)
				}
				text += t.typed
			}
		}
		return text
	}
	return ""
}

// corrections lists the words of the names that were typed otherwise.
func (rd *reader) corrections(r *reading) []Correction {
	out := rd.corrected(nil, r.name.name, r.name.tokens, r.named.Text)
	if r.second.tokens != 0 {
		out = rd.corrected(out, r.second.name, r.second.tokens, 0)
	}
	if r.placed == 0 {
		return out
	}
	if r.place != region.NoSettlement {
		if m, ok := rd.around.localities[r.place]; ok && r.kind != Locality {
			out = rd.corrected(out, m.name, r.placed, rd.x.r.SettlementName(r.place))
		}
		if m, ok := rd.around.districts[rd.x.r.SettlementDistrict(r.place)]; ok {
			out = rd.corrected(out, m.name, r.placed, rd.x.r.SettlementDistrict(r.place))
		}
	}
	return out
}

func (rd *reader) corrected(out []Correction, name uint32, allowed tokenSet, text uint32) []Correction {
	if text == 0 {
		text = rd.x.r.Named(name, 0).Text
	}
	spoken := lexicon.Spoken(rd.x.r.Text(text))
	words := rd.x.r.NameWords(name)
	if len(spoken) != len(words) {
		spoken = nil
	}
	rd.record = rd.record[:0]
	rd.recording = true
	rd.matchName(name, allowed)
	rd.recording = false
	byTokens := map[tokenSet]int{}
	for _, m := range rd.record {
		read := rd.x.lexicon.Word(m.match.word)
		if spoken != nil {
			read = spoken[m.word]
		}
		typed := ""
		for i := range rd.tokens {
			if m.match.tokens.has(i) {
				typed = strings.TrimSpace(typed + " " + rd.tokens[i].typed)
			}
		}
		if m.match.exact && m.match.torn == 0 && m.match.tokens.count() == 1 {
			continue
		}
		if rd.typing && m.match.cost == unfinished {
			continue
		}
		if k, ok := byTokens[m.match.tokens]; ok { // a torn token: the words follow each other
			out[k].Read += " " + read
			continue
		}
		byTokens[m.match.tokens] = len(out)
		out = append(out, Correction{typed, read})
	}
	return slices.DeleteFunc(out, func(c Correction) bool { return c.Typed == c.Read })
}

// place returns the names of a settlement and of its district.
func (x *index) place(settlement uint32) (locality, district string) {
	if settlement == region.NoSettlement {
		return "", ""
	}
	t := x.r.Settlement(settlement)
	return t.Name, t.District
}

func (x *index) houseFind(i uint32) Find {
	a := x.r.Address(i)
	st := x.r.Street(a.Street)
	f := Find{ID: a.ID, Kind: House, At: a.At, Street: st.Name, HouseNumber: a.Number, Postcode: a.Postcode}
	f.Locality, f.District = x.place(st.Settlement)
	f.Label = label(f.Street, f.HouseNumber, f.Locality, f.Postcode)
	return f
}

func (x *index) landmark(i uint32) Find {
	l := x.r.Landmark(i)
	f := Find{ID: l.ID, Kind: Landmark, Label: l.Name, At: l.At.Point(), Category: l.Kind, item: i}
	f.Locality, f.District = x.place(x.r.LandmarkSettlement(i))
	if l.Name == "" {
		f.Label = strings.ToUpper(l.Kind[:1]) + l.Kind[1:]
	}
	if f.Locality != "" {
		f.Label += ", " + f.Locality
	}
	return f
}

func label(street, number, locality, postcode string) string {
	head := street
	if number != "" {
		head += " " + number
	}
	if tail := strings.TrimSpace(postcode + " " + locality); tail != "" {
		return head + ", " + tail
	}
	return head
}
