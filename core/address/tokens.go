package address

import (
	"strings"
	"unicode"

	"viandante/core/lexicon"
)

// maxTokens bounds the work that a hostile query can ask for. Words beyond are ignored.
const maxTokens = 24

// maxText is how much of a text is read, in bytes.
const maxText = 1000

// token is a word of the query.
type token struct {
	text    string // folded
	typed   string
	digits  bool // begins with a digit
	number  bool // may be a house number: begins with a digit and is short
	before  rune // the separator before it: a blank, or one of , / - & + and the end of a line
	segment int  // the part between commas and ends of lines
	kinds   kinds
	// silent is a word that says nothing of its own, such as "no." before a number.
	silent bool
	known  bool // a word of the lexicon
}

// kinds is a set of what a token may stand for.
type kinds uint8

const (
	asStreet kinds = 1 << iota
	asLocality
	asPostcode
	asNumber
	asAnything = asStreet | asLocality | asPostcode | asNumber
)

// numberSigns are words before a house number.
var numberSigns = map[string]bool{"no": true, "nr": true, "num": true, "number": true, "nummer": true, "numero": true,
	"hausnummer": true, "n": true}

// tokens cuts a query up.
func tokens(dst []token, q Query) []token {
	dst = dst[:0]
	if q.Text != "" {
		return cut(dst, q.Text, asAnything)
	}
	dst = cut(dst, q.Street, asStreet)
	dst = cut(dst, q.HouseNumber, asNumber)
	dst = cut(dst, q.Postcode, asPostcode)
	return cut(dst, q.Locality, asLocality)
}

func cut(dst []token, text string, as kinds) []token {
	segment := 0
	if n := len(dst); n > 0 {
		segment = dst[n-1].segment + 1
	}
	before := ' '
	if segment > 0 {
		before = ','
	}
	start := -1
	text = text[:min(len(text), maxText)]
	take := func(typed string) {
		for _, word := range lexicon.Words(typed) {
			for _, part := range tornNumber(lexicon.Cut(word)) {
				if len(dst) == maxTokens {
					return
				}
				t := token{text: part, typed: typed, before: before, segment: segment, kinds: as}
				if part != word {
					t.typed = part
				}
				t.digits = part[0] >= '0' && part[0] <= '9'
				t.number = t.digits && len(part) <= 8
				dst = append(dst, t)
				before = ' '
			}
		}
	}
	for i, c := range text {
		if unicode.IsLetter(c) || unicode.IsDigit(c) || unicode.Is(unicode.Mn, c) || start >= 0 && (c == '\'' ||
			c == '’') {
			if start < 0 {
				start = i
			}
			continue
		}
		if start >= 0 {
			take(text[start:i])
			start = -1
		}
		switch c {
		case ',', ';', '\n', '\r', '|':
			if before != ',' && len(dst) > 0 {
				segment++
			}
			before = ','
		case '/', '-', '&', '+', '–':
			if before == ' ' {
				before = c
			}
		}
	}
	if start >= 0 {
		take(text[start:])
	}
	for i := range len(dst) - 1 {
		if numberSigns[dst[i].text] && dst[i+1].digits && dst[i+1].before != ',' {
			dst[i].silent = true
		}
	}
	return dst
}

// tornNumber cuts a word where a number and a word of three letters or more run together: lane12, 4100varrowby.
func tornNumber(word string) []string {
	digit := func(i int) bool { return word[i] >= '0' && word[i] <= '9' }
	for i := 1; i < len(word); i++ {
		if digit(i) == digit(i-1) {
			continue
		}
		letters := i
		if digit(i - 1) {
			letters = len(word) - i
			if strings.ContainsAny(word[i:], "0123456789") {
				letters = strings.IndexAny(word[i:], "0123456789")
			}
		}
		if letters >= 3 {
			return append([]string{word[:i]}, tornNumber(word[i:])...)
		}
	}
	return []string{word}
}
