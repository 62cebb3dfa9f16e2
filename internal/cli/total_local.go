package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/internal/cli/print"
	"vastspan/internal/service"
)

// fileFlags say how a file is read that is totalled on the spot.
type fileFlags struct {
	readingFlags
	noRecords    string
	allowUndated bool
}

func (f *fileFlags) add(c *cobra.Command) {
	zone := "the IANA time zone in which an instant becomes a day and today is read (default: the service's, else this machine's)"
	f.readingFlags.add(c.Flags(), "of a file: ", zone)
}

// addTotals adds what matters to totals of a file alone.
func (f *fileFlags) addTotals(c *cobra.Command) {
	flags := c.Flags()
	flags.StringVar(&f.noRecords, "no-records", "", "of a file: what a sum without a record means: zero, or blank (default)")
	flags.BoolVar(&f.allowUndated, "allow-undated", false, "of a file: accept records without a date; they are counted and excluded")
}

// isFile reports whether a name is that of a file, not of a dataset: names of datasets have neither dots nor slashes.
func isFile(source string) bool {
	if source == "-" || strings.ContainsAny(source, "./\\") {
		return true
	}
	info, err := os.Stat(source)
	return err == nil && info.Mode().IsRegular()
}

// totalFile totals a file on the spot.
func (a *app) totalFile(ctx context.Context, file string, q query.Query, f *totalFlags, out print.Output) error {
	return a.withFile(ctx, file, &q, f, func(d *definitions, e query.Evaluator, r query.Records) error {
		answer, err := e.Answer(ctx, q, r)
		if err != nil {
			return about(err, q)
		}
		if out != print.AsTable {
			fmt.Fprintf(a.err, "vastspan: definitions: %s\n", d)
		}
		return a.printAnswer(f.limits.Put(answer), out, "definitions: "+d.String())
	})
}

// withFile does something with the records of a file and what a query is answered with; the date of the query is the file's own then.
func (a *app) withFile(
	ctx context.Context, file string, q *query.Query, f *totalFlags, do func(*definitions, query.Evaluator, query.Records) error,
) error {
	if q.Known != "" {
		return errKnownFile
	}
	f.contextFlags.zone, f.contextFlags.dayStarts = f.file.zone, f.file.dayStarts
	d, err := a.definitions(ctx, f.contextFlags)
	if err != nil {
		return err
	}
	in, done, err := a.open(file)
	if err != nil {
		return err
	}
	defer done()
	in, clean, err := rereadable(in)
	if err != nil {
		return err
	}
	defer clean()
	f.file.zone = a.zoneOf(f.file.zone, d)
	local, err := service.OpenLocal(service.File{
		Name: file, Body: in, AllowUndated: f.file.allowUndated, NoRecords: f.file.noRecords, Hints: f.hints(q),
		Options: f.file.written, Omit: f.file.omit,
	})
	if err != nil {
		return err
	}
	defer func() { _ = local.Close() }() // it has been read
	q.Date = ""                          // it is the file's own now
	asOf, err := d.asOf(f.contextFlags, func() (civil.AsOf, bool, error) { return local.Newest(ctx) })
	if err != nil {
		return err
	}
	scope, err := d.library.Scope(asOf, q.Context)
	if err != nil {
		return err
	}
	today := d.clock.Today()
	e := query.Evaluator{Scope: scope, Today: &today, Events: d.library.ComparedEvents()}
	e.Find = func(_ context.Context, name string) (query.Records, error) {
		return query.Records{}, usagef(
			"--against-dataset %s: a file is totalled on the spot; load it as a dataset to compare it with another",
			name,
		)
	}
	for _, r := range local.Remarks() {
		fmt.Fprintf(a.err, "vastspan: caution: column %s: %s\n", r.Column, r.Text)
	}
	return do(d, e, local.Records())
}

// hints are what a query says about a file's columns: its figures need amounts, its categories text.
func (f *totalFlags) hints(q *query.Query) service.ColumnHints {
	h := f.file.hints()
	h.Date = q.Date
	for _, name := range q.By {
		if query.IsPart(name) {
			h.MaybeCategories = append(h.MaybeCategories, name)
		} else {
			h.Categories = append(h.Categories, name)
		}
	}
	for _, fig := range q.Figures {
		if e, _ := measure.Lookup(fig.Kind); e.OfColumn() && !e.AnyType {
			h.Amounts = append(h.Amounts, slices.DeleteFunc(fig.Columns(), isLength)...)
		}
	}
	for _, filter := range q.Where { // a column of few values may look like numbers and still be names
		for _, c := range filter {
			if c.Op == dataset.Contains || c.Op == dataset.NotContains || c.IgnoringCase {
				h.Categories = append(h.Categories, c.Column)
			}
		}
	}
	return h
}

// isLength reports whether a figure is of a length, such as days from opened_on to closed_on.
func isLength(name string) bool {
	_, ok := dataset.ParseLength(name)
	return ok
}

// zoneOf returns the zone by which the times of a file become days: the stated one, else that of the service where one answers,
// else this machine's.
func (a *app) zoneOf(stated string, d *definitions) string {
	switch {
	case stated != "":
		return stated
	case d.ofService:
		return d.clock.Zone().String()
	}
	return localZoneName()
}

// rereadable returns a reader that can be set back to its start: the file itself, or a copy of a pipe.
func rereadable(in io.Reader) (io.Reader, func(), error) {
	if f, ok := in.(*os.File); ok {
		if info, err := f.Stat(); err == nil && info.Mode().IsRegular() {
			return f, func() {}, nil
		}
	}
	f, err := os.CreateTemp("", "vastspan-")
	if err != nil {
		return nil, nil, err
	}
	clean := func() { _ = errors.Join(f.Close(), os.Remove(f.Name())) }
	_, err = io.Copy(f, in)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		clean()
		return nil, nil, err
	}
	return f, clean, nil
}
