package road

import (
	"context"
	"fmt"
	"math"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// CutOffError is returned where no way leads from one point to another: it tells which of them is cut off, and how near
// one gets.
type CutOffError struct {
	// Start tells that from the start one gets nowhere much, End that nobody gets to the end from anywhere much; both,
	// or neither where two parts of a region are not joined.
	Start, End bool
	// Nearest is the position on a road nearest to the end that can be reached from the start, and LeftM how far the
	// end is from it, in metres.
	Nearest geo.Point
	LeftM   float64
	// Closed tells that there is a way where nothing is closed.
	Closed bool
}

func (e *CutOffError) Error() string {
	which := "the two are not joined by any road"
	switch {
	case e.Start && e.End:
		which = "both ends are cut off"
	case e.Start:
		which = "from the start no road leads on"
	case e.End:
		which = "no road leads to the end"
	}
	if e.Closed {
		which += " while what is closed stays closed"
	}
	return fmt.Sprintf("%v: %s; the nearest point that can be reached is %v, %.0f m from the end", ErrNoRoute, which,
		e.Nearest, e.LeftM)
}

// Unwrap makes it an ErrNoRoute.
func (e *CutOffError) Unwrap() error { return ErrNoRoute }

// cutOffBelow is below how many edges that can be reached from somewhere it is cut off, and below which share of what
// the other end reaches.
const cutOffBelow = 100

// cutOff finds out why there is no way: it follows all roads from the start, and all that lead to the end.
func (r *Router) cutOff(ctx context.Context, m *Metric, start, end []snap, from, to geo.Point) error {
	forth, nearest, left := r.flood(ctx, m, start, true, to)
	back, _, _ := r.flood(ctx, m, end, false, from)
	if err := ctx.Err(); err != nil {
		return err
	}
	e := &CutOffError{Nearest: nearest, LeftM: left}
	few := max(min(cutOffBelow, r.region.Segments()), max(forth, back)/10)
	e.Start, e.End = forth < few, back < few
	if len(m.closed) > 0 {
		open := *m
		open.closed, open.weighed = nil, nil
		if way, err := r.best(ctx, &open, r.astar, start, end); err == nil && way.cost < Infinite {
			e.Closed = true
		}
	}
	return e
}

// flood follows all roads from some snaps, or against their direction, and returns how many edges that were, and where
// one came nearest to a position.
func (r *Router) flood(ctx context.Context, m *Metric, snaps []snap, forth bool, to geo.Point) (n int, at geo.Point,
	left float64,
) {
	left = math.Inf(1)
	cos := math.Cos(to.Lat() * math.Pi / 180)
	least, edge := math.Inf(1), none
	look := func(p geo.Point, e uint32) {
		if d := math.Hypot((p.Lat() - to.Lat()), geo.WrapLng(p.Lng()-to.Lng())*cos); d < least {
			least, edge = d, e
		}
	}
	l := r.labels.Get().(*labels)
	defer r.labels.Put(l)
	l.begin()
	var stack []uint32
	reach := func(v uint32) {
		if l.stamp[v] != l.run {
			l.stamp[v] = l.run
			stack = append(stack, v)
		}
	}
	for _, s := range snaps {
		for _, e := range bothWays(s.segment) {
			if m.Open(e) {
				reach(e)
			}
		}
	}
	for ; len(stack) > 0; n++ {
		if n%askEvery == askEvery-1 && ctx.Err() != nil {
			break
		}
		v := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		e := r.region.EdgeOf(v)
		look(r.region.Junction(r.region.Head(e)).Point(), e)
		look(r.region.Junction(r.region.Tail(e)).Point(), e)
		if !forth {
			r.before(m, e, func(u, _ uint32) { reach(u) })
			continue
		}
		for _, out := range r.region.Edges(r.region.Head(e)) {
			if m.Open(out) && m.turn(v, out) < Infinite {
				reach(r.region.Turn(v, out))
			}
		}
	}
	if edge != none { // among the edges at the nearest junction, the nearest position
		node := r.region.Head(edge)
		for _, e := range append([]uint32{edge}, r.region.Edges(node)...) {
			if l.stamp[e] != l.run && l.stamp[e^1] != l.run {
				continue
			}
			if s := r.project(e/2, to); s.offM < left {
				at, left = s.at, s.offM
			}
		}
	}
	if math.IsInf(left, 1) && len(snaps) > 0 {
		at, left = snaps[0].at, geodesy.Distance(snaps[0].at, to)
	}
	return n, at, left
}
