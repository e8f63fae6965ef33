package tile

import (
	"encoding/binary"
	"math"
	"strconv"

	"viandante/core/contour"
	"viandante/core/generalize"
	"viandante/core/mercator"
	"viandante/core/region"
)

// HeightsMagic opens every tile of heights: "VH" and the version of the encoding.
const HeightsMagic = "VH\x01"

// cells returns into how many cells a tile is divided for contours and shading: four pixels each, or eight where the
// heights are no finer.
func cells(zoom int) int {
	if zoom < 14 {
		return 128
	}
	return 64
}

// sampler gives heights at the corners of a tile's cells.
type sampler struct {
	region  *region.Region
	version int
	lats    []float64
	lngs    []float64
}

// newSampler returns nil where the region's heights do not reach. Corners run from -margin to n + margin.
func newSampler(r *region.Region, id ID, n, margin int) *sampler {
	if !r.HasHeights() {
		return nil
	}
	b := r.Meta.Bounds
	nw, se := id.at(0, 0), id.at(mercator.Extent, mercator.Extent)
	if id.Z > 0 &&
		(nw.Lat() < b.South || se.Lat() > b.North || id.X+1 < 1<<id.Z && se.Lng() < b.West || nw.Lng() > b.East) {
		return nil
	}
	s := &sampler{region: r}
	const side = mercator.Extent
	degrees := 360 / math.Ldexp(1, id.Z)
	s.version = r.Version(degrees / float64(n))
	for k := -margin; k <= n+margin; k++ {
		s.lats = append(s.lats, id.at(0, side*float64(k)/float64(n)).Lat())
		s.lngs = append(s.lngs, (float64(id.X)+float64(k)/float64(n))*degrees-180)
	}
	return s
}

func (s *sampler) heights() []float64 { return s.region.Heights(s.version, s.lats, s.lngs) }

// Interval returns how far apart the contours of a zoom lie in metres, or 0 where there are none. Every fifth is an
// index contour, which bears its height.
func Interval(zoom int) float64 {
	switch {
	case zoom < 10:
		return 0
	case zoom < 12:
		return 100
	case zoom < 13:
		return 50
	case zoom < 15:
		return 20
	}
	return 10
}

// contours adds the contours of a region. Their corners are the same on neighbouring tiles, so they meet.
func (e *encoder) contours(r *region.Region, id ID) {
	step := Interval(id.Z)
	if step == 0 {
		return
	}
	n := cells(id.Z)
	margin := n/32 + 1
	s := newSampler(r, id, n, margin)
	if s == nil {
		return
	}
	heights, side := s.heights(), n+2*margin+1
	low, high := math.Inf(1), math.Inf(-1)
	for _, h := range heights {
		if !math.IsNaN(h) {
			low, high = math.Min(low, h), math.Max(high, h)
		}
	}
	var levels []float64
	for level := math.Max(1, math.Ceil(low/step)) * step; level <= high; level += step {
		levels = append(levels, level)
	}
	unit := float64(mercator.Extent) / float64(n)
	for i, lines := range contour.Lines(side, side, heights, levels) {
		level := levels[i]
		var rank uint8
		name := ""
		if math.Mod(level, 5*step) == 0 {
			rank, name = 1, strconv.Itoa(int(level))
		}
		var parts [][]mercator.XY
		for _, l := range lines {
			line := make([]mercator.XY, 0, len(l))
			for _, p := range l {
				q := mercator.XY{
					X: int32(math.Round((p.X - float64(margin)) * unit)),
					Y: int32(math.Round((p.Y - float64(margin)) * unit)),
				}
				if k := len(line); k == 0 || line[k-1] != q {
					line = append(line, q)
				}
			}
			for _, cut := range frame.Line(line) {
				if len(cut) > 2 || generalize.Distance(cut[0], cut[len(cut)-1], cut[len(cut)-1]) > unit {
					parts = append(parts, cut)
				}
			}
		}
		if len(parts) > 0 {
			id := region.NewFeatureID(region.FromNothing, 1<<47|int64(level))
			e.add(uint64(id), region.Contour, region.LineShape, 0, rank, name, parts)
		}
	}
}

// EncodeHeights returns the heights of a tile for shading, of the first region that has any there; nil where none has.
// The tile must pass Check.
func EncodeHeights(regions []*region.Region, id ID) []byte {
	n := cells(id.Z)
	for _, r := range regions {
		s := newSampler(r, id, n, 1)
		if s == nil {
			continue
		}
		heights := s.heights()
		// Shading needs slopes: an eighth of a cell's width in a hundred is fine enough, and keeps low zooms small.
		metres := 40075016 * math.Cos(s.lats[n/2]*math.Pi/180) / math.Ldexp(float64(n), id.Z)
		shift := int(math.Max(-2, math.Min(6, math.Floor(math.Log2(metres/160)))))
		quantum := math.Ldexp(1, shift)
		out := append([]byte(HeightsMagic), byte(n), byte(shift+2))
		known := false
		side := n + 3
		above, row := make([]int64, side), make([]int64, side)
		for y := range side {
			for x := range side {
				h := heights[y*side+x]
				if math.IsNaN(h) {
					h = 0
				} else {
					known = true
				}
				row[x] = int64(math.Round(h / quantum))
				expect := above[x] // the plane through the three neighbours that are known already
				if x > 0 {
					expect += row[x-1] - above[x-1]
				}
				out = binary.AppendVarint(out, row[x]-expect)
			}
			above, row = row, above
		}
		if known {
			return out
		}
	}
	return nil
}
