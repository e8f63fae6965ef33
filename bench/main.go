// Command bench measures what people wait for, each beside what it is compared with in the same run, and prints a table
// with the ratio. Nothing is asserted: figures depend on the machine. Names of groups as arguments run those only. What
// takes long to make, the large map, is kept in var/bench.
package main

import (
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"text/tabwriter"
	"time"
)

// row is a thing measured and what it is compared with, both in the same unit.
type row struct {
	what         string
	ours         float64
	unit, target string
	against      string
	theirs       float64
}

// times are how long the calls of something took, ascending, in milliseconds.
type times []float64

// measured returns how long n calls took.
func measured(n int, call func(i int)) times {
	t := make(times, n)
	for i := range t {
		began := time.Now()
		call(i)
		t[i] = milliseconds(time.Since(began))
	}
	slices.Sort(t)
	return t
}

func milliseconds(d time.Duration) float64 { return float64(d) / float64(time.Millisecond) }

// at returns the time that a share of the calls did not exceed.
func (t times) at(share float64) float64 { return t[min(len(t)-1, int(share*float64(len(t))))] }

var groups = []struct {
	name    string
	measure func() ([]row, error)
}{{"places", places}, {"island", island}, {"country", country}, {"chart", chart}, {"moving", moving},
	{"opening", opening}, {"wandering", wandering}, {"million", million}, {"serving", serving},
	{"catalog", catalogs}, {"following", following}, {"together", together},
	{"outside", outside}, {"geocoding", geocoding}, {"roads", roads}}

func main() {
	if len(os.Args) == 2 && os.Args[1] == "fit" {
		fail(fit())
		return
	}
	if len(os.Args) == 3 && os.Args[1] == "build" { // a process of its own, so that its memory can be read
		stages, err := build(os.Args[2])
		if err == nil {
			err = json.NewEncoder(os.Stdout).Encode(stages)
		}
		fail(err)
		return
	}
	if len(os.Args) == 4 && os.Args[1] == "roads" { // likewise
		fail(buildRoads(os.Args[2], os.Args[3]))
		return
	}
	if len(os.Args) == 3 && os.Args[1] == "bytes" { // likewise: what an answer costs that is nothing but sent
		fail(serveBytes(os.Args[2]))
		return
	}
	if len(os.Args) == 3 && os.Args[1] == "catalog" {
		fail(holdCatalog(os.Args[2]))
		return
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "what\t\tat most\tcompared with\t\tratio")
	for _, g := range groups {
		if len(os.Args) > 1 && !slices.Contains(os.Args[1:], g.name) {
			continue
		}
		rows, err := g.measure()
		fail(err)
		for _, r := range rows {
			fmt.Fprintf(
				w,
				"%s\t%.4g %s\t%s\t%s\t%.4g %s\t%.3g\n",
				r.what,
				r.ours,
				r.unit,
				r.target,
				r.against,
				r.theirs,
				r.unit,
				r.theirs/r.ours,
			)
		}
		w.Flush()
	}
}

func fail(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
