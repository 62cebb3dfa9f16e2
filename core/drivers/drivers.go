// Package drivers finds what a change is made of: by category, how many and how large, and which days (semantics §12). Every effect
// is exact, and those of one part add up to the change.
package drivers

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/core/table"
)

// A Question asks for the drivers of one figure over one span, compared with one thing.
type Question struct {
	// Query has one span, one figure and one comparison by a move, the period before or another span. Its By are the columns that are
	// tried; empty tries every category.
	query.Query
}

// A Part says what effects are about.
type Part string

// The parts, in the order in which they are given.
const (
	Total       Part = "total"
	Category    Part = "category"
	Count       Part = "count"         // how many records have a value
	Size        Part = "size"          // how large their mean is
	Days        Part = "days"          // how many days are covered
	KindsOfDays Part = "kinds_of_days" // which weekdays and holidays they are
	Rest        Part = "rest"          // what the kinds of days do not explain
)

// An Effect is one part of a change. Figures are blank where a part has none of its own.
type Effect struct {
	Part   Part
	Column string        // of a category
	Value  dataset.Label // of a category
	// Figure and Counterpart are what the effect is of, on either side.
	Figure, Counterpart decimal.Fraction
	Difference          decimal.Fraction
	// Contribution is the difference as a share of the counterpart's figure, blank where that is zero or blank.
	Contribution decimal.Fraction
	// Mix and Rate are the two halves of the effect on a mean or a ratio; blank for sums and counts.
	Mix, Rate decimal.Fraction
	// New and Gone say that a value has records on one side only.
	New, Gone bool
}

// A Column is a category with how unevenly the change is spread over its values.
type Column struct {
	Name string
	// Unevenness is half of what the values changed beyond their share; 0 where everything moved alike.
	Unevenness decimal.Fraction
	Effects    []Effect
}

// An Answer is what a change is made of.
type Answer struct {
	Total   Effect
	Columns []Column // the most uneven one first
	Others  []Effect // count and size, days, kinds of days and rest
	// Answer is the comparison itself, with its notes.
	Compared *query.Answer
}

// Figures lists the figures that have drivers, for messages.
const Figures = "counts, sums, means and ratios"

// Effects lists all effects: the total, those of each column, then the others.
func (a *Answer) Effects() []Effect {
	list := []Effect{a.Total}
	for _, c := range a.Columns {
		list = append(list, c.Effects...)
	}
	return append(list, a.Others...)
}

// finder answers one question by totals of the same records.
type finder struct {
	query.Evaluator
	records query.Records
	base    query.Query
	figure  measure.Figure
	// parts are the figures that the asked one is made of: itself, or the two sums of a quotient.
	parts []measure.Figure
	where dataset.Filters // with what a mean needs
}

// Answer finds the drivers of a change. Errors are *query.Error: a figure that has no drivers, no comparison or several, records of
// which only totals may be seen; or those of the source.
func (q Question) Answer(ctx context.Context, e query.Evaluator, r query.Records) (*Answer, error) {
	f, err := newFinder(q, e, r)
	if err != nil {
		return nil, err
	}
	a := &Answer{}
	compared := f.base
	compared.Figures = []measure.Figure{f.figure}
	if a.Compared, err = e.Answer(ctx, compared, r); err != nil {
		return nil, err
	}
	total, err := f.sides(ctx, "")
	if err != nil {
		return nil, err
	}
	whole := total.total
	if a.Total, err = f.total(whole); err != nil {
		return nil, err
	}
	names := q.By
	if len(names) == 0 {
		names = r.Schema.Names(dataset.Category)
	}
	for _, name := range names {
		one, err := f.column(ctx, name, whole, &a.Total)
		if err != nil {
			return nil, err
		}
		a.Columns = append(a.Columns, one)
	}
	slices.SortStableFunc(a.Columns, func(x, y Column) int { return y.Unevenness.Cmp(x.Unevenness) })
	if f.quotient() {
		return a, nil
	}
	if f.figure.Kind == measure.Sum {
		if err := f.countAndSize(ctx, a); err != nil {
			return nil, err
		}
	}
	return a, f.days(ctx, a)
}

func newFinder(q Question, e query.Evaluator, r query.Records) (*finder, error) {
	wrong := func(pointer, format string, args ...any) error {
		return &query.Error{Pointer: pointer, Err: fmt.Errorf(format, args...)}
	}
	switch {
	case len(q.Over) != 1:
		return nil, wrong("/over", "drivers are of one span; %d are given", len(q.Over))
	case len(q.Figures) != 1:
		return nil, wrong("/figures", "drivers are of one figure; %d are given", len(q.Figures))
	case len(q.Against) != 1 || len(q.AgainstDataset) > 0:
		return nil, wrong("/against", "drivers are of one comparison of the same records, such as 1 year earlier")
	case r.MinRecords > 0:
		return nil, wrong("/dataset", "you see only totals of %s: its drivers would show single groups", r.Name)
	}
	f := &finder{Evaluator: e, records: r, figure: q.Figures[0]}
	f.base = query.Query{Dataset: q.Dataset, Over: q.Over, Against: q.Against, Where: q.Where, Date: q.Date, LikeForLike: q.LikeForLike,
		Context: q.Context}
	f.where = q.Where
	if f.figure.Derived != "" {
		return nil, wrong("/figures/0", "%s has no drivers: those have %s", f.figure.Words(), Figures)
	}
	sum := func(column string) measure.Figure { return measure.Figure{Kind: measure.Sum, Column: column} }
	switch f.figure.Kind {
	case measure.Count, measure.Sum:
		f.parts = []measure.Figure{f.figure}
	case measure.Mean:
		f.parts = []measure.Figure{sum(f.figure.Column), {Kind: measure.Count}}
		f.where = withValues(q.Where, f.figure.Column)
	case measure.Ratio:
		f.parts = []measure.Figure{sum(f.figure.Column), sum(f.figure.Over)}
	default:
		return nil, wrong("/figures/0", "%s has no drivers: those have %s", f.figure.Words(), Figures)
	}
	return f, nil
}

// withValues adds that a column has a value.
func withValues(where dataset.Filters, column string) dataset.Filters {
	return append(slices.Clone(where), dataset.Filter{{Column: column, Op: dataset.NotBlank}})
}

func (f *finder) quotient() bool { return len(f.parts) == 2 }

// A pair is the value of something on both sides: its sum, or the two sums of a quotient.
type pair struct{ own, other [2]decimal.Fraction }

// sides are the values of a category, each with its figures on both sides.
type sides struct {
	labels []dataset.Label
	pairs  []pair
	total  pair
}

// sides asks for the parts of the figure by a category; by none where it is empty.
func (f *finder) sides(ctx context.Context, by string) (*sides, error) {
	q := f.base
	q.Figures, q.Where = f.parts, f.where
	if by != "" {
		q.By = []string{by}
	}
	a, err := f.Evaluator.Answer(ctx, q, f.records)
	if err != nil {
		return nil, err
	}
	s := &sides{}
	t := &a.Tables[0]
	for i := range t.Rows {
		r := &t.Rows[i]
		one := f.pair(t, r)
		if r.Kind == table.Total || by == "" {
			s.total = one
			continue
		}
		s.labels, s.pairs = append(s.labels, r.Group[0]), append(s.pairs, one)
	}
	return s, nil
}

// pair reads the cells of a row: a figure and its counterpart for each part; a blank is nothing.
func (f *finder) pair(t *table.Table, r *table.Row) pair {
	one := pair{[2]decimal.Fraction{zero, zero}, [2]decimal.Fraction{zero, zero}}
	for at, c := range t.Columns {
		v := decimal.FractionOf(r.Cells[at])
		if !v.Set() {
			continue
		}
		switch c.Role {
		case table.Figure:
			one.own[c.Figure] = v
		case table.Counterpart:
			one.other[c.Figure] = v
		}
	}
	return one
}

var zero = decimal.FractionOf(decimal.Int(0))

// values returns the figure of a pair on both sides, blank where a quotient has nothing to divide by.
func (f *finder) values(p pair) (own, other decimal.Fraction, err error) {
	if !f.quotient() {
		return p.own[0], p.other[0], nil
	}
	if own, err = over(p.own[0], p.own[1]); err != nil {
		return own, other, err
	}
	other, err = over(p.other[0], p.other[1])
	return own, other, err
}

// over divides; by zero it is blank.
func over(a, b decimal.Fraction) (decimal.Fraction, error) {
	if b.Sign() == 0 {
		return decimal.Fraction{}, nil
	}
	return a.Over(b)
}

// errNothing is the error of a quotient that a side has nothing to divide by.
var errNothing = errors.New("a side has nothing to divide by: there is no change to be explained")

func (f *finder) total(whole pair) (Effect, error) {
	own, other, err := f.values(whole)
	if err != nil {
		return Effect{}, err
	}
	if !own.Set() || !other.Set() {
		return Effect{}, &query.Error{Pointer: "/over/0", Err: errNothing}
	}
	return contributed(Effect{Part: Total, Figure: own, Counterpart: other}, own, other, other)
}

// contributed fills in the difference of an effect and its share of the counterpart's figure.
func contributed(e Effect, own, other, whole decimal.Fraction) (Effect, error) {
	var err error
	if e.Difference, err = own.Minus(other); err != nil {
		return e, err
	}
	e.Contribution, err = over(e.Difference, whole.Abs())
	return e, err
}

// calendarOf returns the calendar that the question is read in.
func (f *finder) calendar() *calendar.Calendar {
	if f.Scope.Calendar == nil {
		return calendar.Civil
	}
	return f.Scope.Calendar
}

// kind is the kind of a day: holiday, or its weekday.
func (f *finder) kind(d civil.Day) int {
	if f.calendar().IsHoliday(d) {
		return holiday
	}
	return int(d.Weekday())
}

// holiday is the kind after the weekdays.
const holiday = 7
