package access

import (
	"context"
	"sync"
	"time"

	"github.com/google/uuid"
	limiter "github.com/sethvargo/go-limiter"
	"github.com/sethvargo/go-limiter/memorystore"

	"viandante/service/fault"
	"viandante/store"
)

// flushEvery is how often what was counted goes into the database, and how often it is learned what other processes
// have counted.
const flushEvery = 2 * time.Second

// Limit is where a token stands against one of its limits.
type Limit struct {
	// Name is "minute" or "day".
	Name           string
	Most, Left     uint64
	Window, Resets time.Duration
	Reached        bool
}

// counters count the use of tokens: those of a minute in this process, those of a day across all.
type counters struct {
	minutes limiter.Store
	mu      sync.Mutex
	// pending is what the database has not been told yet, known what it knows of a token's day.
	pending map[useKey]*store.Use
	known   map[uuid.UUID]*dayUse
}

type useKey struct {
	workspace, token uuid.UUID
	day              string
	call             string
}

type dayUse struct {
	day string
	n   uint64 // answered, here and elsewhere, as far as it is known
}

func newCounters() *counters {
	minutes, err := memorystore.New(&memorystore.Config{Tokens: 60, Interval: time.Minute})
	if err != nil {
		panic(err) // it has no error to return
	}
	return &counters{minutes: minutes, pending: map[useKey]*store.Use{}, known: map[uuid.UUID]*dayUse{}}
}

// Admit counts a call of a token and returns where it stands against its limits; the error says that one is reached.
func (g *Gate) Admit(ctx context.Context, c Credential, call string) ([]Limit, error) {
	if c.Token == uuid.Nil {
		return nil, nil
	}
	now := g.now().UTC()
	day := now.Format(time.DateOnly)
	var limits []Limit
	reached := -1
	if c.PerMinute > 0 {
		l, err := g.counters.minute(ctx, c)
		if err != nil {
			return nil, err
		}
		if l.Reached {
			reached = 0
		}
		limits = append(limits, l)
	}
	if c.PerDay > 0 {
		used, err := g.usedToday(ctx, c.Token, day)
		if err != nil {
			return nil, err
		}
		midnight := now.Truncate(24 * time.Hour).Add(24 * time.Hour)
		l := Limit{Name: "day", Most: uint64(c.PerDay), Window: 24 * time.Hour, Resets: midnight.Sub(now),
			Reached: used >= uint64(c.PerDay)}
		if !l.Reached {
			l.Left = l.Most - used - 1
		} else if reached < 0 {
			reached = len(limits)
		}
		limits = append(limits, l)
	}
	g.counters.count(c, day, call, reached >= 0)
	if reached < 0 {
		return limits, nil
	}
	l := limits[reached]
	return limits, fault.New(fault.TooMany, "this token is good for %d calls a %s, and they are used up; the next is "+
		"answered in %d s", l.Most, l.Name, int(l.Resets.Seconds())+1)
}

// minute takes a call from the bucket of a token's minute.
func (k *counters) minute(ctx context.Context, c Credential) (Limit, error) {
	key := c.Token.String()
	if most, _, err := k.minutes.Get(ctx, key); err != nil {
		return Limit{}, err
	} else if most != uint64(c.PerMinute) {
		if err := k.minutes.Set(ctx, key, uint64(c.PerMinute), time.Minute); err != nil {
			return Limit{}, err
		}
	}
	most, left, reset, ok, err := k.minutes.Take(ctx, key)
	resets := max(0, time.Until(time.Unix(0, int64(reset))))
	return Limit{Name: "minute", Most: most, Left: left, Window: time.Minute, Resets: resets, Reached: !ok}, err
}

func (k *counters) count(c Credential, day, call string, refused bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	key := useKey{c.Workspace, c.Token, day, call}
	u := k.pending[key]
	if u == nil {
		at, _ := time.Parse(time.DateOnly, day) // it was formatted a moment ago
		u = &store.Use{Token: c.Token, Day: at, Call: call}
		k.pending[key] = u
	}
	if refused {
		u.Refused++
		return
	}
	u.Answered++
	if d := k.known[c.Token]; d != nil && d.day == day {
		d.n++
	}
}

// usedToday returns how many calls of a token were answered today.
func (g *Gate) usedToday(ctx context.Context, token uuid.UUID, day string) (uint64, error) {
	k := g.counters
	k.mu.Lock()
	d := k.known[token]
	if d != nil && d.day == day {
		defer k.mu.Unlock()
		return d.n, nil
	}
	k.mu.Unlock()
	at, _ := time.Parse(time.DateOnly, day) // it was formatted a moment ago
	found, err := g.store.UsedOn(ctx, at, []uuid.UUID{token})
	if err != nil {
		return 0, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	n := found[token]
	for key, u := range k.pending {
		if key.token == token && key.day == day {
			n += u.Answered
		}
	}
	k.known[token] = &dayUse{day, n}
	return n, nil
}

// Run writes down what is counted until ctx is done, and once more then. It tells of each time how it went.
func (g *Gate) Run(ctx context.Context, failed func(error)) {
	every := time.NewTicker(flushEvery)
	defer every.Stop()
	for {
		select {
		case <-ctx.Done():
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), flushEvery)
			defer cancel()
			_ = g.Flush(last) // there is nobody left to tell
			return
		case <-every.C:
			failed(g.Flush(ctx))
		}
	}
}

// Flush writes down what was counted, and learns what other processes have.
func (g *Gate) Flush(ctx context.Context) error {
	k := g.counters
	k.mu.Lock()
	pending := k.pending
	k.pending = map[useKey]*store.Use{}
	k.mu.Unlock()
	lists := map[uuid.UUID][]store.Use{}
	for key, u := range pending {
		lists[key.workspace] = append(lists[key.workspace], *u)
	}
	for workspace, list := range lists {
		if err := g.store.AddUse(ctx, workspace, list); err != nil {
			k.mu.Lock()
			for key, u := range pending {
				if key.workspace == workspace && k.pending[key] == nil {
					k.pending[key] = u
				} else if key.workspace == workspace {
					k.pending[key].Answered += u.Answered
					k.pending[key].Refused += u.Refused
				}
			}
			k.mu.Unlock()
			return err
		}
	}
	return g.learn(ctx)
}

// learn reads how often the tokens that are limited by the day were used by all processes.
func (g *Gate) learn(ctx context.Context) error {
	k := g.counters
	today := g.now().UTC().Format(time.DateOnly)
	k.mu.Lock()
	var tokens []uuid.UUID
	for t, d := range k.known {
		if d.day != today {
			delete(k.known, t)
			continue
		}
		tokens = append(tokens, t)
	}
	k.mu.Unlock()
	at, _ := time.Parse(time.DateOnly, today) // it was formatted a moment ago
	found, err := g.store.UsedOn(ctx, at, tokens)
	if err != nil {
		return err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	for t, n := range found {
		for key, u := range k.pending {
			if key.token == t && key.day == today {
				n += u.Answered
			}
		}
		if d := k.known[t]; d != nil && d.day == today {
			d.n = n
		}
	}
	return nil
}

// UseOf returns how a token was used by day and call, for so many days back.
func (g *Gate) UseOf(ctx context.Context, a Actor, id uuid.UUID, days int) ([]store.Use, error) {
	if err := a.Needs(Admin); err != nil {
		return nil, err
	}
	if err := g.Flush(ctx); err != nil {
		return nil, err
	}
	return g.store.UseOf(ctx, a.Workspace, id, g.now().UTC().AddDate(0, 0, 1-days))
}
