package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
)

// What a lookup may have come to.
const (
	LookupRunning = "running"
	LookupPaused  = "paused"
	LookupStopped = "stopped"
	LookupDone    = "done"
	LookupUndone  = "undone"
)

// Lookup is the addresses of a collection that are looked up in the background: those of places without a position.
type Lookup struct {
	Workspace  uuid.UUID `db:"workspace"`
	ID         uuid.UUID `db:"id"`
	Collection string    `db:"collection"`
	State      string    `db:"state"`
	// Trouble tells why it does not go on, "" where it does.
	Trouble string `db:"trouble"`
	Actor   string `db:"actor"`
	// Total is how many there were to look up when it began; Placed, Doubtful and Nothing what became of those so far.
	Total    int `db:"total"`
	Placed   int `db:"placed"`
	Doubtful int `db:"doubtful"`
	Nothing  int `db:"nothing"`
	// Changes are the numbers of the changes that it is made of, as ranges.
	Changes   Ranges    `db:"changes"`
	StartedAt time.Time `db:"started_at"`
	Stamp     time.Time `db:"stamp"`
}

const lookupColumns = `workspace, id, collection, state, trouble, actor, total, placed, doubtful, nothing, changes,
	started_at, stamp`

// Lookups returns the last lookups of a workspace, newest first.
func (s *Store) Lookups(ctx context.Context, workspace uuid.UUID, limit int) ([]Lookup, error) {
	out := []Lookup{}
	err := s.all(ctx, &out, `SELECT `+lookupColumns+` FROM lookups WHERE workspace = ?
		ORDER BY started_at DESC, id DESC LIMIT ?`, workspace[:], limit)
	return out, err
}

// Lookup returns one; ErrNotFound where there is none.
func (s *Store) Lookup(ctx context.Context, workspace, id uuid.UUID) (Lookup, error) {
	var out Lookup
	err := s.get(ctx, &out, `SELECT `+lookupColumns+` FROM lookups WHERE workspace = ? AND id = ?`, workspace[:], id[:])
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return out, err
}

// RunningLookups returns those of all workspaces that go on.
func (s *Store) RunningLookups(ctx context.Context) ([]Lookup, error) {
	out := []Lookup{}
	err := s.all(ctx, &out, `SELECT `+lookupColumns+` FROM lookups WHERE state = ? ORDER BY started_at`, LookupRunning)
	return out, err
}

// AddLookup notes a lookup that begins; one with its id that has begun before stays as it is.
func (s *Store) AddLookup(ctx context.Context, l Lookup) error {
	now := s.now().UTC()
	return s.exec(ctx, `INSERT IGNORE INTO lookups (`+lookupColumns+`)
		VALUES (?, ?, ?, ?, '', ?, ?, 0, 0, 0, '[]', ?, ?)`,
		l.Workspace[:], l.ID[:], l.Collection, l.State, l.Actor, l.Total, now, now)
}

// HoldLookup takes a running lookup for a holder for a while, or longer; false where another has it or it no longer
// runs.
func (s *Store) HoldLookup(ctx context.Context, l Lookup, holder uuid.UUID, until time.Time) (bool, error) {
	held := int64(0)
	err := s.run(ctx, func(ctx context.Context) error {
		now := s.now().UTC()
		done, err := s.db.ExecContext(ctx, `UPDATE lookups SET holder = ?, held_until = ?, stamp = ?
			WHERE workspace = ? AND id = ? AND state = ? AND (holder = ? OR held_until IS NULL OR held_until < ?)`,
			holder[:], until.UTC(), now, l.Workspace[:], l.ID[:], LookupRunning, holder[:], now)
		if err != nil {
			return err
		}
		held, err = done.RowsAffected()
		return err
	})
	return held > 0, err
}

// SetLookupState changes what becomes of a lookup, from one of two states; false where it is in none of them.
func (s *Store) SetLookupState(ctx context.Context, workspace, id uuid.UUID, to, trouble string, from ...string) (
	bool, error,
) {
	changed := int64(0)
	err := s.run(ctx, func(ctx context.Context) error {
		changed = 0
		for _, f := range from {
			done, err := s.db.ExecContext(ctx, `UPDATE lookups SET state = ?, trouble = ?, stamp = ?, holder = NULL,
				held_until = NULL WHERE workspace = ? AND id = ? AND state = ?`, to, trouble, s.now().UTC(),
				workspace[:], id[:], f)
			if err != nil {
				return err
			}
			n, err := done.RowsAffected()
			if err != nil {
				return err
			}
			changed += n
		}
		return nil
	})
	return changed > 0, err
}

// SetLookup notes within a change of a lookup's how far it has come.
func (c *Change) SetLookup(l Lookup) error {
	return c.exec(`UPDATE lookups SET placed = ?, doubtful = ?, nothing = ?, changes = ?, stamp = ?
		WHERE workspace = ? AND id = ?`,
		l.Placed, l.Doubtful, l.Nothing, l.Changes.text(), c.At, c.Workspace[:], l.ID[:])
}

// unplaced are the places of a collection without a position that have an address: as a file gave it, or in the
// attribute of that name.
const unplaced = ` FROM features WHERE workspace = ? AND collection = ? AND deleted_at IS NULL AND lat IS NULL
	AND geometry IS NULL AND COALESCE(NULLIF(address_typed, ''), JSON_VALUE(attributes, '$.address'), '') <> ''`

// Unplaced returns places without a position whose address was not looked up yet, by id, from after one on.
func (s *Store) Unplaced(ctx context.Context, workspace uuid.UUID, collection string, after uuid.UUID, limit int) (
	out []*feature.Feature, err error,
) {
	err = s.each(ctx, func(f *feature.Feature, _ *featureRow) error { out = append(out, f); return nil },
		`SELECT `+featureColumns+unplaced+` AND address_found IS NULL AND id > ? ORDER BY id LIMIT ?`,
		workspace[:], collection, after[:], limit)
	return out, err
}

// CountUnplaced counts them.
func (s *Store) CountUnplaced(ctx context.Context, workspace uuid.UUID, collection string) (n int, err error) {
	err = s.get(ctx, &n, `SELECT COUNT(*)`+unplaced+` AND address_found IS NULL`, workspace[:], collection)
	return n, err
}

// AddressStates counts the features of a collection whose addresses were looked up, by what became of them.
func (s *Store) AddressStates(ctx context.Context, workspace uuid.UUID, collection string) (map[string]int, error) {
	var rows []struct {
		State string `db:"state"`
		N     int    `db:"n"`
	}
	err := s.all(ctx, &rows, `SELECT COALESCE(JSON_VALUE(address_found, '$.state'), '') AS state, COUNT(*) AS n
		FROM features WHERE workspace = ? AND collection = ? AND deleted_at IS NULL AND address_found IS NOT NULL
		GROUP BY 1`, workspace[:], collection)
	out := map[string]int{}
	for _, r := range rows {
		if r.State != "" {
			out[r.State] = r.N
		}
	}
	return out, err
}

// LookedUp returns features whose addresses were looked up and came to a state, any for "", by id, from after one on.
func (s *Store) LookedUp(ctx context.Context, workspace uuid.UUID, collection, state string, after uuid.UUID,
	limit int) (
	out []*feature.Feature, err error,
) {
	err = s.each(ctx, func(f *feature.Feature, _ *featureRow) error { out = append(out, f); return nil },
		`SELECT `+featureColumns+` FROM features WHERE workspace = ? AND collection = ? AND deleted_at IS NULL
		AND address_found IS NOT NULL AND (? = '' OR JSON_VALUE(address_found, '$.state') = ?) AND id > ?
		ORDER BY id LIMIT ?`, workspace[:], collection, state, state, after[:], limit)
	return out, err
}
