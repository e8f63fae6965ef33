package main

import (
	"compress/gzip"
	"context"
	"database/sql"
	"encoding/csv"
	"fmt"
	"log/slog"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/proof"
	"viandante/core/proof/prooftest"
	"viandante/core/spatial"
	"viandante/store/mariadb"
)

// runs is of how many runs the median is taken.
const runs = 5

// median returns the median of what a measurement gives when it is done several times.
func median(measure func() float64) float64 {
	all := make([]float64, runs)
	for i := range all {
		all[i] = measure()
	}
	slices.Sort(all)
	return all[runs/2]
}

// places measures geodesy, finding among clustered places, and the diagnosis of somebody's numbers.
func places() ([]row, error) {
	rows, err := geodesics()
	if err != nil {
		return nil, err
	}
	rows = append(rows, distances()...)
	for _, n := range []int{10_000, 100_000, aMillion, 10 * aMillion} {
		more, err := clusteredPlaces(n)
		if err != nil {
			return nil, err
		}
		rows = append(rows, more...)
	}
	return append(rows, diagnoses()...), nil
}

// geodesics compares both problems with the 10,000 geodesics that were integrated with 40 digits.
func geodesics() ([]row, error) {
	f, err := os.Open("core/geodesy/testdata/geodesics.csv.gz")
	if err != nil {
		return nil, err
	}
	defer f.Close()
	z, err := gzip.NewReader(f)
	if err != nil {
		return nil, err
	}
	table, err := csv.NewReader(z).ReadAll()
	if err != nil {
		return nil, err
	}
	var direct, inverse, bearing, sphere, sphereBearing float64
	for _, line := range table[1:] {
		var v [6]float64
		for i := range v {
			if v[i], err = strconv.ParseFloat(line[1+i], 64); err != nil {
				return nil, err
			}
		}
		lat, lng, azimuth := geodesy.Direct(v[0], 0, v[1], v[2])
		m, p := geodesy.Radii(v[3])
		off := math.Hypot((lat-v[3])*m, math.Remainder(lng-v[4], 360)*p) * math.Pi / 180
		direct = max(direct, off)
		s, _, _ := geodesy.Inverse(v[0], 0, v[3], v[4])
		inverse = max(inverse, math.Abs(s-v[2]))
		l := geodesy.Measure(geodesy.Sphere, geo.MustPoint(v[0], 0), geo.MustPoint(v[3], geo.WrapLng(v[4])))
		sphere = max(sphere, math.Abs(l.DistanceM-v[2]))
		if math.Abs(v[3]) < 89.99 {
			bearing = max(bearing, math.Abs(math.Remainder(azimuth-v[5], 360)))
		}
		if v[2] < 1e7 && v[2] > 1000 && math.Abs(v[0]) < 89 {
			sphereBearing = max(sphereBearing, math.Abs(math.Remainder(l.InitialBearing-v[1], 360)))
		}
	}
	const kinds = "10,000 integrated geodesics of all difficult kinds"
	return []row{
		{kinds + ": direct, off at most", direct * 1e9, "nm", "15 nm", "inverse", inverse * 1e9},
		{"… inverse, off at most", inverse, "m", "1.5e-08 m", "on the sphere", sphere},
		{"… bearing, off at most", bearing, "°", "1e-09 °", "on the sphere, up to 10,000 km", sphereBearing},
	}, nil
}

func distances() []row {
	r := rand.New(rand.NewPCG(1, 1))
	const n = 4096
	var far, near [n]geo.Point
	for i := range far {
		far[i] = geo.MustPoint(math.Asin(2*r.Float64()-1)*180/math.Pi, 360*r.Float64()-180)
		near[i] = geo.MustPoint(-38+0.1*r.Float64(), -26+0.1*r.Float64())
	}
	sum := 0.0
	each := func(one func(i int)) float64 {
		return median(func() float64 {
			const rounds = 20
			began := time.Now()
			for k := range rounds * n {
				one(k % n)
			}
			return float64(time.Since(began).Nanoseconds()) / (rounds * n)
		})
	}
	inverse := each(func(i int) { sum += geodesy.Distance(far[i], far[(i*7+1)%n]) })
	sphere := each(func(i int) {
		sum += geodesy.Measure(geodesy.Sphere, far[i], far[(i*7+1)%n]).DistanceM
	})
	from := geodesy.NewFrom(near[0])
	short := each(func(i int) { sum += from.Distance(near[i]) })
	whole := each(func(i int) { sum += geodesy.Distance(near[0], near[i]) })
	runtime.KeepAlive(sum)
	return []row{
		{"distance and bearings on the ellipsoid, anywhere", inverse, "ns", "1500 ns", "on the sphere", sphere},
		{"a short line, from one point to many", short, "ns", "100 ns", "the whole inverse problem", whole},
	}
}

// towns returns points as a country's: most of them about towns, whose sizes follow Zipf's law.
func towns(r *rand.Rand, n int) []geo.E7 {
	type town struct{ lat, lng, spread float64 }
	all := make([]town, 300)
	for i := range all {
		all[i] = town{-44 + 8*r.Float64(), -32 + 11*r.Float64(), 0.08 / math.Sqrt(float64(i+1))}
	}
	zipf := rand.NewZipf(r, 1.2, 3, uint64(len(all)-1))
	out := make([]geo.E7, n)
	for i := range out {
		t := all[zipf.Uint64()]
		if r.IntN(10) == 0 {
			t.spread = 0.5
		}
		out[i] = geo.MustPoint(t.lat+t.spread*r.NormFloat64(), t.lng+t.spread*r.NormFloat64()).E7()
	}
	return out
}

// clusteredPlaces measures the index over so many places; over a million beside the database's own as well.
func clusteredPlaces(n int) ([]row, error) {
	r := rand.New(rand.NewPCG(4, 4))
	points := towns(r, n)
	items := make([]uint32, n)
	for i := range items {
		items[i] = uint32(i)
	}
	at := func(item uint32) geo.E7 { return points[item] }
	less := func(a, b uint32) bool { return a < b }
	var index *spatial.Points
	built := median(func() float64 {
		began := time.Now()
		index = spatial.NewPointsAtOnce(items, at)
		return float64(n) / 1e6 / time.Since(began).Seconds()
	})
	one := func() float64 {
		began := time.Now()
		spatial.NewPoints(items, at)
		return float64(n) / 1e6 / time.Since(began).Seconds()
	}
	centers := make([]geo.Point, 500)
	for i := range centers {
		centers[i] = points[r.IntN(n)].Point()
	}
	hits := 0
	ask := func(withinM float64, limit int, in []geo.Point) func() float64 {
		return func() float64 {
			hits = 0
			began := time.Now()
			for _, c := range in {
				s := spatial.Search{Center: c, WithinM: withinM, N: limit, Less: less}
				s.In(index)
				hits += len(s.Found())
			}
			hits /= len(in)
			return float64(time.Since(began).Nanoseconds()) / 1000 / float64(len(in))
		}
	}
	scan := func(withinM float64, in []geo.Point) float64 { // with the ellipsoid's short distance
		began := time.Now()
		sum := 0
		for _, c := range in {
			from := geodesy.NewFrom(c)
			for _, p := range points {
				if from.DistanceE7(p) <= withinM {
					sum++
				}
			}
		}
		runtime.KeepAlive(sum)
		return float64(time.Since(began).Nanoseconds()) / 1000 / float64(len(in))
	}
	what := fmt.Sprintf("%s clustered places", count(n))
	few := centers[:max(1, min(20, 2_000_000/n))]
	nearest := median(ask(math.Inf(1), 10, centers))
	dense := thousandHits(index, points, r)
	radius := median(ask(5000, 10_000, dense))
	found := hits
	rows := []row{
		{what + ": index built on two cores", built, "M/s", "3 M/s", "on one core", one()},
		{"… index, a point", float64(index.Bytes()) / float64(n), "bytes", "40 bytes", "its position alone", 8},
		{"… nearest 10", nearest, "µs", "15 µs", "a scan, short lines", scan(math.Inf(1), few)},
		{fmt.Sprintf("… within 5 km, %d hits", found), radius, "µs", "100 µs", "a scan, short lines",
			scan(5000, dense[:min(len(dense), len(few))])},
		{"… counted only, by bounds", median(counted(index, dense)), "µs", "", "with distances, in order", radius},
	}
	if n != aMillion {
		return rows, nil
	}
	more, err := besideSpatial(context.Background(), points, centers, dense, nearest, radius)
	return append(rows, more...), err
}

func counted(index *spatial.Points, in []geo.Point) func() float64 {
	return func() float64 {
		began := time.Now()
		for _, c := range in {
			index.Count(c, 0, 5000, nil)
		}
		return float64(time.Since(began).Nanoseconds()) / 1000 / float64(len(in))
	}
}

func count(n int) string {
	if n >= aMillion {
		return fmt.Sprintf("%d million", n/aMillion)
	}
	return fmt.Sprintf("%d thousand", n/1000)
}

// thousandHits returns positions with about a thousand places within 5 km, or the densest there are.
func thousandHits(index *spatial.Points, points []geo.E7, r *rand.Rand) (out []geo.Point) {
	most, densest := 0, points[0].Point()
	for range 4000 {
		c := points[r.IntN(len(points))].Point()
		n := index.Count(c, 0, 5000, nil)
		if n > most {
			most, densest = n, c
		}
		if n > 900 && n < 1100 {
			if out = append(out, c); len(out) == 200 {
				return out
			}
		}
	}
	if len(out) == 0 {
		out = []geo.Point{densest}
	}
	return out
}

// besideSpatial asks the same of a table of MariaDB with a SPATIAL index.
func besideSpatial(ctx context.Context, points []geo.E7, centers, dense []geo.Point, nearest, radius float64) (
	[]row, error) {
	dir, err := filepath.Abs(filepath.Join(benchDir, "spatial"))
	if err != nil {
		return nil, err
	}
	server, err := mariadb.Start(ctx, mariadb.Options{Dir: dir, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		return nil, err
	}
	defer func() { _ = server.Stop() }()
	db, err := sql.Open("mysql", server.DSN("")+"&interpolateParams=true")
	if err != nil {
		return nil, err
	}
	defer db.Close()
	if err := fillSpatial(ctx, db, points); err != nil {
		return nil, err
	}
	rowsOf := func(query string, args ...any) error {
		rows, err := db.QueryContext(ctx, query, args...)
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
		}
		return rows.Err()
	}
	var failed error
	theirRadius := measured(20, func(i int) {
		c := dense[i%len(dense)]
		dLat, dLng := 5000/110_574.0, 5000/(111_320*math.Cos(c.Lat()*math.Pi/180))
		box := fmt.Sprintf("POLYGON((%[1]f %[2]f,%[3]f %[2]f,%[3]f %[4]f,%[1]f %[4]f,%[1]f %[2]f))", c.Lng()-dLng,
			c.Lat()-dLat, c.Lng()+dLng, c.Lat()+dLat)
		if err := rowsOf(`SELECT id, ST_Distance_Sphere(at, POINT(?, ?)) AS d FROM bench.points
			WHERE MBRContains(ST_GeomFromText(?), at) HAVING d <= 5000 ORDER BY d`, c.Lng(), c.Lat(), box); err != nil {
			failed = err
		}
	}).at(0.5) * 1000
	theirNearest := measured(3, func(i int) {
		if err := rowsOf(`SELECT id, ST_Distance_Sphere(at, POINT(?, ?)) AS d FROM bench.points ORDER BY d LIMIT 10`,
			centers[i].Lng(), centers[i].Lat()); err != nil {
			failed = err
		}
	}).at(0.5) * 1000
	const against = "MariaDB, SPATIAL and ST_Distance_Sphere"
	return []row{{"… nearest 10", nearest, "µs", "10,000 times", against, theirNearest},
		{"… within 5 km", radius, "µs", "50 times", against, theirRadius}}, failed
}

func fillSpatial(ctx context.Context, db *sql.DB, points []geo.E7) error {
	var held int
	_ = db.QueryRowContext(ctx, `SELECT COUNT(*) FROM bench.points`).Scan(&held)
	if held == len(points) {
		return nil
	}
	for _, s := range []string{`CREATE DATABASE IF NOT EXISTS bench`, `DROP TABLE IF EXISTS bench.points`,
		`CREATE TABLE bench.points (id INT PRIMARY KEY, at POINT NOT NULL, SPATIAL INDEX(at)) ENGINE = InnoDB`} {
		if _, err := db.ExecContext(ctx, s); err != nil {
			return err
		}
	}
	const together = 5000
	for from := 0; from < len(points); from += together {
		var b strings.Builder
		b.WriteString(`INSERT INTO bench.points VALUES `)
		for i, p := range points[from:min(from+together, len(points))] {
			if i > 0 {
				b.WriteByte(',')
			}
			fmt.Fprintf(&b, "(%d, POINT(%.7f, %.7f))", from+i, float64(p.Lng)/1e7, float64(p.Lat)/1e7)
		}
		if _, err := db.ExecContext(ctx, b.String()); err != nil {
			return err
		}
	}
	return nil
}

// diagnoses measures how often mistakes are named: 200 data sets of 12 lines for each, 20 for each pair.
func diagnoses() []row {
	const sets, setsOfPairs = 200, 20
	r := rand.New(rand.NewPCG(1800, 1))
	least, worst, total, first := 100.0, "", 0, 0
	for _, code := range prooftest.Codes() {
		own := 0
		for range sets {
			w := prooftest.New()
			prooftest.Mistakes[code](w, r)
			d := proof.Diagnose(geodesy.Ellipsoid, w.Print(r, prooftest.DataSet(r)))
			if len(d.Findings) > 0 && d.Findings[0].Code == code {
				own++
			}
		}
		total, first = total+sets, first+own
		if share := percent(own, sets); share < least || worst == "" {
			least, worst = share, string(code)
		}
	}
	pairs, both := 0, 0
	codes := prooftest.Codes()
	for i, a := range codes {
		for _, b := range codes[i+1:] {
			if !prooftest.Agree(a, b) {
				continue
			}
			for range setsOfPairs {
				w := prooftest.New()
				prooftest.Mistakes[a](w, r)
				prooftest.Mistakes[b](w, r)
				d := proof.Diagnose(geodesy.Ellipsoid, w.Print(r, prooftest.DataSet(r)))
				three := d.Findings[:min(3, len(d.Findings))]
				has := func(c proof.Code) bool {
					return slices.ContainsFunc(three, func(f proof.Finding) bool { return f.Code == c })
				}
				if pairs++; has(a) && has(b) {
					both++
				}
			}
		}
	}
	accused := 0
	const right = 2000
	for range right {
		if d := proof.Diagnose(geodesy.Ellipsoid, prooftest.New().Print(r, prooftest.DataSet(r))); len(d.Findings) > 0 {
			accused++
		}
	}
	w := prooftest.New()
	prooftest.Mistakes[proof.Atan2](w, r)
	set := w.Print(r, prooftest.DataSet(r))
	took := median(func() float64 {
		return measured(20, func(int) { proof.Diagnose(geodesy.Ellipsoid, set) }).at(0.5)
	})
	return []row{
		{fmt.Sprintf("a mistake named first, of %d data sets", total), percent(first, total), "%", "99 %",
			"the poorest, " + worst, least},
		{fmt.Sprintf("two at once, both among the first three, of %d", pairs), percent(both, pairs), "%", "90 %",
			"by chance", 100 * 3.0 * 2 / float64(len(codes)*(len(codes)-1))},
		{fmt.Sprintf("accused though right, of %d", right), float64(accused), "", "none", "lines looked at",
			12 * right},
		{"a diagnosis of 12 lines", took, "ms", "", "none", took},
	}
}
