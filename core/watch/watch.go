// Package watch holds standing queries and tells what enters and leaves them as people move, as places are changed and
// as the centre of a query moves. It keeps the state in memory and computes; who keeps the state and hands on the
// events is somebody else's matter.
//
// # The rule at the edge
//
// A place enters a fixed watch when its position comes to lie in it, both ends of a ring included, and leaves it when
// it no longer does. What moves is known only within its accuracy, so that one that stands at the edge would enter and
// leave again and again. It therefore enters when it lies at least a margin inside, and leaves when it lies more than a
// margin outside; in between it stays what it was. The margin is the accuracy of its position, combined with that of
// the centre where the watch follows a device (the root of the sum of squares), and at least the watch's hysteresis.
// What is inside when a watch begins, or is given another shape, is decided without a margin and is no event.
//
// # Costs
//
// A move looks at the watches whose boxes hold the position and at those that the thing is in; a move of a centre at
// the people and places within reach of it.
package watch

import (
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
)

// Thing is somebody or something that can be in a watch.
type Thing struct {
	ID uuid.UUID
	// Name is what it is called; nothing is decided by it.
	Name string
	// Place tells a place from a person; Group is the collection of a place or the party of a person.
	Place    bool
	Group    string
	Category string
	At       geo.Point
	// AccuracyM is how well the position of a person is known, in metres.
	AccuracyM float64
}

// Watch is a standing query.
type Watch struct {
	ID uuid.UUID
	// Area is a polygon; without one the watch is the ring from BeyondM to WithinM metres round Centre, or round
	// whoever it follows.
	Area             feature.Geometry
	Centre           geo.Point
	Follows          uuid.UUID
	BeyondM, WithinM float64
	// Places and People say what it looks at, of which Collections, Categories and Parties are the only ones where
	// there are any.
	Places, People                   bool
	Collections, Categories, Parties []string
	// HysteresisM is the least margin for what moves, in metres.
	HysteresisM float64
}

// IsFixed tells whether the watch stays where it is.
func (w *Watch) IsFixed() bool { return w.Follows == uuid.Nil }

// Looks tells whether the watch looks at a thing, wherever that is.
func (w *Watch) Looks(t *Thing) bool {
	among := func(list []string, one string) bool { return len(list) == 0 || slices.Contains(list, one) }
	if t.Place {
		return w.Places && among(w.Collections, t.Group) && among(w.Categories, t.Category)
	}
	return w.People && t.ID != w.Follows && among(w.Parties, t.Group)
}

// Depth returns how far inside the watch a position lies, in metres to the nearest edge; negative outside. Round a
// centre it is exact on the ellipsoid. To the sides of an area, which are straight on the plane of longitude and
// latitude as containment is, it is that of the plane that touches there: off by less than a hundredth within 10 km.
func (w *Watch) Depth(centre, p geo.Point) float64 {
	if w.Area.IsKnown() {
		d := toSides(w.Area, p)
		if w.Area.Contains(p) {
			return d
		}
		return -d
	}
	d := geodesy.Distance(centre, p)
	if w.BeyondM == 0 {
		return w.WithinM - d
	}
	return min(w.WithinM-d, d-w.BeyondM)
}

// toSides returns the distance in metres to the nearest side of a polygon.
func toSides(area feature.Geometry, p geo.Point) float64 {
	const degree = math.Pi / 180
	meridian, parallel := geodesy.Radii(p.Lat())
	kx, ky := parallel*degree, meridian*degree
	best := math.Inf(1)
	for _, ring := range area.Lines() {
		var ax, ay float64
		for i, q := range ring {
			bx, by := math.Remainder(q.Lng()-p.Lng(), 360)*kx, (q.Lat()-p.Lat())*ky
			if i > 0 {
				best = min(best, toSide(ax, ay, bx, by))
			}
			ax, ay = bx, by
		}
	}
	return best
}

// toSide returns the distance of the origin from a side of the plane.
func toSide(ax, ay, bx, by float64) float64 {
	dx, dy := bx-ax, by-ay
	along := 0.0
	if square := dx*dx + dy*dy; square > 0 {
		along = max(0, min(1, -(ax*dx+ay*dy)/square))
	}
	return math.Hypot(ax+along*dx, ay+along*dy)
}

// Box returns the box that holds all that can be in the watch round a centre.
func (w *Watch) Box(centre geo.Point) geo.Box {
	g := w.Area
	if !g.IsKnown() {
		g, _ = feature.NewCircle(centre, max(w.WithinM, 0.1)) // a ring's edges are checked when it is saved
	}
	b, _ := g.Bounds()
	return b
}

// Decide applies the rule at the edge.
func Decide(was bool, depthM, marginM float64) bool {
	if was {
		return depthM >= -marginM
	}
	return depthM >= marginM
}

// Why is what made something enter or leave.
type Why string

// Reasons of an event.
const (
	Moved       Why = "moved"
	CentreMoved Why = "centre moved"
	Written     Why = "changed"
	Deleted     Why = "deleted"
	// Silent is somebody who shares the position no longer.
	Silent Why = "stopped sharing"
)

// Event tells that something entered a watch or left it.
type Event struct {
	Watch  uuid.UUID
	Thing  Thing
	Enters bool
	Why    Why
	At     time.Time
	// DistanceM is that from the centre, NaN for an area and where the centre is not known.
	DistanceM float64
	// Held tells that what is inside is held, not only what is said of it.
	Held bool
}
