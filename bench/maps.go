package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"viandante/codec/osm"
	"viandante/core/address"
	"viandante/core/geo"
	"viandante/core/region"
	"viandante/demo"
)

// perIsland is how many queries of each class the island is asked, perExtract how many names of a real extract.
const perIsland, perExtract = 500, 1500

// islandAddresses tells the shares of right answers on the island.
func islandAddresses() ([]row, error) {
	var file bytes.Buffer
	w := osm.NewWriter(&file, "island.osm.pbf")
	demo.New(1).Write(w)
	if err := w.Close(); err != nil {
		return nil, err
	}
	d, _, err := osm.Read(context.Background(), &file, "island")
	if err != nil {
		return nil, err
	}
	x, _, err := indexOf(d)
	if err != nil {
		return nil, err
	}
	c := &addressCountry{homes: map[string]map[string]bool{}, namesakes: map[string]int{}}
	for _, a := range d.Addresses {
		one := addressed{street: a.Street, number: a.Number, postcode: a.Postcode, locality: a.Place, at: a.At.Point()}
		c.all = append(c.all, one)
		c.namesakes[one.street+"|"+one.number+"|"+one.locality]++
		if c.homes[one.street] == nil {
			c.homes[one.street] = map[string]bool{}
		}
		c.homes[one.street][one.postcode] = true
	}
	rows, err := accuracy(x, c, perIsland)
	for i := range rows {
		rows[i].what = "island " + rows[i].what
	}
	return rows, err
}

// extracts tells, for the two extracts of real map data, how many of their streets and named things are found by their
// names: among the first five, and first.
func extracts() ([]row, error) {
	out, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/paulmach/osm").Output()
	if err != nil {
		return nil, err
	}
	files, err := filepath.Glob(filepath.Join(strings.TrimSpace(string(out)), "testdata", "*-latest.osm.*"))
	if err != nil {
		return nil, err
	}
	var rows []row
	for i, name := range files {
		f, err := os.Open(name)
		if err != nil {
			return nil, err
		}
		d, _, err := osm.Read(context.Background(), f, fmt.Sprint("Extract ", i+1))
		f.Close()
		if err != nil {
			return nil, err
		}
		x, data, err := indexOf(d)
		if err != nil {
			return nil, err
		}
		r, err := region.Open(data)
		if err != nil {
			return nil, err
		}
		what := fmt.Sprintf("extract %d, %d streets, %d things", i+1, r.Streets(), r.Landmarks())
		streets := namesFound(x, r.Streets(), func(k int) (string, geo.Point) {
			st := r.Street(uint32(k))
			if st.Settlement == region.NoSettlement {
				return st.Name, st.At
			}
			return st.Name + ", " + r.Settlement(st.Settlement).Name, st.At
		})
		things := namesFound(x, r.Landmarks(), func(k int) (string, geo.Point) {
			l := r.Landmark(uint32(k))
			if l.Name == "" {
				return "", geo.Point{}
			}
			if s := r.LandmarkSettlement(uint32(k)); s != region.NoSettlement {
				return l.Name + ", " + r.Settlement(s).Name, l.At.Point()
			}
			return l.Name, l.At.Point()
		})
		rows = append(rows, row{what + ": a street among the first five", streets.five, "%", "", "first",
			streets.first},
			row{"… a named thing among the first five", things.five, "%", "", "first", things.first})
	}
	return rows, nil
}

type foundNames struct{ five, first float64 }

// namesFound asks for things by their names; a find within 300 m is right.
func namesFound(x address.Index, n int, thing func(k int) (string, geo.Point)) (out foundNames) {
	asked, five, first := 0, 0, 0
	for k := 0; k < n; k += max(1, n/perExtract) {
		name, at := thing(k)
		if name == "" || !at.IsValid() {
			continue
		}
		asked++
		finds, _, _ := x.Forward(context.Background(), address.Query{Text: name, Limit: 5})
		for i := range finds {
			if distanceM(finds[i].At, at) <= 300 {
				five++
				if i == 0 {
					first++
				}
				break
			}
		}
	}
	return foundNames{percent(five, asked), percent(first, asked)}
}
