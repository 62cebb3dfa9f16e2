package ingest

import (
	"context"
	"slices"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/tally"
)

// Heaviest implements tally.Weigher: the file is read once, from start to end.
func (f *Source) Heaviest(ctx context.Context, p *tally.Plan, column string, n int) ([]tally.Heavy, error) {
	l, err := f.layout(p)
	if err != nil {
		return nil, err
	}
	amount, categories := l.schema.Index(column), f.Schema.Indexes(f.Schema.Names(dataset.Category))
	columns := slices.Concat(l.columns, categories, []int{amount})
	slices.Sort(columns)
	o := ScanOptions{Schema: f.Schema, Columns: slices.Compact(columns), AllowUndated: f.AllowUndated || p.Date != ""}
	whole := tally.HeavyList{N: n}
	err = Scan(ctx, f.Reader, o, func(_ int, rows Rows) (*tally.HeavyList, error) {
		found, g := &tally.HeavyList{N: n}, &gathering{}
		return found, rows(func(line int, cells []dataset.Cell) error {
			cells, err := g.withLengths(l, cells)
			if err != nil || !cells[l.day].Set || !cells[amount].Set || !l.pass(cells) {
				return err
			}
			second, ok := l.plan.Side(l.plan.Segment(l.at(&cells[l.day])))
			if !ok {
				return nil
			}
			d, err := cells[amount].Decimal()
			if err != nil {
				return err
			}
			h := tally.Heavy{
				Value: decimal.FractionOf(decimal.Value{Decimal: *d, Set: true}), Day: cells[l.day].Day, Second: second, Number: int64(line),
			}
			if least, full := found.Least(); full && h.Value.Abs().Cmp(least) < 0 {
				return nil
			}
			for _, at := range categories {
				label, err := f.Schema.Columns[at].Label(&cells[at])
				if err != nil {
					return err
				}
				h.Labels = append(h.Labels, label)
			}
			found.Add(h)
			return nil
		})
	}, func(found *tally.HeavyList) error {
		for _, h := range found.List {
			whole.Add(h)
		}
		return nil
	})
	return whole.List, err
}
