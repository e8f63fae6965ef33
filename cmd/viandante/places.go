package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"viandante/codec/rows"
	"viandante/core/feature"
	"viandante/core/tabular"
	"viandante/service"
	"viandante/service/access"
	"viandante/store"
)

// homeWorkspace is the one that a tool makes where there is none yet.
var homeWorkspace = uuid.MustParse("0193d4a0-0000-7000-8000-000000000001")

func placesCommand(e *env) *cobra.Command {
	cmd := &cobra.Command{Use: "places", Short: "Take places in from files, and write them to files"}
	var in fileFlags
	take := &cobra.Command{
		Use:   "import FILE --collection NAME",
		Short: "Take a CSV, TSV, GeoJSON, GeoJSON text sequence, GPX or KML file into a collection",
		Long: "Takes the rows of a file into a collection, which is made where there is none. What the columns hold " +
			"is guessed and printed; --as COLUMN=ROLE changes it. A row that cannot be taken is passed over and told " +
			"of. The same file again changes what it has changed, by its key.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return e.withTool(cmd.Context(), in.workspace, func(svc *service.Service, a service.Actor) error {
				return importFile(cmd.Context(), svc, a, args[0], &in)
			})
		},
	}
	in.add(take)
	take.Flags().StringVar(&in.title, "title", "", "the title of a collection that is made")
	take.Flags().StringVar(&in.format, "format", "", "csv, tsv, geojson, geojsonseq, gpx or kml; without it found out")
	take.Flags().StringVar(&in.encoding, "encoding", "", "of the text, e.g. windows-1252; without it found out")
	take.Flags().BoolVar(&in.headless, "no-titles", false, "the first row of the table is a place, no titles")
	take.Flags().StringVar(&in.key, "key", "", "the column that names a row, so that the file can come again; - for "+
		"none")
	take.Flags().StringArrayVar(&in.as, "as", nil, "what a column holds, e.g. --as Breite=lat --as "+
		"Notes=attribute:notes; roles are "+rolesText())
	take.Flags().StringVar(&in.refused, "refused", "", "write the rows that cannot be taken to this CSV, each with why")
	take.Flags().BoolVar(&in.dry, "dry-run", false, "say what the columns are taken for, and change nothing")
	var out fileFlags
	write := &cobra.Command{
		Use: "export FILE --collection NAME", Short: "Write a collection to a file, in the format of its suffix",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return e.withTool(cmd.Context(), out.workspace, func(svc *service.Service, a service.Actor) error {
				return exportFile(cmd.Context(), svc, a, args[0], &out)
			})
		},
	}
	out.add(write)
	write.Flags().StringVar(&out.format, "format", "", "csv, tsv, geojson, geojsonseq, gpx or kml; without it the "+
		"suffix's")
	cmd.AddCommand(take, write)
	return cmd
}

// fileFlags are what the commands for files are told.
type fileFlags struct {
	workspace, collection, title, format, encoding, key, refused string
	headless, dry                                                bool
	as                                                           []string
}

func (f *fileFlags) add(cmd *cobra.Command) {
	cmd.Flags().StringVar(&f.collection, "collection", "", "the collection's id")
	cmd.Flags().StringVar(&f.workspace, "workspace", "", "the workspace's id, where there are several")
	if err := cmd.MarkFlagRequired("collection"); err != nil {
		panic(err) // the flag is defined a line above
	}
}

func rolesText() string {
	var out []string
	for _, r := range tabular.Roles {
		out = append(out, string(r))
	}
	return strings.Join(out, ", ")
}

// withTool opens the database beside a server that may be running on it, and calls f with what acts in a workspace.
func (e *env) withTool(
	ctx context.Context, workspace string, f func(svc *service.Service, a service.Actor) error,
) (err error) {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(400)         // little is held at a time: collecting it seldom costs little memory …
		debug.SetMemoryLimit(160 << 20) // … up to here
	}
	db, closeStore, err := e.openStore(ctx, false)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, closeStore()) }()
	id, err := workspaceOf(ctx, db, workspace)
	if err != nil {
		return err
	}
	svc := service.New(db, e.regionDir(), e.log, service.Options{Tool: true})
	defer svc.Close()
	return f(svc, access.Program(id, "command line"))
}

// workspaceOf returns the workspace of an id, or the only one; where there is none yet, one is made.
func workspaceOf(ctx context.Context, db *store.Store, text string) (uuid.UUID, error) {
	all, err := db.Workspaces(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	if text != "" {
		id, err := uuid.Parse(text)
		for _, one := range all {
			if err == nil && one == id {
				return id, nil
			}
		}
		return uuid.Nil, fmt.Errorf("there is no workspace %q; there are %v", text, all)
	}
	switch len(all) {
	case 0:
		return homeWorkspace, db.CreateWorkspace(ctx, homeWorkspace, "Home")
	case 1:
		return all[0], nil
	}
	return uuid.Nil, fmt.Errorf("there are several workspaces: choose one with --workspace, of %v", all)
}

// sampleRows is how many rows are looked at to find out what the columns hold.
const sampleRows = 200

// importFile takes a file in, and prints what came of it.
func importFile(ctx context.Context, svc *service.Service, a service.Actor, name string, o *fileFlags) error {
	f, err := os.Open(name)
	if err != nil {
		return fmt.Errorf("the file cannot be opened: %w", err)
	}
	defer f.Close()
	file, err := rows.Open(f, rows.Options{Name: filepath.Base(name), Format: rows.Format(o.format),
		Encoding: o.encoding,
		Headless: o.headless})
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	defer file.Close()
	ahead, err := rows.LookAhead(file, sampleRows)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	mapping, err := svc.GuessMapping(ctx, a, o.collection, ahead.Columns(), ahead.Sample,
		file.Columns() == nil)
	if err == nil {
		err = o.change(&mapping)
	}
	if err != nil {
		return err
	}
	o.print(file, mapping)
	if o.dry {
		return nil
	}
	refused, err := newRefusedFile(o.refused, ahead.Columns())
	if err != nil {
		return err
	}
	id, err := uuid.NewV7()
	if err != nil {
		return err
	}
	shown, told := 0, time.Now()
	done, err := svc.Import(ctx, a, service.Incoming{ID: id, Collection: o.collection, Title: o.title,
		File: filepath.Base(name), Format: string(file.Format), Mapping: mapping, Next: ahead.Next,
		ReadShape: rows.ReadShape,
		Refused: func(r service.RefusedRow) error {
			if shown++; shown <= 20 {
				fmt.Printf("  refused  %v\n", &r.Problem)
			}
			return refused.write(r)
		},
		Progress: func(i service.Import) {
			if time.Since(told) > 5*time.Second {
				told = time.Now()
				fmt.Printf("  %d rows so far\n", i.Taken+i.Refused)
			}
		}})
	err = errors.Join(err, refused.close())
	if shown > 20 {
		fmt.Printf("  … and %d more were refused\n", shown-20)
	}
	fmt.Printf("%s: %d taken (%d new, %d changed, %d as they were), %d refused\n", o.collection, done.Taken,
		done.Created,
		done.Updated, done.Unchanged, done.Refused)
	if shown > 0 && o.refused == "" {
		fmt.Println("Write what was refused to a file of its own with --refused FILE.csv, mend it there, and take " +
			"that in.")
	}
	if errors.Is(err, context.Canceled) {
		return errors.New("stopped; what was taken so far stays, and the same file again goes on")
	}
	return err
}

// change takes what was said about columns into a mapping.
func (o *fileFlags) change(m *tabular.Mapping) error {
	for _, text := range o.as {
		column, role, found := strings.Cut(text, "=")
		if !found {
			return fmt.Errorf("--as %q is not COLUMN=ROLE", text)
		}
		role, name, _ := strings.Cut(role, ":")
		if !m.Set(column, tabular.Role(role), name) {
			return fmt.Errorf("--as %q: the file has no column %q", text, column)
		}
	}
	if o.key == "-" {
		m.Key = ""
	} else if o.key != "" {
		m.Key = o.key
	}
	return m.Check()
}

func (o *fileFlags) print(file *rows.File, m tabular.Mapping) {
	fmt.Printf("Read as %s", file.Format)
	if file.Encoding != "" {
		fmt.Printf(", %s", file.Encoding)
	}
	fmt.Println(":")
	for _, c := range m.Columns {
		what := string(c.As)
		if c.As == tabular.Attribute {
			what += " " + c.Name
			if c.Type != "" {
				what += " (" + c.Type + ")"
			}
		}
		if c.Column == m.Key {
			what += ", the key"
		}
		fmt.Printf("  %-24s %s\n", feature.Clip(c.Column), what)
	}
}

// exportFile writes a collection to a file, which is put in its place when it is whole.
func exportFile(ctx context.Context, svc *service.Service, a service.Actor, name string, o *fileFlags) error {
	format := rows.Format(o.format)
	if format == "" {
		format = rows.ByName(name)
	}
	if rows.Formats[format] == "" {
		return fmt.Errorf("the format of %q is not known: name it .csv, .tsv, .geojson, .geojsons, .gpx or .kml, or "+
			"use --format", name)
	}
	head, each, err := svc.Export(ctx, a, o.collection)
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(name), ".viandante-*")
	if err != nil {
		return fmt.Errorf("the file cannot be written: %w", err)
	}
	defer os.Remove(f.Name())
	w, err := rows.NewWriter(f, format, head.Collection.Title, head.Columns)
	if err != nil {
		return err
	}
	written, left := 0, 0
	err = each(func(one *feature.Feature) error {
		err := w.Write(one)
		if errors.Is(err, rows.ErrNoForm) {
			left++
			return nil
		}
		written++
		return err
	})
	if err = errors.Join(err, w.Close(), f.Chmod(0o644), f.Close()); err != nil {
		return err
	}
	if err := os.Rename(f.Name(), name); err != nil {
		return err
	}
	fmt.Printf("%s: %d written", name, written)
	if left > 0 {
		fmt.Printf(", %d left out, which %s has no form for", left, format)
	}
	fmt.Println()
	return nil
}

// refusedFile is where rows go that cannot be taken; nowhere where no file was named.
type refusedFile struct {
	f *os.File
	w *rows.RefusedWriter
}

func newRefusedFile(name string, columns []string) (*refusedFile, error) {
	if name == "" {
		return &refusedFile{}, nil
	}
	f, err := os.Create(name)
	if err != nil {
		return nil, fmt.Errorf("the file for what is refused cannot be written: %w", err)
	}
	w, err := rows.NewRefusedWriter(f, columns)
	return &refusedFile{f, w}, err
}

func (r *refusedFile) write(one service.RefusedRow) error {
	if r.w == nil {
		return nil
	}
	return r.w.Write(one.Problem, one.Values)
}

func (r *refusedFile) close() error {
	if r.w == nil {
		return nil
	}
	return errors.Join(r.w.Close(), r.f.Close())
}
