package pasted

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"viandante/core/geo"
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
