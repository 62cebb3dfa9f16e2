package elapsed

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// A Unit is what a length is counted in (semantics §10).
type Unit struct {
	Name string // as it is written
	// Count counts from one day, inside, to a later one, outside; nil for hours, which are between moments.
	Count func(from, to civil.Day, cal *calendar.Calendar) (int, error)
}

// units holds the units in the order in which they are listed.
var units = []Unit{
	{"days", func(from, to civil.Day, _ *calendar.Calendar) (int, error) { return int(to - from), nil }},
	{"business days", func(from, to civil.Day, cal *calendar.Calendar) (int, error) {
		return cal.BusinessDays(civil.Interval{Start: from, End: to}), nil
	}},
	{"weeks", func(from, to civil.Day, _ *calendar.Calendar) (int, error) { return int(to-from) / 7, nil }},
	{"months", func(from, to civil.Day, cal *calendar.Calendar) (int, error) {
		n, _, err := Months(from, to, cal)
		return n, err
	}},
	{"years", func(from, to civil.Day, cal *calendar.Calendar) (int, error) {
		n, _, err := Months(from, to, cal)
		return n / cal.PeriodsPerYear(), err
	}},
	{"hours", nil},
	boundaries("calendar weeks", calendar.Week), boundaries("calendar months", calendar.Month),
	boundaries("calendar quarters", calendar.Quarter), boundaries("calendar years", calendar.Year),
}

func boundaries(name string, u calendar.Unit) Unit {
	return Unit{name, func(from, to civil.Day, cal *calendar.Calendar) (int, error) {
		return Boundaries(from, to, u, cal)
	}}
}

// Hours returns the whole hours from one moment to a later one.
func Hours(from, to civil.Moment) int { return int((to - from) / (3600 * civil.Second)) }

// UnitNames lists the units that lengths are counted in.
func UnitNames() []string {
	names := make([]string, len(units))
	for i, u := range units {
		names[i] = u.Name
	}
	return names
}

// ParseUnit reads the name of a unit, with hyphens or blanks; empty is days.
func ParseUnit(text string) (*Unit, error) {
	name := strings.ReplaceAll(strings.ToLower(strings.TrimSpace(text)), "-", " ")
	if name == "" {
		name = "days"
	}
	i := slices.IndexFunc(units, func(u Unit) bool { return u.Name == name })
	if i < 0 {
		return nil, fmt.Errorf("unit %q: expected %s", text, strings.Join(UnitNames(), ", "))
	}
	return &units[i], nil
}
