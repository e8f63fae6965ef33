// Package store keeps everything that must survive in MariaDB. Nothing else knows SQL.
//
// Writing goes through Change, the one transaction wrapper: it takes the next number of the workspace's counter row,
// runs the caller's writes, and logs each with its state before and after under that number. The counter row is locked
// until the commit, so the numbers of a workspace follow the order of its commits and have no gaps that close later.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is returned where nothing has the id.
var ErrNotFound = errors.New("not found")

// Store is a connection pool to a database. It is safe for use by many goroutines.
type Store struct {
	db     *sqlx.DB
	health *health
	now    func() time.Time
	room   func() error
	// packet is the largest statement that the database takes, in bytes.
	packet int
	// loads tells that it takes texts of many rows.
	loads bool
}

// Open connects to a database and brings its tables up to date. now is the clock.
func Open(ctx context.Context, dsn string, now func() time.Time) (*Store, error) {
	c, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf(
			"VIANDANTE_DSN is not a data source name such as user:password@tcp(127.0.0.1:3306)/viandante: %w",
			err,
		)
	}
	// Several statements travel together: all parameters are bound by the driver, none is ever part of a statement's
	// text.
	c.ParseTime, c.Loc, c.InterpolateParams, c.ClientFoundRows, c.MultiStatements = true, time.UTC, true, true, true
	if c.Params == nil {
		c.Params = map[string]string{}
	}
	c.Params["time_zone"] = "'+00:00'"
	c.Params["innodb_lock_wait_timeout"] = "5"
	if c.Timeout == 0 {
		c.Timeout = 5 * time.Second
	}
	c.Params["sql_mode"] = "'STRICT_ALL_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,ERROR_FOR_DIVISION_BY_ZERO'"
	_ = c.Apply(mysql.Charset("utf8mb4", "utf8mb4_bin")) // sets two fields, cannot fail
	connector, err := mysql.NewConnector(c)
	if err != nil {
		return nil, err
	}
	db := sqlx.NewDb(sql.OpenDB(connector), "mysql")
	db.SetMaxOpenConns(50)
	db.SetMaxIdleConns(50)
	db.SetConnMaxLifetime(30 * time.Minute)
	s := &Store{db: db, now: now}
	if err := s.migrate(ctx); err != nil {
		db.Close()
		return nil, err
	}
	if err := db.GetContext(ctx, &s.packet, `SELECT @@max_allowed_packet`); err != nil {
		db.Close()
		return nil, err
	}
	if err := db.GetContext(ctx, &s.loads, `SELECT @@local_infile`); err != nil {
		db.Close()
		return nil, err
	}
	s.health = newHealth(connector, now)
	return s, nil
}

func (s *Store) migrate(ctx context.Context) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectMySQL, s.db.DB, files)
	if err != nil {
		return fmt.Errorf("preparing the database's migrations: %w", err)
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("bringing the database's tables up to date: %w", err)
	}
	return nil
}

// Close closes the pool.
func (s *Store) Close() error { return errors.Join(s.health.close(), s.db.Close()) }

// CheckRoom has room asked before each change: its error means that there is no room to write. Call it before the
// first.
func (s *Store) CheckRoom(room func() error) { s.room = room }

func (s *Store) hasRoom() error {
	if s.room == nil {
		return nil
	}
	if err := s.room(); err != nil {
		return fmt.Errorf("%w: %w", ErrFull, err)
	}
	return nil
}

// get, all and exec are those of sqlx within run.
func (s *Store) get(ctx context.Context, into any, query string, args ...any) error {
	return s.run(ctx, func(ctx context.Context) error { return s.db.GetContext(ctx, into, query, args...) })
}

func (s *Store) all(ctx context.Context, into any, query string, args ...any) error {
	return s.run(ctx, func(ctx context.Context) error { return s.db.SelectContext(ctx, into, query, args...) })
}

func (s *Store) exec(ctx context.Context, statement string, args ...any) error {
	return s.run(ctx, func(ctx context.Context) error {
		_, err := s.db.ExecContext(ctx, statement, args...)
		return err
	})
}

// Workspaces returns the ids of all workspaces.
func (s *Store) Workspaces(ctx context.Context) ([]uuid.UUID, error) {
	var out []uuid.UUID
	err := s.all(ctx, &out, `SELECT id FROM workspaces ORDER BY id`)
	return out, err
}

// CreateWorkspace makes a workspace unless it is there.
func (s *Store) CreateWorkspace(ctx context.Context, id uuid.UUID, name string) error {
	err := s.exec(
		ctx,
		`INSERT IGNORE INTO workspaces (id, name, created_at) VALUES (?, ?, ?)`,
		id[:],
		name,
		s.now().UTC(),
	)
	return err
}

// RegionRow puts a region file into use.
type RegionRow struct {
	Name    string    `db:"name"`
	Hash    string    `db:"hash"`
	Source  string    `db:"source"`
	AddedAt time.Time `db:"added_at"`
}

// Regions returns the regions in use.
func (s *Store) Regions(ctx context.Context) ([]RegionRow, error) {
	var out []RegionRow
	err := s.all(ctx, &out, `SELECT name, hash, source, added_at FROM regions ORDER BY name`)
	return out, err
}

// UseRegion puts a region file into use under a name, instead of the one that had it. source is the hash of what it was
// built from.
func (s *Store) UseRegion(ctx context.Context, name, hash, source string) error {
	err := s.exec(ctx, `INSERT INTO regions (name, hash, source, added_at) VALUES (?, ?, ?, ?)
		ON DUPLICATE KEY UPDATE hash = VALUES(hash), source = VALUES(source), added_at = VALUES(added_at)`, name, hash,
		source, s.now().UTC())
	return err
}
