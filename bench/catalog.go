package main

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/service/catalog"
	"viandante/store"
)

// held is what a process of its own measured of a catalog.
type held struct {
	Count                      int
	LoadS, RebuildS            float64
	LiveBytes, PlainBytes      float64 // for a place
	PeakMB                     float64
	WriteMs, WriteMedianMs     float64 // while it is rebuilt: the slowest and the median
	NearMs, NearMedianMs       float64
	WrittenNearMs, NearAfterMs float64 // with many changes since, and with none
}

// catalogs measures a catalog without a database: what a place takes, and who waits while its indexes are built anew.
func catalogs() ([]row, error) {
	program, err := os.Executable()
	if err != nil {
		return nil, err
	}
	var rows []row
	for _, n := range []int{aMillion, 10 * aMillion} {
		cmd := exec.Command(program, "catalog", strconv.Itoa(n))
		cmd.Env = append(os.Environ(), "GOMEMLIMIT=3800MiB", "GOGC=50")
		cmd.Stderr = os.Stderr
		text, err := cmd.Output()
		if err != nil {
			return nil, err
		}
		var h held
		if err := json.Unmarshal(text, &h); err != nil {
			return nil, err
		}
		what := fmt.Sprintf("%d million places", n/aMillion)
		rows = append(
			rows,
			row{
				what + ": live for a place",
				h.LiveBytes,
				"bytes",
				"350 bytes",
				"the same as Go values in a map",
				h.PlainBytes,
			},
			row{"… the process at most, all in", h.PeakMB, "MB", "4096 MB", "live", h.LiveBytes * float64(n) / 1e6},
			row{"… filled, without a database", h.LoadS, "s", "", "its indexes built anew", h.RebuildS},
			row{"… a change while they are built, slowest", h.WriteMs, "ms", "50 ms", "its median", h.WriteMedianMs},
			row{"… nearby meanwhile, slowest", h.NearMs, "ms", "50 ms", "its median", h.NearMedianMs},
			row{
				"… nearby with 16,000 changes not in the base, median",
				h.WrittenNearMs,
				"ms",
				"",
				"with none",
				h.NearAfterMs,
			},
		)
	}
	return rows, nil
}

// someplace makes features as the demo's are, all from one seed.
type someplace struct {
	r *rand.Rand
	n uint64
}

var (
	placeWords = []string{
		"Mill",
		"Lantern",
		"Ropewalk",
		"Heron",
		"Fennel",
		"Anchor",
		"Thistle",
		"Cobble",
		"Juniper",
		"Tallow",
		"Ünder",
		"Søgate",
	}
	placeKinds = []string{"fountain", "shelter", "repair", "locker", "firstaid", "lookout"}
	conditions = []string{"sound", "worn", "needs repair"}
)

func (s *someplace) next() *feature.Feature {
	r := s.r
	s.n++
	word := func() string { return placeWords[r.IntN(len(placeWords))] }
	attributes, err := feature.NewAttributes(
		map[string]any{"condition": conditions[r.IntN(3)], "boxes": r.IntN(100_000),
			"inspected_on": fmt.Sprintf("20%02d-%02d-%02d", 10+r.IntN(17), 1+r.IntN(12), 1+r.IntN(28)),
			"keeper":       word() + " keeper", "telephone": fmt.Sprintf("+999 %07d", r.IntN(10_000_000))},
	)
	if err != nil {
		panic(err) // texts and numbers always marshal
	}
	at := geo.MustPoint(-38.15+0.2*r.Float64(), -26.32+0.45*r.Float64()).Rounded()
	now := time.UnixMicro(1_700_000_000_000_000 + int64(s.n))
	id := uuid.UUID{
		0:  byte(s.n >> 56),
		1:  byte(s.n >> 48),
		2:  byte(s.n >> 40),
		3:  byte(s.n >> 32),
		4:  byte(s.n >> 24),
		5:  byte(s.n >> 16),
		6:  0x70,
		7:  byte(s.n >> 8),
		8:  0x80,
		9:  byte(s.n),
		10: byte(r.Uint32()),
		11: byte(r.Uint32()),
	}
	return &feature.Feature{
		ID:         id,
		Collection: "posts",
		Name:       fmt.Sprintf("%s %s %d", word(), word(), r.IntN(aMillion)),
		Category:   placeKinds[r.IntN(len(placeKinds))],
		Geometry:   feature.At(at),
		Attributes: attributes,
		Version:    s.n,
		CreatedAt:  now,
		UpdatedAt:  now,
	}
}

// liveHeap is what the heap holds after a collection.
func liveHeap() float64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return float64(m.HeapAlloc)
}

// holdCatalog fills a catalog, changes it while its indexes are built, and prints what that took.
func holdCatalog(text string) error {
	n, err := strconv.Atoi(text)
	if err != nil {
		return err
	}
	h := held{Count: n}
	if plain := min(n, aMillion); plain > 0 {
		before := liveHeap()
		s, all := someplace{r: rand.New(rand.NewPCG(6, 6))}, map[uuid.UUID]*feature.Feature{}
		for range plain {
			f := s.next()
			all[f.ID] = f
		}
		h.PlainBytes = (liveHeap() - before) / float64(len(all))
		runtime.KeepAlive(all)
	}
	before := liveHeap()
	s := someplace{r: rand.New(rand.NewPCG(6, 6))}
	c := catalog.New()
	began := time.Now()
	err = c.Load(catalog.Contents{Features: func(yield func(*feature.Feature) error) error {
		for range n {
			if err := yield(s.next()); err != nil {
				return err
			}
		}
		return nil
	}})
	if err != nil {
		return err
	}
	h.LoadS = time.Since(began).Seconds()
	began = time.Now()
	c.Rebuild()
	h.RebuildS = time.Since(began).Seconds()
	h.LiveBytes = (liveHeap() - before) / float64(n)
	h.NearAfterMs = nearOf(c, s.r, 2000).at(0.5)
	no := uint64(0)
	write := func() float64 {
		f := s.next()
		no++
		began := time.Now()
		err = c.Apply([]store.Logged{{No: no, Topic: store.Features, Entity: f.ID.String(), After: f}})
		return milliseconds(time.Since(began))
	}
	for range 16_000 {
		if write(); err != nil {
			return err
		}
	}
	h.WrittenNearMs = nearOf(c, s.r, 2000).at(0.5)
	done := make(chan struct{})
	go func() { c.Rebuild(); close(done) }()
	var writes, nears times
	for running := true; running; {
		select {
		case <-done:
			running = false
		default:
		}
		writes = append(writes, write())
		nears = append(nears, nearOf(c, s.r, 1)...)
		time.Sleep(200 * time.Microsecond)
	}
	slices.Sort(writes)
	slices.Sort(nears)
	h.WriteMs, h.WriteMedianMs, h.NearMs, h.NearMedianMs = writes.at(1), writes.at(0.5), nears.at(1), nears.at(0.5)
	h.PeakMB = peakMB()
	runtime.KeepAlive(c)
	return json.NewEncoder(os.Stdout).Encode(h)
}

func nearOf(c *catalog.Catalog, r *rand.Rand, n int) times {
	return measured(n, func(int) {
		at := geo.MustPoint(-38.15+0.2*r.Float64(), -26.32+0.45*r.Float64())
		c.Now().Near(catalog.Everything(), catalog.Near{At: at, WithinM: math.Inf(1), Limit: 10})
	})
}

// peakMB is the most that this process ever had resident, in MB.
func peakMB() float64 {
	status, _ := os.ReadFile("/proc/self/status")
	for line := range strings.Lines(string(status)) {
		if strings.HasPrefix(line, "VmHWM:") {
			kb, _ := strconv.ParseFloat(strings.Fields(line)[1], 64)
			return kb / 1000
		}
	}
	return 0
}
