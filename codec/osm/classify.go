package osm

import (
	"math"
	"strconv"
	"strings"

	"viandante/core/geo"
	"viandante/core/region"
)

// areaTags lists what makes a closed way an area, the first that matches counts.
var areaTags = []struct {
	key    string
	values map[string]region.Class
}{
	{
		"natural",
		map[string]region.Class{
			"water":     region.Water,
			"wood":      region.Wood,
			"scrub":     region.Heath,
			"heath":     region.Heath,
			"grassland": region.Grass,
			"fell":      region.Heath,
			"wetland":   region.Grass,
			"beach":     region.Sand,
			"sand":      region.Sand,
			"shoal":     region.Sand,
			"bare_rock": region.Rock,
			"scree":     region.Rock,
			"glacier":   region.Rock,
		},
	},
	{"waterway", map[string]region.Class{"riverbank": region.Water, "dock": region.Water}},
	{
		"landuse",
		map[string]region.Class{
			"forest":            region.Wood,
			"reservoir":         region.Water,
			"basin":             region.Water,
			"grass":             region.Grass,
			"meadow":            region.Grass,
			"village_green":     region.Park,
			"recreation_ground": region.Park,
			"cemetery":          region.Park,
			"farmland":          region.Farmland,
			"farmyard":          region.Farmland,
			"orchard":           region.Orchard,
			"vineyard":          region.Orchard,
			"allotments":        region.Orchard,
			"residential":       region.Residential,
			"commercial":        region.Residential,
			"industrial":        region.Residential,
			"retail":            region.Residential,
			"quarry":            region.Rock,
		},
	},
	{
		"leisure",
		map[string]region.Class{
			"park":           region.Park,
			"garden":         region.Park,
			"pitch":          region.Park,
			"playground":     region.Park,
			"golf_course":    region.Park,
			"common":         region.Grass,
			"nature_reserve": region.Grass,
			"swimming_pool":  region.Water,
		},
	},
	{"place", map[string]region.Class{"square": region.Square, "islet": region.Land, "island": region.Land}},
	{"man_made", map[string]region.Class{"pier": region.Pier, "breakwater": region.Pier}},
}

var settlements = map[string]struct{ size, zoom uint8 }{
	"city": {
		4,
		4,
	}, "town": {3, 7}, "village": {2, 9}, "suburb": {1, 12}, "quarter": {1, 12}, "neighbourhood": {1, 13},
	"hamlet": {1, 11}, "isolated_dwelling": {1, 13},
}

// landmarkKeys are the keys whose features can be looked for by their name.
var landmarkKeys = []string{
	"amenity",
	"shop",
	"tourism",
	"historic",
	"leisure",
	"office",
	"public_transport",
	"railway",
	"aeroway",
	"natural",
	"place",
	"man_made",
}

func (t tags) landmarkKind() string {
	for _, k := range landmarkKeys {
		if v := t[k]; v != "" && v != "no" {
			return strings.ReplaceAll(v, "_", " ")
		}
	}
	return ""
}

func (t tags) areaClass() (region.Class, bool) {
	if v := t["building"]; v != "" && v != "no" {
		return region.Building, true
	}
	for _, a := range areaTags {
		if c, ok := a.values[t[a.key]]; ok {
			return c, true
		}
	}
	if (t["highway"] == "pedestrian" || t["highway"] == "footway") && t["area"] == "yes" {
		return region.Square, true
	}
	return 0, false
}

func (b *builder) node(n taggedNode) {
	id := region.NewFeatureID(region.FromNode, n.id)
	b.address(id, n.at, n.tags)
	b.roadPoint(n)
	switch n.tags["barrier"] {
	case "gate", "bollard", "lift_gate", "cycle_barrier", "stile", "block":
		b.draft.Ground = append(
			b.draft.Ground,
			region.Feature{
				ID:      id,
				Class:   region.Barrier,
				Shape:   region.PointShape,
				MinZoom: 16,
				Parts:   [][]geo.E7{{n.at}},
			},
		)
	}
	name := n.tags["name"]
	if name == "" {
		b.unnamed(id, n.at, n.tags)
		return
	}
	add := func(class region.Class, zoom, rank uint8) {
		b.draft.Ground = append(
			b.draft.Ground,
			region.Feature{
				ID:      id,
				Class:   class,
				Shape:   region.PointShape,
				MinZoom: zoom,
				Rank:    rank,
				Name:    name,
				Parts:   [][]geo.E7{{n.at}},
			},
		)
	}
	if s, ok := settlements[n.tags["place"]]; ok {
		b.draft.Settlements = append(b.draft.Settlements, region.Settlement{ID: id, At: n.at, Name: name, Size: s.size,
			Also: n.tags.otherNames()})
		add(region.Locality, s.zoom, 200+s.size)
		return
	}
	kind := n.tags.landmarkKind()
	if kind == "" {
		return
	}
	b.draft.Landmarks = append(b.draft.Landmarks, region.Landmark{ID: id, At: n.at, Name: name, Kind: kind,
		Also: n.tags.otherNames()})
	if n.tags["natural"] == "peak" {
		rank := uint8(100) // the higher, the sooner its name is shown
		if v, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(n.tags["ele"], "m")), 64); err == nil &&
			v > 0 {
			rank += uint8(math.Min(90, v/50))
			name += "\n" + strconv.Itoa(int(math.Round(v))) + " m"
		}
		add(region.Peak, 10, rank)
	} else {
		add(region.Point, 16, 40)
	}
}

func (b *builder) address(id region.FeatureID, at geo.E7, t tags) {
	number, street := t["addr:housenumber"], t["addr:street"]
	if street == "" {
		street = t["addr:place"]
	}
	if number == "" || street == "" {
		return
	}
	b.draft.Addresses = append(
		b.draft.Addresses,
		region.Address{
			ID:       id,
			At:       at,
			Number:   number,
			Street:   street,
			Place:    t["addr:city"],
			Postcode: t["addr:postcode"],
		},
	)
	b.draft.Ground = append(
		b.draft.Ground,
		region.Feature{
			ID:      id,
			Class:   region.HouseNumber,
			Shape:   region.PointShape,
			MinZoom: 17,
			Rank:    5,
			Name:    number,
			Parts:   [][]geo.E7{{at}},
		},
	)
}

func (b *builder) way(w *way) {
	if len(w.nodes) < 2 || w.tags == nil {
		return
	}
	id := region.NewFeatureID(region.FromWay, w.id)
	closed := len(w.nodes) > 3 && w.nodes[0] == w.nodes[len(w.nodes)-1]
	if class, ok := w.tags.areaClass(); ok {
		if closed {
			if class == region.Square && w.tags["highway"] != "" {
				b.squares = append(b.squares, w)
			}
			b.area(id, class, w.tags, [][]geo.E7{ring(b.line(w.nodes), false)})
			return
		}
		if w.tags["highway"] == "" && w.tags["waterway"] == "" && w.tags["man_made"] == "" {
			b.report.OpenAreas++
			return
		}
	}
	f := region.Feature{ID: id, Shape: region.LineShape, Flags: flags(w.tags), Name: w.tags["name"]}
	switch {
	case w.tags["highway"] != "":
		h, ok := highways[strings.TrimSuffix(w.tags["highway"], "_link")]
		if !ok || w.tags["area"] == "yes" {
			return
		}
		f.Class, f.MinZoom, f.Rank = h.class, h.zoom, 60+uint8(h.class)
		b.road(w, h.class)
	case w.tags["route"] == "ferry":
		f.Class, f.MinZoom, f.Rank = region.Ferry, 8, 50
		b.road(w, region.Ferry)
	case w.tags["waterway"] == "river" || w.tags["waterway"] == "canal":
		f.Class, f.MinZoom, f.Rank = region.River, 8, region.RiverRank(metres(w.tags["width"]))
	case w.tags["waterway"] == "stream" || w.tags["waterway"] == "ditch" || w.tags["waterway"] == "drain":
		f.Class, f.MinZoom, f.Rank = region.Stream, 12, 20
	case w.tags["natural"] == "cliff":
		f.Class, f.MinZoom = region.Cliff, 12
	case w.tags["man_made"] == "pier" || w.tags["man_made"] == "breakwater":
		f.Class, f.MinZoom = region.Pier, 14
	default:
		return
	}
	if w.tags["oneway"] == "-1" { // arrows are drawn along the line, so the line runs the way that traffic does
		ids := append([]int64(nil), w.nodes...)
		for i, k := 0, len(ids)-1; i < k; i, k = i+1, k-1 {
			ids[i], ids[k] = ids[k], ids[i]
		}
		f.Parts = [][]geo.E7{b.line(ids)}
	} else {
		f.Parts = [][]geo.E7{b.line(w.nodes)}
	}
	b.draft.Ground = append(b.draft.Ground, f)
}

func flags(t tags) region.Flag {
	var f region.Flag
	if forward, backward := direction(t); forward != backward {
		f |= region.OneWay
	}
	if v := t["bridge"]; v != "" && v != "no" {
		f |= region.Bridge
		if n, err := strconv.Atoi(t["layer"]); err == nil {
			f |= region.AtLevel(n - 1)
		}
	}
	if v := t["tunnel"]; v != "" && v != "no" {
		f |= region.Tunnel
	}
	if t["intermittent"] == "yes" {
		f |= region.Intermittent
	}
	return f
}

// direction tells which ways vehicles may follow.
func direction(t tags) (forward, backward bool) {
	switch t["oneway"] {
	case "yes", "1", "true":
		return true, false
	case "-1", "reverse":
		return false, true
	case "no", "0", "false":
		return true, true
	}
	if t["junction"] == "roundabout" || t["junction"] == "circular" || t["highway"] == "motorway" {
		return true, false
	}
	return true, true
}

// area adds an area with its name, its address and what can be looked for in it.
func (b *builder) area(id region.FeatureID, class region.Class, t tags, rings [][]geo.E7) {
	size := 0.0
	for _, r := range rings {
		size += signedArea(r)
	}
	outer := rings[0]
	if len(outer) < 3 || size <= 0 {
		return
	}
	middle := centroid(outer)
	b.address(id, middle, t)
	name := t["name"]
	if name != "" {
		if kind := t.landmarkKind(); kind != "" && class != region.Water {
			b.draft.Landmarks = append(b.draft.Landmarks, region.Landmark{ID: id, At: middle, Name: name, Kind: kind,
				Also: t.otherNames()})
		}
	} else {
		b.unnamed(id, middle, t)
	}
	zoom := zoomForArea(size)
	if class == region.Building {
		zoom = max(13, zoom)
	}
	b.draft.Ground = append(
		b.draft.Ground,
		region.Feature{ID: id, Class: class, Shape: region.AreaShape, Flags: flags(t) & region.Intermittent,
			MinZoom: zoom, Rank: 30, Name: name, Parts: rings},
	)
}

// zoomForArea returns the first zoom at which an area of so many square metres covers a square of about three pixels.
func zoomForArea(squareMetres float64) uint8 {
	z := math.Ceil(math.Log2(3 * 62000 / math.Sqrt(squareMetres)))
	return uint8(math.Max(0, math.Min(17, z)))
}

// metres reads a length as OSM writes it, or returns 0.
func metres(s string) float64 {
	v, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(s, "m")), 64)
	if err != nil || !(v > 0 && v < 100000) {
		return 0
	}
	return v
}
