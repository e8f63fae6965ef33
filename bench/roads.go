package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"time"

	"viandante/codec/osm"
	"viandante/core/geo"
	"viandante/core/hierarchy"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/core/road/roadtest"
)

// roadStages are how long it took to build a region of roads, and the most memory.
type roadStages struct {
	EncodeS, PeakGB float64
}

// buildRoads builds the region of a generated country of so many road nodes, in a process of its own.
func buildRoads(nodes, file string) error {
	n, err := strconv.Atoi(nodes)
	if err != nil {
		return err
	}
	draft := roadtest.Country(1, n)
	began := time.Now()
	data, err := region.Encode(draft)
	if err != nil {
		return err
	}
	s := roadStages{EncodeS: time.Since(began).Seconds()}
	if s.PeakGB, err = peakGB(); err != nil {
		return err
	}
	if err := os.WriteFile(file, data, 0o644); err != nil {
		return err
	}
	return json.NewEncoder(os.Stdout).Encode(s)
}

// roads measures the search for ways: on the island, a real extract, and generated countries up to a million road
// nodes.
func roads() ([]row, error) {
	if _, _, err := made(1); err != nil {
		return nil, err
	}
	isle, err := os.ReadFile(filepath.Join(benchDir, "islands-1.osm.pbf.region"))
	if err != nil {
		return nil, err
	}
	rows, err := waysIn("the island", isle, nil)
	if err != nil {
		return nil, err
	}
	extract, err := realRegion()
	if err != nil {
		return nil, err
	}
	more, err := waysIn("the real extract", extract, nil)
	if err != nil {
		return nil, err
	}
	rows = append(rows, more...)
	for _, n := range []int{10_000, 100_000, aMillion} {
		data, s, err := countryOf(n)
		if err != nil {
			return nil, err
		}
		more, err := waysIn("a country", data, s)
		if err != nil {
			return nil, err
		}
		rows = append(rows, more...)
	}
	return rows, nil
}

func realRegion() ([]byte, error) {
	file, err := roadtest.RealExtract("*.osm.bz2")
	if err != nil {
		return nil, err
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	draft, _, err := osm.Read(context.Background(), bufio.NewReader(f), "real")
	if err != nil {
		return nil, err
	}
	return region.Encode(draft)
}

func countryOf(nodes int) ([]byte, *roadStages, error) {
	if err := os.MkdirAll(benchDir, 0o755); err != nil {
		return nil, nil, err
	}
	file := filepath.Join(benchDir, fmt.Sprintf("country-%d.region", nodes))
	self, err := os.Executable()
	if err != nil {
		return nil, nil, err
	}
	cmd := exec.Command(self, "roads", strconv.Itoa(nodes), file)
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return nil, nil, err
	}
	var s roadStages
	if err := json.Unmarshal(out, &s); err != nil {
		return nil, nil, err
	}
	data, err := os.ReadFile(file)
	return data, &s, err
}

// heap returns the bytes in use.
func heap() float64 {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return float64(m.HeapAlloc)
}

// roadBench is one region with its ends of ways.
type roadBench struct {
	name   string
	r      *region.Region
	router *road.Router
	car    *road.Metric
	rnd    *rand.Rand
	rows   []row
}

func waysIn(name string, data []byte, s *roadStages) ([]row, error) {
	began := time.Now()
	r, err := region.Open(data)
	if err != nil {
		return nil, err
	}
	opened := milliseconds(time.Since(began))
	b := &roadBench{name: fmt.Sprintf("%s of %d road nodes", name, r.Meta.RoadNodes), r: r,
		rnd: rand.New(rand.NewPCG(5, 5))}
	if s != nil {
		what := fmt.Sprintf("%d junctions, %d segments: built, their order with them", r.Junctions(), r.Segments())
		b.add(what,
			s.EncodeS, "s", "300 s", "the most memory, in GB", s.PeakGB)
	}
	if err := b.memory(opened); err != nil {
		return nil, err
	}
	b.queries()
	b.closures()
	b.tables()
	return b.rows, nil
}

func (b *roadBench) add(what string, ours float64, unit, target, against string, theirs float64) {
	b.rows = append(b.rows, row{b.name + ": " + what, ours, unit, target, against, theirs})
}

// memory measures what a metric takes, how long it takes to make one, and the sections of the file.
func (b *roadBench) memory(opening float64) error {
	heap()
	before := heap() // what pools keep goes with the second collection
	began := time.Now()
	router := road.NewRouter(b.r)
	plain := road.NewMetric(b.r, roadtest.Profile("car"))
	weighed := milliseconds(time.Since(began))
	_, err := router.FindBy(context.Background(), plain, road.ByAStar, b.junction(), b.junction())
	_ = err // that there is no way is an answer, too
	customize := median(func() float64 {
		began := time.Now()
		b.car = plain.Customize(hierarchy.Goroutines(2))
		return time.Since(began).Seconds()
	})
	metrics := []*road.Metric{b.car, roadtest.Metric(b.r, "bicycle"), roadtest.Metric(b.r, "foot")}
	b.router = router
	perNode := (heap() - before + float64(b.r.SectionBytes(region.RoadSections...))) / float64(b.r.Meta.RoadNodes)
	runtime.KeepAlive(metrics)
	b.add("ready to answer after it is mapped, by A* at first", opening+weighed, "ms", "500 ms",
		"one profile customized",
		customize*1000)
	b.add("a profile customized", customize, "s", "4 s", "weighing its roads", weighed/1000)
	b.add("memory of the roads with three profiles, a road node", perNode, "B", "500 B", "the file's part",
		float64(b.r.SectionBytes(region.RoadSections...))/float64(b.r.Meta.RoadNodes))
	return nil
}

func (b *roadBench) junction() geo.Point {
	return b.r.Junction(uint32(b.rnd.IntN(b.r.Junctions()))).Point()
}

func (b *roadBench) queries() {
	ctx := context.Background()
	const n = 400
	type pair struct{ from, to geo.Point }
	pairs := make([]pair, n)
	for i := range pairs {
		pairs[i] = pair{b.junction(), b.junction()}
	}
	b.each(func(m *road.Metric) {
		by := m.Profile.Name
		ends := make([]*road.Ends, 0, n)
		for _, p := range pairs {
			if e, err := b.router.Ends(m, p.from, p.to); err == nil {
				ends = append(ends, e)
			}
		}
		cost := median(func() float64 {
			return measured(len(ends), func(i int) { b.router.Cost(ctx, m, road.ByHierarchy, ends[i]) }).at(0.5)
		})
		few := max(5, min(len(ends), 20_000_000/b.r.Vertices()))
		slow := measured(few, func(i int) { b.router.Cost(ctx, m, road.ByDijkstra, ends[i]) })
		b.add("what a way costs by "+by+", turns included, ends found before", cost, "ms", "0.4 ms",
			"Dijkstra's algorithm",
			slow.at(0.5))
		whole := measured(n, func(i int) { _, _ = b.router.Find(ctx, m, pairs[i].from, pairs[i].to) })
		b.add("a way by "+by+" with its line and steps, ends found", whole.at(0.5), "ms", "3 ms", "the 99th percentile",
			whole.at(0.99))
	})
	found := 0
	three := measured(100, func(i int) {
		ways, err := b.router.Alternatives(ctx, b.car, pairs[i].from, pairs[i].to, 3)
		if err == nil {
			found += len(ways) - 1
		}
	})
	b.add(fmt.Sprintf("three alternatives (%.1f found on average)", float64(found)/100), three.at(0.5), "ms", "8 ms",
		"the 99th percentile", three.at(0.99))
}

// each calls f with the metrics that are compared.
func (b *roadBench) each(f func(m *road.Metric)) {
	f(b.car)
	f(roadtest.Metric(b.r, "foot"))
}

func (b *roadBench) closures() {
	took := measured(25, func(i int) {
		s := uint32(b.rnd.IntN(b.r.Segments()))
		blocked := road.Closure{Factor: math.Inf(1)}
		b.car.Closed(map[uint32]road.Closure{2 * s: blocked, 2*s + 1: blocked})
	})
	b.add("a closure until it counts, median of 25", took.at(0.5), "ms", "40 ms", "the slowest", took.at(1))
}

func (b *roadBench) tables() {
	ctx := context.Background()
	points := make([]geo.Point, 200)
	for i := range points {
		points[i] = b.junction()
	}
	one := measured(50, func(i int) { _, _ = b.router.Find(ctx, b.car, points[i], points[100+i]) }).at(0.5)
	table := median(func() float64 {
		began := time.Now()
		_, _ = b.router.Matrix(ctx, b.car, points[:100], points[100:])
		return milliseconds(time.Since(began))
	})
	b.add("a matrix of 100 by 100", table, "ms", "120 ms", "10,000 single ways", one*10_000)
	reach := measured(15, func(i int) { _, _ = b.router.Reach(ctx, b.car, points[i], []float64{1800}, false) })
	b.add("30 minutes' reach by car as polygons", reach.at(0.5), "ms", "50 ms", "the slowest of 15", reach.at(1))
	stops := measured(9, func(i int) {
		at := points[12*i : 12*i+12]
		m, err := b.router.Matrix(ctx, b.car, at, at)
		if err == nil {
			_, _, _ = road.BestOrder(m.CostS)
		}
	})
	b.add("the best order of ten stops", stops.at(0.5), "ms", "80 ms", "one way", one)
}
