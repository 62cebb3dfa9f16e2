package span

import (
	"fmt"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

// A Resolution is an answer with its reasons (semantics §6).
type Resolution struct {
	Days civil.Set
	// Moments are what a span of moments denotes, instead of days; nil for a span of days.
	Moments  *civil.Zoned
	Steps    []Explained
	Cautions []Caution
}

// An Explained is one step towards a resolution, in the order in which it was done.
type Explained struct {
	// Depth is how far the step is inside a reading of its own: within a move or a named span.
	Depth int `json:"depth"`
	// Words are the words that the step comes from, in canonical form.
	Words string `json:"words"`
	// Note is instead of days, where the step gives none itself: "as of 2025-10-19, read again".
	Note string `json:"note,omitempty"`
	// Days are the days after the step, or Moments where it gives moments; neither is set where Note is.
	Days    civil.Set    `json:"intervals"`
	Moments *civil.Zoned `json:"moments,omitempty"`
}

// A Caution says what is right and may still surprise.
type Caution struct {
	Kind CautionKind `json:"kind"`
	Text string      `json:"text"`
}

// CautionKind identifies cautions for programs.
type CautionKind string

// The cautions of semantics §6.
const (
	// Idle is a modifier that takes nothing out.
	Idle CautionKind = "idle-modifier"
	// ShortMove is a move shorter than the unit that it moves.
	ShortMove CautionKind = "short-move"
	// Clamped is a day that a shorter month, or a unit with fewer weeks, pulled back.
	Clamped CautionKind = "clamped"
	// HolidaysUnknown is an answer that needs business days beyond the holiday list.
	HolidaysUnknown CautionKind = "holidays-unknown"
	// MonthEnd is an edge that was the last day of its month, and after a move is not.
	MonthEnd CautionKind = "month-end"
	// ClockChange is a time that the clock skips, or shows twice.
	ClockChange CautionKind = "clock-change"
	// TwoPieces is a time of day that is across midnight.
	TwoPieces CautionKind = "two-pieces"
	// OtherDays are days that are not business days, inside a count of business days.
	OtherDays CautionKind = "other-days"
	// EventsUnknown is an answer that needs an event beyond the years that its list covers.
	EventsUnknown CautionKind = "events-unknown"
	// FixedDays is a move that changes nothing, since what it moves names fixed days.
	FixedDays CautionKind = "fixed-days"
	// NoDays is an empty result.
	NoDays CautionKind = "no-days"
)

// maxSteps bounds an explanation; stacked readings would multiply it.
const maxSteps = 400

// refillHorizon is how many days ahead an empty result is looked at again.
const refillHorizon = 800

// Explain resolves an expression and gives the steps and the cautions with it.
func Explain(n Node, s Scope) (Resolution, error) { return cautious(n, s, true) }

// ResolveEither resolves an expression to days, or to moments where it has times, and gives the cautions with it.
func ResolveEither(n Node, s Scope) (Resolution, error) { return cautious(n, s, false) }

// ResolveCautiously resolves an expression to days and gives the cautions with it; a span of moments is refused.
func ResolveCautiously(n Node, s Scope) (Resolution, error) {
	r, err := ResolveEither(n, s)
	if err == nil && r.Moments != nil {
		err = timedError(n)
	}
	return r, err
}

func cautious(n Node, s Scope, steps bool) (Resolution, error) {
	e := s.env()
	e.trace = &trace{}
	var r Resolution
	var err error
	empty := false
	if e.timed(n) {
		r.Moments = &civil.Zoned{Clock: s.Clock}
		r.Moments.MomentSet, err = e.resolveMoments(n)
		empty = r.Moments.Empty()
	} else {
		r.Days, err = e.resolve(n)
		empty = r.Days.Empty()
	}
	if err != nil {
		return Resolution{}, offering(n, err)
	}
	r.Cautions = e.trace.cautions
	e.trace, e.references = nil, 0
	if steps {
		x := explainer{env: &e}
		x.explain(n, 0)
		r.Steps = x.steps
	}
	if empty {
		r.Cautions = append(r.Cautions, refill(n, s))
	}
	return r, nil
}

// refill says on which as-of day an empty span has days again.
func refill(n Node, s Scope) Caution {
	from := s.AsOf
	for d := from + 1; d <= min(from+refillHorizon, civil.MaxDay); d++ {
		s.next()
		if set, err := resolved(n, s); err == nil && !set.Empty() {
			return Caution{NoDays, fmt.Sprintf("no days as of %s; it has days again as of %s: %s", from, d, set.Bounds())}
		}
	}
	return Caution{NoDays, fmt.Sprintf("no days as of %s, nor on any of the next %d as-of days", from, refillHorizon)}
}

// trace collects cautions during a resolution.
type trace struct {
	cautions []Caution
	// onlyBusiness says that other days than business days are dropped of what is resolved.
	onlyBusiness bool
}

func (e *env) note(k CautionKind, format string, args ...any) {
	c := Caution{k, fmt.Sprintf(format, args...)}
	for _, have := range e.trace.cautions {
		if have == c {
			return
		}
	}
	e.trace.cautions = append(e.trace.cautions, c)
}

func (e *env) noteIdle(words string, n Node, before, after civil.Set) {
	if e.trace != nil && !before.Empty() && before.Equal(after) {
		e.note(Idle, "%q takes nothing out of %s, as of %s", words, n.modifies(), e.asOf)
	}
}

func (e *env) noteClamped(d civil.Day, n int, u calendar.Unit, moved civil.Day) {
	if e.trace != nil {
		direction := "later"
		if n < 0 {
			n, direction = -n, "earlier"
		}
		e.note(Clamped, "%s, %d %s %s, falls on the shorter unit's end: %s", d, n, u.Counted(n), direction, moved)
	}
}

// noteMonthEnd looks at an edge that a move by months or longer has taken off its month's end.
func (e *env) noteMonthEnd(d civil.Day, m move, moved civil.Day) {
	if e.trace != nil && m.unit >= calendar.Month && m.cal.MonthBased() && d.IsMonthEnd() && !moved.IsMonthEnd() {
		e.note(MonthEnd, "%s is the last day of its month; moved, it is %s, which is not", d, moved)
	}
}

func (e *env) needHolidays(v civil.Interval) {
	if e.trace != nil && !e.cal.HolidaysKnown(v) {
		l := e.cal.Holidays()
		e.note(HolidaysUnknown, "the holiday list %s covers %d to %d; %s is partly outside it", l.Name, l.FirstYear, l.LastYear, v)
	}
}

// noteShortMoveOf looks for the whole units that a move shorter than themselves would cut across.
func (e *env) noteShortMoveOf(x Node, m move) {
	if e.trace == nil {
		return
	}
	for next := x; next != nil; next = next.modifies() {
		x = next
	}
	if x.wholeUnits() {
		e.noteShortMove(x, x.unit(), m)
	}
}

// leastDays is how many days a move by days or weeks is to have that is no short move of a unit: 4 weeks are short of most
// months, 52 or 53 weeks count as a year.
var leastDays = map[calendar.Unit]int{calendar.Week: 7, calendar.Month: 29, calendar.Quarter: 90, calendar.Half: 181, calendar.Year: 364}

// shorter reports whether a move is shorter than a unit.
func (m move) shorter(u calendar.Unit) bool {
	days := max(m.n, -m.n)
	switch m.unit {
	case calendar.Day:
		return days < leastDays[u]
	case calendar.Week:
		return 7*days < leastDays[u]
	}
	return m.unit < u
}

// noteOtherDays says which days inside a count of business days are none.
func (e *env) noteOtherDays(n Node, v civil.Interval) {
	if e.trace == nil || e.trace.onlyBusiness || v.Open() || v.Empty() {
		return
	}
	other := civil.SetOf(v).Keep(func(d civil.Day) bool { return !e.cal.IsBusinessDay(d) })
	if other.Empty() {
		return
	}
	days := "days that are not business days"
	if other.Days() == 1 {
		days = "day that is not a business day"
	}
	e.note(OtherDays, "%s, as of %s, includes %d %s: \"%s, only business days\" drops them", n, e.asOf, other.Days(), days, n)
}

func (e *env) noteShortMove(n Node, u calendar.Unit, m move) {
	if e.trace != nil && m.shorter(u) && u > calendar.BusinessDay {
		count := max(m.n, -m.n)
		e.note(ShortMove, "a move by %d %s is shorter than the %s of %s: some days may be the same again", count, m.unit.Counted(count), u, n)
	}
}

// explainer walks an expression and records a step for each form and modifier.
type explainer struct {
	env   *env
	steps []Explained
}

func (x *explainer) add(depth int, words, note string, days civil.Set) {
	if len(x.steps) < maxSteps {
		x.steps = append(x.steps, Explained{Depth: depth, Words: words, Note: note, Days: days})
	}
}

// result records a step with the days that a node gives; one that gives an error is left out, as
// it is only a reading on the way.
func (x *explainer) result(n Node, depth int, words string) {
	if x.env.timed(n) {
		x.moments(n, depth, words)
		return
	}
	if set, err := x.env.eval(n); err == nil {
		x.add(depth, words, "", set)
	}
}

// moments records a step with the moments that a node gives.
func (x *explainer) moments(n Node, depth int, words string) {
	if set, err := x.env.moments(n); err == nil && len(x.steps) < maxSteps {
		x.steps = append(x.steps, Explained{Depth: depth, Words: words, Moments: &civil.Zoned{Clock: x.env.clock, MomentSet: set}})
	}
}

func (x *explainer) explain(n Node, depth int) {
	if len(x.steps) >= maxSteps {
		return
	}
	switch n := n.(type) {
	case *Nth:
		x.explain(n.Of, depth)
		x.result(n, depth, fmt.Sprintf("%s %d of it", n.Unit, n.N))
	case *FirstLast:
		x.explain(n.Of, depth)
		var w writer
		w.text(firstOrLast(n.Last) + " ")
		w.optional(n.N, "", n.Unit)
		x.result(n, depth, string(w.b)+" of it")
	case *NthWeekday:
		x.explain(n.Of, depth)
		x.result(n, depth, fmt.Sprintf("%s %d of it", n.Weekday.Short(), n.N))
	case *FirstLastWeekday:
		x.explain(n.Of, depth)
		x.result(n, depth, fmt.Sprintf("%s %s of it", firstOrLast(n.Last), n.Weekday.Short()))
	case *EventOf:
		x.explain(n.Of, depth)
		x.result(n, depth, fmt.Sprintf("event %s of it", n.Name))
	case *PointDay:
		x.point(&n.Point, depth)
	case *FromThrough:
		x.point(&n.From, depth)
		x.point(&n.Through, depth)
		x.result(n, depth, "from the one "+untilOr("through", n.Until)+" the other")
	case *FromOnward:
		x.point(&n.From, depth)
		x.result(n, depth, "from it onward")
	case *Through:
		x.point(&n.Through, depth)
		x.result(n, depth, untilOr("through", n.Until)+" it")
	case *Name:
		x.name(n, depth)
	case *SetOp:
		x.chain(n, depth)
	case *ExcludingToday:
		x.explain(n.X, depth)
		x.result(n, depth, "excluding today")
	case *SoFar:
		x.explain(n.X, depth)
		x.result(n, depth, "so far")
	case *OnlyDays:
		x.explain(n.X, depth)
		x.result(n, depth, n.words())
	case *OnlyTimes:
		x.explain(n.X, depth)
		var w writer
		n.writeOnly(&w)
		x.result(n, depth, string(w.b))
	case *InCalendar:
		x.in(n, depth)
	case *Move:
		x.move(n, depth, true)
	default:
		x.result(n, depth, n.String())
	}
}

func (x *explainer) point(p *Point, depth int) {
	if p.Of != nil {
		x.explain(p.Of, depth)
	}
	if p.IsMoment() {
		if m, err := x.env.momentOf(p); err == nil {
			x.add(depth, p.String(), x.env.clock.Format(m), civil.Set{})
		}
		return
	}
	if d, err := x.env.point(p); err == nil {
		x.add(depth, p.String(), "", civil.SetOf(civil.One(d)))
	}
}

func (x *explainer) name(n *Name, depth int) {
	target, cal, err := x.env.enter(n)
	if err != nil {
		return
	}
	defer x.env.leave()
	note := "is " + target.String()
	if cal != nil {
		note += ", in calendar " + cal.Name()
		before := x.env.cal
		x.env.cal = cal
		defer func() { x.env.cal = before }()
	}
	x.add(depth, n.String(), note, civil.Set{})
	x.explain(target, depth+1)
}

func (x *explainer) chain(n *SetOp, depth int) {
	x.explain(n.Terms[0], depth)
	for i := 1; i < len(n.Terms); i++ {
		x.explain(n.Terms[i], depth)
		words := n.Op.String() + " " + n.Terms[i].String()
		x.result(&SetOp{n.Op, n.Terms[:i+1]}, depth, words)
	}
}

func (x *explainer) in(n *InCalendar, depth int) {
	cal, err := x.env.calendarNamed(n.Calendar)
	if err != nil {
		return
	}
	before := x.env.cal
	x.env.cal = cal
	x.add(depth, "in "+n.Calendar, "all of it is read in this calendar", civil.Set{})
	x.explain(n.X, depth)
	x.env.cal = before
}

// move shows the reading before the move once, then the as-of day of each move of a stack, then
// the reading after them.
func (x *explainer) move(n *Move, depth int, outermost bool) {
	var w writer
	n.writeMove(&w)
	if n.Unit == calendar.Day || n.Unit == calendar.Week || n.Unit.OfClock() {
		x.explain(n.X, depth)
		x.result(n, depth, string(w.b))
		return
	}
	if outermost {
		core := n.X
		for m, ok := core.(*Move); ok; m, ok = core.(*Move) {
			core = m.X
		}
		x.explain(core, depth)
	}
	back, err := x.env.push(n)
	if err != nil {
		return
	}
	defer x.env.pop(back)
	x.add(depth, string(w.b), fmt.Sprintf("as of %s, read again", x.env.asOf), civil.Set{})
	if m, ok := n.X.(*Move); ok {
		x.move(m, depth+1, false)
		return
	}
	x.explain(n.X, depth+1)
}
