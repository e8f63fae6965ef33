package demo

import (
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"strings"
)

// WriteXML writes the island as OSM XML.
func (m *Island) WriteXML(w io.Writer) error {
	out := bufio.NewWriterSize(w, 1<<20)
	escape := func(s string) string {
		var b strings.Builder
		_ = xml.EscapeText(&b, []byte(s)) // a strings.Builder does not fail
		return b.String()
	}
	tags := func(e *element) {
		for i := 0; i < len(e.tags); i += 2 {
			fmt.Fprintf(out, "  <tag k=\"%s\" v=\"%s\"/>\n", escape(e.tags[i]), escape(e.tags[i+1]))
		}
	}
	fmt.Fprint(out, xml.Header, "<osm version=\"0.6\" generator=\"viandante demo\">\n")
	for i := range m.nodes {
		n := &m.nodes[i]
		p := n.at.point()
		fmt.Fprintf(out, " <node id=\"%d\" version=\"1\" lat=\"%.7f\" lon=\"%.7f\">\n", n.id, p.Lat(), p.Lng())
		tags(n)
		fmt.Fprint(out, " </node>\n")
	}
	for i := range m.ways {
		v := &m.ways[i]
		fmt.Fprintf(out, " <way id=\"%d\" version=\"1\">\n", v.id)
		for _, ref := range v.refs {
			fmt.Fprintf(out, "  <nd ref=\"%d\"/>\n", ref)
		}
		tags(v)
		fmt.Fprint(out, " </way>\n")
	}
	fmt.Fprint(out, "</osm>\n")
	return out.Flush()
}
