package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"viandante/codec/geojson"
	"viandante/codec/rows"
	"viandante/core/feature"
	"viandante/core/geo"
	"viandante/core/tabular"
	"viandante/service"
	"viandante/service/fault"
)

const (
	// maxImport is how large a file may be, previewed how much of it a preview needs at most.
	maxImport = 4 << 30
	previewed = 32 << 20
	// sampleRows is how many rows are looked at to find out what the columns hold, shownRows how many are shown.
	sampleRows = 200
	shownRows  = 8
	// idleWait is how long a file may send nothing.
	idleWait = 30 * time.Second
)

func (s *server) importCalls(v1 *echo.Group) {
	v1.POST("/import-preview", s.previewImport)
	v1.GET("/imports", s.imports)
	v1.PUT("/imports/:id", s.putImport)
	v1.GET("/imports/:id", s.importOf)
	v1.GET("/imports/:id/refused.csv", s.refusedOf)
	v1.POST("/imports/:id/undo", s.undoImport)
	v1.GET("/collections/:collection/export", s.export)
}

// importOut is an import as it is told of.
func importOut(i service.Import) map[string]any {
	return map[string]any{"id": i.ID, "collection": i.Collection, "file": i.File, "format": i.Format, "state": i.State,
		"actor": i.Actor, "taken": i.Taken, "created": i.Created, "updated": i.Updated, "unchanged": i.Unchanged,
		"refused": i.Refused, "started_at": i.StartedAt.UTC(), "updated_at": i.Stamp.UTC()}
}

// readOptions reads how a file is to be read.
func readOptions(q *query) rows.Options {
	o := rows.Options{Name: q.text("name", 400), Format: rows.Format(q.text("format", 20)),
		Encoding: q.text("encoding", 40), Headless: q.text("titles", 10) == "no"}
	if o.Format != "" && rows.Formats[o.Format] == "" {
		q.refuse("format", string(o.Format), &geo.ParseError{Reason: "is not a format that is read",
			Hint: "csv, tsv, geojson, geojsonseq, gpx or kml"})
	}
	return o
}

// openRows opens a file that comes, and looks at its first rows.
func openRows(body io.Reader, o rows.Options) (*rows.File, *rows.Ahead, error) {
	file, err := rows.Open(body, o)
	if err != nil {
		return nil, nil, unreadable(err)
	}
	ahead, err := rows.LookAhead(file, sampleRows)
	if err != nil {
		return nil, nil, errors.Join(unreadable(err), file.Close())
	}
	return file, ahead, nil
}

// unreadable says why a file cannot be read.
func unreadable(err error) error {
	var own *rows.Error
	if errors.As(err, &own) {
		return fault.Refuse("body", "", &geo.ParseError{Reason: own.Reason, Hint: own.Hint})
	}
	return brokenBody(err, maxImport)
}

// previewImport answers POST /v1/import-preview: what a file, or its beginning, seems to hold.
func (s *server) previewImport(c *echo.Context) error {
	q := newQuery(c)
	o := readOptions(q)
	collection := q.text("collection", 200)
	text := q.text("mapping", 60_000)
	cut := q.text("cut", 10) == "yes"
	if err := q.check(); err != nil {
		return err
	}
	data, err := s.readBody(c, previewed, fileTypes)
	if err != nil {
		return err
	}
	file, ahead, err := openRows(bytes.NewReader(data), o)
	if err != nil {
		return err
	}
	defer file.Close()
	if n := len(ahead.Sample); cut && n > 1 && n < sampleRows {
		ahead.Sample = ahead.Sample[:n-1] // it may be broken off
	}
	mapping, err := s.mappingOf(c, collection, text, file, ahead)
	if err != nil {
		return err
	}
	if !actor(c).Write {
		return actor(c).MayWrite()
	}
	columns := make([]map[string]any, len(mapping.Columns))
	for i, col := range mapping.Columns {
		samples := []string{}
		for _, r := range ahead.Sample {
			if v := tabular.Text(r.Values[col.Column]); v != "" && len(samples) < 3 && !slices.Contains(samples, v) {
				samples = append(samples, feature.Clip(v))
			}
		}
		columns[i] = map[string]any{"column": col.Column, "as": col.As, "name": col.Name, "type": col.Type,
			"samples": samples}
	}
	shown := []map[string]any{}
	wrong := 0
	for _, r := range ahead.Sample {
		taken, problem := mapping.Take(r, rows.ReadShape)
		if problem != nil {
			wrong++
		}
		if len(shown) < shownRows {
			shown = append(shown, shownRow(r, taken, problem))
		}
	}
	return c.JSON(http.StatusOK, map[string]any{"format": file.Format, "encoding": file.Encoding, "columns": columns,
		"key": mapping.Key, "rest": mapping.Rest, "rows": shown, "sampled": len(ahead.Sample), "wrong": wrong})
}

// shownRow is a row as it would be taken in, or why it would not.
func shownRow(r tabular.Row, taken tabular.Taken, problem *tabular.Problem) map[string]any {
	out := map[string]any{"line": r.Line, "problem": problem, "feature": nil}
	if problem == nil {
		props := map[string]any{}
		for name, v := range taken.Draft.Properties {
			if v != nil {
				props[name] = v
			}
		}
		out["feature"] = map[string]any{"type": "Feature", "geometry": geojson.GeometryOf(taken.Draft.Geometry),
			"properties": props}
	}
	return out
}

// mappingOf reads a mapping that was sent, or guesses one.
func (s *server) mappingOf(
	c *echo.Context, collection, text string, file *rows.File, ahead *rows.Ahead,
) (tabular.Mapping, error) {
	if text == "" {
		return s.Service.GuessMapping(c.Request().Context(), actor(c), collection, ahead.Columns(), ahead.Sample,
			file.Columns() == nil)
	}
	var m tabular.Mapping
	d := json.NewDecoder(strings.NewReader(text))
	d.DisallowUnknownFields()
	err := d.Decode(&m)
	if err == nil {
		err = m.Check()
	}
	if err != nil {
		return m, fault.Refuse("mapping", text, &geo.ParseError{Reason: "is not a mapping: " + err.Error(),
			Hint: "columns and key as POST /v1/import-preview answers them"})
	}
	return m, nil
}

// fileTypes are the media types that a file may come as; what it is shows how it begins.
var fileTypes = []string{"text/csv", "text/tab-separated-values", "text/plain", "application/geo+json",
	"application/json", "application/geo+json-seq", "application/gpx+xml",
	"application/xml", "text/xml", "application/gzip", "application/zip",
	"application/x-gzip", "application/vnd.*", "application/octet-stream"}

// putImport answers PUT /v1/imports/ID: takes the file in its body into a collection. Who goes away stops it.
func (s *server) putImport(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	o := readOptions(q)
	in := service.Incoming{ID: id, Collection: q.text("collection", 200), Title: q.text("title", 1000), File: o.Name,
		ReadShape: rows.ReadShape}
	if in.Collection == "" {
		q.refuse("collection", "", &geo.ParseError{Reason: "is missing", Hint: "the id of one, new or not"})
	}
	text := q.text("mapping", 60_000)
	if err := q.check(); err != nil {
		return err
	}
	if err := errors.Join(actor(c).MayWrite(), checkType(c.Request(), fileTypes)); err != nil {
		return err
	}
	body := &slowBody{r: http.MaxBytesReader(c.Response(), c.Request().Body, maxImport),
		control: http.NewResponseController(c.Response())}
	file, ahead, err := openRows(body, o)
	if err != nil {
		return err
	}
	defer file.Close()
	if in.Mapping, err = s.mappingOf(c, in.Collection, text, file, ahead); err != nil {
		return err
	}
	in.Format, in.Next = string(file.Format), ahead.Next
	done, err := s.Service.Import(c.Request().Context(), actor(c), in)
	if err != nil {
		var own *rows.Error
		if errors.As(err, &own) || errors.Is(err, context.Canceled) {
			return unreadable(err)
		}
		return err
	}
	return c.JSON(http.StatusOK, importOut(done))
}

// slowBody gives a large body more time as long as some of it comes.
type slowBody struct {
	r       io.Reader
	control *http.ResponseController
	last    time.Time
}

func (b *slowBody) Read(p []byte) (int, error) {
	if now := time.Now(); now.Sub(b.last) > time.Second {
		b.last = now
		_ = b.control.SetReadDeadline(now.Add(idleWait)) // a writer without deadlines is a test's
		_ = b.control.SetWriteDeadline(now.Add(answerWait))
	}
	return b.r.Read(p)
}

func (s *server) imports(c *echo.Context) error {
	list, err := s.Service.Imports(c.Request().Context(), actor(c))
	if err != nil {
		return err
	}
	out := make([]map[string]any, len(list))
	for i, one := range list {
		out[i] = importOut(one)
	}
	return c.JSON(http.StatusOK, map[string]any{"imports": out})
}

func (s *server) importOf(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	i, err := s.Service.ImportOf(c.Request().Context(), actor(c), id)
	if err != nil {
		return err
	}
	refused := []tabular.Problem{}
	err = s.Service.Refused(c.Request().Context(), actor(c), id, func(r service.RefusedRow) error {
		if len(refused) < 100 {
			refused = append(refused, r.Problem)
		}
		return nil
	})
	if err != nil {
		return err
	}
	out := importOut(i)
	out["problems"] = refused
	return c.JSON(http.StatusOK, out)
}

// refusedOf answers with the rows that could not be taken, as a table to be mended and taken in.
func (s *server) refusedOf(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	var list []service.RefusedRow
	var columns []string
	err = s.Service.Refused(c.Request().Context(), actor(c), id, func(r service.RefusedRow) error {
		for name := range r.Values {
			if !slices.Contains(columns, name) && len(columns) < 500 {
				columns = append(columns, name)
			}
		}
		list = append(list, r)
		return nil
	})
	if err != nil {
		return err
	}
	slices.Sort(columns)
	h := c.Response().Header()
	h.Set("Content-Type", rows.Formats[rows.CSV])
	h.Set("Content-Disposition", `attachment; filename="refused-`+id.String()[:8]+`.csv"`)
	w, err := rows.NewRefusedWriter(c.Response(), columns)
	for _, r := range list {
		err = errors.Join(err, w.Write(r.Problem, r.Values))
	}
	return errors.Join(err, w.Close())
}

func (s *server) undoImport(c *echo.Context) error {
	id, err := idInPath(c)
	if err != nil {
		return err
	}
	control := http.NewResponseController(c.Response())
	_ = control.SetWriteDeadline(time.Now().Add(10 * time.Minute)) // a million may have to go
	done, err := s.Service.UndoImport(c.Request().Context(), actor(c), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"import": importOut(done.Import), "undone": done.Undone,
		"changed_since": done.Changed})
}

// export answers GET /v1/collections/C/export: the whole collection as a file, sent while it is read.
func (s *server) export(c *echo.Context) error {
	collection, err := collectionInPath(c)
	if err != nil {
		return err
	}
	q := newQuery(c)
	format := rows.Format(q.text("format", 20))
	if rows.Formats[format] == "" {
		q.refuse("format", string(format), &geo.ParseError{Reason: "is not a format that is written",
			Hint: "csv, tsv, geojson, geojsonseq, gpx or kml"})
	}
	if err := q.check(); err != nil {
		return err
	}
	head, each, err := s.Service.Export(c.Request().Context(), actor(c), collection)
	if err != nil {
		return err
	}
	suffix := string(format)
	if format == rows.GeoJSONSeq {
		suffix = "geojsons"
	}
	h := c.Response().Header()
	h.Set("Content-Type", rows.Formats[format])
	h.Set("Content-Disposition", `attachment; filename=`+strconv.Quote(collection+"."+suffix))
	w, err := rows.NewWriter(c.Response(), format, head.Collection.Title, head.Columns)
	if err != nil {
		return err
	}
	control, written := http.NewResponseController(c.Response()), 0
	err = each(func(f *feature.Feature) error {
		if written++; written%1000 == 0 {
			_ = control.SetWriteDeadline(time.Now().Add(answerWait))
		}
		if err := w.Write(f); !errors.Is(err, rows.ErrNoForm) {
			return err
		}
		return nil
	})
	if err = errors.Join(err, w.Close()); err != nil && written > 0 {
		panic(http.ErrAbortHandler) // what was sent is not whole: it must not look as if it were
	}
	return err
}
