package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// together measures a party: a thousand devices that report each second, a hundred who look on, for five minutes; then
// ten thousand watches over a thousand who move, each event held to a full scan. The seed is 15.
func together() ([]row, error) {
	token, stop, err := demoServer("together")
	if err != nil {
		return nil, err
	}
	defer stop()
	b := &togetherBench{token: token, random: rand.New(rand.NewPCG(15, 15)), party: uuid.Must(uuid.NewV7()).String()}
	if _, err := b.ask("PUT", "/v1/parties/"+b.party, `{"name":"Bench"}`); err != nil {
		return nil, err
	}
	defer func() { _, _ = b.ask("DELETE", "/v1/parties/"+b.party, "", "If-Match", "*") }()
	offshore := geo.MustPoint(-38.6, -26.9)
	alone, err := b.writes(offshore, 1000)
	if err != nil {
		return nil, err
	}
	if err := b.join(); err != nil {
		return nil, err
	}
	rows, watches, err := b.watched()
	if err != nil {
		return nil, err
	}
	still, err := b.writes(offshore, 1000)
	if err != nil {
		return nil, err
	}
	busy, err := b.writes(townSquare, spread)
	if err != nil {
		return nil, err
	}
	if err := b.forget(watches); err != nil {
		return nil, err
	}
	again, err := b.writes(offshore, 1000)
	if err != nil {
		return nil, err
	}
	alone = append(alone, again...) // before and after: the machine is not the same all the time
	slices.Sort(alone)
	const write = "a write of a place, median, 10,000 watches, half of them of places"
	rows = append(rows, row{write, still.at(0.5), "ms", "the same", "without any, same run", alone.at(0.5)},
		row{"… that enters and leaves some ten of them", busy.at(0.5), "ms", "", "without any, same run",
			alone.at(0.5)})
	seen, err := b.looked()
	return append(rows, seen...), err
}

const (
	devices   = 1000
	viewers   = 100
	standing  = 10_000
	movingFor = time.Minute
)

// partyFor is how long devices report and others look on.
var partyFor = func() time.Duration {
	if d, err := time.ParseDuration(os.Getenv("VIANDANTE_BENCH_PARTY")); err == nil {
		return d
	}
	return 5 * time.Minute
}()

type togetherBench struct {
	token   string
	random  *rand.Rand
	party   string
	members []string
	at      []geo.Point
}

var townSquare = geo.MustPoint(-38.1139663, -26.2798827)

func (b *togetherBench) ask(method, path, body string, header ...string) ([]byte, error) {
	return ask(b.token, method, path, []byte(body), append([]string{"Content-Type", "application/json"}, header...)...)
}

// somewhere is a position within so many metres of the square.
func (b *togetherBench) somewhere(metres float64) geo.Point {
	p, _, err := geodesy.Destination(geodesy.Ellipsoid, townSquare, 360*b.random.Float64(),
		metres*math.Sqrt(b.random.Float64()))
	if err != nil {
		panic(err) // the square is no pole
	}
	return p.Rounded()
}

const spread = 6000.0

func (b *togetherBench) join() error {
	for i := range devices {
		id := uuid.Must(uuid.NewV7()).String()
		b.members, b.at = append(b.members, id), append(b.at, b.somewhere(spread))
		path := "/v1/parties/" + b.party + "/members/" + id
		if _, err := b.ask("PUT", path, fmt.Sprintf(`{"name":"Device %d"}`, i)); err != nil {
			return err
		}
	}
	return nil
}

// writes returns how long changes of a place take that moves somewhere within some metres of a position.
func (b *togetherBench) writes(near geo.Point, metres float64) (times, error) {
	path := "/ogc/collections/posts/items/" + uuid.Must(uuid.NewV7()).String()
	var wrong error
	t := measured(300, func(i int) {
		p, _, err := geodesy.Destination(geodesy.Ellipsoid, near, 360*b.random.Float64(), metres*b.random.Float64())
		if err != nil {
			wrong = err
		}
		body := fmt.Sprintf(`{"type":"Feature","geometry":{"type":"Point","coordinates":[%v,%v]},"properties":{"name":`+
			`"Bench"}}`, p.Lng(), p.Lat())
		condition := "If-Match"
		if i == 0 {
			condition = "If-None-Match"
		}
		if _, err := ask(b.token, "PUT", path, []byte(body), condition, "*", "Content-Type",
			"application/geo+json"); err != nil {
			wrong = err
		}
	})
	_, err := ask(b.token, "DELETE", path, nil, "If-Match", "*")
	if wrong == nil {
		wrong = err
	}
	return t, wrong
}

// move takes a device a step of some metres on, and reports it; it returns the report.
func (b *togetherBench) move(r *rand.Rand, i int) (geo.Point, time.Time, error) {
	p, _, err := geodesy.Destination(geodesy.Ellipsoid, b.at[i], 360*r.Float64(), 60*r.Float64())
	if err != nil {
		return p, time.Time{}, err
	}
	if geodesy.Distance(p, townSquare) > spread {
		p = b.at[i] // nobody leaps
	}
	b.at[i] = p.Rounded()
	now := time.Now().UTC().Truncate(time.Millisecond)
	body := fmt.Sprintf(`{"positions":[{"position":[%v,%v],"time":%q,"accuracy_m":%v}]}`, b.at[i].Lng(), b.at[i].Lat(),
		now.Format(millisFormat), reportedAccuracy)
	_, err = b.ask("PUT", "/v1/parties/"+b.party+"/members/"+b.members[i]+"/positions", body)
	return b.at[i], now, err
}

const (
	millisFormat     = "2006-01-02T15:04:05.000Z07:00"
	reportedAccuracy = 6.0
)

// stream calls take with each line of a stream that begins with data, until ctx is done.
func (b *togetherBench) stream(ctx context.Context, path string, take func(line []byte)) error {
	req, err := http.NewRequestWithContext(ctx, "GET", "http://"+benchListen+path, nil)
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+b.token)
	req.Header.Set("Accept", "text/event-stream")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(make([]byte, 64<<10), 8<<20)
	for lines.Scan() {
		if bytes.HasPrefix(lines.Bytes(), []byte("data: ")) {
			take(lines.Bytes()[6:])
		}
	}
	return nil // it ends with ctx
}

// looked has a thousand devices report each second and a hundred look on.
func (b *togetherBench) looked() ([]row, error) {
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	type viewer struct {
		count atomic.Int64
		late  times
	}
	all := make([]viewer, viewers)
	var looking sync.WaitGroup
	mark := []byte(`"party":"` + b.party + `"`)
	stamp := []byte(`"time":"`)
	for i := range all {
		v := &all[i]
		looking.Go(func() {
			_ = b.stream(ctx, "/v1/changes?topics=positions", func(line []byte) {
				if !bytes.Contains(line, mark) || !bytes.Contains(line, []byte(`"moves"`)) {
					return
				}
				now := time.Now()
				for rest := line; ; {
					at := bytes.Index(rest, stamp)
					if at < 0 {
						return
					}
					rest = rest[at+len(stamp):]
					v.count.Add(1)
					if v.count.Load()%10 == 0 { // of a tenth: to read the time of all costs more than to send it
						if t, err := time.Parse(millisFormat, string(rest[:24])); err == nil {
							v.late = append(v.late, milliseconds(now.Sub(t)))
						}
					}
				}
			})
		})
	}
	time.Sleep(time.Second) // all look
	sent, wrong := atomic.Int64{}, atomic.Pointer[error]{}
	var reporting sync.WaitGroup
	end := time.Now().Add(partyFor)
	const workers = 20
	for w := range workers {
		r := rand.New(rand.NewPCG(15, uint64(w)))
		reporting.Go(func() {
			next := time.Now()
			for n := w; time.Now().Before(end); n += workers {
				i := n % devices
				if _, _, err := b.move(r, i); err != nil {
					wrong.Store(&err)
					return
				}
				sent.Add(1)
				next = next.Add(time.Second * workers / devices)
				time.Sleep(time.Until(next))
			}
		})
	}
	time.Sleep(min(time.Minute, partyFor/5))
	first := residentMB("bin/viandante")
	reporting.Wait()
	last := residentMB("bin/viandante")
	time.Sleep(2 * time.Second)
	stop()
	looking.Wait()
	if e := wrong.Load(); e != nil {
		return nil, *e
	}
	var late times
	lost := int64(0)
	for i := range all {
		lost += sent.Load() - all[i].count.Load()
		late = append(late, all[i].late...)
	}
	slices.Sort(late)
	asked, err := b.polled()
	if err != nil {
		return nil, err
	}
	rate := float64(sent.Load()) / partyFor.Seconds()
	return []row{
		{fmt.Sprintf("%.0f positions a second to %d viewers, 99 of 100", rate, viewers), late.at(0.99), "ms", "500 ms",
			"asked for once a second", asked.at(0.99)},
		{"… the median", late.at(0.5), "ms", "", "asked for once a second", asked.at(0.5)},
		{fmt.Sprintf("… of %d positions lost", sent.Load()*viewers), float64(lost), "", "0", "none", float64(lost)},
		{"… memory of the server at the end", last, "MB", "the same", "after a fifth of the time", first},
	}, nil
}

// polled has a few viewers ask where everybody is once a second, as is done where nothing is pushed, and returns how
// old what they learn is.
func (b *togetherBench) polled() (times, error) {
	var mu sync.Mutex
	var late times
	var wrong error
	done := make(chan bool)
	var working sync.WaitGroup
	working.Go(func() {
		r := rand.New(rand.NewPCG(15, 99))
		for n := 0; ; n++ {
			select {
			case <-done:
				return
			default:
			}
			if _, _, err := b.move(r, n%devices); err != nil {
				wrong = err
				return
			}
			time.Sleep(time.Millisecond)
		}
	})
	seen := map[string]string{}
	for range 12 {
		time.Sleep(time.Second)
		text, err := b.ask("GET", "/v1/parties/"+b.party+"/members", "")
		now := time.Now()
		if err != nil {
			return nil, err
		}
		var body struct {
			Members []struct{ ID, Time string }
		}
		if err := json.Unmarshal(text, &body); err != nil {
			return nil, err
		}
		mu.Lock()
		for _, m := range body.Members {
			if t, err := time.Parse(millisFormat, m.Time); err == nil && seen[m.ID] != m.Time {
				if seen[m.ID] != "" {
					late = append(late, milliseconds(now.Sub(t)))
				}
				seen[m.ID] = m.Time
			}
		}
		mu.Unlock()
	}
	close(done)
	working.Wait()
	slices.Sort(late)
	return late, wrong
}
