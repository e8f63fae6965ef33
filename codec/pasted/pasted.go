// Package pasted reads what somebody's own program printed: a table with any separator and order of columns, JSON, or
// lines of numbers and words. It finds out which column is what, and says of a line that cannot be compared why.
package pasted

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math"
	"strconv"
	"strings"
	"unicode/utf8"

	"viandante/core/geo"
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
