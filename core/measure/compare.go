package measure

import (
	"github.com/cockroachdb/apd/v3"

	"vastspan/core/decimal"
)

// A Comparison sets a figure beside its counterpart (semantics §7).
type Comparison struct {
	Counterpart decimal.Value
	Difference  decimal.Value // value - counterpart; blank where either is
	Change      decimal.Value // difference / |counterpart|; blank where that is undefined
}

// changeDecimals is how many decimals a change and a share have.
const changeDecimals = 6

// Compare compares a value with its counterpart. A change against zero or blank is undefined, never
// infinite.
func Compare(v, counterpart decimal.Value) (Comparison, error) {
	c := Comparison{Counterpart: counterpart}
	var err error
	if c.Difference, err = v.Minus(counterpart); err != nil || !c.Difference.Set || counterpart.Decimal.IsZero() {
		return c, err
	}
	var size apd.Decimal
	size.Abs(&counterpart.Decimal)
	c.Change.Set = true
	return c, decimal.Divide(&c.Change.Decimal, &c.Difference.Decimal, &size, changeDecimals)
}

// Share returns a part as a share of its whole, rounded like a change; blank where either is blank or
// the whole is zero.
func Share(part, whole decimal.Value) (decimal.Value, error) {
	var v decimal.Value
	if !part.Set || !whole.Set || whole.Decimal.IsZero() {
		return v, nil
	}
	v.Set = true
	return v, decimal.Divide(&v.Decimal, &part.Decimal, &whole.Decimal, changeDecimals)
}
