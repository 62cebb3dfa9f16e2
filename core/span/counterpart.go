package span

import (
	"fmt"
	"strings"

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
		e := *err.(*Error)
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

// prior returns the period just before a span, of the same kind: the span a number of units earlier
// where its form has units, whatever modifiers stand on it, else as many days, ending right before
// it starts.
func prior(n Node, s Scope) (civil.Set, error) {
	core, cal := n, ""
	for range maxReferences {
		if in, ok := core.(*InCalendar); ok && cal == "" {
			cal = in.Calendar
		}
		if x := inner(core); x != nil {
			if _, moved := core.(*Move); !moved {
				core = x
				continue
			}
		}
		ref, ok := core.(*Name)
		if !ok || s.Names == nil {
			break
		}
		target, own, err := s.Names.Span(ref.Name)
		if err != nil {
			return civil.Set{}, err
		}
		if own != nil && cal == "" {
			cal = own.Name()
		}
		core = target
	}
	if m := sameKindBefore(core); m != nil {
		m.X = n
		var moved Node = m
		if cal != "" { // the units are those of the calendar in which the span is read
			moved = &InCalendar{m, cal}
		}
		return Resolve(moved, s)
	}
	set, err := Resolve(n, s)
	if err != nil || set.Empty() {
		return civil.Set{}, err
	}
	bounds := set.Bounds()
	if bounds.Open() {
		return civil.Set{}, &Error{Message: fmt.Sprintf("%s is open on one side: there is no period just before it", n)}
	}
	before := civil.Interval{Start: bounds.Start - civil.Day(bounds.Days()), End: bounds.Start}
	if before.Start < civil.MinDay {
		return civil.Set{}, &Error{Message: fmt.Sprintf("the period before %s begins before 0001-01-01", n)}
	}
	return civil.SetOf(before), nil
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
