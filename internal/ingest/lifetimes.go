package ingest

import (
	"context"
	"slices"

	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// LifetimeSource is a file of records as they begin and end; it is read once, from start to end.
type LifetimeSource struct {
	Reader Reader
	Schema *dataset.Schema
}

// Lifetimes implements ageing.Source.
func (f *LifetimeSource) Lifetimes(ctx context.Context, q *ageing.Request, take func(ageing.Lifetime) error) error {
	s := f.Schema
	pass, err := s.Predicate(q.Where)
	if err != nil {
		return err
	}
	at := s.Indexes([]string{q.From, q.To})
	by, amount := -1, -1
	columns := slices.Concat(at, s.Indexes(q.Where.Columns()))
	if q.By != "" {
		by = s.Index(q.By)
		columns = append(columns, by)
	}
	if q.Amount != "" {
		amount = s.Index(q.Amount)
		columns = append(columns, amount)
	}
	slices.Sort(columns)
	o := ScanOptions{Schema: s, Columns: slices.Compact(columns), AllowUndated: true}
	return Scan(ctx, f.Reader, o, func(_ int, rows Rows) ([]ageing.Lifetime, error) {
		var list []ageing.Lifetime
		return list, rows(func(_ int, cells []dataset.Cell) error {
			if !pass(cells) {
				return nil
			}
			begin, end := &cells[at[0]], &cells[at[1]]
			one := ageing.Lifetime{Begun: begin.Set, Ended: end.Set, Records: 1}
			if begin.Set { // a blank cell holds what stood there before
				one.Begin = begin.Day
			}
			if end.Set {
				one.End = end.Day
			}
			if q.Moments && begin.Set && end.Set {
				one.From, one.To = civil.Moment(begin.Micros()), civil.Moment(end.Micros())
			} else if q.Moments && begin.Set {
				one.From = civil.Moment(begin.Micros())
			}
			if by >= 0 {
				label, err := s.Columns[by].Label(&cells[by])
				if err != nil {
					return err
				}
				one.Label = label
			}
			if amount >= 0 && cells[amount].Set {
				d, err := cells[amount].Decimal()
				if err != nil {
					return err
				}
				one.Sum = decimal.Of(d)
			}
			list = append(list, one)
			return nil
		})
	}, func(list []ageing.Lifetime) error {
		for i := range list {
			if err := take(list[i]); err != nil {
				return err
			}
		}
		return nil
	})
}
