package calendar

import (
	"errors"
	"fmt"

	"vastspan/core/civil"
)

// A YearLayout is a year of a calendar, laid out in its units.
type YearLayout struct {
	Calendar string       `json:"calendar"`
	Year     int          `json:"year"` // the number that names it
	Label    string       `json:"label"`
	FirstDay civil.Day    `json:"first_day"`
	LastDay  civil.Day    `json:"last_day"`
	Days     int          `json:"days"`
	Offset   *int         `json:"offset,omitempty"` // from the as-of day's year; nil where that is not listed
	Periods  []UnitLayout `json:"periods"`
	Quarters []UnitLayout `json:"quarters"`
	Halves   []UnitLayout `json:"halves"`
	Weeks    []UnitLayout `json:"weeks"` // those that belong to the year, by their fourth day
	Holidays []civil.Day  `json:"holidays"`
	// NonWorking are the days of the week outside the working week, Monday being 0.
	NonWorking []int `json:"non_working"`
}

// A UnitLayout is one unit of a year.
type UnitLayout struct {
	Label    string    `json:"label"`
	Number   int       `json:"number"`
	FirstDay civil.Day `json:"first_day"`
	LastDay  civil.Day `json:"last_day"`
	Days     int       `json:"days"`
	Offset   int       `json:"offset"` // from the unit that holds the as-of day; 0 where that is not listed
}

// LayOut lays a year out by the number that names it, with offsets from an as-of day. Errors: a year
// that the calendar does not have, ErrRange, ErrUnlisted.
func (c *Calendar) LayOut(year int, asOf civil.Day) (*YearLayout, error) {
	if year < 1 || year > 9999 {
		return nil, fmt.Errorf("year %d: expected 1 to 9999", year)
	}
	v, err := c.Literal(Year, year, 0)
	if err != nil {
		return nil, err
	}
	label, err := c.Label(Year, v.Start)
	if err != nil {
		return nil, err
	}
	y := &YearLayout{
		Calendar:   c.Name(),
		Year:       year,
		Label:      label,
		FirstDay:   v.First(),
		LastDay:    v.Last(),
		Days:       v.Days(),
		Holidays:   []civil.Day{},
		NonWorking: []int{},
	}
	if offset, err := c.Offset(Year, v.Start, asOf); err == nil {
		y.Offset = &offset
	}
	for _, part := range []struct {
		unit Unit
		into *[]UnitLayout
	}{{Month, &y.Periods}, {Quarter, &y.Quarters}, {Half, &y.Halves}, {Week, &y.Weeks}} {
		if *part.into, err = c.unitsOf(part.unit, v, asOf); err != nil {
			return nil, err
		}
	}
	for d := v.Start; d < v.End; d++ {
		if c.IsHoliday(d) {
			y.Holidays = append(y.Holidays, d)
		}
	}
	for w := civil.Monday; w <= civil.Sunday; w++ {
		if !c.WorkingWeek().Has(w) {
			y.NonWorking = append(y.NonWorking, int(w))
		}
	}
	return y, nil
}

// unitsOf lists the units of a year: those that start in it, and the weeks whose fourth day it holds.
func (c *Calendar) unitsOf(u Unit, year civil.Interval, asOf civil.Day) ([]UnitLayout, error) {
	lead := civil.Day(0)
	if u == Week {
		lead = 3
	}
	i, err := c.Index(u, year.Start+lead)
	if err != nil {
		return nil, err
	}
	units := []UnitLayout{}
	for ; ; i++ {
		v, err := c.Unit(u, i)
		if errors.Is(err, ErrRange) && len(units) > 0 {
			return units, nil // it ends after the last day there is
		}
		if err != nil {
			return nil, err
		}
		if v.Start+lead >= year.End {
			return units, nil
		}
		label, err := c.Label(u, v.Start)
		if err != nil {
			return nil, err
		}
		unit := UnitLayout{Label: label, Number: len(units) + 1, FirstDay: v.First(), LastDay: v.Last(), Days: v.Days()}
		if unit.Offset, err = c.Offset(u, v.Start, asOf); err != nil {
			unit.Offset = 0
		}
		units = append(units, unit)
	}
}
