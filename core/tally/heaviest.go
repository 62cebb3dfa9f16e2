package tally

import (
	"cmp"
	"context"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// A Heavy record has one of the largest values of a column, whatever its sign.
type Heavy struct {
	Value  decimal.Fraction
	Day    civil.Day
	Second bool // it is in the second period of the plan, not in the first
	// Number is the record's number, where it has one that stays.
	Number int64
	Labels []dataset.Label // of the categories of the schema
}

// A Weigher is a source that finds the n records with the largest values of a column, among those that are in one of the first two
// periods of a plan and not in both. Blanks are left out.
type Weigher interface {
	Heaviest(ctx context.Context, p *Plan, column string, n int) ([]Heavy, error)
}

// A WeighingSource is a source of totals that finds the largest values as well.
type WeighingSource interface {
	Source
	Weigher
}

// A HeavyList keeps the n records with the largest values, the largest first: by the size of the value, then the newest day, then the
// labels, then the number.
type HeavyList struct {
	N    int
	List []Heavy
}

// Add takes a record in, should it be among the largest.
func (l *HeavyList) Add(h Heavy) {
	at, _ := slices.BinarySearchFunc(l.List, h, compareHeavy)
	if at == l.N {
		return
	}
	l.List = slices.Insert(l.List, at, h)
	l.List = l.List[:min(len(l.List), l.N)]
}

// Least returns the size that a value must have at least to be among the largest; false where any may be.
func (l *HeavyList) Least() (decimal.Fraction, bool) {
	if len(l.List) < l.N {
		return decimal.Fraction{}, false
	}
	return l.List[l.N-1].Value.Abs(), true
}

func compareHeavy(a, b Heavy) int {
	return cmp.Or(b.Value.Abs().Cmp(a.Value.Abs()), cmp.Compare(b.Day, a.Day), slices.CompareFunc(a.Labels, b.Labels, dataset.Label.Compare),
		cmp.Compare(a.Number, b.Number))
}

// Side reports whether a segment is in one of the first two periods and not in both, and whether that is the second.
func (p *Plan) Side(segment int) (second, ok bool) {
	first, second := p.In(segment, 0), p.In(segment, 1)
	return second, first != second
}
