package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"net"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"
)

var (
	// ErrUnavailable is returned, wrapped, while the database cannot be reached or does not answer. Of a change it
	// leaves open whether it was made.
	ErrUnavailable = errors.New("the database does not answer")
	// ErrFull is returned, wrapped, where the database has no room left to write to.
	ErrFull = errors.New("the database's disk is full")
	// ErrTooLarge is returned, wrapped, for a change that is larger than the database takes in one piece.
	ErrTooLarge = errors.New("more than the database takes in one piece")
	// ErrBusy is returned, wrapped, where others held a lock for too long.
	ErrBusy = errors.New("others are writing the same; try again")
)

// A database that was stopped keeps its connections open and answers nothing, for as long as it is stopped. So it is
// asked all the time, over a connection of its own: when it has not answered within askWait, nor when it is asked once
// more, all that waits for it is ended at once with ErrUnavailable, and what comes after fails at once, until it
// answers.
const (
	askEvery = 250 * time.Millisecond
	askWait  = time.Second
	askAgain = 500 * time.Millisecond
	// writeWait is how long a change may take, with all its waiting for locks.
	writeWait = 20 * time.Second
)

// health knows whether the database answers.
type health struct {
	ask *sql.DB

	mu     sync.Mutex
	up     context.Context // ends when it does not
	down   context.CancelCauseFunc
	since  time.Time // of being down; zero when up
	outage int64

	stop    context.CancelFunc
	stopped sync.WaitGroup
}

func newHealth(connector driver.Connector, now func() time.Time) *health {
	h := &health{ask: sql.OpenDB(connector)}
	h.ask.SetMaxOpenConns(1)
	h.up, h.down = context.WithCancelCause(context.Background())
	ctx, stop := context.WithCancel(context.Background())
	h.stop = stop
	h.stopped.Go(func() {
		every := time.NewTicker(askEvery)
		defer every.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-every.C:
			}
			err := h.ping(ctx, askWait)
			if errors.Is(err, context.DeadlineExceeded) {
				err = h.ping(ctx, askAgain) // the machine may only have been busy
			}
			if ctx.Err() == nil {
				h.note(err, now())
			}
		}
	})
	return h
}

func (h *health) ping(ctx context.Context, wait time.Duration) error {
	ctx, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	return h.ask.PingContext(ctx)
}

// note takes in how the database answered.
func (h *health) note(err error, now time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	switch {
	case err != nil && h.since.IsZero():
		h.since = now
		h.outage++
		h.down(ErrUnavailable)
	case err == nil && !h.since.IsZero():
		h.since = time.Time{}
		h.up, h.down = context.WithCancelCause(context.Background())
	}
}

func (h *health) close() error {
	h.stop()
	h.stopped.Wait()
	return h.ask.Close()
}

// run does something with the database. It ends, with ErrUnavailable, as soon as the database is found not to answer.
func (s *Store) run(ctx context.Context, f func(ctx context.Context) error) error {
	s.health.mu.Lock()
	up := s.health.up
	s.health.mu.Unlock()
	if up.Err() != nil {
		return ErrUnavailable
	}
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	defer context.AfterFunc(up, func() { cancel(ErrUnavailable) })()
	return explain(ctx, f(ctx))
}

// explain gives an error of the database the meaning that it has for whoever asks.
func explain(ctx context.Context, err error) error {
	if err == nil {
		return nil
	}
	var me *mysql.MySQLError
	var ne *net.OpError
	switch {
	case errors.Is(context.Cause(ctx), ErrUnavailable):
		return ErrUnavailable
	case ctx.Err() != nil:
		return err
	case errors.As(err, &me):
		switch me.Number {
		case 1021, 1114, 1026, 3: // disk full, table full, error writing a file
			return fmt.Errorf("%w: %s", ErrFull, me.Message)
		case 1040, 1053, 1077, 1079, 1927: // too many connections, shutting down, killed
			return fmt.Errorf("%w: %s", ErrUnavailable, me.Message)
		case 1153: // a packet larger than max_allowed_packet
			return fmt.Errorf("%w: %s", ErrTooLarge, me.Message)
		case 1205, 1213:
			return fmt.Errorf("%w: %s", ErrBusy, me.Message)
		}
	case errors.Is(err, mysql.ErrPktTooLarge):
		return fmt.Errorf("%w: %w", ErrTooLarge, err)
	case errors.Is(err, driver.ErrBadConn), errors.Is(err, mysql.ErrInvalidConn), errors.As(err, &ne):
		return fmt.Errorf("%w: %w", ErrUnavailable, err)
	}
	return err
}

// Ping tells whether the database answers, within a second.
func (s *Store) Ping(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, askWait)
	defer cancel()
	err := s.run(ctx, s.db.PingContext)
	if err != nil && errors.Is(ctx.Err(), context.DeadlineExceeded) {
		return ErrUnavailable
	}
	return err
}

// Outages returns how many times the database was found not to answer.
func (s *Store) Outages() int64 {
	s.health.mu.Lock()
	defer s.health.mu.Unlock()
	return s.health.outage
}

// Settings are those of the database that matter to the store.
type Settings struct {
	Packet      int
	LocalInfile bool
	// ClockOff is by how much the database's clock is ahead of this machine's.
	ClockOff time.Duration
}

// Settings returns the version of the database and its settings.
func (s *Store) Settings(ctx context.Context) (version string, out Settings, err error) {
	var row struct {
		Version string    `db:"version"`
		Now     time.Time `db:"now"`
	}
	err = s.get(ctx, &row, `SELECT VERSION() AS version, UTC_TIMESTAMP(6) AS now`)
	return row.Version, Settings{s.packet, s.loads, row.Now.Sub(s.now().UTC())}, err
}
