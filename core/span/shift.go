package span

import (
	"errors"
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// A move is N units of the calendar in which it is written.
type move struct {
	n    int
	unit calendar.Unit
	cal  *calendar.Calendar
}

// moves is a stack whose first few are within it, so that the common ones cost no allocation.
type moves struct {
	near  [3]move
	far   []move
	count int
}

func (s *moves) push(m move) {
	if s.count < len(s.near) {
		s.near[s.count] = m
	} else {
		s.far = append(s.far, m)
	}
	s.count++
}

func (s *moves) pop() {
	if s.count--; s.count >= len(s.near) {
		s.far = s.far[:s.count-len(s.near)]
	}
}

func (s *moves) at(i int) move {
	if i < len(s.near) {
		return s.near[i]
	}
	return s.far[i-len(s.near)]
}

func (e *env) literal(n *UnitLiteral) (civil.Interval, error) {
	if n.Civil && !e.cal.MonthBased() {
		return civil.Interval{}, fmt.Errorf("calendar %s has periods, not civil months; write %04d-P%02d", e.cal.Name(), n.Year, n.Number)
	}
	v, err := e.literalUnmoved(n)
	if err != nil {
		return v, err
	}
	return e.moveFixed(v, n)
}

func (e *env) literalUnmoved(n *UnitLiteral) (civil.Interval, error) {
	if n.Civil {
		return calendar.Civil.Literal(calendar.Month, n.Year, n.Number)
	}
	return e.cal.Literal(n.Unit, n.Year, n.Number)
}

// moveFixed applies the outer moves to days that do not follow the as-of day, from the
// outside in (semantics §4). lit is the literal that v is, nil where it is dates.
func (e *env) moveFixed(v civil.Interval, lit *UnitLiteral) (civil.Interval, error) {
	for i := range e.moves.count {
		m := e.moves.at(i)
		if lit != nil && m.unit >= lit.Unit {
			first, err := e.shiftIn(m.cal, v.Start, m.n, m.unit)
			if err != nil {
				return v, err
			}
			cal := e.cal
			if lit.Civil {
				cal = calendar.Civil
			}
			if v, err = cal.Containing(lit.Unit, first); err != nil {
				return v, err
			}
			continue
		}
		if lit != nil {
			e.noteShortMove(lit, lit.Unit, m)
		}
		lit = nil
		var err error
		if v, err = e.moveInterval(v, m); err != nil {
			return v, err
		}
	}
	return v, nil
}

// moveInterval moves an interval: whole civil months stay whole where the move is months or longer
// in a month-based calendar, anything else goes by its first and its last day.
func (e *env) moveInterval(v civil.Interval, m move) (civil.Interval, error) {
	_, _, day := v.Start.Date()
	if m.unit >= calendar.Month && m.cal.MonthBased() && day == 1 && v.Last().IsMonthEnd() {
		first, _, err := m.cal.Move(v.Start, m.n, m.unit)
		if err != nil {
			return v, err
		}
		end, _, err := m.cal.Move(v.End, m.n, m.unit)
		return civil.Interval{Start: first, End: end}, err
	}
	first, err := e.shiftIn(m.cal, v.First(), m.n, m.unit)
	if err != nil {
		return v, err
	}
	last, err := e.shiftIn(m.cal, v.Last(), m.n, m.unit)
	if err == nil {
		e.noteMonthEnd(v.Last(), m, last)
	}
	if err == nil && last < first {
		err = errors.New("moved, its last day comes before its first")
	}
	return civil.Through(first, last), err
}

// move returns the days to the left moved where it is by days or weeks, else reads them again (semantics §4).
func (e *env) move(n *Move) (civil.Set, error) {
	if n.Unit.OfClock() {
		return civil.Set{}, timedError(n)
	}
	if n.Unit == calendar.Day || n.Unit == calendar.Week {
		return e.moveDays(n)
	}
	back, err := e.push(n)
	if err != nil {
		return civil.Set{}, err
	}
	set, err := e.eval(n.X)
	e.pop(back)
	return set, err
}

// moveDays moves the days themselves, so that weekdays line up.
func (e *env) moveDays(n *Move) (civil.Set, error) {
	set, err := e.eval(n.X)
	if err != nil {
		return set, err
	}
	e.noteShortMoveOf(n.X, move{n.N, n.Unit, e.cal})
	days := n.N
	if n.Unit == calendar.Week {
		days *= 7
	}
	moved := set.Shift(civil.Day(days))
	if h := moved.Bounds(); h.Start < civil.MinDay && h.Start != civil.OpenStart || h.End > civil.EndOfDays && h.End != civil.OpenEnd {
		return set, &Error{Message: fmt.Sprintf("%s, as of %s: %v", n, e.asOf, calendar.ErrRange)}
	}
	return moved, nil
}

// reading is what a move changes of where things are read from.
type reading struct {
	asOf, base civil.Day
	since      int
	now        civil.Moment
}

// push reads what follows as though the as-of day were N units away; pop undoes it. By months and longer,
// days counted from today are found first and then moved; by business days they are counted anew.
func (e *env) push(n *Move) (back reading, err error) {
	moved, err := e.shift(e.asOf, n.N, n.Unit)
	if err == nil && !moved.Valid() {
		err = calendar.ErrRange
	}
	if err != nil {
		return back, &Error{Message: fmt.Sprintf("%s, as of %s: %v", n, e.asOf, err)}
	}
	m := move{n.N, n.Unit, e.cal}
	e.noteShortMoveOf(n.X, m)
	e.noteFixedDays(n.X, m)
	back = reading{e.asOf, e.base, e.since, e.now}
	if e.hasNow { // it keeps its time
		e.now, _ = e.clock.Shift(e.now, moved-e.asOf)
	}
	e.asOf = moved
	e.moves.push(m)
	if n.Unit == calendar.BusinessDay {
		e.base, e.since = moved, e.moves.count
	}
	return back, nil
}

func (e *env) pop(back reading) {
	e.asOf, e.base, e.since, e.now = back.asOf, back.base, back.since, back.now
	e.moves.pop()
}

// day returns the day so many days after the as-of day, found first and then moved.
func (e *env) day(offset int) (civil.Day, error) { return e.moved(e.base + civil.Day(offset)) }

// moved moves a day that was counted from the as-of day before its moves.
func (e *env) moved(d civil.Day) (civil.Day, error) {
	var err error
	for i := e.since; i < e.moves.count && err == nil; i++ {
		m := e.moves.at(i)
		before := d
		if d, err = e.shiftIn(m.cal, d, m.n, m.unit); err == nil {
			e.noteMonthEnd(before, m, d)
		}
	}
	return d, err
}

// after returns the first day after the as-of day, found first and then moved; it stays after the moved
// as-of day.
func (e *env) after() (civil.Day, error) {
	d, err := e.day(1)
	return max(d, e.asOf+1), err
}
