package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Change is a transaction that writes to one workspace under one number.
//
// It makes few exchanges with the database, for each takes as long as all that a small change has to do there: the
// begin, the counter and what the change is known to read travel together, and so do its writes and the commit. All
// that can be decided without the lock on the counter is decided before: what was read then is looked at again by its
// version only.
type Change struct {
	ctx       context.Context // the transaction's
	conn      *sqlx.Conn
	packet    int
	loads     bool
	Workspace uuid.UUID
	// No is the change's number in its workspace.
	No    uint64
	At    time.Time
	actor Actor
	part  uint32

	wanted      Wanted
	collections map[string]uint64
	features    map[uuid.UUID]Version
	answer      []byte
	statements  strings.Builder
	args        []any
	size        int
	wrote       bool
	logged      []Logged
}

// Actor is who makes a change: the credential that it came with, the nil UUID for none, and the name that is shown.
type Actor struct {
	ID   uuid.UUID
	Name string
}

// Wanted is what a change will look at, so that it comes with the first exchange.
type Wanted struct {
	Collections []string
	Features    []uuid.UUID
	Once        Once
}

// Once names a request that may come again, because its answer was lost: with the same key and the same digest of what
// it asks for it gets the answer of the first time.
type Once struct {
	Key    string // "" for none
	Digest [32]byte
}

// ErrKeyReused is returned when an Idempotency-Key comes with another request than the first time.
var ErrKeyReused = errors.New("this Idempotency-Key came with another request before")

// Version is a feature's version within a change, 0 where there never was one. Deleted tells that it is in the bin.
type Version struct {
	No      uint64
	Deleted bool
}

// Committed is what a change came to: its number, 0 when it logged nothing, and its entries of the change log.
type Committed struct {
	No  uint64
	Log []Logged
}

// Change runs f in a transaction with the workspace's next number and returns the number. What f logs becomes visible
// with what it wrote, or not at all. f may run more than once. A change that logged nothing takes no number: it returns
// 0.
func (s *Store) Change(ctx context.Context, workspace uuid.UUID, actor Actor, f func(c *Change) error) (uint64, error) {
	done, err := s.ChangeOf(ctx, workspace, actor, Wanted{}, f)
	return done.No, err
}

// ChangeOf is Change for one that says beforehand what it will look at. It is run again on a deadlock, on a lock that
// could not be had in time, and on a cluster's certification failure, which the server reports as a deadlock as well.
// f is to do nothing that takes long: the workspace's other writers wait for it.
func (s *Store) ChangeOf(
	ctx context.Context, workspace uuid.UUID, actor Actor, want Wanted, f func(c *Change) error,
) (done Committed, err error) {
	if err := s.hasRoom(); err != nil {
		return Committed{}, err
	}
	ctx, cancel := context.WithTimeout(ctx, writeWait)
	defer cancel()
	err = s.run(ctx, func(ctx context.Context) error {
		return retried(ctx, func() error {
			c := s.change(ctx, workspace, actor)
			c.wanted = want
			done, err = s.once(c, f)
			return err
		})
	})
	return done, busy(ctx, err)
}

// retried does something again while a deadlock or a lock that was not had in time keeps it from being done.
func retried(ctx context.Context, f func() error) error {
	const tries = 8
	for try := 1; ; try++ {
		err := f()
		var me *mysql.MySQLError
		if err == nil || try == tries || !errors.As(err, &me) || me.Number != 1213 && me.Number != 1205 {
			return err
		}
		select {
		case <-time.After(time.Duration(rand.Int64N(int64(time.Millisecond) << try))):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// busy tells that a change took too long, in the store's words.
func busy(ctx context.Context, err error) error {
	if err != nil && errors.Is(ctx.Err(), context.DeadlineExceeded) && !errors.Is(err, ErrUnavailable) {
		return ErrBusy
	}
	return err
}

func (s *Store) change(ctx context.Context, workspace uuid.UUID, actor Actor) *Change {
	return &Change{
		ctx:       ctx,
		packet:    s.packet,
		loads:     s.loads,
		Workspace: workspace,
		At:        s.now().UTC().Truncate(time.Microsecond),
		actor:     actor,
	}
}

func (s *Store) once(c *Change, f func(c *Change) error) (done Committed, err error) {
	if c.conn, err = s.db.Connx(c.ctx); err != nil {
		return Committed{}, err
	}
	defer c.conn.Close()
	ended := false
	defer func() {
		if !ended {
			rollBack(c.ctx, c.conn)
		}
	}()
	if err := c.begin(); err != nil {
		return Committed{}, err
	}
	if err := f(c); err != nil {
		return Committed{}, err
	}
	if !c.wrote {
		return Committed{}, nil
	}
	if c.part > 0 {
		done = Committed{c.No, c.logged}
		if err := c.exec(`UPDATE workspaces SET change_no = ? WHERE id = ?`, c.No, c.Workspace[:]); err != nil {
			return Committed{}, err
		}
	}
	if err := errors.Join(c.exec(`COMMIT`), c.flush()); err != nil {
		return Committed{}, err
	}
	ended = true
	return done, nil
}

// Next makes one replacement as the change that follows a number, all in one exchange. answer returns what is kept as
// the answer of once. It returns false, and has changed nothing, when another change came first: so whoever knows
// everything up to that number knows what it replaces. Any other error says nothing about the replacement itself;
// ChangeOf tells.
func (s *Store) Next(
	ctx context.Context, workspace uuid.UUID, actor Actor, after uint64, r Replacement,
	once Once, answer func() ([]byte, error),
) (done Committed, ok bool, err error) {
	if err := s.hasRoom(); err != nil {
		return Committed{}, false, err
	}
	ctx, cancel := context.WithTimeout(ctx, writeWait)
	defer cancel()
	c := s.change(ctx, workspace, actor)
	c.No, c.wanted.Once = after+1, once
	// The counter's row is the guard: where it holds another number it would become NULL, which the strict mode
	// refuses, and the database does not go on to what follows.
	err = errors.Join(c.exec(`START TRANSACTION`),
		c.exec(`UPDATE workspaces SET change_no = IF(change_no = ?, ?, NULL) WHERE id = ?`, after, c.No, workspace[:]),
		c.writeSome([]Replacement{r}))
	if err == nil && once.Key != "" {
		var text []byte
		if text, err = answer(); err == nil {
			err = c.Answer(text)
		}
	}
	if err = errors.Join(err, c.exec(`COMMIT`)); err != nil {
		return Committed{}, false, err
	}
	err = s.run(ctx, func(ctx context.Context) error {
		conn, err := s.db.Connx(ctx)
		if err != nil {
			return err
		}
		defer conn.Close()
		if _, err = conn.ExecContext(ctx, c.statements.String(), c.args...); err != nil {
			rollBack(ctx, conn)
		}
		return err
	})
	if err == nil {
		return Committed{c.No, c.logged}, true, nil
	}
	var me *mysql.MySQLError
	// 1048: another change came first. 1062: what was to be inserted is in the bin.
	if errors.As(err, &me) && (me.Number == 1048 || me.Number == 1062) {
		err = nil
	}
	return Committed{}, false, busy(ctx, err)
}

// rollBack ends what a connection has begun.
func rollBack(ctx context.Context, conn *sqlx.Conn) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), askWait)
	defer cancel()
	if _, err := conn.ExecContext(ctx, `ROLLBACK`); err != nil {
		_ = conn.Raw(func(any) error { return driver.ErrBadConn }) // closed, it holds no lock either
	}
}

// begin starts the transaction, locks the workspace's counter and reads what is wanted, in one exchange. After the lock
// nobody else writes to the workspace, so that nothing else need be locked.
func (c *Change) begin() error {
	query := `START TRANSACTION; SELECT change_no + 1 FROM workspaces WHERE id = ? FOR UPDATE`
	args := []any{c.Workspace[:]}
	also := func(text string, more []any) {
		query += `; ` + text
		args = append(args, more...)
	}
	if len(c.wanted.Collections) > 0 {
		also(c.versionsOfCollections(c.wanted.Collections))
	}
	if n := len(c.wanted.Features); n > 0 && n <= readTogether {
		also(c.versionsOfFeatures(c.wanted.Features))
	}
	if c.wanted.Once.Key != "" {
		also(selectAnswer, []any{c.Workspace[:], []byte(c.wanted.Once.Key)})
	}
	rows, err := c.conn.QueryxContext(c.ctx, query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	if !rows.Next() {
		if err := rows.Err(); err != nil {
			return err
		}
		return fmt.Errorf("workspace %s: %w", c.Workspace, ErrNotFound)
	}
	if err := rows.Scan(&c.No); err != nil {
		return err
	}
	next := func(each func() error) error {
		if !rows.NextResultSet() {
			return errors.Join(rows.Err(), errors.New("the database gave fewer answers than it was asked for"))
		}
		for rows.Next() {
			if err := each(); err != nil {
				return err
			}
		}
		return rows.Err()
	}
	if len(c.wanted.Collections) > 0 {
		c.collections = map[string]uint64{}
		if err := next(func() error { return scanVersion(rows, c.collections) }); err != nil {
			return err
		}
	}
	if n := len(c.wanted.Features); n > 0 && n <= readTogether {
		c.features = map[uuid.UUID]Version{}
		if err := next(func() error { return scanFeatureVersion(rows, c.features) }); err != nil {
			return err
		}
	}
	if c.wanted.Once.Key != "" {
		var digest []byte
		if err := next(func() error { return rows.Scan(&digest, &c.answer) }); err != nil {
			return err
		}
		if digest != nil && string(digest) != string(c.wanted.Once.Digest[:]) {
			return ErrKeyReused
		}
	}
	return rows.Err()
}

const selectAnswer = `SELECT digest, answer FROM answers WHERE workspace = ? AND request = ?`

// Answered returns the answer that the change's request was given before, nil where it has not come before.
func (c *Change) Answered() []byte { return c.answer }

// Answer keeps what the change's request is answered, for when it comes again.
func (c *Change) Answer(text []byte) error {
	o := &c.wanted.Once
	return c.exec(`INSERT INTO answers (workspace, request, digest, answer, created_at) VALUES (?, ?, ?, ?, ?)`,
		c.Workspace[:], []byte(o.Key), o.Digest[:], string(text), c.At)
}

// Answer returns what a request was answered before, nil where it has not come before. The error may be ErrKeyReused.
func (s *Store) Answer(ctx context.Context, workspace uuid.UUID, o Once) ([]byte, error) {
	var known struct {
		Digest []byte `db:"digest"`
		Answer []byte `db:"answer"`
	}
	err := s.get(ctx, &known, selectAnswer, workspace[:], []byte(o.Key))
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return nil, nil
	case err == nil && string(known.Digest) != string(o.Digest[:]):
		err = ErrKeyReused
	}
	return known.Answer, err
}

// ForgetAnswers forgets answers from before a time.
func (s *Store) ForgetAnswers(ctx context.Context, before time.Time) error {
	return s.exec(ctx, `DELETE FROM answers WHERE created_at < ? LIMIT 10000`, before.UTC())
}

// How many rows one statement writes and reads, and how many bytes are gathered before they are sent.
const (
	together     = 250
	readTogether = 1000
	exchanged    = 1 << 20
)

// exec adds a statement to those that are sent with the next exchange.
func (c *Change) exec(statement string, args ...any) error {
	size := len(statement)
	for _, a := range args {
		switch v := a.(type) {
		case string:
			size += escapedLen(v)
		case *string:
			if v != nil {
				size += escapedLen(*v)
			}
		default:
			size += 40
		}
	}
	switch {
	case size+1000 > c.packet:
		return fmt.Errorf("%w: %d MB, where its max_allowed_packet is %d MB", ErrTooLarge, size>>20, c.packet>>20)
	case c.size+size+1000 > c.packet && c.conn == nil:
		return ErrTooLarge
	case c.size+size+1000 > c.packet:
		if err := c.flush(); err != nil {
			return err
		}
	}
	c.wrote = true
	c.size += size
	if c.statements.Len() > 0 {
		c.statements.WriteString("; ")
	}
	c.statements.WriteString(statement)
	c.args = append(c.args, args...)
	return nil
}

// escapedLen is how long a text is within a statement.
func escapedLen(s string) int {
	n := len(s) + 2
	for i := range len(s) {
		switch s[i] {
		case '"', '\'', '\\', '\n', '\r', 0, 0x1a:
			n++
		}
	}
	return n
}

// flush sends the statements that were gathered.
func (c *Change) flush() error {
	if c.statements.Len() == 0 {
		return nil
	}
	_, err := c.conn.ExecContext(c.ctx, c.statements.String(), c.args...)
	c.statements.Reset()
	c.args, c.size = nil, 0
	return err
}

// get reads one row, after what was written so far.
func (c *Change) get(into any, query string, args ...any) error {
	if err := c.flush(); err != nil {
		return err
	}
	return c.conn.GetContext(c.ctx, into, query, args...)
}

// log writes one entry of the change log; before and after are what JSON makes of them, nil for nothing.
func (c *Change) log(topic, collection, entity string, before, after any) error {
	return c.logAll(topic, []entry{{collection: collection, entity: entity, before: before, after: after}})
}

// entry is what the change log is told of one thing: of a feature what replaces it, of anything else what it was and
// is.
type entry struct {
	collection, entity string
	feature            Replacement
	before, after      any
}

// texts returns what was before and after as the log holds it.
func (e *entry) texts(topic string) (before, after []byte, err error) {
	if topic == Features {
		before, err1 := stateOf(e.feature.Before)
		after, err2 := stateOf(e.feature.After)
		return before, after, errors.Join(err1, err2)
	}
	text := func(v any) []byte {
		if v == nil {
			return nil
		}
		b, e := json.Marshal(v)
		err = errors.Join(err, e)
		return b
	}
	before, after = text(e.before), text(e.after)
	return before, after, err
}

func (c *Change) logAll(topic string, entries []entry) error {
	var rows []any
	var by []byte
	if c.actor.ID != uuid.Nil {
		by = c.actor.ID[:]
	}
	for _, e := range entries {
		before, after, err := e.texts(topic)
		if err != nil {
			return err
		}
		rows = append(
			rows,
			c.Workspace[:],
			c.No,
			c.part,
			topic,
			e.collection,
			e.entity,
			nullText(before),
			nullText(after),
			stateFormat,
			c.actor.Name,
			by,
			c.At,
		)
		l := Logged{No: c.No, Part: c.part, Topic: topic, Collection: e.collection, Entity: e.entity,
			Before: e.feature.Before, After: e.feature.After, Actor: c.actor.Name, ActorID: c.actor.ID, At: c.At}
		if topic != Features {
			l.TextBefore, l.TextAfter = before, after
		}
		c.logged = append(c.logged, l)
		c.part++
	}
	return c.exec(
		`INSERT INTO changes (workspace, no, part, topic, collection, entity, state_before, state_after, format,
		actor, actor_id, at) VALUES `+values(len(entries), `(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`),
		rows...)
}

// CurrentCollection returns a collection as it is now, or nil.
func (c *Change) CurrentCollection(id string) (*Collection, error) {
	var r collectionRow
	err := c.get(&r, selectCollections+` AND id = ?`, c.Workspace[:], id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	k := r.collection()
	return &k, err
}

// CollectionVersion returns a collection's version as it is now, 0 where there is none. It must have been wanted.
func (c *Change) CollectionVersion(id string) uint64 { return c.collections[id] }

func (c *Change) versionsOfCollections(ids []string) (string, []any) {
	args := []any{c.Workspace[:]}
	for _, id := range ids {
		args = append(args, id)
	}
	return `SELECT id, version FROM collections WHERE workspace = ? AND id IN (` + values(len(ids), "?") + `)`, args
}

func (c *Change) versionsOfFeatures(ids []uuid.UUID) (string, []any) {
	args := []any{c.Workspace[:]}
	for _, id := range ids {
		args = append(args, id[:])
	}
	return `SELECT id, version, deleted_at IS NOT NULL FROM features WHERE workspace = ? AND id IN (` + values(
		len(ids),
		"?",
	) + `)`, args
}

func scanVersion(rows *sqlx.Rows, into map[string]uint64) error {
	var id string
	var version uint64
	err := rows.Scan(&id, &version)
	into[id] = version
	return err
}

func scanFeatureVersion(rows *sqlx.Rows, into map[uuid.UUID]Version) error {
	var id uuid.UUID
	var v Version
	err := rows.Scan(&id, &v.No, &v.Deleted)
	into[id] = v
	return err
}
