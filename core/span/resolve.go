package span

import (
	"errors"
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/event"
)

// A Scope is what an expression is read against.
type Scope struct {
	// AsOf is the day that spans are read from.
	AsOf civil.Day
	// AtClose says that the as-of day itself is over.
	AtClose bool
	// Calendar groups the days; nil is the civil calendar.
	Calendar *calendar.Calendar
	// Names finds named spans and calendars; nil knows none but the civil calendar.
	Names Source
	// Clock maps moments to days (semantics §9); the zero value is UTC.
	Clock civil.Clock
	// Now is the as-of moment, which is on the as-of day, where HasNow; forms of hours and minutes need one.
	Now    civil.Moment
	HasNow bool
	// Meter, where it is set, bounds what several resolutions go through.
	Meter *Meter
}

// A Source finds what expressions name. Its errors say what is missing and, where
// there is one, the nearest name.
type Source interface {
	// Span returns a named span's expression and its own calendar, nil where it has none.
	Span(name string) (Node, *calendar.Calendar, error)
	// Calendar returns a calendar by its name.
	Calendar(name string) (*calendar.Calendar, error)
	// Event returns an event list by its name.
	Event(name string) (*event.List, error)
}

// maxReferences bounds how many named spans one resolution follows.
const maxReferences = 10_000

// Resolve returns the days that an expression denotes (semantics §4). "None" is an answer, not an
// error. Errors are *Error: a result outside 0001–9999 or outside a listed calendar, a unit that is
// not there, a circle of names.
//
// A span of moments is refused, with an *Error that is Timed.
func Resolve(n Node, s Scope) (civil.Set, error) {
	e := s.env()
	days, err := e.resolve(n)
	return days, offering(n, err)
}

// env returns the state in which a resolution begins.
func (s *Scope) env() env {
	e := env{
		asOf: s.AsOf, base: s.AsOf, atClose: s.AtClose, cal: s.Calendar, names: s.Names, meter: s.Meter,
		clock: s.Clock, now: s.Now, hasNow: s.HasNow,
	}
	if e.cal == nil {
		e.cal = calendar.Civil
	}
	return e
}

func (e *env) resolve(n Node) (civil.Set, error) {
	if !e.asOf.Valid() {
		return civil.Set{}, &Error{Message: "the as-of day is outside 0001-01-01 to 9999-12-31"}
	}
	set, err := e.eval(n)
	if err != nil {
		return civil.Set{}, asError(err)
	}
	if h := set.Bounds(); h.Start < civil.MinDay && h.Start != civil.OpenStart || h.End > civil.EndOfDays && h.End != civil.OpenEnd {
		return civil.Set{}, &Error{Message: fmt.Sprintf("%s, as of %s, is %v", n, e.asOf, calendar.ErrRange)}
	}
	return set, nil
}

func asError(err error) *Error {
	var e *Error
	if errors.As(err, &e) {
		return e
	}
	return &Error{Message: err.Error()}
}

// env is the state of one resolution: the as-of day as it is read at this place, the calendar, and
// the outer moves that read again, the outermost first.
type env struct {
	asOf civil.Day // base, moved
	// base is the day that days are counted from before they are moved, by the moves from since on.
	base       civil.Day
	since      int
	atClose    bool
	cal        *calendar.Calendar
	names      Source
	moves      moves
	open       []string // the names being followed
	references int
	work       int
	meter      *Meter
	trace      *trace // nil unless cautions are asked for

	clock      civil.Clock
	now        civil.Moment // moved with the as-of day
	hasNow     bool
	timedNames map[string]bool // of named spans that were looked at
}

// eval returns the days of any form. An error knows the form that it belongs to: the innermost one of the expression itself.
func (e *env) eval(n Node) (civil.Set, error) {
	set, err := e.days(n)
	if err != nil {
		err = e.at(n, err)
	}
	return set, err
}

// at notes the form that an error belongs to, unless one inside it is noted, or it is inside a named span.
func (e *env) at(n Node, err error) error {
	refused, ok := err.(*Error)
	if !ok || refused.at != nil || len(e.open) > 0 {
		return err
	}
	with := *refused
	with.at = n
	return &with
}

func (e *env) days(n Node) (civil.Set, error) {
	if isInterval(n) {
		v, err := e.interval(n)
		if err != nil {
			return civil.Set{}, e.placed(n, err)
		}
		return civil.SetOf(v), nil
	}
	set, err := e.compound(n)
	if err == nil {
		err = e.spend(set.Len())
	}
	return set, err
}

// spend counts days and intervals that are gone through.
func (e *env) spend(n int) error {
	e.meter.Spend(n)
	if e.work += n; e.work > maxWork {
		return &Error{
			Message: fmt.Sprintf(
				"more than %d days and periods are gone through to find this out: take fewer parts, or a shorter time",
				maxWork,
			),
		}
	}
	return nil
}

// isInterval reports whether a form is one interval, or none, by itself.
func isInterval(n Node) bool {
	switch n.(type) {
	case *Name, *SetOp, *ExcludingToday, *SoFar, *Move, *OnlyDays, *OnlyTimes, *InCalendar, *Event, *EventOf:
		return false
	}
	return true
}

// compound returns the days of a form that is made of others.
func (e *env) compound(n Node) (civil.Set, error) {
	switch n := n.(type) {
	case *Name:
		return e.follow(n)
	case *SetOp:
		return e.chain(n)
	case *ExcludingToday:
		return e.excludingToday(n)
	case *SoFar:
		return e.soFar(n)
	case *Move:
		return e.move(n)
	case *OnlyDays:
		return e.only(n)
	case *OnlyTimes:
		return civil.Set{}, timedError(n)
	case *InCalendar:
		return e.in(n)
	case *Event:
		list, err := e.event(n.Name)
		if err != nil {
			return civil.Set{}, err
		}
		return list.Days(), nil
	case *EventOf:
		return e.eventOf(n)
	}
	panic(fmt.Sprintf("span: a node of type %T", n))
}

// placed adds the form and the as-of day that an error belongs to.
func (e *env) placed(n Node, err error) error {
	if refused, ok := err.(*Error); ok {
		return refused
	}
	return &Error{Message: fmt.Sprintf("%s, as of %s: %v", n, e.asOf, err)}
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
		return nil, nil, &Error{Message: fmt.Sprintf("@%s: more than %d named spans refer to one another", n.Name, maxReferences)}
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

func (e *env) chain(n *SetOp) (civil.Set, error) {
	set, err := e.eval(n.Terms[0])
	for _, t := range n.Terms[1:] {
		if err != nil {
			return civil.Set{}, err
		}
		var other civil.Set
		if other, err = e.eval(t); err == nil {
			err = e.spend(set.Len() + other.Len())
			e.noteEventTerm(n.Op, t, set)
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
	yesterday, err := e.day(-1)
	if err != nil {
		return x, err
	}
	set := x.Except(civil.SetOf(civil.Through(yesterday+1, e.asOf)))
	e.noteIdle("excluding today", n, x, set)
	return set, nil
}

func (e *env) soFar(n *SoFar) (civil.Set, error) {
	x, err := e.eval(n.X)
	if err != nil {
		return x, err
	}
	set := x.Intersect(civil.SetOf(civil.Interval{Start: civil.OpenStart, End: e.asOf + 1}))
	if x.Bounds().End != e.asOf+1 {
		e.noteIdle("so far", n, x, set)
	}
	return set, nil
}

func (e *env) only(n *OnlyDays) (civil.Set, error) {
	if _, ok := n.Part.(BusinessDays); ok && e.trace != nil {
		before := e.trace.onlyBusiness
		e.trace.onlyBusiness = true
		defer func() { e.trace.onlyBusiness = before }()
	}
	x, err := e.eval(n.X)
	if err != nil {
		return x, err
	}
	if x.Open() {
		return civil.Set{}, &Error{Message: fmt.Sprintf("%s: %s is open on one side; only needs both ends", n, n.X)}
	}
	if err := e.spend(x.Days()); err != nil {
		return civil.Set{}, err
	}
	set, err := n.Part.keep(e, x)
	if err != nil {
		return civil.Set{}, e.placed(n, err)
	}
	if x.Days() >= 7 {
		e.noteIdle(n.words(), n, x, set)
	}
	return set, nil
}

func (e *env) in(n *InCalendar) (civil.Set, error) {
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
