package address

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/region"
)

func e7(lat, lng float64) geo.E7 { return geo.MustPoint(lat, lng).E7() }

// sampleRegion is three towns and a quarter, each with the same four streets on a grid, in two districts.
func sampleRegion(t testing.TB) *region.Region {
	t.Helper()
	d := &region.Draft{RoadNodes: map[int64]geo.E7{}}
	for i, name := range []string{"Varrowby", "Quillmere", "São Tomé Baixo"} {
		lat := -38 - float64(i)/10
		town := region.Settlement{ID: region.FeatureID(i + 1), At: e7(lat, -26), Name: name, Size: 3}
		if i == 1 {
			town.Also = []region.OtherName{{Kind: "old", Text: "Quilmouth"}, {Kind: "it", Text: "Penna a Mare"}}
		}
		d.Settlements = append(d.Settlements, town)
		for s, street := range []string{"Mill Lane", "Lantern Row", "Straße der Möwen", "St. Anna Street"} {
			lng := -26 + float64(s)*1e-3
			var nodes []int64
			for n := 1; n <= 20; n++ {
				if s == 0 && n == 15 {
					continue // there is no number 15 in any Mill Lane
				}
				d.Addresses = append(d.Addresses, region.Address{ID: region.FeatureID(1000*(i+1) + 100*s + n),
					At:     e7(lat+float64(n)*1e-4, lng+float64(n%2*2-1)*1e-4),
					Number: strconv.Itoa(n), Street: street, Place: name, Postcode: []string{"4100", "4200",
						"4300"}[i]})
			}
			for n := range 23 {
				id := int64(10_000*(i+1) + 100*s + n)
				d.RoadNodes[id] = e7(lat+float64(n)*1e-4, lng)
				nodes = append(nodes, id)
			}
			d.Roads = append(d.Roads, region.Road{ID: int64(10*i + s + 1), Class: region.LocalStreet, Name: street,
				Tags: []string{"highway=residential"}, Nodes: nodes})
		}
		shore := []int64{}
		for s := range 4 {
			shore = append(shore, int64(10_000*(i+1)+100*s))
		}
		d.Roads = append(d.Roads, region.Road{ID: int64(10*i + 9), Class: region.LocalStreet, Name: "Shore Road",
			Tags: []string{"highway=residential"}, Nodes: shore})
	}
	last := &d.Addresses[3]
	last.Number = "4a"
	d.Addresses[10].Number = "11-13"
	d.Settlements = append(d.Settlements, region.Settlement{ID: 9, At: e7(-38.004, -26.003), Name: "Harbour End",
		Size: 1})
	d.Addresses = append(d.Addresses, region.Address{ID: 90, At: e7(-38.004, -26.003), Number: "5",
		Street: "Net Menders' Walk", Place: "Harbour End"})
	d.Landmarks = []region.Landmark{
		{ID: 77, At: e7(-38, -26), Name: "Net Menders' Square", Kind: "square"},
		{ID: 78, At: e7(-38.001, -26.0005), Name: "Mill Lane", Kind: "bus stop"},
		{ID: 79, At: e7(-38.1, -26), Kind: "drinking water"},
		{ID: 80, At: e7(-38.002, -26), Kind: "drinking water"},
		{ID: 81, At: e7(-38.05, -26.05), Name: "Skell Pike", Kind: "peak"},
		{ID: 82, At: e7(-38, -26.002), Name: "Улица Мира", Kind: "cafe"},
	}
	d.Districts = []region.District{
		{ID: 1, Name: "Northing", Rings: [][]geo.E7{{e7(-38.05, -27), e7(-38.05, -25), e7(-37, -25), e7(-37, -27)}}},
		{ID: 2, Name: "Southing", Rings: [][]geo.E7{{e7(-39, -27), e7(-39, -25), e7(-38.05, -25), e7(-38.05, -27)}}},
	}
	area := func(id int, class region.Class, name string, south, west, north, east float64) {
		d.Ground = append(d.Ground, region.Feature{ID: region.FeatureID(id), Class: class, Shape: region.AreaShape,
			Name: name, Parts: [][]geo.E7{{e7(south, west), e7(south, east), e7(north, east), e7(north, west)}}})
	}
	area(500, region.Land, "", -38.3, -26.2, -37.9, -25.9)
	area(501, region.Wood, "Grey Wood", -38.06, -26.1, -38.05, -26.06)
	area(1012, region.Building, "", -37.99885, -26.00015, -37.99875, -26.00005) // Mill Lane 12, Varrowby
	d.Bounds = geo.Box{South: -38.4, West: -26.3, North: -37.8, East: -25.8}
	data, err := region.Encode(d)
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	require.NoError(t, r.Verify())
	return r
}

// implementations are the index that ships, and one that looks at every word, name and street.
func implementations(t testing.TB) map[string]Index {
	r := sampleRegion(t)
	all := NewIndex(r).(*index)
	all.exhaustive = true
	return map[string]Index{"index": NewIndex(r), "exhaustive": all}
}

// each runs a test on all implementations.
func each(t *testing.T, f func(t *testing.T, x Index)) {
	for name, x := range implementations(t) {
		t.Run(name, func(t *testing.T) { f(t, x) })
	}
}

func forward(t *testing.T, x Index, q Query) []Find {
	t.Helper()
	finds, _, err := x.Forward(t.Context(), q)
	require.NoError(t, err)
	return finds
}

func TestWhatPeopleTypeFindsWhatTheyMean(t *testing.T) {
	each(t, func(t *testing.T, x Index) {
		for text, want := range map[string]string{
			"Mill Lane 12, Varrowby":                             "Mill Lane 12, 4100 Varrowby",
			"12 mill lane quillmere":                             "Mill Lane 12, 4200 Quillmere",
			"quillmere mill lane 12":                             "Mill Lane 12, 4200 Quillmere",
			"mill lane 12 4200":                                  "Mill Lane 12, 4200 Quillmere",
			"4200 quillmere, 12, lane mill":                      "Mill Lane 12, 4200 Quillmere",
			"MILL LANE 12 VARROWBY":                              "Mill Lane 12, 4100 Varrowby",
			"Mill Lane no. 12, Varrowby":                         "Mill Lane 12, 4100 Varrowby",
			"Mill Lane #12, Varrowby":                            "Mill Lane 12, 4100 Varrowby",
			"mill ln 12 varrowby":                                "Mill Lane 12, 4100 Varrowby",
			"milllane12varrowby":                                 "Mill Lane 12, 4100 Varrowby",
			"mil llane 12 var rowby":                             "Mill Lane 12, 4100 Varrowby",
			"mill 12 varrowby":                                   "Mill Lane 12, 4100 Varrowby",
			"Mill Lane 12, 4100Varrowby":                         "Mill Lane 12, 4100 Varrowby",
			"Mil Lane 12, Varroby":                               "Mill Lane 12, 4100 Varrowby",
			"Lantren Row 3 Varrowby":                             "Lantern Row 3, 4100 Varrowby",
			"lantern rw 3 varrowby":                              "Lantern Row 3, 4100 Varrowby",
			"lanntern row 3 varowby":                             "Lantern Row 3, 4100 Varrowby",
			"lamtirn row 3 varrowby":                             "Lantern Row 3, 4100 Varrowby",
			"strasse der mowen 5 varrowby":                       "Straße der Möwen 5, 4100 Varrowby",
			"Str. der Möwen 5 Varrowby":                          "Straße der Möwen 5, 4100 Varrowby",
			"Saint Anna St 7 quillmere":                          "St. Anna Street 7, 4200 Quillmere",
			"st anna st 7 quillmere":                             "St. Anna Street 7, 4200 Quillmere",
			"Mill Lane 12, Quilmouth":                            "Mill Lane 12, 4200 Quillmere",
			"Mill Lane 12, penna a mare":                         "Mill Lane 12, 4200 Quillmere",
			"mill lane 4a varrowby":                              "Mill Lane 4a, 4100 Varrowby",
			"mill lane 4 a varrowby":                             "Mill Lane 4a, 4100 Varrowby",
			"mill lane 4A, varrowby":                             "Mill Lane 4a, 4100 Varrowby",
			"mill lane 4 varrowby":                               "Mill Lane 4a, 4100 Varrowby",
			"mill lane 13 varrowby":                              "Mill Lane 13, 4100 Varrowby",
			"mill lane 12 varrowby":                              "Mill Lane 12, 4100 Varrowby",
			"mill lane 15 quillmere":                             "Mill Lane 15, 4200 Quillmere",
			"Mill Lane 999 Varrowby":                             "Mill Lane, Varrowby",
			"Ms Ida Gorse\nMill Lane 12\n4100 Varrowby\nFarland": "Mill Lane 12, 4100 Varrowby",
			"net menders walk 5 varrowby":                        "Net Menders' Walk 5, Harbour End",
			"Mill Lane":                                          "Mill Lane, Varrowby",
			"mill lane southing":                                 "Mill Lane, Quillmere",
			"lant":                                               "Lantern Row, Varrowby",
			"Sao Tome":                                           "São Tomé Baixo",
			"sao tome baixo 4300":                                "São Tomé Baixo",
			"quillmere":                                          "Quillmere",
			"4300":                                               "4300 São Tomé Baixo",
			"southing":                                           "Southing",
			"net menders square":                                 "Net Menders' Square, Varrowby",
			"ulitsa mira":                                        "Улица Мира, Varrowby",
			"Mill Lane / Shore Road, Quillmere":                  "Mill Lane / Shore Road, Quillmere",
			"corner of shore rd and mill ln quillmere":           "Shore Road / Mill Lane, Quillmere",
			"fountain near quillmere":                            "Drinking water, Quillmere",
			"drinking fountain near Mill Lane, Varrowby":         "Drinking water, Varrowby",
		} {
			finds, _, err := x.Suggest(t.Context(), Query{Text: text, Limit: 5, Near: geo.MustPoint(-38, -26)})
			require.NoError(t, err)
			if text != "lant" {
				finds = forward(t, x, Query{Text: text, Limit: 5, Near: geo.MustPoint(-38, -26)})
			}
			require.NotEmpty(t, finds, text)
			assert.Equal(t, want, finds[0].Label, text)
		}
	})
}

func TestAFindTellsWhatItIs(t *testing.T) {
	each(t, func(t *testing.T, x Index) {
		f := forward(t, x, Query{Text: "Lantren Row 3, Varowby, Farland", Limit: 1})[0]
		assert.Equal(t, House, f.Kind)
		assert.Equal(t, []string{"Lantren", "Row", "3", "Varowby"}, f.Matched)
		assert.Equal(t, []Correction{{"Lantren", "Lantern"}, {"Varowby", "Varrowby"}}, f.Corrected)
		assert.Equal(t, []string{"Farland"}, f.Ignored)
		assert.Equal(t, "Northing", f.District)

		f = forward(t, x, Query{Text: "mil llane 5 quillmere", Limit: 1})[0]
		assert.Equal(t, []Correction{{"mil", "Mill"}, {"llane", "Lane"}}, f.Corrected)
		f = forward(t, x, Query{Text: "milllane 5 quill mere", Limit: 1})[0]
		assert.Equal(t, []Correction{{"milllane", "Mill Lane"}, {"quill mere", "Quillmere"}}, f.Corrected)

		f = forward(t, x, Query{Text: "Mill Lane 16, Quilmouth", Limit: 1})[0]
		assert.Empty(t, f.OtherName, "it is the street that is asked for")
		f = forward(t, x, Query{Text: "Quilmouth", Limit: 1})[0]
		assert.Equal(t, "Quillmere Quilmouth old", fmt.Sprint(f.Label, " ", f.OtherName, " ", f.OtherNameKind))

		f = forward(t, x, Query{Text: "Mill Lane 15, Quillmere", Limit: 1})[0]
		assert.Equal(t, []string{"13", "17"}, f.Between)
		assert.Zero(t, f.ID)
		assert.InDelta(t, -38.0985, f.At.Lat(), 1e-9)

		f = forward(t, x, Query{Text: "Mill Lane 99, Quillmere", Limit: 1})[0]
		assert.Equal(t, Street, f.Kind)
		assert.True(t, f.NumberUnknown)

		f = forward(t, x, Query{Text: "corner of Mill Lane and Shore Road, Varrowby", Limit: 1})[0]
		assert.Equal(t, Crossing, f.Kind)
		assert.Equal(t, geo.MustPoint(-38, -26), f.At)
	})
}

func TestConfidenceTellsAGoodMatchFromAPoorOne(t *testing.T) {
	each(t, func(t *testing.T, x Index) {
		confidence := func(text string) float64 {
			finds := forward(t, x, Query{Text: text, Limit: 1})
			if len(finds) == 0 {
				return 0
			}
			return finds[0].Confidence
		}
		sure := confidence("Mill Lane 12, Quillmere 4200")
		assert.Greater(t, sure, 0.95)
		assert.LessOrEqual(t, confidence("Mil Lane 12, Quillmere"), sure)
		assert.Less(t, confidence("Mill Lane 999, Quillmere"), 0.8)
		assert.Less(t, confidence("Mill Lane 12"), 0.5, "there are three")
		assert.Less(t, confidence("Zebra Street 12, Quillmere"), 0.5)
		finds, u, err := x.Forward(t.Context(), Query{Text: "nothing like it at all"})
		require.NoError(t, err)
		assert.Empty(t, finds)
		assert.Contains(t, u.Unknown, "nothing")
		for _, text := range []string{"", "' OR 1=1 --", "%%%", "\u202eabc\u0000", "\xed\xa0\x80", " , , "} {
			forward(t, x, Query{Text: text})
		}
	})
}

func TestNamesakesAreToldApart(t *testing.T) {
	each(t, func(t *testing.T, x Index) {
		finds := forward(t, x, Query{Text: "Lantern Row"})
		require.Len(t, finds, 3)
		sum := 0.0
		for _, f := range finds {
			assert.NotEmpty(t, f.Locality)
			assert.NotEmpty(t, f.District)
			sum += f.Confidence
		}
		assert.LessOrEqual(t, sum, 1.5)
		first := forward(t, x, Query{Text: "Mill Lane", Near: geo.MustPoint(-38.2, -26)})
		assert.Equal(t, Street, first[0].Kind, "a stop does not outrank the street that it is named after")
		assert.Equal(t, "São Tomé Baixo", first[0].Locality)
		far := forward(t, x, Query{Text: "Mill Lane 12, Varrowby", Near: geo.MustPoint(-38.2, -26)})
		assert.Equal(t, "Varrowby", far[0].Locality, "what is meant wins over what is near")
		assert.Equal(t, first, forward(t, x, Query{Text: "Mill Lane", Near: geo.MustPoint(-38.2, -26)}),
			"the order is total")
	})
}

func TestPartsOfAnAddressCanBeGivenApart(t *testing.T) {
	each(t, func(t *testing.T, x Index) {
		finds := forward(t, x, Query{Street: "Mill Lane", HouseNumber: "7", Locality: "Quillmere", Limit: 3})
		require.NotEmpty(t, finds)
		assert.Equal(t, "Mill Lane 7, 4200 Quillmere", finds[0].Label)
		assert.Contains(t, finds[0].Matched, "Quillmere")
		finds = forward(t, x, Query{Postcode: "4300", Limit: 1})
		assert.Equal(t, Postcode, finds[0].Kind)
		finds = forward(t, x, Query{Street: "Quillmere", Limit: 3})
		assert.Empty(t, finds, "a settlement is no street")
	})
}

func TestSuggestionsStayWhileTheyFit(t *testing.T) {
	each(t, func(t *testing.T, x Index) {
		typed := "Lantern Row 12, Quillmere"
		was := ""
		for n := 2; n <= len(typed); n++ {
			finds, _, err := x.Suggest(t.Context(), Query{Text: typed[:n], Limit: 5, Near: geo.MustPoint(-38.1, -26)})
			require.NoError(t, err)
			require.NotEmpty(t, finds, typed[:n])
			if strings.HasPrefix(was, "Lantern Row") {
				assert.True(t, strings.HasPrefix(finds[0].Label, "Lantern Row"), "%s: %s", typed[:n], finds[0].Label)
			}
			was = finds[0].Label
		}
		assert.Equal(t, "Lantern Row 12, 4200 Quillmere", was)
		finds, _, err := x.Suggest(t.Context(), Query{Text: "Mill Lane 4", Limit: 5, Near: geo.MustPoint(-38.1, -26)})
		require.NoError(t, err)
		require.Len(t, finds, 3)
		assert.Equal(t, "4", finds[0].HouseNumber, "a number that is there comes before a postcode that begins so")
		assert.Equal(t, "4", finds[1].HouseNumber)
		finds, _, err = x.Suggest(t.Context(), Query{Text: "Mill Lane 99", Limit: 5})
		require.NoError(t, err)
		require.Len(t, finds, 3)
		assert.True(t, finds[0].NumberUnknown, "no number of it begins so")
		finds, _, err = x.Suggest(t.Context(), Query{Text: "mill lane 12 qilm", Limit: 3})
		require.NoError(t, err)
		assert.Equal(t, "Mill Lane 12, 4200 Quillmere", finds[0].Label, "the beginning of a word may have an error")
	})
}

func TestReverse(t *testing.T) {
	each(t, func(t *testing.T, x Index) {
		r := x.(*index).r
		for i := range uint32(r.Addresses()) {
			a := r.Address(i)
			got := x.Reverse(a.At, 3)
			require.NotEmpty(t, got)
			assert.Equal(t, a.ID, got[0].ID)
			assert.Less(t, got[0].DistanceM, 0.01)
			for k := 2; k < len(got); k++ {
				assert.LessOrEqual(t, got[k-1].DistanceM, got[k].DistanceM)
			}
		}
		inside := x.Reverse(geo.MustPoint(-37.99876, -26.00006), 1)[0]
		assert.True(t, inside.Inside)
		assert.Equal(t, "Mill Lane 12, 4100 Varrowby", inside.Label)
		side := x.Reverse(geo.MustPoint(-37.99895, -26.000005), 1)[0] // on the west side: even numbers
		assert.Equal(t, "10", side.HouseNumber)
		side = x.Reverse(geo.MustPoint(-37.99895, -25.999995), 1)[0]
		assert.Contains(t, []string{"9", "11-13", "11"}, side.HouseNumber)
		wood := x.Reverse(geo.MustPoint(-38.055, -26.08), 1)[0]
		assert.Equal(t, "Grey Wood, near Quillmere", wood.Label)
		assert.Equal(t, "Skell Pike, near Quillmere", x.Reverse(geo.MustPoint(-38.0501, -26.0501), 1)[0].Label)
		sea := x.Reverse(geo.MustPoint(-38.35, -26.2), 1)[0]
		assert.Equal(t, Sea, sea.Kind)
		assert.Empty(t, x.Reverse(geo.Point{}, 1))
	})
}

func TestReverseFindsTheNearestAsAScanDoes(t *testing.T) {
	each(t, func(t *testing.T, x Index) {
		r := x.(*index).r
		at := geo.MustPoint(-38.0987, -25.9991)
		nearest := math.Inf(1)
		for i := range uint32(r.Addresses()) {
			nearest = min(nearest, geodesy.Distance(at, r.Address(i).At))
		}
		least := math.Inf(1)
		for _, f := range x.Reverse(at, 10) {
			least = min(least, f.DistanceM)
		}
		assert.Equal(t, nearest, least)
	})
}

// perturbed writes an address as people do: with errors, words missing, in another order.
func perturbed(rng *rand.Rand, words []string) string {
	words = append([]string(nil), words...)
	for range rng.IntN(3) {
		i := rng.IntN(len(words))
		w := []rune(words[i])
		if len(w) < 4 {
			continue
		}
		k := rng.IntN(len(w) - 1)
		switch rng.IntN(4) {
		case 0:
			w[k], w[k+1] = w[k+1], w[k]
		case 1:
			w = append(w[:k], w[k+1:]...)
		case 2:
			w = append(w[:k+1], w[k:]...)
		default:
			w[k] = rune('a' + rng.IntN(26))
		}
		words[i] = string(w)
	}
	if rng.IntN(3) == 0 {
		rng.Shuffle(len(words), func(i, k int) { words[i], words[k] = words[k], words[i] })
	}
	return strings.Join(words, " ")
}

// What is left out for speed is never what would have come first.
func TestTheIndexAnswersAsTheExhaustiveOneDoes(t *testing.T) {
	both := implementations(t)
	r := both["index"].(*index).r
	seed := uint64(17)
	rng := rand.New(rand.NewPCG(seed, 0))
	for range 400 {
		a := r.Address(uint32(rng.IntN(r.Addresses())))
		st := r.Street(a.Street)
		words := append(strings.Fields(st.Name), a.Number, r.Settlement(st.Settlement).Name)
		text := perturbed(rng, words)
		fast, slow := forward(t, both["index"], Query{Text: text, Limit: 1}), forward(t, both["exhaustive"],
			Query{Text: text, Limit: 1})
		require.Equal(t, len(slow) > 0, len(fast) > 0, "seed %d: %q", seed, text)
		if len(fast) > 0 {
			assert.LessOrEqual(t, fast[0].cost, slow[0].cost+1e-9, "seed %d: %q: %s, %s", seed, text, fast[0].Label,
				slow[0].Label)
		}
	}
}

func TestAQueryMadeToBeSlowIsAnswered(t *testing.T) {
	x := NewIndex(sampleRegion(t))
	for _, text := range []string{
		strings.Repeat("a", 10_000), strings.Repeat("a ", 5000), strings.Repeat("12 ", 500), strings.Repeat("lnaterm ",
			24),
		strings.Repeat("st ", 24), strings.Repeat("/", 2000), strings.Repeat("mill/lane&", 100), "מיל ליין 12",
		strings.Repeat("near fountain ", 60), strings.Repeat("fountain near ", 60), strings.Repeat("\u0301", 900),
	} {
		began := time.Now()
		finds := forward(t, x, Query{Text: text, Near: geo.MustPoint(-38, -26)})
		assert.Less(t, time.Since(began), 5*time.Second)
		for _, f := range finds {
			assert.True(t, f.At.IsValid() && f.Confidence >= 0 && f.Confidence <= 1)
		}
	}
}

func TestNobodyWaitsForAnAnswerThatNobodyWants(t *testing.T) {
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, _, err := NewIndex(sampleRegion(t)).Forward(gone, Query{Text: "Mill Lane 12"})
	assert.ErrorIs(t, err, context.Canceled)
}

func TestAnEmptyRegionAnswers(t *testing.T) {
	data, err := region.Encode(&region.Draft{})
	require.NoError(t, err)
	r, err := region.Open(data)
	require.NoError(t, err)
	x := NewIndex(r)
	assert.Empty(t, forward(t, x, Query{Text: "Mill Lane 12 near fountain"}))
	finds, _, err := x.Suggest(t.Context(), Query{Text: "mi", Near: geo.MustPoint(0, 0)})
	require.NoError(t, err)
	assert.Empty(t, finds)
	assert.NotPanics(t, func() { x.Reverse(geo.MustPoint(0, 0), 1) })
}

func FuzzForward(f *testing.F) {
	f.Add("Mill Lane 12")
	f.Add("fountain near Mill Lane / Shore Road")
	x := NewIndex(sampleRegion(f))
	f.Fuzz(func(t *testing.T, s string) {
		for _, find := range forward(t, x, Query{Text: s, Limit: 3}) {
			if find.Confidence < 0 || find.Confidence > 1 || !find.At.IsValid() {
				t.Fatalf("%q: %+v", s, find)
			}
		}
	})
}
