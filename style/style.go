// Package style holds how the map looks, as data: one file of styles and one of glyphs serve the page and the pictures
// that the server draws.
package style

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"sync"

	"github.com/srwiley/oksvg"
	"github.com/srwiley/rasterx"

	"viandante/core/chart"
)

//go:embed ground.json
var groundFile []byte

//go:embed glyphs.json
var glyphFile []byte

// Ground returns the styles of the ground, read once.
var Ground = sync.OnceValue(func() *chart.Style {
	var file struct {
		chart.Style
		Styles map[string]manner `json:"styles"`
	}
	if err := json.Unmarshal(groundFile, &file); err != nil {
		panic(fmt.Errorf("style/ground.json: %w", err)) // it is part of the program
	}
	out := file.Style
	out.Styles = map[string]chart.Manner{}
	for name, m := range file.Styles {
		one := m.Manner
		one.Palettes = m.Palettes
		one.Tints = map[string][]chart.Tint{}
		for time, tints := range m.Tints {
			for _, t := range tints {
				one.Tints[time] = append(one.Tints[time], chart.Tint(t))
			}
		}
		out.Styles[name] = one
	}
	return &out
})

// manner is one as the file has it.
type manner struct {
	chart.Manner
	Palettes map[string]chart.Palette `json:"palettes"`
	Tints    map[string][]tint        `json:"tints"`
}

// tint is a pair of a height and a colour.
type tint chart.Tint

// UnmarshalJSON reads a pair.
func (t *tint) UnmarshalJSON(text []byte) error {
	return json.Unmarshal(text, &[]any{&t.Metres, &t.Colour})
}

// Glyphs returns the lines of the glyphs by their names, on a square of 24.
var Glyphs = sync.OnceValue(func() map[string][][][2]float64 {
	var file map[string]string
	if err := json.Unmarshal(glyphFile, &file); err != nil {
		panic(fmt.Errorf("style/glyphs.json: %w", err)) // it is part of the program
	}
	out := map[string][][][2]float64{}
	for name, path := range file {
		if name == "about" {
			continue
		}
		lines, err := flatten(path)
		if err != nil {
			panic(fmt.Errorf("style/glyphs.json: %s: %w", name, err))
		}
		out[name] = lines
	}
	return out
})

// flatten makes lines of an SVG path.
func flatten(path string) ([][][2]float64, error) {
	const scale = 64 // for the fixed point numbers of the reader
	var c oksvg.PathCursor
	if err := c.CompilePath(path); err != nil {
		return nil, err
	}
	var out [][][2]float64
	var line [][2]float64
	p := c.Path
	at := func(i int) [2]float64 { return [2]float64{float64(p[i]) / scale, float64(p[i+1]) / scale} }
	const steps = 12
	for i := 0; i < len(p); {
		switch rasterx.PathCommand(p[i]) {
		case rasterx.PathMoveTo:
			if len(line) > 1 {
				out = append(out, line)
			}
			line = [][2]float64{at(i + 1)}
			i += 3
		case rasterx.PathLineTo:
			line = append(line, at(i+1))
			i += 3
		case rasterx.PathQuadTo:
			a, b, e := line[len(line)-1], at(i+1), at(i+3)
			for k := 1; k <= steps; k++ {
				t := float64(k) / steps
				u := 1 - t
				line = append(line, [2]float64{u*u*a[0] + 2*u*t*b[0] + t*t*e[0], u*u*a[1] + 2*u*t*b[1] + t*t*e[1]})
			}
			i += 5
		case rasterx.PathCubicTo:
			a, b, d, e := line[len(line)-1], at(i+1), at(i+3), at(i+5)
			for k := 1; k <= steps; k++ {
				t := float64(k) / steps
				u := 1 - t
				var q [2]float64
				for n := range q {
					q[n] = u*u*u*a[n] + 3*u*u*t*b[n] + 3*u*t*t*d[n] + t*t*t*e[n]
				}
				line = append(line, q)
			}
			i += 7
		default: // closed
			line = append(line, line[0])
			i++
		}
	}
	if len(line) > 1 {
		out = append(out, line)
	}
	return out, nil
}
