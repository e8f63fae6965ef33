package store

import (
	"context"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
)

// A backup has each table as lines of JSON, an object a row: numbers as numbers, texts and times as texts, bytes as
// hexadecimal digits behind "0x", NULL as null.

// Table is a table of the database, with the type of each of its columns.
type Table struct {
	Name    string   `json:"name"`
	Columns []Column `json:"columns"`
}

// Column is a column of a table.
type Column struct {
	Name string `db:"column_name" json:"name"`
	Type string `db:"data_type"   json:"type"`
}

func (c Column) isBinary() bool {
	return strings.Contains(c.Type, "binary") || strings.Contains(c.Type, "blob")
}

func (c Column) isNumber() bool {
	switch c.Type {
	case "int", "tinyint", "smallint", "mediumint", "bigint", "double", "float", "decimal":
		return true
	}
	return false
}

// Snapshot reads all tables as they were at one moment, while others write.
type Snapshot struct {
	conn   *sqlx.Conn
	Tables []Table
	// Schema is the version of the tables.
	Schema int64
}

// schemaTable is where goose keeps the version of the tables; it is no part of a backup.
const schemaTable = "goose_db_version"

// Snapshot begins to read. Close it.
func (s *Store) Snapshot(ctx context.Context) (*Snapshot, error) {
	conn, err := s.db.Connx(ctx)
	if err != nil {
		return nil, err
	}
	out := &Snapshot{conn: conn}
	_, err = conn.ExecContext(ctx, `SET TRANSACTION ISOLATION LEVEL REPEATABLE READ;
		START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY`)
	if err == nil {
		out.Tables, err = tables(ctx, conn)
	}
	if err == nil {
		err = conn.GetContext(ctx, &out.Schema, `SELECT MAX(version_id) FROM `+schemaTable+` WHERE is_applied`)
	}
	if err != nil {
		return nil, errors.Join(err, conn.Close())
	}
	return out, nil
}

func tables(ctx context.Context, conn *sqlx.Conn) ([]Table, error) {
	var rows []struct {
		Table string `db:"table_name"`
		Column
	}
	err := conn.SelectContext(ctx, &rows, `SELECT table_name AS table_name, column_name AS column_name,
		data_type AS data_type FROM information_schema.columns WHERE table_schema = DATABASE()
		ORDER BY table_name, ordinal_position`)
	var out []Table
	for _, r := range rows {
		if r.Table == schemaTable {
			continue
		}
		if n := len(out); n == 0 || out[n-1].Name != r.Table {
			out = append(out, Table{Name: r.Table})
		}
		t := &out[len(out)-1]
		t.Columns = append(t.Columns, r.Column)
	}
	return out, err
}

// Close ends the reading.
func (s *Snapshot) Close() error {
	_, err := s.conn.ExecContext(context.Background(), `ROLLBACK`)
	return errors.Join(err, s.conn.Close())
}

func (t *Table) columns() string {
	var out []string
	for _, c := range t.Columns {
		out = append(out, "`"+c.Name+"`")
	}
	return strings.Join(out, ", ")
}

// Write writes a table's rows, and returns how many there are.
func (s *Snapshot) Write(ctx context.Context, t *Table, w io.Writer) (n int, err error) {
	rows, err := s.conn.QueryxContext(ctx, "SELECT "+t.columns()+" FROM `"+t.Name+"`")
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	raw := make([]sql.RawBytes, len(t.Columns))
	into := make([]any, len(raw))
	for i := range raw {
		into[i] = &raw[i]
	}
	var line []byte
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return n, err
		}
		line = append(line[:0], '{')
		for i, c := range t.Columns {
			if i > 0 {
				line = append(line, ',')
			}
			line = append(strconv.AppendQuote(line, c.Name), ':')
			switch {
			case raw[i] == nil:
				line = append(line, "null"...)
			case c.isNumber():
				line = append(line, raw[i]...)
			case c.isBinary():
				line = append(hex.AppendEncode(append(line, `"0x`...), raw[i]), '"')
			default:
				text, err := json.Marshal(string(raw[i]))
				if err != nil {
					return n, err
				}
				line = append(line, text...)
			}
		}
		n++
		if _, err := w.Write(append(line, '}', '\n')); err != nil {
			return n, err
		}
	}
	return n, rows.Err()
}

// Restore puts the rows of a backup in the place of all that is there, in one transaction: all of it, or nothing.
// Whoever follows the change log begins anew. open yields a table's rows, one by one until io.EOF.
func (s *Store) Restore(
	ctx context.Context, schema int64, list []Table, open func(table string) (io.ReadCloser, error),
) error {
	conn, err := s.db.Connx(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	have, err := tables(ctx, conn)
	if err != nil {
		return err
	}
	var now int64
	if err := conn.GetContext(ctx, &now, `SELECT MAX(version_id) FROM `+schemaTable+` WHERE is_applied`); err != nil {
		return err
	}
	if schema != now {
		return fmt.Errorf("the backup has tables of version %d, and this program those of version %d: restore it with "+
			"the program that made it, and start this one on that", schema, now)
	}
	was, err := s.Counters(ctx)
	if err != nil {
		return err
	}
	if _, err := conn.ExecContext(ctx, `START TRANSACTION`); err != nil {
		return err
	}
	err = s.restore(ctx, conn, have, list, open)
	for id, c := range was {
		if err == nil {
			_, err = conn.ExecContext(ctx, `UPDATE workspaces SET change_no = GREATEST(change_no, ?) + 1, era = ?
				WHERE id = ?`,
				c.No, c.Era+1, id[:])
		}
	}
	if err == nil {
		_, err = conn.ExecContext(ctx, `COMMIT`)
	}
	if err != nil {
		rollBack(ctx, conn)
	}
	return err
}

func (s *Store) restore(
	ctx context.Context, conn *sqlx.Conn, have, list []Table, open func(table string) (io.ReadCloser, error),
) error {
	for _, t := range have {
		if _, err := conn.ExecContext(ctx, "DELETE FROM `"+t.Name+"`"); err != nil {
			return err
		}
	}
	for i := range list {
		t := &list[i]
		k := slices.IndexFunc(have, func(h Table) bool { return h.Name == t.Name })
		if k < 0 || !slices.Equal(have[k].Columns, t.Columns) {
			return fmt.Errorf("the table %s of the backup is not as this program has it", t.Name)
		}
		if err := s.restoreTable(ctx, conn, &have[k], open); err != nil {
			return fmt.Errorf("table %s: %w", t.Name, err)
		}
	}
	return nil
}

func (s *Store) restoreTable(
	ctx context.Context, conn *sqlx.Conn, t *Table, open func(table string) (io.ReadCloser, error),
) error {
	in, err := open(t.Name)
	if err != nil {
		return err
	}
	defer in.Close()
	d := json.NewDecoder(in)
	d.UseNumber()
	one := "(" + values(len(t.Columns), "?") + ")"
	var args []any
	rows, size := 0, 0
	send := func() error {
		if rows == 0 {
			return nil
		}
		_, err := conn.ExecContext(ctx, "INSERT INTO `"+t.Name+"` ("+t.columns()+") VALUES "+values(rows, one), args...)
		args, rows, size = args[:0], 0, 0
		return err
	}
	for {
		var row map[string]any
		err := d.Decode(&row)
		if errors.Is(err, io.EOF) {
			return send()
		} else if err != nil {
			return err
		}
		for _, c := range t.Columns {
			v, n, err := valueOf(c, row[c.Name])
			if err != nil {
				return err
			}
			args, size = append(args, v), size+n
		}
		if rows++; rows >= together || size > exchanged {
			if err := send(); err != nil {
				return err
			}
		}
	}
}

func valueOf(c Column, v any) (any, int, error) {
	switch v := v.(type) {
	case nil:
		return nil, 4, nil
	case json.Number:
		return v.String(), len(v), nil
	case string:
		if c.Type == "datetime" || c.Type == "date" {
			at, err := time.Parse(time.RFC3339Nano, v)
			return at.UTC().Format("2006-01-02 15:04:05.999999"), len(v), err
		}
		if !c.isBinary() {
			return v, len(v), nil
		}
		b, err := hex.DecodeString(strings.TrimPrefix(v, "0x"))
		return b, 2 * len(b), err
	}
	return nil, 0, fmt.Errorf("the column %s has a value that no backup has", c.Name)
}
