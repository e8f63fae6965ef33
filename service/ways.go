package service

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"viandante/core/geo"
	"viandante/core/road"
	"viandante/service/atlas"
	"viandante/service/catalog"
	"viandante/service/fault"
)

// Travelling says how somebody travels.
type Travelling struct {
	// By is the name of a profile: car, bicycle, foot, or one's own.
	By    string
	Avoid road.Trait
	// Depart is when, for what is closed then; zero for now.
	Depart time.Time
}

// RouteAsk is a question for a way by stops.
type RouteAsk struct {
	Travelling
	Stops        []geo.Point
	Alternatives int
	Optimize     bool
}

// Journeys are the ways found, best first, and the closures that the best way avoids.
type Journeys struct {
	Ways    []atlas.Journey
	Avoided []Kept[Closure]
	Profile *road.Profile
}

// travel returns how somebody travels as the atlas has it, with what is closed in his workspace.
func (v *Service) travel(ctx context.Context, a Actor, t Travelling) (atlas.Travel, []Kept[Closure], error) {
	out := atlas.Travel{By: t.By, Avoid: t.Avoid}
	h, err := v.house(ctx, a.Workspace)
	if err != nil {
		return out, nil, err
	}
	if t.Depart.IsZero() {
		t.Depart = time.Now()
	}
	var made []Kept[Closure]
	out.Closures, made = h.closures.at(t.Depart)
	return out, made, nil
}

// Route finds the quickest ways along the roads, a leg from each stop to the next.
func (v *Service) Route(ctx context.Context, a Actor, q RouteAsk) (*Journeys, error) {
	if err := a.MayAsk(); err != nil {
		return nil, err
	}
	return v.wayOf(ctx, a, q)
}

func (v *Service) wayOf(ctx context.Context, a Actor, q RouteAsk) (*Journeys, error) {
	t, made, err := v.travel(ctx, a, q.Travelling)
	if err != nil {
		return nil, err
	}
	profile, err := v.atlas.Profile(q.By)
	if err != nil {
		return nil, fault.Refuse("by", q.By, err)
	}
	ways, err := v.atlas.Route(ctx, atlas.Ask{Travel: t, Stops: q.Stops, Alternatives: q.Alternatives,
		Optimize: q.Optimize})
	if err != nil {
		return nil, err
	}
	out := &Journeys{Ways: ways, Profile: profile}
	for _, n := range ways[0].Avoided {
		out.Avoided = append(out.Avoided, made[n])
	}
	return out, nil
}

// MostPairs is how many pairs of a matrix may be asked for, MostSide how many positions on a side.
const MostPairs, MostSide = 250_000, 2_500

// Matrix finds the quickest ways from some positions to others.
func (v *Service) Matrix(ctx context.Context, a Actor, t Travelling, from, to []geo.Point) (*road.Matrix, error) {
	if err := a.MayAsk(); err != nil {
		return nil, err
	}
	switch {
	case len(from) == 0 || len(to) == 0:
		return nil, fault.Refuse("from", "", errors.New("and to must each have a position at least"))
	case len(from) > MostSide || len(to) > MostSide || len(from)*len(to) > MostPairs:
		return nil, fault.Refuse("to", fmt.Sprintf("%d by %d", len(from), len(to)), fmt.Errorf(
			"are too many: at most %d positions on a side and %d pairs; ask in parts", MostSide, MostPairs))
	}
	travel, _, err := v.travel(ctx, a, t)
	if err != nil {
		return nil, err
	}
	return v.atlas.Matrix(ctx, travel, from, to)
}

// Reach returns what can be reached from a position within some times.
func (v *Service) Reach(
	ctx context.Context, a Actor, t Travelling, at geo.Point, seconds []float64, inward bool,
) ([]road.Area, error) {
	if err := a.MayAsk(); err != nil {
		return nil, err
	}
	travel, _, err := v.travel(ctx, a, t)
	if err != nil {
		return nil, err
	}
	return v.atlas.Reach(ctx, travel, at, seconds, inward)
}

// Profiles returns the ways of travelling, and what is wrong with those of one's own that cannot be used.
func (v *Service) Profiles(a Actor) ([]*road.Profile, error, error) {
	if err := a.MayAsk(); err != nil {
		return nil, nil, err
	}
	all, wrong := v.atlas.Profiles()
	return all, wrong, nil
}

// ByTime is a place with the time and the way to it.
type ByTime struct {
	catalog.Row
	DurationS, DistanceM float64
}

const (
	// firstLooked is how many places are looked at first, by distance as the crow flies, mostLooked how many in all.
	firstLooked, mostLooked = 200, 20_000
)

// NearbyByTime returns the places of a ring of time, by the time to them. It looks at them by their distance as the
// crow flies, and ends where none that is farther could be nearer in time. complete is false where it gave up before.
func (v *Service) NearbyByTime(
	ctx context.Context, a Actor, t Travelling, q catalog.Near, withinS, beyondS float64,
) (out []ByTime, complete bool, err error) {
	s, view, err := v.reading(ctx, a)
	if err != nil {
		return nil, false, err
	}
	profile, err := v.atlas.Profile(t.By)
	if err != nil {
		return nil, false, fault.Refuse("by", t.By, err)
	}
	travel, _, err := v.travel(ctx, a, t)
	if err != nil {
		return nil, false, err
	}
	limit, fastest := q.Limit, profile.Fastest()
	q.WithinM, q.BeyondM, q.Count = math.Min(withinS*fastest, 2e7), 0, false
	if math.IsInf(withinS, 1) {
		q.WithinM = math.Inf(1)
	}
	seen := 0
	for n := firstLooked; ; n *= 4 {
		q.Limit = min(n, mostLooked)
		found := s.InRing(view, q)
		next := found[seen:]
		if len(next) > 0 {
			at := make([]geo.Point, len(next))
			for i := range next {
				at[i] = next[i].Point()
			}
			table, err := v.atlas.Matrix(ctx, travel, []geo.Point{q.At}, at)
			if err != nil {
				return nil, false, err
			}
			for i, d := range table.DurationsS[0] {
				if d <= withinS && d >= beyondS {
					out = append(out, ByTime{next[i].Row, d, table.DistancesM[0][i]})
				}
			}
			slices.SortStableFunc(out, func(x, y ByTime) int {
				if x.DurationS != y.DurationS {
					if x.DurationS < y.DurationS {
						return -1
					}
					return 1
				}
				xID, yID := x.ID(), y.ID()
				return slices.Compare(xID[:], yID[:])
			})
		}
		seen = len(found)
		if seen < q.Limit {
			return out[:min(limit, len(out))], true, nil
		}
		if len(out) >= limit && out[limit-1].DurationS <= (found[seen-1].DistanceM-offRoadM)/fastest {
			return out[:limit], true, nil
		}
		if seen >= mostLooked {
			return out[:min(limit, len(out))], false, nil
		}
	}
}

// offRoadM is how far a place may lie from the road that it is reached by: so much of its distance takes no time.
const offRoadM = 5000

// ProfileDir is the directory where profiles of one's own lie.
func (v *Service) ProfileDir() string { return v.atlas.ProfileDir() }
