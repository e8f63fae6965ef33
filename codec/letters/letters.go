// Package letters reads the page's own fonts, WOFF 1.0 files (W3C 2012), for the pictures that the server draws. A
// family comes in several files, each for some scripts; a letter is taken from the first that has it.
package letters

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"

	"viandante/core/chart"
)

// Fonts are the fonts of a page. It is safe for use by many goroutines.
type Fonts struct {
	faces map[chart.Font][]*face
	kept  sync.Map // of letters by fontRune
}

type face struct {
	order int
	font  *sfnt.Font
	mu    sync.Mutex // for buffer
	room  sfnt.Buffer
}

type fontRune struct {
	font chart.Font
	r    rune
}

// fileName is how the files are called, e.g. alegreya-sans-latin-ext-400-italic-BXpar-rJ.woff.
var fileName = regexp.MustCompile(
	`^(alegreya(?:-sans)?)-([a-z]+(?:-ext)?)-([0-9]{3})-(normal|italic)(?:-[A-Za-z0-9_-]+)?\.woff$`)

// scripts are in the order in which they are looked through.
var scripts = []string{"latin", "latin-ext", "cyrillic", "cyrillic-ext", "greek", "greek-ext", "vietnamese"}

// mostFont bounds how large a font may be, unpacked.
const mostFont = 8 << 20

// Read reads the fonts among some files, in whichever directory. It returns nil where there are none.
func Read(files fs.FS) (*Fonts, error) {
	f := &Fonts{faces: map[chart.Font][]*face{}}
	err := fs.WalkDir(files, ".", func(name string, entry fs.DirEntry, err error) error {
		m := fileName.FindStringSubmatch(path.Base(name))
		if err != nil || m == nil || entry.IsDir() {
			return err
		}
		data, err := fs.ReadFile(files, name)
		if err != nil {
			return err
		}
		unpacked, err := unpack(data)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		parsed, err := sfnt.Parse(unpacked)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		weight, _ := strconv.Atoi(m[3]) // three digits
		key := chart.Font{Family: map[string]string{"alegreya": "Alegreya", "alegreya-sans": "Alegreya Sans"}[m[1]],
			Weight: weight, Italic: m[4] == "italic"}
		f.faces[key] = append(f.faces[key], &face{order: slices.Index(scripts, m[2]), font: parsed})
		return nil
	})
	if err != nil || len(f.faces) == 0 {
		return nil, err
	}
	for _, list := range f.faces {
		slices.SortFunc(list, func(a, b *face) int { return a.order - b.order })
	}
	return f, nil
}

// unpack makes an OpenType font of a WOFF: its tables, each unpacked, behind a directory of the other kind.
func unpack(data []byte) ([]byte, error) {
	bad := errors.New("is no WOFF")
	if len(data) < 44 || string(data[:4]) != "wOFF" {
		return nil, bad
	}
	n := int(binary.BigEndian.Uint16(data[12:]))
	size := 12 + 16*n
	if len(data) < 44+20*n {
		return nil, bad
	}
	out := make([]byte, size)
	copy(out, data[4:8])
	binary.BigEndian.PutUint16(out[4:], uint16(n))
	for i := range n {
		e := data[44+20*i:]
		offset, packed := int(binary.BigEndian.Uint32(e[4:])), int(binary.BigEndian.Uint32(e[8:]))
		length := int(binary.BigEndian.Uint32(e[12:]))
		if offset+packed > len(data) || offset < 0 || packed < 0 || length < packed || len(out)+length > mostFont {
			return nil, bad
		}
		table := data[offset : offset+packed]
		if packed < length {
			r, err := zlib.NewReader(bytes.NewReader(table))
			if err != nil {
				return nil, err
			}
			table = make([]byte, length)
			if _, err := io.ReadFull(r, table); err != nil {
				return nil, err
			}
		}
		d := out[12+16*i:]
		copy(d, e[:4])
		copy(d[4:], e[16:20]) // the checksum
		binary.BigEndian.PutUint32(d[8:], uint32(len(out)))
		binary.BigEndian.PutUint32(d[12:], uint32(length))
		out = append(out, table...)
		for len(out)%4 != 0 {
			out = append(out, 0)
		}
	}
	return out, nil
}

// slant is by how much a font that has no italic is slanted, as browsers do.
const slant = 0.25

// find returns the faces of a font; of one that has no italic the upright ones, to be slanted; of another weight the
// nearest.
func (f *Fonts) find(want chart.Font) (list []*face, slanted bool) {
	if list = f.faces[want]; list != nil {
		return list, false
	}
	best, least := chart.Font{}, 1<<30
	for have := range f.faces {
		far := have.Weight - want.Weight
		if far < 0 {
			far = -far
		}
		if have.Family != want.Family {
			far += 10_000
		}
		if have.Italic != want.Italic {
			far += 2_000
		}
		if far < least || far == least && have.Weight < best.Weight {
			best, least = have, far
		}
	}
	return f.faces[best], want.Italic && !best.Italic
}

// Letter returns a letter of a font.
func (f *Fonts) Letter(want chart.Font, r rune) chart.Letter {
	if l, ok := f.kept.Load(fontRune{want, r}); ok {
		return l.(chart.Letter)
	}
	list, slanted := f.find(want)
	out := chart.Letter{Advance: 0.5}
	for _, one := range list {
		if l, ok := one.letter(r, slanted); ok {
			out = l
			break
		}
	}
	f.kept.Store(fontRune{want, r}, out)
	return out
}

// units is the size at which outlines are read.
const units = 1000

func (f *face) letter(r rune, slanted bool) (chart.Letter, bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	i, err := f.font.GlyphIndex(&f.room, r)
	if err != nil || i == 0 {
		return chart.Letter{}, false
	}
	ppem := fixed.I(units)
	advance, err := f.font.GlyphAdvance(&f.room, i, ppem, font.HintingNone)
	if err != nil {
		return chart.Letter{}, false
	}
	segments, err := f.font.LoadGlyph(&f.room, i, ppem, nil)
	if err != nil {
		return chart.Letter{}, false
	}
	out := chart.Letter{Advance: float64(advance) / 64 / units}
	at := func(p fixed.Point26_6) [2]float64 {
		x, y := float64(p.X)/64/units, float64(p.Y)/64/units
		if slanted {
			x -= y * slant
		}
		return [2]float64{x, y}
	}
	var line [][2]float64
	for _, s := range segments {
		last := [2]float64{}
		if len(line) > 0 {
			last = line[len(line)-1]
		}
		switch s.Op {
		case sfnt.SegmentOpMoveTo:
			if len(line) > 2 {
				out.Contours = append(out.Contours, line)
			}
			line = [][2]float64{at(s.Args[0])}
		case sfnt.SegmentOpLineTo:
			line = append(line, at(s.Args[0]))
		case sfnt.SegmentOpQuadTo:
			b, e := at(s.Args[0]), at(s.Args[1])
			for _, t := range []float64{0.25, 0.5, 0.75, 1} {
				u := 1 - t
				line = append(line, [2]float64{u*u*last[0] + 2*u*t*b[0] + t*t*e[0], u*u*last[1] + 2*u*t*b[1] +
					t*t*e[1]})
			}
		case sfnt.SegmentOpCubeTo:
			b, d, e := at(s.Args[0]), at(s.Args[1]), at(s.Args[2])
			for _, t := range []float64{0.2, 0.4, 0.6, 0.8, 1} {
				u := 1 - t
				var q [2]float64
				for n := range q {
					q[n] = u*u*u*last[n] + 3*u*u*t*b[n] + 3*u*t*t*d[n] + t*t*t*e[n]
				}
				line = append(line, q)
			}
		}
	}
	if len(line) > 2 {
		out.Contours = append(out.Contours, line)
	}
	return out, true
}

// Middle returns how far the line lies below the middle of the letters.
func (f *Fonts) Middle(want chart.Font) float64 {
	list, _ := f.find(want)
	for _, one := range list {
		one.mu.Lock()
		m, err := one.font.Metrics(&one.room, fixed.I(units), font.HintingNone)
		one.mu.Unlock()
		if err == nil && m.Ascent+m.Descent > 0 {
			ascent, descent := float64(m.Ascent), float64(m.Descent)
			return (ascent - descent) / (ascent + descent) / 2
		}
	}
	return 0.25
}

// String lists the fonts, for whoever wonders.
func (f *Fonts) String() string {
	var out []string
	for k, list := range f.faces {
		out = append(out, fmt.Sprintf("%s %d %v (%d files)", k.Family, k.Weight, k.Italic, len(list)))
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}
