package service

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"sync"
	"sync/atomic"

	"github.com/google/uuid"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/spatial"
	"viandante/store"
)

// index holds a workspace's features in memory. Readers take an immutable snapshot and never lock. A snapshot is a base,
// with a tree over its positions, and the features changed since, which are few and scanned; when they become many, the
// base is built anew. The change log is what brings it forward, whoever wrote.
type index struct {
	store     *store.Store
	workspace uuid.UUID
	mu        sync.Mutex // for whoever brings it forward
	now       atomic.Pointer[snapshot]
	feed      *feed
	writing   chan struct{} // holds one for whoever of this process writes one feature
	listing   sync.Mutex    // for the lists that were asked for lately
	lists     []*sorted
}

// lock waits until nobody else of this process writes, or the context ends.
func (x *index) lock(ctx context.Context) error {
	select {
	case x.writing <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (x *index) unlock() { <-x.writing }

type snapshot struct {
	no   uint64
	base []*store.Feature // by id
	tree *spatial.Points
	// recent is what has changed since, by id; replaced are the items of the base that hold no longer, ascending. Both are
	// copied with each change, which for some thousand takes microseconds.
	recent   []changed
	replaced []int32
	// counts are the base's features by collection, quads its places by cells of the map.
	counts map[string]int
	quads  func() map[group]*spatial.Quad
	// columns are what lists are sorted and searched by, shapes the items that are no places.
	columns *columns
	shapes  []int32
	// collections and categories are those that there are, by id.
	collections map[string]*store.Collection
	categories  map[string]*store.Category
}

// get returns a feature as it is, nil where there is none.
func (s *snapshot) get(id uuid.UUID) *store.Feature {
	if at, ok := slices.BinarySearchFunc(s.recent, id, byID); ok {
		return s.recent[at].feature
	}
	if i, ok := s.find(id); ok {
		return s.base[i]
	}
	return nil
}

// changed is a feature as it is now, nil for one that was deleted.
type changed struct {
	id      uuid.UUID
	feature *store.Feature
}

func byID(c changed, id uuid.UUID) int { return bytes.Compare(c.id[:], id[:]) }

// isReplaced tells whether an item of the base holds no longer.
func (s *snapshot) isReplaced(i int32) bool {
	if len(s.replaced) == 0 {
		return false
	}
	_, found := slices.BinarySearch(s.replaced, i)
	return found
}

// standing calls yield with each item of the base that still holds, in order, from one to before another.
func (s *snapshot) standing(from, to int, yield func(i int32)) {
	next, _ := slices.BinarySearch(s.replaced, int32(from))
	for i := from; i < to; i++ {
		if next < len(s.replaced) && s.replaced[next] == int32(i) {
			next++
			continue
		}
		yield(int32(i))
	}
}

// maxRecent is how many changed features are scanned before the base is built anew.
func maxRecent(base int) int { return 512 + base/64 }

func newIndex(s *store.Store, workspace uuid.UUID, live *sync.WaitGroup) *index {
	return &index{store: s, workspace: workspace, feed: newFeed(live), writing: make(chan struct{}, 1)}
}

func newSnapshot(no uint64, features []*store.Feature) *snapshot {
	points := make([]geo.Point, len(features))
	counts := map[string]int{}
	var shapes []int32
	for i, f := range features {
		points[i] = f.At
		counts[f.Collection]++
		if f.Kind != store.Place {
			shapes = append(shapes, int32(i))
		}
	}
	return &snapshot{no: no, base: features, tree: spatial.NewPoints(points), counts: counts, columns: newColumns(features), shapes: shapes,
		quads: sync.OnceValue(func() map[group]*spatial.Quad { return quads(features) })}
}

// find returns where in the base a feature is.
func (s *snapshot) find(id uuid.UUID) (int, bool) {
	return slices.BinarySearchFunc(s.base, id, func(f *store.Feature, id uuid.UUID) int { return bytes.Compare(f.ID[:], id[:]) })
}

func (x *index) load(ctx context.Context) error {
	if x.now.Load() != nil {
		return nil
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.now.Load() != nil {
		return nil
	}
	// The number first: what is committed meanwhile is read twice, never missed.
	no, err := x.store.ChangeNo(ctx, x.workspace)
	if err != nil {
		return err
	}
	var all []*store.Feature
	if err := x.store.Features(ctx, x.workspace, func(f *store.Feature) error { all = append(all, f); return nil }); err != nil {
		return fmt.Errorf("loading the places: %w", err)
	}
	collections, err := x.store.Collections(ctx, x.workspace)
	if err != nil {
		return err
	}
	categories, err := x.store.Categories(ctx, x.workspace)
	if err != nil {
		return err
	}
	s := newSnapshot(no, all)
	s.collections, s.categories = map[string]*store.Collection{}, map[string]*store.Category{}
	for i := range collections {
		s.collections[collections[i].ID] = &collections[i]
	}
	for i := range categories {
		s.categories[categories[i].ID] = &categories[i]
	}
	x.feed.start(no)
	x.now.Store(s)
	return nil
}

// take brings the index to a change of this process's own; when others have come in between, it reads the log.
func (x *index) take(ctx context.Context, done store.Committed) error {
	x.mu.Lock()
	defer x.mu.Unlock()
	s := x.now.Load()
	if s == nil || s.no >= done.No {
		return nil
	}
	if s.no+1 < done.No {
		return x.read(ctx)
	}
	return x.bring(s, done.Log)
}

// catchUp brings the index to the log's end; it does nothing when it already stands at least at number atLeast, unless
// that is 0.
func (x *index) catchUp(ctx context.Context, atLeast uint64) error {
	x.mu.Lock()
	defer x.mu.Unlock()
	s := x.now.Load()
	if s == nil || atLeast > 0 && s.no >= atLeast {
		return nil
	}
	return x.read(ctx)
}

func (x *index) read(ctx context.Context) error {
	const batch = 2000
	for {
		log, err := x.store.ChangesSince(ctx, x.workspace, x.now.Load().no, batch)
		if err != nil || len(log) == 0 {
			return err
		}
		if err := x.bring(x.now.Load(), log); err != nil {
			return err
		}
	}
}

// bring puts a snapshot with some more of the log in the place of the last, and tells those who wait for it.
func (x *index) bring(s *snapshot, log []store.Logged) error {
	s, err := s.with(log)
	if err != nil {
		return err
	}
	x.now.Store(s)
	x.feed.add(log)
	return nil
}

// warm makes what lists and tiles are answered from, so that nobody has to wait for it.
func (x *index) warm() {
	if s := x.now.Load(); s != nil {
		s.quads()
		s.columns.column(propName)
		s.columns.text()
	}
}

// with returns the snapshot after some more of the log.
func (s *snapshot) with(log []store.Logged) (*snapshot, error) {
	copied := *s
	next := &copied
	next.no = log[len(log)-1].No
	// Of several changes of one feature the last counts.
	fresh := make([]changed, 0, len(log))
	for _, l := range log {
		var err error
		switch l.Topic {
		case "collections":
			next.collections, err = defined(next.collections, l)
		case "categories":
			next.categories, err = defined(next.categories, l)
		}
		if err != nil {
			return nil, err
		}
		if l.Topic != "features" {
			continue
		}
		id, err := uuid.Parse(l.Entity)
		if err != nil {
			return nil, fmt.Errorf("change %d: %w", l.No, err)
		}
		c := changed{id: id}
		if l.After != nil {
			c.feature = &store.Feature{}
			if err := json.Unmarshal(l.After, c.feature); err != nil {
				return nil, fmt.Errorf("change %d: %w", l.No, err)
			}
		}
		fresh = append(fresh, c)
	}
	slices.SortStableFunc(fresh, func(a, b changed) int { return bytes.Compare(a.id[:], b.id[:]) })
	next.recent = make([]changed, 0, len(s.recent)+len(fresh))
	next.replaced = make([]int32, 0, len(s.replaced)+len(fresh))
	next.replaced = append(next.replaced, s.replaced...)
	old := s.recent
	for k, c := range fresh {
		if k+1 < len(fresh) && fresh[k+1].id == c.id {
			continue
		}
		at, known := slices.BinarySearchFunc(old, c.id, byID)
		next.recent = append(append(next.recent, old[:at]...), c)
		if known {
			at++
		} else if i, ok := s.find(c.id); ok {
			next.replaced = append(next.replaced, int32(i))
		}
		old = old[at:]
	}
	next.recent = append(next.recent, old...)
	slices.Sort(next.replaced)
	if len(next.recent) <= maxRecent(len(next.base)) {
		return next, nil
	}
	all := make([]*store.Feature, 0, len(next.base)+len(next.recent))
	next.standing(0, len(next.base), func(i int32) { all = append(all, next.base[i]) })
	for _, c := range next.recent {
		if c.feature != nil {
			all = append(all, c.feature)
		}
	}
	slices.SortFunc(all, func(a, b *store.Feature) int { return bytes.Compare(a.ID[:], b.ID[:]) })
	whole := newSnapshot(next.no, all)
	whole.collections, whole.categories = next.collections, next.categories
	return whole, nil
}

// defined returns what there is by id after a change of one of them.
func defined[T any](all map[string]*T, l store.Logged) (map[string]*T, error) {
	all = maps.Clone(all)
	delete(all, l.Entity)
	if l.After == nil {
		return all, nil
	}
	k := new(T)
	if err := json.Unmarshal(l.After, k); err != nil {
		return nil, fmt.Errorf("change %d: %w", l.No, err)
	}
	all[l.Entity] = k
	return all, nil
}

// sortedCollections are the collections by id, sortedCategories the categories in their order: as the store has them.
func (s *snapshot) sortedCollections() []store.Collection {
	out := make([]store.Collection, 0, len(s.collections))
	for _, k := range s.collections {
		out = append(out, *k)
	}
	slices.SortFunc(out, func(a, b store.Collection) int { return cmp.Compare(a.ID, b.ID) })
	return out
}

func (s *snapshot) sortedCategories() []store.Category {
	out := make([]store.Category, 0, len(s.categories))
	for _, k := range s.categories {
		out = append(out, *k)
	}
	slices.SortFunc(out, func(a, b store.Category) int {
		return cmp.Or(cmp.Compare(a.Position, b.Position), cmp.Compare(a.ID, b.ID))
	})
	return out
}

// near is a feature with its distance from where somebody asked, in metres.
type near struct {
	feature   *store.Feature
	distanceM float64
}

// nearest returns the n nearest places between two distances that keep lets through, by distance, ties by id.
func (s *snapshot) nearest(center geo.Point, beyondM, withinM float64, n int, keep func(*store.Feature) bool) []near {
	var out []near
	for _, f := range s.tree.Nearest(center, beyondM, withinM, n, func(item int32) bool {
		return !s.isReplaced(item) && keep(s.base[item])
	}) {
		out = append(out, near{s.base[f.Item], f.DistanceM})
	}
	for _, c := range s.recent {
		f := c.feature
		if f == nil || !f.At.IsValid() || !keep(f) {
			continue
		}
		if d := geodesy.Distance(center, f.At); d >= beyondM && d <= withinM {
			out = append(out, near{f, d})
		}
	}
	slices.SortFunc(out, func(a, b near) int {
		return cmp.Or(cmp.Compare(a.distanceM, b.distanceM), bytes.Compare(a.feature.ID[:], b.feature.ID[:]))
	})
	return out[:min(n, len(out))]
}
