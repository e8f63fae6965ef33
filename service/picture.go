package service

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"slices"
	"strings"
	"sync"

	"github.com/maypok86/otter/v2"

	"viandante/core/chart"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/tile"
	"viandante/service/fault"
	"viandante/style"
)

// PictureQuery says which picture of the map is to be drawn.
type PictureQuery struct {
	SceneQuery
	// Center and Zoom say what is seen; without a center it is fitted to what is on it, or to Box.
	Center geo.Point
	Zoom   float64
	Box    *geo.Box
	// Width and Height are CSS pixels, of which each has Ratio pixels to a side.
	Width, Height, Ratio float64
	Rings                []chart.Ring
	Look                 chart.Look
	// WayStyle is how the way is drawn: band, dashed or thin.
	WayStyle string
	// Credit says whose map data it is; a picture without it must stand where that is said otherwise.
	Credit bool
}

// DrawnPicture is a PNG with what names it.
type DrawnPicture struct {
	PNG []byte
	Tag string
}

// The bounds of a picture: its sides in CSS pixels, and how many pixels it has at most.
const (
	maxPictureSide   = 4096
	maxPicturePixels = 16_000_000
	maxPictureZoom   = 20
	fitMargin        = 42
	fitZoom          = 16
	// pictureBytes is how much is kept of what was drawn.
	pictureBytes = 48 << 20
)

// WayStyles are the ways of drawing the way to go.
var WayStyles = []string{"band", "dashed", "thin"}

func newPictures() *otter.Cache[string, DrawnPicture] {
	return otter.Must(&otter.Options[string, DrawnPicture]{MaximumWeight: pictureBytes,
		Weigher: func(key string, p DrawnPicture) uint32 { return uint32(len(key) + len(p.PNG)) }})
}

// Check holds a query to what can be drawn.
func (q *PictureQuery) Check() error {
	side := func(name string, v float64) error {
		if !(v >= 16 && v <= maxPictureSide) {
			return fault.Refuse(name, fmt.Sprint(v), fmt.Errorf("must be 16 to %d", maxPictureSide))
		}
		return nil
	}
	if err := errors.Join(side("width", q.Width), side("height", q.Height)); err != nil {
		return err
	}
	switch {
	case !(q.Ratio >= 1 && q.Ratio <= 4):
		return fault.Refuse("ratio", fmt.Sprint(q.Ratio), errors.New("must be 1 to 4"))
	case q.Width*q.Height*q.Ratio*q.Ratio > maxPicturePixels:
		return fault.Refuse("width", fmt.Sprint(q.Width), fmt.Errorf("times height times ratio twice are more than "+
			"%d pixels",
			maxPicturePixels))
	case q.Center.IsValid() && !(q.Zoom >= 0 && q.Zoom <= maxPictureZoom):
		return fault.Refuse("zoom", fmt.Sprint(q.Zoom), fmt.Errorf("must be 0 to %d", maxPictureZoom))
	case style.Ground().Styles[q.Look.Manner].Title == "":
		return fault.Refuse("ground", feature.Clip(q.Look.Manner), errors.New("must be plain, relief, muted or "+
			"contrast"))
	case style.Ground().Lettering[q.Look.Lettering] == 0:
		return fault.Refuse("lettering", feature.Clip(q.Look.Lettering), errors.New("must be plain or large"))
	case !slices.Contains(WayStyles, q.WayStyle):
		return fault.Refuse("line", feature.Clip(q.WayStyle), errors.New("must be band, dashed or thin"))
	case len(q.Rings) > 20:
		return fault.Refuse("ring", "", errors.New("is given more than 20 times"))
	}
	return nil
}

// Draw draws a picture of the map, or returns it as it was drawn before and nothing has changed since. request names
// what was asked for.
func (v *Service) Draw(ctx context.Context, a Actor, q PictureQuery, request string) (DrawnPicture, error) {
	if err := q.Check(); err != nil {
		return DrawnPicture{}, err
	}
	a, err := published(a)
	if err != nil {
		return DrawnPicture{}, err
	}
	s, _, err := v.reading(ctx, a)
	if err != nil {
		return DrawnPicture{}, err
	}
	_, _, version := v.atlas.Regions()
	sum := sha256.Sum256(fmt.Appendf(nil, "%s|%v|%t|%d|%s|%s", a.Workspace, a.Collections, a.Collections == nil, s.No(),
		version, request))
	tag := hex.EncodeToString(sum[:16])
	return v.drawn.Get(ctx, tag, otter.LoaderFunc[string, DrawnPicture](
		func(ctx context.Context, _ string) (DrawnPicture, error) {
			png, err := v.drawNow(ctx, a, q, version)
			return DrawnPicture{png, tag}, err
		}))
}

func (v *Service) drawNow(ctx context.Context, a Actor, q PictureQuery, version string) ([]byte, error) {
	select {
	case v.drawing <- struct{}{}:
		defer func() { <-v.drawing }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	scene, err := v.Scene(ctx, a, q.SceneQuery)
	if err != nil {
		return nil, err
	}
	camera := chart.Camera{Center: q.Center, Zoom: q.Zoom, Width: q.Width, Height: q.Height, Ratio: q.Ratio}
	if !camera.Center.IsValid() {
		if camera.Center, camera.Zoom, err = v.fit(&scene, &q); err != nil {
			return nil, err
		}
	}
	over := v.over(&scene, &q)
	credit := ""
	if q.Credit {
		credit = strings.Join(v.Credits(), " · ")
	}
	tiles := func(ctx context.Context, z, x, y int, heights bool) ([]byte, error) {
		data, err := v.atlas.Tile(ctx, version, tile.ID{Z: z, X: x, Y: y}, heights)
		if err != nil || len(data) == 0 {
			return nil, err
		}
		r, err := gzip.NewReader(bytes.NewReader(data))
		if err != nil {
			return nil, err
		}
		return io.ReadAll(r)
	}
	drawn, err := chart.Draw(ctx, camera, style.Ground(), q.Look, v.fonts, tiles, over, credit)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	encoder := png.Encoder{CompressionLevel: png.BestSpeed, BufferPool: pngBuffers{}}
	err = encoder.Encode(&out, &image.NRGBA{Pix: drawn.Pix, Stride: 4 * drawn.Width,
		Rect: image.Rect(0, 0, drawn.Width, drawn.Height)})
	return out.Bytes(), err
}

// fit returns the middle and the zoom of a picture that is fitted to what is on it.
func (v *Service) fit(s *Scene, q *PictureQuery) (geo.Point, float64, error) {
	points := s.Points()
	for _, r := range q.Rings {
		points = append(points, circlePoints(r.Center, r.WithinM)...)
	}
	if q.Box != nil {
		points = corners(q.Box.West, q.Box.South, q.Box.East, q.Box.North)
	}
	if len(points) == 0 { // the map data itself
		regions, _, _ := v.atlas.Regions()
		for _, r := range regions {
			points = append(points, corners(r.BBox[0], r.BBox[1], r.BBox[2], r.BBox[3])...)
		}
	}
	margin := min(fitMargin, q.Width/4, q.Height/4)
	center, zoom, ok := chart.Fit(points, q.Width, q.Height, margin, fitZoom)
	if !ok {
		return center, 0, fault.New(fault.Impossible, "there is nothing to fit the picture to: give center and zoom, "+
			"or what is to be seen")
	}
	return center, zoom, nil
}

// over returns what is laid over the ground.
func (v *Service) over(s *Scene, q *PictureQuery) *chart.Over {
	out := &chart.Over{Rings: q.Rings, WayStyle: q.WayStyle}
	glyphs := style.Glyphs()
	glyph := func(name string) [][][2]float64 {
		if g, ok := glyphs[name]; ok {
			return g
		}
		return glyphs["stone"]
	}
	stone := func(at geo.Point, name, category string, selected bool) {
		k := s.Categories[category]
		colour := k.Colour
		if colour == "" {
			colour = "#5b6770"
		}
		out.Stones = append(out.Stones, chart.Stone{At: at, Name: name, Glyph: glyph(k.Glyph), Colour: colour,
			Selected: selected})
	}
	for _, f := range s.Features {
		colour := s.Categories[f.Category].Colour
		if colour == "" {
			colour = map[feature.Kind]string{feature.Path: "madder", feature.Area: "slate"}[f.Kind()]
		}
		switch g := f.Geometry; g.Form() {
		case feature.Point:
			stone(g.Point(), f.Name, f.Category, s.Chosen[f.ID] && len(s.Features) > 1)
		case feature.Line:
			out.Outlines = append(out.Outlines, chart.Outline{Lines: g.Lines(), Colour: colour, Name: f.Name})
		case feature.Polygon:
			out.Outlines = append(out.Outlines, chart.Outline{Lines: g.Lines(), Closed: true, Colour: colour,
				Name: f.Name})
		case feature.Circle:
			out.Outlines = append(out.Outlines, chart.Outline{Lines: [][]geo.Point{circleOf(g)}, Closed: true,
				Colour: colour,
				Name:   f.Name})
		}
	}
	if s.Found != nil {
		stone(s.Found.At, s.Found.Label, "", false)
	}
	for _, p := range s.Marks {
		stone(p, "", "", false)
	}
	for _, leg := range s.legs() {
		out.Way = append(out.Way, leg.Line...)
	}
	if n := len(s.Stops); n > 1 {
		out.From, out.To = s.Stops[0], s.Stops[n-1]
		for _, p := range s.Stops[1 : n-1] {
			stone(p, "", "", false)
		}
	}
	return out
}

// pngBuffers keeps the room that encoding takes.
type pngBuffers struct{}

var pngRoom sync.Pool

func (pngBuffers) Get() *png.EncoderBuffer {
	b, _ := pngRoom.Get().(*png.EncoderBuffer)
	return b
}

func (pngBuffers) Put(b *png.EncoderBuffer) { pngRoom.Put(b) }

// circleOf returns positions along a circle.
func circleOf(g feature.Geometry) []geo.Point { return circlePoints(g.Point(), g.RadiusM()) }

func circlePoints(center geo.Point, m float64) []geo.Point {
	out := make([]geo.Point, 72)
	for i := range out {
		out[i], _, _ = geodesy.Destination(geodesy.Ellipsoid, center, float64(i)*5, m) // both are valid
	}
	return out
}

// corners are those of a box, as far as the map reaches.
func corners(west, south, east, north float64) (out []geo.Point) {
	for _, c := range [][2]float64{{south, west}, {north, east}} {
		if p, err := geo.NewPoint(max(-85, min(85, c[0])), c[1]); err == nil {
			out = append(out, p)
		}
	}
	return out
}

// Credits returns whose the map data is: what each region says, or its name; each text once.
func (v *Service) Credits() []string {
	regions, _, _ := v.atlas.Regions()
	out := []string{}
	for _, r := range regions {
		text := r.Attribution
		if text == "" {
			text = "Map data: " + r.Name
		}
		if !slices.Contains(out, text) {
			out = append(out, text)
		}
	}
	return out
}
