package calendar

import (
	"errors"
	"fmt"

	"vastspan/core/civil"
	"vastspan/core/internal/floor"
)

// A Calendar answers for one layout of years, one start of the week and one set of business days.
// It is immutable; make one with Build.
type Calendar struct {
	spec      Spec
	layout    layout
	weekStart civil.Weekday
	business  business
}

// A layout says where months (periods) begin and how many make a year. Quarters, halves and years
// follow from that: a quarter is three months, the last one takes what is left over.
type layout interface {
	// month returns the running index of the month that holds a day: year index × perYear + position.
	// It also answers for the one edge after the last day that the layout knows.
	month(d civil.Day) (int, error)
	// start returns the first day of a month by its running index, which may be that edge.
	start(month int) (civil.Day, error)
	// covers refuses a day that no year of the layout holds.
	covers(d civil.Day) error
	perYear() int
	// yearLabel and yearIndex go from a year's index to the number that names it, and back.
	yearLabel(index int) int
	yearIndex(label int) int
	// move moves a day by n months' worth of a unit from Month up (semantics §3); clamped tells
	// that the target is too short to hold the same position.
	move(d civil.Day, n int, u Unit) (moved civil.Day, clamped bool, err error)
}

// ErrRange marks an answer outside 0001-01-01 to 9999-12-31.
var ErrRange = errors.New("outside 0001-01-01 to 9999-12-31")

// ErrUnlisted marks an answer outside the years of a listed calendar.
var ErrUnlisted = errors.New("outside the listed years")

// Name returns the calendar's name.
func (c *Calendar) Name() string { return c.spec.Name }

// Spec returns what the calendar was built from.
func (c *Calendar) Spec() Spec { return c.spec }

// WeekStart returns the first day of its weeks.
func (c *Calendar) WeekStart() civil.Weekday { return c.weekStart }

// MonthBased reports whether months are civil months or begin on one fixed day of them.
func (c *Calendar) MonthBased() bool { return c.spec.Kind == KindMonths }

// WorkingWeek returns the days of the week on which business is done.
func (c *Calendar) WorkingWeek() civil.Weekdays { return c.business.week }

// PeriodsPerYear is 12, or 13 in a calendar of thirteen periods.
func (c *Calendar) PeriodsPerYear() int { return c.layout.perYear() }

// Index returns the running index of the unit that holds a day. Indexes grow by one from a unit to
// the next, across year ends, so that their difference is an offset (semantics §2). For business
// days it counts those before the day. Errors: ErrRange, ErrUnlisted.
func (c *Calendar) Index(u Unit, d civil.Day) (int, error) {
	switch u {
	case Day:
		return int(d), nil
	case BusinessDay:
		return c.business.before(d), nil
	case Week:
		return c.weekIndex(d), nil
	}
	if err := c.layout.covers(d); err != nil {
		return 0, err
	}
	m, err := c.layout.month(d)
	if err != nil {
		return 0, err
	}
	return fromMonth(u, m, c.layout.perYear()), nil
}

// Start returns the first day of the unit with a running index, which may be the edge one day beyond
// the last unit there is. Errors: ErrRange, ErrUnlisted.
func (c *Calendar) Start(u Unit, index int) (civil.Day, error) {
	var d civil.Day
	switch u {
	case Day:
		d = civil.Day(index)
	case Week:
		d = civil.Day(index*7 + int(c.weekStart))
	case BusinessDay:
		return c.business.nth(index)
	default:
		return c.layout.start(toMonth(u, index, c.layout.perYear()))
	}
	return d, edgeInRange(d)
}

// Unit returns the interval of the unit with a running index. Errors: ErrRange, ErrUnlisted.
func (c *Calendar) Unit(u Unit, index int) (civil.Interval, error) {
	start, err := c.Start(u, index)
	if err != nil {
		return civil.Interval{}, err
	}
	if u == BusinessDay {
		return civil.One(start), nil
	}
	end, err := c.Start(u, index+1)
	if err != nil {
		return civil.Interval{}, err
	}
	return civil.Interval{Start: start, End: end}, nil
}

// Containing returns the interval of the unit that holds a day. Business days are not asked for here:
// a day that is none has no answer. Errors: ErrRange, ErrUnlisted.
func (c *Calendar) Containing(u Unit, d civil.Day) (civil.Interval, error) {
	i, err := c.Index(u, d)
	if err != nil {
		return civil.Interval{}, err
	}
	return c.Unit(u, i)
}

// Move moves a day by n units, backwards when n is negative (semantics §3). It also moves the edge
// one day beyond the last. clamped reports that a shorter month, or a unit with fewer weeks, made it
// land on an earlier position than it came from. Errors: ErrRange, ErrUnlisted.
func (c *Calendar) Move(d civil.Day, n int, u Unit) (moved civil.Day, clamped bool, err error) {
	switch u {
	case Day:
		moved = d + civil.Day(n)
	case Week:
		moved = d + civil.Day(7*n)
	case BusinessDay:
		moved, err = c.business.move(d, n)
		return moved, false, err
	default:
		return c.layout.move(d, n, u)
	}
	return moved, false, edgeInRange(moved)
}

// Literal returns the unit of a year by its number from 1 on: Literal(Quarter, 2026, 2) is 2026-Q2.
// For Year the number is not looked at. An error says that the year has no such unit.
func (c *Calendar) Literal(u Unit, year, number int) (civil.Interval, error) {
	y := c.layout.yearIndex(year)
	if y < 0 {
		return civil.Interval{}, fmt.Errorf("calendar %s has no year %04d: %w", c.Name(), year, ErrUnlisted)
	}
	if u == Week {
		return c.weekLiteral(y, year, number)
	}
	have, first := 1, y
	if u != Year {
		have = fromMonth(u, c.layout.perYear(), c.layout.perYear())
		first = y*have + number - 1
	}
	if number > have {
		return civil.Interval{}, c.noSuchUnit(u, year, number, have)
	}
	v, err := c.Unit(u, first)
	if err != nil {
		err = fmt.Errorf("year %04d of calendar %s: %w", year, c.Name(), err)
	}
	return v, err
}

func (c *Calendar) noSuchUnit(u Unit, year, number, have int) error {
	return fmt.Errorf("year %04d of calendar %s has no %s %d, only %d", year, c.Name(), u, number, have)
}

// weekLiteral returns a week of a year by its number: the year's first week is the first whose fourth
// day it holds (semantics §2).
func (c *Calendar) weekLiteral(index, year, number int) (civil.Interval, error) {
	whole, err := c.Unit(Year, index)
	if err != nil {
		return whole, fmt.Errorf("year %04d of calendar %s: %w", year, c.Name(), err)
	}
	first := c.weekIndex(whole.Start + 3)
	if have := c.weekIndex(whole.End+3) - first; number > have {
		return civil.Interval{}, c.noSuchUnit(Week, year, number, have)
	}
	return c.Unit(Week, first+number-1)
}

// IsBusinessDay reports whether a day is in the working week and not on the holiday list.
func (c *Calendar) IsBusinessDay(d civil.Day) bool { return c.business.has(d) }

// BusinessDays returns how many business days an interval has; it is not open.
func (c *Calendar) BusinessDays(v civil.Interval) int {
	if v.Empty() {
		return 0
	}
	return c.business.before(v.End) - c.business.before(v.Start)
}

// IsHoliday reports whether a day is on the holiday list.
func (c *Calendar) IsHoliday(d civil.Day) bool { return c.business.holiday(d) }

// HolidaysKnown reports whether the holiday list, if there is one, covers every year of an interval.
func (c *Calendar) HolidaysKnown(v civil.Interval) bool {
	l := c.business.list
	return l == nil || v.Empty() || v.Start.Year() >= l.FirstYear && v.Last().Year() <= l.LastYear
}

// Holidays returns the holiday list, or nil.
func (c *Calendar) Holidays() *Holidays { return c.business.list }

func (c *Calendar) weekIndex(d civil.Day) int { return floor.Div(int(d)-int(c.weekStart), 7) }

// fromMonth turns a running month index into that of a longer unit.
func fromMonth(u Unit, month, perYear int) int {
	if u == Month {
		return month
	}
	year, p := inYear(month, perYear)
	quarter := min(p/3, 3)
	switch u {
	case Quarter:
		return year*4 + quarter
	case Half:
		return year*2 + quarter/2
	}
	return year
}

// inYear takes a running month index apart. Dividing by a constant is several times as fast as by a
// variable, and nearly every calendar has twelve months.
func inYear(month, perYear int) (year, position int) {
	if perYear == 12 {
		return floor.Div(month, 12), floor.Mod(month, 12)
	}
	return floor.Div(month, perYear), floor.Mod(month, perYear)
}

// toMonth returns the first month of a longer unit.
func toMonth(u Unit, index, perYear int) int {
	switch u {
	case Quarter:
		return floor.Div(index, 4)*perYear + floor.Mod(index, 4)*3
	case Half:
		return floor.Div(index, 2)*perYear + floor.Mod(index, 2)*6
	case Year:
		return index * perYear
	}
	return index
}

// edgeInRange refuses a day that is neither valid nor the edge after the last.
func edgeInRange(d civil.Day) error {
	if d < civil.MinDay || d > civil.EndOfDays {
		return ErrRange
	}
	return nil
}
