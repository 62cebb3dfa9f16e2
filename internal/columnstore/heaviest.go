package columnstore

import (
	"context"
	"runtime"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/tally"
)

// Heaviest implements tally.Weigher: the values are compared as whole numbers, and only those that may be among the largest are read
// as records.
func (f source) Heaviest(ctx context.Context, p *tally.Plan, column string, n int) ([]tally.Heavy, error) {
	defer runtime.KeepAlive(f.State)
	s := f.schema.With(p.Lengths)
	if err := p.Check(s); err != nil {
		return nil, err
	}
	clock, err := s.Clock()
	if err != nil {
		return nil, err
	}
	q := &question{state: f.State, plan: p, schema: s, clock: clock}
	wanted := q.segments(func(segment int) bool {
		_, ok := p.Side(segment)
		return ok
	})
	whole := tally.HeavyList{N: n}
	for _, h := range f.chunks {
		v, err := f.scan(h, p, s, clock, nil)
		if err != nil {
			return nil, err
		}
		list, err := v.heaviest(ctx, column, wanted, n)
		if err != nil {
			return nil, err
		}
		for _, one := range list {
			whole.Add(one)
		}
	}
	return whole.List, nil
}

// heaviest finds the largest values of a chunk.
func (v *scan) heaviest(ctx context.Context, column string, wanted []bool, n int) ([]tally.Heavy, error) {
	amount, err := v.input(column)
	if err != nil {
		return nil, err
	}
	categories, err := v.several(v.schema.Names(dataset.Category))
	if err != nil {
		return nil, err
	}
	number := &v.columns[recordAt]
	if err := number.use(); err != nil {
		return nil, err
	}
	stretches := v.stretches(wanted, false)
	lists := make([]*weighing, min(runtime.GOMAXPROCS(0), max(1, len(stretches))))
	err = inTurns(ctx, len(stretches), len(lists), func(ctx context.Context, at, stretch int) error {
		g := lists[at]
		if g == nil {
			g = &weighing{worker: v.worker(wanted), amount: amount, categories: categories, number: number, found: tally.HeavyList{N: n}}
			lists[at] = g
		}
		s := stretches[stretch]
		return g.each(ctx, s, func() error { return g.take(s.segment) })
	})
	if err != nil {
		return nil, err
	}
	whole := tally.HeavyList{N: n}
	for _, g := range lists {
		if g == nil {
			continue
		}
		for _, one := range g.found.List {
			whole.Add(one)
		}
	}
	return whole.List, nil
}

// A weighing is a worker's way over the values of a chunk.
type weighing struct {
	*worker
	amount     int
	categories []int
	number     *column
	found      tally.HeavyList
	least      int64 // values of whole numbers that are smaller are not among the largest
}

// take takes the rows in that the worker has selected; segment is that of all of them, or notOne.
func (g *weighing) take(segment int) error {
	in, codes := &g.inputs[g.amount], g.vector(g.amount)
	exact := in.length != nil || in.Kind == whole
	for at, row := range g.selected {
		code := codes[row]
		if code == 0 {
			continue
		}
		if exact {
			if n := in.value(code); n < g.least && n > -g.least {
				continue
			}
		}
		if segment != notOne {
			if err := g.weigh(in, code, int(row), segment); err != nil {
				return err
			}
		} else if err := g.weigh(in, code, int(row), int(g.segments[at])); err != nil {
			return err
		}
	}
	return nil
}

// weigh takes one row in.
func (g *weighing) weigh(in *input, code int64, row, segment int) error {
	second, ok := g.plan.Side(segment)
	if !ok {
		return nil
	}
	cell := in.cell(code, g.reader)
	if each := eachOf(in, g.row); each != nil {
		cell.Number = fewer(cell.Number.Digits, cell.Number.Decimals, each[row])
	}
	d, err := cell.Decimal()
	if err != nil {
		return err
	}
	date := &g.inputs[g.date]
	h := tally.Heavy{
		Value: decimal.FractionOf(decimal.Value{Decimal: *d, Set: true}), Second: second,
		Day: date.cell(g.vector(g.date)[row], g.reader).Day, Number: g.number.value(g.number.code(g.row + row)),
	}
	if least, full := g.found.Least(); full && h.Value.Abs().Cmp(least) < 0 {
		return nil
	}
	for _, at := range g.categories {
		c := &g.inputs[at]
		label, err := c.column.label(c.column.code(g.row+row), c.of)
		if err != nil {
			return err
		}
		h.Labels = append(h.Labels, label)
	}
	g.found.Add(h)
	if least, full := g.found.Least(); full && (in.length != nil || in.Kind == whole) {
		g.least = digitsAt(least, in.decimals())
	}
	return nil
}

// digitsAt is a number as a whole number of units of some decimals, which it has no more of; 0 where it does not fit.
func digitsAt(f decimal.Fraction, decimals uint8) int64 {
	v, err := f.Value()
	if err != nil {
		return 0
	}
	fixed, ok := decimal.FixedOf(&v.Decimal)
	if !ok {
		return 0
	}
	digits, ok := fixed.Scaled(decimals)
	if !ok {
		return 0
	}
	return digits
}
