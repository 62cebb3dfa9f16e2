package tally

import (
	"slices"

	"github.com/cockroachdb/apd/v3"
)

// A Bag holds the values of a column and how often each occurs; blanks are not in it. Equal numbers
// have the same text, see NumberKey.
type Bag map[string]int64

// NumberKey gives a number's plain digits such that equal numbers have the same.
func NumberKey(d *apd.Decimal) string {
	var reduced apd.Decimal
	reduced.Reduce(d)
	return reduced.Text('f')
}

// add puts a bag's values into another.
func (b Bag) add(c Bag) {
	for v, n := range c {
		b[v] += n
	}
}

// whole makes a figure of all values of a bag.
func (b Bag) whole(k Kind) (Value, error) {
	if k == Distinct {
		v := Value{Set: true}
		v.Decimal.SetInt64(int64(len(b)))
		return v, nil
	}
	return b.median()
}

func (b Bag) median() (Value, error) {
	type counted struct {
		value apd.Decimal
		count int64
	}
	list := make([]counted, 0, len(b))
	var total int64
	for text, n := range b {
		d, _, err := apd.NewFromString(text)
		if err != nil {
			return Value{}, err
		}
		list = append(list, counted{*d, n})
		total += n
	}
	if total == 0 {
		return Value{}, nil
	}
	slices.SortFunc(list, func(a, b counted) int { return a.value.Cmp(&b.value) })
	at := func(place int64) *apd.Decimal {
		for i := range list {
			if place < list[i].count {
				return &list[i].value
			}
			place -= list[i].count
		}
		return nil
	}
	return Midway(at((total-1)/2), at(total/2))
}

// Midway gives the number halfway between two, exactly and without trailing zeros.
func Midway(a, b *apd.Decimal) (Value, error) {
	v := Value{Set: true}
	if _, err := exact.Add(&v.Decimal, a, b); err != nil {
		return v, err
	}
	if _, err := exact.Mul(&v.Decimal, &v.Decimal, apd.New(5, -1)); err != nil {
		return v, err
	}
	v.Decimal.Reduce(&v.Decimal)
	if v.Decimal.Exponent > 0 { // plain digits, not 1E+2
		return v, widen(&v.Decimal, 0)
	}
	return v, nil
}
