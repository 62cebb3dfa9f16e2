package span

import (
	"fmt"
	"strconv"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// writer puts canonical text together.
type writer struct{ b []byte }

func (w *writer) text(s string)    { w.b = append(w.b, s...) }
func (w *writer) count(n int)      { w.b = strconv.AppendInt(w.b, int64(n), 10) }
func (w *writer) day(d civil.Day)  { w.b = d.AppendText(w.b) }
func (w *writer) bracketed(n Node) { w.text("("); n.write(w); w.text(")") }
func (w *writer) either(n Node, bracket bool) {
	if bracket {
		w.bracketed(n)
	} else {
		n.write(w)
	}
}

func text(n Node) string {
	var w writer
	n.write(&w)
	return string(w.b)
}

// optional writes a count that is left out when it is 1, then the unit.
func (w *writer) optional(n int, between string, u calendar.Unit) {
	if n != 1 {
		w.count(n)
		w.text(" ")
	}
	w.text(between)
	w.text(u.Counted(n))
}

// counted writes a count and its unit.
func (w *writer) counted(n int, u calendar.Unit) {
	w.count(n)
	w.text(" ")
	w.text(u.Counted(n))
}

func (n *Relative) write(w *writer) {
	w.text([...]string{"yesterday", "today", "tomorrow"}[n.Offset+1])
}

func (n *This) write(w *writer) { w.text("this "); w.text(n.Unit.String()) }

func (n *ToDate) write(w *writer) { w.optional(n.N, "", n.Unit); w.text(" to date") }

func (n *LastFull) write(w *writer) { w.text("last "); w.optional(n.N, "full ", n.Unit) }

func (n *NextFull) write(w *writer) { w.text("next "); w.optional(n.N, "full ", n.Unit) }

func (n *RestOf) write(w *writer) { w.text("rest of this "); w.text(n.Unit.String()) }

func (n *Trailing) write(w *writer) {
	w.text("trailing ")
	w.counted(n.N, n.Unit)
	if n.ExcludingToday {
		w.text(" excluding today")
	}
}

func (n *Coming) write(w *writer) {
	w.text("coming ")
	w.counted(n.N, n.Unit)
	if n.IncludingToday {
		w.text(" including today")
	}
}

func (n *Nth) write(w *writer) { n.writeAs(w, nothing) }

func (n *Nth) writeAs(w *writer, after following) {
	w.text(n.Unit.String())
	w.text(" ")
	w.count(n.N)
	w.text(" of ")
	w.operand(n.Of, after)
}

func (n *FirstLast) write(w *writer) { n.writeAs(w, nothing) }

func (n *FirstLast) writeAs(w *writer, after following) {
	w.text(firstOrLast(n.Last) + " ")
	w.optional(n.N, "", n.Unit)
	w.text(" of ")
	w.operand(n.Of, after)
}

// following is what a point has after the form that it is of: it belongs to the point, so that a form which would take it
// goes in brackets.
type following uint8

const (
	nothing following = iota
	aTime
	steps
)

// taken reports whether a point at the end of a form would take what follows the form.
func (p *Point) taken(after following) bool {
	return after == steps || after == aTime && p.Base < NowPoint && !p.Timed && len(p.Steps) == 0
}

// operand writes what follows "of": a plain form, else in brackets.
func (w *writer) operand(n Node, after following) {
	switch n := n.(type) {
	case interface{ writeAs(*writer, following) }:
		n.writeAs(w, after)
	case *PointDay:
		if len(n.Point.Steps) > 0 {
			w.bracketed(n)
		} else {
			n.Point.writeAs(w, after)
		}
	case *FromThrough:
		w.either(n, n.Through.taken(after))
	case *Through:
		w.either(n, n.Through.taken(after))
	default:
		w.either(n, isChain(n) || isModified(n))
	}
}

func (n *NthWeekday) write(w *writer) { n.writeAs(w, nothing) }

func (n *NthWeekday) writeAs(w *writer, after following) {
	w.text(n.Weekday.Short() + " ")
	w.count(n.N)
	w.text(" of ")
	w.operand(n.Of, after)
}

func (n *FirstLastWeekday) write(w *writer) { n.writeAs(w, nothing) }

func (n *FirstLastWeekday) writeAs(w *writer, after following) {
	w.text(firstOrLast(n.Last) + " " + n.Weekday.Short() + " of ")
	w.operand(n.Of, after)
}

func firstOrLast(last bool) string {
	if last {
		return "last"
	}
	return "first"
}

func (n *Event) write(w *writer) { w.text("event " + n.Name) }

func (n *EventOf) write(w *writer) { n.writeAs(w, nothing) }

func (n *EventOf) writeAs(w *writer, after following) {
	w.text("event " + n.Name + " of ")
	w.operand(n.Of, after)
}

func (n *NearEvent) write(w *writer) {
	w.text([...]string{"last", "this", "next"}[n.Offset+1] + " event " + n.Name)
}

func (n *DateRange) write(w *writer) { w.day(n.First); w.text("/"); w.day(n.Last) }

func (n *MomentRange) write(w *writer) { w.text(n.From.String() + "/" + n.Until.String()) }

func (n *UnitLiteral) write(w *writer) {
	w.b = fmt.Appendf(w.b, "%04d", n.Year)
	switch {
	case n.Civil:
		w.b = fmt.Appendf(w.b, "-%02d", n.Number)
	case n.Unit == calendar.Half:
		w.b = fmt.Appendf(w.b, "-H%d", n.Number)
	case n.Unit == calendar.Quarter:
		w.b = fmt.Appendf(w.b, "-Q%d", n.Number)
	case n.Unit == calendar.Month:
		w.b = fmt.Appendf(w.b, "-P%02d", n.Number)
	case n.Unit == calendar.Week:
		w.b = fmt.Appendf(w.b, "-W%02d", n.Number)
	}
}

func (n *PointDay) write(w *writer) { n.Point.writeAs(w, nothing) }

func (n *FromThrough) write(w *writer) {
	w.text("from ")
	n.From.writeAs(w, nothing)
	w.text(" " + untilOr("through", n.Until) + " ")
	n.Through.writeAs(w, nothing)
}

func (n *FromOnward) write(w *writer) {
	w.text("from ")
	n.From.writeAs(w, nothing)
	w.text(" onward")
}

func (n *Through) write(w *writer) {
	w.text(untilOr("through", n.Until) + " ")
	n.Through.writeAs(w, nothing)
}

func untilOr(through string, until bool) string {
	if until {
		return "until"
	}
	return through
}

func (n *AllDates) write(w *writer) { w.text("all dates") }

func (n *Name) write(w *writer) { w.text("@"); w.text(n.Name) }

func (p *Point) writeAs(w *writer, after following) {
	switch {
	case p.Timed:
		after = aTime
	case len(p.Steps) > 0:
		after = steps
	}
	switch p.Base {
	case TodayPoint:
		w.text("today")
	case YesterdayPoint:
		w.text("yesterday")
	case TomorrowPoint:
		w.text("tomorrow")
	case FixedDay:
		w.day(p.Day)
	case StartOf:
		w.text("start of ")
		w.operand(p.Of, after)
	case EndOf:
		w.text("end of ")
		w.operand(p.Of, after)
	case NowPoint:
		w.text("now")
	case FixedMoment:
		w.text(WallTime{p.Day, p.Time}.String())
	}
	if p.Timed {
		w.text(" " + p.Time.String())
	}
	for _, s := range p.Steps {
		if s.N < 0 {
			w.text(" - ")
			w.counted(-s.N, s.Unit)
		} else {
			w.text(" + ")
			w.counted(s.N, s.Unit)
		}
	}
}

// String returns the point's canonical text.
func (p *Point) String() string {
	var w writer
	p.writeAs(&w, nothing)
	return string(w.b)
}

func (n *SetOp) write(w *writer) {
	for i, t := range n.Terms {
		if i > 0 {
			w.text(" ")
			w.text(n.Op.String())
			w.text(" ")
		}
		// "excluding today and yesterday" is refused: it reads as though both were left out.
		misread := n.Op == And && i+1 < len(n.Terms) && endsInExcluding(t) && beginsWithRelative(n.Terms[i+1])
		w.either(t, isChain(t) || isLoose(t) || misread)
	}
}

// endsInExcluding reports whether the text of a term ends in "excluding today".
func endsInExcluding(n Node) bool {
	switch n := n.(type) {
	case *ExcludingToday:
		return true
	case *Trailing:
		return n.ExcludingToday
	case *PointDay:
		return n.Point.endsInExcluding()
	case *FromThrough:
		return n.Through.endsInExcluding()
	case *Through:
		return n.Through.endsInExcluding()
	}
	x := inside(n)
	return x != nil && endsInExcluding(x)
}

func (p *Point) endsInExcluding() bool {
	t, ok := p.Of.(*Trailing)
	return len(p.Steps) == 0 && !p.Timed && ok && t.ExcludingToday
}

// beginsWithRelative reports whether the text of a term begins with today, yesterday or tomorrow.
func beginsWithRelative(n Node) bool {
	switch n := n.(type) {
	case *Relative:
		return true
	case *PointDay:
		return n.Point.Base <= TomorrowPoint
	case *ExcludingToday:
		return beginsWithRelative(n.X)
	case *SoFar:
		return beginsWithRelative(n.X)
	}
	return false
}

func (n *ExcludingToday) write(w *writer) {
	w.either(n.X, needsBracket(n.X) || endsInTrailing(n.X))
	w.text(" excluding today")
}

func (n *SoFar) write(w *writer) {
	w.either(n.X, needsBracket(n.X))
	w.text(" so far")
}

func (n *Move) write(w *writer) {
	w.either(n.X, needsBracket(n.X))
	w.text(", ")
	n.writeMove(w)
}

func (n *Move) writeMove(w *writer) {
	if n.N < 0 {
		w.counted(-n.N, n.Unit)
		w.text(" earlier")
	} else {
		w.counted(n.N, n.Unit)
		w.text(" later")
	}
}

func (n *OnlyDays) write(w *writer) {
	w.either(n.X, needsBracket(n.X))
	w.text(", ")
	n.writeOnly(w)
}

func (n *OnlyDays) writeOnly(w *writer) {
	w.text("only ")
	n.Part.write(w)
}

// words returns the modifier by itself.
func (n *OnlyDays) words() string {
	var w writer
	n.writeOnly(&w)
	return string(w.b)
}

func (n *OnlyTimes) write(w *writer) {
	w.either(n.X, needsBracket(n.X))
	w.text(", ")
	n.writeOnly(w)
}

func (n *OnlyTimes) writeOnly(w *writer) { w.text("only " + n.From.String() + "-" + n.Until.String()) }

func (n *InCalendar) write(w *writer) {
	w.either(n.X, needsBracket(n.X))
	w.text(", in ")
	w.text(n.Calendar)
}

func isChain(n Node) bool { _, ok := n.(*SetOp); return ok }

// needsBracket reports whether a modifier cannot follow a node as it is: a chain, or a term that
// "in" has closed.
func needsBracket(n Node) bool {
	_, in := n.(*InCalendar)
	return in || isChain(n)
}

func isModified(n Node) bool { return n.modifies() != nil }

// isLoose reports whether the text of a term bears a move, only or in outside any bracket.
func isLoose(n Node) bool {
	switch n := n.(type) {
	case *Move, *OnlyDays, *OnlyTimes, *InCalendar:
		return true
	case *ExcludingToday:
		return !needsBracket(n.X) && isLoose(n.X)
	case *SoFar:
		return !needsBracket(n.X) && isLoose(n.X)
	}
	return false
}

// endsInTrailing reports whether "excluding today", written after a node, would be taken for the
// phrase that belongs to trailing.
func endsInTrailing(n Node) bool {
	switch n := n.(type) {
	case *Trailing:
		return !n.ExcludingToday && !n.Unit.OfClock()
	case *PointDay:
		return n.Point.endsInTrailing()
	case *FromThrough:
		return n.Through.endsInTrailing()
	case *Through:
		return n.Through.endsInTrailing()
	}
	x := inside(n)
	return x != nil && endsInTrailing(x)
}

func (p *Point) endsInTrailing() bool {
	return len(p.Steps) == 0 && !p.Timed && p.Of != nil && endsInTrailing(p.Of)
}

// The canonical text of each form.

func (n *Relative) String() string         { return text(n) }
func (n *This) String() string             { return text(n) }
func (n *ToDate) String() string           { return text(n) }
func (n *LastFull) String() string         { return text(n) }
func (n *NextFull) String() string         { return text(n) }
func (n *RestOf) String() string           { return text(n) }
func (n *Trailing) String() string         { return text(n) }
func (n *Coming) String() string           { return text(n) }
func (n *Nth) String() string              { return text(n) }
func (n *FirstLast) String() string        { return text(n) }
func (n *NthWeekday) String() string       { return text(n) }
func (n *FirstLastWeekday) String() string { return text(n) }
func (n *Event) String() string            { return text(n) }
func (n *EventOf) String() string          { return text(n) }
func (n *NearEvent) String() string        { return text(n) }
func (n *DateRange) String() string        { return text(n) }
func (n *UnitLiteral) String() string      { return text(n) }
func (n *MomentRange) String() string      { return text(n) }
func (n *OnlyTimes) String() string        { return text(n) }
func (n *PointDay) String() string         { return text(n) }
func (n *FromThrough) String() string      { return text(n) }
func (n *FromOnward) String() string       { return text(n) }
func (n *Through) String() string          { return text(n) }
func (n *AllDates) String() string         { return text(n) }
func (n *Name) String() string             { return text(n) }
func (n *SetOp) String() string            { return text(n) }
func (n *ExcludingToday) String() string   { return text(n) }
func (n *SoFar) String() string            { return text(n) }
func (n *Move) String() string             { return text(n) }
func (n *OnlyDays) String() string         { return text(n) }
func (n *InCalendar) String() string       { return text(n) }
