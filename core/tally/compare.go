package tally

import (
	"github.com/cockroachdb/apd/v3"
)

// Direction says which way a figure went; whether that is good is a property of the amount.
type Direction string

// The directions; empty where there is nothing to compare.
const (
	Up    Direction = "up"
	Down  Direction = "down"
	Level Direction = "level"
)

// A Comparison sets a figure beside its counterpart (semantics §7).
type Comparison struct {
	Against    Value
	Difference Value // value - counterpart; not set where either is blank
	Change     Value // difference / |counterpart|; not set where that is undefined
	Direction  Direction
}

// changeDigits is how many decimals a change has.
const changeDigits = 6

// Compare compares a value with its counterpart. A change against zero or blank is undefined, never
// infinite.
func Compare(v, against Value) (Comparison, error) {
	c := Comparison{Against: against}
	if !v.Set || !against.Set {
		return c, nil
	}
	c.Difference.Set = true
	if _, err := exact.Sub(&c.Difference.Decimal, &v.Decimal, &against.Decimal); err != nil {
		return c, err
	}
	c.Direction = [...]Direction{Down, Level, Up}[c.Difference.Decimal.Sign()+1]
	if against.Decimal.IsZero() {
		return c, nil
	}
	c.Change.Set = true
	var size apd.Decimal
	size.Abs(&against.Decimal)
	return c, quotient(&c.Change.Decimal, &c.Difference.Decimal, &size, changeDigits)
}

// quotient divides and rounds half to even to a number of decimals.
func quotient(into, a, b *apd.Decimal, decimals int32) error {
	digits := a.NumDigits() + b.NumDigits() + int64(max(a.Exponent, 0)) + int64(max(-b.Exponent, 0)) + int64(decimals) + 10
	ctx := apd.BaseContext.WithPrecision(uint32(digits))
	ctx.Rounding = apd.RoundHalfEven
	if _, err := ctx.Quo(into, a, b); err != nil {
		return err
	}
	_, err := ctx.Quantize(into, into, -decimals)
	return err
}

// Share gives a part as a share of its whole, rounded like a change; not set where either is blank or
// the whole is zero.
func Share(part, whole Value) (Value, error) {
	var v Value
	if !part.Set || !whole.Set || whole.Decimal.IsZero() {
		return v, nil
	}
	v.Set = true
	return v, quotient(&v.Decimal, &part.Decimal, &whole.Decimal, changeDigits)
}

// Shares tells whether parts of a figure add up to the whole, so that a share of it means anything.
func (k Kind) Shares() bool { return k == Count || k == Sum }
