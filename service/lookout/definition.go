package lookout

import (
	"errors"
	"fmt"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/watch"
	"viandante/service/fault"
)

// Definition is a watch as it is kept.
type Definition struct {
	Name string `json:"name"`
	// Paused watches tell of nothing; what is inside when one goes on is no event.
	Paused bool `json:"paused,omitempty"`
	// Center, lng, lat, or Follows, the id of a member, is the middle of a ring from BeyondM to WithinM metres.
	Center  *geo.Pair  `json:"center,omitempty"`
	Follows *uuid.UUID `json:"follows,omitempty"`
	BeyondM float64    `json:"beyond_m,omitempty"`
	WithinM float64    `json:"within_m,omitempty"`
	// Area are the rings of a polygon, lng, lat, in place of a ring round a centre.
	Area [][]geo.Pair `json:"area,omitempty"`
	// People and Places say what is looked at, of which those in the lists are the only ones where there are any.
	People      bool        `json:"people"`
	Parties     []uuid.UUID `json:"parties,omitempty"`
	Places      bool        `json:"places"`
	Collections []string    `json:"collections,omitempty"`
	Categories  []string    `json:"categories,omitempty"`
	// HysteresisM is the least margin at the edge for what moves, in metres.
	HysteresisM *float64 `json:"hysteresis_m"`
}

// DefaultHysteresisM is the margin of a watch that names none, in metres.
const DefaultHysteresisM = 10.0

const (
	// farthest is half of the way round the Earth, in metres; farthestRound is that round somebody who moves, round
	// whom places are asked for with each step.
	farthest      = 20_100_000.0
	farthestRound = 100_000.0
	mostMargin    = 10_000.0
	mostListed    = 100
	mostCorners   = 10_000
)

// Watch returns the standing query, or what is wrong with it.
func (d *Definition) Watch(id uuid.UUID) (watch.Watch, error) {
	out := watch.Watch{ID: id, BeyondM: d.BeyondM, WithinM: d.WithinM, People: d.People, Places: d.Places,
		Collections: d.Collections, Categories: d.Categories, HysteresisM: DefaultHysteresisM}
	if d.HysteresisM != nil {
		out.HysteresisM = *d.HysteresisM
	}
	for _, p := range d.Parties {
		out.Parties = append(out.Parties, p.String())
	}
	refuse := func(field, value, reason, hint string) error {
		return fault.Refuse(field, value, &geo.ParseError{Reason: reason, Hint: hint})
	}
	wheres := 0
	for _, there := range []bool{d.Center != nil, d.Follows != nil, len(d.Area) > 0} {
		if there {
			wheres++
		}
	}
	switch {
	case wheres != 1:
		return out, refuse("center", "", "is not the only one that says where",
			"give one of center [lng, lat], follows (a member's id) and area (rings of [lng, lat])")
	case !d.People && !d.Places:
		return out, refuse("people", "false", "is false as places is", "look at people, at places or at both")
	case len(d.Parties) > mostListed || len(d.Collections) > mostListed || len(d.Categories) > mostListed:
		return out, refuse("parties", "", fmt.Sprintf("has more than %d entries", mostListed), "leave it out for all")
	case !(out.HysteresisM >= 0 && out.HysteresisM <= mostMargin):
		return out, refuse("hysteresis_m", fmt.Sprint(out.HysteresisM), "is not a margin", "from 0 to 10,000 metres")
	}
	if len(d.Area) > 0 {
		return out, d.area(&out)
	}
	most := farthest
	if d.Follows != nil {
		out.Follows, most = *d.Follows, farthestRound
		if out.Follows == uuid.Nil {
			return out, refuse("follows", "", "is the UUID of zeros", "the id of a member of a party")
		}
	}
	switch {
	case !(d.WithinM > 0 && d.WithinM <= most):
		return out, refuse("within_m", fmt.Sprint(d.WithinM), "is not a distance for this watch",
			fmt.Sprintf("more than 0, at most %v metres", most))
	case !(d.BeyondM >= 0 && d.BeyondM < d.WithinM):
		return out, refuse("beyond_m", fmt.Sprint(d.BeyondM), "is not less than within_m", "0 for a circle")
	}
	if d.Center != nil {
		at, err := geo.FromLngLat(d.Center[:])
		if err != nil {
			return out, fault.Refuse("center", "", err)
		}
		out.Centre = at.Rounded()
	}
	return out, nil
}

func (d *Definition) area(out *watch.Watch) error {
	if d.WithinM != 0 || d.BeyondM != 0 {
		return fault.Refuse("within_m", fmt.Sprint(d.WithinM), errors.New("has no meaning for an area"))
	}
	rings, corners := make([][]geo.Point, len(d.Area)), 0
	for i, ring := range d.Area {
		if corners += len(ring); corners > mostCorners {
			return fault.Refuse("area", "", fmt.Errorf("has more than %d corners", mostCorners))
		}
		for j := range ring {
			p, err := geo.FromLngLat(ring[j][:])
			if err != nil {
				return fault.Refuse(fmt.Sprintf("area[%d][%d]", i, j), "", err)
			}
			rings[i] = append(rings[i], p.Rounded())
		}
	}
	polygon, err := feature.NewPolygon(rings, nil)
	if err != nil {
		return fault.Refuse("area", "", err)
	}
	out.Area = polygon
	return nil
}
