package query

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// A shop that opened within the days that it is compared with is not compared like for like: its row is new, and says since
// when; one that has closed is gone (semantics §7).

// findLifetimes finds from when on, and until when, the filters and the values of the categories leave records, as far as
// they are known.
func (p *plan) findLifetimes(ctx context.Context) error {
	in := p.inputs[0]
	if len(p.against) == 0 || len(p.query.By)+len(p.query.Where) == 0 || in.Costly || in.MinRecords > 0 || p.query.Planned ||
		slices.ContainsFunc(in.request.Parts, func(t *tally.TimePart) bool { return t != nil }) {
		return nil
	}
	known := tally.OfDays(civil.SetOf(civil.Interval{Start: civil.OpenStart, End: p.Scope.AsOf + 1}))
	r := tally.Request{Periods: []tally.Period{known}, By: in.request.By, Parts: in.request.Parts, Where: in.request.Where, Days: true}
	if p.top != nil {
		r.Top, r.Keep = in.request.Top, p.top
	}
	var err error
	p.lifetimes, err = p.look(ctx, in, r)
	return err
}

// lifetimeFlags says of a row, and what it is compared with, whether its records are new or gone.
func (p *plan) lifetimeFlags(sp *spanPlan, r *rowPlan, group []dataset.Label) []table.Flag {
	if p.lifetimes == nil || r.blank || r.alone || slices.Contains(group, dataset.Other) {
		return nil
	}
	life := p.lifetimes.Days(0, group)
	for i := range p.against {
		counterpart := sp.comparisons[i].period
		if r.index != wholeSpan {
			counterpart = r.partners[i].period
		}
		if flag := p.lifetimeFlag(life, r.period, counterpart); flag != "" {
			return []table.Flag{flag}
		}
	}
	return nil
}

// lifetimeFlag compares the days of the records that there are with those of a span and its counterpart.
func (p *plan) lifetimeFlag(life civil.Interval, period, counterpart tally.Period) table.Flag {
	if life.Empty() || period.Empty() || counterpart.Empty() || period.Open() || counterpart.Open() {
		return ""
	}
	own, other, all := period.Touched().Bounds(), counterpart.Touched().Bounds(), p.reach(0)
	if other.Start >= own.Start || all.Empty() {
		return ""
	}
	start := max(other.Start, all.Start)
	late := life.Start - start
	switch {
	case life.Start >= other.End && all.Start < other.End:
		return table.New
	case life.Start < other.End && life.Start > other.Start && (all.Start < other.Start || int(late)*50 > other.Days()):
		return table.NewSince(life.Start)
	case life.Last() < own.Start && all.Last() >= own.Start:
		return table.Gone
	}
	return ""
}

// lifetimeNotes says how much of a difference is that of values that are new or gone.
func (p *plan) lifetimeNotes(t *table.Table, add func(table.Code, table.Level, string, ...any)) error {
	if p.lifetimes == nil || len(p.query.By) == 0 {
		return nil
	}
	for i := range p.spans {
		for at, c := range t.Columns {
			if c.Role != table.Difference || c.Comparison == previousName || !p.figures[c.Figure].addsUp() {
				continue
			}
			var of, whole decimal.Value
			var err error
			values := 0
			for j := range t.Rows {
				r := &t.Rows[j]
				switch {
				case r.Span != i || r.Unit != nil || err != nil:
				case r.Kind == table.Total:
					whole = r.Cells[at]
				case r.Kind == table.Group && slices.ContainsFunc(r.Flags, table.Flag.OfLifetime):
					values++
					// A blank difference is what one side alone has.
					part := r.Cells[at]
					if !part.Set {
						if part, err = oneSided(r.Cells[at-2], r.Cells[at-1]); err != nil {
							return err
						}
					}
					of, err = of.Plus(part)
				}
			}
			if err != nil {
				return err
			}
			if values == 0 || !of.Set || !whole.Set || whole.Sign() == 0 {
				continue
			}
			text := fmt.Sprintf("%s compared with %s: %s of the difference of %s in %s is that of %s",
				p.spans[i].text, c.Comparison, c.Amount(of), c.Amount(whole), p.query.Figures[c.Figure].Words(), newOrGone(values))
			add(table.NewOrGone, table.Caution, "%s", text)
		}
	}
	return nil
}

// oneSided returns the difference of a figure and its counterpart, of which one is blank and counts as nothing.
func oneSided(value, counterpart decimal.Value) (decimal.Value, error) {
	if !value.Set && !counterpart.Set {
		return decimal.Value{}, nil
	}
	if !value.Set {
		value = decimal.Int(0)
	}
	if !counterpart.Set {
		counterpart = decimal.Int(0)
	}
	return value.Minus(counterpart)
}

func newOrGone(n int) string {
	if n == 1 {
		return "1 row that is new or gone"
	}
	return fmt.Sprintf("%d rows that are new or gone", n)
}

// lengthsDiffer says by how many days the two sides of a comparison differ, and how much a day has changed (semantics §7).
func (p *plan) lengthsDiffer(t *table.Table, a *Answer, add func(table.Code, table.Level, string, ...any)) error {
	for i := range a.Spans {
		for j := range a.Spans[i].Comparisons {
			c := &a.Spans[i].Comparisons[j]
			own, other := p.sides(&p.spans[i], j)
			if own.period.Timed() || other.period.Timed() {
				continue
			}
			days, otherDays := own.coveredDays(), other.coveredDays()
			if days == otherDays || days == 0 || otherDays == 0 {
				continue
			}
			changes, err := p.changesPerDay(i, j, days, otherDays)
			if err != nil {
				return err
			}
			c.PerDay = changes
			text := fmt.Sprintf("%s compared with %s: %s against %d", a.Spans[i].Expression, c.Name, table.DayCount(days), otherDays)
			var parts []string
			for _, one := range changes {
				parts = append(parts, one.Text(len(changes) > 1))
			}
			if len(parts) > 0 {
				text += "; per day " + strings.Join(parts, ", ")
			}
			add(table.LengthsDiffer, table.Info, "%s", text)
		}
	}
	return nil
}

// changesPerDay returns the change of each count and sum per covered day.
func (p *plan) changesPerDay(span, comparison, days, otherDays int) ([]table.PerDay, error) {
	sp := &p.spans[span]
	all := p.everything()
	own, err := p.values(sp.at, all)
	if err != nil {
		return nil, err
	}
	other, err := p.values(sp.comparisons[comparison].at, all)
	if err != nil {
		return nil, err
	}
	var list []table.PerDay
	for f := range p.figures {
		if !p.figures[f].addsUp() {
			continue
		}
		perDay, err := own[f].Over(decimal.FractionOf(decimal.Int(int64(days))))
		if err != nil {
			return nil, err
		}
		otherPerDay, err := other[f].Over(decimal.FractionOf(decimal.Int(int64(otherDays))))
		if err != nil {
			return nil, err
		}
		compared, err := measure.Compare(perDay, otherPerDay)
		if err != nil {
			return nil, err
		}
		if !compared.Change.Set() {
			continue
		}
		change, err := compared.Change.Value()
		if err != nil {
			return nil, err
		}
		list = append(list, table.PerDay{Figure: f, Words: p.query.Figures[f].Words(), Change: change})
	}
	return list, nil
}
