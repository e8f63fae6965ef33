package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/paulmach/osm/osmpbf"

	"viandante/codec/geotiff"
	"viandante/codec/osm"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/core/road/roadtest"
	"viandante/core/tile"
	"viandante/demo"
	"viandante/world"
)

const benchDir = "var/bench"

// stages are how long the parts of building a region took, in seconds, and what came of it.
type stages struct {
	Read, Build, Write, Scan float64
	Nodes, RoadNodes         int
	Addresses                int
	Bytes                    int64
	PeakGB                   float64
}

// build builds the region of a map file beside it, with the heights that lie there too.
func build(file string) (*stages, error) {
	var s stages
	began := time.Now()
	lap := func() float64 { d := time.Since(began).Seconds(); began = time.Now(); return d }
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	draft, report, err := osm.Read(context.Background(), f, "bench")
	if err != nil {
		return nil, err
	}
	if h, err := os.Open(file + ".tif"); err == nil {
		defer h.Close()
		if draft.Heights, err = geotiff.Read(h); err != nil {
			return nil, err
		}
	}
	s.Read, s.Nodes, s.RoadNodes, s.Addresses = lap(), report.Nodes, len(draft.RoadNodes), len(draft.Addresses)
	data, err := region.Encode(draft)
	if err != nil {
		return nil, err
	}
	s.Build, s.Bytes = lap(), int64(len(data))
	if err := os.WriteFile(file+".region", data, 0o644); err != nil {
		return nil, err
	}
	s.Write = lap()
	if s.PeakGB, err = peakGB(); err != nil {
		return nil, err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil { // what it is compared with: looking at each element once
		return nil, err
	}
	lap()
	scanner := osmpbf.New(context.Background(), f, 2)
	defer scanner.Close()
	for scanner.Scan() {
	}
	s.Scan = lap()
	return &s, scanner.Err()
}

// peakGB returns the most memory that this process has had, as Linux counts it.
func peakGB() (float64, error) {
	text, err := os.ReadFile("/proc/self/status")
	if err != nil {
		return 0, err
	}
	_, rest, _ := strings.Cut(string(text), "VmHWM:")
	kb, err := strconv.ParseFloat(strings.Fields(rest)[0], 64)
	return kb * 1024 / 1e9, err
}

// made returns the map of some islands, made when it is not there yet, and the stages of building its region.
func made(scale int) (*region.Region, *stages, error) {
	file := filepath.Join(benchDir, fmt.Sprintf("islands-%d.osm.pbf", scale))
	if _, err := os.Stat(file); err != nil {
		fmt.Fprintf(os.Stderr, "making %d islands, once …\n", scale)
		if err := makeMap(file, scale); err != nil {
			return nil, nil, err
		}
	}
	self, err := os.Executable()
	if err != nil {
		return nil, nil, err
	}
	cmd := exec.Command(self, "build", file)
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return nil, nil, err
	}
	var s stages
	if err := json.Unmarshal(out, &s); err != nil {
		return nil, nil, err
	}
	data, err := os.ReadFile(file + ".region")
	if err != nil {
		return nil, nil, err
	}
	r, err := region.Open(data)
	return r, &s, err
}

func makeMap(file string, scale int) error {
	if err := os.MkdirAll(benchDir, 0o755); err != nil {
		return err
	}
	f, err := os.Create(file + ".part")
	if err != nil {
		return err
	}
	w := osm.NewWriter(f, file)
	err = demo.Archipelago(1, scale, func(number int, m *demo.Island) error {
		m.Write(w)
		if scale > 1 {
			return nil
		}
		var heights bytes.Buffer
		return errors.Join(geotiff.Write(&heights, m.Heights()), os.WriteFile(file+".tif", heights.Bytes(), 0o644))
	})
	if err := errors.Join(err, w.Close(), f.Close()); err != nil {
		return err
	}
	return os.Rename(file+".part", file)
}

func island() ([]row, error) {
	r, s, err := made(1)
	if err != nil {
		return nil, err
	}
	total := s.Read + s.Build + s.Write
	rows := []row{
		{
			fmt.Sprintf(
				"building the island with heights (read %.2f, build %.2f, write %.2f s)",
				s.Read,
				s.Build,
				s.Write,
			),
			total,
			"s",
			"10 s",
			"looking at each element of its PBF once",
			s.Scan,
		},
	}
	router := road.NewRouter(r)
	rnd := rand.New(rand.NewPCG(2, 2))
	ends := make([]geo.Point, 400)
	for i := range ends {
		ends[i] = r.Address(uint32(rnd.IntN(r.Addresses()))).At
	}
	way := func(profile string) float64 {
		m := roadtest.Metric(r, profile)
		return measured(
			len(ends),
			func(i int) { _, _ = router.Find(context.Background(), m, ends[i], ends[(i+1)%len(ends)]) },
		).at(0.5)
		// no way there is an answer too
	}
	rows = append(
		rows,
		row{"a way across the island by car", way("car"), "ms", "", "the same on foot", way("foot")},
	)
	more, err := tiles("the island", r)
	return append(rows, more...), err
}

// scaleOfACountry is how many islands have a million road nodes and nearly a million addresses.
const scaleOfACountry = 48

func country() ([]row, error) {
	r, s, err := made(scaleOfACountry)
	if err != nil {
		return nil, err
	}
	total := s.Read + s.Build + s.Write
	rows := []row{
		{
			fmt.Sprintf(
				"building %.2f million road nodes, %.2f million addresses, %.1f million nodes (read %.1f, build "+
					"%.1f, write %.1f s)",
				float64(s.RoadNodes)/1e6,
				float64(s.Addresses)/1e6,
				float64(s.Nodes)/1e6,
				s.Read,
				s.Build,
				s.Write,
			),
			total,
			"s",
			"180 s",
			"looking at each element of its PBF once",
			s.Scan,
		},
		{"the most memory it took", s.PeakGB, "GB", "4 GB", "the region file it made", float64(s.Bytes) / 1e9},
	}
	more, err := tiles("the country", r)
	return append(rows, more...), err
}

// tiles measures all tiles of a region's zooms 0 to 14 and a seeded sample above, none from a cache.
func tiles(name string, r *region.Region) ([]row, error) {
	coasts, err := world.Region()
	if err != nil {
		return nil, err
	}
	var ids []tile.ID
	b := r.Meta.Bounds
	rnd := rand.New(rand.NewPCG(3, 3))
	for z := range 20 {
		nw, se := tile.At(geo.MustPoint(b.North, b.West), z), tile.At(geo.MustPoint(b.South, b.East), z)
		if z > 14 {
			for range 400 {
				a := r.Address(uint32(rnd.IntN(r.Addresses()))).At // where people look closely: near houses
				ids = append(ids, tile.At(a, z))
			}
			continue
		}
		for x := nw.X; x <= se.X; x++ {
			for y := nw.Y; y <= se.Y; y++ {
				ids = append(ids, tile.ID{Z: z, X: x, Y: y})
			}
		}
	}
	regions := []*region.Region{r}
	var encode, pack, heights times
	var sizes []float64
	worst, slowest := tile.ID{}, 0.0
	for _, id := range ids {
		began := time.Now()
		raw := tile.Encode(regions, coasts, id)
		took := milliseconds(time.Since(began))
		if raw == nil {
			continue // open sea
		}
		encode = append(encode, took)
		if took > slowest {
			worst, slowest = id, took
		}
		began = time.Now()
		var packed bytes.Buffer
		z := gzip.NewWriter(&packed)
		if _, err := z.Write(raw); err != nil {
			return nil, err
		}
		if err := z.Close(); err != nil {
			return nil, err
		}
		pack = append(pack, milliseconds(time.Since(began)))
		sizes = append(sizes, float64(packed.Len())/1000)
		began = time.Now()
		if tile.EncodeHeights(regions, id) != nil {
			heights = append(heights, milliseconds(time.Since(began)))
		}
	}
	slices.Sort(encode)
	slices.Sort(pack)
	slices.Sort(sizes)
	slices.Sort(heights)
	rows := []row{
		{
			fmt.Sprintf("encoding a tile of %s, 99th percentile of %d", name, len(encode)),
			encode.at(0.99),
			"ms",
			"20 ms",
			"compressing it",
			pack.at(0.99),
		},
		{
			fmt.Sprintf("… the slowest, %d/%d/%d", worst.Z, worst.X, worst.Y),
			slowest,
			"ms",
			"",
			"compressing the largest",
			pack.at(1),
		},
		{"… median", encode.at(0.5), "ms", "", "compressing it", pack.at(0.5)},
		{"… compressed, the largest", sizes[len(sizes)-1], "kB", "100 kB", "the median", times(sizes).at(0.5)},
	}
	if len(heights) > 0 {
		rows = append(
			rows,
			row{"a tile of heights, 99th percentile", heights.at(0.99), "ms", "", "the ground's", encode.at(0.99)},
		)
	}
	return rows, nil
}
