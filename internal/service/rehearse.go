package service

import (
	"context"
	"fmt"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/daytable"
	"vastspan/core/span"
)

// A Course is how a span goes along with the as-of day: an answer holds until the next one.
type Course struct {
	Text    string
	Err     *span.Error // it cannot be read at all
	Answers []CourseAnswer
}

// A CourseAnswer is what a span gives from an as-of day on.
type CourseAnswer struct {
	AsOf civil.Day
	Days civil.Set
	Err  error
}

// maxCourse is how many as-of days one request may ask about at once.
const maxCourse = 800

// EachDay resolves expressions on each of a run of as-of days.
func (s *Service) EachDay(ctx context.Context, expressions []string, from, through civil.Day, r Reading) ([]Course, error) {
	if through < from || through-from >= maxCourse {
		return nil, invalidf("from %s through %s: expected 1 to %d days", from, through, maxCourse)
	}
	scope, err := s.scope(ctx, from, r)
	if err != nil {
		return nil, err
	}
	courses := make([]Course, len(expressions))
	for i, text := range expressions {
		n, err := span.Parse(text)
		if err != nil {
			courses[i] = Course{Text: text, Err: err.(*span.Error)}
			continue
		}
		courses[i] = Course{Text: n.String(), Answers: course(n, scope, through)}
	}
	return courses, ctx.Err()
}

func course(n span.Node, scope span.Scope, through civil.Day) []CourseAnswer {
	var answers []CourseAnswer
	for ; scope.AsOf <= through; scope.AsOf++ {
		set, err := span.Resolve(n, scope)
		if len(answers) > 0 {
			last := answers[len(answers)-1]
			if last.Days.Equal(set) && (last.Err == nil) == (err == nil) {
				continue
			}
		}
		answers = append(answers, CourseAnswer{scope.AsOf, set, err})
	}
	return answers
}

// standing gives the definitions in force and the as-of day of a reading without a dataset.
func (s *Service) standing(ctx context.Context, r Reading) (*book.Library, civil.Day, error) {
	asOf, err := s.day(r.AsOf, nil)
	if err != nil {
		return nil, 0, err
	}
	l, err := s.Library(ctx)
	return l, asOf, err
}

// scope puts the definitions in force and a day together.
func (s *Service) scope(ctx context.Context, asOf civil.Day, r Reading) (span.Scope, error) {
	l, err := s.Library(ctx)
	if err != nil {
		return span.Scope{}, err
	}
	return Scope(l, asOf, r)
}

// A Rehearsal is how a span behaves over a run of as-of days.
type Rehearsal struct {
	Text     string
	AsOf     civil.Day
	AtClose  bool
	Calendar string
	Turns    []span.Turn
}

// maxRehearsal is how many as-of days a rehearsal or a check may cover.
const maxRehearsal = 4000

// Rehearse reads a span on a run of as-of days; 0 asks for the usual number.
func (s *Service) Rehearse(ctx context.Context, expression string, days int, r Reading) (*Rehearsal, error) {
	l, asOf, err := s.standing(ctx, r)
	if err != nil {
		return nil, err
	}
	return RehearseIn(l, expression, asOf, days, r)
}

// RehearseIn rehearses an expression with the definitions of a library.
func RehearseIn(l *book.Library, expression string, asOf civil.Day, days int, r Reading) (*Rehearsal, error) {
	days, err := dayCount(days, span.DefaultRehearsal)
	if err != nil {
		return nil, err
	}
	scope, err := Scope(l, asOf, r)
	if err != nil {
		return nil, err
	}
	n, err := span.Parse(expression)
	if err == nil {
		err = l.Check(n)
	}
	if err != nil {
		return nil, invalid(fmt.Errorf("%q: %w", expression, err))
	}
	return &Rehearsal{n.String(), asOf, r.AtClose, scope.Calendar.Name(), span.Rehearse(n, scope, days)}, nil
}

// dayCount checks a number of as-of days; 0 stands for the usual one.
func dayCount(days, usual int) (int, error) {
	if days == 0 {
		return usual, nil
	}
	if days < 1 || days > maxRehearsal {
		return 0, invalidf("days: %d: expected 1 to %d", days, maxRehearsal)
	}
	return days, nil
}

// A Check is what there is to look at among spans.
type Check struct {
	AsOf     civil.Day
	Days     int
	AtClose  bool
	Calendar string
	Checked  int
	Findings []span.Finding
}

// bookCheck is how many as-of days a check of the whole book covers unless others are asked for.
const bookCheck = 365

// Check looks at expressions that are meant to go together, or at every named span by itself.
func (s *Service) Check(ctx context.Context, expressions []string, days int, r Reading) (*Check, error) {
	l, asOf, err := s.standing(ctx, r)
	if err != nil {
		return nil, err
	}
	return CheckIn(l, expressions, asOf, days, r)
}

// CheckIn checks with the definitions of a library.
func CheckIn(l *book.Library, expressions []string, asOf civil.Day, days int, r Reading) (*Check, error) {
	usual := 1
	if len(expressions) == 0 {
		usual = bookCheck
		for _, name := range l.SpanNames() {
			expressions = append(expressions, "@"+name)
		}
	}
	days, err := dayCount(days, usual)
	if err != nil {
		return nil, err
	}
	scope, err := Scope(l, asOf, r)
	if err != nil {
		return nil, err
	}
	c := &Check{AsOf: asOf, Days: days, AtClose: r.AtClose, Calendar: scope.Calendar.Name(), Checked: len(expressions)}
	members := Members(l, expressions)
	if days == 1 {
		c.Findings = span.Check(members, scope)
	} else {
		c.Findings = span.CheckYear(members, scope, days)
	}
	return c, nil
}

// Members makes expressions ready to be checked. A named span stands for what it is, in its own
// calendar if it has one, so that a move of another is seen as one.
func Members(l *book.Library, expressions []string) []span.Member {
	members := make([]span.Member, len(expressions))
	for i, text := range expressions {
		n, err := span.Parse(text)
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

// A DayTable is a row a day.
type DayTable struct {
	AsOf     civil.Day
	Calendar string
	Columns  []string
	Rows     [][]string
}

// maxDayTable is how many days a day table may have.
const maxDayTable = 100_000

// Days lays days out in a calendar, with a column for each span: in or out.
func (s *Service) Days(ctx context.Context, from, through civil.Day, spans []string, r Reading) (*DayTable, error) {
	l, asOf, err := s.standing(ctx, r)
	if err != nil {
		return nil, err
	}
	return DaysIn(l, from, through, asOf, spans, r)
}

// DaysIn lays days out with the definitions of a library.
func DaysIn(l *book.Library, from, through, asOf civil.Day, spans []string, r Reading) (*DayTable, error) {
	if through < from || through-from >= maxDayTable {
		return nil, invalidf("from %s through %s: expected 1 to %d days", from, through, maxDayTable)
	}
	scope, err := Scope(l, asOf, r)
	if err != nil {
		return nil, err
	}
	sets := make([]civil.Set, len(spans))
	for i, text := range spans {
		one := ResolveOne(text, scope, false)
		if one.Err != nil {
			return nil, invalid(fmt.Errorf("%q: %w", text, one.Err))
		}
		sets[i] = one.Days
	}
	t := &DayTable{AsOf: asOf, Calendar: scope.Calendar.Name(), Columns: append(append([]string{"day", "weekday", "position", "business_day", "holiday"}, daytable.Columns()...), spans...)}
	for d := from; d <= through; d++ {
		row, err := daytable.Of(scope.Calendar, d, asOf)
		if err != nil {
			return nil, err
		}
		cells := append([]string{d.String(), row.Weekday.Short(), string(row.Position), YesNo(row.BusinessDay), YesNo(row.Holiday)}, row.Cells...)
		for _, set := range sets {
			cells = append(cells, map[bool]string{true: "in", false: "out"}[set.Contains(d)])
		}
		t.Rows = append(t.Rows, cells)
	}
	return t, nil
}

// YesNo writes a truth value as tables have it.
func YesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}
