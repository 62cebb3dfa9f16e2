package query

import (
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/span"
	"vastspan/core/tally"
)

// periodOf returns what a span denotes.
func periodOf(r span.Resolution) tally.Period { return tally.Period{Days: r.Days, Moments: r.Moments} }

// An edge is where periods are made to end: days after one day, moments at a moment of the clock. An edge that is
// within its day ends days at its moment, too.
type edge struct {
	clock  civil.Clock
	day    civil.Day
	moment civil.Moment
	within bool
}

// endOf returns the edge at the end of a day.
func endOf(c civil.Clock, d civil.Day) edge { return edge{clock: c, day: d, moment: c.StartOf(d + 1)} }

// at returns the edge at a moment of a day.
func at(c civil.Clock, d civil.Day, m civil.Moment) edge {
	return edge{clock: c, day: d, moment: m, within: m < c.StartOf(d+1)}
}

// asOf returns the as-of day or moment.
func (p *plan) asOf() civil.AsOf {
	return civil.AsOf{Clock: p.Scope.Clock, Day: p.Scope.AsOf, Moment: p.Scope.Now, Timed: p.Scope.HasNow}
}

// now is the edge of what is known: after the as-of day, at the as-of moment.
func (p *plan) now() edge {
	e := endOf(p.Scope.Clock, p.Scope.AsOf)
	e.moment = tally.Now(p.Scope.Clock, p.asOf())
	return e
}

// known is the edge of what an input's records are known to: the as-of moment cuts days as well where the records have
// times and any of them comes later (semantics §7).
func (p *plan) known(input int) edge {
	e := p.now()
	if in := p.inputs[input]; p.Scope.HasNow && in.timed() {
		e.within = in.covered == nil || in.covered.Last >= e.moment
	}
	return e
}

// timed reports whether the records of an input have times.
func (in *input) timed() bool {
	at, err := in.Schema.DateColumn(in.request.Date)
	return err == nil && in.Schema.Columns[at].Type == dataset.Timestamp
}

// last is the edge at which sides are made to end: the as-of day or moment, or the newest record's, whichever comes first.
func (p *plan) last() edge {
	last := p.now()
	last.within = p.Scope.HasNow && !p.Scope.AtClose && p.inputs[0].timed()
	for i, in := range p.inputs {
		if in.covered == nil || in.covered.Records == 0 {
			continue
		}
		newest := p.newest(i)
		if newest.moment < last.moment || newest.day < last.day {
			last = newest
		}
	}
	return last
}

// newest is the edge after the newest record of an input, as far as records are known: where they have times, the moment
// after it.
func (p *plan) newest(input int) edge {
	in, day := p.inputs[input], p.reach(input).Last()
	if in.timed() && in.covered.Last > civil.BeginningOfTime && !p.Scope.AtClose {
		if moment := civil.SecondAfter(in.covered.Last); in.request.Clock.DayOf(in.covered.Last) == day {
			return at(in.request.Clock, day, moment)
		}
	}
	return endOf(p.Scope.Clock, day)
}

// cuts reports whether a period reaches past the edge.
func (e edge) cuts(p tally.Period) bool {
	switch {
	case p.Timed():
		return p.Moments.Bounds().End > e.moment
	case e.within:
		return p.Days.Bounds().End > e.day
	}
	return p.Days.Bounds().End > e.day+1
}

// cut returns the part of a period before the edge.
func (e edge) cut(p tally.Period) tally.Period {
	switch {
	case !p.Timed() && (!e.within || !p.Days.Contains(e.day)):
		return p.Through(e.day)
	case !p.Timed():
		p = p.By(e.clock)
	}
	return p.Of(civil.Moments{Start: civil.BeginningOfTime, End: e.moment})
}

// after returns the part of a period behind the edge.
func (e edge) after(p tally.Period) tally.Period {
	switch {
	case !p.Timed() && !e.within:
		return p.Within(civil.Interval{Start: e.day + 1, End: civil.OpenEnd})
	case !p.Timed():
		p = p.By(e.clock)
	}
	return p.Of(civil.Moments{Start: e.moment, End: civil.EndOfTime})
}

// inside reports whether the edge cuts a unit in two.
func (e edge) inside(u *tally.Unit) bool {
	if !u.Piece.Empty() {
		return u.Piece.Start < e.moment && e.moment < u.Piece.End
	}
	if u.Period.Timed() {
		whole := u.Period.Moments.Run(u.Whole)
		return whole.Start < e.moment && e.moment < whole.End
	}
	return u.Whole.Contains(e.day) && (e.within || u.Whole.End > e.day+1)
}

// moved returns the edge on another day, at the same time of day.
func (e edge) moved(day civil.Day) edge {
	if !e.within {
		return endOf(e.clock, day)
	}
	moment, _ := e.clock.Shift(e.moment, day-e.day)
	return at(e.clock, day, moment)
}

// unitBefore returns the edge in the unit before one.
func (e edge) unitBefore(u *tally.Unit, cal *calendar.Calendar, each calendar.Unit) (edge, error) {
	if each.OfClock() {
		return edge{clock: e.clock, day: e.day, moment: e.moment - each.Length()}, nil
	}
	day := e.day
	if u.Period.Timed() {
		day = u.Period.Moments.DayOf(e.moment - 1)
	}
	moved, _, err := cal.Move(day, -1, each)
	if err != nil || !u.Period.Timed() {
		return e.moved(moved), err
	}
	moment, _ := u.Period.Moments.Shift(e.moment, moved-day)
	return edge{clock: e.clock, day: moved, moment: moment}, nil
}

// moveEdge returns the edge on the side of a counterpart; false where there is none that stands for it.
func (p *plan) moveEdge(a span.Against, n span.Node, e edge, timed bool) (edge, bool, error) {
	if timed {
		at, aligns, err := a.MoveMoment(n, e.moment, p.Scope)
		return edge{clock: e.clock, moment: at}, aligns, err
	}
	day, aligns, err := a.MoveDay(n, e.day, p.Scope)
	return e.moved(day), aligns, err
}
