package measure

import "vastspan/core/decimal"

// A Comparison compares a figure with its counterpart (semantics §7). All of it is exact.
type Comparison struct {
	Counterpart decimal.Fraction
	Difference  decimal.Fraction // value - counterpart; blank where either is
	Change      decimal.Fraction // difference / |counterpart|; blank where that is undefined
}

// Compare compares a value with its counterpart. A change against zero or blank is undefined, never
// infinite.
func Compare(v, counterpart decimal.Fraction) (Comparison, error) {
	c := Comparison{Counterpart: counterpart}
	var err error
	if c.Difference, err = v.Minus(counterpart); err != nil {
		return c, err
	}
	c.Change, err = c.Difference.Over(counterpart.Abs())
	c.Change = c.Change.Bare()
	return c, err
}

// Share returns a part as a share of its whole; blank where either is blank or the whole is zero.
func Share(part, whole decimal.Fraction) (decimal.Fraction, error) {
	share, err := part.Over(whole)
	return share.Bare(), err
}
