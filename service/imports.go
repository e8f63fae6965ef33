package service

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"viandante/core/feature"
	"viandante/core/tabular"
	"viandante/service/fault"
	"viandante/store"
)

// Import is a file that was taken in, and RefusedRow a row of one that could not be.
type (
	Import     = store.Import
	RefusedRow = store.RefusedRow
)

const (
	// atOnce is how many rows are written by one change.
	atOnce = 4000
	// keptRefused is how many rows that could not be taken are kept with an import; all are counted.
	keptRefused = 10_000
)

// Incoming is a file that is to be taken in.
type Incoming struct {
	// ID is the import's, made by whoever asks for it.
	ID uuid.UUID
	// Collection is where its rows go; it is made, with that title, where it is not there.
	Collection, Title string
	File, Format      string
	Mapping           tabular.Mapping
	// Next returns the next row, io.EOF after the last.
	Next func() (tabular.Row, error)
	// ReadShape reads the text of a geometry.
	ReadShape tabular.ReadShape
	// Refused is told of every row that cannot be taken; Progress how far the import has come. Both may be nil.
	Refused  func(RefusedRow) error
	Progress func(Import)
}

// incoming is a row that is to be written.
type incoming struct {
	id    uuid.UUID
	line  int
	taken tabular.Taken
	raw   map[string]any
}

// importing is an import under way.
type importing struct {
	v   *Service
	a   Actor
	in  *Incoming
	imp Import
	// others are the ids of features that have a key and were not made by an import.
	others map[string]uuid.UUID
	kept   int
	// fresh tells that nothing of the last batch was there before.
	fresh atomic.Bool
	mu    sync.Mutex // for imp, which is written by one and read by another
}

// Import takes a file into a collection: what can be taken of it, in changes of some thousand rows each, which are one
// import to the history and to undo. When ctx ends it stops after a change, and what was taken stays. An import that
// was begun before with the same id is not begun again: what it came to is returned.
func (v *Service) Import(ctx context.Context, a Actor, in Incoming) (Import, error) {
	if err := a.MayWrite(); err != nil {
		return Import{}, err
	}
	if in.ID == uuid.Nil {
		return Import{}, fault.Refuse("id", in.ID.String(), errors.New("is the UUID of zeros, which stands for no id"))
	}
	if err := in.Mapping.Check(); err != nil {
		return Import{}, fault.Refuse("mapping", "", err)
	}
	if err := v.collectionFor(ctx, a, &in); err != nil {
		return Import{}, err
	}
	file := feature.Clip(strings.ToValidUTF8(in.File, "�"))
	m := &importing{v: v, a: a, in: &in, imp: Import{ID: in.ID, Collection: in.Collection, File: file,
		Format: in.Format,
		State:  store.ImportRunning, Actor: a.Name, StartedAt: time.Now().UTC()}}
	added, err := v.store.AddImport(ctx, a.Workspace, m.imp)
	if err != nil || !added {
		if err == nil {
			return v.store.Import(ctx, a.Workspace, in.ID)
		}
		return Import{}, err
	}
	err = m.run(ctx)
	switch {
	case err == nil:
		m.imp.State = store.ImportDone
	case ctx.Err() != nil:
		m.imp.State = store.ImportStopped
	default:
		m.imp.State = store.ImportFailed
	}
	closing, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	return m.imp, errors.Join(err, v.store.SetImport(closing, a.Workspace, m.imp))
}

// collectionFor makes sure that there is a collection for what comes.
func (v *Service) collectionFor(ctx context.Context, a Actor, in *Incoming) error {
	if !a.Sees(in.Collection) {
		return fault.Missing("collection " + feature.Clip(in.Collection))
	}
	_, err := v.store.Collection(ctx, a.Workspace, in.Collection)
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	title := in.Title
	if title == "" {
		title = in.Collection
	}
	_, _, err = v.PutCollection(ctx, a, Collection{ID: in.Collection, Title: title, Attributes: in.Mapping.Schema()},
		Match{New: true})
	return err
}

// run reads, decides and writes at the same time, a batch each.
func (m *importing) run(ctx context.Context) error {
	if err := m.findOthers(ctx); err != nil {
		return err
	}
	group, ctx := errgroup.WithContext(ctx)
	batches, decided := make(chan batch, 1), make(chan decision, 1)
	group.Go(func() error {
		defer close(batches)
		return m.read(ctx, batches)
	})
	group.Go(func() error {
		defer close(decided)
		for b := range batches {
			d, err := m.decideAll(ctx, b, m.fresh.Load())
			if err != nil {
				return err
			}
			select {
			case decided <- d:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		return nil
	})
	group.Go(func() error {
		for d := range decided {
			if err := m.write(ctx, d); err != nil {
				return err
			}
			if m.in.Progress != nil {
				m.in.Progress(m.imp)
			}
		}
		return nil
	})
	return group.Wait()
}

// findOthers finds the features that have a key already under an id of their own.
func (m *importing) findOthers(ctx context.Context) error {
	i := slices.IndexFunc(m.in.Mapping.Columns, func(c tabular.Column) bool {
		return c.Column == m.in.Mapping.Key && c.As == tabular.Attribute
	})
	if i < 0 {
		return nil
	}
	m.others = map[string]uuid.UUID{}
	return m.v.store.KeyedBy(ctx, m.a.Workspace, m.in.Collection, m.in.Mapping.Columns[i].Name,
		func(id uuid.UUID, value string) {
			if id != m.idOf(value) {
				m.others[value] = id
			}
		})
}

// idOf returns the id of the feature with a key: the key itself where it is an id, else one that follows from it.
func (m *importing) idOf(key string) uuid.UUID {
	if id, ok := m.others[key]; ok {
		return id
	}
	if len(key) == 36 {
		if id, err := uuid.Parse(key); err == nil && id != uuid.Nil {
			return id
		}
	}
	return Keyed(m.a.Workspace, m.in.Collection, key)
}

// Keyed returns the id of the feature that a key names in a collection: a UUIDv8 (RFC 9562, 5.8) of the collection, the
// last number in the key, and a digest. Keys that are counted up, as those of most tables are, give ids that ascend:
// the database writes those one after the other, in half the time that it has for ids from anywhere.
func Keyed(workspace uuid.UUID, collection, key string) (id uuid.UUID) {
	sum := sha256.New()
	sum.Write(workspace[:])
	fmt.Fprintf(sum, "%d %s", len(collection), collection)
	place := sum.Sum(nil)
	sum.Write([]byte(key))
	digest := sum.Sum(nil)
	copy(id[:2], place)
	copy(id[2:], digest)
	end := len(key)
	for end > 0 && (key[end-1] < '0' || key[end-1] > '9') {
		end--
	}
	from := end
	for from > 0 && end-from < 9 && key[from-1] >= '0' && key[from-1] <= '9' {
		from--
	}
	if n, err := strconv.ParseUint(key[from:end], 10, 32); err == nil {
		binary.BigEndian.PutUint32(id[2:6], uint32(n))
	}
	id[6] = id[6]&0x0f | 0x80
	id[8] = id[8]&0x3f | 0x80
	return id
}

// batch is what one change writes, and what was refused meanwhile.
type batch struct {
	rows    []incoming
	refused []RefusedRow
}

func (m *importing) read(ctx context.Context, out chan<- batch) error {
	var b batch
	lines := map[uuid.UUID]int{}
	send := func() error {
		select {
		case out <- b:
		case <-ctx.Done():
			return ctx.Err()
		}
		b = batch{}
		clear(lines)
		return nil
	}
	for {
		row, err := m.in.Next()
		if errors.Is(err, io.EOF) {
			return send()
		} else if err != nil {
			return errors.Join(err, send())
		}
		taken, wrong := m.in.Mapping.Take(row, m.in.ReadShape)
		if wrong == nil {
			one := incoming{line: row.Line, taken: taken, raw: row.Values}
			if one.id = m.idOf(taken.Key); m.in.Mapping.Key == "" {
				one.id = m.idOf(digestOf(row))
			}
			if before, twice := lines[one.id]; twice && m.in.Mapping.Key != "" {
				wrong = &tabular.Problem{Line: row.Line, Column: m.in.Mapping.Key, Value: feature.Clip(taken.Key),
					Reason: fmt.Sprintf("has the key that line %d has, too", before),
					Hint:   "give each row a key of its own"}
			} else if !twice {
				lines[one.id] = row.Line
				b.rows = append(b.rows, one)
			}
		}
		if wrong != nil {
			b.refused = append(b.refused, RefusedRow{Problem: *wrong, Values: row.Values})
		}
		if len(b.rows) >= atOnce || len(b.refused) >= atOnce {
			if err := send(); err != nil {
				return err
			}
		}
	}
}

// digestOf names a row that has no key by all that stands in it.
func digestOf(row tabular.Row) string {
	sum := sha256.New()
	text, _ := json.Marshal(row.Values) // what came from a file always marshals
	sum.Write(text)
	fmt.Fprint(sum, row.Geometry)
	return string(sum.Sum(nil))
}

// decision is what a batch comes to.
type decision struct {
	batch
	ids  []uuid.UUID
	now  map[uuid.UUID]store.Now
	k    Collection
	list []store.Replacement
	// refused are the rows of the batch that cannot be taken, those among them that could not be read.
	refused                     []RefusedRow
	created, updated, unchanged int
}

// decideAll decides on a batch by what the database has; with fresh by the guess that it has nothing of it yet, which
// is looked at when it is written.
func (m *importing) decideAll(ctx context.Context, b batch, fresh bool) (d decision, err error) {
	d = decision{batch: b, ids: make([]uuid.UUID, len(b.rows)), refused: slices.Clone(b.refused)}
	d.k, err = m.v.store.Collection(ctx, m.a.Workspace, m.in.Collection)
	if errors.Is(err, store.ErrNotFound) {
		return d, fault.New(fault.Conflict, "the collection %s was deleted meanwhile", m.in.Collection)
	} else if err != nil {
		return d, err
	}
	for i := range b.rows {
		d.ids[i] = b.rows[i].id
	}
	if !fresh {
		if d.now, err = m.v.store.Current(ctx, m.a.Workspace, d.ids...); err != nil {
			return d, err
		}
		m.fresh.Store(len(d.now) == 0)
	}
	for i := range b.rows {
		row := &b.rows[i]
		r, wrong := m.decide(ctx, &d.k, row, d.now[row.id])
		switch {
		case ctx.Err() != nil:
			return d, ctx.Err()
		case wrong != nil:
			d.refused = append(d.refused, RefusedRow{Problem: *wrong, Values: row.raw})
			continue
		case r.After == r.Before:
			d.unchanged++
			continue
		case r.Before == nil:
			d.created++
		default:
			d.updated++
		}
		d.list = append(d.list, r)
	}
	slices.SortStableFunc(d.refused, func(a, b RefusedRow) int { return a.Problem.Line - b.Problem.Line })
	return d, nil
}

// write writes what was decided on, as much of it as can be, under one number. What was changed since is decided on
// anew.
func (m *importing) write(ctx context.Context, d decision) error {
	for range maxTries {
		err := m.writeOnce(ctx, &d)
		if !errors.Is(err, errMoved) {
			return err
		}
		m.fresh.Store(false)
		if d, err = m.decideAll(ctx, d.batch, false); err != nil {
			return err
		}
	}
	return overtaken("these rows")
}

func (m *importing) writeOnce(ctx context.Context, d *decision) error {
	m.mu.Lock()
	imp := m.imp
	m.mu.Unlock()
	imp.Created += d.created
	imp.Updated += d.updated
	imp.Unchanged += d.unchanged
	imp.Taken += d.created + d.updated + d.unchanged
	imp.Refused += len(d.refused)
	var err error
	if len(d.list) > 0 {
		want := store.Wanted{Collections: []string{m.in.Collection}}
		before := imp.Changes
		_, err = perform(ctx, m.v, m.a, want, func(c *store.Change) (struct{}, error) {
			if c.CollectionVersion(m.in.Collection) != d.k.Version {
				return struct{}{}, errMoved
			}
			imp.Changes = before.With(c.No)
			if len(d.now) == 0 { // whether that still holds the database sees when it writes
				if ok, err := c.AddAll(d.list); err != nil || ok {
					return struct{}{}, errors.Join(err, c.SetImport(imp))
				}
				return struct{}{}, errMoved
			}
			versions, err := c.Versions(d.ids...)
			if err != nil {
				return struct{}{}, err
			}
			for _, id := range d.ids {
				if versions[id] != d.now[id].Version() {
					return struct{}{}, errMoved
				}
			}
			return struct{}{}, errors.Join(c.WriteAll(d.list), c.SetImport(imp))
		})
	} else {
		err = m.v.store.SetImport(ctx, m.a.Workspace, imp)
	}
	if err != nil {
		return err
	}
	m.mu.Lock()
	m.imp = imp
	m.mu.Unlock()
	return m.refuse(ctx, d.refused)
}

// refuse keeps rows that could not be taken.
func (m *importing) refuse(ctx context.Context, list []RefusedRow) error {
	if m.in.Refused != nil {
		for _, r := range list {
			if err := m.in.Refused(r); err != nil {
				return err
			}
		}
	}
	list = list[:min(len(list), keptRefused-m.kept)]
	for some := range slices.Chunk(list, 500) {
		if err := m.v.store.AddRefused(ctx, m.a.Workspace, m.in.ID, m.kept, some); err != nil {
			return err
		}
		m.kept += len(some)
	}
	return nil
}

// decide returns what is to become of a row, or why it cannot be taken.
func (m *importing) decide(
	ctx context.Context, k *Collection, row *incoming, now store.Now,
) (store.Replacement, *tabular.Problem) {
	problem := func(column, value, reason, hint string) *tabular.Problem {
		return &tabular.Problem{Line: row.line, Column: column, Value: value, Reason: reason, Hint: hint}
	}
	m.mu.Lock()
	changes := m.imp.Changes
	m.mu.Unlock()
	if now.Feature != nil && m.in.Mapping.Key != "" && changes.Has(now.Feature.Version) {
		return store.Replacement{}, problem(m.in.Mapping.Key, feature.Clip(row.taken.Key),
			"has a key that a row above it has, too", "give each row a key of its own")
	}
	if now.Feature != nil && now.Feature.Collection != k.ID {
		return store.Replacement{}, problem(m.in.Mapping.Key, feature.Clip(row.taken.Key), "is the id of a feature of "+
			"the collection "+now.Feature.Collection, "choose no key, to take it in as a copy")
	}
	match := Match{New: now.Feature == nil || now.Deleted}
	if !match.New {
		match = At(now.Feature.Version)
	}
	r, _, err := decide(k, row.id, now, match, m.maker(ctx, row))
	if err == nil {
		return r, nil
	}
	var refused *fault.Error
	if errors.As(err, &refused) && len(refused.Fields) > 0 {
		f := refused.Fields[0]
		return r, problem(m.columnOf(f.Field), f.Value, f.Reason, f.Hint)
	}
	return r, problem("", "", err.Error(), "")
}

// maker returns what makes a feature of a row: of one that is there what the row says is changed, and no more.
func (m *importing) maker(ctx context.Context, row *incoming) maker {
	return func(before *feature.Feature, schema feature.Schema) (*feature.Feature, []string, error) {
		draft := row.taken.Draft
		for _, v := range draft.Properties {
			if text, ok := v.(string); ok && !utf8.ValidString(text) {
				return nil, nil, fault.Refuse("", feature.Clip(strings.ToValidUTF8(text, "�")),
					errors.New("is not valid UTF-8: say which encoding the file has"))
			}
		}
		if before == nil {
			kept := feature.Draft{Geometry: draft.Geometry, Properties: make(map[string]any, len(draft.Properties))}
			for name, v := range draft.Properties {
				if v != nil {
					kept.Properties[name] = v
				}
			}
			return kept.Accept(ctx, schema)
		}
		patch := feature.Patch{Properties: draft.Properties}
		if row.taken.Placed {
			patch.Geometry = &draft.Geometry
		}
		return before.Draft().With(patch).Accept(ctx, schema)
	}
}

// columnOf returns the column that a property came from.
func (m *importing) columnOf(field string) string {
	name := strings.TrimPrefix(field, "properties.")
	for _, c := range m.in.Mapping.Columns {
		switch {
		case c.As == tabular.Attribute && c.Name == name, string(c.As) == name,
			c.As == tabular.Address && name == feature.PropAddressTyped,
			c.As == tabular.Elevation && name == feature.PropElevation,
			c.As == tabular.Radius && name == feature.PropRadius,
			c.As == tabular.Shape && name == "geometry":
			return c.Column
		}
	}
	return name
}
