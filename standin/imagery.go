// Package standin holds simulated outside services, to try the product with and to test it against: well behaved, and
// badly in every way that was thought of.
package standin

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"net/http"
	"strconv"
	"strings"
	"time"
)

// However many ask, so many tiles are drawn at once, and nobody is kept hanging for longer.
const (
	drawnAtOnce = 16
	longestHang = 30 * time.Second
)

// ImageryMaxZoom is the deepest zoom of the stand-in for a source of imagery.
const ImageryMaxZoom = 17

// Imagery is a source of made-up imagery, a survey of how moist the soil is:
//
//	/soil/{z}/{x}/{y}.png       tiles by a template; 404 outside the pyramid
//	/wmts/capabilities.xml      a WMTS capabilities document for the same
//	/KIND/{z}/{x}/{y}.png       what goes wrong: hang, refuse, missing, huge, text, cut
func Imagery() http.Handler {
	mux := http.NewServeMux()
	drawing := make(chan struct{}, drawnAtOnce)
	tile := func(serve func(w http.ResponseWriter, r *http.Request, z, x, y int)) http.HandlerFunc {
		return func(w http.ResponseWriter, r *http.Request) {
			z, err1 := strconv.Atoi(r.PathValue("z"))
			x, err2 := strconv.Atoi(r.PathValue("x"))
			y, err3 := strconv.Atoi(strings.TrimSuffix(r.PathValue("y"), ".png"))
			if err1 != nil || err2 != nil || err3 != nil || z < 0 || z > ImageryMaxZoom || x < 0 || y < 0 ||
				x >= 1<<z ||
				y >= 1<<z {
				http.NotFound(w, r)
				return
			}
			select {
			case drawing <- struct{}{}:
				defer func() { <-drawing }()
			default:
				w.Header().Set("Retry-After", "1")
				http.Error(w, "busy", http.StatusServiceUnavailable)
				return
			}
			serve(w, r, z, x, y)
		}
	}
	mux.HandleFunc(
		"GET /soil/{z}/{x}/{y}",
		tile(func(w http.ResponseWriter, _ *http.Request, z, x, y int) { send(w, soil(z, x, y)) }),
	)
	mux.HandleFunc("GET /wmts/capabilities.xml", capabilities)
	mux.HandleFunc("GET /hang/{z}/{x}/{y}", tile(func(_ http.ResponseWriter, r *http.Request, _, _, _ int) {
		select {
		case <-r.Context().Done():
		case <-time.After(longestHang):
		}
	}))
	mux.HandleFunc(
		"GET /refuse/{z}/{x}/{y}",
		tile(func(w http.ResponseWriter, _ *http.Request, _, _, _ int) { http.Error(w, "no", http.StatusForbidden) }),
	)
	mux.HandleFunc(
		"GET /missing/{z}/{x}/{y}",
		tile(func(w http.ResponseWriter, r *http.Request, _, _, _ int) { http.NotFound(w, r) }),
	)
	mux.HandleFunc("GET /huge/{z}/{x}/{y}", tile(func(w http.ResponseWriter, _ *http.Request, _, _, _ int) {
		send(w, image.NewPaletted(image.Rect(0, 0, 20_000, 20), color.Palette{color.White}))
	}))
	mux.HandleFunc("GET /text/{z}/{x}/{y}", tile(func(w http.ResponseWriter, _ *http.Request, _, _, _ int) {
		w.Header().Set("Content-Type", "image/png")
		fmt.Fprint(w, "<html>sign in first</html>")
	}))
	mux.HandleFunc("GET /cut/{z}/{x}/{y}", tile(func(w http.ResponseWriter, _ *http.Request, z, x, y int) {
		data := encoded(soil(z, x, y))
		w.Header().Set("Content-Length", strconv.Itoa(2*len(data)))
		_, _ = w.Write(data) // and no more
	}))
	return mux
}

func encoded(m image.Image) []byte {
	var b bytes.Buffer
	_ = png.Encode(&b, m) // into memory
	return b.Bytes()
}

func send(w http.ResponseWriter, m image.Image) {
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", "max-age=600")
	_, _ = w.Write(encoded(m)) // who asked has gone
}

// soil draws a tile: smooth noise over the world, dry ochre to moist verdigris in steps, as surveys are printed.
func soil(z, x, y int) image.Image {
	const size, steps = 256, 9
	palette := make(color.Palette, steps)
	for i := range palette {
		f := float64(i) / (steps - 1)
		mix := func(a, b float64) uint8 { return uint8(a + (b-a)*f) }
		palette[i] = color.RGBA{mix(206, 38), mix(158, 110), mix(82, 96), 255}
	}
	m := image.NewPaletted(image.Rect(0, 0, size, size), palette)
	n := math.Ldexp(size, z)
	for py := range size {
		for px := range size {
			u, v := (float64(x*size+px)+0.5)/n, (float64(y*size+py)+0.5)/n
			value := 0.0
			for k, share := range []float64{0.55, 0.3, 0.15} {
				value += share * noise(math.Ldexp(u, 13+2*k), math.Ldexp(v, 13+2*k))
			}
			m.SetColorIndex(px, py, uint8(math.Max(0, math.Min(steps-1, math.Floor((value*1.5-0.25)*steps)))))
		}
	}
	return m
}

// noise is smooth, from 0 to 1, and the same everywhere and always.
func noise(x, y float64) float64 {
	at := func(ix, iy int) float64 {
		h := uint32(ix)*374761393 + uint32(iy)*668265263
		h = (h ^ h>>13) * 1274126177
		return float64(h^h>>16) / math.MaxUint32
	}
	ix, iy := int(math.Floor(x)), int(math.Floor(y))
	fx, fy := x-math.Floor(x), y-math.Floor(y)
	fx, fy = fx*fx*(3-2*fx), fy*fy*(3-2*fy)
	top := at(ix, iy)*(1-fx) + at(ix+1, iy)*fx
	low := at(ix, iy+1)*(1-fx) + at(ix+1, iy+1)*fx
	return top*(1-fy) + low*fy
}

func capabilities(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "application/xml")
	const half = 20037508.342789244
	fmt.Fprint(w, `<?xml version="1.0" encoding="UTF-8"?>
<Capabilities xmlns="http://www.opengis.net/wmts/1.0" xmlns:ows="http://www.opengis.net/ows/1.1" version="1.0.0">
<Contents><Layer><ows:Title>Soil moisture, made up</ows:Title><ows:Identifier>soil</ows:Identifier>
<Style isDefault="true"><ows:Identifier>steps</ows:Identifier></Style><Format>image/png</Format>
<TileMatrixSetLink><TileMatrixSet>square</TileMatrixSet></TileMatrixSetLink>
<ResourceURL format="image/png" resourceType="tile" template="../soil/{TileMatrix}/{TileCol}/{TileRow}.png"/></Layer>
<TileMatrixSet><ows:Identifier>square</ows:Identifier><ows:SupportedCRS>urn:ogc:def:crs:EPSG::3857</ows:SupportedCRS>
`)
	for z := range ImageryMaxZoom + 1 {
		fmt.Fprintf(
			w,
			"<TileMatrix><ows:Identifier>%d</ows:Identifier><ScaleDenominator>%.6f</ScaleDenominator><TopLeftCorner>"+
				"%f %f</TopLeftCorner><TileWidth>256</TileWidth><TileHeight>256</TileHeight><MatrixWidth>%d</"+
				"MatrixWidth><MatrixHeight>%d</MatrixHeight></TileMatrix>\n",
			z,
			2*half/256/0.00028/math.Ldexp(1, z),
			-half,
			half,
			1<<z,
			1<<z,
		)
	}
	fmt.Fprint(w, "</TileMatrixSet></Contents></Capabilities>\n")
}
