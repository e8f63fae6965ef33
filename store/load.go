package store

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"

	"viandante/core/feature"
)

// Many rows are handed to the database as a text with tabs, which it takes in at twice the speed of statements: half of
// its time with those goes into parsing them. A text says nothing of what was wrong with it but by warnings, so that
// one of those fails the change.

// leastLoaded is how many features are worth a text, mostLoaded and loadedBytes how many one has at most.
const leastLoaded, mostLoaded, loadedBytes = 500, 5000, 16 << 20

// loads numbers the texts, whose names the driver wants to know.
var loads atomic.Int64

// canLoad tells whether replacements can be handed over as a text.
func (c *Change) canLoad(list []Replacement) bool {
	return c.loads && len(list) >= leastLoaded &&
		!slices.ContainsFunc(list, func(r Replacement) bool { return r.After == nil })
}

// AddAll creates features; false, and the change is to be given up, where one of them is there, be it in the bin.
func (c *Change) AddAll(list []Replacement) (bool, error) {
	if c.canLoad(list) {
		return c.loadAll(list, `IGNORE`)
	}
	ids := make([]uuid.UUID, len(list))
	for i, r := range list {
		ids[i] = r.After.ID
	}
	there, err := c.Versions(ids...)
	if err != nil || len(there) > 0 {
		return false, err
	}
	return true, c.WriteAll(list)
}

// loadAll writes features that are not deleted, and logs them. twice says what becomes of those that are there:
// REPLACE, or with IGNORE nothing, and it returns false.
func (c *Change) loadAll(list []Replacement, twice string) (ok bool, err error) {
	if err := c.flush(); err != nil {
		return false, err
	}
	c.wrote = true
	for ok = true; ok && err == nil && len(list) > 0; {
		n, size := 0, 0
		for n < len(list) && n < mostLoaded && size < loadedBytes {
			size += list[n].size()
			n++
		}
		ok, err = c.load(list[:n], twice)
		list = list[n:]
	}
	return ok, err
}

func (c *Change) load(list []Replacement, twice string) (bool, error) {
	for _, r := range list {
		c.complete(r.After)
	}
	i := 0
	ok, err := c.loadInto(twice, `features (workspace, `+featureColumns+`)`, func(t *text) (bool, error) {
		if i < len(list) {
			t.feature(c.Workspace, list[i].After)
			i++
			return true, nil
		}
		return false, nil
	})
	if !ok || err != nil {
		return ok, err
	}
	i = 0
	return c.loadInto(twice, `changes (workspace, no, part, topic, collection, entity, state_before, state_after,
		format, actor, actor_id, at)`, func(t *text) (bool, error) {
		if i == len(list) {
			return false, nil
		}
		i++
		return true, c.appendLog(t, list[i-1])
	})
}

func (c *Change) appendLog(t *text, r Replacement) error {
	before, err1 := stateOf(r.Before)
	after, err2 := stateOf(r.After)
	f := r.After
	l := Logged{No: c.No, Part: c.part, Topic: Features, Collection: f.Collection, Entity: f.ID.String(),
		Before: r.Before, After: f, Actor: c.actor.Name, ActorID: c.actor.ID, At: c.At}
	c.logged = append(c.logged, l)
	c.part++
	t.bytes(c.Workspace[:])
	t.uint(l.No)
	t.uint(uint64(l.Part))
	t.string(l.Topic)
	t.string(l.Collection)
	t.string(l.Entity)
	t.orNull(before)
	t.orNull(after)
	t.uint(stateFormat)
	t.string(l.Actor)
	if l.ActorID == uuid.Nil {
		t.null()
	} else {
		t.bytes(l.ActorID[:])
	}
	t.time(&l.At)
	t.end()
	return errors.Join(err1, err2)
}

// loadInto hands rows over while they are made, so that the database takes some in meanwhile. It returns false where
// some were there.
func (c *Change) loadInto(twice, table string, next func(*text) (bool, error)) (bool, error) {
	name := "viandante-" + strconv.FormatInt(loads.Add(1), 10)
	made := &making{next: next}
	mysql.RegisterReaderHandler(name, func() io.Reader { return made })
	defer mysql.DeregisterReaderHandler(name)
	done, err := c.conn.ExecContext(c.ctx,
		`LOAD DATA LOCAL INFILE 'Reader::`+name+`' `+twice+` INTO TABLE `+columnsAfter(table))
	if err = errors.Join(made.err, err); err != nil {
		return false, err
	}
	var warnings int
	if err := c.conn.GetContext(c.ctx, &warnings, `SELECT @@warning_count`); err != nil || warnings == 0 {
		return err == nil, err
	}
	if n, err := done.RowsAffected(); err == nil && twice == `IGNORE` && n < int64(made.rows) {
		return false, nil
	}
	var level, message string
	var code int
	if err := c.conn.QueryRowxContext(c.ctx, `SHOW WARNINGS`).Scan(&level, &code, &message); err != nil {
		message = err.Error()
	}
	return false, fmt.Errorf("the database does not take the rows as they are: %s", message)
}

// making is a text that is made while it is read.
type making struct {
	next func(*text) (bool, error)
	text text
	read int
	rows int
	err  error
}

func (m *making) Read(p []byte) (int, error) {
	if m.read == len(m.text.b) {
		m.text.b, m.read = m.text.b[:0], 0
		for len(m.text.b) < len(p) {
			more, err := m.next(&m.text)
			if err != nil {
				m.err = err
				return 0, err
			}
			if !more {
				break
			}
			m.rows++
		}
		if len(m.text.b) == 0 {
			return 0, io.EOF
		}
	}
	n := copy(p, m.text.b[m.read:])
	m.read += n
	return n, nil
}

// columnsAfter puts how the text is written between a table and its columns.
func columnsAfter(table string) string {
	for i := range len(table) {
		if table[i] == ' ' {
			return table[:i] + ` CHARACTER SET binary ` + table[i:]
		}
	}
	return table
}

// text is rows of values with tabs between them, as LOAD DATA reads them.
type text struct{ b []byte }

func (t *text) end() { t.b[len(t.b)-1] = '\n' }

func (t *text) null() { t.b = append(t.b, '\\', 'N', '\t') }

func (t *text) string(s string) {
	for i := range len(s) {
		t.byte(s[i])
	}
	t.b = append(t.b, '\t')
}

func (t *text) bytes(s []byte) {
	for _, c := range s {
		t.byte(c)
	}
	t.b = append(t.b, '\t')
}

func (t *text) byte(c byte) {
	switch c {
	case 0:
		t.b = append(t.b, '\\', '0')
	case '\t':
		t.b = append(t.b, '\\', 't')
	case '\n':
		t.b = append(t.b, '\\', 'n')
	case '\r':
		t.b = append(t.b, '\\', 'r')
	case '\\':
		t.b = append(t.b, '\\', '\\')
	default:
		t.b = append(t.b, c)
	}
}

func (t *text) orNull(s []byte) {
	if len(s) == 0 {
		t.null()
		return
	}
	t.bytes(s)
}

func (t *text) uint(v uint64) { t.b = append(strconv.AppendUint(t.b, v, 10), '\t') }

func (t *text) float(v *float64) {
	if v == nil {
		t.null()
		return
	}
	t.b = append(strconv.AppendFloat(t.b, *v, 'f', -1, 64), '\t')
}

func (t *text) time(at *time.Time) {
	if at == nil {
		t.null()
		return
	}
	t.b = append(at.UTC().AppendFormat(t.b, "2006-01-02 15:04:05.000000"), '\t')
}

func (t *text) feature(workspace uuid.UUID, f *feature.Feature) {
	t.bytes(workspace[:])
	t.bytes(f.ID[:])
	t.string(f.Collection)
	t.string(f.Kind().String())
	t.string(f.Name)
	t.string(f.Category)
	if f.Geometry.Form() == feature.Point {
		lat, lng := f.Geometry.Point().Lat(), f.Geometry.Point().Lng()
		t.float(&lat)
		t.float(&lng)
		t.null()
	} else {
		t.null()
		t.null()
		var geometry []byte
		if f.Geometry.IsKnown() {
			geometry = appendGeometry(nil, f.Geometry)
		}
		t.orNull(geometry)
	}
	t.float(f.ElevationM)
	t.float(f.AccuracyM)
	t.string(f.Source)
	t.time(f.FixedAt)
	t.orNull([]byte(f.AddressTyped))
	t.orNull(f.AddressFound)
	t.string(f.Attributes.JSON())
	t.uint(f.Version)
	t.time(&f.CreatedAt)
	t.time(&f.UpdatedAt)
	t.null()
	t.end()
}
