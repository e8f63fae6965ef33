package rows

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"viandante/core/tabular"
)

// table reads rows with a separator between their values (RFC 4180, and what spreadsheets make of it).
type table struct {
	r       *csv.Reader
	guard   *guard
	columns []string
	first   []string // a first row that is none of titles
	line    int      // where it began
	done    bool
}

// mostColumns bounds how many columns a table has.
const mostColumns = 500

func newTable(in io.Reader, g *guard, f Format, sample []byte, headless bool) (*table, error) {
	t := &table{r: csv.NewReader(in), guard: g}
	t.r.Comma = '\t'
	if f == CSV {
		t.r.Comma = separatorOf(sample)
	}
	t.r.FieldsPerRecord = -1
	t.r.ReuseRecord = false
	g.row()
	head, err := t.r.Read()
	switch {
	case errors.Is(err, io.EOF):
		return nil, &Error{"the file is empty", "a line of titles, and a row for each place"}
	case errors.Is(err, errTooLong):
		return nil, &Error{"its first line has no end", "a quote that opens there is never closed"}
	case err != nil:
		return nil, &Error{"its first line cannot be read: " + plain(err),
			"a line of titles, separated by commas or tabs"}
	case len(head) > mostColumns:
		return nil, &Error{fmt.Sprintf("it has %d columns", len(head)), fmt.Sprintf("at most %d", mostColumns)}
	}
	if headless || !isHead(head) {
		t.first, t.line = head, 1
		for i := range head {
			t.columns = append(t.columns, "column "+strconv.Itoa(i+1))
		}
		return t, nil
	}
	seen := map[string]int{}
	for i, name := range head {
		name = strings.TrimSpace(strings.ToValidUTF8(name, "�"))
		if name == "" {
			name = "column " + strconv.Itoa(i+1)
		}
		if seen[name]++; seen[name] > 1 {
			name += " (" + strconv.Itoa(seen[name]) + ")"
		}
		t.columns = append(t.columns, name)
	}
	return t, nil
}

// isHead tells that a first row is one of titles: none of its values is a number or a position.
func isHead(row []string) bool {
	for _, v := range row {
		v = strings.TrimSpace(v)
		if v == "" {
			continue
		}
		if strings.Trim(v, "-−+0123456789.,°'\"NSEW ") == "" && strings.ContainsAny(v, "0123456789") {
			return false
		}
	}
	return true
}

// separatorOf returns what stands most evenly in the first lines.
func separatorOf(sample []byte) rune {
	best, most := ',', 0
	for _, c := range []rune{',', ';', '\t', '|'} {
		least := -1
		for i, line := range bytes.SplitN(sample, []byte("\n"), 12) {
			if i == 11 || i > 0 && len(bytes.TrimSpace(line)) == 0 {
				break
			}
			if n := bytes.Count(line, []byte(string(c))); least < 0 || n < least {
				least = n
			}
		}
		if least > most {
			best, most = c, least
		}
	}
	if most > 0 {
		return best
	}
	first, _, _ := bytes.Cut(sample, []byte("\n"))
	for _, c := range []rune{';', '\t', '|', ','} {
		if bytes.ContainsRune(first, c) {
			return c
		}
	}
	return ','
}

func (t *table) Columns() []string { return t.columns }

func (t *table) Next() (tabular.Row, error) {
	for {
		record, line := t.first, t.line
		if t.first = nil; record == nil {
			if t.done {
				return tabular.Row{}, io.EOF
			}
			t.guard.row()
			var err error
			record, err = t.r.Read()
			if errors.Is(err, io.EOF) {
				return tabular.Row{}, io.EOF
			}
			if wrong, isRow, end := t.wrong(err); end != nil {
				return tabular.Row{}, end
			} else if isRow {
				return wrong, nil
			}
			line, _ = t.r.FieldPos(0)
		}
		row := tabular.Row{Line: line, Values: make(map[string]any, len(record))}
		empty := true
		for i, v := range record {
			if v != "" {
				empty = empty && strings.TrimSpace(v) == ""
			}
			if i < len(t.columns) {
				row.Values[t.columns[i]] = v
			}
		}
		if empty {
			continue
		}
		if extra := len(record) - len(t.columns); extra > 0 && strings.Join(record[len(t.columns):], "") != "" {
			row.Wrong = &tabular.Problem{Line: line, Value: record[len(t.columns)],
				Reason: fmt.Sprintf("has %d values more than there are titles", extra),
				Hint:   "put a value that holds the separator between quotes"}
		}
		return row, nil
	}
}

// wrong makes of an error of the reader a row that says so, or the end.
func (t *table) wrong(err error) (row tabular.Row, isRow bool, end error) {
	var pe *csv.ParseError
	switch {
	case err == nil:
		return row, false, nil
	case errors.Is(err, errTooLong):
		t.done = true
		line, _ := t.r.FieldPos(0)
		row.Line = line
		row.Wrong = &tabular.Problem{Line: line, Reason: "has no end within 4 MB: a quote that opens hereabouts is " +
			"never closed; nothing after it was read", Hint: `close it, or write a quote within a value as ""`}
		return row, true, nil
	case errors.As(err, &pe):
		hint := `put the whole value between quotes, and write a quote within it as ""`
		if errors.Is(pe.Err, csv.ErrQuote) {
			hint = `a quote that opens is closed right before the separator; within a value it is written ""`
		}
		row.Line = pe.StartLine
		row.Wrong = &tabular.Problem{Line: pe.StartLine, Reason: "has a quote that is out of place (" + pe.Err.Error() +
			")",
			Hint: hint}
		return row, true, nil
	}
	return row, false, err
}

// plain is what an error of package csv says.
func plain(err error) string {
	var pe *csv.ParseError
	if errors.As(err, &pe) {
		return pe.Err.Error()
	}
	return err.Error()
}
