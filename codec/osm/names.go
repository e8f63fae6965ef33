package osm

import (
	"slices"
	"strings"

	"viandante/core/geo"
	"viandante/core/region"
)

// otherKeys are the keys of names besides name, and what kind of name each holds. Those of languages are name:xx.
var otherKeys = []struct{ key, kind string }{
	{"alt_name", "alternative"}, {"old_name", "old"}, {"loc_name", "local"}, {"official_name", "official"},
	{"short_name", "short"}, {"int_name", "international"},
}

// otherNames returns the names that something bears besides its own, those of languages by their codes. Several in one
// value are divided by semicolons.
func (t tags) otherNames() (out []region.OtherName) {
	add := func(kind, value string) {
		for text := range strings.SplitSeq(value, ";") {
			if text = strings.TrimSpace(text); text != "" && text != t["name"] {
				out = append(out, region.OtherName{Kind: kind, Text: text})
			}
		}
	}
	for _, o := range otherKeys {
		add(o.kind, t[o.key])
	}
	var codes []string
	for key := range t {
		if code, ok := strings.CutPrefix(key, "name:"); ok && len(code) >= 2 && len(code) <= 8 {
			codes = append(codes, code)
		}
	}
	slices.Sort(codes)
	for _, code := range codes {
		add(code, t["name:"+code])
	}
	return out
}

// kindKeys are the keys of things that are looked for by what they are, even without a name.
var kindKeys = []string{"amenity", "shop", "tourism", "leisure"}

// unnamed keeps a thing without a name that can be looked for by its kind.
func (b *builder) unnamed(id region.FeatureID, at geo.E7, t tags) {
	for _, k := range kindKeys {
		if v := t[k]; v != "" && v != "no" && v != "yes" {
			b.draft.Landmarks = append(b.draft.Landmarks,
				region.Landmark{ID: id, At: at, Kind: strings.ReplaceAll(v, "_", " ")})
			return
		}
	}
}

// districtLevels are the levels of administration that make up a part of the country: below the country, above what is
// the town itself.
var districtLevels = map[string]bool{"4": true, "5": true, "6": true, "7": true, "8": true}

func (t tags) isDistrict() bool {
	return t["boundary"] == "administrative" && t["name"] != "" && districtLevels[t["admin_level"]]
}

// district keeps a boundary if it closes.
func (b *builder) district(m multipolygon) {
	rings, ok := b.rings(m)
	if ok {
		b.draft.Districts = append(b.draft.Districts, region.District{
			ID: region.NewFeatureID(region.FromRelation, m.id), Name: m.tags["name"], Rings: rings})
	}
}
