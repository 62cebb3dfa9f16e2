package span

import (
	"errors"
	"fmt"
	"time"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// A Part is what only keeps of a span's days: those of a kind, or those in a part of time that recurs (semantics §11).
type Part interface {
	write(w *writer)
	// keep returns the days of a closed set that are in the part.
	keep(e *env, x civil.Set) (civil.Set, error)
}

type (
	// BusinessDays are the days on which the calendar works.
	BusinessDays struct{}
	// OnWeekdays are some days of the week.
	OnWeekdays civil.Weekdays
	// InMonths are some civil months, one bit each, January being the lowest.
	InMonths uint16
	// Recurring are some of the units, or of one day of the week, that start inside each longer unit.
	Recurring struct {
		// Pick says which of them.
		Pick Pick
		// From through Through are their numbers, from 1; of the first or the last, Through is how many.
		From, Through int
		Unit          calendar.Unit
		// Weekday is which days are counted, where ByWeekday; Unit is the day then.
		Weekday   civil.Weekday
		ByWeekday bool
		// Each is the longer unit.
		Each calendar.Unit
	}
	// DuringEvent are the days inside an occurrence of an event.
	DuringEvent string
)

// A Pick says which units of a longer one are meant.
type Pick uint8

// The picks: by number, the first ones, the last ones.
const (
	Numbered Pick = iota
	FirstOnes
	LastOnes
)

func (BusinessDays) write(w *writer) { w.text("business days") }

func (p OnWeekdays) write(w *writer) { w.text(civil.Weekdays(p).String()) }

func (p InMonths) write(w *writer) {
	between := ""
	for m := time.January; m <= time.December; m++ {
		if p.has(int(m)) {
			w.text(between + m.String()[:3])
			between = "/"
		}
	}
}

func (p InMonths) with(month int) InMonths { return p | 1<<(month-1) }
func (p InMonths) has(month int) bool      { return p>>(month-1)&1 != 0 }

func (p Recurring) write(w *writer) {
	if p.Pick == Numbered {
		w.text(p.name(1) + " ")
		w.count(p.From)
		if p.Through > p.From {
			w.text("-")
			w.count(p.Through)
		}
	} else {
		w.text(firstOrLast(p.Pick == LastOnes) + " ")
		if p.Through > 1 {
			w.count(p.Through)
			w.text(" ")
		}
		w.text(p.name(p.Through))
	}
	w.text(" of each " + p.Each.String())
}

// name returns what is counted, in the form that goes with a number.
func (p Recurring) name(n int) string {
	if p.ByWeekday {
		return p.Weekday.Short()
	}
	return p.Unit.Counted(n)
}

func (p DuringEvent) write(w *writer) { w.text("event " + string(p)) }

func (BusinessDays) keep(e *env, x civil.Set) (civil.Set, error) {
	e.needHolidays(x.Bounds())
	return x.Keep(e.cal.IsBusinessDay), nil
}

func (p OnWeekdays) keep(_ *env, x civil.Set) (civil.Set, error) {
	return x.Keep(func(d civil.Day) bool { return civil.Weekdays(p).Has(d.Weekday()) }), nil
}

func (p InMonths) keep(_ *env, x civil.Set) (civil.Set, error) {
	return x.Keep(func(d civil.Day) bool {
		_, month, _ := d.Date()
		return p.has(month)
	}), nil
}

func (p DuringEvent) keep(e *env, x civil.Set) (civil.Set, error) {
	list, err := e.event(string(p))
	if err != nil {
		return civil.Set{}, err
	}
	e.needEvent(list, x.Bounds())
	return x.Intersect(list.Days()), nil
}

// keep goes through the longer units that hold a day of X, and the one before the first, whose last unit may go on into it.
func (p Recurring) keep(e *env, x civil.Set) (civil.Set, error) {
	if x.Empty() {
		return x, nil
	}
	bounds := x.Bounds()
	if p.Unit == calendar.BusinessDay {
		e.needHolidays(bounds)
	}
	first, err := e.cal.Index(p.Each, bounds.First())
	if err != nil {
		return civil.Set{}, err
	}
	last, err := e.cal.Index(p.Each, bounds.Last())
	if err != nil {
		return civil.Set{}, err
	}
	var parts []civil.Interval
	for i := first - 1; i <= last; i++ {
		each, err := e.between(p.Each, i, i+1)
		if i < first && err != nil {
			continue // it is before the calendar begins: there is nothing to go on
		}
		if err == nil {
			parts, err = p.of(e, each, parts)
		}
		if err == nil {
			err = e.spend(1)
		}
		if err != nil {
			return civil.Set{}, err
		}
	}
	return x.Intersect(civil.Union(parts...)), nil
}

// of adds the parts of one longer unit.
func (p Recurring) of(e *env, each civil.Interval, parts []civil.Interval) ([]civil.Interval, error) {
	if p.ByWeekday {
		start := each.Start + civil.Day((p.Weekday+7-each.Start.Weekday())%7)
		number := 0
		if start < each.End {
			number = int(each.End-1-start)/7 + 1
		}
		from, through := p.among(number)
		for i := from; i <= through; i++ {
			parts = append(parts, civil.One(start+civil.Day(7*i)))
		}
		return parts, nil
	}
	first, err := e.starts(p.Unit, each)
	if err != nil {
		return parts, err
	}
	end, err := e.cal.Index(p.Unit, each.End-1)
	if err != nil {
		return parts, err
	}
	if p.Unit != calendar.BusinessDay || e.cal.IsBusinessDay(each.End-1) {
		end++ // the index of a day off counts the business days before
	}
	from, through := p.among(end - first)
	if through < from {
		return parts, nil
	}
	if p.Unit != calendar.BusinessDay {
		v, err := e.between(p.Unit, first+from, first+through+1)
		return append(parts, v), err
	}
	for i := from; i <= through; i++ {
		d, err := e.cal.Start(p.Unit, first+i)
		if err != nil {
			return parts, err
		}
		parts = append(parts, civil.One(d))
	}
	return parts, nil
}

// among returns the positions that are picked of so many, from 0; none where the second is below the first.
func (p Recurring) among(number int) (from, through int) {
	switch p.Pick {
	case FirstOnes:
		return 0, min(p.Through, number) - 1
	case LastOnes:
		return max(0, number-p.Through), number - 1
	}
	return p.From - 1, min(p.Through, number) - 1
}

// weekday returns the nth of a day of the week inside X, the last one where n is -1.
func (e *env) weekday(n Node, day civil.Weekday, of Node, number int) (civil.Interval, error) {
	v, err := e.within(n, of)
	if err != nil {
		return v, err
	}
	var d civil.Day
	switch {
	case number > 0 && v.Start == civil.OpenStart:
		return v, errors.New("it has no first day")
	case number < 0 && v.End == civil.OpenEnd:
		return v, errors.New("it has no last day")
	case number > 0:
		d = v.Start + civil.Day((day+7-v.Start.Weekday())%7) + civil.Day(7*(number-1))
	default:
		d = v.Last() - civil.Day((v.Last().Weekday()+7-day)%7)
	}
	if d < v.Start || d >= v.End {
		return v, fmt.Errorf("not that many %ss are in %s", day, v)
	}
	return civil.One(d), nil
}
