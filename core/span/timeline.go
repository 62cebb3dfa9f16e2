package span

import (
	"context"
	"fmt"

	"vastspan/core/civil"
)

// A Result is one expression with its answer, or its error.
type Result struct {
	Expression string    `json:"expression"` // canonical, or as given where it is refused
	Intervals  civil.Set `json:"intervals"`
	Days       *int      `json:"days"` // null where a side is open or there is an error
	// Moments and Seconds are what a span of moments gives, instead of intervals and days; Seconds are null where a side
	// is open.
	Moments  *civil.Zoned `json:"moments,omitempty"`
	Seconds  *int64       `json:"seconds,omitempty"`
	Steps    []Explained  `json:"steps,omitempty"`
	Cautions []Caution    `json:"cautions,omitempty"`
	Error    *Error       `json:"error,omitempty"`
}

// ResolveText resolves one expression, with its cautions; explain asks for the steps, too.
func ResolveText(text string, s Scope, explain bool) Result {
	r := Result{Expression: text}
	n, err := s.Parse(text)
	if err == nil {
		r.Expression = n.String()
		var resolved Resolution
		resolved, err = cautious(n, s, explain)
		r.Intervals, r.Moments, r.Steps, r.Cautions = resolved.Days, resolved.Moments, resolved.Steps, resolved.Cautions
	}
	if err != nil {
		r.Error = asError(Located(err, text, n))
		return r
	}
	if r.Moments != nil {
		if !r.Moments.Open() {
			seconds := int64(r.Moments.Length() / civil.Second)
			r.Seconds = &seconds
		}
		return r
	}
	r.Days = dayCount(r.Intervals)
	return r
}

// Size counts the intervals that a result lists, those of its steps among them.
func (r *Result) Size() int {
	count := func(days civil.Set, moments *civil.Zoned) int {
		if moments != nil {
			return moments.Len()
		}
		return days.Len()
	}
	n := count(r.Intervals, r.Moments)
	for i := range r.Steps {
		n += count(r.Steps[i].Days, r.Steps[i].Moments)
	}
	return n
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

// MaxListed is how many periods of days one answer may list.
const MaxListed = 200_000

// ErrTooLong is the error of an answer that would list more.
var ErrTooLong = fmt.Errorf("the answer would list more than %d periods of days: ask for less at once, or cut it with and", MaxListed)

// Follow resolves an expression on each of a run of as-of days, from the scope's own through another.
// It adds the periods that it lists to those that others have. The error is that of the context, or
// ErrTooLong.
func Follow(ctx context.Context, text string, s Scope, through civil.Day, listed *int) (Timeline, error) {
	t := Timeline{Expression: text, Answers: []TimelineAnswer{}}
	n, err := s.Parse(text)
	if err != nil {
		t.Error = asError(err)
		return t, nil
	}
	t.Expression = n.String()
	for ; s.AsOf <= through; s.next() {
		if err := s.GoOn(ctx); err != nil {
			return t, err
		}
		set, refused := resolved(n, s)
		if last := len(t.Answers) - 1; last >= 0 && t.Answers[last].Intervals.Equal(set) &&
			(t.Answers[last].Error == nil) == (refused == nil) {
			continue
		}
		if *listed += set.Len(); *listed > MaxListed {
			return t, ErrTooLong
		}
		one := TimelineAnswer{AsOf: s.AsOf, Intervals: set, Error: refused}
		if refused == nil {
			one.Days = dayCount(set)
		}
		t.Answers = append(t.Answers, one)
	}
	return t, nil
}
