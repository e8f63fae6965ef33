package service

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/tidwall/gjson"

	"viandante/codec/geojson"
	"viandante/core/address"
	"viandante/core/geo"
	"viandante/store"
)

// Rows asks for features of any kind as a list to read: searched, filtered, sorted, from anywhere in it.
type Rows struct {
	// Text are words that all must be found, whatever their case and accents.
	Text        string
	Collections []string
	Categories  []string
	Kinds       []string
	// Where are attributes with the text of their values; "" for those that have none.
	Where map[string]string
	// Box lets places in it through, and paths and areas that reach into it.
	Box *geo.Box
	// Placed is whether it has a position or a geometry; nil for both.
	Placed *bool
	// IDs, where there are any, are the only ones.
	IDs        []uuid.UUID
	Sort       string
	Descending bool
	Offset     int
	Limit      int
}

// Rows returns a part of the list, each feature with its collection, and how long the whole list is.
func (v *Service) Rows(ctx context.Context, a Actor, q Rows) ([]*geojson.Feature, int, error) {
	if err := a.mayRead(); err != nil {
		return nil, 0, err
	}
	x, err := v.index(ctx, a.Workspace)
	if err != nil {
		return nil, 0, err
	}
	found, total := x.rows(q)
	out := make([]*geojson.Feature, len(found))
	for i, f := range found {
		out[i] = present(a, f)
		out[i].Properties["collection"] = f.Collection
	}
	return out, total, nil
}

// sorted is a list that was asked for lately: the whole of it is in order up to so many.
type sorted struct {
	key     string
	base    *columns
	no      uint64
	items   []item
	total   int
	ordered int
}

// item is a feature in a list: one of the base, or, below 0, one of those that changed since.
type item struct {
	i int32
	value
}

// keptLists is how many lists are remembered: of one that is scrolled through, each part is asked for by itself.
const keptLists = 4

func (x *index) rows(q Rows) ([]*store.Feature, int) {
	s := x.now.Load()
	recent := s.changedFeatures()
	end := q.Offset + q.Limit
	key := q.key()
	x.listing.Lock()
	defer x.listing.Unlock()
	at := slices.IndexFunc(x.lists, func(l *sorted) bool { return l.key == key && l.no == s.no && l.base == s.columns })
	var l *sorted
	if at >= 0 {
		l = x.lists[at]
		x.lists = slices.Delete(x.lists, at, at+1)
	}
	if l == nil || l.ordered < min(end, l.total) {
		l = s.list(q, recent, end)
		l.key = key
	}
	x.lists = slices.Insert(x.lists, 0, l)
	x.lists = x.lists[:min(len(x.lists), keptLists)]
	var out []*store.Feature
	for _, it := range l.items[min(q.Offset, len(l.items)):min(end, len(l.items))] {
		out = append(out, s.item(recent, it.i))
	}
	return out, l.total
}

// key tells lists apart.
func (q Rows) key() string {
	q.Offset, q.Limit = 0, 0
	placed := ""
	if q.Placed != nil {
		placed = fmt.Sprint(*q.Placed)
	}
	box := ""
	if q.Box != nil {
		box = fmt.Sprint(*q.Box)
	}
	return fmt.Sprintf("%q %q %q %q %q %q %q %q %q %v", q.Text, q.Collections, q.Categories, q.Kinds, q.Where, box, placed, q.IDs, q.Sort, q.Descending)
}

// changedFeatures are those that the base does not have as they are now, by id.
func (s *snapshot) changedFeatures() []*store.Feature {
	var out []*store.Feature
	for _, c := range s.recent {
		if c.feature != nil {
			out = append(out, c.feature)
		}
	}
	return out
}

func (s *snapshot) item(recent []*store.Feature, i int32) *store.Feature {
	if i < 0 {
		return recent[-1-i]
	}
	return s.base[i]
}

// list finds all that a question selects, with at least so many of the first in order.
func (s *snapshot) list(q Rows, recent []*store.Feature, first int) *sorted {
	by := s.columns.column(q.Sort)
	words := strings.Fields(address.Fold(q.Text))
	lets := q.lets()
	order := func(a, b item) int {
		c := a.compare(b.value)
		if q.Descending && !a.missing() && !b.missing() {
			c = -c
		}
		if c != 0 {
			return c
		}
		f, g := s.item(recent, a.i), s.item(recent, b.i)
		return cmp.Or(strings.Compare(f.Name, g.Name), bytes.Compare(f.ID[:], g.ID[:]))
	}
	few := func() *firsts { return &firsts{order: order, first: first, all: first > len(s.base)/8} }
	parts := []*firsts{few()}
	one := func(into *firsts) func(i int32) bool {
		return func(i int32) bool {
			if lets == nil || lets(s.base[i]) {
				into.take(item{i, by.at(i)})
			}
			return true
		}
	}
	still := func(i int32) bool { return s.isReplaced(i) || one(parts[0])(i) }
	switch {
	case len(q.IDs) > 0:
		for _, id := range q.IDs {
			if i, ok := s.find(id); ok {
				still(int32(i))
			}
		}
	case len(words) > 0:
		s.columns.text().find(words, still)
	case len(q.Kinds) > 0 && !slices.Contains(q.Kinds, store.Place):
		for _, i := range s.shapes {
			still(i)
		}
	default:
		parts = append(parts, few())
		inHalves(len(s.base), func(from, to int) {
			take := one(parts[min(1, from)])
			s.standing(from, to, func(i int32) { take(i) })
		})
	}
	for k, f := range recent {
		if lets != nil && !lets(f) {
			continue
		}
		if len(words) > 0 {
			var b strings.Builder
			searched(&b, f)
			if !holds(b.String(), words) {
				continue
			}
		}
		parts[0].take(item{int32(-1 - k), valueOf(f, q.Sort)})
	}
	l := &sorted{base: s.columns, no: s.no}
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

// firsts gathers the first of many items: as many again as are wanted, of which the better half is kept. Of all of them
// where most are wanted.
type firsts struct {
	order func(a, b item) int
	first int
	all   bool
	items []item
	total int
	last  *item // none after it is among the first
}

func (f *firsts) take(it item) {
	f.total++
	if f.last != nil && f.order(it, *f.last) > 0 {
		return
	}
	f.items = append(f.items, it)
	if most := 2*f.first + 1000; len(f.items) >= most && !f.all {
		slices.SortFunc(f.items, f.order)
		f.items = f.items[:f.first]
		last := f.items[f.first-1]
		f.last = &last
	}
}

// lets returns what tells whether a feature passes the filters, nil where there are none: to look at every feature takes
// far longer than to look at their columns.
func (q Rows) lets() func(*store.Feature) bool {
	if len(q.Collections)+len(q.Categories)+len(q.Kinds)+len(q.Where) == 0 && q.Placed == nil && q.Box == nil && len(q.IDs) == 0 {
		return nil
	}
	has := func(list []string, value string) bool { return len(list) == 0 || slices.Contains(list, value) }
	only := map[uuid.UUID]bool{}
	for _, id := range q.IDs {
		only[id] = true
	}
	return func(f *store.Feature) bool {
		if !has(q.Collections, f.Collection) || !has(q.Categories, f.Category) || !has(q.Kinds, f.Kind) || len(only) > 0 && !only[f.ID] {
			return false
		}
		if q.Placed != nil && *q.Placed != (f.At.IsValid() || f.Geometry != nil) {
			return false
		}
		for name, want := range q.Where {
			if gjson.GetBytes(f.Attributes, gjson.Escape(name)).String() != want {
				return false
			}
		}
		return q.Box == nil || reachesInto(f, *q.Box)
	}
}

// reachesInto tells whether a feature lies in a box; a path or an area does when a position of it does, or when it lies
// round the box's middle on all sides.
func reachesInto(f *store.Feature, box geo.Box) bool {
	if f.Geometry == nil {
		return f.At.IsValid() && box.Contains(f.At)
	}
	in := false
	var west, east, south, north = math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	middle := box.West + (box.East-box.West)/2
	if box.East < box.West {
		middle = geo.WrapLng(box.West + (box.East+360-box.West)/2)
	}
	eachPosition(gjson.GetBytes(f.Geometry, "coordinates"), func(lng, lat float64) {
		p, err := geo.NewPoint(lat, lng)
		in = in || err == nil && box.Contains(p)
		dx := math.Remainder(lng-middle, 360)
		west, east, south, north = min(west, dx), max(east, dx), min(south, lat), max(north, lat)
	})
	return in || west <= 0 && east >= 0 && south <= (box.South+box.North)/2 && north >= (box.South+box.North)/2
}

func eachPosition(r gjson.Result, yield func(lng, lat float64)) {
	list := r.Array()
	if len(list) >= 2 && list[0].Type == gjson.Number {
		yield(list[0].Num, list[1].Num)
		return
	}
	for _, one := range list {
		eachPosition(one, yield)
	}
}
