package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"

	"github.com/google/uuid"
)

// Kept is something that a workspace keeps besides features; its topic says what its body, a JSON object, is.
type Kept struct {
	ID      uuid.UUID       `db:"id"      json:"id"`
	Body    json.RawMessage `db:"body"    json:"body"`
	Version uint64          `db:"version" json:"version"`
}

// AllKept returns what a workspace keeps under a topic, by id.
func (s *Store) AllKept(ctx context.Context, workspace uuid.UUID, topic string) ([]Kept, error) {
	out := []Kept{}
	err := s.all(
		ctx,
		&out,
		`SELECT id, body, version FROM kept WHERE workspace = ? AND topic = ? ORDER BY id`,
		workspace[:],
		topic,
	)
	return out, err
}

// Kept returns one of them; ErrNotFound where it is not there.
func (s *Store) Kept(ctx context.Context, workspace uuid.UUID, topic string, id uuid.UUID) (Kept, error) {
	var k Kept
	err := s.get(
		ctx,
		&k,
		`SELECT id, body, version FROM kept WHERE workspace = ? AND topic = ? AND id = ?`,
		workspace[:],
		topic,
		id[:],
	)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return k, err
}

// CurrentKept returns all of a topic as they are now.
func (c *Change) CurrentKept(topic string) ([]Kept, error) {
	if err := c.flush(); err != nil {
		return nil, err
	}
	var out []Kept
	err := c.conn.SelectContext(
		c.ctx,
		&out,
		`SELECT id, body, version FROM kept WHERE workspace = ? AND topic = ? ORDER BY id`,
		c.Workspace[:],
		topic,
	)
	return out, err
}

// OneKept returns one of a topic as it is now, nil for none, and how many there are.
func (c *Change) OneKept(topic string, id uuid.UUID) (*Kept, int, error) {
	if err := c.flush(); err != nil {
		return nil, 0, err
	}
	var out []Kept
	err := c.conn.SelectContext(c.ctx, &out,
		`SELECT id, body, version FROM kept WHERE workspace = ? AND topic = ? AND id = ?`, c.Workspace[:], topic, id[:])
	if err != nil {
		return nil, 0, err
	}
	count := 0
	err = c.conn.GetContext(c.ctx, &count, `SELECT COUNT(*) FROM kept WHERE workspace = ? AND topic = ?`,
		c.Workspace[:], topic)
	if len(out) == 0 {
		return nil, count, err
	}
	return &out[0], count, err
}

// WriteKept creates or replaces something kept and logs it. before is nil for a new one; k gets its version.
func (c *Change) WriteKept(topic string, before, k *Kept) error {
	k.Version = c.No
	var was any
	if before != nil {
		was = before
	}
	return errors.Join(c.exec(`REPLACE INTO kept (workspace, topic, id, body, version) VALUES (?, ?, ?, ?, ?)`,
		c.Workspace[:], topic, k.ID[:], string(k.Body), k.Version), c.log(topic, "", k.ID.String(), was, k))
}

// DeleteKept deletes something kept and logs it.
func (c *Change) DeleteKept(topic string, before *Kept) error {
	return errors.Join(
		c.exec(`DELETE FROM kept WHERE workspace = ? AND topic = ? AND id = ?`, c.Workspace[:], topic, before.ID[:]),
		c.log(topic, "", before.ID.String(), before, nil),
	)
}

// Picture is a picture that a workspace keeps.
type Picture struct {
	MediaType string `db:"media_type"`
	Width     int    `db:"width"`
	Height    int    `db:"height"`
	Data      []byte `db:"data"`
}

// AddPicture keeps a picture under the SHA-256 of its bytes; one that is there already is left.
func (s *Store) AddPicture(ctx context.Context, workspace uuid.UUID, hash [32]byte, p Picture) error {
	if err := s.hasRoom(); err != nil {
		return err
	}
	err := s.exec(
		ctx,
		`INSERT IGNORE INTO pictures (workspace, hash, media_type, width, height, data, created_at) VALUES (?, ?, ?, `+
			`?, ?, ?, ?)`,
		workspace[:],
		hash[:],
		p.MediaType,
		p.Width,
		p.Height,
		p.Data,
		s.now().UTC(),
	)
	return err
}

// Picture returns a picture; ErrNotFound where there is none of the hash. Without data its bytes are left out.
func (s *Store) Picture(ctx context.Context, workspace uuid.UUID, hash [32]byte, data bool) (Picture, error) {
	columns := "media_type, width, height"
	if data {
		columns += ", data"
	}
	var p Picture
	err := s.get(ctx, &p, `SELECT `+columns+` FROM pictures WHERE workspace = ? AND hash = ?`, workspace[:], hash[:])
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return p, err
}
