package span

import (
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// IsTimed reports whether an expression denotes moments: it names an hour, a minute, a time or now, itself or through the
// spans that it names (semantics §9). Every other denotes days.
func IsTimed(n Node, names Source) bool {
	e := env{names: names}
	return e.timed(n)
}

// ResolveMoments returns the moments that an expression denotes, of days by the clock of the scope. Errors are *Error: as
// those of Resolve, and a form of hours or minutes where there is no as-of moment.
func ResolveMoments(n Node, s Scope) (civil.MomentSet, error) {
	e := s.env()
	moments, err := e.resolveMoments(n)
	return moments, offering(n, err)
}

func (e *env) resolveMoments(n Node) (civil.MomentSet, error) {
	if !e.asOf.Valid() {
		return civil.MomentSet{}, &Error{Message: "the as-of day is outside 0001-01-01 to 9999-12-31"}
	}
	set, err := e.moments(n)
	if err != nil {
		return civil.MomentSet{}, asError(err)
	}
	if !e.clock.Valid(set.Bounds()) {
		return civil.MomentSet{}, &Error{Message: fmt.Sprintf("%s, as of %s, is %v", n, e.asOf, calendar.ErrRange)}
	}
	return set, nil
}

// timed reports whether an expression has times in it.
func (e *env) timed(n Node) bool {
	found := false
	Walk(n, func(n Node) bool {
		found = found || n.unit().OfClock()
		switch n := n.(type) {
		case *MomentRange, *OnlyTimes:
			found = true
		case *PointDay:
			found = found || n.Point.IsMoment()
		case *FromThrough:
			found = found || n.From.IsMoment() || n.Through.IsMoment()
		case *FromOnward:
			found = found || n.From.IsMoment()
		case *Through:
			found = found || n.Through.IsMoment()
		case *Name:
			found = found || e.timedName(n)
		}
		return !found
	})
	return found
}

func (e *env) timedName(n *Name) bool {
	if timed, known := e.timedNames[n.Name]; known || e.names == nil {
		return timed
	}
	if e.timedNames == nil {
		e.timedNames = map[string]bool{}
	}
	e.timedNames[n.Name] = false // a circle ends here, and is refused when it is followed
	if target, _, err := e.names.Span(n.Name); err == nil {
		e.timedNames[n.Name] = e.timed(target)
	}
	return e.timedNames[n.Name]
}

// moments returns the moments of any form: days are those of the clock.
func (e *env) moments(n Node) (civil.MomentSet, error) {
	if !e.timed(n) {
		days, err := e.eval(n)
		if err != nil {
			return civil.MomentSet{}, err
		}
		return e.clock.Moments(days), nil
	}
	var set civil.MomentSet
	var err error
	switch n := n.(type) {
	case *Name:
		set, err = e.followMoments(n)
	case *SetOp:
		set, err = e.chainMoments(n)
	case *ExcludingToday, *SoFar:
		set, err = e.cutMoments(n)
	case *OnlyDays:
		set, err = e.onlyDaysMoments(n)
	case *OnlyTimes:
		set, err = e.onlyTimes(n)
	case *InCalendar:
		set, err = e.inMoments(n)
	case *Move:
		set, err = e.moveMoments(n)
	default:
		var run civil.Moments
		if run, err = e.oneRun(n); err == nil {
			set = civil.MomentsOf(run)
		}
		if err != nil {
			err = e.placed(n, err)
		}
	}
	if err == nil {
		err = e.spend(set.Len())
	}
	if err != nil {
		err = e.at(n, err)
	}
	return set, err
}

// instant returns the as-of moment.
func (e *env) instant(n fmt.Stringer) (civil.Moment, error) {
	if !e.hasNow {
		return 0, &Error{Message: fmt.Sprintf("%s needs a time as of which it is read: expected one such as %sT14:30", n, e.asOf)}
	}
	return e.now, nil
}

// oneRun returns the moments of a form that is one run of them.
func (e *env) oneRun(n Node) (civil.Moments, error) {
	switch n := n.(type) {
	case *Nth:
		return e.piecesOf(n, n.Of, n.Unit, n.N-1, 1, false)
	case *FirstLast:
		return e.piecesOf(n, n.Of, n.Unit, 0, n.N, n.Last)
	case *NthWeekday, *FirstLastWeekday, *EventOf:
		return civil.Moments{}, timedError(n)
	case *MomentRange:
		from, err := e.fixed(n.From)
		if err != nil {
			return civil.Moments{}, err
		}
		until, err := e.fixed(n.Until)
		return e.until(n, from, until, err)
	case *FromThrough:
		from, err := e.momentOf(&n.From)
		if err != nil {
			return civil.Moments{}, err
		}
		until, err := e.momentOf(&n.Through)
		return e.until(n, from, until, err)
	case *FromOnward:
		from, err := e.momentOf(&n.From)
		return civil.Moments{Start: from, End: civil.EndOfTime}, err
	case *Through:
		until, err := e.momentOf(&n.Through)
		return civil.Moments{Start: civil.BeginningOfTime, End: until}, err
	}
	now, err := e.instant(n)
	if err != nil {
		return civil.Moments{}, err
	}
	length := n.unit().Length()
	this := e.clock.Piece(now, length)
	switch n := n.(type) {
	case *This:
		return this, nil
	case *ToDate:
		return civil.Moments{Start: e.clock.Pieces(this.Start, length, 1-n.N), End: now}, nil
	case *LastFull:
		return civil.Moments{Start: e.clock.Pieces(this.Start, length, -n.N), End: this.Start}, nil
	case *NextFull:
		return civil.Moments{Start: this.End, End: e.clock.Pieces(this.End, length, n.N)}, nil
	case *RestOf:
		return civil.Moments{Start: now, End: this.End}, nil
	case *Trailing:
		return civil.Moments{Start: now - civil.Moment(n.N)*length, End: now}, nil
	case *Coming:
		return civil.Moments{Start: now, End: now + civil.Moment(n.N)*length}, nil
	}
	return civil.Moments{}, timedError(n)
}

// until returns the moments from one until another.
func (e *env) until(n Node, from, until civil.Moment, err error) (civil.Moments, error) {
	if err == nil && until < from {
		err = &Error{Message: fmt.Sprintf("%s, as of %s: it starts at %s and ends earlier, at %s",
			n, e.asOf, e.clock.Format(from), e.clock.Format(until))}
	}
	return civil.Moments{Start: from, End: until}, err
}

// piecesOf returns a number of hours or minutes that start inside X, from one of them on, or the last of them.
func (e *env) piecesOf(n, x Node, u calendar.Unit, from, count int, last bool) (civil.Moments, error) {
	if !u.OfClock() {
		return civil.Moments{}, timedError(n)
	}
	set, err := e.moments(x)
	if err != nil {
		return civil.Moments{}, err
	}
	if set.Len() != 1 {
		return civil.Moments{}, &Error{Message: fmt.Sprintf("%s: %s is %d periods as of %s, not one", n, x, set.Len(), e.asOf)}
	}
	v, length := set.At(0), u.Length()
	var start, end civil.Moment
	if last {
		if v.End == civil.EndOfTime {
			return v, fmt.Errorf("it has no last %s", u)
		}
		end = e.clock.Piece(v.End-1, length).End
		start = e.clock.Pieces(end, length, -count)
	} else {
		if v.Start == civil.BeginningOfTime {
			return v, fmt.Errorf("it has no first %s", u)
		}
		if start = e.clock.Piece(v.Start, length).Start; start < v.Start {
			start = e.clock.Pieces(start, length, 1)
		}
		start = e.clock.Pieces(start, length, from)
		end = e.clock.Pieces(start, length, count)
	}
	if start < v.Start || e.clock.Pieces(end, length, -1) >= v.End {
		return v, fmt.Errorf("not that many %s start there", u.Plural())
	}
	return civil.Moments{Start: start, End: end}, nil
}

// fixed returns the moment of a stated date and time, moved by the outer moves: its day moves, its time stays.
func (e *env) fixed(t WallTime) (civil.Moment, error) {
	d := t.Day
	for i := range e.moves.count {
		m := e.moves.at(i)
		var err error
		if d, err = e.shiftIn(m.cal, d, m.n, m.unit); err != nil {
			return 0, fmt.Errorf("%s: %w", t, err)
		}
	}
	m, shown := e.clock.OfDate(d, t.Time)
	e.noteShown(shown, d, t.Time, m)
	return m, nil
}

// A place is where a point is on its way: on a day at a time, or at a moment.
type place struct {
	day    civil.Day
	time   civil.TimeOfDay
	moment civil.Moment
	exact  bool // at the moment
}

// momentOf returns the moment of a point: a day is its start.
func (e *env) momentOf(p *Point) (civil.Moment, error) {
	var at place
	var err error
	steps := p.Steps
	switch p.Base {
	case NowPoint:
		at.exact = true
		at.moment, err = e.instant(p)
	case FixedMoment:
		at.exact = true
		at.moment, err = e.fixed(WallTime{p.Day, p.Time})
	default:
		at.time = e.clock.DayStarts()
		if p.Timed {
			at.time = p.Time
		}
		at.day, err = e.start(p)
		steps = steps[p.counted():]
	}
	if err != nil {
		return 0, err
	}
	for _, s := range steps {
		if err := e.step(&at, s); err != nil {
			return 0, fmt.Errorf("%s, as of %s: %w", p, e.asOf, err)
		}
	}
	return e.reach(&at), nil
}

// step moves a place: by hours and minutes in elapsed time, by days and longer to the same time of another day.
func (e *env) step(at *place, s Step) error {
	if s.Unit.OfClock() {
		at.moment, at.exact = e.reach(at)+civil.Moment(s.N)*s.Unit.Length(), true
		return nil
	}
	if !at.exact {
		var err error
		at.day, err = e.shift(at.day, s.N, s.Unit)
		return err
	}
	d := e.clock.DayOf(at.moment)
	moved, err := e.shift(d, s.N, s.Unit)
	if err == nil {
		at.moment, _ = e.clock.Shift(at.moment, moved-d)
	}
	return err
}

// reach returns the moment of a place.
func (e *env) reach(at *place) civil.Moment {
	if at.exact {
		return at.moment
	}
	m, shown := e.clock.OfDay(at.day, at.time)
	e.noteShown(shown, at.day, at.time, m)
	return m
}

func (e *env) followMoments(n *Name) (civil.MomentSet, error) {
	target, cal, err := e.enter(n)
	if err != nil {
		return civil.MomentSet{}, err
	}
	defer e.leave()
	defer e.reading(cal)()
	return e.moments(target)
}

func (e *env) inMoments(n *InCalendar) (civil.MomentSet, error) {
	cal, err := e.calendarNamed(n.Calendar)
	if err != nil {
		return civil.MomentSet{}, err
	}
	defer e.reading(cal)()
	return e.moments(n.X)
}

// reading reads what follows in a calendar, where there is one, until what it returns is called.
func (e *env) reading(cal *calendar.Calendar) func() {
	before := e.cal
	if cal != nil {
		e.cal = cal
	}
	return func() { e.cal = before }
}

func (e *env) chainMoments(n *SetOp) (civil.MomentSet, error) {
	set, err := e.moments(n.Terms[0])
	for _, t := range n.Terms[1:] {
		if err != nil {
			return set, err
		}
		var other civil.MomentSet
		if other, err = e.moments(t); err == nil {
			err = e.spend(set.Len() + other.Len())
			switch n.Op {
			case Or:
				set = set.Union(other)
			case And:
				set = set.Intersect(other)
			default:
				set = set.Except(other)
			}
		}
	}
	return set, err
}

// cutMoments takes the as-of day out, or what is after the as-of moment; where there is none, after the as-of day.
func (e *env) cutMoments(n Node) (civil.MomentSet, error) {
	x, err := e.moments(n.modifies())
	if err != nil {
		return x, err
	}
	if _, ok := n.(*SoFar); ok {
		end := e.clock.StartOf(e.asOf + 1)
		if e.hasNow {
			end = e.now
		}
		set := x.Intersect(civil.MomentsOf(civil.Moments{Start: civil.BeginningOfTime, End: end}))
		if x.Bounds().End != end {
			e.noteIdleMoments("so far", n, x, set)
		}
		return set, nil
	}
	yesterday, err := e.day(-1)
	if err != nil {
		return x, err
	}
	set := x.Except(civil.MomentsOf(e.clock.Run(civil.Through(yesterday+1, e.asOf))))
	e.noteIdleMoments("excluding today", n, x, set)
	return set, nil
}

// closed returns the moments of what only modifies, which must have both ends, and the days that hold them.
func (e *env) closed(n Node) (civil.MomentSet, []civil.Interval, error) {
	x, err := e.moments(n.modifies())
	if err != nil {
		return x, nil, err
	}
	if x.Open() {
		return x, nil, &Error{Message: fmt.Sprintf("%s: %s is open on one side; only needs both ends", n, n.modifies())}
	}
	var days []civil.Interval
	for v := range x.Runs() {
		cover := e.clock.Cover(v)
		days = append(days, cover)
		if err := e.spend(cover.Days()); err != nil {
			return x, nil, err
		}
	}
	return x, days, nil
}

func (e *env) onlyDaysMoments(n *OnlyDays) (civil.MomentSet, error) {
	x, days, err := e.closed(n)
	if err != nil {
		return x, err
	}
	kept, err := n.Part.keep(e, civil.Union(days...))
	if err != nil {
		return x, e.placed(n, err)
	}
	return x.Intersect(e.clock.Moments(kept)), nil
}

func (e *env) onlyTimes(n *OnlyTimes) (civil.MomentSet, error) {
	x, _, err := e.closed(n)
	if err != nil {
		return x, err
	}
	if n.From > n.Until && e.trace != nil {
		e.note(TwoPieces, "only %s-%s is two pieces of each day; a night is from yesterday %[1]s until today %[2]s", n.From, n.Until)
	}
	var pieces []civil.Moments
	for v := range x.Runs() {
		for piece := range e.clock.Only(v, n.From, n.Until).Runs() {
			pieces = append(pieces, piece)
		}
	}
	return civil.MomentsOf(pieces...), nil
}

// moveMoments moves by hours and minutes in elapsed time, by days and weeks each edge to the same time of another day; by
// longer units what is to the left is read again.
func (e *env) moveMoments(n *Move) (civil.MomentSet, error) {
	if n.Unit > calendar.Week || n.Unit == calendar.BusinessDay {
		back, err := e.push(n)
		if err != nil {
			return civil.MomentSet{}, err
		}
		defer e.pop(back)
		return e.moments(n.X)
	}
	set, err := e.moments(n.X)
	if err != nil {
		return set, err
	}
	if n.Unit.OfClock() {
		return set.Map(func(m civil.Moment) civil.Moment { return m + civil.Moment(n.N)*n.Unit.Length() }), nil
	}
	days := civil.Day(n.N)
	if n.Unit == calendar.Week {
		days *= 7
	}
	return set.Map(func(m civil.Moment) civil.Moment {
		moved, _ := e.clock.Shift(m, days)
		return moved
	}), nil
}

func (e *env) noteIdleMoments(words string, n Node, before, after civil.MomentSet) {
	if e.trace != nil && !before.Empty() && before.Equal(after) {
		e.note(Idle, "%q takes nothing out of %s, as of %s", words, n.modifies(), e.asOf)
	}
}

// noteShown looks at a time that the clock skips, or shows twice.
func (e *env) noteShown(shown civil.Shown, d civil.Day, t civil.TimeOfDay, m civil.Moment) {
	if e.trace == nil || shown == civil.Once {
		return
	}
	if shown == civil.Skipped {
		e.note(ClockChange, "the clock of %s skips %s: the first moment after it counts, %s", e.clock, WallTime{d, t}, e.clock.Format(m))
		return
	}
	e.note(ClockChange, "the clock of %s shows %s twice: the earlier one counts, %s", e.clock, WallTime{d, t}, e.clock.Format(m))
}
