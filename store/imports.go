package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
	"viandante/core/tabular"
)

// What an import may have come to.
const (
	ImportRunning = "running"
	ImportDone    = "done"
	// ImportStopped is one that was stopped before its end; ImportFailed one that could not go on.
	ImportStopped = "stopped"
	ImportFailed  = "failed"
	ImportUndone  = "undone"
)

// Import is a file that was taken into a collection.
type Import struct {
	ID         uuid.UUID `db:"id"         json:"id"`
	Collection string    `db:"collection" json:"collection"`
	File       string    `db:"file"       json:"file"`
	Format     string    `db:"format"     json:"format"`
	State      string    `db:"state"      json:"state"`
	Actor      string    `db:"actor"      json:"actor"`
	// Taken rows were created, updated or left unchanged; Refused ones could not be taken.
	Taken     int `db:"taken"     json:"taken"`
	Created   int `db:"created"   json:"created"`
	Updated   int `db:"updated"   json:"updated"`
	Unchanged int `db:"unchanged" json:"unchanged"`
	Refused   int `db:"refused"   json:"refused"`
	// Changes are the numbers of the changes that it is made of, as ranges.
	Changes   Ranges    `db:"changes"    json:"changes"`
	StartedAt time.Time `db:"started_at" json:"started_at"`
	// Stamp is when it went on last.
	Stamp time.Time `db:"stamp" json:"updated_at"`
}

// Ranges are numbers of changes, ascending, each range with both its ends.
type Ranges [][2]uint64

// With returns the ranges with a number beyond all of them.
func (r Ranges) With(no uint64) Ranges {
	if n := len(r); n > 0 && r[n-1][1]+1 == no {
		out := append(Ranges{}, r...)
		out[n-1][1] = no
		return out
	}
	return append(append(Ranges{}, r...), [2]uint64{no, no})
}

// Has tells whether a number is in one of them.
func (r Ranges) Has(no uint64) bool {
	for _, one := range r {
		if one[0] <= no && no <= one[1] {
			return true
		}
	}
	return false
}

// Scan reads ranges as the table has them.
func (r *Ranges) Scan(v any) error {
	text, _ := v.([]byte)
	*r = nil
	return json.Unmarshal(text, r)
}

func (r Ranges) text() string {
	if r == nil {
		return "[]"
	}
	text, _ := json.Marshal(r) // numbers always marshal
	return string(text)
}

// RefusedRow is a row that could not be taken.
type RefusedRow struct {
	Problem tabular.Problem
	Values  map[string]any
}

const importColumns = `id, collection, file, format, state, actor, taken, created, updated, unchanged, refused, changes,
	started_at, stamp`

// Imports returns what was taken in last, newest first.
func (s *Store) Imports(ctx context.Context, workspace uuid.UUID, limit int) ([]Import, error) {
	out := []Import{}
	err := s.all(ctx, &out, `SELECT `+importColumns+` FROM imports WHERE workspace = ?
		ORDER BY started_at DESC, id DESC LIMIT ?`, workspace[:], limit)
	return out, err
}

// Import returns one; ErrNotFound where there is none.
func (s *Store) Import(ctx context.Context, workspace, id uuid.UUID) (Import, error) {
	var out Import
	err := s.get(ctx, &out, `SELECT `+importColumns+` FROM imports WHERE workspace = ? AND id = ?`, workspace[:], id[:])
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return out, err
}

// AddImport notes an import that begins; false where one with its id has begun before.
func (s *Store) AddImport(ctx context.Context, workspace uuid.UUID, i Import) (bool, error) {
	added := int64(0)
	err := s.run(ctx, func(ctx context.Context) error {
		done, err := s.db.ExecContext(ctx, `INSERT IGNORE INTO imports (workspace, `+importColumns+`)
			VALUES (?, ?, ?, ?, ?, ?, ?, 0, 0, 0, 0, 0, '[]', ?, ?)`, workspace[:], i.ID[:], i.Collection, i.File,
			i.Format,
			i.State, i.Actor, s.now().UTC(), s.now().UTC())
		if err != nil {
			return err
		}
		added, err = done.RowsAffected()
		return err
	})
	return added > 0, err
}

const setImport = `UPDATE imports SET state = ?, taken = ?, created = ?, updated = ?, unchanged = ?, refused = ?,
	changes = ?, stamp = ? WHERE workspace = ? AND id = ?`

func (i *Import) arguments(workspace uuid.UUID, at time.Time) []any {
	return []any{i.State, i.Taken, i.Created, i.Updated, i.Unchanged, i.Refused, i.Changes.text(), at, workspace[:],
		i.ID[:]}
}

// SetImport notes how far an import has come.
func (s *Store) SetImport(ctx context.Context, workspace uuid.UUID, i Import) error {
	return s.exec(ctx, setImport, i.arguments(workspace, s.now().UTC())...)
}

// SetImport notes it within a change of the import's.
func (c *Change) SetImport(i Import) error {
	return c.exec(setImport, i.arguments(c.Workspace, c.At)...)
}

// AddRefused keeps rows that could not be taken; n is how many are kept already.
func (s *Store) AddRefused(ctx context.Context, workspace, id uuid.UUID, n int, list []RefusedRow) error {
	if len(list) == 0 {
		return nil
	}
	var args []any
	for k, r := range list {
		problem, err1 := json.Marshal(r.Problem)
		row, err2 := json.Marshal(r.Values)
		if err := errors.Join(err1, err2); err != nil {
			return err
		}
		args = append(args, workspace[:], id[:], n+k, string(problem), string(row))
	}
	return s.exec(ctx, `REPLACE INTO refused_rows (workspace, import, n, problem, row_values) VALUES `+
		values(len(list), `(?, ?, ?, ?, ?)`), args...)
}

// Refused returns rows that could not be taken, in the order of the file, from the nth on.
func (s *Store) Refused(ctx context.Context, workspace, id uuid.UUID, from, limit int) ([]RefusedRow, error) {
	var rows []struct {
		Problem []byte `db:"problem"`
		Values  []byte `db:"row_values"`
	}
	err := s.all(ctx, &rows, `SELECT problem, row_values FROM refused_rows WHERE workspace = ? AND import = ? AND n >= ?
		ORDER BY n LIMIT ?`, workspace[:], id[:], from, limit)
	out := make([]RefusedRow, len(rows))
	for i, r := range rows {
		err = errors.Join(err, json.Unmarshal(r.Problem, &out[i].Problem), json.Unmarshal(r.Values, &out[i].Values))
	}
	return out, err
}

// KeyedBy calls yield with the value of an attribute of each feature of a collection that has one.
func (s *Store) KeyedBy(
	ctx context.Context, workspace uuid.UUID, collection, attribute string, yield func(id uuid.UUID, value string),
) error {
	path, err := json.Marshal(attribute)
	if err != nil {
		return err
	}
	return s.run(ctx, func(ctx context.Context) error {
		rows, err := s.db.QueryxContext(ctx, `SELECT id, JSON_VALUE(attributes, ?) FROM features WHERE workspace = ? AND
			collection = ? AND deleted_at IS NULL`, "$."+string(path), workspace[:], collection)
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			var id uuid.UUID
			var value sql.NullString
			if err := rows.Scan(&id, &value); err != nil {
				return err
			}
			if value.Valid {
				yield(id, value.String)
			}
		}
		return rows.Err()
	})
}

// InCollection calls yield with each feature of a collection that is not deleted, in the order of their ids.
func (s *Store) InCollection(
	ctx context.Context, workspace uuid.UUID, collection string, yield func(*feature.Feature) error,
) error {
	return s.each(ctx, func(f *feature.Feature, _ *featureRow) error { return yield(f) },
		`SELECT `+featureColumns+` FROM features WHERE workspace = ? AND collection = ? AND deleted_at IS NULL
		ORDER BY id`, workspace[:], collection)
}

// Made returns the entries of some changes, from a number to another.
func (s *Store) Made(ctx context.Context, workspace uuid.UUID, no uint64) ([]Logged, error) {
	return s.logged(ctx, `SELECT `+loggedColumns+` FROM changes WHERE workspace = ? AND no = ? ORDER BY part`,
		workspace[:], no)
}
