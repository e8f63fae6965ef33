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
	changed   atomic.Pointer[chan struct{}]
	listing   sync.Mutex // for the lists that were asked for lately
	lists     []*sorted
}

type snapshot struct {
	no     uint64
	base   []*store.Feature // by id
	tree   *spatial.Points
	recent map[uuid.UUID]*store.Feature // nil for a deleted one
	// counts are the base's features by collection, quads its places by cells of the map.
	counts map[string]int
	quads  func() map[group]*spatial.Quad
	// columns are what lists are sorted and searched by.
	columns *columns
}

// maxRecent is how many changed features are scanned before the base is built anew.
func maxRecent(base int) int { return 512 + base/64 }

func newIndex(s *store.Store, workspace uuid.UUID) *index {
	x := &index{store: s, workspace: workspace}
	c := make(chan struct{})
	x.changed.Store(&c)
	return x
}

func newSnapshot(no uint64, features []*store.Feature) *snapshot {
	points := make([]geo.Point, len(features))
	counts := map[string]int{}
	for i, f := range features {
		points[i] = f.At
		counts[f.Collection]++
	}
	return &snapshot{no: no, base: features, tree: spatial.NewPoints(points), recent: map[uuid.UUID]*store.Feature{}, counts: counts, columns: newColumns(features),
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
	x.now.Store(newSnapshot(no, all))
	return nil
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
	const batch = 2000
	for {
		log, err := x.store.ChangesSince(ctx, x.workspace, s.no, batch)
		if err != nil {
			return err
		}
		if len(log) == 0 {
			return nil
		}
		if s, err = s.with(log); err != nil {
			return err
		}
		x.now.Store(s)
		fresh := make(chan struct{})
		close(*x.changed.Swap(&fresh))
	}
}

// with returns the snapshot after some more of the log.
func (s *snapshot) with(log []store.Logged) (*snapshot, error) {
	next := &snapshot{no: log[len(log)-1].No, base: s.base, tree: s.tree, recent: maps.Clone(s.recent), counts: s.counts, quads: s.quads, columns: s.columns}
	for _, l := range log {
		if l.Topic != "features" {
			continue
		}
		id, err := uuid.Parse(l.Entity)
		if err != nil {
			return nil, fmt.Errorf("change %d: %w", l.No, err)
		}
		next.recent[id] = nil
		if l.After != nil {
			f := &store.Feature{}
			if err := json.Unmarshal(l.After, f); err != nil {
				return nil, fmt.Errorf("change %d: %w", l.No, err)
			}
			next.recent[id] = f
		}
	}
	if len(next.recent) <= maxRecent(len(next.base)) {
		return next, nil
	}
	all := make([]*store.Feature, 0, len(next.base)+len(next.recent))
	for _, f := range next.base {
		if _, changed := next.recent[f.ID]; !changed {
			all = append(all, f)
		}
	}
	for _, f := range next.recent {
		if f != nil {
			all = append(all, f)
		}
	}
	slices.SortFunc(all, func(a, b *store.Feature) int { return bytes.Compare(a.ID[:], b.ID[:]) })
	return newSnapshot(next.no, all), nil
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
		f := s.base[item]
		_, changed := s.recent[f.ID]
		return !changed && keep(f)
	}) {
		out = append(out, near{s.base[f.Item], f.DistanceM})
	}
	for _, f := range s.recent {
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
