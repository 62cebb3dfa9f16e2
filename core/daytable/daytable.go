// Package daytable lays days out in rows: what each one is in a calendar, how far it is from the
// as-of day, and which spans it is in. It prints and stores nothing.
package daytable

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strconv"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/event"
	"vastspan/core/span"
	"vastspan/core/table"
)

// Position says where a day is.
type Position string

// The positions.
const (
	Past   Position = "past"
	AsOf   Position = "as-of"
	Future Position = "future"
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

// IsLabel reports whether a column holds a label, not a number.
func IsLabel(i int) bool { return columns[i].answer == label }

// Of returns the row of a day in a calendar, as seen from an as-of day. Errors other than a day
// outside a listed calendar are given back.
func Of(cal *calendar.Calendar, d, asOf civil.Day) (Row, error) {
	r := Row{
		Day:         d,
		Weekday:     d.Weekday(),
		Position:    position(d, asOf),
		BusinessDay: cal.IsBusinessDay(d),
		Holiday:     cal.IsHoliday(d),
		Cells:       make([]string, len(columns)),
	}
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
		return Future
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

// A Table is a row a day, as text.
type Table struct {
	AsOf     civil.Day  `json:"as_of"`
	Calendar string     `json:"calendar"`
	Columns  []string   `json:"columns"`
	Rows     [][]string `json:"rows"`
}

// Document returns the table as it is taken away.
func (t *Table) Document() *table.Document {
	return &table.Document{
		Name: "days", Title: "days", All: &table.Grid{Header: t.Columns, Rows: t.Rows}, About: table.AsOfFacts(t.AsOf, false, t.Calendar),
	}
}

// MaxDays is how many days a table may have.
const MaxDays = 100_000

// maxCells is how many cells a table may have.
const maxCells = 3_000_000

// Lay lays days out in the calendar of a scope, with a column for each event list, which names the occurrence that holds a day, and one
// for each span: in or out. An error of a span is a *span.Error; at is its position then.
func Lay(
	ctx context.Context, from, through civil.Day, spans []string, events []*event.List, s span.Scope,
) (t *Table, at int, err error) {
	if through < from || through-from >= MaxDays {
		return nil, -1, fmt.Errorf("from %s through %s: expected 1 to %d days", from, through, MaxDays)
	}
	if cells := int(through-from+1) * (len(columns) + len(events) + len(spans)); cells > maxCells {
		return nil, -1, fmt.Errorf("the table would have %d cells, more than %d: take fewer days or spans", cells, maxCells)
	}
	sets := make([]civil.Set, len(spans))
	for i, text := range spans {
		one := span.ResolveText(text, s, false)
		if one.Error != nil {
			return nil, i, one.Error
		}
		if one.Moments != nil { // whether a day is inside has no answer
			return nil, i, fmt.Errorf("%s has times: a day may be inside in part", one.Expression)
		}
		sets[i] = one.Intervals
	}
	t = &Table{
		AsOf:     s.AsOf,
		Calendar: s.Calendar.Name(),
		Columns:  append([]string{"day", "weekday", "position", "business_day", "holiday"}, Columns()...),
	}
	for _, list := range events {
		t.Columns = append(t.Columns, "event "+list.Name)
	}
	t.Columns = append(t.Columns, spans...)
	for d := from; d <= through; d++ {
		if err := s.GoOn(ctx); err != nil {
			return nil, -1, err
		}
		row, err := Of(s.Calendar, d, s.AsOf)
		if err != nil {
			return nil, -1, err
		}
		cells := append(
			[]string{d.String(), row.Weekday.Short(), string(row.Position), yesNo(row.BusinessDay), yesNo(row.Holiday)},
			row.Cells...)
		for _, list := range events {
			cells = append(cells, eventCell(list, d))
		}
		for _, set := range sets {
			cells = append(cells, map[bool]string{true: "in", false: "out"}[set.Contains(d)])
		}
		t.Rows = append(t.Rows, cells)
	}
	return t, -1, nil
}

// eventCell says whether a day is in an occurrence of an event: its label where it has one, else in; blank where it is in none.
func eventCell(list *event.List, d civil.Day) string {
	i, ok := list.At(d)
	if !ok {
		return ""
	}
	return cmp.Or(list.Occurrences[i].Label, "in")
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}
