package span

import (
	"cmp"
	"slices"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// A Node is one form of an expression. String gives the canonical text, which parses to the same
// tree again (semantics §4). Nodes are never changed once they are parsed.
type Node interface {
	String() string
	write(w *writer)
	// unit is the unit that a form counts in, a day for one without.
	unit() calendar.Unit
	// before is the move to the period before, of the same kind (semantics §7); nil for a form without units of its own.
	before() *Move
	// wholeUnits reports whether a form begins or ends with its units, so that a shorter move cuts across them.
	wholeUnits() bool
	// modifies returns what a modifier modifies, nil for a form that is none.
	modifies() Node
}

type (
	// Relative is today (0), yesterday (-1) or tomorrow (1).
	Relative struct{ Offset int }
	// This is the whole unit that holds the as-of day.
	This struct{ Unit calendar.Unit }
	// ToDate runs from the start of this unit, or of the one N-1 before it, through the as-of day.
	ToDate struct {
		N    int
		Unit calendar.Unit
	}
	// LastFull is the newest N units that are over.
	LastFull struct {
		N    int
		Unit calendar.Unit
	}
	// NextFull is the N units after this one.
	NextFull struct {
		N    int
		Unit calendar.Unit
	}
	// RestOf runs from the day after the as-of day through the end of this unit.
	RestOf struct{ Unit calendar.Unit }
	// Trailing is N units long and ends on the as-of day, or on the day before.
	Trailing struct {
		N              int
		Unit           calendar.Unit
		ExcludingToday bool
	}
	// Coming is N units long and starts on the day after the as-of day, or on the day itself.
	Coming struct {
		N              int
		Unit           calendar.Unit
		IncludingToday bool
	}
	// Nth is the Nth unit that starts inside another span.
	Nth struct {
		Unit calendar.Unit
		N    int
		Of   Node
	}
	// FirstLast is the first or last N units that start inside another span.
	FirstLast struct {
		Last bool
		N    int
		Unit calendar.Unit
		Of   Node
	}
	// NthWeekday is the Nth of a day of the week inside another span.
	NthWeekday struct {
		Weekday civil.Weekday
		N       int
		Of      Node
	}
	// FirstLastWeekday is the first or the last of a day of the week inside another span.
	FirstLastWeekday struct {
		Last    bool
		Weekday civil.Weekday
		Of      Node
	}
	// Event is every day of every occurrence of an event.
	Event struct{ Name string }
	// EventOf is the occurrences of an event that start inside another span, whole.
	EventOf struct {
		Name string
		Of   Node
	}
	// NearEvent is one occurrence of an event: the newest that is over (Offset -1), the one that holds the as-of day (0), or
	// the first one that starts after it (1).
	NearEvent struct {
		Name   string
		Offset int
	}
	// DateRange is two dates, both inside.
	DateRange struct{ First, Last civil.Day }
	// MomentRange is two dates with times, the second outside.
	MomentRange struct{ From, Until WallTime }
	// UnitLiteral is a unit of a stated year; Number is 0 for the year itself. Civil marks 2026-03,
	// the civil month whatever the calendar's periods are.
	UnitLiteral struct {
		Year   int
		Unit   calendar.Unit
		Number int
		Civil  bool
	}
	// PointDay is a point standing alone.
	PointDay struct{ Point Point }
	// FromThrough runs from one point through another, both inside; with Until the second is outside.
	FromThrough struct {
		From, Through Point
		Until         bool
	}
	// FromOnward is open towards the future.
	FromOnward struct{ From Point }
	// Through is open towards the past; with Until its point is outside.
	Through struct {
		Through Point
		Until   bool
	}
	// AllDates is open on both sides.
	AllDates struct{}
	// Name is another named span.
	Name struct{ Name string }
	// SetOp joins two or more terms by one operator, from left to right. The first term is never a
	// chain of the same operator.
	SetOp struct {
		Op    Op
		Terms []Node
	}
	// ExcludingToday takes the as-of day out.
	ExcludingToday struct{ X Node }
	// SoFar keeps what is at or before the as-of day.
	SoFar struct{ X Node }
	// Move reads a span again as though the as-of day were N units earlier (N below 0) or later.
	Move struct {
		X    Node
		N    int
		Unit calendar.Unit
	}
	// OnlyDays keeps the days in a part of time.
	OnlyDays struct {
		X    Node
		Part Part
	}
	// OnlyTimes keeps the moments at which the clock shows a time in [From, Until), which may be across midnight.
	OnlyTimes struct {
		X           Node
		From, Until civil.TimeOfDay
	}
	// InCalendar reads a span in a calendar.
	InCalendar struct {
		X        Node
		Calendar string
	}
)

// A WallTime is a civil date and what the clock shows on it.
type WallTime struct {
	Day  civil.Day
	Time civil.TimeOfDay
}

// String writes the date and the time, as in 2026-10-19T14:30.
func (t WallTime) String() string { return t.Day.String() + "T" + t.Time.String() }

// A Point is a day, or a moment, given by a base and any number of steps.
type Point struct {
	Base Base
	Day  civil.Day // with FixedDay and FixedMoment
	Of   Node      // with StartOf and EndOf
	// Time is the time of the base's day, where Timed; with FixedMoment that of the civil date.
	Time  civil.TimeOfDay
	Timed bool
	Steps []Step
}

// IsMoment reports whether the point is a moment, not a day.
func (p *Point) IsMoment() bool {
	return p.Timed || p.Base >= NowPoint || slices.ContainsFunc(p.Steps, func(s Step) bool { return s.Unit.OfClock() })
}

// A Step moves a point by N units; N is below 0 for minus.
type Step struct {
	N    int
	Unit calendar.Unit
}

// Base says what a point starts from.
type Base uint8

// The bases of points.
const (
	TodayPoint Base = iota
	YesterdayPoint
	TomorrowPoint
	FixedDay
	StartOf
	EndOf
	NowPoint
	FixedMoment
)

// An Op joins the terms of a chain.
type Op uint8

// The operators: union, intersection, difference.
const (
	Or Op = iota
	And
	Except
)

// String returns the operator's word.
func (o Op) String() string { return [...]string{"or", "and", "except"}[o] }

// Walk calls visit for a node and everything below it, the node first; visit answers whether to go
// on below.
func Walk(n Node, visit func(Node) bool) {
	if !visit(n) {
		return
	}
	point := func(p *Point) {
		if p.Of != nil {
			Walk(p.Of, visit)
		}
	}
	switch n := n.(type) {
	case *PointDay:
		point(&n.Point)
	case *FromThrough:
		point(&n.From)
		point(&n.Through)
	case *FromOnward:
		point(&n.From)
	case *Through:
		point(&n.Through)
	case *SetOp:
		for _, t := range n.Terms {
			Walk(t, visit)
		}
	default:
		if x := cmp.Or(n.modifies(), inside(n)); x != nil {
			Walk(x, visit)
		}
	}
}

// inside returns the X of a form that is "of X", nil for any other.
func inside(n Node) Node {
	switch n := n.(type) {
	case *Nth:
		return n.Of
	case *FirstLast:
		return n.Of
	case *NthWeekday:
		return n.Of
	case *FirstLastWeekday:
		return n.Of
	case *EventOf:
		return n.Of
	}
	return nil
}

// Names lists the named spans that an expression refers to, in order of first appearance.
func Names(n Node) []string {
	var names []string
	Walk(n, func(n Node) bool {
		if ref, ok := n.(*Name); ok && !slices.Contains(names, ref.Name) {
			names = append(names, ref.Name)
		}
		return true
	})
	return names
}

// Calendars lists the calendars that an expression names with in, in order of first appearance.
func Calendars(n Node) []string {
	var names []string
	Walk(n, func(n Node) bool {
		if in, ok := n.(*InCalendar); ok && !slices.Contains(names, in.Calendar) {
			names = append(names, in.Calendar)
		}
		return true
	})
	return names
}

// Events lists the events that an expression names, in order of first appearance.
func Events(n Node) []string {
	var names []string
	add := func(name string) {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	Walk(n, func(n Node) bool {
		switch n := n.(type) {
		case *Event:
			add(n.Name)
		case *EventOf:
			add(n.Name)
		case *NearEvent:
			add(n.Name)
		case *OnlyDays:
			if during, ok := n.Part.(DuringEvent); ok {
				add(string(during))
			}
		}
		return true
	})
	return names
}
