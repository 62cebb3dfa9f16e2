package cli

import (
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"os"
	"path/filepath"
	"strings"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

// loadFlags are what is stated about a file.
type loadFlags struct {
	readingFlags
	date, once, replace, asOf        string
	amount, category, detail, key    []string
	allowUndated, previewOnly, again bool
}

func (a *app) loadCommand() *cobra.Command {
	var f loadFlags
	c := &cobra.Command{
		Use: "load DATASET FILE...", Short: "Load files of records into a dataset",
		Long: `Loads files of CSV, JSON (lines of objects, or an array of them), XLSX or Parquet into a dataset, which is
created if it does not exist; - is standard input. Files may be compressed by gzip, zstd or bzip2. Several
files are one load. A load is complete or rejected: each kind of error is reported with a count and the flag
that fixes it. Types and roles are inferred unless they are set; --preview shows them and loads nothing. The
first load fixes them.`,
		Example: `  vastspan load crossings crossings.csv --date sailed_on --amount fare --category route --preview
  vastspan load crossings crossings.csv --date sailed_on --amount fare --category route
  vastspan load crossings spring.xlsx summer.parquet autumn.csv.gz`,
		Args: argsUsage(cobra.MinimumNArgs(2), "a dataset and its files"),
	}
	out := a.outputFlag(c)
	f.add(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		params := f.params(args[1])
		if f.previewOnly {
			if len(args) > 2 {
				return usagef("--preview shows one file at a time, not %d", len(args)-1)
			}
			in, done, err := a.open(args[1])
			if err != nil {
				return err
			}
			defer done()
			return a.preview(cmd, args[0], params, in, *out)
		}
		in, kind, done, err := a.upload(args[1:])
		if err != nil {
			return err
		}
		defer done()
		bar := a.progress(in, uploadSize(args[1:]), args[1])
		r, err := call(a, nil, func(c *client.Client) (*client.LoadFileResponse, error) {
			return c.LoadFile(cmd.Context(), args[0], params, kind, bar)
		})
		bar.finish()
		if err != nil {
			return err
		}
		l := r.JSON201
		if r.JSON200 != nil {
			l = r.JSON200
		}
		if *out != print.AsTable {
			return a.printLoads([]types.Load{*l}, *out)
		}
		if r.JSON200 != nil {
			a.print.Linef("%s was already loaded into %s %s, as load %d; nothing was loaded", l.File, args[0], a.at(), l.Id)
			return nil
		}
		line := fmt.Sprintf("loaded %s into %s %s, as load %d", print.Number(l.Records, "record"), args[0], a.at(), l.Id)
		if l.Replaced > 0 {
			line += fmt.Sprintf(", replacing %s", print.Number(l.Replaced, "record"))
		}
		if l.Oldest != nil {
			line += fmt.Sprintf(": from %s to %s", l.Oldest.Long(), l.Newest.Long())
		}
		if l.Undated > 0 {
			line += fmt.Sprintf(", %s of them without a day", print.Count(l.Undated))
		}
		a.print.Linef("%s", line)
		printRemarks(a.print, value(l.Remarks))
		return nil
	}
	return c
}

func (f *loadFlags) add(c *cobra.Command) {
	flags := c.Flags()
	f.readingFlags.add(flags, "", "the IANA time zone in which an instant becomes a day (default the service's)")
	flags.StringVar(&f.date, "date", "", "the column that holds the day")
	flags.StringArrayVar(&f.amount, "amount", nil, "a column of amounts (repeatable)")
	flags.StringArrayVar(&f.category, "category", nil, "a column of categories (repeatable)")
	flags.StringArrayVar(&f.detail, "detail", nil, "a column that is kept and listed only (repeatable)")
	flags.StringVar(&f.replace, "replace", "", "replace all records (all), or those of a span, such as 'last full month'")
	flags.StringVar(&f.asOf, "as-of", "", "as of when the span of --replace is read (default today)")
	flags.StringArrayVar(&f.key, "key", nil, "replace records with the same value of this column (repeatable)")
	flags.BoolVar(&f.again, "again", false, "accept a file whose content was loaded before")
	flags.StringVar(&f.once, "idempotency-key", "", "repeating a load with the same key and content changes nothing")
	flags.BoolVar(&f.allowUndated, "allow-undated", false, "accept records without a date; every total says how many are excluded")
	flags.BoolVar(&f.previewOnly, "preview", false, "show how each column will be read; load nothing")
}

// clockText says by which clock a dataset's times become days.
func clockText(zone string, starts *string) string {
	if starts == nil {
		return "zone " + zone
	}
	return "zone " + zone + ", days start at " + *starts
}

// grainText returns the unit that a record stands for, where that is more than its day.
func grainText(grain *string) string {
	if grain == nil {
		return ""
	}
	return "; a record stands for a " + *grain
}

// writtenText says how a file is written.
func writtenText(w types.Written) string {
	name := map[string]string{"csv": "CSV", "json": "JSON", "xlsx": "XLSX", "parquet": "Parquet"}[w.Format]
	for _, one := range []struct {
		what string
		is   *string
	}{{"", w.Delimiter}, {"", w.Encoding}, {"sheet ", w.Sheet}, {"compressed by ", w.Compression}} {
		if one.is != nil {
			name += ", " + one.what + *one.is
		}
	}
	if w.HeaderRow != nil {
		name += fmt.Sprintf(", header in row %d", *w.HeaderRow)
	}
	return name
}

func (f *loadFlags) params(file string) *types.LoadFileParams {
	name := shownName(file)
	p := &types.LoadFileParams{
		File:           &name,
		AllowUndated:   &f.allowUndated,
		Date:           ptrOrNil(f.date),
		Zone:           ptrOrNil(f.zone),
		DayStarts:      ptrOrNil(f.dayStarts),
		Numbers:        ptrOrNil(f.numbers),
		Ambiguous:      ptrOrNil(f.ambiguous),
		Epoch:          ptrOrNil(f.epoch),
		Century:        ptrOrNil(f.century),
		Grain:          ptrOrNil(f.grain),
		Format:         ptrOrNil(f.written.Format),
		Delimiter:      ptrOrNil(f.written.Delimiter),
		Encoding:       ptrOrNil(f.written.Encoding),
		Sheet:          ptrOrNil(f.written.Sheet),
		HeaderRow:      ptrOrNil(f.written.HeaderRow),
		DateOrder:      ptrOrNil(types.DateOrder(f.dateOrder)),
		IdempotencyKey: ptrOrNil(f.once),
		Replace:        ptrOrNil(f.replace),
		AsOf:           ptrOrNil(types.AsOf(f.asOf)),
		Again:          ptrOrNil(f.again),
	}
	for _, list := range []struct {
		from []string
		to   **types.ColumnNames
	}{{f.amount, &p.Amount}, {f.category, &p.Category}, {f.detail, &p.Detail}, {f.omit, &p.Omit}, {f.key, &p.Key}} {
		if len(list.from) > 0 {
			*list.to = &list.from
		}
	}
	if len(f.types) > 0 {
		p.Type = &f.types
	}
	if len(f.blanks) > 0 {
		p.Blank = &f.blanks
	}
	p.Trim, p.SkipFooter = ptrOrNil(f.trim), ptrOrNil(f.written.SkipFooter)
	return p
}

func (a *app) preview(cmd *cobra.Command, name string, f *types.LoadFileParams, in io.Reader, out print.Output) error {
	params := &types.PreviewLoadParams{
		Date:         f.Date,
		Amount:       f.Amount,
		Category:     f.Category,
		Detail:       f.Detail,
		Zone:         f.Zone,
		DayStarts:    f.DayStarts,
		DateOrder:    f.DateOrder,
		Numbers:      f.Numbers,
		Ambiguous:    f.Ambiguous,
		Epoch:        f.Epoch,
		Century:      f.Century,
		Grain:        f.Grain,
		Omit:         f.Omit,
		Type:         f.Type,
		Format:       f.Format,
		Delimiter:    f.Delimiter,
		Encoding:     f.Encoding,
		Sheet:        f.Sheet,
		HeaderRow:    f.HeaderRow,
		SkipFooter:   f.SkipFooter,
		Blank:        f.Blank,
		Trim:         f.Trim,
		AllowUndated: f.AllowUndated,
		File:         f.File,
	}
	r, err := call(a, nil, func(c *client.Client) (*client.PreviewLoadResponse, error) {
		return c.PreviewLoad(cmd.Context(), name, params, anyFile, in)
	})
	if err != nil {
		return err
	}
	p := r.JSON200
	err = a.print.Print(out, print.View{Data: p, Grid: func() *table.Grid { return previewGrid(p) }, Draw: func(w *print.Printer) {
		state := "would be created"
		if p.Exists {
			state = "exists; its columns are fixed"
		}
		w.Linef("%s, read as %s", value(f.File), writtenText(p.Written))
		w.Linef(
			"dataset %s %s %s; %s; from the first %s. Nothing is loaded.\n",
			name,
			state,
			a.at(),
			clockText(p.Zone, p.DayStarts)+grainText(p.Grain),
			print.Number(p.Sampled, "row"),
		)
		w.Table(previewGrid(p), print.Look{Right: print.Right(3)})
		for _, c := range p.Columns {
			if s, ok := value(p.Suggestions)[c.Name]; ok {
				w.Linef("column %s could be read as numbers: try %s", c.Name, suggestedFlag(s))
			}
		}
		printRemarks(w, value(p.Remarks))
	}})
	if len(p.Faults) > 0 && err == nil && out != print.AsJSON {
		return &problemError{Problem: types.Problem{Detail: "the file would be rejected", Faults: &p.Faults}}
	}
	return err
}

// daysLoaded is the code of the remark that days of a load had records already.
const daysLoaded = "days_loaded"

// printRemarks says what is read as it is and may have been meant otherwise.
func printRemarks(p *print.Printer, remarks []types.Remark) {
	for _, r := range remarks {
		text := r.Text
		if r.Column != nil {
			text = "column " + *r.Column + ": " + text
		}
		if r.Suggestion != nil {
			text += "; try " + suggestedFlag(*r.Suggestion)
		}
		if r.Code == daysLoaded {
			text = strings.Replace(text, "with replace or key", "with --replace or --key", 1)
		}
		p.Linef("caution: %s", text)
	}
}

func previewGrid(p *types.Preview) *table.Grid {
	g := columnGrid(p.Columns)
	g.Header = append(g.Header, "first values")
	for i := range g.Rows {
		var values []string
		for _, row := range p.Samples {
			if i < len(row) {
				values = append(values, row[i])
			}
		}
		g.Rows[i] = append(g.Rows[i], strings.Join(values, " | "))
	}
	return g
}

// anyFile is the type of a body that is a file of any format.
const anyFile = "application/octet-stream"

// upload opens files as the body of a request: one as it is, several as its parts, each opened when its turn comes.
func (a *app) upload(files []string) (body io.Reader, kind string, done func() error, err error) {
	if len(files) == 1 {
		in, done, err := a.open(files[0])
		return in, anyFile, done, err
	}
	for _, file := range files { // before anything is sent
		if _, err := os.Stat(file); err != nil && file != "-" {
			return nil, "", nil, err
		}
	}
	in, out := io.Pipe()
	parts := multipart.NewWriter(out)
	go func() {
		err := a.writeParts(parts, files)
		_ = out.CloseWithError(errors.Join(err, parts.Close())) // it never fails
	}()
	return in, parts.FormDataContentType(), in.Close, nil
}

func (a *app) writeParts(parts *multipart.Writer, files []string) error {
	for _, file := range files {
		in, done, err := a.open(file)
		if err != nil {
			return err
		}
		part, err := parts.CreateFormFile("file", shownName(file))
		if err == nil {
			_, err = io.Copy(part, in)
		}
		if err := errors.Join(err, done()); err != nil {
			return err
		}
	}
	return nil
}

// shownName is the name under which a file is listed.
func shownName(file string) string {
	if file == "-" {
		return "(standard input)"
	}
	return filepath.Base(file)
}

// uploadSize is how many bytes files have; -1 where that is not known.
func uploadSize(files []string) int64 {
	size := int64(0)
	for _, file := range files {
		info, err := os.Stat(file)
		if err != nil || !info.Mode().IsRegular() {
			return -1
		}
		size += info.Size()
	}
	return size
}

// progress shows on standard error, where that is a terminal, how much of a file has been sent, and then that it is being
// stored.
type progress struct {
	in   io.Reader
	file string
	out  io.Writer
	bar  *progressbar.ProgressBar
}

func (a *app) progress(in io.Reader, size int64, file string) *progress {
	p := &progress{in: in, file: filepath.Base(file), out: a.err}
	p.show(size, p.file)
	return p
}

// show begins a bar of so many bytes, or one that turns where they are not known.
func (p *progress) show(size int64, what string) {
	p.bar = progressbar.NewOptions64(size,
		progressbar.OptionSetWriter(p.out), progressbar.OptionSetVisibility(print.IsTerminal(p.out)),
		progressbar.OptionSetDescription(what), progressbar.OptionShowBytes(size >= 0), progressbar.OptionClearOnFinish())
}

func (p *progress) Read(b []byte) (int, error) {
	n, err := p.in.Read(b)
	_ = p.bar.Add(n) // a bar that cannot be drawn is no reason to stop
	if errors.Is(err, io.EOF) {
		_ = p.bar.Finish()
		p.show(-1, p.file+" was sent and is being stored")
		_ = p.bar.RenderBlank()
	}
	return n, err
}

func (p *progress) finish() { _ = p.bar.Finish() }
