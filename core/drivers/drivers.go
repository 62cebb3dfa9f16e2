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
	"vastspan/core/tally"
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
	Event       Part = "event"         // the days of an event of which one side has more
	Record      Part = "record"        // one of the records that weigh most
)

// An Effect is one part of a change. Figures are blank where a part has none of its own. Those of events and records are among the
// other parts: they are not to be added to them.
type Effect struct {
	Part   Part
	Column string        // of a category
	Value  dataset.Label // of a category; the name of an event
	// Figure and Counterpart are what the effect is of, on either side.
	Figure, Counterpart decimal.Fraction
	Difference          decimal.Fraction
	// Contribution is the difference as a share of the counterpart's figure, blank where that is zero or blank.
	Contribution decimal.Fraction
	// Mix and Rate are the two halves of the effect on a mean or a ratio; blank for sums and counts.
	Mix, Rate decimal.Fraction
	// New and Gone say that a value has records on one side only.
	New, Gone bool
	// Own and Other are the days of an event that either side covers.
	Own, Other civil.Set
	// Record is a record that weighs much; nil of other parts.
	Record *tally.Heavy
}

// A Column is a category with how unevenly the change is spread over its values.
type Column struct {
	Name string
	// Unevenness is half of what the values changed beyond their share; 0 where everything moved alike.
	Unevenness decimal.Fraction
	Effects    []Effect
	// Others are how many values are put together, as there are too many; 0 where all are kept apart.
	Others int
	// Hidden says that values of few records are put together.
	Hidden bool
}

// A Kind is a kind of days, with how many of it either side covers.
type Kind struct {
	Name       string // a weekday, or holiday
	Own, Other int
}

// An Answer is what a change is made of.
type Answer struct {
	Total   Effect
	Columns []Column // the most uneven one first
	Others  []Effect // count and size, days, kinds of days and rest, events, records
	Kinds   []Kind   // of the days that either side covers; none where they are not looked at
	// Categories are the columns of the labels of records.
	Categories []string
	// Compared is the comparison itself, with its notes.
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

// finder answers one question by breakdowns of the same records.
type finder struct {
	query.Evaluator
	records query.Records
	base    query.Query // without categories; its figures are those that the asked one is made of
	figure  measure.Figure
}

// Answer finds the drivers of a change. Errors are *query.Error: a figure that has no drivers, no comparison or several, a side that has
// nothing to divide by; or those of the source. Where only totals may be seen, values of few records are put together, and there are no
// kinds of days, events and records.
func (q Question) Answer(ctx context.Context, e query.Evaluator, r query.Records) (*Answer, error) {
	f, err := newFinder(q, e, r)
	if err != nil {
		return nil, err
	}
	a := &Answer{Categories: r.Schema.Names(dataset.Category)}
	compared := f.base
	compared.Figures = []measure.Figure{f.figure}
	if a.Compared, err = e.Answer(ctx, compared, r); err != nil {
		return nil, err
	}
	split := f.split(a)
	found, err := e.Sides(ctx, query.Breakdown{Query: f.base, Days: split.sets()}, r)
	if err != nil {
		return nil, err
	}
	whole := pairOf(&found.Total)
	if a.Total, err = f.total(whole, found.TotalHidden); err != nil {
		return nil, err
	}
	names := q.By
	if len(names) == 0 {
		names = a.Categories
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
		if err := f.countAndSize(a, whole); err != nil {
			return nil, err
		}
	}
	if err := f.days(a, split, found.Days); err != nil {
		return nil, err
	}
	return a, f.heaviest(ctx, a)
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
	}
	f := &finder{Evaluator: e, records: r, figure: q.Figures[0]}
	f.base = query.Query{Dataset: q.Dataset, Over: q.Over, Against: q.Against, Where: q.Where, Date: q.Date, LikeForLike: q.LikeForLike,
		Context: q.Context}
	if f.figure.Derived != "" {
		return nil, wrong("/figures/0", "%s has no drivers: those have %s", f.figure.Words(), Figures)
	}
	of := func(kind measure.Kind, column string) measure.Figure {
		return measure.Figure{Kind: kind, Column: column}
	}
	switch column := f.figure.Column; f.figure.Kind {
	case measure.Count:
		f.base.Figures = []measure.Figure{f.figure}
	case measure.Sum, measure.Mean:
		f.base.Figures = []measure.Figure{of(measure.Sum, column), of(measure.Values, column)}
	case measure.Ratio:
		f.base.Figures = []measure.Figure{of(measure.Sum, column), of(measure.Sum, f.figure.Over)}
	default:
		return nil, wrong("/figures/0", "%s has no drivers: those have %s", f.figure.Words(), Figures)
	}
	return f, nil
}

// quotient reports whether the figure is a mean or a ratio: of the first of its parts to the second.
func (f *finder) quotient() bool {
	return f.figure.Kind == measure.Mean || f.figure.Kind == measure.Ratio
}

// onlyTotals reports that single records are not to be seen.
func (f *finder) onlyTotals() bool { return f.records.MinRecords > 0 || f.records.TotalsBy != "" }

// A pair is the parts of the figure on both sides: for a quotient what is divided and by what; for a sum the sum and how
// many values there are.
type pair struct{ own, other [2]decimal.Fraction }

// pairOf reads a pair; a blank is nothing.
func pairOf(v *query.SideValues) pair {
	p := pair{[2]decimal.Fraction{zero, zero}, [2]decimal.Fraction{zero, zero}}
	for i, f := range v.Own {
		if f.Set() {
			p.own[i] = f
		}
		if v.Other[i].Set() {
			p.other[i] = v.Other[i]
		}
	}
	return p
}

// less takes another pair off.
func (p pair) less(q pair) (pair, error) {
	for _, side := range []struct{ of, off *[2]decimal.Fraction }{{&p.own, &q.own}, {&p.other, &q.other}} {
		for i := range side.of {
			var err error
			if side.of[i], err = side.of[i].Minus(side.off[i]); err != nil {
				return p, err
			}
		}
	}
	return p, nil
}

func (p pair) isZero() bool {
	return p.own[0].Sign() == 0 && p.own[1].Sign() == 0 && p.other[0].Sign() == 0 && p.other[1].Sign() == 0
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

var (
	errNothing = errors.New("a side has nothing to divide by: there is no change to be explained")
	errHidden  = errors.New("a side of the comparison is hidden, as it is of too few records: its change is not explained")
)

func (f *finder) total(whole pair, hidden bool) (Effect, error) {
	own, other, err := f.values(whole)
	switch {
	case err != nil:
		return Effect{}, err
	case hidden:
		return Effect{}, &query.Error{Pointer: "/over/0", Err: errHidden}
	case !own.Set() || !other.Set():
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

// calendar returns the calendar that the question is read in.
func (f *finder) calendar() *calendar.Calendar {
	if f.Scope.Calendar == nil {
		return calendar.Civil
	}
	return f.Scope.Calendar
}
