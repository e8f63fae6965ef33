package service

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/core/tile"
	"viandante/regionfile"
	"viandante/store"
	"viandante/world"
)

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
	router  *road.Router
	address *address.Index
}

// trouble is a region file that could not be read, and when that is tried again.
type trouble struct {
	reason string
	since  time.Time
	next   time.Time
	pause  time.Duration
}

const shortestPause, longestPause = time.Second, 30 * time.Second

// followRegions opens what has been put into use since. A region that cannot be opened is left out, told of and tried
// again; the others go on.
func (v *Service) followRegions(ctx context.Context) error {
	rows, err := v.store.Regions(ctx)
	if err != nil {
		return err
	}
	v.atlas.Lock()
	defer v.atlas.Unlock()
	now := v.regions.Load()
	if now.version == "" || !slices.EqualFunc(rows, now.rows, sameRegion) || v.dueAgain(rows) {
		v.useRows(rows)
	}
	return nil
}

func sameRegion(a, b store.RegionRow) bool { return a.Hash == b.Hash && a.Name == b.Name }

// dueAgain tells whether one of the regions that could not be read is to be tried again.
func (v *Service) dueAgain(rows []store.RegionRow) bool {
	return slices.ContainsFunc(rows, func(r store.RegionRow) bool {
		t := v.trouble[r.Hash]
		return t != nil && !time.Now().Before(t.next)
	})
}

// useRows puts regions into use. The caller holds v.atlas.
func (v *Service) useRows(rows []store.RegionRow) {
	known := map[string]*openRegion{}
	for _, r := range v.regions.Load().open {
		known[r.row.Hash] = r
	}
	next := &regionSet{rows: rows}
	sum := sha256.New()
	fmt.Fprint(sum, tile.Magic, tile.HeightsMagic, region.Version)
	for _, row := range rows {
		r := known[row.Hash]
		if r == nil {
			r = v.openRegion(row)
		}
		if r == nil {
			t := v.trouble[row.Hash]
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
	v.regions.Store(next)
}

// openRegion opens a region unless it is too early to try again; nil where that fails.
func (v *Service) openRegion(row store.RegionRow) *openRegion {
	t := v.trouble[row.Hash]
	if t != nil && time.Now().Before(t.next) {
		return nil
	}
	var out *openRegion
	file, err := regionfile.Open(v.regionDir, row.Hash)
	if err == nil {
		err = regionfile.Guard(func() {
			out = &openRegion{row: row, region: file, router: road.NewRouter(file.Region), address: address.NewIndex(file.Region)}
		})
	}
	if err == nil {
		if t != nil {
			v.log.Info("a region can be read again", "region", row.Name)
		}
		delete(v.trouble, row.Hash)
		return out
	}
	v.troubled(row, err)
	return nil
}

// troubled notes that a region cannot be read.
func (v *Service) troubled(row store.RegionRow, err error) {
	t := v.trouble[row.Hash]
	if t == nil {
		t = &trouble{since: time.Now(), pause: shortestPause}
		v.trouble[row.Hash] = t
		v.log.Error("a region cannot be used; it is tried again", "region", row.Name, "error", err)
	}
	t.reason = err.Error()
	t.next = time.Now().Add(t.pause)
	t.pause = min(2*t.pause, longestPause)
}

// reading runs f, which reads regions of a set. A fault in one of them is an error of this request, and takes the region
// out of use until it can be read again.
func (v *Service) reading(set *regionSet, f func()) error {
	err := regionfile.Guard(f)
	var fault *regionfile.Fault
	if !errors.As(err, &fault) {
		return err
	}
	v.Counters.Faults.Add(1)
	v.atlas.Lock()
	defer v.atlas.Unlock()
	for _, r := range set.open {
		if !r.region.Holds(fault) {
			continue
		}
		now := v.regions.Load()
		if slices.ContainsFunc(now.open, func(o *openRegion) bool { return o.region == r.region }) {
			v.troubled(r.row, fault)
			kept := *now
			kept.open = slices.DeleteFunc(slices.Clone(now.open), func(o *openRegion) bool { return o.region == r.region })
			v.regions.Store(&kept)
			v.useRows(now.rows)
		}
		return away(r.row.Name)
	}
	return err
}

func away(name string) *Error {
	return &Error{Kind: Unready, Detail: fmt.Sprintf("the map data of %s cannot be read at the moment; it is tried again", name)}
}

// complete returns an error when a region is missing that may hold what was not found.
func (s *regionSet) complete() error {
	if len(s.away) > 0 {
		return away(s.away[0].Name)
	}
	return nil
}

// RegionsAway returns how many regions should be in use and cannot be read.
func (v *Service) RegionsAway() int { return len(v.regions.Load().away) }

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
func (v *Service) Regions(a Actor) ([]RegionInfo, []RegionAway, string, error) {
	if err := a.mayRead(); err != nil {
		return nil, nil, "", err
	}
	set := v.regions.Load()
	out := []RegionInfo{}
	for _, r := range set.open {
		m := r.region.Meta
		out = append(out, RegionInfo{Name: r.row.Name, Hash: r.row.Hash, Attribution: m.Attribution,
			BBox: [4]float64{m.Bounds.West, m.Bounds.South, m.Bounds.East, m.Bounds.North}, AddedAt: r.row.AddedAt.Format("2006-01-02T15:04:05Z07:00"),
			Features: m.Features, RoadNodes: m.RoadNodes, Addresses: m.Addresses})
	}
	return out, append([]RegionAway{}, set.away...), set.version, nil
}

// UseRegion saves the bytes of a region file and puts it into use.
func (v *Service) UseRegion(ctx context.Context, name, source string, data []byte) (hash string, err error) {
	if hash, err = regionfile.Save(v.regionDir, data); err != nil {
		return "", err
	}
	if _, err := regionfile.Open(v.regionDir, hash); err != nil {
		return "", err
	}
	if err := v.store.UseRegion(ctx, name, hash, source); err != nil {
		return "", err
	}
	return hash, v.followRegions(ctx)
}

// RegionSource returns what the region of a name was built from, or "".
func (v *Service) RegionSource(name string) string {
	for _, r := range v.regions.Load().open {
		if r.row.Name == name {
			return r.row.Source
		}
	}
	return ""
}

// Geocode finds addresses, streets, landmarks and localities in all regions, best first.
func (v *Service) Geocode(ctx context.Context, a Actor, q address.Query) ([]address.Find, error) {
	return v.finds(a, q, func(x *address.Index) ([]address.Find, error) { return x.Forward(ctx, q) })
}

// Reverse returns the addresses nearest to a position.
func (v *Service) Reverse(a Actor, at geo.Point, limit int) ([]address.Find, error) {
	q := address.Query{Near: at, Limit: limit}
	return v.finds(a, q, func(x *address.Index) ([]address.Find, error) { return x.Reverse(at, limit), nil })
}

// finds asks all regions, and puts what they find in order.
func (v *Service) finds(a Actor, q address.Query, ask func(*address.Index) ([]address.Find, error)) (out []address.Find, err error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	set := v.regions.Load()
	fault := v.reading(set, func() {
		for _, r := range set.open {
			var found []address.Find
			if found, err = ask(r.address); err != nil {
				return
			}
			out = address.Merge(out, found, q)
		}
	})
	if err = errors.Join(err, fault); err == nil && len(out) == 0 {
		err = set.complete()
	}
	return out, err
}

// Route finds the quickest way along the roads, in the first region that has roads at both ends.
func (v *Service) Route(ctx context.Context, a Actor, mode region.Mode, stops []geo.Point) (legs []*road.Route, err error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	set := v.regions.Load()
	reason := error(nil)
	fault := v.reading(set, func() {
		for _, r := range set.open {
			legs = make([]*road.Route, 0, len(stops)-1)
			for i := 1; i < len(stops); i++ {
				var leg *road.Route
				if leg, reason = r.router.Find(ctx, mode, stops[i-1], stops[i]); reason != nil {
					break
				}
				legs = append(legs, leg)
			}
			if reason == nil || ctx.Err() != nil {
				return
			}
		}
	})
	switch {
	case fault != nil:
		return nil, fault
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case reason == nil && len(legs) > 0:
		return legs, nil
	case set.complete() != nil:
		return nil, set.complete()
	case reason == nil:
		return nil, &Error{Kind: Impossible, Detail: "no map data is in use: build a region with `viandante region build`"}
	}
	return nil, &Error{Kind: Impossible, Detail: fmt.Sprintf("no way by %s: %v", mode, reason)}
}

// maxTiles bounds the cache of encoded tiles.
const maxTiles = 4096

type tileKey struct {
	version string
	id      tile.ID
	heights bool
}

type tileCache struct {
	mu    *sync.Mutex
	tiles map[tileKey][]byte
}

func newTileCache() tileCache { return tileCache{&sync.Mutex{}, map[tileKey][]byte{}} }

// Tile returns an encoded tile of the ground, or with heights its heights for shading, compressed with gzip; empty where
// there is nothing on it.
func (v *Service) Tile(a Actor, version string, id tile.ID, heights bool) ([]byte, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	if err := id.Check(); err != nil {
		return nil, Refuse("tile", fmt.Sprintf("%d/%d/%d", id.Z, id.X, id.Y), err)
	}
	set := v.regions.Load()
	if version != set.version {
		return nil, &Error{Kind: NotFound, Detail: "the ground has another version now: " + set.version}
	}
	k := tileKey{version, id, heights}
	v.tiles.mu.Lock()
	data, ok := v.tiles.tiles[k]
	v.tiles.mu.Unlock()
	if ok {
		return data, nil
	}
	var regions []*region.Region
	for _, r := range set.open {
		regions = append(regions, r.region.Region)
	}
	coasts, err := world.Region()
	if err != nil {
		return nil, err
	}
	var raw []byte
	err = v.reading(set, func() {
		if heights {
			raw = tile.EncodeHeights(regions, id)
		} else {
			raw = tile.Encode(regions, coasts, id)
		}
	})
	if err != nil {
		return nil, err
	}
	if raw != nil {
		if data, err = compress(raw); err != nil {
			return nil, err
		}
	}
	v.tiles.mu.Lock()
	defer v.tiles.mu.Unlock()
	for old := range v.tiles.tiles { // any of them: a map's order is random enough
		if len(v.tiles.tiles) < maxTiles {
			break
		}
		delete(v.tiles.tiles, old)
	}
	v.tiles.tiles[k] = data
	return data, nil
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
