package dataset

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/decimal"
)

// CheckFilters refuses filters on columns that are not there, and values that those cannot hold. Spans have been
// resolved.
func (s *Schema) CheckFilters(filters Filters) error {
	_, err := s.Predicate(filters)
	return err
}

// Predicate returns a function that reports whether a record passes all of some filters, whose spans have been
// resolved. Its cells are in the order of the schema's columns; only those of the filters are looked at.
func (s *Schema) Predicate(filters Filters) (func([]Cell) bool, error) {
	type check struct {
		at   int
		pass func(*Cell) bool
	}
	checks := make([][]check, len(filters))
	for i := range filters {
		f := filters[i].Merged()
		for j := range f {
			pass, err := s.predicate(&f[j])
			if err != nil {
				return nil, err
			}
			checks[i] = append(checks[i], check{s.Index(f[j].Column), pass})
		}
	}
	return func(cells []Cell) bool {
		for _, any := range checks {
			if !slices.ContainsFunc(any, func(c check) bool { return c.pass(&cells[c.at]) }) {
				return false
			}
		}
		return true
	}, nil
}

// LabelPredicate returns a function that reports whether a category's value meets a condition on it.
func (s *Schema) LabelPredicate(c *Condition) (func(Label) bool, error) {
	pass, err := s.predicate(c)
	return func(l Label) bool { return pass(&Cell{Text: l.Text, Set: l.Set}) }, err
}

// predicate returns the test of one column's cells. Numbers are compared as numbers, dates and times by their day.
func (s *Schema) predicate(q *Condition) (func(*Cell) bool, error) {
	c, err := s.Find(q.Column)
	if err != nil {
		return nil, err
	}
	pass, err := c.positive(q, s.DateOrder)
	if err != nil {
		return nil, fmt.Errorf("the filter on %s: %w", q.Column, err)
	}
	if q.Negated() {
		return func(cell *Cell) bool { return !pass(cell) }, nil
	}
	return pass, nil
}

// positive returns the test of a condition as though it were not negated.
func (c *Column) positive(q *Condition, order DateOrder) (func(*Cell) bool, error) {
	if q.part != nil {
		return c.passesPart(q)
	}
	if q.Op.TakesSpans() && c.Type.IsTime() {
		if q.days == nil {
			return nil, fmt.Errorf("%s %s has not been resolved", q.Op, listText(q.Values))
		}
		days := *q.days
		return func(cell *Cell) bool { return cell.Set && days.Contains(cell.Day) }, nil
	}
	values, err := c.operands(q, order)
	if err != nil {
		return nil, err
	}
	switch q.Op {
	case Blank, NotBlank:
		return func(cell *Cell) bool { return !cell.Set }, nil
	case Contains, NotContains:
		return func(cell *Cell) bool { return cell.Set && strings.Contains(q.folded(cell.Text), values[0].text) }, nil
	case AtLeast:
		return func(cell *Cell) bool { return cell.Set && c.operand(cell).compare(values[0]) >= 0 }, nil
	case AtMost:
		return func(cell *Cell) bool { return cell.Set && c.operand(cell).compare(values[0]) <= 0 }, nil
	case Above:
		return func(cell *Cell) bool { return cell.Set && c.operand(cell).compare(values[0]) > 0 }, nil
	case Below:
		return func(cell *Cell) bool { return cell.Set && c.operand(cell).compare(values[0]) < 0 }, nil
	case Between:
		return func(cell *Cell) bool {
			v := c.operand(cell)
			return cell.Set && v.compare(values[0]) >= 0 && v.compare(values[1]) <= 0
		}, nil
	}
	if c.Type == Text {
		texts := map[string]bool{}
		for _, v := range values {
			texts[v.text] = true
		}
		if len(values) == 1 && !q.IgnoringCase {
			return func(cell *Cell) bool { return cell.Set && cell.Text == values[0].text }, nil
		}
		return func(cell *Cell) bool { return cell.Set && texts[q.folded(cell.Text)] }, nil
	}
	return func(cell *Cell) bool {
		return cell.Set && slices.ContainsFunc(values, func(v operand) bool { return c.operand(cell).compare(v) == 0 })
	}, nil
}

// Fold returns a text with each of its letters in lower case: what a condition that ignores case compares.
func Fold(text string) string { return strings.Map(unicode.ToLower, text) }

func (c *Condition) folded(text string) string {
	if c.IgnoringCase {
		return Fold(text)
	}
	return text
}

// operand is a value as filters compare it: a number, a day or a text.
type operand struct {
	text   string
	number *apd.Decimal
	day    int
}

// operands reads the values of a condition as those of a column, and refuses an operation that does not go with them.
func (c *Column) operands(q *Condition, order DateOrder) ([]operand, error) {
	if q.IgnoringCase && c.Type != Text {
		return nil, fmt.Errorf("ignoring case goes with text; the column holds %s", c.Type.plural())
	}
	wanted := 1
	switch q.Op {
	case Blank, NotBlank:
		wanted = 0
	case In, NotIn, Is:
		wanted = max(1, len(q.Values))
	case IsNot:
	case Contains, NotContains:
		if c.Type != Text {
			return nil, fmt.Errorf("contains looks into text; the column holds %s", c.Type.plural())
		}
	case AtLeast, AtMost, Above, Below, Between:
		if c.Type == Text {
			return nil, fmt.Errorf("%s compares numbers and days; the column holds text", q.Op)
		}
		if q.Op == Between {
			wanted = 2
		}
	case After, Before:
		if c.Type == Number {
			return nil, fmt.Errorf("%s goes with days; the column holds numbers: take > or <", q.Op)
		}
		return nil, fmt.Errorf("%s goes with days; the column holds %s", q.Op, c.Type.plural())
	default:
		return nil, fmt.Errorf("%q is not an operation: expected %s", q.Op, FilterForms)
	}
	if len(q.Values) != wanted {
		return nil, fmt.Errorf("%s takes %d value(s); %d are given", q.Op, wanted, len(q.Values))
	}
	values := make([]operand, len(q.Values))
	for i, text := range q.Values {
		var err error
		if values[i], err = c.parseOperand(text, order); err != nil {
			return nil, err
		}
		values[i].text = q.folded(values[i].text)
	}
	if q.Op == Between && values[0].compare(values[1]) > 0 {
		return nil, fmt.Errorf("between %s and %s: the first is the greater one", q.Values[0], q.Values[1])
	}
	return values, nil
}

func (c *Column) parseOperand(value string, order DateOrder) (operand, error) {
	text := strings.TrimSpace(value)
	switch c.Type {
	case Number:
		if !decimal.IsPlain(text) {
			return operand{}, fmt.Errorf("%q: expected a number in plain digits", value)
		}
		n, _, err := apd.NewFromString(text)
		return operand{number: n}, err
	case Date, Timestamp:
		d, err := ParseDate(text, order)
		if err != nil {
			return operand{}, fmt.Errorf("%q: %w", value, err)
		}
		return operand{day: int(d)}, nil
	}
	return operand{text: value}, nil
}

// operand returns a cell that is set as filters compare it.
func (c *Column) operand(cell *Cell) operand {
	switch {
	case !cell.Set:
		return operand{}
	case c.Type == Number:
		n, _ := cell.Decimal() // a cell holds plain digits
		return operand{number: n}
	case c.Type == Text:
		return operand{text: cell.Text}
	}
	return operand{day: int(cell.Day)}
}

func (v operand) compare(w operand) int {
	if v.number != nil && w.number != nil {
		return v.number.Cmp(w.number)
	}
	if v.day != w.day {
		return v.day - w.day
	}
	return strings.Compare(v.text, w.text)
}

// FilterDays returns the days of a condition's values as ISO dates, for a column of dates or times. It has been checked.
func (s *Schema) FilterDays(c *Condition) []string {
	days := make([]string, 0, len(c.Values))
	for _, text := range c.Values {
		if d, err := ParseDate(strings.TrimSpace(text), s.DateOrder); err == nil {
			days = append(days, d.String())
		}
	}
	return days
}
