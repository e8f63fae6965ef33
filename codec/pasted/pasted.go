// Package pasted reads what somebody's own program printed: a table with any separator and order of columns, JSON, or
// lines of numbers and words. It finds out which column is what, and says of a line that cannot be compared why.
package pasted

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"viandante/core/geo"
	"viandante/core/geodesy"
	"viandante/core/proof"
)

// Role is what a column of a pasted table holds.
type Role string

// The roles of columns.
const (
	Ignored  Role = "ignored"
	ID       Role = "id"
	FromLat  Role = "from_lat"
	FromLng  Role = "from_lng"
	ToLat    Role = "to_lat"
	ToLng    Role = "to_lng"
	Distance Role = "distance"
	Bearing  Role = "bearing"
)

// Roles are all of them.
var Roles = []Role{Ignored, ID, FromLat, FromLng, ToLat, ToLng, Distance, Bearing}

// Problem is why a line cannot be compared, and what would be right.
type Problem struct {
	Line                        int
	Column, Value, Reason, Hint string
}

// Paste is what is to be read.
type Paste struct {
	Text string
	// Points are the test points that the numbers belong to, where there are any; From is the standpoint otherwise.
	Points []proof.Point
	From   geo.Point
	// UnitM is how many metres the unit of distances is, where neither a column nor a number says another.
	UnitM float64
	// Columns are the roles of the columns, where they were chosen; they are guessed otherwise.
	Columns []Role
}

// Table is how a pasted text was understood.
type Table struct {
	// Titles are those of the columns, or what the first row holds; Columns their roles.
	Titles  []string
	Columns []Role
	Lines   []proof.Line
	// Problems are the first of those that were found, Refused how many lines have one.
	Problems []Problem
	Refused  int
}

// Limits of what is pasted.
const (
	MostLines    = 100_000
	mostProblems = 100
	mostColumns  = 24
)

// cell is a value of a table: a number with its unit and what its last digit is worth, or only text.
type cell struct {
	text   string
	number float64 // NaN for text
	step   float64
	unit   string
}

var cellPattern = regexp.MustCompile(`^[<(\["']*([-+−]?(?:\d[\d ’']*)?(?:[.,]\d+)?)(?:[eE]([-+]?\d{1,3}))?\s*` +
	`(km|kilometres|kilometers|nmi|nm|mi|miles|ft|feet|yd|m|metres|meters|°|º|deg|degrees|rad)?[>)\]"']*$`)

// readCell reads a number with a point or, where they are used so, a comma.
func readCell(text string, commas bool) cell {
	c := cell{text: strings.TrimSpace(text), number: math.NaN()}
	m := cellPattern.FindStringSubmatch(c.text)
	if m == nil || m[1] == "" || !strings.ContainsAny(m[1], "0123456789") {
		return c
	}
	digits := strings.NewReplacer("−", "-", " ", "", "\u202f", "", "’", "", "'", "").Replace(m[1])
	if strings.Contains(digits, ",") {
		if !commas {
			return c
		}
		digits = strings.Replace(digits, ",", ".", 1)
	}
	decimals := 0
	if _, after, ok := strings.Cut(digits, "."); ok {
		decimals = len(after)
	}
	exponent := 0
	if m[2] != "" {
		exponent, _ = strconv.Atoi(m[2])
		digits += "e" + m[2]
	}
	v, err := strconv.ParseFloat(digits, 64)
	if err != nil || math.IsInf(v, 0) {
		return c
	}
	c.number, c.step, c.unit = v, math.Pow(10, float64(exponent-min(decimals, 18))), m[3]
	return c
}

// metresOf is how many metres a unit of a cell or a title is, 0 for none of length.
func metresOf(unit string) float64 {
	switch unit {
	case "m", "metres", "meters":
		return 1
	case "km", "kilometres", "kilometers":
		return 1000
	case "mi", "miles":
		return 1609.344
	case "nmi", "nm":
		return 1852
	case "ft", "feet":
		return 0.3048
	case "yd":
		return 0.9144
	}
	return 0
}

// grid is a text as cells.
type grid struct {
	titles []string // nil for none
	rows   [][]cell
	lines  []int // of the text, from 1
}

// Read understands a text: a table with any separator and order of columns, JSON, or lines with numbers and words. The
// error is a *geo.ParseError.
func Read(p Paste) (*Table, error) {
	text := strings.TrimPrefix(p.Text, "\ufeff")
	switch {
	case strings.TrimSpace(text) == "":
		return nil, &geo.ParseError{Input: "", Reason: "is empty", Hint: "paste what your code printed, a line for " +
			"each point"}
	case !utf8.ValidString(text):
		return nil, &geo.ParseError{Input: "", Reason: "is not valid UTF-8",
			Hint: "save it as UTF-8 and paste it again"}
	}
	g, err := readGrid(text)
	if err != nil {
		return nil, err
	}
	width := 0
	for _, row := range g.rows {
		width = max(width, len(row))
	}
	if len(g.rows) > MostLines || width > mostColumns {
		return nil, &geo.ParseError{Input: fmt.Sprintf("%d lines, %d columns", len(g.rows), width),
			Reason: "is too large", Hint: fmt.Sprintf("at most %d lines and %d columns", MostLines, mostColumns)}
	}
	t := &Table{Titles: make([]string, width), Columns: make([]Role, width)}
	for i := range width {
		if t.Columns[i] = Ignored; i < len(g.titles) {
			t.Titles[i] = g.titles[i]
		} else if len(g.rows) > 0 && i < len(g.rows[0]) {
			t.Titles[i] = g.rows[0][i].text
		}
	}
	m := matcher{paste: p, grid: g, byID: map[string]int{}}
	for i := range p.Points {
		m.byID[strings.ToLower(p.Points[i].ID)] = i
		if name := strings.ToLower(p.Points[i].Name); name != "" {
			m.byID[name] = i
		}
	}
	if len(p.Columns) == width {
		copy(t.Columns, p.Columns)
	} else {
		m.guess(t.Columns)
	}
	m.lines(t)
	return t, nil
}

func readGrid(text string) (*grid, error) {
	trimmed := strings.TrimSpace(text)
	if trimmed[0] == '[' || trimmed[0] == '{' {
		if g, ok := readJSON(trimmed); ok {
			return g, nil
		}
	}
	g, err := readTable(text, separatorOf(text))
	if err == nil && g.numbers() < len(g.rows) { // sentences that have a comma in them
		g, err = readTable(text, ' ')
	}
	return g, err
}

// numbers is how many cells are numbers.
func (g *grid) numbers() int {
	n := 0
	for _, row := range g.rows {
		for _, c := range row {
			if !math.IsNaN(c.number) {
				n++
			}
		}
	}
	return n
}

func readTable(text string, separator rune) (*grid, error) {
	commas := separator != ',' && !regexp.MustCompile(`\d\.\d`).MatchString(text)
	g := &grid{}
	add := func(fields []string, line int) {
		row := make([]cell, 0, len(fields))
		for _, f := range fields {
			row = append(row, readCell(f, commas))
		}
		for len(row) > 0 && row[len(row)-1].text == "" {
			row = row[:len(row)-1]
		}
		if len(row) > 0 {
			g.rows, g.lines = append(g.rows, row), append(g.lines, line)
		}
	}
	if separator == ' ' {
		line := 0
		for l := range strings.Lines(text) {
			line++
			add(words(l), line)
		}
	} else {
		r := csv.NewReader(strings.NewReader(text))
		r.Comma, r.FieldsPerRecord, r.LazyQuotes, r.TrimLeadingSpace = separator, -1, true, true
		for {
			fields, err := r.Read()
			if err == io.EOF {
				break
			}
			if err != nil {
				return nil, &geo.ParseError{Input: "", Reason: err.Error(), Hint: "a quotation mark is open, perhaps"}
			}
			line, _ := r.FieldPos(0)
			add(fields, line)
		}
	}
	if len(g.rows) > 1 && isTitle(g.rows[0]) && !isTitle(g.rows[1]) {
		for _, c := range g.rows[0] {
			g.titles = append(g.titles, c.text)
		}
		g.rows, g.lines = g.rows[1:], g.lines[1:]
	}
	return g, nil
}

// words splits a line of words and numbers: what belongs to a number stays with it, signs of equality fall away.
func words(line string) []string {
	line = strings.NewReplacer("=", " ", ": ", " ", "(", " ", ")", " ", ", ", " ", ",\n", " ").Replace(line)
	fields := strings.Fields(line)
	var out []string
	for _, f := range fields {
		if len(out) > 0 && (metresOf(f) != 0 || f == "°" || f == "deg" || f == "rad") &&
			!math.IsNaN(readCell(out[len(out)-1], true).number) {
			out[len(out)-1] += " " + f
			continue
		}
		out = append(out, strings.TrimRight(f, ",:"))
	}
	return out
}

func isTitle(row []cell) bool {
	for _, c := range row {
		if !math.IsNaN(c.number) {
			return false
		}
	}
	return true
}

// separatorOf is the one that cuts most lines into as many fields as the first lines.
func separatorOf(text string) rune {
	var head []string
	for l := range strings.Lines(text) {
		if strings.TrimSpace(l) != "" {
			if head = append(head, l); len(head) == 20 {
				break
			}
		}
	}
	decimalComma := regexp.MustCompile(`\d,\d`).MatchString(text) && !regexp.MustCompile(`\d\.\d`).MatchString(text)
	for _, s := range []rune{'\t', ';', '|', ','} {
		if s == ',' && decimalComma && strings.ContainsAny(strings.TrimSpace(head[0]), " ") {
			continue
		}
		n := strings.Count(head[0], string(s))
		same := 0
		for _, l := range head {
			if strings.Count(l, string(s)) == n {
				same++
			}
		}
		if n > 0 && same*4 >= len(head)*3 {
			return s
		}
	}
	return ' '
}

// readJSON reads an array of objects or arrays, or a line of JSON for each.
func readJSON(text string) (*grid, bool) {
	d := json.NewDecoder(strings.NewReader(text))
	d.UseNumber()
	var rows []any
	for {
		var v any
		if err := d.Decode(&v); err == io.EOF {
			break
		} else if err != nil {
			return nil, false
		}
		if list, ok := v.([]any); ok && len(list) > 0 && isRow(list[0]) {
			rows = append(rows, list...)
		} else {
			rows = append(rows, v)
		}
	}
	g := &grid{}
	columns := map[string]int{}
	for i, row := range rows {
		var out []cell
		put := func(name string, v any) {
			at, ok := columns[name]
			if !ok {
				at = len(columns)
				columns[name] = at
				g.titles = append(g.titles, name)
			}
			for len(out) <= at {
				out = append(out, cell{number: math.NaN()})
			}
			if v != nil {
				out[at] = readCell(fmt.Sprint(v), false)
			}
		}
		flatten("", row, put)
		g.rows, g.lines = append(g.rows, out), append(g.lines, i+1)
	}
	return g, len(g.rows) > 0
}

func isRow(v any) bool {
	switch v.(type) {
	case map[string]any, []any:
		return true
	}
	return false
}

// flatten puts the members of a row under their names; a pair of numbers is a position as GeoJSON has it.
func flatten(name string, v any, put func(name string, v any)) {
	switch v := v.(type) {
	case map[string]any:
		names := make([]string, 0, len(v))
		for k := range v {
			names = append(names, k)
		}
		slices.Sort(names)
		for _, k := range names {
			flatten(strings.TrimPrefix(name+"_"+k, "_"), v[k], put)
		}
	case []any:
		for i, one := range v {
			k := strconv.Itoa(i + 1)
			if name != "" && len(v) == 2 {
				k = []string{"lng", "lat"}[i]
			}
			flatten(strings.TrimPrefix(name+"_"+k, "_"), one, put)
		}
	default:
		put(name, v)
	}
}

// matcher finds out what columns hold.
type matcher struct {
	paste Paste
	grid  *grid
	byID  map[string]int
}

var titlePatterns = []struct {
	role    Role
	pattern *regexp.Regexp
}{
	{FromLat, regexp.MustCompile(`^(from|start|origin|a)?[ _.]*(lat|latitude|phi|φ)[ _]*(1|a|from)$|` +
		`^(from|start|origin)[ _.]*lat`)},
	{FromLng, regexp.MustCompile(`^(from|start|origin|a)?[ _.]*(lng|lon|long|longitude|lambda|λ)[ _]*(1|a|from)$|` +
		`^(from|start|origin)[ _.]*(lng|lon)`)},
	{ToLat, regexp.MustCompile(`^(to|end|target|dest\w*|b)?[ _.]*(lat|latitude|phi|φ)[ _]*(2|b|to)?$|` +
		`(^|_)lat(itude)?$`)},
	{ToLng, regexp.MustCompile(`^(to|end|target|dest\w*|b)?[ _.]*(lng|lon|long|longitude|lambda|λ)[ _]*(2|b|to)?$|` +
		`(^|_)(lng|lon|longitude)$`)},
	{Distance, regexp.MustCompile(`dist|^d$|length|^s12$|metres|meters`)},
	{Bearing, regexp.MustCompile(`bear|brg|azim|^azi|head|course|direction|^b$|angle`)},
	{ID, regexp.MustCompile(`^(id|name|point|key|case|label|no|nr|#)$`)},
}

// guess gives each column a role: by its title, by what the test points say, or by what fits.
func (m *matcher) guess(columns []Role) {
	given := func(r Role) bool { return slices.Contains(columns, r) }
	for i, title := range m.grid.titles {
		name := strings.ToLower(strings.TrimSpace(title))
		if at := strings.IndexAny(name, "(["); at > 0 {
			name = strings.TrimSpace(name[:at])
		}
		for _, p := range titlePatterns {
			if p.pattern.MatchString(name) && !given(p.role) && !strings.Contains(name, "final") {
				columns[i] = p.role
				break
			}
		}
	}
	for i := range columns { // a column of ids or names of test points
		if columns[i] == Ignored && !given(ID) && m.share(i, func(c cell) bool {
			_, ok := m.byID[strings.ToLower(c.text)]
			return ok
		}) > 0.6 {
			columns[i] = ID
		}
	}
	var numeric []int
	for i := range columns {
		if columns[i] == Ignored && m.share(i, func(c cell) bool { return !math.IsNaN(c.number) }) > 0.6 {
			numeric = append(numeric, i)
		}
	}
	for _, i := range numeric { // a unit says what it is
		unit := ""
		for _, row := range m.grid.rows {
			if i < len(row) && row[i].unit != "" {
				unit = row[i].unit
				break
			}
		}
		switch {
		case metresOf(unit) != 0 && !given(Distance):
			columns[i] = Distance
		case unit != "" && metresOf(unit) == 0 && !given(Bearing):
			columns[i] = Bearing
		}
	}
	numeric = slices.DeleteFunc(numeric, func(i int) bool { return columns[i] != Ignored })
	m.fit(columns, numeric)
}

// share is which part of the rows have a cell of a kind in a column.
func (m *matcher) share(column int, is func(c cell) bool) float64 {
	n, all := 0, 0
	for i, row := range m.grid.rows {
		if i == 200 {
			break
		}
		all++
		if column < len(row) && is(row[column]) {
			n++
		}
	}
	return float64(n) / float64(max(all, 1))
}

// fit finds the roles of numbers without a title by which of them belong together: coordinates stand side by side,
// latitude first; a distance grows as the reference does.
func (m *matcher) fit(columns []Role, numeric []int) {
	given := func(r Role) bool { return slices.Contains(columns, r) }
	type choice struct {
		roles []Role
		score float64
	}
	best := choice{score: math.Inf(-1)}
	try := func(roles []Role) {
		for _, order := range [][2]Role{{Distance, Bearing}, {Bearing, Distance}, {Distance, Ignored}, {Bearing,
			Ignored}} {
			own := slices.Clone(roles)
			want := make([]Role, 0, 2)
			for _, r := range order {
				if r != Ignored && !given(r) {
					want = append(want, r)
				}
			}
			for _, i := range numeric {
				if own[i] == Ignored && len(want) > 0 {
					own[i], want = want[0], want[1:]
				}
			}
			score := m.score(own) - 3*float64(len(want))
			if order[1] == Ignored {
				score -= 0.5
			}
			if score > best.score+1e-9 {
				best = choice{own, score}
			}
		}
	}
	try(columns)
	pairs := func(roles []Role, lat, lng Role, next func([]Role)) {
		if slices.Contains(roles, lat) || slices.Contains(roles, lng) {
			next(roles)
			return
		}
		for k := 0; k+1 < len(numeric); k++ {
			i, j := numeric[k], numeric[k+1]
			if j != i+1 || roles[i] != Ignored || roles[j] != Ignored {
				continue
			}
			own := slices.Clone(roles)
			own[i], own[j] = lat, lng
			next(own)
		}
	}
	pairs(columns, ToLat, ToLng, func(roles []Role) {
		try(roles)
		pairs(roles, FromLat, FromLng, try)
	})
	if best.roles != nil {
		copy(columns, best.roles)
	}
}

// score tells how well roles fit, on some of the rows: lines that can be compared, distances that grow with the
// reference, bearings within a turn.
func (m *matcher) score(columns []Role) float64 {
	t := &Table{Titles: make([]string, len(columns)), Columns: columns}
	some := *m.grid
	if len(some.rows) > 60 {
		some.rows, some.lines = some.rows[:60], some.lines[:60]
	}
	(&matcher{m.paste, &some, m.byID}).lines(t)
	if len(t.Lines) == 0 {
		return -10
	}
	sum := 0.0
	var reference, printed []float64
	for i := range t.Lines {
		l := &t.Lines[i]
		c := proof.Compare(geodesy.Ellipsoid, *l)
		if !math.IsNaN(l.DistanceM) && l.DistanceM >= 0 && c.Reference.DistanceM > 0 {
			reference, printed = append(reference, c.Reference.DistanceM), append(printed, l.DistanceM)
		} else if l.DistanceM < 0 {
			sum -= 2
		}
		if !math.IsNaN(l.BearingDeg) && (l.BearingDeg < -180-1e-9 || l.BearingDeg > 360) {
			sum -= 2
		}
		if c.DistanceOK && !math.IsNaN(l.DistanceM) {
			sum++
		}
		if c.BearingOK && !math.IsNaN(c.BearingOffDeg) {
			sum++
		}
	}
	share := float64(len(t.Lines)) / float64(len(some.rows))
	return sum/float64(len(t.Lines)) + 2*rankCorrelation(reference, printed) + 2*share
}

// rankCorrelation is Spearman's (1904), 0 for what does not vary.
func rankCorrelation(a, b []float64) float64 {
	ranks := func(v []float64) []float64 {
		order := make([]int, len(v))
		for i := range order {
			order[i] = i
		}
		slices.SortStableFunc(order, func(i, k int) int {
			if v[i] < v[k] {
				return -1
			} else if v[i] > v[k] {
				return 1
			}
			return 0
		})
		out := make([]float64, len(v))
		for from := 0; from < len(order); {
			to := from
			for to < len(order) && v[order[to]] == v[order[from]] {
				to++
			}
			for _, i := range order[from:to] {
				out[i] = float64(from+to-1) / 2
			}
			from = to
		}
		return out
	}
	ra, rb := ranks(a), ranks(b)
	mean := float64(len(a)-1) / 2
	var ab, aa, bb float64
	for i := range ra {
		ab, aa, bb = ab+(ra[i]-mean)*(rb[i]-mean), aa+(ra[i]-mean)*(ra[i]-mean), bb+(rb[i]-mean)*(rb[i]-mean)
	}
	if aa == 0 || bb == 0 {
		return 0
	}
	return ab / math.Sqrt(aa*bb)
}

// lines makes lines of the rows by the columns' roles.
func (m *matcher) lines(t *Table) {
	at := map[Role]int{}
	for i, r := range t.Columns {
		if _, there := at[r]; !there {
			at[r] = i
		}
	}
	titleUnit := 0.0
	if i, ok := at[Distance]; ok && i < len(m.grid.titles) {
		titleUnit = titleUnitOf(m.grid.titles[i])
	}
	inOrder := len(m.paste.Points) > 0 && len(m.paste.Points) == len(m.grid.rows)
	for n, row := range m.grid.rows {
		l := proof.Line{Number: m.grid.lines[n], From: m.paste.From, DistanceM: math.NaN(), BearingDeg: math.NaN()}
		problem := func(role Role, value, reason, hint string) {
			t.Refused++
			if len(t.Problems) < mostProblems {
				title := string(role)
				if i, ok := at[role]; ok && t.Titles[i] != "" && m.grid.titles != nil {
					title = t.Titles[i]
				}
				t.Problems = append(t.Problems, Problem{l.Number, title, value, reason, hint})
			}
		}
		get := func(role Role) (cell, bool) {
			i, ok := at[role]
			if !ok || i >= len(row) || row[i].text == "" {
				return cell{number: math.NaN()}, false
			}
			return row[i], true
		}
		if c, ok := get(ID); ok {
			l.ID = c.text
			if i, known := m.byID[strings.ToLower(c.text)]; known {
				p := &m.paste.Points[i]
				l.ID, l.From, l.To = p.ID, p.From, p.To
			}
		}
		bad := false
		for _, end := range []struct {
			lat, lng Role
			into     *geo.Point
		}{{FromLat, FromLng, &l.From}, {ToLat, ToLng, &l.To}} {
			lat, okLat := get(end.lat)
			lng, okLng := get(end.lng)
			if !okLat || !okLng || end.into.IsValid() && end.into == &l.To {
				continue
			}
			p, err := geo.NewPoint(lat.number, lng.number)
			if err != nil {
				e, _ := err.(*geo.ParseError)
				problem(end.lat, lat.text+", "+lng.text, e.Reason, e.Hint)
				bad = true
				break
			}
			*end.into = p
		}
		if bad {
			continue
		}
		if !l.To.IsValid() && inOrder {
			p := &m.paste.Points[n]
			l.ID, l.From, l.To = p.ID, p.From, p.To
		}
		if !l.From.IsValid() || !l.To.IsValid() {
			problem(ID, l.ID, "belongs to no test point", "begin the line with the point's id, or give its coordinates")
			continue
		}
		if c, ok := get(Distance); ok {
			factor := metresOf(c.unit)
			if factor == 0 {
				factor = titleUnit
			}
			if factor == 0 {
				factor = max(m.paste.UnitM, 0)
			}
			if factor == 0 {
				factor = 1
			}
			if math.IsNaN(c.number) && !undefined(c.text) {
				problem(Distance, c.text, "is not a number", "a distance, e.g. 1234.5")
				continue
			}
			l.DistanceM, l.DistanceStepM = c.number*factor, c.step*factor
		}
		if c, ok := get(Bearing); ok {
			if math.IsNaN(c.number) && !undefined(c.text) {
				problem(Bearing, c.text, "is not a number", "degrees, e.g. 45.25")
				continue
			}
			if l.BearingDeg, l.BearingStepDeg = c.number, c.step; c.unit == "rad" {
				l.BearingDeg, l.BearingStepDeg = c.number*180/math.Pi, c.step*180/math.Pi
			}
		}
		if math.IsNaN(l.DistanceM) && math.IsNaN(l.BearingDeg) {
			problem(Distance, "", "has neither a distance nor a bearing", "")
			continue
		}
		t.Lines = append(t.Lines, l)
	}
}

// undefined tells that a text stands for no value, as programs print it.
func undefined(text string) bool {
	return slices.Contains([]string{"nan", "null", "none", "nil", "-", "—", "undefined", "n/a"}, strings.ToLower(text))
}

// titleUnitOf reads the unit of a title: "distance (km)", "dist_km", "distanceKm".
func titleUnitOf(title string) float64 {
	fields := strings.FieldsFunc(title, func(r rune) bool { return strings.ContainsRune(" _()[],.-/", r) })
	if len(fields) == 0 {
		return 0
	}
	last := fields[len(fields)-1]
	if f := metresOf(strings.ToLower(last)); f != 0 {
		return f
	}
	for _, unit := range []string{"Km", "Metres", "Meters", "Miles"} {
		if strings.HasSuffix(last, unit) {
			return metresOf(strings.ToLower(unit))
		}
	}
	return 0
}

// CSV writes test points as a table.
func CSV(points []proof.Point) []byte {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	number := func(v float64, decimals int) string {
		if math.IsNaN(v) {
			return ""
		}
		return strconv.FormatFloat(v, 'f', decimals, 64)
	}
	rows := [][]string{{"id", "name", "from_lat", "from_lng", "to_lat", "to_lng", "distance_m", "bearing_deg",
		"final_bearing_deg"}}
	for _, p := range points {
		rows = append(rows, []string{p.ID, p.Name, number(p.From.Lat(), 7), number(p.From.Lng(), 7),
			number(p.To.Lat(), 7), number(p.To.Lng(), 7), number(p.DistanceM, 4), number(p.InitialDeg, 9),
			number(p.FinalDeg, 9)})
	}
	if w.WriteAll(rows) != nil {
		return nil // it never fails in memory
	}
	return b.Bytes()
}
