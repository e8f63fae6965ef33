package road_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/region"
	"viandante/core/road"
)

func TestDistancesAreRoundedAsPeopleSayThem(t *testing.T) {
	english, _ := road.LanguageOf("en")
	italian, _ := road.LanguageOf("it")
	for metres, want := range map[float64]string{0: "0 m", 7: "10 m", 94: "90 m", 96: "100 m", 340: "350 m",
		974: "950 m",
		976: "1 km", 1449: "1.4 km", 9949: "9.9 km", 9951: "10 km", 12_600: "13 km"} {
		assert.Equal(t, want, english.Distance(metres), metres)
	}
	assert.Equal(t, "1,4 km", italian.Distance(1449))
}

// Each language has a sentence for each step that there can be, with nothing left to fill in.
func TestEveryLanguageSaysEverything(t *testing.T) {
	turns := []road.Turn{road.Depart, road.Straight, road.SlightLeft, road.SlightRight, road.Left, road.Right,
		road.SharpLeft, road.SharpRight, road.Back, road.Arrive}
	require.Equal(t, []string{"en", "it"}, road.Languages())
	for _, tag := range road.Languages() {
		l, ok := road.LanguageOf(tag)
		require.True(t, ok)
		for _, turn := range turns {
			for class := region.Path; class <= region.Ferry; class++ {
				for _, exit := range []int{0, 1, 10, 23} {
					for _, side := range []string{"", "left", "right"} {
						for _, climb := range []float64{-5, 0, 5} {
							s := road.Step{Turn: turn, Class: class, Exit: exit, Side: side, Climb: climb, Bearing: 359}
							said := l.Say(&s)
							assert.NotEmpty(t, said)
							assert.NotContains(t, said, "{")
							if s.Name = "Mill Lane"; turn == road.Left && class == region.LocalStreet {
								assert.Contains(t, l.Say(&s), "Mill Lane")
							}
						}
					}
				}
			}
		}
	}
	l, _ := road.LanguageOf("en")
	assert.Equal(t, "Go up the steps", l.Say(&road.Step{Turn: road.Left, Class: region.Steps, Climb: 4}))
	assert.Equal(t, "Set out north on the path", l.Say(&road.Step{Turn: road.Depart, Class: region.Path, Bearing: 359}))
	assert.True(t, strings.HasPrefix(l.Say(&road.Step{Turn: road.Depart, Bearing: math.NaN()}), "Set out"))
}
