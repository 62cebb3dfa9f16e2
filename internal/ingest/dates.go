package ingest

import (
	"errors"
	"strconv"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// A dateForm is how a date is written.
type dateForm int

// The forms of dates. Those of months and years stand for their first day, where the records stand for so long.
const (
	noDate  dateForm = iota
	ordered          // 2026-03-05, 2026/3/5, and 03/04/2026 in a stated order
	named            // 5 Mar 2026, March 5, 2026
	compact          // 20260305
	monthly          // Mar 2026, 2026-03
	yearly           // 2026
)

// formOf returns the form in which a text is a date; it may still be one that does not exist.
func formOf(s string) dateForm {
	if dataset.LooksLikeDate(s) {
		return ordered
	}
	_, _, _, form := takeApart(s)
	return form
}

// readDate reads a date in any of the forms. The unit that a record stands for says whether months and years are dates.
func readDate(s string, order dataset.DateOrder, grain calendar.Unit) (civil.Day, error) {
	if day, err := dataset.ParseDate(s, order); err == nil || dataset.LooksLikeDate(s) && !yearFirst(s) {
		return day, err
	} else if dataset.LooksLikeDate(s) { // it can be read in one way only
		return dataset.ParseDate(s, dataset.YearMonthDay)
	}
	year, month, day, form := takeApart(s)
	switch {
	case form == noDate:
		return 0, errors.New("expected a date such as 2026-03-05 or 5 Mar 2026")
	case form == monthly && grain < calendar.Month:
		return 0, errors.New("it is a month: expected a date such as 2026-03-05, or say that a record stands for a month (grain)")
	case form == yearly && grain < calendar.Year:
		return 0, errors.New("it is a year: expected a date such as 2026-03-05, or say that a record stands for a year (grain)")
	}
	return civil.NewDay(year, month, day)
}

// yearFirst reports whether a date begins with a year of four digits.
func yearFirst(s string) bool { return strings.IndexAny(s, "/.-") == 4 }

// takeApart reads the dates whose months have names, and those of few digits. A month stands for its first day, and so
// does a year.
func takeApart(s string) (year, month, day int, form dateForm) {
	fields := strings.FieldsFunc(s, func(r rune) bool { return strings.ContainsRune(" ,-/.", r) })
	if len(fields) > 2 && nameOf(fields[0], weekdays[:]) > 0 {
		fields = fields[1:]
	}
	numbers := make([]int, len(fields))
	at := -1 // of the month's name
	for i, field := range fields {
		n, err := strconv.ParseUint(field, 10, 31)
		if err != nil {
			name := nameOf(field, months[:])
			if name == 0 || at >= 0 {
				return 0, 0, 0, noDate
			}
			n, at = uint64(name), i
		}
		numbers[i] = int(n)
	}
	isYear := func(i int) bool { return i != at && len(fields[i]) == 4 }
	isDay := func(i int) bool { return i != at && len(fields[i]) <= 2 }
	switch len(fields) {
	case 1:
		switch {
		case at < 0 && len(s) == 8:
			return numbers[0] / 10_000, numbers[0] / 100 % 100, numbers[0] % 100, compact
		case at < 0 && len(s) == 4:
			return numbers[0], 1, 1, yearly
		}
	case 2:
		switch {
		case at == 0 && isYear(1):
			return numbers[1], numbers[0], 1, monthly
		case isYear(0) && (at == 1 || at < 0 && isDay(1) && len(s) > 5 && s[4] != '.' && s[4] != ' '):
			return numbers[0], numbers[1], 1, monthly
		}
	case 3:
		switch {
		case at == 0 && isDay(1) && isYear(2):
			return numbers[2], numbers[0], numbers[1], named
		case at == 1 && isDay(0) && isYear(2):
			return numbers[2], numbers[1], numbers[0], named
		case at == 1 && isYear(0) && isDay(2):
			return numbers[0], numbers[1], numbers[2], named
		}
	}
	return 0, 0, 0, noDate
}

var (
	months = [...]string{
		"january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december",
	}
	weekdays = [...]string{"monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"}
)

// nameOf returns the number, from 1 on, of the name that a text is, or begins, with three letters at least; 0 where it
// is none.
func nameOf(s string, names []string) int {
	if len(s) < 3 {
		return 0
	}
	for i, name := range names {
		if len(s) <= len(name) && strings.EqualFold(s, name[:len(s)]) {
			return i + 1
		}
	}
	return 0
}

// likelyYear reports whether a number may be a year of records.
func likelyYear(year int) bool { return year >= 1500 && year <= 2200 }

// A calendarKind says as what kind of date all values of a column can be read.
type calendarKind struct {
	form dateForm // of all of them
	sure bool     // they cannot be plain numbers
}

// add takes one more value in; false where it is no date, or of a form that does not go with the others.
func (k *calendarKind) add(v string) bool {
	form := formOf(v)
	switch {
	case form == noDate:
		return false
	case form == compact || form == yearly:
		year, month, day, _ := takeApart(v)
		if _, err := civil.NewDay(year, month, day); err != nil || !likelyYear(year) {
			return false
		}
	default:
		k.sure = true
	}
	if form == ordered || form == named || form == compact {
		form = ordered
	}
	if k.form != noDate && k.form != form {
		return false
	}
	k.form = form
	return true
}

// grain returns the unit that records stand for by how their dates are written; empty for the day.
func (k *calendarKind) grain() string {
	switch k.form {
	case monthly:
		return calendar.Month.String()
	case yearly:
		return calendar.Year.String()
	}
	return ""
}
