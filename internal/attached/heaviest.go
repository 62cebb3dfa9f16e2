package attached

import (
	"context"
	"slices"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/tally"
	"vastspan/internal/listing"
)

// Heaviest implements tally.Weigher: the database sorts by the size of the values.
func (t *totals) Heaviest(ctx context.Context, p *tally.Plan, column string, n int) ([]tally.Heavy, error) {
	src, err := t.databases.source(ctx, t.table, t.schema)
	if err != nil {
		return nil, err
	}
	l := listing.Request{
		Where: append(slices.Clone(p.Where), dataset.Filter{{Column: column, Op: dataset.NotBlank}}), Lengths: p.Lengths, Date: p.Date, Limit: n,
	}
	var runs []tally.Stretch
	for segment := range len(p.Cuts) + 1 {
		if _, ok := p.Side(segment); !ok {
			continue
		}
		end := int64(tally.Future)
		if segment < len(p.Cuts) {
			end = p.Cuts[segment]
		}
		runs = append(runs, tally.Stretch{Start: p.Start(segment), End: end})
	}
	date := src.dateColumn(p.Date)
	order := append([]string{"abs(" + src.sql(column) + ") DESC"}, src.ordered(date, false)...)
	found := tally.HeavyList{N: n}
	amount, day, categories := t.schema.Index(column), t.schema.Index(date.Name), t.schema.Indexes(t.schema.Names(dataset.Category))
	err = src.each(ctx, l, p.Timed, runs, order, func(r listing.Record, cells []dataset.Cell) error {
		if !cells[amount].Set || len(found.List) == n {
			return nil
		}
		d, err := cells[amount].Decimal()
		if err != nil {
			return err
		}
		at := int64(r.Day)
		if p.Timed {
			at = cells[day].Micros()
		}
		h := tally.Heavy{Value: decimal.FractionOf(decimal.Value{Decimal: *d, Set: true}), Day: r.Day}
		h.Second, _ = p.Side(p.Segment(at))
		for _, c := range categories {
			label, err := t.schema.Columns[c].Label(&cells[c])
			if err != nil {
				return err
			}
			h.Labels = append(h.Labels, label)
		}
		found.Add(h)
		return nil
	})
	return found.List, src.told(ctx, err)
}
