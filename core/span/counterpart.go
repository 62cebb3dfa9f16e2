package span

import (
	"fmt"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// An Against says what a span is compared with (semantics §7): the same span moved, the period just
// before it, or another span.
type Against struct {
	Text  string // as it was given, tidied: "1 year earlier", "prior", "@plan-month"
	move  *Move  // its X is not set
	prior bool
	other Node
}

// ParseAgainst reads "prior", a move such as "1 year earlier" or "52 weeks earlier" (a count of 1 may
// be left out), or else an expression. The error, if any, is an *Error.
func ParseAgainst(text string) (Against, error) {
	plain := strings.ToLower(strings.Join(strings.Fields(text), " "))
	if plain == "prior" {
		return Against{Text: "prior", prior: true}, nil
	}
	for _, counted := range []string{plain, "1 " + plain} {
		if n, fault := parse("today, " + counted); fault == nil {
			if m, ok := n.(*Move); ok {
				if _, stacked := m.X.(*Move); !stacked {
					var w writer
					m.writeMove(&w)
					return Against{Text: string(w.b), move: m}, nil
				}
			}
		}
	}
	n, err := Parse(text)
	if err != nil {
		e := *asError(err)
		e.Message += "; against also takes prior, or a move such as 1 year earlier"
		return Against{}, &e
	}
	return Against{Text: n.String(), other: n}, nil
}

// Resolve returns the days of a span's counterpart. Errors are *Error.
func (a Against) Resolve(n Node, s Scope) (civil.Set, error) {
	switch {
	case a.move != nil:
		return Resolve(&Move{n, a.move.N, a.move.Unit}, s)
	case a.other != nil:
		return Resolve(a.other, s)
	}
	return prior(n, s)
}

// Explain returns the days of a span's counterpart, or its moments, with the cautions that they carry. Errors are *Error.
func (a Against) Explain(n Node, s Scope) (Resolution, error) {
	switch {
	case a.move != nil:
		return ResolveEither(&Move{n, a.move.N, a.move.Unit}, s)
	case a.other != nil:
		return ResolveEither(a.other, s)
	case IsTimed(n, s.Names):
		set, err := priorMoments(n, s)
		return Resolution{Moments: &civil.Zoned{Clock: s.Clock, MomentSet: set}}, err
	}
	set, err := prior(n, s)
	return Resolution{Days: set}, err
}

// MoveDay returns the day that stands for a day of a span on the side of its counterpart: moved by its own move, for
// prior by its units or as many days (semantics §7). Another span has none.
func (a Against) MoveDay(n Node, d civil.Day, s Scope) (civil.Day, bool, error) {
	if a.other != nil {
		return 0, false, nil
	}
	m, cal := a.move, s.Calendar
	if a.prior {
		var err error
		if m, cal, err = priorMove(n, s); err != nil || m == nil {
			return 0, false, err
		}
	}
	if cal == nil {
		cal = calendar.Civil
	}
	moved, _, err := cal.Move(d, m.N, m.Unit)
	if err != nil {
		err = asError(err)
	}
	return moved, true, err
}

// priorMove returns the move that leads from a span to the period before; nil where it has no days.
func priorMove(n Node, s Scope) (*Move, *calendar.Calendar, error) {
	core, name, _, err := kernel(n, s)
	if err != nil {
		return nil, nil, err
	}
	cal, err := s.in(name)
	if err != nil {
		return nil, nil, err
	}
	if m := core.before(); m != nil || eventName(core) != "" {
		return m, cal, nil
	}
	if u, count := namedUnits(core); count > 0 {
		return &Move{N: -count, Unit: u}, cal, nil
	}
	if whole, err := Resolve(core, s); err == nil && whole.Len() == 1 {
		if u, count := wholeUnits(whole.At(0), cal); count > 0 {
			return &Move{N: -count, Unit: u}, cal, nil
		}
	}
	set, err := Resolve(n, s)
	if err != nil || set.Empty() || set.Open() {
		return nil, nil, err
	}
	return &Move{N: -set.Bounds().Days(), Unit: calendar.Day}, cal, nil
}

// prior returns the period just before a span, of the same kind (semantics §7), whatever modifiers are on
// it: a form with units of its own that many earlier; one that names units, or is whole units, as many right
// before it; else as many days.
func prior(n Node, s Scope) (civil.Set, error) {
	core, cal, only, err := kernel(n, s)
	if err != nil {
		return civil.Set{}, err
	}
	if m := core.before(); m != nil {
		return priorMoved(n, m, cal, s)
	}
	set, err := Resolve(n, s)
	if err != nil || set.Empty() {
		return civil.Set{}, err
	}
	if name := eventName(core); name != "" {
		if before, ok, err := s.occurrencesBefore(n, name, set); ok || err != nil {
			return before, err
		}
	}
	bounds := set.Bounds()
	if bounds.Open() {
		return civil.Set{}, &Error{Message: fmt.Sprintf("%s is open on one side: there is no period just before it", n)}
	}
	read, err := s.in(cal)
	if err != nil {
		return civil.Set{}, err
	}
	before := civil.Interval{Start: bounds.Start - civil.Day(bounds.Days()), End: bounds.Start}
	unit, count := namedUnits(core)
	if count == 0 {
		if whole, err := Resolve(core, s); err == nil && whole.Len() == 1 {
			if u, number := wholeUnits(whole.At(0), read); number > 0 {
				if core != n {
					return priorMoved(n, &Move{N: -number, Unit: u}, cal, s)
				}
				unit, count = u, number
			}
		}
	}
	if count > 0 {
		if before, err = unitsBefore(bounds.First(), unit, count, read); err != nil {
			return civil.Set{}, asError(err)
		}
	}
	if before.Start < civil.MinDay {
		return civil.Set{}, &Error{Message: fmt.Sprintf("the period before %s begins before 0001-01-01", n)}
	}
	if only != nil && count > 0 {
		s.Calendar = read
		return Resolve(&OnlyDays{&DateRange{before.First(), before.Last()}, only.Part}, s)
	}
	return civil.SetOf(before), nil
}

// priorMoved returns a span as it was by a move, whose units are those of the calendar in which it is read.
func priorMoved(n Node, m *Move, cal string, s Scope) (civil.Set, error) {
	m.X = n
	if cal != "" {
		return Resolve(&InCalendar{m, cal}, s)
	}
	return Resolve(m, s)
}

// kernel looks through modifiers and names: it returns the form below them, the calendar in which it is read
// where one is named, and the kind of days that are kept of it.
func kernel(n Node, s Scope) (core Node, cal string, only *OnlyDays, err error) {
	core = n
	for range maxReferences {
		switch x := core.(type) {
		case *InCalendar:
			if cal == "" {
				cal = x.Calendar
			}
		case *OnlyDays:
			only = x
		case *Name:
			if s.Names == nil {
				return core, cal, only, nil
			}
			target, own, err := s.Names.Span(x.Name)
			if err != nil {
				return nil, "", nil, err
			}
			if own != nil && cal == "" {
				cal = own.Name()
			}
			core = target
			continue
		}
		x := core.modifies()
		if x == nil {
			return core, cal, only, nil
		}
		core = x
	}
	return core, cal, only, nil
}

// in returns the calendar of a name, the scope's own where it is empty.
func (s *Scope) in(name string) (*calendar.Calendar, error) {
	if name != "" && s.Names != nil {
		return s.Names.Calendar(name)
	}
	if s.Calendar == nil {
		return calendar.Civil, nil
	}
	return s.Calendar, nil
}

// namedUnits returns which units a form names inside another, and how many; 0 where it names none.
func namedUnits(n Node) (calendar.Unit, int) {
	switch n := n.(type) {
	case *Nth:
		return n.Unit, 1
	case *FirstLast:
		return n.Unit, n.N
	}
	return 0, 0
}

// wholeUnits returns the longest units of a calendar of which an interval consists, and how many; 0 where it
// consists of none.
func wholeUnits(v civil.Interval, cal *calendar.Calendar) (calendar.Unit, int) {
	if v.Open() {
		return 0, 0
	}
	for _, u := range []calendar.Unit{calendar.Year, calendar.Half, calendar.Quarter, calendar.Month, calendar.Week} {
		first, err1 := cal.Index(u, v.First())
		last, err2 := cal.Index(u, v.Last())
		if err1 != nil || err2 != nil {
			continue
		}
		start, err1 := cal.Start(u, first)
		end, err2 := cal.Start(u, last+1)
		if err1 == nil && err2 == nil && start == v.Start && end == v.End {
			return u, last - first + 1
		}
	}
	return 0, 0
}

// WholeUnits returns the longest unit of a calendar of which an interval consists; 0, the day, where it consists of none.
func WholeUnits(v civil.Interval, cal *calendar.Calendar) calendar.Unit {
	u, _ := wholeUnits(v, cal)
	return u
}

// unitsBefore returns so many units right before the one that holds a day.
func unitsBefore(d civil.Day, u calendar.Unit, count int, cal *calendar.Calendar) (civil.Interval, error) {
	i, err := cal.Index(u, d)
	if err != nil {
		return civil.Interval{}, err
	}
	start, err := cal.Start(u, i-count)
	if err != nil {
		return civil.Interval{}, err
	}
	if u == calendar.BusinessDay {
		last, err := cal.Start(u, i-1)
		return civil.Through(start, last), err
	}
	end, err := cal.Start(u, i)
	return civil.Interval{Start: start, End: end}, err
}

// Name returns what people call the comparison: 1 year earlier, prior period, @plan-month.
func (a Against) Name() string {
	if a.prior {
		return "prior period"
	}
	return a.Text
}

// Node returns the span that is compared with, nil where it is a move or the prior period.
func (a Against) Node() Node { return a.other }

// UnlikeLengths reports whether two periods differ too much in length to be compared: by more than one
// part in ten of the longer (semantics §7).
func UnlikeLengths(a, b int) bool { return max(a-b, b-a)*10 > max(a, b) }
