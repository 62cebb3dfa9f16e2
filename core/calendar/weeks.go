package calendar

import (
	"fmt"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/internal/floor"
)

// years says where the years of a week-based layout begin.
type years interface {
	// holding returns the index of the year that holds a day, or of the edge after the last year.
	holding(d civil.Day) (int, error)
	// first returns the first day of a year.
	first(year int) (civil.Day, error)
	covers(d civil.Day) error
	label(year int) int
	index(label int) int
}

// weeksLayout is the week-based layout: whole weeks, laid out by a pattern of weeks a period.
type weeksLayout struct {
	years   years
	pattern pattern
}

// A pattern lays 52 or 53 weeks out in periods; the second row of each table is for 53 weeks.
type pattern struct {
	periods int
	before  [2][14]int // weeks of the year before each period, and in all
	period  [2][53]int // the period, from 0, of each week
}

// newPattern repeats the weeks a period through the year; a 53rd week goes to the end of period
// extra, counted from 1.
func newPattern(weeks []int, extra int) pattern {
	p := pattern{periods: len(weeks)}
	for long := range 2 {
		week := 0
		for i, n := range weeks {
			p.before[long][i] = week
			if long == 1 && i == extra-1 {
				n++
			}
			for range n {
				p.period[long][week] = i
				week++
			}
		}
		p.before[long][len(weeks)] = week
	}
	return p
}

func (l weeksLayout) perYear() int { return l.pattern.periods }

func (l weeksLayout) covers(d civil.Day) error { return l.years.covers(d) }

func (l weeksLayout) yearLabel(index int) int { return l.years.label(index) }

func (l weeksLayout) yearIndex(label int) int { return l.years.index(label) }

// year returns a year's first day and 1 when it has 53 weeks, else 0. The edge year has none.
func (l weeksLayout) year(index int) (first civil.Day, long int, err error) {
	if first, err = l.years.first(index); err != nil {
		return 0, 0, err
	}
	next, err := l.years.first(index + 1)
	if err == nil && next-first > 52*7 {
		long = 1
	}
	return first, long, nil
}

func (l weeksLayout) month(d civil.Day) (int, error) {
	y, err := l.years.holding(d)
	if err != nil {
		return 0, err
	}
	first, long, err := l.year(y)
	if err != nil {
		return 0, err
	}
	return y*l.pattern.periods + l.pattern.period[long][int(d-first)/7], nil
}

func (l weeksLayout) start(month int) (civil.Day, error) {
	y, p := inYear(month, l.pattern.periods)
	first, long, err := l.year(y)
	if err != nil {
		return 0, err
	}
	if p > 0 {
		if _, err := l.years.first(y + 1); err != nil {
			return 0, err
		}
	}
	d := first + civil.Day(7*l.pattern.before[long][p])
	return d, edgeInRange(d)
}

// move keeps the week and weekday within the unit; where the target has no such week, it takes the
// last one and the same weekday (semantics §3).
func (l weeksLayout) move(d civil.Day, n int, u Unit) (civil.Day, bool, error) {
	per := l.pattern.periods
	m, err := l.month(d)
	if err != nil {
		return 0, false, err
	}
	from := fromMonth(u, m, per)
	start, err := l.start(toMonth(u, from, per))
	if err != nil {
		return 0, false, err
	}
	target, err := l.start(toMonth(u, from+n, per))
	if err != nil {
		return 0, false, err
	}
	moved := target + d - start
	if moved == target {
		return moved, false, nil
	}
	end, err := l.start(toMonth(u, from+n+1, per))
	if err != nil {
		return 0, false, err
	}
	if moved < end {
		return moved, false, nil
	}
	return end - 7 + (d-start)%7, true, nil
}

// ruledYears ends each year on one weekday near the end of a month. The index of a year is the
// civil year whose month its end belongs to.
type ruledYears struct {
	weekday civil.Weekday
	month   int
	nearest bool
	byStart bool
}

// end returns the last day of a year.
func (r ruledYears) end(year int) civil.Day {
	monthEnd := civil.Of(year, r.month+1, 1) - 1
	back := civil.Day(floor.Mod(int(monthEnd.Weekday())-int(r.weekday), 7))
	if r.nearest && back > 3 {
		return monthEnd - back + 7
	}
	return monthEnd - back
}

func (r ruledYears) holding(d civil.Day) (int, error) {
	y := d.Year()
	for d > r.end(y) {
		y++
	}
	for d <= r.end(y-1) {
		y--
	}
	return y, nil
}

func (r ruledYears) first(year int) (civil.Day, error) {
	if year < -1 || year > 10002 {
		return 0, ErrRange
	}
	return r.end(year-1) + 1, nil
}

func (r ruledYears) covers(d civil.Day) error { return edgeInRange(d) }

func (r ruledYears) label(year int) int {
	if r.byStart {
		return year - 1
	}
	return year
}

func (r ruledYears) index(label int) int {
	if r.byStart {
		return label + 1
	}
	return label
}

// listedYears has the first day of each year listed; the last entry only closes the year before.
type listedYears struct {
	calendar string
	days     []civil.Day
}

func (l listedYears) closing() civil.Day { return l.days[len(l.days)-1] }

func (l listedYears) outside() error {
	return fmt.Errorf("calendar %s lists %s to %s: %w", l.calendar, l.days[0], l.closing()-1, ErrUnlisted)
}

func (l listedYears) covers(d civil.Day) error {
	if d < l.days[0] || d >= l.closing() {
		return l.outside()
	}
	return nil
}

func (l listedYears) holding(d civil.Day) (int, error) {
	i, found := slices.BinarySearch(l.days, d)
	if !found {
		i--
	}
	if i < 0 || d > l.closing() {
		return 0, l.outside()
	}
	return i, nil
}

func (l listedYears) first(year int) (civil.Day, error) {
	if year < 0 || year >= len(l.days) {
		return 0, l.outside()
	}
	return l.days[year], nil
}

func (l listedYears) label(year int) int {
	return (l.days[year] + 182).Year()
}

func (l listedYears) index(label int) int {
	for i := range len(l.days) - 1 {
		if l.label(i) == label {
			return i
		}
	}
	return -1
}
