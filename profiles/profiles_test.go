package profiles

import (
	"math"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"viandante/core/region"
)

func TestShippedProfilesAreSound(t *testing.T) {
	all := Shipped()
	require.Len(t, all, 3)
	for name, kind := range map[string]region.Mode{"car": region.Car, "bicycle": region.Bicycle, "foot": region.Foot} {
		require.NotNil(t, all[name], name)
		require.NoError(t, all[name].Check(), name)
		assert.Equal(t, kind, all[name].Kind)
	}
	assert.Equal(t, math.Inf(1), all["car"].Points["barrier=*"])
	assert.Zero(t, all["car"].Speeds["footway"], "a class without a row is closed")
}

func TestWhatMakesNoSenseIsRefused(t *testing.T) {
	const sound = "name: x\nkind: car\nspeeds: {primary: 50}\n"
	_, err := Read(strings.NewReader(sound), nil)
	require.NoError(t, err)
	for text, want := range map[string]string{
		"":                                            "is empty",
		"name: x\nkind: car\n":                        "nobody could go anywhere",
		"name: x\nkind: boat\n":                       "is not a way of travelling",
		"name: X y\n" + sound[8:]:                     "is no name for a profile",
		sound + "top: 0\n":                            "top is 0; it must be from 0.5 to 300",
		sound + "top: .nan\n":                         "top is NaN",
		sound + "top: .inf\n":                         "top is +Inf",
		sound + "other: -1\n":                         "other is -1",
		sound + "at_most: {surface=x: 0}":             "surface=x is 0",
		sound + "prefer: {toll=yes: 0}":               "toll=yes is 0; it must be from 0.1 to 50",
		sound + "points: {barrier=x: -1}":             "barrier=x is -1",
		sound + "points: {barrier=x: shut":            "",
		sound + "points: {barrier=x: shut}":           "neither a number of seconds nor closed",
		sound + "points: {barrier=x: .inf}":           "neither a number of seconds nor closed",
		sound + "turns: {across: -3}":                 "across is -3",
		sound + "climb: {up: 1000}":                   "up is 1000",
		sound + "speed: {primary: 3}":                 "field speed not found",
		sound + "like: nothing":                       "is no profile",
		"\x00\x01\x02":                                "",
		strings.Repeat("#", most+1):                   "has more than 256 kB",
		"name: x\nkind: car\nspeeds: {primary: 0}":    "primary is 0",
		"name: x\nkind: car\nspeeds: {primary: fast}": "cannot unmarshal",
	} {
		_, err := Read(strings.NewReader(text), Shipped())
		require.Error(t, err, "%.60q", text)
		assert.ErrorContains(t, err, want, "%.60q", text)
	}
}

// One's own may change a shipped one, or another of one's own that comes later by name; a broken file leaves the
// others.
func TestOnesOwnBesideTheShipped(t *testing.T) {
	file := func(text string) *fstest.MapFile { return &fstest.MapFile{Data: []byte(text)} }
	all, err := With(fstest.MapFS{
		"a.yaml":      file("name: a\nlike: b\ntop: 9\n"),
		"b.yaml":      file("name: b\nlike: bicycle\nspeeds: {steps: 1}\n"),
		"car.yaml":    file("name: car\nlike: car\ntop: 80\n"),
		"broken.yaml": file("name: broken\nkind: car\n"),
		"other.yaml":  file("name: another\nlike: car\n"),
		"notes.txt":   file("nothing"),
	})
	require.ErrorContains(t, err, "broken.yaml")
	assert.ErrorContains(t, err, "a profile has the name of its file")
	require.Len(t, all, 5)
	assert.Equal(t, 9.0, all["a"].Top)
	assert.Equal(t, 1.0, all["a"].Speeds["steps"])
	assert.Equal(t, 18.0, all["a"].Speeds["cycleway"], "what is not named stays")
	assert.Equal(t, 80.0, all["car"].Top)
	assert.Equal(t, 130.0, Shipped()["car"].Top, "the shipped one is not changed")
	assert.Zero(t, all["bicycle"].Speeds["steps"])
}
