package span

import (
	"context"

	"vastspan/core/civil"
)

// A Result is one expression with its answer, or its error.
type Result struct {
	Expression string      `json:"expression"` // canonical, or as given where it is refused
	Intervals  civil.Set   `json:"intervals"`
	Days       *int        `json:"days"` // null where a side is open or there is an error
	Steps      []Explained `json:"steps,omitempty"`
	Cautions   []Caution   `json:"cautions,omitempty"`
	Error      *Error      `json:"error,omitempty"`
}

// ResolveText resolves one expression; explain asks for the steps and the cautions, too.
func ResolveText(text string, s Scope, explain bool) Result {
	r := Result{Expression: text}
	n, err := Parse(text)
	if err == nil {
		r.Expression = n.String()
		if explain {
			var explained Resolution
			explained, err = Explain(n, s)
			r.Intervals, r.Steps, r.Cautions = explained.Days, explained.Steps, explained.Cautions
		} else {
			r.Intervals, err = Resolve(n, s)
		}
	}
	if err != nil {
		r.Error = err.(*Error) // Parse, Resolve and Explain give no other
		return r
	}
	r.Days = dayCount(r.Intervals)
	return r
}

// dayCount returns how many days a set has; nil where a side is open.
func dayCount(s civil.Set) *int {
	if s.Open() {
		return nil
	}
	n := s.Days()
	return &n
}

// A Timeline is how a span goes along with the as-of day: an answer holds until the next one.
type Timeline struct {
	Expression string           `json:"expression"`
	Error      *Error           `json:"error,omitempty"` // it cannot be read at all
	Answers    []TimelineAnswer `json:"answers"`
}

// A TimelineAnswer is what a span gives from an as-of day on.
type TimelineAnswer struct {
	AsOf      civil.Day `json:"as_of"`
	Intervals civil.Set `json:"intervals"`
	Days      *int      `json:"days"`
	Error     *Error    `json:"error,omitempty"`
}

// Follow resolves an expression on each of a run of as-of days, from the scope's own through another.
// The error is that of the context.
func Follow(ctx context.Context, text string, s Scope, through civil.Day) (Timeline, error) {
	t := Timeline{Expression: text, Answers: []TimelineAnswer{}}
	n, err := Parse(text)
	if err != nil {
		t.Error = err.(*Error)
		return t, nil
	}
	t.Expression = n.String()
	for ; s.AsOf <= through; s.AsOf++ {
		if err := ctx.Err(); err != nil {
			return t, err
		}
		set, refused := resolved(n, s)
		if last := len(t.Answers) - 1; last >= 0 && t.Answers[last].Intervals.Equal(set) &&
			(t.Answers[last].Error == nil) == (refused == nil) {
			continue
		}
		one := TimelineAnswer{AsOf: s.AsOf, Intervals: set, Error: refused}
		if refused == nil {
			one.Days = dayCount(set)
		}
		t.Answers = append(t.Answers, one)
	}
	return t, nil
}
