// Command bench measures what people wait for, each beside what it is compared with in the same run, and prints a table
// with the ratio. Nothing is asserted: figures depend on the machine.
package main

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"text/tabwriter"
	"time"

	"viandante/codec/osm"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/core/spatial"
	"viandante/core/tile"
	"viandante/demo"
)

// row is a thing measured and what it is compared with, both for one call.
type row struct {
	what, against string
	ours, theirs  time.Duration
}

// median returns the median time of a call over n calls.
func median(n int, call func(i int)) time.Duration {
	times := make([]time.Duration, n)
	for i := range times {
		began := time.Now()
		call(i)
		times[i] = time.Since(began)
	}
	slices.Sort(times)
	return times[n/2]
}

func main() {
	rows, err := measure()
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 3, ' ', 0)
	fmt.Fprintln(w, "what\tmedian\tcompared with\tmedian\tratio")
	for _, r := range rows {
		fmt.Fprintf(w, "%s\t%v\t%s\t%v\t%.3g\n", r.what, r.ours, r.against, r.theirs, float64(r.theirs)/float64(r.ours))
	}
	w.Flush()
}

func measure() ([]row, error) {
	var rows []row
	r := rand.New(rand.NewPCG(1, 1))
	points := make([]geo.Point, 1_000_000)
	for i := range points {
		points[i] = geo.MustPoint(-38+r.Float64(), -26+r.Float64())
	}
	index := spatial.NewPoints(points)
	scan := func(i int) {
		best := math.Inf(1)
		for _, p := range points {
			best = math.Min(best, geodesy.Measure(geodesy.Sphere, points[i], p).DistanceM)
		}
	}
	rows = append(rows, row{"the 50 nearest of a million places", "a scan of all, on the sphere",
		median(501, func(i int) { index.Nearest(points[i*1999], 0, math.Inf(1), 50, nil) }), median(5, scan)})
	const batch = 1000
	distances := func(m geodesy.Model) time.Duration {
		return median(101, func(i int) {
			for k := range batch {
				geodesy.Measure(m, points[k], points[k+batch])
			}
		})
	}
	rows = append(rows, row{"1000 distances on the ellipsoid", "on the sphere, off by up to 0.5 %", distances(geodesy.Ellipsoid), distances(geodesy.Sphere)})

	var xml bytes.Buffer
	out := osm.NewWriter(&xml, "island.osm")
	demo.New(1).Write(out)
	if err := out.Close(); err != nil {
		return nil, err
	}
	began := time.Now()
	draft, _, err := osm.Read(context.Background(), bytes.NewReader(xml.Bytes()), "island")
	if err != nil {
		return nil, err
	}
	read := time.Since(began)
	began = time.Now()
	data, err := region.Encode(draft)
	if err != nil {
		return nil, err
	}
	rows = append(rows, row{"building the island's region", "reading its XML", time.Since(began), read})
	island, err := region.Open(data)
	if err != nil {
		return nil, err
	}
	router := road.NewRouter(island)
	ends := make([]geo.Point, 400)
	for i := range ends {
		ends[i] = island.Address(uint32(r.IntN(island.Addresses()))).At
	}
	way := func(mode region.Mode) func(i int) {
		return func(i int) { _, _ = router.Find(mode, ends[i], ends[(i+1)%len(ends)]) } // no way there is an answer too
	}
	rows = append(rows, row{"a way across the island by car", "the same on foot", median(len(ends), way(region.Car)), median(len(ends), way(region.Foot))})
	var ids []tile.ID
	for z := 10; z <= 16; z++ {
		ids = append(ids, tile.At(ends[z], z))
	}
	encode := func(i int) { tile.Encode([]*region.Region{island}, nil, ids[i%len(ids)]) }
	rows = append(rows, row{"encoding a tile, zooms 10 to 16", "opening the region", median(140, encode), median(21, func(int) { _, _ = region.Open(data) })})
	return rows, nil
}
