package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/watch"
)

// watched has ten thousand watches over a thousand who move, a thousand moves a second, and holds each event to a full
// scan of all watches and all people.
func (b *togetherBench) watched() ([]row, []watch.Watch, error) {
	watches, err := b.standing()
	if err != nil {
		return nil, nil, err
	}
	time.Sleep(3 * time.Second) // all of them are looked at
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	var mu sync.Mutex
	var got []sighted
	var late times
	var reading sync.WaitGroup
	reading.Go(func() {
		_ = b.stream(ctx, "/v1/watches/events", func(line []byte) {
			now := time.Now()
			var e struct {
				No          uint64
				Watch, ID   uuid.UUID
				Party       string
				Event, Kind string
				At          time.Time
			}
			if json.Unmarshal(line, &e) != nil || e.Kind != "person" || e.Party != b.party {
				return
			}
			mu.Lock()
			defer mu.Unlock()
			got = append(got, sighted{e.Watch, e.ID, e.Event == "enters", e.At.UnixMilli()})
			late = append(late, milliseconds(now.Sub(e.At)))
		})
	})
	time.Sleep(500 * time.Millisecond)
	r := rand.New(rand.NewPCG(15, 7))
	scan := newScan(watches, b.members)
	type step struct {
		who int
		at  geo.Point
		now time.Time
	}
	var steps []step
	began := time.Now()
	for n := 0; time.Since(began) < movingFor; n++ { // one after the other: who moved before whom is known
		at, now, err := b.move(r, n%devices)
		if err != nil {
			return nil, nil, err
		}
		steps = append(steps, step{n % devices, at, now})
		time.Sleep(time.Until(began.Add(time.Duration(n+1) * time.Second / devices)))
	}
	rate := float64(len(steps)) / time.Since(began).Seconds()
	time.Sleep(2 * time.Second)
	stop()
	reading.Wait()
	var want []sighted
	scanBegan := time.Now()
	for _, s := range steps {
		want = scan.moved(want, s.who, s.at, s.now.UnixMilli())
	}
	scanned := float64(time.Since(scanBegan).Microseconds()) / float64(len(steps))
	missing, doubled := differing(want, got)
	slices.Sort(late)
	engine := watch.NewEngine(nobodys{})
	for _, w := range watches {
		w.Places = false
		engine.Put(w)
	}
	engineBegan := time.Now()
	for _, s := range steps {
		engine.Moved(watch.Thing{ID: uuid.MustParse(b.members[s.who]), Group: b.party, At: s.at,
			AccuracyM: reportedAccuracy}, s.now)
	}
	looked := float64(time.Since(engineBegan).Microseconds()) / float64(len(steps))
	return []row{
		{fmt.Sprintf("events of %d watches, %.0f moves a second, 99 of 100", len(watches), rate), late.at(0.99), "ms",
			"250 ms", "the median", late.at(0.5)},
		{fmt.Sprintf("… of %d events missing or too many", len(want)), float64(missing + doubled), "", "0", "none",
			float64(missing + doubled)},
		{"a move held to 10,000 watches, in the process", looked, "µs", "", "a full scan", scanned},
	}, watches, nil
}

// forget deletes the watches again.
func (b *togetherBench) forget(watches []watch.Watch) error {
	return each(len(watches), func(i int) error {
		_, err := b.ask("DELETE", "/v1/watches/"+watches[i].ID.String(), "", "If-Match", "*")
		return err
	})
}

// each does something with each number below n, four at a time.
func each(n int, do func(i int) error) error {
	var wait sync.WaitGroup
	errs := make([]error, 4)
	for w := range errs {
		wait.Go(func() {
			for i := w; i < n && errs[w] == nil; i += len(errs) {
				errs[w] = do(i)
			}
		})
	}
	wait.Wait()
	return errors.Join(errs...)
}

type nobodys struct{}

func (nobodys) Near(geo.Point, float64, *watch.Watch, func(watch.Thing)) {}

// sighted is an event, to be compared.
type sighted struct {
	watch, thing uuid.UUID
	enters       bool
	atMs         int64
}

// differing returns how many events are missing, and how many are there that should not be.
func differing(want, got []sighted) (missing, doubled int) {
	count := map[sighted]int{}
	for _, e := range want {
		count[e]++
	}
	for _, e := range got {
		count[e]--
	}
	for _, n := range count {
		missing += max(0, n)
		doubled += max(0, -n)
	}
	return missing, doubled
}

// standing makes the watches: circles, rings, areas, and some that follow somebody; half of them look at places, too.
func (b *togetherBench) standing() ([]watch.Watch, error) {
	var out []watch.Watch
	var bodies []string
	for i := range standing {
		w := watch.Watch{ID: uuid.Must(uuid.NewV7()), People: true, Places: i%2 == 0, Parties: []string{b.party},
			HysteresisM: 10}
		body := map[string]any{"name": fmt.Sprint("Watch ", i), "people": true, "places": w.Places,
			"parties": w.Parties, "hysteresis_m": w.HysteresisM}
		switch middle := b.somewhere(spread); {
		case i%10 == 9:
			w.Follows = uuid.MustParse(b.members[i%devices])
			w.WithinM = math.Round(50 + 200*b.random.Float64())
			body["follows"], body["within_m"] = w.Follows, w.WithinM
		case i%10 == 8:
			var ring []geo.Point
			var pairs [][2]float64
			for k := range 7 {
				p, _, err := geodesy.Destination(geodesy.Ellipsoid, middle, float64(k%6)*60,
					100+50*float64((k%6)%3))
				if err != nil {
					return nil, err
				}
				p = p.Rounded()
				ring, pairs = append(ring, p), append(pairs, [2]float64{p.Lng(), p.Lat()})
			}
			var err error
			if w.Area, err = feature.NewPolygon([][]geo.Point{ring}, nil); err != nil {
				return nil, err
			}
			body["area"] = [][][2]float64{pairs}
		default:
			w.Centre, w.WithinM = middle, math.Round(50+250*b.random.Float64())
			if i%10 > 5 {
				w.BeyondM = math.Round(w.WithinM / 2)
			}
			body["center"], body["within_m"], body["beyond_m"] = [2]float64{middle.Lng(), middle.Lat()}, w.WithinM,
				w.BeyondM
		}
		text, err := json.Marshal(body)
		if err != nil {
			return nil, err
		}
		out, bodies = append(out, w), append(bodies, string(text))
	}
	return out, each(len(out), func(i int) error {
		_, err := b.ask("PUT", "/v1/watches/"+out[i].ID.String(), bodies[i])
		return err
	})
}

// scan is the rule at the edge, applied to every pair without an index. People are numbered.
type scan struct {
	watches []watch.Watch
	ids     []uuid.UUID
	// boxes are how far off in latitude and longitude anything that is in a watch that stands still can lie, at most.
	latFrom, latTo, lngFrom, lngTo []float64
	led                            map[int][]int
	leader                         []int
	at                             []geo.Point
	in                             [][]bool // by person and watch
}

func newScan(watches []watch.Watch, members []string) *scan {
	n := len(watches)
	s := &scan{watches: watches, led: map[int][]int{}, leader: make([]int, n), at: make([]geo.Point, len(members)),
		latFrom: make([]float64, n), latTo: make([]float64, n), lngFrom: make([]float64, n), lngTo: make([]float64, n)}
	number := map[uuid.UUID]int{}
	for i, text := range members {
		id := uuid.MustParse(text)
		s.ids, number[id] = append(s.ids, id), i
		s.in = append(s.in, make([]bool, n))
	}
	for i := range watches {
		w := &watches[i]
		middle, reach := w.Centre, w.WithinM+100
		if w.Area.IsKnown() {
			middle, reach = w.Area.Lines()[0][0], 1000
		} else if w.Follows != uuid.Nil {
			s.leader[i] = number[w.Follows]
			s.led[s.leader[i]] = append(s.led[s.leader[i]], i)
			continue
		}
		lat, lng := reach/110_500, reach/87_000
		s.latFrom[i], s.latTo[i] = middle.Lat()-lat, middle.Lat()+lat
		s.lngFrom[i], s.lngTo[i] = middle.Lng()-lng, middle.Lng()+lng
	}
	return s
}

const bothMargin = math.Sqrt2 * reportedAccuracy

func (s *scan) moved(events []sighted, who int, at geo.Point, atMs int64) []sighted {
	s.at[who] = at
	in := s.in[who]
	for i := range s.watches {
		w := &s.watches[i]
		if w.Follows == uuid.Nil {
			outside := at.Lat() < s.latFrom[i] || at.Lat() > s.latTo[i] || at.Lng() < s.lngFrom[i] ||
				at.Lng() > s.lngTo[i]
			if !outside || in[i] {
				events = s.one(events, i, w.Centre, who, at, w.HysteresisM, atMs)
			}
			continue
		}
		if centre := s.at[s.leader[i]]; centre.IsValid() && s.ids[who] != w.Follows {
			if in[i] || math.Abs(centre.Lat()-at.Lat())*110_500 < w.WithinM+100 {
				events = s.one(events, i, centre, who, at, max(w.HysteresisM, bothMargin), atMs)
			}
		}
	}
	for _, i := range s.led[who] {
		w := &s.watches[i]
		for other, p := range s.at {
			if other == who || !p.IsValid() {
				continue
			}
			if s.in[other][i] || math.Abs(p.Lat()-at.Lat())*110_500 < w.WithinM+100 {
				events = s.one(events, i, at, other, p, max(w.HysteresisM, bothMargin), atMs)
			}
		}
	}
	return events
}

// one decides on one pair.
func (s *scan) one(
	events []sighted, i int, centre geo.Point, who int, at geo.Point, margin float64, atMs int64,
) []sighted {
	w := &s.watches[i]
	was := s.in[who][i]
	is := watch.Decide(was, w.Depth(centre, at), margin)
	if is == was {
		return events
	}
	s.in[who][i] = is
	return append(events, sighted{w.ID, s.ids[who], is, atMs})
}
