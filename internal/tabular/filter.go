package tabular

import (
	"fmt"
	"slices"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/tally"
)

// CheckFilters refuses filters that the columns cannot be put to, and values that are none of
// theirs.
func (s *Schema) CheckFilters(where []tally.Filter) error {
	_, err := s.keeper(where)
	return err
}

// keeper gives the test of a record against filters: it has to pass all of them.
func (s *Schema) keeper(where []tally.Filter) (func([]Cell) bool, error) {
	type check struct {
		at   int
		pass func(*Cell) bool
	}
	var checks []check
	for _, f := range where {
		at := slices.IndexFunc(s.Columns, func(c Column) bool { return c.Name == f.Column })
		if at < 0 {
			return nil, s.noColumn(f.Column)
		}
		pass, err := s.Columns[at].test(f, s.DateOrder)
		if err != nil {
			return nil, fmt.Errorf("the filter on %s: %w", f.Column, err)
		}
		checks = append(checks, check{at, pass})
	}
	return func(cells []Cell) bool {
		for _, c := range checks {
			if !c.pass(&cells[c.at]) {
				return false
			}
		}
		return true
	}, nil
}

// LabelTest gives the test of a category's values against a filter on it.
func (s *Schema) LabelTest(f tally.Filter) (func(tally.Label) bool, error) {
	c, ok := s.Column(f.Column)
	if !ok {
		return nil, s.noColumn(f.Column)
	}
	pass, err := c.test(f, s.DateOrder)
	return func(l tally.Label) bool { return pass(&Cell{Text: l.Text, Set: l.Set}) }, err
}

// test gives the test of one column. Numbers are compared as numbers, dates and times by their day.
func (c *Column) test(f tally.Filter, order DateOrder) (func(*Cell) bool, error) {
	if len(f.Values) == 0 {
		return nil, fmt.Errorf("expected a value")
	}
	values := make([]operand, len(f.Values))
	for i, l := range f.Values {
		v, err := c.value(l, order)
		if err != nil {
			return nil, err
		}
		values[i] = v
	}
	switch f.Test {
	case tally.Is, "":
		if c.Type == Text && len(values) == 1 {
			return func(cell *Cell) bool { return cell.Set == values[0].set && (!cell.Set || cell.Text == values[0].text) }, nil
		}
		return func(cell *Cell) bool { return slices.ContainsFunc(values, c.of(cell).equals) }, nil
	case tally.IsNot:
		return func(cell *Cell) bool { return !slices.ContainsFunc(values, c.of(cell).equals) }, nil
	}
	if f.Test == tally.Between {
		if len(values) != 2 || !values[0].set || !values[1].set {
			return nil, fmt.Errorf("between takes two values, and no blank one")
		}
		if c.Type == Text {
			return nil, fmt.Errorf("between compares numbers and days; the column holds text")
		}
		if values[0].compare(values[1]) > 0 {
			return nil, fmt.Errorf("between %s and %s: the first is the greater one", f.Values[0].Text, f.Values[1].Text)
		}
		return func(cell *Cell) bool {
			v := c.of(cell)
			return v.set && v.compare(values[0]) >= 0 && v.compare(values[1]) <= 0
		}, nil
	}
	if len(values) != 1 || !values[0].set {
		return nil, fmt.Errorf("%s takes one value, and not a blank one", f.Test)
	}
	bound := values[0]
	switch f.Test {
	case tally.Contains:
		if c.Type != Text {
			return nil, fmt.Errorf("contains looks into text; the column holds %s", plural(c.Type))
		}
		return func(cell *Cell) bool { return cell.Set && strings.Contains(cell.Text, bound.text) }, nil
	case tally.AtLeast, tally.AtMost:
		if c.Type == Text {
			return nil, fmt.Errorf("%s compares numbers and days; the column holds text", f.Test)
		}
		sign := 1
		if f.Test == tally.AtMost {
			sign = -1
		}
		return func(cell *Cell) bool { return cell.Set && sign*c.of(cell).compare(bound) >= 0 }, nil
	}
	return nil, fmt.Errorf("%q is no test: expected is, is-not, contains, at-least, at-most or between", f.Test)
}

// operand is a value as filters compare it: a number, a day or a text, or blank.
type operand struct {
	set    bool
	text   string
	number *apd.Decimal
	day    int
}

// value reads a filter's value as one of the column's.
func (c *Column) value(l tally.Label, order DateOrder) (operand, error) {
	if !l.Set {
		return operand{}, nil
	}
	switch c.Type {
	case Number:
		if !isPlainNumber(strings.TrimSpace(l.Text)) {
			return operand{}, fmt.Errorf("%q: expected a number in plain digits", l.Text)
		}
		n, _, err := apd.NewFromString(strings.TrimSpace(l.Text))
		return operand{set: true, number: n}, err
	case Date, Timestamp:
		d, err := parseDate(strings.TrimSpace(l.Text), order)
		if err != nil {
			return operand{}, fmt.Errorf("%q: %w", l.Text, err)
		}
		return operand{set: true, day: int(d)}, nil
	}
	return operand{set: true, text: l.Text}, nil
}

// of gives a cell as filters compare it.
func (c *Column) of(cell *Cell) operand {
	v := operand{set: cell.Set}
	switch {
	case !cell.Set:
	case c.Type == Number:
		v.number, _ = cell.Decimal() // a cell holds plain digits
	case c.Type == Text:
		v.text = cell.Text
	default:
		v.day = int(cell.Day)
	}
	return v
}

func (v operand) equals(w operand) bool { return v.set == w.set && v.compare(w) == 0 }

func (v operand) compare(w operand) int {
	if v.number != nil && w.number != nil {
		return v.number.Cmp(w.number)
	}
	if v.day != w.day {
		return v.day - w.day
	}
	return strings.Compare(v.text, w.text)
}

// FilterDays gives the days of a filter's values as ISO dates, for a column of dates or times; blanks
// are left out. The filter has been checked.
func (s *Schema) FilterDays(f tally.Filter) []string {
	var days []string
	for _, l := range f.Values {
		if d, err := parseDate(strings.TrimSpace(l.Text), s.DateOrder); l.Set && err == nil {
			days = append(days, d.String())
		}
	}
	return days
}
