// Package osm reads map data in the open formats of the OSM project (XML, plain or compressed with gzip or bzip2, and
// PBF) into a region.Draft. Decoding is the work of github.com/paulmach/osm; what the tags mean for a map, a road
// network and a gazetteer is decided here.
//
// Real data is dirty. What cannot be used is left out and counted in the Report, never guessed at in silence.
package osm

import (
	"bufio"
	"bytes"
	"cmp"
	"compress/bzip2"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"runtime"
	"slices"
	"strings"

	"github.com/paulmach/osm"
	"github.com/paulmach/osm/osmpbf"
	"github.com/paulmach/osm/osmxml"

	"viandante/core/geo"
	"viandante/core/region"
)

// Report counts what was read and what could not be used.
type Report struct {
	Nodes, Ways, Relations int
	// MissingNodes counts references of ways to nodes that the data does not hold; the ways go on without them.
	MissingNodes int
	// BadPositions counts nodes outside the earth or at no position.
	BadPositions int
	// OpenAreas counts areas whose outline does not close; they are left out.
	OpenAreas int
	// MissingMembers counts references of areas to ways that the data does not hold.
	MissingMembers int
	// CutCoasts counts pieces of coast that ended within the data and were closed along its border.
	CutCoasts int
	// BadRestrictions counts restrictions of turns that name no way from, over or to; they are left out.
	BadRestrictions int
}

// ErrEmpty is returned for data without a single node.
var ErrEmpty = errors.New("the data holds no nodes: is this the whole file?")

// Read reads map data from r, whatever of the formats it is in. It keeps the positions of all nodes in memory, about
// 50 bytes for each.
func Read(ctx context.Context, r io.Reader, name string) (*region.Draft, Report, error) {
	scanner, done, err := newScanner(ctx, r)
	if err != nil {
		return nil, Report{}, err
	}
	defer done()
	b := &builder{
		draft: &region.Draft{Name: name, RoadNodes: map[int64]geo.E7{}, RoadPoints: map[int64][]string{}},
		nodes: map[int64]geo.E7{},
		ways:  map[int64]*way{},
	}
	for scanner.Scan() {
		switch o := scanner.Object().(type) {
		case *osm.Node:
			b.addNode(o)
		case *osm.Way:
			b.addWay(o)
		case *osm.Relation:
			b.addRelation(o)
		case *osm.Bounds:
			b.bounds = &geo.Box{South: o.MinLat, West: o.MinLon, North: o.MaxLat, East: o.MaxLon}
		}
	}
	if err := scanner.Err(); err != nil {
		return nil, b.report, fmt.Errorf(
			"after %d nodes, %d ways and %d relations the map data cannot be read any further: %w",
			b.report.Nodes,
			b.report.Ways,
			b.report.Relations,
			err,
		)
	}
	if len(b.nodes) == 0 {
		return nil, b.report, ErrEmpty
	}
	b.finish()
	return b.draft, b.report, nil
}

// newScanner recognises the format by its first bytes; names of files lie.
func newScanner(ctx context.Context, r io.Reader) (osm.Scanner, func(), error) {
	in := bufio.NewReaderSize(r, 1<<20)
	head, err := in.Peek(16)
	if err != nil && len(head) == 0 {
		return nil, nil, ErrEmpty
	}
	switch {
	case bytes.HasPrefix(head, []byte{0x1f, 0x8b}):
		z, err := gzip.NewReader(in)
		if err != nil {
			return nil, nil, fmt.Errorf("the gzip file cannot be opened: %w", err)
		}
		return newScanner(ctx, z)
	case bytes.HasPrefix(head, []byte("BZh")):
		return newScanner(ctx, bzip2.NewReader(in))
	case bytes.Contains(head, []byte("\x0a\x09OSMHeader")):
		s := osmpbf.New(ctx, in, runtime.GOMAXPROCS(0))
		return s, func() { s.Close() }, nil
	case bytes.HasPrefix(bytes.TrimLeft(bytes.TrimPrefix(head, []byte("\xef\xbb\xbf")), " \t\r\n"), []byte("<")):
		s := osmxml.New(ctx, in)
		return s, func() { s.Close() }, nil
	}
	return nil, nil, fmt.Errorf(
		"this is not OSM map data (it begins with %q): expected .osm.pbf, .osm, .osm.gz or .osm.bz2",
		head,
	)
}

// way is what is kept of a way until all is read.
type way struct {
	id    int64
	nodes []int64
	tags  tags
}

type multipolygon struct {
	id      int64
	tags    tags
	members []member
}

type member struct {
	way   int64
	inner bool
}

type taggedNode struct {
	id   int64
	at   geo.E7
	tags tags
}

// builder gathers the elements and turns them into a draft once all are there.
type builder struct {
	draft    *region.Draft
	report   Report
	bounds   *geo.Box
	nodes    map[int64]geo.E7
	tagged   []taggedNode
	ways     map[int64]*way
	wayOrder []*way
	areas    []multipolygon
	squares  []*way
}

// tags is a small association; the last of several equal keys counts.
type tags map[string]string

func tagsOf(list osm.Tags) tags {
	if len(list) == 0 {
		return nil
	}
	t := make(tags, len(list))
	for _, tag := range list {
		t[tag.Key] = tag.Value
	}
	return t
}

func (b *builder) addNode(n *osm.Node) {
	b.report.Nodes++
	p, err := geo.NewPoint(n.Lat, n.Lon)
	if err != nil {
		b.report.BadPositions++
		return
	}
	b.nodes[int64(n.ID)] = p.E7()
	if t := tagsOf(n.Tags); t != nil {
		b.tagged = append(b.tagged, taggedNode{int64(n.ID), p.E7(), t})
	}
}

func (b *builder) addWay(w *osm.Way) {
	b.report.Ways++
	kept := &way{id: int64(w.ID), tags: tagsOf(w.Tags), nodes: make([]int64, 0, len(w.Nodes))}
	for _, n := range w.Nodes {
		kept.nodes = append(kept.nodes, int64(n.ID))
	}
	if b.ways[kept.id] == nil {
		b.wayOrder = append(b.wayOrder, kept)
	}
	b.ways[kept.id] = kept
}

func (b *builder) addRelation(r *osm.Relation) {
	b.report.Relations++
	t := tagsOf(r.Tags)
	if t["type"] == "restriction" || strings.HasPrefix(t["type"], "restriction:") {
		b.addRestriction(r, t)
		return
	}
	if t["type"] != "multipolygon" && !(t["type"] == "boundary" && t.isDistrict()) {
		return
	}
	m := multipolygon{id: int64(r.ID), tags: t}
	for _, one := range r.Members {
		if one.Type == osm.TypeWay {
			m.members = append(m.members, member{one.Ref, one.Role == "inner"})
		}
	}
	b.areas = append(b.areas, m)
}

// finish turns what was gathered into features, roads and addresses, in the order of the ids so that the same data in
// another order gives the same draft.
func (b *builder) finish() {
	for _, w := range b.wayOrder { // drop references to nodes that are not there, once for all uses
		kept := w.nodes[:0]
		for _, id := range w.nodes {
			if _, ok := b.nodes[id]; !ok {
				b.report.MissingNodes++
			} else if len(kept) == 0 || kept[len(kept)-1] != id {
				kept = append(kept, id)
			}
		}
		w.nodes = kept
	}
	slices.SortFunc(b.tagged, func(x, y taggedNode) int { return cmp.Compare(x.id, y.id) })
	slices.SortFunc(b.wayOrder, func(x, y *way) int { return cmp.Compare(x.id, y.id) })
	slices.SortFunc(b.areas, func(x, y multipolygon) int { return cmp.Compare(x.id, y.id) })
	b.measureBounds()
	b.coast()
	for _, n := range b.tagged {
		b.node(n)
	}
	for _, w := range b.wayOrder {
		b.way(w)
	}
	for _, m := range b.areas {
		b.multipolygon(m)
	}
	b.crossSquares()
	b.checkRestrictions()
}

// measureBounds takes the box around all nodes that something uses; a stated box counts only where it is larger.
func (b *builder) measureBounds() {
	box := geo.Box{South: 90, West: 180, North: -90, East: -180}
	grow := func(p geo.Point) {
		box.South, box.North = min(box.South, p.Lat()), max(box.North, p.Lat())
		box.West, box.East = min(box.West, p.Lng()), max(box.East, p.Lng())
	}
	for _, at := range b.nodes {
		grow(at.Point())
	}
	if s := b.bounds; s != nil && s.South >= -90 && s.North <= 90 && s.West >= -180 && s.East <= 180 &&
		s.South < s.North &&
		s.West < s.East {
		box.South, box.North = min(box.South, s.South), max(box.North, s.North)
		box.West, box.East = min(box.West, s.West), max(box.East, s.East)
	}
	b.draft.Bounds = box
}

func (b *builder) line(ids []int64) []geo.E7 {
	out := make([]geo.E7, len(ids))
	for i, id := range ids {
		out[i] = b.nodes[id]
	}
	return out
}
