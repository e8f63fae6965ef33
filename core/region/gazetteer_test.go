package region

import (
	"bytes"
	"math/rand/v2"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/geo"
	"viandante/core/lexicon"
)

// thingsNamed returns what bears a name, by the words of it, as kind and label.
func thingsNamed(t *testing.T, r *Region, name string) (out []string) {
	t.Helper()
	var words []uint32
	for _, w := range lexicon.Words(name) {
		n, ok := r.Lexicon().Exact(w)
		if !ok {
			return nil
		}
		words = append(words, n)
	}
	r.NamesWith(words[0], func(n uint32) bool {
		if slices.Equal(r.NameWords(n), words) {
			for k := range r.Things(n) {
				one := r.Named(n, k)
				text := strconv.Itoa(int(one.Kind)) + " " + r.Text(one.Text)
				if one.NameKind != 0 {
					text += " (" + r.Text(one.NameKind) + ")"
				}
				out = append(out, text)
			}
		}
		return true
	})
	return out
}

func TestNamesLeadToAllThatBearThem(t *testing.T) {
	d := sample()
	d.Settlements[0].Also = []OtherName{{"old", "Furt"}, {"it", "Guado"}, {"de", "Ford"}}
	d.Roads[1].Also = []OtherName{{"local", "The Lane"}}
	d.Landmarks = append(d.Landmarks, Landmark{ID: 5, At: at(0, 0), Kind: "drinking water"},
		Landmark{ID: 6, At: at(0, 0), Name: "Ford", Kind: "cafe"})
	r := open(t, d)
	assert.Equal(t, []string{"1 Ford", "2 Ford"}, thingsNamed(t, r, "FORD"))
	assert.Equal(t, []string{"1 Furt (old)"}, thingsNamed(t, r, "furt"))
	assert.Equal(t, []string{"0 The Lane (local)"}, thingsNamed(t, r, "the lane"))
	assert.Equal(t, []string{"3 A1"}, thingsNamed(t, r, "a1"))
	assert.Equal(t, []string{"5 drinking water"}, thingsNamed(t, r, "drinking water"))
	assert.Contains(t, thingsNamed(t, r, "fountain"), "5 fountain (category)")
	assert.Empty(t, thingsNamed(t, r, "nothing"))
}

// The numbers of everything that a name can lead to are where they say, whatever the data are.
func TestTheIndexOfNamesHoldsEveryName(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 5))
	d := &Draft{RoadNodes: map[int64]geo.E7{}, Bounds: geo.Box{South: -1, West: -1, North: 1, East: 1}}
	words := []string{"Mill", "Lane", "Upper", "Shore", "Road", "Éclair", "Straße", "d'Or", "12th", "Улица"}
	name := func() (out string) {
		for range 1 + rng.IntN(4) {
			out += words[rng.IntN(len(words))] + " "
		}
		return out
	}
	for i := range 300 {
		p := at(rng.Float64()-0.5, rng.Float64()-0.5)
		d.Settlements = append(d.Settlements, Settlement{ID: FeatureID(i), At: p, Name: name(), Size: 1})
		d.Landmarks = append(d.Landmarks, Landmark{ID: FeatureID(1000 + i), At: p, Name: name(), Kind: "cafe"})
		d.Addresses = append(d.Addresses, Address{ID: FeatureID(2000 + i), At: p, Number: strconv.Itoa(i),
			Street:   name(),
			Postcode: strconv.Itoa(1000 + i%7)})
	}
	r := open(t, d)
	found := 0
	for n := range uint32(r.Names()) {
		sum := 0
		for _, w := range r.NameWords(n) {
			holds := false
			r.NamesWith(w, func(other uint32) bool { holds = holds || other == n; return !holds })
			require.True(t, holds, "a word leads to every name that holds it")
			sum += r.WordRarity(w)
		}
		assert.Equal(t, sum, r.NameRarity(n))
		for k := range r.Things(n) {
			one := r.Named(n, k)
			found++
			switch one.Kind {
			case StreetThing:
				assert.Equal(t, r.Text(one.Text), r.Street(one.Item).Name)
			case LocalityThing:
				assert.Equal(t, r.Text(one.Text), r.Settlement(one.Item).Name)
			case LandmarkThing:
				assert.Equal(t, r.Text(one.Text), r.Landmark(one.Item).Name)
			case PostcodeThing:
				assert.Equal(t, r.Text(one.Text), r.Postcode(one.Item).Text)
			}
		}
	}
	assert.GreaterOrEqual(t, found, 600+r.Streets()+7)
	again, err := Encode(d)
	require.NoError(t, err)
	data, err := Encode(d)
	require.NoError(t, err)
	assert.True(t, bytes.Equal(again, data), "the same draft gives the same bytes")
}

func TestStreetsMeetAtSharedNodes(t *testing.T) {
	r := open(t, sample())
	var meets []string
	for i := range uint32(r.Streets()) {
		r.Crossings(i, func(other uint32, p geo.Point) {
			meets = append(meets, r.Street(i).Name+" × "+r.Street(other).Name+" at "+p.String())
		})
	}
	assert.Equal(t, []string{"High Road × Mill Lane at 0,0.01", "Mill Lane × High Road at 0,0.01"}, meets)
}

func TestSettlementsLieInTheSmallestDistrict(t *testing.T) {
	d := sample()
	square := func(half float64) [][]geo.E7 {
		return [][]geo.E7{{at(-half, -half), at(-half, half), at(half, half), at(half, -half)}}
	}
	d.Districts = []District{{Name: "All", Rings: square(0.9)}, {Name: "Ford", Rings: square(0.1)},
		{Name: "Vale", Rings: square(0.5)}, {Name: "Hole", Rings: append(square(0.3), square(0.2)...)}}
	r := open(t, d)
	assert.Equal(t, "Vale", r.Settlement(0).District, "not the hole of one, nor the one of its own name")
}

func TestAPostcodeIsTheOneOfMostOfAStreet(t *testing.T) {
	d := sample()
	d.Addresses = append(d.Addresses,
		Address{ID: 11, At: at(0.001, 0.0103), Number: "12", Street: "Mill Lane", Place: "Ford", Postcode: "B2"},
		Address{ID: 12, At: at(0.001, 0.0104), Number: "14", Street: "Mill Lane", Place: "Ford", Postcode: "B2"},
		Address{ID: 13, At: at(0.9, 0.9), Number: "1", Street: "Far Way", Place: "Outland"})
	r := open(t, d)
	require.Equal(t, 2, r.Postcodes())
	for i := range uint32(r.Streets()) {
		switch st := r.Street(i); st.Name {
		case "Mill Lane":
			assert.Equal(t, "B2", r.Postcode(st.Postcode).Text)
			assert.Equal(t, uint32(4), st.Count)
			assert.Equal(t, []string{"9b", "10", "12", "14"}, []string{r.HouseNumber(st.First), r.HouseNumber(st.First +
				1),
				r.HouseNumber(st.First + 2), r.HouseNumber(st.First + 3)})
			assert.Equal(t, 9, r.HouseLead(st.First))
		case "Far Way":
			assert.Equal(t, NoPostcode, st.Postcode)
			assert.Equal(t, "Outland", r.Settlement(st.Settlement).Name, "a city that addresses name is one")
		case "High Road":
			assert.Equal(t, NoPostcode, st.Postcode)
		}
	}
}

// Whatever is changed in the index of names, opening it either refuses or leaves nothing that leads outside.
func TestABrokenIndexOfNamesIsNoticed(t *testing.T) {
	d := sample()
	d.Landmarks = append(d.Landmarks, Landmark{ID: 6, At: at(0, 0), Name: "Ford Inn of Old", Kind: "pub"})
	good, err := Encode(d)
	require.NoError(t, err)
	dir, err := openDirectory(good)
	require.NoError(t, err)
	rng := rand.New(rand.NewPCG(8, 8))
	for _, section := range GazetteerSections {
		part := dir.section(section)
		if len(part) == 0 {
			continue
		}
		from := bytes.Index(good, part)
		require.GreaterOrEqual(t, from, 0)
		for range 60 {
			broken := slices.Clone(good)
			broken[from+rng.IntN(len(part))] ^= byte(1 << rng.IntN(8))
			r, err := Open(broken)
			if err != nil {
				assert.ErrorIs(t, err, ErrCorrupt, section)
				continue
			}
			for w := range uint32(r.Lexicon().Words()) {
				r.Lexicon().Word(w)
				r.NamesWith(w, func(n uint32) bool {
					for k := range r.Things(n) {
						one := r.Named(n, k)
						switch one.Kind {
						case StreetThing:
							r.Street(one.Item)
							r.Crossings(one.Item, func(other uint32, _ geo.Point) { r.Street(other) })
						case LocalityThing:
							r.Settlement(one.Item)
						case LandmarkThing:
							r.Landmark(one.Item)
						case PostcodeThing:
							r.Postcode(one.Item)
						}
					}
					return true
				})
			}
		}
	}
}
