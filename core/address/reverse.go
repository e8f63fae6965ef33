package address

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/mercator"
	"viandante/core/region"
	"viandante/core/shape"
	"viandante/core/tile"
)

const (
	// maxReverseM is how far an address may lie from a position to be told at all, in metres.
	maxReverseM = 1000.0
	// inStreetM is how near a street must be for a position to lie on it or beside it.
	inStreetM = 60.0
	// lonelyM is how far the nearest address may be for the ground itself not to be told first.
	lonelyM = 100.0
	// acrossM is how much farther a house on the side of the position may be than one across the street.
	acrossM = 20.0
	// peakM is how near a peak must be for a position to be on it.
	peakM = 400.0
)

// Reverse implements Index.
func (x *index) Reverse(at geo.Point, limit int) []Find {
	if !at.IsValid() {
		return nil
	}
	if limit <= 0 {
		limit = defaultLimit
	}
	here := x.groundAt(at)
	houses := x.housesNear(at, limit)
	for i := range houses {
		f := &houses[i]
		f.Inside = here.building != 0 && (f.ID == here.building || here.holds(f.At))
		f.Confidence = 1 - 0.5*f.DistanceM/maxReverseM
		if f.Inside {
			f.Confidence = 1
		}
	}
	first := slices.IndexFunc(houses, func(f Find) bool { return f.Inside })
	var st streetHere
	on := false
	if first < 0 {
		if st, on = x.streetNear(at); on && st.DistanceM <= inStreetM {
			first = x.beside(at, st, houses)
		}
	}
	if first > 0 {
		f := houses[first]
		houses = slices.Insert(slices.Delete(houses, first, first+1), 0, f)
	}
	switch {
	case first >= 0:
	case on && st.DistanceM <= inStreetM && (len(houses) == 0 || houses[0].DistanceM > lonelyM):
		houses = slices.Insert(houses, 0, x.placed(st.Find, at))
	case len(houses) == 0 || houses[0].DistanceM > lonelyM || !here.land || here.named != "":
		if f, ok := x.ground(at, here); ok {
			houses = slices.Insert(houses, 0, f)
		}
	}
	return houses[:min(limit, len(houses))]
}

// housesNear returns the addresses nearest to a position, nearest first, none farther than maxReverseM.
func (x *index) housesNear(at geo.Point, limit int) (out []Find) {
	x.r.AddressesNear(at, func(i uint32, d float64) bool {
		if d > maxReverseM {
			return false
		}
		f := x.houseFind(i)
		f.DistanceM = d
		out = append(out, f)
		return len(out) < max(limit, 24) || d < 30
	})
	return out
}

// groundHere is what lies at a position.
type groundHere struct {
	building region.FeatureID
	outline  [][]mercator.XY
	land     bool
	named    string // the innermost area with a name
	class    region.Class
}

func (g *groundHere) holds(p geo.Point) bool {
	return shape.InsideXY(g.outline, mercator.Finest(p.E7()))
}

// groundAt looks at the areas that hold a position.
func (x *index) groundAt(at geo.Point) groundHere {
	id := tile.At(at, mercator.MaxZoom)
	p := mercator.Finest(at.E7())
	var g groundHere
	smallest := math.Inf(1)
	x.r.Draw(id.Z, id.X, id.Y, func(f *region.Drawn) bool {
		if f.Shape != region.AreaShape || !shape.InsideXY(f.Parts, p) {
			return true
		}
		switch f.Class {
		case region.Building:
			g.building = f.ID
			g.outline = nil
			for _, part := range f.Parts {
				g.outline = append(g.outline, slices.Clone(part))
			}
		case region.Land:
			g.land = true
		default:
			if size := spanOf(f.Parts); size < smallest {
				smallest, g.class, g.named = size, f.Class, f.Name
			}
		}
		return true
	})
	return g
}

func spanOf(parts [][]mercator.XY) float64 {
	low, high := mercator.XY{X: math.MaxInt32, Y: math.MaxInt32}, mercator.XY{X: math.MinInt32, Y: math.MinInt32}
	for _, part := range parts {
		for _, p := range part {
			low = mercator.XY{X: min(low.X, p.X), Y: min(low.Y, p.Y)}
			high = mercator.XY{X: max(high.X, p.X), Y: max(high.Y, p.Y)}
		}
	}
	return (float64(high.X) - float64(low.X)) * (float64(high.Y) - float64(low.Y))
}

// streetHere is the street beside a position.
type streetHere struct {
	Find
	name uint32
	line []geo.E7
}

// streetNear returns the nearest road with a name within maxReverseM.
func (x *index) streetNear(at geo.Point) (out streetHere, ok bool) {
	plane := planeAt(at)
	tree := x.r.SegmentTree()
	tree.Nearest(region.BoxDistance(at), func(i int) float64 {
		if x.r.Segment(uint32(i)).Name == 0 {
			return math.Inf(1)
		}
		d, _, _ := plane.nearest(x.r.Shape(uint32(i)))
		return d
	}, func(i int, d float64) bool {
		if d > maxReverseM {
			return false
		}
		seg := x.r.Segment(uint32(i))
		out.name, out.line, ok = seg.Name, x.r.Shape(uint32(i)), true
		_, _, foot := plane.nearest(out.line)
		street := x.r.Text(seg.Name)
		out.Find = Find{Kind: Street, Street: street, At: foot, DistanceM: geodesy.Distance(at, foot),
			Confidence: 1 - 0.5*d/maxReverseM}
		return false
	})
	return out, ok
}

// placed completes the find of a street by the settlement that a position belongs to.
func (x *index) placed(f Find, at geo.Point) Find {
	if place := x.nearestPlace(at); place != region.NoSettlement {
		f.Locality, f.District = x.place(place)
	}
	f.Label = label(f.Street, "", f.Locality, "")
	return f
}

// beside returns the house to tell for a position beside a street: the nearest of that street on the position's side of
// it, or across where that is much nearer; -1 where the street has none near.
func (x *index) beside(at geo.Point, st streetHere, houses []Find) int {
	plane := planeAt(at)
	_, mine, _ := plane.nearest(st.line)
	best, least := -1, math.Inf(1)
	for i, f := range houses {
		if f.Street != st.Street {
			continue
		}
		own := planeAt(f.At)
		_, side, _ := own.nearest(st.line)
		d := f.DistanceM
		if side*mine < 0 {
			d += acrossM
		}
		if d < least {
			best, least = i, d
		}
	}
	if best >= 0 && houses[best].DistanceM > lonelyM {
		return -1
	}
	return best
}

// ground tells what is true of a position without an address.
func (x *index) ground(at geo.Point, here groundHere) (Find, bool) {
	f := Find{Kind: Ground, At: at, Confidence: 1}
	place := x.nearestPlace(at)
	if place != region.NoSettlement {
		f.Locality, f.District = x.place(place)
	}
	what := here.named
	if what == "" {
		what = classWords[here.class]
	}
	if peak := x.peakNear(at); here.land && peak != "" {
		what = peak
	}
	switch {
	case !here.land && here.class == region.Water:
		if what == "" {
			what = "Water"
		}
	case !here.land && x.hasLand():
		f.Kind, what = Sea, "At sea"
	case what == "":
		what = "Open country"
	}
	f.Label = what
	if f.Locality != "" {
		f.Label += ", near " + f.Locality
		if f.Kind == Sea {
			f.Label = "At sea, off " + f.Locality
		}
	}
	return f, true
}

// classWords say what an area without a name is.
var classWords = map[region.Class]string{region.Wood: "Wood", region.Park: "Park", region.Farmland: "Fields",
	region.Orchard: "Orchard", region.Grass: "Grassland", region.Heath: "Heath", region.Sand: "Sand",
	region.Rock: "Bare rock", region.Water: "Water", region.Square: "Square", region.Residential: "Built-up area",
	region.Pier: "Pier"}

// hasLand tells whether the region draws land at all: extracts of inland parts have no coast.
func (x *index) hasLand() bool {
	found := false
	x.r.Draw(0, 0, 0, func(f *region.Drawn) bool {
		found = f.Class == region.Land
		return !found
	})
	return found
}

// nearestPlace returns the settlement that a position most likely belongs to.
func (x *index) nearestPlace(at geo.Point) uint32 {
	best, least := region.NoSettlement, 25_000.0
	reach := [...]float64{1, 1, 1.5, 3, 6}
	p := planeAt(at)
	for i := range uint32(x.r.Settlements()) {
		where, size := x.r.SettlementAt(i)
		d := math.Hypot(wrapped(where.Lng()-at.Lng())*p.perLng, (where.Lat()-at.Lat())*p.perLat) / reach[min(int(size),
			4)]
		if d < least {
			best, least = i, d
		}
	}
	return best
}

func (x *index) peakNear(at geo.Point) string {
	kind, ok := x.kindNamed([]token{{text: "peak"}})
	if !ok {
		return ""
	}
	name, least := "", peakM
	x.r.LandmarksOfKind(kind, func(i uint32, where geo.Point) {
		if math.Abs(where.Lat()-at.Lat()) < 0.005 {
			if d := geodesy.Distance(at, where); d < least {
				name, least = x.r.Landmark(i).Name, d
			}
		}
	})
	return name
}

// plane is the surroundings of a position, flat: metres east and north of it. Within 2 km of it lengths are right to
// 0.1 %.
type plane struct {
	at             geo.Point
	perLat, perLng float64
}

func planeAt(at geo.Point) plane {
	return plane{at, 111_132, 111_320 * math.Cos(at.Lat()*math.Pi/180)}
}

func (p plane) xy(e geo.E7) (x, y float64) {
	q := e.Point()
	return wrapped(q.Lng()-p.at.Lng()) * p.perLng, (q.Lat() - p.at.Lat()) * p.perLat
}

// nearest returns how far a line passes from the position in metres, on which side the position lies of it (positive:
// the left), and the nearest point of it.
func (p plane) nearest(line []geo.E7) (distanceM, side float64, foot geo.Point) {
	distanceM = math.Inf(1)
	for i := 1; i < len(line); i++ {
		ax, ay := p.xy(line[i-1])
		bx, by := p.xy(line[i])
		dx, dy := bx-ax, by-ay
		t := 0.0
		if l := dx*dx + dy*dy; l > 0 {
			t = math.Max(0, math.Min(1, -(ax*dx+ay*dy)/l))
		}
		fx, fy := ax+t*dx, ay+t*dy
		if d := math.Hypot(fx, fy); d < distanceM {
			distanceM, side = d, ax*dy-ay*dx
			if q, err := geo.NewPoint(p.at.Lat()+fy/p.perLat, geo.WrapLng(p.at.Lng()+fx/p.perLng)); err == nil {
				foot = q
			}
		}
	}
	return distanceM, side, foot
}

// orderFinds puts the surest first, of equals those that are nearer to what the person looks at; ties by label and id.
func orderFinds(finds []Find) {
	slices.SortStableFunc(finds, func(a, b Find) int {
		return cmp.Or(
			cmp.Compare(b.Confidence, a.Confidence),
			cmp.Compare(a.cost, b.cost),
			strings.Compare(a.Label, b.Label),
			cmp.Compare(a.ID, b.ID),
		)
	})
}

// Merge joins the finds of two regions in the order of Forward, at most q.Limit of them where that is set.
func Merge(a, b []Find, q Query) []Find {
	all := append(a[:len(a):len(a)], b...)
	if len(a) > 0 && len(b) > 0 {
		orderFinds(all)
	}
	if q.Limit > 0 && len(all) > q.Limit {
		all = all[:q.Limit]
	}
	return all
}

// MergeReverse joins the finds of two regions in the order of Reverse.
func MergeReverse(a, b []Find, limit int) []Find {
	all := append(a[:len(a):len(a)], b...)
	if len(a) > 0 && len(b) > 0 {
		slices.SortStableFunc(all, func(x, y Find) int {
			return cmp.Or(cmp.Compare(rankReverse(x), rankReverse(y)), cmp.Compare(x.DistanceM, y.DistanceM))
		})
	}
	if limit > 0 && len(all) > limit {
		all = all[:limit]
	}
	return all
}

// rankReverse puts what holds the position before what is near it, and both before what is said of open ground.
func rankReverse(f Find) int {
	switch {
	case f.Inside:
		return 0
	case f.Kind == Ground || f.Kind == Sea:
		return 2
	}
	return 1
}
