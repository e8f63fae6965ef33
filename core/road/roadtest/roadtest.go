// Package roadtest has networks and profiles for tests of ways.
package roadtest

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/hierarchy"
	"viandante/core/region"
	"viandante/core/road"
	"viandante/profiles"
)

// Profile returns a profile that ships with the program.
func Profile(name string) *road.Profile { return profiles.Shipped()[name] }

// Names are the profiles that ship with the program.
var Names = []string{"car", "bicycle", "foot"}

// Metric weighs a region's roads for a shipped profile, ready to search.
func Metric(r *region.Region, name string) *road.Metric {
	return road.NewMetric(r, Profile(name)).Customize(hierarchy.Goroutines(2))
}

// Open encodes a draft and opens it.
func Open(t testing.TB, d *region.Draft) *region.Region {
	t.Helper()
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	return r
}

// Random makes a network of n by n junctions about 100 m apart, shaken, where streets are left out, one-way, private,
// closed or slow at random, with gates, signals and restrictions of turns, some of which lead along a way.
func Random(r *rand.Rand, n int) *region.Draft {
	d := &region.Draft{RoadNodes: map[int64]geo.E7{}, RoadPoints: map[int64][]string{}}
	node := func(i, j int) int64 { return int64(i*n + j + 1) }
	for i := range n {
		for j := range n {
			lat, lng := -38+float64(i)*0.0009+r.Float64()*0.0004, -26+float64(j)*0.0011+r.Float64()*0.0004
			d.RoadNodes[node(i, j)] = geo.MustPoint(lat, lng).E7()
			switch r.IntN(24) {
			case 0:
				d.RoadPoints[node(i, j)] = []string{"barrier=" + []string{"gate", "bollard", "wall"}[r.IntN(3)]}
			case 1:
				d.RoadPoints[node(i, j)] = []string{"highway=traffic_signals"}
			}
		}
	}
	at := map[int64][]int64{} // the ways at a node
	street := func(a, b int64) {
		if r.Float64() < 0.2 {
			return
		}
		classes := []region.Class{region.LocalStreet, region.Primary, region.Path, region.Service, region.Motorway}
		highways := []string{"residential", "primary", "path", "service", "motorway"}
		k := r.IntN(len(classes) * 3)
		if k >= len(classes) {
			k %= 2
		}
		tags := []string{"highway=" + highways[k]}
		for _, tag := range []string{"oneway=yes", "oneway=-1", "access=private", "maxspeed=30", "bicycle=no",
			"foot=no",
			"surface=gravel", "motor_vehicle=destination"} {
			if r.IntN(14) == 0 {
				tags = append(tags, tag)
			}
		}
		slices.Sort(tags)
		id := int64(len(d.Roads) + 1)
		d.Roads = append(d.Roads, region.Road{ID: id, Class: classes[k], Tags: tags, Name: classes[k].String(),
			Nodes: []int64{a, b}})
		at[a], at[b] = append(at[a], id), append(at[b], id)
	}
	for i := range n {
		for j := range n {
			if i+1 < n {
				street(node(i, j), node(i+1, j))
			}
			if j+1 < n {
				street(node(i, j), node(i, j+1))
			}
		}
	}
	other := func(way, node int64) int64 {
		ends := d.Roads[way-1].Nodes
		return ends[0] + ends[1] - node
	}
	for i := range n * n / 3 {
		via := int64(1 + r.IntN(n*n))
		if len(at[via]) < 2 {
			continue
		}
		pick := func(node int64) int64 { return at[node][r.IntN(len(at[node]))] }
		x := region.Restriction{ID: int64(i + 1), From: pick(via), Node: via, To: pick(via), Only: r.IntN(4) == 0,
			Tags: []string{[]string{"restriction=no_left_turn", "restriction=no_right_turn",
				"restriction:motorcar=no_left_turn"}[r.IntN(3)]}}
		if r.IntN(3) == 0 {
			x.Tags = append([]string{"except=bicycle"}, x.Tags...)
		}
		if r.IntN(2) == 0 && x.To != x.From { // along a way, sometimes two
			for range 1 + r.IntN(2) {
				x.Ways, via = append(x.Ways, x.To), other(x.To, via)
				x.To = pick(via)
				if x.To == x.Ways[len(x.Ways)-1] {
					break
				}
			}
			x.Node = 0
			if x.To == x.Ways[len(x.Ways)-1] || x.Ways[0] == x.From {
				continue
			}
		}
		d.Restrictions = append(d.Restrictions, x)
	}
	return d
}

// Within returns a random position within the network that Random makes.
func Within(r *rand.Rand, n int) geo.Point {
	return geo.MustPoint(-38+r.Float64()*0.0009*float64(n), -26+r.Float64()*0.0011*float64(n))
}
