// Package event has named lists of dated occurrences: Easter, a festival, an outage (semantics §11).
package event

import (
	"cmp"
	"fmt"
	"slices"
	"sort"

	"vastspan/core/civil"
)

// MaxOccurrences is how many occurrences one list may have.
const MaxOccurrences = 10_000

// An Occurrence is one time that an event takes place: at least a day, from its first through its last day.
type Occurrence struct {
	Days  civil.Interval
	Label string
}

// A List is a named event with its occurrences, in order of time. No two of them share a day or touch one another. It is
// never changed once it is made.
type List struct {
	Name        string
	Occurrences []Occurrence
	// FirstYear and LastYear are the civil years that the list is complete for.
	FirstYear, LastYear int
	// Compared says that a comparison notes where its two sides hold different days of the event.
	Compared bool
	days     civil.Set
}

// New sorts the occurrences of a list and checks them. Where no years are given (0, 0) the list covers those from its first
// occurrence's to its last one's. Errors: no occurrence, too many, one that ends before it starts, and two that overlap or
// touch one another.
func New(name string, occurrences []Occurrence, firstYear, lastYear int, compared bool) (*List, error) {
	switch n := len(occurrences); {
	case n == 0 && firstYear == 0:
		return nil, fmt.Errorf("event list %s has no days and names no years that it covers", name)
	case n > MaxOccurrences:
		return nil, fmt.Errorf("event list %s has %d occurrences; at most %d", name, n, MaxOccurrences)
	}
	sorted := slices.SortedStableFunc(slices.Values(occurrences), func(a, b Occurrence) int { return cmp.Compare(a.Days.Start, b.Days.Start) })
	all := make([]civil.Interval, len(sorted))
	for i, o := range sorted {
		if o.Days.Empty() || o.Days.Open() {
			return nil, fmt.Errorf("event list %s: an occurrence from %s through %s ends before it starts", name, o.Days.Start, o.Days.End-1)
		}
		if i > 0 && o.Days.Start <= sorted[i-1].Days.End {
			return nil, fmt.Errorf("event list %s: %s and %s overlap or touch one another: write them as one occurrence",
				name, sorted[i-1].Days, o.Days)
		}
		all[i] = o.Days
	}
	if firstYear == 0 && lastYear == 0 {
		firstYear, lastYear = sorted[0].Days.First().Year(), sorted[len(sorted)-1].Days.Last().Year()
	}
	if firstYear < 1 || lastYear > 9999 || lastYear < firstYear {
		return nil, fmt.Errorf("event list %s covers %d to %d: expected years from 1 to 9999, the first one first", name, firstYear, lastYear)
	}
	return &List{name, sorted, firstYear, lastYear, compared, civil.Union(all...)}, nil
}

// Days returns every day of every occurrence.
func (l *List) Days() civil.Set { return l.days }

// StartingIn returns the occurrences that start inside an interval.
func (l *List) StartingIn(v civil.Interval) []Occurrence {
	return l.Occurrences[l.FirstFrom(v.Start):l.FirstFrom(v.End)]
}

// FirstFrom returns the index of the first occurrence that starts on or after a day; their number where none does.
func (l *List) FirstFrom(d civil.Day) int {
	return sort.Search(len(l.Occurrences), func(i int) bool { return l.Occurrences[i].Days.Start >= d })
}

// At returns the index of the occurrence that holds a day.
func (l *List) At(d civil.Day) (int, bool) {
	i := l.FirstFrom(d+1) - 1
	return i, i >= 0 && l.Occurrences[i].Days.Contains(d)
}

// Known reports whether the list covers every year of an interval. One that is open on a side is never covered.
func (l *List) Known(v civil.Interval) bool {
	return v.Empty() || !v.Open() && v.First().Year() >= l.FirstYear && v.Last().Year() <= l.LastYear
}
