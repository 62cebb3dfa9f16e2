// Package calendar groups days in weeks, months (periods), quarters, halves and years, and tells
// which days are business days (semantics §2). It moves days by units (§3) and labels them; it
// knows nothing of spans, records or clocks.
package calendar

import "strings"

// A Unit is a way to group days. Longer units compare greater.
type Unit uint8

// The units. A month is also called a period.
const (
	Day Unit = iota
	BusinessDay
	Week
	Month
	Quarter
	Half
	Year
)

// Units lists every unit from the shortest to the longest.
var Units = []Unit{Day, BusinessDay, Week, Month, Quarter, Half, Year}

var unitNames = [...]string{"day", "business day", "week", "month", "quarter", "half", "year"}

// String returns the unit's name in the singular.
func (u Unit) String() string { return unitNames[u] }

// Plural returns the unit's name in the plural.
func (u Unit) Plural() string {
	if u == Half {
		return "halves"
	}
	return unitNames[u] + "s"
}

// Counted returns the name that goes with a count: "day" with 1, else "days".
func (u Unit) Counted(n int) string {
	if n == 1 {
		return u.String()
	}
	return u.Plural()
}

// ParseUnit reads a unit's name, singular or plural, in any case; period is a month.
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
