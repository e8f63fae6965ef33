package live

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

var (
	now  = time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)
	home = geo.MustPoint(-38.05, -26.05)
)

// at is a report some seconds after the beginning, so many metres to the east.
func at(seconds, metres float64) Report {
	p, _, err := geodesy.Destination(geodesy.Ellipsoid, home, 90, metres)
	if err != nil {
		panic(err)
	}
	return Report{At: p, Time: now.Add(time.Duration(seconds * float64(time.Second))), AccuracyM: 5,
		HeadingDeg: math.NaN(), SpeedMPS: math.NaN(), AltitudeM: math.NaN()}
}

func verdicts(outcomes []Outcome) (out []Verdict) {
	for _, o := range outcomes {
		out = append(out, o.Verdict)
	}
	return out
}

func TestReportsAreSortedOut(t *testing.T) {
	later := now.Add(time.Minute)
	nowhere := at(1, 0)
	nowhere.At = geo.Point{}
	for _, tt := range []struct {
		name    string
		reports []Report
		want    []Verdict
		taken   int
	}{
		{"in order", []Report{at(0, 0), at(1, 2), at(2, 4)}, []Verdict{Taken, Taken, Taken}, 3},
		{"out of order", []Report{at(2, 4), at(0, 0), at(1, 2)}, []Verdict{Taken, Taken, Taken}, 3},
		{"twice", []Report{at(0, 0), at(1, 2), at(1, 2)}, []Verdict{Taken, Taken, Doubled}, 2},
		{"from the future", []Report{at(0, 0), at(3600, 2)}, []Verdict{Taken, Refused}, 1},
		{"from last year", []Report{at(-366*86400, 0), at(1, 2)}, []Verdict{Refused, Taken}, 1},
		{"nowhere", []Report{at(0, 0), nowhere}, []Verdict{Taken, Refused}, 1},
		{"one leap", []Report{at(0, 0), at(1, 500_000), at(2, 4)}, []Verdict{Taken, Aside, Taken}, 2},
		{"a leap that three agree on", []Report{at(0, 0), at(1, 500_000), at(2, 500_002), at(3, 500_004)},
			[]Verdict{Taken, Aside, Aside, Taken}, 4},
		{"leaps that do not agree", []Report{at(0, 0), at(1, 500_000), at(2, -500_000), at(3, 500_000), at(4, 2)},
			[]Verdict{Taken, Aside, Aside, Aside, Taken}, 2},
		{"far, in a day", []Report{at(-86400, -5_000_000), at(0, 0)}, []Verdict{Taken, Taken}, 2},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var s Sift
			outcomes, taken := s.Batch(tt.reports, later)
			assert.Equal(t, tt.want, verdicts(outcomes))
			assert.Len(t, taken, tt.taken)
			for i := 1; i < len(taken); i++ {
				assert.True(t, taken[i].Time.After(taken[i-1].Time), "from the oldest to the newest")
			}
			for _, o := range outcomes {
				assert.Equal(t, o.Verdict == Refused || o.Verdict == Aside, o.Why != nil)
			}
		})
	}
}

func TestWhatCameBeforeIsLate(t *testing.T) {
	var s Sift
	s.Begin(at(10, 20))
	s.Begin(at(3, 6)) // older than what is known
	outcomes, taken := s.Batch([]Report{at(9, 18), at(10, 20), at(11, 22)}, now.Add(time.Minute))
	assert.Equal(t, []Verdict{Late, Doubled, Taken}, verdicts(outcomes))
	assert.Len(t, taken, 1)
	outcomes, taken = s.Batch([]Report{at(9, 18), at(11, 22)}, now.Add(time.Minute))
	assert.Equal(t, []Verdict{Doubled, Doubled}, verdicts(outcomes), "the same again")
	assert.Empty(t, taken)
	last, known := s.Last()
	assert.True(t, known)
	assert.Equal(t, at(11, 22).At, last.At)
}

// However reports are cut into batches and mixed within them, what was newest at the end is known at the end.
func TestBatchesComeToTheSame(t *testing.T) {
	const seed = 7
	r := rand.New(rand.NewPCG(seed, 2))
	for round := range 200 {
		var s Sift
		n, sent, total := 200, 0, 0
		for sent < n {
			size := min(1+r.IntN(20), n-sent)
			batch := make([]Report, size)
			for i, j := range r.Perm(size) {
				batch[i] = at(float64(sent+j), 3*float64(sent+j))
			}
			batch = append(batch, batch[r.IntN(size)])
			outcomes, taken := s.Batch(batch, now.Add(time.Hour))
			total += len(taken)
			assert.Contains(t, verdicts(outcomes), Doubled, "seed %d, round %d", seed, round)
			sent += size
		}
		assert.Equal(t, n, total)
		last, _ := s.Last()
		assert.Equal(t, at(float64(n-1), 3*float64(n-1)).At, last.At)
	}
}

func TestFreshness(t *testing.T) {
	for age, want := range map[time.Duration]Freshness{-time.Second: Fresh, 0: Fresh, 59 * time.Second: Fresh,
		time.Minute: Stale, 14 * time.Minute: Stale, 15 * time.Minute: Gone} {
		assert.Equal(t, want, FreshnessOf(age, time.Minute, 15*time.Minute), age)
	}
}
