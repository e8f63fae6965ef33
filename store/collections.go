package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/google/uuid"
)

// Collection is a set of features.
type Collection struct {
	ID          string `db:"id" json:"id"`
	Title       string `db:"title" json:"title"`
	Description string `db:"description" json:"description"`
	// Attributes are the ones that it defines.
	Attributes Attributes `db:"attributes" json:"attributes"`
	Version    uint64     `db:"version" json:"version"`
}

// Attribute is one that a collection defines for its features.
type Attribute struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	// Type is text, number, boolean, choice, date, url or telephone.
	Type     string   `json:"type"`
	Required bool     `json:"required"`
	Options  []string `json:"options,omitempty"`
}

// Attributes are kept as JSON.
type Attributes []Attribute

// Scan reads them from the table.
func (a *Attributes) Scan(src any) error {
	text, ok := src.([]byte)
	if !ok {
		return fmt.Errorf("attributes are %T, not a text", src)
	}
	return json.Unmarshal(text, a)
}

// Value writes them to the table.
func (a Attributes) Value() (driver.Value, error) {
	if a == nil {
		return "[]", nil
	}
	text, err := json.Marshal(a)
	return string(text), err
}

// Collections returns the collections of a workspace by id.
func (s *Store) Collections(ctx context.Context, workspace uuid.UUID) ([]Collection, error) {
	out := []Collection{}
	err := s.all(ctx, &out, `SELECT id, title, description, attributes, version FROM collections WHERE workspace = ? ORDER BY id`, workspace[:])
	return out, err
}

// Collection returns a collection of a workspace, or ErrNotFound.
func (s *Store) Collection(ctx context.Context, workspace uuid.UUID, id string) (Collection, error) {
	var k Collection
	err := s.get(ctx, &k, `SELECT id, title, description, attributes, version FROM collections WHERE workspace = ? AND id = ?`, workspace[:], id)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return k, err
}

// WriteCollection creates or replaces a collection and logs it.
func (c *Change) WriteCollection(before *Collection, k *Collection) error {
	k.Version = c.No
	var was any
	if before != nil {
		was = before
	}
	return errors.Join(c.exec(`REPLACE INTO collections (workspace, id, title, description, attributes, version) VALUES (?, ?, ?, ?, ?, ?)`,
		c.Workspace[:], k.ID, k.Title, k.Description, k.Attributes, k.Version), c.log("collections", k.ID, k.ID, was, k))
}

// DeleteCollection deletes a collection that no feature belongs to any more, and logs it; false when some do.
func (c *Change) DeleteCollection(before *Collection) (bool, error) {
	var held bool
	err := c.get(&held, `SELECT EXISTS (SELECT 1 FROM features WHERE workspace = ? AND collection = ? AND deleted_at IS NULL)`,
		c.Workspace[:], before.ID)
	if err != nil || held {
		return false, err
	}
	return true, errors.Join(c.exec(`DELETE FROM collections WHERE workspace = ? AND id = ?`, c.Workspace[:], before.ID),
		c.log("collections", before.ID, before.ID, before, nil))
}

// Category is a kind of place.
type Category struct {
	ID       string `db:"id" json:"id"`
	Name     string `db:"name" json:"name"`
	Glyph    string `db:"glyph" json:"glyph"`
	Colour   string `db:"colour" json:"colour"`
	Position int    `db:"position" json:"position"`
	// Picture is the hash of a kept picture that stands for the glyph, "" for none.
	Picture string `db:"picture" json:"picture"`
	Version uint64 `db:"version" json:"version"`
}

const categoryColumns = `id, name, glyph, colour, position, picture, version`

// Categories returns the categories of a workspace in their order.
func (s *Store) Categories(ctx context.Context, workspace uuid.UUID) ([]Category, error) {
	out := []Category{}
	err := s.all(ctx, &out, `SELECT `+categoryColumns+` FROM categories WHERE workspace = ? ORDER BY position, id`, workspace[:])
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
	return errors.Join(c.exec(`REPLACE INTO categories (workspace, `+categoryColumns+`) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		c.Workspace[:], k.ID, k.Name, k.Glyph, k.Colour, k.Position, k.Picture, k.Version), c.log("categories", "", k.ID, was, k))
}

// DeleteCategory deletes a category and logs it; places keep its id, and are drawn as those without one.
func (c *Change) DeleteCategory(before *Category) error {
	return errors.Join(c.exec(`DELETE FROM categories WHERE workspace = ? AND id = ?`, c.Workspace[:], before.ID),
		c.log("categories", "", before.ID, before, nil))
}
