package address

import (
	"cmp"
	"math"
	"slices"
)

// nameMatch is a name whose words some tokens stand for.
type nameMatch struct {
	name   uint32
	tokens tokenSet
	cost   float64 // errors, and the words that the query lacks
	lacks  int     // how many those are
	// changed is how many of its words are read from words that the region knows and that are others.
	changed int
	gain    float64 // what it spares to explain the tokens, less the cost
}

const (
	// mostNames bounds how many names are kept.
	mostNames = 300
	// leastShare is how much of a name the query must have, by what its words tell: a name that shares nothing with it
	// but a common word is no candidate.
	leastShare = 0.42
	// leastGain is what a name must spare: less than nothing, for the house number that comes with it spares more.
	leastGain = -1.5
)

// names finds the names that the words of the matches make up, those that explain most first.
func (rd *reader) names() {
	rd.named = rd.named[:0]
	if rd.x.exhaustive {
		for name := range uint32(rd.x.r.Names()) {
			rd.consider(name)
		}
	} else {
		rd.gather()
		for _, name := range rd.touched {
			if float64(rd.held[name]) >= leastShare*rd.weightOf(name) {
				rd.consider(name)
			}
			rd.held[name] = 0
		}
	}
	slices.SortFunc(rd.named, func(a, b nameMatch) int {
		return cmp.Or(cmp.Compare(b.gain, a.gain), cmp.Compare(a.name, b.name))
	})
	if len(rd.named) > mostNames && !rd.x.exhaustive {
		rd.named = rd.named[:mostNames]
	}
}

// gather adds up for each name what the words weigh that it holds, the words that few names hold first, so that what is
// cut off at last are names that share nothing with the query but a common word.
func (rd *reader) gather() {
	order := rd.order[:0]
	for i, m := range rd.matches {
		if i == 0 || rd.matches[i-1].word != m.word {
			order = append(order, m.word)
		}
	}
	rd.order = order
	slices.SortFunc(order, func(a, b uint32) int {
		return cmp.Or(cmp.Compare(rd.x.r.WordPostings(a), rd.x.r.WordPostings(b)), cmp.Compare(a, b))
	})
	rd.touched = rd.touched[:0]
	left := rd.limits.postings
	for _, word := range order {
		if left <= 0 {
			break
		}
		weight := float32(rd.lacking(word))
		rd.x.r.NamesWith(word, func(name uint32) bool {
			if rd.held[name] == 0 {
				rd.touched = append(rd.touched, name)
			}
			rd.held[name] += weight
			left--
			return left > 0
		})
	}
}

// lacking is what it costs that the query lacks a word.
func (rd *reader) lacking(word uint32) float64 {
	return lackingAny + lackingRare/1000*float64(rd.x.r.WordRarity(word))
}

// weightOf is what the words of a name weigh together.
func (rd *reader) weightOf(name uint32) float64 {
	return lackingAny*float64(len(rd.x.r.NameWords(name))) + lackingRare/1000*float64(rd.x.r.NameRarity(name))
}

// consider matches a name and keeps it if tokens stand for enough of it.
func (rd *reader) consider(name uint32) {
	m, ok := rd.matchName(name, ^tokenSet(0))
	if !ok {
		return
	}
	if m.gain = rd.spared(m.tokens) - m.cost; m.gain > leastGain {
		rd.named = append(rd.named, m)
	}
}

// runOf returns the matches of a word, the cheapest first.
func (rd *reader) runOf(word uint32) []wordMatch {
	byWord := func(m wordMatch, word uint32) int { return cmp.Compare(m.word, word) }
	from, _ := slices.BinarySearchFunc(rd.matches, word, byWord)
	to := from
	for to < len(rd.matches) && rd.matches[to].word == word {
		to++
	}
	return rd.matches[from:to]
}

// matchName finds the tokens among allowed that stand for the words of a name at the least cost, word by word; a token
// stands for one word only, unless it was torn. It returns false where the query lacks too much of the name.
func (rd *reader) matchName(name uint32, allowed tokenSet) (nameMatch, bool) {
	out := nameMatch{name: name}
	words := rd.x.r.NameWords(name)
	var torn [maxTokens]bool // the tokens in use that stand for several words
	lack, has, last, inverted := 0.0, 0.0, -1, 0
	for k, word := range words {
		best, bestCost := -1, math.Inf(1)
		run := rd.runOf(word)
		for i := range run {
			m := &run[i]
			if m.tokens&^allowed != 0 {
				continue
			}
			if used := m.tokens & out.tokens; used != 0 && (m.torn == 0 || !torn[m.torn-1]) {
				continue
			}
			cost := float64(m.cost)
			// Of equals the token that follows the one before it.
			if first := m.tokens.first(); first != last+1 {
				cost += outOfOrder
			}
			if cost < bestCost {
				best, bestCost = i, cost
			}
		}
		weight := rd.lacking(word)
		if rd.suggesting && out.tokens.has(len(rd.tokens)-1) {
			weight = 0.1 // what follows the word that is being typed is still to come
		}
		if best < 0 || bestCost > weight+ignoredKnown {
			lack += weight
			out.lacks++
			continue
		}
		m := &run[best]
		has += weight
		out.cost += float64(m.cost)
		if m.torn != 0 {
			torn[m.torn-1] = true
		}
		if !m.exact && m.torn == 0 && m.tokens.count() == 1 && rd.tokens[m.tokens.first()].known {
			out.changed++
			out.cost += knownWord
		}
		if rd.recording {
			rd.record = append(rd.record, recorded{k, *m})
		}
		if first := m.tokens.first(); first < last {
			inverted++
		} else {
			last = first
		}
		out.tokens |= m.tokens
	}
	out.cost += lack + 0.1*float64(inverted)
	return out, out.tokens != 0 && has >= leastShare*(lack+has)
}

// recorded is a word of a name with what stands for it.
type recorded struct {
	word  int
	match wordMatch
}

func (s tokenSet) first() int {
	for i := range maxTokens {
		if s.has(i) {
			return i
		}
	}
	return maxTokens
}
