package region

import (
	"fmt"
	"math"

	"viandante/core/relief"
)

// The heights are kept as they came and in ever coarser versions, each of half as many columns and rows, every value the
// mean of the four below it, down to some hundred columns.
//
//	HGTM  for each version: where it lies, its steps, its size, and the offset of its first value in HGTS
//	HGTS  the values, row by row from the north: 0 is unknown, else quarters of a metre above -1000 m
type reliefRecord struct {
	West, North, StepLng, StepLat float64
	First                         uint64
	Width, Height                 uint32
}

const (
	heightsMost  = 400 << 20 // values; more than a country needs
	heightsFloor = -1000.0   // metres
	heightsStep  = 0.25
)

// Relief is the heights of a region; it may be empty.
type Relief struct {
	versions []reliefRecord
	values   []uint16
}

func encodeRelief(s *sections, d *Draft, meta *Meta) error {
	g := d.Heights
	if g == nil {
		return nil
	}
	if g.Width < 2 || g.Height < 2 || len(g.Metres) != g.Width*g.Height || g.Width > heightsMost/g.Height {
		return fmt.Errorf("heights of %d by %d values cannot be kept: from 2 by 2 to %d in all", g.Width, g.Height, heightsMost)
	}
	if !(g.StepLng > 0 && g.StepLat > 0 && math.Abs(g.West) <= 540 && math.Abs(g.North) <= 90.1) {
		return fmt.Errorf("heights that begin at %v, %v with steps of %v, %v lie nowhere on the earth", g.North, g.West, g.StepLat, g.StepLng)
	}
	meta.HeightsM = math.Round(g.StepLat*111320*10) / 10
	var versions []reliefRecord
	var values []uint16
	current, w, h := g.Metres, g.Width, g.Height
	west, north, dx, dy := g.West, g.North, g.StepLng, g.StepLat
	for {
		versions = append(versions, reliefRecord{west, north, dx, dy, uint64(len(values)), uint32(w), uint32(h)})
		for _, v := range current {
			values = append(values, packHeight(float64(v)))
		}
		if min(w, h) < 128 {
			break
		}
		half := make([]float32, (w/2)*(h/2))
		for y := range h / 2 {
			for x := range w / 2 {
				i := 2*y*w + 2*x
				half[y*(w/2)+x] = (current[i] + current[i+1] + current[i+w] + current[i+w+1]) / 4
			}
		}
		west, north, dx, dy, current, w, h = west+dx/2, north-dy/2, 2*dx, 2*dy, half, w/2, h/2
	}
	s.add("HGTM", bytesOf(versions))
	s.add("HGTS", bytesOf(values))
	return nil
}

func packHeight(metres float64) uint16 {
	if math.IsNaN(metres) {
		return 0
	}
	return uint16(math.Max(1, math.Min(math.MaxUint16, math.Round((metres-heightsFloor)/heightsStep)+1)))
}

func openRelief(dir directory) (Relief, error) {
	r := Relief{view[reliefRecord](dir.section("HGTM")), view[uint16](dir.section("HGTS"))}
	for _, v := range r.versions {
		if v.Width < 2 || v.Height < 2 || uint64(v.Width)*uint64(v.Height) > uint64(len(r.values)) || v.First > uint64(len(r.values))-uint64(v.Width)*uint64(v.Height) ||
			!(v.StepLng > 0 && v.StepLat > 0) {
			return r, corrupt("the heights do not fit their description")
		}
	}
	return r, nil
}

// HasHeights tells whether the region has heights.
func (r *Relief) HasHeights() bool { return len(r.versions) > 0 }

// Version returns the number of the version of the heights whose columns lie as far apart as a step in degrees, or a
// little less.
func (r *Relief) Version(stepLng float64) int {
	n := 0
	for n+1 < len(r.versions) && r.versions[n+1].StepLng <= stepLng {
		n++
	}
	return n
}

// HeightAt returns the height at a position in degrees, in metres above the sea, from a version of the heights: smooth
// between its values (relief.Grid does the same bilinearly); NaN outside and where none is known.
func (r *Relief) HeightAt(version int, lat, lng float64) float64 {
	v := &r.versions[version]
	x, y := (lng-v.West)/v.StepLng, (v.North-lat)/v.StepLat
	if x < -1 && v.West+360-lng < float64(v.Width)*v.StepLng { // heights that reach over the antimeridian
		x += 360 / v.StepLng
	}
	w, h := int(v.Width), int(v.Height)
	if !(x >= -0.5 && y >= -0.5 && x <= float64(w)-0.5 && y <= float64(h)-0.5) {
		return math.NaN()
	}
	x, y = math.Max(0, math.Min(x, float64(w-1))), math.Max(0, math.Min(y, float64(h-1)))
	ix, iy := min(int(x), w-2), min(int(y), h-2)
	value := func(x, y int) float64 {
		p := r.values[v.First+uint64(max(0, min(y, h-1)))*uint64(w)+uint64(max(0, min(x, w-1)))]
		if p == 0 {
			return math.NaN()
		}
		return float64(p-1)*heightsStep + heightsFloor
	}
	return relief.Cubic(x-float64(ix), y-float64(iy), func(dx, dy int) float64 { return value(ix+dx, iy+dy) })
}
