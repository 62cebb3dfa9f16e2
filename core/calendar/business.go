package calendar

import (
	"fmt"
	"slices"
	"sort"

	"vastspan/core/civil"
	"vastspan/core/internal/floor"
)

// Holidays is a named list of days on which nobody works, and the civil years it is complete for.
type Holidays struct {
	Name                string
	Days                []civil.Day
	FirstYear, LastYear int
}

// NewHolidays sorts the days and drops repeats. Where no years are given (0, 0) the list covers
// those from its first day's to its last day's.
func NewHolidays(name string, days []civil.Day, firstYear, lastYear int) (*Holidays, error) {
	if len(days) == 0 && firstYear == 0 {
		return nil, fmt.Errorf("holiday list %s has no days and names no years that it covers", name)
	}
	days = slices.Clone(days)
	slices.Sort(days)
	days = slices.Compact(days)
	if firstYear == 0 && lastYear == 0 {
		firstYear, lastYear = days[0].Year(), days[len(days)-1].Year()
	}
	if firstYear < 1 || lastYear > 9999 || lastYear < firstYear {
		return nil, fmt.Errorf(
			"holiday list %s covers %d to %d: expected years from 1 to 9999, the first one first",
			name,
			firstYear,
			lastYear,
		)
	}
	return &Holidays{Name: name, Days: days, FirstYear: firstYear, LastYear: lastYear}, nil
}

// business counts business days: those of the working week, less the holidays that fall on them.
// Days are found by their ordinal, the number of business days before them, in logarithmic time.
type business struct {
	week     civil.Weekdays
	list     *Holidays
	off      []civil.Day // the holidays that fall within the working week
	ordinals []int       // business days before each of off; never falls
	perWeek  int
	in       [7]int // days of the working week before each weekday
	weekdays []int  // the weekdays of the working week, in order
}

func newBusiness(week civil.Weekdays, list *Holidays) business {
	b := business{week: week, list: list}
	for w := range 7 {
		b.in[w] = b.perWeek
		if week.Has(civil.Weekday(w)) {
			b.weekdays = append(b.weekdays, w)
			b.perWeek++
		}
	}
	if list != nil {
		for _, d := range list.Days {
			if week.Has(d.Weekday()) {
				b.ordinals = append(b.ordinals, b.working(d)-len(b.off))
				b.off = append(b.off, d)
			}
		}
	}
	return b
}

// working counts the days of the working week before a day, holidays or not.
func (b *business) working(d civil.Day) int {
	return floor.Div(int(d), 7)*b.perWeek + b.in[d.Weekday()]
}

// before counts the business days before a day.
func (b *business) before(d civil.Day) int {
	i, _ := slices.BinarySearch(b.off, d)
	return b.working(d) - i
}

func (b *business) holiday(d civil.Day) bool {
	if b.list == nil {
		return false
	}
	_, found := slices.BinarySearch(b.list.Days, d)
	return found
}

func (b *business) has(d civil.Day) bool {
	if !b.week.Has(d.Weekday()) {
		return false
	}
	_, off := slices.BinarySearch(b.off, d)
	return !off
}

// nth returns the business day with n business days before it.
func (b *business) nth(n int) (civil.Day, error) {
	if n < 0 {
		return 0, ErrRange
	}
	w := n + sort.SearchInts(b.ordinals, n+1)
	d := civil.Day(w/b.perWeek*7 + b.weekdays[w%b.perWeek])
	return d, edgeInRange(d)
}

// move returns the nth business day strictly after a day, or before it when n is negative.
func (b *business) move(d civil.Day, n int) (civil.Day, error) {
	if n == 0 {
		return d, nil
	}
	i := b.before(d) + n
	if n > 0 && !b.has(d) {
		i--
	}
	return b.nth(i)
}
