package store

import (
	"context"
	"sync/atomic"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
	"vastspan/internal/columnstore"
)

// Source returns a dataset to be totalled: by its columns, or as an attached table.
func (s *Store) Source(d *Dataset) tally.WeighingSource {
	if d.Attached != nil {
		return counted{s.databases.Source(d.Attached, &d.Schema), &s.tallies.attached}
	}
	return counted{&stored{s, d}, &s.tallies.stored}
}

// stored is a dataset that is kept here.
type stored struct {
	store   *Store
	dataset *Dataset
}

// Partials implements tally.Source: all that a plan needs is read from one state of the records.
func (r *stored) Partials(ctx context.Context, p *tally.Plan, into tally.Collector) (found tally.Found, err error) {
	err = r.store.columns.ask(ctx, r.dataset, func(state *columnstore.State) (err error) {
		found, err = state.Source().Partials(ctx, p, into)
		return err
	})
	return found, err
}

// counted is a source whose totals are counted.
type counted struct {
	tally.WeighingSource
	n *atomic.Int64
}

// Partials implements tally.Source.
func (c counted) Partials(ctx context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	c.n.Add(1)
	return c.WeighingSource.Partials(ctx, p, into)
}

// Heaviest implements tally.Weigher.
func (r *stored) Heaviest(ctx context.Context, p *tally.Plan, column string, n int) (list []tally.Heavy, err error) {
	err = r.store.columns.ask(ctx, r.dataset, func(state *columnstore.State) (err error) {
		list, err = state.Source().Heaviest(ctx, p, column, n)
		return err
	})
	return list, err
}

// Coverage returns how many records a dataset holds, with a day and without, and which days they cover.
func (s *Store) Coverage(ctx context.Context, d *Dataset) (tally.Coverage, error) {
	return s.CoverageBy(ctx, d, "")
}

// CoverageBy is Coverage by one of a dataset's dates; empty is the one that its records are kept by.
func (s *Store) CoverageBy(ctx context.Context, d *Dataset, date string) (c tally.Coverage, err error) {
	if d.Attached != nil {
		return s.databases.Coverage(ctx, d.Attached, &d.Schema, date)
	}
	err = s.columns.ask(ctx, d, func(state *columnstore.State) (err error) {
		c, err = state.CoverageBy(ctx, date)
		return err
	})
	return c, err
}

// Newest returns the newest day of a dataset by one of its dates, and where they are times the first whole second after
// the newest of them; false where no record has any.
func (s *Store) Newest(ctx context.Context, d *Dataset, date string) (civil.AsOf, bool, error) {
	if d.Attached != nil {
		return s.databases.Newest(ctx, d.Attached, &d.Schema, date)
	}
	asOf := civil.AsOf{Clock: d.clock()}
	var cell dataset.Cell
	err := s.columns.ask(ctx, d, func(state *columnstore.State) (err error) {
		cell, err = state.Newest(ctx, date)
		return err
	})
	asOf.Day = cell.Day
	if asOf.Timed = cell.Set && d.dateColumn(date).Type == dataset.Timestamp; asOf.Timed {
		asOf.Moment = civil.SecondAfter(civil.Moment(cell.Micros()))
	}
	return asOf, cell.Set, err
}
