// Package tabular makes features of the rows of a file that somebody kept places in: it guesses what each column holds,
// lets that be changed, and says of a row that cannot be taken what is wrong with it and what would be right.
//
// A Row is what every format comes down to (package codec/rows reads them); a Mapping says what becomes of its values.
package tabular

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"viandante/core/feature"
	"viandante/core/geo"
)

// Row is one row of a table, or one feature of a file of features.
type Row struct {
	// Line is where it begins in the file, counted from 1; 0 where the format has no lines.
	Line int
	// Values are what it has, by column: texts in tables, what JSON knows elsewhere.
	Values map[string]any
	// Geometry is that of a feature; unknown for a row of a table, which has columns for it.
	Geometry feature.Geometry
	// Wrong says why the row cannot be read at all, nil where it can.
	Wrong *Problem
}

// Problem is why a row cannot be taken, and what would be right.
type Problem struct {
	Line   int    `json:"line"`
	Column string `json:"column"`
	Value  string `json:"value"`
	Reason string `json:"reason"`
	Hint   string `json:"hint"`
}

func (p *Problem) Error() string {
	where := fmt.Sprintf("line %d", p.Line)
	if p.Column != "" {
		where += ", column " + p.Column
	}
	if p.Hint != "" {
		return where + ": " + p.Reason + " (" + p.Hint + ")"
	}
	return where + ": " + p.Reason
}

// Role is what becomes of a column.
type Role string

// The roles. A Position holds both coordinates, in any notation; a Geometry is WKT or GeoJSON.
const (
	Skip      Role = "skip"
	Name      Role = "name"
	Lat       Role = "lat"
	Lng       Role = "lng"
	Position  Role = "position"
	Shape     Role = "geometry"
	Category  Role = "category"
	Address   Role = "address"
	Elevation Role = "elevation"
	Radius    Role = "radius"
	Attribute Role = "attribute"
)

// Roles are all of them, in the order in which they are offered.
var Roles = []Role{Name, Lat, Lng, Position, Shape, Category, Address, Elevation, Radius, Attribute, Skip}

// Column says what becomes of one column. Name and Type are those of an attribute.
type Column struct {
	Column string `json:"column"`
	As     Role   `json:"as"`
	Name   string `json:"name,omitempty"`
	Type   string `json:"type,omitempty"`
}

// Mapping says what becomes of the values of a row. Key is the column that names a row, so that the same row again is
// the same feature; "" where there is none.
type Mapping struct {
	Columns []Column `json:"columns"`
	Key     string   `json:"key"`
	// Rest tells that what has no column becomes an attribute of its own name: the features of a file need not all have
	// the same properties.
	Rest bool `json:"rest"`
}

// Check holds a mapping to what can be done.
func (m *Mapping) Check() error {
	seen, names := map[Role]string{}, map[string]string{}
	for _, c := range m.Columns {
		if !slices.Contains(Roles, c.As) {
			return fmt.Errorf("the column %q is to be %q, which is none of %v", c.Column, c.As, Roles)
		}
		if before, twice := seen[c.As]; twice && c.As != Attribute && c.As != Skip {
			return fmt.Errorf("the columns %q and %q are both to be the %s; one can be", before, c.Column, c.As)
		}
		seen[c.As] = c.Column
		if c.As != Attribute {
			continue
		}
		if c.Name == "" {
			return fmt.Errorf("the column %q is an attribute without a name", c.Column)
		}
		if before, twice := names[c.Name]; twice {
			return fmt.Errorf("the columns %q and %q are both the attribute %s", before, c.Column, c.Name)
		}
		names[c.Name] = c.Column
	}
	if (seen[Lat] == "") != (seen[Lng] == "") {
		return fmt.Errorf("a latitude needs a longitude beside it, and the other way round")
	}
	if m.Key != "" && !slices.ContainsFunc(m.Columns, func(c Column) bool { return c.Column == m.Key }) {
		return fmt.Errorf("the key %q is none of the columns", m.Key)
	}
	return nil
}

// Schema returns the attributes that the mapping gives names and types to, for a collection that is new.
func (m *Mapping) Schema() feature.Schema {
	out := feature.Schema{}
	for _, c := range m.Columns {
		f := feature.Field{Name: c.Name, Title: c.Column, Type: c.Type}
		if f.Type == "" {
			f.Type = feature.TextType
		}
		if c.As == Attribute && (feature.Schema{f}).Check() == nil {
			out = append(out, f)
		}
	}
	return out
}

// spellings are the names, folded, that columns of a role have, in the languages that we were told of.
var spellings = map[Role][]string{
	Name: {"name", "title", "label", "place", "nom", "nombre", "nome", "bezeichnung", "titel", "ort", "site",
		"place_name", "station"},
	Lat: {"lat", "latitude", "y", "breite", "breitengrad", "latitud", "latitudine", "lat_deg", "latitude_deg",
		"gps_lat", "ycoord", "y_coord", "geo_lat"},
	Lng: {"lng", "lon", "long", "longitude", "x", "lange", "laenge", "langengrad", "laengengrad", "longitud",
		"longitudine", "lng_deg", "lon_deg", "longitude_deg", "gps_lon", "gps_lng", "xcoord", "x_coord", "geo_lng",
		"geo_lon"},
	Position: {"position", "coordinates", "coords", "location", "gps", "latlng", "lat_lng", "latlon", "lat_lon",
		"koordinaten", "coordenadas", "coordonnees", "point"},
	Shape:     {"geometry", "wkt", "geom", "the_geom", "geojson", "shape"},
	Category:  {"category", "kind", "type", "class", "kategorie", "art", "categorie", "categoria", "tipo"},
	Address:   {"address", "addr", "street_address", "full_address", "adresse", "direccion", "indirizzo", "endereco"},
	Elevation: {"elevation", "elevation_m", "ele", "altitude", "height", "alt", "hohe", "hoehe", "elevation_metres"},
	Radius:    {"radius", "radius_m"},
}

// keys are the names of columns that name a row.
var keys = []string{"id", "key", "code", "ref", "uuid", "uid", "number", "nr", "no", "identifier", "nummer"}

// texts are names of columns whose digits are no number to count with.
var texts = regexp.MustCompile(
	`(^|_)(id|key|code|ref|zip|postcode|postal|plz|phone|tel|telephone|fax|number|nr|no)(_|$)`)

// Fold returns a name as columns are compared: small letters, digits and _ only.
func Fold(s string) string {
	var b strings.Builder
	for _, r := range norm.NFD.String(strings.ToLower(strings.TrimSpace(s))) {
		switch {
		case unicode.Is(unicode.Mn, r):
		case r == 'ß':
			b.WriteString("ss")
		case r < 0x80 && (unicode.IsLetter(r) || unicode.IsDigit(r)):
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "_"):
			b.WriteByte('_')
		}
	}
	return strings.TrimSuffix(b.String(), "_")
}

var unit = regexp.MustCompile(`_(m|km|ft|mi|nmi|deg|rad|s|ms|min|h|kmh|mph|mps|m2|km2)$`)

// attributeName makes of a column's name one that an attribute may have.
func attributeName(column string, taken map[string]bool) string {
	name := Fold(column)
	for unit.MatchString(name) {
		name = unit.ReplaceAllString(name, "")
	}
	if name == "" || name[0] < 'a' || name[0] > 'z' {
		name = strings.TrimSuffix("column_"+name, "_")
	}
	name = name[:min(len(name), 60)]
	own := feature.Field{Name: name, Type: feature.TextType}
	if (feature.Schema{own}).Check() != nil && !feature.IsBuiltIn(name) {
		name = name[:min(len(name), 55)] + "_was"
	}
	base := name
	for n := 2; taken[name]; n++ {
		name = fmt.Sprintf("%s_%d", base, n)
	}
	taken[name] = true
	return name
}

// Guess says what the columns of a file seem to hold, by their names and by what stands in some rows. Columns that the
// schema knows become its attributes.
func Guess(columns []string, sample []Row, schema feature.Schema) Mapping {
	m := Mapping{Columns: make([]Column, len(columns))}
	taken := map[Role]bool{}
	for _, r := range sample {
		if r.Geometry.IsKnown() { // a file of features: no column holds what the geometry does
			for _, role := range []Role{Lat, Lng, Position, Shape} {
				taken[role] = true
			}
		}
	}
	for i, name := range columns {
		m.Columns[i] = Column{Column: name, As: Attribute}
	}
	assign := func(role Role, fits func(column string) bool) {
		if taken[role] {
			return
		}
		for _, spelling := range spellings[role] {
			for i, name := range columns {
				if m.Columns[i].As == Attribute && Fold(name) == spelling && fits(name) {
					m.Columns[i].As, taken[role] = role, true
					return
				}
			}
		}
	}
	anything := func(string) bool { return true }
	within := func(limit float64) func(string) bool {
		return func(column string) bool {
			return most(sample, column, func(s string) bool { v, ok := number(s); return !ok || math.Abs(v) <= limit })
		}
	}
	for _, role := range []Role{Lat, Lng} {
		assign(role, within(180))
	}
	if taken[Lat] != taken[Lng] { // half a position is none
		for i := range m.Columns {
			if c := &m.Columns[i]; c.As == Lat || c.As == Lng {
				c.As = Attribute
			}
		}
		taken[Lat], taken[Lng] = false, false
	}
	assign(Shape, func(column string) bool { return most(sample, column, isShape) })
	if !taken[Lat] && !taken[Shape] {
		assign(Position, func(column string) bool { return most(sample, column, isPosition) })
		for i, name := range columns { // whatever it is called
			if !taken[Position] && m.Columns[i].As == Attribute && most(sample, name, isPosition) {
				m.Columns[i].As, taken[Position] = Position, true
			}
		}
	}
	for _, role := range []Role{Name, Category} {
		assign(role, anything)
	}
	if !slices.Contains(columns, feature.PropAddressTyped) { // as our own files call it
		assign(Address, anything)
	}
	for _, role := range []Role{Elevation, Radius} {
		assign(role, within(1e7))
	}
	if m.swapped(sample) {
		m.swap()
	}
	names := map[string]bool{}
	for i := range m.Columns {
		if c := &m.Columns[i]; c.As == Attribute {
			c.Name, c.Type = attributeFor(c.Column, sample, schema, names)
		}
	}
	m.Key = guessKey(columns, sample)
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Column == m.Key && most(sample, c.Column, isUUID) || readOnly(c.Column) || isRefusal(columns, c.Column) {
			c.As, c.Name, c.Type = Skip, "", "" // the id itself is no attribute, nor what only the database sets
		}
	}
	return m
}

// Refusal are the columns that rows which were refused come back with.
var Refusal = []string{"refused line", "refused column", "refused because", "mend"}

func isRefusal(columns []string, column string) bool {
	return slices.Contains(Refusal, column) && slices.Contains(columns, Refusal[0])
}

func readOnly(column string) bool {
	return column == feature.PropVersion || column == feature.PropCreatedAt || column == feature.PropUpdatedAt
}

func attributeFor(column string, sample []Row, schema feature.Schema, taken map[string]bool) (name, kind string) {
	folded := Fold(column)
	for _, f := range schema {
		if (f.Name == column || f.Name == folded || Fold(f.Title) == folded) && !taken[f.Name] {
			taken[f.Name] = true
			return f.Name, f.Type
		}
	}
	if feature.IsMember(column) && !taken[column] { // as our own files call what is no attribute
		taken[column] = true
		return column, ""
	}
	kind = feature.TextType
	if !texts.MatchString(folded) && filled(sample, column) && all(sample, column, isPlainNumber) {
		kind = feature.NumberType
	}
	return attributeName(column, taken), kind
}

func guessKey(columns []string, sample []Row) string {
	for _, spelling := range keys {
		for _, name := range columns {
			if Fold(name) != spelling {
				continue
			}
			seen := map[string]bool{}
			for _, r := range sample {
				if r.Wrong == nil {
					seen[Text(r.Values[name])] = true
				}
			}
			// those that stand twice are told of
			if delete(seen, ""); len(seen) > 0 && 20*len(seen) >= 13*readable(sample) {
				return name
			}
		}
	}
	return ""
}

func readable(sample []Row) (n int) {
	for _, r := range sample {
		if r.Wrong == nil {
			n++
		}
	}
	return n
}

// swapped tells that latitudes and longitudes stand in each other's columns: most of them can only be so.
func (m *Mapping) swapped(sample []Row) bool {
	lat, lng := m.column(Lat), m.column(Lng)
	if lat == "" {
		return false
	}
	only, n := 0, 0
	for _, r := range sample {
		a, ok1 := number(Text(r.Values[lat]))
		b, ok2 := number(Text(r.Values[lng]))
		if !ok1 || !ok2 {
			continue
		}
		n++
		if math.Abs(a) > 90 && math.Abs(b) <= 90 {
			only++
		}
	}
	return 2*only > n
}

func (m *Mapping) swap() {
	for i := range m.Columns {
		switch m.Columns[i].As {
		case Lat:
			m.Columns[i].As = Lng
		case Lng:
			m.Columns[i].As = Lat
		}
	}
}

// column returns the column that has a role, "" for none.
func (m *Mapping) column(role Role) string {
	for _, c := range m.Columns {
		if c.As == role {
			return c.Column
		}
	}
	return ""
}

func all(sample []Row, column string, fits func(string) bool) bool {
	for _, r := range sample {
		if s := Text(r.Values[column]); s != "" && !fits(s) {
			return false
		}
	}
	return true
}

func filled(sample []Row, column string) bool {
	return slices.ContainsFunc(sample, func(r Row) bool { return Text(r.Values[column]) != "" })
}

// most tells that at least three of five values that are there fit, and that some are there.
func most(sample []Row, column string, fits func(string) bool) bool {
	fit, n := 0, 0
	for _, r := range sample {
		if s := Text(r.Values[column]); s != "" {
			n++
			if fits(s) {
				fit++
			}
		}
	}
	return n > 0 && 5*fit >= 3*n
}

var plainNumber = regexp.MustCompile(`^[-−]?(0|[1-9][0-9]{0,14})([.,][0-9]{1,15})?$`)

func isPlainNumber(s string) bool { return plainNumber.MatchString(s) }

var uuidText = regexp.MustCompile(`^[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}$`)

func isUUID(s string) bool { return uuidText.MatchString(s) }

func isPosition(s string) bool {
	if len(s) > 400 || !strings.ContainsAny(s, "0123456789") {
		return false
	}
	_, err := geo.Read(s)
	return err == nil
}

var shapeText = regexp.MustCompile(`(?i)^\s*(SRID=4326;\s*)?(POINT|LINESTRING|POLYGON)\b|^\s*\{\s*"(type|coordinates)"`)

func isShape(s string) bool { return shapeText.MatchString(s) }

// number reads a number as tables have it: with a point or a comma, and with a minus of either kind.
func number(s string) (float64, bool) {
	s = strings.TrimSpace(s)
	if strings.HasPrefix(s, "−") {
		s = "-" + s[len("−"):]
	}
	if strings.Count(s, ",") == 1 && !strings.Contains(s, ".") {
		s = strings.Replace(s, ",", ".", 1)
	}
	v, err := strconv.ParseFloat(s, 64)
	return v, err == nil && !math.IsNaN(v) && !math.IsInf(v, 0)
}

// Text returns a value as a table would hold it: "" for none.
func Text(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return strings.TrimSpace(v)
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	}
	return fmt.Sprint(v)
}

// Set says what a column holds; an attribute keeps its name where none is given. It returns false where there is no
// such column.
func (m *Mapping) Set(column string, as Role, name string) bool {
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Column != column {
			continue
		}
		c.As = as
		switch {
		case as != Attribute:
			c.Name, c.Type = "", ""
		case name != "":
			c.Name = name
		case c.Name == "":
			c.Name = attributeName(column, map[string]bool{})
		}
		if as == Attribute && c.Type == "" && !feature.IsMember(c.Name) {
			c.Type = feature.TextType
		}
		return true
	}
	return false
}
