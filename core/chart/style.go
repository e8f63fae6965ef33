package chart

import (
	"math"
	"strconv"
)

// Stops are values at zooms, joined by straight lines.
type Stops [][2]float64

// at returns the value at a zoom.
func (s Stops) at(zoom float64) float64 {
	if len(s) == 0 {
		return 0
	}
	before := s[0]
	if zoom <= before[0] {
		return before[1]
	}
	for _, stop := range s {
		if zoom < stop[0] {
			return before[1] + (zoom-before[0])/(stop[0]-before[0])*(stop[1]-before[1])
		}
		before = stop
	}
	return before[1]
}

// Palette has the colours by their names, as #rrggbb.
type Palette map[string]string

func (p Palette) rgb(name string) RGB {
	if c, ok := p[name]; ok {
		return Colour(c)
	}
	if len(name) == 7 && name[0] == '#' {
		return Colour(name)
	}
	return RGB{255, 0, 255}
}

// Colour reads #rrggbb.
func Colour(text string) RGB {
	if len(text) != 7 {
		return RGB{255, 0, 255}
	}
	n, err := strconv.ParseUint(text[1:], 16, 32)
	if err != nil {
		return RGB{255, 0, 255}
	}
	return RGB{uint8(n >> 16), uint8(n >> 8), uint8(n)}
}

// AreaStyle, LineStyle, LabelStyle and Manner are those of the style file (docs/style.md).
type AreaStyle struct {
	Fill       string  `json:"fill"`
	Mark       string  `json:"mark"`
	Pattern    string  `json:"pattern"`
	From       float64 `json:"from"`
	Edge       string  `json:"edge"`
	Waterlines bool    `json:"waterlines"`
}

// LineStyle says how lines of a class are drawn.
type LineStyle struct {
	Colour string    `json:"colour"`
	Edge   string    `json:"edge"`
	Index  string    `json:"index"`
	Casing *float64  `json:"casing"`
	Thread Stops     `json:"thread"`
	Thin   string    `json:"thin"`
	Width  Stops     `json:"width"`
	Dash   []float64 `json:"dash"`
	Cap    string    `json:"cap"`
	Tick   Stops     `json:"tick"`
}

// LabelStyle says how names of a class are set.
type LabelStyle struct {
	Ink     string   `json:"ink"`
	Font    string   `json:"font"`
	Size    Stops    `json:"size"`
	Spacing float64  `json:"spacing"`
	Along   bool     `json:"along"`
	From    float64  `json:"from"`
	Repeat  *float64 `json:"repeat"`
	ByRank  bool     `json:"by-rank"`
	Mark    string   `json:"mark"`
}

// Manner is what sets a way of drawing the ground apart from the others.
type Manner struct {
	Title    string            `json:"title"`
	Contours float64           `json:"contours"`
	Patterns bool              `json:"patterns"`
	Shade    float64           `json:"shade"`
	Cover    *float64          `json:"cover"`
	Tints    map[string][]Tint `json:"tints"`
	Mute     float64           `json:"mute"`
	Halo     *float64          `json:"halo"`
	Roads    float64           `json:"roads"`
	Palettes map[string]Palette
}

// Tint is a colour from a height in metres on.
type Tint struct {
	Metres float64
	Colour string
}

// Style is the whole style file.
type Style struct {
	Palettes  map[string]Palette    `json:"palettes"`
	Styles    map[string]Manner     `json:"styles"`
	Lettering map[string]float64    `json:"lettering"`
	Shore     Shore                 `json:"shore"`
	Areas     map[string]AreaStyle  `json:"areas"`
	Lines     map[string]LineStyle  `json:"lines"`
	Labels    map[string]LabelStyle `json:"labels"`
}

// Shore says how shores are drawn.
type Shore struct {
	Line       float64      `json:"line"`
	Waterlines [][2]float64 `json:"waterlines"`
}

// Look is one way of drawing: a manner of the style, by day or night, with letters of a size.
type Look struct {
	Manner, Time, Lettering string
}

func (s *Style) manner(l Look) Manner {
	if m, ok := s.Styles[l.Manner]; ok {
		return m
	}
	return s.Styles["plain"]
}

// palette returns the colours of the ground.
func (s *Style) palette(l Look) Palette {
	m := s.manner(l)
	out := Palette{}
	for name, c := range s.Palettes[l.Time] {
		out[name] = c
	}
	for name, c := range m.Palettes[l.Time] {
		out[name] = c
	}
	if m.Mute == 0 {
		return out
	}
	land := out["land"]
	for name, c := range out {
		switch {
		case name == "halo":
			out[name] = land
		case len(name) > 4 && name[:4] == "ink-":
		case name == "ink":
			out[name] = mixed(c, land, m.Mute*0.5)
		default:
			out[name] = mixed(c, land, m.Mute)
		}
	}
	out["sea"] = mixed(s.Palettes[l.Time]["sea"], land, m.Mute*0.35)
	return out
}

// inks returns the colours of what lies over the ground: a muted ground is muted for its sake.
func (s *Style) inks(l Look) Palette {
	if s.manner(l).Mute != 0 {
		l.Manner = "plain"
	}
	return s.palette(l)
}

func mixed(a, b string, share float64) string {
	p, q := Colour(a), Colour(b)
	out := []byte{'#'}
	for i := range p {
		v := math.Round(float64(p[i]) + (float64(q[i])-float64(p[i]))*share)
		out = append(out, "0123456789abcdef"[int(v)>>4], "0123456789abcdef"[int(v)&15])
	}
	return string(out)
}
