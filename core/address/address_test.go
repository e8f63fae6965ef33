package address

import (
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

func sample(t testing.TB) *Index {
	t.Helper()
	at := func(lat, lng float64) geo.E7 { return geo.MustPoint(lat, lng).E7() }
	d := &region.Draft{RoadNodes: map[int64]geo.E7{}}
	for i, name := range []string{"Varrowby", "Quillmere", "São Tomé Baixo"} {
		d.Settlements = append(
			d.Settlements,
			region.Settlement{ID: region.FeatureID(i + 1), At: at(-38-float64(i)/10, -26), Name: name, Size: 3},
		)
		for s, street := range []string{"Mill Lane", "Lantern Row", "Straße der Möwen"} {
			for n := 1; n <= 20; n++ {
				d.Addresses = append(
					d.Addresses,
					region.Address{
						ID: region.FeatureID(1000*i + 100*s + n),
						At: at(-38-float64(i)/10+float64(n)*1e-4, -26+float64(s)*1e-3),
						Number: strings.TrimPrefix(
							string(rune('0'+n/10)),
							"0",
						) + string(
							rune('0'+n%10),
						),
						Street:   street,
						Place:    name,
						Postcode: []string{"4100", "4200", "4300"}[i],
					},
				)
			}
		}
	}
	d.Landmarks = []region.Landmark{{ID: 77, At: at(-38, -26), Name: "Net Menders' Square", Kind: "square"}}
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	return NewIndex(r)
}

func forward(t *testing.T, x *Index, q Query) []Find {
	t.Helper()
	finds, err := x.Forward(t.Context(), q)
	require.NoError(t, err)
	return finds
}

func TestWhatPeopleTypeFindsWhatTheyMean(t *testing.T) {
	x := sample(t)
	for text, want := range map[string]string{
		"Mill Lane 12, Varrowby":       "Mill Lane 12, 4100 Varrowby",
		"12 mill lane quillmere":       "Mill Lane 12, 4200 Quillmere",
		"mill lane 12 4200":            "Mill Lane 12, 4200 Quillmere",
		"MILL LANE 12 VARROWBY":        "Mill Lane 12, 4100 Varrowby",
		"Mil Lane 12, Varroby":         "Mill Lane 12, 4100 Varrowby",
		"Lantren Row 3 Varrowby":       "Lantern Row 3, 4100 Varrowby",
		"lant":                         "Lantern Row, Varrowby",
		"strasse der mowen 5 varrowby": "Straße der Möwen 5, 4100 Varrowby",
		"Sao Tome":                     "São Tomé Baixo",
		"quillmere":                    "Quillmere",
		"net menders square":           "Net Menders' Square",
		"Mill Lane 999 Varrowby":       "Mill Lane, Varrowby",
	} {
		finds := forward(t, x, Query{Text: text, Limit: 5, Near: geo.MustPoint(-38, -26)})
		require.NotEmpty(t, finds, text)
		assert.Equal(t, want, finds[0].Label, text)
	}
}

func TestConfidenceTellsAGoodMatchFromAPoorOne(t *testing.T) {
	x := sample(t)
	confidence := func(text string) float64 { return forward(t, x, Query{Text: text, Limit: 1})[0].Confidence }
	assert.Equal(t, 1.0, confidence("Mill Lane 12, Quillmere 4200"))
	assert.Less(t, confidence("Mil Lane 12, Quillmere"), 1.0)
	assert.Less(t, confidence("Mill Lane 999, Quillmere"), 0.7)
	assert.Empty(t, forward(t, x, Query{Text: "nothing like it at all"}))
	assert.Empty(t, forward(t, x, Query{Text: ""}))
	assert.Empty(t, forward(t, x, Query{Text: "' OR 1=1 --"}))
}

func TestPartsOfAnAddressCanBeGivenApart(t *testing.T) {
	finds := forward(t, sample(t), Query{Street: "Mill Lane", HouseNumber: "7", Locality: "Quillmere", Limit: 3})
	require.NotEmpty(t, finds)
	assert.Equal(t, "Mill Lane 7, 4200 Quillmere", finds[0].Label)
	assert.Equal(t, House, finds[0].Kind)
	assert.Contains(t, finds[0].Matched, "quillmere")
}

func TestTheNearerOfEqualsComesFirst(t *testing.T) {
	x := sample(t)
	first := forward(t, x, Query{Text: "Mill Lane 12", Near: geo.MustPoint(-38.2, -26), Limit: 3})
	assert.Equal(t, "São Tomé Baixo", first[0].Locality)
	assert.Equal(
		t,
		first,
		forward(t, x, Query{Text: "Mill Lane 12", Near: geo.MustPoint(-38.2, -26), Limit: 3}),
		"the order is total",
	)
}

func TestReverseAgreesWithAScan(t *testing.T) {
	x := sample(t)
	at := geo.MustPoint(-38.0987, -25.9991)
	var all []float64
	for i := range uint32(x.region.Addresses()) {
		if d := geodesy.Distance(at, x.region.Address(i).At); d <= maxReverseM {
			all = append(all, d)
		}
	}
	slices.Sort(all)
	got := x.Reverse(at, 10)
	require.Len(t, got, 10)
	for i, f := range got {
		assert.Equal(t, all[i], f.DistanceM)
	}
	assert.Empty(t, x.Reverse(geo.MustPoint(10, 10), 5))
}

func TestEditDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"mill", "mill", 0}, {"mill", "mil", 1}, {"mill", "milk", 1}, {"lantern", "lantren", 1}, {"abcdef",
		"ghijkl", 3}, {"", "ab", 2}} {
		assert.Equal(t, c.want, editDistance([]rune(c.a), []rune(c.b), 2), c.a+" "+c.b)
	}
}

func TestNobodyWaitsForAnAnswerThatNobodyWants(t *testing.T) {
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := sample(t).Forward(gone, Query{Text: "Mill Lane 12"})
	assert.ErrorIs(t, err, context.Canceled)
}

func FuzzForward(f *testing.F) {
	f.Add("Mill Lane 12")
	x := sample(f)
	f.Fuzz(func(t *testing.T, s string) {
		for _, find := range forward(t, x, Query{Text: s, Limit: 3}) {
			if find.Confidence < 0 || find.Confidence > 1 || !find.At.IsValid() {
				t.Fatalf("%q: %+v", s, find)
			}
		}
	})
}
