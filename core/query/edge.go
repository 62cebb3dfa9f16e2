package query

import (
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/tally"
)

// periodOf returns what a span denotes.
func periodOf(r span.Resolution) tally.Period { return tally.Period{Days: r.Days, Moments: r.Moments} }

// An edge is where periods are made to end: days after one day, moments at a moment of the clock.
type edge struct {
	day    civil.Day
	moment civil.Moment
}

// asOf returns where the analyst stands.
func (p *plan) asOf() civil.AsOf {
	return civil.AsOf{Clock: p.Scope.Clock, Day: p.Scope.AsOf, Moment: p.Scope.Now, Timed: p.Scope.HasNow}
}

// now is the edge of what is known: after the as-of day, at the as-of moment.
func (p *plan) now() edge {
	return edge{p.Scope.AsOf, tally.Now(p.Scope.Clock, p.asOf())}
}

// last is the edge at which sides are made to end: the as-of day or moment, or the end of the newest record's day,
// whichever comes first.
func (p *plan) last() edge {
	last := p.now()
	for i, in := range p.inputs {
		if in.covered == nil || in.covered.Records == 0 {
			continue
		}
		if newest := p.reach(i).Last(); newest < last.day {
			last = edge{newest, p.Scope.Clock.StartOf(newest + 1)}
		}
	}
	return last
}

// cuts reports whether a period reaches past the edge.
func (e edge) cuts(p tally.Period) bool {
	if p.Timed() {
		return p.Moments.Bounds().End > e.moment
	}
	return p.Days.Bounds().End > e.day+1
}

// cut returns the part of a period before the edge.
func (e edge) cut(p tally.Period) tally.Period {
	if p.Timed() {
		return p.Of(civil.Moments{Start: civil.BeginningOfTime, End: e.moment})
	}
	return p.Through(e.day)
}

// after returns the part of a period behind the edge.
func (e edge) after(p tally.Period) tally.Period {
	if p.Timed() {
		return p.Of(civil.Moments{Start: e.moment, End: civil.EndOfTime})
	}
	return p.Within(civil.Interval{Start: e.day + 1, End: civil.OpenEnd})
}

// within reports whether the edge cuts a unit in two.
func (e edge) within(u *tally.Unit) bool {
	if !u.Piece.Empty() {
		return u.Piece.Start < e.moment && e.moment < u.Piece.End
	}
	if u.Period.Timed() {
		whole := u.Period.Moments.Run(u.Whole)
		return whole.Start < e.moment && e.moment < whole.End
	}
	return u.Whole.Contains(e.day) && u.Whole.End > e.day+1
}

// unitBefore returns the edge in the unit before one.
func (e edge) unitBefore(u *tally.Unit, cal *calendar.Calendar, each calendar.Unit) (edge, error) {
	if each.OfClock() {
		return edge{e.day, e.moment - each.Length()}, nil
	}
	day := e.day
	if u.Period.Timed() {
		day = u.Period.Moments.DayOf(e.moment - 1)
	}
	moved, _, err := cal.Move(day, -1, each)
	if err != nil || !u.Period.Timed() {
		return edge{day: moved}, err
	}
	at, _ := u.Period.Moments.Shift(e.moment, moved-day)
	return edge{moved, at}, nil
}

// moveEdge returns the edge on the side of a counterpart; false where there is none that stands for it.
func (p *plan) moveEdge(a span.Against, n span.Node, e edge, timed bool) (edge, bool, error) {
	if timed {
		at, aligns, err := a.MoveMoment(n, e.moment, p.Scope)
		return edge{moment: at}, aligns, err
	}
	day, aligns, err := a.MoveDay(n, e.day, p.Scope)
	return edge{day: day}, aligns, err
}
