package drivers

import (
	"context"

	"vastspan/core/civil"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/table"
)

// countAndSize separates how many records have a value from how large their values are.
func (f *finder) countAndSize(ctx context.Context, a *Answer) error {
	counting := *f
	counting.parts, counting.where = []measure.Figure{{Kind: measure.Count}}, withValues(f.base.Where, f.figure.Column)
	s, err := counting.sides(ctx, "")
	if err != nil {
		return err
	}
	n, m := s.total.own[0], s.total.other[0]
	if m.Sign() == 0 {
		return nil // the counterpart has no mean
	}
	mean, err := a.Total.Counterpart.Over(m)
	if err != nil {
		return err
	}
	more, err := n.Minus(m)
	if err != nil {
		return err
	}
	count := Effect{Part: Count, Figure: n, Counterpart: m}
	if count.Difference, err = more.Times(mean); err != nil {
		return err
	}
	size := Effect{Part: Size}
	if size.Difference, err = a.Total.Difference.Minus(count.Difference); err != nil {
		return err
	}
	return f.addOthers(a, count, size)
}

// addOthers adds effects with their contributions.
func (f *finder) addOthers(a *Answer, effects ...Effect) (err error) {
	for _, e := range effects {
		if e.Contribution, err = over(e.Difference, a.Total.Counterpart.Abs()); err != nil {
			return err
		}
		a.Others = append(a.Others, e)
	}
	return nil
}

// kinds are how many days of each kind a side covers, and what they come to.
type kinds struct {
	days [holiday + 1]int
	sums [holiday + 1]decimal.Fraction
	all  int
}

// days separates how many days are covered, and of which kinds, from what remains.
func (f *finder) days(ctx context.Context, a *Answer) error {
	own, other := a.Compared.Covered(0, 0)
	if own.Open() || other.Open() || own.Empty() || other.Empty() {
		return nil
	}
	mine, theirs, err := f.byKind(ctx, own, other)
	if err != nil {
		return err
	}
	n, m := decimal.FractionOf(decimal.Int(int64(mine.all))), decimal.FractionOf(decimal.Int(int64(theirs.all)))
	mean, err := a.Total.Counterpart.Over(m)
	if err != nil {
		return err
	}
	more, err := n.Minus(m)
	if err != nil {
		return err
	}
	days := Effect{Part: Days, Figure: n, Counterpart: m}
	if days.Difference, err = more.Times(mean); err != nil {
		return err
	}
	expected := zero
	for k, number := range mine.days {
		if number == 0 {
			continue
		}
		each := mean
		if theirs.days[k] > 0 {
			if each, err = theirs.sums[k].Over(decimal.FractionOf(decimal.Int(int64(theirs.days[k])))); err != nil {
				return err
			}
		}
		if each, err = each.Times(decimal.FractionOf(decimal.Int(int64(number)))); err == nil {
			expected, err = expected.Plus(each)
		}
		if err != nil {
			return err
		}
	}
	of, rest := Effect{Part: KindsOfDays}, Effect{Part: Rest}
	if of.Difference, err = expected.Minus(a.Total.Counterpart); err == nil {
		of.Difference, err = of.Difference.Minus(days.Difference)
	}
	if err == nil {
		rest.Difference, err = a.Total.Figure.Minus(expected)
	}
	if err != nil {
		return err
	}
	return f.addOthers(a, days, of, rest)
}

// byKind counts the covered days of each kind, and adds up what those of the counterpart come to.
func (f *finder) byKind(ctx context.Context, own, other civil.Set) (mine, theirs kinds, err error) {
	for d := range own.EachDay() {
		mine.days[f.kind(d)]++
		mine.all++
	}
	for k := range theirs.sums {
		theirs.sums[k] = zero
	}
	for d := range other.EachDay() {
		theirs.days[f.kind(d)]++
		theirs.all++
	}
	q := f.base
	q.Figures, q.Where, q.Each = f.parts, f.where, "day"
	a, err := f.Evaluator.Answer(ctx, q, f.records)
	if err != nil {
		return mine, theirs, err
	}
	t := &a.Tables[0]
	for i := range t.Rows {
		r := &t.Rows[i]
		if r.Kind != table.Group || len(r.Comparisons) == 0 || r.Comparisons[0].Intervals.Empty() {
			continue
		}
		k := f.kind(r.Comparisons[0].Intervals.Bounds().First())
		if theirs.sums[k], err = theirs.sums[k].Plus(f.pair(t, r).other[0]); err != nil {
			return mine, theirs, err
		}
	}
	return mine, theirs, nil
}
