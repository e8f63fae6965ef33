package feature

import (
	"fmt"
	"math"
	"slices"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/shape"
)

// Form is what a geometry consists of.
type Form uint8

// The forms of geometry.
const (
	Unknown Form = iota // no position yet
	Point
	Line
	Polygon
	Circle
)

// MaxVertices bounds the positions of a geometry, MaxRadiusM the radius of a circle: a quarter of the way round the
// globe, rounded down.
const (
	MaxVertices = 100_000
	MaxRadiusM  = 10_000_000
)

// Geometry is where a feature is. It is immutable; the zero Geometry is an unknown position.
type Geometry struct {
	form    Form
	at      geo.Point
	radiusM float64
	lines   [][]geo.Point
	heights [][]float64
}

// At returns the geometry of a point, the unknown position for one that is not valid.
func At(p geo.Point) Geometry {
	if !p.IsValid() {
		return Geometry{}
	}
	return Geometry{form: Point, at: p}
}

// AtHeight is At with a height in metres.
func AtHeight(p geo.Point, heightM float64) Geometry {
	g := At(p)
	if g.form == Point {
		g.heights = [][]float64{{heightM}}
	}
	return g
}

// NewLine returns the geometry of a path. heights, in metres, is nil or holds one for each position. It keeps what it
// is given. The error, as that of NewPolygon and NewCircle, is a *geo.ParseError.
func NewLine(line []geo.Point, heights []float64) (Geometry, error) {
	if n := len(line); n < 2 || n > MaxVertices {
		return Geometry{}, &geo.ParseError{Reason: fmt.Sprintf("a line of %d positions", n),
			Hint: fmt.Sprintf("2 to %d positions", MaxVertices)}
	}
	return Geometry{form: Line, lines: [][]geo.Point{line}, heights: [][]float64{heights}}, nil
}

// NewPolygon returns the geometry of an area: its outer ring, then its holes, each with its first position again at its
// end.
func NewPolygon(rings [][]geo.Point, heights [][]float64) (Geometry, error) {
	total := 0
	for _, ring := range rings {
		total += len(ring)
		if len(ring) < 4 || ring[0] != ring[len(ring)-1] {
			return Geometry{}, &geo.ParseError{Reason: "a ring is not closed",
				Hint: "at least four positions, the last equal to the first"}
		}
	}
	if total == 0 || total > MaxVertices {
		return Geometry{}, &geo.ParseError{Reason: fmt.Sprintf("a polygon of %d positions", total),
			Hint: fmt.Sprintf("4 to %d positions", MaxVertices)}
	}
	if heights == nil {
		heights = make([][]float64, len(rings))
	}
	return Geometry{form: Polygon, lines: rings, heights: heights}, nil
}

// NewCircle returns the geometry of all that lies within a geodesic distance in metres.
func NewCircle(middle geo.Point, radiusM float64) (Geometry, error) {
	if !middle.IsValid() || !(radiusM > 0 && radiusM <= MaxRadiusM) {
		return Geometry{}, &geo.ParseError{Reason: fmt.Sprintf("must be more than 0 and at most %d metres", MaxRadiusM)}
	}
	return Geometry{form: Circle, at: middle, radiusM: radiusM}, nil
}

// Form returns what the geometry consists of.
func (g Geometry) Form() Form { return g.form }

// IsKnown tells whether there is a position at all.
func (g Geometry) IsKnown() bool { return g.form != Unknown }

// Kind returns the kind of feature that has such a geometry.
func (g Geometry) Kind() Kind {
	switch g.form {
	case Line:
		return Path
	case Polygon, Circle:
		return Area
	}
	return Place
}

// Point returns the position of a point or the middle of a circle; that of other forms is not valid.
func (g Geometry) Point() geo.Point { return g.at }

// RadiusM returns the radius of a circle in metres, 0 for other forms.
func (g Geometry) RadiusM() float64 { return g.radiusM }

// Lines returns a line's positions as its only element, or a polygon's rings. They may not be changed.
func (g Geometry) Lines() [][]geo.Point { return g.lines }

// HeightsM returns the heights of the positions of line i in metres, nil where it has none; of a point as of line 0.
func (g Geometry) HeightsM(i int) []float64 {
	if i >= len(g.heights) {
		return nil
	}
	return g.heights[i]
}

// Vertices returns how many positions the geometry has; a ring's first counts once.
func (g Geometry) Vertices() int {
	n := 0
	for _, line := range g.lines {
		n += len(line)
	}
	switch g.form {
	case Point, Circle:
		return 1
	case Polygon:
		n -= len(g.lines)
	}
	return n
}

// Rounded returns the geometry as it is stored: to 7 decimals, about one centimetre.
func (g Geometry) Rounded() Geometry {
	if g.at.IsValid() {
		g.at = g.at.Rounded()
	}
	isRounded := func(p geo.Point) bool { return p == p.Rounded() }
	lines := g.lines
	for i, line := range lines {
		if !slices.ContainsFunc(line, func(p geo.Point) bool { return !isRounded(p) }) {
			continue
		}
		if &lines[0] == &g.lines[0] {
			g.lines = slices.Clone(lines)
		}
		g.lines[i] = make([]geo.Point, len(line))
		for k, p := range line {
			g.lines[i][k] = p.Rounded()
		}
	}
	return g
}

// Equal tells whether two geometries are the same, position by position.
func (g Geometry) Equal(h Geometry) bool {
	sameHeights := func(a, b []float64) bool { return (a == nil) == (b == nil) && slices.Equal(a, b) }
	return g.form == h.form && g.at == h.at && g.radiusM == h.radiusM &&
		slices.EqualFunc(g.lines, h.lines, slices.Equal) && slices.EqualFunc(g.heights, h.heights, sameHeights)
}

// Wound returns a polygon whose rings are wound as RFC 7946 has it, the outer one counterclockwise and holes clockwise,
// and the numbers of the rings that were turned round.
func (g Geometry) Wound() (wound Geometry, turned []int) {
	if g.form != Polygon {
		return g, nil
	}
	lines, heights := slices.Clone(g.lines), slices.Clone(g.heights)
	for i, ring := range lines {
		if shape.Ring(ring).CounterClockwise == (i == 0) {
			continue
		}
		lines[i], heights[i] = slices.Clone(ring), slices.Clone(heights[i])
		slices.Reverse(lines[i])
		slices.Reverse(heights[i])
		turned = append(turned, i)
	}
	g.lines, g.heights = lines, heights
	return g, turned
}

// Bounds returns the least box round the geometry, over a pole and over the antimeridian too; of a circle one that is a
// little larger. It returns false for an unknown position.
func (g Geometry) Bounds() (geo.Box, bool) {
	switch g.form {
	case Unknown:
		return geo.Box{}, false
	case Point:
		return geo.Box{South: g.at.Lat(), West: g.at.Lng(), North: g.at.Lat(), East: g.at.Lng()}, true
	case Circle:
		return circleBounds(g.at, g.radiusM), true
	}
	first := g.lines[0]
	b := geo.Box{South: 90, North: -90}
	lng := first[0].Lng()
	west, east := lng, lng
	for i, p := range first {
		b.South, b.North = min(b.South, p.Lat()), max(b.North, p.Lat())
		if i > 0 {
			lng += math.Remainder(p.Lng()-first[i-1].Lng(), 360)
			west, east = min(west, lng), max(east, lng)
		}
	}
	if pole := shape.PoleInside(first); g.form == Polygon && pole != 0 {
		b.South, b.North = min(b.South, 90*pole), max(b.North, 90*pole)
		west, east = -180, 180
	}
	b.West, b.East = geo.WrapLng(west), geo.WrapLng(east)
	if east-west >= 360 {
		b.West, b.East = -180, 180
	}
	return b, true
}

// GeodesicBounds returns a box that holds the geometry with its sides as geodesics, which bend towards the pole between
// their ends: Bounds, and the vertex of each side that has one (Clairaut's relation; Torge and Müller 2012, section
// 4.1).
func (g Geometry) GeodesicBounds() (geo.Box, bool) {
	b, known := g.Bounds()
	if g.form != Line && g.form != Polygon {
		return b, known
	}
	const degree, axisRatio = math.Pi / 180, 6356752.314245179 / 6378137
	for _, line := range g.lines {
		for i := 1; i < len(line); i++ {
			from, to := line[i-1], line[i]
			if math.Abs(math.Remainder(to.Lng()-from.Lng(), 360)) < 1e-3 {
				continue // bends by less than a box is rounded by
			}
			l := geodesy.Between(geodesy.Ellipsoid, from, to)
			if math.Abs(math.Remainder(to.Lng()-from.Lng(), 360)) > 180-1e-9 {
				b.West, b.East = -180, 180 // it runs over a pole
			}
			north := math.Cos(l.InitialBearing * degree)
			if north*math.Cos(l.FinalBearing*degree) >= 0 {
				continue
			}
			_, cos := math.Sincos(math.Atan(axisRatio * math.Tan(from.Lat()*degree)))
			sin := math.Abs(math.Sin(l.InitialBearing*degree)) * cos
			vertex := math.Atan(math.Sqrt(math.Max(0, 1-sin*sin))/(axisRatio*math.Max(sin, 1e-300)))/degree + 1e-7
			if north > 0 {
				b.North = min(90, max(b.North, vertex))
			} else {
				b.South = max(-90, min(b.South, -vertex))
			}
		}
	}
	return b, known
}

// circleBounds returns a box that holds all within a distance. No degree of latitude is shorter than 110.5 km, and no
// radius of curvature less than the one that it is an angle of.
func circleBounds(middle geo.Point, radiusM float64) geo.Box {
	angle := radiusM / 110_500
	b := geo.Box{South: middle.Lat() - angle, North: middle.Lat() + angle, West: -180, East: 180}
	if b.South <= -90 || b.North >= 90 {
		b.South, b.North = max(b.South, -90), min(b.North, 90)
		return b
	}
	const degree = math.Pi / 180
	if s := math.Sin(angle*degree) / math.Cos(middle.Lat()*degree); s < 1 {
		wide := math.Asin(s) / degree
		b.West, b.East = geo.WrapLng(middle.Lng()-wide), geo.WrapLng(middle.Lng()+wide)
	}
	return b
}

// Contains tells whether a position lies in the geometry: in an area and none of its holes, within a circle's radius,
// or at a point. No position lies in a line.
func (g Geometry) Contains(p geo.Point) bool {
	switch g.form {
	case Point:
		return g.at == p
	case Circle:
		return geodesy.Distance(g.at, p) <= g.radiusM
	case Polygon:
		return shape.Inside(g.lines, p)
	}
	return false
}

// Intersects tells whether the geometry and a box share a position.
func (g Geometry) Intersects(box geo.Box) bool {
	own, known := g.Bounds()
	if !known || !own.Intersects(box) {
		return false
	}
	middle := box.Middle()
	switch g.form {
	case Point:
		return box.Contains(g.at)
	case Circle:
		return box.Contains(g.at) || g.Contains(box.Clamp(g.at))
	case Polygon:
		if g.Contains(middle) {
			return true
		}
	}
	for _, line := range g.lines {
		for i, p := range line {
			if box.Contains(p) || i > 0 && box.Crosses(line[i-1], p) {
				return true
			}
		}
	}
	return false
}

// Nearest returns the position of the geometry that is nearest to another, and how far that is in metres: the other one
// itself where it lies in an area. The geometry must be known. Sides are geodesics.
func (g Geometry) Nearest(p geo.Point) (geo.Point, float64) {
	switch {
	case g.form == Point:
		return g.at, geodesy.Distance(p, g.at)
	case g.Contains(p):
		return p, 0
	case g.form == Circle:
		line := geodesy.Between(geodesy.Ellipsoid, g.at, p)
		lat, lng, _ := geodesy.Direct(g.at.Lat(), g.at.Lng(), line.InitialBearing, g.radiusM)
		return geo.MustPoint(lat, geo.WrapLng(lng)), line.DistanceM - g.radiusM
	}
	best, bestM := geo.Point{}, math.Inf(1)
	from := geodesy.NewFrom(p)
	var distances []float64 // of the vertices, of one line after another
	for _, line := range g.lines {
		for _, q := range line {
			d := from.Distance(q)
			if distances = append(distances, d); d < bestM {
				best, bestM = q, d
			}
		}
	}
	i := 0
	for _, line := range g.lines {
		for k := 1; k < len(line); k++ {
			a, b := line[k-1], line[k]
			side := geodesy.NewFrom(a)
			// By the triangle inequality no position of the side is nearer than this.
			if (distances[i]+distances[i+1]-side.Distance(b))/2 < bestM {
				if foot := geodesy.NearestOnLine(p, a, b); foot.DistanceM < bestM {
					best, bestM = foot.At, foot.DistanceM
				}
			}
			i++
		}
		i++
	}
	return best, bestM
}
