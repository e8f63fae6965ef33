// Package atlas is the regions in use and what answers from them: it opens their files, swaps them when others are put
// into use, tries those again that cannot be read, and remembers the tiles that it drew.
package atlas

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/maypok86/otter/v2"

	"viandante/core/address"
	"viandante/core/region"
	"viandante/core/tile"
	"viandante/regionfile"
	"viandante/service/fault"
	"viandante/store"
	"viandante/world"
)

// Atlas holds the regions in use. It is safe for use by many goroutines.
type Atlas struct {
	store   *store.Store
	dir     string
	log     *slog.Logger
	regions atomic.Pointer[regionSet]
	tiles   *otter.Cache[tileKey, []byte]
	faults  atomic.Int64
	// profiles are the ways of travelling, looked is when their directory was last looked at.
	profiles atomic.Pointer[profileSet]
	looked   atomic.Int64
	// work are the metrics that are made in the background.
	work sync.WaitGroup

	mu      sync.Mutex // for whoever changes the regions in use
	trouble map[string]*trouble
}

// New returns an atlas without regions; their files lie in dir. Follow puts those into use that the database names.
func New(s *store.Store, dir string, log *slog.Logger) *Atlas {
	a := &Atlas{store: s, dir: dir, log: log, tiles: newTiles(), trouble: map[string]*trouble{}}
	a.regions.Store(&regionSet{})
	a.readProfiles()
	return a
}

// Close waits for what was begun in the background.
func (a *Atlas) Close() { a.work.Wait() }

// Beat is how often the database is asked which regions are in use.
const Beat = 300 * time.Millisecond

// Run keeps the regions in use current until ctx is done; failed is told the error of each time, nil for none.
func (a *Atlas) Run(ctx context.Context, failed func(error)) {
	every := time.NewTicker(Beat)
	defer every.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
		if err := a.Follow(ctx); ctx.Err() == nil {
			failed(err)
		}
	}
}

// Faults returns how many readings of a region failed.
func (a *Atlas) Faults() int64 { return a.faults.Load() }

// regionSet is the regions in use at a moment. It is immutable.
type regionSet struct {
	version string
	rows    []store.RegionRow
	open    []*openRegion
	// away are those that should be in use and cannot be read.
	away []RegionAway
}

// openRegion is a region with what answers from it.
type openRegion struct {
	row     store.RegionRow
	region  *regionfile.File
	ways    *wayfinder
	address address.Index
}

// trouble is a region file that could not be read, and when that is tried again.
type trouble struct {
	reason string
	since  time.Time
	next   time.Time
	pause  time.Duration
}

const shortestPause, longestPause = time.Second, 30 * time.Second

// Follow opens what has been put into use since. A region that cannot be opened is left out, told of and tried
// again; the others go on.
func (a *Atlas) Follow(ctx context.Context) error {
	if now := time.Now().UnixNano(); now-a.looked.Load() > int64(profileBeat) {
		a.looked.Store(now)
		a.readProfiles()
	}
	rows, err := a.store.Regions(ctx)
	if err != nil {
		return err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	now := a.regions.Load()
	if now.version == "" || !slices.EqualFunc(rows, now.rows, sameRegion) || a.dueAgain(rows) {
		a.useRows(rows)
	}
	return nil
}

func sameRegion(a, b store.RegionRow) bool { return a.Hash == b.Hash && a.Name == b.Name }

// dueAgain tells whether one of the regions that could not be read is to be tried again.
func (a *Atlas) dueAgain(rows []store.RegionRow) bool {
	return slices.ContainsFunc(rows, func(r store.RegionRow) bool {
		t := a.trouble[r.Hash]
		return t != nil && !time.Now().Before(t.next)
	})
}

// useRows puts regions into use. The caller holds a.mu.
func (a *Atlas) useRows(rows []store.RegionRow) {
	known := map[string]*openRegion{}
	for _, r := range a.regions.Load().open {
		known[r.row.Hash] = r
	}
	next := &regionSet{rows: rows}
	sum := sha256.New()
	fmt.Fprint(sum, tile.Magic, tile.HeightsMagic, region.Version)
	for _, row := range rows {
		r := known[row.Hash]
		if r == nil {
			r = a.openRegion(row)
		}
		if r == nil {
			t := a.trouble[row.Hash]
			next.away = append(next.away, RegionAway{row.Name, row.Hash, t.reason, t.since.UTC().Format(time.RFC3339)})
			continue
		}
		if r.row.Name != row.Name {
			renamed := *r
			renamed.row = row
			r = &renamed
		}
		next.open = append(next.open, r)
		sum.Write([]byte(row.Hash))
	}
	next.version = hex.EncodeToString(sum.Sum(nil))[:16]
	a.regions.Store(next)
}

// openRegion opens a region unless it is too early to try again; nil where that fails.
func (a *Atlas) openRegion(row store.RegionRow) *openRegion {
	t := a.trouble[row.Hash]
	if t != nil && time.Now().Before(t.next) {
		return nil
	}
	var out *openRegion
	file, err := regionfile.Open(a.dir, row.Hash)
	if err == nil {
		err = regionfile.Guard(func() {
			out = &openRegion{
				row:     row,
				region:  file,
				ways:    newWayfinder(file.Region, &a.work),
				address: address.NewIndex(file.Region),
			}
			all, _ := a.Profiles() // what is wrong with one of them has been told
			out.ways.prepare(all)
		})
	}
	if err == nil {
		if t != nil {
			a.log.Info("a region can be read again", "region", row.Name)
		}
		delete(a.trouble, row.Hash)
		return out
	}
	a.troubled(row, err)
	return nil
}

// troubled notes that a region cannot be read.
func (a *Atlas) troubled(row store.RegionRow, err error) {
	t := a.trouble[row.Hash]
	if t == nil {
		t = &trouble{since: time.Now(), pause: shortestPause}
		a.trouble[row.Hash] = t
		a.log.Error("a region cannot be used; it is tried again", "region", row.Name, "error", err)
	}
	t.reason = err.Error()
	t.next = time.Now().Add(t.pause)
	t.pause = min(2*t.pause, longestPause)
}

// reading runs f, which reads regions of a set. A fault in one of them is an error of this request, and takes the
// region out of use until it can be read again.
func (a *Atlas) reading(set *regionSet, f func()) error {
	err := regionfile.Guard(f)
	var broken *regionfile.Fault
	if !errors.As(err, &broken) {
		return err
	}
	a.faults.Add(1)
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, r := range set.open {
		if !r.region.Holds(broken) {
			continue
		}
		now := a.regions.Load()
		if slices.ContainsFunc(now.open, func(o *openRegion) bool { return o.region == r.region }) {
			a.troubled(r.row, broken)
			kept := *now
			kept.open = slices.DeleteFunc(
				slices.Clone(now.open),
				func(o *openRegion) bool { return o.region == r.region },
			)
			a.regions.Store(&kept)
			a.useRows(now.rows)
		}
		return away(r.row.Name)
	}
	return err
}

func away(name string) *fault.Error {
	return fault.New(fault.Unready, "the map data of %s cannot be read at the moment; it is tried again", name)
}

// complete returns an error when a region is missing that may hold what was not found.
func (s *regionSet) complete() error {
	if len(s.away) > 0 {
		return away(s.away[0].Name)
	}
	return nil
}

// Away returns how many regions should be in use and cannot be read.
func (a *Atlas) Away() int { return len(a.regions.Load().away) }

// RegionAway is a region that should be in use and cannot be read.
type RegionAway struct {
	Name   string `json:"name"`
	Hash   string `json:"hash"`
	Reason string `json:"reason"`
	Since  string `json:"since"`
}

// RegionInfo is what is told of a region in use.
type RegionInfo struct {
	Name        string     `json:"name"`
	Hash        string     `json:"hash"`
	Attribution string     `json:"attribution,omitempty"`
	BBox        [4]float64 `json:"bbox"`
	AddedAt     string     `json:"added_at"`
	Features    int        `json:"features"`
	RoadNodes   int        `json:"road_nodes"`
	Addresses   int        `json:"addresses"`
}

// Regions returns the regions in use, those that cannot be read, and the version of the ground that they make together.
func (a *Atlas) Regions() ([]RegionInfo, []RegionAway, string) {
	set := a.regions.Load()
	out := []RegionInfo{}
	for _, r := range set.open {
		m := r.region.Meta
		out = append(out, RegionInfo{Name: r.row.Name, Hash: r.row.Hash, Attribution: m.Attribution,
			BBox: [4]float64{
				m.Bounds.West,
				m.Bounds.South,
				m.Bounds.East,
				m.Bounds.North,
			}, AddedAt: r.row.AddedAt.Format("2006-01-02T15:04:05Z07:00"),
			Features: m.Features, RoadNodes: m.RoadNodes, Addresses: m.Addresses})
	}
	return out, append([]RegionAway{}, set.away...), set.version
}

// Use saves the bytes of a region file and puts it into use.
func (a *Atlas) Use(ctx context.Context, name, source string, data []byte) (hash string, err error) {
	if hash, err = regionfile.Save(a.dir, data); err != nil {
		return "", err
	}
	if _, err := regionfile.Open(a.dir, hash); err != nil {
		return "", err
	}
	if err := a.store.UseRegion(ctx, name, hash, source); err != nil {
		return "", err
	}
	return hash, a.Follow(ctx)
}

// Source returns what the region of a name was built from, or "".
func (a *Atlas) Source(name string) string {
	for _, r := range a.regions.Load().open {
		if r.row.Name == name {
			return r.row.Source
		}
	}
	return ""
}

// cacheBytes bounds the tiles that are remembered.
const cacheBytes = 64 << 20

type tileKey struct {
	version string
	id      tile.ID
	heights bool
}

// newTiles returns the cache of encoded tiles, in which equal ones are encoded once at a time.
func newTiles() *otter.Cache[tileKey, []byte] {
	return otter.Must(&otter.Options[tileKey, []byte]{MaximumWeight: cacheBytes,
		Weigher: func(_ tileKey, data []byte) uint32 { return uint32(len(data)) + 200 }})
}

// Tile returns an encoded tile of the ground, or with heights its heights for shading, compressed with gzip; empty
// where there is nothing on it. The version is that of the ground.
func (a *Atlas) Tile(ctx context.Context, version string, id tile.ID, heights bool) ([]byte, error) {
	if err := id.Check(); err != nil {
		return nil, fault.Refuse("tile", fmt.Sprintf("%d/%d/%d", id.Z, id.X, id.Y), err)
	}
	set := a.regions.Load()
	if version != set.version {
		return nil, fault.New(fault.NotFound, "the ground has another version now: %s", set.version)
	}
	return a.tiles.Get(ctx, tileKey{version, id, heights}, otter.LoaderFunc[tileKey, []byte](
		func(context.Context, tileKey) ([]byte, error) { return a.encode(set, id, heights) }))
}

func (a *Atlas) encode(set *regionSet, id tile.ID, heights bool) ([]byte, error) {
	var regions []*region.Region
	for _, r := range set.open {
		regions = append(regions, r.region.Region)
	}
	coasts, err := world.Region()
	if err != nil {
		return nil, err
	}
	var raw []byte
	err = a.reading(set, func() {
		if heights {
			raw = tile.EncodeHeights(regions, id)
		} else {
			raw = tile.Encode(regions, coasts, id)
		}
	})
	if err != nil || raw == nil {
		return nil, err
	}
	return compress(raw)
}

var packers = sync.Pool{New: func() any { return gzip.NewWriter(nil) }}

func compress(raw []byte) ([]byte, error) {
	var out bytes.Buffer
	z := packers.Get().(*gzip.Writer)
	defer packers.Put(z)
	z.Reset(&out)
	if _, err := z.Write(raw); err != nil {
		return nil, err
	}
	err := z.Close()
	return out.Bytes(), err
}
