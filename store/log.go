package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"viandante/core/feature"
)

// Topics of the change log.
const (
	Features    = "features"
	Collections = "collections"
	Categories  = "categories"
	Views       = "views"
	Overlays    = "overlays"
	Imagery     = "imagery"
	Rehearsals  = "rehearsals"
	Parties     = "parties"
	Watches     = "watches"
	Links       = "links"
	Emergency   = "emergency"
	Closures    = "closures"
)

// Logged is an entry of the change log. Before and After are what a feature was and is; of other topics their texts are
// JSON. All are nil for nothing.
type Logged struct {
	No         uint64
	Part       uint32
	Topic      string
	Collection string
	Entity     string
	// Before and After are those of the topic Features.
	Before, After *feature.Feature
	// TextBefore and TextAfter are those of every other topic.
	TextBefore, TextAfter []byte
	// Actor is who made the change, as a name to show; ActorID is the credential it came with, the nil UUID for none.
	Actor   string
	ActorID uuid.UUID
	At      time.Time
	// Parts is how many entries the number has; only ChangesAfter tells, of the last.
	Parts uint32
}

// loggedRow is an entry as the table has it.
type loggedRow struct {
	No         uint64    `db:"no"`
	Part       uint32    `db:"part"`
	Topic      string    `db:"topic"`
	Collection string    `db:"collection"`
	Entity     string    `db:"entity"`
	Before     []byte    `db:"state_before"`
	After      []byte    `db:"state_after"`
	Format     uint8     `db:"format"`
	Actor      string    `db:"actor"`
	ActorID    []byte    `db:"actor_id"`
	At         time.Time `db:"at"`
}

const loggedColumns = `no, part, topic, collection, entity, state_before, state_after, format, actor, actor_id, at`

func (r *loggedRow) logged() (Logged, error) {
	l := Logged{
		No:         r.No,
		Part:       r.Part,
		Topic:      r.Topic,
		Collection: r.Collection,
		Entity:     r.Entity,
		Actor:      r.Actor,
		At:         r.At,
	}
	copy(l.ActorID[:], r.ActorID)
	if r.Topic != Features {
		l.TextBefore, l.TextAfter = r.Before, r.After
		return l, nil
	}
	var err1, err2 error
	l.Before, err1 = featureOf(r.Format, r.Before)
	l.After, err2 = featureOf(r.Format, r.After)
	if err := errors.Join(err1, err2); err != nil {
		return l, fmt.Errorf("change %d: %w", r.No, err)
	}
	return l, nil
}

func (s *Store) logged(ctx context.Context, query string, args ...any) ([]Logged, error) {
	var rows []loggedRow
	if err := s.all(ctx, &rows, query, args...); err != nil {
		return nil, err
	}
	out := make([]Logged, len(rows))
	for i := range rows {
		var err error
		if out[i], err = rows[i].logged(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Text reads what an entry of the log tells of anything but a feature: what it became, or with after false was.
func (l *Logged) Text(into any, after bool) error {
	text := l.TextBefore
	if after {
		text = l.TextAfter
	}
	if err := json.Unmarshal(text, into); err != nil {
		return fmt.Errorf("change %d: %w", l.No, err)
	}
	return nil
}

// Gone tells that the entry is a deletion.
func (l *Logged) Gone() bool { return l.After == nil && l.TextAfter == nil }

// ChangesSince returns the entries with a number above since, in order; those of at most limit of them and never part
// of a number without the rest of it.
func (s *Store) ChangesSince(ctx context.Context, workspace uuid.UUID, since uint64, limit int) ([]Logged, error) {
	return s.logged(ctx, `SELECT `+loggedColumns+` FROM changes WHERE workspace = ? AND no > ? AND no <= COALESCE(
		(SELECT no FROM changes WHERE workspace = ? AND no > ? ORDER BY no, part LIMIT 1 OFFSET ?),
			18446744073709551615)
		ORDER BY no, part`, workspace[:], since, workspace[:], since, limit)
}

// ChangesAfter returns entries beyond a part of a number, or beyond all of it with part -1, in order: at most
// so many, and no more than so many bytes of states unless the first alone has more. Their states before are left out.
func (s *Store) ChangesAfter(
	ctx context.Context, workspace uuid.UUID, no uint64, part int64, most, bytes int,
) (out []Logged, err error) {
	if part < 0 {
		no, part = no+1, 0
	} else {
		part++
	}
	const from = ` FROM changes WHERE workspace = ? AND (no = ? AND part >= ? OR no > ?) ORDER BY no, part LIMIT ?`
	var sizes []int
	if err := s.all(ctx, &sizes, `SELECT COALESCE(LENGTH(state_after), 0)`+from, workspace[:], no, part, no,
		most); err != nil {
		return nil, err
	}
	n, sum := 0, 0
	for n < len(sizes) && (n == 0 || sum+sizes[n] <= bytes) {
		sum += sizes[n]
		n++
	}
	if n == 0 {
		return nil, nil
	}
	out, err = s.logged(
		ctx,
		`SELECT no, part, topic, collection, entity, state_after, format, actor, actor_id, at`+from,
		workspace[:],
		no,
		part,
		no,
		n,
	)
	if err == nil && len(out) > 0 {
		last := &out[len(out)-1]
		err = s.get(
			ctx,
			&last.Parts,
			`SELECT COUNT(*) FROM changes WHERE workspace = ? AND no = ?`,
			workspace[:],
			last.No,
		)
	}
	return out, err
}

// Counter is where a workspace's log stands: the number of its last change, and the era that it belongs to. Another era
// is another log, that of a backup that was restored.
type Counter struct {
	No  uint64 `db:"change_no"`
	Era uint32 `db:"era"`
}

// Counter returns where the workspace's log stands.
func (s *Store) Counter(ctx context.Context, workspace uuid.UUID) (Counter, error) {
	var c Counter
	err := s.get(ctx, &c, `SELECT change_no, era FROM workspaces WHERE id = ?`, workspace[:])
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return c, err
}

// ChangeNo returns the number of the workspace's last change.
func (s *Store) ChangeNo(ctx context.Context, workspace uuid.UUID) (uint64, error) {
	c, err := s.Counter(ctx, workspace)
	return c.No, err
}

// Counters returns where the logs of all workspaces stand.
func (s *Store) Counters(ctx context.Context) (map[uuid.UUID]Counter, error) {
	var rows []struct {
		ID uuid.UUID `db:"id"`
		Counter
	}
	err := s.all(ctx, &rows, `SELECT id, change_no, era FROM workspaces`)
	out := make(map[uuid.UUID]Counter, len(rows))
	for _, r := range rows {
		out[r.ID] = r.Counter
	}
	return out, err
}

// ForgetChanges deletes entries of the log that are older than a time, the oldest first, some thousand of them; false
// when there are no more. What they tell of is left as it is.
func (s *Store) ForgetChanges(ctx context.Context, workspace uuid.UUID, before time.Time) (more bool, err error) {
	const looked = 5000
	var oldest []struct {
		No uint64    `db:"no"`
		At time.Time `db:"at"`
	}
	err = s.all(
		ctx,
		&oldest,
		`SELECT no, at FROM changes WHERE workspace = ? ORDER BY no, part LIMIT ?`,
		workspace[:],
		looked,
	)
	if err != nil {
		return false, err
	}
	until := uint64(0)
	for _, one := range oldest {
		if !one.At.Before(before) {
			break
		}
		until = one.No
	}
	if until == 0 {
		return false, nil
	}
	return oldest[len(oldest)-1].No == until && len(oldest) == looked,
		s.exec(ctx, `DELETE FROM changes WHERE workspace = ? AND no <= ?`, workspace[:], until)
}

// History returns the entries of the change log about one thing, newest first, at most limit of them.
func (s *Store) History(ctx context.Context, workspace uuid.UUID, topic, entity string, limit int) ([]Logged, error) {
	return s.logged(ctx, `SELECT `+loggedColumns+` FROM changes WHERE workspace = ? AND entity = ? AND topic = ?
		ORDER BY no DESC, part DESC LIMIT ?`, workspace[:], entity, topic, limit)
}
