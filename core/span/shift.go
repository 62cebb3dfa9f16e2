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

// moves is a stack whose first few lie within it, so that the common ones cost no allocation.
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
	if err == nil && last < first {
		err = errors.New("moved, its last day comes before its first")
	}
	return civil.Through(first, last), err
}

func (e *env) move(n *Move) (civil.Set, error) {
	back, err := e.push(n)
	if err != nil {
		return civil.Set{}, err
	}
	set, err := e.eval(n.X)
	e.pop(back)
	return set, err
}

// push reads what follows as though the as-of day were N units away; pop undoes it.
func (e *env) push(n *Move) (asOf civil.Day, err error) {
	moved, err := e.shift(e.asOf, n.N, n.Unit)
	if err == nil && !moved.Valid() {
		err = calendar.ErrRange
	}
	if err != nil {
		return 0, &Error{Message: fmt.Sprintf("%s, as of %s: %v", n, e.asOf, err)}
	}
	m := move{n.N, n.Unit, e.cal}
	e.noteShortMoveOf(n.X, m)
	asOf = e.asOf
	e.asOf = moved
	e.moves.push(m)
	return asOf, nil
}

func (e *env) pop(asOf civil.Day) {
	e.asOf = asOf
	e.moves.pop()
}
