package store

import (
	"cmp"
	"context"
	"database/sql"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/google/uuid"

	"viandante/core/feature"
)

// Collection is a set of features.
type Collection struct {
	ID          string `db:"id"          json:"id"`
	Title       string `db:"title"       json:"title"`
	Description string `db:"description" json:"description"`
	// Attributes are the ones that it defines.
	Attributes feature.Schema `db:"-"           json:"attributes"`
	Version    uint64         `db:"version"     json:"version"`
}

// collectionRow is a collection as the table has it.
type collectionRow struct {
	Collection
	Schema schema `db:"attributes"`
}

func (r *collectionRow) collection() Collection {
	r.Collection.Attributes = feature.Schema(r.Schema)
	return r.Collection
}

const selectCollections = `SELECT id, title, description, attributes, version FROM collections WHERE workspace = ?`

// schema is a feature.Schema as the table has it, JSON.
type schema feature.Schema

// Scan reads it from the table.
func (a *schema) Scan(src any) error {
	text, ok := src.([]byte)
	if !ok {
		return fmt.Errorf("a schema is a text, not %T", src)
	}
	return json.Unmarshal(text, a)
}

// Value writes it to the table.
func (a schema) Value() (driver.Value, error) {
	if a == nil {
		return "[]", nil
	}
	text, err := json.Marshal(a)
	return string(text), err
}

// Collections returns the collections of a workspace by id.
func (s *Store) Collections(ctx context.Context, workspace uuid.UUID) ([]Collection, error) {
	var rows []collectionRow
	err := s.all(ctx, &rows, selectCollections+` ORDER BY id`, workspace[:])
	out := make([]Collection, len(rows))
	for i := range rows {
		out[i] = rows[i].collection()
	}
	return out, err
}

// Collection returns a collection of a workspace, or ErrNotFound.
func (s *Store) Collection(ctx context.Context, workspace uuid.UUID, id string) (Collection, error) {
	var r collectionRow
	err := s.get(ctx, &r, selectCollections+` AND id = ?`, workspace[:], id)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return r.collection(), err
}

// WriteCollection creates or replaces a collection and logs it.
func (c *Change) WriteCollection(before *Collection, k *Collection) error {
	k.Version = c.No
	var was any
	if before != nil {
		was = before
	}
	return errors.Join(
		c.exec(
			`REPLACE INTO collections (workspace, id, title, description, attributes, version) VALUES (?, ?, `+
				`?, ?, ?, ?)`,
			c.Workspace[:],
			k.ID,
			k.Title,
			k.Description,
			schema(k.Attributes),
			k.Version,
		),
		c.log(Collections, k.ID, k.ID, was, k),
	)
}

// DeleteCollection deletes a collection that no feature belongs to any more, and logs it; false when some do.
func (c *Change) DeleteCollection(before *Collection) (bool, error) {
	var held bool
	err := c.get(
		&held,
		`SELECT EXISTS (SELECT 1 FROM features WHERE workspace = ? AND collection = ? AND deleted_at IS NULL)`,
		c.Workspace[:],
		before.ID,
	)
	if err != nil || held {
		return false, err
	}
	return true, errors.Join(
		c.exec(`DELETE FROM collections WHERE workspace = ? AND id = ?`, c.Workspace[:], before.ID),
		c.log(Collections, before.ID, before.ID, before, nil),
	)
}

// Category is a kind of place.
type Category struct {
	ID       string `db:"id"       json:"id"`
	Name     string `db:"name"     json:"name"`
	Glyph    string `db:"glyph"    json:"glyph"`
	Colour   string `db:"colour"   json:"colour"`
	Position int    `db:"position" json:"position"`
	// Picture is the hash of a kept picture that stands for the glyph, "" for none.
	Picture string `db:"picture"  json:"picture"`
	Version uint64 `db:"version"  json:"version"`
}

const categoryColumns = `id, name, glyph, colour, position, picture, version`

// Categories returns the categories of a workspace in their order.
func (s *Store) Categories(ctx context.Context, workspace uuid.UUID) ([]Category, error) {
	out := []Category{}
	err := s.all(
		ctx,
		&out,
		`SELECT `+categoryColumns+` FROM categories WHERE workspace = ? ORDER BY position, id`,
		workspace[:],
	)
	return out, err
}

// CurrentCategory returns a category as it is now, or nil.
func (c *Change) CurrentCategory(id string) (*Category, error) {
	var k Category
	err := c.get(&k, `SELECT `+categoryColumns+` FROM categories WHERE workspace = ? AND id = ?`, c.Workspace[:], id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return &k, err
}

// WriteCategory creates or replaces a category and logs it. before is nil for a new one.
func (c *Change) WriteCategory(before, k *Category) error {
	k.Version = c.No
	var was any
	if before != nil {
		was = before
	}
	return errors.Join(
		c.exec(
			`REPLACE INTO categories (workspace, `+categoryColumns+`) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
			c.Workspace[:],
			k.ID,
			k.Name,
			k.Glyph,
			k.Colour,
			k.Position,
			k.Picture,
			k.Version,
		),
		c.log(Categories, "", k.ID, was, k),
	)
}

// DeleteCategory deletes a category and logs it; places keep its id, and are drawn as those without one.
func (c *Change) DeleteCategory(before *Category) error {
	return errors.Join(c.exec(`DELETE FROM categories WHERE workspace = ? AND id = ?`, c.Workspace[:], before.ID),
		c.log(Categories, "", before.ID, before, nil))
}

// ByPosition orders categories as Categories returns them.
func ByPosition(a, b Category) int {
	return cmp.Or(cmp.Compare(a.Position, b.Position), cmp.Compare(a.ID, b.ID))
}
