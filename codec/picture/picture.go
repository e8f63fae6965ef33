// Package picture looks at pictures from outside before they are kept: PNG, JPEG and SVG. A picture is what its bytes
// say, whatever name or type it came with. What is drawn is never trusted: sizes are bounded before anything is
// unpacked, and an SVG may hold drawing only, neither scripts nor anything fetched from elsewhere.
package picture

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"image"
	"image/color"
	_ "image/jpeg" // decodes JPEG
	_ "image/png"  // decodes PNG
	"io"
	"math"
	"strconv"
	"strings"
)

// Info is what a picture is.
type Info struct {
	// MediaType is image/png, image/jpeg or image/svg+xml.
	MediaType string
	// Width and Height are in pixels.
	Width, Height int
}

// Limits of a picture.
const (
	MaxSide   = 8000
	MaxPixels = 40_000_000
	MaxBytes  = 8 << 20
	// MaxUnpacked is how many bytes the pixels of one may take.
	MaxUnpacked = 200 << 20
)

// Error says why a picture is not taken and what would be right.
type Error struct{ Reason, Hint string }

func (e *Error) Error() string { return e.Reason + ": " + e.Hint }

const kinds = "PNG, JPEG or SVG"

// Check returns what the bytes of a picture are; an *Error where they are none that is taken.
func Check(data []byte) (Info, error) {
	switch {
	case len(data) == 0:
		return Info{}, &Error{"is empty", kinds}
	case len(data) > MaxBytes:
		return Info{}, &Error{
			fmt.Sprintf("has %.1f MB", float64(len(data))/1e6),
			fmt.Sprintf("at most %d MB; save it smaller", MaxBytes>>20),
		}
	}
	config, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if errors.Is(err, image.ErrFormat) {
		return svg(data)
	}
	if err != nil {
		return Info{}, &Error{"is damaged: " + err.Error(), "open and save it again as PNG or JPEG"}
	}
	info := Info{"image/" + kind, config.Width, config.Height}
	if err := sized(info); err != nil {
		return Info{}, err
	}
	if deep := info.Width * info.Height * bytesOf(config.ColorModel); deep > MaxUnpacked {
		return Info{}, &Error{
			fmt.Sprintf("takes %d MB when it is unpacked", deep>>20),
			fmt.Sprintf("at most %d; save it smaller, or with 8 bits for each colour", MaxUnpacked>>20),
		}
	}
	// a picture that breaks off would be drawn in part
	if _, _, err := image.Decode(bytes.NewReader(data)); err != nil {
		return Info{}, &Error{"is damaged: " + err.Error(), "open and save it again as PNG or JPEG"}
	}
	return info, nil
}

// bytesOf is how many bytes a pixel takes in memory.
func bytesOf(m color.Model) int {
	switch m {
	case color.RGBA64Model, color.NRGBA64Model:
		return 8
	case color.GrayModel:
		return 1
	case color.Gray16Model:
		return 2
	}
	return 4
}

func sized(i Info) error {
	if i.Width < 1 || i.Height < 1 || i.Width > MaxSide || i.Height > MaxSide || i.Width*i.Height > MaxPixels {
		return &Error{
			fmt.Sprintf("is %d by %d pixels", i.Width, i.Height),
			fmt.Sprintf("at most %d on a side and %d million together; save it smaller", MaxSide, MaxPixels/1_000_000),
		}
	}
	return nil
}

// drawing are the elements of SVG 1.1 and 2 that draw, or hold what draws.
var drawing = map[string]bool{}

func init() {
	for name := range strings.FieldsSeq(`svg g defs symbol use path rect circle ellipse line polyline polygon text tspan
		textPath 		title desc metadata
		style linearGradient radialGradient stop pattern clipPath mask marker image switch view
		filter feBlend feColorMatrix feComponentTransfer feComposite feFlood feFuncA feFuncB feFuncG feFuncR
		feGaussianBlur 		feMerge feMergeNode feOffset feTile feTurbulence`) {
		drawing[name] = true
	}
}

const (
	maxDepth  = 100
	maxTokens = 500_000
)

func svg(data []byte) (Info, error) {
	refuse := func(what string) (Info, error) {
		return Info{}, &Error{"is an SVG that holds " + what, "export it as a plain drawing, or as PNG"}
	}
	d := xml.NewDecoder(bytes.NewReader(data))
	d.CharsetReader = func(charset string, in io.Reader) (io.Reader, error) {
		return nil, fmt.Errorf(
			"encoding %s", charset)
	}
	var info Info
	// foreign is how deep in elements of other vocabularies, which editors leave and nobody draws
	depth, foreign := 0, 0
	var style strings.Builder // of one <style>, whatever comments it is cut up by
	inStyle := false
	for n := 0; ; n++ {
		token, err := d.Token()
		if err == io.EOF && info.MediaType != "" && depth == 0 {
			return info, sized(info)
		}
		if err != nil {
			if info.MediaType == "" {
				return Info{}, &Error{"is no picture", kinds}
			}
			return Info{}, &Error{"is an SVG that is broken: " + err.Error(), "save it again, in UTF-8"}
		}
		if n > maxTokens || depth > maxDepth {
			return refuse("more than can be drawn")
		}
		switch t := token.(type) {
		case xml.Directive:
			if strings.Contains(string(t), "[") || strings.Contains(string(t), "ENTITY") {
				return refuse("entities")
			}
		case xml.ProcInst:
			if t.Target != "xml" {
				return refuse("an instruction for other programs (" + t.Target + ")")
			}
		case xml.CharData:
			if inStyle {
				style.Write(t)
			}
		case xml.EndElement:
			depth--
			foreign = max(0, foreign-1)
			if inStyle && !harmlessStyle(style.String()) {
				return refuse("a style that fetches something")
			}
			inStyle = false
		case xml.StartElement:
			if inStyle {
				return refuse("something within a style")
			}
			if depth == 0 {
				if info.MediaType != "" || t.Name.Local != "svg" {
					return Info{}, &Error{"is no picture", kinds}
				}
				if info, err = svgSize(t); err != nil {
					return Info{}, err
				}
			}
			depth++
			ours := t.Name.Space == "" || t.Name.Space == "http://www.w3.org/2000/svg"
			if foreign > 0 || !ours {
				if t.Name.Space == "http://www.w3.org/1999/xhtml" {
					return refuse("a piece of a web page")
				}
				foreign++
			} else if !drawing[t.Name.Local] {
				return refuse("<" + t.Name.Local + ">")
			}
			inStyle = t.Name.Local == "style"
			style.Reset()
			for _, a := range t.Attr {
				name, value := strings.ToLower(a.Name.Local), strings.TrimSpace(a.Value)
				switch {
				case strings.HasPrefix(name, "on"):
					return refuse("a script (" + name + ")")
				case name == "href" && !strings.HasPrefix(value, "#") && !strings.HasPrefix(value,
					"data:image/png;") && !strings.HasPrefix(value, "data:image/jpeg;"):
					return refuse("a link to something else")
				case !harmlessStyle(value):
					return refuse("a style that fetches something")
				}
			}
		}
	}
}

// harmlessStyle tells whether a style or an attribute refers to nothing outside the drawing.
func harmlessStyle(text string) bool {
	text = strings.ToLower(strings.Join(strings.Fields(text), ""))
	for _, fetching := range []string{"@import", "@charset", "javascript:", "expression(", "image(", "image-set(",
		"src(", "cross-fade(", `\`} {
		if strings.Contains(text, fetching) {
			return false
		}
	}
	for rest := text; ; {
		_, after, found := strings.Cut(rest, "url(")
		if !found {
			return true
		}
		if !strings.HasPrefix(strings.TrimLeft(after, `"'`), "#") {
			return false
		}
		rest = after
	}
}

// svgSize reads the size that a drawing is meant to have: its width and height in pixels, or its viewBox's.
func svgSize(root xml.StartElement) (Info, error) {
	var width, height float64
	var box []string
	for _, a := range root.Attr {
		number, err := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(a.Value), "px"), 64)
		switch {
		case a.Name.Local == "viewBox":
			box = strings.FieldsFunc(a.Value, func(r rune) bool { return r == ' ' || r == ',' })
		case a.Name.Local == "width" && err == nil:
			width = number
		case a.Name.Local == "height" && err == nil:
			height = number
		}
	}
	if (width == 0 || height == 0) && len(box) == 4 {
		width, _ = strconv.ParseFloat(box[2], 64)
		height, _ = strconv.ParseFloat(box[3], 64)
	}
	if !(width >= 1 && height >= 1 && width <= 1e6 && height <= 1e6) {
		return Info{}, &Error{"is an SVG without a size", "give its root a viewBox, or a width and a height in pixels"}
	}
	return Info{"image/svg+xml", int(math.Round(width)), int(math.Round(height))}, nil
}
