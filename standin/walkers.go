package standin

import (
	"context"
	"math"
	"time"

	"github.com/google/uuid"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/live"
)

// Walker stands in for a device that somebody carries to and fro along a line.
type Walker struct {
	ID        uuid.UUID
	Line      []geo.Point
	SpeedMPS  float64
	AccuracyM float64
	// OffM is where on the line he is at the beginning of time.
	OffM float64
	// Silent has him report for two minutes of ten only.
	Silent bool
}

const (
	// silentCycle and heardFor are how a silent walker comes and goes.
	silentCycle = 10 * time.Minute
	heardFor    = 2 * time.Minute
	// lastHeard is how old the only position of a silent walker is when the walkers set out.
	lastHeard = 3 * time.Minute
)

// At returns what the walker's device reports at a time: the same for the same time.
func (w *Walker) At(now time.Time) live.Report {
	lengths, total := make([]float64, len(w.Line)), 0.0
	for i := 1; i < len(w.Line); i++ {
		lengths[i] = geodesy.Distance(w.Line[i-1], w.Line[i])
		total += lengths[i]
	}
	out := live.Report{At: w.Line[0], Time: now, AccuracyM: w.AccuracyM, AltitudeM: math.NaN(),
		HeadingDeg: math.NaN(), SpeedMPS: math.NaN()}
	if total == 0 {
		return out
	}
	seconds := float64(now.UnixMilli()) / 1000
	along := math.Mod(w.OffM+w.SpeedMPS*seconds, 2*total)
	back := along > total
	if back {
		along = 2*total - along
	}
	for i := 1; i < len(w.Line); i++ {
		if along > lengths[i] && i+1 < len(w.Line) {
			along -= lengths[i]
			continue
		}
		line := geodesy.Between(geodesy.Ellipsoid, w.Line[i-1], w.Line[i])
		at, heading, err := geodesy.Destination(geodesy.Ellipsoid, w.Line[i-1], line.InitialBearing,
			min(along, lengths[i]))
		if err != nil {
			return out
		}
		if back {
			heading = geo.WrapBearing(heading + 180)
		}
		// The error of a receiver drifts: it goes round within its accuracy in some minutes.
		at, _, err = geodesy.Destination(geodesy.Ellipsoid, at, math.Mod(seconds*1.7+w.OffM, 360),
			w.AccuracyM*0.5*(1+math.Sin(seconds/41+w.OffM))/2)
		if err != nil {
			return out
		}
		out.At, out.HeadingDeg, out.SpeedMPS = at, geo.WrapBearing(heading), w.SpeedMPS
		return out
	}
	return out
}

// Speaks tells whether the walker's device reports at a time.
func (w *Walker) Speaks(now time.Time) bool {
	return !w.Silent || time.Duration(now.UnixMilli())*time.Millisecond%silentCycle < heardFor
}

// Walk has the walkers report where they are, each second, until ctx is done.
func Walk(ctx context.Context, walkers []Walker, now func() time.Time, report func(uuid.UUID, live.Report)) {
	began := now()
	for i := range walkers {
		if w := &walkers[i]; w.Silent {
			report(w.ID, w.At(began.Add(-lastHeard)))
		}
	}
	every := time.NewTicker(time.Second)
	defer every.Stop()
	for {
		for i := range walkers {
			if w := &walkers[i]; w.Speaks(now()) {
				report(w.ID, w.At(now()))
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
	}
}
