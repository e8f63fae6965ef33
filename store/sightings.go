package store

import (
	"context"
	"errors"
	"math"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"viandante/core/geo"
	"viandante/core/watch"
)

// Sighting is an event of a watch, as it is kept.
type Sighting struct {
	No    uint64
	Watch uuid.UUID
	Thing watch.Thing
	// Name is what the thing was called.
	Name   string
	Enters bool
	Why    watch.Why
	// DistanceM is that from the centre, NaN where there is none.
	DistanceM float64
	// At is when it happened, by the time of the position or of the change; RecordedAt when that was noticed.
	At, RecordedAt time.Time
}

// Held is that something was in a watch.
type Held struct {
	Watch, Thing uuid.UUID
	Place        bool
	// Of is the collection of a place or the party of a person.
	Of string
}

// Lookout is what a process takes over that looks at the watches of a workspace from now on.
type Lookout struct {
	// No is the number of the last event, ChangeNo of the last change that was looked at; New tells that nobody ever
	// did.
	No, ChangeNo uint64
	New          bool
}

// ErrRelieved is returned to a process that is not the one that looks at the watches.
var ErrRelieved = errors.New("another process looks at the watches")

// KeepLookout takes or keeps the right to look at a workspace's watches for some time: only one process has it. It
// returns ErrRelieved where another has it.
func (s *Store) KeepLookout(
	ctx context.Context, workspace, process uuid.UUID, forTime time.Duration,
) (l Lookout, err error) {
	err = s.transact(ctx, func(tx *sqlx.Tx) error {
		l = Lookout{}
		made, err := tx.ExecContext(ctx, `INSERT IGNORE INTO lookouts (workspace, holder, until, no, change_no)
			SELECT id, ?, NOW(6) + INTERVAL ? MICROSECOND, 0, change_no FROM workspaces WHERE id = ?`, process[:],
			forTime.Microseconds(), workspace[:])
		if err != nil {
			return err
		}
		if n, err := made.RowsAffected(); err != nil {
			return err
		} else if n > 0 {
			l.New = true
		}
		var row struct {
			No       uint64 `db:"no"`
			ChangeNo uint64 `db:"change_no"`
			Free     bool   `db:"free"`
		}
		err = tx.GetContext(ctx, &row, `SELECT no, change_no, holder = ? OR until < NOW(6) AS free FROM lookouts
			WHERE workspace = ? FOR UPDATE`, process[:], workspace[:])
		if err != nil {
			return err
		}
		if !row.Free {
			return ErrRelieved
		}
		l.No, l.ChangeNo = row.No, row.ChangeNo
		_, err = tx.ExecContext(ctx, `UPDATE lookouts SET holder = ?, until = NOW(6) + INTERVAL ? MICROSECOND
			WHERE workspace = ?`, process[:], forTime.Microseconds(), workspace[:])
		return err
	})
	return l, err
}

// LeaveLookout gives the right up, so that the next process need not wait.
func (s *Store) LeaveLookout(ctx context.Context, workspace, process uuid.UUID) error {
	return s.exec(ctx, `UPDATE lookouts SET until = NOW(6) WHERE workspace = ? AND holder = ?`, workspace[:],
		process[:])
}

// Noticed is what looking at watches has come to, written all at once.
type Noticed struct {
	// Sightings get their numbers when they are written.
	Sightings []Sighting
	// Begun are watches that began anew, with what was inside: what was held of them before is forgotten.
	Begun map[uuid.UUID][]Held
	// Entered and Left are what is inside now, and no longer.
	Entered, Left []Held
	// ChangeNo is the number of the last change that was looked at.
	ChangeNo uint64
}

// WriteNoticed keeps what a process has noticed and numbers its events. It returns ErrRelieved, and has written
// nothing, where another process has taken over.
func (s *Store) WriteNoticed(ctx context.Context, workspace, process uuid.UUID, n *Noticed) error {
	if err := s.hasRoom(); err != nil {
		return err
	}
	return s.transact(ctx, func(tx *sqlx.Tx) error {
		var no []uint64
		err := tx.SelectContext(ctx, &no, `SELECT no FROM lookouts WHERE workspace = ? AND holder = ? FOR UPDATE`,
			workspace[:], process[:])
		if err != nil {
			return err
		}
		if len(no) == 0 {
			return ErrRelieved
		}
		now := s.now().UTC()
		for i := range n.Sightings {
			n.Sightings[i].No, n.Sightings[i].RecordedAt = no[0]+uint64(i)+1, now
		}
		if err := writeSightings(ctx, tx, workspace, n.Sightings); err != nil {
			return err
		}
		for id, held := range n.Begun {
			if _, err := tx.ExecContext(ctx, `DELETE FROM watched WHERE workspace = ? AND watch = ?`, workspace[:],
				id[:]); err != nil {
				return err
			}
			if err := writeHeld(ctx, tx, workspace, held); err != nil {
				return err
			}
		}
		if err := dropHeld(ctx, tx, workspace, n.Left); err != nil {
			return err
		}
		if err := writeHeld(ctx, tx, workspace, n.Entered); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE lookouts SET no = ?, change_no = ? WHERE workspace = ?`,
			no[0]+uint64(len(n.Sightings)), n.ChangeNo, workspace[:])
		return err
	})
}

// inPieces calls f with pieces of a list that fit into one statement.
func inPieces[T any](list []T, f func([]T) error) error {
	const atOnce = 1000
	for len(list) > 0 {
		n := min(len(list), atOnce)
		if err := f(list[:n]); err != nil {
			return err
		}
		list = list[n:]
	}
	return nil
}

func writeSightings(ctx context.Context, tx *sqlx.Tx, workspace uuid.UUID, list []Sighting) error {
	return inPieces(list, func(some []Sighting) error {
		args := make([]any, 0, 15*len(some))
		for i := range some {
			e := &some[i]
			lat, lng := math.NaN(), math.NaN()
			if e.Thing.At.IsValid() {
				lat, lng = e.Thing.At.Lat(), e.Thing.At.Lng()
			}
			args = append(args, workspace[:], e.No, e.Watch[:], e.Thing.ID[:], e.Thing.Place, e.Thing.Group, e.Name,
				e.Enters, string(e.Why), nullable(lat), nullable(lng), nullable(e.Thing.AccuracyM),
				nullable(e.DistanceM), e.At.UTC(), e.RecordedAt)
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO sightings (workspace, no, watch, thing, place, of, name, enters, why,
			lat, lng, accuracy_m, distance_m, at, recorded_at)
			VALUES `+values(len(some), "(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"), args...)
		return err
	})
}

func writeHeld(ctx context.Context, tx *sqlx.Tx, workspace uuid.UUID, list []Held) error {
	return inPieces(list, func(some []Held) error {
		args := make([]any, 0, 5*len(some))
		for _, h := range some {
			args = append(args, workspace[:], h.Watch[:], h.Thing[:], h.Place, h.Of)
		}
		_, err := tx.ExecContext(ctx, `REPLACE INTO watched (workspace, watch, thing, place, of) VALUES `+
			values(len(some), "(?, ?, ?, ?, ?)"), args...)
		return err
	})
}

func dropHeld(ctx context.Context, tx *sqlx.Tx, workspace uuid.UUID, list []Held) error {
	return inPieces(list, func(some []Held) error {
		args := []any{workspace[:]}
		for _, h := range some {
			args = append(args, h.Watch[:], h.Thing[:])
		}
		_, err := tx.ExecContext(ctx, `DELETE FROM watched WHERE workspace = ? AND (watch, thing) IN (`+
			values(len(some), "(?, ?)")+`)`, args...)
		return err
	})
}

// Watched returns what is in the watches of a workspace, by watch.
func (s *Store) Watched(ctx context.Context, workspace uuid.UUID) (map[uuid.UUID][]Held, error) {
	var rows []struct {
		Watch uuid.UUID `db:"watch"`
		Thing uuid.UUID `db:"thing"`
		Place bool      `db:"place"`
		Of    string    `db:"of"`
	}
	err := s.all(ctx, &rows, `SELECT watch, thing, place, of FROM watched WHERE workspace = ? ORDER BY watch, thing`,
		workspace[:])
	out := map[uuid.UUID][]Held{}
	for _, r := range rows {
		out[r.Watch] = append(out[r.Watch], Held(r))
	}
	return out, err
}

// Sightings returns events with a number above since, the oldest first; of one watch where that is given.
func (s *Store) Sightings(
	ctx context.Context, workspace uuid.UUID, since uint64, only uuid.UUID, limit int,
) ([]Sighting, error) {
	where, args := `workspace = ? AND no > ?`, []any{workspace[:], since}
	if only != uuid.Nil {
		where, args = where+` AND watch = ?`, append(args, only[:])
	}
	return s.sightings(ctx, where+` ORDER BY no LIMIT ?`, append(args, limit)...)
}

// LastSightings returns the newest events, the newest first.
func (s *Store) LastSightings(
	ctx context.Context, workspace uuid.UUID, only uuid.UUID, limit int,
) ([]Sighting, error) {
	where, args := `workspace = ?`, []any{workspace[:]}
	if only != uuid.Nil {
		where, args = where+` AND watch = ?`, append(args, only[:])
	}
	return s.sightings(ctx, where+` ORDER BY no DESC LIMIT ?`, append(args, limit)...)
}

func (s *Store) sightings(ctx context.Context, where string, args ...any) ([]Sighting, error) {
	var rows []struct {
		No       uint64    `db:"no"`
		Watch    uuid.UUID `db:"watch"`
		Thing    uuid.UUID `db:"thing"`
		Place    bool      `db:"place"`
		Of       string    `db:"of"`
		Name     string    `db:"name"`
		Enters   bool      `db:"enters"`
		Why      string    `db:"why"`
		Lat      *float64  `db:"lat"`
		Lng      *float64  `db:"lng"`
		Accuracy *float64  `db:"accuracy_m"`
		Distance *float64  `db:"distance_m"`
		At       time.Time `db:"at"`
		Recorded time.Time `db:"recorded_at"`
	}
	err := s.all(ctx, &rows, `SELECT no, watch, thing, place, of, name, enters, why, lat, lng, accuracy_m, distance_m,
		at, recorded_at FROM sightings WHERE `+where, args...)
	out := make([]Sighting, len(rows))
	for i, r := range rows {
		t := watch.Thing{ID: r.Thing, Place: r.Place, Group: r.Of, AccuracyM: number(r.Accuracy)}
		if r.Lat != nil && r.Lng != nil {
			t.At, _ = geo.NewPoint(*r.Lat, *r.Lng) // not valid where it is none
		}
		out[i] = Sighting{No: r.No, Watch: r.Watch, Thing: t, Name: r.Name, Enters: r.Enters, Why: watch.Why(r.Why),
			DistanceM: number(r.Distance), At: r.At, RecordedAt: r.Recorded}
	}
	return out, err
}

// SightingNos returns the numbers of the first event that is kept and of the last, 0 where there is none.
func (s *Store) SightingNos(ctx context.Context, workspace uuid.UUID) (first, last uint64, err error) {
	var row struct {
		First uint64 `db:"first"`
		Last  uint64 `db:"last"`
	}
	err = s.get(ctx, &row, `SELECT (SELECT COALESCE(MIN(no), 0) FROM sightings WHERE workspace = ?) AS first,
		COALESCE((SELECT no FROM lookouts WHERE workspace = ?), 0) AS last`, workspace[:], workspace[:])
	return row.First, row.Last, err
}

// ForgetSightings deletes events that were recorded before a time.
func (s *Store) ForgetSightings(ctx context.Context, before time.Time) error {
	return s.exec(ctx, `DELETE FROM sightings WHERE recorded_at < ? LIMIT 20000`, before.UTC())
}
