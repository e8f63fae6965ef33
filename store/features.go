package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"viandante/core/geo"
)

// Kinds of feature.
const (
	Place = "place"
	Path  = "path"
	Area  = "area"
)

// Feature is a stored place, path or area. It is never changed once read.
type Feature struct {
	ID         uuid.UUID `json:"id"`
	Collection string    `json:"collection"`
	Kind       string    `json:"kind"`
	Name       string    `json:"name"`
	Category   string    `json:"category,omitempty"`
	// At is a place's position, rounded to 7 decimals; not valid while unknown.
	At geo.Point `json:"at"`
	// Geometry is a path's or an area's, as GeoJSON.
	Geometry     json.RawMessage `json:"geometry,omitempty"`
	ElevationM   *float64        `json:"elevation_m,omitempty"`
	AccuracyM    *float64        `json:"accuracy_m,omitempty"`
	Source       string          `json:"source,omitempty"`
	FixedAt      *time.Time      `json:"fixed_at,omitempty"`
	AddressTyped string          `json:"address_typed,omitempty"`
	AddressFound json.RawMessage `json:"address_found,omitempty"`
	// Attributes is a JSON object.
	Attributes json.RawMessage `json:"attributes"`
	Version    uint64          `json:"version"`
	CreatedAt  time.Time       `json:"created_at"`
	UpdatedAt  time.Time       `json:"updated_at"`
}

// featureRow is a feature as the table has it.
type featureRow struct {
	ID           uuid.UUID  `db:"id"`
	Collection   string     `db:"collection"`
	Kind         string     `db:"kind"`
	Name         string     `db:"name"`
	Category     string     `db:"category"`
	Lat          *float64   `db:"lat"`
	Lng          *float64   `db:"lng"`
	Geometry     []byte     `db:"geometry"`
	ElevationM   *float64   `db:"elevation_m"`
	AccuracyM    *float64   `db:"accuracy_m"`
	Source       string     `db:"source"`
	FixedAt      *time.Time `db:"fixed_at"`
	AddressTyped *string    `db:"address_typed"`
	AddressFound []byte     `db:"address_found"`
	Attributes   []byte     `db:"attributes"`
	Version      uint64     `db:"version"`
	CreatedAt    time.Time  `db:"created_at"`
	UpdatedAt    time.Time  `db:"updated_at"`
	DeletedAt    *time.Time `db:"deleted_at"`
}

const featureColumns = `id, collection, kind, name, category, lat, lng, geometry, elevation_m, accuracy_m, source, fixed_at,
	address_typed, address_found, attributes, version, created_at, updated_at, deleted_at`

func (r *featureRow) feature() (*Feature, error) {
	f := &Feature{ID: r.ID, Collection: r.Collection, Kind: r.Kind, Name: r.Name, Category: r.Category, Geometry: r.Geometry, ElevationM: r.ElevationM,
		AccuracyM: r.AccuracyM, Source: r.Source, FixedAt: r.FixedAt, AddressFound: r.AddressFound, Attributes: r.Attributes,
		Version: r.Version, CreatedAt: r.CreatedAt, UpdatedAt: r.UpdatedAt}
	if r.AddressTyped != nil {
		f.AddressTyped = *r.AddressTyped
	}
	if r.Lat != nil && r.Lng != nil {
		p, err := geo.NewPoint(*r.Lat, *r.Lng)
		if err != nil {
			return nil, fmt.Errorf("stored position of %s: %w", r.ID, err)
		}
		f.At = p.Rounded() // the same nearest float64 as on the way in
	}
	return f, nil
}

// Features calls yield with each feature of a workspace that is not deleted, in the order of their ids.
func (s *Store) Features(ctx context.Context, workspace uuid.UUID, yield func(*Feature) error) error {
	return s.each(ctx, yield, `SELECT `+featureColumns+` FROM features WHERE workspace = ? AND deleted_at IS NULL ORDER BY id`, workspace[:])
}

func (s *Store) each(ctx context.Context, yield func(*Feature) error, query string, args ...any) error {
	rows, err := s.db.QueryxContext(ctx, query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var r featureRow
		if err := rows.StructScan(&r); err != nil {
			return err
		}
		f, err := r.feature()
		if err != nil {
			return err
		}
		if err := yield(f); err != nil {
			return err
		}
	}
	return rows.Err()
}

// Feature returns a feature of a collection; ErrNotFound when it is not there or deleted.
func (s *Store) Feature(ctx context.Context, workspace uuid.UUID, collection string, id uuid.UUID) (*Feature, error) {
	var r featureRow
	err := s.db.GetContext(ctx, &r, `SELECT `+featureColumns+` FROM features WHERE workspace = ? AND id = ? AND collection = ? AND deleted_at IS NULL`, workspace[:], id[:], collection)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	} else if err != nil {
		return nil, err
	}
	return r.feature()
}

// Filter selects features of a collection.
type Filter struct {
	Collection string
	Box        *geo.Box
	Name       *string
	Category   *string
	// Attributes are compared with the text of the value.
	Attributes map[string]string
	// After is the id that the page before ended with.
	After uuid.UUID
	Limit int
}

// List returns a page of the features that a filter selects, by id.
func (s *Store) List(ctx context.Context, workspace uuid.UUID, f Filter) ([]*Feature, error) {
	where := []string{"workspace = ?", "collection = ?", "deleted_at IS NULL", "id > ?"}
	args := []any{workspace[:], f.Collection, f.After[:]}
	add := func(condition string, values ...any) {
		where = append(where, condition)
		args = append(args, values...)
	}
	if f.Box != nil {
		var parts []string
		var values []any
		for _, b := range f.Box.Parts() {
			parts = append(parts, "(lat BETWEEN ? AND ? AND lng BETWEEN ? AND ?)")
			values = append(values, b.South, b.North, b.West, b.East)
		}
		add("("+strings.Join(parts, " OR ")+")", values...)
	}
	if f.Name != nil {
		add("name = ?", *f.Name)
	}
	if f.Category != nil {
		add("category = ?", *f.Category)
	}
	for key, value := range f.Attributes {
		path, err := json.Marshal(key)
		if err != nil {
			return nil, err
		}
		add("JSON_UNQUOTE(JSON_EXTRACT(attributes, CONCAT('$.', ?))) = ?", string(path), value)
	}
	out := make([]*Feature, 0, f.Limit)
	err := s.each(ctx, func(one *Feature) error { out = append(out, one); return nil },
		`SELECT `+featureColumns+` FROM features WHERE `+strings.Join(where, " AND ")+` ORDER BY id LIMIT ?`, append(args, f.Limit)...)
	return out, err
}

// Current returns a feature as it is now, locked until the change is done. deleted tells that it is in the bin; the
// feature is nil where there never was one.
func (c *Change) Current(ctx context.Context, id uuid.UUID) (f *Feature, deleted bool, err error) {
	var r featureRow
	err = c.tx.GetContext(ctx, &r, `SELECT `+featureColumns+` FROM features WHERE workspace = ? AND id = ? FOR UPDATE`, c.Workspace[:], id[:])
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	} else if err != nil {
		return nil, false, err
	}
	f, err = r.feature()
	return f, r.DeletedAt != nil, err
}

// Write creates or replaces a feature and logs it. before is what Current returned, nil for a new one or one from the bin.
// f gets its version and times.
func (c *Change) Write(ctx context.Context, before, f *Feature) error {
	f.Version, f.UpdatedAt = c.No, c.At
	if f.CreatedAt.IsZero() {
		f.CreatedAt = c.At
	}
	if f.Attributes == nil {
		f.Attributes = json.RawMessage(`{}`)
	}
	var lat, lng *float64
	if f.At.IsValid() {
		f.At = f.At.Rounded()
		a, o := f.At.Lat(), f.At.Lng()
		lat, lng = &a, &o
	}
	_, err := c.tx.ExecContext(ctx, `REPLACE INTO features (workspace, `+featureColumns+`) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, NULL)`,
		c.Workspace[:], f.ID[:], f.Collection, f.Kind, f.Name, f.Category, lat, lng, nullText(f.Geometry), f.ElevationM, f.AccuracyM, f.Source, f.FixedAt,
		nullText([]byte(f.AddressTyped)), nullText(f.AddressFound), string(f.Attributes), f.Version, f.CreatedAt, f.UpdatedAt)
	if err != nil {
		return err
	}
	var was any
	if before != nil {
		was = before
	}
	return c.log(ctx, "features", f.Collection, f.ID.String(), was, f)
}

// Delete moves a feature to the bin and logs it.
func (c *Change) Delete(ctx context.Context, before *Feature) error {
	_, err := c.tx.ExecContext(ctx, `UPDATE features SET deleted_at = ?, version = ?, updated_at = ? WHERE workspace = ? AND id = ?`, c.At, c.No, c.At, c.Workspace[:], before.ID[:])
	if err != nil {
		return err
	}
	return c.log(ctx, "features", before.Collection, before.ID.String(), before, nil)
}

func nullText(b []byte) *string {
	if len(b) == 0 {
		return nil
	}
	s := string(b)
	return &s
}

// Remember keeps which feature a request with a key of its own made, so that it is made once. A key that is known gives
// the feature of the first time; ErrKeyReused when the request was another then.
func (c *Change) Remember(ctx context.Context, key string, digest [32]byte, feature uuid.UUID) (uuid.UUID, error) {
	var known struct {
		Digest  []byte    `db:"digest"`
		Feature uuid.UUID `db:"feature"`
	}
	err := c.tx.GetContext(ctx, &known, `SELECT digest, feature FROM idempotency WHERE workspace = ? AND request = ?`, c.Workspace[:], key)
	if err == nil {
		if string(known.Digest) != string(digest[:]) {
			return uuid.Nil, ErrKeyReused
		}
		return known.Feature, nil
	} else if !errors.Is(err, sql.ErrNoRows) {
		return uuid.Nil, err
	}
	_, err = c.tx.ExecContext(ctx, `INSERT INTO idempotency (workspace, request, digest, feature, created_at) VALUES (?, ?, ?, ?, ?)`, c.Workspace[:], key, digest[:], feature[:], c.At)
	return feature, err
}

// ErrKeyReused is returned when an Idempotency-Key comes with another request than the first time.
var ErrKeyReused = errors.New("this Idempotency-Key came with another request before")

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
	err := s.db.SelectContext(ctx, &out, `SELECT id, title, description, attributes, version FROM collections WHERE workspace = ? ORDER BY id`, workspace[:])
	return out, err
}

// CurrentCollection returns a collection as it is now, or nil, locked until the change is done.
func (c *Change) CurrentCollection(ctx context.Context, id string) (*Collection, error) {
	var k Collection
	err := c.tx.GetContext(ctx, &k, `SELECT id, title, description, attributes, version FROM collections WHERE workspace = ? AND id = ? FOR UPDATE`, c.Workspace[:], id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return &k, err
}

// WriteCollection creates or replaces a collection and logs it.
func (c *Change) WriteCollection(ctx context.Context, before *Collection, k *Collection) error {
	k.Version = c.No
	if _, err := c.tx.ExecContext(ctx, `REPLACE INTO collections (workspace, id, title, description, attributes, version) VALUES (?, ?, ?, ?, ?, ?)`, c.Workspace[:], k.ID, k.Title, k.Description, k.Attributes, k.Version); err != nil {
		return err
	}
	var was any
	if before != nil {
		was = before
	}
	return c.log(ctx, "collections", k.ID, k.ID, was, k)
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
}

// Categories returns the categories of a workspace in their order.
func (s *Store) Categories(ctx context.Context, workspace uuid.UUID) ([]Category, error) {
	out := []Category{}
	err := s.db.SelectContext(ctx, &out, `SELECT id, name, glyph, colour, position, picture FROM categories WHERE workspace = ? ORDER BY position, id`, workspace[:])
	return out, err
}

// WriteCategory creates or replaces a category and logs it.
func (c *Change) WriteCategory(ctx context.Context, k *Category) error {
	if _, err := c.tx.ExecContext(ctx, `REPLACE INTO categories (workspace, id, name, glyph, colour, position, picture) VALUES (?, ?, ?, ?, ?, ?, ?)`, c.Workspace[:], k.ID, k.Name, k.Glyph, k.Colour, k.Position, k.Picture); err != nil {
		return err
	}
	return c.log(ctx, "categories", "", k.ID, nil, k)
}

// DeleteCategory deletes a category and logs it; places keep its id, and are drawn as those without one.
func (c *Change) DeleteCategory(ctx context.Context, before *Category) error {
	if _, err := c.tx.ExecContext(ctx, `DELETE FROM categories WHERE workspace = ? AND id = ?`, c.Workspace[:], before.ID); err != nil {
		return err
	}
	return c.log(ctx, "categories", "", before.ID, before, nil)
}

// Binned is a feature in the bin and when it went there.
type Binned struct {
	Feature   *Feature
	DeletedAt time.Time
}

// Bin returns what was deleted last, newest first, at most limit of it.
func (s *Store) Bin(ctx context.Context, workspace uuid.UUID, limit int) ([]Binned, error) {
	var rows []featureRow
	err := s.db.SelectContext(ctx, &rows, `SELECT `+featureColumns+` FROM features WHERE workspace = ? AND deleted_at IS NOT NULL ORDER BY deleted_at DESC, id LIMIT ?`, workspace[:], limit)
	if err != nil {
		return nil, err
	}
	out := make([]Binned, len(rows))
	for i := range rows {
		f, err := rows[i].feature()
		if err != nil {
			return nil, err
		}
		out[i] = Binned{f, *rows[i].DeletedAt}
	}
	return out, nil
}

// History returns the entries of the change log about one thing, newest first, at most limit of them.
func (s *Store) History(ctx context.Context, workspace uuid.UUID, topic, entity string, limit int) ([]Logged, error) {
	var out []Logged
	err := s.db.SelectContext(ctx, &out, `SELECT no, part, topic, collection, entity, state_before, state_after, actor, at FROM changes
		WHERE workspace = ? AND entity = ? AND topic = ? ORDER BY no DESC, part DESC LIMIT ?`, workspace[:], entity, topic, limit)
	return out, err
}
