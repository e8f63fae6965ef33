package geodesy

import (
	"errors"
	"math"

	"viandante/core/geo"
)

// settled is a step in metres below which an iteration over positions along a line has converged.
const settled = 1e-8

// Foot is the position of a line that is nearest to a point.
type Foot struct {
	At geo.Point
	// DistanceM is how far the point is from it, AlongM how far along the line it lies, in metres.
	DistanceM, AlongM float64
}

// NearestOnLine returns the position of the geodesic from a to b that is nearest to p: an end of it where no other
// is. Each step solves the spherical right-angled triangle at the position reached so far (Baselga and Martínez-Llario
// 2018, "Intersection and point-to-line solutions for geodesics on the ellipsoid"); it starts from several positions,
// because the distance from a long line may have more than one minimum.
func NearestOnLine(p, a, b geo.Point) Foot {
	lengthM, bearing, _ := Inverse(a.Lat(), a.Lng(), b.Lat(), b.Lng())
	best := Foot{a, Distance(p, a), 0}
	if d := Distance(p, b); d < best.DistanceM {
		best = Foot{b, d, lengthM}
	}
	if lengthM == 0 {
		return best
	}
	starts := []float64{lengthM / 2}
	if lengthM > 3e6 {
		starts = []float64{0, lengthM / 2, lengthM}
	}
	for _, s := range starts {
		for range 40 {
			lat, lng, azimuth := Direct(a.Lat(), a.Lng(), bearing, s)
			d, towards, _ := Inverse(lat, lng, p.Lat(), p.Lng())
			angle := d / MeanRadius
			_, cos := sinCosDegrees(math.Remainder(towards-azimuth, 360), 0)
			step := MeanRadius * math.Atan2(math.Sin(angle)*cos, math.Cos(angle))
			if at, err := geo.NewPoint(lat, geo.WrapLng(lng)); err == nil && d < best.DistanceM {
				best = Foot{at, d, s}
			}
			next := math.Max(0, math.Min(lengthM, s+step))
			if math.Abs(next-s) < settled {
				break
			}
			s = next
		}
	}
	return best
}

// Errors of Crossing.
var (
	// ErrNoCrossing is returned for lines that do not cross between their ends.
	ErrNoCrossing = errors.New("the lines do not cross between their ends")
	// ErrSameLine is returned for lines that lie on one another, or where one of them has no length.
	ErrSameLine = errors.New("the lines run along one another, so that no single point is where they cross")
)

// Crossing returns where the geodesic from a to b crosses that from c to d. Each step crosses the two great circles
// that touch the lines at the positions reached so far (Baselga and Martínez-Llario 2018).
func Crossing(a, b, c, d geo.Point) (geo.Point, error) {
	first, second := lineBetween(a, b), lineBetween(c, d)
	if first.lengthM == 0 || second.lengthM == 0 {
		return geo.Point{}, ErrSameLine
	}
	along := 0
	for _, start := range [][2]float64{{0.5, 0.5}, {0, 0}, {1, 1}, {0, 1}, {1, 0}} {
		s, t, ok := cross(first, second, start[0]*first.lengthM, start[1]*second.lengthM)
		if !ok {
			along++
			continue
		}
		const slack = 1e-6 // a line that ends on the other crosses it
		if s >= -slack && s <= first.lengthM+slack && t >= -slack && t <= second.lengthM+slack {
			at, _ := first.at(s)
			return at, nil
		}
	}
	if along == 5 {
		return geo.Point{}, ErrSameLine
	}
	return geo.Point{}, ErrNoCrossing
}

// geodesic is a line by its start, azimuth and length.
type geodesic struct {
	from             geo.Point
	azimuth, lengthM float64
}

func lineBetween(a, b geo.Point) geodesic {
	s, azimuth, _ := Inverse(a.Lat(), a.Lng(), b.Lat(), b.Lng())
	return geodesic{a, azimuth, s}
}

// at returns the position so many metres along the line, and its azimuth there.
func (g geodesic) at(s float64) (geo.Point, float64) {
	lat, lng, azimuth := Direct(g.from.Lat(), g.from.Lng(), g.azimuth, s)
	p, _ := geo.NewPoint(math.Max(-90, math.Min(90, lat)), geo.WrapLng(lng))
	return p, azimuth
}

// cross improves positions along two lines until both are where the lines cross; it returns false where they run along
// one another.
func cross(first, second geodesic, s, t float64) (float64, float64, bool) {
	for range 40 {
		p, pAzimuth := first.at(s)
		q, qAzimuth := second.at(t)
		z, towards, onwards := Inverse(p.Lat(), p.Lng(), q.Lat(), q.Lng())
		if z < settled {
			return s, t, math.Abs(math.Sin((pAzimuth-qAzimuth)*degree)) > 1e-9
		}
		// On the unit sphere: p on the first axis, q towards the second, left of the way the third.
		sz, cz := math.Sincos(z / MeanRadius)
		sx, cx := math.Sincos((pAzimuth - towards) * degree)
		sy, cy := math.Sincos((qAzimuth - onwards) * degree)
		atQ, alongQ := [3]float64{cz, sz, 0}, [3]float64{-sz * cy, cz * cy, -sy}
		alongP := [3]float64{0, cx, -sx}
		meet := crossProduct(crossProduct([3]float64{1}, alongP), crossProduct(atQ, alongQ))
		if math.Sqrt(dot(meet, meet)) < 1e-12 {
			return 0, 0, false
		}
		ds, dt := math.Atan2(dot(meet, alongP), meet[0]), math.Atan2(dot(meet, alongQ), dot(meet, atQ))
		back := [3]float64{-meet[0], -meet[1], -meet[2]}
		es, et := math.Atan2(dot(back, alongP), back[0]), math.Atan2(dot(back, alongQ), dot(back, atQ))
		if math.Abs(es)+math.Abs(et) < math.Abs(ds)+math.Abs(dt) {
			ds, dt = es, et
		}
		s, t = s+ds*MeanRadius, t+dt*MeanRadius
		if math.Abs(ds)+math.Abs(dt) < settled/MeanRadius {
			return s, t, true
		}
	}
	return s, t, true
}

func crossProduct(a, b [3]float64) [3]float64 {
	return [3]float64{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

func dot(a, b [3]float64) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

// PointsAlong returns n points (at least 2) that divide the line between two points into equal lengths, both ends
// included.
func PointsAlong(m Model, from, to geo.Point, n int) ([]geo.Point, error) {
	line := Between(m, from, to)
	out := make([]geo.Point, max(n, 2))
	out[0], out[len(out)-1] = from, to
	for i := 1; i < len(out)-1; i++ {
		if line.DistanceM == 0 {
			out[i] = from
			continue
		}
		p, _, err := Destination(m, from, line.InitialBearing, line.DistanceM*float64(i)/float64(len(out)-1))
		if err != nil {
			return nil, err
		}
		out[i] = p
	}
	return out, nil
}
