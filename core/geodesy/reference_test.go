package geodesy

import (
	"bytes"
	"compress/gzip"
	_ "embed"
	"encoding/csv"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Geodesics of every difficult kind, integrated with 40 digits by bench/reference.
//
//go:embed testdata/geodesics.csv.gz
var references []byte

type reference struct {
	kind                              string
	lat1, azi1, s12, lat2, lng2, azi2 float64
	lat2Rest, lng2Rest                float64 // what the doubles leave of the written numbers
}

func readReferences(t *testing.T) (out []reference) {
	t.Helper()
	unzipped, err := gzip.NewReader(bytes.NewReader(references))
	require.NoError(t, err)
	rows, err := csv.NewReader(unzipped).ReadAll()
	require.NoError(t, err)
	for _, row := range rows[1:] {
		v := make([]float64, 6)
		for i, text := range row[1:] {
			v[i], err = strconv.ParseFloat(text, 64)
			require.NoError(t, err)
		}
		out = append(out, reference{row[0], v[0], v[1], v[2], v[3], v[4], v[5], rest(row[4], v[3]), rest(row[5], v[4])})
	}
	return out
}

// rest returns by how much a number with 15 decimals is more than its double, good to 1e-15.
func rest(text string, v float64) float64 {
	whole, decimals, _ := strings.Cut(text, ".")
	n, _ := strconv.ParseFloat(whole, 64)
	d, _ := strconv.ParseInt(decimals, 10, 64)
	fraction := float64(d)
	if strings.HasPrefix(text, "-") {
		fraction = -fraction
	}
	return fraction/1e15 - (v - n)
}

// apart returns how far two positions that are all but the same lie from one another, in metres.
func apart(lat1, lng1, lat2, lng2, latRest, lngRest float64) float64 {
	m, p := Radii(lat2)
	return math.Hypot(((lat1-lat2)-latRest)*degree*m, (math.Remainder(lng1-lng2, 360)-lngRest)*degree*p)
}

// Both problems are solved to 15 nanometres and 1e-9 degree for all 10,000.
func TestGeodesicsAgreeWithIntegration(t *testing.T) {
	type worst struct{ direct, bearing, inverse, azimuth float64 }
	by := map[string]*worst{}
	all := readReferences(t)
	require.Len(t, all, 10_000)
	for _, r := range all {
		w := by[r.kind]
		if w == nil {
			w = &worst{}
			by[r.kind] = w
		}
		lat, lng, azi := Direct(r.lat1, 0, r.azi1, r.s12)
		w.direct = max(w.direct, apart(lat, lng, r.lat2, r.lng2, r.lat2Rest, r.lng2Rest))
		if math.Abs(r.lat2) < 89.99 { // at a pole the bearing turns with the longitude
			w.bearing = max(w.bearing, math.Abs(math.Remainder(azi-r.azi2, 360)))
		}
		// The inverse problem is given the doubles: what they leave out shifts the end along the line and across it.
		m, p := Radii(r.lat2)
		s, c := math.Sincos(r.azi2 * degree)
		shift := (r.lat2Rest*m*c + r.lng2Rest*p*s) * degree
		s12, azi1, _ := Inverse(r.lat1, 0, r.lat2, r.lng2)
		w.inverse = max(w.inverse, math.Abs(s12-(r.s12-shift)))
		// Where all bearings lead to all but the same point, the found one must lead there as well.
		lat, lng, _ = Direct(r.lat1, 0, azi1, r.s12)
		if off := math.Abs(math.Remainder(azi1-r.azi1, 360)); off > 1e-9 {
			w.azimuth = max(w.azimuth, apart(lat, lng, r.lat2, r.lng2, 0, 0))
		}
	}
	var table strings.Builder
	for _, kind := range slices.Sorted(func(yield func(string) bool) {
		for k := range by {
			if !yield(k) {
				return
			}
		}
	}) {
		w := by[kind]
		fmt.Fprintf(&table, "%-24s direct %4.1f nm, %.1e°; inverse %4.1f nm, bearings off by more than 1e-9° end "+
			"%.1f nm off\n",
			kind, w.direct*1e9, w.bearing, w.inverse*1e9, w.azimuth*1e9)
		assert.Less(t, w.direct, 15e-9, kind)
		assert.Less(t, w.inverse, 15e-9, kind)
		assert.Less(t, w.bearing, 1e-9, kind)
		assert.Less(t, w.azimuth, 20e-9, kind)
	}
	t.Log("\n" + table.String())
}
