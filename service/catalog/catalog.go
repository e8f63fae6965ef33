// Package catalog holds the features of a workspace in memory and answers from there: what is near, lists, pages,
// counts and the marks of the map's tiles.
//
// # Contract
//
// A Snapshot is the workspace as it was after some change of its log. It is immutable: any number of goroutines may ask
// it without a lock, and what it hands out stays right for as long as it is held. Every question takes a View, what
// whoever asks may see; it is applied before the question is answered, so that ranks, counts and pages are of the view
// as well.
//
// A Catalog puts a new snapshot in the place of the last with each entry of the log that Apply takes in. Apply is for
// one goroutine at a time (it takes a lock), costs some microseconds an entry, and waits for nobody who asks.
//
// # Layout
//
// Features lie in chunks of 65,536: columns of ids, positions (1e-7 degree), groups, versions and times, and two
// arenas, of records (the properties as the JSON that leaves) and of the folded texts that searches look through.
// Nothing in a chunk is a pointer, so that the garbage collector has nothing to follow, and an answer copies bytes. A
// feature that changes is written anew at the end of the last chunk; a bitmap tells which items still hold. Items are
// numbered by chunk and place.
//
// A run is an index over some items: a k-d tree over their positions and their order by id. The first run is the base.
// What is written afterwards forms runs of its own, which are merged as they grow (the logarithmic method: Bentley and
// Saxe 1980), so that a change costs O(log² n) and a question O(log n) runs. When they have become many, a goroutine of
// the catalog's builds a new base beside those who ask and write, and swaps it in.
package catalog

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"sync/atomic"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/spatial"
	"viandante/store"
)

// Catalog holds a workspace. It is safe for use by many goroutines.
type Catalog struct {
	mu      sync.Mutex // for whoever brings it forward
	now     atomic.Pointer[Snapshot]
	groupOf map[groupKey]uint32
	stale   chan struct{} // holds one when the base is to be built anew
	lists   lists
}

// View is what somebody may see. The zero View is nothing.
type View struct {
	everything  bool
	collections []string
}

// Everything is the view of all that a workspace holds.
func Everything() View { return View{everything: true} }

// Only is the view of some collections.
func Only(collections ...string) View { return View{collections: collections} }

// Sees tells whether features of a collection are in the view.
func (v View) Sees(collection string) bool {
	return v.everything || slices.Contains(v.collections, collection)
}

// Snapshot is a workspace after some change of its log.
type Snapshot struct {
	no     uint64
	chunks []*chunk
	live   []*bitmap // of each chunk: the items that hold
	groups []group
	counts []int // live features by group
	runs   []*run
	base   *base
	// fresh are the items that came since the base was built, died those that no longer hold since then.
	fresh, died []uint32
	// shapes are the items that are no places.
	shapes []uint32
	// next is the number of the item to come.
	next        uint32
	collections map[string]*store.Collection
	categories  map[string]*store.Category
}

// groupKey is what the features of a group have in common, which filters select by.
type groupKey struct {
	collection, category string
	kind                 feature.Kind
}

type group struct {
	groupKey
	// members is the category as a member of a JSON object, after a comma.
	members string
}

// New returns a catalog that holds nothing yet: Load fills it.
func New() *Catalog {
	return &Catalog{groupOf: map[groupKey]uint32{}, stale: make(chan struct{}, 1)}
}

// Now returns the snapshot after the last change that was taken in, nil before anything was loaded.
func (c *Catalog) Now() *Snapshot { return c.now.Load() }

// No returns the number of the change that the snapshot is after.
func (s *Snapshot) No() uint64 { return s.no }

// Contents is what a catalog is loaded from.
type Contents struct {
	// No is the number of the last change that is surely in what follows.
	No          uint64
	Collections []store.Collection
	Categories  []store.Category
	// Features calls yield with each feature by its id, ascending.
	Features func(yield func(*feature.Feature) error) error
}

// Load fills a catalog, in place of what it held. Places are encoded beside their reading.
func (c *Catalog) Load(from Contents) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	s := &Snapshot{no: from.No, collections: map[string]*store.Collection{}, categories: map[string]*store.Category{}}
	for i := range from.Collections {
		s.collections[from.Collections[i].ID] = &from.Collections[i]
	}
	for i := range from.Categories {
		s.categories[from.Categories[i].ID] = &from.Categories[i]
	}
	w := writer{s: s, groups: map[groupKey]uint32{}}
	const lot = 500
	lots := make(chan []*feature.Feature, 8)
	var encoding sync.WaitGroup
	var wrong any
	encoding.Go(func() {
		defer func() {
			if wrong = recover(); wrong != nil {
				for range lots { // whoever reads is not to wait for ever
				}
			}
		}()
		for features := range lots {
			for _, f := range features {
				w.add(f)
			}
		}
	})
	var some []*feature.Feature
	err := from.Features(func(f *feature.Feature) error {
		if some = append(some, f); len(some) == lot {
			lots <- some
			some = nil
		}
		return nil
	})
	lots <- some
	close(lots)
	encoding.Wait()
	if wrong != nil {
		panic(wrong) // for the caller, as if it had been encoded here
	}
	if err != nil {
		return fmt.Errorf("loading the places: %w", err)
	}
	w.seal()
	s.runs = []*run{{spatial.NewPointsAtOnce(w.added, s.e7), w.added}}
	s.fresh = nil
	s.base = newBase(s, w.added)
	c.groupOf = w.groups
	c.now.Store(s)
	c.wake()
	return nil
}

// ErrGap is returned by Apply for entries of the log that do not follow those taken in before.
var ErrGap = errors.New("changes are missing in between")

// Apply takes in entries of the log. Those that it knows already are passed over; the first of the others must follow
// the last that it knows.
func (c *Catalog) Apply(log []store.Logged) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	s := c.now.Load()
	if s == nil {
		return nil
	}
	for len(log) > 0 && log[0].No <= s.no {
		log = log[1:]
	}
	if len(log) == 0 {
		return nil
	}
	if log[0].No != s.no+1 {
		return ErrGap
	}
	w := writer{s: s.copied(), groups: c.groupOf}
	w.s.no = log[len(log)-1].No
	last := make(map[string]int, len(log)) // of several changes of one feature the last counts
	for i := range log {
		if log[i].Topic == store.Features {
			last[log[i].Entity] = i
		}
	}
	for i := range log {
		l := &log[i]
		var err error
		switch l.Topic {
		case store.Collections:
			w.s.collections, err = defined(w.s.collections, l)
		case store.Categories:
			w.s.categories, err = defined(w.s.categories, l)
		case store.Features:
			var id uuid.UUID
			if id, err = uuid.Parse(l.Entity); err == nil && last[l.Entity] == i {
				w.remove(id)
				if l.After != nil {
					w.add(l.After)
				}
			}
		}
		if err != nil {
			return fmt.Errorf("change %d: %w", l.No, err)
		}
	}
	w.done(c)
	return nil
}

// defined returns what there is by id after a change of one of them.
func defined[T any](all map[string]*T, l *store.Logged) (map[string]*T, error) {
	all = maps.Clone(all)
	delete(all, l.Entity)
	if l.Gone() {
		return all, nil
	}
	k := new(T)
	all[l.Entity] = k
	return all, l.Text(k, true)
}

// wake has the base looked at.
func (c *Catalog) wake() {
	select {
	case c.stale <- struct{}{}:
	default: // it will be already
	}
}

// Run builds a new base each time that the changes since the last have become many, and what lists and tiles are
// answered from, until ctx is done.
func (c *Catalog) Run(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-c.stale:
		}
		if s := c.Now(); s != nil && s.isStale() {
			c.Rebuild()
		}
		if s := c.Now(); s != nil {
			s.base.quads()
			s.base.boxes()
		}
	}
}

// isStale tells whether a new base is due: when what came since costs those who ask as much again.
func (s *Snapshot) isStale() bool {
	return len(s.fresh)+len(s.died) > min(4096+s.base.n/32, 1<<17)
}

// Rebuild gives back the room of what has gone and puts a new base in the place of all runs, beside those who ask and
// write. Run does so when it is due.
func (c *Catalog) Rebuild() {
	c.compact()
	s := c.Now()
	items := s.inOrder()
	whole, b := newRun(s, items), newBase(s, items)
	b.quads()
	b.boxes()
	c.mu.Lock()
	defer c.mu.Unlock()
	t := c.now.Load().copied()
	if t.base != s.base {
		return // everything was loaded anew meanwhile
	}
	t.runs, t.base = []*run{whole}, b
	t.fresh, t.died = slices.Clone(t.fresh[len(s.fresh):]), slices.Clone(t.died[len(s.died):])
	if fresh := t.still(t.fresh); len(fresh) > 0 {
		slices.SortFunc(fresh, t.byID)
		t.runs = append(t.runs, newRun(t, fresh))
	}
	// A chunk of which nothing held any more when the base was built is referred to by nobody.
	for i := range s.chunks[:max(0, len(s.chunks)-1)] {
		if s.chunks[i] != nil && s.live[i].count == 0 {
			t.chunks[i], t.live[i] = nil, &bitmap{}
		}
	}
	t.shapes = t.still(t.shapes)
	c.now.Store(t)
}

// still returns those of some items that hold.
func (s *Snapshot) still(items []uint32) []uint32 {
	out := make([]uint32, 0, len(items))
	for _, i := range items {
		if s.holds(i) {
			out = append(out, i)
		}
	}
	return out
}

// compact writes anew what still holds of chunks that have mostly gone, some items at a time, so that they can go as a
// whole.
func (c *Catalog) compact() {
	const together = 2000
	for i := range c.Now().chunks {
		for {
			c.mu.Lock()
			s := c.now.Load()
			if i >= len(s.chunks) { // everything was loaded anew meanwhile
				c.mu.Unlock()
				return
			}
			k := s.chunks[i]
			if k == nil || i == len(s.chunks)-1 || s.live[i].count == 0 || 2*s.live[i].count > len(k.ids) {
				c.mu.Unlock()
				break
			}
			w := writer{s: s.copied(), groups: c.groupOf}
			moved := 0
			s.live[i].each(func(at int) bool {
				w.move(uint32(i)<<chunkBits | uint32(at))
				moved++
				return moved < together
			})
			w.done(c)
			c.mu.Unlock()
		}
	}
}

// copied returns a snapshot to be changed: what is shared with the other one is copied before it is written to.
func (s *Snapshot) copied() *Snapshot {
	t := *s
	t.chunks, t.live = slices.Clone(s.chunks), slices.Clone(s.live)
	t.counts, t.runs = slices.Clone(s.counts), slices.Clone(s.runs)
	return &t
}

// chunk and place of an item.
func (s *Snapshot) at(item uint32) (*chunk, int) {
	return s.chunks[item>>chunkBits], int(item & (chunkItems - 1))
}

func (s *Snapshot) holds(item uint32) bool {
	return s.live[item>>chunkBits].has(int(item & (chunkItems - 1)))
}

// point returns the position of an item, one that is not valid for an unknown one and for paths and areas.
func (s *Snapshot) point(item uint32) geo.Point {
	k, i := s.at(item)
	return k.at[i].Point()
}

// e7 is point in units of 1e-7 degree; a latitude of nowhere stands for none.
func (s *Snapshot) e7(item uint32) geo.E7 {
	k, i := s.at(item)
	return k.at[i]
}

func (s *Snapshot) groupOf(item uint32) *group {
	k, i := s.at(item)
	return &s.groups[k.group[i]]
}

// Collections returns the collections by id, Categories the categories in their order: as the database has them.
func (s *Snapshot) Collections() []store.Collection {
	out := make([]store.Collection, 0, len(s.collections))
	for _, id := range slices.Sorted(maps.Keys(s.collections)) {
		out = append(out, *s.collections[id])
	}
	return out
}

// Categories returns the categories in their order.
func (s *Snapshot) Categories() []store.Category {
	out := make([]store.Category, 0, len(s.categories))
	for _, k := range s.categories {
		out = append(out, *k)
	}
	slices.SortFunc(out, store.ByPosition)
	return out
}

// Collection returns a collection, nil where there is none.
func (s *Snapshot) Collection(id string) *store.Collection { return s.collections[id] }

// Counts returns how many features each collection of the view has.
func (s *Snapshot) Counts(v View) map[string]int {
	out := map[string]int{}
	for g, n := range s.counts {
		if k := s.groups[g].collection; n > 0 && v.Sees(k) {
			out[k] += n
		}
	}
	return out
}
