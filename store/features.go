package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

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
	return s.each(ctx, func(_ *featureRow, f *Feature) error { return yield(f) },
		`SELECT `+featureColumns+` FROM features WHERE workspace = ? AND deleted_at IS NULL ORDER BY id`, workspace[:])
}

func (s *Store) each(ctx context.Context, yield func(*featureRow, *Feature) error, query string, args ...any) error {
	return s.run(ctx, func(ctx context.Context) error {
		rows, err := s.db.QueryxContext(ctx, query, args...)
		if err != nil {
			return err
		}
		defer rows.Close()
		return eachRow(rows, yield)
	})
}

// eachRow calls yield with each row that is left, and the feature in it.
func eachRow(rows *sqlx.Rows, yield func(r *featureRow, f *Feature) error) error {
	for rows.Next() {
		var r featureRow
		if err := rows.StructScan(&r); err != nil {
			return err
		}
		f, err := r.feature()
		if err != nil {
			return err
		}
		if err := yield(&r, f); err != nil {
			return err
		}
	}
	return rows.Err()
}

// Feature returns a feature of a collection; ErrNotFound when it is not there or deleted.
func (s *Store) Feature(ctx context.Context, workspace uuid.UUID, collection string, id uuid.UUID) (*Feature, error) {
	var r featureRow
	err := s.get(ctx, &r, `SELECT `+featureColumns+` FROM features WHERE workspace = ? AND id = ? AND collection = ? AND deleted_at IS NULL`, workspace[:], id[:], collection)
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
	err := s.each(ctx, func(_ *featureRow, one *Feature) error { out = append(out, one); return nil },
		`SELECT `+featureColumns+` FROM features WHERE `+strings.Join(where, " AND ")+` ORDER BY id LIMIT ?`, append(args, f.Limit)...)
	return out, err
}

// Now is a feature as it is: nil where there never was one. Deleted tells that it is in the bin.
type Now struct {
	Feature *Feature
	Deleted bool
}

// Version returns what a change is to find if nobody has changed the feature meanwhile.
func (n Now) Version() Version {
	if n.Feature == nil {
		return Version{}
	}
	return Version{n.Feature.Version, n.Deleted}
}

// Current returns those of some features that are or were there, as they are now.
func (s *Store) Current(ctx context.Context, workspace uuid.UUID, ids ...uuid.UUID) (map[uuid.UUID]Now, error) {
	out := make(map[uuid.UUID]Now, len(ids))
	for chunk := range slices.Chunk(ids, readTogether) {
		args := []any{workspace[:]}
		for _, id := range chunk {
			args = append(args, id[:])
		}
		err := s.each(ctx, func(r *featureRow, f *Feature) error {
			out[f.ID] = Now{f, r.DeletedAt != nil}
			return nil
		}, `SELECT `+featureColumns+` FROM features WHERE workspace = ? AND id IN (`+values(len(chunk), "?")+`)`, args...)
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Versions returns the versions of some features as they are within the change.
func (c *Change) Versions(ids ...uuid.UUID) (map[uuid.UUID]Version, error) {
	if c.features != nil && slices.Equal(ids, c.wanted.Features) {
		return c.features, nil
	}
	if err := c.flush(); err != nil {
		return nil, err
	}
	out := make(map[uuid.UUID]Version, len(ids))
	read := func(chunk []uuid.UUID) error {
		query, args := c.versionsOfFeatures(chunk)
		rows, err := c.conn.QueryxContext(c.ctx, query, args...)
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			if err := scanFeatureVersion(rows, out); err != nil {
				return err
			}
		}
		return rows.Err()
	}
	for chunk := range slices.Chunk(ids, readTogether) {
		if err := read(chunk); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Replacement is a feature before and after a change: Before is nil for a new one or one from the bin, After for one that
// is deleted.
type Replacement struct{ Before, After *Feature }

// WriteAll creates, replaces and deletes features, each another one, and logs it. What is written gets its version and times.
func (c *Change) WriteAll(list []Replacement) error {
	for len(list) > 0 {
		n, size := 0, 0
		for n < len(list) && n < together && (n == 0 || size < exchanged) {
			size += list[n].size()
			n++
		}
		if err := c.writeSome(list[:n]); err != nil {
			return err
		}
		list = list[n:]
		if c.size > exchanged {
			if err := c.flush(); err != nil {
				return err
			}
		}
	}
	return nil
}

// size is about how many bytes a replacement takes in a statement.
func (r Replacement) size() int {
	n := 0
	if f := r.Before; f != nil {
		n += len(f.Name) + len(f.Geometry) + len(f.Attributes) + len(f.AddressFound)
	}
	if f := r.After; f != nil {
		n += 2 * (len(f.Name) + len(f.Geometry) + len(f.Attributes) + len(f.AddressFound))
	}
	return n
}

func (c *Change) writeSome(list []Replacement) error {
	var rows, gone []any
	entries := make([]entry, len(list))
	written := 0
	for i, r := range list {
		f := r.After
		if f == nil {
			gone = append(gone, r.Before.ID[:])
			entries[i] = entry{collection: r.Before.Collection, entity: r.Before.ID.String(), before: r.Before}
			continue
		}
		c.complete(f)
		var lat, lng *float64
		if f.At.IsValid() {
			a, o := f.At.Lat(), f.At.Lng()
			lat, lng = &a, &o
		}
		written++
		rows = append(rows, c.Workspace[:], f.ID[:], f.Collection, f.Kind, f.Name, f.Category, lat, lng, nullText(f.Geometry), f.ElevationM, f.AccuracyM, f.Source, f.FixedAt,
			nullText([]byte(f.AddressTyped)), nullText(f.AddressFound), string(f.Attributes), f.Version, f.CreatedAt, f.UpdatedAt)
		entries[i] = entry{collection: f.Collection, entity: f.ID.String(), after: f}
		if r.Before != nil {
			entries[i].before = r.Before
		}
	}
	if err := c.logAll("features", entries); err != nil {
		return err
	}
	var err error
	if written > 0 {
		// What was never there is inserted; where it is in the bin after all, that fails, and ChangeOf takes it out.
		verb := `REPLACE`
		if c.conn == nil && list[0].Before == nil {
			verb = `INSERT`
		}
		err = c.exec(verb+` INTO features (workspace, `+featureColumns+`) VALUES `+
			values(written, `(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, NULL)`), rows...)
	}
	if len(gone) > 0 {
		err = errors.Join(err, c.exec(`UPDATE features SET deleted_at = ?, version = ?, updated_at = ? WHERE workspace = ? AND id IN (`+
			values(len(gone), "?")+`)`, append([]any{c.At, c.No, c.At, c.Workspace[:]}, gone...)...))
	}
	return err
}

// complete gives a feature its version, its times and the position that the table will hold.
func (c *Change) complete(f *Feature) {
	f.Version, f.UpdatedAt = c.No, c.At
	if f.CreatedAt.IsZero() {
		f.CreatedAt = c.At
	}
	if f.Attributes == nil {
		f.Attributes = json.RawMessage(`{}`)
	}
	if f.At.IsValid() {
		f.At = f.At.Rounded()
	}
}

// values repeats the placeholders of one row or value.
func values(n int, one string) string { return one + strings.Repeat(", "+one, n-1) }

func nullText(b []byte) *string {
	if len(b) == 0 {
		return nil
	}
	s := string(b)
	return &s
}

// Binned is a feature in the bin and when it went there.
type Binned struct {
	Feature   *Feature
	DeletedAt time.Time
}

// Bin returns what was deleted last, newest first, at most limit of it.
func (s *Store) Bin(ctx context.Context, workspace uuid.UUID, limit int) ([]Binned, error) {
	var rows []featureRow
	err := s.all(ctx, &rows, `SELECT `+featureColumns+` FROM features WHERE workspace = ? AND deleted_at IS NOT NULL ORDER BY deleted_at DESC, id LIMIT ?`, workspace[:], limit)
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
	err := s.all(ctx, &out, `SELECT no, part, topic, collection, entity, state_before, state_after, actor, at FROM changes
		WHERE workspace = ? AND entity = ? AND topic = ? ORDER BY no DESC, part DESC LIMIT ?`, workspace[:], entity, topic, limit)
	return out, err
}
