// Package elapsed measures how long it is from one day to another, and from one moment to another (semantics §10).
package elapsed

import (
	"fmt"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/decimal"
)

// Figures are how far two days are apart, the first inside, the second outside. Where the second comes before the first
// all are below 0.
type Figures struct {
	Days         int `json:"days"`
	BusinessDays int `json:"business_days"` // of the calendar
	// Months and Years are whole ones: the most whose sum with the first day, the day of the month clamped, does not pass the
	// second.
	Months int `json:"months"`
	Years  int `json:"years"`
	// Calendar units are how many of their boundaries are between: 0 within one month, 1 from 31 January to 1 February.
	CalendarWeeks    int `json:"calendar_weeks"`
	CalendarMonths   int `json:"calendar_months"`
	CalendarQuarters int `json:"calendar_quarters"`
	CalendarYears    int `json:"calendar_years"`
	// Period is years, months and the days left over (ISO 8601): P1Y2M3D, P0D.
	Period string `json:"period"`
	// YearFraction is the whole years, and the days since the last anniversary by those to the next; Actual365 the days by
	// 365; Thirty360 counts months of 30 days in years of 360. All have six decimals, rounded half to even.
	YearFraction decimal.Value `json:"year_fraction"`
	Actual365    decimal.Value `json:"actual_365"`
	Thirty360    decimal.Value `json:"thirty_360"`
	// Seconds is the elapsed time between two moments; nil between days.
	Seconds *int64 `json:"seconds,omitempty"`
	// Caution says what the figures do not know, such as holidays beyond their list.
	Caution string `json:"caution,omitempty"`
}

// Between returns how far two days are apart in a calendar; bothEnds counts the later one, too. The error is that of a
// calendar whose years are listed, or of days beyond 9999-12-31.
func Between(from, to civil.Day, cal *calendar.Calendar, bothEnds bool) (Figures, error) {
	sign := 1
	if to < from {
		from, to, sign = to, from, -1
	}
	if bothEnds {
		to++
	}
	v := civil.Interval{Start: from, End: to}
	f := Figures{Days: sign * v.Days(), BusinessDays: sign * cal.BusinessDays(v)}
	if !cal.HolidaysKnown(v) {
		l := cal.Holidays()
		f.Caution = fmt.Sprintf("the holiday list %s covers %d to %d", l.Name, l.FirstYear, l.LastYear)
	}
	months, last, err := Months(from, to, cal)
	if err != nil {
		return f, err
	}
	perYear := cal.PeriodsPerYear()
	f.Months, f.Years = sign*months, sign*(months/perYear)
	f.Period = period(sign, months/perYear, months%perYear, int(to-last))
	for _, u := range []struct {
		unit calendar.Unit
		to   *int
	}{
		{calendar.Week, &f.CalendarWeeks}, {calendar.Month, &f.CalendarMonths}, {calendar.Quarter, &f.CalendarQuarters},
		{calendar.Year, &f.CalendarYears},
	} {
		n, err := Boundaries(from, to, u.unit, cal)
		if err != nil {
			return f, err
		}
		*u.to = sign * n
	}
	years := months / perYear
	anniversary, err := added(from, years*perYear, cal)
	if err != nil {
		return f, err
	}
	next, err := added(from, (years+1)*perYear, cal)
	if err != nil {
		return f, err
	}
	year := int64(next - anniversary)
	for _, share := range []struct {
		of, by int64
		to     *decimal.Value
	}{
		{int64(sign) * (int64(years)*year + int64(to-anniversary)), year, &f.YearFraction},
		{int64(f.Days), 365, &f.Actual365},
		{int64(sign) * thirty360(from, to), 360, &f.Thirty360},
	} {
		if *share.to, err = fraction(share.of, share.by); err != nil {
			return f, err
		}
	}
	return f, nil
}

// Months returns the most months whose sum with a day does not pass a later one, and the day that they reach.
func Months(from, to civil.Day, cal *calendar.Calendar) (months int, last civil.Day, err error) {
	if months, err = Boundaries(from, to, calendar.Month, cal); err != nil {
		return 0, from, err
	}
	for ; months > 0; months-- {
		if last, err = added(from, months, cal); err != nil || last <= to {
			return months, last, err
		}
	}
	return 0, from, nil
}

// Boundaries returns how many boundaries of a calendar's units are between two days.
func Boundaries(from, to civil.Day, u calendar.Unit, cal *calendar.Calendar) (int, error) {
	a, err := cal.Index(u, from)
	if err != nil {
		return 0, err
	}
	b, err := cal.Index(u, to)
	return b - a, err
}

// added returns a day moved on by months.
func added(d civil.Day, months int, cal *calendar.Calendar) (civil.Day, error) {
	if months == 0 {
		return d, nil
	}
	moved, _, err := cal.Move(d, months, calendar.Month)
	return moved, err
}

// period writes years, months and days, as in P1Y2M3D.
func period(sign, years, months, days int) string {
	var b strings.Builder
	if sign < 0 {
		b.WriteByte('-')
	}
	b.WriteByte('P')
	for _, part := range []struct {
		n    int
		unit string
	}{{years, "Y"}, {months, "M"}, {days, "D"}} {
		if part.n != 0 {
			fmt.Fprintf(&b, "%d%s", part.n, part.unit)
		}
	}
	if years == 0 && months == 0 && days == 0 {
		return "P0D"
	}
	return b.String()
}

// fractionDecimals is how many decimals fractions of years have.
const fractionDecimals = 6

// fraction returns a / b.
func fraction(a, b int64) (decimal.Value, error) {
	v := decimal.Value{Set: true}
	err := decimal.Divide(&v.Decimal, apd.New(a, 0), apd.New(b, 0), fractionDecimals)
	return v, err
}

// thirty360 counts the days between two in months of 30 days: the 31st counts as the 30th, a second day as that only where
// the first is one.
func thirty360(from, to civil.Day) int64 {
	y1, m1, d1 := from.Date()
	y2, m2, d2 := to.Date()
	if d1 = min(d1, 30); d1 == 30 {
		d2 = min(d2, 30)
	}
	return int64(360*(y2-y1) + 30*(m2-m1) + d2 - d1)
}
