package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/store"
	"vastspan/internal/tabular"
)

// A Dataset is a dataset with what it holds now.
type Dataset struct {
	store.Dataset
	tally.Extent
}

// Datasets lists the datasets by name.
func (s *Service) Datasets(ctx context.Context) ([]Dataset, error) {
	sets, err := s.store.Datasets(ctx)
	if err != nil {
		return nil, err
	}
	list := []Dataset{}
	for _, d := range sets {
		extent, err := s.store.Extent(ctx, &d)
		if err != nil {
			return nil, err
		}
		list = append(list, Dataset{d, extent})
	}
	return list, nil
}

// Dataset finds a dataset.
func (s *Service) Dataset(ctx context.Context, name string) (*Dataset, error) {
	d, err := s.store.Dataset(ctx, name)
	if err != nil {
		return nil, err
	}
	extent, err := s.store.Extent(ctx, d)
	return &Dataset{*d, extent}, err
}

// RemoveDataset removes a dataset with all its records and loads.
func (s *Service) RemoveDataset(ctx context.Context, name string) error {
	return s.store.RemoveDataset(ctx, name)
}

func (s *Service) newest(ctx context.Context, dataset string) (civil.Day, bool, error) {
	d, err := s.Dataset(ctx, dataset)
	if err != nil {
		return 0, false, err
	}
	return d.Newest, d.Records > 0, nil
}

// A LoadRequest is a file on its way into a dataset.
type LoadRequest struct {
	Dataset      string
	File         string
	Author       string
	AllowUndated bool
	Wishes       tabular.Wishes
	Body         io.Reader
}

// A Preview is what a file's columns would be taken for.
type Preview struct {
	Exists  bool
	Schema  tabular.Schema
	Samples [][]string
	Sampled int
	Faults  []tabular.Fault
}

// previewRows is how many rows a preview shows.
const previewRows = 5

// Preview describes a file from its beginning and tries the values there; nothing is kept.
func (s *Service) Preview(ctx context.Context, r LoadRequest) (*Preview, error) {
	if err := calendar.CheckName(r.Dataset); err != nil {
		return nil, invalid(err)
	}
	reader, err := tabular.NewReader(r.Body)
	if err != nil {
		return nil, fileError(err)
	}
	p := &Preview{Sampled: len(reader.Sample), Samples: reader.Sample[:min(previewRows, len(reader.Sample))]}
	d, err := s.store.Dataset(ctx, r.Dataset)
	var missing *store.NotFound
	switch {
	case err == nil:
		p.Exists, p.Schema = true, d.Schema
		if err := agree(d, r.Wishes); err != nil {
			return nil, err
		}
	case errors.As(err, &missing):
		schema, err := tabular.Infer(reader.Header, reader.Sample, r.Wishes)
		if err != nil {
			return nil, invalid(err)
		}
		p.Schema = *schema
	default:
		return nil, err
	}
	err = reader.SampleOnly().Records(&p.Schema, r.AllowUndated, func([]tabular.Cell) error { return nil })
	var faults *tabular.Faults
	if errors.As(err, &faults) {
		p.Faults, err = faults.Rows, nil
	}
	return p, fileError(err)
}

// fileError marks what is wrong with a file as the sender's.
func fileError(err error) error {
	if err == nil || errors.Is(err, context.Canceled) {
		return err
	}
	return invalid(err)
}

// agree refuses wishes that an existing dataset does not share: its columns were settled by its
// first load.
func agree(d *store.Dataset, w tabular.Wishes) error {
	check := func(names []string, role tabular.Role) error {
		for _, name := range names {
			c, ok := d.Schema.Column(name)
			if !ok {
				return invalidf("dataset %s has no column %q; its columns are %s", d.Name, name, strings.Join(d.Schema.Names(), ", "))
			}
			if c.Role != role {
				return invalidf("column %s of dataset %s is settled as %s, not %s", name, d.Name, c.Role, role)
			}
		}
		return nil
	}
	var date []string
	if w.Date != "" {
		date = []string{w.Date}
	}
	if w.Zone != "" && w.Zone != d.Schema.Zone {
		return invalidf("dataset %s is settled on the time zone %s, not %s", d.Name, d.Schema.Zone, w.Zone)
	}
	if w.DateOrder != "" && w.DateOrder != d.Schema.DateOrder {
		return invalidf("dataset %s is settled on dates in the order %q, not %q", d.Name, orISO(d.Schema.DateOrder), w.DateOrder)
	}
	return errors.Join(check(date, tabular.DayRole), check(w.Amounts, tabular.Amount), check(w.Categories, tabular.Category), check(w.Details, tabular.Detail))
}

func orISO(o tabular.DateOrder) tabular.DateOrder {
	if o == "" {
		return "ISO 8601"
	}
	return o
}

// Load brings a file into a dataset, whole or not at all.
func (s *Service) Load(ctx context.Context, r LoadRequest) (*store.Load, error) {
	if err := calendar.CheckName(r.Dataset); err != nil {
		return nil, invalid(err)
	}
	if d, err := s.store.Dataset(ctx, r.Dataset); err == nil {
		if err := agree(d, r.Wishes); err != nil {
			return nil, err
		}
	}
	reader, err := tabular.NewReader(r.Body)
	if err != nil {
		return nil, fileError(err)
	}
	load, err := s.store.Load(ctx, store.Incoming{
		Dataset: r.Dataset, File: r.File, Author: r.Author, AllowUndated: r.AllowUndated, Reader: reader,
		Describe: func() (*tabular.Schema, error) {
			schema, err := tabular.Infer(reader.Header, reader.Sample, r.Wishes)
			return schema, invalid(err)
		},
	})
	var faults *tabular.Faults
	var mismatch *tabular.HeaderError
	if errors.As(err, &faults) || errors.As(err, &mismatch) {
		err = invalid(err)
	}
	return load, err
}

// Loads lists a dataset's loads, newest first.
func (s *Service) Loads(ctx context.Context, dataset string) ([]store.Load, error) {
	d, err := s.store.Dataset(ctx, dataset)
	if err != nil {
		return nil, err
	}
	return s.store.Loads(ctx, d)
}

// TakeBack takes a load's records out of its dataset.
func (s *Service) TakeBack(ctx context.Context, dataset string, load int64) (*store.Load, error) {
	return s.store.TakeBack(ctx, dataset, load)
}

// Verify recounts a dataset's records and compares them with its day sums.
func (s *Service) Verify(ctx context.Context, dataset string) (*store.Verification, error) {
	d, err := s.store.Dataset(ctx, dataset)
	if err != nil {
		return nil, err
	}
	return s.store.Verify(ctx, d)
}

// A RecordsQuestion asks for the records of a span.
type RecordsQuestion struct {
	Over  string
	Where []tally.Filter
	Limit int
	After string
	Reading
}

// A Page is one page of records, newest first, with what all records of the span add up to.
type Page struct {
	Dataset Dataset
	AsOf    civil.Day
	Span    Resolved
	Records []store.Record
	Count   int64
	Undated int64
	Amounts []string
	Sums    []tally.Value
	Next    string
}

// Records lists a dataset's records by the same span and filters as a total, and what they add up to.
func (s *Service) Records(ctx context.Context, dataset string, q RecordsQuestion) (*Page, error) {
	d, err := s.Dataset(ctx, dataset)
	if err != nil {
		return nil, err
	}
	question := Question{Over: []string{q.Over}, Where: q.Where, Reading: q.Reading, Figures: []tally.Figure{{Kind: tally.Count}}}
	amounts := d.Schema.Names(tabular.Amount)
	for _, name := range amounts {
		question.Figures = append(question.Figures, tally.Figure{Kind: tally.Sum, Column: name})
	}
	listing := store.Listing{Where: q.Where, Limit: q.Limit + 1}
	if q.After != "" {
		after, err := readCursor(q.After)
		if err != nil {
			return nil, err
		}
		listing.After = after
	}
	total, err := s.Total(ctx, dataset, question)
	if err != nil {
		return nil, err
	}
	listing.Days = total.Spans[0].Days
	records, err := s.store.Records(ctx, &d.Dataset, listing)
	if err != nil {
		return nil, err
	}
	p := &Page{Dataset: *d, AsOf: total.AsOf, Span: total.Spans[0].Resolved, Records: records, Amounts: amounts, Undated: total.Extent.Undated}
	if len(records) > q.Limit {
		p.Records = records[:q.Limit]
		p.Next = cursor(p.Records[q.Limit-1])
	}
	values := total.Spans[0].Total.Values
	if p.Count, err = values[0].Decimal.Int64(); err != nil {
		return nil, err
	}
	p.Sums = values[1:]
	return p, nil
}

func cursor(r store.Record) string { return fmt.Sprintf("%s.%d", r.Day, r.ID) }

func readCursor(s string) (*store.Record, error) {
	day, id, _ := strings.Cut(s, ".")
	var r store.Record
	d, err := civil.ParseDay(day)
	if err == nil {
		_, err = fmt.Sscan(id, &r.ID)
	}
	if err != nil {
		return nil, invalidf("after: %q is not the next of another page", s)
	}
	r.Day = d
	return &r, nil
}

// maxValues is how many values of a category are listed.
const maxValues = 500

// Values lists the values of a category, the most frequent first.
func (s *Service) Values(ctx context.Context, dataset, column string) ([]store.CategoryValue, error) {
	d, err := s.store.Dataset(ctx, dataset)
	if err != nil {
		return nil, err
	}
	if err := d.Schema.CheckCategory(column); err != nil {
		return nil, invalid(err)
	}
	return s.store.Values(ctx, d, column, maxValues)
}

var _ span.Source = (*book.Library)(nil)
