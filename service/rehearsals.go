package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"github.com/google/uuid"

	"viandante/codec/gpx"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/rehearsal"
	"viandante/service/fault"
	"viandante/store"
)

// Rehearsal is a simulated journey: where it goes, how, and how well the device knows where it is. What follows from
// that, by the map data in use when it was saved, is kept with it: the same rehearsal gives the same fixes for ever.
type Rehearsal struct {
	Name string `json:"name"`
	// By is the mode: foot, bicycle or car.
	By string `json:"by"`
	// Stops, lng, lat, are two or more between which it goes along the roads. Without them it goes along Line.
	Stops []geo.Pair `json:"stops,omitempty"`
	// Line, lng, lat, was drawn or recorded; one position stands still. TimesS are the seconds at which its positions
	// were recorded.
	Line   []geo.Pair `json:"line,omitempty"`
	TimesS []float64  `json:"times_s,omitempty"`
	// HeightsM are the altitudes of what was recorded, null where unknown.
	HeightsM []*float64 `json:"heights_m,omitempty"`
	Seed     uint64     `json:"seed"`
	// ErrorM is the root mean square of the horizontal error in metres.
	ErrorM     float64 `json:"error_m"`
	Pauses     int     `json:"pauses"`
	SignalLost int     `json:"signal_lost"`
	WrongTurns int     `json:"wrong_turns"`
	Compass    string  `json:"compass"`
	DistanceM  float64 `json:"distance_m"`
	DurationS  float64 `json:"duration_s"`
	// Count is how many fixes there are.
	Count int `json:"fixes"`
	// Destination is what the goal is called.
	Destination string `json:"destination"`
	// Course is where it goes, of a journey along the roads.
	Course *course `json:"course,omitempty"`
}

// course is the way that is travelled, as it is kept.
type course struct {
	Line      []geo.Pair       `json:"line"`
	SpeedsMPS []float64        `json:"speeds_mps,omitempty"`
	HeightsM  []*float64       `json:"heights_m,omitempty"`
	Astray    []rehearsal.Span `json:"astray,omitempty"`
}

const (
	mostStops  = 50
	mostError  = 200.0
	mostEvents = 20
	mostKept   = 500
)

var rehearsals = kind[Rehearsal]{topic: store.Rehearsals, name: "rehearsal", most: mostKept, check: checkRehearsal}

func checkRehearsal(ctx context.Context, v *Service, a Actor, r *Rehearsal) error {
	if err := checkName(&r.Name); err != nil {
		return err
	}
	mode, err := region.ParseMode(r.By)
	if err != nil {
		return fault.Refuse("by", feature.Clip(r.By), err)
	}
	if r.Compass == "" {
		r.Compass = string(rehearsal.GoodCompass)
	}
	compasses := []rehearsal.Compass{rehearsal.GoodCompass, rehearsal.Uncalibrated, rehearsal.NoCompass}
	switch {
	case !(r.ErrorM >= 0 && r.ErrorM <= mostError):
		return fault.Refuse("error_m", fmt.Sprint(r.ErrorM), fmt.Errorf("must be from 0 to %v metres", mostError))
	case !slices.Contains(compasses, rehearsal.Compass(r.Compass)):
		return fault.Refuse("compass", feature.Clip(r.Compass), errors.New("must be good, uncalibrated or none"))
	case len(r.Destination) > 400:
		return fault.Refuse("destination", feature.Clip(r.Destination), errors.New("has more than 400 bytes"))
	}
	for name, n := range map[string]int{"pauses": r.Pauses, "signal_lost": r.SignalLost, "wrong_turns": r.WrongTurns} {
		if n < 0 || n > mostEvents {
			return fault.Refuse(name, fmt.Sprint(n), fmt.Errorf("must be from 0 to %d", mostEvents))
		}
	}
	c, err := v.courseOf(ctx, a, r, mode)
	if err != nil {
		return err
	}
	if r.Course = nil; len(r.Stops) > 0 {
		r.Course = pack(c)
	}
	fixes, err := r.Fixes()
	if err != nil {
		return fault.Refuse("line", "", err)
	}
	last := fixes[len(fixes)-1]
	r.DistanceM, r.DurationS, r.Count = math.Round(last.AlongM*10)/10, last.AtS, len(fixes)
	return nil
}

// courseOf returns the way that a rehearsal travels, by the map data in use.
func (v *Service) courseOf(ctx context.Context, a Actor, r *Rehearsal, mode region.Mode) (rehearsal.Course, error) {
	stops, err := pointsOf("stops", r.Stops)
	if err != nil {
		return rehearsal.Course{}, err
	}
	line, err := pointsOf("line", r.Line)
	if err != nil {
		return rehearsal.Course{}, err
	}
	switch {
	case len(stops) > 0 && len(line) > 0:
		return rehearsal.Course{}, fault.Refuse("line", "", errors.New("goes along stops or along a line, not both"))
	case len(stops) == 1 || len(stops) > mostStops:
		return rehearsal.Course{}, fault.Refuse("stops", fmt.Sprint(len(stops)),
			fmt.Errorf("must be from 2 to %d positions [lng, lat]", mostStops))
	case len(stops) > 1:
		random := rand.New(rand.NewPCG(r.Seed, 11))
		if err := a.MayRead(); err != nil {
			return rehearsal.Course{}, err
		}
		t, _, err := v.travel(ctx, a, Travelling{By: mode.String()})
		if err != nil {
			return rehearsal.Course{}, err
		}
		return v.atlas.Course(ctx, t, stops, r.WrongTurns, random.IntN)
	case len(line) == 0:
		return rehearsal.Course{}, fault.Refuse("stops", "",
			errors.New("has neither stops nor a line: give two stops [lng, lat], or the line of the journey"))
	case len(line) > rehearsal.MostFixes:
		return rehearsal.Course{}, fault.Refuse("line", fmt.Sprint(len(line)),
			fmt.Errorf("must have at most %d positions", rehearsal.MostFixes))
	case r.WrongTurns > 0:
		return rehearsal.Course{}, fault.Refuse("wrong_turns", fmt.Sprint(r.WrongTurns),
			errors.New("are taken at junctions; a line of one's own has none, so it must be 0"))
	}
	c := rehearsal.Course{Line: line, TimesS: r.TimesS, AltitudesM: numbers(r.HeightsM)}
	if len(r.TimesS) > 0 && (len(r.TimesS) != len(line) || !slices.IsSorted(r.TimesS)) {
		return c, fault.Refuse("times_s", "", errors.New("must be as many as positions, and ascending"))
	}
	if len(r.HeightsM) > 0 && len(r.HeightsM) != len(line) {
		return c, fault.Refuse("heights_m", "", errors.New("must be as many as positions"))
	}
	return c, nil
}

func pointsOf(field string, pairs []geo.Pair) ([]geo.Point, error) {
	out := make([]geo.Point, len(pairs))
	for i := range pairs {
		p, err := geo.FromLngLat(pairs[i][:])
		if err != nil {
			return nil, fault.Refuse(fmt.Sprintf("%s[%d]", field, i), "", err)
		}
		out[i] = p.Rounded()
	}
	return out, nil
}

// numbers and defined turn what is null into what is not a number, and back.
func numbers(in []*float64) (out []float64) {
	for _, v := range in {
		if v == nil {
			out = append(out, math.NaN())
		} else {
			out = append(out, *v)
		}
	}
	return out
}

func defined(in []float64) (out []*float64) {
	for _, v := range in {
		if math.IsNaN(v) {
			out = append(out, nil)
		} else {
			rounded := math.Round(v*10) / 10
			out = append(out, &rounded)
		}
	}
	return out
}

func pack(c rehearsal.Course) *course {
	out := &course{Line: make([]geo.Pair, len(c.Line)), HeightsM: defined(c.AltitudesM), Astray: c.Astray}
	for i, p := range c.Line {
		out.Line[i] = geo.Pair{p.Lng(), p.Lat()}
	}
	for _, v := range c.SpeedsMPS {
		out.SpeedsMPS = append(out.SpeedsMPS, math.Round(v*1000)/1000)
	}
	return out
}

// Fixes returns what the device reports, one fix a second where it has a signal.
func (r *Rehearsal) Fixes() ([]rehearsal.Fix, error) {
	mode, err := region.ParseMode(r.By)
	if err != nil {
		return nil, err
	}
	c := rehearsal.Course{AltitudesM: numbers(r.HeightsM)}
	pairs := r.Line
	if r.Course != nil {
		pairs = r.Course.Line
		c = rehearsal.Course{SpeedsMPS: r.Course.SpeedsMPS, AltitudesM: numbers(r.Course.HeightsM),
			Astray: r.Course.Astray}
	} else if len(r.TimesS) > 0 {
		c.TimesS = r.TimesS
	}
	if c.Line, err = pointsOf("line", pairs); err != nil {
		return nil, err
	}
	return rehearsal.Run(c, rehearsal.Manner{Mode: mode, Seed: r.Seed, ErrorM: r.ErrorM, Pauses: r.Pauses,
		Losses: r.SignalLost, Compass: rehearsal.Compass(r.Compass)})
}

// Rehearsals returns those that are kept, without the lines that they travel.
func (v *Service) Rehearsals(ctx context.Context, a Actor) ([]Kept[Rehearsal], error) {
	all, err := list(ctx, v, a, rehearsals)
	for i := range all {
		b := &all[i].Body
		b.Line, b.TimesS, b.HeightsM, b.Course = nil, nil, nil, nil
	}
	return all, err
}

// Rehearsal returns one of them.
func (v *Service) Rehearsal(ctx context.Context, a Actor, id uuid.UUID) (Kept[Rehearsal], error) {
	return one(ctx, v, a, rehearsals, id)
}

// PutRehearsal saves a rehearsal.
func (v *Service) PutRehearsal(
	ctx context.Context, a Actor, id uuid.UUID, body Rehearsal, match Match,
) (Kept[Rehearsal], bool, error) {
	return put(ctx, v, a, rehearsals, id, body, match)
}

// DeleteRehearsal deletes one.
func (v *Service) DeleteRehearsal(ctx context.Context, a Actor, id uuid.UUID, match Match) error {
	return drop(ctx, v, a, rehearsals, id, match)
}

// Recording reads a GPX track as a rehearsal: with the times at which it was recorded, or where it has none at the
// speed of the mode.
func Recording(in io.Reader, name, by string) (Rehearsal, error) {
	track, err := gpx.Read(in, rehearsal.MostFixes)
	if err != nil {
		return Rehearsal{}, fault.Refuse("body", "", err)
	}
	out := Rehearsal{Name: name, By: by, Compass: string(rehearsal.GoodCompass)}
	if out.Name == "" {
		out.Name = track.Name
	}
	if out.Name == "" {
		out.Name = "Recorded track"
	}
	if runes := []rune(out.Name); len(runes) > 100 {
		out.Name = string(runes[:100])
	}
	timed, high := true, false
	for _, p := range track.Positions {
		timed, high = timed && !p.Time.IsZero(), high || !math.IsNaN(p.AltitudeM)
	}
	track.Positions, timed = inOrder(track.Positions, timed)
	heights := make([]float64, 0, len(track.Positions))
	for _, p := range track.Positions {
		at := p.At.Rounded()
		out.Line = append(out.Line, geo.Pair{at.Lng(), at.Lat()})
		heights = append(heights, p.AltitudeM)
		if timed {
			out.TimesS = append(out.TimesS, p.Time.Sub(track.Positions[0].Time).Seconds())
		}
	}
	if high {
		out.HeightsM = defined(heights)
	}
	if timed && out.TimesS[len(out.TimesS)-1] > longest.Seconds() {
		return out, fault.Refuse("body", "", fmt.Errorf("the track lasts more than %s; send a day of it", longest))
	}
	return out, nil
}

const longest = 24 * time.Hour

// inOrder drops positions whose clock goes back; without times, or with one time for all, they have none.
func inOrder(positions []gpx.Position, timed bool) ([]gpx.Position, bool) {
	if !timed || len(positions) < 2 {
		return positions, false
	}
	out := positions[:1]
	for _, p := range positions[1:] {
		if p.Time.After(out[len(out)-1].Time) {
			out = append(out, p)
		}
	}
	if len(out) < 2 {
		return positions, false
	}
	return out, true
}
