package osm

import (
	"bufio"
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"strings"

	"google.golang.org/protobuf/encoding/protowire"
)

// Member is a member of a relation: 'n', 'w' or 'r', the element's id, and the role it plays.
type Member struct {
	Kind byte
	Ref  int64
	Role string
}

// Writer writes map data element by element, in whatever order; tags are key, value, key, value … The first error
// stays and is returned by Close.
type Writer interface {
	Node(id int64, lat, lng float64, tags []string)
	Way(id int64, refs []int64, tags []string)
	Relation(id int64, members []Member, tags []string)
	Close() error
}

// NewWriter returns a writer in the format that a file's name asks for: OSM PBF for .pbf, else OSM XML.
func NewWriter(w io.Writer, file string) Writer {
	if strings.HasSuffix(file, ".pbf") {
		return newPBFWriter(w)
	}
	return newXMLWriter(w)
}

type xmlWriter struct{ out *bufio.Writer }

func newXMLWriter(w io.Writer) *xmlWriter {
	x := &xmlWriter{bufio.NewWriterSize(w, 1<<20)}
	fmt.Fprint(x.out, xml.Header, "<osm version=\"0.6\" generator=\"viandante\">\n")
	return x
}

func (x *xmlWriter) tags(tags []string) {
	escape := func(s string) {
		_ = xml.EscapeText(x.out, []byte(s)) // the buffer keeps the error for Flush
	}
	for i := 0; i+1 < len(tags); i += 2 {
		x.out.WriteString("  <tag k=\"")
		escape(tags[i])
		x.out.WriteString("\" v=\"")
		escape(tags[i+1])
		x.out.WriteString("\"/>\n")
	}
}

func (x *xmlWriter) Node(id int64, lat, lng float64, tags []string) {
	fmt.Fprintf(x.out, " <node id=\"%d\" version=\"1\" lat=\"%.7f\" lon=\"%.7f\"", id, lat, lng)
	if len(tags) == 0 {
		x.out.WriteString("/>\n")
		return
	}
	x.out.WriteString(">\n")
	x.tags(tags)
	x.out.WriteString(" </node>\n")
}

func (x *xmlWriter) Way(id int64, refs []int64, tags []string) {
	fmt.Fprintf(x.out, " <way id=\"%d\" version=\"1\">\n", id)
	for _, ref := range refs {
		fmt.Fprintf(x.out, "  <nd ref=\"%d\"/>\n", ref)
	}
	x.tags(tags)
	x.out.WriteString(" </way>\n")
}

var kindNames = map[byte]string{'n': "node", 'w': "way", 'r': "relation"}

func (x *xmlWriter) Relation(id int64, members []Member, tags []string) {
	fmt.Fprintf(x.out, " <relation id=\"%d\" version=\"1\">\n", id)
	for _, m := range members {
		fmt.Fprintf(x.out, "  <member type=\"%s\" ref=\"%d\" role=\"%s\"/>\n", kindNames[m.Kind], m.Ref, m.Role)
	}
	x.tags(tags)
	x.out.WriteString(" </relation>\n")
}

func (x *xmlWriter) Close() error {
	x.out.WriteString("</osm>\n")
	return x.out.Flush()
}

// pbfWriter writes blocks of one kind of element each, as the format's documentation has them: a primitive block with
// its own table of strings, nodes dense, packed with zlib. Positions have the default granularity of 1e-7 degree.
type pbfWriter struct {
	out     *bufio.Writer
	err     error
	kind    byte
	count   int
	strings map[string]uint64
	table   []byte
	// group gathers ways and relations; dense nodes gather in columns.
	group                    []byte
	ids, lats, lngs, keyVals []byte
	id, lat, lng             int64
}

const pbfBlock = 8000 // elements in a block, the usual number

func newPBFWriter(w io.Writer) *pbfWriter {
	p := &pbfWriter{out: bufio.NewWriterSize(w, 1<<20)}
	var header []byte
	for _, feature := range []string{"OsmSchema-V0.6", "DenseNodes"} {
		header = appendText(header, 4, feature)
	}
	p.blob("OSMHeader", appendText(header, 16, "viandante"))
	p.reset(0)
	return p
}

func appendText(b []byte, field protowire.Number, s string) []byte {
	return protowire.AppendString(protowire.AppendTag(b, field, protowire.BytesType), s)
}

func appendBytes(b []byte, field protowire.Number, data []byte) []byte {
	return protowire.AppendBytes(protowire.AppendTag(b, field, protowire.BytesType), data)
}

func appendNumber(b []byte, field protowire.Number, v uint64) []byte {
	return protowire.AppendVarint(protowire.AppendTag(b, field, protowire.VarintType), v)
}

func (p *pbfWriter) reset(kind byte) {
	p.kind, p.count = kind, 0
	p.strings = map[string]uint64{"": 0}
	p.table = appendText(p.table[:0], 1, "")
	p.group, p.ids, p.lats, p.lngs, p.keyVals = p.group[:0], p.ids[:0], p.lats[:0], p.lngs[:0], p.keyVals[:0]
	p.id, p.lat, p.lng = 0, 0, 0
}

func (p *pbfWriter) text(s string) uint64 {
	n, ok := p.strings[s]
	if !ok {
		n = uint64(len(p.strings))
		p.strings[s] = n
		p.table = appendText(p.table, 1, s)
	}
	return n
}

func (p *pbfWriter) begin(kind byte) {
	if p.kind != kind || p.count >= pbfBlock {
		p.flush()
		p.reset(kind)
	}
	p.count++
}

func zigzag(b []byte, v int64) []byte { return protowire.AppendVarint(b, protowire.EncodeZigZag(v)) }

func (p *pbfWriter) Node(id int64, lat, lng float64, tags []string) {
	p.begin('n')
	y, x := int64(math.Round(lat*1e7)), int64(math.Round(lng*1e7))
	p.ids, p.lats, p.lngs = zigzag(p.ids, id-p.id), zigzag(p.lats, y-p.lat), zigzag(p.lngs, x-p.lng)
	p.id, p.lat, p.lng = id, y, x
	for _, s := range tags {
		p.keyVals = protowire.AppendVarint(p.keyVals, p.text(s))
	}
	p.keyVals = protowire.AppendVarint(p.keyVals, 0)
}

// tags returns the two columns of the tags as fields 2 and 3.
func (p *pbfWriter) tags(b []byte, tags []string) []byte {
	var keys, values []byte
	for i := 0; i+1 < len(tags); i += 2 {
		keys, values = protowire.AppendVarint(keys, p.text(tags[i])), protowire.AppendVarint(values, p.text(tags[i+1]))
	}
	if len(keys) == 0 {
		return b
	}
	return appendBytes(appendBytes(b, 2, keys), 3, values)
}

func (p *pbfWriter) Way(id int64, refs []int64, tags []string) {
	p.begin('w')
	b := p.tags(appendNumber(nil, 1, uint64(id)), tags)
	var column []byte
	last := int64(0)
	for _, r := range refs {
		column = zigzag(column, r-last)
		last = r
	}
	p.group = appendBytes(p.group, 3, appendBytes(b, 8, column))
}

func (p *pbfWriter) Relation(id int64, members []Member, tags []string) {
	p.begin('r')
	b := p.tags(appendNumber(nil, 1, uint64(id)), tags)
	var roles, refs, kinds []byte
	last := int64(0)
	for _, m := range members {
		roles, refs = protowire.AppendVarint(roles, p.text(m.Role)), zigzag(refs, m.Ref-last)
		kinds = protowire.AppendVarint(kinds, uint64(strings.IndexByte("nwr", m.Kind)))
		last = m.Ref
	}
	p.group = appendBytes(p.group, 4, appendBytes(appendBytes(appendBytes(b, 8, roles), 9, refs), 10, kinds))
}

func (p *pbfWriter) flush() {
	if p.count == 0 {
		return
	}
	group := p.group
	if p.kind == 'n' {
		dense := appendBytes(appendBytes(appendBytes(nil, 1, p.ids), 8, p.lats), 9, p.lngs)
		group = appendBytes(nil, 2, appendBytes(dense, 10, p.keyVals))
	}
	p.blob("OSMData", appendBytes(appendBytes(nil, 1, p.table), 2, group))
}

// blob writes a piece of the file: the length of its header, the header, the data.
func (p *pbfWriter) blob(kind string, data []byte) {
	var packed bytes.Buffer
	z := zlib.NewWriter(&packed)
	if _, err := z.Write(data); err != nil && p.err == nil {
		p.err = err
	}
	if err := z.Close(); err != nil && p.err == nil {
		p.err = err
	}
	blob := appendBytes(appendNumber(nil, 2, uint64(len(data))), 3, packed.Bytes())
	header := appendNumber(appendText(nil, 1, kind), 3, uint64(len(blob)))
	for _, part := range [][]byte{binary.BigEndian.AppendUint32(nil, uint32(len(header))), header, blob} {
		if _, err := p.out.Write(part); err != nil && p.err == nil {
			p.err = err
		}
	}
}

func (p *pbfWriter) Close() error {
	p.flush()
	if err := p.out.Flush(); p.err == nil {
		p.err = err
	}
	return p.err
}
