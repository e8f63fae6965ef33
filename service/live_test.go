package service

import (
	"fmt"
	"math"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/live"
)

// Watches that many save at the same time are all looked at.
func TestManyWatchesSavedAtOnceAreAllLookedAt(t *testing.T) {
	v, _, a := newHouse(t)
	run(t, v)
	const many, writers = 1200, 6
	who, party := uuid.Must(uuid.NewV7()), uuid.Must(uuid.NewV7())
	_, _, err := v.PutParty(ctx, a, party, Party{Name: "Wardens"}, Match{New: true})
	require.NoError(t, err)
	_, _, err = v.PutMember(ctx, a, party, who, MemberDraft{Name: "Ida"})
	require.NoError(t, err)
	spot := func(i int) geo.Point { return geo.MustPoint(float64(i/40)*0.01, float64(i%40)*0.01) }
	var writing sync.WaitGroup
	for w := range writers {
		writing.Go(func() {
			for i := w; i < many; i += writers {
				p := spot(i)
				_, _, err := v.PutWatch(ctx, a, uuid.Must(uuid.NewV7()), Watch{Name: fmt.Sprint(i), WithinM: 50,
					Center: &geo.Pair{p.Lng(), p.Lat()}, People: true}, Match{New: true})
				assert.NoError(t, err)
			}
		})
	}
	writing.Wait()
	time.Sleep(100 * time.Millisecond)
	var reports []live.Report
	began := time.Now().Add(-6 * 24 * time.Hour)
	for i := range many {
		reports = append(reports, live.Report{At: spot(i), Time: began.Add(time.Duration(i) * 5 * time.Minute),
			AccuracyM: 5, AltitudeM: math.NaN(), HeadingDeg: math.NaN(), SpeedMPS: math.NaN()})
	}
	_, err = v.Report(ctx, a, party, who, reports)
	require.NoError(t, err)
	last := uint64(0)
	assert.Eventually(t, func() bool {
		_, last, err = v.Sightings(ctx, a, nil, uuid.Nil, 1)
		return err == nil && last >= 2*many-1
	}, 10*time.Second, 50*time.Millisecond)
	assert.EqualValues(t, 2*many-1, last, "every watch is entered, all but the last are left")
}
