// Package style holds the style of the ground and the glyphs, as data; its tests hold the colours to what was agreed.
package style

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type ground struct {
	Palettes map[string]map[string]string
	Styles   map[string]struct {
		Mute     float64
		Palettes map[string]map[string]string
	}
	Lines map[string]struct {
		Colour, Edge, Thin string
		Casing             float64
		Thread             [][2]float64
		Width              [][2]float64
	}
	Labels map[string]struct{ Ink string }
}

func read(t *testing.T) (g ground) {
	t.Helper()
	text, err := os.ReadFile("ground.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &g))
	return g
}

type colour [3]float64

func parse(t *testing.T, hex string) colour {
	t.Helper()
	n, err := strconv.ParseUint(strings.TrimPrefix(hex, "#"), 16, 32)
	require.NoError(t, err, hex)
	return colour{float64(n>>16) / 255, float64(n>>8&255) / 255, float64(n&255) / 255}
}

func (c colour) mixed(to colour, share float64) colour {
	for i := range c {
		c[i] += (to[i] - c[i]) * share
	}
	return c
}

// luminance is the relative luminance of WCAG 2.2.
func (c colour) luminance() float64 {
	for i, v := range c {
		if v <= 0.04045 {
			c[i] = v / 12.92
		} else {
			c[i] = math.Pow((v+0.055)/1.055, 2.4)
		}
	}
	return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2]
}

// contrast is the contrast ratio of WCAG 2.2, 1 to 21.
func contrast(a, b colour) float64 {
	x, y := a.luminance(), b.luminance()
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

// hueAndChroma returns the hue in degrees and the difference of the strongest channel from the weakest.
func (c colour) hueAndChroma() (hue, chroma float64) {
	most, least := max(c[0], c[1], c[2]), min(c[0], c[1], c[2])
	chroma = most - least
	switch {
	case chroma == 0:
	case most == c[0]:
		hue = math.Mod(60*(c[1]-c[2])/chroma+360, 360)
	case most == c[1]:
		hue = 60*(c[2]-c[0])/chroma + 120
	default:
		hue = 60*(c[0]-c[1])/chroma + 240
	}
	return hue, chroma
}

// palettes calls f with the colours of each style of the ground by day and night, as ui/src/chart/style.ts makes them.
func (g ground) palettes(t *testing.T, f func(t *testing.T, style, time string, palette map[string]colour)) {
	for name, s := range g.Styles {
		for time, common := range g.Palettes {
			t.Run(name+" "+time, func(t *testing.T) {
				palette := map[string]colour{}
				for k, v := range common {
					palette[k] = parse(t, v)
				}
				for k, v := range s.Palettes[time] {
					palette[k] = parse(t, v)
				}
				land := palette["land"]
				for k, c := range palette {
					switch {
					case s.Mute == 0 || strings.HasPrefix(k, "ink-"):
					case k == "halo":
						palette[k] = land
					case k == "ink":
						palette[k] = c.mixed(land, s.Mute/2)
					default:
						palette[k] = c.mixed(land, s.Mute)
					}
				}
				f(t, name, time, palette)
			})
		}
	}
}

// readable is the least contrast of letters (WCAG 2.2, 1.4.3).
const readable = 4.5

func TestThePageCanBeRead(t *testing.T) {
	g := read(t)
	for time, tokens := range g.Palettes {
		for _, ink := range []string{"ink", "slate", "madder", "verdigris", "ink-ochre"} {
			for _, on := range []string{"paper", "card", "row-selected", "row-chosen", "row-fresh", "sea"} {
				if on == "row-chosen" && ink != "ink" && ink != "slate" {
					continue // nothing else is written on it
				}
				assert.GreaterOrEqual(
					t,
					contrast(parse(t, tokens[ink]), parse(t, tokens[on])),
					readable,
					"%s on %s by %s",
					ink,
					on,
					time,
				)
			}
		}
		for _, on := range []string{"ink", "verdigris"} { // pressed, and the main action
			assert.GreaterOrEqual(
				t,
				contrast(parse(t, tokens["paper"]), parse(t, tokens[on])),
				readable,
				"paper on %s by %s",
				on,
				time,
			)
		}
	}
}

func TestNamesOfTheGroundCanBeRead(t *testing.T) {
	g := read(t)
	g.palettes(t, func(t *testing.T, style, time string, palette map[string]colour) {
		for class, l := range g.Labels {
			assert.GreaterOrEqual(t, contrast(palette[l.Ink], palette["halo"]), readable, "%s within its halo", class)
		}
	})
}

// Roads are paper between ink edges; the class is told by width, edges and thread, and by one straw tint that grows
// stronger.
func TestRoadsHaveOneTint(t *testing.T) {
	g := read(t)
	roads := []string{"service", "pedestrian", "street", "tertiary", "secondary", "primary", "trunk", "motorway"}
	g.palettes(t, func(t *testing.T, style, time string, palette map[string]colour) {
		strength := -1.0
		for _, class := range roads {
			line := g.Lines[class]
			for _, name := range []string{line.Colour, line.Edge, line.Thin, "thread"} {
				if name == "" {
					continue
				}
				require.Contains(t, palette, name)
				hue, chroma := palette[name].hueAndChroma()
				straw := hue >= 32 && hue <= 62
				neutral := chroma < 0.09 // paper, ink and the greens of night's land
				assert.True(t, straw || neutral, "%s of %s is %.0f°, %.2f strong", name, class, hue, chroma)
				assert.Less(t, chroma, 0.36, "%s of %s is no signal colour", name, class)
			}
			if slices.Index(roads, class) >= 3 {
				_, chroma := palette[line.Colour].hueAndChroma()
				assert.GreaterOrEqual(t, chroma, strength-0.02, "%s is no weaker than the class below it", class)
				strength = max(strength, chroma)
			}
			assert.Greater(
				t,
				math.Abs(palette[line.Colour].luminance()-palette[line.Edge].luminance()),
				0.012,
				"%s has edges",
				class,
			)
		}
	})
	for i, class := range roads[4:] {
		above, below := g.Lines[class], g.Lines[roads[3+i]]
		assert.GreaterOrEqual(t, above.Casing, below.Casing, "the edges of %s", class)
		assert.Greater(t, at(above.Width, 15), at(below.Width, 15), "the width of %s", class)
		if class != "secondary" {
			require.NotEmpty(t, above.Thread, class)
			assert.GreaterOrEqual(t, at(above.Thread, 15), at(below.Thread, 15), "the thread of %s", class)
		}
	}
}

// at is the value of [zoom, pixels] stops joined by straight lines.
func at(stops [][2]float64, zoom float64) float64 {
	for i, s := range stops {
		if zoom > s[0] {
			continue
		}
		if i == 0 {
			return s[1]
		}
		b := stops[i-1]
		return b[1] + (s[1]-b[1])*(zoom-b[0])/(s[0]-b[0])
	}
	if len(stops) == 0 {
		return 0
	}
	return stops[len(stops)-1][1]
}

func TestEveryColourThatIsUsedIsThere(t *testing.T) {
	g := read(t)
	for time, tokens := range g.Palettes {
		for class, l := range g.Lines {
			for _, name := range []string{l.Colour, l.Edge, l.Thin} {
				if name != "" {
					assert.Contains(t, tokens, name, fmt.Sprint(class, " by ", time))
				}
			}
		}
	}
	for name, s := range g.Styles {
		for time, own := range s.Palettes {
			for colour := range own {
				assert.Contains(t, g.Palettes[time], colour, "of "+name)
			}
		}
	}
}
