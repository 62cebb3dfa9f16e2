package service

import (
	"context"
	"fmt"
	"io"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/query"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
)

// A Local is a file that is totalled where it is, without a service. It is read as often as an answer needs, so its
// body has to be an io.Seeker.
type Local struct {
	file   File
	reader ingest.Reader
	schema *dataset.Schema
	used   bool                      // it is not at its start
	known  map[string]tally.Coverage // what it covers, by the column of the day
	days   map[string]civil.Set      // its days with records, likewise
}

// OpenLocal reads the header of a file and finds out what its columns hold.
func OpenLocal(f File) (*Local, error) {
	l := &Local{file: f}
	var err error
	if l.reader, err = f.open(context.Background(), nil); err == nil {
		l.schema, err = ingest.InferOf(l.reader, f.Hints)
	}
	if err == nil && f.NoRecords != "" {
		err = l.schema.SetNoRecords(f.NoRecords)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", f.Name, err)
	}
	return l, nil
}

// ColumnsOf returns what the columns of a file are taken for, whichever of them is the day.
func ColumnsOf(name string, body io.Reader) (*dataset.Schema, error) {
	f := File{Name: name, Body: body}
	reader, err := f.open(context.Background(), nil)
	if err != nil {
		return nil, err
	}
	defer reader.Close()
	schema, err := ingest.Infer(reader.Header(), reader.Sample(), ColumnHints{})
	for _, column := range reader.Header() {
		if err == nil {
			break
		}
		schema, err = ingest.Infer(reader.Header(), reader.Sample(), ColumnHints{Date: column})
	}
	return schema, err
}

// Close lets go of what reading the file holds; the file itself is the caller's.
func (l *Local) Close() error { return l.reader.Close() }

// Newest returns the newest day of the file, and the first whole second after its newest record where it has times; false
// where no record has one.
func (l *Local) Newest(ctx context.Context) (civil.AsOf, bool, error) {
	c, err := l.covered(ctx, "")
	asOf := civil.AsOf{Day: c.Newest, Grain: l.schema.Grain}
	if l.schema.Columns[l.schema.Day()].Type == dataset.Timestamp {
		asOf.Moment, asOf.Timed = civil.SecondAfter(c.Last), true
	}
	return asOf, c.Records > 0, err
}

// Remarks returns what is read as it is and may have been meant otherwise, of the columns that may matter to a total.
func (l *Local) Remarks() []ingest.Remark {
	return ingest.Remarks(l.schema, l.reader.Header(), l.reader.Sample())
}

// covered reads the file for the days of its records.
func (l *Local) covered(ctx context.Context, date string) (tally.Coverage, error) {
	if c, ok := l.known[date]; ok {
		return c, nil
	}
	if err := l.start(); err != nil {
		return tally.Coverage{}, err
	}
	c, days, err := ingest.Coverage(ctx, l.reader, l.schema, date, l.file.AllowUndated)
	if err != nil {
		return c, err
	}
	if l.known == nil {
		l.known, l.days = map[string]tally.Coverage{}, map[string]civil.Set{}
	}
	l.known[date], l.days[date] = c, days
	return c, nil
}

// daysOf returns the days of the file that have records.
func (l *Local) daysOf(ctx context.Context, date string) (civil.Set, error) {
	_, err := l.covered(ctx, date)
	return l.days[date], err
}

// start sets a file that was read back to its start.
func (l *Local) start() error {
	if !l.used {
		l.used = true
		return nil
	}
	back, seeks := l.file.Body.(io.Seeker)
	if !seeks {
		return fmt.Errorf("%s cannot be read twice", l.file.Name)
	}
	_, err := back.Seek(0, io.SeekStart)
	if err == nil {
		err = l.reader.Close()
	}
	if err == nil {
		l.reader, err = l.file.open(context.Background(), nil)
	}
	return err
}

// Records returns the file's records as a query is answered from them.
func (l *Local) Records() query.Records {
	return query.Records{Name: l.file.Name, Schema: l.schema, Source: localSource{l}, Covered: l.covered, Days: l.daysOf}
}

// localSource reads the file from its start.
type localSource struct{ *Local }

// Partials implements tally.Source.
func (l localSource) Partials(ctx context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	if err := l.start(); err != nil {
		return tally.Found{}, err
	}
	source := &ingest.Source{Reader: l.reader, Schema: l.schema, AllowUndated: l.file.AllowUndated}
	return source.Partials(ctx, p, into)
}

// Heaviest implements tally.Weigher.
func (l localSource) Heaviest(ctx context.Context, p *tally.Plan, column string, n int) ([]tally.Heavy, error) {
	if err := l.start(); err != nil {
		return nil, err
	}
	source := &ingest.Source{Reader: l.reader, Schema: l.schema, AllowUndated: l.file.AllowUndated}
	return source.Heaviest(ctx, p, column, n)
}
