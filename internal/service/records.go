package service

import (
	"cmp"
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

// newest gives the newest day of a dataset by one of its dates; false where it has none.
func (s *Service) newest(ctx context.Context, dataset, date string) (civil.Day, bool, error) {
	d, err := s.store.Dataset(ctx, dataset)
	if err != nil {
		return 0, false, err
	}
	if _, err := d.Schema.DateColumn(date); err != nil {
		return 0, false, invalid(err)
	}
	return s.store.Newest(ctx, d, date)
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
	if w.Numbers != "" && w.Numbers != d.Schema.Numbers {
		return invalidf("dataset %s is settled on numbers written like %s, not %s", d.Name, cmp.Or(d.Schema.Numbers, "1234.56"), w.Numbers)
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

// A Description says what amounts are counted in, how they are shown, when they are good, and what a
// record stands for. What is nil stays as it is.
type Description struct {
	Covers  *string
	Columns []ColumnDescription
}

// A ColumnDescription is a Description of one column.
type ColumnDescription struct {
	Name     string
	Unit     *string
	Decimals *int
	Better   *tabular.Better
}

// Describe changes what is said about a dataset.
func (s *Service) Describe(ctx context.Context, dataset string, d Description) (*Dataset, error) {
	_, err := s.store.Describe(ctx, dataset, func(schema *tabular.Schema) error { return invalid(d.apply(schema)) })
	if err != nil {
		return nil, err
	}
	return s.Dataset(ctx, dataset)
}

func (d *Description) apply(s *tabular.Schema) error {
	if d.Covers != nil {
		u, ok := calendar.ParseUnit(*d.Covers)
		if !ok || u == calendar.BusinessDay {
			return fmt.Errorf("covers %q: expected day, week, month, quarter, half or year", *d.Covers)
		}
		s.Covers = u.String()
		if u == calendar.Day {
			s.Covers = ""
		}
	}
	for _, c := range d.Columns {
		column, err := s.AmountColumn(c.Name)
		if err != nil {
			return err
		}
		if c.Unit != nil {
			column.Unit = *c.Unit
		}
		if c.Better != nil {
			column.Better = *c.Better
		}
		if c.Decimals != nil {
			if *c.Decimals < 0 || *c.Decimals > 18 {
				return fmt.Errorf("decimals of %s: %d: expected 0 to 18", c.Name, *c.Decimals)
			}
			column.Decimals = *c.Decimals
		}
	}
	return nil
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
