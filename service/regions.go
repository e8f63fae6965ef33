package service

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"sync"

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
}

// openRegion is a region with what answers from it.
type openRegion struct {
	row     store.RegionRow
	region  *region.Region
	router  *road.Router
	address *address.Index
}

// followRegions opens what has been put into use since. A region that cannot be opened is left out and told of; the
// others go on.
func (v *Service) followRegions(ctx context.Context) error {
	rows, err := v.store.Regions(ctx)
	if err != nil {
		return err
	}
	now := v.regions.Load()
	known := map[string]*openRegion{}
	for _, r := range now.open {
		known[r.row.Hash] = r
	}
	if now.version != "" && len(rows) == len(now.rows) {
		unchanged := true
		for i := range rows {
			unchanged = unchanged && rows[i].Hash == now.rows[i].Hash && rows[i].Name == now.rows[i].Name
		}
		if unchanged {
			return nil
		}
	}
	next := &regionSet{rows: rows}
	sum := sha256.New()
	fmt.Fprint(sum, tile.Magic, tile.HeightsMagic, region.Version)
	for _, row := range rows {
		r := known[row.Hash]
		if r == nil {
			opened, err := regionfile.Open(v.regionDir, row.Hash)
			if err != nil {
				v.log.Error("a region cannot be used", "region", row.Name, "error", err)
				continue
			}
			r = &openRegion{row: row, region: opened, router: road.NewRouter(opened), address: address.NewIndex(opened)}
		}
		next.open = append(next.open, r)
		sum.Write([]byte(row.Hash))
	}
	next.version = hex.EncodeToString(sum.Sum(nil))[:16]
	v.regions.Store(next)
	return nil
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

// Regions returns the regions in use and the version of the ground that they make together.
func (v *Service) Regions(a Actor) ([]RegionInfo, string, error) {
	if err := a.mayRead(); err != nil {
		return nil, "", err
	}
	set := v.regions.Load()
	out := []RegionInfo{}
	for _, r := range set.open {
		m := r.region.Meta
		out = append(out, RegionInfo{Name: r.row.Name, Hash: r.row.Hash, Attribution: m.Attribution,
			BBox: [4]float64{m.Bounds.West, m.Bounds.South, m.Bounds.East, m.Bounds.North}, AddedAt: r.row.AddedAt.Format("2006-01-02T15:04:05Z07:00"),
			Features: m.Features, RoadNodes: m.RoadNodes, Addresses: m.Addresses})
	}
	return out, set.version, nil
}

// UseRegion saves the bytes of a region file and puts it into use.
func (v *Service) UseRegion(ctx context.Context, name, source string, data []byte) (hash string, err error) {
	if hash, err = regionfile.Save(v.regionDir, data); err != nil {
		return "", err
	}
	r, err := regionfile.Open(v.regionDir, hash)
	if err != nil {
		return "", err
	}
	if err := r.Verify(); err != nil {
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
func (v *Service) Geocode(a Actor, q address.Query) ([]address.Find, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	var out []address.Find
	for _, r := range v.regions.Load().open {
		out = address.Merge(out, r.address.Forward(q), q)
	}
	return out, nil
}

// Reverse returns the addresses nearest to a position.
func (v *Service) Reverse(a Actor, at geo.Point, limit int) ([]address.Find, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	var out []address.Find
	for _, r := range v.regions.Load().open {
		out = address.Merge(out, r.address.Reverse(at, limit), address.Query{Near: at, Limit: limit})
	}
	return out, nil
}

// Route finds the quickest way along the roads, in the first region that has roads at both ends.
func (v *Service) Route(a Actor, mode region.Mode, stops []geo.Point) ([]*road.Route, error) {
	if err := a.mayRead(); err != nil {
		return nil, err
	}
	reason := error(nil)
	for _, r := range v.regions.Load().open {
		legs := make([]*road.Route, 0, len(stops)-1)
		for i := 1; i < len(stops); i++ {
			var leg *road.Route
			if leg, reason = r.router.Find(mode, stops[i-1], stops[i]); reason != nil {
				break
			}
			legs = append(legs, leg)
		}
		if reason == nil {
			return legs, nil
		}
	}
	if reason == nil {
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
		regions = append(regions, r.region)
	}
	var raw []byte
	if heights {
		raw = tile.EncodeHeights(regions, id)
	} else {
		coasts, err := world.Region()
		if err != nil {
			return nil, err
		}
		raw = tile.Encode(regions, coasts, id)
	}
	if raw != nil {
		var err error
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
