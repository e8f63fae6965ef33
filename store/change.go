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
// It makes few exchanges with the database, for each takes as long as all that a small change has to do there: the begin,
// the counter and what the change is known to read travel together, and so do its writes and the commit.
type Change struct {
	conn      *sqlx.Conn
	Workspace uuid.UUID
	// No is the change's number in its workspace.
	No    uint64
	At    time.Time
	actor string
	part  uint32

	wanted      Wanted
	collections map[string]*Collection
	features    map[uuid.UUID]Now
	statements  strings.Builder
	args        []any
	size        int
	wrote       bool
	logged      []Logged
}

// Wanted is what a change will read, so that it comes with the first exchange.
type Wanted struct {
	Collection string
	Features   []uuid.UUID
}

// Committed is what a change came to: its number, 0 when it logged nothing, and its entries of the change log.
type Committed struct {
	No  uint64
	Log []Logged
}

// Change runs f in a transaction with the workspace's next number and returns the number. What f logs becomes visible
// with what it wrote, or not at all. f may run more than once. A change that logged nothing takes no number: it returns 0.
func (s *Store) Change(ctx context.Context, workspace uuid.UUID, actor string, f func(c *Change) error) (uint64, error) {
	done, err := s.ChangeOf(ctx, workspace, actor, Wanted{}, f)
	return done.No, err
}

// ChangeOf is Change for one that says beforehand what it will read. It is run again on a deadlock, on a lock that could
// not be had in time, and on a cluster's certification failure, which the server reports as a deadlock as well.
func (s *Store) ChangeOf(ctx context.Context, workspace uuid.UUID, actor string, want Wanted, f func(c *Change) error) (Committed, error) {
	const tries = 8
	for try := 1; ; try++ {
		done, err := s.once(ctx, &Change{Workspace: workspace, At: s.now().UTC().Truncate(time.Microsecond), actor: actor, wanted: want}, f)
		var me *mysql.MySQLError
		if err == nil || try == tries || !errors.As(err, &me) || me.Number != 1213 && me.Number != 1205 {
			return done, err
		}
		pause := time.Duration(rand.Int64N(int64(time.Millisecond) << try))
		select {
		case <-time.After(pause):
		case <-ctx.Done():
			return Committed{}, ctx.Err()
		}
	}
}

func (s *Store) once(ctx context.Context, c *Change, f func(c *Change) error) (done Committed, err error) {
	conn, err := s.db.Connx(ctx)
	if err != nil {
		return Committed{}, err
	}
	defer conn.Close()
	c.conn = conn
	ended := false
	defer func() {
		if !ended {
			rollBack(ctx, conn)
		}
	}()
	if err := c.begin(ctx); err != nil {
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
		c.exec(`UPDATE workspaces SET change_no = ? WHERE id = ?`, c.No, c.Workspace[:])
	}
	c.exec(`COMMIT`)
	if err := c.flush(ctx); err != nil {
		return Committed{}, err
	}
	ended = true
	return done, nil
}

// Next makes one replacement as the change that follows a number, all in one exchange. It returns false, and has changed
// nothing, when another change came first: so whoever knows everything up to that number knows what it replaces. Any other
// error says nothing about the replacement itself; ChangeOf tells.
func (s *Store) Next(ctx context.Context, workspace uuid.UUID, actor string, after uint64, r Replacement) (done Committed, ok bool, err error) {
	c := &Change{Workspace: workspace, No: after + 1, At: s.now().UTC().Truncate(time.Microsecond), actor: actor}
	c.exec(`START TRANSACTION`)
	c.exec(`UPDATE workspaces SET change_no = ? WHERE id = ? AND change_no = ?`, c.No, workspace[:], after)
	// Where the number is taken, so is its entry in the log: the database refuses a second one and does not go on to the commit.
	if err := c.writeSome([]Replacement{r}); err != nil {
		return Committed{}, false, err
	}
	c.exec(`COMMIT`)
	conn, err := s.db.Connx(ctx)
	if err != nil {
		return Committed{}, false, err
	}
	defer conn.Close()
	if _, err = conn.ExecContext(ctx, c.statements.String(), c.args...); err == nil {
		return Committed{c.No, c.logged}, true, nil
	}
	rollBack(ctx, conn)
	var me *mysql.MySQLError
	if errors.As(err, &me) && me.Number == 1062 {
		err = nil
	}
	return Committed{}, false, err
}

// rollBack ends what a connection has begun.
func rollBack(ctx context.Context, conn *sqlx.Conn) {
	if _, err := conn.ExecContext(context.WithoutCancel(ctx), `ROLLBACK`); err != nil {
		_ = conn.Raw(func(any) error { return driver.ErrBadConn }) // closed, it holds no lock either
	}
}

// begin starts the transaction, locks the workspace's counter and reads what is wanted, in one exchange.
func (c *Change) begin(ctx context.Context) error {
	query := `START TRANSACTION; SELECT change_no + 1 FROM workspaces WHERE id = ? FOR UPDATE`
	args := []any{c.Workspace[:]}
	if c.wanted.Collection != "" {
		query += `; ` + selectCollection
		args = append(args, c.Workspace[:], c.wanted.Collection)
	}
	if len(c.wanted.Features) > 0 {
		query += `; ` + selectFeatures(len(c.wanted.Features))
		args = append(args, c.Workspace[:])
		for _, id := range c.wanted.Features {
			args = append(args, id[:])
		}
	}
	rows, err := c.conn.QueryxContext(ctx, query, args...)
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
	next := func() (*sqlx.Rows, error) {
		if !rows.NextResultSet() {
			return nil, errors.Join(rows.Err(), errors.New("the database gave fewer answers than it was asked for"))
		}
		return &sqlx.Rows{Rows: rows.Rows, Mapper: rows.Mapper}, nil // columns are looked up anew
	}
	if c.wanted.Collection != "" {
		set, err := next()
		if err != nil {
			return err
		}
		c.collections = map[string]*Collection{c.wanted.Collection: nil}
		for set.Next() {
			var k Collection
			if err := set.StructScan(&k); err != nil {
				return err
			}
			c.collections[k.ID] = &k
		}
	}
	if len(c.wanted.Features) > 0 {
		set, err := next()
		if err != nil {
			return err
		}
		c.features = map[uuid.UUID]Now{}
		if err := eachRow(set, into(c.features)); err != nil {
			return err
		}
	}
	return rows.Err()
}

// together is how many rows one statement writes or reads, exchanged how many bytes are gathered before they are sent.
const (
	together  = 250
	exchanged = 1 << 20
)

// exec adds a statement to those that are sent with the next exchange.
func (c *Change) exec(statement string, args ...any) {
	c.wrote = true
	if c.statements.Len() > 0 {
		c.statements.WriteString("; ")
	}
	c.statements.WriteString(statement)
	c.args = append(c.args, args...)
	for _, a := range args {
		switch v := a.(type) {
		case string:
			c.size += len(v)
		case *string:
			if v != nil {
				c.size += len(*v)
			}
		default:
			c.size += 24
		}
	}
}

// flush sends the statements that were gathered.
func (c *Change) flush(ctx context.Context) error {
	if c.statements.Len() == 0 {
		return nil
	}
	_, err := c.conn.ExecContext(ctx, c.statements.String(), c.args...)
	c.statements.Reset()
	c.args, c.size = nil, 0
	return err
}

// get reads one row, after what was written so far.
func (c *Change) get(ctx context.Context, into any, query string, args ...any) error {
	if err := c.flush(ctx); err != nil {
		return err
	}
	return c.conn.GetContext(ctx, into, query, args...)
}

// log writes one entry of the change log; before and after are what JSON makes of them, nil for nothing.
func (c *Change) log(topic, collection, entity string, before, after any) error {
	return c.logAll(topic, []entry{{collection, entity, before, after}})
}

// entry is what the change log is told of one thing.
type entry struct {
	collection, entity string
	before, after      any
}

func (c *Change) logAll(topic string, entries []entry) error {
	text := func(v any) ([]byte, error) {
		if v == nil {
			return nil, nil
		}
		return json.Marshal(v)
	}
	var rows []any
	for _, e := range entries {
		b, err := text(e.before)
		if err != nil {
			return err
		}
		a, err := text(e.after)
		if err != nil {
			return err
		}
		rows = append(rows, c.Workspace[:], c.No, c.part, topic, e.collection, e.entity, nullText(b), nullText(a), c.actor, c.At)
		c.logged = append(c.logged, Logged{No: c.No, Part: c.part, Topic: topic, Collection: e.collection, Entity: e.entity, Before: b, After: a, Actor: c.actor, At: c.At})
		c.part++
	}
	c.exec(`INSERT INTO changes (workspace, no, part, topic, collection, entity, state_before, state_after, actor, at) VALUES `+values(len(entries), `(?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`), rows...)
	return nil
}

// CurrentCollection returns a collection as it is now, or nil, locked until the change is done.
func (c *Change) CurrentCollection(ctx context.Context, id string) (*Collection, error) {
	if k, known := c.collections[id]; known {
		return k, nil
	}
	var k Collection
	err := c.get(ctx, &k, selectCollection, c.Workspace[:], id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return &k, err
}

const selectCollection = `SELECT id, title, description, attributes, version FROM collections WHERE workspace = ? AND id = ? FOR UPDATE`

func selectFeatures(n int) string {
	return `SELECT ` + featureColumns + ` FROM features WHERE workspace = ? AND id IN (` + values(n, "?") + `) FOR UPDATE`
}
