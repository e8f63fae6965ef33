package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"viandante/core/feature"
	"viandante/core/geo"
)

const featureColumns = `id, collection, kind, name, category, lat, lng, geometry, elevation_m, accuracy_m, source,
  fixed_at,
	address_typed, address_found, attributes, version, created_at, updated_at, deleted_at`

// featureRow is a row of the table while it is read; its texts hold until the next row.
type featureRow struct {
	id, collection, kind, name, category, lat, lng, geometry, source, typed, found, attributes sql.RawBytes
	elevation, accuracy                                                                        sql.NullFloat64
	fixed, deleted                                                                             sql.NullTime
	version                                                                                    uint64
	created, updated                                                                           time.Time
}

func (r *featureRow) scan(rows *sqlx.Rows) error {
	return rows.Scan(
		&r.id,
		&r.collection,
		&r.kind,
		&r.name,
		&r.category,
		&r.lat,
		&r.lng,
		&r.geometry,
		&r.elevation,
		&r.accuracy,
		&r.source,
		&r.fixed,
		&r.typed,
		&r.found,
		&r.attributes,
		&r.version,
		&r.created,
		&r.updated,
		&r.deleted,
	)
}

func (r *featureRow) feature() (*feature.Feature, error) {
	f := &feature.Feature{Collection: string(r.collection), Name: string(r.name), Category: string(r.category),
		Source: string(r.source), AddressTyped: string(r.typed), AddressFound: slices.Clone([]byte(r.found)),
		Version: r.version, CreatedAt: r.created, UpdatedAt: r.updated}
	copy(f.ID[:], r.id)
	if r.elevation.Valid {
		f.ElevationM = &r.elevation.Float64
	}
	if r.accuracy.Valid {
		f.AccuracyM = &r.accuracy.Float64
	}
	if r.fixed.Valid {
		f.FixedAt = &r.fixed.Time
	}
	err := r.place(f)
	if err == nil {
		f.Attributes, err = feature.ParseAttributes(r.attributes)
	}
	if err != nil {
		return nil, fmt.Errorf("the stored feature %s: %w", f.ID, err)
	}
	return f, nil
}

// place gives a feature its geometry.
func (r *featureRow) place(f *feature.Feature) (err error) {
	if r.geometry != nil {
		f.Geometry, err = readGeometry(r.geometry)
		return err
	}
	if r.lat == nil || r.lng == nil {
		return nil
	}
	lat, err1 := strconv.ParseFloat(string(r.lat), 64)
	lng, err2 := strconv.ParseFloat(string(r.lng), 64)
	p, err3 := geo.NewPoint(lat, lng)
	if err := errors.Join(err1, err2, err3); err != nil {
		return err
	}
	f.Geometry = feature.At(p.Rounded()) // the same nearest float64 as on the way in
	return nil
}

// Features calls yield with each feature of a workspace that is not deleted, in the order of their ids.
func (s *Store) Features(ctx context.Context, workspace uuid.UUID, yield func(*feature.Feature) error) error {
	return s.each(ctx, func(f *feature.Feature, _ *featureRow) error { return yield(f) },
		`SELECT `+featureColumns+` FROM features WHERE workspace = ? AND deleted_at IS NULL ORDER BY id`, workspace[:])
}

func (s *Store) each(
	ctx context.Context, yield func(*feature.Feature, *featureRow) error, query string, args ...any,
) error {
	return s.run(ctx, func(ctx context.Context) error {
		rows, err := s.db.QueryxContext(ctx, query, args...)
		if err != nil {
			return err
		}
		defer rows.Close()
		var r featureRow
		for rows.Next() {
			r.elevation, r.accuracy = sql.NullFloat64{}, sql.NullFloat64{}
			if err := r.scan(rows); err != nil {
				return err
			}
			one := r // what the feature points to is its own
			f, err := one.feature()
			if err != nil {
				return err
			}
			if err := yield(f, &one); err != nil {
				return err
			}
		}
		return rows.Err()
	})
}

// Feature returns a feature of a collection; ErrNotFound when it is not there or deleted.
func (s *Store) Feature(
	ctx context.Context,
	workspace uuid.UUID,
	collection string,
	id uuid.UUID,
) (*feature.Feature, error) {
	var out *feature.Feature
	err := s.each(
		ctx,
		func(f *feature.Feature, _ *featureRow) error { out = f; return nil },
		`SELECT `+featureColumns+` FROM features WHERE workspace = ? AND id = ? AND collection = ? AND `+
			`deleted_at IS NULL`,
		workspace[:],
		id[:],
		collection,
	)
	if err == nil && out == nil {
		err = ErrNotFound
	}
	return out, err
}

// Now is a feature as it is: nil where there never was one. Deleted tells that it is in the bin.
type Now struct {
	Feature *feature.Feature
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
		err := s.each(ctx, func(f *feature.Feature, r *featureRow) error {
			out[f.ID] = Now{f, r.deleted.Valid}
			return nil
		}, `SELECT `+featureColumns+` FROM features WHERE workspace = ? AND id IN (`+values(len(chunk), "?")+
			`)`, args...)
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

// Replacement is a feature before and after a change: Before is nil for a new one or one from the bin, After for one
// that is deleted.
type Replacement struct{ Before, After *feature.Feature }

// WriteAll creates, replaces and deletes features, each another one, and logs it. What is written gets its version and
// times.
func (c *Change) WriteAll(list []Replacement) error {
	if c.canLoad(list) {
		_, err := c.loadAll(list, `REPLACE`)
		return err
	}
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
	for _, f := range []*feature.Feature{r.Before, r.After, r.After} {
		if f != nil {
			n += len(f.Name) + 30*f.Geometry.Vertices() + len(f.Attributes) + len(f.AddressFound)
		}
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
			entries[i] = entry{collection: r.Before.Collection, entity: r.Before.ID.String(), feature: r}
			continue
		}
		c.complete(f)
		var lat, lng *float64
		var geometry []byte
		if at := f.Geometry.Point(); f.Geometry.Form() == feature.Point {
			a, o := at.Lat(), at.Lng()
			lat, lng = &a, &o
		} else if f.Geometry.IsKnown() {
			geometry = appendGeometry(nil, f.Geometry)
		}
		written++
		rows = append(
			rows,
			c.Workspace[:],
			f.ID[:],
			f.Collection,
			f.Kind().String(),
			f.Name,
			f.Category,
			lat,
			lng,
			nullText(geometry),
			f.ElevationM,
			f.AccuracyM,
			f.Source,
			f.FixedAt,
			nullText([]byte(f.AddressTyped)),
			nullText(f.AddressFound),
			f.Attributes.JSON(),
			f.Version,
			f.CreatedAt,
			f.UpdatedAt,
		)
		entries[i] = entry{collection: f.Collection, entity: f.ID.String(), feature: r}
	}
	if err := c.logAll(Features, entries); err != nil {
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
		err = errors.Join(
			err,
			c.exec(`UPDATE features SET deleted_at = ?, version = ?, updated_at = ? WHERE workspace = ? AND id IN (`+
				values(len(gone), "?")+`)`, append([]any{c.At, c.No, c.At, c.Workspace[:]}, gone...)...),
		)
	}
	return err
}

// complete gives a feature its version, its times and the position that the table will hold.
func (c *Change) complete(f *feature.Feature) {
	f.Version, f.UpdatedAt = c.No, c.At
	if f.CreatedAt.IsZero() {
		f.CreatedAt = c.At
	}
	f.Geometry = f.Geometry.Rounded()
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
	Feature   *feature.Feature
	DeletedAt time.Time
}

// Bin returns what was deleted last, newest first, at most limit of it.
func (s *Store) Bin(ctx context.Context, workspace uuid.UUID, limit int) ([]Binned, error) {
	var out []Binned
	err := s.each(ctx, func(f *feature.Feature, r *featureRow) error {
		out = append(out, Binned{f, r.deleted.Time})
		return nil
	}, `SELECT `+featureColumns+` FROM features WHERE workspace = ? AND deleted_at IS NOT NULL
		ORDER BY deleted_at DESC, id LIMIT ?`, workspace[:], limit)
	return out, err
}
