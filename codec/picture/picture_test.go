package picture

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/jpeg"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func pngOf(width, height int) []byte {
	var b bytes.Buffer
	_ = png.Encode(&b, image.NewGray(image.Rect(0, 0, width, height)))
	return b.Bytes()
}

// pngThatSays is a small PNG whose header says that it is larger.
func pngThatSays(width, height uint32) []byte {
	b := pngOf(1, 1)
	binary.BigEndian.PutUint32(b[16:], width)
	binary.BigEndian.PutUint32(b[20:], height)
	binary.BigEndian.PutUint32(b[29:], crc32.ChecksumIEEE(b[12:29]))
	return b
}

// pngDeep is a small PNG whose header says that it is larger, and has 16 bits for each of four colours.
func pngDeep(width, height uint32) []byte {
	var out bytes.Buffer
	_ = png.Encode(&out, image.NewNRGBA64(image.Rect(0, 0, 1, 1)))
	b := out.Bytes()
	binary.BigEndian.PutUint32(b[16:], width)
	binary.BigEndian.PutUint32(b[20:], height)
	binary.BigEndian.PutUint32(b[29:], crc32.ChecksumIEEE(b[12:29]))
	return b
}

func TestPicturesThatAreTaken(t *testing.T) {
	var j bytes.Buffer
	require.NoError(t, jpeg.Encode(&j, image.NewGray(image.Rect(0, 0, 30, 20)), nil))
	for name, k := range map[string]struct {
		data []byte
		want Info
	}{
		"png":  {pngOf(40, 30), Info{"image/png", 40, 30}},
		"jpeg": {j.Bytes(), Info{"image/jpeg", 30, 20}},
		"svg with a size": {[]byte(`<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg" width="200px" ` +
			`height="100"><rect width="9" height="9" fill="url(#a)"/></svg>`), Info{"image/svg+xml", 200, 100}},
		"svg with a viewBox": {[]byte(`<svg viewBox="0 0 640,480" width="100%"><g><path d="M0 0"/></g></svg>`),
			Info{"image/svg+xml", 640, 480}},
		"svg of an editor": {[]byte(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:e="urn:editor" viewBox="0 0 9 ` +
			`9"><e:view><e:grid on="x"/></e:view></svg>`), Info{}},
		"svg with a type": {[]byte(`<!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" ` +
			`"http://www.w3.org/Graphics/SVG/1.1/DTD/svg11.dtd"><svg viewBox="0 0 9 9"/>`), Info{"image/svg+xml", 9,
			9}},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := Check(k.data)
			if k.want == (Info{}) { // an attribute whose name begins as a script's does is refused wherever it stands
				require.ErrorContains(t, err, "a script")
				return
			}
			require.NoError(t, err)
			assert.Equal(t, k.want, got)
		})
	}
}

func TestPicturesThatAreRefused(t *testing.T) {
	in := func(inner string) []byte {
		return []byte(
			`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" ` +
				`viewBox="0 0 9 9">` + inner + `</svg>`,
		)
	}
	whole := pngOf(300, 300)
	for name, k := range map[string]struct {
		data []byte
		says string
	}{
		"nothing":        {nil, "is empty"},
		"a text":         {[]byte("hello there"), "is no picture"},
		"a page":         {[]byte("<html><body/></html>"), "is no picture"},
		"two drawings":   {[]byte(`<svg viewBox="0 0 9 9"/><svg viewBox="0 0 9 9"/>`), "is no picture"},
		"20,000 wide":    {pngThatSays(20_000, 10), "is 20000 by 10 pixels"},
		"a bomb":         {pngThatSays(7999, 7999), "is 7999 by 7999 pixels"},
		"too many bytes": {make([]byte, MaxBytes+1), "MB"},
		"cut off":        {whole[:len(whole)/2], "is damaged"},
		"no size":        {[]byte(`<svg width="100%"/>`), "without a size"},
		"a vast svg":     {[]byte(`<svg viewBox="0 0 20000 10"/>`), "is 20000 by 10 pixels"},
		"a script":       {in(`<script>alert(1)</script>`), "<script>"},
		"a handler":      {in(`<rect onload="alert(1)"/>`), "a script (onload)"},
		"a foreign page": {in(`<foreignObject><b xmlns="http://www.w3.org/1999/xhtml"/></foreignObject>`),
			"<foreignObject>"},
		"a page in another": {in(`<e:x xmlns:e="urn:e"><b xmlns="http://www.w3.org/1999/xhtml"/></e:x>`),
			"a piece of a web page"},
		"a link outside":      {in(`<use xlink:href="http://elsewhere/x.svg#a"/>`), "a link to something else"},
		"a link that runs":    {in(`<use href="javascript:alert(1)"/>`), "a link to something else"},
		"an image from afar":  {in(`<image href="//elsewhere/x.png"/>`), "a link to something else"},
		"a style that loads":  {in(`<style>@import "http://elsewhere/a.css";</style>`), "a style that fetches"},
		"a fill from outside": {in(`<rect fill="url( http://elsewhere/#a)"/>`), "a style that fetches"},
		"an animation":        {in(`<set attributeName="href" to="javascript:alert(1)"/>`), "<set>"},
		"entities":            {[]byte(`<!DOCTYPE svg [<!ENTITY a "aaaa">]><svg viewBox="0 0 9 9"/>`), ""},
		"a torn up import":    {in(`<style>@im<!-- -->port "http://elsewhere/a.css";</style>`), "a style that fetches"},
		"after a comment": {in(`<style>/* */<![CDATA[@import 'http://elsewhere/a.css']]></style>`),
			"a style that fetches"},
		"in a style": {in(`<style><g/>@import "http://elsewhere/a.css"</style>`), "something within a style"},
		"a set of images": {in(`<style>rect { background: image-set("http://elsewhere/a.png" 1x) }</style>`),
			"a style that fetches"},
		"deep colours": {pngDeep(7999, 4999), "when it is unpacked"},
		"broken":       {in(`<g>`), "is an SVG that is broken"},
		"too deep":     {in(strings.Repeat("<g>", 200) + strings.Repeat("</g>", 200)), "more than can be drawn"},
		"a style sheet": {[]byte(`<?xml-stylesheet href="http://elsewhere"?><svg viewBox="0 0 9 9"/>`),
			"other programs"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := Check(k.data)
			var refused *Error
			require.ErrorAs(t, err, &refused)
			assert.ErrorContains(t, err, k.says)
			assert.NotEmpty(t, refused.Hint)
		})
	}
}

func FuzzCheck(f *testing.F) {
	f.Add(pngOf(3, 3))
	f.Add([]byte(`<svg viewBox="0 0 9 9"><rect style="fill:url(#a)"/></svg>`))
	f.Fuzz(func(t *testing.T, data []byte) {
		info, err := Check(data)
		if err == nil && (info.Width < 1 || info.Width > MaxSide || info.Height > MaxSide) {
			t.Errorf("taken: %v %q", info, data)
		}
	})
}
