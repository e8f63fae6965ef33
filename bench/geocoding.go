package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"time"

	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/regionfile"
)

// The country that figures are told of: another seed and size than those that confidence is fitted on.
const (
	countrySeed    = 9
	countryHouses  = 1_000_000
	perClass       = 2000
	bulkQueries    = 6000
	reverseQueries = 4000
	sure           = 0.9
)

// geocoding measures the geocoder on a region of a million addresses that lies in a file, mapped.
func geocoding() ([]row, error) {
	houses := countryHouses
	if s := os.Getenv("ADDRESSES"); s != "" {
		houses, _ = strconv.Atoi(s)
	}
	c := newAddressCountry(countrySeed, houses)
	file, err := countryFile(c, houses)
	if err != nil {
		return nil, err
	}
	n := len(c.draft.Addresses)
	c.draft = nil
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	began := time.Now()
	x := address.NewIndex(file.Region)
	opened := milliseconds(time.Since(began))
	runtime.GC()
	runtime.ReadMemStats(&after)
	bytes := float64(file.SectionBytes(region.GazetteerSections...))
	rows := []row{
		{fmt.Sprintf("geocoder, %d addresses, seed %d: on disk for each", n, countrySeed), bytes / float64(n), "bytes",
			"120 bytes", "their texts alone", textBytes(c) / float64(n)},
		{"… the region opened, its structure checked, the index with it", file.structureMs + opened, "ms", "50 ms",
			"mapped, and its checksums compared, too", file.openedMs},
		{"… on the heap", float64(after.HeapAlloc-min(after.HeapAlloc, before.HeapAlloc)) / 1024, "kB", "", "the file",
			bytes / 1024},
	}
	found, err := accuracy(x, c, perClass)
	if err != nil {
		return nil, err
	}
	rows = append(rows, found...)
	for _, more := range []func() ([]row, error){islandAddresses, extracts} {
		found, err := more()
		if err != nil {
			return nil, err
		}
		rows = append(rows, found...)
	}
	more, err := speed(x, c)
	if err != nil {
		return nil, err
	}
	return append(rows, more...), nil
}

// mappedCountry is a region in a file of its own.
type mappedCountry struct {
	*regionfile.File
	openedMs    float64
	structureMs float64 // to check the structure, without the checksums
}

func countryFile(c *addressCountry, houses int) (*mappedCountry, error) {
	dir := filepath.Join(benchDir, "addresses")
	name := filepath.Join(dir, fmt.Sprintf("%d-%d-%d.hash", countrySeed, houses, region.Version))
	hash, err := os.ReadFile(name)
	if err != nil {
		data, err := region.Encode(c.draft)
		if err != nil {
			return nil, err
		}
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return nil, err
		}
		h, err := regionfile.Save(dir, data)
		if err != nil {
			return nil, err
		}
		if hash = []byte(h); os.WriteFile(name, hash, 0o644) != nil {
			return nil, err
		}
	}
	began := time.Now()
	f, err := regionfile.Open(dir, string(hash))
	whole := milliseconds(time.Since(began))
	if err != nil {
		return nil, err
	}
	data, err := os.ReadFile(filepath.Join(dir, string(hash)+".region"))
	if err != nil {
		return nil, err
	}
	began = time.Now()
	_, err = region.Open(data)
	return &mappedCountry{f, whole, milliseconds(time.Since(began))}, err
}

func textBytes(c *addressCountry) (sum float64) {
	for _, a := range c.all {
		if !a.left {
			sum += float64(len(a.street) + len(a.number) + len(a.postcode) + len(a.locality) + 16)
		}
	}
	return sum
}

// tally counts the answers to queries by how sure they were.
type tally struct{ n, right, sure, sureWrong int }

// accuracy tells the share of right answers for each way of writing, and how well confidence fits.
func accuracy(x address.Index, c *addressCountry, each int) ([]row, error) {
	t := &typist{rand.New(rand.NewPCG(countrySeed, 2)), c}
	var rows []row
	bins := make([]struct{ n, right, sum float64 }, 20)
	var all tally
	for _, class := range classes {
		var one tally
		for tries := 0; one.n < each && tries < 200*each; tries++ {
			q, ok := t.ask(class.name)
			if !ok {
				continue
			}
			ask, most := x.Forward, 1
			if q.prefix {
				ask, most = x.Suggest, 5
			}
			finds, _, err := ask(context.Background(), address.Query{Text: q.query, Limit: most})
			if err != nil {
				return nil, err
			}
			one.n++
			hit := false
			for i := range finds {
				hit = hit || q.right(&finds[i])
			}
			if hit {
				one.right++
			} else if os.Getenv("SHOW") == class.name && len(finds) > 0 {
				fmt.Fprintf(os.Stderr, "%q → %s (%.3f, cost %.2f); right: %s %s, %s %s\n", q.query, finds[0].Label,
					finds[0].Confidence, finds[0].Evidence[2], q.truth.street, q.truth.number, q.truth.postcode,
					q.truth.locality)
			}
			if q.prefix || len(finds) == 0 {
				continue
			}
			p := finds[0].Confidence
			b := &bins[min(19, int(p*20))]
			b.n, b.sum = b.n+1, b.sum+p
			if hit {
				b.right++
			}
			if limit := sure; p > limit {
				one.sure++
				if !hit {
					one.sureWrong++
				}
			}
			if q.none && p > 0.8 && p <= sure {
				one.sureWrong++
				one.sure++
			}
		}
		if one.n == 0 {
			continue // there is nothing of the kind
		}
		switch class.name {
		case "no such street", "street elsewhere", "no such number":
			rows = append(rows, row{"… " + class.name + ": found with more than 0.8", percent(one.sureWrong, one.n),
				"%",
				"1 %", "found at all", percent(one.n-one.right, one.n)})
		case "ambiguous":
			rows = append(rows, row{"… one of several of that name: right by chance", percent(one.right, one.n), "%",
				"",
				"all", 100})
		case "not mapped":
			rows = append(rows, row{"… not on the map: within 30 m, interpolated", percent(one.right, one.n), "%", "",
				"all", 100})
		default:
			rows = append(rows, row{"… " + class.name + ": right", percent(one.right, one.n), "%", class.target, "all",
				100})
		}
		all.sure, all.sureWrong = all.sure+one.sure, all.sureWrong+one.sureWrong
	}
	var off, n float64
	for _, b := range bins {
		if b.n > 0 {
			off += max(b.right-b.sum, b.sum-b.right)
			n += b.n
		}
	}
	return append(rows,
		row{"… calibration error, 20 steps", off / n, "", "0.03", "before", 0.105},
		row{"… wrong with more than 0.9", percent(all.sureWrong, all.sure), "%", "0.5 %", "of those, right",
			percent(all.sure-all.sureWrong, all.sure)},
	), nil
}

func percent(part, whole int) float64 { return 100 * float64(part) / float64(max(1, whole)) }

// speed tells how long queries take: one after another, and as many as there are on two cores.
func speed(x address.Index, c *addressCountry) ([]row, error) {
	t := &typist{rand.New(rand.NewPCG(countrySeed, 3)), c}
	var queries []asked
	for len(queries) < bulkQueries {
		if q, ok := t.ask(classes[t.rng.IntN(8)].name); ok {
			queries = append(queries, q)
		}
	}
	ctx := context.Background()
	forward := measured(len(queries), func(i int) { _, _, _ = x.Forward(ctx, address.Query{Text: queries[i].query}) })
	suggest := measured(len(queries), func(i int) {
		text := queries[i].query
		_, _, _ = x.Suggest(ctx, address.Query{Text: text[:2+i%max(1, len(text)-2)], Limit: 5})
	})
	reverse := measured(reverseQueries, func(i int) { x.Reverse(c.all[i*37%len(c.all)].at, 1) })
	t.rng = rand.New(rand.NewPCG(countrySeed, 4))
	var clean []string
	for len(clean) < bulkQueries {
		if q, ok := t.ask("as written"); ok {
			clean = append(clean, q.query)
		}
	}
	bulk := func(texts []string) float64 {
		began := time.Now()
		var wait sync.WaitGroup
		for k := range 2 {
			wait.Go(func() {
				for i := k; i < len(texts); i += 2 {
					_, _, _ = x.Forward(ctx, address.Query{Text: texts[i], Limit: 1})
				}
			})
		}
		wait.Wait()
		return float64(len(texts)) / time.Since(began).Seconds()
	}
	var mixed []string
	for _, q := range queries {
		mixed = append(mixed, q.query)
	}
	worst := hostile(x)
	rows := []row{
		{"… forward, 99th percentile", forward.at(0.99), "ms", "5 ms", "median", forward.at(0.5)},
		{"… suggest, 99th percentile", suggest.at(0.99), "ms", "3 ms", "median", suggest.at(0.5)},
		{"… reverse, 99th percentile", reverse.at(0.99), "ms", "1 ms", "median", reverse.at(0.5)},
		{"… in bulk on two cores, as written", bulk(clean), "a second", "3000", "all eight ways of writing",
			bulk(mixed)},
		{"… a query made to be slow, the slowest", worst.at(1), "ms", "20 ms", "their median", worst.at(0.5)},
	}
	var some []asked
	for _, q := range queries {
		if !q.street && len(some) < perFulltext {
			some = append(some, q)
		}
	}
	right := 0
	our := measured(len(some), func(i int) {
		if finds, _, _ := x.Forward(ctx, address.Query{Text: some[i].query, Limit: 1}); len(finds) > 0 &&
			some[i].right(&finds[0]) {
			right++
		}
	})
	beside, err := besideFulltext(ctx, c, some, percent(right, len(some)), our)
	return append(rows, beside...), err
}

// perFulltext is how many queries are asked of the database as well.
const perFulltext = 600

// hostile tells how long queries take that were made to be slow.
func hostile(x address.Index) times {
	near := geo.MustPoint(-40, -27)
	texts := []string{
		strings.Repeat("a ", 500), strings.Repeat("st ", 24), strings.Repeat("street lane road ", 8),
		strings.Repeat("e", 1000),
		strings.Repeat("staert laen raod ", 8), strings.Repeat("12 ", 300), strings.Repeat("upper/lower&", 80),
		strings.Repeat("(", 1000),
		strings.Repeat("near fountain ", 12), strings.Repeat("prastondle hapolmarn ", 12),
		strings.Repeat("\u05d0\u05d1 ", 200),
		"a b c d e f g h i j k l m n o p q r s t u v w x", strings.Repeat("streetlaneroad", 12),
		strings.Repeat("upperlower ", 24),
		strings.Repeat("12a/3-", 100), "High Street", "Street", "1", "",
	}
	return measured(len(texts)*5, func(i int) {
		q := address.Query{Text: texts[i%len(texts)], Near: near}
		if i/len(texts)%2 == 0 {
			_, _, _ = x.Forward(context.Background(), q)
		} else {
			_, _, _ = x.Suggest(context.Background(), q)
		}
	})
}
