package dataset

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync/atomic"

	"vastspan/core/civil"
)

// A DatePart is a part of a date or time as filters ask for it: its weekday, its hour, its month of the year (semantics §11).
type DatePart struct {
	// Words are how the part is written, without its column: month of year.
	Words string
	// Hours says that it is the hour that a clock shows, which needs times.
	Hours bool
	// Place returns the number of the part that a cell is in.
	Place func(*Cell) (int, error)
	// Read reads a value: 10, Oct.
	Read   func(text string) (int, error)
	failed atomic.Pointer[error]
}

// Failed returns why a record could not be put to a condition on a part of its date, such as a day beyond the years that a calendar
// lists; nil where all could. It is asked once the records have been read.
func (list Filters) Failed() error {
	for _, f := range list {
		for _, c := range f {
			if c.part != nil {
				if err := c.part.failed.Load(); err != nil {
					return fmt.Errorf("the filter on %s: %w", c.part.written, *err)
				}
			}
		}
	}
	return nil
}

// A partTest is a part with the numbers that a condition is met by.
type partTest struct {
	*DatePart
	written string // the part and its column as they were written
	met     func(int) bool
}

// Part returns the part of a date that a condition asks for; nil where it asks for the column itself. It has been resolved.
func (c *Condition) Part() *DatePart {
	if c.part == nil {
		return nil
	}
	return c.part.DatePart
}

// HasPart reports whether a filter asks for a part of a date.
func (f Filter) HasPart() bool {
	return slices.ContainsFunc(f, func(c Condition) bool { return c.part != nil })
}

// maxPartDays is over how many days the parts of a condition are listed.
const maxPartDays = 40_000

// OnDates returns filters in which conditions on parts of dates are conditions on days, and those on hours on moments: those between
// the oldest and the newest day of a column, which bounds finds. Errors: those of bounds and of calendars, and too many days.
func (list Filters) OnDates(clock civil.Clock, bounds func(column string) (civil.Interval, error)) (Filters, error) {
	out := make(Filters, len(list))
	for i, f := range list {
		out[i] = slices.Clone(f)
		for j := range out[i] {
			c := &out[i][j]
			if c.part == nil {
				continue
			}
			part := c.part
			if c.part = nil; c.Op == Blank || c.Op == NotBlank {
				continue
			}
			v, err := bounds(c.Column)
			if err == nil && !v.Empty() && v.Days() > maxPartDays {
				err = fmt.Errorf("the filter on %s: the records span %d days; at most %d", part.written, v.Days(), maxPartDays)
			}
			if err == nil {
				err = c.listDates(part, clock, v)
			}
			if err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// listDates makes a condition on a part one on the days, or the moments, between two days.
func (c *Condition) listDates(part *partTest, clock civil.Clock, v civil.Interval) error {
	if part.Hours {
		moments := civil.MomentSet{}
		for hour := range civil.TimeOfDay(24) {
			if part.met(int(hour)) && !v.Empty() {
				moments = moments.Union(clock.Only(clock.Run(v), hour*3600, (hour+1)*3600))
			}
		}
		c.moments = &moments
		return nil
	}
	var days []civil.Interval
	for d := v.Start; d < v.End; d++ {
		n, err := part.Place(&Cell{Set: true, Day: d})
		if err != nil {
			return err
		}
		if part.met(n) {
			days = append(days, civil.One(d))
		}
	}
	set := civil.Union(days...)
	c.days = &set
	return nil
}

// Moments returns the moments that a condition allows for a record, before it is negated; false where it is not one on moments.
func (c *Condition) Moments() (civil.MomentSet, bool) {
	if c.moments == nil {
		return civil.MomentSet{}, false
	}
	return *c.moments, true
}

// name is what a condition is about, as it is written.
func (c *Condition) name() string {
	if c.part != nil {
		return c.part.written
	}
	return c.Column
}

// resolvePart makes a condition one on a part of a column.
func (c *Condition) resolvePart(part *DatePart, column string) error {
	values := make([]int, len(c.Values))
	for i, text := range c.Values {
		var err error
		if values[i], err = part.Read(strings.TrimSpace(text)); err != nil {
			return err
		}
	}
	met, err := numbersMeeting(c, values)
	if err != nil {
		return err
	}
	c.part = &partTest{part, c.Column, met}
	c.Column = column
	return nil
}

// numbersMeeting returns what reports whether a number meets a condition before it is negated.
func numbersMeeting(c *Condition, values []int) (func(int) bool, error) {
	switch c.Op {
	case Blank, NotBlank:
		return func(int) bool { return false }, nil
	case Is, IsNot, In, NotIn:
		return func(n int) bool { return slices.Contains(values, n) }, nil
	case AtLeast:
		return func(n int) bool { return n >= values[0] }, nil
	case AtMost:
		return func(n int) bool { return n <= values[0] }, nil
	case Above:
		return func(n int) bool { return n > values[0] }, nil
	case Below:
		return func(n int) bool { return n < values[0] }, nil
	case Between:
		if values[0] > values[1] {
			return nil, fmt.Errorf("between %s and %s: the first is the greater one", c.Values[0], c.Values[1])
		}
		return func(n int) bool { return n >= values[0] && n <= values[1] }, nil
	}
	return nil, fmt.Errorf("%s does not go with a part of time", c.Op)
}

// passesPart returns the test of a cell by the part of a condition, as though it were not negated.
func (c *Column) passesPart(q *Condition) (func(*Cell) bool, error) {
	if q.part.Hours && c.Type != Timestamp {
		return nil, errors.New("it has days and no times: hours need times")
	}
	if q.Op == Blank || q.Op == NotBlank {
		return func(cell *Cell) bool { return !cell.Set }, nil
	}
	return func(cell *Cell) bool {
		if !cell.Set {
			return false
		}
		n, err := q.part.Place(cell)
		if err != nil {
			q.part.failed.CompareAndSwap(nil, &err)
			return false
		}
		return q.part.met(n)
	}, nil
}
