package catalog

import (
	"bytes"
	"math"
	"sync"
	"sync/atomic"
	"unsafe"

	"github.com/tidwall/gjson"

	"viandante/core/feature"
	"viandante/core/lexicon"
)

// A column holds the values of an attribute for a block of a chunk's items, so that it is read out of their records
// once only. What a chunk has columns of itself is read from those.
const blockItems = 4096

type columnKey struct {
	name  string
	block int
}

// column holds numbers only where there are any, texts likewise: in an arena.
type column struct {
	numbers []float64
	ends    []uint32
	texts   []byte
}

func (c *column) at(i int) value {
	v := value{number: math.NaN()}
	if c.numbers != nil {
		v.number = c.numbers[i]
	}
	if c.ends != nil {
		from := uint32(0)
		if i > 0 {
			from = c.ends[i-1]
		}
		v.text = asString(c.texts[from:c.ends[i]])
	}
	return v
}

// asString returns bytes that are never changed again as a text.
func asString(b []byte) string { return unsafe.String(unsafe.SliceData(b), len(b)) }

// columns are those of a chunk that were asked for.
type columns struct {
	made  sync.Map // of columnKey to func() *column
	count atomic.Int32
}

// mostColumns bounds what a chunk remembers, whatever names are asked for.
const mostColumns = 200 * chunkItems / blockItems

// of returns what tells the value of each item of a chunk.
func (c *columns) of(k *chunk, name string, groups []group) func(i int) value {
	if by := k.own(name, groups); by != nil {
		return by
	}
	block, in := -1, (*column)(nil)
	return func(i int) value {
		if b := i / blockItems; b != block {
			block, in = b, nil
			if (b+1)*blockItems <= len(k.ids) { // the last block grows
				in = c.column(k, columnKey{name, b})
			}
		}
		if in == nil {
			return k.read(i, name)
		}
		return in.at(i % blockItems)
	}
}

// value returns the value of one item.
func (c *columns) value(k *chunk, i int, name string, g *group) value {
	if by := k.own(name, nil); by != nil && name != feature.PropCategory && name != feature.PropCollection &&
		name != "kind" {
		return by(i)
	}
	switch name {
	case feature.PropCategory:
		return textValue(g.category)
	case feature.PropCollection:
		return textValue(g.collection)
	case "kind":
		return textValue(g.kind.String())
	}
	return k.read(i, name)
}

func textValue(s string) value { return value{math.NaN(), lexicon.Fold(s)} }

func numberValue(v float64) value { return value{number: v} }

// own returns the values of what every chunk has, nil for an attribute.
func (k *chunk) own(name string, groups []group) func(i int) value {
	byGroup := func(text func(g *group) string) func(i int) value {
		values := make([]value, len(groups))
		for g := range groups {
			values[g] = textValue(text(&groups[g]))
		}
		return func(i int) value { return values[k.group[i]] }
	}
	switch name {
	case feature.PropName:
		return func(i int) value {
			text := k.folded(i)
			return value{math.NaN(), asString(text[:bytes.IndexByte(text, '\n')])}
		}
	case feature.PropCategory:
		return byGroup(func(g *group) string { return g.category })
	case feature.PropCollection:
		return byGroup(func(g *group) string { return g.collection })
	case "kind":
		return byGroup(func(g *group) string { return g.kind.String() })
	case feature.PropUpdatedAt:
		return func(i int) value { return numberValue(float64(k.updated[i])) }
	case feature.PropCreatedAt:
		return func(i int) value { return numberValue(float64(k.created[i])) }
	case "lat", "lng":
		return func(i int) value {
			switch e := k.at[i]; {
			case e.Lat == nowhere:
				return textValue("")
			case name == "lat":
				return numberValue(float64(e.Lat))
			default:
				return numberValue(float64(e.Lng))
			}
		}
	}
	return nil
}

// read returns what an item has under a name.
func (k *chunk) read(i int, name string) value {
	_, _, further := k.record(i)
	switch r := gjson.GetBytes(further, gjson.Escape(name)); r.Type {
	case gjson.Number:
		return numberValue(r.Num)
	case gjson.String:
		return textValue(r.Str)
	case gjson.True, gjson.False, gjson.JSON:
		return textValue(r.Raw)
	}
	return textValue("")
}

func (c *columns) column(k *chunk, key columnKey) *column {
	made, there := c.made.Load(key)
	if !there {
		if c.count.Add(1) > mostColumns {
			c.made.Clear()
			c.count.Store(0)
		}
		made, _ = c.made.LoadOrStore(key, sync.OnceValue(func() *column { return k.newColumn(key) }))
	}
	return made.(func() *column)()
}

func (k *chunk) newColumn(key columnKey) *column {
	out := &column{}
	numbers, ends := make([]float64, blockItems), make([]uint32, blockItems)
	for i := range blockItems {
		v := k.read(key.block*blockItems+i, key.name)
		numbers[i] = v.number
		if !math.IsNaN(v.number) {
			out.numbers = numbers
		}
		out.texts = append(out.texts, v.text...)
		ends[i] = uint32(len(out.texts))
	}
	if len(out.texts) > 0 {
		out.ends, out.texts = ends, trimmed(out.texts)
	}
	return out
}
