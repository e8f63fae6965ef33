package spatial

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

func randomBoxes(r *rand.Rand, n int) []Box {
	boxes := make([]Box, n)
	for i := range boxes {
		x, y := r.Int32N(2_000_000)-1_000_000, r.Int32N(2_000_000)-1_000_000
		boxes[i] = Box{x, y, x + r.Int32N(5000), y + r.Int32N(5000)}
	}
	ordered := make([]Box, n)
	for i, k := range HilbertOrder(boxes) {
		ordered[i] = boxes[k]
	}
	return ordered
}

func TestSearchAgreesWithAScan(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for _, n := range []int{0, 1, 2, 15, 16, 17, 255, 256, 257, 5000} {
		boxes := randomBoxes(r, n)
		tree, ok := OpenBoxes(PackBoxes(boxes), n)
		require.True(t, ok, n)
		for range 50 {
			x, y := r.Int32N(2_000_000)-1_000_000, r.Int32N(2_000_000)-1_000_000
			q := Box{x, y, x + r.Int32N(300_000), y + r.Int32N(300_000)}
			var want, got []int
			for i, b := range boxes {
				if b.Intersects(q) {
					want = append(want, i)
				}
			}
			tree.Search(q, func(i int) bool { got = append(got, i); return true })
			require.Equal(t, want, got, "n=%d q=%v", n, q)
		}
	}
}

func TestNearestBoxesAgreeWithAScan(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	boxes := randomBoxes(r, 3000)
	tree, _ := OpenBoxes(PackBoxes(boxes), len(boxes))
	for range 50 {
		x, y := float64(r.Int32N(2_000_000)-1_000_000), float64(r.Int32N(2_000_000)-1_000_000)
		distance := func(b Box) float64 {
			dx := math.Max(0, math.Max(float64(b.MinX)-x, x-float64(b.MaxX)))
			dy := math.Max(0, math.Max(float64(b.MinY)-y, y-float64(b.MaxY)))
			return math.Hypot(dx, dy)
		}
		var want []float64
		for _, b := range boxes {
			want = append(want, distance(b))
		}
		slices.Sort(want)
		var got []float64
		tree.Nearest(distance, func(i int) float64 { return distance(boxes[i]) }, func(_ int, d float64) bool {
			got = append(got, d)
			return len(got) < 20
		})
		require.Equal(t, want[:20], got)
	}
}

func TestOpenRefusesAnArrayOfAnotherSize(t *testing.T) {
	packed := PackBoxes(make([]Box, 20))
	for _, n := range []int{-1, 0, 19, 100} {
		_, ok := OpenBoxes(packed, n)
		if n == 19 { // 19 and 20 items have trees of different size
			assert.False(t, ok)
		}
		assert.False(t, ok, n)
	}
}

// Places all over the earth, crowded at the poles and the antimeridian, in one index and in several, against an
// exhaustive scan.
func TestPointsAgreeWithAScan(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	var points []geo.Point
	for i := range 4000 {
		lat, lng := math.Asin(r.Float64()*2-1)*180/math.Pi, r.Float64()*360-180
		switch i % 4 {
		case 0:
			lat = 89.9 + r.Float64()/10
		case 1:
			lng = geo.WrapLng(180 + r.NormFloat64()/10)
		case 2: // within centimetres of one another
			lat, lng = -38+r.Float64()/1e6, -26+r.Float64()/1e6
		}
		points = append(points, geo.MustPoint(lat, lng).Rounded())
	}
	points = append(points, geo.Point{}, geo.MustPoint(90, 0), geo.MustPoint(-90, 10), geo.MustPoint(90, 0))
	where := func(item uint32) geo.E7 { return e7Of(points[item]) }
	less := func(a, b uint32) bool { return a < b }
	var all []uint32
	parts := make([][]uint32, 3)
	for i := range points {
		all = append(all, uint32(i))
		parts[i%3] = append(parts[i%3], uint32(i))
	}
	index := NewPoints(all, where)
	require.Equal(t, len(points)-1, index.Len())
	many := make([]uint32, 3*beside)
	spread := func(item uint32) geo.E7 {
		return geo.E7{Lat: int32(item%180)*1e7 - 90e7, Lng: int32(item/180%360)*1e7 - 180e7}
	}
	for i := range many {
		many[i] = uint32(i)
	}
	require.Equal(t, NewPoints(many, spread), NewPointsAtOnce(many, spread), "the same on all cores")
	several := []*Points{
		NewPoints(parts[0], where),
		NewPoints(parts[1], where),
		NewPoints(parts[2], where),
		NewPoints(nil, where),
	}
	ask := func(s Search, in ...*Points) []Found {
		s.Less = less
		for _, x := range in {
			s.In(x)
		}
		return s.Found()
	}
	for i := range 60 {
		c := points[r.IntN(4000)]
		if i == 0 {
			c = geo.MustPoint(90, 0)
		}
		within := math.Pow(10, -3+r.Float64()*10.3)
		if i%3 == 1 { // one of them lies on the very edge
			within = geodesy.Distance(c, points[r.IntN(4000)])
		}
		beyond := within * r.Float64() * 0.8
		odd := func(item uint32) bool { return item%2 == 1 }
		var wantRing, wantNear []Found
		for k, p := range points {
			if !p.IsValid() {
				continue
			}
			d := geodesy.Distance(c, p)
			if d >= beyond && d <= within {
				wantRing = append(wantRing, Found{uint32(k), d})
			}
			if odd(uint32(k)) && d >= 1000 {
				wantNear = append(wantNear, Found{uint32(k), d})
			}
		}
		// The ring holds exactly what it should, both edges included; distances are right to 1 µm, and so is the order.
		same := func(want, got []Found) {
			t.Helper()
			require.Len(t, got, len(want))
			for k := range want {
				require.InDelta(t, want[k].DistanceM, got[k].DistanceM, 1e-6)
				require.InDelta(t, want[k].DistanceM, geodesy.Distance(c, points[got[k].Item]), 1e-6)
			}
			items := func(list []Found) (out []uint32) {
				for _, f := range list {
					out = append(out, f.Item)
				}
				slices.Sort(out)
				return out
			}
			if len(want) != 25 {
				require.Equal(t, items(want), items(got))
			}
		}
		order := func(a, b Found) int {
			return cmp.Or(cmp.Compare(a.DistanceM, b.DistanceM), cmp.Compare(a.Item, b.Item))
		}
		slices.SortFunc(wantRing, order)
		slices.SortFunc(wantNear, order)
		ring := Search{Center: c, BeyondM: beyond, WithinM: within, N: len(points)}
		same(wantRing, ask(ring, index))
		same(wantRing, ask(ring, several...))
		near := Search{Center: c, BeyondM: 1000, WithinM: math.Inf(1), N: 25, Keep: odd}
		same(wantNear[:25], ask(near, index))
		same(wantNear[:25], ask(near, several...))
	}
	assert.Empty(t, ask(Search{Center: points[0], WithinM: math.Inf(1)}, index), "none wanted")
}

// e7Of is the position to 1e-7 degree, of an unknown one a latitude that is none.
func e7Of(p geo.Point) geo.E7 {
	if !p.IsValid() {
		return geo.E7{Lat: math.MinInt32}
	}
	return p.E7()
}
