package region

import (
	"fmt"
	"math"

	"viandante/core/relief"
)

// The heights are kept as they came and in ever coarser versions, each of half as many columns and rows, every value
// the mean of the four below it, down to some hundred columns.
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
		return fmt.Errorf(
			"heights of %d by %d values cannot be kept: from 2 by 2 to %d in all",
			g.Width,
			g.Height,
			heightsMost,
		)
	}
	if !(g.StepLng > 0 && g.StepLat > 0 && math.Abs(g.West) <= 540 && math.Abs(g.North) <= 90.1) {
		return fmt.Errorf(
			"heights that begin at %v, %v with steps of %v, %v lie nowhere on the earth",
			g.North,
			g.West,
			g.StepLat,
			g.StepLng,
		)
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
		if v.Width < 2 || v.Height < 2 || uint64(v.Width)*uint64(v.Height) > uint64(len(r.values)) ||
			v.First > uint64(len(r.values))-uint64(v.Width)*uint64(v.Height) ||
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

// Heights returns the heights at the crossings of parallels and meridians, in degrees, row by row: metres above the
// sea, from a version of the heights, smooth between its values (cubic convolution; relief.Grid does the same
// bilinearly); NaN outside and where none is known.
func (r *Relief) Heights(version int, lats, lngs []float64) []float64 {
	v := &r.versions[version]
	w, h := int(v.Width), int(v.Height)
	columns, rows := make([]taps, len(lngs)), make([]taps, len(lats))
	for i, lng := range lngs {
		x := (lng - v.West) / v.StepLng
		if x < -1 && v.West+360-lng < float64(w)*v.StepLng { // heights that reach over the antimeridian
			x += 360 / v.StepLng
		}
		columns[i] = tapsAt(x, w)
	}
	for i, lat := range lats {
		rows[i] = tapsAt((v.North-lat)/v.StepLat, h)
	}
	out := make([]float64, 0, len(lats)*len(lngs))
	values := r.values[v.First:]
	for _, row := range rows {
		for _, column := range columns {
			sum := math.NaN()
			if row.in && column.in {
				sum = 0
				for k, y := range row.at {
					line := values[y*w:]
					for i, x := range column.at {
						p := line[x]
						if p == 0 {
							sum = math.NaN()
						}
						sum += row.weight[k] * column.weight[i] * float64(p)
					}
				}
				sum = (sum-1)*heightsStep + heightsFloor
			}
			out = append(out, sum)
		}
	}
	return out
}

// taps are the four values that one between them is made of.
type taps struct {
	in     bool
	at     [4]int
	weight [4]float64
}

func tapsAt(x float64, n int) (t taps) {
	if !(x >= -0.5 && x <= float64(n)-0.5) {
		return t
	}
	x = max(0, min(x, float64(n-1)))
	first := min(int(x), n-2)
	t.in, t.weight = true, relief.CubicWeights(x-float64(first))
	for k := range t.at {
		t.at[k] = max(0, min(first+k-1, n-1))
	}
	return t
}
