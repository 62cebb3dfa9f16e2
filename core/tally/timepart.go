package tally

import (
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// A TimePart is a part of time as a category: the weekday, the hour, the month of the year. Its values are known
// beforehand and go in their natural order; those without a record are shown as well.
type TimePart struct {
	// Column is the one of the dates or times that it is a part of; empty is that of the request.
	Column string
	// Values are its labels in their natural order.
	Values []dataset.Label
	// Years says that the part is the year: only those from the first through the last that has a record are shown.
	Years bool
	// hours says that it is the hour that a clock shows, else place gives the position of a day among the values.
	hours bool
	place func(civil.Day) (int, error)
}

// MaxPartDays is how many days records may span that are broken down by a part of time of an open span.
const MaxPartDays = 40_000

// partYears is over how many of the longer units the values of a part are gathered: long weeks and periods come round
// within them.
const partYears = 30

// HourOfDay returns the hour that a clock shows.
func HourOfDay(column string) *TimePart {
	t := &TimePart{Column: column, hours: true}
	for hour := range 24 {
		t.Values = append(t.Values, dataset.PlacedLabel(fmt.Sprintf("%02d:00", hour), hour+1))
	}
	return t
}

// Weekday returns the day of the week, from the one on which the weeks of a calendar start.
func Weekday(column string, cal *calendar.Calendar) *TimePart {
	start := cal.WeekStart()
	t := &TimePart{Column: column, place: func(d civil.Day) (int, error) { return (int(d.Weekday()) - int(start) + 7) % 7, nil }}
	for i := range 7 {
		t.Values = append(t.Values, dataset.PlacedLabel(((start+civil.Weekday(i))%7).Short(), i+1))
	}
	return t
}

// Year returns the year, by the number that a calendar labels it with.
func Year(column string, cal *calendar.Calendar) *TimePart {
	t := &TimePart{Column: column, Years: true, place: func(d civil.Day) (int, error) {
		n, err := cal.YearNumber(d)
		return n - 1, err
	}}
	for n := 1; n <= maxYear; n++ {
		text := fmt.Sprintf("%04d", n)
		if v, err := cal.Literal(calendar.Year, n, 0); err == nil {
			if name, err := cal.Label(calendar.Year, v.First()); err == nil {
				text = name
			}
		}
		t.Values = append(t.Values, dataset.PlacedLabel(text, n))
	}
	return t
}

// maxYear is the last year that a day may be in.
const maxYear = 9999

// UnitOf returns a unit as it is counted within a longer one: the month of the year, the day of the month. Days near are
// those about which the values are gathered. Errors: those of the calendar.
func UnitOf(column string, cal *calendar.Calendar, u, within calendar.Unit, near civil.Day) (*TimePart, error) {
	t := &TimePart{Column: column, place: func(d civil.Day) (int, error) {
		n, err := cal.Number(u, within, d)
		return n - 1, err
	}}
	last, err := cal.Index(within, near)
	if err != nil {
		return nil, err
	}
	for i := last - partYears; i <= last+1; i++ {
		v, err := cal.Unit(within, i)
		if err != nil {
			continue // beyond the years that are listed
		}
		for d := v.Start; d < v.End; d++ {
			n, err := t.place(d)
			if err != nil {
				return nil, err
			}
			if n != len(t.Values) {
				continue
			}
			text := fmt.Sprint(n + 1)
			if within == calendar.Year && u != calendar.Day {
				if text, err = cal.UnitName(u, d); err != nil {
					return nil, err
				}
			}
			t.Values = append(t.Values, dataset.PlacedLabel(text, n+1))
		}
	}
	return t, nil
}

// Hours reports whether the part is the hour that a clock shows, which needs times.
func (t *TimePart) Hours() bool { return t.hours }

// OfDay returns the position of a day among the values of a part of days. Errors: those of the calendar.
func (t *TimePart) OfDay(d civil.Day) (int, error) {
	i, err := t.place(d)
	if err == nil && (i < 0 || i >= len(t.Values)) {
		err = fmt.Errorf("%s has no place among %d values", d, len(t.Values))
	}
	return i, err
}

// OfMoment returns the position of what a clock shows among the values of a part of hours.
func (t *TimePart) OfMoment(c civil.Clock, m civil.Moment) int {
	_, within := c.DateAndTime(m)
	return int(within / (3600 * civil.Second))
}

// By returns the part of another column.
func (t *TimePart) By(column string) *TimePart {
	other := *t
	other.Column = column
	return &other
}
