package tally

import (
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// A Unit is one row of a span broken down: a unit of a calendar that meets it (semantics §8).
type Unit struct {
	Label   string
	Days    civil.Set      // the days of the span in it
	Whole   civil.Interval // all of its days
	Partial bool           // it lies only partly inside the span
	Future  bool           // it begins after the as-of day
	// InProgress tells that the as-of day is in it and days of the span in it are still to come.
	InProgress bool
}

// MaxUnits is how many units a span may be broken down into.
const MaxUnits = 5000

// Each lists every unit of a calendar that meets a closed span, in time order, none skipped.
func Each(set civil.Set, cal *calendar.Calendar, u calendar.Unit, asOf civil.Day) ([]Unit, error) {
	bounds := set.Bounds()
	switch {
	case set.Empty():
		return nil, nil
	case bounds.Open():
		return nil, fmt.Errorf("each %s needs a span with both ends; this one is open: say from a day through a day", u)
	case u == calendar.BusinessDay:
		return nil, fmt.Errorf("each business day: break down by day, over a span with only business days")
	}
	i, err := cal.Index(u, bounds.First())
	if err != nil {
		return nil, err
	}
	last, err := cal.Index(u, bounds.Last())
	if err != nil {
		return nil, err
	}
	if n := last - i + 1; n > MaxUnits {
		return nil, fmt.Errorf("each %s gives %d rows; at most %d: take a longer unit or a shorter span", u, n, MaxUnits)
	}
	var units []Unit
	for ; i <= last; i++ {
		whole, err := cal.Unit(u, i)
		if err != nil {
			return nil, err
		}
		label, err := cal.Label(u, whole.Start)
		if err != nil {
			return nil, err
		}
		days := set.Within(whole)
		if days.Empty() {
			// Between the periods of a span: no row is skipped, and none of its days count.
			units = append(units, Unit{Label: label, Whole: whole, Partial: true, Future: whole.Start > asOf})
			continue
		}
		units = append(
			units,
			Unit{Label: label, Days: days, Whole: whole, Partial: !days.Equal(civil.SetOf(whole)), Future: whole.Start > asOf,
				InProgress: whole.Contains(asOf) && days.Bounds().End > asOf+1},
		)
	}
	return units, nil
}

// weekLead is how many days of a week come before the one that says where it belongs.
const weekLead = 3

// Running returns the days that a running figure of a row adds up: from the start of the unit of reset
// that holds the row, through the row. A week belongs to the one that holds its fourth day, with all its days
// (semantics §8). A span of several periods keeps to its own days; one period reaches back to the start of the
// unit, before the span if need be.
func Running(set civil.Set, row Unit, cal *calendar.Calendar, each, reset calendar.Unit) (civil.Set, error) {
	if row.Future || row.Days.Empty() {
		return civil.Set{}, nil
	}
	by := row.Days.Bounds().First()
	if each == calendar.Week {
		by = row.Whole.Start + weekLead
	}
	holding, err := cal.Containing(reset, by)
	if err != nil {
		return civil.Set{}, err
	}
	start := holding.Start
	if each == calendar.Week {
		week, err := cal.Containing(calendar.Week, start)
		if err != nil {
			return civil.Set{}, err
		}
		if start = week.Start; start+weekLead < holding.Start { // it belongs to the unit before
			start = week.End
		}
	}
	through := civil.SetOf(civil.Interval{Start: start, End: row.Days.Bounds().End})
	if set.Len() > 1 {
		return set.Intersect(through), nil
	}
	return through, nil
}

// RunningSpan is Running with the span's own start in place of a unit's.
func RunningSpan(set civil.Set, row Unit) civil.Set {
	if row.Future || row.Days.Empty() {
		return civil.Set{}
	}
	return set.Intersect(civil.SetOf(civil.Interval{Start: civil.OpenStart, End: row.Days.Bounds().End}))
}

// Rolling returns the days of a row's unit and the n-1 units before it, reaching outside the span. It
// is incomplete where it begins before the oldest day of the records.
func Rolling(row Unit, cal *calendar.Calendar, u calendar.Unit, n int) (civil.Interval, error) {
	if row.Future || row.Days.Empty() {
		return civil.Interval{}, nil
	}
	i, err := cal.Index(u, row.Whole.Start)
	if err != nil {
		return civil.Interval{}, err
	}
	start, err := cal.Start(u, i-n+1)
	return civil.Interval{Start: start, End: row.Days.Bounds().End}, err
}
