package calendar

import (
	"fmt"

	"vastspan/core/civil"
	"vastspan/core/internal/floor"
)

// Label names the unit that holds a day: "2026-10-19", "W43 2026", "Oct 2026" or "P03 2026",
// "Q2 FY2026/27", "H1 2026", "2026". Years that do not begin on 1 January of a month-based
// calendar are written as fiscal years. Errors: ErrRange, ErrUnlisted.
func (c *Calendar) Label(u Unit, d civil.Day) (string, error) {
	name, year, err := c.label(u, d)
	switch {
	case err != nil:
		return "", err
	case u == Day || u == BusinessDay:
		return d.String(), nil
	case u == Year:
		return year, nil
	}
	return name + " " + year, nil
}

// UnitName names the unit that holds a day without its year: "19 Oct", "W43", "Oct" or "P03", "Q2", "H1";
// empty for a year. Errors: ErrRange, ErrUnlisted.
func (c *Calendar) UnitName(u Unit, d civil.Day) (string, error) {
	name, _, err := c.label(u, d)
	return name, err
}

// label returns the two halves of a unit's label.
func (c *Calendar) label(u Unit, d civil.Day) (name, year string, err error) {
	switch u {
	case Day, BusinessDay:
		y, month, day := d.Date()
		return fmt.Sprintf("%d %s", day, shortMonth(month)), fmt.Sprintf("%04d", y), nil
	case Week:
		n, fourth, err := c.weekOfYear(d)
		if err != nil {
			return "", "", err
		}
		_, year, err = c.label(Year, fourth)
		return fmt.Sprintf("W%02d", n), year, err
	}
	m, err := c.Index(Month, d)
	if err != nil {
		return "", "", err
	}
	per := c.layout.perYear()
	year = c.yearName(floor.Div(m, per))
	switch p := floor.Mod(m, per); {
	case u == Year:
		return "", year, nil
	case u == Half:
		return fmt.Sprintf("H%d", min(p/6, 1)+1), year, nil
	case u == Quarter:
		return fmt.Sprintf("Q%d", min(p/3, 3)+1), year, nil
	}
	if l, ok := c.layout.(monthsLayout); ok && l.firstDay == 1 {
		y, month, _ := d.Date()
		return shortMonth(month), fmt.Sprintf("%04d", y), nil
	}
	return fmt.Sprintf("P%02d", floor.Mod(m, per)+1), year, nil
}

func shortMonth(month int) string { return title(monthNames[month-1])[:3] }

// YearNumber returns the number that the year of a day is labelled with, as in the literal 2026. Errors: ErrRange, ErrUnlisted.
func (c *Calendar) YearNumber(d civil.Day) (int, error) {
	m, err := c.Index(Month, d)
	if err != nil {
		return 0, err
	}
	return c.layout.yearLabel(floor.Div(m, c.layout.perYear())), nil
}

// yearName writes a year by its label, or as a fiscal year where it spans two civil years.
func (c *Calendar) yearName(index int) string {
	if l, ok := c.layout.(monthsLayout); ok && (l.firstMonth > 1 || l.firstDay > 1) {
		return fmt.Sprintf("FY%04d/%02d", index, (index+1)%100)
	}
	return fmt.Sprintf("%04d", c.layout.yearLabel(index))
}

// weekOfYear numbers the week that holds a day: it belongs to the year that holds its fourth day
// and is counted from 1 in it (semantics §2).
func (c *Calendar) weekOfYear(d civil.Day) (number int, fourth civil.Day, err error) {
	n, err := c.Number(Week, Year, d)
	start := civil.Day(c.weekIndex(d)*7 + int(c.weekStart))
	return n, start + 3, err
}

// Number counts a unit within a longer one, from 1: Number(Month, Year, d) is the period of the
// year. A week belongs to the unit that holds its fourth day. Errors: ErrRange, ErrUnlisted.
func (c *Calendar) Number(u, within Unit, d civil.Day) (int, error) {
	i, err := c.Index(u, d)
	if err != nil {
		return 0, err
	}
	if u == Week {
		d = civil.Day(i*7+int(c.weekStart)) + 3
	}
	parent, err := c.Index(within, d)
	if err != nil {
		return 0, err
	}
	start, err := c.Start(within, parent)
	if err != nil {
		return 0, err
	}
	if u == Week {
		start += 3
	}
	first, err := c.Index(u, start)
	return i - first + 1, err
}

// Offset counts the units from the one that holds the as-of day to the one that holds d: 0 the
// same, -1 the one before, +1 the next (semantics §2). Errors: ErrRange, ErrUnlisted.
func (c *Calendar) Offset(u Unit, d, asOf civil.Day) (int, error) {
	i, err := c.Index(u, d)
	if err != nil {
		return 0, err
	}
	a, err := c.Index(u, asOf)
	return i - a, err
}
