package calendar

import "vastspan/core/civil"

// monthsLayout is the month-based layout: a year is 12 months that begin on one day of the month.
// The index of a year is the civil year in which it starts.
type monthsLayout struct {
	firstMonth int // 1 to 12
	firstDay   int // 1 to 28
	byEnd      bool
}

func (l monthsLayout) perYear() int { return 12 }

func (l monthsLayout) covers(d civil.Day) error { return edgeInRange(d) }

func (l monthsLayout) month(d civil.Day) (int, error) {
	y, m, day := d.Date()
	i := y*12 + m - l.firstMonth
	if day < l.firstDay {
		i--
	}
	return i, nil
}

func (l monthsLayout) start(month int) (civil.Day, error) {
	if month < -12 || month > 10001*12 {
		return 0, ErrRange
	}
	d := civil.Of(0, month+l.firstMonth, l.firstDay)
	return d, edgeInRange(d)
}

func (l monthsLayout) endsLater() bool { return l.byEnd && (l.firstMonth > 1 || l.firstDay > 1) }

func (l monthsLayout) yearLabel(index int) int {
	if l.endsLater() {
		return index + 1
	}
	return index
}

func (l monthsLayout) yearIndex(label int) int {
	if l.endsLater() {
		return label - 1
	}
	return label
}

// civilMonths is how many civil months a unit from Month up has.
func civilMonths(u Unit) int {
	switch u {
	case Quarter:
		return 3
	case Half:
		return 6
	case Year:
		return 12
	}
	return 1
}

func (l monthsLayout) move(d civil.Day, n int, u Unit) (civil.Day, bool, error) {
	moved, clamped := d.AddMonths(n * civilMonths(u))
	return moved, clamped, edgeInRange(moved)
}
