// Package calendar groups days in weeks, months (periods), quarters, halves and years, and tells
// which days are business days (semantics §2). It moves days by units (§3) and labels them; it
// knows nothing of spans, records or clocks.
package calendar

import (
	"strings"

	"vastspan/core/civil"
)

// A Unit is a way to group days, or to cut them up: an hour and a minute are units of a clock (semantics §9), which no
// calendar knows. Longer units compare greater.
type Unit int8

// The units. A month is also called a period.
const (
	Minute Unit = iota - 2
	Hour
	Day
	BusinessDay
	Week
	Month
	Quarter
	Half
	Year
)

// Units lists every unit of a calendar from the shortest to the longest.
var Units = []Unit{Day, BusinessDay, Week, Month, Quarter, Half, Year}

// ClockUnits lists the units of a clock.
var ClockUnits = []Unit{Minute, Hour}

// OfClock reports whether the unit is one of a clock: shorter than a day.
func (u Unit) OfClock() bool { return u < Day }

// Length returns how long an hour or a minute is, in microseconds, where no change of the clock cuts it.
func (u Unit) Length() civil.Moment {
	if u == Minute {
		return 60 * civil.Second
	}
	return 3600 * civil.Second
}

var unitNames = [...]string{"minute", "hour", "day", "business day", "week", "month", "quarter", "half", "year"}

// String returns the unit's name in the singular.
func (u Unit) String() string { return unitNames[u-Minute] }

// Plural returns the unit's name in the plural.
func (u Unit) Plural() string {
	if u == Half {
		return "halves"
	}
	return unitNames[u-Minute] + "s"
}

// Counted returns the name that goes with a count: "day" with 1, else "days".
func (u Unit) Counted(n int) string {
	if n == 1 {
		return u.String()
	}
	return u.Plural()
}

// ParseAnyUnit is ParseUnit with the units of a clock.
func ParseAnyUnit(s string) (Unit, bool) {
	word := strings.ToLower(strings.TrimSpace(s))
	for _, u := range ClockUnits {
		if word == u.String() || word == u.Plural() {
			return u, true
		}
	}
	return ParseUnit(s)
}

// ParseUnit reads the name of a unit of a calendar, singular or plural, in any case; period is a month.
func ParseUnit(s string) (Unit, bool) {
	s = strings.ToLower(strings.TrimSpace(s))
	switch s {
	case "period", "periods":
		return Month, true
	}
	for _, u := range Units {
		if s == u.String() || s == u.Plural() {
			return u, true
		}
	}
	return 0, false
}
