package chart

import (
	"encoding/binary"
	"errors"
	"math"
)

// extent is the side of a tile in its own units.
const extent = 4096

// shape is what the features of a layer are.
type shape uint8

const (
	points shape = iota
	lines
	areas
)

const (
	flagOneWay = 1
	flagBridge = 2
	flagTunnel = 4
)

// feat is a feature of a tile.
type feat struct {
	id          uint64
	name        string
	flags, rank uint8
	parts       [][]spot // in units of the tile
}

// level is how many other bridges a bridge passes over, and one more; below the ground it is -1.
func (f *feat) level() int {
	switch {
	case f.flags&flagBridge != 0:
		return 1 + int(f.flags>>4)&3
	case f.flags&flagTunnel != 0:
		return -1
	}
	return 0
}

type layer struct {
	class string
	shape shape
	feats []feat
}

var errTile = errors.New("these are not the bytes of a tile that this program reads")

// decode reads a tile (docs/tiles.md).
func decode(data []byte) (out []layer, err error) {
	if len(data) < 3 || string(data[:3]) != "VT\x01" {
		return nil, errTile
	}
	r := reader{b: data[3:]}
	names := []string{""}
	for n := r.uint(); n > 0 && !r.bad; n-- {
		names = append(names, r.text())
	}
	for n := r.uint(); n > 0 && !r.bad; n-- {
		l := layer{class: r.text(), shape: shape(r.byte())}
		for count := r.uint(); count > 0 && !r.bad; count-- {
			f := feat{id: r.uint()}
			if i := r.uint(); i < uint64(len(names)) {
				f.name = names[i]
			}
			f.flags, f.rank = r.byte(), r.byte()
			x, y := int64(0), int64(0)
			for parts := r.uint(); parts > 0 && !r.bad; parts-- {
				size := r.uint()
				if size > uint64(len(data)) {
					return nil, errTile
				}
				part := make([]spot, size)
				for i := range part {
					x += r.int()
					y += r.int()
					part[i] = spot{float64(x), float64(y)}
				}
				f.parts = append(f.parts, part)
			}
			l.feats = append(l.feats, f)
		}
		out = append(out, l)
	}
	if r.bad {
		return nil, errTile
	}
	return out, nil
}

type reader struct {
	b   []byte
	bad bool
}

func (r *reader) uint() uint64 {
	v, n := binary.Uvarint(r.b)
	if n <= 0 {
		r.bad = true
		return 0
	}
	r.b = r.b[n:]
	return v
}

// int reads a number whose lowest bit is its sign.
func (r *reader) int() int64 {
	n := r.uint()
	if n&1 == 1 {
		return -int64(n>>1) - 1
	}
	return int64(n >> 1)
}

func (r *reader) byte() uint8 {
	if len(r.b) == 0 {
		r.bad = true
		return 0
	}
	v := r.b[0]
	r.b = r.b[1:]
	return v
}

func (r *reader) text() string {
	n := r.uint()
	if n > uint64(len(r.b)) {
		r.bad = true
		return ""
	}
	v := string(r.b[:n])
	r.b = r.b[n:]
	return v
}

// heights are those at the corners of cells, row by row from the north-west, with one ring of corners beyond.
type heights struct {
	cells  int
	metres []float64
	cellM  float64
}

func decodeHeights(data []byte, z, y int) (*heights, error) {
	if len(data) < 5 || string(data[:3]) != "VH\x01" {
		return nil, errTile
	}
	cells := int(data[3])
	quantum := math.Exp2(float64(data[4]) - 2)
	side := cells + 3
	r := reader{b: data[5:]}
	values := make([]int64, side*side)
	for i := range values {
		up, expect := int64(0), int64(0)
		if i >= side {
			up = values[i-side]
			expect = up
		}
		if i%side > 0 {
			expect = up + values[i-1]
			if i >= side {
				expect -= values[i-side-1]
			}
		}
		values[i] = expect + r.int()
	}
	if r.bad {
		return nil, errTile
	}
	h := &heights{cells: cells, metres: make([]float64, len(values))}
	for i, v := range values {
		h.metres[i] = float64(v) * quantum
	}
	lat := math.Atan(math.Sinh((0.5 - (float64(y)+0.5)/math.Exp2(float64(z))) * 2 * math.Pi))
	h.cellM = 40075016.686 * math.Cos(lat) / math.Exp2(float64(z)) / float64(cells)
	return h, nil
}
