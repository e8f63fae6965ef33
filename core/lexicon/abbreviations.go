package lexicon

import (
	_ "embed"
	"slices"
	"strings"
)

// AbbreviationTable is the text of the table that regions are built with, a line for each abbreviation.
//
//go:embed abbreviations.txt
var AbbreviationTable string

// Abbreviations tells what a word may be written as instead.
type Abbreviations struct {
	full, short map[string][]string
	suffixes    []suffix
}

// suffix is an abbreviation that ends a compound word: hafenstr for hafenstrasse.
type suffix struct{ short, full string }

// ParseAbbreviations reads a table: a line holds a language, the abbreviation, an equals sign, and what it stands for.
// Lines that are none of that are left out.
func ParseAbbreviations(table string) *Abbreviations {
	a := &Abbreviations{full: map[string][]string{}, short: map[string][]string{}}
	for line := range strings.Lines(table) {
		head, tail, ok := strings.Cut(line, "=")
		fields := strings.Fields(head)
		if !ok || len(fields) != 2 || strings.HasPrefix(fields[0], "#") {
			continue
		}
		short := strings.Join(Words(fields[1]), "")
		for _, full := range Words(tail) {
			if short == "" || slices.Contains(a.full[short], full) {
				continue
			}
			a.full[short] = append(a.full[short], full)
			a.short[full] = append(a.short[full], short)
			if fields[0] == "de" && strings.HasPrefix(full, short) && len(short) > 2 {
				a.suffixes = append(a.suffixes, suffix{short, full})
			}
		}
	}
	return a
}

// Alternatives calls yield with each word that another may stand for or be shortened to.
func (a *Abbreviations) Alternatives(word string, yield func(string)) {
	for _, w := range a.full[word] {
		yield(w)
		for _, other := range a.short[w] {
			if other != word {
				yield(other)
			}
		}
	}
	for _, w := range a.short[word] {
		yield(w)
	}
	for _, s := range a.suffixes {
		if stem, ok := strings.CutSuffix(word, s.short); ok && len(stem) > 2 {
			yield(stem + s.full)
		}
		if stem, ok := strings.CutSuffix(word, s.full); ok && len(stem) > 2 {
			yield(stem + s.short)
		}
	}
}

// CategoryTable is the text of the table of what kinds of things are called, a line for each kind.
//
//go:embed categories.txt
var CategoryTable string

// Categories returns for each kind of the table the other words for it.
func Categories() map[string][]string {
	out := map[string][]string{}
	for line := range strings.Lines(CategoryTable) {
		kind, words, ok := strings.Cut(line, "=")
		if !ok || strings.HasPrefix(kind, "#") {
			continue
		}
		kind = strings.TrimSpace(kind)
		for word := range strings.SplitSeq(words, ",") {
			out[kind] = append(out[kind], strings.TrimSpace(word))
		}
	}
	return out
}
