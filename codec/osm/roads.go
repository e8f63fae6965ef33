package osm

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/paulmach/osm"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/mercator"
	"viandante/core/region"
	"viandante/core/shape"
)

// highway says what a value of the key highway is: its class, and the zoom it first shows at.
type highway struct {
	class region.Class
	zoom  uint8
}

var highways = map[string]highway{
	"motorway":      {region.Motorway, 5},
	"trunk":         {region.Trunk, 6},
	"primary":       {region.Primary, 7},
	"secondary":     {region.Secondary, 8},
	"tertiary":      {region.Tertiary, 10},
	"unclassified":  {region.LocalStreet, 12},
	"residential":   {region.LocalStreet, 12},
	"living_street": {region.LocalStreet, 12},
	"road":          {region.LocalStreet, 12},
	"service":       {region.Service, 13},
	"pedestrian":    {region.Pedestrian, 13},
	"track":         {region.Track, 12},
	"cycleway":      {region.Cycleway, 13},
	"path":          {region.Path, 13},
	"bridleway":     {region.Path, 13},
	"footway":       {region.Path, 14},
	"steps":         {region.Steps, 14},
	"corridor":      {region.Path, 18},
}

// roadKeys are the keys whose tags a profile of travel may ask for; those with a colon behind them count too, as
// maxspeed:forward does. All others are left out of the network.
var roadKeys = []string{"highway", "junction", "route", "oneway", "access", "vehicle", "motor_vehicle", "motorcar",
	"motorcycle", "hgv", "bicycle", "foot", "horse", "wheelchair", "maxspeed", "minspeed", "surface", "smoothness",
	"tracktype", "toll", "bridge", "tunnel", "ford", "duration", "cycleway", "sidewalk", "service", "incline",
	"sac_scale", "mtb:scale", "trail_visibility", "lit", "area", "motorroad", "ramp", "maxheight", "maxwidth",
	"maxweight", "lanes"}

var pointKeys = []string{"barrier", "ford", "crossing", "traffic_signals", "direction", "access", "vehicle",
	"motor_vehicle", "motorcar", "bicycle", "foot", "locked"}

// onRoad are the values of highway that a node on a road has where it bears on traffic.
var onRoad = map[string]bool{"traffic_signals": true, "crossing": true, "stop": true, "give_way": true,
	"mini_roundabout": true, "toll_booth": true, "turning_circle": false}

// keep returns the tags with one of some keys, as key=value, by key.
func (t tags) keep(keys []string) (out []string) {
	for k, v := range t {
		base, _, _ := strings.Cut(k, ":")
		if (slices.Contains(keys, k) || slices.Contains(keys, base)) && len(v) <= 120 && !strings.ContainsRune(v,
			'\n') {
			out = append(out, k+"="+v)
		}
	}
	slices.Sort(out)
	return out
}

func (b *builder) roadPoint(n taggedNode) {
	kept := n.tags.keep(pointKeys)
	if onRoad[n.tags["highway"]] {
		kept = append(kept, "highway="+n.tags["highway"])
		slices.Sort(kept)
	}
	if n.tags["barrier"] == "" && n.tags["ford"] == "" && !onRoad[n.tags["highway"]] {
		return
	}
	b.draft.RoadPoints[n.id] = kept
}

func (b *builder) road(w *way, class region.Class) {
	name := w.tags["name"]
	if name == "" {
		name = w.tags["ref"]
	}
	for _, id := range w.nodes {
		b.draft.RoadNodes[id] = b.nodes[id]
	}
	kept := w.tags.keep(roadKeys)
	if class == region.Ferry {
		if v := ferrySpeed(w.tags["duration"], b.line(w.nodes)); v > 0 {
			kept = append(kept, fmt.Sprintf("speed=%.2f", v))
		}
	}
	b.draft.Roads = append(b.draft.Roads, region.Road{ID: w.id, Class: class, Name: name, Also: w.tags.otherNames(),
		Nodes: w.nodes, Tags: kept})
}

// ferrySpeed returns what a ferry makes, in km/h, by the duration of its crossing: 00:35, 1:20:00, 35 (minutes) or
// PT35M; 0 where that is not told.
func ferrySpeed(duration string, line []geo.E7) float64 {
	var d time.Duration
	if iso, ok := strings.CutPrefix(duration, "PT"); ok {
		d, _ = time.ParseDuration(strings.ToLower(iso))
	} else {
		unit := time.Minute // the last number is minutes, unless there are three
		parts := strings.Split(duration, ":")
		if len(parts) == 3 {
			unit = time.Second
		}
		for i := range parts {
			n, err := strconv.Atoi(parts[len(parts)-1-i])
			if err != nil || n < 0 || n > 10000 {
				return 0
			}
			d += time.Duration(n) * unit
			unit *= 60
		}
	}
	metres := 0.0
	for i := 1; i < len(line); i++ {
		metres += geodesy.Distance(line[i-1].Point(), line[i].Point())
	}
	if d < time.Minute || d > 20*24*time.Hour {
		return 0
	}
	return metres / d.Seconds() * 3.6
}

// addRestriction takes a restriction of turns. Of several ways that it comes from or leads to, each counts.
func (b *builder) addRestriction(r *osm.Relation, t tags) {
	var from, to, ways []int64
	node := int64(0)
	for _, m := range r.Members {
		switch {
		case m.Role == "from" && m.Type == osm.TypeWay:
			from = append(from, m.Ref)
		case m.Role == "to" && m.Type == osm.TypeWay:
			to = append(to, m.Ref)
		case m.Role == "via" && m.Type == osm.TypeWay:
			ways = append(ways, m.Ref)
		case m.Role == "via" && m.Type == osm.TypeNode:
			node = m.Ref
		}
	}
	var kept []string
	only, known := false, false
	for k, v := range t {
		if k == "except" || k == "restriction" || strings.HasPrefix(k, "restriction:") {
			kept = append(kept, k+"="+v)
		}
		if k == "restriction" || strings.HasPrefix(k, "restriction:") && k != "restriction:conditional" {
			only = only || strings.HasPrefix(v, "only_")
			known = known || strings.HasPrefix(v, "only_") || strings.HasPrefix(v, "no_")
		}
	}
	if !known || len(from) == 0 || len(to) == 0 || node == 0 && len(ways) == 0 || len(from)*len(to) > 100 {
		b.report.BadRestrictions++
		return
	}
	if len(ways) > 0 {
		node = 0
	}
	slices.Sort(kept)
	for _, f := range from {
		for _, o := range to {
			b.draft.Restrictions = append(b.draft.Restrictions, region.Restriction{ID: int64(r.ID), Tags: kept,
				From: f, Node: node, Ways: ways, To: o, Only: only})
		}
	}
}

// checkRestrictions leaves out those that name a way that is no road.
func (b *builder) checkRestrictions() {
	roads := map[int64]bool{}
	for _, r := range b.draft.Roads {
		roads[r.ID] = true
	}
	kept := b.draft.Restrictions[:0]
	for _, r := range b.draft.Restrictions {
		if !roads[r.From] || !roads[r.To] || slices.ContainsFunc(r.Ways, func(w int64) bool { return !roads[w] }) {
			b.report.BadRestrictions++
			continue
		}
		kept = append(kept, r)
	}
	slices.SortFunc(kept, func(x, y region.Restriction) int {
		return cmp.Or(cmp.Compare(x.ID, y.ID), cmp.Compare(x.From, y.From), cmp.Compare(x.To, y.To))
	})
	b.draft.Restrictions = kept
}

// mostAcross is up to how many entrances of a square are joined with each other; of more, every so many.
const mostAcross = 24

// crossSquares lets people walk across squares: round them, and in straight lines between the places where other ways
// meet the outline. The lines keep the id of the square.
func (b *builder) crossSquares() {
	uses := map[int64]int{}
	for _, r := range b.draft.Roads {
		for _, n := range r.Nodes {
			uses[n]++
		}
	}
	for _, w := range b.squares {
		for _, n := range w.nodes[1:] {
			uses[n]++
		}
	}
	for _, w := range b.squares {
		b.road(w, region.Pedestrian)
		b.draft.Roads[len(b.draft.Roads)-1].Square = true
		tagged := b.draft.Roads[len(b.draft.Roads)-1]
		ring := b.line(w.nodes[1:])
		parts := [][]mercator.XY{make([]mercator.XY, len(ring))}
		for i, p := range ring {
			parts[0][i] = mercator.Finest(p)
		}
		var doors []int
		for i, n := range w.nodes[1:] {
			if uses[n] > 1 {
				doors = append(doors, i)
			}
		}
		if len(doors) < 2 { // nothing leads in twice: the corners will do
			for i := range ring {
				doors = append(doors, i)
			}
			slices.Sort(doors)
			doors = slices.Compact(doors)
		}
		for len(doors) > mostAcross {
			doors = everyOther(doors)
		}
		for i, x := range doors {
			for _, y := range doors[i+1:] {
				if y == x+1 || x == 0 && y == len(ring)-1 || !within(parts, ring, x, y) {
					continue
				}
				line := tagged
				line.Nodes = []int64{w.nodes[1+x], w.nodes[1+y]}
				b.draft.Roads = append(b.draft.Roads, line)
			}
		}
	}
}

func everyOther(list []int) (out []int) {
	for i := 0; i < len(list); i += 2 {
		out = append(out, list[i])
	}
	return out
}

// within tells whether the straight line between two corners of a ring lies inside it.
func within(parts [][]mercator.XY, ring []geo.E7, x, y int) bool {
	a, b := parts[0][x], parts[0][y]
	for k := 1; k < 8; k++ {
		t := float64(k) / 8
		p := mercator.XY{X: a.X + int32(t*float64(b.X-a.X)), Y: a.Y + int32(t*float64(b.Y-a.Y))}
		if !shape.InsideXY(parts, p) {
			return false
		}
	}
	for i := range ring {
		c, d := parts[0][i], parts[0][(i+1)%len(ring)]
		if i == x || i == y || (i+1)%len(ring) == x || (i+1)%len(ring) == y {
			continue
		}
		if left(a, b, c)*left(a, b, d) < 0 && left(c, d, a)*left(c, d, b) < 0 {
			return false
		}
	}
	return true
}

func left(a, b, p mercator.XY) float64 {
	v := float64(b.X-a.X)*float64(p.Y-a.Y) - float64(b.Y-a.Y)*float64(p.X-a.X)
	if v == 0 {
		return 0
	}
	return math.Copysign(1, v)
}
