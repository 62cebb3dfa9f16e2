package dataset

import (
	"fmt"
	"slices"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/decimal"
)

// CheckFilters refuses filters on columns that are not there, and values that those cannot hold.
func (s *Schema) CheckFilters(filters Filters) error {
	_, err := s.Predicate(filters)
	return err
}

// Predicate returns a function that reports whether a record passes all of some filters. Its cells are
// in the order of the schema's columns; only those of the filters are looked at.
func (s *Schema) Predicate(filters Filters) (func([]Cell) bool, error) {
	type check struct {
		at   int
		pass func(*Cell) bool
	}
	var checks []check
	for _, f := range filters {
		pass, err := s.predicate(f)
		if err != nil {
			return nil, err
		}
		checks = append(checks, check{s.Index(f.Column), pass})
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

// LabelPredicate returns a function that reports whether a category's value passes a filter on it.
func (s *Schema) LabelPredicate(f Filter) (func(Label) bool, error) {
	pass, err := s.predicate(f)
	return func(l Label) bool { return pass(&Cell{Text: l.Text, Set: l.Set}) }, err
}

// predicate returns the test of one column's cells. Numbers are compared as numbers, dates and times
// by their day.
func (s *Schema) predicate(f Filter) (func(*Cell) bool, error) {
	c, err := s.Find(f.Column)
	if err != nil {
		return nil, err
	}
	values, err := c.operands(f, s.DateOrder)
	if err != nil {
		return nil, fmt.Errorf("the filter on %s: %w", f.Column, err)
	}
	among := func(cell *Cell) bool { return slices.ContainsFunc(values, c.operand(cell).equals) }
	if c.Type == Text && len(values) == 1 {
		v := values[0]
		among = func(cell *Cell) bool { return cell.Set == v.set && (!cell.Set || cell.Text == v.text) }
	}
	switch f.Op {
	case IsNot:
		return func(cell *Cell) bool { return !among(cell) }, nil
	case Contains:
		return func(cell *Cell) bool { return cell.Set && strings.Contains(cell.Text, values[0].text) }, nil
	case AtLeast:
		return func(cell *Cell) bool { return cell.Set && c.operand(cell).compare(values[0]) >= 0 }, nil
	case AtMost:
		return func(cell *Cell) bool { return cell.Set && c.operand(cell).compare(values[0]) <= 0 }, nil
	case Between:
		return func(cell *Cell) bool {
			v := c.operand(cell)
			return v.set && v.compare(values[0]) >= 0 && v.compare(values[1]) <= 0
		}, nil
	}
	return among, nil
}

// operand is a value as filters compare it: a number, a day or a text, or blank.
type operand struct {
	set    bool
	text   string
	number *apd.Decimal
	day    int
}

// operands reads the values of a filter as those of a column, and refuses an operation that does not
// go with them.
func (c *Column) operands(f Filter, order DateOrder) ([]operand, error) {
	values := make([]operand, len(f.Values))
	for i, l := range f.Values {
		var err error
		if values[i], err = c.parseOperand(l, order); err != nil {
			return nil, err
		}
	}
	wanted := 1
	switch f.Op {
	case Is, IsNot:
		if len(values) == 0 {
			return nil, fmt.Errorf("expected a value")
		}
		return values, nil
	case Contains:
		if c.Type != Text {
			return nil, fmt.Errorf("contains looks into text; the column holds %s", c.Type.plural())
		}
	case AtLeast, AtMost, Between:
		if c.Type == Text {
			return nil, fmt.Errorf("%s compares numbers and days; the column holds text", f.Op)
		}
	default:
		return nil, fmt.Errorf("%q is not an operation: expected is, is not, contains, at least, at most or between", f.Op)
	}
	if f.Op == Between {
		wanted = 2
	}
	if len(values) != wanted || slices.ContainsFunc(values, func(v operand) bool { return !v.set }) {
		return nil, fmt.Errorf("%s takes %d value(s), and no blank one", f.Op, wanted)
	}
	if f.Op == Between && values[0].compare(values[1]) > 0 {
		return nil, fmt.Errorf("between %s and %s: the first is the greater one", f.Values[0].Text, f.Values[1].Text)
	}
	return values, nil
}

func (c *Column) parseOperand(l Label, order DateOrder) (operand, error) {
	if !l.Set {
		return operand{}, nil
	}
	text := strings.TrimSpace(l.Text)
	switch c.Type {
	case Number:
		if !decimal.IsPlain(text) {
			return operand{}, fmt.Errorf("%q: expected a number in plain digits", l.Text)
		}
		n, _, err := apd.NewFromString(text)
		return operand{set: true, number: n}, err
	case Date, Timestamp:
		d, err := ParseDate(text, order)
		if err != nil {
			return operand{}, fmt.Errorf("%q: %w", l.Text, err)
		}
		return operand{set: true, day: int(d)}, nil
	}
	return operand{set: true, text: l.Text}, nil
}

// operand returns a cell as filters compare it.
func (c *Column) operand(cell *Cell) operand {
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

// FilterDays returns the days of a filter's values as ISO dates, for a column of dates or times;
// blanks are left out. The filter has been checked.
func (s *Schema) FilterDays(f Filter) []string {
	var days []string
	for _, l := range f.Values {
		if d, err := ParseDate(strings.TrimSpace(l.Text), s.DateOrder); l.Set && err == nil {
			days = append(days, d.String())
		}
	}
	return days
}
