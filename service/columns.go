package service

import (
	"cmp"
	"math"
	"strings"
	"sync"

	"github.com/tidwall/gjson"

	"viandante/core/address"
	"viandante/store"
)

// columns are what a base is searched and sorted by: for each attribute that somebody has sorted by a typed column, and
// one long text of all that can be searched. They are made when first asked for and hold as long as the base.
type columns struct {
	base []*store.Feature
	mu   sync.Mutex
	made map[string]*column
	text func() *haystack
}

func newColumns(base []*store.Feature) *columns {
	return &columns{base: base, made: map[string]*column{}, text: sync.OnceValue(func() *haystack { return newHaystack(base) })}
}

// value is what a feature is sorted by: numbers come before texts, and what has neither comes last, whichever way it is sorted.
type value struct {
	number float64 // NaN where it is no number
	text   string  // folded
}

func (v value) missing() bool { return math.IsNaN(v.number) && v.text == "" }

func (v value) compare(w value) int {
	switch {
	case v.missing() != w.missing():
		if w.missing() {
			return -1
		}
		return 1
	case math.IsNaN(v.number) != math.IsNaN(w.number):
		if math.IsNaN(w.number) {
			return -1
		}
		return 1
	case v.number < w.number:
		return -1
	case v.number > w.number:
		return 1
	}
	return cmp.Compare(v.text, w.text)
}

// column holds the values of a base: texts only where there are any, numbers likewise.
type column struct {
	numbers []float64
	texts   []string
}

func (c *column) at(i int32) value {
	v := value{number: math.NaN()}
	if c.numbers != nil {
		v.number = c.numbers[i]
	}
	if c.texts != nil {
		v.text = c.texts[i]
	}
	return v
}

// mostColumns bounds what is remembered, whatever names are asked for.
const mostColumns = 200

// column returns the one of an attribute.
func (c *columns) column(name string) *column {
	c.mu.Lock()
	defer c.mu.Unlock()
	if k := c.made[name]; k != nil {
		return k
	}
	if len(c.made) >= mostColumns {
		clear(c.made)
	}
	k := &column{}
	n := len(c.base)
	numbers, texts := make([]float64, n), make([]string, n)
	inHalves(n, func(from, to int) {
		for i := from; i < to; i++ {
			v := valueOf(c.base[i], name)
			numbers[i], texts[i] = v.number, v.text
		}
	})
	for i := range n {
		if !math.IsNaN(numbers[i]) {
			k.numbers = numbers
		}
		if texts[i] != "" {
			k.texts = texts
		}
	}
	c.made[name] = k
	return k
}

// inHalves does the two halves of something at once. What goes wrong in one of them goes wrong for the caller.
func inHalves(n int, f func(from, to int)) {
	var wait sync.WaitGroup
	var wrong any
	wait.Go(func() {
		defer func() { wrong = recover() }()
		f(0, n/2)
	})
	defer func() {
		wait.Wait()
		if wrong != nil {
			panic(wrong)
		}
	}()
	f(n/2, n)
}

// valueOf is what a feature has under a name.
func valueOf(f *store.Feature, name string) value {
	number := func(v float64) value { return value{number: v} }
	text := func(s string) value { return value{math.NaN(), address.Fold(s)} }
	metres := func(v *float64) value {
		if v == nil {
			return text("")
		}
		return number(*v)
	}
	switch name {
	case propName:
		return text(f.Name)
	case propCategory:
		return text(f.Category)
	case "collection":
		return text(f.Collection)
	case "kind":
		return text(f.Kind)
	case propSource:
		return text(f.Source)
	case propUpdatedAt:
		return number(float64(f.UpdatedAt.UnixMicro()))
	case propCreatedAt:
		return number(float64(f.CreatedAt.UnixMicro()))
	case propElevation:
		return metres(f.ElevationM)
	case propAccuracy:
		return metres(f.AccuracyM)
	case "lat", "lng":
		if !f.At.IsValid() {
			return text("")
		} else if name == "lat" {
			return number(f.At.Lat())
		}
		return number(f.At.Lng())
	}
	switch r := gjson.GetBytes(f.Attributes, gjson.Escape(name)); r.Type {
	case gjson.Number:
		return number(r.Num)
	case gjson.String:
		return text(r.Str)
	case gjson.True:
		return text("true")
	case gjson.False:
		return text("false")
	case gjson.JSON:
		return text(r.Raw)
	}
	return text("")
}

// haystack is the folded text of all features of a base, one after the other, each ended by a zero byte.
type haystack struct {
	text string
	ends []int // where each feature's text ends
}

func newHaystack(base []*store.Feature) *haystack {
	halves := [2]strings.Builder{}
	ends := make([]int, len(base))
	inHalves(len(base), func(from, to int) {
		b := &halves[1]
		if from == 0 && to < len(base) {
			b = &halves[0]
		}
		for i := from; i < to; i++ {
			searched(b, base[i])
			ends[i] = b.Len()
		}
	})
	for i := len(base) / 2; i < len(base); i++ {
		ends[i] += halves[0].Len()
	}
	return &haystack{halves[0].String() + halves[1].String(), ends}
}

// searched writes what a feature is found by: its name, its category's id, and the texts and numbers among its attributes.
func searched(b *strings.Builder, f *store.Feature) {
	b.WriteString(address.Fold(f.Name))
	b.WriteByte('\n')
	b.WriteString(address.Fold(f.Category))
	gjson.ParseBytes(f.Attributes).ForEach(func(_, v gjson.Result) bool {
		if v.Type == gjson.String || v.Type == gjson.Number {
			b.WriteByte('\n')
			b.WriteString(address.Fold(v.String()))
		}
		return true
	})
	if f.AddressTyped != "" {
		b.WriteByte('\n')
		b.WriteString(address.Fold(f.AddressTyped))
	}
	b.WriteByte(0)
}

// find calls yield with each feature whose text holds all the words, which are folded, until it returns false; the longest
// word is looked for first.
func (h *haystack) find(words []string, yield func(i int32) bool) {
	longest := words[0]
	for _, w := range words {
		if len(w) > len(longest) {
			longest = w
		}
	}
	item, begin := 0, 0
	for from := 0; from < len(h.text); {
		at := strings.Index(h.text[from:], longest)
		if at < 0 {
			return
		}
		at += from
		for ; h.ends[item] <= at; item++ {
			begin = h.ends[item]
		}
		if holds(h.text[begin:h.ends[item]], words) && !yield(int32(item)) {
			return
		}
		begin = h.ends[item]
		from = begin
		item++
	}
}

func holds(text string, words []string) bool {
	for _, w := range words {
		if !strings.Contains(text, w) {
			return false
		}
	}
	return true
}
