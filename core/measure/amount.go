package measure

import (
	"github.com/cockroachdb/apd/v3"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// An Amount is what the values of one column come to. With Count 0 there was none: blank is not zero.
type Amount struct {
	Count         int64
	Sum, Min, Max apd.Decimal
	First, Last   Point
}

// A Point is a value at its place in time; the zero value is none.
type Point struct {
	Set      bool
	At       int64 // a day's number, or microseconds: the same for all records of a source
	Sequence int64 // the place among records at the same time: the order in which they were loaded
	Value    apd.Decimal
	Tied     bool // another record at the same time has another value
}

// Before reports whether a point comes before another.
func (p *Point) Before(q *Point) bool {
	return p.At < q.At || p.At == q.At && p.Sequence < q.Sequence
}

// TakeEarlier replaces this point with another that is earlier.
func (p *Point) TakeEarlier(q *Point) { p.take(q, q.Before(p)) }

// TakeLater replaces this point with another that is later.
func (p *Point) TakeLater(q *Point) { p.take(q, p.Before(q)) }

// take replaces this point with a better one, and notes whether they tie.
func (p *Point) take(q *Point, better bool) {
	if !q.Set {
		return
	}
	tied := p.Set && p.At == q.At && (p.Tied || q.Tied || p.Value.Cmp(&q.Value) != 0)
	if !p.Set || better {
		*p = *q
	}
	p.Tied = p.Tied || tied
}

// Merge takes the values of another amount in.
func (a *Amount) Merge(b *Amount) error {
	a.First.TakeEarlier(&b.First)
	a.Last.TakeLater(&b.Last)
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
	if _, err := decimal.Exact.Add(&a.Sum, &a.Sum, &b.Sum); err != nil {
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
	return a.Merge(&one)
}

// FixedAmount returns an amount of fixed numbers, all with the decimals of the sum.
func FixedAmount(count int64, sum, minimum, maximum decimal.Fixed) Amount {
	a := Amount{Count: count}
	a.Sum.Set(sum.Decimal())
	a.Min.Set(minimum.Decimal())
	a.Max.Set(maximum.Decimal())
	return a
}

// value returns one of the amount's numbers, blank where it has none. Values have as many decimals as
// the sum, which are the most that any of them has: a source need not know how each was written.
func (a *Amount) value(d *apd.Decimal) (decimal.Value, error) {
	if a.Count == 0 {
		return decimal.Value{}, nil
	}
	v := decimal.Of(d)
	return v, decimal.Widen(&v.Decimal, -a.Sum.Exponent)
}

// point returns the value of a point.
func (a *Amount) point(p *Point) (decimal.Value, error) {
	switch {
	case !p.Set:
		return decimal.Value{}, nil
	case a.Count == 0: // its source counts elsewhere
		return decimal.Of(&p.Value), nil
	}
	return a.value(&p.Value)
}

// AddCell adds the number of a cell that is set to sums.
func (s *Sums) AddCell(c *dataset.Cell) error {
	if c.Fixed {
		return s.Add(c.Number)
	}
	d, err := c.Decimal()
	if err != nil {
		return err
	}
	return s.AddDecimal(d)
}
