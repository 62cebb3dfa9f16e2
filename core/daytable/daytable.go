// Package daytable lays days out in rows: what each one is in a calendar, how far it lies from the
// as-of day, and which spans it is in. It prints and stores nothing.
package daytable

import (
	"errors"
	"strconv"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// Position says where a day lies.
type Position string

// The positions.
const (
	Past  Position = "past"
	AsOf  Position = "as-of"
	Ahead Position = "ahead"
)

// A Row is one day. Numbers and labels of units that a listed calendar has no answer for are blank.
type Row struct {
	Day         civil.Day
	Weekday     civil.Weekday
	Position    Position
	BusinessDay bool
	Holiday     bool
	Cells       []string // as Columns names them
}

// A column is one answer about a unit: its label, its number within a longer one, or its offset.
type column struct {
	name   string
	unit   calendar.Unit
	within calendar.Unit // with number
	answer answer
}

type answer uint8

const (
	label answer = iota
	number
	offset
)

var columns = []column{
	{"day_offset", calendar.Day, 0, offset},
	{"business_day_offset", calendar.BusinessDay, 0, offset},
	{"week", calendar.Week, 0, label},
	{"week_offset", calendar.Week, 0, offset},
	{"day_of_week", calendar.Day, calendar.Week, number},
	{"week_of_month", calendar.Week, calendar.Month, number},
	{"week_of_year", calendar.Week, calendar.Year, number},
	{"month", calendar.Month, 0, label},
	{"month_offset", calendar.Month, 0, offset},
	{"day_of_month", calendar.Day, calendar.Month, number},
	{"month_of_quarter", calendar.Month, calendar.Quarter, number},
	{"month_of_year", calendar.Month, calendar.Year, number},
	{"quarter", calendar.Quarter, 0, label},
	{"quarter_offset", calendar.Quarter, 0, offset},
	{"day_of_quarter", calendar.Day, calendar.Quarter, number},
	{"quarter_of_year", calendar.Quarter, calendar.Year, number},
	{"half", calendar.Half, 0, label},
	{"half_offset", calendar.Half, 0, offset},
	{"half_of_year", calendar.Half, calendar.Year, number},
	{"year", calendar.Year, 0, label},
	{"year_offset", calendar.Year, 0, offset},
	{"day_of_year", calendar.Day, calendar.Year, number},
}

// Columns names the cells of every row, in their order.
func Columns() []string {
	names := make([]string, len(columns))
	for i, c := range columns {
		names[i] = c.name
	}
	return names
}

// IsLabel tells whether a column holds a label, not a number.
func IsLabel(i int) bool { return columns[i].answer == label }

// Of gives the row of a day in a calendar, as seen from an as-of day. Errors other than a day
// outside a listed calendar are given back.
func Of(cal *calendar.Calendar, d, asOf civil.Day) (Row, error) {
	r := Row{Day: d, Weekday: d.Weekday(), Position: position(d, asOf), BusinessDay: cal.IsBusinessDay(d), Holiday: cal.IsHoliday(d), Cells: make([]string, len(columns))}
	for i, c := range columns {
		cell, err := c.cell(cal, d, asOf)
		switch {
		case errors.Is(err, calendar.ErrUnlisted) || errors.Is(err, calendar.ErrRange):
			continue // the calendar has no answer
		case err != nil:
			return r, err
		}
		r.Cells[i] = cell
	}
	return r, nil
}

func position(d, asOf civil.Day) Position {
	switch {
	case d < asOf:
		return Past
	case d > asOf:
		return Ahead
	}
	return AsOf
}

func (c *column) cell(cal *calendar.Calendar, d, asOf civil.Day) (string, error) {
	var n int
	var err error
	switch {
	case c.answer == label:
		return cal.Label(c.unit, d)
	case c.answer == number:
		n, err = cal.Number(c.unit, c.within, d)
	case c.unit == calendar.BusinessDay && !cal.IsBusinessDay(d):
		return "", nil // a day that is none has no offset in business days
	default:
		n, err = cal.Offset(c.unit, d, asOf)
	}
	return strconv.Itoa(n), err
}
