package address

import (
	"cmp"
	"slices"
)

// wordMatch says that some tokens may stand for a word of the lexicon.
type wordMatch struct {
	word   uint32
	tokens tokenSet
	cost   float32
	// torn is the number of the torn token, plus one, where a token stands for several words.
	torn uint8
	// exact tells that the word is what was typed, or an abbreviation of it.
	exact bool
}

// The stages: words as they are, with one error, with two.
const stages = 3

// mostPerToken bounds how many words within errors a token may stand for, mostCompletions how many it may begin.
const (
	mostPerToken    = 40
	mostCompletions = 50
)

// words finds what the tokens may stand for in a stage, sorted by word.
func (rd *reader) words(stage int) {
	rd.matches = rd.matches[:0]
	for i := range rd.tokens {
		t := &rd.tokens[i]
		last := rd.typing && i == len(rd.tokens)-1
		rd.sameWord(i, t)
		if last {
			rd.completions(i, t, stage)
		}
		if !t.digits || stage > 0 {
			rd.withErrors(i, t.text, 1<<i, allowedErrors(len(t.text), stage), 0, last)
		}
		if i > 0 && rd.tokens[i-1].before != 0 && joinable(&rd.tokens[i-1], t) {
			rd.joined(i, stage, last)
		}
		if !t.known || stage > 0 {
			rd.torn(i, t.text, stage)
		}
	}
	slices.SortFunc(rd.matches, func(a, b wordMatch) int {
		return cmp.Or(cmp.Compare(a.word, b.word), cmp.Compare(a.cost, b.cost), cmp.Compare(a.tokens, b.tokens))
	})
}

func (rd *reader) match(word uint32, tokens tokenSet, cost float64, torn int, exact bool) {
	rd.matches = append(rd.matches, wordMatch{word, tokens, float32(cost), uint8(torn), exact})
}

// sameWord matches a token that is a word, and the abbreviations of it or what it may be short for.
func (rd *reader) sameWord(i int, t *token) {
	if word, ok := rd.x.lexicon.Exact(t.text); ok {
		t.known = true
		rd.match(word, 1<<i, 0, 0, true)
	}
	rd.x.short.Alternatives(t.text, func(other string) {
		if word, ok := rd.x.lexicon.Exact(other); ok {
			t.known = true
			rd.match(word, 1<<i, abbreviated, 0, true)
		}
	})
}

// completions matches the token that is being typed with words that it begins, those of more important things first.
func (rd *reader) completions(i int, t *token, stage int) {
	errors := allowedErrors(len(t.text), min(stage, 1))
	if len(t.text) < 3 {
		errors = 0
	}
	whole := rd.completing[:0]
	rd.x.lexicon.Near(t.text, errors, true, func(low, high uint32, errors int) {
		high = min(high, low+20_000)
		for word := low; word < high; word++ {
			whole = append(whole, completion{word, uint8(errors), rd.x.r.WordWeight(word)})
		}
	})
	rd.completing = whole
	slices.SortFunc(whole, func(a, b completion) int {
		return cmp.Or(cmp.Compare(a.errors, b.errors), cmp.Compare(b.weight, a.weight), cmp.Compare(a.word, b.word))
	})
	for k, c := range whole {
		if k == mostCompletions {
			break
		}
		rd.match(c.word, 1<<i, unfinished+errorCost(len(t.text), int(c.errors)), 0, c.errors == 0)
		t.known = t.known || c.errors == 0
	}
}

type completion struct {
	word   uint32
	errors uint8
	weight uint8
}

// withErrors matches tokens with words within some errors of a text, the nearest first, and of those the ones that more
// important things bear.
func (rd *reader) withErrors(i int, text string, set tokenSet, errors int, cost float64, finished bool) {
	if errors == 0 {
		return
	}
	near := rd.completing[:0]
	rd.lookup(text, errors, func(word uint32, errors int) {
		if errors > 0 {
			near = append(near, completion{word, uint8(errors), rd.x.r.WordWeight(word)})
		}
	})
	rd.completing = near
	slices.SortFunc(near, func(a, b completion) int {
		return cmp.Or(cmp.Compare(a.errors, b.errors), cmp.Compare(b.weight, a.weight), cmp.Compare(a.word, b.word))
	})
	for k, c := range near {
		if k == mostPerToken && !rd.x.exhaustive {
			break
		}
		w := rd.x.lexicon.Word(c.word)
		full := cost + errorCost(min(len(text), len(w)), int(c.errors))
		if w[0] != text[0] {
			full += firstLetter
		}
		if rd.tokens[i].digits {
			full += digitError
		}
		rd.match(c.word, set, full, 0, false)
	}
}

// lookup finds the words within some errors of a text.
func (rd *reader) lookup(text string, errors int, yield func(word uint32, errors int)) {
	if !rd.x.exhaustive {
		rd.x.lexicon.Near(text, errors, false, func(low, _ uint32, errors int) { yield(low, errors) })
		return
	}
	for word := range uint32(rd.x.lexicon.Words()) {
		if d := editDistance(text, rd.x.lexicon.Word(word), errors); d <= errors {
			yield(word, d)
		}
	}
}

// joinable tells whether two neighbours may be one word that was torn.
func joinable(a, b *token) bool {
	return b.before != ',' && a.kinds == b.kinds && !(a.digits && b.digits) && len(a.text)+len(b.text) <= 30
}

// joined matches a token and the one before it with one word.
func (rd *reader) joined(i, stage int, typing bool) {
	text := rd.tokens[i-1].text + rd.tokens[i].text
	set := tokenSet(3) << (i - 1)
	if word, ok := rd.x.lexicon.Exact(text); ok {
		rd.match(word, set, joinedTokens, 0, true)
		return
	}
	rd.x.short.Alternatives(text, func(other string) {
		if word, ok := rd.x.lexicon.Exact(other); ok {
			rd.match(word, set, joinedTokens+abbreviated, 0, true)
		}
	})
	if len(text) >= 6 && stage > 0 && !(rd.tokens[i].known && rd.tokens[i-1].known) {
		rd.withErrors(i, text, set, 1, joinedTokens, typing)
	}
}

// torn matches a token with two words, or three, that were written as one. One of them may have an error.
func (rd *reader) torn(i int, text string, stage int) {
	if len(text) < 5 {
		return
	}
	for k := 2; k <= len(text)-2; k++ {
		left, ok := rd.x.lexicon.Exact(text[:k])
		if !ok {
			continue
		}
		found := false
		if right, ok := rd.wordOrShort(text[k:]); ok {
			rd.match(right, 1<<i, tornToken/2, i+1, true)
			found = true
		}
		for m := k + 2; m <= len(text)-2 && len(text) >= 9; m++ {
			middle, ok := rd.x.lexicon.Exact(text[k:m])
			if !ok {
				continue
			}
			if right, ok := rd.wordOrShort(text[m:]); ok {
				rd.match(middle, 1<<i, tornToken/2, i+1, true)
				rd.match(right, 1<<i, tornToken/2, i+1, true)
				found = true
			}
		}
		if stage > 0 && len(text)-k >= 3 {
			rd.lookup(text[k:], 1, func(word uint32, errors int) {
				if errors > 0 {
					rd.match(word, 1<<i, tornToken/2+errorCost(len(text)-k, errors), i+1, false)
					found = true
				}
			})
		}
		if found {
			rd.match(left, 1<<i, tornToken/2, i+1, true)
		}
	}
	if stage == 0 {
		return
	}
	for k := 3; k <= len(text)-2; k++ { // the error is in the first of the two
		right, ok := rd.x.lexicon.Exact(text[k:])
		if !ok {
			continue
		}
		rd.lookup(text[:k], 1, func(word uint32, errors int) {
			if errors > 0 {
				rd.match(word, 1<<i, tornToken/2+errorCost(k, errors), i+1, false)
				rd.match(right, 1<<i, tornToken/2, i+1, true)
			}
		})
	}
}

// wordOrShort returns the word of a text, or one that it is short for.
func (rd *reader) wordOrShort(text string) (word uint32, ok bool) {
	if word, ok = rd.x.lexicon.Exact(text); ok {
		return word, true
	}
	rd.x.short.Alternatives(text, func(other string) {
		if !ok {
			word, ok = rd.x.lexicon.Exact(other)
		}
	})
	return word, ok
}

// editDistance counts insertions, deletions, replacements and swaps of neighbours between two words (optimal string
// alignment); more than most is returned as most+1.
func editDistance(a, b string, most int) int {
	if d := len(a) - len(b); d > most || -d > most {
		return most + 1
	}
	before, last, cur := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		cur[0] = i
		for j := 1; j <= len(b); j++ {
			change := 1
			if a[i-1] == b[j-1] {
				change = 0
			}
			cur[j] = min(last[j]+1, cur[j-1]+1, last[j-1]+change)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				cur[j] = min(cur[j], before[j-2]+1)
			}
		}
		before, last, cur = last, cur, before
	}
	return min(last[len(b)], most+1)
}
