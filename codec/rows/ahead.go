package rows

import (
	"encoding/csv"
	"errors"
	"io"
	"maps"
	"slices"
	"strconv"

	"viandante/core/tabular"
)

// Ahead is a reader whose first rows were looked at; it yields them, too.
type Ahead struct {
	// Sample are the first rows.
	Sample  []tabular.Row
	r       Reader
	columns []string
	next    int
	end     error
}

// LookAhead reads some rows to find out what the columns hold. The error is one by which the file cannot be read at
// all.
func LookAhead(r Reader, most int) (*Ahead, error) {
	a := &Ahead{r: r, columns: r.Columns()}
	for len(a.Sample) < most {
		row, err := r.Next()
		if err != nil {
			a.end = err
			break
		}
		a.Sample = append(a.Sample, row)
	}
	if len(a.Sample) == 0 {
		if errors.Is(a.end, io.EOF) {
			return nil, &Error{"the file has no rows", "a row below the titles, or a feature"}
		}
		return nil, a.end
	}
	if a.columns == nil {
		seen := map[string]any{}
		for _, row := range a.Sample {
			maps.Copy(seen, row.Values)
		}
		a.columns = slices.Sorted(maps.Keys(seen))
	}
	return a, nil
}

// Columns are those of the table, or the properties that the first features have.
func (a *Ahead) Columns() []string { return a.columns }

// Next returns the next row, those that were looked at first.
func (a *Ahead) Next() (tabular.Row, error) {
	if a.next < len(a.Sample) {
		a.next++
		return a.Sample[a.next-1], nil
	}
	if a.end != nil {
		return tabular.Row{}, a.end
	}
	return a.r.Next()
}

// RefusedWriter writes rows that could not be taken as a CSV: what is wrong with each, and its values as they came, so
// that they can be mended there and taken in.
type RefusedWriter struct {
	w       *csv.Writer
	columns []string
}

// NewRefusedWriter begins such a file.
func NewRefusedWriter(w io.Writer, columns []string) (*RefusedWriter, error) {
	out := &RefusedWriter{csv.NewWriter(w), columns}
	return out, out.w.Write(append(slices.Clone(tabular.Refusal), columns...))
}

// Write writes a row.
func (r *RefusedWriter) Write(p tabular.Problem, values map[string]any) error {
	row := []string{strconv.Itoa(p.Line), p.Column, p.Reason, p.Hint}
	for _, name := range r.columns {
		row = append(row, cell(values[name]))
	}
	return r.w.Write(row)
}

// Close ends the file; it does not close what it was written to.
func (r *RefusedWriter) Close() error {
	r.w.Flush()
	return r.w.Error()
}
