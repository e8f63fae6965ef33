package road

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"

	"viandante/core/region"
)

// Profile says how somebody travels: where he may, how fast, and what costs him time. Tables are by tag: key=value, or
// key=* for any value that has no row of its own. docs/routing.md tells what each row does; the package profiles reads
// profiles from files.
type Profile struct {
	// Name is what it is asked for by; Title what people call it.
	Name, Title string
	// Kind is the mode whose behaviour it shares: car, bicycle or foot.
	Kind region.Mode
	// Access are the keys that say who may travel, the most particular last; OneWay those that say in which direction;
	// Vehicles what restrictions of turns call it.
	Access, OneWay, Vehicles []string
	// Speeds are what it makes by value of highway, or on a ferry, in km/h; where there is no row, it may not go.
	Speeds map[string]float64
	// Other is the speed where only an access tag lets it in, in km/h.
	Other float64
	// LimitShare is the part of a speed limit that it makes; 0 where limits only bound it.
	LimitShare float64
	// AtMost bounds the speed by tag, in km/h.
	AtMost map[string]float64
	// Top is the greatest speed, in km/h.
	Top float64
	// Prefer multiplies the time of what has a tag when ways are compared: above 1 it is avoided, below 1 sought.
	Prefer map[string]float64
	// Points are the seconds that it costs to pass what stands on a road, by tag; Infinity where nobody passes.
	Points map[string]float64
	// BoardS are the seconds that it costs to board a ferry.
	BoardS float64
	// UpS and DownS are seconds for each metre climbed and descended.
	UpS, DownS float64
	Turns      TurnCosts
	// WalkWeight is how many times as much as walking it counts to be far from the road one begins or ends on.
	WalkWeight float64
}

// TurnCosts are seconds.
type TurnCosts struct {
	// Near is a turn to the side that one keeps to, Across one over the oncoming lane, Sharp what a sharp one costs
	// more.
	Near, Across, Sharp float64
	// Round is turning round where nothing else is left.
	Round float64
	// Larger is coming onto or across a larger road.
	Larger float64
	// KeepLeft tells that one drives on the left.
	KeepLeft bool
}

var profileName = regexp.MustCompile(`^[a-z][a-z0-9_-]{0,39}$`)

// ErrNowhere is returned for a profile that lets nobody onto any road.
var ErrNowhere = errors.New(
	"the profile has no speed for any class of road, so nobody could go anywhere: give speeds, " +
		"in km/h, by value of highway")

// Check tells what of a profile makes no sense.
func (p *Profile) Check() error {
	if !profileName.MatchString(p.Name) {
		return fmt.Errorf("%q is no name for a profile: small letters, digits, - and _, at most 40, a letter first",
			p.Name)
	}
	if len(p.Speeds) == 0 {
		return ErrNowhere
	}
	bounded := func(what string, table map[string]float64, least, most float64) error {
		for _, k := range slices.Sorted(maps.Keys(table)) {
			v := table[k]
			if math.IsInf(v, 1) && what == "points" {
				continue
			}
			if !(v >= least && v <= most) {
				return fmt.Errorf("%s: %s is %v; it must be from %v to %v", what, k, v, least, most)
			}
		}
		return nil
	}
	one := map[string]float64{"limit_share": p.LimitShare}
	return errors.Join(
		bounded("speeds", p.Speeds, 0.5, 300), bounded("at_most", p.AtMost, 0.5, 300),
		bounded("speeds", map[string]float64{"top": p.Top, "other": p.Other}, 0.5, 300),
		bounded("prefer", p.Prefer, 0.1, 50), bounded("points", p.Points, 0, 3600),
		bounded("speeds", one, 0, 1.5),
		bounded("ferry", map[string]float64{"board": p.BoardS}, 0, 86400),
		bounded("climb", map[string]float64{"up": p.UpS, "down": p.DownS}, 0, 60),
		bounded("turns", map[string]float64{"near": p.Turns.Near, "across": p.Turns.Across, "sharp": p.Turns.Sharp,
			"round": p.Turns.Round, "larger": p.Turns.Larger}, 0, 3600),
		bounded("walk", map[string]float64{"weight": p.WalkWeight}, 0, 100))
}

// Fastest returns the greatest speed that the profile ever makes, in metres per second.
func (p *Profile) Fastest() float64 {
	most := p.Top
	for _, v := range p.Speeds {
		most = math.Max(most, v)
	}
	return math.Max(most, 60) / 3.6 // a ferry may be faster than who takes it
}

// tagset reads the text of a kind.
type tagset map[string]string

func parseTags(text string) tagset {
	t := tagset{}
	for line := range strings.SplitSeq(text, "\n") {
		if k, v, ok := strings.Cut(line, "="); ok {
			t[k] = v
		}
	}
	return t
}

// each calls yield with the rows of a table that a tag set has, by key.
func (t tagset) each(table map[string]float64, yield func(v float64)) {
	for _, k := range slices.Sorted(maps.Keys(t)) {
		if row, ok := table[k+"="+t[k]]; ok {
			yield(row)
		} else if row, ok := table[k+"=*"]; ok {
			yield(row)
		}
	}
}

// passage says how a kind of road may be travelled in one direction.
type passage struct {
	// speed is in metres per second, 0 where it is closed; factor multiplies the time where ways are compared.
	speed, factor float64
}

// rule is what a profile makes of a kind of road.
type rule struct {
	forth, back passage
	// ends tells that it may be used only where the way begins or ends.
	ends       bool
	ferry      bool
	roundabout bool
	// rank orders roads by how large they are, for turns.
	rank   uint8
	traits Trait
}

// Trait is what a road is that people ask to avoid or want to be told of.
type Trait uint16

// The traits.
const (
	Motorway Trait = 1 << iota
	Toll
	FerryTrait
	Tunnel
	Unpaved
	StepsTrait
	Ford
	Private
)

var traitNames = []string{"motorway", "toll", "ferry", "tunnel", "unpaved", "steps", "ford", "private"}

// ParseTrait returns the trait of a name.
func ParseTrait(s string) (Trait, error) {
	if i := slices.Index(traitNames, s); i >= 0 && traitNames[i] != "private" {
		return 1 << i, nil
	}
	return 0, fmt.Errorf("is nothing that can be avoided: %s", strings.Join(traitNames[:len(traitNames)-1], ", "))
}

// Names returns what the traits are called.
func (t Trait) Names() []string {
	out := []string{}
	for i, name := range traitNames {
		if t>>i&1 == 1 {
			out = append(out, name)
		}
	}
	return out
}

var unpaved = []string{"unpaved", "gravel", "fine_gravel", "dirt", "earth", "ground", "grass", "sand", "mud",
	"pebblestone",
	"compacted", "rock", "woodchips"}

var ranks = map[string]uint8{"motorway": 7, "trunk": 6, "primary": 5, "secondary": 4, "tertiary": 3, "unclassified": 2,
	"residential": 2, "living_street": 2, "road": 2, "service": 1}

const closedTo = "no agricultural forestry military emergency use_sidepath discouraged"
const endsOnly = "private destination customers delivery permit residents"
const openTo = "yes designated permissive official"

func oneOf(list, v string) bool { return v != "" && slices.Contains(strings.Fields(list), v) }

// rule tells what the profile makes of a set of tags.
func (p *Profile) rule(t tagset) rule {
	value := t["highway"]
	r := rule{ferry: t["route"] == "ferry", roundabout: t["junction"] == "roundabout" || t["junction"] == "circular"}
	if r.ferry {
		value = "ferry"
	}
	class := strings.TrimSuffix(value, "_link")
	r.rank, r.traits = ranks[class], traitsOf(t, class)
	speed := p.Speeds[value]
	if speed == 0 {
		speed = p.Speeds[class]
	}
	allowed := speed > 0
	if r.ferry && p.Kind == region.Car {
		allowed = false // where a ferry takes cars, it says so
	}
	for _, k := range p.Access {
		switch v := t[k]; {
		case oneOf(closedTo, v):
			allowed, r.ends = false, false
		case oneOf(endsOnly, v):
			if k != "access" || allowed {
				allowed, r.ends = true, true
			}
		case oneOf(openTo, v) && (k != "access" || allowed): // access=yes does not make a stair a motorway
			allowed, r.ends = true, false
		case v == "dismount":
			allowed, speed = true, p.Other
		}
	}
	if !allowed {
		return r
	}
	if r.ends {
		r.traits |= Private
	}
	if speed == 0 {
		speed = p.Other
	}
	factor := 1.0
	t.each(p.Prefer, func(v float64) { factor *= v })
	forth, back := p.direction(t, r.roundabout || class == "motorway")
	if forth {
		r.forth = passage{p.speed(t, speed, "forward"), factor}
	}
	if back {
		r.back = passage{p.speed(t, speed, "backward"), factor}
	}
	return r
}

func traitsOf(t tagset, class string) (out Trait) {
	set := func(is bool, what Trait) {
		if is {
			out |= what
		}
	}
	set(class == "motorway" || t["motorroad"] == "yes", Motorway)
	set(t["toll"] == "yes", Toll)
	set(class == "ferry", FerryTrait)
	set(t["tunnel"] != "" && t["tunnel"] != "no", Tunnel)
	surface := t["surface"]
	set(slices.Contains(unpaved, surface) || surface == "" && (class == "track" || class == "path" ||
		class == "bridleway"),
		Unpaved)
	set(class == "steps", StepsTrait)
	set(t["ford"] == "yes", Ford)
	return out
}

// speed returns what is made in a direction, in metres per second.
func (p *Profile) speed(t tagset, kmh float64, direction string) float64 {
	limit := parseSpeed(t["maxspeed:"+direction])
	if limit == 0 {
		limit = parseSpeed(t["maxspeed"])
	}
	if own := parseSpeed(t["speed"]); own > 0 && t["route"] == "ferry" {
		return own / 3.6
	}
	switch {
	case limit > 0 && p.LimitShare > 0:
		kmh = limit * p.LimitShare
	case limit > 0:
		kmh = math.Min(kmh, limit)
	}
	t.each(p.AtMost, func(v float64) { kmh = math.Min(kmh, v) })
	return math.Min(kmh, p.Top) / 3.6
}

// parseSpeed reads a limit in km/h, mph or knots; 0 where it is none.
func parseSpeed(s string) float64 {
	factor := 1.0
	for unit, f := range map[string]float64{"mph": 1.609344, "knots": 1.852, "km/h": 1} {
		if cut, ok := strings.CutSuffix(s, unit); ok {
			s, factor = cut, f
		}
	}
	if s == "walk" {
		return 6
	}
	var v float64
	if _, err := fmt.Sscanf(strings.TrimSpace(s), "%f", &v); err != nil {
		return 0
	}
	if v *= factor; !(v >= 3 && v <= 300) {
		return 0
	}
	return v
}

// direction tells in which directions a road may be followed; oneWay is what it is where no tag says more.
func (p *Profile) direction(t tagset, oneWay bool) (forth, back bool) {
	forth, back = true, true
	if len(p.OneWay) == 0 {
		return forth, back
	}
	if oneWay && slices.Contains(p.OneWay, "oneway") {
		back = false
	}
	for _, k := range p.OneWay {
		switch t[k] {
		case "yes", "1", "true":
			forth, back = true, false
		case "-1", "reverse":
			forth, back = false, true
		case "no", "0", "false":
			forth, back = true, true
		}
	}
	if p.Kind == region.Bicycle {
		for _, k := range []string{"cycleway", "cycleway:left", "cycleway:right", "cycleway:both"} {
			if strings.HasPrefix(t[k], "opposite") || t[k+":oneway"] == "no" || t[k+":oneway"] == "-1" {
				forth, back = true, true
			}
		}
	}
	return forth, back
}

// point returns the seconds that it costs to pass what stands at a junction, infinite where nobody passes, and whether
// it counts only in one direction of the way: forward or backward, "" for both.
func (p *Profile) point(t tagset) (seconds float64, direction string) {
	t.each(p.Points, func(v float64) { seconds += v })
	for _, k := range p.Access {
		switch v := t[k]; {
		case oneOf(closedTo, v):
			seconds = math.Inf(1)
		case oneOf(openTo, v) && math.IsInf(seconds, 1):
			seconds = 0
		case oneOf(endsOnly, v) && t["barrier"] != "":
			seconds = math.Max(privateGateS, seconds)
		}
	}
	if t["locked"] == "yes" {
		seconds = math.Inf(1)
	}
	return seconds, t["direction"]
}

// privateGateS is what it costs to pass a private gate where ways are compared: so much that nobody is led through who
// can go round. It takes gateS.
const privateGateS, gateS = 900, 30

// bound tells whether a restriction of turns binds the profile.
func (p *Profile) bound(t tagset) bool {
	for v := range strings.SplitSeq(t["except"], ";") {
		if slices.Contains(p.Vehicles, strings.TrimSpace(v)) {
			return false
		}
	}
	if t["restriction"] != "" {
		return len(p.Vehicles) > 0 && p.Kind != region.Foot
	}
	for _, v := range p.Vehicles {
		if s := t["restriction:"+v]; strings.HasPrefix(s, "no_") || strings.HasPrefix(s, "only_") {
			return true
		}
	}
	return false
}

// Clone returns a copy that shares no table with the profile.
func (p *Profile) Clone() *Profile {
	next := *p
	next.Access, next.OneWay, next.Vehicles = slices.Clone(p.Access), slices.Clone(p.OneWay), slices.Clone(p.Vehicles)
	next.Speeds, next.AtMost = maps.Clone(p.Speeds), maps.Clone(p.AtMost)
	next.Prefer, next.Points = maps.Clone(p.Prefer), maps.Clone(p.Points)
	return &next
}
