package chart

import (
	"context"
	"fmt"
	"math"
	"sync"
)

// Tiles hands out the tiles of the ground as they are encoded, unpacked; empty for nothing. It may be called at the
// same time by many.
type Tiles func(ctx context.Context, z, x, y int, heights bool) ([]byte, error)

// Picture is what was drawn: red, green, blue and 255, row by row.
type Picture struct {
	Width, Height int
	Pix           []uint8
}

// maxTileZoom is the nearest zoom that there are tiles for.
const maxTileZoom = 19

// Draw draws a picture. What lies over the ground may be empty; attribution stands in its lower right corner.
func Draw(
	ctx context.Context, c Camera, style *Style, look Look, fonts Fonts, tiles Tiles, over *Over, attribution string,
) (*Picture, error) {
	v := c.view()
	width, height := int(math.Round(c.Width*c.Ratio)), int(math.Round(c.Height*c.Ratio))
	p := &pen{newSheet(width, height), fonts, c.Ratio}
	palette, inks := style.palette(look), style.inks(look)
	p.wash(palette.rgb("sea"))
	g := &ground{view: &v, style: style, look: look, palette: palette, tiles: tiles, on: p.sheet}
	names, err := g.draw(ctx)
	if err != nil {
		return nil, err
	}
	p.outlines(&v, over.Outlines, inks)
	p.rings(&v, over.Rings, inks)
	p.way(&v, over, inks)
	stones := piles(&v, over.Stones)
	if fonts != nil {
		larger := style.Lettering[look.Lettering]
		if larger == 0 {
			larger = 1
		}
		halo := 3.0
		if m := style.manner(look); m.Halo != nil {
			halo = *m.Halo
		}
		t := &setter{view: &v, style: style, fonts: fonts, larger: larger, boxes: boxes{}}
		p.namesInBands(t.layout(names, obstacles(stones)), palette, halo*math.Sqrt(larger))
		for _, one := range stones {
			p.pile(one, inks)
		}
		p.attribution(attribution, c, inks)
	} else {
		for _, one := range stones {
			if one.count == 1 {
				p.pile(one, inks)
			}
		}
	}
	return &Picture{width, height, p.pix}, nil
}

// namesInBands paints names, the upper half of the picture and the lower at the same time.
func (p *pen) namesInBands(list []placed, palette Palette, halo float64) {
	half := p.height / 2
	var wait sync.WaitGroup
	for _, b := range [][2]int{{0, half}, {half, p.height}} {
		wait.Go(func() {
			band := &pen{p.band(b[0], b[1]), p.fonts, p.ratio}
			band.names(list, palette, halo)
		})
	}
	wait.Wait()
}

// attribution says whose map data it is, on a slip of paper.
func (p *pen) attribution(text string, c Camera, palette Palette) {
	if text == "" {
		return
	}
	f, size := Font{"Alegreya Sans", 400, false}, 11.5
	width := 0.0
	for _, r := range text {
		width += p.fonts.Letter(f, r).Advance * size
	}
	p.box(c.Width-width-10, c.Height-17, width+10, 17)
	p.paint(ink{palette.rgb("paper"), 0.85, nil})
	p.enterText(f, size, text, spot{c.Width - width/2 - 5, c.Height - 8.5}, 0, 0, 0)
	p.paint(ink{palette.rgb("ink"), 1, nil})
}

// ground draws the tiles that a picture shows.
type ground struct {
	view    *view
	style   *Style
	look    Look
	palette Palette
	tiles   Tiles
	on      *sheet
}

// part is a tile, and where on the picture it lies, in whole pixels.
type part struct {
	z, x, y                  int
	left, top, right, bottom int
	side                     float64
	corner                   spot
}

// parts returns the tiles that the picture shows. Their edges are whole pixels, so that they meet without a seam.
func (g *ground) parts() (out []part) {
	v := g.view
	z := max(0, min(maxTileZoom, int(math.Floor(v.Zoom))))
	n := math.Exp2(float64(z))
	first := v.world(spot{0, 0})
	last := v.world(spot{v.Width, v.Height})
	side := v.size / n * v.Ratio
	for row := math.Floor(max(0, first.y) * n); row <= min(n-1, math.Floor(last.y*n)); row++ {
		for column := math.Floor(first.x * n); column <= math.Floor(last.x*n); column++ {
			x := (column/n-v.middle.x)*v.size + v.Width/2
			y := (row/n-v.middle.y)*v.size + v.Height/2
			p := part{z: z, x: int(math.Mod(math.Mod(column, n)+n, n)), y: int(row), side: side,
				corner: spot{x * v.Ratio, y * v.Ratio}}
			p.left, p.top = max(0, int(math.Round(p.corner.x))), max(0, int(math.Round(p.corner.y)))
			p.right = min(g.on.width, int(math.Round(p.corner.x+side)))
			p.bottom = min(g.on.height, int(math.Round(p.corner.y+side)))
			if p.right > p.left && p.bottom > p.top {
				out = append(out, p)
			}
		}
	}
	return out
}

// mostParts bounds how many tiles a picture shows: far fewer than that fill the largest.
const mostParts = 400

// draw draws the tiles, each on a sheet of its own, and returns what is to be lettered.
func (g *ground) draw(ctx context.Context) ([]named, error) {
	list := g.parts()
	if len(list) > mostParts {
		return nil, fmt.Errorf("a picture of %d tiles is more than is drawn", len(list))
	}
	var wait sync.WaitGroup
	names := make([][]named, len(list))
	wrong := make([]error, len(list))
	room := make(chan struct{}, 2) // as many as there are cores for on a small machine
	for i, p := range list {
		wait.Go(func() {
			room <- struct{}{}
			defer func() {
				<-room
				if r := recover(); r != nil { // nobody else's request ends for this one's sake
					wrong[i] = fmt.Errorf("drawing tile %d/%d/%d: %v", p.z, p.x, p.y, r)
				}
			}()
			if wrong[i] = ctx.Err(); wrong[i] == nil {
				names[i], wrong[i] = g.one(ctx, p)
			}
		})
	}
	wait.Wait()
	var all []named
	for i := range list {
		if wrong[i] != nil {
			return nil, wrong[i]
		}
		all = append(all, names[i]...)
	}
	return all, nil
}

func (g *ground) one(ctx context.Context, p part) ([]named, error) {
	data, err := g.tiles(ctx, p.z, p.x, p.y, false)
	if err != nil || len(data) == 0 {
		return nil, err
	}
	layers, err := decode(data)
	if err != nil {
		return nil, err
	}
	manner := g.style.manner(g.look)
	d := &drawing{sheet: newSheet(p.right-p.left, p.bottom-p.top), style: g.style, manner: manner, palette: g.palette,
		time: g.look.Time, layers: layers, z: p.z, x: p.x, y: p.y, zoom: g.view.Zoom, ratio: g.view.Ratio, side: p.side,
		offset: spot{p.corner.x - float64(p.left), p.corner.y - float64(p.top)}}
	if manner.Shade > 0 {
		data, err := g.tiles(ctx, p.z, p.x, p.y, true)
		if err != nil {
			return nil, err
		}
		if len(data) > 0 {
			if d.heights, err = decodeHeights(data, p.z, p.y); err != nil {
				return nil, err
			}
		}
	}
	d.ground()
	for row := p.top; row < p.bottom; row++ {
		from := 4 * (row - p.top) * d.width
		copy(g.on.pix[4*(row*g.on.width+p.left):], d.pix[from:from+4*d.width])
	}
	return namesOf(layers, g.style.Labels, p.z, p.x, p.y, g.view.Zoom), nil
}
