// Package rows reads and writes the files that people keep places in, row by row, however large they are: tables with
// commas, semicolons or tabs, GeoJSON (RFC 7946), GeoJSON text sequences (RFC 8142), GPX 1.1 and KML 2.3, packed with
// gzip or not, KML in a zip (KMZ) as well. What is held is one row; a row may have 4 MB.
//
// A row that cannot be read is a tabular.Row with its problem, and the next one follows. Where a file is so broken that
// nothing can follow, the last row says so.
package rows

import (
	"archive/zip"
	"bufio"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"viandante/core/tabular"
)

// Format is a format of files.
type Format string

// The formats.
const (
	CSV        Format = "csv"
	TSV        Format = "tsv"
	GeoJSON    Format = "geojson"
	GeoJSONSeq Format = "geojsonseq"
	GPX        Format = "gpx"
	KML        Format = "kml"
)

// Formats are all of them, with the media types that they are sent as.
var Formats = map[Format]string{CSV: "text/csv; charset=utf-8", TSV: "text/tab-separated-values; charset=utf-8",
	GeoJSON: "application/geo+json", GeoJSONSeq: "application/geo+json-seq", GPX: "application/gpx+xml",
	KML: "application/xml"}

// Options say how a file is to be read; what is left empty is found out.
type Options struct {
	// Name is the file's, whose suffix tells the format where the content does not.
	Name   string
	Format Format
	// Encoding is a label as HTML knows them (WHATWG), e.g. "windows-1252".
	Encoding string
	// Headless tells that the first row of a table is none of titles.
	Headless bool
}

// Reader reads the rows of a file.
type Reader interface {
	// Next returns the next row, io.EOF after the last. Any other error ends the reading: its text says why.
	Next() (tabular.Row, error)
	// Columns are those of a table, nil for a file of features, whose columns are the properties that they have.
	Columns() []string
}

// File is an opened file.
type File struct {
	Reader
	Format   Format
	Encoding string
	close    func() error
}

// Close gives back what was opened, the file itself apart.
func (f *File) Close() error {
	if f.close == nil {
		return nil
	}
	return f.close()
}

const (
	// maxRow is how much of a file one row may take.
	maxRow = 4 << 20
	// sniffed is how much of a file is looked at to find out what it is.
	sniffed = 64 << 10
	// maxZip is how large a zip may be, and maxRatio how many times more may be unpacked than was packed.
	maxZip   = 64 << 20
	maxRatio = 200
)

// Error is why a file cannot be read at all.
type Error struct{ Reason, Hint string }

func (e *Error) Error() string {
	if e.Hint == "" {
		return e.Reason
	}
	return e.Reason + ": " + e.Hint
}

// Open finds out what a file is and begins to read it. The error is an *Error, or that of the reader.
func Open(r io.Reader, o Options) (*File, error) {
	counted := &counter{r: r}
	in := bufio.NewReaderSize(counted, sniffed)
	f := &File{Format: o.Format, Encoding: o.Encoding}
	start, err := in.Peek(4)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	switch {
	case bytes.HasPrefix(start, []byte{0x1f, 0x8b}):
		unpacked, err := gzip.NewReader(in)
		if err != nil {
			return nil, &Error{"begins like a gzip, and is none", "pack it anew, or send it unpacked"}
		}
		o.Name = strings.TrimSuffix(o.Name, ".gz")
		in = bufio.NewReaderSize(&unpacking{r: unpacked, packed: counted}, sniffed)
	case bytes.HasPrefix(start, []byte("PK\x03\x04")):
		inner, name, closing, err := unzip(in)
		if err != nil {
			return nil, err
		}
		f.close = closing
		o.Name = name
		in = bufio.NewReaderSize(inner, sniffed)
	}
	if err := f.open(in, o); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

func (f *File) open(in *bufio.Reader, o Options) error {
	sample, err := in.Peek(sniffed)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, bufio.ErrBufferFull) {
		return err
	}
	if len(bytes.TrimSpace(bytes.TrimPrefix(sample, []byte("\xef\xbb\xbf")))) == 0 {
		return &Error{"the file is empty", "a table with a line of titles, or a file of features"}
	}
	decoded, label, err := decode(in, sample, o.Encoding)
	if err != nil {
		return err
	}
	f.Encoding = label
	guard := &guard{r: decoded}
	text := bufio.NewReaderSize(guard, sniffed)
	sample, _ = text.Peek(sniffed) // what it holds was read without an error above
	if f.Format == "" {
		f.Format = formatOf(o.Name, sample)
	}
	switch f.Format {
	case CSV, TSV:
		f.Reader, err = newTable(text, guard, f.Format, sample, o.Headless)
	case GeoJSON, GeoJSONSeq:
		f.Reader = newFeatures(text, guard, f.Format)
	case GPX:
		f.Reader = newGPX(text, guard)
	case KML:
		f.Reader = newKML(text, guard)
	default:
		err = &Error{fmt.Sprintf("%q is not a format that is read", f.Format),
			"csv, tsv, geojson, geojsonseq, gpx or kml"}
	}
	return err
}

// decode returns what reads a file as UTF-8, and the label of the encoding that it has.
func decode(in io.Reader, sample []byte, label string) (io.Reader, string, error) {
	switch {
	case label != "":
		e, err := htmlindex.Get(label)
		if err != nil {
			return nil, "", &Error{fmt.Sprintf("the encoding %q is not known", label),
				"a name such as utf-8, windows-1252 or utf-16le"}
		}
		return transform.NewReader(in, unicode.BOMOverride(e.NewDecoder())), label, nil
	case bytes.HasPrefix(sample, []byte{0xff, 0xfe}), bytes.HasPrefix(sample, []byte{0xfe, 0xff}):
		return transform.NewReader(in, unicode.BOMOverride(encoding.Nop.NewDecoder())), "utf-16", nil
	case isUTF8(sample):
		return transform.NewReader(in, unicode.BOMOverride(encoding.Nop.NewDecoder())), "utf-8", nil
	case bytes.HasPrefix(bytes.TrimSpace(sample), []byte("<")):
		return in, "", nil // XML says itself
	}
	e, err := htmlindex.Get("windows-1252")
	if err != nil {
		return nil, "", err
	}
	return e.NewDecoder().Reader(in), "windows-1252", nil
}

// isUTF8 tells whether a sample is UTF-8; its end may lie within a letter.
func isUTF8(sample []byte) bool {
	for cut := 0; cut < utf8.UTFMax && cut < len(sample); cut++ {
		if utf8.Valid(sample[:len(sample)-cut]) {
			return true
		}
	}
	return len(sample) == 0
}

// formatOf tells a format by how a file begins, else by its name.
func formatOf(name string, sample []byte) Format {
	text := bytes.TrimSpace(sample)
	switch {
	case len(text) > 0 && text[0] == 0x1e:
		return GeoJSONSeq
	case bytes.HasPrefix(text, []byte("<")):
		if bytes.Contains(text, []byte("<gpx")) || strings.HasSuffix(strings.ToLower(name), ".gpx") {
			return GPX
		}
		return KML
	case bytes.HasPrefix(text, []byte("{")):
		first, _, _ := bytes.Cut(text, []byte("\n"))
		if f := byName(name); f == GeoJSONSeq ||
			bytes.Contains(first, []byte(`"Feature"`)) && bytes.HasSuffix(bytes.TrimSpace(first), []byte("}")) &&
				!bytes.Contains(first, []byte("FeatureCollection")) {
			return GeoJSONSeq
		}
		return GeoJSON
	}
	if f := byName(name); f == TSV || f == CSV {
		return f
	}
	first, _, _ := bytes.Cut(text, []byte("\n"))
	if bytes.Count(first, []byte("\t")) > 0 {
		return TSV
	}
	return CSV
}

// ByName returns the format of a file's name, "" where its suffix is none that is known.
func ByName(name string) Format { return byName(strings.TrimSuffix(name, ".gz")) }

func byName(name string) Format {
	switch strings.ToLower(path.Ext(name)) {
	case ".csv":
		return CSV
	case ".tsv", ".tab":
		return TSV
	case ".geojson", ".json":
		return GeoJSON
	case ".geojsons", ".geojsonl", ".geojsonseq", ".ndjson", ".jsonl":
		return GeoJSONSeq
	case ".gpx":
		return GPX
	case ".kml":
		return KML
	}
	return ""
}

// counter counts what was read.
type counter struct {
	r io.Reader
	n int64
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += int64(n)
	return n, err
}

// unpacking ends where a file unpacks to far more than it has: what was packed to do harm.
type unpacking struct {
	r      io.Reader
	packed *counter
	n      int64
}

func (u *unpacking) Read(p []byte) (int, error) {
	n, err := u.r.Read(p)
	u.n += int64(n)
	if u.n > maxRatio*(u.packed.n+sniffed) {
		return 0, &Error{fmt.Sprintf("the file unpacks to more than %d times its size", maxRatio),
			"send it unpacked if that is meant"}
	}
	if err != nil && !errors.Is(err, io.EOF) {
		err = &Error{"the packed file is broken: " + err.Error(), "pack it anew"}
	}
	return n, err
}

// unzip returns the KML in a zip, which is laid down in a file of its own meanwhile: a zip is read from its end.
func unzip(in io.Reader) (io.Reader, string, func() error, error) {
	f, err := os.CreateTemp("", "viandante-zip-")
	if err != nil {
		return nil, "", nil, err
	}
	drop := func() error { return errors.Join(f.Close(), os.Remove(f.Name())) }
	fail := func(err error) (io.Reader, string, func() error, error) {
		return nil, "", nil, errors.Join(err, drop())
	}
	size, err := io.Copy(f, io.LimitReader(in, maxZip+1))
	if err != nil {
		return fail(err)
	}
	if size > maxZip {
		return fail(&Error{"the zip is larger than 64 MB", "unpack it, and take in the KML in it"})
	}
	z, err := zip.NewReader(f, size)
	if err != nil {
		return fail(&Error{"begins like a zip, and is none: " + err.Error(), "pack it anew, or take in the file in it"})
	}
	for _, one := range z.File {
		if !strings.HasSuffix(strings.ToLower(one.Name), ".kml") {
			continue
		}
		r, err := one.Open()
		if err != nil {
			return fail(&Error{"the KML in the zip cannot be unpacked: " + err.Error(), "pack it anew"})
		}
		packed := &counter{n: int64(min(one.CompressedSize64, maxZip))}
		return &unpacking{r: r, packed: packed}, one.Name, func() error { return errors.Join(r.Close(), drop()) }, nil
	}
	return fail(&Error{"the zip holds no KML", "of a spreadsheet save the sheet as CSV; of several files take in each"})
}

// guard bounds what one row takes, so that a quote that is never closed does not take the whole file for one value.
type guard struct {
	r    io.Reader
	used int
}

func (g *guard) Read(p []byte) (int, error) {
	if g.used > maxRow {
		return 0, errTooLong
	}
	n, err := g.r.Read(p)
	g.used += n
	return n, err
}

// row begins a row anew.
func (g *guard) row() { g.used = 0 }

var errTooLong = errors.New("a row has more than 4 MB")
