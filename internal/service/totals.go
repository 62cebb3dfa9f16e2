package service

import (
	"context"
	"errors"
	"fmt"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/drivers"
	"vastspan/core/query"
	"vastspan/core/tally"
	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// snapshots let several questions be answered from one state of the database.
type snapshots interface {
	// Snapshot runs work that reads one thing at a time with the context it is given.
	Snapshot(ctx context.Context, work func(context.Context) error) error
}

// inSnapshot returns what work makes of one state of the database.
func inSnapshot[T any](ctx context.Context, s snapshots, work func(context.Context) (T, error)) (made T, err error) {
	err = s.Snapshot(ctx, func(ctx context.Context) (err error) {
		made, err = work(ctx)
		return err
	})
	return made, err
}

// recordSource is where datasets are totalled.
type recordSource interface {
	Dataset(ctx context.Context, name string) (*store.Dataset, error)
	Newest(ctx context.Context, d *store.Dataset, date string) (civil.AsOf, bool, error)
}

// totalStore is a recordSource that adds records up.
type totalStore interface {
	recordSource
	snapshots
	Source(d *store.Dataset) tally.WeighingSource
	CoverageBy(ctx context.Context, d *store.Dataset, date string) (tally.Coverage, error)
	DaysOf(ctx context.Context, d *store.Dataset, date string) (civil.Set, error)
}

// Totals answer queries from stored datasets.
type Totals struct {
	definitions *Definitions
	store       totalStore
	Clock
	// settings are those of datasets that are not to be read as they are described now.
	settings map[string]DatasetSettings
}

// DatasetSettings are what is said about a dataset as a whole, as far as figures depend on it.
type DatasetSettings struct {
	Grain     string            `json:"grain,omitempty"`
	NoRecords dataset.NoRecords `json:"no_records,omitempty"`
	NewestDay dataset.NewestDay `json:"newest_day,omitempty"`
}

func settingsOf(s *dataset.Schema) DatasetSettings {
	return DatasetSettings{s.Grain, s.NoRecords, s.NewestDay}
}

// records returns a stored dataset to be totalled.
func (s *Totals) records(ctx context.Context, name string) (query.Records, error) {
	d, err := visible(ctx, s.store, name, access.Totals)
	if err != nil {
		return query.Records{}, err
	}
	if stated, ok := s.settings[name]; ok {
		d.Schema.Grain, d.Schema.NoRecords, d.Schema.NewestDay = stated.Grain, stated.NoRecords, stated.NewestDay
	}
	least, by := totalsOnly(ctx, d)
	return query.Records{
		Name: name, Schema: &d.Schema, Source: s.store.Source(d), MinRecords: int64(least), TotalsBy: by,
		Costly: d.Attached != nil, Known: d.Known(),
		Covered: func(ctx context.Context, date string) (tally.Coverage, error) {
			return s.covered(ctx, d, date)
		},
		Days: func(ctx context.Context, date string) (civil.Set, error) { return s.store.DaysOf(ctx, d, date) },
	}, nil
}

// covered returns which days a dataset covers, and the moment of its newest record where it has times.
func (s *Totals) covered(ctx context.Context, d *store.Dataset, date string) (tally.Coverage, error) {
	c, err := s.store.CoverageBy(ctx, d, date)
	if at, wrong := d.Schema.DateColumn(date); err != nil || wrong != nil || d.Schema.Columns[at].Type != dataset.Timestamp {
		return c, err
	}
	c.Last = civil.BeginningOfTime
	newest, ok, err := s.store.Newest(ctx, d, date)
	if ok && newest.Timed {
		c.Last = newest.Moment - civil.Second // the first whole second after the newest record
	}
	return c, err
}

// evaluator returns what queries are answered with, as of a day.
func (s *Totals) evaluator(l *book.Library, asOf civil.AsOf, c query.Context) (query.Evaluator, error) {
	scope, err := l.Scope(asOf, c)
	today := s.Today()
	return query.Evaluator{Scope: scope, Find: s.records, Today: &today, Events: l.ComparedEvents()}, err
}

// Total answers a query.
func (s *Totals) Total(ctx context.Context, q query.Query) (*query.Answer, error) {
	return inState(ctx, s.store, s.Clock, q.Context, func(ctx context.Context) (*query.Answer, error) {
		l, err := s.definitions.Library(ctx)
		if err != nil {
			return nil, err
		}
		return s.totalWith(ctx, l, q)
	})
}

// Drivers finds what the change of a query's figure is made of; its top keeps so many values of each column.
func (s *Totals) Drivers(ctx context.Context, q query.Query) (*drivers.View, error) {
	return inState(ctx, s.store, s.Clock, q.Context, func(ctx context.Context) (*drivers.View, error) {
		l, err := s.definitions.Library(ctx)
		if err != nil {
			return nil, err
		}
		a, err := s.driversWith(ctx, l, q)
		if err != nil {
			return nil, err
		}
		return a.View(q.Top)
	})
}

// driversWith finds drivers with the definitions of a library.
func (s *Totals) driversWith(ctx context.Context, l *book.Library, q query.Query) (*drivers.Answer, error) {
	main, e, err := s.prepared(ctx, l, q)
	if err != nil {
		return nil, err
	}
	a, err := (drivers.Question{Query: q}).Answer(ctx, e, main)
	if err != nil {
		return nil, Refused(err)
	}
	a.Compared.Define(l.Definitions(a.Compared.Expressions(), a.Compared.Calendar))
	return a, nil
}

// totalWith answers a query with the definitions of a library.
func (s *Totals) totalWith(ctx context.Context, l *book.Library, q query.Query) (*query.Answer, error) {
	return s.totalKeeping(ctx, l, q, nil)
}

// prepared returns the records of a query and what it is answered with, as of its day.
func (s *Totals) prepared(ctx context.Context, l *book.Library, q query.Query) (main query.Records, e query.Evaluator, err error) {
	if q.Dataset == "" {
		return main, e, &refused.Error{
			Kind:    refused.Invalid,
			Code:    refused.CodeInvalid,
			Pointer: "/dataset",
			Err:     errors.New("expected a dataset"),
		}
	}
	if main, err = s.records(ctx, q.Dataset); err != nil {
		return main, e, err
	}
	asOf, err := s.asOf(ctx, q.AsOf, main.Schema, q.Dataset, q.Date)
	if err != nil {
		return main, e, err
	}
	e, err = s.evaluator(l, asOf, q.Context)
	return main, e, Refused(err)
}

// totalKeeping answers a query with the definitions of a library, and with stated top values where there are any.
func (s *Totals) totalKeeping(ctx context.Context, l *book.Library, q query.Query, keep *tally.Top) (*query.Answer, error) {
	main, e, err := s.prepared(ctx, l, q)
	if err != nil {
		return nil, err
	}
	e.Keep = keep
	a, err := e.Answer(ctx, q, main)
	if err != nil {
		return nil, Refused(err)
	}
	a.Define(l.Definitions(a.Expressions(), a.Calendar))
	return a, nil
}

// Lines answers several lines at once. As of latest is the newest day of the first line's dataset.
func (s *Totals) Lines(ctx context.Context, lines query.Lines) (*query.Lineup, error) {
	return inState(ctx, s.store, s.Clock, lines.Context, func(ctx context.Context) (*query.Lineup, error) {
		l, err := s.definitions.Library(ctx)
		if err != nil {
			return nil, err
		}
		return s.linesWith(ctx, l, lines)
	})
}

func (s *Totals) linesWith(ctx context.Context, l *book.Library, lines query.Lines) (*query.Lineup, error) {
	queries, err := lines.Queries()
	if err != nil {
		return nil, Refused(err)
	}
	first, err := s.records(ctx, queries[0].Dataset)
	if err != nil {
		return nil, fmt.Errorf("line %s: %w", lines.Lines[0].Label, err)
	}
	asOf, err := s.asOf(ctx, lines.AsOf, first.Schema, queries[0].Dataset, queries[0].Date)
	if err != nil {
		return nil, err
	}
	e, err := s.evaluator(l, asOf, lines.Context)
	if err != nil {
		return nil, Refused(err)
	}
	up, err := e.Lines(ctx, lines)
	if err != nil {
		return nil, Refused(err)
	}
	for i := range up.Lines {
		a := up.Lines[i].Answer
		a.Define(l.Definitions(a.Expressions(), a.Calendar))
	}
	return up, nil
}

// asOf finds as of when a dataset is asked about: by its own clock where it is asked by its times.
func (s *Totals) asOf(ctx context.Context, stated string, schema *dataset.Schema, name, date string) (civil.AsOf, error) {
	clock, err := s.clockOf(schema, date)
	if err != nil {
		return civil.AsOf{}, err
	}
	return clock.AsOf(stated, func() (civil.AsOf, bool, error) { return newestOf(ctx, s.store, name, date) })
}

// clockOf returns the clock of a dataset that is asked by its times, else the service's.
func (c Clock) clockOf(schema *dataset.Schema, date string) (Clock, error) {
	at, err := schema.DateColumn(date)
	if err != nil || schema.Columns[at].Type != dataset.Timestamp {
		return c, nil // a column that is not there is refused with the query
	}
	by, err := schema.Clock()
	if err != nil {
		return c, err
	}
	own := c.By(by)
	if c.today != nil {
		own.today = c.today
	}
	return own, nil
}

// lineTitle names a line of an item.
func lineTitle(item, line string) string { return fmt.Sprintf("%s, %s", item, line) }
