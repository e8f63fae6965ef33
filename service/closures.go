package service

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/service/atlas"
	"viandante/service/fault"
	"viandante/store"
)

// Closure is a stretch of road that is blocked, slow or open again for some time, by one of a line, an area or the id
// of
// a segment.
type Closure struct {
	Name string `json:"name"`
	// State is blocked, slow or open.
	State string `json:"state"`
	// Factor is how many times as long a slow stretch takes, from 1 to 100; 3 where it is not given.
	Factor float64    `json:"factor,omitempty"`
	Line   []geo.Pair `json:"line,omitempty"`
	// Area is an outline and its holes, as of a GeoJSON Polygon.
	Area    [][]geo.Pair `json:"area,omitempty"`
	Segment string       `json:"segment,omitempty"`
	// By are the modes that it is for: car, bicycle, foot; none for all.
	By []string `json:"by,omitempty"`
	// Ways are the classes of road that it is for: path, track, street; none for all.
	Ways []string `json:"ways,omitempty"`
	// From and Until are when it holds, nil for at once and for ever.
	From  *time.Time `json:"from,omitempty"`
	Until *time.Time `json:"until,omitempty"`
}

const (
	mostClosures  = 500
	mostCorners   = 10_000
	slowByDefault = 3
)

var closureKind = kind[Closure]{topic: store.Closures, name: "closure", most: mostClosures, check: checkClosure}

func checkClosure(_ context.Context, v *Service, _ Actor, c *Closure) error {
	if err := checkName(&c.Name); err != nil {
		return err
	}
	switch {
	case c.State != "blocked" && c.State != "slow" && c.State != "open":
		return fault.Refuse("state", feature.Clip(c.State), errors.New("must be blocked, slow or open"))
	case c.State == "slow" && c.Factor == 0:
		c.Factor = slowByDefault
	case c.State == "slow" && !(c.Factor >= 1 && c.Factor <= 100):
		return fault.Refuse("factor", fmt.Sprint(c.Factor), errors.New("must be from 1 to 100 times as long"))
	case c.State != "slow":
		c.Factor = 0
	}
	slices.Sort(c.By)
	c.By = slices.Compact(c.By)
	for _, by := range c.By {
		if _, err := region.ParseMode(by); err != nil {
			return fault.Refuse("by", feature.Clip(by), err)
		}
	}
	for _, way := range c.Ways {
		if _, err := region.RoadClass(way); err != nil || len(c.Ways) > 20 {
			return fault.Refuse("ways", feature.Clip(way), err)
		}
	}
	if c.From != nil && c.Until != nil && !c.Until.After(*c.From) {
		return fault.Refuse("until", c.Until.Format(time.RFC3339), errors.New("must be after from"))
	}
	if c.Until != nil && !c.Until.After(time.Now()) {
		return fault.Refuse("until", c.Until.Format(time.RFC3339), errors.New(
			"has passed already; give a time to come, "+
				"or none for a closure that lasts until it is deleted"))
	}
	given := 0
	for _, is := range []bool{c.Line != nil, c.Area != nil, c.Segment != ""} {
		if is {
			given++
		}
	}
	if given != 1 {
		return fault.Refuse("line", "", errors.New("or an area or a segment must say what is closed: one of them"))
	}
	where, err := c.where()
	if err != nil {
		return err
	}
	n, complete, err := v.atlas.ClosedSegments(where)
	if err != nil {
		return err
	}
	if n == 0 && complete {
		return fault.New(fault.Impossible,
			"no road of the map data in use lies there: a line must run along roads, an "+
				"area hold a part of one, a segment be named as routes name it (way:node-node)")
	}
	return nil
}

// where returns the closure as the atlas has it.
func (c *Closure) where() (out atlas.Closure, err error) {
	out.Segment = c.Segment
	if len(c.Segment) > 80 {
		return out, fault.Refuse("segment", feature.Clip(c.Segment), errors.New("has more than 80 bytes"))
	}
	if out.Line, err = pointsOf("line", c.Line); err != nil {
		return out, err
	}
	if c.Line != nil && (len(out.Line) < 2 || len(out.Line) > mostCorners) {
		return out, fault.Refuse("line", fmt.Sprint(len(out.Line)),
			fmt.Errorf("must have 2 to %d positions [lng, lat]", mostCorners))
	}
	for _, ring := range c.Area {
		points, err := pointsOf("area", ring)
		if err != nil {
			return out, err
		}
		if len(points) < 3 || len(points) > mostCorners || len(c.Area) > 100 {
			return out, fault.Refuse("area", fmt.Sprint(len(points)),
				fmt.Errorf("must be rings of 3 to %d positions [lng, lat], the first the outline", mostCorners))
		}
		if len(points) > 3 && points[0] == points[len(points)-1] {
			points = points[:len(points)-1]
		}
		out.Area = append(out.Area, points)
	}
	if c.Area != nil && len(out.Area) == 0 {
		return out, fault.Refuse("area", "", errors.New("has no ring"))
	}
	for _, by := range c.By {
		mode, err := region.ParseMode(by)
		if err != nil {
			return out, err
		}
		out.Modes = append(out.Modes, mode)
	}
	for _, way := range c.Ways {
		class, err := region.RoadClass(way)
		if err != nil {
			return out, err
		}
		out.Classes = append(out.Classes, class)
	}
	switch c.State {
	case "blocked":
		out.Factor = math.Inf(1)
	case "slow":
		out.Factor = c.Factor
	default:
		out.Factor = 1
	}
	return out, nil
}

// holds tells whether a closure counts at a time.
func (c *Closure) holds(at time.Time) bool {
	return (c.From == nil || !at.Before(*c.From)) && (c.Until == nil || at.Before(*c.Until))
}

// Closures returns those that are kept, lapsed ones among them.
func (v *Service) Closures(ctx context.Context, a Actor) ([]Kept[Closure], error) {
	return list(ctx, v, a, closureKind)
}

// Closure returns one of them.
func (v *Service) Closure(ctx context.Context, a Actor, id uuid.UUID) (Kept[Closure], error) {
	return one(ctx, v, a, closureKind, id)
}

// PutClosure saves one. It counts for whoever asks next.
func (v *Service) PutClosure(
	ctx context.Context, a Actor, id uuid.UUID, body Closure, match Match,
) (Kept[Closure], bool, error) {
	return put(ctx, v, a, closureKind, id, body, match)
}

// DeleteClosure deletes one.
func (v *Service) DeleteClosure(ctx context.Context, a Actor, id uuid.UUID, match Match) error {
	return drop(ctx, v, a, closureKind, id, match)
}

// closures are those of a workspace in memory.
type closures struct {
	mu   sync.Mutex
	held map[uuid.UUID]Kept[Closure]
	// now is what they were last taken for, with the closures that it is made of.
	now  *atlas.Closures
	made []Kept[Closure]
}

func (c *closures) load(ctx context.Context, s *store.Store, workspace uuid.UUID) error {
	rows, err := s.AllKept(ctx, workspace, store.Closures)
	if err != nil {
		return err
	}
	held := map[uuid.UUID]Kept[Closure]{}
	for _, r := range rows {
		k, err := unpack[Closure](r)
		if err != nil {
			return err
		}
		held[r.ID] = k
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.held, c.now = held, nil
	return nil
}

func (c *closures) apply(log []store.Logged) {
	for i := range log {
		e := &log[i]
		if e.Topic != store.Closures {
			continue
		}
		id, err := uuid.Parse(e.Entity)
		var row store.Kept
		c.mu.Lock()
		if c.now = nil; e.Gone() {
			delete(c.held, id)
		} else if err == nil && e.Text(&row, true) == nil {
			var k Kept[Closure]
			if json.Unmarshal(row.Body, &k.Body) == nil {
				k.ID, k.Version = id, row.Version
				c.held[id] = k
			}
		}
		c.mu.Unlock()
	}
}

// at returns what holds at a time, in the order in which it was said, and what each number stands for.
func (c *closures) at(when time.Time) (*atlas.Closures, []Kept[Closure]) {
	c.mu.Lock()
	defer c.mu.Unlock()
	var made []Kept[Closure]
	for _, k := range c.held {
		if k.Body.holds(when) {
			made = append(made, k)
		}
	}
	if len(made) == 0 {
		return nil, nil
	}
	slices.SortFunc(made, func(a, b Kept[Closure]) int {
		return cmp.Or(cmp.Compare(a.Version, b.Version), strings.Compare(a.ID.String(), b.ID.String()))
	})
	same := func(a, b Kept[Closure]) bool { return a.ID == b.ID && a.Version == b.Version }
	if c.now != nil && slices.EqualFunc(made, c.made, same) {
		return c.now, c.made
	}
	out := &atlas.Closures{}
	for i, k := range made {
		where, err := k.Body.where()
		if err != nil {
			continue // it was checked when it was saved
		}
		where.Number = i
		out.All = append(out.All, where)
		out.Key += fmt.Sprintf("%s %d\n", k.ID, k.Version)
	}
	c.now, c.made = out, made
	return out, made
}
