package demo

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"

	"viandante/core/geo"
)

// Plan is a site plan of the society's summer fair on the town's square: a drawing, and where three of its points lie.
type Plan struct {
	Name, SVG     string
	Width, Height int
	Pixels        [3][2]float64
	At            [3]geo.Point
}

// Plan draws the fair's site plan, some 200 by 150 m, turned a little against north as drawings are.
func (m *Island) Plan() Plan {
	const width, height, scale, turn = 800, 600, 0.25, 12 * math.Pi / 180 // scale in metres to a pixel
	middle := m.settlements[0].middle
	at := func(x, y float64) geo.Point {
		dx, dy := (x-width/2)*scale, (height/2-y)*scale
		return m.point(
			spot{middle.x + dx*math.Cos(turn) - dy*math.Sin(turn), middle.y + dx*math.Sin(turn) + dy*math.Cos(turn)},
		)
	}
	r := rand.New(rand.NewPCG(uint64(m.noise), 0xfa12))
	var b strings.Builder
	fmt.Fprintf(
		&b,
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" font-family="serif"><rect width="%d" `+
			`height="%d" fill="#fffdf4" stroke="#1f2a27" stroke-width="6"/>`,
		width,
		height,
		width,
		height,
	)
	fmt.Fprintf(
		&b,
		`<g fill="none" stroke="#24705f" stroke-width="3"><circle cx="400" cy="300" r="150" stroke-dasharray="14 `+
			`8"/><path d="M40 300H250M550 300H760M400 40V150M400 450V560"/></g>`,
	)
	for i := range 18 {
		angle := float64(i) * math.Pi / 9
		x, y := 400+math.Cos(angle)*210, 300+math.Sin(angle)*190
		colour := []string{"#a8432f", "#c08a2b", "#2f6f8f", "#7a4e7e"}[r.IntN(4)]
		fmt.Fprintf(
			&b,
			`<g transform="translate(%.0f %.0f) rotate(%.0f)"><rect x="-22" y="-15" width="44" height="30" fill="%s" `+
				`fill-opacity=".35" stroke="%s" stroke-width="3"/></g><text x="%.0f" y="%.0f" font-size="18" `+
				`text-anchor="middle">%d</text>`,
			x,
			y,
			angle*180/math.Pi,
			colour,
			colour,
			x,
			y+6,
			i+1,
		)
	}
	fmt.Fprintf(
		&b,
		`<circle cx="400" cy="300" r="46" fill="#c08a2b" fill-opacity=".3" stroke="#1f2a27" stroke-width="3"/><text `+
			`x="400" y="306" font-size="22" text-anchor="middle">band</text>`,
	)
	fmt.Fprintf(
		&b,
		`<text x="400" y="36" font-size="26" font-weight="bold" text-anchor="middle">Wayfarers' Summer Fair: `+
			`stalls</text></svg>`,
	)
	p := Plan{
		Name:   "Summer fair",
		SVG:    b.String(),
		Width:  width,
		Height: height,
		Pixels: [3][2]float64{{0, 0}, {width, 0}, {0, height}},
	}
	for i, q := range p.Pixels {
		p.At[i] = at(q[0], q[1])
	}
	return p
}
