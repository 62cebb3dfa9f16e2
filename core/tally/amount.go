package tally

import (
	"fmt"

	"github.com/cockroachdb/apd/v3"
)

// A Value is a figure's value, or blank.
type Value struct {
	Decimal apd.Decimal
	Set     bool
}

// String gives the number in plain digits, "" where it is blank.
func (v Value) String() string {
	if !v.Set {
		return ""
	}
	return v.Decimal.Text('f')
}

// Plus adds a number in plain digits to a value; blank counts for nothing.
func (v Value) Plus(number string) (Value, error) {
	d, _, err := apd.NewFromString(number)
	if err != nil {
		return v, err
	}
	sum := Value{Set: true}
	_, err = exact.Add(&sum.Decimal, &v.Decimal, d)
	return sum, err
}

// An Amount sums up the values of one column. With Count 0 there was none: blank is not zero.
type Amount struct {
	Count         int64
	Sum, Min, Max apd.Decimal
	First, Last   Point
}

// A Point is a value at its place in time; the zero value is none.
type Point struct {
	Set      bool
	At       int64 // a day's number, or microseconds: the same for all records of a source
	Sequence int64 // the place among records at the same time
	Value    apd.Decimal
}

// Before tells whether a point comes before another.
func (p *Point) Before(q *Point) bool {
	return p.At < q.At || p.At == q.At && p.Sequence < q.Sequence
}

// exact adds and compares without rounding: amounts of any size keep their last digit.
var exact = apd.BaseContext

func (a *Amount) merge(b *Amount) error {
	if b.First.Set && (!a.First.Set || b.First.Before(&a.First)) {
		a.First = b.First
	}
	if b.Last.Set && (!a.Last.Set || a.Last.Before(&b.Last)) {
		a.Last = b.Last
	}
	if b.Count == 0 {
		return nil
	}
	if a.Count == 0 {
		a.Count = b.Count
		a.Sum.Set(&b.Sum)
		a.Min.Set(&b.Min)
		a.Max.Set(&b.Max)
		return nil
	}
	a.Count += b.Count
	if _, err := exact.Add(&a.Sum, &a.Sum, &b.Sum); err != nil {
		return err
	}
	if b.Min.Cmp(&a.Min) < 0 {
		a.Min.Set(&b.Min)
	}
	if b.Max.Cmp(&a.Max) > 0 {
		a.Max.Set(&b.Max)
	}
	return nil
}

// Add takes one more value in.
func (a *Amount) Add(v *apd.Decimal) error {
	one := Amount{Count: 1}
	one.Sum.Set(v)
	one.Min.Set(v)
	one.Max.Set(v)
	return a.merge(&one)
}

// meanDigits is how many decimals a mean has beyond those of its sum.
const meanDigits = 4

// figure gives one figure of an amount. Values are given with as many decimals as the sum has, which
// are the most that any of them has: a source need not know how each was written.
func (a *Amount) figure(k Kind) (Value, error) {
	var v Value
	var of *apd.Decimal
	switch {
	case k == First && a.First.Set:
		of = &a.First.Value
	case k == Last && a.Last.Set:
		of = &a.Last.Value
	case k == First || k == Last || a.Count == 0:
		return v, nil
	case k == Sum:
		of = &a.Sum
	case k == Min:
		of = &a.Min
	case k == Max:
		of = &a.Max
	case k == Mean:
		v.Set = true
		return v, quotient(&v.Decimal, &a.Sum, apd.New(a.Count, 0), max(-a.Sum.Exponent, 0)+meanDigits)
	default:
		return v, fmt.Errorf("%s is no figure of an amount that adds up", k)
	}
	v.Set = true
	v.Decimal.Set(of)
	if a.Count > 0 {
		return v, widen(&v.Decimal, -a.Sum.Exponent)
	}
	return v, nil
}

// widen gives a decimal at least some number of decimals.
func widen(d *apd.Decimal, decimals int32) error {
	if -d.Exponent >= decimals {
		return nil
	}
	ctx := apd.BaseContext.WithPrecision(uint32(d.NumDigits() + int64(d.Exponent) + int64(decimals) + 1))
	_, err := ctx.Quantize(d, d, -decimals)
	return err
}

// figures turns an added-up fact into the values asked for (semantics §7: blank is not zero); whole
// has the values of those that do not add up, nil where there was no record.
func (p *Plan) figures(f *Fact, whole []Value) ([]Value, error) {
	values := make([]Value, len(p.Figures))
	for i, fig := range p.Figures {
		switch {
		case fig.Kind == Count:
			values[i].Set = true
			values[i].Decimal.SetInt64(f.Count)
		case fig.Kind.Whole():
			if w := p.wholeIndex(fig); whole != nil {
				values[i] = whole[w]
			} else if fig.Kind == Distinct {
				values[i].Set = true // no record, no value: that is a count of 0
			}
		case f.Amounts != nil:
			var err error
			if values[i], err = f.Amounts[p.amountIndex(fig.Column)].figure(fig.Kind); err != nil {
				return nil, err
			}
		}
	}
	return values, nil
}

func (p *Plan) wholeIndex(f Figure) int {
	for i := range p.Wholes {
		if p.Wholes[i] == f {
			return i
		}
	}
	return -1
}

func (p *Plan) amountIndex(column string) int {
	for i := range p.Amounts {
		if p.Amounts[i] == column {
			return i
		}
	}
	return -1
}
