package measure

import (
	"slices"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/decimal"
)

// A Multiset holds the values of a column and how often each occurs; blanks are not in it. Equal
// values have the same text (dataset.Column.Key).
type Multiset map[string]int64

// AddAll puts another multiset's values into this one.
func (m Multiset) AddAll(other Multiset) {
	for v, n := range other {
		m[v] += n
	}
}

// at returns the value at a place of the sorted values, from 0 to 1, midway between two that it is
// between; blank where there are none.
func (m Multiset) at(order float64) (decimal.Value, error) {
	type counted struct {
		value apd.Decimal
		count int64
	}
	list := make([]counted, 0, len(m))
	var total int64
	for text, n := range m {
		d, _, err := apd.NewFromString(text)
		if err != nil {
			return decimal.Value{}, err
		}
		list = append(list, counted{*d, n})
		total += n
	}
	if total == 0 {
		return decimal.Value{}, nil
	}
	slices.SortFunc(list, func(a, b counted) int { return a.value.Cmp(&b.value) })
	find := func(place int64) *apd.Decimal {
		for i := range list {
			if place < list[i].count {
				return &list[i].value
			}
			place -= list[i].count
		}
		return &list[len(list)-1].value
	}
	lower, upper := Places(total, order)
	return decimal.Midway(find(lower), find(upper))
}

// Places returns the positions, from 0, of the two values around a place from 0 to 1 among n sorted
// ones; they are the same where the place falls on a value.
func Places(n int64, order float64) (lower, upper int64) {
	below := order * float64(n)
	whole := int64(below)
	if float64(whole) == below && whole > 0 && whole < n {
		return whole - 1, whole
	}
	whole = min(whole, n-1)
	return whole, whole
}
