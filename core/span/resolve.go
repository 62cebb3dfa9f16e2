package span

import (
	"errors"
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// A Scope is what an expression is read against.
type Scope struct {
	// AsOf is the day the analyst stands on.
	AsOf civil.Day
	// AtClose says that the as-of day itself is over.
	AtClose bool
	// Calendar groups the days; nil is the civil calendar.
	Calendar *calendar.Calendar
	// Names finds named spans and calendars; nil knows none but the civil calendar.
	Names Source
}

// A Source finds what expressions name. Both answers are errors that say what is missing and, where
// there is one, the nearest name.
type Source interface {
	// Span gives a named span's expression and its own calendar, nil where it has none.
	Span(name string) (Node, *calendar.Calendar, error)
	// Calendar gives a calendar by its name.
	Calendar(name string) (*calendar.Calendar, error)
}

// maxReferences bounds how many named spans one resolution follows.
const maxReferences = 10_000

// Resolve gives the days that an expression denotes (semantics §4). "None" is an answer, not an
// error. Errors are *Error: a result outside 0001–9999 or outside a listed calendar, a unit that is
// not there, a circle of names.
func Resolve(n Node, s Scope) (civil.Set, error) {
	e := env{asOf: s.AsOf, atClose: s.AtClose, cal: s.Calendar, names: s.Names}
	if e.cal == nil {
		e.cal = calendar.Civil
	}
	return e.resolve(n)
}

func (e *env) resolve(n Node) (civil.Set, error) {
	if !e.asOf.Valid() {
		return civil.Set{}, &Error{Message: "the as-of day lies outside 0001-01-01 to 9999-12-31"}
	}
	set, err := e.eval(n)
	if err != nil {
		return civil.Set{}, asError(err)
	}
	if h := set.Hull(); h.Start < civil.MinDay && h.Start != civil.Since || h.End > civil.EndOfDays && h.End != civil.Onward {
		return civil.Set{}, &Error{Message: fmt.Sprintf("%s, as of %s, lies %v", n, e.asOf, calendar.ErrRange)}
	}
	return set, nil
}

func asError(err error) error {
	var e *Error
	if errors.As(err, &e) {
		return e
	}
	return &Error{Message: err.Error()}
}

// env is the state of one resolution: the as-of day as it is read at this place, the calendar, and
// the moves that stand outside, the outermost first, for the dates that do not follow the as-of day.
type env struct {
	asOf       civil.Day
	atClose    bool
	cal        *calendar.Calendar
	names      Source
	moves      moves
	open       []string // the names being followed
	references int
	trace      *trace // nil unless cautions are asked for
}

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

// eval gives the days of any form.
func (e *env) eval(n Node) (civil.Set, error) {
	switch n := n.(type) {
	case *Name:
		return e.follow(n)
	case *Chain:
		return e.chain(n)
	case *ExcludingToday:
		return e.excludingToday(n)
	case *SoFar:
		return e.soFar(n)
	case *Move:
		return e.move(n)
	case *Only:
		return e.only(n)
	case *In:
		return e.in(n)
	}
	v, err := e.interval(n)
	if err != nil {
		return civil.Set{}, e.placed(n, err)
	}
	return civil.SetOf(v), nil
}

// placed gives an error the form and the as-of day that it belongs to.
func (e *env) placed(n Node, err error) error {
	if refused, ok := err.(*Error); ok {
		return refused
	}
	return &Error{Message: fmt.Sprintf("%s, as of %s: %v", n, e.asOf, err)}
}

// interval gives the days of a form that is one interval, or none.
func (e *env) interval(n Node) (civil.Interval, error) {
	switch n := n.(type) {
	case *Relative:
		return e.validDay(e.asOf + civil.Day(n.Offset))
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
	case *Outer:
		return e.outer(n)
	case *DateRange:
		return e.moveFixed(civil.Through(n.First, n.Last), nil)
	case *UnitLiteral:
		return e.literal(n)
	case *PointDay:
		d, err := e.point(&n.Point)
		return civil.One(d), err
	case *Stretch:
		return e.stretch(n)
	case *Onward:
		d, err := e.point(&n.From)
		return civil.Interval{Start: d, End: civil.Onward}, err
	case *UpTo:
		d, err := e.point(&n.Through)
		return civil.Interval{Start: civil.Since, End: d + 1}, err
	case *AllDates:
		return civil.AllDays, nil
	}
	panic(fmt.Sprintf("span: a node of type %T", n))
}

func (e *env) validDay(d civil.Day) (civil.Interval, error) {
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
	return e.cal.Holding(u, e.asOf)
}

func (e *env) toDate(n *ToDate) (civil.Interval, error) {
	i, err := e.cal.Index(n.Unit, e.asOf)
	if err != nil {
		return civil.Interval{}, err
	}
	start, err := e.cal.Start(n.Unit, i-n.N+1)
	return civil.Interval{Start: start, End: e.asOf + 1}, err
}

// between gives the interval from the start of one unit to the start of another.
func (e *env) between(u calendar.Unit, from, to int) (civil.Interval, error) {
	start, err := e.cal.Start(u, from)
	if err != nil {
		return civil.Interval{}, err
	}
	end, err := e.cal.Start(u, to)
	return civil.Interval{Start: start, End: end}, err
}

func (e *env) lastFull(n *LastFull) (civil.Interval, error) {
	if n.Unit == calendar.BusinessDay {
		over := e.asOf
		if e.atClose {
			over++
		}
		i, err := e.cal.Index(calendar.BusinessDay, over)
		if err != nil {
			return civil.Interval{}, err
		}
		return e.businessDays(i-n.N, i-1)
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

// businessDays gives the interval from one business day through another, by their indexes.
func (e *env) businessDays(from, through int) (civil.Interval, error) {
	first, err := e.cal.Start(calendar.BusinessDay, from)
	if err != nil {
		return civil.Interval{}, err
	}
	last, err := e.cal.Start(calendar.BusinessDay, through)
	v := civil.Through(first, last)
	e.needHolidays(v)
	return v, err
}

func (e *env) nextFull(n *NextFull) (civil.Interval, error) {
	if n.Unit == calendar.BusinessDay {
		i, err := e.cal.Index(calendar.BusinessDay, e.asOf+1)
		if err != nil {
			return civil.Interval{}, err
		}
		return e.businessDays(i, i+n.N-1)
	}
	i, err := e.cal.Index(n.Unit, e.asOf)
	if err != nil {
		return civil.Interval{}, err
	}
	return e.between(n.Unit, i+1, i+1+n.N)
}

func (e *env) restOf(n *RestOf) (civil.Interval, error) {
	v, err := e.cal.Holding(n.Unit, e.asOf)
	return civil.Interval{Start: e.asOf + 1, End: v.End}, err
}

func (e *env) trailing(n *Trailing) (civil.Interval, error) {
	end := e.asOf + 1
	if n.ExcludingToday {
		end = e.asOf
	}
	if n.Unit == calendar.BusinessDay {
		i, err := e.cal.Index(calendar.BusinessDay, end)
		if err != nil {
			return civil.Interval{}, err
		}
		start, err := e.cal.Start(calendar.BusinessDay, i-n.N)
		v := civil.Interval{Start: start, End: end}
		e.needHolidays(v)
		return v, err
	}
	start, err := e.shift(end, -n.N, n.Unit)
	return civil.Interval{Start: start, End: end}, err
}

func (e *env) coming(n *Coming) (civil.Interval, error) {
	start := e.asOf + 1
	if n.IncludingToday {
		start = e.asOf
	}
	if n.Unit == calendar.BusinessDay {
		i, err := e.cal.Index(calendar.BusinessDay, start)
		if err != nil {
			return civil.Interval{}, err
		}
		last, err := e.cal.Start(calendar.BusinessDay, i+n.N-1)
		v := civil.Through(start, last)
		e.needHolidays(v)
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
	return civil.Interval{}, &Error{Message: fmt.Sprintf("%s: %s is %d stretches as of %s, not one", n, x, set.Len(), e.asOf)}
}

// starts gives the index of the first unit that starts inside an interval; for a business day it is
// the first one in it.
func (e *env) starts(u calendar.Unit, v civil.Interval) (int, error) {
	if v.Start == civil.Since {
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

// run gives the interval from one unit through another, which must both start inside v.
func (e *env) run(u calendar.Unit, v civil.Interval, from, through int) (civil.Interval, error) {
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
		return e.businessDays(from, through)
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
	return e.run(n.Unit, v, i+n.N-1, i+n.N-1)
}

func (e *env) outer(n *Outer) (civil.Interval, error) {
	v, err := e.within(n, n.Of)
	if err != nil {
		return v, err
	}
	if !n.Last {
		i, err := e.starts(n.Unit, v)
		if err != nil {
			return v, err
		}
		return e.run(n.Unit, v, i, i+n.N-1)
	}
	if v.End == civil.Onward {
		return v, errors.New("it has no last day")
	}
	i, err := e.cal.Index(n.Unit, v.Last())
	if err != nil {
		return v, err
	}
	if n.Unit == calendar.BusinessDay && !e.cal.IsBusinessDay(v.Last()) {
		i-- // the index counts the business days before
	}
	return e.run(n.Unit, v, i-n.N+1, i)
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

// moveFixed applies the moves that stand outside to days that do not follow the as-of day, from the
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
			if v, err = cal.Holding(lit.Unit, first); err != nil {
				return v, err
			}
			continue
		}
		if lit != nil {
			e.noteShortMove(lit, lit.Unit, m)
		}
		lit = nil
		var err error
		if v, err = e.moveStretch(v, m); err != nil {
			return v, err
		}
	}
	return v, nil
}

// moveStretch moves an interval: whole civil months stay whole where the move is months or longer
// in a month-based calendar, anything else goes by its first and its last day.
func (e *env) moveStretch(v civil.Interval, m move) (civil.Interval, error) {
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

// point gives the day that a point denotes.
func (e *env) point(p *Point) (civil.Day, error) {
	d, err := e.base(p)
	if err != nil {
		return 0, err
	}
	for _, s := range p.Steps {
		if d, err = e.shift(d, s.N, s.Unit); err != nil {
			return 0, fmt.Errorf("%s, as of %s: %w", p, e.asOf, err)
		}
	}
	if !d.Valid() {
		return 0, fmt.Errorf("%s, as of %s: %w", p, e.asOf, calendar.ErrRange)
	}
	return d, nil
}

func (e *env) base(p *Point) (civil.Day, error) {
	switch p.Base {
	case TodayPoint:
		return e.asOf, nil
	case YesterdayPoint:
		return e.asOf - 1, nil
	case TomorrowPoint:
		return e.asOf + 1, nil
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
	h := set.Hull()
	switch {
	case set.Empty():
		return 0, &Error{Message: fmt.Sprintf("%s: %s has no days as of %s", p, p.Of, e.asOf)}
	case p.Base == StartOf && h.Start == civil.Since:
		return 0, &Error{Message: fmt.Sprintf("%s: it has no first day", p)}
	case p.Base == EndOf && h.End == civil.Onward:
		return 0, &Error{Message: fmt.Sprintf("%s: it has no last day", p)}
	case p.Base == StartOf:
		return h.First(), nil
	}
	return h.Last(), nil
}

func (e *env) stretch(n *Stretch) (civil.Interval, error) {
	from, err := e.point(&n.From)
	if err != nil {
		return civil.Interval{}, err
	}
	through, err := e.point(&n.Through)
	if err != nil {
		return civil.Interval{}, err
	}
	if through < from-1 {
		return civil.Interval{}, &Error{Message: fmt.Sprintf("%s, as of %s: it starts on %s and ends earlier, on %s", n, e.asOf, from, through)}
	}
	return civil.Through(from, through), nil
}

// follow resolves another named span, in its own calendar if it has one.
func (e *env) follow(n *Name) (civil.Set, error) {
	target, cal, err := e.enter(n)
	if err != nil {
		return civil.Set{}, err
	}
	before := e.cal
	if cal != nil {
		e.cal = cal
	}
	set, err := e.eval(target)
	e.cal = before
	e.leave()
	return set, err
}

// enter looks a name up and refuses a circle; leave must follow when it gives no error.
func (e *env) enter(n *Name) (Node, *calendar.Calendar, error) {
	if e.names == nil {
		return nil, nil, &Error{Message: fmt.Sprintf("@%s: no named spans are known here", n.Name)}
	}
	for i, name := range e.open {
		if name == n.Name {
			return nil, nil, &Error{Message: circle(append(e.open[i:], n.Name))}
		}
	}
	if e.references++; e.references > maxReferences {
		return nil, nil, &Error{Message: fmt.Sprintf("@%s: more than %d named spans stand behind this one", n.Name, maxReferences)}
	}
	target, cal, err := e.names.Span(n.Name)
	if err != nil {
		return nil, nil, err
	}
	e.open = append(e.open, n.Name)
	return target, cal, nil
}

func (e *env) leave() { e.open = e.open[:len(e.open)-1] }

func circle(names []string) string {
	s := "the spans refer to one another in a circle: "
	for i, name := range names {
		if i > 0 {
			s += " → "
		}
		s += "@" + name
	}
	return s
}

func (e *env) chain(n *Chain) (civil.Set, error) {
	set, err := e.eval(n.Terms[0])
	for _, t := range n.Terms[1:] {
		if err != nil {
			return civil.Set{}, err
		}
		var other civil.Set
		if other, err = e.eval(t); err == nil {
			set = n.Op.apply(set, other)
		}
	}
	return set, err
}

func (o Op) apply(a, b civil.Set) civil.Set {
	switch o {
	case Or:
		return a.Union(b)
	case And:
		return a.Intersect(b)
	}
	return a.Except(b)
}

func (e *env) excludingToday(n *ExcludingToday) (civil.Set, error) {
	x, err := e.eval(n.X)
	if err != nil {
		return x, err
	}
	set := x.Except(civil.SetOf(civil.One(e.asOf)))
	e.noteIdle("excluding today", n, x, set)
	return set, nil
}

func (e *env) soFar(n *SoFar) (civil.Set, error) {
	x, err := e.eval(n.X)
	if err != nil {
		return x, err
	}
	set := x.Intersect(civil.SetOf(civil.Interval{Start: civil.Since, End: e.asOf + 1}))
	if x.Hull().End != e.asOf+1 {
		e.noteIdle("so far", n, x, set)
	}
	return set, nil
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

func (e *env) only(n *Only) (civil.Set, error) {
	x, err := e.eval(n.X)
	if err != nil {
		return x, err
	}
	if x.Open() {
		return civil.Set{}, &Error{Message: fmt.Sprintf("%s: %s is open on one side; only needs both ends", n, n.X)}
	}
	var set civil.Set
	if n.BusinessDays {
		e.needHolidays(x.Hull())
		set = x.Keep(e.cal.IsBusinessDay)
	} else {
		set = x.Keep(func(d civil.Day) bool { return n.Weekdays.Has(d.Weekday()) })
	}
	if x.Days() >= 7 {
		var w writer
		n.writeOnly(&w)
		e.noteIdle(string(w.b), n, x, set)
	}
	return set, nil
}

func (e *env) in(n *In) (civil.Set, error) {
	cal, err := e.calendarNamed(n.Calendar)
	if err != nil {
		return civil.Set{}, err
	}
	before := e.cal
	e.cal = cal
	set, err := e.eval(n.X)
	e.cal = before
	return set, err
}

func (e *env) calendarNamed(name string) (*calendar.Calendar, error) {
	if e.names != nil {
		return e.names.Calendar(name)
	}
	if name == calendar.Civil.Name() {
		return calendar.Civil, nil
	}
	return nil, &Error{Message: fmt.Sprintf("no calendar is named %s here", name)}
}
