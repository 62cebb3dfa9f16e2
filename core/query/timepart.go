package query

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/span"
	"vastspan/core/tally"
)

// PartForms says how parts of time are written.
const PartForms = "weekday, hour, year, month of year, day of month and other units of a longer one, each followed by of COLUMN " +
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
	partYear    = "year"
)

// parsePart reads a part of time; false where it is none.
func parsePart(text string) (part, bool) {
	column := ""
	first, behind, more := strings.Cut(strings.TrimSpace(text), " of ")
	switch word := strings.ToLower(strings.TrimSpace(first)); word {
	case partHour, partWeekday, partYear:
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
	case partYear:
		return tally.Year(column, p.Scope.Calendar), nil
	}
	one, err := tally.UnitOf(column, p.Scope.Calendar, read.unit, read.within, p.Scope.AsOf)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", read.words, err)
	}
	return one, nil
}

// shownValues returns the values of a part that are shown: all of them, of years those from the first through the last found.
func shownValues(part *tally.TimePart, found []dataset.Label) []dataset.Label {
	if !part.Years {
		return slices.Clone(part.Values)
	}
	first, last := len(part.Values), -1
	for i, l := range part.Values {
		if slices.Contains(found, l) {
			first, last = min(first, i), i
		}
	}
	if last < 0 {
		return nil
	}
	return slices.Clone(part.Values[first : last+1])
}

// FilterPart returns the part of time that a filter names, of a schema's dates in the calendar of a scope, and its column; nil where
// the text names none. date is the date of the question, empty for the schema's own.
func FilterPart(text string, s *dataset.Schema, date string, scope *span.Scope) (*dataset.DatePart, string, error) {
	read, ok := parsePart(text)
	if !ok {
		return nil, "", nil
	}
	at, err := s.DateColumn(cmp.Or(read.column, date))
	if err != nil {
		return nil, "", err
	}
	column, cal := s.Columns[at].Name, scope.Calendar
	if cal == nil {
		cal = calendar.Civil
	}
	if read.words == partYear {
		return &dataset.DatePart{
			Words: read.words,
			Place: func(c *dataset.Cell) (int, error) { return cal.YearNumber(c.Day) },
			Read:  func(text string) (int, error) { return readYear(text, cal) },
		}, column, nil
	}
	clock, err := s.Clock()
	if err != nil {
		return nil, "", err
	}
	var part *tally.TimePart
	switch read.words {
	case partHour:
		part = tally.HourOfDay(column)
	case partWeekday:
		part = tally.Weekday(column, cal)
	default:
		if part, err = tally.UnitOf(column, cal, read.unit, read.within, scope.AsOf); err != nil {
			return nil, "", fmt.Errorf("%s: %w", read.words, err)
		}
	}
	return &dataset.DatePart{
		Words: read.words, Hours: part.Hours(), Read: func(text string) (int, error) { return readPlace(part, read.words, text) },
		Place: func(c *dataset.Cell) (int, error) {
			if part.Hours() {
				return part.OfMoment(clock, civil.Moment(c.Micros())), nil
			}
			return part.OfDay(c.Day)
		},
	}, column, nil
}

// readPlace reads a value of a part: what it is called, or its number; an hour may be 9 or 09:00, a weekday has no number.
func readPlace(part *tally.TimePart, words, text string) (int, error) {
	if day, ok := civil.ParseWeekday(text); ok && words == partWeekday {
		text = day.Short()
	}
	for i, l := range part.Values {
		if strings.EqualFold(l.Text, text) {
			return i, nil
		}
	}
	first, last := part.Values[0].Text, part.Values[len(part.Values)-1].Text
	switch {
	case words == partWeekday:
		return 0, fmt.Errorf("%q: expected a day of the week, such as Mon", text)
	case part.Hours():
		return readNumber(text, "an hour, such as 9 or 09:00", 0, 23)
	}
	n, err := readNumber(text, fmt.Sprintf("a %s, from %s to %s", words, first, last), 1, len(part.Values))
	return n - 1, err
}

// readYear reads a year by the number that a calendar labels it with, or by its whole label, such as FY2025/26.
func readYear(text string, cal *calendar.Calendar) (int, error) {
	if digits, fiscal := strings.CutPrefix(text, "FY"); fiscal {
		start, _, _ := strings.Cut(digits, "/")
		n, _ := strconv.Atoi(start)
		for _, number := range []int{n, n + 1} {
			v, err := cal.Literal(calendar.Year, number, 0)
			if err != nil {
				continue
			}
			if label, err := cal.Label(calendar.Year, v.First()); err == nil && label == text {
				return number, nil
			}
		}
	}
	return readNumber(text, "a year, such as 2026", 1, 9999)
}

func readNumber(text, what string, least, most int) (int, error) {
	n, err := strconv.Atoi(text)
	if err != nil || n < least || n > most {
		return 0, fmt.Errorf("%q: expected %s", text, what)
	}
	return n, nil
}

// filtersFailed returns why a record could not be put to a filter.
func (p *plan) filtersFailed() error {
	for i, in := range p.inputs {
		if err := in.request.Where.Failed(); err != nil {
			if i > 0 {
				err = fmt.Errorf("compared with %s: %w", in.Name, err)
			}
			return errorAt(err, "/where")
		}
	}
	return nil
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
			list := shownValues(parts[i], values[i])
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
