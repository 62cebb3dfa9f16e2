package ingest

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// A dateForm is how a date is written.
type dateForm int

// The forms of dates. Those of months, quarters and years mean their first day, where a record covers a unit that long.
const (
	noDate    dateForm = iota
	ordered            // 2026-03-05, 2026/3/5, and 03/04/2026 in a stated order
	named              // 5 Mar 2026, March 5th, 2026, 5 mars 2026
	compact            // 20260305
	monthly            // Mar 2026, 2026-03
	quarterly          // Q1 2026, 2026-Q1
	yearly             // 2026
)

// A dateReader reads dates in any of the forms.
type dateReader struct {
	order dataset.DateOrder
	// century is the first of the hundred years that two-digit years are read as; 0 refuses them.
	century int
	// serial reads numbers as the days of spreadsheets.
	serial bool
	// grain is the unit that a record covers. It decides whether months, quarters and years are dates.
	grain calendar.Unit
}

func newDateReader(s *dataset.Schema, grain calendar.Unit) dateReader {
	return dateReader{s.DateOrder, s.Century, s.Epoch == dataset.SpreadsheetDays, grain}
}

// formOf returns the form in which a text is a date; it may still be one that does not exist.
func formOf(s string) dateForm {
	if dataset.LooksLikeDate(s) {
		return ordered
	}
	return takeApart(s).form
}

// read reads a date.
func (r dateReader) read(s string) (civil.Day, error) {
	if r.serial && plainDigits(s) {
		return serialDay(s)
	}
	if dataset.LooksLikeDate(s) {
		return r.readOrdered(s)
	}
	d := takeApart(s)
	if d.short {
		year, err := r.fullYear(d.year)
		if err != nil {
			return 0, err
		}
		d.year = year
	}
	switch {
	case d.form == noDate && d.yearless:
		return 0, errors.New("it has no year: expected a date such as 2026-03-05 or 5 Mar 2026")
	case d.form == noDate && plainDigits(s):
		return 0, errors.New("expected a date such as 2026-03-05, or say that its numbers are the days of a spreadsheet " +
			"(epoch spreadsheet-days)")
	case d.form == noDate:
		return 0, errors.New("expected a date such as 2026-03-05 or 5 Mar 2026")
	}
	if unit := d.form.unit(); r.grain < unit {
		return 0, fmt.Errorf("it is a %s: expected a date such as 2026-03-05, or say that a record stands for a %s (grain)", unit, unit)
	}
	return civil.NewDay(d.year, d.month, d.day)
}

// unit returns the unit that a date of the form names.
func (f dateForm) unit() calendar.Unit {
	switch f {
	case monthly:
		return calendar.Month
	case quarterly:
		return calendar.Quarter
	case yearly:
		return calendar.Year
	}
	return calendar.Day
}

// readOrdered reads a date of three numbers.
func (r dateReader) readOrdered(s string) (civil.Day, error) {
	if day, err := dataset.ParseDate(s, r.order); err == nil {
		return day, nil
	}
	if yearFirst(s) { // it can be read in one way only
		return dataset.ParseDate(s, dataset.YearMonthDay)
	}
	if long, ok, err := r.lengthened(s); err != nil || ok {
		if err != nil {
			return 0, err
		}
		return dataset.ParseDate(long, r.order)
	}
	return dataset.ParseDate(s, r.order)
}

// lengthened returns a date of three numbers with a year of four digits instead of one of two; false where its year is not
// of two digits.
func (r dateReader) lengthened(s string) (string, bool, error) {
	mark := s[strings.IndexAny(s, "/.-"):][:1]
	parts := strings.Split(s, mark)
	at := 2
	if r.order == dataset.YearMonthDay {
		at = 0
	}
	if len(parts[at]) != 2 || len(parts[0]) > 2 || len(parts[1]) > 2 || len(parts[2]) > 2 {
		return s, false, nil
	}
	if r.order == dataset.Unstated {
		return s, true, errors.New("the year has two digits: set the date order, such as dmy, and the century, such as 1970 for 1970 to 2069")
	}
	short, err := strconv.Atoi(parts[at])
	if err != nil {
		return s, false, nil
	}
	year, err := r.fullYear(short)
	parts[at] = fmt.Sprintf("%04d", year)
	return strings.Join(parts, mark), true, err
}

// fullYear returns the year of the stated hundred years that ends in two digits.
func (r dateReader) fullYear(short int) (int, error) {
	if r.century == 0 {
		return 0, errors.New("the year has two digits: set the century, such as 1970 for 1970 to 2069")
	}
	year := r.century - r.century%100 + short
	if year < r.century {
		year += 100
	}
	return year, nil
}

// plainDigits reports whether a text is a number without a sign, as the days of spreadsheets are.
func plainDigits(s string) bool {
	whole, fraction, point := strings.Cut(s, ".")
	return whole != "" && strings.Trim(whole, "0123456789") == "" && (!point || fraction != "" && strings.Trim(fraction, "0123456789") == "")
}

// serialDay returns the day of a spreadsheet's day number: 1 is 1900-01-01 there, and 60 a day that never was.
func serialDay(s string) (civil.Day, error) {
	whole, fraction, _ := strings.Cut(s, ".")
	n, err := strconv.ParseUint(whole, 10, 31)
	if err != nil || strings.Trim(fraction, "0") != "" {
		return 0, errors.New("expected the number of a spreadsheet's day, such as 46000, without a fraction")
	}
	if n < 61 {
		return 0, errors.New("expected the number of a spreadsheet's day from 61 (1900-03-01) on: those before are not the same in all programs")
	}
	day := civil.Of(1899, 12, 30) + civil.Day(n)
	if !day.Valid() {
		return 0, errors.New("expected the number of a spreadsheet's day up to 2958465 (9999-12-31)")
	}
	return day, nil
}

// yearFirst reports whether a date begins with a year of four digits.
func yearFirst(s string) bool { return strings.IndexAny(s, "/.-") == 4 }

// dateParts are the parts of a date.
type dateParts struct {
	year, month, day int
	form             dateForm
	short            bool // the year has two digits
	yearless         bool // it is no date because it has no year
}

// takeApart reads the dates whose months have names, and those of few digits. A month, a quarter and a year mean their first
// day.
func takeApart(s string) dateParts {
	fields := dateFields(s)
	if q, ok := quarterOf(fields); ok {
		return q
	}
	numbers := make([]int, len(fields))
	at := -1 // of the month's name
	for i, field := range fields {
		n, err := strconv.ParseUint(withoutOrdinal(field), 10, 31)
		if err != nil {
			name := monthOf(field)
			if name == 0 || at >= 0 {
				return dateParts{}
			}
			n, at = uint64(name), i
		}
		numbers[i] = int(n)
	}
	isYear := func(i int) bool { return i != at && len(fields[i]) == 4 }
	isShort := func(i int) bool { return i != at && len(fields[i]) == 2 }
	isDay := func(i int) bool { return i != at && len(withoutOrdinal(fields[i])) <= 2 }
	switch len(fields) {
	case 1:
		switch {
		case at < 0 && len(s) == 8:
			return dateParts{year: numbers[0] / 10_000, month: numbers[0] / 100 % 100, day: numbers[0] % 100, form: compact}
		case at < 0 && len(s) == 4:
			return dateParts{year: numbers[0], month: 1, day: 1, form: yearly}
		}
	case 2:
		switch {
		case at == 0 && isYear(1):
			return dateParts{year: numbers[1], month: numbers[0], day: 1, form: monthly}
		case isYear(0) && (at == 1 || at < 0 && isDay(1) && len(s) > 5 && s[4] != '.' && s[4] != ' '):
			return dateParts{year: numbers[0], month: numbers[1], day: 1, form: monthly}
		case at == 0 && isShort(1):
			return dateParts{year: numbers[1], month: numbers[0], day: 1, form: monthly, short: true}
		case at >= 0 && isDay(1-at):
			return dateParts{yearless: true}
		}
	case 3:
		switch {
		case at == 0 && isDay(1) && (isYear(2) || isShort(2)):
			return dateParts{year: numbers[2], month: numbers[0], day: numbers[1], form: named, short: isShort(2)}
		case at == 1 && isDay(0) && (isYear(2) || isShort(2)):
			return dateParts{year: numbers[2], month: numbers[1], day: numbers[0], form: named, short: isShort(2)}
		case at == 1 && isYear(0) && isDay(2):
			return dateParts{year: numbers[0], month: numbers[1], day: numbers[2], form: named}
		}
	}
	return dateParts{}
}

// dateFields returns the words and numbers of a date without the day of the week before it and the words between them:
// Mittwoch, 8. Juli 2026 and 8 de julio de 2026.
func dateFields(s string) []string {
	all := strings.FieldsFunc(s, func(r rune) bool { return strings.ContainsRune(" ,-/.", r) })
	fields := all[:0]
	for i, f := range all {
		if i > 0 && (strings.EqualFold(f, "de") || strings.EqualFold(f, "of") || strings.EqualFold(f, "del")) {
			continue
		}
		fields = append(fields, f)
	}
	if len(fields) > 2 && begins(fields[0], weekdays[0]) > 0 || len(fields) > 3 && nameOf(fields[0], weekdays[:]) > 0 {
		return fields[1:]
	}
	return fields
}

// quarterOf reads Q1 2026, 2026-Q1 and 2026Q1.
func quarterOf(fields []string) (d dateParts, ok bool) {
	switch {
	case len(fields) == 1 && len(fields[0]) == 6:
		fields = []string{fields[0][:4], fields[0][4:]}
	case len(fields) != 2:
		return d, false
	}
	quarter, year := fields[0], fields[1]
	if len(quarter) == 4 {
		quarter, year = year, quarter
	}
	if len(quarter) != 2 || quarter[0]|0x20 != 'q' || quarter[1] < '1' || quarter[1] > '4' || len(year) != 4 {
		return d, false
	}
	n, err := strconv.ParseUint(year, 10, 31)
	if err != nil {
		return d, false
	}
	return dateParts{year: int(n), month: int(quarter[1]-'1')*3 + 1, day: 1, form: quarterly}, true
}

// withoutOrdinal returns the digits of a day such as 5th and 1er; other texts as they are.
func withoutOrdinal(s string) string {
	for _, ending := range []string{"st", "nd", "rd", "th", "er"} {
		if n := len(s) - 2; n > 0 && n <= 2 && strings.EqualFold(s[n:], ending) {
			return s[:n]
		}
	}
	return s
}

// likelyYear reports whether a number may be a year of records.
func likelyYear(year int) bool { return year >= 1500 && year <= 2200 }

// A calendarKind says as what kind of date all values of a column can be read.
type calendarKind struct {
	form    dateForm // of all of them
	sure    bool     // they cannot be plain numbers
	century int      // that two-digit years are read with; 0 where they are not dates
}

// add takes one more value in; false where it is no date, or of a form that does not go with the others.
func (k *calendarKind) add(v string) bool {
	form := formOf(v)
	switch {
	case form == noDate || form != ordered && k.century == 0 && takeApart(v).short:
		return false
	case form == compact || form == yearly:
		d := takeApart(v)
		if _, err := civil.NewDay(d.year, d.month, d.day); err != nil || !likelyYear(d.year) {
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
	if unit := k.form.unit(); unit > calendar.Day {
		return unit.String()
	}
	return ""
}
