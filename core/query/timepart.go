package query

import (
	"fmt"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// PartForms says how parts of time are written.
const PartForms = "weekday, hour, month of year, day of month and other units of a longer one, each with of COLUMN behind it " +
	"for another date"

// A part is a part of time as it is written: hour, weekday of paid_on, month of year.
type part struct {
	words        string // in canonical form, but for the column
	unit, within calendar.Unit
	column       string // empty is the date of the query
}

const (
	partHour    = "hour"
	partWeekday = "weekday"
)

// parsePart reads a part of time; false where it is none.
func parsePart(text string) (part, bool) {
	column := ""
	first, behind, more := strings.Cut(strings.TrimSpace(text), " of ")
	switch word := strings.ToLower(strings.TrimSpace(first)); word {
	case partHour, partWeekday:
		if word == partHour && more { // hour of day says no more
			if rest, ok := strings.CutPrefix(behind+" of ", "day of "); ok {
				behind, more = strings.TrimSuffix(rest, " of "), rest != ""
			}
		}
		if more {
			column = strings.TrimSpace(behind)
		}
		return part{words: word, column: column}, column != "" || !more
	}
	if !more {
		return part{}, false
	}
	longer, last, more := strings.Cut(behind, " of ")
	if more {
		column = strings.TrimSpace(last)
	}
	unit, ok1 := calendar.ParseUnit(first)
	within, ok2 := calendar.ParseUnit(longer)
	ok := ok1 && ok2 && unit < within && unit != calendar.BusinessDay && within != calendar.BusinessDay
	return part{unit.String() + " of " + within.String(), unit, within, column}, ok && (column != "" || !more)
}

// IsPart reports whether a text may be a part of time.
func IsPart(text string) bool {
	_, ok := parsePart(text)
	return ok
}

// parts reads the parts of time among categories; a column of the same name comes first.
func (p *plan) parts(by []string, s *dataset.Schema) ([]string, []*tally.TimePart, error) {
	names, parts := make([]string, len(by)), make([]*tally.TimePart, len(by))
	for i, text := range by {
		if names[i] = text; s.Index(text) >= 0 {
			continue
		}
		read, ok := parsePart(text)
		if !ok {
			continue // it is refused with the columns
		}
		one, err := p.part(read, s)
		if err != nil {
			return nil, nil, errorAt(err, "/by/%d", i)
		}
		if names[i], parts[i] = read.words, one; one.Column != "" {
			names[i] += " of " + one.Column
		}
	}
	return names, parts, nil
}

// part makes a part of time of a schema's dates, in the calendar of the query.
func (p *plan) part(read part, s *dataset.Schema) (*tally.TimePart, error) {
	at, err := s.DateColumn(read.column)
	if err != nil {
		return nil, err
	}
	column := s.Columns[at].Name
	if own, err := s.DateColumn(p.query.Date); err == nil && own == at || read.column == "" {
		column = ""
	}
	switch read.words {
	case partHour:
		return tally.HourOfDay(column), nil
	case partWeekday:
		return tally.Weekday(column, p.Scope.Calendar), nil
	}
	one, err := tally.UnitOf(column, p.Scope.Calendar, read.unit, read.within, p.Scope.AsOf)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", read.words, err)
	}
	return one, nil
}

// fillParts adds the groups of parts of time that no record has: all of them are shown.
func (p *plan) fillParts() {
	parts := p.inputs[0].request.Parts
	values := make([][]dataset.Label, len(p.query.By))
	any := false
	for i := range values {
		values[i] = tally.LabelsOf(p.groups, i, p.top)
		if i < len(parts) && parts[i] != nil {
			any = true
			list := append([]dataset.Label{}, parts[i].Values...)
			for _, l := range values[i] {
				if !l.Set { // records without the date
					list = append(list, l)
				}
			}
			values[i] = list
		}
	}
	if !any {
		return
	}
	groups := [][]dataset.Label{nil}
	for _, list := range values {
		var longer [][]dataset.Label
		for _, g := range groups {
			for _, l := range list {
				longer = append(longer, append(append([]dataset.Label{}, g...), l))
			}
		}
		groups = longer
	}
	p.groups = groups
	tally.SortGroups(p.groups, p.top)
}
