// Package civil holds days, moments, intervals and sets of both, and clocks, which map moments to days: small
// values that read no time of their own. Calendars, spans and records are built on top and live elsewhere.
package civil

import (
	"errors"
	"fmt"
	"time"

	"vastspan/core/internal/floor"
)

// A Day is a proleptic Gregorian calendar date, counted in days from 0001-01-01, which is the zero
// value. Valid days run from MinDay to MaxDay; EndOfDays, one day later, serves as an exclusive
// edge only (semantics §1).
type Day int32

const (
	// MinDay is 0001-01-01, the first day there is.
	MinDay Day = 0
	// MaxDay is 9999-12-31, the last day there is.
	MaxDay Day = 3652058
	// EndOfDays is the exclusive edge after MaxDay.
	EndOfDays Day = MaxDay + 1

	// OpenStart stands for the edge of an interval that is open towards the past.
	OpenStart Day = -1 << 30
	// OpenEnd stands for the edge of an interval that is open towards the future.
	OpenEnd Day = 1 << 30
)

// The arithmetic works in years that begin on 1 March, so that the leap day comes last, and counts
// from 1 March of the year -400, so that nothing is negative. Its constants replace
// divisions (Neri and Schneider, "Euclidean affine functions and their application to calendar
// algorithms", 2022); a test compares every day there is with package time.
const (
	shiftYears = 400
	shiftDays  = 146097 + 306
)

// Of returns the day of a date; the month may be any number, it is carried into the year. The day of
// the month is taken as it is: use DaysInMonth to check it. Years are from -399 on.
func Of(year, month, day int) Day {
	if month < 1 || month > 12 {
		year += floor.Div(month-1, 12)
		month = floor.Mod(month-1, 12) + 1
	}
	if month <= 2 {
		year--
		month += 12
	}
	y := uint32(year + shiftYears)
	century := y / 100
	n := 1461*y/4 - century + century/4 + (979*uint32(month)-2919)/32
	return Day(int(n) + day - 1 - shiftDays)
}

// Date returns the year, month (1 to 12) and day of the month (1 to 31).
func (d Day) Date() (year, month, day int) {
	n1 := 4*uint32(int(d)+shiftDays) + 3
	century := n1 / 146097
	n2 := n1%146097 | 3
	p2 := 2939745 * uint64(n2)
	dayOfYear := uint32(p2) / 2939745 / 4
	n3 := 2141*dayOfYear + 197913
	year = int(100*century+uint32(p2>>32)) - shiftYears
	month = int(n3 >> 16)
	day = int(n3&0xffff)/2141 + 1
	if dayOfYear >= 306 {
		year++
		month -= 12
	}
	return year, month, day
}

// Year returns the civil year that holds the day.
func (d Day) Year() int {
	y, _, _ := d.Date()
	return y
}

// Weekday returns the day of the week; 0001-01-01 was a Monday.
func (d Day) Weekday() Weekday { return Weekday(floor.Mod(int(d), 7)) }

// Valid reports whether the day is from 0001-01-01 to 9999-12-31.
func (d Day) Valid() bool { return d >= MinDay && d <= MaxDay }

// String returns the ISO 8601 date, for example 2026-03-05; an open edge is two dots.
func (d Day) String() string {
	if d == OpenStart || d == OpenEnd {
		return ".."
	}
	return string(d.AppendText(make([]byte, 0, 10)))
}

// AppendText appends the ISO 8601 date to b. Years beyond 9999 (an edge only) take five digits.
func (d Day) AppendText(b []byte) []byte {
	y, m, day := d.Date()
	if y < 0 || y > 9999 {
		return fmt.Appendf(b, "%d-%02d-%02d", y, m, day)
	}
	return append(b,
		byte('0'+y/1000), byte('0'+y/100%10), byte('0'+y/10%10), byte('0'+y%10), '-',
		byte('0'+m/10), byte('0'+m%10), '-',
		byte('0'+day/10), byte('0'+day%10))
}

// ParseDay reads an ISO 8601 date of the form 2026-03-05. The error says which part is wrong.
func ParseDay(s string) (Day, error) {
	if len(s) != 10 || s[4] != '-' || s[7] != '-' {
		return 0, fmt.Errorf("%q is not a date: expected year-month-day, such as 2026-03-05", s)
	}
	y, ok1 := digits(s[0:4])
	m, ok2 := digits(s[5:7])
	d, ok3 := digits(s[8:10])
	if !ok1 || !ok2 || !ok3 {
		return 0, fmt.Errorf("%q is not a date: expected year-month-day, such as 2026-03-05", s)
	}
	return NewDay(y, m, d)
}

// NewDay returns the day of a date, or an error that says which part does not exist.
func NewDay(year, month, day int) (Day, error) {
	switch {
	case year < 1 || year > 9999:
		return 0, fmt.Errorf("year %04d does not exist here: expected 0001 to 9999", year)
	case month < 1 || month > 12:
		return 0, fmt.Errorf("month %02d does not exist: expected 01 to 12", month)
	case day < 1 || day > DaysInMonth(year, month):
		return 0, fmt.Errorf("%04d-%02d has no day %02d: it ends on the %dth", year, month, day, DaysInMonth(year, month))
	}
	return Of(year, month, day), nil
}

// OfTime returns the day that an instant falls on in a time zone.
func OfTime(t time.Time, zone *time.Location) Day {
	y, m, d := t.In(zone).Date()
	return Of(y, int(m), d)
}

// Time returns midnight UTC at the start of the day, for packages that know only instants.
func (d Day) Time() time.Time {
	y, m, day := d.Date()
	return time.Date(y, time.Month(m), day, 0, 0, 0, 0, time.UTC)
}

// Long returns the day as people read it: Mon 19 Oct 2026; an open edge is two dots.
func (d Day) Long() string {
	if d == OpenStart || d == OpenEnd {
		return ".."
	}
	return d.Weekday().Short() + d.Time().Format(" 2 Jan 2006")
}

// MarshalText writes the ISO 8601 date. An open edge has none, and is an error.
func (d Day) MarshalText() ([]byte, error) {
	if d == OpenStart || d == OpenEnd {
		return nil, errors.New("an open edge is not a date")
	}
	return d.AppendText(nil), nil
}

// UnmarshalText reads an ISO 8601 date.
func (d *Day) UnmarshalText(text []byte) error {
	day, err := ParseDay(string(text))
	if err == nil {
		*d = day
	}
	return err
}

// IsLeap reports whether a civil year has a 29 February.
func IsLeap(year int) bool { return year%4 == 0 && (year%100 != 0 || year%400 == 0) }

// DaysInMonth returns the length of a civil month (1 to 12) in days.
func DaysInMonth(year, month int) int {
	switch month {
	case 2:
		if IsLeap(year) {
			return 29
		}
		return 28
	case 4, 6, 9, 11:
		return 30
	}
	return 31
}

// AddMonths moves a day by n civil months, the day of the month clamped to the target's length;
// clamped reports whether this happened (semantics §3).
func (d Day) AddMonths(n int) (moved Day, clamped bool) {
	y, m, day := d.Date()
	m += n - 1
	y += floor.Div(m, 12)
	m = floor.Mod(m, 12) + 1
	if last := DaysInMonth(y, m); day > last {
		return Of(y, m, last), true
	}
	return Of(y, m, day), false
}

// IsMonthEnd reports whether the day is the last of its civil month.
func (d Day) IsMonthEnd() bool {
	y, m, day := d.Date()
	return day == DaysInMonth(y, m)
}

func digits(s string) (n int, ok bool) {
	for i := 0; i < len(s); i++ {
		if s[i] < '0' || s[i] > '9' {
			return 0, false
		}
		n = n*10 + int(s[i]-'0')
	}
	return n, true
}
