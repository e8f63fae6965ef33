package tile

import (
	"cmp"
	"encoding/binary"
	"slices"

	"viandante/core/mercator"
	"viandante/core/region"
)

// Magic opens every tile: "VT" and the version of the encoding.
const Magic = "VT\x01"

// encoder gathers the features of a tile in layers, one for each class and shape, in drawing order.
type encoder struct {
	layers map[layerKey]*layer
	names  map[string]uint64
	texts  []string
	parts  [][]mercator.XY // room for one feature after another
}

type layerKey struct {
	class region.Class
	shape region.Shape
}

type layer struct {
	count uint64
	body  []byte
}

func newEncoder() *encoder {
	return &encoder{layers: map[layerKey]*layer{}, names: map[string]uint64{"": 0}}
}

func (e *encoder) add(
	id uint64,
	class region.Class,
	shape region.Shape,
	flags region.Flag,
	rank uint8,
	text string,
	parts [][]mercator.XY,
) {
	k := layerKey{class, shape}
	l := e.layers[k]
	if l == nil {
		l = &layer{}
		e.layers[k] = l
	}
	l.count++
	name, ok := e.names[text]
	if !ok {
		e.texts = append(e.texts, text)
		name = uint64(len(e.texts))
		e.names[text] = name
	}
	l.body = binary.AppendUvarint(l.body, id)
	l.body = binary.AppendUvarint(l.body, name)
	l.body = append(l.body, byte(flags), rank)
	l.body = binary.AppendUvarint(l.body, uint64(len(parts)))
	var last mercator.XY
	for _, part := range parts {
		l.body = binary.AppendUvarint(l.body, uint64(len(part)))
		for _, p := range part {
			l.body = binary.AppendVarint(l.body, int64(p.X)-int64(last.X))
			l.body = binary.AppendVarint(l.body, int64(p.Y)-int64(last.Y))
			last = p
		}
	}
}

func (e *encoder) bytes() []byte {
	if len(e.layers) == 0 {
		return nil
	}
	out := []byte(Magic)
	text := func(s string) {
		out = binary.AppendUvarint(out, uint64(len(s)))
		out = append(out, s...)
	}
	out = binary.AppendUvarint(out, uint64(len(e.texts)))
	for _, s := range e.texts {
		text(s)
	}
	keys := make([]layerKey, 0, len(e.layers))
	for k := range e.layers {
		keys = append(keys, k)
	}
	slices.SortFunc(keys, func(a, b layerKey) int {
		return cmp.Or(cmp.Compare(a.class, b.class), cmp.Compare(b.shape, a.shape))
	})
	out = binary.AppendUvarint(out, uint64(len(keys)))
	for _, k := range keys {
		text(k.class.String())
		out = append(out, byte(k.shape))
		out = binary.AppendUvarint(out, e.layers[k].count)
		out = append(out, e.layers[k].body...)
	}
	return out
}
