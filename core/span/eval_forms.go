package span

import (
	"errors"
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// interval returns the days of a form that is one interval, or none.
func (e *env) interval(n Node) (civil.Interval, error) {
	if n.unit().OfClock() {
		return civil.Interval{}, timedError(n)
	}
	switch n := n.(type) {
	case *Relative:
		return e.relative(n.Offset)
	case *This:
		return e.this(n.Unit)
	case *ToDate:
		return e.toDate(n)
	case *LastFull:
		return e.lastFull(n)
	case *NextFull:
		return e.nextFull(n)
	case *RestOf:
		return e.restOf(n)
	case *Trailing:
		return e.trailing(n)
	case *Coming:
		return e.coming(n)
	case *Nth:
		return e.nth(n)
	case *FirstLast:
		return e.outer(n)
	case *NthWeekday:
		return e.weekday(n, n.Weekday, n.Of, n.N)
	case *FirstLastWeekday:
		if n.Last {
			return e.weekday(n, n.Weekday, n.Of, -1)
		}
		return e.weekday(n, n.Weekday, n.Of, 1)
	case *NearEvent:
		return e.nearEvent(n)
	case *DateRange:
		return e.moveFixed(civil.Through(n.First, n.Last), nil)
	case *MomentRange:
		return civil.Interval{}, timedError(n)
	case *UnitLiteral:
		return e.literal(n)
	case *PointDay:
		d, err := e.point(&n.Point)
		return civil.One(d), err
	case *FromThrough:
		return e.period(n)
	case *FromOnward:
		d, err := e.point(&n.From)
		return civil.Interval{Start: d, End: civil.OpenEnd}, err
	case *Through:
		d, err := e.point(&n.Through)
		if n.Until {
			d--
		}
		return civil.Interval{Start: civil.OpenStart, End: d + 1}, err
	case *AllDates:
		return civil.AllDays, nil
	}
	panic(fmt.Sprintf("span: a node of type %T", n))
}

func (e *env) relative(offset int) (civil.Interval, error) {
	d, err := e.day(offset)
	if err != nil {
		return civil.Interval{}, err
	}
	if !d.Valid() {
		return civil.Interval{}, calendar.ErrRange
	}
	return civil.One(d), nil
}

func (e *env) this(u calendar.Unit) (civil.Interval, error) {
	if u == calendar.BusinessDay {
		e.needHolidays(civil.One(e.asOf))
		if e.cal.IsBusinessDay(e.asOf) {
			return civil.One(e.asOf), nil
		}
		return civil.Interval{}, nil
	}
	return e.cal.Containing(u, e.asOf)
}

func (e *env) toDate(n *ToDate) (civil.Interval, error) {
	i, err := e.cal.Index(n.Unit, e.asOf)
	if err != nil {
		return civil.Interval{}, err
	}
	start, err := e.cal.Start(n.Unit, i-n.N+1)
	if err == nil && e.trace != nil {
		_, err = e.day(0) // it ends on the as-of day, moved: what that does to the day is reported
	}
	return civil.Interval{Start: start, End: e.asOf + 1}, err
}

// between returns the interval from the start of one unit to the start of another.
func (e *env) between(u calendar.Unit, from, to int) (civil.Interval, error) {
	start, err := e.cal.Start(u, from)
	if err != nil {
		return civil.Interval{}, err
	}
	end, err := e.cal.Start(u, to)
	return civil.Interval{Start: start, End: end}, err
}

func (e *env) lastFull(n *LastFull) (civil.Interval, error) {
	if n.Unit == calendar.Day {
		newest := -1
		if e.atClose {
			newest = 0
		}
		last, err := e.day(newest)
		return civil.Interval{Start: last + 1 - civil.Day(n.N), End: last + 1}, err
	}
	if n.Unit == calendar.BusinessDay {
		over := e.asOf
		if e.atClose {
			over++
		}
		i, err := e.cal.Index(calendar.BusinessDay, over)
		if err != nil {
			return civil.Interval{}, err
		}
		return e.businessDays(n, i-n.N, i-1)
	}
	i, err := e.cal.Index(n.Unit, e.asOf)
	if err != nil {
		return civil.Interval{}, err
	}
	if e.atClose {
		if end, err := e.cal.Start(n.Unit, i+1); err != nil {
			return civil.Interval{}, err
		} else if end == e.asOf+1 {
			i++
		}
	}
	return e.between(n.Unit, i-n.N, i)
}

// businessDays returns the interval from one business day through another, by their indexes.
func (e *env) businessDays(n Node, from, through int) (civil.Interval, error) {
	first, err := e.cal.Start(calendar.BusinessDay, from)
	if err != nil {
		return civil.Interval{}, err
	}
	last, err := e.cal.Start(calendar.BusinessDay, through)
	v := civil.Through(first, last)
	e.needHolidays(v)
	e.noteOtherDays(n, v)
	return v, err
}

func (e *env) nextFull(n *NextFull) (civil.Interval, error) {
	if n.Unit == calendar.Day {
		start, err := e.after()
		return civil.Interval{Start: start, End: start + civil.Day(n.N)}, err
	}
	if n.Unit == calendar.BusinessDay {
		i, err := e.cal.Index(calendar.BusinessDay, e.asOf+1)
		if err != nil {
			return civil.Interval{}, err
		}
		return e.businessDays(n, i, i+n.N-1)
	}
	i, err := e.cal.Index(n.Unit, e.asOf)
	if err != nil {
		return civil.Interval{}, err
	}
	return e.between(n.Unit, i+1, i+1+n.N)
}

func (e *env) restOf(n *RestOf) (civil.Interval, error) {
	v, err := e.cal.Containing(n.Unit, e.asOf)
	if err != nil {
		return v, err
	}
	start, err := e.after()
	return civil.Interval{Start: start, End: max(start, v.End)}, err
}

func (e *env) trailing(n *Trailing) (civil.Interval, error) {
	newest := 0
	if n.ExcludingToday {
		newest = -1
	}
	last, err := e.day(newest)
	if err != nil {
		return civil.Interval{}, err
	}
	end := last + 1
	if n.Unit == calendar.BusinessDay {
		i, err := e.cal.Index(calendar.BusinessDay, end)
		if err != nil {
			return civil.Interval{}, err
		}
		start, err := e.cal.Start(calendar.BusinessDay, i-n.N)
		v := civil.Interval{Start: start, End: end}
		e.needHolidays(v)
		e.noteOtherDays(n, v)
		return v, err
	}
	start, err := e.shift(end, -n.N, n.Unit)
	return civil.Interval{Start: start, End: end}, err
}

func (e *env) coming(n *Coming) (civil.Interval, error) {
	start, err := e.after()
	if n.IncludingToday {
		start, err = e.asOf, nil
	}
	if err != nil {
		return civil.Interval{}, err
	}
	if n.Unit == calendar.BusinessDay {
		i, err := e.cal.Index(calendar.BusinessDay, start)
		if err != nil {
			return civil.Interval{}, err
		}
		last, err := e.cal.Start(calendar.BusinessDay, i+n.N-1)
		v := civil.Through(start, last)
		e.needHolidays(v)
		e.noteOtherDays(n, v)
		return v, err
	}
	end, err := e.shift(start, n.N, n.Unit)
	return civil.Interval{Start: start, End: end}, err
}

// shift moves a day in the calendar at hand.
func (e *env) shift(d civil.Day, n int, u calendar.Unit) (civil.Day, error) {
	return e.shiftIn(e.cal, d, n, u)
}

func (e *env) shiftIn(cal *calendar.Calendar, d civil.Day, n int, u calendar.Unit) (civil.Day, error) {
	moved, clamped, err := cal.Move(d, n, u)
	if clamped {
		e.noteClamped(d, n, u, moved)
	}
	if err == nil && u == calendar.BusinessDay {
		e.needHolidays(civil.Through(min(d, moved), max(d, moved)))
	}
	return moved, err
}

// within resolves the X of "of X", which must be one interval.
func (e *env) within(n, x Node) (civil.Interval, error) {
	set, err := e.eval(x)
	if err != nil {
		return civil.Interval{}, err
	}
	switch set.Len() {
	case 0:
		return civil.Interval{}, &Error{Message: fmt.Sprintf("%s: %s has no days as of %s", n, x, e.asOf)}
	case 1:
		return set.At(0), nil
	}
	return civil.Interval{}, &Error{Message: fmt.Sprintf("%s: %s is %d periods as of %s, not one", n, x, set.Len(), e.asOf)}
}

// starts returns the index of the first unit that starts inside an interval; for a business day it is
// the first one in it.
func (e *env) starts(u calendar.Unit, v civil.Interval) (int, error) {
	if v.Start == civil.OpenStart {
		return 0, errors.New("it has no first day")
	}
	i, err := e.cal.Index(u, v.Start)
	if err != nil || u == calendar.BusinessDay {
		return i, err
	}
	start, err := e.cal.Start(u, i)
	if start < v.Start || errors.Is(err, calendar.ErrRange) {
		return i + 1, nil
	}
	return i, err
}

// run returns the interval from one unit through another, which must both start inside v.
func (e *env) run(n Node, u calendar.Unit, v civil.Interval, from, through int) (civil.Interval, error) {
	first, err := e.cal.Start(u, from)
	if err != nil {
		return civil.Interval{}, err
	}
	last, err := e.cal.Start(u, through)
	if err != nil {
		return civil.Interval{}, err
	}
	if first < v.Start || last >= v.End {
		return civil.Interval{}, fmt.Errorf("not that many %s start there", u.Plural())
	}
	if u == calendar.BusinessDay {
		return e.businessDays(n, from, through)
	}
	return e.between(u, from, through+1)
}

func (e *env) nth(n *Nth) (civil.Interval, error) {
	v, err := e.within(n, n.Of)
	if err != nil {
		return v, err
	}
	i, err := e.starts(n.Unit, v)
	if err != nil {
		return v, err
	}
	return e.run(n, n.Unit, v, i+n.N-1, i+n.N-1)
}

func (e *env) outer(n *FirstLast) (civil.Interval, error) {
	v, err := e.within(n, n.Of)
	if err != nil {
		return v, err
	}
	if !n.Last {
		i, err := e.starts(n.Unit, v)
		if err != nil {
			return v, err
		}
		return e.run(n, n.Unit, v, i, i+n.N-1)
	}
	if v.End == civil.OpenEnd {
		return v, errors.New("it has no last day")
	}
	i, err := e.cal.Index(n.Unit, v.Last())
	if err != nil {
		return v, err
	}
	if n.Unit == calendar.BusinessDay && !e.cal.IsBusinessDay(v.Last()) {
		i-- // the index counts the business days before
	}
	return e.run(n, n.Unit, v, i-n.N+1, i)
}

// point returns the day that a point denotes.
func (e *env) point(p *Point) (civil.Day, error) {
	if p.IsMoment() {
		return 0, timedError(p)
	}
	d, err := e.start(p)
	if err != nil {
		return 0, err
	}
	for _, s := range p.Steps[p.counted():] {
		if d, err = e.shift(d, s.N, s.Unit); err != nil {
			return 0, fmt.Errorf("%s, as of %s: %w", p, e.asOf, err)
		}
	}
	if !d.Valid() {
		return 0, fmt.Errorf("%s, as of %s: %w", p, e.asOf, calendar.ErrRange)
	}
	return d, nil
}

// counted returns how many of a point's steps count days from today.
func (p *Point) counted() int {
	if p.Base > TomorrowPoint || p.Timed { // a time is between the day and the steps
		return 0
	}
	n := 0
	for n < len(p.Steps) && (p.Steps[n].Unit == calendar.Day || p.Steps[n].Unit == calendar.Week) {
		n++
	}
	return n
}

func (e *env) start(p *Point) (civil.Day, error) {
	switch p.Base {
	case TodayPoint, YesterdayPoint, TomorrowPoint:
		offset := map[Base]int{TodayPoint: 0, YesterdayPoint: -1, TomorrowPoint: 1}[p.Base]
		for _, s := range p.Steps[:p.counted()] {
			if s.Unit == calendar.Week {
				s.N *= 7
			}
			offset += s.N
		}
		return e.day(offset)
	case FixedDay:
		d := p.Day
		for i := range e.moves.count {
			m := e.moves.at(i)
			var err error
			if d, err = e.shiftIn(m.cal, d, m.n, m.unit); err != nil {
				return 0, fmt.Errorf("%s: %w", p.Day, err)
			}
		}
		return d, nil
	}
	set, err := e.eval(p.Of)
	if err != nil {
		return 0, err
	}
	h := set.Bounds()
	switch {
	case set.Empty():
		return 0, &Error{Message: fmt.Sprintf("%s: %s has no days as of %s", p, p.Of, e.asOf)}
	case p.Base == StartOf && h.Start == civil.OpenStart:
		return 0, &Error{Message: fmt.Sprintf("%s: it has no first day", p)}
	case p.Base == EndOf && h.End == civil.OpenEnd:
		return 0, &Error{Message: fmt.Sprintf("%s: it has no last day", p)}
	case p.Base == StartOf:
		return h.First(), nil
	}
	return h.Last(), nil
}

func (e *env) period(n *FromThrough) (civil.Interval, error) {
	from, err := e.point(&n.From)
	if err != nil {
		return civil.Interval{}, err
	}
	through, err := e.point(&n.Through)
	if err != nil {
		return civil.Interval{}, err
	}
	if n.Until {
		through--
	}
	if through < from-1 {
		return civil.Interval{}, &Error{
			Message: fmt.Sprintf("%s, as of %s: it starts on %s and ends earlier, on %s", n, e.asOf, from, through),
		}
	}
	return civil.Through(from, through), nil
}
