package wire

import (
	"vastspan/api"
	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/internal/service"
	"vastspan/internal/store"
)

// Courses gives how spans go along with the as-of day.
func Courses(list []service.Course) []api.Course {
	out := make([]api.Course, len(list))
	for i, c := range list {
		out[i] = api.Course{Expression: c.Text, Answers: make([]api.CourseAnswer, len(c.Answers))}
		if c.Err != nil {
			e := ExpressionError(c.Err)
			out[i].Error = &e
		}
		for j, a := range c.Answers {
			out[i].Answers[j] = api.CourseAnswer{AsOf: a.AsOf, Intervals: Intervals(a.Days), Days: Days(a.Days), Error: message(a.Err)}
		}
	}
	return out
}

func message(err error) *string {
	if err == nil {
		return nil
	}
	text := err.Error()
	return &text
}

// Rehearsal gives how a span behaves over a run of as-of days.
func Rehearsal(r *service.Rehearsal) api.Rehearsal {
	out := api.Rehearsal{Expression: r.Text, AsOf: r.AsOf, AtClose: r.AtClose, Calendar: r.Calendar, Turns: make([]api.Turn, len(r.Turns))}
	for i, t := range r.Turns {
		out.Turns[i] = api.Turn{FirstAsOf: t.First, LastAsOf: t.Last, Event: api.TurnEvent(t.Event), Motion: api.TurnMotion(t.Motion),
			From: Intervals(t.From), FromDays: Days(t.From), To: Intervals(t.To), ToDays: Days(t.To), Error: message(t.Err)}
	}
	return out
}

// Check gives what there is to look at among spans.
func Check(c *service.Check) api.CheckAnswer {
	out := api.CheckAnswer{AsOf: c.AsOf, Days: c.Days, AtClose: c.AtClose, Calendar: c.Calendar, Checked: c.Checked, Findings: make([]api.Finding, len(c.Findings))}
	for i, f := range c.Findings {
		out.Findings[i] = finding(f)
	}
	return out
}

func finding(f span.Finding) api.Finding {
	return api.Finding{Kind: api.FindingKind(f.Kind), Spans: f.Spans, Text: f.Text, Advice: f.Advice, AsOf: f.AsOf}
}

// DayTable gives a row a day.
func DayTable(t *service.DayTable) api.DayTable {
	return api.DayTable{AsOf: t.AsOf, Calendar: t.Calendar, Columns: t.Columns, Rows: t.Rows}
}

// BookChange gives what a book does to one definition.
func BookChange(c *service.BookChange) api.BookChange {
	return api.BookChange{Kind: api.DefinitionKind(c.Kind), Name: c.Name, Change: api.BookChangeChange(c.Change), Before: optional(c.Before), After: optional(c.After)}
}

// Version gives a definition as it stood.
func Version(v *service.Version) api.Version {
	return api.Version{Version: v.Version, Author: v.Author, Note: optional(v.Note), ChangedAt: v.ChangedAt, Removed: v.Body == nil, Is: optional(v.Is), Definition: optional(v.Definition)}
}

// Holidays gives a holiday list.
func Holidays(h *book.Holidays) (api.HolidayList, error) {
	out := api.HolidayList{Name: h.Name, Days: make([]civil.Day, len(h.Days))}
	for i, text := range h.Days {
		d, err := civil.ParseDay(text)
		if err != nil {
			return out, err
		}
		out.Days[i] = d
	}
	if len(h.Covers) == 2 {
		out.FirstYear, out.LastYear = &h.Covers[0], &h.Covers[1]
	}
	return out, nil
}

// HolidaysDefinition reads a holiday list.
func HolidaysDefinition(h *api.HolidayList) book.Holidays {
	out := book.Holidays{Name: h.Name, Days: make([]string, len(h.Days))}
	for i, d := range h.Days {
		out.Days[i] = d.String()
	}
	if h.FirstYear != nil && h.LastYear != nil {
		out.Covers = []int{*h.FirstYear, *h.LastYear}
	}
	return out
}

// DefinitionKind reads the kind of a definition.
func DefinitionKind(k api.DefinitionKind) store.DefinitionKind { return store.DefinitionKind(k) }

// CalendarYear lays a year of a calendar out in its units, with offsets from an as-of day.
func CalendarYear(cal *calendar.Calendar, year int, v civil.Interval, asOf civil.Day) (api.CalendarYear, error) {
	label, err := cal.Label(calendar.Year, v.Start)
	if err != nil {
		return api.CalendarYear{}, err
	}
	out := api.CalendarYear{Calendar: cal.Name(), Year: year, Label: label, First: v.First(), Last: v.Last(), Days: v.Days()}
	if offset, err := cal.Offset(calendar.Year, v.Start, asOf); err == nil {
		out.Offset = &offset
	}
	quarters, halves := []api.CalendarUnit{}, []api.CalendarUnit{}
	for _, part := range []struct {
		unit calendar.Unit
		into *[]api.CalendarUnit
	}{{calendar.Month, &out.Periods}, {calendar.Quarter, &quarters}, {calendar.Half, &halves}, {calendar.Week, &out.Weeks}} {
		if *part.into, err = unitsOf(cal, part.unit, v, asOf); err != nil {
			return out, err
		}
	}
	out.Quarters, out.Halves = &quarters, &halves
	holidays, idle := []civil.Day{}, []int{}
	for d := v.Start; d < v.End; d++ {
		if cal.IsHoliday(d) {
			holidays = append(holidays, d)
		}
	}
	for w := civil.Monday; w <= civil.Sunday; w++ {
		if !cal.WorkingWeek().Has(w) {
			idle = append(idle, int(w))
		}
	}
	out.Holidays, out.IdleWeekdays = &holidays, &idle
	return out, nil
}

// unitsOf lists the units of a year: those that start in it, and the weeks whose fourth day it holds.
func unitsOf(cal *calendar.Calendar, u calendar.Unit, year civil.Interval, asOf civil.Day) ([]api.CalendarUnit, error) {
	from := year.Start
	if u == calendar.Week {
		from += 3
	}
	i, err := cal.Index(u, from)
	if err != nil {
		return nil, err
	}
	var units []api.CalendarUnit
	for ; ; i++ {
		v, err := cal.Unit(u, i)
		if err != nil {
			return nil, err
		}
		inside := v.Start
		if u == calendar.Week {
			inside += 3
		}
		if inside >= year.End {
			return units, nil
		}
		label, err := cal.Label(u, v.Start)
		if err != nil {
			return nil, err
		}
		unit := api.CalendarUnit{Label: label, Number: len(units) + 1, First: v.First(), Last: v.Last(), Days: v.Days()}
		if unit.Offset, err = cal.Offset(u, v.Start, asOf); err != nil {
			unit.Offset = 0 // the as-of day lies outside a listed calendar
		}
		units = append(units, unit)
	}
}

// used gives the named spans that an answer used.
func used(list []service.UsedVersion) *[]api.UsedDefinition {
	out := make([]api.UsedDefinition, len(list))
	for i, u := range list {
		out[i] = api.UsedDefinition{Name: u.Name, Version: u.Version}
	}
	return &out
}
