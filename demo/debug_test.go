package demo

import (
	"fmt"
	"testing"
	"time"
)

func TestDebug(t *testing.T) {
	b := time.Now()
	m := New(1)
	fmt.Println("all", time.Since(b))
	c := map[string]int{}
	for _, w := range m.ways {
		for _, k := range []string{"highway", "natural", "landuse", "waterway", "leisure", "building", "man_made", "route"} {
			if v := w.tag(k); v != "" {
				c[k+"="+v]++
			}
		}
		if w.tag("addr:housenumber") != "" {
			c["addr"]++
		}
		if w.tag("bridge") != "" {
			c["bridge"]++
		}
		if w.tag("tunnel") != "" {
			c["tunnel"]++
		}
	}
	fmt.Println(len(m.nodes), len(m.ways), len(m.web.lines), c)
	for _, s := range m.settlements {
		fmt.Println(s.name, s.middle, s.radius, m.land.heights.at(s.middle))
	}
}
func TestStage(t *testing.T) {
	b := time.Now()
	lap := func(s string) { fmt.Println(s, time.Since(b).Seconds()); b = time.Now() }
	m := &Island{name: islandNameOf(0), noise: noise(1*977 + 11), first: 1, water: newRaster(60), roads: newRaster(60), built: newBlocks(), web: newWeb(), webIDs: map[int]int64{}}
	m.rand = New(1).rand
	b = time.Now()
	m.land = raise(m.noise)
	lap("raise")
	m.layRivers()
	m.layCoast()
	lap("water")
	m.settle(0)
	lap("settle")
	m.travel = newTraveller(m)
	m.layRoads()
	lap("roads")
	fmt.Println(len(m.web.lines))
	for _, s := range m.settlements {
		m.layStreets(s)
		lap("streets " + s.name)
		fmt.Println(len(m.web.lines))
	}
	m.layLanes()
	lap("lanes")
	fmt.Println(len(m.web.lines))
	for _, s := range m.settlements {
		m.layGreens(s)
	}
	lap("greens")
	m.layFarms()
	lap("farms")
	fmt.Println(len(m.web.lines))
	m.web.settle()
	m.emitRoads()
	lap("emit")
	for _, s := range m.settlements {
		m.buildUp(s)
	}
	lap("build")
	m.buildFarms()
	m.grow()
	lap("grow")
}
