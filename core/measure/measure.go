// Package measure holds the figures that records are put into. Each is one entry of a registry that
// says what it is made of, how it ends, and what may be done with it; whatever totals records asks the
// registry and knows no figure by name.
package measure

import (
	"fmt"
	"slices"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// The figures.
const (
	Count    Kind = "count"
	Sum      Kind = "sum"
	Mean     Kind = "mean"
	Min      Kind = "min"
	Max      Kind = "max"
	Distinct Kind = "distinct"
	Median   Kind = "median"
	First    Kind = "first"
	Last     Kind = "last"
	Ratio    Kind = "ratio"
	// Values counts the records that have a value. Other figures are made of it; nobody asks for it by name.
	Values Kind = "values"
)

// An Entry says all there is to know about one kind of figure.
type Entry struct {
	Kind  Kind
	Words string // as people read it, before "of"
	Help  string // what it does, to be followed by a column
	Needs Needs
	// AnyType lets it be taken of a column of any type, not of numbers alone.
	AnyType bool
	// Tied reports whether the figure is one of several values at the same time; nil where that cannot be.
	Tied func(*Amount) bool
	// ZeroWithout makes it 0 where there is no record, should the dataset say that no record means nothing.
	ZeroWithout bool
	// Pair takes it of two columns: what they come to, one by the other.
	Pair bool
	// Order is the place of a holistic figure among the sorted values, from 0 to 1: half way for the
	// median. A holistic figure without one counts the different values.
	Order float64
	// Share reports that parts of the figure add up to the whole, so that a share of it means something.
	Share bool
	// Pure reports that the figure counts something and is not in the unit of its column.
	Pure bool
	// Inner reports that other figures are made of it: it is not among All, and cannot be asked for.
	Inner bool
	// Quotient reports that it is a quotient, which is rounded when it is shown. Other figures are shown to their
	// last digit.
	Quotient bool
	// finish makes the figure of its parts. It is not called where there is no record.
	finish func(Parts) (decimal.Fraction, error)
}

// Needs says what a figure is made of.
type Needs uint8

// What figures are made of, besides the number of records.
const (
	NeedsSum       Needs = 1 << iota // count and sum of the column's values
	NeedsBounds                      // minimum and maximum
	NeedsFirstLast                   // the earliest and the latest value in time
	NeedsValues                      // all values: partial results do not combine
)

// Parts are what the records of a group come to.
type Parts struct {
	Records int64
	Amount  *Amount
	Over    *Amount // of a pair, the one that is divided by
	Values  Multiset
}

// registry holds the figures in the order in which they are shown.
var registry = []Entry{
	{Kind: Count, Words: "count", Help: "count records", Share: true, Pure: true,
		finish: func(p Parts) (decimal.Fraction, error) { return whole(decimal.Int(p.Records), nil) }},
	{Kind: Sum, Words: "sum", Help: "sum", Needs: NeedsSum, Share: true, ZeroWithout: true,
		finish: func(p Parts) (decimal.Fraction, error) { return whole(p.Amount.value(&p.Amount.Sum)) }},
	{Kind: Mean, Words: "mean", Help: "take the mean of", Needs: NeedsSum, Quotient: true, finish: mean},
	{Kind: Min, Words: "minimum", Help: "take the minimum of", Needs: NeedsSum | NeedsBounds,
		finish: func(p Parts) (decimal.Fraction, error) { return whole(p.Amount.value(&p.Amount.Min)) }},
	{Kind: Max, Words: "maximum", Help: "take the maximum of", Needs: NeedsSum | NeedsBounds,
		finish: func(p Parts) (decimal.Fraction, error) { return whole(p.Amount.value(&p.Amount.Max)) }},
	{Kind: Distinct, Words: "distinct values", Help: "count the different values of", Needs: NeedsValues, AnyType: true, Pure: true,
		finish: func(p Parts) (decimal.Fraction, error) { return whole(decimal.Int(int64(len(p.Values))), nil) }},
	{Kind: Median, Words: "median", Help: "take the median of", Needs: NeedsValues, Order: 0.5,
		finish: func(p Parts) (decimal.Fraction, error) { return whole(p.Values.at(0.5)) }},
	{Kind: First, Words: "earliest value", Help: "take the earliest value of", Needs: NeedsSum | NeedsFirstLast,
		Tied:   func(a *Amount) bool { return a.First.Tied },
		finish: func(p Parts) (decimal.Fraction, error) { return whole(p.Amount.point(&p.Amount.First)) }},
	{Kind: Last, Words: "latest value", Help: "take the latest value of", Needs: NeedsSum | NeedsFirstLast,
		Tied:   func(a *Amount) bool { return a.Last.Tied },
		finish: func(p Parts) (decimal.Fraction, error) { return whole(p.Amount.point(&p.Amount.Last)) }},
	{Kind: Ratio, Words: "ratio", Help: "divide the sum by the sum of another", Needs: NeedsSum, Pair: true, Quotient: true, finish: ratio},
	{Kind: Values, Words: "values", Needs: NeedsSum, Pure: true, Inner: true,
		finish: func(p Parts) (decimal.Fraction, error) { return whole(decimal.Int(p.Amount.Count), nil) }},
}

// All lists the figures that can be asked for, in the order in which they are shown.
func All() []Entry {
	return slices.DeleteFunc(slices.Clone(registry), func(e Entry) bool { return e.Inner })
}

// Lookup finds a figure.
func Lookup(k Kind) (*Entry, bool) {
	i := slices.IndexFunc(registry, func(e Entry) bool { return e.Kind == k })
	if i < 0 {
		return &Entry{}, false
	}
	return &registry[i], true
}

// OfColumn reports whether the figure is taken of a column.
func (e *Entry) OfColumn() bool { return e.Needs != 0 }

// Holistic reports whether the figure has to be made of all values at once: partial results of two
// parts of the records cannot be combined.
func (e *Entry) Holistic() bool { return e.Needs&NeedsValues != 0 }

// whole returns a value as a fraction.
func whole(v decimal.Value, err error) (decimal.Fraction, error) { return decimal.FractionOf(v), err }

// Finish makes the figure of the partial results of a group.
func (e *Entry) Finish(p Parts) (decimal.Fraction, error) {
	if p.Records == 0 || e.OfColumn() && p.Amount == nil && p.Values == nil {
		return e.Empty(), nil
	}
	return e.finish(p)
}

// Empty returns the figure of no records: blank, but 0 for one that counts (semantics §7).
func (e *Entry) Empty() decimal.Fraction {
	if e.Pure {
		return decimal.FractionOf(decimal.Int(0))
	}
	return decimal.Fraction{}
}

// Check refuses a figure that the columns of a dataset cannot give.
func (f Figure) Check(s *dataset.Schema) error {
	e, _ := Lookup(f.Kind)
	if f.Derived != "" && !e.Share {
		return fmt.Errorf("%s: only what adds up, a count or a sum, is taken %s", f, f.Derived)
	}
	if e.AnyType {
		_, err := s.Find(f.Column)
		return err
	}
	for _, name := range f.Columns() {
		if _, err := s.Number(name, string(f.Kind)); err != nil {
			return err
		}
	}
	return nil
}

// ratio divides one sum by another: of sums, never a mean of ratios. Where there is nothing to divide by it is blank.
func ratio(p Parts) (decimal.Fraction, error) {
	if p.Over == nil || p.Amount.Count == 0 || p.Over.Count == 0 {
		return decimal.Fraction{}, nil
	}
	return decimal.Quotient(&p.Amount.Sum, &p.Over.Sum)
}

func mean(p Parts) (decimal.Fraction, error) {
	return decimal.Quotient(&p.Amount.Sum, apd.New(p.Amount.Count, 0))
}
