package span

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/event"
)

// event finds an event list.
func (e *env) event(name string) (*event.List, error) {
	if e.names == nil {
		return nil, &Error{Message: fmt.Sprintf("event %s: no events are known here", name)}
	}
	return e.names.Event(name)
}

// eventOf returns the occurrences that start inside X, whole.
func (e *env) eventOf(n *EventOf) (civil.Set, error) {
	list, err := e.event(n.Name)
	if err != nil {
		return civil.Set{}, err
	}
	v, err := e.within(n, n.Of)
	if err != nil {
		return civil.Set{}, e.placed(n, err)
	}
	e.needEvent(list, v)
	return daysOf(list.StartingIn(v)), nil
}

func daysOf(occurrences []event.Occurrence) civil.Set {
	days := make([]civil.Interval, len(occurrences))
	for i, o := range occurrences {
		days[i] = o.Days
	}
	return civil.Union(days...)
}

// nearEvent returns the occurrence that is last over, holds the as-of day, or comes next.
func (e *env) nearEvent(n *NearEvent) (civil.Interval, error) {
	list, err := e.event(n.Name)
	if err != nil {
		return civil.Interval{}, err
	}
	e.needEvent(list, civil.One(e.asOf))
	switch n.Offset {
	case 0:
		if i, ok := list.At(e.asOf); ok {
			return list.Occurrences[i].Days, nil
		}
		return civil.Interval{}, nil
	case 1:
		if i := list.FirstFrom(e.asOf + 1); i < len(list.Occurrences) {
			return list.Occurrences[i].Days, nil
		}
		return civil.Interval{}, e.beyond(n, list, "starts later")
	}
	over := e.asOf
	if e.atClose {
		over++
	}
	for i := list.FirstFrom(over) - 1; i >= 0; i-- { // the newest one may still go on
		if days := list.Occurrences[i].Days; days.End <= over {
			return days, nil
		}
	}
	return civil.Interval{}, e.beyond(n, list, "is over")
}

// beyond refuses an occurrence that the list does not have, and says from when to when it has any.
func (e *env) beyond(n *NearEvent, l *event.List, what string) error {
	extent := "the list is empty"
	if last := len(l.Occurrences) - 1; last >= 0 {
		extent = fmt.Sprintf("it has %s through %s", l.Occurrences[0].Days.First(), l.Occurrences[last].Days.Last())
	}
	return &Error{Message: fmt.Sprintf("%s, as of %s: no occurrence of the event list %s; %s", n, e.asOf, what, extent)}
}

func (e *env) needEvent(l *event.List, v civil.Interval) {
	if e.trace == nil || l.Known(v) {
		return
	}
	where := fmt.Sprintf("%s is partly", v)
	if !v.Open() && v.Days() == 1 {
		where = v.First().String() + " is"
	}
	e.note(EventsUnknown, "the event list %s covers %d to %d; %s outside it", l.Name, l.FirstYear, l.LastYear, where)
}

// noteEventTerm looks at a chain that keeps or drops the days of an event.
func (e *env) noteEventTerm(op Op, term Node, of civil.Set) {
	n, ok := term.(*Event)
	if !ok || op == Or || e.trace == nil || of.Empty() {
		return
	}
	if list, err := e.event(n.Name); err == nil {
		e.needEvent(list, of.Bounds())
	}
}

// noteFixedDays looks for a move of an event's days, which are the same as of any day.
func (e *env) noteFixedDays(x Node, m move) {
	if e.trace == nil {
		return
	}
	for next := x; next != nil; next = next.modifies() {
		x = next
	}
	if n, ok := x.(*Event); ok {
		count := max(m.n, -m.n)
		e.note(FixedDays, "%s names fixed days: a move by %d %s does not change them; \"%[1]s of this year\" goes along with the as-of day",
			n, count, m.unit.Counted(count))
	}
}

// eventName returns the event of a form that is occurrences around the as-of day or inside another span.
func eventName(n Node) string {
	switch n := n.(type) {
	case *EventOf:
		return n.Name
	case *NearEvent:
		return n.Name
	}
	return ""
}

// occurrencesBefore returns as many occurrences of an event as a set holds, right before it (semantics §11); ok is false
// where the set holds none of them whole.
func (s *Scope) occurrencesBefore(n Node, name string, set civil.Set) (before civil.Set, ok bool, err error) {
	e := s.env()
	list, err := e.event(name)
	if err != nil {
		return civil.Set{}, false, asError(err)
	}
	first := list.FirstFrom(set.Bounds().First())
	inside := list.StartingIn(set.Bounds())
	if len(inside) == 0 || !daysOf(inside).Equal(set) {
		return civil.Set{}, false, nil
	}
	if len(inside) > first {
		return civil.Set{}, false, &Error{Message: fmt.Sprintf("the period before %s is %d %s of %s before %s, and the event list has %d",
			n, len(inside), plural("occurrence", len(inside)), name, inside[0].Days.First(), first)}
	}
	return daysOf(list.Occurrences[first-len(inside) : first]), true, nil
}

func plural(word string, n int) string {
	if n == 1 {
		return word
	}
	return word + "s"
}

// eventReference is what refers to an event.
var eventReference = regexp.MustCompile(`\bevent [a-z][a-z0-9-]*`)

// EventRenamed returns an expression with another name for one of its events, in its canonical text. What does not name it, or
// is no expression, stays as it is.
func EventRenamed(text, from, to string) string {
	n, err := Parse(text)
	if err != nil || !slices.Contains(Events(n), from) {
		return text
	}
	renamed := eventReference.ReplaceAllStringFunc(n.String(), func(reference string) string {
		if strings.TrimPrefix(reference, "event ") == from {
			return "event " + to
		}
		return reference
	})
	if n, err = Parse(renamed); err != nil {
		return text // what was read is read again under any name
	}
	return n.String()
}
