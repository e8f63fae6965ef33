package region

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"viandante/core/contour"
	"viandante/core/generalize"
	"viandante/core/mercator"
)

// joinLines makes one line of those that go on in each other: of one class, name and kind, where just two of them meet.
// It bears the least of their ids. Sources cut ways at every bridge and change of a tag; at small scales that would
// cost room and break names off.
func joinLines(shapes []shape) []shape {
	type key struct {
		class Class
		flags Flag
		name  string
		rank  uint8 // of rivers, whose width it says
	}
	groups := map[key][]int{}
	var keys []key
	out := make([]shape, 0, len(shapes))
	for i := range shapes {
		f := &shapes[i]
		if f.kind != LineShape || len(f.parts) != 1 || f.class == Cliff {
			out = append(out, *f)
			continue
		}
		k := key{f.class, f.flags, f.name, 0}
		if f.class == River {
			k.rank = f.rank
		}
		if groups[k] == nil {
			keys = append(keys, k)
		}
		groups[k] = append(groups[k], i)
	}
	slices.SortFunc(keys, func(a, b key) int {
		return cmp.Or(
			cmp.Compare(a.class, b.class),
			cmp.Compare(a.flags, b.flags),
			strings.Compare(a.name, b.name),
			cmp.Compare(a.rank, b.rank),
		)
	})
	for _, k := range keys {
		out = append(out, chain(shapes, groups[k])...)
	}
	return out
}

// chain joins the lines of one group.
func chain(shapes []shape, members []int) []shape {
	ends := map[mercator.XY][]int{}
	line := func(i int) []mercator.XY { return shapes[i].parts[0] }
	for _, i := range members {
		l := line(i)
		ends[l[0]] = append(ends[l[0]], i)
		ends[l[len(l)-1]] = append(ends[l[len(l)-1]], i)
	}
	used := map[int]bool{}
	// grow appends what goes on from the end of a line, as long as there is no choice.
	grow := func(l []mercator.XY, f *shape) []mercator.XY {
		for l[0] != l[len(l)-1] {
			end := l[len(l)-1]
			there := ends[end]
			if len(there) != 2 {
				break
			}
			next := there[0]
			if used[next] {
				next = there[1]
			}
			if used[next] {
				break
			}
			used[next] = true
			more := line(next)
			if more[0] != end {
				more = slices.Clone(more)
				slices.Reverse(more)
			}
			l = append(l, more[1:]...)
			f.id, f.minZoom, f.rank = min(
				f.id,
				shapes[next].id,
			), min(
				f.minZoom,
				shapes[next].minZoom,
			), max(
				f.rank,
				shapes[next].rank,
			)
		}
		return l
	}
	var out []shape
	for _, i := range members {
		if used[i] {
			continue
		}
		used[i] = true
		f := shapes[i]
		l := grow(slices.Clone(line(i)), &f)
		slices.Reverse(l)
		l = grow(l, &f)
		slices.Reverse(l)
		f.parts = [][]mercator.XY{l}
		out = append(out, f)
	}
	return out
}

// covers stands in for areas that are too small for a zoom but many: where they cover most of a square of eight pixels,
// the square is drawn as a whole.
type covers struct{ classes [classCount][]small }

type small struct {
	at      mercator.XY // of the middle, in units of zoom 19
	area    float64     // in square units of zoom 19
	minZoom uint8
}

// merged says which classes of small areas are drawn together.
var merged = map[Class]bool{
	Wood:        true,
	Grass:       true,
	Heath:       true,
	Farmland:    true,
	Orchard:     true,
	Park:        true,
	Sand:        true,
	Rock:        true,
	Residential: true,
}

func newCovers(full []shape) *covers {
	c := &covers{}
	for i := range full {
		f := &full[i]
		if f.kind != AreaShape || !merged[f.class] || f.minZoom == 0 || f.minZoom > fullLevel {
			continue
		}
		var area, x, y float64
		for _, r := range f.parts {
			for k := range r {
				a, b := r[k], r[(k+1)%len(r)]
				area += (float64(a.X)*float64(b.Y) - float64(b.X)*float64(a.Y)) / 2
			}
		}
		for _, p := range f.parts[0] {
			x, y = x+float64(p.X)/float64(len(f.parts[0])), y+float64(p.Y)/float64(len(f.parts[0]))
		}
		c.classes[f.class] = append(
			c.classes[f.class],
			small{mercator.XY{X: int32(x), Y: int32(y)}, math.Abs(area), f.minZoom},
		)
	}
	return c
}

// at returns the covers of a zoom.
func (c *covers) at(z int) []shape {
	const (
		square  = mercator.Extent / 64 // eight pixels, in units of the zoom
		most    = 32 << 20             // squares; a region so wide has none at this zoom
		covered = 0.42
	)
	levels := mercator.MaxZoom - z
	var out []shape
	for class, all := range c.classes {
		low, high := mercator.XY{X: math.MaxInt32, Y: math.MaxInt32}, mercator.XY{}
		count := 0
		for _, a := range all {
			if int(a.minZoom) > z {
				p := a.at.Coarser(levels)
				low, high = mercator.XY{
					X: min(low.X, p.X/square),
					Y: min(low.Y, p.Y/square),
				}, mercator.XY{
					X: max(high.X, p.X/square),
					Y: max(high.Y, p.Y/square),
				}
				count++
			}
		}
		w, h := int64(high.X)-int64(low.X)+3, int64(high.Y)-int64(low.Y)+3
		if count < 4 || w*h > most {
			continue
		}
		share := make([]float64, w*h)
		for _, a := range all {
			if int(a.minZoom) > z {
				p := a.at.Coarser(levels)
				area := math.Ldexp(a.area, -2*levels) / (square * square)
				x, y := int64(p.X/square-low.X)+1, int64(p.Y/square-low.Y)+1
				for dy := int64(-1); dy <= 1; dy++ { // spread a little, so that the outline is not a stair
					for dx := int64(-1); dx <= 1; dx++ {
						weight := [...]float64{4, 2, 1}[dx*dx+dy*dy] / 16
						share[(y+dy)*w+x+dx] += weight * area
					}
				}
			}
		}
		var rings [][]mercator.XY
		for _, r := range contour.Rings(int(w), int(h), share, covered) {
			ring := make([]mercator.XY, len(r))
			for i, p := range r {
				ring[i] = mercator.XY{
					X: int32((p.X + float64(low.X) - 0.5) * square),
					Y: int32((p.Y + float64(low.Y) - 0.5) * square),
				}
			}
			rings = append(rings, ring)
		}
		rings = generalize.Rings(rings, square/6)
		if len(rings) == 0 {
			continue
		}
		out = append(
			out,
			shape{
				id:      NewFeatureID(FromNothing, 1<<48|int64(z)<<32|int64(class)),
				class:   Class(class),
				kind:    AreaShape,
				minZoom: uint8(z),
				parts:   rings,
			},
		)
	}
	return out
}
