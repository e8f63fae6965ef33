package roadtest

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"viandante/core/geo"
	"viandante/core/region"
)

// town is how many junctions a town of Country has along its side.
const town = 20

// Country makes a country with about so many road nodes, junctions and shape points together: towns of shaken grids
// with streets left out, one-way and of several classes, joined with their neighbours by two or three roads, and across
// every fifth town by motorways and main roads; with signals, gates and restrictions of turns, heights aside. The same
// seed gives the same country.
func Country(seed uint64, nodes int) *region.Draft {
	rnd := rand.New(rand.NewPCG(seed, 1))
	side := town * max(1, int(math.Sqrt(float64(nodes)/2.58))/town) // a junction has 1.75 shape points
	c := &country{rnd: rnd, side: side, next: int64(side*side) + 1,
		d: &region.Draft{RoadNodes: map[int64]geo.E7{}, RoadPoints: map[int64][]string{}}}
	for i := range side {
		for j := range side {
			c.d.RoadNodes[c.node(i, j)] = c.at(float64(i)+0.3*rnd.Float64(), float64(j)+0.3*rnd.Float64())
			if rnd.IntN(60) == 0 {
				tag := []string{"highway=traffic_signals", "highway=crossing", "barrier=gate",
					"highway=stop"}[rnd.IntN(4)]
				c.d.RoadPoints[c.node(i, j)] = []string{tag}
			}
		}
	}
	for i := range side {
		for j := range side {
			c.leave(i, j, i, j+1, i)
			c.leave(i, j, i+1, j, j)
		}
	}
	c.restrict()
	c.d.Bounds = geo.Box{South: -45, West: -30, North: -20, East: 10}
	c.d.Name = fmt.Sprintf("Country %d", seed)
	return c.d
}

type country struct {
	rnd  *rand.Rand
	side int
	next int64
	d    *region.Draft
}

func (c *country) node(i, j int) int64 { return int64(i*c.side+j) + 1 }

// at is a position on the grid: towns lie apart.
func (c *country) at(y, x float64) geo.E7 {
	apart := func(v float64) float64 { return v + 14*math.Floor(v/town) }
	return geo.MustPoint(-40+apart(y)*0.0009, -26+apart(x)*0.0011).E7()
}

// leave lays the street from one junction to the next, where there is one; line is the row or column that it is on.
func (c *country) leave(i, j, k, l, line int) {
	if k >= c.side || l >= c.side {
		return
	}
	within := line % town
	between := (k != i && k%town == 0) || (l != j && l%town == 0)
	trunk := within == town/2 && line/town%5 == 2
	class, highway, share := region.LocalStreet, "residential", 0.72
	switch {
	case trunk:
		class, highway, share = region.Trunk, "trunk", 1
	case within == town/2:
		class, highway, share = region.Secondary, "secondary", 1
	case within%7 == 3:
		class, highway, share = region.Tertiary, "tertiary", 0.95
	}
	if between && within != town/2 {
		if share = 0.12; within%7 == 3 {
			share = 0.35
		}
		class, highway = region.Tertiary, "tertiary"
	}
	if c.rnd.Float64() > share {
		return
	}
	tags := []string{"highway=" + highway}
	if class == region.LocalStreet {
		switch c.rnd.IntN(20) {
		case 0, 1:
			tags = append(tags, "oneway=yes")
		case 2:
			tags = append(tags, "oneway=-1")
		case 3:
			tags = append(tags, "access=private")
		case 4:
			class, tags = region.Path, []string{"highway=footway"}
		case 5:
			tags = append(tags, "maxspeed=20")
		}
	}
	nodes := []int64{c.node(i, j)}
	shapes := c.rnd.IntN(3)
	if between {
		shapes = 10
	}
	a, b := c.d.RoadNodes[c.node(i, j)], c.d.RoadNodes[c.node(k, l)]
	for s := range shapes {
		t := float64(s+1) / float64(shapes+1)
		id := c.next
		c.next++
		c.d.RoadNodes[id] = geo.E7{Lat: a.Lat + int32(t*float64(b.Lat-a.Lat)) + c.rnd.Int32N(900),
			Lng: a.Lng + int32(t*float64(b.Lng-a.Lng)) + c.rnd.Int32N(900)}
		nodes = append(nodes, id)
	}
	id := int64(len(c.d.Roads) + 1)
	c.d.Roads = append(c.d.Roads, region.Road{ID: id, Class: class, Tags: tags, Nodes: append(nodes, c.node(k, l)),
		Name: fmt.Sprintf("%s %d", highway, line)})
}

// restrict forbids a turn at every eightieth junction.
func (c *country) restrict() {
	ways := map[int64][]int64{}
	for _, r := range c.d.Roads {
		for _, n := range []int64{r.Nodes[0], r.Nodes[len(r.Nodes)-1]} {
			ways[n] = append(ways[n], r.ID)
		}
	}
	for n := int64(1); n <= int64(c.side*c.side); n += 80 {
		if w := ways[n]; len(w) > 2 {
			c.d.Restrictions = append(c.d.Restrictions, region.Restriction{ID: n, From: w[0], Node: n, To: w[1],
				Tags: []string{"restriction=no_left_turn"}})
		}
	}
}

// RealExtract returns the path of an extract of real map data that the library which reads such data ships with its own
// tests: a small mountain country as *.osm.bz2, a flat coast as *.osm.pbf.
func RealExtract(pattern string) (string, error) {
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/paulmach/osm").Output()
	if err != nil {
		return "", err
	}
	found, err := filepath.Glob(filepath.Join(strings.TrimSpace(string(dir)), "testdata", pattern))
	if err != nil || len(found) != 1 {
		return "", fmt.Errorf("%d extracts match %s: %w", len(found), pattern, os.ErrNotExist)
	}
	return found[0], nil
}
