package main

import (
	"math/rand/v2"
	"strings"

	"viandante/core/address"
)

// asked is a query with what it is about.
type asked struct {
	class string
	query string
	truth addressed
	// street tells that the street is wanted and not the house, none that there is no such address.
	street, none bool
	prefix       bool // still being typed: one of the first five
}

// typist writes addresses as people do. It knows nothing of the index.
type typist struct {
	rng *rand.Rand
	c   *addressCountry
}

// classes are the ways of writing that are measured, with what is asked of each: the share of first answers that are
// right.
var classes = []struct {
	name   string
	target string
}{
	{"as written", "99.9 %"}, {"in any order", "99.9 %"}, {"abbreviated", "99 %"}, {"run together", "99 %"},
	{"no locality", "99 %"}, {"one error", "98.5 %"}, {"two errors", "96 %"}, {"no number", "99.5 %"},
	{"beginning", "97 %"}, {"not mapped", ""}, {"ambiguous", ""},
	{"word left out", ""}, {"another letter", ""}, {"in a letter", ""}, {"no such street", ""}, {"street elsewhere",
		""}, {"no such number", ""},
}

var shortForms = map[string][]string{"Street": {"St", "St.", "Str"}, "Road": {"Rd", "Rd."}, "Lane": {"Ln"},
	"Avenue": {"Ave", "Av."}, "Drive": {"Dr"}, "Close": {"Cl"}, "Court": {"Ct"}, "Place": {"Pl"}, "Square": {"Sq"},
	"Terrace": {"Ter"}, "Crescent": {"Cres"}, "Way": {"Wy"}, "Hill": {"Hl"}, "St.": {"Saint"}, "Upper": {"Upr"},
	"Lower": {"Lwr"}, "Great": {"Gt"}, "Little": {"Lt"}, "North": {"N"}, "South": {"S"}}

// ask writes one address of a class; ok is false where the class does not fit it.
func (t *typist) ask(class string) (q asked, ok bool) {
	a := t.c.all[t.rng.IntN(len(t.c.all))]
	q = asked{class: class, truth: a}
	if class == "not mapped" {
		if !a.left {
			return q, false
		}
	} else if !t.c.unique(a) {
		return q, false
	}
	street, place := a.street, a.locality
	if t.rng.IntN(2) == 0 {
		place = a.postcode + " " + a.locality
	}
	switch class {
	case "in any order":
		parts := []string{a.street + " " + a.number, a.locality, a.postcode}
		if t.rng.IntN(2) == 0 {
			parts[0] = a.number + " " + a.street
		}
		t.rng.Shuffle(3, func(i, k int) { parts[i], parts[k] = parts[k], parts[i] })
		q.query = strings.Join(parts, []string{" ", ", ", "\n"}[t.rng.IntN(3)])
		return q, true
	case "abbreviated":
		words := strings.Fields(street)
		hit := false
		for i, w := range words {
			if s := shortForms[w]; s != nil {
				words[i], hit = s[t.rng.IntN(len(s))], true
			}
		}
		if !hit {
			return q, false
		}
		street = strings.Join(words, " ")
	case "run together":
		i := strings.LastIndex(street, " ")
		street = street[:i] + strings.ToLower(street[i+1:])
	case "no locality":
		if len(t.c.homes[a.street]) > 1 {
			return q, false
		}
		q.query = street + " " + a.number
		return q, true
	case "word left out":
		words := strings.Fields(street)
		k := len(words) - 1
		if t.rng.IntN(4) == 0 {
			k = t.rng.IntN(len(words))
		}
		street = strings.Join(append(words[:k:k], words[k+1:]...), " ")
	case "in a letter":
		v := &invented{t.rng, map[string]bool{}}
		first, last := v.word([]string{"a", "o", "in"}), v.word([]string{"son", "er", "ing"})
		q.query = first + " " + last + "\n" + street + " " + a.number + "\n" + place
		if t.rng.IntN(2) == 0 {
			q.query += "\n" + v.word([]string{"ia", "land"})
		}
		return q, true
	case "another letter":
		number := strings.TrimRight(a.number, "abc")
		if number == a.number {
			number += "b"
		}
		q.query = street + " " + number + ", " + place
		return q, true
	case "ambiguous":
		if len(t.c.homes[a.street]) < 2 {
			return q, false
		}
		switch i := strings.LastIndex(street, " "); t.rng.IntN(3) {
		case 0:
			street = street[:i] + strings.ToLower(street[i+1:])
		case 1:
			if s := shortForms[street[i+1:]]; s != nil {
				street = street[:i+1] + s[0]
			}
		}
		q.query = street + " " + a.number
		q.street = t.rng.IntN(2) == 0
		if q.street {
			q.query = street
		}
		return q, true
	case "one error", "two errors":
		words := strings.Fields(street)
		n := len(words)
		words = append(words, strings.Fields(a.locality)...)
		first := t.slip(words, -1)
		if class == "two errors" {
			t.slip(words, first)
		}
		street = strings.Join(words[:n], " ")
		place = strings.Replace(place, a.locality, strings.Join(words[n:], " "), 1)
	case "no number":
		q.street = true
		q.query = street + ", " + place
		return q, len(t.c.homes[a.street]) == 1 || strings.Contains(place, a.postcode)
	case "beginning":
		q.prefix = true
		q.query = a.street + " " + a.number + ", " + a.locality[:min(len(a.locality), 4+t.rng.IntN(4))]
		return q, true
	case "no such street":
		q.none = true
		v := &invented{t.rng, map[string]bool{}}
		street = v.word([]string{"ix", "ong", "umbel", "arth"}) + " " + streetTypes[t.rng.IntN(len(streetTypes))]
	case "street elsewhere":
		q.none = true
		b := t.c.all[t.rng.IntN(len(t.c.all))]
		if t.c.homes[a.street][b.postcode] || b.locality == a.locality {
			return q, false
		}
		place = strings.NewReplacer(a.locality, b.locality, a.postcode, b.postcode).Replace(place)
	case "no such number":
		q.none = true
		q.query = street + " " + []string{"214", "388b", "977"}[t.rng.IntN(3)] + ", " + place
		return q, true
	}
	q.query = street + " " + a.number + ", " + place
	return q, true
}

// slip makes a typing error in one of the words of three letters or more, another than not, and returns which.
func (t *typist) slip(words []string, not int) int {
	for range 50 {
		i := t.rng.IntN(len(words))
		w := []byte(words[i])
		if i == not || len(w) < 3 || strings.HasSuffix(words[i], ".") {
			continue
		}
		k := t.rng.IntN(len(w) - 1)
		switch t.rng.IntN(4) {
		case 0: // neighbours swapped
			if w[k] == w[k+1] {
				continue
			}
			w[k], w[k+1] = w[k+1], w[k]
		case 1: // left out
			w = append(w[:k], w[k+1:]...)
		case 2: // doubled
			w = append(w[:k+1], w[k:]...)
		default: // another one
			c := byte('a' + t.rng.IntN(26))
			if c == w[k] {
				continue
			}
			w[k] = c
		}
		words[i] = string(w)
		return i
	}
	return -1
}

// right tells whether a find is what was asked for: the street, or a house within 30 m.
func (q *asked) right(f *address.Find) bool {
	if q.none {
		return false
	}
	if q.street {
		return f.Kind == address.Street && f.Street == q.truth.street && f.Locality == q.truth.locality &&
			distanceM(f.At, q.truth.at) < 1500
	}
	return f.Kind == address.House && distanceM(f.At, q.truth.at) <= 30
}
