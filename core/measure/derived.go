package measure

import (
	"fmt"
	"strings"

	"vastspan/core/decimal"
)

// A Derivation is what is made of a figure that adds up and of the days that it is of. It follows the figure: sum
// fare per day.
type Derivation string

// The derivations.
const (
	PerDay             Derivation = "per day"
	PerBusinessDay     Derivation = "per business day"
	PaceByDays         Derivation = "pace by days"
	PaceByBusinessDays Derivation = "pace by business days"
	PaceByYearBefore   Derivation = "pace by year before"
)

// A Basis is what a figure is derived from, besides its own value.
type Basis struct {
	// Days is how many days a period has, Covered how many of them records cover: business days where the derivation
	// counts those. A period whose unit is not over has the days of the whole unit.
	Days, Covered int64
	// Before is the figure of the year before up to the same day, and BeforeWhole that of the whole unit.
	Before, BeforeWhole decimal.Fraction
}

// over reports whether records cover all of a period: what it comes to is known.
func (b *Basis) over() bool { return b.Covered == b.Days }

// A Derived says all there is to know about one derivation.
type Derived struct {
	Derivation
	Help string // what it gives
	// Business counts business days, Pace looks at the whole unit, YearBefore at the shape of the year before.
	Business, Pace, YearBefore bool
	finish                     func(v decimal.Fraction, b Basis) (decimal.Fraction, error)
	// explain says how it comes about; named is what the period is called.
	explain func(named string, b Basis, show func(decimal.Fraction) string) string
}

// derivations holds the derivations in the order in which they are shown.
var derivations = []Derived{
	{Derivation: PerDay, Help: "divided by the days that records cover", finish: perDay,
		explain: func(named string, b Basis, _ func(decimal.Fraction) string) string {
			return fmt.Sprintf("%s divided by %s", named, coveredDays(b, "day"))
		}},
	{Derivation: PerBusinessDay, Help: "divided by the business days that records cover", Business: true, finish: perDay,
		explain: func(named string, b Basis, _ func(decimal.Fraction) string) string {
			return fmt.Sprintf("%s divided by %s", named, coveredDays(b, "business day"))
		}},
	{Derivation: PaceByDays, Help: "what the unit comes to if it goes on like this, day by day", Pace: true, finish: paceByDays,
		explain: func(named string, b Basis, _ func(decimal.Fraction) string) string { return paceText(named, b, "day") }},
	{Derivation: PaceByBusinessDays, Help: "what the unit comes to if it goes on like this, business day by business day",
		Pace: true, Business: true, finish: paceByDays,
		explain: func(named string, b Basis, _ func(decimal.Fraction) string) string {
			return paceText(named, b, "business day")
		}},
	{Derivation: PaceByYearBefore, Help: "what the unit comes to if it goes on like the same unit of the year before",
		Pace: true, YearBefore: true, finish: paceByYear, explain: yearText},
}

// Derivations lists the derivations in the order in which they are shown.
func Derivations() []Derived { return append([]Derived(nil), derivations...) }

// LookupDerived finds a derivation.
func LookupDerived(d Derivation) (*Derived, bool) {
	for i := range derivations {
		if derivations[i].Derivation == d {
			return &derivations[i], true
		}
	}
	return nil, false
}

// Flag returns the derivation as a flag and its value: per and business day.
func (d *Derived) Flag() (flag, value string) {
	flag, value, _ = strings.Cut(string(d.Derivation), " ")
	return flag, strings.TrimPrefix(value, "by ")
}

// Finish makes the figure of its value and days (semantics §7); blank where it cannot be told.
func (d *Derived) Finish(v decimal.Fraction, b Basis) (decimal.Fraction, error) {
	if !v.Set() || b.Covered == 0 {
		return decimal.Fraction{}, nil
	}
	return d.finish(v, b)
}

// Explain says in a sentence how the figure of a period comes about, with numbers as show writes them; empty where there
// is nothing to say.
func (d *Derived) Explain(named string, b Basis, show func(decimal.Fraction) string) string {
	return d.explain(named, b, show)
}

func perDay(v decimal.Fraction, b Basis) (decimal.Fraction, error) { return v.Over(days(b.Covered)) }

func paceByDays(v decimal.Fraction, b Basis) (decimal.Fraction, error) {
	if b.over() {
		return v, nil
	}
	return scaled(v, days(b.Days), days(b.Covered))
}

func paceByYear(v decimal.Fraction, b Basis) (decimal.Fraction, error) {
	if b.over() {
		return v, nil
	}
	return scaled(v, b.BeforeWhole, b.Before)
}

// scaled returns a value times one number by another; blank where that is undefined.
func scaled(v, times, by decimal.Fraction) (decimal.Fraction, error) {
	product, err := v.Times(times)
	if err != nil {
		return decimal.Fraction{}, err
	}
	return product.Over(by)
}

// days returns a number of days.
func days(n int64) decimal.Fraction { return decimal.FractionOf(decimal.Int(n)) }

func coveredDays(b Basis, unit string) string {
	if b.over() {
		return "its " + counted(b.Days, unit)
	}
	return fmt.Sprintf("the %d of its %s that records cover", b.Covered, counted(b.Days, unit))
}

func paceText(named string, b Basis, unit string) string {
	if b.over() || b.Covered == 0 {
		return ""
	}
	return fmt.Sprintf("%s: records cover %d of the %s of its whole unit; the pace is %d/%d of what is there",
		named, b.Covered, counted(b.Days, unit), b.Days, b.Covered)
}

func yearText(named string, b Basis, show func(decimal.Fraction) string) string {
	switch {
	case b.over() || b.Covered == 0:
		return ""
	case !b.BeforeWhole.Set() || b.Before.Sign() == 0:
		return fmt.Sprintf("%s: a year earlier there was nothing up to the same day; there is no pace", named)
	}
	whole, before := show(b.BeforeWhole), show(b.Before)
	return fmt.Sprintf("%s: a year earlier its whole unit came to %s, of which %s were there by the same day; "+
		"the pace is %s/%s of what is there", named, whole, before, whole, before)
}

func counted(n int64, unit string) string {
	if n == 1 {
		return "1 " + unit
	}
	return fmt.Sprintf("%d %ss", n, unit)
}
