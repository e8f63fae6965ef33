package catalog

import (
	"bytes"
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"github.com/google/uuid"
	"github.com/tidwall/gjson"
	"golang.org/x/sync/singleflight"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/lexicon"
)

// List asks for features of any kind as a list to read: searched, filtered, sorted, from anywhere in it.
type List struct {
	// Text are words that all must be found, whatever their case and accents.
	Text string
	// Collections, Categories and Kinds are the only ones, where there are any.
	Collections, Categories, Kinds []string
	// Where are attributes with the text of their values; "" for those that have none.
	Where map[string]string
	// Box lets places in it through, and paths and areas that reach into it.
	Box *geo.Box
	// Placed is whether it has a position or a geometry; nil for both.
	Placed *bool
	// IDs, where there are any, are the only ones.
	IDs []uuid.UUID
	// Sort is the property that the list is sorted by; ties are by name, then by id.
	Sort       string
	Descending bool
	Offset     int
	Limit      int
}

// sorted is a list that was asked for lately: the whole of it is in order up to so many.
type sorted struct {
	key     string
	s       *Snapshot
	items   []entry
	total   int
	ordered int
}

// entry is an item in a list with the value that it is sorted by.
type entry struct {
	item uint32
	value
}

// lists are those that were asked for lately: of one that is scrolled through, each part is asked for by itself. The
// same list is made once for all who ask for it at the same time, and keeps nobody from making another.
type lists struct {
	mu     sync.Mutex
	kept   []*sorted
	making singleflight.Group
}

const keptLists = 4

// List returns a part of a list, and how long the whole of it is.
func (c *Catalog) List(v View, q List) ([]Row, int) {
	s, end := c.Now(), q.Offset+q.Limit
	key := fmt.Sprintf("%d %s %v", s.no, q.key(), v)
	l := c.lists.get(key)
	if l == nil || l.ordered < min(end, l.total) {
		made, _, _ := c.lists.making.Do(fmt.Sprint(end, " ", key), func() (any, error) {
			l := s.sorted(v, q, end)
			l.key = key
			c.lists.put(l)
			return l, nil
		})
		l = made.(*sorted)
	}
	part := l.items[min(q.Offset, len(l.items)):min(end, len(l.items))]
	out := make([]Row, len(part))
	for i, e := range part {
		out[i] = l.s.row(e.item)
	}
	return out, l.total
}

func (l *lists) get(key string) *sorted {
	l.mu.Lock()
	defer l.mu.Unlock()
	at := slices.IndexFunc(l.kept, func(one *sorted) bool { return one.key == key })
	if at < 0 {
		return nil
	}
	found := l.kept[at]
	l.kept = slices.Insert(slices.Delete(l.kept, at, at+1), 0, found)
	return found
}

func (l *lists) put(one *sorted) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.kept = slices.DeleteFunc(l.kept, func(old *sorted) bool { return old.key == one.key })
	l.kept = slices.Insert(l.kept, 0, one)
	l.kept = l.kept[:min(len(l.kept), keptLists)]
}

// key tells lists apart.
func (q List) key() string {
	placed, box := "", ""
	if q.Placed != nil {
		placed = fmt.Sprint(*q.Placed)
	}
	if q.Box != nil {
		box = fmt.Sprint(*q.Box)
	}
	return fmt.Sprintf(
		"%q %q %q %q %q %q %q %q %q %v",
		q.Text,
		q.Collections,
		q.Categories,
		q.Kinds,
		q.Where,
		box,
		placed,
		q.IDs,
		q.Sort,
		q.Descending,
	)
}

// sorted finds all that a question selects, with at least so many of the first in order.
func (s *Snapshot) sorted(v View, q List, first int) *sorted {
	order := func(a, b entry) int {
		c := a.compare(b.value)
		if q.Descending && !a.missing() && !b.missing() {
			c = -c
		}
		if c != 0 || a.item == b.item {
			return c
		}
		return cmp.Or(strings.Compare(s.row(a.item).Name(), s.row(b.item).Name()), s.byID(a.item, b.item))
	}
	all := first > s.total()/8
	var parts []*firsts
	one := func() *firsts {
		f := &firsts{order: order, first: first, all: all}
		parts = append(parts, f)
		return f
	}
	only, lets := s.groupsOf(v, q.Collections, q.Categories, q.Kinds), q.lets()
	passes := func(k *chunk, i int, item uint32) bool {
		return only[k.group[i]] && (lets == nil || lets(s.row(item)))
	}
	words := strings.Fields(lexicon.Fold(q.Text))
	switch {
	case len(q.IDs) > 0:
		f := one()
		for _, id := range slices.CompactFunc(slices.SortedFunc(slices.Values(q.IDs), compareIDs), func(a,
			b uuid.UUID) bool {
			return a == b
		}) {
			item, ok := s.find(id)
			if !ok {
				continue
			}
			k, i := s.at(item)
			if passes(k, i, item) && holdsAll(k.folded(i), words) {
				f.take(entry{item, k.sorted.value(k, i, q.Sort, &s.groups[k.group[i]])})
			}
		}
	case len(q.Kinds) > 0 && !slices.Contains(q.Kinds, feature.Place.String()):
		f := one()
		for _, item := range s.shapes {
			k, i := s.at32(item)
			if k != nil && passes(k, i, item) && holdsAll(k.folded(i), words) {
				f.take(entry{item, k.sorted.value(k, i, q.Sort, &s.groups[k.group[i]])})
			}
		}
	default:
		halves := [2]*firsts{one(), one()}
		inHalves(len(s.chunks), func(half, from, to int) {
			for c := from; c < to; c++ {
				if s.chunks[c] != nil && s.live[c].count > 0 {
					s.inChunk(c, q.Sort, words, passes, halves[half])
				}
			}
		})
	}
	l := &sorted{s: s}
	whole := true
	for _, p := range parts {
		l.total += p.total
		l.items = append(l.items, p.items...)
		whole = whole && p.last == nil
	}
	slices.SortFunc(l.items, order)
	l.ordered = len(l.items)
	if !whole {
		l.ordered = first
	}
	return l
}

func compareIDs(a, b uuid.UUID) int { return bytes.Compare(a[:], b[:]) }

// inChunk takes those items of a chunk that pass.
func (s *Snapshot) inChunk(c int, sort string, words []string, passes func(*chunk, int, uint32) bool, into *firsts) {
	k := s.chunks[c]
	by := k.sorted.of(k, sort, s.groups)
	take := func(i int) bool {
		item := uint32(c)<<chunkBits | uint32(i)
		if passes(k, i, item) {
			into.take(entry{item, by(i)})
		}
		return true
	}
	if len(words) == 0 {
		s.live[c].each(take)
		return
	}
	k.search(words, func(i int) bool { return !s.live[c].has(i) || take(i) })
}

// total returns how many features there are.
func (s *Snapshot) total() int {
	n := 0
	for _, count := range s.counts {
		n += count
	}
	return n
}

// inHalves does the two halves of something at once. What goes wrong in one of them goes wrong for the caller.
func inHalves(n int, f func(half, from, to int)) {
	var wait sync.WaitGroup
	var wrong any
	wait.Go(func() {
		defer func() { wrong = recover() }()
		f(0, 0, n/2)
	})
	defer func() {
		wait.Wait()
		if wrong != nil {
			panic(wrong)
		}
	}()
	f(1, n/2, n)
}

// firsts gathers the first of many entries: as many again as are wanted, of which the better half is kept. Of all of
// them where most are wanted.
type firsts struct {
	order func(a, b entry) int
	first int
	all   bool
	items []entry
	total int
	last  *entry // none after it is among the first
}

func (f *firsts) take(e entry) {
	f.total++
	if f.last != nil && f.order(e, *f.last) > 0 {
		return
	}
	f.items = append(f.items, e)
	if most := 2*f.first + 1000; len(f.items) >= most && !f.all {
		slices.SortFunc(f.items, f.order)
		f.items = f.items[:f.first]
		last := f.items[f.first-1]
		f.last = &last
	}
}

// lets returns what tells whether a feature passes the filters that its group does not tell, nil where there are none.
func (q List) lets() func(Row) bool {
	if len(q.Where) == 0 && q.Placed == nil && q.Box == nil {
		return nil
	}
	return func(r Row) bool {
		if q.Placed != nil && *q.Placed != (r.g.kind != feature.Place || r.Point().IsValid()) {
			return false
		}
		return r.has(q.Where, false) && (q.Box == nil || r.reachesInto(*q.Box))
	}
}

// has tells whether attributes have values, given as texts; where they must be there, "" is the value of none.
func (r Row) has(where map[string]string, there bool) bool {
	if len(where) == 0 {
		return true
	}
	_, _, further := r.k.record(r.i)
	for name, want := range where {
		v := gjson.GetBytes(further, gjson.Escape(name))
		if v.String() != want || there && !v.Exists() {
			return false
		}
	}
	return true
}

// Named calls yield with features of the view whose name, category, attributes or address hold all words, which are
// folded, until it returns false.
func (s *Snapshot) Named(v View, words []string, yield func(Row) bool) {
	only := s.groupsOf(v, nil, nil, nil)
	for c, k := range s.chunks {
		if k == nil || s.live[c].count == 0 {
			continue
		}
		goOn := true
		k.search(words, func(i int) bool {
			if s.live[c].has(i) && only[k.group[i]] {
				goOn = yield(Row{k, &s.groups[k.group[i]], i})
			}
			return goOn
		})
		if !goOn {
			return
		}
	}
}

// search calls yield with each item whose text holds all the words, which are folded, until it returns false; the
// longest word is looked for first.
func (k *chunk) search(words []string, yield func(i int) bool) {
	longest := []byte(words[0])
	for _, w := range words {
		if len(w) > len(longest) {
			longest = []byte(w)
		}
	}
	item, begin := 0, uint32(0)
	for from := 0; from < len(k.text); {
		at := bytes.Index(k.text[from:], longest)
		if at < 0 {
			return
		}
		at += from
		for ; k.textEnds[item] <= uint32(at); item++ {
			begin = k.textEnds[item]
		}
		if holdsAll(k.text[begin:k.textEnds[item]], words) && !yield(item) {
			return
		}
		begin = k.textEnds[item]
		from = int(begin)
		item++
	}
}

func holdsAll(text []byte, words []string) bool {
	for _, w := range words {
		if !bytes.Contains(text, []byte(w)) {
			return false
		}
	}
	return true
}

// value is what a feature is sorted by: numbers come before texts, and what has neither comes last, whichever way it is
// sorted.
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
