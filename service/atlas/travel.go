package atlas

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/core/shape"
	"viandante/profiles"
	"viandante/regionfile"
	"viandante/service/fault"
)

// Travel says how somebody travels.
type Travel struct {
	// By is the name of a profile; Avoid is what he would rather not use.
	By    string
	Avoid road.Trait
	// Closures are what is closed or slow; nil for nothing.
	Closures *Closures
}

// Closures are what is closed, slow or open again, in the order in which it was said: the last one counts.
type Closures struct {
	// Key is the same for sets that say the same.
	Key string
	All []Closure
}

// Closure is a stretch of road by one of three: a line, an area or the id of a segment.
type Closure struct {
	Number  int
	Line    []geo.Point
	Area    [][]geo.Point
	Segment string
	// Factor multiplies the time: Infinity where it is blocked, 1 where it is open again.
	Factor float64
	// Modes are those that it is for, none for all.
	Modes []region.Mode
	// Classes are the classes of road that it is for, none for all.
	Classes []region.Class
}

// profileSet is the profiles at a moment.
type profileSet struct {
	all   map[string]*road.Profile
	stamp string
	wrong error
}

// ProfileDir is where the profiles of one's own lie, beside the regions.
func (a *Atlas) ProfileDir() string { return filepath.Join(filepath.Dir(a.dir), "profiles") }

// readProfiles reads the profiles of one's own again when a file of them has changed.
func (a *Atlas) readProfiles() {
	dir := a.ProfileDir()
	files := os.DirFS(dir)
	stamp := ""
	names, _ := fs.Glob(files, "*.yaml") // the pattern is sound
	for _, n := range names {
		if info, err := fs.Stat(files, n); err == nil {
			stamp += fmt.Sprintln(n, info.Size(), info.ModTime().UnixNano())
		}
	}
	if now := a.profiles.Load(); now != nil && now.stamp == stamp {
		return
	}
	all, err := profiles.With(files)
	if err != nil {
		a.log.Warn("a profile of travel cannot be used", "directory", dir, "error", err)
	}
	a.profiles.Store(&profileSet{all, stamp, err})
}

// Profiles returns the profiles by name, and what is wrong with those that cannot be used.
func (a *Atlas) Profiles() ([]*road.Profile, error) {
	s := a.profiles.Load()
	return slices.SortedFunc(maps.Values(s.all), func(x, y *road.Profile) int {
			return strings.Compare(x.Name,
				y.Name)
		}),
		s.wrong
}

// Profile returns one of them.
func (a *Atlas) Profile(name string) (*road.Profile, error) {
	s := a.profiles.Load()
	if p := s.all[name]; p != nil {
		return p, nil
	}
	return nil, &geo.ParseError{Input: name, Reason: "is not a way of travelling",
		Hint: strings.Join(slices.Sorted(maps.Keys(s.all)), ", ")}
}

// wayfinder finds ways in one region.
type wayfinder struct {
	region *region.Region
	router *road.Router
	work   *sync.WaitGroup

	mu     sync.Mutex
	plain  map[*road.Profile]*road.Metric // with nothing closed or avoided
	kept   []derived                      // the last used first
	closed map[closedKey]map[uint32]road.Closure
}

// closedKey names closures as they are for a mode.
type closedKey struct {
	closures string
	mode     region.Mode
}

type derived struct {
	profile  *road.Profile
	avoid    road.Trait
	closures string
	metric   func() *road.Metric
}

const (
	// largeRegion is from how many segments on metrics are made ready in the background: below, it takes some 0.1 s.
	largeRegion = 100_000
	// mostMetrics is how many are kept besides the plain ones, mostClosed how many sets of closures as edges.
	mostMetrics, mostClosed = 6, 24
)

func newWayfinder(r *region.Region, work *sync.WaitGroup) *wayfinder {
	return &wayfinder{region: r, router: road.NewRouter(r), work: work, plain: map[*road.Profile]*road.Metric{},
		closed: map[closedKey]map[uint32]road.Closure{}}
}

// prepare makes the metrics of some profiles, so that whoever asks first does not wait.
func (w *wayfinder) prepare(all []*road.Profile) {
	if w.region.Segments() < largeRegion {
		return
	}
	for _, p := range all {
		w.base(p)
	}
}

// base returns the metric of a profile. The caller must not hold w.mu.
func (w *wayfinder) base(p *road.Profile) *road.Metric {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.baseLocked(p)
}

func (w *wayfinder) baseLocked(p *road.Profile) *road.Metric {
	m := w.plain[p]
	if m != nil {
		return m
	}
	for old := range w.plain { // a profile that was changed
		if old.Name == p.Name {
			delete(w.plain, old)
		}
	}
	m = road.NewMetric(w.region, p)
	if w.region.Segments() < largeRegion {
		m = m.Customize(regionfile.Parallel)
		w.plain[p] = m
		return m
	}
	w.plain[p] = m
	w.work.Go(func() {
		var ready *road.Metric
		if err := regionfile.Guard(func() { ready = m.Customize(regionfile.Parallel) }); err != nil {
			return // the next request meets the same fault, and takes the region out of use
		}
		w.mu.Lock()
		defer w.mu.Unlock()
		if w.plain[p] == m {
			w.plain[p] = ready
			w.kept = nil
		}
	})
	return m
}

// metric returns the metric for a way of travelling. Where it has to be made, only those wait who ask for the same.
func (w *wayfinder) metric(p *road.Profile, t Travel) *road.Metric { return w.maker(p, t)() }

// maker returns what makes the metric for a way of travelling when it is called first. It may meet a fault in the file,
// so the lock is given back by whatever way it ends.
func (w *wayfinder) maker(p *road.Profile, t Travel) func() *road.Metric {
	key := ""
	if t.Closures != nil {
		key = t.Closures.Key
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	base := w.baseLocked(p)
	from := func() *road.Metric { return base }
	if t.Avoid == 0 && key == "" {
		return from
	}
	first := true
	for i, d := range w.kept {
		if d.profile != p || d.avoid != t.Avoid {
			continue
		}
		if d.closures == key {
			copy(w.kept[1:i+1], w.kept[:i])
			w.kept[0] = d
			return d.metric
		}
		if first {
			from, first = d.metric, false // the one used last of those: less has changed since
		}
	}
	made := sync.OnceValue(func() *road.Metric {
		return from().Avoiding(t.Avoid).Closed(w.edges(t.Closures, p.Kind))
	})
	w.kept = slices.Insert(w.kept, 0, derived{p, t.Avoid, key, made})
	w.kept = w.kept[:min(len(w.kept), mostMetrics)]
	return made
}

// edges returns what some closures are in this region for a mode. The caller must not hold w.mu.
func (w *wayfinder) edges(c *Closures, mode region.Mode) map[uint32]road.Closure {
	if c == nil {
		return nil
	}
	key := closedKey{c.Key, mode}
	w.mu.Lock()
	known, ok := w.closed[key]
	w.mu.Unlock()
	if ok {
		return known
	}
	out := map[uint32]road.Closure{}
	for _, one := range c.All {
		if len(one.Modes) > 0 && !slices.Contains(one.Modes, mode) {
			continue
		}
		for _, s := range w.segments(one) {
			for _, e := range []uint32{2 * s, 2*s + 1} {
				if one.Factor == 1 {
					delete(out, e)
				} else {
					out[e] = road.Closure{Number: one.Number, Factor: one.Factor}
				}
			}
		}
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.closed) >= mostClosed {
		clear(w.closed)
	}
	w.closed[key] = out
	return out
}

// segments returns the segments that a closure is about.
func (w *wayfinder) segments(c Closure) []uint32 {
	return slices.DeleteFunc(w.segmentsAt(c), func(s uint32) bool {
		return len(c.Classes) > 0 && !slices.Contains(c.Classes, w.region.Segment(s).Class)
	})
}

func (w *wayfinder) segmentsAt(c Closure) []uint32 {
	switch {
	case c.Segment != "":
		if s, ok := road.SegmentOf(w.region, c.Segment); ok {
			return []uint32{s}
		}
	case len(c.Line) > 1:
		return road.SegmentsAlong(w.region, c.Line)
	case len(c.Area) > 0:
		return road.SegmentsIn(w.region, boxAround(c.Area[0]), func(p geo.Point) bool {
			return shape.Inside(c.Area, p)
		})
	}
	return nil
}

func boxAround(ring []geo.Point) geo.Box {
	b := geo.Box{South: 90, North: -90, West: 180, East: -180}
	for _, p := range ring {
		b.South, b.North = math.Min(b.South, p.Lat()), math.Max(b.North, p.Lat())
		b.West, b.East = math.Min(b.West, p.Lng()), math.Max(b.East, p.Lng())
	}
	return b
}

// ClosedSegments returns how many segments a closure is about in the regions in use, and whether all of them can be
// read.
func (a *Atlas) ClosedSegments(c Closure) (n int, complete bool, err error) {
	set := a.regions.Load()
	err = a.reading(set, func() {
		for _, r := range set.open {
			n += len(r.ways.segments(c))
		}
	})
	return n, set.complete() == nil, err
}

var errTravelNowhere = errors.New("no map data is in use: build a region with `viandante region build`")

// noWay words why no region has a way.
func noWay(by string, reason error) error {
	if reason == nil {
		reason = errTravelNowhere
	}
	out := fault.New(fault.Impossible, "no way by %s: %v", by, reason)
	var cut *road.CutOffError
	if errors.As(reason, &cut) {
		hint := fmt.Sprintf("the nearest point that can be reached is %.6f,%.6f", cut.Nearest.Lat(), cut.Nearest.Lng())
		for _, end := range []struct {
			name string
			off  bool
		}{{"from", cut.Start}, {"to", cut.End}} {
			if end.off {
				out.Fields = append(out.Fields, fault.Field{Field: end.name, Reason: "is cut off", Hint: hint})
			}
		}
	}
	return out
}

// profileBeat is how often the directory of profiles is looked at.
const profileBeat = 2 * time.Second
