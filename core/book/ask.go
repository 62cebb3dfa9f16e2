package book

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"time"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/query"
	"vastspan/core/span"
)

// What can be asked of definitions alone, with no records.

// Scope returns what expressions are read against, as of a day or a moment.
func (l *Library) Scope(asOf civil.AsOf, c query.Context) (span.Scope, error) {
	asOf, c, err := l.Settle(asOf, c)
	if err != nil {
		return span.Scope{}, err
	}
	cal, err := l.calendarOf(c)
	if err != nil {
		return span.Scope{}, err
	}
	return span.Scope{
		AsOf: asOf.Day, AtClose: c.AtClose, Calendar: cal, Names: l, Meter: &span.Meter{},
		Clock: asOf.Clock, Now: asOf.Moment, HasNow: asOf.Timed,
	}, nil
}

// Settle returns the day that an as-of day stands for, and its context: the newest record of a unit stands for the unit's
// last day, at close.
func (l *Library) Settle(asOf civil.AsOf, c query.Context) (civil.AsOf, query.Context, error) {
	unit, ok := calendar.ParseUnit(asOf.Grain)
	if !ok {
		return asOf, c, nil
	}
	cal, err := l.calendarOf(c)
	if err != nil {
		return asOf, c, err
	}
	whole, err := cal.Containing(unit, asOf.Day)
	if err != nil {
		return asOf, c, &query.Error{Pointer: "/as_of", Err: err}
	}
	asOf.Day, asOf.Grain, c.AtClose = whole.Last(), "", true
	return asOf, c, nil
}

// calendarOf returns the calendar of a context.
func (l *Library) calendarOf(c query.Context) (*calendar.Calendar, error) {
	cal, err := l.Calendar(cmp.Or(c.Calendar, calendar.Civil.Name()))
	if err != nil {
		return nil, &query.Error{Pointer: "/calendar", Err: err}
	}
	return cal, nil
}

// Basis is what answers were read against.
type Basis struct {
	AsOf     civil.Day `json:"as_of"`
	AtClose  bool      `json:"at_close"`
	Calendar string    `json:"calendar"`
	// AsOfMoment is the as-of moment, with its offset, where there is one.
	AsOfMoment string `json:"as_of_moment,omitempty"`
	Zone       string `json:"zone"`
	DayStarts  string `json:"day_starts"`
}

func basis(s span.Scope) Basis {
	b := Basis{
		AsOf: s.AsOf, AtClose: s.AtClose, Calendar: s.Calendar.Name(),
		Zone: s.Clock.Zone().String(), DayStarts: s.Clock.DayStarts().String(),
	}
	if s.HasNow {
		b.AsOfMoment = s.Clock.Format(s.Now)
	}
	return b
}

// Resolutions are the answers to expressions, in their order.
type Resolutions struct {
	Basis
	Resolutions []span.Result `json:"resolutions"`
}

// Resolve resolves expressions, each by itself: one that is refused does not touch the others. The error
// is that of the context, or of the calendar.
func (l *Library) Resolve(ctx context.Context, expressions []string, asOf civil.AsOf, c query.Context, explain bool) (*Resolutions, error) {
	s, err := l.Scope(asOf, c)
	if err != nil {
		return nil, err
	}
	r := &Resolutions{Basis: basis(s), Resolutions: []span.Result{}}
	listed := 0
	for i, text := range expressions {
		if err := s.GoOn(ctx); err != nil {
			return nil, err
		}
		one := span.ResolveText(text, s, explain)
		if listed += one.Size(); listed > span.MaxListed {
			return nil, &query.Error{Pointer: fmt.Sprintf("/expressions/%d", i), Err: span.ErrTooLong}
		}
		r.Resolutions = append(r.Resolutions, one)
	}
	return r, nil
}

// MaxTimeline is how many as-of days a timeline may have.
const MaxTimeline = 800

// Timelines resolves expressions on each of a run of as-of days.
func (l *Library) Timelines(
	ctx context.Context,
	expressions []string,
	from civil.AsOf,
	through civil.Day,
	c query.Context,
) ([]span.Timeline, error) {
	if through < from.Day || through-from.Day >= MaxTimeline {
		return nil, &query.Error{
			Pointer: "/through",
			Err:     fmt.Errorf("from %s through %s: expected 1 to %d days", from.Day, through, MaxTimeline),
		}
	}
	s, err := l.Scope(from, c)
	if err != nil {
		return nil, err
	}
	list := make([]span.Timeline, len(expressions))
	listed := 0
	for i, text := range expressions {
		if list[i], err = span.Follow(ctx, text, s, through, &listed); errors.Is(err, span.ErrTooLong) {
			return nil, &query.Error{Pointer: fmt.Sprintf("/expressions/%d", i), Err: err}
		} else if err != nil {
			return nil, err
		}
	}
	return list, nil
}

// A Rehearsal is how a span behaves over a run of as-of days.
type Rehearsal struct {
	Expression string `json:"expression"`
	Basis
	Turns []span.Turn `json:"turns"`
}

// maxRehearsal is how many as-of days a rehearsal or a check may cover.
const maxRehearsal = 4000

// Rehearse reads a span on a run of as-of days; 0 asks for the default number.
func (l *Library) Rehearse(ctx context.Context, text string, asOf civil.AsOf, days int, c query.Context) (*Rehearsal, error) {
	days, err := dayCount(days, span.DefaultRehearsal)
	if err != nil {
		return nil, err
	}
	s, err := l.Scope(asOf, c)
	if err != nil {
		return nil, err
	}
	n, err := span.ParseNamed(text, l)
	if err == nil {
		err = l.Check(n)
	}
	if err != nil {
		return nil, &query.Error{Pointer: "/expression", Err: err}
	}
	turns, err := span.Rehearse(ctx, n, s, days)
	if errors.Is(err, span.ErrTooLong) {
		err = &query.Error{Pointer: "/days", Err: err}
	}
	return &Rehearsal{n.String(), basis(s), turns}, err
}

// dayCount checks a number of as-of days; 0 stands for the default one.
func dayCount(days, otherwise int) (int, error) {
	if days == 0 {
		return otherwise, nil
	}
	if days < 1 || days > maxRehearsal {
		return 0, &query.Error{Pointer: "/days", Err: fmt.Errorf("days: %d: expected 1 to %d", days, maxRehearsal)}
	}
	return days, nil
}

// A CheckReport is what was found among spans.
type CheckReport struct {
	Basis
	Days     int       `json:"days"`
	Checked  int       `json:"checked"`
	Findings []Finding `json:"findings"`
}

// A Finding is what was found, and who has acknowledged it as expected.
type Finding struct {
	span.Finding
	Acknowledged *Acknowledged `json:"acknowledged,omitempty"`
}

// Acknowledged says who has acknowledged a finding, and when.
type Acknowledged struct {
	Author string    `json:"author"`
	At     time.Time `json:"at"`
	Note   string    `json:"note,omitempty"`
}

// Open counts the findings that nobody has acknowledged.
func (r *CheckReport) Open() int {
	n := 0
	for i := range r.Findings {
		if r.Findings[i].Acknowledged == nil {
			n++
		}
	}
	return n
}

const (
	// bookCheck is how many as-of days a check of the whole book covers unless others are asked for.
	bookCheck = 365
	// maxCheckWork bounds a check: expressions times as-of days, or pairs of expressions.
	maxCheckWork = 4_000_000
)

// CheckSpans checks expressions that are meant to go together, or every named span by itself.
func (l *Library) CheckSpans(ctx context.Context, expressions []string, asOf civil.AsOf, days int, c query.Context) (*CheckReport, error) {
	otherwise := 1
	if len(expressions) == 0 {
		otherwise = bookCheck
		for _, name := range l.SpanNames() {
			expressions = append(expressions, "@"+name)
		}
	}
	days, err := dayCount(days, otherwise)
	if err != nil {
		return nil, err
	}
	if work := len(expressions) * max(days, len(expressions)/2); work > maxCheckWork {
		return nil, &query.Error{
			Pointer: "/expressions",
			Err:     fmt.Errorf("%d spans over %d as-of days are too many to check at once: take fewer of either", len(expressions), days),
		}
	}
	s, err := l.Scope(asOf, c)
	if err != nil {
		return nil, err
	}
	r := &CheckReport{Basis: basis(s), Days: days, Checked: len(expressions)}
	members, check := l.members(expressions), span.Check
	if days > 1 {
		check = func(ctx context.Context, members []span.Member, s span.Scope) ([]span.Finding, error) {
			return span.CheckYear(ctx, members, s, days)
		}
	}
	found, err := check(ctx, members, s)
	r.Findings = make([]Finding, len(found))
	for i := range found {
		r.Findings[i].Finding = found[i]
	}
	return r, err
}

// members makes expressions ready to be checked. A named span stands for what it is, in its own calendar
// if it has one, so that a move of another is seen as one.
func (l *Library) members(expressions []string) []span.Member {
	members := make([]span.Member, len(expressions))
	for i, text := range expressions {
		n, err := span.ParseNamed(text, l)
		if ref, ok := n.(*span.Name); ok && err == nil {
			target, cal, missing := l.Span(ref.Name)
			switch {
			case missing != nil:
				err = missing
			case cal == nil:
				n = target
			}
		}
		members[i] = span.Member{Name: text, Node: n, Err: err}
	}
	return members
}
