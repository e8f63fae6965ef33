// Package live is about positions that devices report of themselves: which reports can be true and are new, and when
// what is known of somebody is old. What it decides costs a distance on the ellipsoid for each report.
package live

import (
	"fmt"
	"math"
	"slices"
	"time"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// Report is where a device says that it is. What it does not tell is NaN.
type Report struct {
	At   geo.Point
	Time time.Time
	// AccuracyM is the radius in metres within which it is, most of the time.
	AccuracyM float64
	AltitudeM float64
	// HeadingDeg is the direction of its movement, in degrees clockwise from true north, [0, 360).
	HeadingDeg float64
	SpeedMPS   float64
}

// Verdict is what becomes of a report.
type Verdict uint8

// A report is taken as the newest; it is late, older than what was taken before, and belongs into a track only; it is
// one that was sent before; it is set aside until others agree with it; or it cannot be.
const (
	Taken Verdict = iota
	Late
	Doubled
	Aside
	Refused
)

const (
	// FastestMPS is how fast somebody may have moved between two reports: the speed of sound, in metres per second.
	FastestMPS = 340.0
	// Ahead is how far the time of a report may lie in the future: clocks differ a little.
	Ahead = 30 * time.Second
	// Oldest is how long ago a report may have been made.
	Oldest = 7 * 24 * time.Hour
	// agreeing is how many reports in a row must agree with each other to be believed against what was known.
	agreeing = 3
	// remembered is how many times of reports are kept to know those that come twice.
	remembered = 64
)

// Sift tells the reports of one device apart. The zero Sift has heard of nothing. It is not safe for use by many
// goroutines.
type Sift struct {
	last  Report
	known bool
	odd   []Report
	times [remembered]int64
	next  int
}

// Last returns the newest report that was taken.
func (s *Sift) Last() (Report, bool) { return s.last, s.known }

// Begin tells what was taken before, by somebody else.
func (s *Sift) Begin(r Report) {
	if s.known && !r.Time.After(s.last.Time) {
		return
	}
	s.last, s.known, s.odd = r, true, nil
	s.remember(r.Time)
}

func (s *Sift) remember(t time.Time) {
	s.times[s.next] = t.UnixNano()
	s.next = (s.next + 1) % remembered
}

// Outcome is what became of a report of a batch. Why says what is wrong where it was refused or set aside.
type Outcome struct {
	Verdict Verdict
	Why     error
}

// Batch sorts out reports that came together at a time, in whatever order. It returns what became of each, in their
// order, and those that were taken, from the oldest to the newest. Reports that were set aside are taken, too, when
// enough agree with them.
func (s *Sift) Batch(reports []Report, now time.Time) (outcomes []Outcome, taken []Report) {
	order := make([]int, len(reports))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return reports[a].Time.Compare(reports[b].Time) })
	outcomes = make([]Outcome, len(reports))
	for _, i := range order {
		r, believed := reports[i], 0
		outcomes[i], believed = s.take(r, now)
		if outcomes[i].Verdict == Taken {
			taken = append(taken, s.odd[:believed]...)
			s.odd = nil
			taken = append(taken, r)
		}
	}
	return outcomes, taken
}

// take decides on one report; believed is how many of those that were set aside are taken with it.
func (s *Sift) take(r Report, now time.Time) (o Outcome, believed int) {
	switch {
	case !r.At.IsValid():
		return Outcome{Refused, &geo.ParseError{Reason: "has no position", Hint: "[lng, lat] in degrees"}}, 0
	case r.Time.After(now.Add(Ahead)):
		return Outcome{Refused, &geo.ParseError{
			Reason: "is from the future by " + r.Time.Sub(now).Round(time.Second).String(),
			Hint:   "set the device's clock, or send sent_at, the time by its clock at which it sends"}}, 0
	case r.Time.Before(now.Add(-Oldest)):
		return Outcome{Refused, &geo.ParseError{Reason: "is from " + r.Time.UTC().Format(time.DateOnly),
			Hint: fmt.Sprintf("at most %d days ago", int(Oldest.Hours()/24))}}, 0
	}
	if slices.Contains(s.times[:], r.Time.UnixNano()) {
		return Outcome{Verdict: Doubled}, 0
	}
	if s.known && !r.Time.After(s.last.Time) {
		s.remember(r.Time)
		return Outcome{Verdict: Late}, 0
	}
	if s.known {
		if tooFar, mps := leap(&s.last, &r); tooFar {
			if n := len(s.odd); n > 0 {
				if again, _ := leap(&s.odd[n-1], &r); again || !r.Time.After(s.odd[n-1].Time) {
					s.odd = nil
				}
			}
			if len(s.odd) < agreeing-1 {
				s.odd = append(s.odd, r)
				return Outcome{Aside, &geo.ParseError{
					Reason: fmt.Sprintf("lies so far from the one before that it had to move at %.0f m/s", mps),
					Hint:   fmt.Sprintf("it is believed when %d in a row agree", agreeing)}}, 0
			}
			believed = len(s.odd)
		}
	}
	for i := range believed {
		s.remember(s.odd[i].Time)
	}
	if believed == 0 {
		s.odd = nil
	}
	s.last, s.known = r, true
	s.remember(r.Time)
	return Outcome{Verdict: Taken}, believed
}

// leap tells whether two reports lie farther apart than anybody moves, and the speed that takes.
func leap(a, b *Report) (bool, float64) {
	seconds := max(1, math.Abs(b.Time.Sub(a.Time).Seconds()))
	d := geodesy.Distance(a.At, b.At) - orZero(a.AccuracyM) - orZero(b.AccuracyM)
	return d > FastestMPS*seconds, d / seconds
}

func orZero(v float64) float64 {
	if math.IsNaN(v) {
		return 0
	}
	return v
}

// Freshness is how well it is known where somebody is.
type Freshness string

// Freshness by the age of what is known last.
const (
	Fresh Freshness = "live"
	Stale Freshness = "stale"
	Gone  Freshness = "gone"
)

// FreshnessOf returns it for a report of an age.
func FreshnessOf(age, stale, gone time.Duration) Freshness {
	switch {
	case age >= gone:
		return Gone
	case age >= stale:
		return Stale
	}
	return Fresh
}
