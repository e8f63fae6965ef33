package standin

import (
	"context"
	"math"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/live"
)

func TestAWalkerGoesToAndFro(t *testing.T) {
	line := []geo.Point{geo.MustPoint(-38, -26), geo.MustPoint(-38, -25.99), geo.MustPoint(-37.99, -25.99)}
	total := geodesy.Distance(line[0], line[1]) + geodesy.Distance(line[1], line[2])
	w := Walker{Line: line, SpeedMPS: 1.4, AccuracyM: 8}
	began := time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)
	last, west, east := w.At(began), math.Inf(1), math.Inf(-1)
	turns := 0
	for s := 1; float64(s) < 4*total/w.SpeedMPS; s++ {
		now := w.At(began.Add(time.Duration(s) * time.Second))
		assert.InDelta(t, w.SpeedMPS, geodesy.Distance(last.At, now.At), 1.2, "second %d", s)
		if d := math.Abs(math.Remainder(now.HeadingDeg-last.HeadingDeg, 360)); d > 170 {
			turns++
		}
		west, east = min(west, now.At.Lng()), max(east, now.At.Lng())
		last = now
	}
	assert.Equal(t, 4, turns, "twice to and fro")
	assert.InDelta(t, -26, west, 1e-4)
	assert.InDelta(t, -25.99, east, 1e-4)
	assert.Equal(t, w.At(began).At, w.At(began).At, "the same for the same time")
	still := Walker{Line: line[:1]}
	assert.Equal(t, line[0], still.At(began).At)
}

func TestASilentWalkerIsHeardNowAndThen(t *testing.T) {
	w := Walker{Line: []geo.Point{geo.MustPoint(1, 2)}, Silent: true}
	heard := 0
	for s := range 600 {
		if w.Speaks(time.Unix(int64(s), 0)) {
			heard++
		}
	}
	assert.Equal(t, 120, heard)
	ctx, stop := context.WithCancel(t.Context())
	var times []time.Time
	now := time.Unix(300, 0) // in the silent part
	Walk(ctx, []Walker{w}, func() time.Time { return now }, func(_ uuid.UUID, r live.Report) {
		times = append(times, r.Time)
		stop()
	})
	assert.Equal(t, []time.Time{now.Add(-lastHeard)}, times)
}
