package span

import (
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// priorMoments returns the period just before a span of moments (semantics §7): hours and minutes right before it, as many
// as it names; else it is moved back by as many days as it takes, so that a night gives the night before.
func priorMoments(n Node, s Scope) (civil.MomentSet, error) {
	m, cal, err := priorMomentsMove(n, s)
	if err != nil || m == nil {
		return civil.MomentSet{}, err
	}
	if u := m.X.unit(); u.OfClock() && m.Unit == u && !movesItself(m.X) {
		return piecesBefore(n, u, -m.N, s)
	}
	m.X = n
	if cal != "" {
		return ResolveMoments(&InCalendar{m, cal}, s)
	}
	return ResolveMoments(m, s)
}

// movesItself reports whether a form of hours follows the as-of moment, so that a move takes it along.
func movesItself(n Node) bool {
	switch n.(type) {
	case *Nth, *FirstLast:
		return false
	}
	return true
}

// piecesBefore returns so many hours or minutes right before a span.
func piecesBefore(n Node, u calendar.Unit, count int, s Scope) (civil.MomentSet, error) {
	set, err := ResolveMoments(n, s)
	if err != nil || set.Empty() {
		return civil.MomentSet{}, err
	}
	start := set.Bounds().Start
	v := civil.Moments{Start: s.Clock.Pieces(start, u.Length(), -count), End: start}
	if !s.Clock.Valid(v) {
		return civil.MomentSet{}, &Error{Message: fmt.Sprintf("the period before %s begins before 0001-01-01", n)}
	}
	return civil.MomentsOf(v), nil
}

// priorMomentsMove returns the move that leads from a span of moments to the period before, with its core as what it moves,
// and the calendar that is named; nil where the span has no moments.
func priorMomentsMove(n Node, s Scope) (*Move, string, error) {
	core, name, _, err := kernel(n, s)
	if err != nil {
		return nil, "", err
	}
	if m := core.before(); m != nil {
		m.X = core
		return m, name, nil
	}
	if u, count := namedUnits(core); u.OfClock() && count > 0 {
		return &Move{X: core, N: -count, Unit: u}, name, nil
	}
	set, err := ResolveMoments(n, s)
	if err != nil || set.Empty() {
		return nil, "", err
	}
	if set.Open() {
		return nil, "", &Error{Message: fmt.Sprintf("%s is open on one side: there is no period just before it", n)}
	}
	days := s.Clock.Cover(set.Bounds()).Days()
	if days > 1 { // it may need fewer: a night touches two days, and the night before is one earlier
		end, _ := s.Clock.Shift(set.Bounds().End, civil.Day(1-days))
		if end <= set.Bounds().Start {
			days--
		}
	}
	return &Move{X: core, N: -days, Unit: calendar.Day}, "", nil
}

// MoveMoment returns the moment that stands for a moment of a span on the side of its counterpart, as MoveDay does for
// days.
func (a Against) MoveMoment(n Node, at civil.Moment, s Scope) (civil.Moment, bool, error) {
	if a.other != nil {
		return 0, false, nil
	}
	m, cal := a.move, s.Calendar
	if a.prior {
		var name string
		var err error
		if m, name, err = priorMomentsMove(n, s); err != nil || m == nil {
			return 0, false, err
		}
		if cal, err = s.in(name); err != nil {
			return 0, false, err
		}
	}
	if m.Unit.OfClock() {
		return at + civil.Moment(m.N)*m.Unit.Length(), true, nil
	}
	if cal == nil {
		cal = calendar.Civil
	}
	d := s.Clock.DayOf(at)
	moved, _, err := cal.Move(d, m.N, m.Unit)
	if err != nil {
		return 0, false, asError(err)
	}
	to, _ := s.Clock.Shift(at, moved-d)
	return to, true, nil
}
